/* What vetting says and what the simulated bench does must agree: every rule that predicts damage,
 * a dead load or motion by itself is shown on a bad rig that is refused, run all the same on
 * purpose, and seen to fail for that very reason; the mended rig passes both. With --table it
 * prints what it saw. */
#define _GNU_SOURCE
#include "support.h"
#include <jansson.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/rehearsal.h>
#include <windpin/vet.h>

#define RIG(controller, supplies, stage, driver, hangs, more)                                      \
    "rig: bench\ncontroller: {" controller "}\nsupplies:\n" supplies                               \
    "loads:\n  pump:\n    supply: main\n    stage: {" stage "}\n    driver: {" driver              \
    "}\n    " hangs "\n" more
#define FIVE         "logic: 5V"
#define MAIN(more)   "  main: {voltage: 12V, resistance: 50mohm, switch: on" more "}\n"
#define CHIP         "kind: direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}, pwm: 20kHz"
#define LOW_SIDE     "kind: low-side-switch, pins: {gate: 9}, pwm: 20kHz"
#define HIGH_SIDE    "kind: high-side-switch, pins: {gate: 9}, pwm: 20kHz"
#define DRIVER(more) "on-resistance: 100mohm, current-limit: 20A, voltage-limit: 30V" more
#define MOTOR(more)                                                                                \
    "motor: {resistance: 1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: 160gcm2, "         \
    "static-friction: 14mNm, dry-friction: 9mNm" more "}"
#define HABITS        "    ramp: {up: 300ms, down: 300ms}\n    rest: 1s\n"
#define PLAIN(driver) RIG(FIVE, MAIN(""), CHIP, DRIVER(driver), MOTOR(""), HABITS)
#define GO            "pump ramp 100%\npump hold 2s\npump stop\n"
#define HOLD_ON       "pump on\npump hold 8s\npump off\n"
#define SOLENOID                                                                                   \
    "solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 1.2A, drop-out: 0.3A, heat: "         \
    "{resistance: 9K/W, time: 4s}}"
#define LAMP  "lamp: {rated: 12V, power: 24W, cold: 8%, warm-up: 120ms}"
#define QUICK "    ramp: {up: 10ms, down: 10ms}\n"
#define STEPPER(rates)                                                                             \
    "stepper: {steps: 200, resistance: 14ohm, inductance: 18mH, rated: 0.8A, holding-torque: "     \
    "0.4Nm, inertia: 900gcm2, friction: 20mNm, viscous-friction: 1mNms/rad, stepping: {" rates     \
    "}}"
#define GATE(ends)                                                                                 \
    "rig: bench\nsupplies:\n" MAIN("") "inputs:\n" ends                                            \
                                       "loads:\n  pump:\n    supply: main\n    stage: {" CHIP      \
                                       "}\n    driver: {" DRIVER("") "}\n    " MOTOR(              \
                                           ", gear: 100, travel: {low: 0deg, high: 90deg, start: " \
                                           "45deg}") "\n" HABITS "    limits: {forward: open, "    \
                                                     "reverse: shut}\n"

