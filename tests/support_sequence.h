/* Three motors that are recorded, and a plan on them. */
#ifndef WPIN_TESTS_SUPPORT_SEQUENCE_H
#define WPIN_TESTS_SUPPORT_SEQUENCE_H

#include "support.h"
#include <string.h>

enum { MOTORS = 3, TRACKS = 4 };

typedef struct event {
    uint32_t time;
    uint8_t track;
    uint16_t step;
    bool begins;
} event;

typedef struct bench {
    recorder r;
    wpin_line lines[MOTORS][3];
    wpin_stage_config stages[MOTORS];
    wpin_motor_config configs[MOTORS];
    wpin_motor motors[MOTORS];
    wpin_stage bridges[MOTORS];
    wpin_motor *list[MOTORS];
    wpin_track tracks[TRACKS];
    wpin_sequence_config config;
    wpin_sequence sequence;
    uint32_t start;
    event events[300];
    size_t event_count;
    bool switches[2];
    wpin_duty asked;   /* what the inputs ask for */
    int16_t set_to[2]; /* what they were set to */
} bench;

static inline wpin_status set_switch(void *context, uint16_t number, bool on) {
    ((bench *)context)->switches[number] = on;
    return WPIN_OK;
}

static inline bool read_input(void *context, uint16_t number) {
    return ((bench *)context)->switches[number];
}

static inline wpin_duty read_duty(void *context, uint16_t number) {
    ck_assert_uint_lt(number, 2);
    return ((bench *)context)->asked;
}

static inline wpin_status set_input(void *context, uint16_t number, int16_t millivolts) {
    ((bench *)context)->set_to[number] = millivolts;
    return WPIN_OK;
}

static inline void observe(void *context, uint8_t track, uint16_t step, bool begins) {
    bench *b = context;
    ck_assert_uint_lt(b->event_count, 300);
    b->events[b->event_count++] = (event){b->r.now - b->start, track, step, begins};
}

/* Three armed and rested motors, and a plan. */
static inline void set_up(bench *b, const wpin_step *steps, size_t count) {
    memset(b, 0, sizeof *b);
    recorder_init(&b->r);
    b->r.now = 0xFFFFFFFF - 400000; /* the clock wraps soon */
    for (int i = 0; i < MOTORS; i++) {
        for (int l = 0; l < 3; l++) {
            b->lines[i][l].pin = (wpin_pin)(3 * i + l);
        }
        b->stages[i] = pump_stage;
        b->stages[i].lines = b->lines[i];
        b->configs[i] = pump_config(&b->bridges[i]);
        b->configs[i].part_config = &b->stages[i];
        b->list[i] = &b->motors[i];
        ck_assert_int_eq(wpin_motor_init(&b->motors[i], &b->configs[i], &b->r.port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&b->motors[i]), WPIN_OK);
    }
    b->config = (wpin_sequence_config){.steps = steps,
                                       .step_count = (uint16_t)count,
                                       .motors = b->list,
                                       .motor_count = MOTORS,
                                       .switch_count = 2,
                                       .track_count = TRACKS,
                                       .tracks = b->tracks,
                                       .port = &b->r.port,
                                       .context = b,
                                       .set_switch = set_switch,
                                       .input_count = 2,
                                       .read_input = read_input,
                                       .read_duty = read_duty,
                                       .set_input = set_input,
                                       .observe = observe};
    for (int ms = 0; ms < 250; ms++) {
        b->r.now += 1000;
        for (int i = 0; i < MOTORS; i++) {
            wpin_motor_tick(&b->motors[i]);
        }
    }
    b->start = b->r.now;
}

static inline void tick(bench *b) {
    wpin_sequence_tick(&b->sequence);
    b->r.now = b->start + (b->r.now - b->start) / 1000 * 1000 + 1000;
}

static inline void run_to_end(bench *b) {
    ck_assert_int_eq(wpin_sequence_start(&b->sequence, &b->config), WPIN_OK);
    b->r.now += 1000; /* its first tick comes as late in its millisecond as the others */
    b->start = b->r.now;
    for (int i = 0; i < 100000 && wpin_sequence_busy(&b->sequence); i++) {
        tick(b);
    }
    ck_assert(!wpin_sequence_busy(&b->sequence));
}

/* Milliseconds at which a step began or ended for the nth time. */
static inline double when(const bench *b, uint16_t step, bool begins, int nth) {
    for (size_t i = 0; i < b->event_count; i++) {
        const event *e = &b->events[i];
        if (e->step == step && e->begins == begins && nth-- == 0) {
            return e->time / 1000.0;
        }
    }
    ck_abort_msg("step %u did not happen so often", step);
    return 0;
}

#endif
