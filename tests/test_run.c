/* windpin run as people meet it: what it prints, writes, refuses and survives. */
#define _GNU_SOURCE
#include "support_tool.h"

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

/* A file's name is bytes; JSON is text, and comes. */
START_TEST(any_name_of_a_file_is_told) {
    const char *plan = write_file("h\xE9.plan", "main on\npump run 60% for 1s\nmain off\n");
    tool(0, NOTHING_MORE, "run %s %s --json", RIG, plan);
    json_t *all = json_loads(output, 0, NULL);
    ck_assert_msg(all != NULL, "%.500s", output);
    ck_assert_ptr_nonnull(strstr(json_string_value(json_object_get(all, "plan")), "h?.plan"));
    json_decref(all);
}
END_TEST

/* Averaged it comes to the same, says what went so, and is of simulated hardware alone. */
START_TEST(what_is_averaged_is_said) {
    const char *plan = write_file("spin.plan", "main on\ndrum ramp 100rpm\ndrum hold 500ms\n"
                                               "drum stop\n");
    const char *drum = TEST_SOURCE "/demo/honey-vector.yaml";
    double joules[2];
    for (int i = 0; i < 2; i++) {
        tool(0, NOTHING_MORE, "run %s %s --json%s", drum, plan, i == 0 ? "" : " --averaged");
        json_t *all = json_loads(output, 0, NULL);
        ck_assert_int_eq(json_is_true(json_object_get(all, "averaged")), i);
        joules[i] = json_number_value(
            json_object_get(json_array_get(json_object_get(all, "loads"), 0), "energy_j"));
        json_decref(all);
    }
    ck_assert_double_gt(joules[0], 10);
    ck_assert_double_eq_tol(joules[1], joules[0], 1e-3 * joules[0]);
    tool(0, SAYS("Averaged: drum, each PWM period by its mean"), "run %s %s --averaged", drum,
         plan);
    tool(0, SAYS("Averaged: nothing; no motor of this rig is field-oriented"),
         "run %s %s --averaged", RIG, PLAN);
    tool(2, SAYS("--averaged is for simulated hardware"), "run %s %s --averaged --real", RIG, PLAN);
}
END_TEST

