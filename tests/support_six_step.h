/* Six steps on a port that records, interrupts at any moment. */
#ifndef WPIN_TESTS_SUPPORT_SIX_STEP_H
#define WPIN_TESTS_SUPPORT_SIX_STEP_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { HALL_A = 14, HALL_B, HALL_C };
enum { EDGES = 200 }; /* at the most in a tick: the core tells them apart by a byte */
static const uint8_t usual[6] = {5, 1, 3, 2, 6, 4}, sixty[6] = {1, 3, 7, 6, 4, 0};
static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const wpin_stage_table *const tables[3] = {&wpin_table_three_phase_bridge,
                                                  &wpin_table_three_phase_bridge_high,
                                                  &wpin_table_three_half_bridges};

/* The bench: a recorder, a rotor with sensors, and the motor on it. */
static struct bench {
    recorder r;
    wpin_stage_config stage;
    wpin_six_step_config config;
    wpin_six_step six;
    wpin_motor_config motor_config;
    wpin_motor motor;
    const uint8_t *codes;
    long place;     /* of the rotor, in sectors */
    int depth;      /* of the lock */
    unsigned moves; /* the rotor moves in one of so many moments; 0: it does not */
    int way;        /* mostly that way */
    bool served;    /* its edges raise an interrupt */
    bool unread;    /* the sensors changed, and that was not taken since */
    bool seen;      /* it was read */
    unsigned came;  /* edges since the tick began */
} b;

static inline unsigned sector_at(long place) {
    return (unsigned)(((place % 6) + 6) % 6);
}

static inline void show_sensors(void) {
    uint8_t code = b.codes[sector_at(b.place)];
    for (int i = 0; i < 3; i++) {
        b.r.input[HALL_A + i] = (code >> i & 1) != 0;
    }
}

static inline void edge(int step) {
    b.place += step;
    b.unread = step != 0;
    b.seen = false;
    show_sensors();
    if (b.served) {
        always(wpin_six_step_edge(&b.six) == WPIN_OK);
    }
}

/* A moment in which an interrupt may come: again while the one before is at work, as soon as that
 * one has read the sensors. */
static inline void moment(void) {
    static int nested;
    bool comes = b.moves != 0 && b.depth == 0 && !b.unread && nested < 3 && b.came < EDGES;
    if (comes && pick(b.moves) == 0) {
        b.came++;
        nested++;
        edge(pick(8) == 0 ? -b.way : b.way);
        nested--;
    } else if (b.config.advance != 0 && b.moves != 0 && b.depth == 0 && nested < 3 &&
               pick(4) == 0) {
        bool seen = b.seen;
        b.seen = false; /* it takes nothing */
        nested++;
        wpin_six_step_look(&b.six);
        nested--;
        b.seen = seen;
    }
}

static inline uint8_t lock(void *context) {
    (void)context;
    moment();
    b.unread = b.unread && !b.seen; /* what was read is taken now */
    return (uint8_t)b.depth++;
}

static inline void unlock(void *context, uint8_t state) {
    (void)context;
    b.depth = state;
    moment();
}

static inline void pass(void *context, uint32_t us) {
    (void)context;
    always(b.depth == 0); /* no interrupt is kept out for a dead time */
    b.r.now += us;
    moment();
}

static inline bool read_pin(void *context, wpin_pin pin) {
    (void)context;
    always(b.depth == 0); /* no interrupt waits for three sensors */
    moment();             /* one in between has them read again */
    b.seen = pin == HALL_C;
    return b.r.input[pin];
}

static inline wpin_status set_up(unsigned table, bool grouped, const uint8_t *codes) {
    memset(&b, 0, sizeof b);
    recorder_init(&b.r);
    if (grouped) {
        recorder_grouped(&b.r);
    }
    b.r.port.lock = lock;
    b.r.port.unlock = unlock;
    b.r.port.pause = pass;
    b.r.port.read = read_pin;
    for (int leg = 0; leg < 3 && table < 2; leg++) {
        b.r.high_pairs[leg][0] = 2 * leg;
        b.r.high_pairs[leg][1] = 2 * leg + 1;
        b.r.pair_count = 3;
    }
    b.codes = codes;
    b.way = 1;
    show_sensors();
    b.stage = (wpin_stage_config){
        .table = tables[table], .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
    b.config = (wpin_six_step_config){.stage = &b.stage, .hall = {HALL_A, HALL_B, HALL_C}};
    memset(b.config.sector_of, WPIN_NO_SECTOR, sizeof b.config.sector_of);
    for (uint8_t s = 0; s < 6; s++) {
        b.config.sector_of[codes[s]] = s;
    }
    b.motor_config = (wpin_motor_config){WPIN_ON_SIX_STEP(&b.six, &b.config),
                                         .guard = {.cap = WPIN_DUTY_FULL,
                                                   .up = WPIN_SLEW_US(20000),
                                                   .down = WPIN_SLEW_US(20000),
                                                   .pause_us = 3000}};
    return wpin_motor_init(&b.motor, &b.motor_config, &b.r.port);
}

static inline void tick(void) {
    b.r.now += 1000;
    b.came = 0;
    wpin_motor_tick(&b.motor);
}

/* Whether the pins show the row that drives a rotor in this sector that way, with a duty. */
static inline bool shows(long place, bool forward, int duty) {
    unsigned sector = (sector_at(place) + (forward ? 0U : 3U)) % 6;
    uint8_t row = wpin_table_row(b.stage.table, (wpin_drive)(WPIN_DRIVE_SECTOR + sector));
    bool all = true;
    for (uint8_t l = 0; l < 6; l++) {
        wpin_cell cell = wpin_table_cell(b.stage.table, row, l);
        bool pwm = cell == WPIN_CELL_DUTY || cell == WPIN_CELL_COMPLEMENT;
        all = all && (b.r.level[l] < 0) == pwm && (pwm || b.r.level[l] == (int)cell) &&
              (!pwm || b.r.duty[l] == duty);
    }
    return all;
}

/* The stage shows the row that the rotor's sector asks for; with an advance, or the next one. */
static inline void shows_its_sector(void) {
    wpin_duty duty = wpin_motor_duty(&b.motor);
    bool forward = (duty > 0) != b.stage.reversed;
    long ahead = forward ? 1 : -1;
    bool own = duty == 0 || shows(b.place, forward, abs(duty));
    always(own || (b.config.advance != 0 && shows(b.place + ahead, forward, abs(duty))));
}

static inline void ask_at_random(void) {
    wpin_duty duty = (wpin_duty)(pick(32769) - 16384);
    switch (pick(9)) {
    case 0: wpin_motor_stop(&b.motor, 0); break;
    case 1: wpin_motor_coast(&b.motor); break;
    case 2: wpin_motor_brake(&b.motor); break;
    case 3:
        wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        for (uint8_t l = 0; l < 6; l++) {
            always(!recorder_on(&b.r, l) || b.r.pair_count == 0);
        }
        tick();
        wpin_motor_clear_fault(&b.motor);
        wpin_motor_arm(&b.motor);
        break;
    default: wpin_motor_run(&b.motor, duty, 0, 1 + pick(40)); break;
    }
}

#endif
