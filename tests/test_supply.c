/* A supply that is measured: its window, efforts by its volts, and how a rig says so. */
#include "support_feedback.h"
#include <string.h>

/* ---- the window ---- */

enum { LOW = WPIN_FAULT_SUPPLY_LOW, HIGH = WPIN_FAULT_SUPPLY_HIGH };

/* Readings in turn, each for so long: what it says after the last. */
START_TEST(a_window_is_watched) {
    static const wpin_supply_config window = {
        .low_mv = 2000, .high_mv = 3000, .low_ms = 50, .high_ms = 2};
    static const wpin_supply_config none = {0}, at_once = {.low_mv = 2000, .high_mv = 3000};
    static const struct {
        const wpin_supply_config *config;
        struct {
            int16_t mv, effort;
            int ms;
        } in[3];
        int says;
    } rows[] = {
        {&window, {{2500, 9000, 500}}, WPIN_OK},
        {&window, {{1999, 9000, 40}}, WPIN_OK},
        {&window, {{1999, 9000, 60}}, LOW},
        {&window, {{1999, -1, 60}}, LOW},
        {&window, {{2000, 9000, 500}}, WPIN_OK},
        {&window, {{0, 0, 500}}, WPIN_OK}, /* off, and nothing is driven */
        {&window, {{0, 0, 500}, {0, 9000, 40}}, WPIN_OK},
        {&window,
         {{1900, 9000, 40}, {2100, 9000, 2}, {1900, 9000, 40}},
         WPIN_OK}, /* in one piece */
        {&window, {{1900, 9000, 60}, {2100, 9000, 2}}, WPIN_OK},
        {&window, {{3000, 0, 500}}, WPIN_OK},
        {&window, {{3001, 0, 2}}, WPIN_OK},
        {&window, {{3001, 0, 5}}, HIGH}, /* driven or not */
        {&window, {{1900, 9000, 60}, {3100, 9000, 1}}, WPIN_OK},
        {&window, {{1900, 9000, 60}, {3100, 9000, 5}}, HIGH},
        {&none, {{0, 9000, 500}}, WPIN_OK},
        {&none, {{32767, 9000, 500}}, WPIN_OK},
        {&at_once, {{1999, 9000, 2}}, LOW},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_supply supply = {0};
        wpin_status says = WPIN_OK;
        for (int k = 0; k < 3; k++) {
            wpin_measurement m = {
                .supply = rows[i].in[k].mv, .valid = WPIN_HAS_SUPPLY, .dt_us = 1000};
            wpin_watched w = {.measurement = &m, .effort = rows[i].in[k].effort};
            for (int ms = 0; ms < rows[i].in[k].ms; ms++) {
                says = wpin_supply_check(&supply, rows[i].config, &w);
            }
        }
        ck_assert_msg((int)says == rows[i].says, "row %zu: %d", i, (int)says);
        wpin_measurement m = {.dt_us = 65535}; /* one that could not be read says nothing */
        wpin_watched w = {.measurement = &m, .effort = 9000};
        ck_assert_int_eq(wpin_supply_check(&supply, rows[i].config, &w), WPIN_OK);
        wpin_supply_reset(&supply);
        ck_assert_uint_eq(supply.us + supply.seen, 0);
    }
}
END_TEST

/* What is on its way to a place is driven, whatever its effort; at its place, or coasting, it is
 * not.
 */
START_TEST(a_stepper_on_its_way_is_driven) {
    static const wpin_supply_config window = {.low_mv = 2000, .low_ms = 50};
    static const struct {
        uint8_t quantity;
        int16_t speed;
        int says;
    } rows[] = {{WPIN_QUANTITY_POSITION, 5, LOW},
                {WPIN_QUANTITY_POSITION, 0, WPIN_OK},
                {WPIN_QUANTITY_EFFORT, 5, WPIN_OK},
                {WPIN_QUANTITY_SPEED, -5, WPIN_OK}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_supply supply = {0};
        wpin_measurement m = {.speed = rows[i].speed, .valid = WPIN_HAS_SUPPLY, .dt_us = 1000};
        wpin_watched w = {.measurement = &m, .quantity = rows[i].quantity};
        wpin_status says = WPIN_OK;
        for (int ms = 0; ms < 60; ms++) {
            says = wpin_supply_check(&supply, &window, &w);
        }
        ck_assert_msg((int)says == rows[i].says, "row %zu: %d", i, (int)says);
    }
}
END_TEST

