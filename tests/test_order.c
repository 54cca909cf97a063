/* The order of the wires of brushless motors and steppers: found in every one there is, gently, and
 * not where it can not be. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

#define RIG                                                                                        \
    "rig: spinner\ncontroller: {logic: 5V}\nsupplies:\n  main: {voltage: 24V, resistance: "        \
    "60mohm}\n"                                                                                    \
    "loads:\n  drum:\n    supply: main\n    stage: {kind: %s, pwm: 5kHz, dead-time: 1us, pins: "   \
    "{%s}}\n    driver: {on-resistance: 15mohm, current-limit: 60A, voltage-limit: 40V, sense: "   \
    "50mV/A}\n    motor: {pole-pairs: %d, back-emf: %s, resistance: %.4gohm, inductance: %.4gmH, " \
    "constant: %.4gmNm/A, inertia: %.4ggcm2, static-friction: %.4gmNm, dry-friction: %.4gmNm, "    \
    "gear: "                                                                                       \
    "%.3g, load: {torque: %.4gmNm, inertia: %.4ggcm2}}\n    hall: {pins: {a: 14, b: 15, c: 16}, "  \
    "uneven: %.3gdeg, hysteresis: 1deg, apart: %s}\n    current-trip: {level: 45A, time: 100ms, "  \
    "input: 0}\n    ramp: {up: 500ms, down: 500ms}\n    rest: 1s\n"
#define SWITCHES "a-high: 4, a-low: 5, b-high: 6, b-low: 7, c-high: 8, c-low: 9"
#define CHANNELS "a: 4, a-enable: 5, b: 6, b-enable: 7, c: 8, c-enable: 9"

static double between(double low, double high) {
    return low + (high - low) * pick(10001) / 10000;
}

/* A motor of any size, with a load or without. */
static wpin_rig *any_rig(uint32_t seed) {
    static const int pairs[] = {1, 2, 4, 7, 11};
    static char text[2000];
    pick_seed(seed);
    double ohms = between(0.2, 3), constant = between(10, 90), stall = 24 / ohms * constant;
    double holds = stall * between(0.01, 0.05), gear = pick(2) == 0 ? 1 : between(3, 30);
    bool loaded = pick(2) == 0, chip = pick(3) == 0;
    snprintf(text, sizeof text, RIG,
             chip           ? "three-half-bridges"
             : pick(2) == 0 ? "three-phase-bridge"
                            : "three-phase-bridge-high",
             chip ? CHANNELS : SWITCHES, pairs[pick(5)], pick(2) == 0 ? "sine" : "flat", ohms,
             ohms * between(0.3, 2), constant, between(0.05, 0.4) * constant * constant / ohms / 10,
             holds, holds * between(0.6, 0.95), gear, loaded ? holds * gear * 0.5 : 0.0,
             loaded ? between(1, 20) * gear * gear : 0.0, between(0, 4),
             pick(4) == 0 ? "60deg" : "120deg");
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("order.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s: %s", text, m.count > 0 ? m.items[0].text : "");
    wpin_messages_free(&m);
    return rig;
}

/* The codes that the sensors show by the order of the wires: those of the sectors as the leads have
 * them, with the sensors' bits changed over. */
static void codes_of(const wpin_rig *rig, uint8_t mixed, uint8_t *codes) {
    static const uint8_t usual[6] = {5, 1, 3, 2, 6, 4}, sixty[6] = {1, 3, 7, 6, 4, 0};
    static const uint8_t from[6] = {0, 0, 1, 1, 2, 2}, to[6] = {1, 2, 2, 0, 0, 1};
    const uint8_t *true_codes = rig->loads[0].hall.sixty ? sixty : usual;
    uint8_t leads[3], sensors[3];
    bool inverted;
    wpin_rig_wires_mixed(mixed, leads, sensors, &inverted);
    bool turned = (leads[1] + 3 - leads[0]) % 3 == 2;
    for (int s = 0; s < 6; s++) { /* current from leg to leg is current from lead to lead */
        int true_sector = 0;
        while (from[true_sector] != leads[from[s]] || to[true_sector] != leads[to[s]]) {
            true_sector++;
        }
        /* with two leads changed over it turns the other way round: by the opposite pair */
        uint8_t code = 0, shown = true_codes[(true_sector + (turned ? 3 : 0)) % 6];
        for (int x = 0; x < 3; x++) {
            code |= (uint8_t)((shown >> sensors[x] & 1U) << x);
        }
        codes[s] = inverted ? code ^ 7U : code;
    }
}

