/* Field orientation: the legs of its stage, and what is refused. */
#include "support_vector.h"

/* ---- the stage ---- */

/* Any duties on a leg, one after the other: never both sides on, never less than the dead time
 * between them. */
static struct edges {
    wpin_level level[2];
    int64_t off_at[2];
    unsigned changes;
} edges;

static void watch_leg(void *context, int64_t at, wpin_pin pin, wpin_level level) {
    (void)context;
    if (pin > 1) {
        return;
    }
    bool on = level == WPIN_HIGH;
    always(!(on && edges.level[1 - pin] == WPIN_HIGH));
    if (on && edges.changes > 2) {
        always(at - edges.off_at[1 - pin] >= 1000000);
    }
    edges.off_at[pin] = on ? edges.off_at[pin] : at;
    edges.level[pin] = level;
    edges.changes++;
}

START_TEST(a_centred_leg_stays_apart) {
    static const wpin_part_controller controller = {.logic_volts = 5,
                                                    .pin_resistance = 25,
                                                    .pin_burns_above = 0.04,
                                                    .timer_hz = 64e6,
                                                    .timer_steps_max = 65535};
    wpin_sim *sim = wpin_sim_new(&controller);
    wpin_port port = wpin_sim_port(sim);
    wpin_pwm_request request = {.hz = 20000, .dead_time_ns = 1000, .centred = true};
    wpin_pwm_achieved achieved;
    port.open(port.context, 0, WPIN_LOW);
    port.open(port.context, 1, WPIN_LOW);
    ck_assert_int_eq(port.leg_start(port.context, 0, 1, &request, &achieved), WPIN_OK);
    memset(&edges, 0, sizeof edges);
    edges.off_at[0] = edges.off_at[1] = -1000000;
    wpin_sim_watch_pins(sim, watch_leg, NULL);
    pick_seed(1);
    for (int i = 0; i < 40000; i++) {
        static const uint16_t ends[] = {0,     1,     200,   328,   700,  8192,
                                        15600, 16000, 16200, 16383, 16384};
        uint16_t duty = (uint16_t)(pick(2) == 0 ? ends[pick(11)] : pick(16385));
        port.leg_duty(port.context, 0, 1, duty);
        wpin_sim_advance(sim, pick(3) == 0 ? 50000000 : (int64_t)pick(120) * 1000000 + 1);
    }
    ck_assert_uint_gt(edges.changes, 20000);
    wpin_sim_free(sim);
}
END_TEST

/* ---- refusals ---- */

static wpin_vector vector;

/* One thing wrong in each. */
static void make_bad(wpin_vector_config bad[16], const wpin_vector_config *good) {
    static wpin_stage_config edge, high;
    static wpin_six_step_config other;
    for (size_t i = 0; i < 16; i++) {
        bad[i] = *good;
    }
    edge = high = *good->stage;
    edge.centred = false;
    high.table = &wpin_table_three_phase_bridge_high;
    other = *good->hall;
    other.stage = &edge;
    bad[0].stage = &edge;
    bad[1].stage = &high; /* no such row */
    bad[2].hall = &other;
    bad[3].shunts[1] = 1;
    bad[4].shunts[0] = WPIN_NO_SHUNT;
    bad[5].limit_mv = 0;
    bad[6].trip_mv = 999;
    bad[7].full_mv = 0;
    bad[8].most = 16385;
    bad[9].most = 0;
    bad[10].gain = 40000;
    bad[11].rate = WPIN_VECTOR_RATE(1901);
    bad[12].least_low = 9000;
    bad[13].dead = 2049;
    bad[14].hall = NULL; /* and no encoder either */
    bad[15].zero_mv = -1;
}

START_TEST(a_configuration_that_is_wrong_is_refused) {
    recorder r;
    recorder_init(&r);
    static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                       {.pin = 3}, {.pin = 4}, {.pin = 5}};
    wpin_stage_config stage = {.table = &wpin_table_three_phase_bridge,
                               .lines = lines,
                               .pwm_hz = 20000,
                               .dead_time_us = 1,
                               .centred = true};
    wpin_six_step_config hall = {
        .stage = &stage, .hall = {14, 15, 16}, .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
    wpin_vector_config good = {.stage = &stage,
                               .hall = &hall,
                               .shunts = {1, 2, 3},
                               .zero_mv = 2500,
                               .full_mv = 900,
                               .limit_mv = 1000,
                               .trip_mv = 1900,
                               .gain = 4000,
                               .integral = 2000,
                               .most = 16384,
                               .lead_us = 75,
                               .rate = WPIN_VECTOR_RATE(200)};
    ck_assert_int_eq(wpin_vector_actuator.open(&vector, &good, &r.port), WPIN_OK);
    ck_assert_int_eq(wpin_vector_period(&vector), WPIN_OK);
    ck_assert_int_eq(wpin_vector_actuator.put(&vector, WPIN_QUANTITY_EFFORT, 16385),
                     WPIN_REFUSED_RANGE);
    wpin_vector_config bad[16];
    make_bad(bad, &good);
    for (size_t i = 0; i < 16; i++) {
        wpin_status due = i < 5 ? WPIN_REFUSED_CONFIG : WPIN_REFUSED_RANGE;
        ck_assert_msg(wpin_vector_actuator.open(&vector, &bad[i], &r.port) == due, "%zu", i);
        ck_assert_int_eq(wpin_vector_actuator.put(&vector, WPIN_QUANTITY_EFFORT, 9000),
                         WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_vector_period(&vector), WPIN_REFUSED_CLOSED);
        ck_assert(!recorder_on(&r, 0) && !recorder_on(&r, 2) && !recorder_on(&r, 4));
    }
    ck_assert_int_eq(wpin_vector_period(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_vector_doing(NULL), WPIN_VECTOR_OFF);
    wpin_port deaf = r.port;
    deaf.millivolts = NULL;
    ck_assert_int_eq(wpin_vector_actuator.open(&vector, &good, &deaf), WPIN_REFUSED_PORT);
    static const uint16_t legs[3] = {1, 2, 16385};
    ck_assert_int_eq(wpin_stage_legs(NULL, legs), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_stage_legs(&vector.rotor.stage, legs), WPIN_REFUSED_CLOSED);
}
END_TEST

/* A port that fails in the interrupt: off at once, and the next tick says so. */
START_TEST(a_port_that_fails_is_a_fault) {
    set_up(BARE, 0);
    ask(WPIN_QUANTITY_EFFORT, 0.4);
    wait_ms(500);
    wpin_vector *v = &b.bound.vector_at_work;
    v->rotor.failed = WPIN_FAULT_PORT;
    wait_ms(2);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PORT);
    ck_assert_int_eq(wpin_vector_doing(v), WPIN_VECTOR_OFF);
    tear_down();
}
END_TEST

int main(void) {
    Suite *suite = suite_create("vector_refusals");
    TCase *tests = tcase_create("vector_refusals");
    tcase_set_timeout(tests, 0);
    tcase_add_test(tests, a_centred_leg_stays_apart);
    tcase_add_test(tests, a_configuration_that_is_wrong_is_refused);
    tcase_add_test(tests, a_port_that_fails_is_a_fault);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
