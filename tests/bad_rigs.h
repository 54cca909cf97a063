/* Bad rigs, one for each rule that predicts damage, a dead load or motion by itself, beside the
 * mended one, and what a run of the bad one says. */
#ifndef WPIN_TESTS_BAD_RIGS_H
#define WPIN_TESTS_BAD_RIGS_H

#define RIG(controller, supplies, stage, driver, hangs, more)                                      \
    "rig: bench\ncontroller: {" controller "}\nsupplies:\n" supplies                               \
    "loads:\n  pump:\n    supply: main\n    stage: {" stage "}\n    driver: {" driver              \
    "}\n    " hangs "\n" more
#define FIVE       "logic: 5V"
#define MAIN(more) "  main: {voltage: 12V, resistance: 50mohm, switch: on" more "}\n"
#define REGULATED                                                                                  \
    "  rail: {voltage: 24V, resistance: 50mohm, switch: on}\n"                                     \
    "  main: {voltage: 12V, from: rail, resistance: 50mohm}\n"
#define CHIP         "kind: direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}, pwm: 20kHz"
#define LOW_SIDE     "kind: low-side-switch, pins: {gate: 9}, pwm: 20kHz"
#define HIGH_SIDE    "kind: high-side-switch, pins: {gate: 9}, pwm: 20kHz"
#define SHIFTED      "kind: high-side-switch, pins: {gate: 9}, inverted: [gate], pwm: 20kHz"
#define DRIVER(more) "on-resistance: 100mohm, current-limit: 20A, voltage-limit: 30V" more
#define MOTOR(more)                                                                                \
    "motor: {resistance: 1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: 160gcm2, "         \
    "static-friction: 14mNm, dry-friction: 9mNm" more "}"
#define HABITS        "    ramp: {up: 300ms, down: 300ms}\n    rest: 1s\n"
#define PLAIN(driver) RIG(FIVE, MAIN(""), CHIP, DRIVER(driver), MOTOR(""), HABITS)
#define SENSE         ", sense: 500mV/A"
#define TRIP          "    current-trip: {level: 5A, time: 50ms, input: 0}\n"
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
#define BLIND(limit, load, start)                                                                  \
    RIG(FIVE, MAIN(""),                                                                            \
        "kind: three-phase-bridge-high, pwm: 20kHz, dead-time: 1us, pins: {a-high: 4, a-low: 5, "  \
        "b-high: "                                                                                 \
        "6, b-low: 7, c-high: 8, c-low: 9}",                                                       \
        "on-resistance: 25mohm, voltage-limit: 30V, current-limit: " limit,                        \
        "motor: {pole-pairs: 4, resistance: 1.2ohm, inductance: 0.6mH, speed-constant: 280rpm/V, " \
        "inertia: 250gcm2, static-friction: 3mNm, dry-friction: 2mNm, load: {" load "}}",          \
        "    zero-crossing: {pins: {a: 14, b: 15, c: 16}" start "}\n"                              \
        "    ramp: {up: 1s, down: 1s}\n    rest: 1s\n")
#define ORIENTED(load, sensor, field)                                                              \
    RIG(FIVE, MAIN(""),                                                                            \
        "kind: three-phase-bridge, pwm: 20kHz, dead-time: 500ns, pins: {a-high: 4, a-low: 5, "     \
        "b-high: 6, b-low: 7, c-high: 8, c-low: 9}",                                               \
        "on-resistance: 25mohm, voltage-limit: 30V, current-limit: 60A, sense: 100mV/A",           \
        "motor: {pole-pairs: 4, resistance: 0.4ohm, inductance: 0.3mH, speed-constant: 280rpm/V, " \
        "back-emf: sine, inertia: 250gcm2, static-friction: 3mNm, dry-friction: 2mNm, load: "      \
        "{torque: " load "}}",                                                                     \
        "    " sensor "\n    field-oriented: {shunts: {a: 1, b: 2, c: 3}" field "}\n"              \
        "    ramp: {up: 1s, down: 1s}\n    rest: 1s\n"                                             \
        "    current-trip: {level: 10A, time: 100ms}\n")
