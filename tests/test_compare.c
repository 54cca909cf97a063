/* A rig with values changed: the text around them stays, and a plan runs on both side by side. */
#define _GNU_SOURCE
#include "support.h"
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rig.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static char output[20000];

/* ---- the file ---- */

/* Letters of two bytes before and behind what is changed. */
static const char file[] = "# Größe: groß\n"
                           "rig: Bühne   # so heißt sie\n"
                           "supplies:\n"
                           "  main: {voltage: 12V, resistance: 80mohm}\n"
                           "loads:\n"
                           "  pump:       # für Öl\n"
                           "    supply: main\n"
                           "    motor:\n"
                           "      {resistance: 1ohm,\n"
                           "       gear: 18}   # größer\n"
                           "    pins: [1, 2]\n"
                           "    rest: 400ms  # Übergang\n"
                           "    note: \"ä b\"\n";

typedef struct row {
    const char *change, *was, *before, *after; /* before becomes after, once; NULL: refused, why */
} row;

static const row rows[] = {
    {"pump.rest=1s", "400ms", "rest: 400ms  #", "rest: 1s  #"},
    {"PUMP.Rest=1s", "400ms", "rest: 400ms  #", "rest: 1s  #"},
    {"main.voltage=9V", "12V", "voltage: 12V,", "voltage: 9V,"},
    {"pump.motor.gear=20", "18", "gear: 18}", "gear: 20}"},
    {"pump.motor.inertia=2gcm2", "not given", "{resistance:", "{inertia: 2gcm2, resistance:"},
    {"pump.duty-limit=50%", "not given", "    supply: main\n",
     "    duty-limit: 50%\n    supply: main\n"},
    {"supplies.main.resistance=1ohm", "80mohm", "80mohm", "1ohm"},
    {"pump.note=x", "\"ä b\"", "\"ä b\"", "x"},
    {"pump.pins=[3, 4]", "[1, 2]", "[1, 2]", "[3, 4]"},
    {"pump.motor={gear: 3}", "{resistance: 1ohm,\n       gear: 18}",
     "{resistance: 1ohm,\n       gear: 18}", "{gear: 3}"},
    {"pump.rest", NULL, NULL, "expected a key and its new value"},
    {"=3", NULL, NULL, "expected a key and its new value"},
    {"pump.rest=", NULL, NULL, "expected a key and its new value"},
    {"pump=3", NULL, NULL, "is not a value"},
    {"loads.pump=3", NULL, NULL, "is more than one value"},
    {"fan.rest=3s", NULL, NULL, "the rig has no 'fan'"},
    {"pump.moter.gear=3", NULL, NULL, "no 'moter' there; expected supply, motor"},
    {"pump.rest.more=3", NULL, NULL, "is one value already"},
    {"pump..gear=3", NULL, NULL, "no '' there"},
};

START_TEST(one_value_changes_and_nothing_else) {
    const row *r = &rows[_i];
    const char *from = write_file("from.yaml", file), *to = scratch("to.yaml");
    char was[120], why[400], expected[sizeof file + 200];
    bool done = wpin_rig_change(from, to, r->change, was, sizeof was, why, sizeof why);
    if (r->before == NULL) {
        ck_assert_msg(!done && strstr(why, r->after) != NULL, "%s: %s", r->change, why);
        return;
    }
    ck_assert_msg(done, "%s: %s", r->change, why);
    ck_assert_str_eq(was, r->was);
    const char *at = strstr(file, r->before);
    snprintf(expected, sizeof expected, "%.*s%s%s", (int)(at - file), file, r->after,
             at + strlen(r->before));
    run_command(output, sizeof output, "cat %s", to);
    ck_assert_str_eq(output, expected);
    /* once more, upon itself */
    ck_assert(wpin_rig_change(to, to, r->change, was, sizeof was, why, sizeof why));
    run_command(output, sizeof output, "cat %s", to);
    ck_assert_str_eq(output, expected);
}
END_TEST

/* ---- the command ---- */

static const struct {
    const char *arguments;
    int status;
    const char *words[3];
} calls[] = {
    {"pump.rest=400ms", 0, {"pump.rest: 400ms -> 400ms", "No step differs", NULL}},
    {"main.voltage=9V", 0, {"main.voltage: 12V -> 9V", "-33.6 %", "6 of 9 steps"}},
    {"main.voltage=9V pump.ramp.up=500ms", 0, {"12V -> 9V", "2s -> 500ms", NULL}},
    {"pump.current-trip.level=1.05A",
     1,
     {"ok -> ended by a fault: WPIN_FAULT_OVERCURRENT", "ok -> not run", "vetting"}},
    {"pump.motor.load.torque=3Nm", 1, {"ok -> not moving", "2/1", NULL}},
    {"main.voltage=9V --json", 0, {"\"as_it_is\"", "\"was\": \"12V\"", "\"changed\""}},
    {"pump.motor.resistence=2ohm", 2, {"with pump.motor.resistence=2ohm", "resistance", NULL}},
    {"pump.rest=fast", 2, {"with pump.rest=fast", "expected a time", NULL}},
    {"pump.x.y=3", 2, {"no 'x' there", NULL, NULL}},
    {"", 2, {"at least one change", NULL, NULL}},
    {"pump.rest=1s --load fan --plot x.png", 2, {"fan", NULL, NULL}},
};