/* All 72 orders, on motors of any kind (WPIN_BENCHES: on so many each). */
START_TEST(every_order_is_found) {
    const char *asked = getenv("WPIN_BENCHES");
    unsigned seeds = asked != NULL ? 20 : 1;
    for (uint32_t seed = 0; seed < seeds; seed++) {
        wpin_rig *rig = any_rig((uint32_t)_i * 100 + seed + 1);
        wpin_found_order found;
        uint8_t codes[6];
        char why[300] = "";
        ck_assert_msg(wpin_find_order(rig, 0, (uint8_t)_i, NULL, 0, &found, why, sizeof why), "%s",
                      why);
        ck_assert_msg(found.state == WPIN_ORDER_FOUND, "order %d, seed %u: state %d", _i, seed,
                      found.state);
        codes_of(rig, (uint8_t)_i, codes);
        ck_assert_mem_eq(codes, found.codes, sizeof codes);
        ck_assert_double_le(found.moved, found.turns * 1.1);
        ck_assert_double_le(found.amps_peak, 1.7 * found.amps);
        wpin_rig_free(rig);
    }
}
END_TEST

/* What is broken is named, and nothing is found. */
START_TEST(what_is_broken_is_named) {
    static const struct {
        wpin_part_fault fault;
        wpin_order_state one, other;
    } cases[] = {
        {WPIN_PART_FAULT_HALL_OFF, WPIN_ORDER_STANDS, WPIN_ORDER_STANDS},
        {WPIN_PART_FAULT_HALL_SENSOR_OFF, WPIN_ORDER_SENSOR, WPIN_ORDER_SENSOR},
        {WPIN_PART_FAULT_STALLED, WPIN_ORDER_STANDS, WPIN_ORDER_STANDS},
        {WPIN_PART_FAULT_SUPPLY_DEAD, WPIN_ORDER_STANDS, WPIN_ORDER_STANDS},
        {WPIN_PART_FAULT_MOTOR_WIRE_OFF, WPIN_ORDER_LEAD, WPIN_ORDER_LEAD},
    };
    for (uint32_t seed = 1; seed <= 6; seed++) {
        wpin_rig *rig = any_rig(seed);
        wpin_injection fault = {.fault = cases[_i].fault};
        wpin_found_order found;
        char why[300] = "";
        ck_assert_msg(wpin_find_order(rig, 0, 0, &fault, 1, &found, why, sizeof why), "%s", why);
        ck_assert_msg(found.state == cases[_i].one || found.state == cases[_i].other,
                      "case %d, seed %u: state %d", _i, seed, found.state);
        ck_assert(found.state != WPIN_ORDER_SENSOR || found.same == 2);
        ck_assert(found.state != WPIN_ORDER_LEAD || found.same == 1);
        wpin_rig_free(rig);
    }
}
END_TEST

