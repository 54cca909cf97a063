/* Every shipped stage: its table in every transition on the pins' own timeline, and on the
 * simulated driver that decides by its own logic. */
#define _GNU_SOURCE
#include "support_kinds.h"
#include <math.h>
#include <stdlib.h>

enum { DEAD_US = 3 };

static const wpin_stage_kind *kind_of(int number) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    ck_assert_int_lt(number, (int)count);
    return &kinds[number];
}

static int kind_count(void) {
    size_t count;
    wpin_stage_kinds(&count);
    return (int)count;
}

static bool is_mode(const wpin_stage_table *table, unsigned line) {
    return (table->mode_lines >> line & 1) != 0;
}

/* ---- the pins' timeline ---- */

/* Checks the calls of one transition: mode lines move only while every other line is at rest, and
 * nothing turns on within the dead time after something turned off or a mode changed. */
static void check_timeline(const recorder *r, const wpin_stage_table *table, const char *name,
                           int *level) {
    uint32_t last_change = 0;
    bool changed = false;
    for (size_t i = 0; i < r->count; i++) {
        const record *c = &r->records[i];
        if (c->call == CALL_PAUSE || c->call == CALL_GROUP) {
            continue;
        }
        bool on = c->call == CALL_PWM_DUTY || c->value == 1;
        if (is_mode(table, c->pin)) {
            for (unsigned l = 0; l < table->line_count; l++) {
                ck_assert_msg(is_mode(table, l) || level[l] == 0 || level[c->pin] == on,
                              "%s: mode line %u moves while line %u is on", name, c->pin, l);
            }
            changed = changed || level[c->pin] != on;
            last_change = level[c->pin] != on ? c->time : last_change;
        } else if (on && level[c->pin] == 0) {
            ck_assert_msg(!changed || c->time - last_change >= DEAD_US,
                          "%s: line %u turns on %u us after a change", name, c->pin,
                          c->time - last_change);
        } else if (!on && level[c->pin] != 0) {
            changed = true;
            last_change = c->time;
        }
        level[c->pin] = on;
    }
}

START_TEST(every_transition_keeps_the_order) {
    const wpin_stage_kind *kind = kind_of(_i);
    const wpin_stage_table *table = kind->table;
    wpin_line lines[WPIN_STAGE_LINES];
    for (unsigned l = 0; l < WPIN_STAGE_LINES; l++) {
        lines[l] = (wpin_line){.pin = (wpin_pin)l};
    }
    wpin_stage_config config = {.table = table,
                                .lines = lines,
                                .pwm_hz = 50,
                                .dead_time_us = DEAD_US,
                                .pulse_neutral = WPIN_PULSE_SHARE(1500, 50),
                                .pulse_swing = WPIN_PULSE_SHARE(500, 50)};
    recorder r;
    recorder_init(&r);
    for (unsigned l = 0; l < table->leg_count; l++) {
        r.high_pairs[l][0] = table->legs[l].high_side;
        r.high_pairs[l][1] = table->legs[l].low_side;
        r.pair_count++;
    }
    wpin_stage stage = {0};
    ck_assert_int_eq(wpin_stage_open(&stage, &config, &r.port), WPIN_OK);
    int level[32] = {0};
    for (unsigned from = 0; from < table->row_count; from++) { /* each pair of rows */
        for (unsigned to = 0; to < table->row_count; to++) {
            r.count = 0;
            r.now += 1000;
            wpin_stage_apply(&stage, (wpin_drive)table->rows[from].drive, 5000);
            check_timeline(&r, table, kind->name, level);
            r.count = 0;
            r.now += 1000;
            ck_assert_int_eq(wpin_stage_apply(&stage, (wpin_drive)table->rows[to].drive, 9000),
                             WPIN_OK);
            check_timeline(&r, table, kind->name, level);
        }
    }
    pick_seed((uint32_t)_i + 1);
    for (int n = 0; n < 5000; n++) { /* and random walks */
        r.count = 0;
        r.now += 1000;
        wpin_stage_apply(&stage, (wpin_drive)table->rows[pick(table->row_count)].drive,
                         (uint16_t)pick(WPIN_DUTY_FULL + 1));
        check_timeline(&r, table, kind->name, level);
        ck_assert_uint_eq(r.shoot_through, 0);
    }
}
END_TEST

/* ---- on the simulated driver ---- */

