/* A motor of any configuration: every call, in any order, as often as you like. It is on an
 * actuator that answers anything; or on a stage with one of some tables, its tick general or
 * folded, or in six steps on a three-phase one, by sensors or without, or by field orientation.
 * What a stage does with each of the tables that ship is in stage.c. */
#include "any.h"
#include <windpin/fast.h>

#ifdef FOLDED
#define TABLE FOLDED
#endif
#ifdef ALONE
#define TABLE ALONE
#endif
#ifdef PHASES
#define TABLE PHASES
#endif
#ifdef BLIND
#define TABLE BLIND
#endif

#ifdef VECTOR
#define TABLE VECTOR
#endif

#ifdef ACTUATOR
#define TABLE wpin_table_switch
#endif

/* One whose lines float at rest and are kept in a brake, and whose low side mirrors the high one.
 */
static const wpin_row floating_rows[] = {
    WPIN_ROW(WPIN_DRIVE_COAST, WPIN_CELL_FLOAT, WPIN_CELL_FLOAT, WPIN_CELL_LOW),
    WPIN_ROW(WPIN_DRIVE_BRAKE, WPIN_CELL_LOW, WPIN_CELL_HIGH, WPIN_CELL_KEEP),
    WPIN_ROW(WPIN_DRIVE_FORWARD, WPIN_CELL_COMPLEMENT, WPIN_CELL_DUTY, WPIN_CELL_HIGH)};
static const wpin_leg floating_leg = {0, 1};
static const wpin_stage_table floating = {.line_count = 3,
                                          .row_count = 3,
                                          .mode_lines = 4,
                                          .leg_count = 1,
                                          .legs = &floating_leg,
                                          .rows = floating_rows};

static wpin_stage stage;
static wpin_stage_config wires;
static wpin_vector turned;
static wpin_vector_config turns;
static wpin_quadrature counts;
static wpin_six_step six_step;
static wpin_six_step_config sensors;
static wpin_sensorless sensorless;
static wpin_sensorless_config blind;
static wpin_sensorless_step steps[255];
static wpin_motor motor;

/* A core compiled for one motor knows its constants, so they are some here. */
#ifdef ALONE
static const wpin_line alone_lines[WPIN_STAGE_LINES] = {
    {.pin = 1, .inverted = true}, {.pin = 2}, {.pin = 3}, {.pin = 4}};
static const wpin_stage_config alone_wires = {.table = &TABLE,
                                              .lines = alone_lines,
                                              .pwm_hz = 900,
                                              .dead_time_us = 2,
                                              .pulse_neutral = 9000,
                                              .pulse_swing = 3000};
const wpin_motor_config WPIN_ONE_MOTOR = {WPIN_ON_STAGE(&stage, &alone_wires),
                                          .guard = {.cap = 16384,
                                                    .up = WPIN_SLEW_US(300000),
                                                    .down = WPIN_SLEW_US(64),
                                                    .pause_us = 300000,
                                                    .current_trip = 2400,
                                                    .trip_us = 50000,
                                                    .supply_low = 2000,
                                                    .supply_high = 4000,
                                                    .minimum_us = 20000,
                                                    .on_time_max_us = 90000000,
                                                    .current_limit = 2000,
                                                    .limit_gain = 3,
                                                    .cool_s = 30},
                                          .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY,
                                                    .supply_input = 1,
                                                    .limit_forward = {.used = true, .pin = 5}},
                                          .start = {.start_duty = 3000,
                                                    .drop_out_duty = 2000,
                                                    .below = WPIN_BELOW_KICK,
                                                    .kick_duty = 9000,
                                                    .kick_us = 60000,
                                                    .smooth = true}};
#define config WPIN_ONE_MOTOR
#else
static wpin_motor_config config;
#endif

/* An actuator of any kind, which answers anything. */
#ifdef ACTUATOR
static wpin_status actuator_open(void *self, const WPIN_FAR void *part, const wpin_port *port) {
    (void)self, (void)part, (void)port;
    return any_status();
}

static wpin_status actuator_call(void *self) {
    (void)self;
    return any ? (wpin_status)any8 : WPIN_OK;
}

static uint8_t actuator_traits(const void *self) {
    (void)self;
    return any8;
}

static wpin_status actuator_put(void *self, uint8_t quantity, int32_t value) {
    (void)quantity, (void)value;
    return actuator_call(self);
}

static wpin_status actuator_idle(void *self, wpin_drive how) {
    (void)how;
    return actuator_call(self);
}

static wpin_duty actuator_shown(const void *self) {
    (void)self;
    return any_signed16;
}

static void actuator_off(void *self) {
    (void)self;
}

static bool actuator_asked(void *self) {
    (void)self;
    return ANY_BOOL;
}

static wpin_status actuator_poll(void *self, wpin_measurement *m) {
    ANYTHING(*m);
    return actuator_call(self);
}

static wpin_status actuator_angle(void *self, int32_t millidegrees, bool by, int32_t *position) {
    (void)millidegrees, (void)by;
    *position = any_signed32;
    return actuator_call(self);
}

static wpin_actuator any_actuator;

static void any_kind(void) {
    any_actuator = (wpin_actuator){.takes = any8,
                                   .open = actuator_open,
                                   .close = actuator_call,
                                   .traits = actuator_traits,
                                   .put = actuator_put,
                                   .idle = actuator_idle,
                                   .shown = actuator_shown,
                                   .off = actuator_off,
                                   .stop = any ? actuator_asked : NULL,
                                   .poll = any ? actuator_poll : NULL,
                                   .angle = any ? actuator_angle : NULL,
                                   .clear = any ? actuator_call : NULL,
                                   .homed = any ? actuator_asked : NULL};
    config.actuator = &any_actuator;
}
#endif

