/* The safety rules on every stage, under the nastiest clock, with requests from two contexts and
 * calls that fail. The judge sees what happened to the pins, in true time, and what the calls
 * returned; never the core's own state. Seeds are printed. WPIN_TICKS sets how many ticks each
 * stage gets, once with and once without group writes (a million), WPIN_SEED another beginning. */
#include "safety/world.h"
#include <stdlib.h>

/* ---- the requests ---- */

static void asked(uint32_t timeout_ms) {
    w.stop_at = 0;
    w.end_at =
        timeout_ms == WPIN_TIMEOUT_HELD ? 0 : w.now + timeout_ms * 1000ULL + 100000 + 4 * TICK_US;
}

/* What an interrupt asked for within a call may be the newer request, or the older one. */
static void forget_if_interrupted(unsigned long interrupts_before) {
    if (w.interrupts != interrupts_before) {
        w.stop_at = w.end_at = 0;
    }
}

static void run(void) {
    bool on_off = !wpin_stage_kind_takes_duty(w.kind);
    wpin_duty duty = on_off ? (pick(2) ? WPIN_DUTY_FULL : -WPIN_DUTY_FULL)
                            : (wpin_duty)((int)pick(32769) - 16384);
    uint32_t timeout = pick(8) == 0 ? WPIN_TIMEOUT_HELD : 1 + pick(300);
    unsigned long before = w.interrupts;
    wpin_status status;
    if (w.kind->coils) {
        wpin_setpoint to = {WPIN_QUANTITY_POSITION, (int32_t)pick(2000) - 1000};
        status = wpin_motor_request(&w.motor, to, 0, timeout);
    } else {
        status = wpin_motor_run(&w.motor, duty, pick(3) ? 0 : pick(200000), timeout);
    }
    if (status == WPIN_OK) {
        JUDGE(w.may_drive || w.interrupts != before, "a request was taken though not armed");
        asked(timeout);
    }
    forget_if_interrupted(before);
}

static void halt(void) {
    unsigned long before = w.interrupts;
    if (wpin_motor_stop(&w.motor, 0) == WPIN_OK) {
        w.stop_at = w.now;
        w.end_at = w.now + 100000 + 4 * TICK_US;
    }
    forget_if_interrupted(before);
}

/* Everything is off by the time a call returns, unless the port failed in it. */
static void check_off(const char *what, unsigned long failures) {
    JUDGE(w.failures != failures || direction_shown() == 0 || w.kind->table->rows[0].pulse != 0,
          "still driven after %s", what);
}

static void request(unsigned which) {
    unsigned long failures = w.failures;
    switch (which) {
    case 0: halt(); break;
    case 1: wpin_motor_coast(&w.motor); break;
    case 2: wpin_motor_brake(&w.motor); break;
    case 3:
        w.may_drive = false;
        wpin_motor_disarm(&w.motor);
        check_off("disarm", failures);
        break;
    case 4:
        w.may_drive = false;
        w.trips++;
        wpin_motor_trip(&w.motor, WPIN_FAULT_EXTERNAL);
        check_off("a trip", failures);
        break;
    case 5: wpin_motor_refresh(&w.motor, 1 + pick(200)), w.end_at = 0; break;
    case 6: wpin_motor_end_kick(&w.motor); break;
    default: run(); break;
    }
    if (!w.inside) {
        judge_drive();
    }
}

/* The second context: whatever may be called from anywhere. */
void interrupt(void) {
    request(pick(40) == 0 ? 3 + pick(2) : pick(12));
}

static void arm(void) {
    if (wpin_motor_fault(&w.motor) != WPIN_OK) {
        wpin_motor_clear_fault(&w.motor);
    }
    if (wpin_motor_arm(&w.motor) == WPIN_OK) {
        w.may_drive = true;
    }
}

