/* A plan of any steps on a motor that does anything: checked, started and ticked in any order. */
#include "any_motor.h"

enum { STEPS = 4, TRACKS = 2 };

static wpin_motor_config motor_config;
static wpin_actuator any_actuator;
static wpin_motor motor;
static wpin_motor *const list[] = {&motor};
static wpin_step steps[STEPS];
static wpin_track tracks[TRACKS];
static wpin_sequence_config config;
static wpin_sequence sequence;

static wpin_status any_switch(void *c, uint16_t number, bool on) {
    (void)c, (void)number, (void)on;
    return any_status();
}

static bool any_input(void *c, uint16_t number) {
    (void)c, (void)number;
    return ANY_BOOL;
}

static wpin_duty any_asked(void *c, uint16_t number) {
    (void)c, (void)number;
    return any_signed16;
}

static void any_rearm(void *c, uint16_t number) {
    (void)c, (void)number;
}

static bool any_stop(void *c) {
    (void)c;
    return ANY_BOOL;
}

static wpin_status any_set(void *c, uint16_t number, int16_t millivolts) {
    (void)c, (void)number, (void)millivolts;
    return any_status();
}

static void any_observer(void *c, uint8_t track, uint16_t step, bool begins) {
    (void)c, (void)track, (void)step, (void)begins;
}

static void any_plan(void) {
    ANYTHING(steps);
    config.steps = steps;
    config.step_count = STEPS;
    config.motors = list;
    config.motor_count = 1;
    config.input_count = any16;
    config.switch_count = any16;
    config.track_count = TRACKS;
    config.tracks = tracks;
    config.port = &any_port;
    config.set_switch = any_switch;
    config.read_input = any_input;
    config.read_duty = any_asked;
    config.rearm_input = ANY_BOOL ? any_rearm : NULL;
    config.set_input = any_set;
    config.observe = any_observer;
    config.stopped = any_stop;
}

static void one_call(void) {
    uint16_t bad;
    switch (any) {
    case 0: wpin_sequence_check(&config, &bad); break;
    case 1: wpin_sequence_start(&sequence, &config); break;
    case 2: wpin_sequence_tick(&sequence); break;
    case 3: wpin_sequence_stop(&sequence); break;
    case 4: any = wpin_sequence_busy(&sequence); break;
    default: wpin_sequence_serve(&sequence); break;
    }
}

int main(void) {
    ANYTHING(motor_config.sense.current_mv_per_a);
    ANYTHING(motor_config.guard);
    motor_config.actuator = &any_actuator;
    motor.port = &any_port;
    any_plan();
    while (any) {
        changed(&motor);
        motor.config = NULL; /* somebody has closed it */
        one_call();
        motor.config = &motor_config;
        one_call();
    }
    return 0;
}