/* What needs no table of its own is made on one of them only: its folded tick, several motors in a
 * call, and calls without a motor. */
#ifdef FOLDED
#define MAYBE(object) (any ? &(object) : NULL)
#else
#define MAYBE(object) (&(object))
#endif

static void any_request(void) {
    wpin_motor *m = MAYBE(motor);
    switch (any) {
    case 0: wpin_motor_run(m, any_signed16, any32, any32); break;
    case 1: wpin_motor_request(m, (wpin_setpoint){any8, any_signed32}, any32, any32); break;
    case 2: wpin_motor_turn(m, any_signed32, any32); break;
    case 3: wpin_motor_turn_to(m, any_signed32, any32); break;
    case 4: wpin_motor_calibrate(m, any32); break;
    case 5: wpin_motor_refresh(m, any32); break;
    case 6: wpin_motor_stop(m, any32); break;
    case 7: wpin_motor_coast(m); break;
    case 8: wpin_motor_brake(m); break;
    case 9: wpin_motor_trip(m, (wpin_status)any8); break;
    case 10: wpin_motor_clear_fault(m); break;
    case 11: wpin_motor_arm(m); break;
    case 12: wpin_motor_end_kick(m); break;
    default: wpin_motor_disarm(m); break;
    }
}

static void ask_everything(void) {
    const wpin_motor *m = MAYBE(motor);
    any = (int)wpin_motor_state(m);
    any = wpin_motor_busy(m);
    any = wpin_motor_duty(m);
    any = (int)wpin_motor_fault(m);
    any = (int)wpin_motor_ended(m);
    any = wpin_motor_kicks(m);
    any = wpin_motor_held(m);
    any = wpin_motor_measurement(m).speed;
    any32 = wpin_motor_operations(m);
    any = wpin_motor_last_direction(m);
    any = wpin_motor_saturated(m) + wpin_motor_lifted(m);
    any32 = (uint32_t)wpin_motor_milliamps(m);
}

/* Its constants folded in: the tick that one motor's own program calls. */
#ifdef FOLDED
WPIN_FAST_TICK(tick, motor, config, any_port)
static void folded(void) {
    wpin_motor *const list[] = {MAYBE(motor)};
    wpin_motors_tick(any ? list : NULL, any16 & 1U);
    if (motor.config != &config || motor.port != &any_port) { /* asked by itself too, see fast.h */
        return;
    }
    tick();
}
#else
static void folded(void) {}
#endif
#ifdef PHASES
WPIN_FAST_EDGE(edge, six_step, sensors, any_port, any8, any32)
static void edge_folded(void) { /* its configuration is there once its stage has been opened */
    const wpin_stage *opened = &six_step.stage;
    if (opened->config == &wires && opened->port == &any_port) {
        edge();
    }
}
#else
static void edge_folded(void) {}
#endif

static void ask_currents(void) {
    int16_t along, across;
    wpin_vector_currents(any ? &turned : NULL, &along, &across);
    any = along != across;
}

static void show_legs(void) {
    uint16_t duties[3] = {any16, any16, any16};
    wpin_stage_legs(any ? &stage : &turned.rotor.stage, any ? duties : NULL);
}

#ifdef ALONE
static void anyhow(void) {}
#else
static void anyhow(void) {
    any_stage(&wires, &TABLE);
    any_motor(&config);
    config.actuator = &wpin_stage_actuator;
    config.part = &stage;
    config.part_config = &wires;
#ifdef ACTUATOR
    any_kind();
#endif
#ifdef PHASES
    ANYTHING(sensors);
    sensors.stage = &wires;
    config.actuator = &wpin_six_step_actuator;
    config.part = &six_step;
    config.part_config = &sensors;
#endif
#ifdef BLIND
    ANYTHING(blind);
    ANYTHING(steps);
    blind.stage = &wires;
    blind.ramp = steps; /* that none is refused, a test shows */
    config.actuator = &wpin_sensorless_actuator;
    config.part = &sensorless;
    config.part_config = &blind;
#endif
#ifdef VECTOR
    ANYTHING(turns);
    ANYTHING(sensors);
    sensors.stage = &wires;
    turns.stage = &wires;
    turns.hall = any ? &sensors : NULL;
    turns.counts_back = ANY_BOOL;
    turns.quadrature = any ? &counts : NULL;
    config.actuator = &wpin_vector_actuator;
    config.part = &turned;
    config.part_config = &turns;
#endif
}
#endif

int main(void) {
    anyhow();
    while (any) {
        switch (any) {
        case 0:
            wpin_motor_init(any ? &motor : NULL, any ? &config : NULL, any ? &any_port : NULL);
            break;
        case 1: wpin_motor_tick(any ? &motor : NULL); break;
        case 2: any_request(); break;
        case 3: ask_everything(); break;
        case 4: wpin_stage_off(MAYBE(stage)); break;
        case 5: wpin_stage_commutate(MAYBE(stage), any8); break;
        case 6: wpin_six_step_edge(any ? &six_step : NULL); break;
        case 7: any = wpin_six_step_sector(&six_step); break;
        case 8: wpin_sensorless_sample(any ? &sensorless : NULL); break;
        case 9: any = (int)wpin_sensorless_doing(&sensorless); break;
        case 10: wpin_vector_period(any ? &turned : NULL); break;
        case 11: any = (int)wpin_vector_doing(any ? &turned : NULL); break;
        case 12: ask_currents(); break;
        case 13: show_legs(); break;
        case 14: wpin_quadrature_edge(&counts, any, any, any32); break;
        case 15: folded(); break;
        case 16: edge_folded(); break;
        case 17: wpin_six_step_look(any ? &six_step : NULL); break;
        default: wpin_motor_close(&motor); break;
        }
    }
    return 0;
}