/* ---- efforts by its volts ---- */

typedef struct asks {
    int32_t effort, told; /* what it gives; what it was told that it was given */
    int resets;
} asks;

static int32_t asks_step(void *state, const void *config, int32_t setpoint,
                         const wpin_measurement *m, const wpin_given *given) {
    asks *a = state;
    (void)config, (void)m;
    a->told = given->effort;
    a->effort = setpoint;
    return setpoint;
}

static void asks_reset(void *state, const void *config, const wpin_measurement *m,
                       const wpin_given *given) {
    asks *a = state;
    (void)config, (void)m;
    a->told = given->effort;
    a->resets++;
}

/* At any volts an effort is worth the same, from half to twice the nominal; what is given as it was
 * made is told as it was asked, and what a limit took is told in the same measure. */
START_TEST(an_effort_is_worth_the_same_volts) {
    static asks inner;
    static const wpin_regulator of = {
        .takes = WPIN_QUANTITY_SPEED, .state = &inner, .step = asks_step, .reset = asks_reset};
    static const wpin_by_supply_config config = {.of = &of, .per_mv = WPIN_SUPPLY_SHARE(2400)};
    pick_seed(2);
    for (int i = 0; i < 2000; i++) {
        wpin_by_supply by = {0};
        double ratio = 0.4 + 1.9 * (double)(pick(10000)) / 10000;
        int32_t asked = (int32_t)pick(2 * WPIN_DUTY_FULL + 1) - WPIN_DUTY_FULL;
        wpin_measurement m = {.supply = (int16_t)lround(2400 * ratio), .valid = WPIN_HAS_SUPPLY};
        wpin_given given = {0};
        wpin_by_supply_reset(&by, &config, &m, &given);
        double due = asked / fmin(fmax(ratio, 0.5), 2), full = WPIN_DUTY_FULL;
        int32_t gave = wpin_by_supply_step(&by, &config, asked, &m, &given);
        for (int k = 0; k < 30; k++) { /* and stays */
            given.effort = (wpin_duty)gave;
            gave = wpin_by_supply_step(&by, &config, asked, &m, &given);
        }
        bool all = fabs(due) >= full;
        ck_assert_msg(fabs(gave - fmin(fmax(due, -full), full)) < 0.002 * full, "%d of %d at %.2f",
                      gave, asked, ratio);
        if (!all && fabs(due) < 0.99 * full) {
            ck_assert_int_eq(inner.told, asked);
        }
        given.effort = (wpin_duty)(gave / 2); /* a limit takes half of it */
        (void)wpin_by_supply_step(&by, &config, asked, &m, &given);
        double told = gave / 2 * fmin(fmax(ratio, 0.5), 2);
        ck_assert_msg(fabs(inner.told - fmin(fmax(told, -full), full)) < 0.002 * full + 2,
                      "told %d of %.0f", inner.told, told);
    }
    ck_assert_int_eq(inner.resets, 2000);
}
END_TEST

