/* Anything at all, for the prover: values that may be anything each time they are read, a port
 * whose calls may answer anything and fail at any time, and a stage on wires of any kind. */
#ifndef WPIN_PROOF_ANY_H
#define WPIN_PROOF_ANY_H

#include "__fc_builtin.h"
#include <windpin/windpin.h>

static volatile int any;
static volatile uint8_t any8;
static volatile uint16_t any16;
static volatile uint32_t any32;
static volatile int16_t any_signed16;
static volatile int32_t any_signed32;

#define ANY_BOOL ((any & 1) != 0)
/* Every byte of an object; what is a pointer or a bool in it is set afterwards. A field that is new
 * is covered by itself. */
#define ANYTHING(object) Frama_C_make_unknown((char *)&(object), sizeof(object))

static wpin_status any_status(void) {
    return any ? WPIN_OK : WPIN_REFUSED_PORT;
}

static wpin_moment any_now(void *c) {
    (void)c;
    return any32;
}

static wpin_status any_open(void *c, wpin_pin pin, wpin_level level) {
    (void)c, (void)pin, (void)level;
    return any_status();
}

static wpin_status any_pwm_start(void *c, wpin_pin pin, const wpin_pwm_request *r,
                                 wpin_pwm_achieved *a) {
    (void)c, (void)pin, (void)r;
    ANYTHING(*a);
    return any_status();
}

static wpin_status any_leg_start(void *c, wpin_pin high, wpin_pin low, const wpin_pwm_request *r,
                                 wpin_pwm_achieved *a) {
    (void)low;
    return any_pwm_start(c, high, r, a);
}

static wpin_status any_duty(void *c, wpin_pin pin, uint16_t duty) {
    (void)c, (void)pin;
    /*@ assert duty_in_range: duty <= 16384; */
    return any_status();
}

static wpin_status any_leg_duty(void *c, wpin_pin high, wpin_pin low, uint16_t duty) {
    (void)c, (void)high, (void)low;
    /*@ assert duty_in_range: duty <= 16384; */
    return any_status();
}

static wpin_status any_group_open(void *c, const wpin_pin *pins, uint8_t count, uint8_t *group) {
    (void)c;
    (void)pins[count - 1];
    *group = any8;
    return any_status();
}

static wpin_status any_group_write(void *c, uint8_t group, uint8_t mask, uint8_t high) {
    (void)c, (void)group, (void)mask, (void)high;
    return any_status();
}

static bool any_read(void *c, wpin_pin pin) {
    (void)c, (void)pin;
    return ANY_BOOL;
}

static int16_t any_millivolts(void *c, uint8_t input) {
    (void)c, (void)input;
    return any_signed16;
}

static wpin_status any_count(void *c, uint8_t input, wpin_count *to) {
    (void)c, (void)input;
    ANYTHING(*to);
    return any_status();
}

static void any_pause(void *c, uint32_t us) {
    (void)c, (void)us;
}

static uint8_t any_lock(void *c) {
    (void)c;
    return any8;
}

static void any_unlock(void *c, uint8_t state) {
    (void)c, (void)state;
}

static void any_kick(void *c) {
    (void)c;
}

const wpin_port any_port = {.now = any_now,
                            .open = any_open,
                            .write = any_open,
                            .pwm_start = any_pwm_start,
                            .pwm_duty = any_duty,
                            .leg_start = any_leg_start,
                            .leg_duty = any_leg_duty,
                            .group_open = any_group_open,
                            .group_write = any_group_write,
                            .read = any_read,
                            .millivolts = any_millivolts,
                            .count = any_count,
                            .pause = any_pause,
                            .lock = any_lock,
                            .unlock = any_unlock,
                            .kick = any_kick};

static wpin_shared_line any_shared;
static wpin_pwm_achieved any_achieved;
static wpin_line any_lines[WPIN_STAGE_LINES];

static void any_stage(wpin_stage_config *config, const wpin_stage_table *table) {
    for (int i = 0; i < WPIN_STAGE_LINES; i++) {
        any_lines[i] = (wpin_line){any8, ANY_BOOL, any8, any ? &any_shared : NULL};
    }
    ANYTHING(*config);
    config->table = table;
    config->lines = any_lines;
    config->reversed = ANY_BOOL;
    config->centred = ANY_BOOL;
    config->achieved = any ? &any_achieved : NULL;
    config->charge = any ? wpin_stage_charge : NULL;
}

/* Speed, position and limits that lie. */
static void any_more(void *c, wpin_measurement *m) {
    (void)c;
    m->speed = any_signed16;
    m->position = any_signed32;
    m->valid = any8;
    m->inputs = any8;
}

static void any_motor(wpin_motor_config *config) {
    ANYTHING(config->guard);
    ANYTHING(config->sense);
    config->sense.limit_forward.used = ANY_BOOL;
    config->sense.limit_forward.high = ANY_BOOL;
    config->sense.limit_reverse.used = ANY_BOOL;
    config->sense.limit_reverse.high = ANY_BOOL;
    config->sense.more = any ? any_more : NULL;
    config->sense.place = NULL;
    config->sense.context = NULL;
    ANYTHING(config->start);
    config->start.smooth = ANY_BOOL;
    config->rest_drive = any8;
    config->safe_drive = any8;
}

#endif
