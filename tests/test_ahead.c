/* Six steps whose rows come ahead of the edges of their Hall sensors. */
#include "support_six_step.h"

/* ---- ahead of the sensors ---- */

enum { LOOK_US = 50 };

/* Lets time pass with its ticks and, if so, looks; when the row of the next sector was shown first,
 * us before the end; 0: it was not. */
static uint32_t pass_until(uint32_t moment, bool forward, bool looks) {
    static uint32_t ticked, looked;
    uint32_t ahead = 0;
    while ((int32_t)(moment - b.r.now) > 0) {
        uint32_t left = moment - b.r.now, next = looked + LOOK_US - b.r.now;
        next = next > LOOK_US ? 0 : next;
        b.r.now += left < next ? left : next;
        if (left >= next) {
            looked = b.r.now;
            if (looks) {
                wpin_six_step_look(&b.six);
            }
        }
        if (ahead == 0 && shows(b.place + (forward ? 1 : -1), forward, 8192)) {
            ahead = moment - b.r.now;
        }
        if (b.r.now - ticked >= 1000) {
            ticked = b.r.now;
            wpin_motor_tick(&b.motor);
        }
    }
    return ahead;
}

static uint32_t look_until(uint32_t moment, bool forward) {
    return pass_until(moment, forward, true);
}

static const struct {
    uint32_t sector_us;
    uint8_t advance;
} paces[] = {{400, 43}, {400, 120}, {1000, 0}, {3000, 43}, {3000, 120}, {15000, 85}, {17000, 85}};

static void set_off(unsigned table, uint8_t advance, bool forward) {
    ck_assert_int_eq(set_up(table, table < 2, usual), WPIN_OK);
    b.config.advance = advance;
    b.motor_config.guard.up = b.motor_config.guard.down = WPIN_SLEW_US(1000);
    b.motor_config.guard.pause_us = 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port), WPIN_OK);
    wpin_motor_arm(&b.motor);
    tick();
    wpin_motor_run(&b.motor, forward ? 8192 : -8192, 0, WPIN_TIMEOUT_HELD);
    tick();
    ck_assert_int_eq(wpin_motor_duty(&b.motor), forward ? 8192 : -8192);
}

static void step(bool forward) {
    b.place += forward ? 1 : -1;
    show_sensors();
    ck_assert_int_eq(wpin_six_step_edge(&b.six), WPIN_OK);
    ck_assert(shows(b.place, forward, 8192));
}

/* Both ways, on each stage, sensors b and c off their places: from the third sector on each row
 * comes so much before its edge, to a look. Where the edge then fails to come it goes back, and
 * where the motor is driven against its turning each row has its own sector. */
START_TEST(rows_come_ahead_of_their_edges) {
    const uint32_t pace = paces[_i % 7].sector_us;
    const uint8_t advance = paces[_i % 7].advance;
    const bool forward = _i / 7 % 2 == 0, leads = advance != 0 && pace < 16384;
    set_off((unsigned)_i / 14, advance, forward);
    const int off[3] = {0, (int)pace / 30, -(int)pace / 30};
    uint32_t next = b.r.now;
    for (int i = 0; i < 40; i++) {
        next += pace;
        int late = off[i % 3], before = off[(i + 2) % 3];
        uint32_t ahead = look_until(next + (uint32_t)late, forward);
        double wanted = pace * advance / 256.0 + (late - before);
        if (i >= 4) {
            ck_assert_msg(leads ? fabs(ahead - wanted) <= LOOK_US / 2 + 4 + pace * 4e-3
                                : ahead == 0,
                          "sector %d: %u us ahead, %.0f expected", i, ahead, wanted);
        }
        step(forward);
    }
    look_until(b.r.now + pace * 149 / 100, forward);
    ck_assert(shows(b.place + (leads ? (forward ? 1 : -1) : 0), forward, 8192));
    pass_until(b.r.now + 2000, forward, false); /* nobody looks any more */
    ck_assert(shows(b.place, forward, 8192));
    for (int i = 0; i < 8; i++) {
        look_until(b.r.now + pace, forward);
        step(forward);
    }
    wpin_motor_run(&b.motor, forward ? -8192 : 8192, 0, WPIN_TIMEOUT_HELD);
    pass_until(b.r.now + 4000, forward, false);
    for (int i = 0; i < 8; i++) {
        b.place += forward ? 1 : -1;
        show_sensors();
        wpin_six_step_edge(&b.six);
        ck_assert_uint_eq(look_until(b.r.now + pace, !forward), 0);
        ck_assert(shows(b.place, !forward, 8192));
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_uint_eq(b.r.shoot_through, 0);
}
END_TEST

/* A code that is no sector, a sector left out, a turn of the shaft: it begins to measure anew. */
START_TEST(what_was_measured_is_forgotten) {
    for (int trouble = 0; trouble < 3; trouble++) {
        set_off(0, 120, true);
        for (int i = 0; i < 8; i++) {
            ck_assert(i < 5 || shows(b.place + 1, true, 8192));
            step(true);
            look_until(b.r.now + 1000, true);
        }
        ck_assert(shows(b.place + 1, true, 8192));
        if (trouble == 0) {
            b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
            wpin_six_step_edge(&b.six);
            show_sensors();
            wpin_six_step_edge(&b.six);
        } else {
            b.place += trouble == 1 ? 2 : -1;
            show_sensors();
            wpin_six_step_edge(&b.six);
        }
        ck_assert(shows(b.place, true, 8192));
        ck_assert_uint_eq(look_until(b.r.now + 1000, true), 0);
        for (int i = 0; i < 5; i++) {
            step(true);
            bool again = look_until(b.r.now + 1000, true) != 0;
            ck_assert_msg(again == (i >= 3), "%d: sector %d", trouble, i);
        }
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("ahead");
    TCase *tests = tcase_create("ahead");
    tcase_add_loop_test(tests, rows_come_ahead_of_their_edges, 0, 42);
    tcase_add_test(tests, what_was_measured_is_forgotten);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