/* Readings that lie or fail, and efforts beyond all: never more than full, and it finds back. */
START_TEST(no_reading_drives_it_mad) {
    static asks inner;
    static const wpin_regulator of = {.state = &inner, .step = asks_step, .reset = asks_reset};
    static const wpin_by_supply_config config = {.of = &of, .per_mv = WPIN_SUPPLY_SHARE(2400)};
    wpin_by_supply by = {0};
    wpin_measurement m = {0};
    wpin_given given = {0};
    int32_t gave = wpin_by_supply_step(&by, &config, 5000, &m, &given);
    ck_assert_int_eq(gave, 5000); /* not read: as asked */
    pick_seed(3);
    for (int i = 0; i < 20000; i++) {
        m.supply = (int16_t)(pick(65536) - 32768);
        m.valid = pick(3) == 0 ? 0 : WPIN_HAS_SUPPLY;
        given.effort = (wpin_duty)(pick(32769) - 16384);
        int32_t asked = (int32_t)pick(100000) - 50000;
        gave = wpin_by_supply_step(&by, &config, asked, &m, &given);
        ck_assert_int_le(abs(gave), WPIN_DUTY_FULL);
        ck_assert(gave == 0 || asked == 0 || (gave > 0) == (asked > 0) || abs(asked) < 3);
    }
    ck_assert(!wpin_by_supply_near(&by, &config));
    m = (wpin_measurement){.supply = 1800, .valid = WPIN_HAS_SUPPLY};
    for (int i = 0; i < 60; i++) {
        gave = wpin_by_supply_step(&by, &config, 6000, &m, &given);
    }
    ck_assert_int_le(abs(gave - 8000), 20);
}
END_TEST

/* Braking is what is left of it between two readings, and none above; driving is left alone, and so
 * is a motor whose speed or supply is not measured. What became of it its regulator is told. */
START_TEST(braking_gives_way_to_a_supply_that_rises) {
    static asks inner;
    static const wpin_regulator of = {
        .takes = WPIN_QUANTITY_SPEED, .state = &inner, .step = asks_step, .reset = asks_reset};
    static const wpin_by_supply_config config = {.of = &of,
                                                 .per_mv = WPIN_SUPPLY_SHARE(2400),
                                                 .way_mv = 2600,
                                                 .per_over = WPIN_SUPPLY_GIVE(2600, 3000),
                                                 .emf = 18000};
    const uint8_t both = WPIN_HAS_SUPPLY | WPIN_HAS_SPEED;
    pick_seed(4);
    int braked = 0;
    for (int i = 0; i < 5000; i++) {
        wpin_by_supply by = {0};
        int32_t asked = (int32_t)pick(2 * WPIN_DUTY_FULL + 1) - WPIN_DUTY_FULL;
        wpin_measurement m = {.supply = (int16_t)(2300 + (int)pick(900)),
                              .speed = (int16_t)((int)pick(24000) - 12000),
                              .valid = (uint8_t)(pick(8) == 0 ? 1U << pick(3) : both)};
        wpin_given given = {0};
        bool known = (m.valid & both) == both;
        wpin_by_supply_reset(&by, &config, &m, &given);
        int32_t gave = 0;
        for (int k = 0; k < 30; k++) {
            gave = wpin_by_supply_step(&by, &config, asked, &m, &given);
            given.effort = (wpin_duty)gave;
        }
        double more = (m.valid & WPIN_HAS_SUPPLY) != 0 ? 2400.0 / m.supply : 1;
        double own = m.speed * 18000.0 / 16384 * more, due = asked * more, less = due - own;
        bool brakes = m.speed > 0 ? less < 0 : m.speed < 0 && less > 0;
        double left = fmin(fmax((3000.0 - m.supply) / 400, 0), 1);
        due = brakes && known ? own + less * left : due;
        due = fmin(fmax(due, -WPIN_DUTY_FULL), WPIN_DUTY_FULL);
        ck_assert_msg(fabs(gave - due) < 150 + 0.01 * fabs(less), "%d of %d at %d mV, %d: due %.0f",
                      gave, asked, m.supply, m.speed, due);
        if (brakes && known && left < 0.8 && fabs(less) > 2000) {
            braked++;
            double told = gave / more;
            ck_assert_msg(fabs(inner.told - fmin(fmax(told, -16384), 16384)) < 200,
                          "told %d of %.0f", inner.told, told);
        }
    }
    ck_assert_int_gt(braked, 500);
}
END_TEST

/* ---- on simulated hardware ---- */

/* Slowed and turned over faster than its supply takes it back: with six steps as on a bridge the
 * volts stay where they are to, however small the capacitor, and nothing trips; without giving way
 * it does. */