static void open_anew(void) {
    wpin_motor_config config = w.config;
    unsigned way = pick(4);
    unsigned long failures = w.failures;
    w.may_drive = false;
    if (way == 0) {
        config.safe_drive = WPIN_DRIVE_FORWARD; /* refused: closed, safe and inert */
        ck_assert_int_ne(wpin_motor_init(&w.motor, &config, &w.port), WPIN_OK);
        check_off("a refused init", failures);
        ck_assert_int_ne(wpin_motor_arm(&w.motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_run(&w.motor, 5000, 0, 100), WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_motor_stop(&w.motor, 0), WPIN_OK);
    }
    wpin_motor_init(&w.motor, &w.config, &w.port);
    check_off("init", failures);
    w.stop_at = w.end_at = 0;
}

/* ---- the world ---- */

static void lie(void) {
    if (w.honest || pick(300) != 0) {
        return;
    }
    switch (pick(5)) {
    case 0:
        w.stands = 1 + (int)pick(160);
        w.standing = (wpin_moment)((int64_t)w.now + w.ahead);
        break;
    case 1: w.ahead += pick(5000000); break;
    case 2: w.ahead -= pick(2) ? 1 : pick(1000000); break;
    case 3:
        w.ahead += 0x100000000LL - (int64_t)((uint64_t)((int64_t)w.now + w.ahead) & 0xFFFFFFFF) - 3;
        break;
    default: w.now += pick(20000); break; /* a tick that really is late */
    }
}

static void one_tick(void) {
    uint64_t due = w.now + TICK_US;
    lie();
    wpin_motor_tick(&w.motor);
    for (int i = 0; w.kind->coils && i < 4; i++) {
        w.inside = true; /* the fast tick is an interrupt of its own */
        wpin_stepper_tick(&w.stepper);
        w.inside = false;
    }
    judge_tick();
    w.stands -= w.stands > 0;
    w.lied -= w.lied > 0;
    w.now = w.now < due ? due : w.now;
}

START_TEST(the_rules_hold_on_every_stage) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    const char *ticks_asked = getenv("WPIN_TICKS"), *seed_asked = getenv("WPIN_SEED");
    long ticks = ticks_asked != NULL ? atol(ticks_asked) : 400000;
    uint32_t seed = (seed_asked != NULL ? (uint32_t)atol(seed_asked) : 77u) + (uint32_t)_i;
    const wpin_stage_kind *kind = &kinds[(size_t)_i % count];
    bool oriented = _i >= 2 * (int)count;
    if (oriented && !wpin_stage_kind_is_three_phase(kind)) {
        return;
    }
    if (oriented && wpin_table_row(kind->table, WPIN_DRIVE_VECTOR) == WPIN_NO_ROW) {
        return;
    }
    set_up(kind, _i >= (int)count, oriented);
    pick_seed(seed);
    for (long i = 0; i < ticks; i++) {
        if (i % 4096 == 0) { /* long stretches of an honest world, and of a lying one */
            w.honest = !w.honest;
            w.end_at = w.stop_at = 0;
        }
        if (pick(30) == 0) {
            request(pick(11));
        }
        if (pick(50) == 0) {
            arm();
        }
        if (pick(5000) == 0) {
            w.inside = true; /* init has no second context */
            open_anew();
            w.inside = false;
        }
        one_tick();
    }
    printf("%s, seed %u: %ld ticks, %lu drives, %lu reversals, %lu trips\n", w.kind->name, seed,
           ticks, w.drives, w.reversals, w.trips);
    bool both = wpin_stage_kind_has(w.kind, WPIN_DRIVE_REVERSE) && !w.oriented;
    ck_assert(ticks < 100000 || (w.drives > 1000 && w.trips > 50));
    ck_assert(ticks < 100000 || !both || w.reversals > 50);
}
END_TEST

int main(void) {
    size_t count;
    wpin_stage_kinds(&count);
    Suite *suite = suite_create("safety");
    TCase *tests = tcase_create("safety");
    tcase_add_loop_test(tests, the_rules_hold_on_every_stage, 0, 3 * (int)count);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