static const struct {
    const char *rule, *part;
    const char *bad, *good; /* rigs */
    const char *plan;
    const char *says; /* what the run of the bad one says */
} rows[] = {
    {"supply-voltage", "pump",
     RIG(FIVE, "  main: {voltage: 36V, resistance: 50mohm, switch: on}\n", CHIP, DRIVER(""),
         MOTOR(", rated: 12V"), HABITS),
     PLAIN(""), "pump ramp 30%\npump stop\n", "pump driver, over-voltage: 36 V"},
    {"least-voltage", "pump", PLAIN(", least-voltage: 14V"), PLAIN(", least-voltage: 8V"), GO,
     "it works from 14 V on and has 12 V"},
    {"polarity", "main",
     RIG(FIVE, MAIN(", polarity: swapped"), CHIP, DRIVER(""), MOTOR(""), HABITS), PLAIN(""), GO,
     "pump driver, reverse polarity"},
    {"ground", "pump", RIG(FIVE, MAIN(", ground: motor"), CHIP, DRIVER(""), MOTOR(""), HABITS),
     PLAIN(""), GO, "it has no ground in common"},
    {"supply-limit", "main",
     RIG(FIVE, MAIN(", limit: 2A"), CHIP, DRIVER(""), MOTOR(", load: {torque: 60mNm}"), HABITS),
     RIG(FIVE, MAIN(", limit: 9A"), CHIP, DRIVER(""), MOTOR(", load: {torque: 60mNm}"), HABITS), GO,
     "main cut out"},
    {"least-input", "main",
     RIG(FIVE,
         "  port: {voltage: 5V, resistance: 0.1ohm, limit: 500mA, at-limit: droops, switch: on}\n  "
         "main: {from: port, voltage: 12V, regulates: switching, least-input: 4V}\n",
         CHIP, DRIVER(""), MOTOR(""), HABITS),
     RIG(FIVE,
         "  port: {voltage: 5V, resistance: 10mohm, limit: 40A, at-limit: droops, switch: on}\n  "
         "main: {from: port, voltage: 12V, regulates: switching, least-input: 4V}\n",
         CHIP, DRIVER(""), MOTOR(""), HABITS),
     GO, "main gives nothing"},
    {"regulator-heat", "main",
     RIG(FIVE,
         "  tall: {voltage: 24V, resistance: 50mohm, switch: on}\n  main: {from: tall, voltage: "
         "9V, heat: {resistance: 30K/W, time: 300ms}}\n",
         CHIP, DRIVER(""), MOTOR(""), HABITS),
     RIG(FIVE,
         "  tall: {voltage: 12V, resistance: 50mohm, switch: on}\n  main: {from: tall, voltage: "
         "9V, heat: {resistance: 6K/W, time: 300ms}}\n",
         CHIP, DRIVER(""), MOTOR(""), HABITS),
     GO, "main shuts itself down"},
    {"brown-out", "controller",
     RIG("supply: logic, least-voltage: 4.5V",
         "  main: {voltage: 7.2V, resistance: 1.5ohm, switch: on}\n  logic: {from: main, voltage: "
         "5V, headroom: 0.5V}\n",
         CHIP, DRIVER(""), MOTOR(""), "    ramp: {up: 20ms, down: 20ms}\n    rest: 1s\n"),
     RIG("supply: logic, least-voltage: 4.5V",
         "  main: {voltage: 7.2V, resistance: 100mohm, switch: on}\n  logic: {from: main, voltage: "
         "5V, headroom: 0.5V}\n",
         CHIP, DRIVER(""), MOTOR(""), "    ramp: {up: 20ms, down: 20ms}\n    rest: 1s\n"),
     GO, "WPIN_FAULT_RESET"},
    {"returned-energy", "pump",
     RIG(FIVE, MAIN(", capacitor: 100uF"),
         "kind: four-switches, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 2us",
         DRIVER(""), MOTOR(", load: {inertia: 400gcm2}"),
         "    ramp: {up: 2s, down: 50ms}\n    rest: 20s\n"),
     RIG(FIVE, MAIN(", capacitor: 100uF"), CHIP, DRIVER(""), MOTOR(", load: {inertia: 400gcm2}"),
         "    ramp: {up: 2s, down: 50ms}\n    rest: 20s\n"),
     "pump ramp 100% in 3s\npump hold 3s\npump stop\npump rest 1s\n",
     "driven up by current that came back"},
    {"pin-current", "pump", PLAIN(", input-resistance: 50ohm"), PLAIN(", input-resistance: 10kohm"),
     GO, "over-current: 66.7 mA"},
    {"pwm-pin", "pump", RIG("pwm-pins: [3, 5]", MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS),
     RIG("pwm-pins: [3, 9]", MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS), GO,
     "can not make this PWM frequency"},
    {"logic-level", "pump",
     RIG("logic: 3.3V", MAIN(""), CHIP, DRIVER(", logic-high: 3.5V"), MOTOR(""), HABITS),
     PLAIN(", logic-high: 3.5V"), GO, "reads every line low: a high pin reaches 3.3 V"},
    {"relay-coil", "pump",
     RIG("logic: 5V, pin-resistance: 40ohm, pin-limit: 60mA", MAIN(""),
         "kind: relay, pins: {coil: 9}", DRIVER(", coil: {resistance: 70ohm, closes-at: 3.75V}"),
         MOTOR(""), "    rest: 1s\n"),
     RIG("logic: 5V, pin-resistance: 40ohm, pin-limit: 60mA", MAIN(""),
         "kind: relay, pins: {coil: 9}", DRIVER(""), MOTOR(""), "    rest: 1s\n"),
     "pump on\npump hold 1s\npump off\n", "does not close: its coil gets 3.1"},
    {"opto-input", "pump",
     RIG("logic: 3.3V", MAIN(""), CHIP,
         DRIVER(", opto: {forward: 1.2V, resistor: 470ohm, least: 5mA}"), MOTOR(""), HABITS),
     RIG("logic: 3.3V", MAIN(""), CHIP,
         DRIVER(", opto: {forward: 1.2V, resistor: 220ohm, least: 5mA}"), MOTOR(""), HABITS),
     GO, "does not switch: its opto input gets 4.24 mA, it takes 5 mA"},
    {"floating-input", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", pull: no"), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), MOTOR(""), HABITS), "wait 1s\n",
     "while the controller boots"},
    {"pulse-ends", "pump",
     RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}, pulse-neutral: 1.6ms", DRIVER(""),
         MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}, pulse-neutral: 1.6ms",
         DRIVER(", pulse-neutral: 1.6ms"), MOTOR(""), HABITS),
     GO, "it waits for neutral, pulses of 1500 us, and gets 1"},
    {"static-condition", "pump",
     RIG(FIVE, MAIN(""), CHIP ", statics: {enable-jumper: [fitted, removed]}", DRIVER(""),
         MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), CHIP ", statics: {enable-jumper: [fitted, fitted]}", DRIVER(""), MOTOR(""),
         HABITS),
     GO, "a jumper or switch keeps it off"},
    {"stall-current", "pump",
     RIG(FIVE, MAIN(""), CHIP, "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V",
         MOTOR(""), HABITS "faults: [pump stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, "on-resistance: 100mohm, current-limit: 10A, voltage-limit: 30V",
         MOTOR(""), HABITS "faults: [pump stalled]\n"),
     GO, "pump driver, over-current"},
    {"stall-heat", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 30K/W, time: 500ms}"), MOTOR(""),
         HABITS "faults: [pump stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 6K/W, time: 500ms}"), MOTOR(""),
         HABITS "faults: [pump stalled]\n"),
     GO, "pump driver, heat"},
    {"brake-current", "pump",
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 50mohm, current-limit: 5A, voltage-limit: 30V, sense: 500mV/A",
         MOTOR(", load: {inertia: 300gcm2}"),
         "    ramp: {up: 300ms, down: 300ms}\n    rest: 20s\n"
         "    current-trip: {level: 4.9A, time: 1ms, input: 0}\n"),
     RIG(FIVE, MAIN(""), CHIP, "on-resistance: 50mohm, current-limit: 12A, voltage-limit: 30V",
         MOTOR(", load: {inertia: 300gcm2}"),
         "    ramp: {up: 300ms, down: 300ms}\n    rest: 20s\n"),
     "pump ramp 100% in 3s\npump hold 1s\npump brake for 1s\n", "pump driver, over-current"},
    {"driver-heat", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 250K/W, time: 500ms}"),
         MOTOR(", load: {torque: 50mNm}"), HABITS),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 8K/W, time: 500ms}"),
         MOTOR(", load: {torque: 50mNm}"), HABITS),
     "pump ramp 100%\npump hold 8s\npump stop\n", "pump driver, heat"},
    {"free-wheel", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", free-wheel: no"), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), MOTOR(""), HABITS), "pump ramp 60%\npump stop\n",
     "found no free-wheel diode"},
    {"diode-limit", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", diode-limit: 1A"), MOTOR(", load: {torque: 50mNm}"),
         HABITS),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", diode-limit: 3A"), MOTOR(", load: {torque: 50mNm}"),
         HABITS),
     "pump ramp 45%\npump hold 5s\npump stop\n", "free-wheel diode: 1 A in the mean"},
    {"dead-time", "pump",
     RIG(FIVE, MAIN(""),
         "kind: four-switches, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 1us",
         DRIVER(", switch-time: 2us"), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""),
         "kind: four-switches, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 3us",
         DRIVER(", switch-time: 2us"), MOTOR(""), HABITS),
     "pump ramp 60%\npump stop\n", "shoot-through"},
    {"bootstrap", "pump", PLAIN(", bootstrap: 20ms"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", bootstrap: 20ms"), MOTOR(""),
         HABITS "    duty-limit: 96%\n"),
     "pump on\npump hold 2s\npump stop\n", "its bootstrap capacitor is empty"},
    {"base-drive", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: npn, base-resistor: 100kohm, gain: 80}"), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: npn, base-resistor: 330ohm, gain: 900}"), MOTOR(""), HABITS),
     GO, "not moving"},
    {"gate-drive", "pump",
     RIG("logic: 3.3V", MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: n-channel, threshold: 4V, stated-at: 10V}"), MOTOR(""),
         HABITS),
     RIG("logic: 3.3V", MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: n-channel, threshold: 1.5V, stated-at: 2.5V}"), MOTOR(""),
         HABITS),
     GO, "never turns on: its gate or base gets 3.3 V"},
    {"never-off", "pump",
     RIG(FIVE, MAIN(""), HIGH_SIDE,
         DRIVER(", transistor: {kind: p-channel, threshold: 1V, gate-limit: 20V}"), MOTOR(""),
         HABITS),
     RIG(FIVE, MAIN(""), HIGH_SIDE,
         DRIVER(", transistor: {kind: p-channel, threshold: 1V, gate-limit: 20V, shifter: yes}"),
         MOTOR(""), HABITS),
     "pump ramp 60%\npump stop\npump rest 2s\n", "driven with"},
    {"gate-limit", "pump",
     RIG(FIVE, "  main: {voltage: 24V, resistance: 50mohm, switch: on}\n", HIGH_SIDE,
         DRIVER(", transistor: {kind: p-channel, gate-limit: 20V, shifter: yes}"), MOTOR(""),
         HABITS),
     RIG(FIVE, MAIN(""), HIGH_SIDE,
         DRIVER(", transistor: {kind: p-channel, gate-limit: 20V, shifter: yes}"), MOTOR(""),
         HABITS),
     "pump ramp 40%\npump stop\n", "gate punctured"},
    {"motor-capacitor", "pump",
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 5mohm, current-limit: 20A, voltage-limit: 30V, motor-capacitor: 2uF, "
         "heat: {resistance: 60K/W, time: 300ms}",
         MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 5mohm, current-limit: 20A, voltage-limit: 30V, motor-capacitor: 47nF, "
         "heat: {resistance: 60K/W, time: 300ms}",
         MOTOR(""), HABITS),
     "pump ramp 60%\npump hold 4s\npump stop\n", "pump driver, heat"},
    {"start-torque", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(", load: {torque: 250mNm}"), HABITS),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(", gear: 10, load: {torque: 250mNm}"), HABITS), GO,
     "not moving: "},
    {"winding-heat", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""),
         MOTOR(", heat: {resistance: 12K/W, time: 2s}, load: {torque: 70mNm}"), HABITS),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""),
         MOTOR(", heat: {resistance: 3K/W, time: 2s}, load: {torque: 70mNm}"), HABITS),
     "pump ramp 100%\npump hold 12s\npump stop\n", "pump winding, heat"},
    {"coil-heat", "pump", RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), SOLENOID, QUICK),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), SOLENOID,
         QUICK "    start: {kick-level: 100%, kick-time: 80ms}\n    on-duty: 35%\n"),
     HOLD_ON, "pump winding, heat"},
    {"plunger", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), SOLENOID, QUICK "    on-duty: 35%\n"),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), SOLENOID,
         QUICK "    start: {kick-level: 100%, kick-time: 80ms}\n    on-duty: 35%\n"),
     "pump on\npump hold 1s\npump off\n", "plunger not in"},
    {"inrush", "pump",
     RIG(FIVE, MAIN(""), "kind: relay, pins: {coil: 9}",
         "on-resistance: 20mohm, current-limit: 10A, voltage-limit: 30V", LAMP, "    rest: 50ms\n"),
     RIG(FIVE, MAIN(""), "kind: relay, pins: {coil: 9}",
         "on-resistance: 20mohm, current-limit: 30A, voltage-limit: 30V", LAMP, "    rest: 50ms\n"),
     "pump on\npump hold 1s\npump off\n", "pump driver, over-current"},
    {"step-rate", "pump",
     RIG(FIVE, MAIN(""), "kind: two-channels, pins: {a1: 1, a2: 2, b1: 3, b2: 4}", DRIVER(""),
         STEPPER("start-rate: 1500steps/s, top-rate: 1500steps/s, ramp: 400steps/s2"), ""),
     RIG(FIVE, MAIN(""), "kind: two-channels, pins: {a1: 1, a2: 2, b1: 3, b2: 4}", DRIVER(""),
         STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2"), ""),
     "pump turn 180deg\n", "lost"},
    {"rest", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(", load: {inertia: 3000gcm2}"),
         "    ramp: {up: 2s, down: 300ms}\n    rest: 200ms\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(", load: {inertia: 3000gcm2}"),
         "    ramp: {up: 2s, down: 300ms}\n    rest: 20s\n"),
     "pump ramp 100% in 8s\npump hold 6s\npump ramp reverse 30%\npump stop\npump rest 20s\n",
     "driven while still turning the other way"},
    {"limit-side", "pump",
     GATE("  open: {pin: 20, limit-of: pump, to: 5deg}\n  shut: {pin: 21, limit-of: pump, from: "
          "85deg}\n"),
     GATE("  open: {pin: 20, limit-of: pump, from: 80deg}\n  shut: {pin: 21, limit-of: pump, to: "
          "5deg}\n"),
     "pump run 40% for 3s\n", "drove its load into an end stop"},
    {"supply-off", "pump",
     RIG(FIVE, "  main: {voltage: 12V, resistance: 50mohm}\n", CHIP, DRIVER(""), MOTOR(""), HABITS),
     PLAIN(""), GO, "not moving: supply 'main' is off"},
    {"teach-powered", "pump",
     RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}", DRIVER(""), MOTOR(""), HABITS),
     RIG(FIVE, "  main: {voltage: 12V, resistance: 50mohm}\n",
         "kind: servo-pulse, pins: {pulse: 9}", DRIVER(""), MOTOR(""), HABITS),
     "pump teach for 3s\nmain on\npump rest 2s\n", "it ran, at up to"},
    {"on-time", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS "    most-on: 2s\n"), PLAIN(""),
     "pump run 60% for 4s\n", "WPIN_FAULT_ON_TIME"},
};

