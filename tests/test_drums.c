/* Regulated drums whose constants are others than their controller was given. */
#include "support_feedback.h"

/* A demo on a board whose constants are up to a fifth off what its controller was told, or all of
 * them a whole fifth. */
static void open_other(bench *b, const char *demo, int seed, bool whole, const char *change) {
    pick_seed((uint32_t)seed + 1000);
    open_demo(b, demo, change);
    wpin_rig_load *l = &b->rig->loads[0];
    wpin_sim_free(b->sim); /* the board is another one than the core was told of */
    double *vary[] = {&l->motor.resistance,
                      &l->motor.constant,
                      &l->motor.inertia,
                      &l->motor.dry_friction,
                      &l->motor.viscous_friction,
                      &l->motor.load_torque,
                      &l->motor.load_inertia,
                      &l->motor.inductance,
                      &l->motor.gear_efficiency,
                      &b->rig->supplies[0].volts,
                      &b->rig->supplies[0].resistance};
    for (size_t i = 0; i < sizeof vary / sizeof *vary; i++) {
        *vary[i] *= whole ? (pick(2) ? 1.2 : 0.8) : 0.8 + pick(401) / 1000.0;
    }
    l->motor.gear_efficiency = fmin(l->motor.gear_efficiency, 0.95);
    l->motor.static_friction = fmax(l->motor.static_friction, l->motor.dry_friction);
    l->encoder.uneven = pick(20) / 100.0;
    l->hall.uneven = pick(5) / 360.0;
    l->hall.hysteresis = pick(3) / 360.0;
    b->sim = wpin_board_build(b->rig);
    b->port = wpin_sim_port(b->sim);
    wpin_sim_switch(b->sim, 0, true);
    wpin_encoder_init(&b->bound.encoder_at_work, &b->bound.encoder, &b->port);
    wpin_motor_init(&b->motor, &b->bound.motor, &b->port);
    wpin_bound_listen(&b->bound, b->sim, b->rig, 0);
    wpin_motor_arm(&b->motor);
    run_ms(b, 400);
}

/* A drum; every fourth has a brushless motor, every other of these by field orientation. */
static void open_another(bench *b, int seed, bool whole, const char *change) {
    const char *brushless = seed % 8 == 7 ? "honey-vector" : "honey-spinner";
    open_other(b, seed % 4 == 3 ? brushless : "honey-drum", seed, whole, change);
}

/* Where nothing brakes it but friction, a ramp down may be steeper than it runs down, and a load
 * may fall off: what it takes at the new speed is not forgotten on the way. */
#define REGULATED "/encoder:/a\\    speed: {rated: 2400rpm}"
START_TEST(it_is_taken_up_where_it_coasts_to) {
    static const struct {
        const char *demo, *change;
        double from, to, below; /* rpm */
    } cases[] = {{"honey-motor", REGULATED, 1500, 300, 70},
                 {"honey-motor", REGULATED, -2400, -500, 50},
                 {"honey-motor", REGULATED "\ns/down: 1s/down: 100ms/", 1500, 300, 70},
                 {"honey-motor", "s/lines: 11/lines: 256/\n" REGULATED, -1500, -300, 45},
                 {"honey-drum", "s/down: 9s/down: 1s/", 240, 60, 3},
                 {"honey-drum", "s/down: 9s/down: 2s/", -240, -20, 5}};
    double way = cases[_i].from > 0 ? 1 : -1, to = fabs(cases[_i].to);
    for (int seed = 0; seed < 8; seed++) {
        bench b;
        open_other(&b, cases[_i].demo, seed, seed % 2, cases[_i].change);
        ck_assert_int_eq(ask(&b, cases[_i].from, 0), WPIN_OK);
        run_ms(&b, 9000);
        ck_assert_int_eq(ask(&b, cases[_i].to, 0), WPIN_OK);
        double least = 1e9;
        for (int ms = 0; ms < 9000; ms++) {
            least = fmin(least, way * run_ms(&b, 1).rpm);
        }
        ck_assert_msg(least > to - cases[_i].below, "seed %d: %g rpm under it", seed, to - least);
        wpin_sim_set_load(b.sim, 0, b.rig->loads[0].motor.gear_ratio > 1 ? 1 : 0.1);
        run_ms(&b, 3000);
        wpin_sim_set_load(b.sim, 0, 0);
        run_ms(&b, 3000);
        double off = fabs(run_ms(&b, 1).rpm_mean - cases[_i].to);
        ck_assert_msg(off < 0.01 * to + 1, "seed %d: %g rpm off, after a load fell off", seed, off);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        close_drum(&b);
    }
}
END_TEST