/* More supplies, boards and lines than fit a byte, a table or a character: each keeps its own. */
START_TEST(a_large_rig_keeps_its_parts_apart) {
    enum { SUPPLIES = 300, LOADS = 40 };
    static char rig[60000];
    size_t n = (size_t)snprintf(
        rig, sizeof rig,
        "rig: large\naccept: [m39 stall-current, s299 supply-limit, b39 board-limit]\n"
        "controller: {pin-limit: 40mA}\nsupplies:\n");
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

/* A sense is what the rig says, not so many whole millivolts for an ampere. */
START_TEST(a_trip_goes_by_the_sense_of_the_rig) {
    const char *rig = changed_rig("sense: 400mV/A", "sense: 6.6mV/A"); /* the trip is at 6 A */
    tool(0, SAYS(".current_trip = 40,"), "export %s", rig);
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
         SAYS("not moving: supply 'main' is off; it takes a line 'main on' before it",
              "Accepted in the rig: pump supply-off"),
         "run %s %s", accepted_rig("pump supply-off", "rest: 400ms", "rest: 400ms"), no_supply);
    tool(0, SAYS("4 steps: 4 as asked"), "run %s %s --powered", RIG, no_supply);
    const char *low = write_file("low.plan", "main on\npump ramp 4%\npump hold 1s\npump stop\n");
    tool(1, SAYS("held by friction and load; it breaks loose near 20 % duty"), "run %s %s",
         accepted_rig("pump weak-duty", "rest: 400ms", "rest: 400ms"), low);
    const char *brief = write_file("brief.plan", "main on\npump run 90% for 1s\n");
    tool(0, SAYS("reached 50 % only: the rig's ramp takes longer than that"), "run %s %s", RIG,
         brief);
    const char *glimpse = write_file("glimpse.plan", "main on\npump on for 20ms\n");
    tool(1, SAYS("Vetted: 1 caution", "not moving: its ramp came to 1 % only in that time"),
         "run %s %s", RIG, glimpse);
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
        {HOUSE, /* turned up just before the end */
         "main on\nparallel\nfan follow dial for 2s\ntrack\nwait 1.95s\ndial turn 60%\nend\nend\n",
         "on for 0.10 s of it only, and had not moved yet", 0},
        {HOUSE, /* for long, and too little */
         "main on\nparallel\nfan follow dial for 3s\ntrack\nwait 1s\ndial turn 5%\nend\nend\n",
         "not moving: held by friction and load", 1},
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

/* A shaft that nothing slows, and that its regulator may not brake beyond zero: faster than a ramp
 * has come by then it is caught up with, and one that is to be turned over first is not waited for
 * for ever. */
START_TEST(what_nothing_slows_is_given_up) {
    const char *rig = write_file(
        "auger.yaml",
        "rig: honey auger\n"
        "controller: {logic: 3.3V, tick: 1ms}\n"
        "supplies: {main: {voltage: 12V, resistance: 40mohm, limit: 20A, switch: off}}\n"
        "loads:\n"
        "  auger:\n"
        "    supply: main\n"
        "    stage: {kind: two-inputs-enable, pwm: 18kHz, pins: {in1: 5, in2: 6, enable: 7}}\n"
        "    driver: {on-resistance: 40mohm, current-limit: 20A, voltage-limit: 30V}\n"
        "    motor: {resistance: 0.6ohm, inductance: 0.5mH, speed-constant: 300rpm/V, gear: 30,\n"
        "            inertia: 100gcm2}\n"
        "    encoder: {pins: {a: 2, b: 3}, lines: 11}\n"
        "    speed: {rated: 90rpm, maximum: 110rpm}\n"
        "    ramp: {up: 1s, down: 1s}\n"
        "    rest: 300ms\n");
    const char *plan = write_file("auger.plan", "main on\nauger ramp 60rpm\nauger stop\n"
                                                "auger ramp reverse 60rpm\nauger stop\n");
    tool(1,
         SAYS("+60 rpm               0.000    0.5", /* caught up with, not waited for */
              "given up after 6", "it has to come to rest first, and at 6",
              "2 as asked, 1 with a remark, 1 not. 6", "still turned 60 s after the plan's end"),
         "run %s %s", rig, plan);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("run");
    TCase *tests = tcase_create("run");
    tcase_add_test(tests, what_is_averaged_is_said);
    tcase_add_test(tests, the_demo_runs_and_leaves_its_files);
    tcase_add_test(tests, asked_and_achieved_agree);
    tcase_add_test(tests, any_name_of_a_file_is_told);
    tcase_add_test(tests, a_large_rig_keeps_its_parts_apart);
    tcase_add_test(tests, a_current_limit_is_seen);
    tcase_add_test(tests, a_trip_goes_by_the_sense_of_the_rig);
    tcase_add_test(tests, nothing_but_results_is_overwritten);
    tcase_add_test(tests, pin_levels_are_a_value_change_dump);
    tcase_add_test(tests, a_motor_that_does_not_move_is_explained);
    tcase_add_test(tests, a_second_way_round_rests_first_and_says_so);
    tcase_add_test(tests, a_full_disk_is_told);
    tcase_add_loop_test(tests, an_interrupt_stops_the_motor_and_keeps_the_trace, 0, 2);
    tcase_add_test(tests, later_rounds_are_summed_up);
    tcase_add_test(tests, the_same_run_twice_is_the_same);
    tcase_add_test(tests, turning_over_is_said_where_it_is_so);
    tcase_add_test(tests, what_nothing_slows_is_given_up);
    tcase_add_test(tests, a_step_answers_for_all_its_time);
    tcase_add_test(tests, the_honey_house_runs_and_waits_for_its_button);
    tcase_add_test(tests, the_stop_input_stops_the_house);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