/* A motor with other pole pairs than its rig says goes further or less far between its places. */
START_TEST(other_pole_pairs_show) {
    static const struct {
        int pairs;
        const char *says;
    } rows[] = {{4, NULL}, {8, "about twice as many"}, {2, "about half as many"}};
    char output[3000];
    int status =
        run_command(output, sizeof output,
                    TEST_TOOL " order " TEST_SOURCE
                              "/demo/honey-spinner.yaml drum --attached --wires %d --fault "
                              "'drum pole-pairs %d'",
                    _i * 7 + 1, rows[_i].pairs);
    ck_assert_int_eq(status, 0);
    ck_assert(strstr(output, "For the rig:") != NULL);
    ck_assert_msg(rows[_i].says == NULL ? strstr(output, "pole pairs") == NULL
                                        : strstr(output, rows[_i].says) != NULL,
                  "%s", output);
}
END_TEST

/* ---- an encoder in place of sensors ---- */

/* Led to its place by any lines, pole pairs and ways, it is known to a few degrees and goes no
 * further than was said; what is wrong is told. */
START_TEST(an_encoder_is_led_to_its_place) {
    static const struct {
        const char *change, *fault;
        int status;
        const char *says;
    } rows[] = {
        {"", "", 0, "its pole pairs hold"},
        {"s/lines: 500/lines: 1234, reversed: yes/", "", 0, "its pole pairs hold"},
        {"s/pole-pairs: 4/pole-pairs: 7/", "", 0, "its pole pairs hold"},
        {"s/pole-pairs: 4/pole-pairs: 1/", "", 0, "its pole pairs hold"},
        {"", "drum pole-pairs 8", 1, "about twice as many pole pairs as the 4"},
        {"", "drum pole-pairs 2", 1, "about half as many pole pairs as the 4"},
        {"", "drum encoder-swapped", 1, "counts backwards"},
        {"", "drum motor-swapped", 1, "counts backwards"},
        {"", "drum encoder-off", 1, "counted nothing"},
        {"", "drum stalled", 1, "counted nothing"},
        {"", "main dead", 1, "counted nothing"},
    };
    char rig[400], output[3000], quoted[60] = "";
    if (rows[_i].fault[0] != '\0') {
        snprintf(quoted, sizeof quoted, "'%s'", rows[_i].fault);
    }
    snprintf(rig, sizeof rig, "%s", scratch("angle.yaml"));
    int status = run_command(
        output, sizeof output,
        "sed -e 's/hall: .*/encoder: {lines: 500, pins: {a: 14, b: 15}}/' -e '%s' " TEST_SOURCE
        "/demo/honey-vector.yaml > %s && " TEST_TOOL " order %s drum --attached %s%s 2>&1",
        rows[_i].change, rig, rig, rows[_i].fault[0] != '\0' ? "--fault " : "", quoted);
    ck_assert_msg(status == rows[_i].status && strstr(output, rows[_i].says) != NULL, "%s", output);
    if (rows[_i].status != 0) {
        return;
    }
    wpin_messages m = {0};
    wpin_found_angle found;
    char why[300];
    wpin_rig *read = wpin_rig_read(rig, &m);
    ck_assert_ptr_nonnull(read);
    for (int at = 0; at < 6; at++) { /* from anywhere in a turn */
        read->loads[0].motor.start_turns = at / 24.0 / read->loads[0].motor.pole_pairs * 4;
        ck_assert_msg(wpin_find_angle(read, 0, NULL, 0, &found, why, sizeof why), "%s", why);
        ck_assert(found.found);
        ck_assert_double_lt(fabs(found.off), 8);
        ck_assert_double_lt(found.moved, 1.1 * found.turns);
        ck_assert_double_eq_tol(found.quarter, found.quarter_due, 0.34 * found.quarter_due);
    }
    wpin_rig_free(read);
}
END_TEST

/* ---- the core's side alone ---- */

