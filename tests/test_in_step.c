/* Two motors kept in step by their counts. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <windpin/host/rehearsal.h>
#include <windpin/in_step.h>

static int size_of(int value) {
    return value < 0 ? -value : value;
}

/* Whatever is counted and asked: the one that is ahead is never the faster one, neither turns the
 * other way, what one loses the other gets unless an end is reached, and nothing rests nobody. */
START_TEST(the_one_behind_is_helped) {
    pick_seed(31);
    for (int i = 0; i < 200000; i++) {
        wpin_in_step_config c = {.gain = (uint16_t)pick(65536),
                                 .most = (uint16_t)pick(16385),
                                 .too_far = (uint16_t)(pick(3) == 0 ? pick(3000) : 0)};
        wpin_in_step pair = {.config = &c};
        int32_t a0 = (int32_t)(pick(65536) << 16 | pick(65536)), /* they may wrap */
            b0 = (int32_t)(pick(65536) << 16 | pick(65536));
        int apart = (int)pick(5000) - 2500, speed = pick(5) == 0 ? 0 : (int)pick(32769) - 16384;
        int16_t a, b;
        wpin_in_step_begin(&pair, a0, b0);
        int32_t now = (int32_t)((uint32_t)a0 + (uint32_t)apart);
        bool good = wpin_in_step_trim(&pair, now, b0, (int16_t)speed, &a, &b);
        ck_assert_int_eq(good, c.too_far == 0 || size_of(apart) < c.too_far);
        ck_assert(speed > 0 ? a >= 0 && b >= 0 : (speed < 0 ? a <= 0 && b <= 0 : a == 0 && b == 0));
        if (!good) {
            ck_assert(a == 0 && b == 0);
            continue;
        }
        ck_assert(apart >= 0 ? a <= b : a >= b);
        double half = fmin(floor(size_of(apart) * (double)c.gain / 256), c.most) / 2;
        double first = speed + (apart > 0 ? -half : half),
               second = speed + (apart > 0 ? half : -half);
        double low = speed > 0 ? 0 : -16384, high = speed > 0 ? 16384 : 0;
        if (speed != 0) {
            ck_assert_double_eq_tol(a, fmin(fmax(first, low), high), 0.51);
            ck_assert_double_eq_tol(b, fmin(fmax(second, low), high), 0.51);
        }
    }
}
END_TEST

/* The belts of the demo: how many counts apart at the most, and at the end. */
static void drive(bool in_step, bool reverse, double heavy, int *worst, int *end) {
    static const wpin_in_step_config config = {.gain = 20000, .most = 1600};
    wpin_in_step pair = {.config = &config};
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(TEST_SOURCE "/demo/honey-belts.yaml", &m);
    ck_assert_ptr_nonnull(rig);
    wpin_sim *sim = wpin_board_build(rig);
    wpin_port port = wpin_sim_port(sim);
    static wpin_bound_load bound[2];
    static wpin_motor motors[2];
    wpin_sim_switch(sim, 0, true);
    for (int i = 0; i < 2; i++) {
        wpin_bind_load(&bound[i], rig, &rig->loads[i]);
        ck_assert_int_eq(wpin_bound_open(&bound[i], &motors[i], &port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&motors[i]), WPIN_OK);
    }
    *worst = 0;
    for (int ms = 0; ms < 8000; ms++) {
        int32_t a = wpin_motor_measurement(&motors[0]).position,
                b = wpin_motor_measurement(&motors[1]).position;
        int16_t speeds[2], speed = (int16_t)(ms < 300 || ms >= 6500 ? 0 : reverse ? -9000 : 9000);
        if (ms == 300) {
            wpin_in_step_begin(&pair, a, b);
        }
        if (ms == 3000 || ms == 4500) {
            wpin_sim_set_load(sim, 1, ms == 3000 ? heavy : 0.6);
        }
        ck_assert(wpin_in_step_trim(&pair, a, b, speed, &speeds[0], &speeds[1]));
        for (int i = 0; i < 2; i++) {
            int16_t mine = in_step ? speeds[i] : speed;
            wpin_setpoint s = {WPIN_QUANTITY_SPEED, mine};
            if (mine != 0) {
                ck_assert_int_eq(wpin_motor_request(&motors[i], s, 0, 500), WPIN_OK);
            } else {
                wpin_motor_stop(&motors[i], 0);
            }
            wpin_motor_tick(&motors[i]);
            ck_assert_int_eq(wpin_motor_fault(&motors[i]), WPIN_OK);
        }
        wpin_sim_advance(sim, 1000000000LL);
        *end = ms >= 300 ? size_of(a - b - pair.apart) : 0;
        *worst = *end > *worst ? *end : *worst;
    }
    ck_assert(!wpin_motor_busy(&motors[0]) && !wpin_motor_busy(&motors[1]));
    wpin_sim_free(sim);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}

START_TEST(belts_stay_together) {
    int worst, end, alone, alone_end;
    bool reverse = _i % 2 == 1;
    double heavy = _i < 2 ? 1.1 : 1.25;
    drive(true, reverse, heavy, &worst, &end);
    drive(false, reverse, heavy, &alone, &alone_end);
    ck_assert_msg(worst <= 10 && end <= 2, "in step %d, in the end %d counts apart", worst, end);
    ck_assert_msg(alone > 1.5 * worst, "each by itself %d, in step %d", alone, worst);
}
END_TEST

/* Two belts that ran one way turn on the spot: both at rest first, then in the same control period.
 */
START_TEST(a_turn_on_the_spot_begins_together) {
    static const char steps[] = "main on\nleft ramp 60rpm\nright ramp 30rpm\n"
                                "together left, right\n  left run 40rpm for 1s\n"
                                "  right run reverse 40rpm for 1s\nend\n";
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(TEST_SOURCE "/demo/honey-belts.yaml", &m);
    wpin_plan *plan = wpin_plan_read_text("spot", steps, rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert(r != NULL && !r->bad);
    const wpin_step_result *runs[2] = {NULL};
    for (size_t i = 0; i < r->step_count; i++) {
        if (r->steps[i].op == WPIN_OP_RUN_FOR) {
            runs[r->steps[i].load] = &r->steps[i];
        }
    }
    ck_assert(runs[0] != NULL && runs[1] != NULL);
    ck_assert_double_eq(runs[0]->at, runs[1]->at);
    ck_assert_double_eq(runs[0]->turned_after, 0);
    ck_assert_double_eq(runs[1]->turned_after, 0); /* neither had to rest first */
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("in step");
    TCase *tests = tcase_create("in step");
    tcase_set_timeout(tests, 0);
    tcase_add_test(tests, the_one_behind_is_helped);
    tcase_add_loop_test(tests, belts_stay_together, 0, 4);
    tcase_add_test(tests, a_turn_on_the_spot_begins_together);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
