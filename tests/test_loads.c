/* What is connected to the stages besides plain motors, and what feeds them: run through rig and
 * plan, each thing seen to work and seen to fail for its own reason. */
#define _GNU_SOURCE
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
static wpin_report *rehearse(const bench *b, const char *steps, const char *fault) {
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

static void done(wpin_report *report) {
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}

/* The last step of a line. */
static const wpin_step_result *step_at(const wpin_report *report, unsigned line) {
    const wpin_step_result *found = NULL;
    for (size_t i = 0; i < report->step_count; i++) {
        found = report->steps[i].line == line ? &report->steps[i] : found;
    }
    ck_assert_ptr_nonnull(found);
    return found;
}

/* Everything the report says in words. */
static const char *words_of(const wpin_report *report) {
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

static const story stories[] = {
    {"a stepper arrives",
     {.loads = STEPPER(GENTLE)},
     "table turn 90deg\ntable turn to 0deg\n",
     NULL,
     "ok, at 0.0 deg",
     false},
    {"a stepper told to race loses steps",
     {.loads = STEPPER("start-rate: 1500steps/s, top-rate: 1500steps/s, ramp: 400steps/s2")},
     "table turn 90deg\n",
     NULL,
     "lost 5",
     true},
    {"a held stepper is not moving",
     {.loads = STEPPER(GENTLE)},
     "table turn 90deg\n",
     "main dead",
     "not moving: no current flows",
     true},
    {"a solenoid is drawn in and held with less",
     {.loads = SOLENOID("    start: {kick-level: 100%, kick-time: 80ms}\n    on-duty: 35%\n")},
     "latch on\nwait 1s\nlatch hold 1s\nlatch off\n",
     NULL,
     "ok, plunger in",
     false},
    {"without the kick it is not drawn in",
     {.loads = SOLENOID("    on-duty: 35%\n")},
     "latch on\nlatch hold 1s\nlatch off\n",
     NULL,
     "plunger not in: 0.6",
     true},
    {"held with all it burns",
     {.loads = SOLENOID("")},
     "latch on for 60s\n",
     NULL,
     "latch winding heat: 12",
     true},
    {"the longest time on saves it",
     {.loads = SOLENOID("    most-on: 3s\n")},
     "latch on for 60s\n",
     NULL,
     "WPIN_FAULT_ON_TIME",
     true},
    {"a lamp glows",
     {.loads = SWITCH("lamp", 5, 1kHz) "    lamp: {rated: 12V, power: 21W}\n"},
     "lamp ramp 100% in 1s\nlamp hold 1s\nlamp off\n",
     NULL,
     "ok, 99 % of its rated light",
     false},
    {"a lamp without power is dark",
     {.loads = SWITCH("lamp", 5, 1kHz) "    lamp: {rated: 12V, power: 21W}\n"},
     "lamp ramp 100% in 1s\nlamp off\n",
     "lamp motor-wire-off",
     "dark: no current flows",
     true},
    {"diodes light above their forward voltage",
     {.loads = SWITCH("strip", 5, 1kHz) "    leds: {rated: 12V, power: 10W, forward: 9V}\n"},
     "strip ramp 50% in 1s\nstrip hold 1s\nstrip off\n",
     NULL,
     "ok, 50 % of its rated light",
     false},
    {"a gate ends at its switches",
     {.inputs = ENDS, .loads = GATE(WITH_ENDS)},
     "gate run 50% for 5s\ngate run reverse 50% for 5s\n",
     NULL,
     "ok, stopped at limit switch 'shut'",
     false},
    {"what is at its limit stays",
     {.inputs = ENDS, .loads = GATE(WITH_ENDS)},
     "gate run reverse 50% for 5s\n",
     NULL,
     "limit switch 'shut' is reached already",
     false},
    {"without switches it runs into its end stop",
     {.loads = GATE("")},
     "gate run 50% for 5s\n",
     NULL,
     "at its end stop or stalled, at 4.8 A",
     true},
    {"a knob turned up at the start asks for nothing",
     {.inputs = "  dial: {analog: 1, noise: 10mV, start: 3V}\n", .loads = PUMP},
     "pump follow dial for 1s\n",
     NULL,
     "its input asked for nothing",
     false},
    {"a knob is followed",
     {.inputs = "  dial: {analog: 1, noise: 10mV}\n", .loads = PUMP},
     "parallel\ntrack\nwait 500ms\ndial turn 60%\nend\npump follow dial for 3s\nend\n",
     NULL,
     "ok, up to 59 %",
     false},
    {"a knob is a share of the most that is said, the other way round too",
     {.inputs = "  dial: {analog: 1, noise: 10mV}\n", .loads = PUMP},
     "parallel\ntrack\nwait 500ms\ndial turn 60%\nend\npump follow dial up to reverse 80% for "
     "3s\nend\n",
     NULL,
     "ok, up to 47 %",
     false},
    {"a centred knob drives both ways",
     {.inputs = "  dial: {analog: 1, noise: 10mV, centre: yes}\n", .loads = PUMP},
     "parallel\ntrack\nwait 500ms\ndial turn 10%\nwait 1s\ndial turn 50%\nend\n"
     "pump follow dial for 3s\nend\n",
     NULL,
     "ok, up to 79 %",
     false},
    {"a sensor's curve is followed",
     {.inputs = "  warmth: {analog: 1, noise: 5mV, curve: [[1V, 0%], [2V, 40%], [3V, 80%]]}\n",
      .loads = PUMP},
     "parallel\ntrack\nwait 500ms\nwarmth set 2.5V\nend\npump follow warmth for 3s\nend\n",
     NULL,
     "ok, up to 59 %",
     false},
    {"a button drives while it is held",
     {.inputs = "  go: {pin: 7, duty: 60%}\n", .loads = PUMP},
     "parallel\ntrack\nwait 200ms\ngo press\nwait 1s\ngo release\nend\npump follow go for "
     "3s\nend\n",
     NULL,
     "ok, up to 60 %",
     false},
    {"two buttons drive both ways",
     {.inputs = "  left: {pin: 7}\n  right: {pin: 8}\n  hand: {pair: [left, right], duty: 50%}\n",
      .loads = PUMP},
     "parallel\ntrack\nwait 200ms\nright press\nwait 1s\nright release\nend\npump follow hand for "
     "3s\nend\n",
     NULL,
     "ok, up to 50 %",
     false},
    {"both together are a stop",
     {.inputs = "  left: {pin: 7}\n  right: {pin: 8}\n  hand: {pair: [left, right]}\n",
      .loads = PUMP},
     "parallel\ntrack\nwait 200ms\nright press\nwait 10ms\nleft press\nwait 1s\nright "
     "release\nwait 500ms\nleft "
     "release\nend\npump follow hand for 3s\nend\n",
     NULL,
     "its input asked for nothing",
     false},
    {"a stuck button is told",
     {.inputs = "  start: {pin: 7, stuck-after: 200ms}\n", .loads = PUMP},
     "wait 100ms\nstart press\nwait 500ms\nstart release\n",
     NULL,
     "start has been held for 0.2 s: stuck",
     false},
    {"a floating gate drives at boot",
     {.loads = SWITCH("lamp", 5, 1kHz) "    lamp: {rated: 12V, power: 21W}\n"},
     "wait 100ms\n",
     "lamp pin-floating gate",
     "while the controller boots: a control line floats",
     true},
    {"a motor on the controller's rail resets it",
     {.controller = "supply: logic, least-voltage: 4.5V",
      .supplies = "  main: {voltage: 7.2V, resistance: 2ohm, switch: on}\n"
                  "  logic: {from: main, voltage: 5V, headroom: 0.5V}\n",
      .loads = PUMP},
     "pump ramp 100%\npump hold 1s\npump stop\n",
     NULL,
     "controller was reset",
     true},
    {"on a supply of its own it is not",
     {.controller = "supply: logic, least-voltage: 4.5V",
      .supplies = TWELVE "  cell: {voltage: 9V, resistance: 1ohm, switch: on}\n"
                         "  logic: {from: cell, voltage: 5V, headroom: 1V}\n",
      .loads = PUMP},
     "pump ramp 100%\npump hold 1s\npump stop\n",
     NULL,
     "WPIN_OK",
     false},
    {"a linear regulator overheats",
     {.controller = "supply: logic",
      .supplies =
          TWELVE "  tall: {voltage: 24V, resistance: 50mohm, switch: on}\n"
                 "  six: {from: tall, voltage: 6V, heat: {resistance: 60K/W, time: 200ms}}\n"
                 "  logic: {from: main, voltage: 5V}\n",
      .loads = MOTOR("pump", "six", 1, 2, 3) "}\n"},
     "pump ramp 60%\npump hold 3s\npump stop\n",
     NULL,
     "six shuts itself down at 150 degC",
     true},
    {"a weak port gives way",
     {.supplies = "  main: {voltage: 5V, resistance: 0.1ohm, limit: 500mA, at-limit: droops, "
                  "switch: on}\n",
      .loads = PUMP},
     "pump ramp 100%\npump hold 1s\npump stop\n",
     NULL,
     "main is at its limit of 0.5 A",
     false},
    {"a boost converter starves on a weak port",
     {.supplies = "  port: {voltage: 5V, resistance: 0.1ohm, limit: 500mA, at-limit: droops, "
                  "switch: on}\n"
                  "  main: {from: port, voltage: 12V, regulates: switching, least-input: 3.5V}\n",
      .loads = PUMP},
     "pump ramp 100%\npump hold 1s\npump stop\n",
     NULL,
     "main gives nothing: only",
     false},
    {"a controller is calibrated",
     {.supplies = "  main: {voltage: 12V, resistance: 20mohm}\n", .loads = PULSED("")},
     "parallel\npump calibrate for 4s\ntrack\nwait 500ms\nmain on\nend\nend\npump rest 2s\n"
     "pump run 50% for 2s\n",
     NULL,
     "calibrated: 1600 us is neutral, 400 us more full",
     false},
    {"one calibrated to others waits for its neutral",
     {.loads = PULSED("")},
     "pump run 50% for 2s\n",
     NULL,
     "it waits for neutral, pulses of 1500 us, and gets",
     true},
    {"one that has power runs instead of being calibrated",
     {.loads = PULSED(", pulse-neutral: 1.6ms")},
     "pump calibrate for 4s\n",
     NULL,
     "it ran, at up to",
     true},
    {"turning over too early is seen",
     {.loads = MOTOR("pump", "main", 1, 2, 3) ", load: {inertia: 50kgcm2}}\n"},
     "pump run 80% for 6s\npump ramp reverse 50%\npump stop\n",
     NULL,
     "driven while still turning the other way",
     true},
};

START_TEST(each_thing_goes_well_or_wrong_for_its_own_reason) {
    const story *s = &stories[_i];
    wpin_report *report = rehearse(&s->bench, s->plan, s->fault);
    const char *words = words_of(report);
    ck_assert_msg(strstr(words, s->says) != NULL, "%s: \"%s\" is not in\n%s", s->name, s->says,
                  words);
    ck_assert_msg(report->bad == s->bad, "%s: %s\n%s", s->name, s->bad ? "not bad" : "bad", words);
    done(report);
}
END_TEST

/* Against figures worked out by hand. */
START_TEST(a_cold_filament_draws_its_inrush) {
    bench b = {.loads = SWITCH("lamp", 5, 1kHz) "    lamp: {rated: 12V, power: 24W, cold: 10%}\n"};
    wpin_report *report = rehearse(&b, "lamp on\nlamp hold 2s\nlamp off\n", NULL);
    /* hot 6 ohm, cold 0.6, switch 0.01, supply 0.02: 12 / 0.63 = 19.05 A; warm 12 / 6.03 = 1.99 A
     */
    ck_assert_double_eq_tol(report->amps_peak[0], 12 / 0.63, 0.2);
    ck_assert_double_eq_tol(step_at(report, 2)->effect, 1, 0.02);
    done(report);
}
END_TEST

/* Kelvin above the air of a coil on 12 V after 5 s, by Euler's steps: 9 K/W, 5 s. */
static double warmed(double copper) {
    double rise = 0, dt = 1e-3;
    for (int i = 0; i < 5000; i++) {
        double ohms = 6 * (1 + copper * rise), amps = 12 / (ohms + 0.03);
        rise += (amps * amps * ohms * 9 - rise) * dt / 5;
    }
    return rise;
}

START_TEST(a_winding_heats_with_its_time_constant) {
    static const char *const loads[] = {
        SWITCH("latch", 5,
               1kHz) "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 1.2A, drop-out: "
                     "0.3A, heat: {resistance: 9K/W, time: 5s, limit: 250degC, drift: no}}\n",
        SWITCH("latch", 5,
               1kHz) "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 1.2A, drop-out: "
                     "0.3A, heat: {resistance: 9K/W, time: 5s, limit: 250degC}}\n"};
    bench b = {.loads = loads[_i]};
    wpin_report *report = rehearse(&b, "latch on for 5s\n", NULL);
    double rise = warmed(_i == 0 ? 0 : 0.00393);
    ck_assert_double_eq_tol(report->degrees_c[0], 25 + rise, rise * 0.01);
    done(report);
}
END_TEST

START_TEST(cells_run_down) {
    bench b = {.supplies = "  main: {voltage: 12V, resistance: 0.1ohm, capacity: 10mAh, empty: 9V, "
                           "switch: on}\n",
               .loads =
                   SWITCH("strip", 5, 1kHz) "    leds: {rated: 12V, power: 10W, forward: 1V}\n"};
    wpin_report *report =
        rehearse(&b, "strip on\nstrip hold 20s\nstrip hold 60s\nstrip off\n", NULL);
    /* about 0.8 A out of 36 As: half empty after some 22 s, empty after 47, dark at last */
    double volts = step_at(report, 2)->volts;
    ck_assert_msg(volts > 10.2 && volts < 10.8, "%g V", volts);
    ck_assert_double_eq_tol(step_at(report, 3)->effect, 0, 1e-3);
    done(report);
}
END_TEST

START_TEST(a_mirrored_twin_goes_the_machines_way) {
    bench b = {.loads = MOTOR("left", "main", 1, 2, 3) "}\n" MOTOR("right", "main", 4, 5, 6) "}\n"};
    char loads[3000];
    snprintf(loads, sizeof loads, "%s", b.loads);
    char *stage = strstr(strstr(loads, "right:"), "pwm: 20kHz");
    memmove(stage + 15, stage, strlen(stage) + 1);
    memcpy(stage, "reversed: yes, ", 15);
    b.loads = loads;
    wpin_report *report = rehearse(&b, "all ramp 50%\nall hold 500ms\nleft, right stop\n", NULL);
    ck_assert_msg(!report->bad, "%s", words_of(report));
    const wpin_step_result *a = &report->steps[2], *c = &report->steps[3];
    ck_assert_int_ne(a->load, c->load);
    ck_assert_double_gt(a->rpm, 100);
    ck_assert_double_eq_tol(a->rpm, c->rpm, 0.1);
    done(report);
}
END_TEST

/* One comes to rest and coasts while the other goes on, and the other way round. */
START_TEST(one_standby_serves_both) {
    bench b = {.loads = HALF_CHIP("left", 3, 4, 5) HALF_CHIP("right", 6, 7, 8)};
    wpin_report *report =
        rehearse(&b,
                 "left, right ramp 60%\nright coast\nright rest 300ms\nleft hold 1s\n"
                 "right ramp 60%\nleft brake for 1s\nright hold 500ms\nall stop\n",
                 NULL);
    ck_assert_msg(!report->bad, "%s", words_of(report));
    ck_assert_double_gt(step_at(report, 4)->rpm, 3000);
    ck_assert_double_gt(step_at(report, 3)->rpm, 500); /* right coasts on, it is not braked */
    ck_assert_double_lt(fabs(step_at(report, 6)->rpm), 1);
    ck_assert_double_gt(step_at(report, 7)->rpm, 3000);
    done(report);
}
END_TEST

START_TEST(groups_may_be_staggered) {
    bench b = {.loads = MOTOR("left", "main", 1, 2, 3) "}\n" MOTOR("right", "main", 4, 5, 6) "}\n"};
    wpin_report *report = rehearse(&b, "left, right run 60% for 1s stagger 400ms\n", NULL);
    ck_assert_uint_eq(report->step_count, 2);
    ck_assert_str_eq(report->steps[0].text, "left run 60% for 1s");
    ck_assert_double_eq_tol(report->steps[1].at - report->steps[0].at, 0.4, 2e-3);
    done(report);
}
END_TEST

/* Two drivers alike but for how they end: one burns, one looks after itself. */
START_TEST(drivers_heat_and_protect_themselves) {
    static const struct {
        const char *driver, *says;
        bool burns;
    } rows[] = {
        {"current-limit: 30A, heat: {resistance: 20K/W, time: 300ms}", "pump driver heat: 15",
         true},
        {"current-limit: 30A, protects-itself: yes, heat: {resistance: 20K/W, time: 300ms}",
         "pump driver shuts itself down at 15", false},
        {"current-limit: 5A, current-time: 1ms", "pump driver over-current", true},
        {"current-limit: 5A, current-time: 1ms, protects-itself: yes",
         "pump driver switches itself off and on again", false},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char loads[3000];
        snprintf(loads, sizeof loads,
                 "  pump:\n    supply: main\n    stage: {kind: direction-pwm-brake, pwm: 20kHz, "
                 "pins: {direction: 1, brake: 2, pwm: 3}}\n    driver: {on-resistance: 0.1ohm, "
                 "voltage-limit: 40V, %s}\n    ramp: {up: 50ms, down: 50ms}\n    rest: 0s\n"
                 "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: "
                 "200gcm2, static-friction: 5mNm, dry-friction: 5mNm}\n",
                 rows[i].driver);
        bench b = {.loads = loads};
        wpin_report *report =
            rehearse(&b, "pump ramp 100%\npump hold 2s\npump stop\n", "pump stalled");
        ck_assert_msg(strstr(words_of(report), rows[i].says) != NULL, "\"%s\" is not in\n%s",
                      rows[i].says, words_of(report));
        ck_assert_int_eq(report->burn_count > 0, rows[i].burns);
        done(report);
    }
}
END_TEST

/* A bare bridge that leaves no time between the sides burns; its own dead time saves it. */
/* At half duty the current of 0.927 A (0.884 A in the bridge) runs through the switches half of the
 * time and through a diode in the other: 0.397 W, 0.608 W by hand. A limit a twentieth below what
 * that heats to burns, one a twentieth above does not. */
START_TEST(a_driver_heats_by_what_its_parts_carry) {
    static const struct {
        const char *stage, *ohms;
        double watts;
    } rows[] = {
        {"low-side-switch, pins: {gate: 5}, pwm: 1kHz", "10mohm", 0.397},
        {"direction-pwm-brake, pins: {direction: 1, brake: 2, pwm: 3}, pwm: 1kHz", "0.2ohm", 0.608},
    };
    for (int i = 0; i < 4; i++) {
        double rise = rows[i / 2].watts * 100;
        char loads[1000];
        snprintf(loads, sizeof loads,
                 "  latch:\n    supply: main\n    stage: {kind: %s}\n    driver: {on-resistance: "
                 "%s, current-limit: 50A, voltage-limit: 40V, heat: {resistance: 100K/W, time: "
                 "100ms, limit: %.1fdegC}}\n    ramp: {up: 10ms, down: 10ms}\n    rest: 0s\n"
                 "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 0.5A, drop-out: "
                 "0.3A}\n    on-duty: 50%%\n",
                 rows[i / 2].stage, rows[i / 2].ohms, 25 + rise * (i % 2 == 0 ? 0.95 : 1.05));
        bench b = {.loads = loads};
        wpin_report *report = rehearse(&b, "latch on for 2s\n", NULL);
        ck_assert_msg((report->burn_count > 0) == (i % 2 == 0), "%s, %d: %s", rows[i / 2].stage, i,
                      words_of(report));
        done(report);
    }
}
END_TEST

/* A base of 1 mA and a gain of 300 let 0.3 A flow: a stalled motor takes just that, and one that
 * runs on less runs as fast as on a strong base. */
START_TEST(a_short_base_limits_the_current) {
    double rpm[2], amps[2];
    for (int i = 0; i < 2; i++) {
        char loads[1200];
        snprintf(
            loads, sizeof loads,
            "  fan:\n    supply: main\n    stage: {kind: low-side-switch, pins: {gate: 5}, pwm: "
            "20kHz}\n    driver: {on-resistance: 0.1ohm, current-limit: 30A, voltage-limit: "
            "40V, transistor: {kind: npn, base: 0.7V, base-resistor: 4275ohm, gain: %d}}\n    "
            "ramp: {up: 500ms, down: 500ms}\n    rest: 3s\n    motor: {resistance: 4ohm, "
            "inductance: 4mH, constant: 20mNm/A, inertia: 60gcm2, static-friction: 3mNm, "
            "dry-friction: 3mNm}\n",
            i == 0 ? 300 : 30000);
        bench b = {.loads = loads};
        wpin_report *report = rehearse(&b,
                                       "fan ramp 100%\nfan hold 4s\nfault fan stalled\n"
                                       "fan hold 1s\nfan stop\n",
                                       NULL);
        rpm[i] = step_at(report, 2)->rpm;
        amps[i] = step_at(report, 4)->amps_peak;
        done(report);
    }
    ck_assert_double_eq_tol(amps[0], 0.3, 1e-3);
    ck_assert_double_eq_tol(amps[1], 12 / 4.12, 0.05);
    ck_assert_msg(fabs(rpm[0] / rpm[1] - 1) < 2e-3 && rpm[0] > 4000, "%g %g", rpm[0], rpm[1]);
}
END_TEST

START_TEST(a_drivers_own_dead_time) {
    static const char text[] =
        "  pump:\n    supply: main\n    stage: {kind: own-table, pwm: 20kHz, pins: {enable: 3, a: "
        "1, "
        "b: 2}, table: {lines: [enable, a, b], driver: half-bridges, rows: {coast: [low, low, "
        "low], forward: [high, duty, low], reverse: [high, low, duty]}}}\n"
        "    driver: {on-resistance: 0.1ohm, current-limit: 30A, voltage-limit: 40V, interlock: "
        "no%s}\n    ramp: {up: 50ms, down: 50ms}\n    rest: 0s\n"
        "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: 200gcm2, "
        "static-friction: 5mNm, dry-friction: 5mNm}\n";
    for (int own = 0; own < 2; own++) {
        char loads[2000];
        snprintf(loads, sizeof loads, text, own == 0 ? "" : ", dead-time: 2us");
        bench b = {.loads = loads};
        wpin_report *report = rehearse(&b, "pump ramp 50%\npump hold 500ms\npump stop\n", NULL);
        ck_assert_msg((report->burn_count > 0) == (own == 0), "%d: %s", own, words_of(report));
        done(report);
    }
}
END_TEST

START_TEST(software_pwm_says_what_it_can) {
    bench b = {
        .controller = "fast-tick: 50us",
        .loads =
            "  fan:\n    supply: main\n    stage: {kind: low-side-switch, pins: {gate: "
            "5}, pwm: 400Hz, pwm-by: software}\n    driver: {on-resistance: 50mohm, "
            "current-limit: 9A, voltage-limit: 30V}\n    rest: 0s\n    ramp: {up: 100ms, down: "
            "100ms}\n    motor: {resistance: 8ohm, inductance: 6mH, constant: 25mNm/A, "
            "inertia: 90gcm2}\n"};
    wpin_report *report = rehearse(&b, "fan ramp 40%\nfan hold 2s\nfan stop\n", NULL);
    ck_assert_uint_eq(report->pwm[0].steps, 50);
    ck_assert_uint_eq(report->pwm[0].jitter_us, 50);
    ck_assert_uint_eq(report->pwm[0].millihertz, 400000);
    ck_assert_double_gt(step_at(report, 2)->rpm, 1000);
    done(report);
    char text[900];
    snprintf(text, sizeof text, "rig: b\nsupplies:\n" TWELVE "loads:\n%s", b.loads);
    memcpy(strstr(text, "400Hz"), "20kHz", 5);
    wpin_messages m = {0};
    ck_assert_ptr_null(wpin_rig_read(write_file("fast.yaml", text), &m));
    ck_assert_msg(strstr(m.items[0].text, "it makes up to 1000 Hz (20 duty steps) only") != NULL,
                  "%s", m.items[0].text);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("loads");
    TCase *tests = tcase_create("all");
    tcase_add_loop_test(tests, each_thing_goes_well_or_wrong_for_its_own_reason, 0,
                        (int)(sizeof stories / sizeof *stories));
    tcase_add_test(tests, a_cold_filament_draws_its_inrush);
    tcase_add_loop_test(tests, a_winding_heats_with_its_time_constant, 0, 2);
    tcase_add_test(tests, cells_run_down);
    tcase_add_test(tests, a_mirrored_twin_goes_the_machines_way);
    tcase_add_test(tests, one_standby_serves_both);
    tcase_add_test(tests, groups_may_be_staggered);
    tcase_add_test(tests, drivers_heat_and_protect_themselves);
    tcase_add_test(tests, a_driver_heats_by_what_its_parts_carry);
    tcase_add_test(tests, a_short_base_limits_the_current);
    tcase_add_test(tests, a_drivers_own_dead_time);
    tcase_add_test(tests, software_pwm_says_what_it_can);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