enum { ROWS = sizeof rows / sizeof *rows };

static char output[60000];

static int tool(const char *command, const char *rig, const char *plan) {
    return run_command(output, sizeof output, TEST_TOOL " %s %s %s", command, rig, plan);
}

/* What the bench said: the output of a run without the lines about what was accepted. */
static void bench_only(void) {
    char *line = output;
    while ((line = strstr(line, "Accepted in the rig")) != NULL) {
        char *end = strchr(line, '\n');
        memmove(line, end, strlen(end) + 1);
    }
}

/* The place a finding names: there stands the part's name or a key the rule looks at. */
static void points_at_it(const json_t *finding, const char *text) {
    json_int_t line = json_integer_value(json_object_get(finding, "line"));
    for (; line > 1; line--) {
        text = strchr(text, '\n') + 1;
    }
    text += json_integer_value(json_object_get(finding, "column")) - 1;
    char word[64];
    snprintf(word, sizeof word, "%.*s", (int)strspn(text, "abcdefghijklmnopqrstuvwxyz-"), text);
    const char *name = json_string_value(json_object_get(finding, "rule"));
    const wpin_vet_rule *rule = wpin_vet_rule_at(0);
    for (size_t i = 0; strcmp(rule->name, name) != 0; i++) {
        rule = wpin_vet_rule_at(i);
    }
    bool known = strcmp(word, json_string_value(json_object_get(finding, "part"))) == 0;
    ck_assert_msg(word[0] != '\0' && (known || strstr(rule->needs, word) != NULL),
                  "%s points at '%s'", name, word);
}