/* Forward, each way to end it, and reverse: moves as told and nothing burns. */
START_TEST(every_stage_does_what_its_table_says) {
    const wpin_stage_kind *kind = kind_of(_i);
    if (kind->coils || kind->direct) {
        return; /* a stepper's: tests/test_loads.c; a pin itself: below */
    }
    wpin_rig *rig = rig_of(kind, "");
    char text[600] =
        "wait 1s\nload on\nload hold 2s\n"; /* a pulse controller wants neutral first */
    bool coasts = wpin_stage_kind_has(kind, WPIN_DRIVE_COAST);
    bool brakes = wpin_stage_kind_has(kind, WPIN_DRIVE_BRAKE);
    bool reverses = wpin_stage_kind_has(kind, WPIN_DRIVE_REVERSE);
    strcat(text, coasts ? "load coast 50ms\n" : "load off\n");
    strcat(text, "load rest 2s\n");
    strcat(text, brakes ? "load on\nload hold 2s\nload brake 50ms\nload rest 2s\n" : "");
    strcat(text, reverses ? "load on reverse\nload hold 2s\nload off\n" : "");
    wpin_plan *plan;
    wpin_report *report = run_text(rig, text, &plan);
    ck_assert_msg(report->burn_count == 0, "%s: %s", kind->name,
                  report->burn_count ? report->burns[0].reason : "");
    double coasting = 0, braking = 0, holding = 0;
    for (size_t i = 0; i < report->step_count; i++) {
        const wpin_step_result *s = &report->steps[i];
        ck_assert_msg(s->verdict != WPIN_VERDICT_BAD, "%s: %s: %s", kind->name, s->text, s->words);
        if (s->op == WPIN_OP_HOLD) {
            ck_assert_msg(s->rpm * s->asked_duty > 0, "%s: %s: %g rpm", kind->name, s->text,
                          s->rpm);
            holding = fabs(s->rpm);
        }
        coasting = s->op == WPIN_OP_COAST ? s->rpm : coasting;
        braking = s->op == WPIN_OP_BRAKE ? s->rpm : braking;
    }
    ck_assert_double_gt(holding, 3000);
    bool own_affair = wpin_logic_of(kind->logic)->pulses; /* what neutral does */
    if (coasts && !own_affair) { /* 50 ms later it still turns; shorted it would stand */
        ck_assert_msg(coasting > holding * 0.9, "%s coasts at %g", kind->name, coasting);
    }
    if (brakes) {
        ck_assert_msg(fabs(braking) < holding * 0.5, "%s brakes at %g", kind->name, braking);
    }
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}
END_TEST

/* What a stage can't do is refused when the plan is read, with those that can. */
START_TEST(what_a_stage_can_not_do_is_refused) {
    const wpin_stage_kind *kind = kind_of(_i);
    if (kind->coils || kind->direct) {
        return; /* a stepper's: tests/test_loads.c; a pin itself: below */
    }
    const struct {
        const char *plan, *words;
        bool able;
    } rows[] = {
        {"load brake\n", "'load' can't brake: its stage is a",
         wpin_stage_kind_has(kind, WPIN_DRIVE_BRAKE)},
        {"load coast\n", "'load' can't coast: its stage is a",
         wpin_stage_kind_has(kind, WPIN_DRIVE_COAST)},
        {"load on reverse for 1s\n", "'load' can't reverse: its stage is a",
         wpin_stage_kind_has(kind, WPIN_DRIVE_REVERSE)},
        {"load run 50% for 1s\n", "which knows on and off only; expected 'load on'",
         wpin_stage_kind_takes_duty(kind)},
    };
    wpin_rig *rig = rig_of(kind, "");
    for (size_t i = 0; i < 4; i++) {
        wpin_messages m = {0};
        wpin_plan *plan = wpin_plan_read(write_file("able.plan", rows[i].plan), rig, &m);
        ck_assert_msg((plan != NULL) == rows[i].able, "%s: %s", kind->name, rows[i].plan);
        ck_assert(rows[i].able || strstr(m.items[0].text, rows[i].words) != NULL);
        wpin_plan_free(plan);
        wpin_messages_free(&m);
    }
    wpin_rig_free(rig);
}
END_TEST

START_TEST(switches_pulses_and_toggles) {
    wpin_rig *rig = rig_of(kind_called("relay"), "");
    wpin_plan *plan;
    wpin_report *report = run_text(rig,
                                   "load on for 300ms\nload pulse 100ms\nload toggle\nwait 200ms\n"
                                   "load toggle\nload rest 1s\n",
                                   &plan);
    ck_assert_str_eq(rig->loads[0].kind->name, "relay");
    ck_assert(!report->bad);
    ck_assert_double_eq_tol(report->steps[0].took, 0.3, 0.002);
    ck_assert_double_eq_tol(report->steps[1].took, 0.1, 0.002);
    ck_assert_double_eq_tol(report->steps[2].duty, 1, 1e-9);
    ck_assert_double_eq_tol(report->steps[4].duty, 0, 1e-9);
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}
END_TEST