#define BY_HALL    "hall: {pins: {a: 14, b: 15, c: 16}}"
#define BY_ENCODER "encoder: {lines: 500, pins: {a: 14, b: 15}}"
#define AIR        "quadratic: 0.5uNms2/rad2"
#define GATE(ends)                                                                                 \
    "rig: bench\nsupplies:\n" MAIN("") "inputs:\n" ends                                            \
                                       "loads:\n  pump:\n    supply: main\n    stage: {" CHIP      \
                                       "}\n    driver: {" DRIVER("") "}\n    " MOTOR(              \
                                           ", gear: 100, travel: {low: 0deg, high: 90deg, start: " \
                                           "45deg}") "\n" HABITS "    limits: {forward: open, "    \
                                                     "reverse: shut}\n"
#define SPEEDY(volts, hangs, up, encoder, speed)                                                   \
    RIG(FIVE, "  main: {voltage: " volts ", resistance: 50mohm, switch: on}\n", CHIP,              \
        DRIVER(SENSE), MOTOR(hangs),                                                               \
        "    ramp: {up: " up ", down: 3s}\n    rest: 1s\n    encoder: {" encoder                   \
        ", pins: {a: 2, b: 3}}\n    speed: {rated: " speed "}\n" TRIP)
#define ENABLED(hz)                                                                                \
    "kind: dual-bridge-enable, pwm: " hz                                                           \
    ", pins: {a1: 4, a2: 5, a-enable: 9, b1: 6, b2: 7, b-enable: 10}"
#define GEARED ", gear: 12"
#define FAN(name, pin)                                                                             \
    "  " name ":\n    supply: main\n    stage: {kind: relay, pins: {coil: " pin                    \
    "}}\n    driver: {on-resistance: 20mohm, current-limit: 10A, voltage-limit: 30V}\n    motor: " \
    "{resistance: 3ohm, inductance: 2mH, constant: 30mNm/A, inertia: 300gcm2, dry-friction: "      \
    "5mNm, "                                                                                       \
    "static-friction: 5mNm}\n    rest: 5s\n"
#define CABLED(a, b)                                                                               \
    SPEEDY("12V", GEARED, "3s", "lines: 11", "100rpm")                                             \
    "    cable: {red: {is: lead-a, to: driver a}, black: {is: lead-b, to: driver b}, blue: {is: "  \
    "sensor-plus, to: logic}, green: {is: sensor-ground, to: ground}, yellow: {is: encoder-a, "    \
    "to: " a "}, white: {is: encoder-b, to: " b "}}\n"
#define SOLID(output)                                                                              \
    RIG(FIVE, MAIN(""), "kind: solid-state-relay, pins: {input: 4}", DRIVER(", output: " output),  \
        MOTOR(""), "    rest: 1s\n")
#define TWO_FANS(limit)                                                                            \
    "rig: bench\ncontroller: {logic: 5V}\nsupplies:\n" MAIN(", limit: " limit) "loads:\n" FAN(     \
        "pump", "4") FAN("fan", "5")