START_TEST(both_stand_side_by_side) {
    int status =
        run_command(output, sizeof output,
                    "cd %s && %s compare demo/honey-pump.yaml demo/honey-pump.plan %s 2>&1",
                    TEST_SOURCE, TEST_TOOL, calls[_i].arguments);
    ck_assert_msg(status == calls[_i].status, "%s: %d\n%s", calls[_i].arguments, status, output);
    for (size_t k = 0; k < 3 && calls[_i].words[k] != NULL; k++) {
        ck_assert_msg(strstr(output, calls[_i].words[k]) != NULL, "%s: no '%s' in\n%s",
                      calls[_i].arguments, calls[_i].words[k], output);
    }
}
END_TEST

START_TEST(the_changed_figures_are_those_of_a_changed_file) {
    char changed[4000], one[200];
    run_command(output, sizeof output,
                "cd %s && sed 's/voltage: 12V/voltage: 9V/' demo/honey-pump.yaml > %s && %s run %s "
                "demo/honey-pump.plan --powered | grep -o 'highest current [0-9.]* A, highest "
                "speed [0-9]* rpm, took [0-9.]* J'",
                TEST_SOURCE, scratch("nine.yaml"), TEST_TOOL, scratch("nine.yaml"));
    double amps, rpm, joules;
    ck_assert_msg(sscanf(output, "highest current %lf A, highest speed %lf rpm, took %lf J", &amps,
                         &rpm, &joules) == 3,
                  "%s", output);
    run_command(changed, sizeof changed,
                "cd %s && %s compare demo/honey-pump.yaml demo/honey-pump.plan main.voltage=9V",
                TEST_SOURCE, TEST_TOOL);
    const char *keys[] = {"highest current", "highest speed", "energy"};
    const double values[] = {amps, rpm, joules};
    for (size_t i = 0; i < 3; i++) {
        double a, b;
        const char *at = strstr(changed, keys[i]);
        ck_assert_msg(at != NULL && sscanf(at + strlen(keys[i]), "%lf %199s %lf", &a, one, &b) == 3,
                      "%s in\n%s", keys[i], changed);
        ck_assert_double_eq_tol(b, values[i], 0.01 * values[i]);
    }
}
END_TEST

START_TEST(the_picture_is_drawn) {
    const char *picture = scratch("both.png");
    ck_assert_int_eq(run_command(output, sizeof output,
                                 "cd %s && %s compare demo/honey-pump.yaml demo/honey-pump.plan "
                                 "\"pump.motor.load.torque=0.2Nm\" --plot %s && head -c 8 %s",
                                 TEST_SOURCE, TEST_TOOL, picture, picture),
                     0);
    ck_assert_ptr_nonnull(strstr(output, "PNG"));
}
END_TEST

/* ---- a record ---- */

#define PUMP TEST_SOURCE "/demo/honey-pump.yaml " TEST_SOURCE "/demo/honey-pump.plan"

/* A record of the same run agrees with it, to the last tick; one of another plan, rig or length, or
 * of another load, does not, and says where. */
START_TEST(a_record_is_compared) {
    static const struct {
        const char *made, *words; /* how the record is made: its file is %s */
        int status;
    } cases[] = {
        {TEST_TOOL " run " PUMP " --trace %s", "pump: the duties are the same.", 0},
        {TEST_TOOL " run " PUMP " --trace %s --sample 250", "pump: the duties agree;", 0},
        {TEST_TOOL " run " PUMP " --trace %s --fault 'pump stalled'; true", " A        +", 0},
        {"sed 's/60%%/70%%/' " TEST_SOURCE "/demo/honey-pump.plan > other.plan; " TEST_TOOL
         " run " TEST_SOURCE "/demo/honey-pump.yaml other.plan --trace %s",
         "the duties go apart at ", 1},
        {"sed 's/up: 2s/up: 1900ms/' " TEST_SOURCE "/demo/honey-pump.yaml > other.yaml; " TEST_TOOL
         " run other.yaml " TEST_SOURCE "/demo/honey-pump.plan --trace %s",
         "with the rig as it was then", 0},
        {TEST_TOOL " run " PUMP " --trace whole.csv; head -n 4000 whole.csv > %s",
         "One lasts longer than the other", 1},
        {TEST_TOOL " run " PUMP " --trace whole.csv; sed '1s/pump_/fan_/g' whole.csv > %s",
         "pump: is not in the record.", 1},
        {TEST_TOOL " run " PUMP " --trace whole.csv; awk -F, -v OFS=, 'NR > 1 {$3 = \"\"} {print}' "
                   "whole.csv > %s",
         "pump: is not in the record.", 1},
        {"echo nothing > %s", ":1: not a trace; its first line begins with time_s", 2},
        {"printf 'time_s,pump_duty_percent,rig\\n0,1,x\\n1,2\\n' > %s", ":3: not a row of a trace",
         2},
        {"printf 'time_s,pump_duty_percent,rig\\n1,1,x\\n0,2,x\\n' > %s",
         ":3: not a row of a trace", 2},
        {"rm -f %s", "can't be read", 2},
    };
    for (size_t i = 0; i < COUNT(cases); i++) {
        char csv[300], made[1200];
        snprintf(csv, sizeof csv, "%s", scratch("record.csv"));
        snprintf(made, sizeof made, cases[i].made, csv);
        (void)run_command(output, sizeof output, "cd $(dirname %s) && { %s; }", csv, made);
        int status =
            run_command(output, sizeof output, TEST_TOOL " compare " PUMP " --record %s", csv);
        ck_assert_msg(status == cases[i].status && strstr(output, cases[i].words) != NULL,
                      "case %zu: %d %s", i, status, output);
    }
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " compare " PUMP " main.voltage=9V --record x.csv"),
                     2);
    ck_assert_int_eq(run_command(output, sizeof output, TEST_TOOL " compare " PUMP), 2);
}
END_TEST