START_TEST(a_supply_is_not_driven_up) {
    static const struct {
        const char *rig, *capacitor, *gives;
        int status;
    } rows[] = {{"honey-spinner", "10mF", ", give-way: 26V, give-up: 30V", 0},
                {"honey-spinner", "470uF", ", give-way: 26V, give-up: 30V", 0},
                {"honey-spinner", "2mF", "", 1},
                {"honey-drum", "2mF", ", give-way: 26V, give-up: 30V", 0},
                {"honey-drum", "2mF", "", 1},
                {"honey-vector", "2mF", ", give-way: 26V, give-up: 30V", 0}};
    char output[6000], rig[400];
    snprintf(rig, sizeof rig, "%s", scratch("driven.yaml"));
    const char *plan =
        write_file("driven.plan", "require main below 33V\nrequire no fault\nmain on\ndrum ramp "
                                  "200rpm\ndrum hold 1s\ndrum ramp reverse 60rpm\ndrum hold 1s\n"
                                  "drum ramp 60rpm\ndrum stop\ndrum rest 2s\n");
    int status = run_command(
        output, sizeof output,
        "sed -e 's/main: {.*/main: {voltage: 24V, resistance: 60mohm, capacitor: %s, sense: "
        "{input: 5, divider: 12%%, most: 34V%s}}/' -e 's/ramp: {up.*}/ramp: {up: 3s, down: "
        "1500ms}/' "
        "-e 's/current-limit: 25A/off-phase: short, current-limit: 25A/' -e '1i accept: [drum "
        "returned-energy]' " TEST_SOURCE "/demo/%s.yaml > %s && " TEST_TOOL " run %s %s",
        rows[_i].capacitor, rows[_i].gives, rows[_i].rig, rig, rig, plan);
    ck_assert_msg(status == rows[_i].status, "row %d: %s", _i, output);
    ck_assert_msg((strstr(output, "SUPPLY_HIGH") != NULL) == (status == 1), "%s", output);
    ck_assert(strstr(output, "Burnt: nothing") != NULL);
}
END_TEST

#define SENSE "s/limit: 15A/limit: 60A, sense: {input: 5, divider: 12%, least: 12V}/;"
#define WEAK  "s/resistance: 60mohm/resistance: 400mohm/;"
#define VERY  "s/resistance: 60mohm, limit: 15A/resistance: 1ohm/;"

/* Something else on its supply comes and goes: where the volts are measured its speed is off by
 * little more than half of what it is otherwise. */
static double disturbed(const char *change) {
    bench b;
    open_drum(&b, change);
    run_ms(&b, 400);
    ck_assert_int_eq(ask(&b, 150, 0), WPIN_OK);
    run_ms(&b, 8000);
    double least = 1e9, most = 0;
    for (int i = 0; i < 4000; i++) {
        if (i % 2000 == 0) {
            wpin_sim_inject(b.sim, WPIN_PART_FAULT_SUPPLY_WEAK, 0, 0, i == 0);
        }
        double rpm = run_ms(&b, 1).rpm;
        least = fmin(least, rpm);
        most = fmax(most, rpm);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    close_drum(&b);
    return most - least;
}

START_TEST(a_speed_minds_its_supply_less) {
    double without = disturbed(WEAK "s/limit: 15A/limit: 60A/"), with = disturbed(WEAK SENSE);
    ck_assert_msg(with < 0.65 * without, "%g rpm with, %g without", with, without);
}
END_TEST

/* Where ages of a speed come and go with the beat of ticks and counts, it is true all the same. */
START_TEST(a_speed_is_true_whatever_beats) {
    static const double speeds[] = {113.6, 215, 239, 240};
    bench b;
    open_drum(&b, _i < 4 ? VERY : VERY SENSE);
    run_ms(&b, 400);
    double due = speeds[_i % 4];
    ck_assert_int_eq(ask(&b, due, 4000000), WPIN_OK);
    run_ms(&b, 9000);
    double sum = 0, exact = round(due / 280 * WPIN_DUTY_FULL) * 280 / WPIN_DUTY_FULL;
    for (int i = 0; i < 3000; i++) {
        sum += run_ms(&b, 1).rpm_mean / 3000;
    }
    ck_assert_msg(fabs(sum / exact - 1) < 3e-4, "mean %g of %g", sum, exact);
    close_drum(&b);
}
END_TEST

/* Dead it has its name at once, off it is no fault, and what braking feeds it ends that. */
START_TEST(a_supply_has_its_faults) {
    bench b;
    open_drum(&b, SENSE);
    wpin_sim_switch(b.sim, 0, false);
    run_ms(&b, 500);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    wpin_sim_switch(b.sim, 0, true);
    run_ms(&b, 100);
    ck_assert_int_eq(ask(&b, 100, 0), WPIN_OK);
    run_ms(&b, 4000);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_SUPPLY_DEAD, 0, 0, true);
    run_ms(&b, 40);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), LOW);
    run_ms(&b, 8000);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK); /* at rest it is no fault */
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    ck_assert_int_eq(ask(&b, 100, 0), WPIN_OK);
    run_ms(&b, 80);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), LOW);
    close_drum(&b);
    open_demo(&b, "honey-belts",
              "s/limit: 15A/capacitor: 1mF, sense: {input: 5, divider: 20%, most: 15V}/;"
              "s/inertia: 2000gcm2/inertia: 0.2kgm2/");
    run_ms(&b, 100);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 4000000, WPIN_TIMEOUT_HELD),
                     WPIN_OK);
    run_ms(&b, 6000);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(10), 1000, WPIN_TIMEOUT_HELD), WPIN_OK);
    run_ms(&b, 500);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), HIGH);
    close_drum(&b);
}
END_TEST

