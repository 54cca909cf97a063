/* What else vetting says: advice, cables, what is isolated or accepted, sweeps, lists. */
#define _GNU_SOURCE
#include "support_vet.h"

#define SPINS "    encoder: {lines: 100, pins: {a: 2, b: 3}}\n    speed: {rated: 2500rpm}\n"
static const struct {
    const char *rig, *says;
} advice[] = {
    {RIG("tick: 20ms", MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS),
     "2:14: caution: controller slow-tick"},
    {RIG(FIVE, MAIN(", capacitor: 10uF"), CHIP, DRIVER(""), MOTOR(", load: {torque: 60mNm}"),
         HABITS),
     "caution: pump bulk-capacitor"},
    {RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", diode-recovery: 2us"), MOTOR(""), HABITS),
     "2 us to block, 4 % of each PWM period"},
    {RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}, pulse-swing: 400us", DRIVER(""),
         MOTOR(""), HABITS),
     "full duty is only 80 % of what it can"},
    {RIG("logic: 5V, pins-total: 1mA, pin-rated: 1mA", MAIN(""), CHIP,
         DRIVER(", input-resistance: 10kohm"), MOTOR(""), HABITS),
     "all pins high together give 1.5 mA"},
    {RIG("logic: 5V, taken: {9: serial}", MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS),
     "pin 9 for 'pwm' is used by serial already"},
    {RIG(FIVE, MAIN(""),
         "kind: three-phase-bridge-low, pwm: 20kHz, dead-time: 1us, pins: {a-high: 4, a-low: 5, "
         "b-high: 6, b-low: 7, c-high: 8, c-low: 9}",
         DRIVER(", interlock: no, bootstrap: 20ms"), MOTOR(", pole-pairs: 4"),
         HABITS "    " BY_HALL "\n"),
     "below 250 rpm, and held at rest, it falls off"},
    {RIG(FIVE, MAIN(""),
         "kind: three-phase-bridge, pwm: 20kHz, dead-time: 1us, charge: 50us, pins: {a-high: 4, "
         "a-low: 5, b-high: 6, b-low: 7, c-high: 8, c-low: 9}",
         DRIVER(", bootstrap: 20ms, bootstrap-charge: 200us"), MOTOR(", pole-pairs: 14"),
         HABITS "    " BY_HALL "\n    duty-limit: 95%\n"),
     "try: pump.stage.charge=200us"},
    {RIG(FIVE, MAIN(""),
         "kind: three-phase-bridge, pwm: 20kHz, dead-time: 1us, pins: {a-high: 4, "
         "a-low: 5, b-high: 6, b-low: 7, c-high: 8, c-low: 9}",
         DRIVER(""), MOTOR(", pole-pairs: 14"), HABITS "    " BY_HALL "\n"),
     "if 14 is the number of its magnets"},
    {RIG(FIVE, MAIN(""), CHIP, DRIVER(", pwm-limit: 8kHz"), MOTOR(""), HABITS), "pwm: 8kHz"},
    {RIG(FIVE, MAIN(""),
         "kind: direction-pwm-brake, pwm: 1kHz, pins: {direction: 4, brake: 7, pwm: 9}",
         DRIVER(SENSE ", sense-filter: 10us"), MOTOR(""), HABITS TRIP),
     "what is read lies within 0.94 A of the mean"},
    {RIG(FIVE,
         "  main: {voltage: 12V, resistance: 50mohm, switch: on, capacity: 2Ah, empty: "
         "10V}\n",
         CHIP, DRIVER(""), MOTOR(""), HABITS),
     "note: main run-time"},
    {RIG(FIVE, MAIN(", capacity: 2Ah, empty: 8V, sense: {input: 2, divider: 20%, least: 9V}"), CHIP,
         DRIVER(""), MOTOR(""), HABITS),
     "its cells fall to 8 V; below 9 V its loads trip"},
    {RIG(FIVE,
         "  main: {voltage: 12V, resistance: 2ohm, switch: on, sense: {input: 2, divider: 20%, "
         "least: 11V}}\n",
         CHIP, DRIVER(""), MOTOR(""), HABITS),
     "caution: main supply-window"},
    {RIG(FIVE, MAIN(""), CHIP, DRIVER(", saturation: 2V"), MOTOR(""), HABITS),
     "caution: pump stage-drop"},
    {RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), "leds: {rated: 5V, power: 6W, forward: 2.8V}",
         QUICK),
     "each pulse drives 4.64 A through it, rated are 1.2"},
    {RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), "lamp: {rated: 6V, power: 10W}", QUICK),
     "its duty is capped at 25 %"},
    {RIG(FIVE, MAIN(", highest: 31V"), CHIP, DRIVER(""), MOTOR(""), HABITS),
     "'main' has up to 31 V, the driver survives 30 V"},
    {RIG(FIVE, MAIN(", highest: 29.5V"), CHIP, DRIVER(""), MOTOR(""), HABITS),
     "'main' and its diode come to 30.3 of the 30 V the driver survives"},
    {RIG(FIVE, MAIN(", highest: 14.4V"), CHIP, DRIVER(", recommended-voltage: 14V"), MOTOR(""),
         HABITS),
     "'main' has up to 14.4 V, the driver is recommended for 14 V"},
    {RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""), SPINS HABITS),
     "from 3000 rpm it runs down in about 0.56 s by itself, its ramp down takes 0.3 s"},
    {RIG(FIVE, MAIN(""), "kind: dual-bridge, pins: {a1: 3, a2: 4, b1: 5, b2: 6}", DRIVER(""),
         STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2, at-end: "
                 "release"),
         ""),
     "it is let go 12.5 ms after its last step"},
};