/* Two records of a plan: what has changed since the first one, as measured or as it truly was. */
START_TEST(two_records_are_compared) {
    static const struct {
        const char *change, *words[3]; /* with sed, for the second run */
        int status;
    } cases[] = {
        {"s/x/x/", {"pump: the duties are the same.", "measured current", "true speed"}, 0},
        {"s/dry-friction: 9mNm/dry-friction: 13mNm/",
         {"pump: the duties are the same.", "measured current", "made with the rig as it was"},
         0},
        {"s/down: 1.5s/down: 3s/", {"pump: the duties go apart at ", "% first", "% second"}, 1},
    };
    for (size_t i = 0; i < COUNT(cases); i++) {
        const char *folder = scratch("first.csv");
        int status = run_command(output, sizeof output,
                                 "cd $(dirname %s) && sed '%s' " TEST_SOURCE
                                 "/demo/honey-pump.yaml > second.yaml && " TEST_TOOL " run " PUMP
                                 " --trace first.csv > /dev/null && " TEST_TOOL
                                 " run second.yaml " TEST_SOURCE
                                 "/demo/honey-pump.plan --trace second.csv > /dev/null; " TEST_TOOL
                                 " compare " PUMP " --record first.csv --record second.csv",
                                 folder, cases[i].change);
        ck_assert_msg(status == cases[i].status, "case %zu: %d %s", i, status, output);
        for (int k = 0; k < 3; k++) {
            ck_assert_msg(strstr(output, cases[i].words[k]) != NULL, "case %zu: %s", i, output);
        }
    }
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " compare " PUMP " --record a --record b --record c"),
                     2);
}
END_TEST

/* On real pins each action may begin a tick late, and a record ends with its plan while the shaft
 * still runs down: it agrees all the same. More than that, or another step, does not. */
START_TEST(a_record_may_be_late_and_end_with_its_plan) {
    static const struct {
        const char *late, *other; /* s, awk for a row */
        int status;
    } cases[] = {{"0.003", "", 0}, {"0.012", "", 1}, {"0.003", "$3 += $1 > 1.2 ? 2 : 0;", 1}};
    const char *plan =
        write_file("brake.plan", "main on\npump ramp 60%\npump hold 500ms\npump brake for 100ms\n");
    for (size_t i = 0; i < COUNT(cases); i++) {
        int status =
            run_command(output, sizeof output,
                        "cd $(dirname %s) && ends=$(" TEST_TOOL " run " TEST_SOURCE
                        "/demo/honey-pump.yaml %s --trace whole.csv --json | grep -o "
                        "'\"simulated_s\": [0-9.]*' "
                        "| grep -o '[0-9.]*$') && awk -F, -v OFS=, -v ends=$ends 'NR == 1 || $1 <= "
                        "ends {if (NR > "
                        "1) {$1 += $1 > 1 ? %s : 0; %s} print}' whole.csv > cut.csv && " TEST_TOOL
                        " compare " TEST_SOURCE "/demo/honey-pump.yaml %s --record cut.csv",
                        plan, plan, cases[i].late, cases[i].other, plan);
        ck_assert_msg(status == cases[i].status, "case %zu: %d %s", i, status, output);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("compare");
    TCase *tests = tcase_create("compare");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, one_value_changes_and_nothing_else, 0, COUNT(rows));
    tcase_add_loop_test(tests, both_stand_side_by_side, 0, COUNT(calls));
    tcase_add_test(tests, the_changed_figures_are_those_of_a_changed_file);
    tcase_add_test(tests, the_picture_is_drawn);
    tcase_add_test(tests, a_record_is_compared);
    tcase_add_test(tests, two_records_are_compared);
    tcase_add_test(tests, a_record_may_be_late_and_end_with_its_plan);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