/* Nothing brakes it but friction, and what loosens it is up to three times what is thought: each
 * time it has gone over its place it comes back more gently, until it is there. With many lines it
 * creeps up to it, slower than what is taken for standing still. */
START_TEST(no_drum_hunts) {
    static const char *const changes[] = {"", "s/lines: 11/lines: 256/",
                                          "s/down: 9s}/down: 9s, shape: smooth}/"};
    static const int moves[] = {720000, -180000, 20000, -7000, 3000};
    bench b;
    open_another(&b, _i, _i % 3 == 0, changes[_i % 3]);
    for (size_t i = 0; i < sizeof moves / sizeof *moves; i++) {
        ck_assert_int_eq(wpin_motor_turn(&b.motor, moves[i], WPIN_TIMEOUT_HELD), WPIN_OK);
        int ms = until_there(&b);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_lt(ms, 60000);
    }
    close_drum(&b);
}
END_TEST

/* Sound drums of all tolerances raise no fault; of every second one the supply is measured. */
#define SENSED                                                                                     \
    "s/switch: off}/switch: off, sense: {input: 9, divider: 10%, least: 12V, most: 32V}}/"
START_TEST(sound_drums_raise_no_fault) {
    bench b;
    open_another(&b, _i, false, _i / 4 % 2 == 0 ? SENSED : "");
    for (int n = 0; n < 4; n++) {
        double rpm = (30 + pick(160)) * (pick(3) == 0 ? -1.0 : 1.0);
        ask(&b, rpm, pick(2) * 3000000);
        double now = 0;
        for (int ms = 0; ms < 12000; ms++) {
            now = run_ms(&b, 1).rpm;
            ck_assert_msg(wpin_motor_fault(&b.motor) == WPIN_OK, "%s at %g of %g rpm",
                          wpin_status_name(wpin_motor_fault(&b.motor)), now, rpm);
        }
        ck_assert_msg(fabs(now - rpm) < 0.01 * fabs(rpm) + 0.7, "%g of %g rpm", now, rpm);
    }
    wpin_motor_stop(&b.motor, 0);
    until_there(&b);
    run_ms(&b, 3000);
    double begin = turns_of(&b), count = 1.0 / wpin_rig_counts_at_output(&b.rig->loads[0]);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 720000, WPIN_TIMEOUT_HELD), WPIN_OK);
    int ms = until_there(&b);
    ck_assert_msg(fabs(turns_of(&b) - begin - 2) < 2.6 * count && ms < 30000,
                  "%g counts off in %d ms", (turns_of(&b) - begin - 2) / count, ms);
    close_drum(&b);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("drums");
    TCase *tests = tcase_create("drums");
    tcase_set_timeout(tests, 0);
    const char *runs = getenv("WPIN_DRUMS");
    tcase_add_loop_test(tests, sound_drums_raise_no_fault, 0, runs != NULL ? atoi(runs) : 12);
    tcase_add_loop_test(tests, it_is_taken_up_where_it_coasts_to, 0, 6);
    tcase_add_loop_test(tests, no_drum_hunts, 40, runs != NULL ? 140 : 52);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
