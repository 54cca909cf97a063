/* The command-line tool as people meet it: what it prints, writes and returns. */
#define _GNU_SOURCE
#include "support.h"
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define RIG  TEST_SOURCE "/demo/honey-pump.yaml"
#define PLAN TEST_SOURCE "/demo/honey-pump.plan"

static char output[200000];

/* Runs the tool with arguments; must return `status`, and print every one of the words (up to
 * NULL). */
static void tool(int status, const char *const *words, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

static void tool(int status, const char *const *words, const char *format, ...) {
    char arguments[4096];
    va_list list;
    va_start(list, format);
    vsnprintf(arguments, sizeof arguments, format, list);
    va_end(list);
    int got = run_command(output, sizeof output, TEST_TOOL " %s", arguments);
    ck_assert_msg(got == status, "windpin %s returned %d:\n%.3000s", arguments, got, output);
    for (; *words != NULL; words++) {
        ck_assert_msg(strstr(output, *words) != NULL, "windpin %s does not say \"%s\":\n%.3000s",
                      arguments, *words, output);
    }
}

#define SAYS(...)    ((const char *const[]){__VA_ARGS__, NULL})
#define NOTHING_MORE ((const char *const[]){NULL})

static char *contents(const char *path) {
    char *text = NULL;
    size_t size = 0;
    FILE *file = fopen(path, "r");
    ck_assert_msg(file != NULL, "%s is not there", path);
    ck_assert_int_ge(getdelim(&text, &size, '\0', file), 0);
    fclose(file);
    return text;
}

/* The demo's rig with one thing in it changed. */
static const char *changed_rig(const char *from, const char *to) {
    char *text = contents(RIG), *at = strstr(text, from), *result = NULL;
    ck_assert_msg(at != NULL, "%s", from);
    ck_assert_int_ge(asprintf(&result, "%.*s%s%s", (int)(at - text), text, to, at + strlen(from)),
                     0);
    const char *path = write_file("changed.yaml", result);
    free(text);
    free(result);
    return path;
}

/* The same with rules accepted by name, so that what vetting refuses is run all the same. */
static const char *accepted_rig(const char *rules, const char *from, const char *to) {
    char *text = contents(changed_rig(from, to)), *result = NULL;
    ck_assert_int_ge(asprintf(&result, "%saccept: [%s]\n", text, rules), 0);
    const char *path = write_file("accepted.yaml", result);
    free(text);
    free(result);
    return path;
}

START_TEST(the_demo_runs_and_leaves_its_files) {
    tool(0,
         SAYS("pump ramp forward 60% in 1.5s", "PWM 20000 Hz in 800 steps", "Faults: none.",
              "Burnt: nothing.", "9 steps: 9 as asked.",
              "11 steps: 11 as asked; 4 of 4 requirements met."),
         "demo -o %s", scratch("demo"));
    char *csv = contents(scratch("demo/pump.csv"));
    ck_assert_int_eq(strncmp(csv, "time_s,pump_asked_percent,", 26), 0);
    size_t lines = 0;
    for (const char *c = csv; (c = strchr(c, '\n')) != NULL; c++) {
        ck_assert_int_eq(c[-1], '\r');
        lines++;
    }
    ck_assert_uint_ge(lines, 9100);
    free(csv);
    FILE *png = fopen(scratch("demo/pump.png"), "rb");
    char head[8];
    ck_assert_uint_eq(fread(head, 1, 8, png), 8);
    ck_assert_int_eq(memcmp(head, "\x89PNG\r\n\x1a\n", 8), 0);
    fclose(png);
}
END_TEST

START_TEST(asked_and_achieved_agree) {
    tool(0, NOTHING_MORE, "run %s %s --json", RIG, PLAN);
    json_t *all = json_loads(output, 0, NULL);
    ck_assert_ptr_nonnull(all);
    ck_assert(json_is_true(json_object_get(all, "fine")));
    json_t *steps = json_object_get(all, "steps"), *step;
    size_t i;
    ck_assert_uint_eq(json_array_size(steps), 9);
    json_array_foreach(steps, i, step) {
        double duty = json_number_value(json_object_get(step, "duty_percent"));
        double asked = json_number_value(json_object_get(step, "asked_duty_percent"));
        double rpm = json_number_value(json_object_get(step, "rpm"));
        double time = json_number_value(json_object_get(step, "asked_s"));
        ck_assert_str_eq(json_string_value(json_object_get(step, "verdict")), "ok");
        ck_assert_double_eq_tol(duty, asked, 0.01);
        ck_assert(asked == 0 || asked * rpm > 0);
        ck_assert(time == 0 || json_number_value(json_object_get(step, "took_s")) - time < 0.0015);
    }
    json_decref(all);
}
END_TEST

/* More supplies, boards and lines than fit a byte, a table or a character: each keeps its own. */
START_TEST(a_large_rig_keeps_its_parts_apart) {
    enum { SUPPLIES = 300, LOADS = 40 };
    static char rig[60000];
    size_t n =
        (size_t)snprintf(rig, sizeof rig, "rig: large\ncontroller: {pin-limit: 40mA}\nsupplies:\n");
    for (int i = 0; i < SUPPLIES; i++) {
        n += (size_t)snprintf(rig + n, sizeof rig - n,
                              "  s%d: {voltage: 12V, resistance: 120mohm, switch: off}\n", i);
    }
    n += (size_t)snprintf(rig + n, sizeof rig - n, "boards:\n");
    for (int i = 0; i < LOADS; i++) {
        n += (size_t)snprintf(rig + n, sizeof rig - n, "  b%d: {total: 10A}\n", i);
    }
    n += (size_t)snprintf(rig + n, sizeof rig - n, "loads:\n");
    for (int i = 0; i < LOADS; i++) {
        n += (size_t)snprintf(
            rig + n, sizeof rig - n,
            "  m%d:\n    supply: s%d\n    board: b%d\n    stage: {kind: direction-pwm-brake, pwm: "
            "20kHz, "
            "dead-time: 2us, pins: {direction: %d, brake: %d, pwm: %d}}\n    driver: "
            "{on-resistance: "
            "0.1ohm, current-limit: 20A, voltage-limit: 30V}\n    motor: {resistance: 2ohm, "
            "inductance: 1mH, constant: 20mNm/A, inertia: 90gcm2, static-friction: 9mNm, "
            "dry-friction: 8mNm}\n    ramp: {up: 1s, down: 1s}\n  "
            "  "
            "rest: 5s\n",
            i, SUPPLIES - 1 - i, i, 3 * i, 3 * i + 1, 3 * i + 2);
    }
    const char *path = write_file("large.yaml", rig), *vcd = scratch("large.vcd");
    const char *dark = write_file("dark.plan", "m0 ramp 50% in 1s\nm0 stop\n");
    const char *plan = write_file(
        "large.plan", "s299 on\ns260 on\nm0 ramp 50% in 1s\nm39 ramp 50% in 1s\nall stop\n");
    tool(2, SAYS("refuse: m0 supply-off", "supply 's299' is off"), "run %s %s", path, dark);
    tool(0, SAYS("44 steps: 44 as asked"), "run %s %s --vcd %s", path, plan, vcd);
    int status = run_command(output, sizeof output,
                             "grep -c '^$var' %s; grep '^1[!-~][!-~]$' %s | sort -u", vcd, vcd);
    ck_assert_int_eq(status, 0);
    ck_assert_msg(strcmp(output, "120\n18!\n1:!\n") == 0, "%s", output); /* pins 117 and 119 */
}
END_TEST

/* A current limit is listed, holds the motor back in a run, and says so; the plan goes on. */
START_TEST(a_current_limit_is_seen) {
    const char *rig = changed_rig("input: 0}", "input: 0, limit: 0.95A}");
    tool(0, SAYS("limited to 0.95 A: above it the duty is folded back"), "rig %s", rig);
    tool(0, SAYS("reached 45 % only: its current limit of 0.95 A"), "run %s %s", rig, PLAN);
}
END_TEST

/* An earlier result may be replaced; a plan, a rig or somebody's notes may not. */
START_TEST(nothing_but_results_is_overwritten) {
    static const char notes[] = "my notes on the pump\n";
    const char *plan = write_file("keep.plan", "main on\npump run 50% for 1s\n");
    static const char *const commands[] = {"run " RIG " %s --trace %s", "run " RIG " %s --vcd %s",
                                           "export " RIG " -o %s"};
    for (size_t i = 0; i < sizeof commands / sizeof *commands; i++) {
        const char *mine = write_file("mine.csv", notes);
        char arguments[1200];
        bool runs = strncmp(commands[i], "run", 3) == 0;
        snprintf(arguments, sizeof arguments, commands[i], runs ? plan : mine, mine);
        tool(2, SAYS("mine.csv: this file exists and is not an earlier result"), "%s", arguments);
        char *kept = contents(mine);
        ck_assert_str_eq(kept, notes);
        free(kept);
        unlink(mine);
        tool(0, NOTHING_MORE, "%s", arguments); /* new */
        tool(0, NOTHING_MORE, "%s", arguments); /* over its own */
    }
    tool(2, SAYS("both name both.csv; each needs a file of its own"),
         "run " RIG " %s --trace both.csv --vcd both.csv", plan);
}
END_TEST

START_TEST(pin_levels_are_a_value_change_dump) {
    tool(0, SAYS("Edges: "), "run %s %s --vcd %s", RIG, PLAN, scratch("pump.vcd"));
    FILE *file = fopen(scratch("pump.vcd"), "r");
    char line[200], direction = 0, pwm = 0;
    long long last = -1, rise = 0, high = 0;
    int level_pwm = 0, flips = 0, level_direction = -1;
    while (fgets(line, sizeof line, file) != NULL) {
        char name[32], id;
        if (sscanf(line, "$var wire 1 %c %31s", &id, name) == 2) {
            direction = strcmp(name, "direction") == 0 ? id : direction;
            pwm = strcmp(name, "pwm") == 0 ? id : pwm;
        } else if (line[0] == '$' || line[0] == 'x') {
            continue;
        } else if (line[0] == '#') {
            long long now = atoll(line + 1);
            always(now > last);
            last = now;
        } else if (line[1] == pwm) {
            level_pwm = line[0] == '1';
            rise = level_pwm ? last : rise;
            high = level_pwm ? high : last - rise;
            always(level_pwm || last < 1500000000 || last > 4499000000 ||
                   high == 30000); /* 60 % of 50 us, to the timer step */
        } else if (line[1] == direction) {
            flips += level_direction >= 0 && level_direction != line[0];
            level_direction = line[0];
            ck_assert_int_eq(level_pwm, 0);
        }
    }
    fclose(file);
    ck_assert_int_eq(flips, 2); /* low at first, forward, reverse */
}
END_TEST

START_TEST(a_motor_that_does_not_move_is_explained) {
    const char *no_supply = write_file("nosupply.plan", "pump run 60% for 2s\npump ramp 60%\n"
                                                        "pump hold 1s\npump stop\n");
    tool(2,
         SAYS("nosupply.plan:1:1: refuse: pump supply-off", "cure: a line 'main on' before it",
              "nothing was run: 1 refused"),
         "run %s %s", RIG, no_supply);
    tool(1,
         SAYS("not moving: supply 'main' is off; 'main on' is missing before it",
              "Accepted in the rig: pump supply-off"),
         "run %s %s", accepted_rig("pump supply-off", "rest: 400ms", "rest: 400ms"), no_supply);
    tool(0, SAYS("4 steps: 4 as asked"), "run %s %s --powered", RIG, no_supply);
    const char *low = write_file("low.plan", "main on\npump ramp 4%\npump hold 1s\npump stop\n");
    tool(1, SAYS("held by friction and load; it breaks loose near 20 % duty"), "run %s %s",
         accepted_rig("pump weak-duty", "rest: 400ms", "rest: 400ms"), low);
    const char *brief = write_file("brief.plan", "main on\npump run 90% for 1s\n");
    tool(0, SAYS("reached 50 % only: the rig's ramp takes longer than that"), "run %s %s", RIG,
         brief);
    tool(1, SAYS("control wires are on other pins"), "run %s %s",
         changed_rig("off-phase: slow",
                     "off-phase: slow\n      wires: {direction: 4, brake: 9, pwm: 7}"),
         PLAN);
    tool(1, SAYS("Burnt at", "pump driver, over-current", "not moving: pump driver burnt"),
         "run %s %s",
         accepted_rig("pump stall-current, pump brake-current", "current-limit: 8A",
                      "current-limit: 0.7A"),
         PLAN);
    tool(1, SAYS("over-voltage: 12 V on the supply; it survives 10 V"), "run %s %s --powered",
         accepted_rig("pump supply-voltage", "voltage-limit: 30V", "voltage-limit: 10V"), PLAN);
    tool(1, SAYS("pin 4, over-current", "a pin survives 40 mA"), "run %s %s",
         accepted_rig("pump pin-current", "off-phase: slow",
                      "off-phase: slow\n      input-resistance: 60ohm"),
         PLAN);
    tool(1, SAYS("Fault at", "WPIN_FAULT_OVERCURRENT", "ended by a fault"), "run %s %s",
         accepted_rig("pump trip-level", "level: 6A", "level: 0.5A"), PLAN);
    tool(0, SAYS("the rig's ramp limit holds"), "run %s %s", changed_rig("up: 2s", "up: 4s"), PLAN);
}
END_TEST

START_TEST(a_second_way_round_rests_first_and_says_so) {
    const char *plan = write_file("both.plan", "main on\npump ramp 50% in 1s\n"
                                               "pump ramp reverse 50% in 1s\npump stop\n");
    tool(0, SAYS("1.15 s before it: ramp to zero and rest"), "run %s %s", RIG, plan);
}
END_TEST

START_TEST(wrong_usage_is_told) {
    const struct {
        const char *arguments, *words;
    } rows[] = {
        {"", "Usage: windpin COMMAND"},
        {"rnu", "unknown command 'rnu'; did you mean 'run'?"},
        {"run", "expected two files: a rig and a plan"},
        {"run a b c", "'c' is one too many; expected two files: a rig and a plan"},
        {"find a", "expected a rig and the name of a load"},
        {"sweep a b c", "'c' is one too many; expected a rig and the name of a load"},
        {"tell a b", "'tell' is called 'preview' now"},
        {"preview a", "expected two files: a rig and a plan"},
        {"run --fast a b", "unrecognized option '--fast'"},
        {"run --sample 0 a b", "expected a number of rows per second, 1 to 1000000"},
        {"run --sample x a b", "expected a number of rows per second"},
        {"run /nowhere/a.yaml b", "/nowhere/a.yaml: can't be opened: No such file"},
        {"run " RIG " /nowhere/b.plan", "/nowhere/b.plan: can't be opened: No such file"},
        {"run " RIG " " PLAN " --plot pump.gif", "expected a name ending in .png or .svg"},
        {"run " RIG " " PLAN " --trace /nowhere/t.csv",
         "/nowhere/t.csv: can't be written: No such"},
        {"run " RIG " " PLAN " --vcd /nowhere/t.vcd", "/nowhere/t.vcd: can't be written: No such"},
        {"run " PLAN " " PLAN, "must be a mapping"},
        {"plot", "expected a trace"},
        {"plot x.csv", "expected -o and the name of the picture"},
        {"plot /nowhere/x.csv -o y.png", "can't be opened"},
        {"plot " PLAN " -o y.png", "this is not a trace"},
        {"rig", "expected a rig file"},
        {"rig " PLAN, "must be a mapping"},
        {"demo x", "the demo takes no file"},
        {"demo -o /nowhere/x", "the folder can't be made"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool(2, SAYS(rows[i].words), "%s", rows[i].arguments);
    }
}
END_TEST

START_TEST(a_full_disk_is_told) {
    tool(1, SAYS("/dev/full: writing failed: No space left on device", "trace is not complete"),
         "run %s %s --trace /dev/full", RIG, PLAN);
    tool(1, SAYS("/dev/full: writing failed: No space left"), "run %s %s --vcd /dev/full", RIG,
         PLAN);
    tool(1, SAYS("standard output can't be written"), "run %s %s > /dev/full", RIG, PLAN);
    tool(2, SAYS("/dev/full"), "plot %s -o /dev/full", PLAN);
}
END_TEST

START_TEST(an_interrupt_stops_the_motor_and_keeps_the_trace) {
    const char *forever = write_file("forever.plan", "main on\nrepeat 30000\npump run 60% for 30s\n"
                                                     "pump run reverse 60% for 30s\nend\n");
    char csv[512];
    snprintf(csv, sizeof csv, "%s", scratch("cut.csv"));
    int status = run_command(output, sizeof output,
                             "timeout --preserve-status -s %s 1 " TEST_TOOL " run %s %s --trace %s",
                             _i ? "TERM" : "INT", RIG, forever, csv);
    ck_assert_int_eq(status, 1);
    ck_assert_ptr_nonnull(strstr(output, "interrupted: every motor was ramped to rest"));
    ck_assert_ptr_nonnull(strstr(output, "the trace is complete up to there"));
    ck_assert_ptr_nonnull(strstr(output, "cut short by you"));
    char *text = contents(csv), *last = strrchr(text, ',');
    ck_assert(last[strlen(last) - 1] == '\n'); /* whole rows to the end */
    char *row = memrchr(text, '\n', strlen(text) - 1);
    double time, asked, duty;
    ck_assert_int_eq(sscanf(row, "\n%lf,%lf,%lf", &time, &asked, &duty), 3);
    ck_assert_double_gt(time, 0); /* how far it comes in a second is the machine's affair */
    ck_assert_double_eq(duty, 0);
    free(text);
}
END_TEST

START_TEST(later_rounds_are_summed_up) {
    const char *plan = write_file("rounds.plan", "main on\nrepeat 50\npump run 40% for 1s\nend\n");
    tool(0, SAYS("... and 48 more in later rounds", "51 steps: 51 as asked"), "run %s %s", RIG,
         plan);
    tool(0, SAYS("51 steps: 51 as asked"), "run --all %s %s", RIG, plan);
    ck_assert_ptr_null(strstr(output, "more in later rounds"));
}
END_TEST

START_TEST(the_same_run_twice_is_the_same) {
    for (int i = 0; i < 2; i++) {
        tool(0, NOTHING_MORE, "run %s %s --trace %s --sample 20000", RIG, PLAN,
             scratch(i ? "two.csv" : "one.csv"));
    }
    ck_assert_int_eq(
        run_command(output, sizeof output, "cmp %s %s", scratch("one.csv"), scratch("two.csv")), 0);
}
END_TEST

START_TEST(traces_are_drawn) {
    tool(0, NOTHING_MORE, "run %s %s --trace %s", RIG, PLAN, scratch("t.csv"));
    tool(0, SAYS("Picture: "), "plot %s -o %s", scratch("t.csv"), scratch("t.svg"));
    char *svg = contents(scratch("t.svg"));
    const char *const words[] = {
        "<svg", "duty (%)", "motor volts (V)", "current (A)", "output (rpm)", "time (s)", "pump"};
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        ck_assert_msg(strstr(svg, words[i]) != NULL, "%s", words[i]);
    }
    free(svg);
    tool(2, SAYS("bad.csv:3:7: found 'x"), "plot %s -o %s",
         write_file("bad.csv", "time_s,a_asked_percent,a_duty_percent,a_volts,a_amps,a_amps_min,"
                               "a_amps_max,a_rpm,a_supply_volts,a_turns,a_effect_percent,"
                               "a_asked_rpm,a_measured_rpm,a_asked_amps,a_measured_amps,a_phase\r\n"
                               "0,1,2,3,4,5,6,7,8,9,10,,,,,off\r\n"
                               "0.001,x,2,3,4,5,6,7,8,9,10,,,,,off\r\n"),
         scratch("u.png"));
    ck_assert_int_ne(access(scratch("u.png"), F_OK), 0);
}
END_TEST

START_TEST(the_rig_is_listed) {
    tool(0,
         SAYS("honey pump", "direction 4, brake 7, pwm 9", "20000 Hz in 800 steps", "stall 6.38 A"),
         "rig %s", RIG);
    tool(0, NOTHING_MORE, "rig %s --json", RIG);
    json_t *all = json_loads(output, 0, NULL);
    const json_t *pump = json_array_get(json_object_get(all, "loads"), 0);
    ck_assert_str_eq(json_string_value(json_object_get(pump, "name")), "pump");
    json_decref(all);
}
END_TEST

START_TEST(the_start_duty_is_found_stored_and_used) {
    tool(0, SAYS("pump starts at 19.4 % duty and stops again below 16.8 %", "drop-out: 18%"),
         "find %s pump", RIG);
    const char *rig = changed_rig("off-phase: slow", "off-phase: slow");
    for (int i = 0; i < 2; i++) { /* twice: the second time it is replaced */
        tool(0, SAYS("Stored in "), "find %s pump --write", rig);
    }
    run_command(output, sizeof output, "grep -c 'start: {duty' %s", rig);
    ck_assert_int_eq(atoi(output), 1);
    const char *low = write_file("low.plan", "main on\npump ramp 8%\npump hold 1s\npump stop\n");
    tool(0, SAYS("lifted to 20.5 %, its start duty"), "run %s %s", rig, low);
    tool(1, SAYS("'pump' does not start, even at 93.", "there it tripped: The current"),
         "find %s pump", changed_rig("static-friction: 14mNm", "static-friction: 900mNm"));
    tool(2, SAYS("describes no load 'fan'"), "find %s fan", RIG);
    char kick[400];
    snprintf(kick, sizeof kick, "start: {duty: 20%%, drop-out: 17%%, below: %s%s}\n    rest: 400ms",
             "kick", ", kick-level: 60%, kick-time: 80ms");
    tool(0, SAYS("4 steps: 4 as asked"), "run %s %s", changed_rig("rest: 400ms", kick),
         write_file("kick.plan", "main on\npump ramp 18%\npump hold 3s\npump stop\n"));
    tool(2, SAYS("does not get 'pump' moving; expected 17 % or more"), "run %s %s",
         changed_rig("rest: 400ms", kick), low);
}
END_TEST

START_TEST(a_motor_rated_below_its_supply_is_capped) {
    const char *rig = changed_rig("resistance: 1.4ohm", "resistance: 1.4ohm\n      rated: 6V");
    tool(0, SAYS("duty up to 50 %"), "rig %s", rig);
    tool(2, SAYS("60 % is out of range; expected up to 50 %"), "run %s %s", rig, PLAN);
    tool(0, SAYS("+50.0"), "run %s %s", rig,
         write_file("on.plan", "main on\npump on\npump hold 1s\npump off\n"));
    const char *relay =
        write_file("relay.yaml",
                   "rig: r\nsupplies: {main: {voltage: 12V, resistance: 0ohm}}\nloads:\n  l:\n"
                   "    supply: main\n    stage: {kind: relay, pins: {coil: 2}}\n    driver: "
                   "{on-resistance: 0ohm, current-limit: 9A, voltage-limit: 30V}\n    motor: "
                   "{resistance: 1ohm, inductance: 1mH, constant: 9mNm/A, inertia: 9gcm2, rated: "
                   "6V}\n    rest: 1s\n");
    tool(2, SAYS("rated 6 V on 12 V, and 'relay' knows on and off only"), "rig %s", relay);
    tool(2, SAYS("rated: '6A' is a current; expected a voltage"), "rig %s",
         changed_rig("resistance: 1.4ohm", "resistance: 1.4ohm\n      rated: 6A"));
}
END_TEST

START_TEST(a_sweep_goes_through_zero_and_marks_the_dead_zone) {
    tool(0,
         SAYS("-100.0   -11.50   -1.046     -242", "0   dead zone",
              "It stands from -10.0 % to +10.0 %"),
         "sweep %s pump", RIG);
    tool(0, NOTHING_MORE, "sweep %s pump --places 41 --json", RIG);
    json_t *all = json_loads(output, 0, NULL), *place;
    size_t i;
    double before = -1e9;
    ck_assert_uint_eq(json_array_size(json_object_get(all, "places")), 41);
    json_array_foreach(json_object_get(all, "places"), i, place) {
        double rpm = json_number_value(json_object_get(place, "rpm"));
        double duty = json_number_value(json_object_get(place, "duty_percent"));
        ck_assert_double_ge(rpm, before - 1e-6); /* faster with every step */
        ck_assert_double_eq_tol(duty, -100 + 5.0 * (double)i, 1e-6);
        ck_assert(json_is_true(json_object_get(place, "dead")) == (duty != 0 && rpm == 0));
        before = rpm;
    }
    json_decref(all);
    tool(0, SAYS("+0.0", "+100.0"), "sweep " TEST_SOURCE "/demo/honey-house.yaml fan --places 3");
    ck_assert_ptr_null(strstr(output, "-100"));
    tool(1, SAYS("knows on and off only: nothing to sweep"),
         "sweep " TEST_SOURCE "/demo/honey-house.yaml ventilator");
    tool(1, SAYS("'pump' stopped after", "The current was above"), "sweep %s pump",
         changed_rig("level: 6A", "level: 1A"));
    tool(2, SAYS("expected a whole number, 2 to 401"), "sweep %s pump --places 1", RIG);
    tool(2, SAYS("describes no load"), "sweep %s drum", RIG);
}
END_TEST

#define HOUSE TEST_SOURCE "/demo/honey-house.yaml"

START_TEST(a_plan_is_told_in_words) {
    tool(0,
         SAYS("pump goes forward to 60 % duty; takes 1.500 s, up to 1.14 A",
              "pump is shorted and brakes", "9.102 s  the end: every load at zero duty",
              "All loads together: at most 2.77 A"),
         "preview %s %s", RIG, PLAN);
    tool(0, SAYS("latch goes to 35 % duty, kicked with 100 % for 80 ms; takes"), "preview %s %s",
         HOUSE, TEST_SOURCE "/demo/honey-house.plan");
    tool(0, SAYS("ventilator: relay, on and off only, 1 operation;"), "run %s %s", HOUSE,
         TEST_SOURCE "/demo/honey-house.plan");
    tool(1, SAYS("This would burn: pump driver", "Vetting: 2 refused"), "preview %s %s",
         changed_rig("current-limit: 8A", "current-limit: 0.7A"), PLAN);
}
END_TEST

START_TEST(stages_are_printed_in_plain_words) {
    tool(0, SAYS("low-side-switch", "full-bridge", "own-table"), "stage");
    tool(0, SAYS("This stage can not coast", "off is a brake"), "stage two-relays");
    tool(0, SAYS("gate", "PWM inverse", "This stage can not reverse"), "stage high-side-switch");
    tool(0, SAYS("direction (4)", "brake (7)", "pwm (9)"), "stage %s PUMP", RIG);
    tool(2, SAYS("unknown kind of stage 'two-relay' (did you mean 'two-relays'?)"),
         "stage two-relay");
    tool(2, SAYS("describes no load 'fan'"), "stage %s fan", RIG);
}
END_TEST

/* Each fault by the command line, with what the run must say and return. */
/* What goes wrong in the middle of a step, or after it, while nobody looks. */
START_TEST(a_step_answers_for_all_its_time) {
    static const struct {
        const char *rig, *plan, *says;
        int status;
    } rows[] = {
        {RIG, "fault pump motor-swapped\nmain on\npump run 60% for 2s\n",
         "turned the wrong way from 0.40 s for 2.30 s, at up to 126 rpm", 1},
        {RIG,
         "main on\npump ramp 60% in 1.5s\nwait 500ms\nfault pump stalled\nwait 2.5s\nmend pump "
         "stalled\n"
         "wait 1s\npump stop\n",
         "stood still from 2.00 s for 2.50 s, stalled at 3.91 A", 1},
        {RIG,
         "main on\npump ramp 60% in 1.5s\nfault pump motor-wire-off\npump hold 10s\npump stop\n",
         "no current from 1.50 s on: a wire off", 1},
        {RIG, "main on\npump ramp 60% in 1.5s\nfault main dead\nwait 4s\npump stop\n",
         "no current from 1.50 s for 4.00 s: supply 'main' gave 0 V", 1},
        {RIG, "main on\npump ramp 60% in 1.5s\npump stop in 100ms\n",
         "0.80 s longer than asked: the rig's ramp limit holds", 0},
        {HOUSE, "main on\nlamp ramp 50% in 1s\nfault lamp motor-wire-off\nwait 2s\nlamp stop\n",
         "no current from 1.00 s for 2.00 s: a wire off", 1},
        {HOUSE, "main on\nlatch on\nwait 1s\nfault latch motor-wire-off\nwait 2s\nlatch off\n",
         "no current from 1.08 s for 2.00 s: a wire off", 1},
        {HOUSE,
         "main on\nventilator on\nwait 2s\nfault ventilator motor-wire-off\nwait 5s\nventilator "
         "off\n",
         "no current from 2.00 s for 5.00 s: a wire off", 1},
        {HOUSE, "fault ventilator motor-swapped\nmain on\nventilator on\nwait 2s\nventilator off\n",
         "turned the wrong way from 0.01 s for 1.99 s, at up to 2088 rpm", 1},
        {HOUSE, "fault turntable stalled\nmain on\nturntable turn 90deg\nturntable release\n",
         "did not move at 0.8 A: its rotor is held", 1},
        {HOUSE, "fault turntable motor-swapped\nmain on\nturntable turn 90deg\nturntable release\n",
         "turned the wrong way, to -85.5 deg: the leads of one winding are swapped", 1},
        {HOUSE,
         "fault turntable wire-off a1\nmain on\nturntable turn 90deg\nturntable hold 1s\n"
         "turntable release\n",
         "counted 90.0: steps were lost before", 1},
        {HOUSE, "main on\nventilator on for 200ms\n",
         "on for 0.30 s longer than asked: the rig's least-time", 0},
        {HOUSE, /* a knob that was left turned up moves nothing when it is followed anew */
         "main on\nparallel\nfan follow dial for 4s\ntrack\nwait 500ms\ndial turn "
         "60%\nend\nend\nfan follow dial for 2s\n",
         "its input asked for nothing (a knob must be at zero once before it counts)", 0},
        {HOUSE, /* one that sticks goes on asking */
         "main on\nparallel\nfan follow dial for 4s\ntrack\nwait 500ms\ndial turn 60%\nwait "
         "1s\nfault dial stuck\ndial turn 0%\nwait 1s\nmend dial stuck\nend\nend\nwait until fan "
         "resting at most 100ms\n",
         "ok, up to 59 % and 2086 rpm", 0},
        {HOUSE, "main on\nlamp ramp 90% in 1s\nfault main weak\nlamp hold 3s\nlamp off\n",
         "expected at 90 % duty: 'main' gives too few volts", 1},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool(rows[i].status, SAYS(rows[i].says), "run %s %s", rows[i].rig,
             write_file("course.plan", rows[i].plan));
    }
}
END_TEST

/* What a reversed load's pins show is what they are driven to. */
START_TEST(a_reversed_stage_is_shown_as_it_is) {
    tool(0, SAYS("forward   high          low           PWM", "reverse   low           low"),
         "stage " RIG " pump");
    tool(0,
         SAYS("levels as on the pins, reversed", "forward   low           low           PWM",
              "reverse   high          low"),
         "stage %s pump", changed_rig("      pwm: 20kHz", "      reversed: yes\n      pwm: 20kHz"));
    tool(0, SAYS("Reverse in each sector by its row, forward by the row three sectors on"),
         "stage %s drum",
         write_file("reversed.yaml",
                    (run_command(output, sizeof output,
                                 "sed 's/dead-time: 1us/dead-time: 1us\\n      "
                                 "reversed: yes/' " TEST_SOURCE "/demo/honey-spinner.yaml"),
                     output)));
}
END_TEST

START_TEST(pins_have_names) {
#define NAMES "  names: {header: {7: 4, 11: 7, 13: 9}, print: {X4: 4, X9: 9}}\n"
    static const struct {
        const char *controller, *pins, *says;
        int status;
    } rows[] = {
        {NAMES, "{direction: 4, brake: 7, pwm: 9}", "'7' may be line 7 of the controller, or by",
         2},
        {NAMES "  numbering: lines\n", "{direction: 4, brake: 7, pwm: 9}", "header 7, X4 ", 0},
        {NAMES "  numbering: lines\n", "{direction: X4, brake: 7, pwm: x9}", "header 13, X9 ", 0},
        {NAMES "  numbering: header\n", "{direction: 7, brake: 11, pwm: X9}", "header 7, X4 ", 0},
        {NAMES "  numbering: header\n", "{direction: 4, brake: 11, pwm: X9}",
         "'4' is not in 'header'", 2},
        {NAMES "  numbering: lines\n", "{direction: X5, brake: 7, pwm: 9}", "'X5' is not a pin", 2},
        {"  names: {header: 7}\n", "{direction: 4, brake: 7, pwm: 9}", "names must be schemes", 2},
        {"  names: {header: {7: four}}\n", "{direction: 4, brake: 7, pwm: 9}",
         "'four' is not a line of the controller", 2},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char from[100], to[400];
        snprintf(from, sizeof from, "controller:\n");
        snprintf(to, sizeof to, "controller:\n%s", rows[i].controller);
        const char *named = changed_rig(from, to);
        char *text = contents(named), *at = strstr(text, "{direction: 4"), *end = strchr(at, '}');
        char *all = NULL;
        ck_assert_int_ge(asprintf(&all, "%.*s%s%s", (int)(at - text), text, rows[i].pins, end + 1),
                         0);
        tool(rows[i].status, SAYS(rows[i].says), "rig --wiring %s", write_file("names.yaml", all));
        free(all);
        free(text);
    }
}
END_TEST

START_TEST(sheets_count_in_whole_numbers) {
    tool(2, SAYS("count: 2.5 is not a whole number; it counts cells in series"),
         "size cells count=2.5 voltage=1.2V capacity=2Ah load=1A");
    tool(1, SAYS("over 1000 degC"), "size heat supply=12V load=40A on-resistance=250mohm");
    tool(0, SAYS("worst    7.30, with current +10 %"),
         "size regulator input=5V output=12V current=100mA efficiency=85%%");
    tool(0,
         SAYS("alternating current takes a contact", "  solid-state-relay          fits\n",
              "mains can kill"),
         "size stage ac=yes");
    tool(0, SAYS("direct-pin                 fits"), "size stage current=10mA voltage=5V");
}
END_TEST

START_TEST(a_first_motion_says_which_way) {
    static const struct {
        const char *arguments, *says;
        int status;
    } rows[] = {
        {RIG " pump --free", "30 % for 1 s    142 deg clockwise, up to 38 rpm", 0},
        {RIG " pump --free --from-back", "142 deg counter-clockwise", 0},
        {RIG " pump --free --forward clockwise --fault 'pump motor-swapped'",
         "forward ought to be clockwise: 'reversed: yes' in its stage makes it so", 0},
        {RIG " pump --free --fault 'pump stalled'", "not moving: stalled at 1.82 A", 1},
        {RIG " pump --free --json", "\"ought_to_be_reversed\": false", 0},
        {RIG " pump", "nothing moves before somebody says that the shaft of 'pump' is free", 2},
        {RIG " pump --free --forward left", "expected clockwise or counter-clockwise", 2},
        {HOUSE " --free", "on for 0.3 s    11.9 turns clockwise", 1}, /* the gate is shut */
        {HOUSE " gate --free", "limit switch 'gate-shut' is reached already", 1},
        {HOUSE " turntable --free", "44 deg counter-clockwise", 0},
        {HOUSE " lamp --free", "'lamp' has no shaft", 2},
        {TEST_SOURCE "/demo/honey-spinner.yaml --free", "250 deg clockwise", 0},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool(rows[i].status, SAYS(rows[i].says), "first %s < /dev/null", rows[i].arguments);
    }
    char *text = contents(RIG);
    const char *path = write_file("first.yaml", text);
    free(text);
    tool(0, SAYS("stored in"), "first %s --free --forward counter-clockwise --write", path);
    tool(0, SAYS("forward is counter-clockwise, seen from the end of its shaft"), "rig %s", path);
    tool(0, SAYS("142 deg counter-clockwise"), "first %s --free --forward counter-clockwise", path);
    tool(0, SAYS("it has moved before; forward is counter-clockwise"), "vet %s", path);
}
END_TEST

START_TEST(each_fault_shows_as_it_would_on_the_bench) {
    static const struct {
        const char *fault, *words;
        int status;
    } rows[] = {
        {"main dead", "not moving", 1},
        {"main weak", "highest current", 0},
        {"pump stalled", "not moving: stalled at 4.56 A", 1},
        {"pump wire-off pwm", "not moving: no current flows", 1},
        {"pump wire-off brake", "still running down", 0},
        {"pump wires-swapped", "A and nothing asked of it: control wires mixed up", 1},
        {"pump motor-wire-off", "not moving: no current flows", 1},
        {"pump motor-swapped", "turned the wrong way from 0.40 s on, at up to 146 rpm", 1},
        {"pump no-ground", "not moving: no current flows", 1},
        {"controller link-lost", "lost; nothing was moving", 1},
        {"pump diode-reversed", "short: a free-wheel diode lies the wrong way round", 1},
    };
    const char *plan = write_file("fault.plan", "main on\npump ramp 70%\npump hold 2s\n"
                                                "pump brake for 50ms\npump rest 1s\n");
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool(rows[i].status, SAYS(rows[i].words), "run %s %s --fault '%s'", RIG, plan,
             rows[i].fault);
    }
    tool(0, SAYS("5 steps: 4 as asked, 1 with a remark"), "run %s %s", RIG, plan);
    tool(2, SAYS("unknown fault 'staled' of 'pump' (did you mean 'stalled'?)"),
         "run %s %s --fault 'pump staled'", RIG, plan);
    tool(2, SAYS("'pump' has no line 'pmw' (did you mean 'pwm'?)"),
         "run %s %s --fault 'pump wire-off pmw'", RIG, plan);
    tool(2, SAYS("'drum' is not a load, supply or input"), "run %s %s --fault 'drum stalled'", RIG,
         plan);
    const char *mended = write_file("mend.plan", "main on\npump ramp 50%\nfault pump stalled\n"
                                                 "wait 500ms\nmend pump stalled\npump hold 2s\n"
                                                 "pump stop\n");
    tool(
        1,
        SAYS("stood still from 1.00 s for 0.50 s, stalled at 3.24 A", "7 steps: 6 as asked, 1 not"),
        "run %s %s", RIG, mended);
    tool(1, SAYS("not moving: stalled"), "run %s %s",
         changed_rig("supplies:", "faults: [pump stalled]\nsupplies:"),
         write_file("low.plan", "main on\npump ramp 50%\npump hold 1s\npump stop\n"));
    /* a motion's life of 250 ms, then its ramp: 60 % of 1.5 s */
    tool(1, SAYS("WPIN_FAULT_LINK", "every load at rest by itself 1.15 s later"), "run %s %s", RIG,
         write_file("link.plan", "main on\nparallel\npump run 60% for 6s\ntrack\nwait 3s\n"
                                 "fault controller link-lost\nend\nend\n"));
}
END_TEST

