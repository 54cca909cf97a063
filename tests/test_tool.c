/* The command-line tool as people meet it: what it prints, writes and returns. */
#define _GNU_SOURCE
#include "support_tool.h"

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
        {2, "identify " TEST_SOURCE "/demo/honey-spinner.yaml drum --attached",
         "'drum' is brushless"},
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

START_TEST(what_a_computer_lacks_is_said) {
    tool(0, SAYS("terminal", "gnuplot draws", "can be written in"), "missing");
    int status = run_command(output, sizeof output, "TERM=nonsense %s missing", TEST_TOOL);
    ck_assert_int_eq(status, 1);
    ck_assert_ptr_nonnull(strstr(output, "missing  terminal  TERM is 'nonsense'"));
    status = run_command(output, sizeof output, "TERM=xterm PATH=/nowhere %s missing", TEST_TOOL);
    ck_assert_int_eq(status, 1);
    ck_assert_ptr_nonnull(strstr(output, "less     terminal  xterm; tput"));
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
    run_command(output, sizeof output,
                "sed 's/, reverse: gate-shut}/}/' %s/demo/honey-gate.yaml > %s", TEST_SOURCE,
                scratch("open.yaml"));
    tool(2,
         SAYS("does not say which switch ends the way back of 'gate'",
              "limits: {reverse: gate-shut}"),
         "run %s %s/demo/honey-gate.plan", scratch("open.yaml"), TEST_SOURCE);
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
                {"counted_speed", "smoothed 2: 60.00 rpm on average"},
                {"belts_in_step", "in step: never more than"},
                {"stuck_belt", "at the end it runs, after "},
                {"cabinet_warmth", "may run: yes  runs: no   cool enough: yes"},
                {"tight_lid", "1.562 A  0.600 Nm"},
                {"hall_readout", "a wire came off        sensors c b a 1 1 1  sector none"},
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
        /* one goes by the time of the wall, and this computer may be busy */
        int status = 1, tries = strcmp(rows[i].program, "by_lines") == 0 ? 3 : 1;
        for (; (status != 0 || strstr(output, rows[i].words) == NULL) && tries > 0; tries--) {
            status = run_command(output, sizeof output, TEST_EXAMPLES "/%s", rows[i].program);
        }
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
    tcase_add_test(tests, wrong_usage_is_told);
    tcase_add_test(tests, traces_are_drawn);
    tcase_add_test(tests, the_rig_is_listed);
    tcase_add_test(tests, a_motor_rated_below_its_supply_is_capped);
    tcase_add_test(tests, a_plan_is_told_in_words);
    tcase_add_test(tests, stages_are_printed_in_plain_words);
    tcase_add_test(tests, a_reversed_stage_is_shown_as_it_is);
    tcase_add_test(tests, pins_have_names);
    tcase_add_test(tests, sheets_count_in_whole_numbers);
    tcase_add_test(tests, parts_are_sized);
    tcase_add_test(tests, what_a_computer_lacks_is_said);
    tcase_add_test(tests, the_examples_run);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
