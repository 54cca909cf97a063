/* What the bad rigs are put together from. */
#ifndef WPIN_TESTS_BAD_RIG_PARTS_H
#define WPIN_TESTS_BAD_RIG_PARTS_H

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
/* A bridge of four switches, with a dead time. */
#define FOUR(dead)                                                                                 \
    "kind: full-bridge, pins: {a-high: 4, a-low: 5, b-high: 6, b-low: 7}, pwm: 20kHz, "            \
    "dead-time: " dead
/* It slows its motor down but for its dead time. */
#define LEGS(dead)                                                                                 \
    RIG(FIVE, MAIN(""), FOUR(dead), DRIVER(""),                                                    \
        "motor: {resistance: 2.4ohm, inductance: 2mH, constant: 24mNm/A, inertia: 60gcm2, "        \
        "dry-friction: 0.4mNm}",                                                                   \
        "    ramp: {up: 300ms, down: 300ms}\n    rest: 1200ms\n")
/* Its diodes take a good part of its volts in a dead time. */
#define SIX_VOLTS(dead)                                                                            \
    RIG(FIVE, "  main: {voltage: 6V, resistance: 50mohm, switch: on}\n", FOUR(dead), DRIVER(""),   \
        "motor: {resistance: 1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: 160gcm2, "     \
        "static-friction: 6mNm, dry-friction: 4mNm}",                                              \
        HABITS)
#define SENSE   ", sense: 500mV/A"
#define TRIP    "    current-trip: {level: 5A, time: 50ms, input: 0}\n"
#define GO      "pump ramp 100%\npump hold 2s\npump stop\n"
#define HOLD_ON "pump on\npump hold 8s\npump off\n"
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
#define ORIENTED(load, sensor, field) ORIENTED_WITH("500ns", load, sensor, field)
#define ORIENTED_WITH(dead_time, load, sensor, field)                                              \
    RIG(FIVE, MAIN(""),                                                                            \
        "kind: three-phase-bridge, pwm: 20kHz, dead-time: " dead_time                              \
        ", pins: {a-high: 4, a-low: 5, "                                                           \
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
#define COOLED(duty)                                                                               \
    "rig: bench\nsupplies:\n" MAIN(                                                                \
        "") "inputs:\n  warmth: {analog: 0, start: 600mV, duty: " duty                             \
            ", two-point: {on: 480mV, off: 450mV}}\nloads:\n  pump:\n    supply: main\n    "       \
            "stage: {" CHIP "}\n    driver: {" DRIVER("") "}\n    " MOTOR("") "\n" HABITS
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

#endif