/* A fault that the plan waits for, clears, and goes on after; on a drive and on a bridge. What it
 * does not wait for ends it as ever, and a cause that stays is not cleared away. */
START_TEST(a_plan_tries_a_protection) {
    const char *line = TEST_SOURCE "/demo/honey-line.yaml",
               *drum = TEST_SOURCE "/demo/honey-drum.yaml";
#define BLOCKED "main on\ndrum ramp 60rpm\nfault drum stalled\n"
#define AWAITED BLOCKED "wait until drum faulted at most 5s\n"
#define AGAIN   "drum run 20rpm for 1s\ndrum ramp 60rpm\ndrum hold 1s\ndrum stop\n"
    tool(0,
         SAYS("clear at most 3s", "ok, cleared and armed: its first move is slow and short",
              "WPIN_FAULT_DRIVE; cleared at", "error code 7121h", "20 steps: 20 as asked"),
         "run %s " TEST_SOURCE "/demo/honey-blocked.plan", line);
    tool(0, SAYS("cleared at", "10 steps: 10 as asked"), "run %s %s", drum,
         write_file("b.plan", AWAITED "mend drum stalled\ndrum clear at most 2s\n" AGAIN));
    tool(0, SAYS("ok, until its fault: WPIN_FAULT_", "6 steps: 6 as asked"), "run %s %s", drum,
         write_file("b.plan",
                    "main on\nfault drum stalled\ndrum run 60rpm until drum faulted at most "
                    "5s\nmend drum stalled\ndrum clear at most 2s\ndrum run 20rpm for 1s\n"));
    tool(1, SAYS("1  no fault  missed"), "run %s %s", drum,
         write_file("b.plan",
                    "require no fault\n" AWAITED "mend drum stalled\ndrum clear at most 2s\n"));
    tool(1, SAYS("cleared at", "ended by a fault: WPIN_FAULT_"), "run %s %s", drum,
         write_file("b.plan", AWAITED "drum clear at most 2s\n" AGAIN));
    tool(1, SAYS("Fault at", "5 steps: 4 as asked, 1 not"), "run %s %s", drum,
         write_file("b.plan", AWAITED "wait 1s\ndrum clear at most 2s\n" AGAIN));
    tool(1, SAYS("did not come in time; the plan was ended"), "run %s %s", drum,
         write_file("b.plan", "main on\ndrum ramp 60rpm\nwait until drum faulted at most 1s\n"));
    tool(1, SAYS("after a fault move 2 s at most first"), "run %s %s", drum,
         write_file("b.plan", AWAITED "mend drum stalled\ndrum clear at most 2s\ndrum ramp 20rpm\n"
                                      "wait 4s\ndrum stop\n"));
    tool(0, SAYS("ok, there was no fault"), "run %s %s", drum,
         write_file("b.plan", "main on\ndrum clear at most 2s\n"));
    tool(2, SAYS("is driven by another track"), "run %s %s", drum,
         write_file("b.plan",
                    "main on\nparallel\ndrum run 60rpm for 2s\nwait until drum faulted at "
                    "most 2s\nend\n"));
}
END_TEST