/* ---- in a rig ---- */

START_TEST(a_rig_says_what_measures_it) {
    static const struct {
        const char *change, *says;
    } rows[] = {
        {"s/limit: 15A/sense: {input: 5}/", "lacks 'divider'"},
        {"s/limit: 15A/sense: {input: 5, divider: 60%}/", "expected a divider of up to 17.1%"},
        {"s/limit: 15A/sense: {input: 0, divider: 12%}/", "analogue input 0"},
        {"s/limit: 15A/sense: {input: 5, divider: 12%, least: 25V}/", "are not below the 24 V"},
        {"s/limit: 15A/highest: 30V, sense: {input: 5, divider: 12%, most: 29V}/",
         "are not above the 30 V"},
        {"s/limit: 15A/sense: {input: 5, divider: 0.2%}/", "48 mV behind a divider of 0.2%"},
        {"s/limit: 15A/sense: {input: 5, divider: 12%, high: 30V}/", "unknown key"},
        {"s/limit: 15A/sense: 12%/", "sense"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_messages m = {0};
        char output[300];
        ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/honey-drum.yaml > %s",
                                     rows[i].change, TEST_SOURCE, scratch("sense.yaml")),
                         0);
        wpin_rig *rig = wpin_rig_read(scratch("sense.yaml"), &m);
        ck_assert_msg(rig == NULL && m.count > 0, "row %zu is read", i);
        ck_assert_msg(strstr(m.items[0].text, rows[i].says) != NULL, "row %zu: %s", i,
                      m.items[0].text);
        wpin_messages_free(&m);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("supply");
    TCase *tests = tcase_create("supply");
    tcase_set_timeout(tests, 0);
    suite_add_tcase(suite, tests);
    tcase_add_test(tests, a_window_is_watched);
    tcase_add_test(tests, a_stepper_on_its_way_is_driven);
    tcase_add_test(tests, an_effort_is_worth_the_same_volts);
    tcase_add_test(tests, no_reading_drives_it_mad);
    tcase_add_test(tests, braking_gives_way_to_a_supply_that_rises);
    tcase_add_loop_test(tests, a_supply_is_not_driven_up, 0, 6);
    tcase_add_test(tests, a_speed_minds_its_supply_less);
    tcase_add_loop_test(tests, a_speed_is_true_whatever_beats, 0, 8);
    tcase_add_test(tests, a_supply_has_its_faults);
    tcase_add_test(tests, a_rig_says_what_measures_it);
    return run_suite(suite);
}