/* Whether vetting refuses this rule of this part. */
static bool refuses(const char *text, const char *rig, const char *plan, const char *rule,
                    const char *part) {
    tool("vet --json", rig, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    ck_assert_msg(all != NULL, "%s", output);
    bool found = false;
    size_t i;
    json_array_foreach(json_object_get(all, "findings"), i, one) {
        if (!json_is_true(json_object_get(one, "in_plan"))) {
            points_at_it(one, text);
        }
        found =
            found || (strcmp(json_string_value(json_object_get(one, "rule")), rule) == 0 &&
                      strcmp(json_string_value(json_object_get(one, "part")), part) == 0 &&
                      strcmp(json_string_value(json_object_get(one, "severity")), "refuse") == 0);
    }
    json_decref(all);
    return found;
}

/* The bad rig with all that is refused accepted by name. */
static const char *accepting(const char *text, const char *rig, const char *plan) {
    static char accepted[8000];
    tool("vet --json", rig, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    size_t i, used = (size_t)snprintf(accepted, sizeof accepted, "%saccept: [", text);
    json_array_foreach(json_object_get(all, "findings"), i, one) {
        if (strcmp(json_string_value(json_object_get(one, "severity")), "refuse") == 0) {
            used += (size_t)snprintf(accepted + used, sizeof accepted - used, "%s %s, ",
                                     json_string_value(json_object_get(one, "part")),
                                     json_string_value(json_object_get(one, "rule")));
        }
    }
    snprintf(accepted + used - 2, sizeof accepted - used, "]\n");
    json_decref(all);
    return write_file("accepted.yaml", accepted);
}

START_TEST(what_is_vetted_happens) {
    const char *rule = rows[_i].rule, *part = rows[_i].part;
    const char *bad = write_file("bad.yaml", rows[_i].bad),
               *plan = write_file("p.plan", rows[_i].plan);
    ck_assert_msg(refuses(rows[_i].bad, bad, plan, rule, part), "%s is not refused:\n%.4000s", rule,
                  output);
    ck_assert_int_eq(tool("run", bad, plan), 2);
    ck_assert_msg(strstr(output, "nothing was run") != NULL, "%s", output);
    const char *accepted = accepting(rows[_i].bad, bad, plan);
    int status = tool("run", accepted, plan);
    bool recorded = strstr(output, "Accepted in the rig") != NULL;
    bench_only();
    ck_assert_msg(strstr(output, rows[_i].says) != NULL,
                  "%s: the bench does not say \"%s\":\n%.4000s", rule, rows[_i].says, output);
    ck_assert_msg(status == 2 || recorded, "%s", output);
    const char *good = write_file("good.yaml", rows[_i].good);
    ck_assert_msg(tool("vet", good, plan) == 0, "%s mended is refused:\n%.4000s", rule, output);
    tool("run", good, plan);
    ck_assert_msg(strstr(output, rows[_i].says) == NULL, "%s mended still says \"%s\":\n%.4000s",
                  rule, rows[_i].says, output);
}
END_TEST

/* False alarms count too: the demo's rigs pass, as do the mended ones above. */
START_TEST(sound_rigs_pass) {
    static const char *const demos[] = {"honey-pump", "honey-house"};
    for (int i = 0; i < 2; i++) {
        char rig[300], plan[300];
        snprintf(rig, sizeof rig, TEST_SOURCE "/demo/%s.yaml", demos[i]);
        snprintf(plan, sizeof plan, TEST_SOURCE "/demo/%s.plan", demos[i]);
        ck_assert_msg(tool("vet", rig, plan) == 0, "%.4000s", output);
        ck_assert_msg(strstr(output, "0 refused, 0 with caution") != NULL &&
                          strstr(output, "[ ] 1  All supplies off") != NULL,
                      "%.4000s", output);
    }
}
END_TEST

/* The same pump on every kind of stage there is: nothing to refuse, and it does what is asked. */
START_TEST(a_pump_on_every_kind_of_stage_passes) {
    size_t count;
    const wpin_stage_kind *kind = &wpin_stage_kinds(&count)[_i];
    char pins[200] = "", stage[300], text[2000];
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        size_t used = strlen(pins);
        snprintf(pins + used, sizeof pins - used, "%s%s: %u", l == 0 ? "" : ", ", kind->lines[l],
                 4 + l);
    }
    bool ramps = wpin_stage_kind_takes_duty(kind);
    bool pulses = kind->logic == WPIN_SIM_LOGIC_SERVO_PULSE;
    snprintf(stage, sizeof stage, "kind: %s, pins: {%s}%s", kind->name, pins,
             ramps && !pulses ? ", pwm: 20kHz" : "");
    snprintf(text, sizeof text, RIG(FIVE, MAIN(""), "%s", DRIVER(""), "%s", "%s    rest: %s\n"),
             stage,
             kind->coils ? STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2")
                         : MOTOR(""),
             ramps ? "    ramp: {up: 300ms, down: 300ms}\n" : "", kind->coils ? "0s" : "2s");
    const char *rig = write_file("kind.yaml", text);
    const char *plan = write_file("kind.plan", kind->coils ? "pump turn 90deg\npump release\n"
                                                           : "pump on\npump hold 1s\npump off\n");
    ck_assert_msg(tool("vet", rig, plan) == 0, "%s: %.3000s", kind->name, output);
    ck_assert_msg(tool("run", rig, plan) == 0, "%s: %.3000s", kind->name, output);
}
END_TEST

static double between(double low, double high) {
    return low * pow(high / low, (double)pick(10001) / 10000);
}

/* A pump of random size on a driver of random strength; the words of the rig. */
static const char *random_rig(void) {
    static char text[2000];
    static const char *const stages[] = {
        "kind: direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}",
        "kind: two-inputs-slow, pins: {in1: 4, in2: 7}",
        "kind: half-bridges, pins: {enable: 4, a: 7, b: 9}",
        "kind: hidden-partner, pins: {standby: 4, input: 7, pwm: 9}"};
    bool shared = pick(3) == 0; /* one source for motor and controller */
    double volts = between(5, 30), ohms = between(0.5, 12), amps = volts / ohms;
    double constant = between(0.2, 0.8) * volts / 400, hold = between(0.02, 1.2) * constant * amps;
    snprintf(text, sizeof text,
             "rig: any\n%ssupplies: {main: {voltage: %.3gV, resistance: %.3gohm, switch: "
             "on%s}%s}\nloads:\n  pump:\n"
             "    supply: main\n    stage: {%s, pwm: 20kHz}\n    driver: {on-resistance: %.3gohm, "
             "current-limit: "
             "%.3gA, voltage-limit: %.3gV, heat: {resistance: %.3gK/W, time: 300ms}%s}\n    motor: "
             "{resistance: "
             "%.4gohm, inductance: %.3gmH, constant: %.4gmNm/A, inertia: %.4ggcm2, "
             "static-friction: %.5gmNm, "
             "dry-friction: %.5gmNm}\n    ramp: {up: %.3gs, down: %.3gs}\n    rest: %.3gs\n",
             shared ? "controller: {supply: logic, least-voltage: 4.5V}\n" : "", volts,
             between(0.01, 0.5), pick(3) == 0 ? ", limit: 3A" : "",
             shared ? ", logic: {from: main, voltage: 5V, regulates: switching, least-input: 3V}"
                    : "",
             stages[pick(4)], between(0.01, 0.4), amps * between(0.4, 3), volts * between(0.8, 3),
             between(3, 120), pick(4) == 0 ? ", protects-itself: yes" : "", ohms,
             ohms * between(0.4, 2), constant * 1e3, between(20, 600), hold * 1e3,
             hold * between(0.4, 1) * 1e3, between(0.2, 2), between(0.2, 1), between(0.3, 6));
    return text;
}

/* The other way round: what vetting lets pass does its work and survives, a stall too. */
START_TEST(what_passes_survives) {
    static const char plan_lines[] =
        "pump ramp 100%\npump hold 3s\npump stop\npump ramp reverse 100%\n"
        "pump hold 1s\nfault pump stalled\npump hold 1s\nmend pump stalled\n"
        "pump stop\n";
    int passed = 0;
    pick_seed((uint32_t)_i * 31 + 7);
    for (int n = 0; n < 40; n++) {
        const char *text = random_rig();
        wpin_messages m = {0};
        wpin_rig *rig = wpin_rig_read(write_file("any.yaml", text), &m);
        ck_assert_msg(rig != NULL, "%s\n%s", m.items[0].text, text);
        wpin_plan *plan = wpin_plan_read(write_file("any.plan", plan_lines), rig, &m);
        ck_assert_msg(plan != NULL, "%s", m.count ? m.items[0].text : "");
        wpin_vetting *v = wpin_vet(rig, plan, NULL);
        wpin_status refused;
        char why[300];
        wpin_rehearsal_options options = {0};
        if (v->refusals == 0) {
            wpin_report *report = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
            ck_assert_msg(report != NULL, "%s", why);
            ck_assert_msg(report->burn_count == 0, "%s: %s\n%s", report->burns[0].part,
                          report->burns[0].reason, text);
            const wpin_step_result *held = &report->steps[1];
            ck_assert_msg(held->verdict != WPIN_VERDICT_BAD || report->event_count > 0, "%s\n%s",
                          held->words, text);
            bool warned = false;
            for (size_t i = 0; i < v->count; i++) {
                warned = warned || strcmp(v->findings[i].rule->name, "brown-out") == 0;
            }
            ck_assert_msg(warned || report->result != WPIN_FAULT_RESET, "reset\n%s", text);
            wpin_report_free(report);
            passed++;
        }
        wpin_vetting_free(v);
        wpin_plan_free(plan);
        wpin_rig_free(rig);
    }
    ck_assert_int_ge(passed, 1);
    ck_assert_int_le(passed, 39);
}
END_TEST

/* Another load of random size behind a random transistor: the rig; its plan by the kind of load. */
static const char *random_other(int kind) {
    static char text[2000];
    char hangs[600], gate[200] = "", start[120] = "";
    double volts = between(5, 24), amps = between(0.2, 4), ohms = volts / amps,
           in = amps * between(0.3, 1.2);
    if (kind == 0) {
        snprintf(hangs, sizeof hangs,
                 "lamp: {rated: %.3gV, power: %.3gW, cold: %.3g%%, warm-up: %.3gms}", volts,
                 volts * amps, between(5, 40), between(20, 400));
    } else if (kind == 1) {
        snprintf(hangs, sizeof hangs,
                 "solenoid: {resistance: %.3gohm, inductance: %.3gmH, pull-in: %.3gA, drop-out: "
                 "%.3gA, heat: "
                 "{resistance: %.3gK/W, time: 2s}}",
                 ohms, ohms * between(1, 10), in, in * between(0.1, 0.5), between(0.5, 20));
        snprintf(start, sizeof start,
                 "    start: {kick-level: 100%%, kick-time: %.3gms}\n    on-duty: %.3g%%\n",
                 between(20, 200), between(10, 90));
    } else {
        double hold = between(0.01, 1.2) * 0.02 * amps;
        snprintf(hangs, sizeof hangs,
                 "motor: {resistance: %.4gohm, inductance: %.3gmH, constant: 20mNm/A, inertia: "
                 "%.3ggcm2, "
                 "static-friction: %.4gmNm, dry-friction: %.4gmNm}",
                 ohms, ohms * between(0.3, 2), between(20, 200), hold * 1e3, hold * 0.8e3);
        unsigned way = pick(3);
        if (way == 0) {
            snprintf(
                gate, sizeof gate,
                ", opto: {forward: 1.2V, resistor: %.3gohm, least: %.3gmA}, diode-limit: %.3gA",
                between(100, 2e3), between(1, 10), amps * between(0.02, 1));
        } else if (way == 1) {
            snprintf(gate, sizeof gate,
                     ", transistor: {kind: npn, base-resistor: %.3gohm, gain: %.3g}",
                     between(220, 20e3), between(30, 2000));
        } else {
            snprintf(gate, sizeof gate,
                     ", transistor: {kind: n-channel, threshold: %.3gV, stated-at: %.3gV}",
                     between(0.8, 5.5), between(6, 10));
        }
    }
    snprintf(text, sizeof text,
             "rig: any\ncontroller: {pin-limit: 20mA}\nsupplies: {main: {voltage: %.3gV, "
             "resistance: %.3gohm, "
             "switch: on}}\nloads:\n  pump:\n    supply: main\n    stage: {kind: low-side-switch, "
             "pins: {gate: "
             "3}, pwm: 4kHz}\n    driver: {on-resistance: %.3gohm, current-limit: %.3gA, "
             "current-time: %.3gms, "
             "voltage-limit: 40V%s}\n    %s\n    ramp: {up: 100ms, down: 100ms}\n    rest: 0s\n%s",
             volts, between(0.01, 0.1), between(0.01, 0.1), amps * between(0.8, 12),
             between(1, 100), gate, hangs, start);
    return text;
}

START_TEST(what_else_passes_works) {
    int passed = 0;
    pick_seed((uint32_t)_i * 17 + 3);
    for (int n = 0; n < 40; n++) {
        const char *text = random_other(n % 3);
        wpin_messages m = {0};
        wpin_rig *rig = wpin_rig_read(write_file("any.yaml", text), &m);
        ck_assert_msg(rig != NULL, "%s\n%s", m.items[0].text, text);
        wpin_plan *plan = wpin_plan_read(
            write_file("any.plan",
                       n % 3 == 2 ? "pump ramp 100%\npump hold 2s\npump ramp 30%\npump hold 3s\n"
                                    "pump stop\n"
                                  : "pump on\nwait 500ms\npump hold 6s\npump off\n"),
            rig, &m);
        ck_assert_msg(plan != NULL, "%s", m.count ? m.items[0].text : "");
        wpin_vetting *v = wpin_vet(rig, plan, NULL);
        wpin_status refused;
        char why[300];
        wpin_rehearsal_options options = {0};
        if (v->refusals == 0) {
            wpin_report *report = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
            ck_assert_msg(report != NULL, "%s", why);
            ck_assert_msg(report->burn_count == 0, "%s: %s\n%s", report->burns[0].part,
                          report->burns[0].reason, text);
            for (size_t i = 0; i < report->step_count; i++) {
                bool low = n % 3 == 2 && (i == 2 || i == 3); /* so little may not move it */
                ck_assert_msg(low || v->cautions > 0 ||
                                  report->steps[i].verdict != WPIN_VERDICT_BAD,
                              "%s: %s\n%s", report->steps[i].text, report->steps[i].words, text);
            }
            wpin_report_free(report);
            passed++;
        }
        wpin_vetting_free(v);
        wpin_plan_free(plan);
        wpin_rig_free(rig);
    }
    ck_assert_int_ge(passed, 3);
    ck_assert_int_le(passed, 37);
}
END_TEST

START_TEST(the_list_of_rules_is_up_to_date) {
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " vet --rules | diff - " TEST_SOURCE "/docs/rules.md"),
                     0);
}
END_TEST