static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const wpin_stage_config stage = {
    .table = &wpin_table_three_phase_bridge, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static const wpin_order_config good = {
    .stage = &stage, .hall = {14, 15, 16}, .duty = 1000, .hold_ms = 50, .swap_ms = 2};
static wpin_order order;

static void all_off(const recorder *r) {
    for (wpin_pin pin = 0; pin < 6; pin++) {
        ck_assert_msg(!recorder_on(r, pin), "line %u is on", pin);
    }
}

static wpin_order_state tick_on(recorder *r) {
    r->now += 1000;
    return wpin_order_tick(&order);
}

START_TEST(it_ends_off_whatever_ends_it) {
    for (int how = 0; how < 5; how++) {
        wpin_order_config config = good;
        recorder r;
        recorder_init(&r);
        order = (wpin_order){0};
        config.most_mv = how == 2 ? 500 : 0;
        ck_assert_int_eq(wpin_order_begin(&order, &config, &r.port), WPIN_OK);
        all_off(&r);
        wpin_order_state state = WPIN_ORDER_MOVING, expected = WPIN_ORDER_STANDS;
        for (int i = 0; i < 2000 && state == WPIN_ORDER_MOVING; i++) {
            if (i == 100 && how == 1) {
                wpin_order_stop(&order);
                all_off(&r);
                expected = WPIN_ORDER_STOPPED;
            } else if (i == 100 && how == 2) {
                r.millivolts[0] = 501;
                expected = WPIN_ORDER_CURRENT;
            } else if (i == 100 && how == 3) {
                r.fail_left = 1;
                expected = WPIN_ORDER_PORT;
            } else if (how == 4) {
                r.now += pick(2) == 0 ? 3000000000u : 5; /* a clock that leaps and runs back */
            }
            state = tick_on(&r);
            r.fail_left = r.fail_left == 0 ? -1 : r.fail_left;
        }
        ck_assert_int_eq(state, expected);
        ck_assert_int_eq(tick_on(&r), expected); /* the port takes it again */
        all_off(&r);
        ck_assert_int_eq(tick_on(&r), expected); /* and stays so */
        all_off(&r);
    }
}
END_TEST

START_TEST(what_can_not_be_is_refused) {
    for (int wrong = 0; wrong < 9; wrong++) {
        static wpin_stage_config other;
        wpin_order_config config = good;
        wpin_status expected = WPIN_REFUSED_RANGE;
        recorder r;
        recorder_init(&r);
        other = stage;
        switch (wrong) {
        case 0: config.duty = 0; break;
        case 1: config.duty = 16385; break;
        case 2: config.hold_ms = 19; break;
        case 3: config.hold_ms = 5001; break;
        case 4: config.swap_ms = 0; break;
        case 5: config.swap_ms = 51; break;
        case 6: config.most_mv = -1; break;
        case 7:
            other.table = &wpin_table_full_bridge;
            config.stage = &other;
            expected = WPIN_REFUSED_CONFIG;
            break;
        default: r.port.read = NULL; expected = WPIN_REFUSED_PORT;
        }
        ck_assert_msg(wpin_order_begin(&order, &config, &r.port) == expected, "mistake %d", wrong);
        ck_assert_int_eq(wpin_order_tick(&order), WPIN_ORDER_CLOSED);
        ck_assert_uint_eq(r.count, 0);
    }
    ck_assert_int_eq(wpin_order_begin(NULL, &good, NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_order_begin(&order, NULL, NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_order_tick(NULL), WPIN_ORDER_CLOSED);
    wpin_order_stop(NULL);
}
END_TEST

/* ---- the leads of a stepper ---- */

/* On which output each lead is: both of winding a, both of b. */
static wpin_coils coils_on(const int on[4], int steps, const char **cure) {
    static const char *const outputs[] = {"a1", "a2", "b1", "b2"};
    char text[1500];
    size_t used = (size_t)snprintf(
        text, sizeof text,
        "rig: table\nsupplies:\n  main: {voltage: 12V, resistance: 80mohm, switch: on}\nloads:\n"
        "  table:\n    supply: main\n    stage: {kind: dual-bridge, reversed: %s, pins: {a1: 14, "
        "a2: 15, b1: 16, b2: 17}}\n    driver: {on-resistance: 500mohm, current-limit: 2A, "
        "voltage-limit: 40V, sense: 1V/A, sense-noise: 60mV}\n"
        "    current-trip: {level: 1.8A, time: 50ms, input: 0}\n"
        "    stepper: {steps: %d, resistance: 14ohm, inductance: 18mH, rated: 0.8A, "
        "holding-torque: 0.4Nm, inertia: 900gcm2, friction: 20mNm, stepping: {start-rate: "
        "80steps/s, top-rate: 240steps/s, ramp: 400steps/s2, mode: full}}\n    cable:\n",
        on[0] % 2 == 0 ? "yes" : "no", steps);
    for (int i = 0; i < 4; i++) {
        used += (size_t)snprintf(
            text + used, sizeof text - used, "      wire%d: {is: coil-%s, to: %s%s}\n", i,
            outputs[i], on[i] > 3 ? "nothing" : "driver ", on[i] > 3 ? "" : outputs[on[i]]);
    }
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("coils.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s\n%s", m.count > 0 ? m.items[0].text : "", text);
    wpin_coil_test test;
    char why[300];
    ck_assert_msg(wpin_first_coils(rig, 0, NULL, 0, &test, why, sizeof why), "%s", why);
    *cure = test.cure;
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return test.coils;
}

/* All orders of four leads: pairs on a channel each are right; of others the cure makes them so. */
START_TEST(the_leads_of_a_stepper_are_found) {
    static const int steps[] = {200, 28, 64, 48, 400}; /* some of no even thousandths of a degree */
    for (int n = 0; n < 256; n++) {
        int on[4] = {n & 3, n >> 2 & 3, n >> 4 & 3, n >> 6 & 3}, used = 0;
        for (int i = 0; i < 4; i++) {
            used |= 1 << on[i];
        }
        if (used != 15) {
            continue;
        }
        const char *cure, *outputs[] = {"a1", "a2", "b1", "b2"};
        bool right = (on[0] ^ 1) == on[1];
        wpin_coils found = coils_on(on, steps[n % 5], &cure);
        ck_assert_msg(found == (right ? WPIN_COILS_RIGHT : WPIN_COILS_CROSSED), "%d %d %d %d: %d",
                      on[0], on[1], on[2], on[3], found);
        for (int i = 0; !right && i < 4; i++) {
            char word[4];
            snprintf(word, sizeof word, "%s", strstr(cure, "and ") + 4);
            int one = 1, other = strcmp(word, outputs[2]) == 0 ? 2 : 3; /* "swap ... a2 and b1" */
            ck_assert(strstr(cure, "on a2 and") != NULL);
            on[i] = on[i] == one ? other : (on[i] == other ? one : on[i]);
        }
        ck_assert(right || coils_on(on, steps[n % 5], &cure) == WPIN_COILS_RIGHT);
    }
    static const int off[][5] = {{4, 1, 2, 3, WPIN_COILS_A_OFF},
                                 {0, 1, 2, 4, WPIN_COILS_B_OFF},
                                 {0, 4, 4, 3, WPIN_COILS_NO_CURRENT}};
    for (size_t i = 0; i < sizeof off / sizeof *off; i++) {
        const char *cure;
        ck_assert_int_eq(coils_on(off[i], 200, &cure), off[i][4]);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("order");
    TCase *tests = tcase_create("order");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, every_order_is_found, 0, WPIN_WIRE_ORDERS);
    tcase_add_loop_test(tests, other_pole_pairs_show, 0, 3);
    tcase_add_loop_test(tests, an_encoder_is_led_to_its_place, 0, 11);
    tcase_add_loop_test(tests, what_is_broken_is_named, 0, 5);
    tcase_add_test(tests, it_ends_off_whatever_ends_it);
    tcase_add_test(tests, what_can_not_be_is_refused);
    tcase_add_test(tests, the_leads_of_a_stepper_are_found);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