/* And is not where it would be false. */
static const struct {
    const char *why, *rig, *rule;
} silent[] = {
    {"it slows its motor",
     RIG(FIVE, MAIN(""), "kind: two-inputs-slow, pins: {in1: 9, in2: 10}, pwm: 20kHz", DRIVER(""),
         MOTOR(""), SPINS HABITS),
     "ramp-coasts"},
    {"in a slow period the supply gives what its capacitor can't, 1 A through 50 mohm",
     RIG(FIVE, MAIN(", capacitor: 470uF"), "kind: low-side-switch, pins: {gate: 9}, pwm: 200Hz",
         DRIVER(""),
         "solenoid: {resistance: 12ohm, inductance: 50mH, pull-in: 0.6A, drop-out: 0.2A}", QUICK),
     "bulk-capacitor"},
};

START_TEST(advice_is_given_where_it_is_due) {
    for (size_t i = 0; i < sizeof advice / sizeof *advice; i++) {
        tool("vet", write_file("advice.yaml", advice[i].rig), "");
        ck_assert_msg(strstr(output, advice[i].says) != NULL, "%s:\n%.3000s", advice[i].says,
                      output);
    }
    for (size_t i = 0; i < sizeof silent / sizeof *silent; i++) {
        tool("vet", write_file("advice.yaml", silent[i].rig), "");
        ck_assert_msg(strstr(output, "rules run") && strstr(output, silent[i].rule) == NULL,
                      "%s:\n%.3000s", silent[i].why, output);
    }
}
END_TEST