START_TEST(the_honey_house_runs_and_waits_for_its_button) {
    const char *house = TEST_SOURCE "/demo/honey-house.plan";
    tool(0,
         SAYS("wait until start pressed", "ventilator: relay, on and off only",
              "stopped at limit switch 'gate-open'", "ok, at 90.0 deg", "39 steps: 39 as asked"),
         "run %s %s", HOUSE, house);
    const char *deaf = write_file("deaf.plan", "main on\nfan ramp 50%\n"
                                               "wait until start pressed at most 300ms\n"
                                               "fan stop\n");
    tool(1, SAYS("did not come in time; the plan was ended", "WPIN_FAULT_TIMEOUT"), "run %s %s",
         HOUSE, deaf);
    tool(1, SAYS("did not come in time"), /* held since power-up: it starts nothing */
         "run %s %s --fault 'start stuck'", HOUSE, deaf);
    const char *current =
        write_file("current.plan", "main on\npump ramp 60% in 2s\n"
                                   "wait until pump below 2A at most 1s\n"
                                   "pump stop\nwait until pump resting at most 3s\n");
    tool(0, SAYS("5 steps: 5 as asked"), "run %s %s", HOUSE, current);
    const struct {
        const char *plan, *words;
    } rows[] = {{"wait until start pressed\n", "no wait without an end: expected 'at most'"},
                {"wait until start prest at most 1s\n", "unknown event 'prest'"},
                {"wait until fan above 2A at most 1s\n", "the current of 'fan' is not sensed"},
                {"wait until noon at most 1s\n", "expected a load or an input of the rig"},
                {"start push\n", "expected 'press' or 'release'"},
                {"gate ramp 50%\ngate stop\n", "does not get 'gate' moving; expected 65 %"}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool(2, SAYS(rows[i].words), "run %s %s", HOUSE, write_file("w.plan", rows[i].plan));
    }
}
END_TEST

