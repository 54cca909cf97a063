/* A bench of loads that is rehearsed. */
#ifndef WPIN_TESTS_SUPPORT_LOADS_H
#define WPIN_TESTS_SUPPORT_LOADS_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

typedef struct bench {
    const char *controller, *supplies, *inputs, *loads;
} bench;

/* A motor on a chip with direction, PWM and brake; more of its keys may follow. */
#define MOTOR(name, supply, direction, brake, pwm)                                                 \
    "  " name ":\n    supply: " supply "\n    stage: {kind: direction-pwm-brake, pwm: 20kHz,"      \
    " pins: {direction: " #direction ", brake: " #brake ", pwm: " #pwm "}}\n"                      \
    "    driver: {on-resistance: 0.1ohm, current-limit: 30A, voltage-limit: 40V}\n"                \
    "    ramp: {up: 200ms, down: 200ms}\n    rest: 500ms\n"                                        \
    "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: 200gcm2,"          \
    " static-friction: 5mNm, dry-friction: 5mNm"
/* A motor on one of two bridges of a chip with one standby, on pin 2 and inverted on the way. */
#define HALF_CHIP(name, in1, in2, enable)                                                          \
    "  " name ":\n    supply: main\n    stage: {kind: two-inputs-enable-standby, pwm: 20kHz, "     \
    "inverted: [standby], pins: {standby: {pin: 2, shared: yes}, in1: " #in1 ", in2: " #in2        \
    ", enable: " #enable "}}\n"                                                                    \
    "    driver: {on-resistance: 0.1ohm, current-limit: 30A, voltage-limit: 40V}\n"                \
    "    ramp: {up: 200ms, down: 200ms}\n    rest: 500ms\n"                                        \
    "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: 200gcm2,"          \
    " static-friction: 5mNm, dry-friction: 5mNm}\n"
#define SWITCH(name, pin, pwm)                                                                     \
    "  " name ":\n    supply: main\n    stage: {kind: low-side-switch, pins: {gate: " #pin "}, "   \
    "pwm: " #pwm "}\n    driver: {on-resistance: 10mohm, current-limit: 50A, voltage-limit: 40V}"  \
    "\n    ramp: {up: 10ms, down: 10ms}\n"
/* A controller that takes pulses, sent with other ends than it may know. */
#define PULSED(taught)                                                                             \
    "  pump:\n    supply: main\n    stage: {kind: servo-pulse, pins: {pulse: 9}, "                 \
    "pulse-neutral: 1.6ms, pulse-swing: 400us}\n    driver: {on-resistance: 0.1ohm, "              \
    "current-limit: 30A, voltage-limit: 40V" taught                                                \
    "}\n    ramp: {up: 200ms, down: 200ms}\n    rest: 500ms\n"                                     \
    "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: 200gcm2,"          \
    " static-friction: 5mNm, dry-friction: 5mNm}\n"
#define TWELVE "  main: {voltage: 12V, resistance: 20mohm, switch: on}\n"

static wpin_rig *rig;
static wpin_plan *plan;

/* Runs a plan on a bench; the report, to be freed. */
static inline wpin_report *rehearse(const bench *b, const char *steps, const char *fault) {
    char text[6000];
    wpin_messages m = {0};
    snprintf(text, sizeof text, "rig: bench\n%s%s%ssupplies:\n%s%s%sloads:\n%s",
             b->controller != NULL ? "controller: {" : "",
             b->controller != NULL ? b->controller : "", b->controller != NULL ? "}\n" : "",
             b->supplies != NULL ? b->supplies : TWELVE, b->inputs != NULL ? "inputs:\n" : "",
             b->inputs != NULL ? b->inputs : "", b->loads);
    rig = wpin_rig_read(write_file("loads.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%u: %s\n%s", m.count ? m.items[0].line : 0,
                  m.count ? m.items[0].text : "", text);
    plan = wpin_plan_read(write_file("loads.plan", steps), rig, &m);
    ck_assert_msg(plan != NULL, "%u: %s", m.count ? m.items[0].line : 0,
                  m.count ? m.items[0].text : "");
    wpin_injection injection;
    char why[300];
    ck_assert_msg(fault == NULL || wpin_injection_read(rig, fault, &injection, why, sizeof why),
                  "%s", fault);
    wpin_session_options options = {.faults = &injection, .fault_count = fault != NULL};
    wpin_status refused;
    wpin_report *report = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(report != NULL, "%s", why);
    wpin_messages_free(&m);
    return report;
}

static inline void done(wpin_report *report) {
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}

/* The last step of a line. */
static inline const wpin_step_result *step_at(const wpin_report *report, unsigned line) {
    const wpin_step_result *found = NULL;
    for (size_t i = 0; i < report->step_count; i++) {
        found = report->steps[i].line == line ? &report->steps[i] : found;
    }
    ck_assert_ptr_nonnull(found);
    return found;
}

/* Everything the report says in words. */
static inline const char *words_of(const wpin_report *report) {
    static char all[8000];
    all[0] = '\0';
    for (size_t i = 0; i < report->step_count; i++) {
        strcat(strcat(all, report->steps[i].words), "\n");
    }
    for (size_t i = 0; i < report->event_count; i++) {
        strcat(strcat(strcat(all, report->events[i].part), " "), report->events[i].what);
        strcat(all, "\n");
    }
    for (size_t i = 0; i < report->burn_count; i++) {
        strcat(strcat(strcat(all, report->burns[i].part), " "), report->burns[i].reason);
        strcat(all, "\n");
    }
    strcat(all, wpin_status_name(report->result));
    for (size_t i = 0; i < report->fault_count; i++) {
        strcat(strcat(all, "\n"), wpin_status_name(report->faults[i].cause));
    }
    return all;
}

/* One way of going well or wrong: what the report must say, and whether it is bad. */
typedef struct story {
    const char *name;
    bench bench;
    const char *plan, *fault, *says;
    bool bad;
} story;

#define STEPPER(rates)                                                                             \
    "  table:\n    supply: main\n    stage: {kind: dual-bridge, pins: {a1: 1, a2: 2, b1: 3, b2: "  \
    "4}}\n    driver: {on-resistance: 0.3ohm, current-limit: 3A, voltage-limit: 40V}\n"            \
    "    stepper: {steps: 200, resistance: 14ohm, inductance: 18mH, rated: 0.8A, holding-torque: " \
    "0.4Nm, inertia: 900gcm2, friction: 20mNm, viscous-friction: 1mNms/rad, stepping: {" rates     \
    "}}\n"
#define GENTLE "start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2"
#define SOLENOID(more)                                                                             \
    SWITCH("latch", 5, 1kHz)                                                                       \
    "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 1.2A, drop-out: 0.3A, heat: "     \
    "{resistance: 9K/W, time: 5s}}\n" more
#define GATE(more)                                                                                 \
    MOTOR("gate", "main", 1, 2, 3) ", gear: 100, travel: {low: 0deg, high: 90deg}}\n" more
#define ENDS                                                                                       \
    "  open: {pin: 8, limit-of: gate, from: 85deg}\n  shut: {pin: 9, limit-of: gate, to: 5deg, "   \
    "at-limit: opens}\n"
#define WITH_ENDS "    limits: {forward: open, reverse: shut}\n"
#define PUMP      MOTOR("pump", "main", 1, 2, 3) "}\n"

#endif