/* A requirement is told where the plan's own times and ramps rule it out, and only there. */
START_TEST(a_requirement_has_the_time_it_needs) {
    static const char spun[] = RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""),
                                   SPINS "    ramp: {up: 3s, down: 3s}\n    rest: 1s\n");
    static const struct {
        const char *plan, *says;
    } rows[] = {
        {"pump ramp 1200rpm\nrequire pump speed within 1% by 1s\npump hold 2s\npump stop\n",
         "takes 1.19 s to come there, and 1 s are required"},
        {"pump ramp 1200rpm\nrequire pump speed within 1% by 2s\npump hold 2s\npump stop\n", NULL},
        {"pump ramp 1200rpm\nrequire pump speed within 600rpm by 1s\npump hold 2s\npump stop\n",
         NULL},
        {"pump ramp 1200rpm\nrequire pump speed within 1% by 6s\npump hold 2s\npump stop\n",
         "the next one for its load comes after about 3.2 s"},
        {"pump ramp 1200rpm\nrequire pump speed within 1% by 6s\nwait until pump steady at most "
         "9s\n"
         "pump stop\n",
         NULL},
        {"pump ramp 1200rpm in 8s\nrequire pump speed within 120rpm by 7.3s\npump hold 2s\npump "
         "stop\n",
         NULL},
        {"pump ramp 1200rpm in 8s\nrequire pump speed within 120rpm by 7s\npump hold 2s\npump "
         "stop\n",
         "takes 7.2 s to come there"},
        {"pump ramp 1200rpm\npump ramp 1320rpm in 4s\nrequire pump speed within 60rpm by 2.1s\n"
         "pump hold 2s\npump stop\n",
         NULL},
        {"pump ramp 1200rpm\npump ramp reverse 1200rpm\nrequire pump speed within 1% by 3s\n"
         "pump hold 2s\npump stop\n",
         "takes 3.39 s to come there"},
        {"pump ramp 1200rpm\nrequire pump rest by 6s\npump hold 1s\npump stop\n",
         "which drives 'pump' on"},
        {"pump ramp 1200rpm\npump stop\nrequire pump rest by 1s\n",
         "takes 1.2 s to come there, and 1 s are required"},
        {"pump ramp 1200rpm\npump rest 4s\nrequire pump rest by 2s\n", NULL},
        {"pump run 1200rpm for 3s\nrequire pump rest by 3s\n", "and 3 s are required"},
        {"require end by 3.5s\npump run 1200rpm for 3s\n", "an end by 3.5 s is required"},
        {"require end by 3.5s\npump ramp 1200rpm\nwait until pump steady at most 9s\npump stop\n",
         NULL},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool("vet", write_file("time.yaml", spun), write_file("time.plan", rows[i].plan));
        ck_assert_msg(strstr(output, "rules run") != NULL &&
                          (strstr(output, "required-time") != NULL) == (rows[i].says != NULL),
                      "row %zu:\n%.3000s", i, output);
        ck_assert_msg(rows[i].says == NULL || strstr(output, rows[i].says) != NULL,
                      "row %zu, %s:\n%.3000s", i, rows[i].says, output);
    }
}
END_TEST

/* A supply that goes off under its load: told before, and by the run. */
START_TEST(what_is_driven_keeps_its_supply) {
    static const struct {
        const char *plan, *cure, *says; /* NULL: all is well */
    } rows[] = {
        {"pump ramp 60%\nmain off\npump hold 1s\npump stop\n", "a line 'pump stop' before it",
         "driven from 0.18 s on with its supply 'main' off"},
        {"parallel\n  pump run 60% for 3s\n  track\n    wait 1s\n    main off\n  end\nend\n",
         "this line below the end of the parallel block", "driven from 1.00 s on with its supply"},
        {"parallel\n  track\n    pump ramp 60%\n    wait 2s\n    pump stop\n  end\n  track\n    "
         "wait "
         "1s\n    main off\n  end\nend\n",
         "this line below the end of the parallel block",
         "driven from 1.00 s for 1.18 s with its supply"},
        {"pump ramp 60%\nparallel\n  track\n    wait 1s\n    main off\n  end\nend\npump hold 1s\n"
         "pump stop\n",
         "a line 'pump stop' before it", "with its supply 'main' off"},
        {"parallel\n  track\n    pump ramp 60%\n  end\n  track\n    wait 1s\n  end\nend\nmain off\n"
         "wait 1s\npump stop\n",
         "a line 'pump stop' before it", "with its supply 'main' off"},
        {"parallel\n  track\n    pump ramp 60%\n    wait 500ms\n    pump stop\n  end\n  track\n    "
         "wait 2s\n    main off\n  end\nend\n",
         NULL, NULL},
        {"pump ramp 60%\nmain off\nmain on\npump stop\n", "a line 'pump stop' before it", NULL},
        {"pump run 60% for 1s\nmain off\nmain on\npump run reverse 60% for 1s\n", NULL, NULL},
        {"parallel\n  pump run 60% for 1s\n  track\n    wait 2s\n    main off\n  end\nend\n", NULL,
         NULL},
    };
    static const char good[] = RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS);
    static const char bad[] =
        RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS "accept: [pump supply-off]\n");
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        const char *plan = write_file("off.plan", rows[i].plan);
        tool("vet", write_file("off.yaml", good), plan);
        ck_assert_msg((strstr(output, "supply-off") != NULL) == (rows[i].cure != NULL) &&
                          (rows[i].cure == NULL || strstr(output, rows[i].cure) != NULL),
                      "row %zu:\n%.2000s", i, output);
        tool("run", write_file("off.yaml", rows[i].cure != NULL ? bad : good), plan);
        ck_assert_msg((strstr(output, "with its supply") != NULL) == (rows[i].says != NULL) &&
                          (rows[i].says == NULL || strstr(output, rows[i].says) != NULL),
                      "row %zu:\n%.2000s", i, output);
    }
}
END_TEST