static const struct {
    const char *rule, *part;
    const char *bad, *good; /* rigs */
    const char *plan;
    const char *says; /* what the run of the bad one says */
} bad_rigs[] = {
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
         "kind: full-bridge, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 2us",
         DRIVER(""), MOTOR(", load: {inertia: 400gcm2}"),
         "    ramp: {up: 2s, down: 50ms}\n    rest: 20s\n"),
     RIG(FIVE, MAIN(", capacitor: 100uF"), CHIP, DRIVER(""), MOTOR(", load: {inertia: 400gcm2}"),
         "    ramp: {up: 2s, down: 50ms}\n    rest: 20s\n"),
     "pump ramp 100% in 3s\npump hold 3s\npump stop\npump rest 1s\n",
     "driven up by current that came back"},
    {"returned-energy",
     "pump", /* a regulator takes nothing back; what is above its input it does */
     RIG(FIVE, REGULATED,
         "kind: full-bridge, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 2us",
         "on-resistance: 100mohm, current-limit: 20A, voltage-limit: 20V",
         MOTOR(", load: {inertia: 2kgcm2}"), "    ramp: {up: 2s, down: 50ms}\n    rest: 30s\n"),
     RIG(FIVE, REGULATED, CHIP, "on-resistance: 100mohm, current-limit: 20A, voltage-limit: 20V",
         MOTOR(", load: {inertia: 2kgcm2}"), "    ramp: {up: 2s, down: 50ms}\n    rest: 30s\n"),
     "pump ramp 100% in 3s\npump hold 5s\npump stop\npump rest 1s\n",
     "driven up by current that came back"},
    {"solid-output", "pump", SOLID("alternating"), SOLID("direct"), "pump on for 1s\nwait 2s\n",
     "the relay does not open"},
    {"cable", "pump", CABLED("pin 3", "pin 2"), CABLED("pin 2", "pin 3"), "pump run 60rpm for 3s\n",
     "WPIN_FAULT_WRONG_WAY"},
    {"starts-together", "main", TWO_FANS("5A"), TWO_FANS("12A"), "pump, fan on for 2s\n",
     "cut out: "},
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
    {"inverted-line", "pump", PLAIN(", inverting-inputs: [pwm]"),
     RIG(FIVE, MAIN(""), CHIP ", inverted: [pwm]", DRIVER(", inverting-inputs: [pwm]"), MOTOR(""),
         HABITS),
     "pump ramp 60%\npump stop\npump rest 2s\n", "driven with"},
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
    {"limit-level", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", sense: 500mV/A"), MOTOR(", load: {torque: 40mNm}"),
         HABITS "    current-trip: {level: 6A, time: 5ms, input: 0, limit: 1.9A}\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", sense: 500mV/A"), MOTOR(", load: {torque: 40mNm}"),
         HABITS "    current-trip: {level: 6A, time: 5ms, input: 0, limit: 4A}\n"),
     GO, "its current limit of 1.9 A"},
    {"trip-level", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", sense: 500mV/A"), MOTOR(", load: {torque: 40mNm}"),
         HABITS "    current-trip: {level: 1.5A, time: 5ms, input: 0}\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", sense: 500mV/A"), MOTOR(", load: {torque: 40mNm}"),
         HABITS "    current-trip: {level: 6A, time: 5ms, input: 0}\n"),
     GO, "WPIN_FAULT_OVERCURRENT"},
    {"protection-level", "pump",
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 100mohm, current-limit: 0.5A, voltage-limit: 30V, protects-itself: yes",
         MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 100mohm, current-limit: 3A, voltage-limit: 30V, protects-itself: yes",
         MOTOR(""), HABITS),
     GO, "switches itself off and on again"},
    {"stall-heat", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 30K/W, time: 500ms}"), MOTOR(""),
         HABITS "faults: [pump stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 6K/W, time: 500ms}"), MOTOR(""),
         HABITS "faults: [pump stalled]\n"),
     GO, "pump driver, heat"},
    {"thermistor-trip", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 30K/W, time: 3s}"), MOTOR(""),
         HABITS "    thermistor: {in: driver, input: 4, trip: 140degC, for: 2s}\nfaults: [pump "
                "stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 30K/W, time: 3s}"), MOTOR(""),
         HABITS "    thermistor: {in: driver, input: 4, trip: 80degC}\nfaults: [pump stalled]\n"),
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
    {"brake-current", "pump",
     RIG(FIVE, MAIN(""), CHIP ", at-rest: brake",
         "on-resistance: 50mohm, current-limit: 5A, voltage-limit: 30V, sense: 500mV/A",
         MOTOR(", load: {inertia: 300gcm2}"),
         "    ramp: {up: 2s, down: 50ms}\n    rest: 20s\n"
         "    current-trip: {level: 4.9A, time: 1ms, input: 0}\n"),
     RIG(FIVE, MAIN(""), CHIP ", at-rest: brake",
         "on-resistance: 50mohm, current-limit: 5A, voltage-limit: 30V, sense: 500mV/A",
         MOTOR(", load: {inertia: 300gcm2}"),
         "    ramp: {up: 2s, down: 2s}\n    rest: 20s\n"
         "    current-trip: {level: 4.9A, time: 1ms, input: 0}\n"),
     "pump ramp 100% in 3s\npump hold 1s\npump stop\npump rest 1s\n", "pump driver, over-current"},
    {"driver-heat", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 250K/W, time: 500ms}"),
         MOTOR(", load: {torque: 50mNm}"), HABITS),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", heat: {resistance: 8K/W, time: 500ms}"),
         MOTOR(", load: {torque: 50mNm}"), HABITS),
     "pump ramp 100%\npump hold 8s\npump stop\n", "pump driver, heat"},
    {"driver-heat", "pump",
     RIG(FIVE, MAIN(""), "kind: dual-bridge, pins: {a1: 1, a2: 2, b1: 3, b2: 4}",
         DRIVER(", heat: {resistance: 500K/W, time: 500ms}"),
         STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2, at-end: hold"),
         ""),
     RIG(FIVE, MAIN(""), "kind: dual-bridge, pins: {a1: 1, a2: 2, b1: 3, b2: 4}",
         DRIVER(", heat: {resistance: 100K/W, time: 500ms}"),
         STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2, at-end: hold"),
         ""),
     "pump turn 9deg\npump hold 6s\npump release\n", "pump driver, heat"},
    {"free-wheel", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", free-wheel: no"), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), MOTOR(""), HABITS), "pump ramp 60%\npump stop\n",
     "found no free-wheel diode"},
    {"diode-limit", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", diode-limit: 1A"), MOTOR(", load: {torque: 50mNm}"),
         HABITS),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", diode-limit: 3A"), MOTOR(", load: {torque: 50mNm}"),
         HABITS),
     "pump ramp 45%\npump hold 5s\npump stop\n", "free-wheel diode: 1 A on average"},
    {"dead-time", "pump",
     RIG(FIVE, MAIN(""),
         "kind: full-bridge, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 1us",
         DRIVER(", switch-time: 2us"), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""),
         "kind: full-bridge, pins: {a-high: 2, a-low: 3, b-high: 4, b-low: 5}, pwm: 20kHz, "
         "dead-time: 3us",
         DRIVER(", switch-time: 2us"), MOTOR(""), HABITS),
     "pump ramp 60%\npump stop\n", "shoot-through"},
    {"bootstrap", "pump", PLAIN(", bootstrap: 20ms"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(", bootstrap: 20ms"), MOTOR(""),
         HABITS "    duty-limit: 96%\n"),
     "pump on\npump hold 2s\npump stop\n", "its bootstrap capacitor is empty"},
    {"base-drive", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: npn, base-resistor: 100kohm, gain: 1500}"), MOTOR(""),
         HABITS),
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
     RIG(FIVE, MAIN(""), SHIFTED,
         DRIVER(", transistor: {kind: p-channel, threshold: 1V, gate-limit: 20V, shifter: yes}"),
         MOTOR(""), HABITS),
     "pump ramp 60%\npump stop\npump rest 2s\n", "driven with"},
    {"gate-limit", "pump",
     RIG(FIVE, "  main: {voltage: 24V, resistance: 50mohm, switch: on}\n", SHIFTED,
         DRIVER(", transistor: {kind: p-channel, gate-limit: 20V, shifter: yes}"), MOTOR(""),
         HABITS),
     RIG(FIVE, MAIN(""), SHIFTED,
         DRIVER(", transistor: {kind: p-channel, gate-limit: 20V, shifter: yes}"), MOTOR(""),
         HABITS),
     "pump ramp 40%\npump stop\n", "gate punctured"},
    {"step-pwm", "pump",
     RIG(FIVE, MAIN(""), ENABLED("10Hz"), DRIVER(""),
         STEPPER(
             "start-rate: 60steps/s, top-rate: 150steps/s, ramp: 200steps/s2, mode: full, duty: "
             "50%"),
         ""),
     RIG(FIVE, MAIN(""), ENABLED("20kHz"), DRIVER(""),
         STEPPER(
             "start-rate: 60steps/s, top-rate: 150steps/s, ramp: 200steps/s2, mode: full, duty: "
             "50%"),
         ""),
     "pump turn 180deg\npump hold 1s\npump turn reverse 90deg\npump hold 200ms\npump release\n",
     "lost"},
    {"capacitor-edge", "pump",
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 50mohm, current-limit: 20A, current-time: 10us, voltage-limit: 30V, "
         "motor-capacitor: 470uF",
         MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), CHIP,
         "on-resistance: 50mohm, current-limit: 20A, current-time: 10us, voltage-limit: 30V, "
         "motor-capacitor: 47nF",
         MOTOR(""), HABITS),
     "pump ramp 60%\npump hold 1s\npump stop\n", "the capacitor at the motor takes"},
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
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE),
         MOTOR(", heat: {resistance: 12K/W, time: 2s}, load: {viscous: 0.25mNms/rad}"),
         HABITS TRIP),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE),
         MOTOR(", heat: {resistance: 3K/W, time: 2s}, load: {viscous: 0.25mNms/rad}"), HABITS TRIP),
     "pump ramp 100%\npump hold 12s\npump stop\n", "pump winding, heat"},
    {"stall-winding", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE), MOTOR(", heat: {resistance: 12K/W, time: 2s}"),
         HABITS "faults: [pump stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE), MOTOR(", heat: {resistance: 12K/W, time: 2s}"),
         HABITS TRIP "faults: [pump stalled]\n"),
     GO, "pump winding, heat"},
    {"current-winding", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE), MOTOR(", heat: {resistance: 12K/W, time: 2s}"),
         HABITS TRIP "    current: {rated: 4A}\nfaults: [pump stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE), MOTOR(", heat: {resistance: 2K/W, time: 2s}"),
         HABITS TRIP "    current: {rated: 4A}\nfaults: [pump stalled]\n"),
     "pump ramp 4A\npump hold 8s\npump stop\n", "pump winding, heat"},
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
    {"starved-lamp", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: npn, base-resistor: 560ohm, gain: 100}, heat: {resistance: "
                "300K/W, time: 400ms}"),
         "lamp: {rated: 12V, power: 6W, cold: 8%, warm-up: 120ms}", QUICK),
     RIG(FIVE, MAIN(""), LOW_SIDE,
         DRIVER(", transistor: {kind: npn, base-resistor: 560ohm, gain: 2000}, heat: {resistance: "
                "300K/W, time: 400ms}"),
         "lamp: {rated: 12V, power: 6W, cold: 8%, warm-up: 120ms}", QUICK),
     "pump on\npump hold 2s\npump off\n", "pump driver, heat"},
    {"too-dim", "pump",
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), "leds: {rated: 24V, power: 10W, forward: 15V}",
         QUICK),
     RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), "leds: {rated: 12V, power: 10W, forward: 8V}",
         QUICK),
     "pump on\npump hold 1s\npump off\n", "dark: it takes nothing below 15 V"},
    {"step-rate", "pump",
     RIG(FIVE, MAIN(""), "kind: dual-bridge, pins: {a1: 1, a2: 2, b1: 3, b2: 4}", DRIVER(""),
         STEPPER("start-rate: 1500steps/s, top-rate: 1500steps/s, ramp: 400steps/s2"), ""),
     RIG(FIVE, MAIN(""), "kind: dual-bridge, pins: {a1: 1, a2: 2, b1: 3, b2: 4}", DRIVER(""),
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
     GATE("  open: {pin: 20, limit-of: pump, from: 65deg}\n  shut: {pin: 21, limit-of: pump, to: "
          "5deg}\n"),
     "pump run 40% for 3s\n", "drove its load into an end stop"},
    {"supply-off", "pump",
     RIG(FIVE, "  main: {voltage: 12V, resistance: 50mohm}\n", CHIP, DRIVER(""), MOTOR(""), HABITS),
     PLAIN(""), GO, "not moving: supply 'main' is off"},
    {"weak-duty", "pump", PLAIN(""),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""),
         HABITS "    start: {duty: 30%, drop-out: 20%, below: lift}\n"),
     "pump ramp 7%\npump hold 1s\npump stop\n", "not moving: held by friction and load"},
    {"calibrate-powered", "pump",
     RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}", DRIVER(""), MOTOR(""), HABITS),
     RIG(FIVE, "  main: {voltage: 12V, resistance: 50mohm}\n",
         "kind: servo-pulse, pins: {pulse: 9}", DRIVER(""), MOTOR(""), HABITS),
     "pump calibrate for 3s\nmain on\npump rest 2s\n", "it ran, at up to"},
    {"before-neutral", "pump",
     RIG(FIVE, "  main: {voltage: 12V, resistance: 50mohm}\n",
         "kind: servo-pulse, pins: {pulse: 9}", DRIVER(""), MOTOR(""), HABITS),
     RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}", DRIVER(""), MOTOR(""), HABITS),
     "main on\npump ramp 60%\npump hold 1s\npump stop\n", "it waits for neutral"},
    {"speed-reach", "pump", SPEEDY("12V", GEARED, "2s", "lines: 11", "480rpm"),
     SPEEDY("24V", GEARED, "2s", "lines: 11", "480rpm"),
     "pump ramp 480rpm\npump hold 3s\npump stop\n", "WPIN_FAULT_FOLLOWING"},
    {"ramp-current", "pump",
     SPEEDY("12V", GEARED ", load: {inertia: 100000gcm2}", "200ms", "lines: 11", "240rpm"),
     SPEEDY("12V", GEARED ", load: {inertia: 100000gcm2}", "2s", "lines: 11", "240rpm"),
     "pump ramp 240rpm\npump hold 1s\npump stop\n", "WPIN_FAULT_OVERCURRENT"},
    {"crawl", "pump", SPEEDY("12V", GEARED, "2s", "lines: 1, at: output", "240rpm"),
     SPEEDY("12V", GEARED, "2s", "lines: 11", "240rpm"),
     "pump ramp 30rpm\npump hold 2s\npump stop\n", "WPIN_FAULT_"},
    {"current-reach", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE), MOTOR(""),
         HABITS TRIP "    current: {rated: 4A}\n    duty-limit: 30%\nfaults: [pump stalled]\n"),
     RIG(FIVE, MAIN(""), CHIP, DRIVER(SENSE), MOTOR(""),
         HABITS TRIP "    current: {rated: 4A}\nfaults: [pump stalled]\n"),
     "pump ramp 4A\npump hold 1s\npump stop\n", "all the duty it may have drives no more"},
    {"blind-start", "pump", BLIND("12A", "torque: 150mNm", ""), BLIND("12A", AIR, ""),
     "pump ramp 60%\npump hold 8s\npump stop\n", "WPIN_FAULT_NO_MOTION"},
    {"start-current", "pump", BLIND("2A, current-time: 50ms", AIR, ", start-current: 3A"),
     BLIND("12A", AIR, ""), "pump ramp 30%\npump hold 1s\npump stop\n", "over-current"},
    {"start-trip", "pump",
     BLIND("12A, sense: 200mV/A", AIR, "}\n    current-trip: {level: 500mA, time: 20ms, input: 0"),
     BLIND("12A, sense: 200mV/A", AIR, "}\n    current-trip: {level: 4A, time: 20ms, input: 0"),
     "pump ramp 30%\npump hold 1s\npump stop\n", "WPIN_FAULT_OVERCURRENT"},
    {"faint-crossing", "pump", BLIND("12A", AIR, ", offset: 900mV"), BLIND("12A", AIR, ""),
     "pump ramp 20%\npump hold 8s\npump stop\n", "lost its step"},
    {"shunt-window", "pump", ORIENTED("10mNm", BY_HALL, ", settle: 8us"),
     ORIENTED("10mNm", BY_HALL, ""), "pump ramp 100%\npump hold 2s\npump stop\n", "reached"},
    {"field-alignment", "pump", ORIENTED("150mNm", BY_ENCODER, ", align-current: 2A"),
     ORIENTED("10mNm", BY_ENCODER, ""), "pump ramp 60%\npump hold 1s\npump stop\n",
     "WPIN_FAULT_WRONG_WAY"},
    {"on-time", "pump",
     RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS "    most-on: 2s\n"), PLAIN(""),
     "pump run 60% for 4s\n", "WPIN_FAULT_ON_TIME"},
};

enum { BAD_RIGS = sizeof bad_rigs / sizeof *bad_rigs };

#endif