START_TEST(a_missing_diode_burns_the_switch) {
    wpin_rig *rig = rig_of(kind_of(_i), ", free-wheel: no");
    wpin_plan *plan;
    wpin_report *report = run_text(rig, "wait 1s\nload on\nload hold 1s\nload off\n", &plan);
    ck_assert_uint_eq(report->burn_count, 1);
    ck_assert_ptr_nonnull(strstr(report->burns[0].reason, "found no free-wheel diode"));
    ck_assert(report->bad);
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}
END_TEST

START_TEST(a_bipolar_bridge_eats_two_volts) {
    const wpin_stage_kind *kind = kind_called("two-inputs");
    double rpm[2];
    for (int i = 0; i < 2; i++) {
        wpin_rig *rig = rig_of(kind, i == 0 ? "" : ", saturation: 1V");
        wpin_plan *plan;
        wpin_report *report = run_text(rig, "load on\nload hold 3s\nload off\n", &plan);
        rpm[i] = report->steps[1].rpm;
        wpin_report_free(report);
        wpin_plan_free(plan);
        wpin_rig_free(rig);
    }
    double lost = (rpm[0] - rpm[1]) * 3.14159265 / 30 * 22e-3; /* back-EMF that is missing */
    ck_assert_double_eq_tol(lost, 2, 1e-3);
}
END_TEST

/* ---- a pin itself ---- */

static const char *on_a_pin(const char *supply, const char *driver, const char *what) {
    static char text[1200];
    snprintf(text, sizeof text,
             "rig: pin\ncontroller: {logic: 5V, pin-limit: 40mA}\n"
             "supplies:\n  logic: {voltage: 5V, resistance: 50mohm, switch: on}\n"
             "  main: {voltage: 12V, resistance: 50mohm, switch: on}\n"
             "loads:\n  ready:\n    supply: %s\n"
             "    stage: {kind: direct-pin, pins: {output: 9}, pwm: 20kHz}\n%s"
             "    ramp: {up: 100ms, down: 100ms}\n%s",
             supply, driver, what);
    return write_file("direct.yaml", text);
}

#define SMALL_MOTOR                                                                                \
    "    rest: 500ms\n    motor: {resistance: 8ohm, inductance: 2mH, constant: 5mNm/A, "           \
    "inertia: 2gcm2, dry-friction: 0.1mNm, static-friction: 0.1mNm}\n"

START_TEST(a_pin_drives_what_is_small_enough) {
    static const struct {
        const char *supply, *driver, *what, *says, *runs;
    } rows[] = {
        {"logic", "", "    leds: {rated: 5V, power: 50mW, forward: 2V}\n",
         "0 refused, 0 with caution", "ok, 92 % of its rated light"},
        {"logic", "", "    leds: {rated: 5V, power: 120mW, forward: 2V}\n", "0 refused", "ok, "},
        {"logic", "", "    leds: {rated: 5V, power: 400mW, forward: 2V}\n",
         "its pin would give 48 mA, a pin survives 40 mA", "pin 9, over-current"},
        {"logic", "", SMALL_MOTOR, "its pin would give 152 mA", "pin 9, over-current"},
        {"main", "", SMALL_MOTOR, "gives the 5 V of 'logic'; supply 'main' is one of 12 V", ""},
        {"logic", "    driver: {on-resistance: 1ohm, current-limit: 1A, voltage-limit: 9V}\n",
         SMALL_MOTOR, "there is no driver between", ""},
    };
    static char said[8000];
    const char *plan = write_file("direct.plan", "ready ramp 100%\nready hold 1s\nready off\n");
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        const char *rig = on_a_pin(rows[i].supply, rows[i].driver, rows[i].what);
        run_command(said, sizeof said, TEST_TOOL " vet %s %s", rig, plan);
        ck_assert_msg(strstr(said, rows[i].says) != NULL, "row %zu: %s", i, said);
        if (strstr(said, "refuse:") != NULL) {
            run_command(said, sizeof said,
                        "sed -i 's/^loads:/accept: [ready pin-current]\\nloads:/' %s", rig);
        }
        run_command(said, sizeof said, TEST_TOOL " run %s %s", rig, plan);
        ck_assert_msg(strstr(said, rows[i].runs) != NULL, "row %zu: %s", i, said);
    }
}
END_TEST

/* ---- relays ---- */

#define ALTERNATING                                                                                \
    "  main: {voltage: 230V, resistance: 0.1ohm, switch: on, current: alternating}\n"