START_TEST(outputs_in_parallel_carry_more) {
    const char *plan = write_file("p.plan", GO);
    for (int n = 1; n <= 2; n++) {
        char text[2000];
        snprintf(text, sizeof text, "%s",
                 RIG(FIVE, MAIN(""), CHIP,
                     "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V, parallel: 1",
                     MOTOR(""), HABITS));
        strstr(text, "parallel: ")[10] = (char)('0' + n);
        ck_assert_int_eq(tool("vet", write_file("parallel.yaml", text), plan), n == 1 ? 1 : 0);
    }
}
END_TEST

START_TEST(advice_is_given_where_it_is_due) {
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
        {RIG(FIVE, MAIN(""), CHIP, DRIVER(", pwm-limit: 8kHz"), MOTOR(""), HABITS), "pwm: 8kHz"},
        {RIG(FIVE,
             "  main: {voltage: 12V, resistance: 50mohm, switch: on, capacity: 2Ah, empty: "
             "10V}\n",
             CHIP, DRIVER(""), MOTOR(""), HABITS),
         "note: main run-time"},
        {RIG(FIVE, MAIN(""), CHIP, DRIVER(", saturation: 2V"), MOTOR(""), HABITS),
         "caution: pump stage-drop"},
    };
    for (size_t i = 0; i < sizeof advice / sizeof *advice; i++) {
        tool("vet", write_file("advice.yaml", advice[i].rig), "");
        ck_assert_msg(strstr(output, advice[i].says) != NULL, "%s:\n%.3000s", advice[i].says,
                      output);
    }
}
END_TEST