/* Where the rows of a stage say what happens while PWM is low, a driver can't have it otherwise. */
START_TEST(an_off_phase_is_where_the_driver_chooses) {
    static const struct {
        const char *rig, *says;
    } rows[] = {
        {RIG(FIVE, MAIN(""), "kind: two-inputs-slow, pins: {in1: 9, in2: 10}, pwm: 20kHz",
             DRIVER(", off-phase: slow"), MOTOR(""), HABITS),
         "the rows of a 'two-inputs-slow' say, and that is 'short'"},
        {RIG(FIVE, MAIN(""), "kind: two-inputs-slow, pins: {in1: 9, in2: 10}, pwm: 20kHz",
             DRIVER(", off-phase: short"), MOTOR(""), HABITS),
         "rules run"},
        {RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}", DRIVER(", off-phase: fast"),
             MOTOR(""), HABITS),
         "none that counts here"},
        {RIG(FIVE, MAIN(""), CHIP, DRIVER(", off-phase: fast"), MOTOR(""), HABITS), "rules run"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool("vet", write_file("off.yaml", rows[i].rig), "");
        ck_assert_msg(strstr(output, rows[i].says) != NULL, "%s:\n%.2000s", rows[i].says, output);
    }
}
END_TEST

/* An input is of use where a step waits for it, or ends by it, or follows it. */
START_TEST(an_input_without_a_use_is_noted) {
    static const char inputs[] =
        RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""),
            HABITS "inputs: {open: {pin: 12, limit-of: pump, from: 90deg}, go: {pin: 13}, "
                   "dial: {analog: 3}}\n");
    static const struct {
        const char *plan, *open, *go, *dial;
    } rows[] = {
        {"pump run 50% for 1s\n", "'wait until open reached at most 10s'",
         "'wait until go pressed at most 10s'", "'LOAD follow dial'"},
        {"pump run 50% until open reached at most 1s\nwait until go pressed at most 9s\n"
         "pump follow dial for 1s\n",
         NULL, NULL, NULL},
        {"repeat 9 times until go pressed\n  pump run 50% for 1s\nend\n",
         "limits: {forward: open} or {reverse: open} in 'pump'", NULL, "dial unused-input"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        tool("vet", write_file("inputs.yaml", inputs), write_file("inputs.plan", rows[i].plan));
        const char *says[] = {rows[i].open, rows[i].go, rows[i].dial};
        static const char *const names[] = {"open unused-input", "go unused-input",
                                            "dial unused-input"};
        for (int k = 0; k < 3; k++) {
            bool noted = strstr(output, names[k]) != NULL;
            ck_assert_msg(noted == (says[k] != NULL), "row %zu, %s:\n%.3000s", i, names[k], output);
            ck_assert_msg(says[k] == NULL || strstr(output, says[k]) != NULL, "%s:\n%.3000s",
                          says[k], output);
        }
    }
}
END_TEST