#define DIRECT "  main: {voltage: 12V, resistance: 0.1ohm, switch: on}\n"
#define FAN_MOTOR                                                                                  \
    "    rest: 5s\n    motor: {resistance: 3ohm, inductance: 2mH, constant: 30mNm/A, inertia: "    \
    "300gcm2, dry-friction: 5mNm, static-friction: 5mNm}\n"
#define BULB    "    lamp: {rated: 230V, power: 100W, cold: 8%, warm-up: 120ms}\n"
#define DIODES  "    leds: {rated: 12V, power: 2W, forward: 8V}\n"
#define SOLID   "kind: solid-state-relay, pins: {input: 4}"
#define CONTACT "kind: relay, pins: {coil: 4}"

START_TEST(relays_are_what_they_are) {
    static const struct {
        const char *supply, *stage, *driver, *what, *accept, *vets, *runs;
    } rows[] = {
        {DIRECT, CONTACT, "", FAN_MOTOR, "", "note: fan contact-arc", "ok"},
        {DIRECT, CONTACT, ", snubber: {resistance: 100ohm, capacitor: 100nF}", FAN_MOTOR, "",
         "0 refused, 0 with caution", "ok"},
        {DIRECT, CONTACT, ", free-wheel: no", FAN_MOTOR, "free-wheel", "refuse: fan free-wheel",
         "found no free-wheel diode"},
        {DIRECT, CONTACT, ", contact: closed", FAN_MOTOR, "inverted-line",
         "refuse: fan inverted-line", "no current from 0.0"},
        {DIRECT, CONTACT ", inverted: [coil]", ", contact: closed", FAN_MOTOR, "",
         "caution: fan closed-at-rest", "ok"},
        {DIRECT, SOLID, ", output: alternating", FAN_MOTOR, "solid-output",
         "refuse: fan solid-output", "the relay does not open"},
        {DIRECT, SOLID, ", leakage: 2mA", DIODES, "", "caution: fan leakage", "ok"},
        {DIRECT, SOLID, ", contact: closed", DIODES, "", "only the one contact of a 'relay'", ""},
        {DIRECT, CONTACT, ", leakage: 2mA", DIODES, "", "are a solid-state relay's", ""},
        {ALTERNATING, SOLID, ", output: alternating", BULB, "", "caution: main mains",
         "ok, 100 %"}, /* of its rated light */
        {ALTERNATING, SOLID, "", BULB, "", "is for direct current, and 'main' alternates", ""},
        {ALTERNATING, CONTACT, "", BULB, "", "caution: main mains", "ok, 100 %"},
        {ALTERNATING, CONTACT, "", FAN_MOTOR, "", "only lamps with a filament", ""},
        {ALTERNATING, "kind: low-side-on-off, pins: {gate: 4}", "", BULB, "", "one way only", ""},
    };
    static char said[8000], text[2000];
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bool accepts = rows[i].accept[0] != '\0';
        for (int run = 0; run < 2; run++) {
            snprintf(text, sizeof text,
                     "rig: relays\n%s%s%ssupplies:\n%sloads:\n  fan:\n    supply: main\n    stage: "
                     "{%s}\n    driver: {on-resistance: 20mohm, current-limit: 20A, voltage-limit: "
                     "400V%s}\n%s",
                     run && accepts ? "accept: [fan " : "", run ? rows[i].accept : "",
                     run && accepts ? "]\n" : "", rows[i].supply, rows[i].stage, rows[i].driver,
                     rows[i].what);
            run_command(said, sizeof said, TEST_TOOL " %s %s %s", run ? "run" : "vet",
                        write_file("relay.yaml", text),
                        write_file("relay.plan", "fan on for 1.5s\nwait 8s\n"));
            const char *says = run ? rows[i].runs : rows[i].vets;
            ck_assert_msg(strstr(said, says) != NULL, "row %zu, \"%s\": %s", i, says, said);
        }
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("stages");
    TCase *tests = tcase_create("stages");
    tcase_add_loop_test(tests, every_transition_keeps_the_order, 0, kind_count());
    tcase_add_loop_test(tests, every_stage_does_what_its_table_says, 0, kind_count());
    tcase_add_loop_test(tests, what_a_stage_can_not_do_is_refused, 0, kind_count());
    tcase_add_test(tests, relays_are_what_they_are);
    tcase_add_test(tests, a_pin_drives_what_is_small_enough);
    tcase_add_test(tests, switches_pulses_and_toggles);
    tcase_add_loop_test(tests, a_missing_diode_burns_the_switch, 0, 3);
    tcase_add_test(tests, a_bipolar_bridge_eats_two_volts);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