START_TEST(what_is_accepted_is_in_every_record) {
    static const char with[] =
        RIG(FIVE, MAIN(""), CHIP, "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V",
            MOTOR(""), HABITS "accept: [pump stall-current]\n");
    static const char slips[] = RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""),
                                    HABITS "accept: [pump stal-current, main sag, pump on-time]\n");
    const char *rig = write_file("accept.yaml", with), *plan = write_file("accept.plan", GO);
    run_command(output, sizeof output,
                "cd %s && " TEST_TOOL " run %s %s --trace r.csv --vcd r.vcd && " TEST_TOOL
                " tell %s %s && " TEST_TOOL " export %s && tail -n 1 r.csv && head -n 2 r.vcd",
                scratch("."), rig, plan, rig, plan, rig);
    static const char *const records[] = {
        "Accepted in the rig: pump stall-current, the driver burns",          /* run */
        "Accepted in the rig: pump stall-current\n",                          /* tell */
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

/* Every rule with a consequence that can be seen has its row. */
START_TEST(every_such_rule_has_a_row) {
    const wpin_vet_rule *rule;
    for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
        bool shown = rule->effect == WPIN_EFFECT_ADVICE;
        for (size_t r = 0; r < ROWS; r++) {
            shown = shown || strcmp(rows[r].rule, rule->name) == 0;
        }
        ck_assert_msg(shown, "%s has no row", rule->name);
    }
}
END_TEST