/* One wire of a good cable changed. */
START_TEST(each_wire_of_a_cable_is_looked_at) {
    static const struct {
        const char *from, *to, *says;
    } rows[] = {
        {"driver a}", "pin 9}", "its wire 'red' (lead-a) is on pin 9"},
        {"driver a}", "nothing}", "no current flows: it does not move"},
        {"driver a}", "ground}", "or shorts its supply"},
        {"driver a}", "driver b}", "it turns the other way than its encoder counts"},
        {"to: logic", "to: supply main", "(sensor-plus) is on supply 'main' (12 V)"},
        {"to: ground", "to: nothing", "(sensor-ground) is on nothing"},
        {"to: pin 2", "to: driver a", "the sensor burns"},
        {"to: pin 2", "to: pin 7", "nothing is read of it"},
        {"to: pin 2", "to: pin 3", "is on pin 3, where the rig reads encoder-b"},
        {"is: encoder-b", "is: hall-a", "and the rig has no such sensor"},
        {"is: encoder-b", "is: hall-a", "no wire of its cable is encoder-b"},
        {"is: encoder-b", "is: encoder-c", "unknown wire 'encoder-c'"},
        {"to: pin 2", "to: pin two", "'two' is not a pin; expected a whole number"},
        {"to: pin 2", "to: supply mian", "is not an end of a wire; expected 'driver a'"},
        {"to: pin 2", "to: pin 2", "0 refused, 0 with caution"},
    };
    static const char good[] = CABLED("pin 2", "pin 3");
    char text[3000];
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        const char *at = strstr(good, rows[i].from);
        ck_assert(at != NULL);
        snprintf(text, sizeof text, "%.*s%s%s", (int)(at - good), good, rows[i].to,
                 at + strlen(rows[i].from));
        tool("vet", write_file("cable.yaml", text), "");
        ck_assert_msg(strstr(output, rows[i].says) != NULL, "row %zu, %s:\n%.3000s", i,
                      rows[i].says, output);
    }
    tool("rig --wiring", write_file("cable.yaml", good), "");
    ck_assert_msg(strstr(output, "encoder-a     wire 'yellow' to pin 2") != NULL, "%s", output);
}
END_TEST

/* Contacts and opto inputs keep a load's circuit apart: no common ground is asked for, and nobody
 * is told to wire the mains to the controller. */
START_TEST(what_is_isolated_keeps_its_ground) {
    static const char apart[] =
        "  main: {voltage: 12V, resistance: 50mohm, switch: on, ground: own}\n";
    static const char mains[] =
        RIG(FIVE,
            "  main: {voltage: 230V, current: alternating, resistance: 1ohm, switch: on, ground: "
            "house}\n",
            "kind: relay, pins: {coil: 9}",
            "on-resistance: 50mohm, current-limit: 20A, voltage-limit: 400V",
            "lamp: {rated: 230V, power: 60W}", "");
    static const struct {
        const char *stage, *driver, *hangs, *habits;
        bool isolated;
    } rows[] = {
        {"kind: relay, pins: {coil: 9}", DRIVER(""), MOTOR(""), "    rest: 1s\n", true},
        {"kind: two-relays, pins: {a: 9, b: 8}", DRIVER(""), MOTOR(""), "    rest: 1s\n", true},
        {CHIP, DRIVER(", opto: {forward: 1.2V, resistor: 220ohm, least: 5mA}"), MOTOR(""), HABITS,
         true},
        {CHIP, DRIVER(""), MOTOR(""), HABITS, false},
        {LOW_SIDE, DRIVER(""), LAMP, QUICK, false},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char text[3000];
        snprintf(text, sizeof text, RIG(FIVE, "%s", "%s", "%s", "%s", "%s"), apart, rows[i].stage,
                 rows[i].driver, rows[i].hangs, rows[i].habits);
        tool("vet", write_file("apart.yaml", text), "");
        ck_assert_msg((strstr(output, "pump ground") == NULL) == rows[i].isolated, "row %zu: %s", i,
                      output);
        bool told = strstr(output, "Ground of 'main' is wired to the controller") != NULL;
        ck_assert_msg(told == !rows[i].isolated, "row %zu: %s", i, output);
        int status = tool("run", scratch("apart.yaml"),
                          write_file("apart.plan", "pump on\npump hold 1s\npump off\n"));
        ck_assert_msg((status == 0) == rows[i].isolated, "row %zu: %s", i, output);
    }
    tool("vet", write_file("mains.yaml", mains), "");
    ck_assert_msg(strstr(output, "Ground of") == NULL && strstr(output, "pump ground") == NULL &&
                      strstr(output, "Nothing of 'main' touches the controller") != NULL &&
                      strstr(output, "measures 2") == NULL,
                  "%s", output);
    tool("rig --wiring", scratch("mains.yaml"), "");
    ck_assert_msg(strstr(output, "both its wires, apart from all others") != NULL, "%s", output);
}
END_TEST