START_TEST(parts_are_sized) {
    const struct {
        int status;
        const char *arguments, *words;
    } rows[] = {
        {0, "size", "base-resistor  base resistor of a bipolar"},
        {0, "size base-resistor < /dev/null",
         "Example: windpin size base-resistor load=120mA gain=20"},
        {0, "size base-resistor load=120mA gain=20",
         "worst    1.00, with gain -10 %, base +5 %, pin -5 %"},
        {0, "size base-resistor load=120mA gain=20", "560 ohm   next E12 value down"},
        {1, "size pin load=80mA", "refuse: a switch is needed"},
        {0, "size pin load=8mA --json", "\"severity\": \"fine\""},
        {2, "size base-resistor gain=20 < /dev/null", "'load' is missing: collector current"},
        {2, "size base-resistor load=120 < /dev/null",
         "load: '120' has no unit; expected a current"},
        {2, "size base-resistor load=120mA load=1A", "'load' is given twice"},
        {2, "size base-resistor load=1mA gain=0.1",
         "gain: 0.1 is out of range; expected 1 to 5000"},
        {2, "size base-resistor laod=1mA", "(did you mean 'load='?)"},
        {2, "size bse-resistor", "unknown sheet 'bse-resistor' (did you mean 'base-resistor'?)"},
        {0, "size stage both-ways=yes speed=yes", "not, as it can't reverse:\n    low-side-switch"},
        {0, "size stage both-ways=yes --json", "\"unmet\": \"it can't reverse\""},
        {2, "size stage both-ways=perhaps", "expected yes or no"},
        {2, "size stage loud=yes", "'loud=yes' is not a wish"},
        {0, "preview " RIG " " PLAN " --json", "\"would_burn\": []"},
        {0, "find " RIG " pump --json", "\"start_duty_percent\""},
        {0, "stage direction-pwm-brake --json", "\"means\": \"the motor is shorted\""},
        {0, "stage " HOUSE " turntable", "step 7"},
        {1, "find " HOUSE " lamp", "'lamp' is not a motor"},
        {2, "export " RIG " -o /nowhere/x.h", "/nowhere/x.h: can't be written"},
        {2, "vet " RIG " a b", "'b' is one file too many"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool(rows[i].status, SAYS(rows[i].words), "%s", rows[i].arguments);
    }
    int status = run_command(output, sizeof output, /* on a terminal it asks, and asks again */
                             "printf '120\\n120mA\\n' | script -qec '" TEST_TOOL
                             " size base-resistor gain=20' /dev/null");
    ck_assert_msg(status == 0 && strstr(output, "load (collector current") != NULL &&
                      strstr(output, "'120' has no unit") != NULL &&
                      strstr(output, "560 ohm") != NULL,
                  "%d %s", status, output);
}
END_TEST

/* Pressed while all kinds of loads work: each comes to rest its own way, and the run says when. */
START_TEST(the_stop_input_stops_the_house) {
    const char *plan = write_file(
        "stop.plan", "main on\nlatch on\nparallel\n  ventilator on for 14s\n  fan run 70% for 10s\n"
                     "  turntable turn 720deg\n  pump run 60% for 8s\n  conveyor run 55% for 6s\n"
                     "  track\n    wait 2.5s\n    stop press\n    wait 1s\n  end\nend\nall off\n");
    int status = run_command(output, sizeof output,
                             TEST_TOOL " run " TEST_SOURCE "/demo/honey-house.yaml %s", plan);
    ck_assert_msg(status == 1, "%s", output);
    static const char *const says[] = {"WPIN_FAULT_STOPPED",
                                       "stop was pressed: every load is stopped",
                                       "pump stood 0.",
                                       "conveyor stood 0.",
                                       "turntable stood 0.",
                                       "fan stood 1.",
                                       "after that: it ramped down",
                                       "cut short by the stop input",
                                       "Burnt: nothing"};
    for (size_t i = 0; i < sizeof says / sizeof *says; i++) {
        ck_assert_msg(strstr(output, says[i]) != NULL, "no '%s' in\n%s", says[i], output);
    }
    run_command(output, sizeof output,
                TEST_TOOL " preview " TEST_SOURCE "/demo/honey-house.yaml " TEST_SOURCE
                          "/demo/honey-house.plan");
    ck_assert_msg(
        strstr(output,
               "Stop input 'stop':\n  pump brakes, from full speed at rest after about 0.1") !=
            NULL,
        "%s", output);
}
END_TEST

/* Every fault of the drum, at a few moments: noticed by the controller, by the right name, soon; a
 * wire that was not needed any more is said to be so; a plan that goes wrong by itself is refused.
 */
START_TEST(faults_are_tried_one_by_one) {
    const char *drum = TEST_SOURCE "/demo/honey-drum.yaml",
               *plan = TEST_SOURCE "/demo/honey-drum.plan";
    run_command(output, sizeof output, TEST_TOOL " faults %s %s --moments 3 --json", drum, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    size_t i, noticed = 0, right = 0;
    ck_assert_msg(all != NULL, "%s", output);
    json_array_foreach(json_object_get(all, "faults"), i, one) {
        const char *fault = json_string_value(json_object_get(one, "fault"));
        json_int_t n = json_integer_value(json_object_get(one, "noticed"));
        noticed += (size_t)n;
        right += (size_t)json_integer_value(json_object_get(one, "right_name"));
        ck_assert_int_eq(json_integer_value(json_object_get(one, "burnt")), 0);
        ck_assert_int_eq(json_integer_value(json_object_get(one, "record_only")), 0);
        ck_assert_msg(json_real_value(json_object_get(one, "latest_s")) < 3, "%s", fault);
        if (strstr(fault, "wire-off direction") == NULL && strstr(fault, "brake") == NULL) {
            ck_assert_msg(n == 3, "%s: %lld noticed", fault, (long long)n);
        }
    }
    ck_assert_uint_eq(i, 11);
    ck_assert_uint_ge(right * 10, noticed * 9);
    json_decref(all);
    const char *bad = write_file("bad.plan", "drum ramp 90rpm\ndrum stop\n");
    tool(1, SAYS("without any fault the plan does not end well"), "faults %s %s", drum, bad);
    tool(2, SAYS("expected a whole number, 1 to 1000"), "faults %s %s --moments 0", drum, plan);
}
END_TEST

/* At the end of its ramp to zero a regulator may want to drive back: that is no turning over. */
START_TEST(turning_over_is_said_where_it_is_so) {
    const char *once = write_file("once.plan", "main on\ndrum run 150rpm for 4s\n"),
               *over = write_file("over.plan", "main on\ndrum ramp 20rpm\n"
                                               "drum ramp reverse 20rpm\ndrum stop\n");
    for (int i = 0; i < 2; i++) {
        const char *rig = i == 0 ? "honey-drum" : "honey-spinner";
        tool(0, SAYS("2 steps: 2 as asked."), "run %s/demo/%s.yaml %s", TEST_SOURCE, rig, once);
        tool(0, SAYS("s before it: ramp to zero and rest, to turn the other way"),
             "run %s/demo/%s.yaml %s", TEST_SOURCE, rig, over);
    }
}
END_TEST

/* Identified on a bench that is not what the rig says, kept, and out of use once the entry changes.
 */
START_TEST(a_motor_is_identified_and_that_is_kept) {
    const char *rig = scratch("bench.yaml");
    run_command(output, sizeof output, "cp %s/demo/honey-motor.yaml %s", TEST_SOURCE, rig);
    tool(0, SAYS("torque constant", "57.11 mNm/A", "1.117 mH", "Stored in", "seed 1"),
         "identify %s drum --spread 20%% --write", rig);
    tool(0, SAYS("these constants are used", "1.117 mH, 57.11 mNm/A"), "rig %s", rig);
    tool(0, SAYS("identified: {on: "), "identify %s drum --json --write", rig); /* in its place */
    run_command(output, sizeof output, "grep -c identified %s", rig);
    ck_assert_str_eq(output, "1\n");
    run_command(output, sizeof output, "sed -i 's/inductance: 1.1mH/inductance: 2mH/' %s", rig);
    tool(0, SAYS("changed since"), "rig %s", rig);
    tool(0, SAYS("identified-before", "windpin identify again"), "vet %s", rig);
    tool(2, SAYS("describes no load"), "identify %s drumm", rig);
    tool(2, SAYS("--attached"), "identify %s/demo/honey-drum.yaml drum", TEST_SOURCE);
    tool(2, SAYS("expected 0 to 50%"), "identify %s drum --spread 60%%", rig);
    tool(2, SAYS("can't be read"), "identify %s drum --record /nowhere.csv", rig);
}
END_TEST

/* Found, kept with the day, and told once the wires are others; found again it holds again. */
START_TEST(an_order_is_found_and_kept) {
    const char *rig = scratch("spinner.yaml");
    run_command(output, sizeof output,
                "sed 's/uneven: 2deg/codes: [5, 4, 6, 2, 3, 1]/' %s/demo/honey-spinner.yaml > %s",
                TEST_SOURCE, rig);
    tool(0, SAYS("codes: [5, 1, 3, 2, 6, 4]", "Stored in"), "order %s drum --attached --write",
         rig);
    tool(0, SAYS("codes 5 1 3 2 6 4", "found on 20"), "rig %s", rig);
    run_command(output, sizeof output, "sed -i 's/dead-time: 1us/&\\n      reversed: yes/' %s",
                rig);
    tool(0, SAYS("0 with caution"), "vet %s", rig); /* which way it turns is no order */
    run_command(output, sizeof output, "sed -i 's/a: 14, b: 15/a: 15, b: 14/' %s", rig);
    tool(0, SAYS("have changed since"), "rig %s", rig);
    tool(0, SAYS("order-before", "windpin order again"), "vet %s", rig);
    tool(0, SAYS("as it stands there", "Stored in"), "order %s drum --attached --write", rig);
    tool(0, SAYS("0 with caution"), "vet %s", rig);
    run_command(output, sizeof output, "sed -i 's/of: [0-9a-f]*/of: wires/' %s", rig);
    tool(2, SAYS("'wires' is not a mark"), "rig %s", rig);
}
END_TEST

START_TEST(what_a_computer_lacks_is_said) {
    tool(0, SAYS("terminal", "gnuplot draws", "can be written in"), "missing");
    int status =
        run_command(output, sizeof output, "TERM=nonsense PATH=/nowhere %s missing", TEST_TOOL);
    ck_assert_int_eq(status, 1);
    ck_assert_ptr_nonnull(strstr(output, "missing  terminal  TERM is 'nonsense'"));
    ck_assert_ptr_nonnull(strstr(output, "apt install gnuplot-nox"));
    status = run_command(output, sizeof output, "TERM=xterm %s missing --json", TEST_TOOL);
    json_t *all = json_loads(output, 0, NULL);
    ck_assert_msg((status == 0 || status == 1) &&
                      json_array_size(json_object_get(all, "looked_at")) == 10,
                  "%s", output);
    json_decref(all);
    tool(2, SAYS("expected a number, 1 to 50"), "live %s/demo/honey-pump.yaml --priority 99",
         TEST_SOURCE);
    tool(2, SAYS("is not an earlier result"), "live %s/demo/honey-pump.yaml --save %s/README.md",
         TEST_SOURCE, TEST_SOURCE);
    run_command(output, sizeof output,
                "sed 's/voltage: 12V/voltage: 60V/' %s/demo/honey-pump.yaml > %s", TEST_SOURCE,
                scratch("burns.yaml"));
    tool(2, SAYS("nothing was opened", "windpin vet"), "live %s --powered", scratch("burns.yaml"));
}
END_TEST

START_TEST(the_examples_run) {
    const struct {
        const char *program, *words;
    } rows[] = {{"on_for_a_time", "  2.501 s                 duty  +60.0 %"},
                {"ramp", "held           duty  +60.0 %"},
                {"both_ways", "reverse        duty  -50.0 %"},
                {"fan_knob", "knob at 100 %  duty +100.0 %"},
                {"button_run", "2 presses. Done."},
                {"stop_button", "WPIN_REFUSED_NOT_ARMED duty   +0.0 %     +0 rpm"},
                {"regulated_speed", "heavy          duty  +95."},
                {"belts_in_step", "in step: never more than"},
                {"cabinet_warmth", "may run: yes  runs: no   cool enough: yes"},
                {"tight_lid", "1.562 A  0.600 Nm"},
                {"spinner", "duty  -34.4 %    -90 rpm"},
                {"sensorless_fan", "goes by its zero crossings   10.000 s"},
                {"wire_order", "codes of sectors 0 to 5: 5 1 3 2 6 4"},
                {"small_display", "[STAL]"},
                {"homed_gate", "brought to 60 deg: within a count"},
                {"size_a_switch", "base resistor: 560 ohm"},
                {"by_lines", "pump run 40% for 2s: ok"},
                {"from_outside", "101 %            duty  -30.0 %"},
                {"twins", "shafts: 118 rpm and -118 rpm"},
                {"turntable", "two turns: 800 half steps, coils off. Done."},
                {"one_drive", "operation enabled  66"},
                {"start_recipe", "605Ah:0 is refused: The value is too large."},
                {"watch_drive", "error 7121h: the motor is blocked"},
                {"own_stage", "state 1: can't                  pins 0 0 0"}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        int status = run_command(output, sizeof output, TEST_EXAMPLES "/%s", rows[i].program);
        ck_assert_int_eq(status, 0);
        ck_assert_msg(strstr(output, rows[i].words) != NULL, "%s", output);
        ck_assert_ptr_nonnull(strstr(output, "Done."));
        run_command(output, sizeof output, "wc -l < " TEST_SOURCE "/examples/%s.c",
                    rows[i].program);
        ck_assert_int_le(atoi(output), 60);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("tool");
    TCase *tests = tcase_create("tool");
    tcase_add_test(tests, the_demo_runs_and_leaves_its_files);
    tcase_add_test(tests, asked_and_achieved_agree);
    tcase_add_test(tests, a_large_rig_keeps_its_parts_apart);
    tcase_add_test(tests, a_current_limit_is_seen);
    tcase_add_test(tests, nothing_but_results_is_overwritten);
    tcase_add_test(tests, pin_levels_are_a_value_change_dump);
    tcase_add_test(tests, a_motor_that_does_not_move_is_explained);
    tcase_add_test(tests, a_second_way_round_rests_first_and_says_so);
    tcase_add_test(tests, wrong_usage_is_told);
    tcase_add_test(tests, a_full_disk_is_told);
    tcase_add_loop_test(tests, an_interrupt_stops_the_motor_and_keeps_the_trace, 0, 2);
    tcase_add_test(tests, later_rounds_are_summed_up);
    tcase_add_test(tests, the_same_run_twice_is_the_same);
    tcase_add_test(tests, traces_are_drawn);
    tcase_add_test(tests, the_rig_is_listed);
    tcase_add_test(tests, the_start_duty_is_found_stored_and_used);
    tcase_add_test(tests, turning_over_is_said_where_it_is_so);
    tcase_add_test(tests, a_motor_is_identified_and_that_is_kept);
    tcase_add_test(tests, a_motor_rated_below_its_supply_is_capped);
    tcase_add_test(tests, a_sweep_goes_through_zero_and_marks_the_dead_zone);
    tcase_add_test(tests, a_plan_is_told_in_words);
    tcase_add_test(tests, stages_are_printed_in_plain_words);
    tcase_add_test(tests, a_step_answers_for_all_its_time);
    tcase_add_test(tests, a_reversed_stage_is_shown_as_it_is);
    tcase_add_test(tests, pins_have_names);
    tcase_add_test(tests, sheets_count_in_whole_numbers);
    tcase_add_test(tests, a_first_motion_says_which_way);
    tcase_add_test(tests, each_fault_shows_as_it_would_on_the_bench);
    tcase_add_test(tests, a_plan_tries_a_protection);
    tcase_add_test(tests, the_honey_house_runs_and_waits_for_its_button);
    tcase_add_test(tests, parts_are_sized);
    tcase_add_test(tests, the_stop_input_stops_the_house);
    tcase_add_test(tests, faults_are_tried_one_by_one);
    tcase_add_test(tests, an_order_is_found_and_kept);
    tcase_add_test(tests, what_a_computer_lacks_is_said);
    tcase_add_test(tests, the_examples_run);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