START_TEST(print_table) {
    printf("# Vetting and the bench\n\nEach rule that predicts more than wear, on a bad rig: what "
           "vetting calls "
           "it, and what the simulated bench\nthen says when it is run all the same. The mended "
           "rig passes both. "
           "Made by `tests/test_vet --table`.\n\n| rule | predicted | seen on the bench "
           "|\n|---|---|---|\n");
    const wpin_vet_rule *rule;
    for (size_t r = 0; r < ROWS; r++) {
        const char *plan = write_file("p.plan", rows[r].plan);
        const char *bad = write_file("bad.yaml", rows[r].bad);
        tool("run", accepting(rows[r].bad, bad, plan), plan);
        bench_only();
        char *seen = strstr(output, rows[r].says), *end = seen != NULL ? strchr(seen, '\n') : NULL;
        for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
            if (strcmp(rule->name, rows[r].rule) == 0) {
                printf("| `%s` | %s | %.*s |\n", rule->name, wpin_effect_word(rule->effect),
                       end != NULL ? (int)(end - seen) : 0, seen != NULL ? seen : "");
            }
        }
    }
}
END_TEST

int main(int argc, char **argv) {
    if (argc > 1 && strcmp(argv[1], "--table") == 0) {
        Suite *table = suite_create("table");
        TCase *one = tcase_create("table");
        tcase_add_test(one, print_table);
        suite_add_tcase(table, one);
        SRunner *runner = srunner_create(table);
        srunner_set_fork_status(runner, CK_NOFORK);
        srunner_run_all(runner, CK_SILENT);
        srunner_free(runner);
        return 0;
    }
    Suite *suite = suite_create("vet");
    TCase *tests = tcase_create("all");
    tcase_set_timeout(tests, 60);
    tcase_add_loop_test(tests, what_is_vetted_happens, 0, ROWS);
    tcase_add_test(tests, every_such_rule_has_a_row);
    tcase_add_test(tests, sound_rigs_pass);
    size_t kinds;
    wpin_stage_kinds(&kinds);
    tcase_add_loop_test(tests, a_pump_on_every_kind_of_stage_passes, 0, (int)kinds);
    tcase_add_loop_test(tests, what_passes_survives, 0, 6);
    tcase_add_loop_test(tests, what_else_passes_works, 0, 6);
    tcase_add_test(tests, advice_is_given_where_it_is_due);
    tcase_add_test(tests, what_is_accepted_is_in_every_record);
    tcase_add_test(tests, sweeps_say_where_it_fails);
    tcase_add_test(tests, the_list_of_rules_is_up_to_date);
    tcase_add_test(tests, outputs_in_parallel_carry_more);
    tcase_add_test(tests, wiring_and_parts_are_listed);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