START_TEST(what_is_accepted_is_in_every_record) {
    static const char with[] =
        RIG(FIVE, MAIN(""), CHIP, "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V",
            MOTOR(""), HABITS "accept: [pump stall-current]\n");
    static const char slips[] =
        RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""),
            HABITS "accept: [pump stal-current, main sag, pump on-time, pump plan-tim]\n");
    const char *rig = write_file("accept.yaml", with), *plan = write_file("accept.plan", GO);
    run_command(output, sizeof output,
                "cd %s && " TEST_TOOL " run %s %s --trace r.csv --vcd r.vcd && " TEST_TOOL
                " preview %s %s && " TEST_TOOL " export %s && tail -n 1 r.csv && head -n 2 r.vcd",
                scratch("."), rig, plan, rig, plan, rig);
    static const char *const records[] = {
        "Accepted in the rig: pump stall-current, the driver burns",          /* run */
        "Accepted in the rig: pump stall-current\n",                          /* preview */
        "/* Accepted in the rig, though vetting refuses it: pump stall-curr", /* export */
        " accepting pump stall-current\r\n",                                  /* CSV */
        " accepting pump stall-current $end",                                 /* VCD */
    };
    for (size_t i = 0; i < sizeof records / sizeof *records; i++) {
        ck_assert_msg(strstr(output, records[i]) != NULL, "%s: %.9000s", records[i], output);
    }
    tool("vet", write_file("slips.yaml", slips), "");
    ck_assert_msg(strstr(output, "'stal-current' is accepted, and there is no such rule") != NULL &&
                      strstr(output, "did you mean 'stall-current'?") != NULL &&
                      strstr(output, "did you mean 'plan-time'?") != NULL && /* beyond the 100th */
                      strstr(output, "'sag' is accepted, and nothing of that kind") != NULL &&
                      strstr(output, "on-time") == NULL, /* only a plan can tell */
                  "%s", output);
}
END_TEST

START_TEST(sweeps_say_where_it_fails) {
    const char *rig = TEST_SOURCE "/demo/honey-pump.yaml";
    ck_assert_int_eq(tool("vet --sweep 'main 12V 36V' --places 3", rig, ""), 1);
    ck_assert_msg(strstr(output, "12 V         pass") != NULL &&
                      strstr(output, "24 V         FAIL   pump stall-current") != NULL &&
                      strstr(output, "36 V         FAIL") != NULL &&
                      strstr(output, "pump supply-voltage") != NULL,
                  "%s", output);
    ck_assert_int_eq(tool("vet --sweep 'tolerance 0% 10%' --places 2", rig, ""), 0);
    ck_assert_int_eq(tool("vet --sweep 'tolerance 0% 30%' --places 2", rig, ""), 1);
    ck_assert_int_eq(tool("vet --sweep 'moon 1V 2V'", rig, ""), 2);
    ck_assert_msg(strstr(output, "expected a supply of the rig, 'air' or 'tolerance'") != NULL,
                  "%s", output);
}
END_TEST

START_TEST(wiring_and_parts_are_listed) {
    const char *rig = TEST_SOURCE "/demo/honey-house.yaml";
    ck_assert_int_eq(tool("rig --wiring", rig, ""), 0);
    ck_assert_msg(strstr(output, "gate-shut    input") != NULL &&
                      strstr(output, "then PWM") != NULL,
                  "%s", output);
    ck_assert_int_eq(tool("rig --parts", rig, ""), 0);
    ck_assert_msg(strstr(output, "1  stepper turntable: 200 steps") != NULL, "%s", output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("advice");
    TCase *tests = tcase_create("all");
    size_t kinds;
    wpin_stage_kinds(&kinds);
    tcase_add_test(tests, advice_is_given_where_it_is_due);
    tcase_add_test(tests, a_requirement_has_the_time_it_needs);
    tcase_add_test(tests, what_is_driven_keeps_its_supply);
    tcase_add_test(tests, an_off_phase_is_where_the_driver_chooses);
    tcase_add_test(tests, an_input_without_a_use_is_noted);
    tcase_add_test(tests, each_wire_of_a_cable_is_looked_at);
    tcase_add_test(tests, what_is_isolated_keeps_its_ground);
    tcase_add_test(tests, what_is_accepted_is_in_every_record);
    tcase_add_test(tests, sweeps_say_where_it_fails);
    tcase_add_test(tests, wiring_and_parts_are_listed);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
