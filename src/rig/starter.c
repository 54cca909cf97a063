/* A first rig and plan from a few answers. */
#define _GNU_SOURCE
#include "windpin/host/starter.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define REMARKS_AT       31   /* column */
#define USUAL_DIODE_OHMS 0.05 /* what a rig has that says nothing of it */

static const wpin_wired things[] = {
    {2, "brushed motor, with a gear or without",
     "touched to a cell it turns, with its leads swapped the other way", "motor",
     "two-inputs-enable", false},
    {2, "fan with electronics of its own", "it has a plus and a minus, and turns one way only",
     "motor", "low-side-switch", false},
    {2, "solenoid, valve or lock", "it clicks, and a plunger moves", "solenoid", "low-side-switch",
     false},
    {2, "filament lamp", "cold it has a small part of its warm resistance", "lamp",
     "low-side-switch", false},
    {2, "strip of light-emitting diodes", "it has a plus and a minus, and glows from some volts on",
     "leds", "low-side-switch", false},
    {3, "brushless motor behind a speed controller that takes servo-style pulses",
     "three equal coils: the same resistance between any two wires", "motor", "servo-pulse", false},
    {3, "brushless fan or pump without sensors",
     "the same resistance between any two wires; it turns hard and in steps by hand", "sensorless",
     "three-phase-bridge-high", false},
    {3, "servo with a place of its own", "supply, ground and pulse", NULL,
     "its pulse line, like servo-pulse; angles are not described yet", false},
    {4, "stepper with two windings", "two pairs with a resistance, none between the pairs",
     "stepper", "dual-bridge", false},
    {4, "fan with a PWM input and a speed output", "plus, minus and two thin wires", NULL,
     "a pin on its PWM input; such an input is not described yet", false},
    {5, "stepper with one wire common to all four coils",
     "the common one has half the resistance to each other wire", NULL,
     "four low-side transistors; that stage is not described yet", false},
    {6, "brushed motor with an encoder", "two thick wires and four thin ones", "motor",
     "two-inputs-enable", true},
    {6, "stepper with two centre wires",
     "two groups of three; leave each group's middle wire open: two windings are left", "stepper",
     "dual-bridge", false},
    {8, "brushless motor with Hall sensors", "three thick wires and five thin ones", "motor",
     "three-phase-bridge", false},
    {8, "brushless motor, field-oriented by its Hall sensors",
     "the same wires; its driver has an amplifier for the current of each leg, and it runs "
     "smoothly",
     "field-oriented", "three-phase-bridge", false},
    {8, "stepper with four coils",
     "four pairs; join two of them in series for each winding, the right way round", "stepper",
     "dual-bridge", false},
    {0, NULL, NULL, NULL, NULL, false}};

const wpin_wired *wpin_wired_things(void) {
    return things;
}

static bool load_fits(const char *load, const wpin_stage_kind *kind) {
    bool stepper = strcmp(load, "stepper") == 0;
    if (kind->coils || stepper) {
        return kind->coils == stepper;
    }
    if (kind->direct) {
        return false; /* what a pin can give is little: a rig of one's own says how little */
    }
    bool oriented = strcmp(load, "field-oriented") == 0;
    bool phases = oriented || strcmp(load, "sensorless") == 0;
    if (oriented && wpin_table_row(kind->table, WPIN_DRIVE_VECTOR) == WPIN_NO_ROW) {
        return false; /* its legs have no duties of their own */
    }
    if (wpin_stage_kind_is_three_phase(kind) || phases) {
        return wpin_stage_kind_is_three_phase(kind) && (phases || strcmp(load, "motor") == 0);
    }
    return strcmp(load, "motor") == 0 || wpin_rig_single_switch(kind);
}

static bool regulated(const wpin_stage_kind *kind) {
    return wpin_stage_kind_takes_duty(kind) && !wpin_logic_of(kind->logic)->pulses &&
           !wpin_stage_kind_is_three_phase(kind);
}

static bool turns_pulses(const char *stage) {
    return strcmp(stage, "servo-pulse") == 0;
}

bool wpin_starter_fits(const wpin_wired *thing, const wpin_stage_kind *kind) {
    bool phases = strncmp(thing->stage, "three-", 6) == 0;
    return thing->load != NULL && load_fits(thing->load, kind) &&
           wpin_stage_kind_is_three_phase(kind) == phases &&
           turns_pulses(kind->name) == turns_pulses(thing->stage) &&
           (!thing->encoder || regulated(kind));
}

const wpin_wired *wpin_wired_find(int wires, const char *load, const wpin_stage_kind *kind) {
    for (const wpin_wired *t = things; t->what != NULL; t++) {
        bool is_it = load == NULL || (t->load != NULL && strcmp(t->load, load) == 0);
        if (is_it && (wires == 0 || t->wires == wires) &&
            (kind == NULL || wpin_starter_fits(t, kind))) {
            return t;
        }
    }
    return NULL;
}

/* ---- the rig ---- */

static void write_top(const wpin_starter *s, FILE *to) {
    wpin_plain_put(
        to,
        "# The rig '%s', written by windpin new. Its figures are those of a usual part of that "
        "size:\n# what says 'measure' should be measured before you trust a run. docs/rig.md "
        "has every key.\n"
        "rig: %s\n\n"
        "controller:\n"
        "  logic: 5V                  # level of a high pin\n"
        "  pin-limit: 40mA            # a pin does not survive more: its data sheet says\n"
        "  numbering: as printed on the controller board\n\n"
        "supplies:\n"
        "  main:\n"
        "    voltage: %.4gV\n"
        "    resistance: %.2gohm        # measure: how far it falls under load, by the amps\n"
        "    switch: off              # the plan switches it on\n\n"
        "inputs:\n"
        "  stop: {pin: 2, contact: opens, stops: all}   # from pin 2 to ground; a broken wire "
        "stops too\n\n"
        "loads:\n"
        "  %s:\n"
        "    supply: main\n",
        s->name, s->name, s->volts, fmin(0.02 * s->volts * s->volts / s->watts, 100), s->name);
}

static bool takes_pwm(const wpin_starter *s) {
    return wpin_stage_kind_has_pwm(s->kind) && !wpin_logic_of(s->kind->logic)->pulses;
}

/* Slow enough for lamps and strips, beyond hearing for motors. */
static const char *pwm_for(const char *load) {
    bool light = strcmp(load, "lamp") == 0 || strcmp(load, "leds") == 0;
    return light ? "1kHz" : strcmp(load, "solenoid") == 0 ? "4kHz" : "20kHz";
}

static void write_stage(const wpin_starter *s, FILE *to) {
    fprintf(to, "    stage: {kind: %s, pins: {", s->kind->name);
    for (unsigned l = 0; l < s->kind->table->line_count; l++) {
        fprintf(to, "%s%s: %u", l == 0 ? "" : ", ", s->kind->lines[l], 4 + l);
    }
    fprintf(to, "}");
    if (takes_pwm(s)) {
        fprintf(to, ", pwm: %s", pwm_for(s->thing->load));
    }
    fprintf(to, "}   # windpin stage %s\n", s->kind->name);
}

static bool is_oriented(const wpin_starter *s) {
    return strcmp(s->thing->load, "field-oriented") == 0;
}

/* Current that trips where it is regulated: four times what it takes at its rated power. */
static double oriented_amps(const wpin_starter *s) {
    return 4 * s->watts / s->volts;
}

/* `amps`: the most it ever has to carry. */
static void write_driver(const wpin_starter *s, FILE *to, double amps) {
    wpin_plain_put(to,
                   "    driver:                    # from its data sheet\n"
                   "      on-resistance: %.3gohm\n"
                   "      current-limit: %.3gA     # it does not survive more...\n"
                   "      current-time: 10ms       # ...for this long\n"
                   "      voltage-limit: %.3gV\n",
                   fmin(0.03 * s->volts / amps, 10), 1.5 * amps, 2 * s->volts);
    if (0.03 * s->volts / amps < USUAL_DIODE_OHMS) { /* large ones have diodes to match */
        wpin_plain_put(to,
                       "      diode-resistance: %.3gohm   # how much more its diodes drop by the "
                       "amp\n",
                       0.03 * s->volts / amps);
    }
    if (is_oriented(s)) {
        wpin_plain_put(to,
                       "      sense: %.3gmV/A         # of the amplifier behind each leg's shunt\n",
                       1e3 * 2 / oriented_amps(s));
    }
    if (s->kind->table == &wpin_table_relay && strcmp(s->thing->load, "lamp") != 0 &&
        strcmp(s->thing->load, "leds") != 0) {
        fprintf(to,
                "      free-wheel: yes          # a diode across it: put one there, and look\n");
    }
}

static void write_ramp(const wpin_starter *s, FILE *to, const char *up, const char *down) {
    if (wpin_stage_kind_takes_duty(s->kind)) {
        fprintf(to, "    ramp: {up: %s, down: %s}\n", up, down);
    }
}

#define TOP_RPM   5730.0 /* without a load */
#define RATED_RPM 3000.0 /* of one whose speed is regulated */

/* A motor that takes six times its rated current when it is held, and runs down in a second and a
 * half by its own friction. */
static void write_motor(const wpin_starter *s, FILE *to) {
    double stall = 6 * s->watts / s->volts, ohms = s->volts / stall, top = TOP_RPM / 60 * 6.283;
    double constant = s->volts / top, torque = constant * stall;
    write_driver(s, to, stall);
    bool phases = wpin_stage_kind_is_three_phase(s->kind);
    bool sensorless = strcmp(s->thing->load, "sensorless") == 0;
    wpin_plain_put(
        to,
        "    motor:                     # windpin size motor works the first five out of what "
        "you measure\n"
        "%s"
        "      resistance: %.3gohm       # measure: between its leads\n"
        "      inductance: %.3gmH\n"
        "      constant: %.3gmNm/A       # measure: volts by speed, without load\n"
        "      inertia: %.3ggcm2\n"
        "      static-friction: %.3gmNm  # measure: windpin find, then at which duty it starts\n"
        "      dry-friction: %.3gmNm\n"
        "      load: {torque: 0Nm}       # what it drives, at the output of its gear, if any\n",
        is_oriented(s)
            ? "      pole-pairs: 4            # half the number of its magnets: its label says\n"
              "      back-emf: sine           # measure: its picture, turned by hand\n"
        : phases
            ? "      pole-pairs: 4            # half the number of its magnets: its label says\n"
            : "",
        ohms, ohms, constant * 1e3, 0.06 * constant * constant / ohms * 1e7, 0.06 * torque * 1e3,
        0.04 * torque * 1e3);
    if (sensorless) {
        fprintf(to,
                "    zero-crossing: {pins: {a: 14, b: 15, c: 16}}   # comparators of its three "
                "wires: docs/rig.md\n"
                "    speed: {rated: %.0frpm}    # regulated by the crossings, up to there\n",
                RATED_RPM);
    } else if (phases) {
        fprintf(to,
                "    hall: {pins: {a: 14, b: 15, c: 16}}   # its thin wires: sensors a, b and c\n");
    }
    if (is_oriented(s)) {
        wpin_plain_put(
            to,
            "    field-oriented: {shunts: {a: 1, b: 2, c: 3}}   # analogue inputs of the three "
            "amplifiers\n"
            "    current-trip: {level: %.3gA, time: 100ms, limit: %.3gA}\n",
            oriented_amps(s), 0.75 * oriented_amps(s));
    }
    if (s->thing->encoder) {
        fprintf(to,
                "    encoder: {lines: 11, pins: {a: 14, b: 15}}   # its thin wires; lines: its "
                "label, or counted by hand over a turn\n"
                "    speed: {rated: %.0frpm}   # regulated up to there\n",
                RATED_RPM);
    }
    write_ramp(s, to, "500ms", s->thing->encoder || sensorless ? "2s" : "500ms");
    fprintf(to, "    rest: 2s                   # before it may turn the other way: measure how "
                "long it runs down\n");
}

static void write_light(const wpin_starter *s, FILE *to) {
    bool lamp = strcmp(s->thing->load, "lamp") == 0;
    double amps = s->watts / s->volts;
    write_driver(s, to, (lamp ? 13 : 1.2) * amps); /* cold filaments take that much */
    if (lamp) {
        wpin_plain_put(to,
                       "    lamp: {rated: %.4gV, power: %.4gW, cold: 8%%}   # cold: measure its "
                       "resistance\n",
                       s->volts, s->watts);
    } else {
        wpin_plain_put(
            to,
            "    leds: {rated: %.4gV, power: %.4gW, forward: %.3gV}   # forward: measure where "
            "it begins to glow\n",
            s->volts, s->watts, 0.7 * s->volts);
    }
    write_ramp(s, to, "1s", "500ms");
}

static void write_solenoid(const wpin_starter *s, FILE *to) {
    double amps = s->watts / s->volts, ohms = s->volts / amps;
    write_driver(s, to, amps);
    wpin_plain_put(
        to,
        "    solenoid: {resistance: %.3gohm, inductance: %.3gmH, pull-in: %.3gA, drop-out: "
        "%.3gA}\n"
        "                               # pull-in, drop-out: measure the current at which it "
        "comes in and falls\n"
        "    most-on: 60s               # what it stands: feel how warm it gets\n",
        ohms, 6 * ohms, 0.6 * amps, 0.15 * amps);
    write_ramp(s, to, "10ms", "10ms");
    if (takes_pwm(s)) {
        fprintf(to, "    start: {kick-level: 100%%, kick-time: 100ms}   # drawn in with all...\n"
                    "    on-duty: 45%%               # ...and held with less\n");
    }
}

static void write_stepper(const wpin_starter *s, FILE *to) {
    double amps = s->watts / s->volts / 2, ohms = s->volts / amps;
    write_driver(s, to, amps);
    wpin_plain_put(
        to,
        "    stepper:\n"
        "      steps: 200                 # of a turn: its label says, or 1.8 degrees a step\n"
        "      resistance: %.3gohm        # measure: of one winding\n"
        "      inductance: %.3gmH\n"
        "      rated: %.3gA               # of each winding: its label\n"
        "      holding-torque: %.3gNm\n"
        "      inertia: %.3ggcm2          # rotor and what it turns\n"
        "      friction: %.3gmNm\n"
        "      stepping: {start-rate: 80steps/s, top-rate: 200steps/s, ramp: 300steps/s2, "
        "mode: half,\n"
        "                 at-end: %s}\n",
        ohms, 1.2 * ohms, 1.02 * amps, 0.03 * s->watts, 68 * s->watts, 1.2 * s->watts,
        takes_pwm(s) ? "reduce, rest-duty: 40%" : "release, release-after: 300ms");
}

/* ---- the plan ---- */

static bool reverses(const wpin_starter *s) {
    return wpin_stage_kind_has(s->kind, WPIN_DRIVE_REVERSE);
}

static void write_plan(const wpin_starter *s, FILE *to) {
    const char *n = s->name;
    fprintf(to,
            "# A first, gentle motion of '%s'. windpin run shows it on simulated hardware.\n\n"
            "require no fault         # what the run must keep to: add yours, docs/plan.md\n\n"
            "main on\n",
            n);
    if (wpin_logic_of(s->kind->logic)->pulses) {
        fprintf(to, "wait 500ms               # its controller has to see neutral first\n");
    }
    if (strcmp(s->thing->load, "stepper") == 0) {
        fprintf(to, "%s turn 90deg\n%s hold 500ms\n%s turn reverse 90deg\n%s release\n", n, n, n,
                n);
    } else if (!wpin_stage_kind_takes_duty(s->kind)) {
        fprintf(to, "%s on for 2s\n", n);
        if (reverses(s)) {
            fprintf(to, "%s rest 2s\n%s on reverse\n%s hold 2s\n%s off\n", n, n, n, n);
        }
    } else if (strcmp(s->thing->load, "motor") == 0 || is_oriented(s) ||
               strcmp(s->thing->load, "sensorless") == 0) {
        /* with fast decay half of the duty only makes up for the other half */
        char much[20];
        snprintf(much, sizeof much, s->thing->encoder ? "%.0frpm" : "%.0f%%",
                 s->thing->encoder                     ? RATED_RPM / 2
                 : s->kind->off_phase == WPIN_OFF_FAST ? 70.0
                                                       : 40.0);
        fprintf(to, "%s ramp %s in 1s\n", n, much);
        wpin_plain_put(to, "require %s current below %.3gA\n", n, 6 * s->watts / s->volts);
        if (s->thing->encoder) {
            fprintf(to, "require %s speed within 2%% by 3s\n", n);
        }
        fprintf(to, "%s hold 2s\n%s stop\n", n, n);
        if (reverses(s)) {
            fprintf(to, "%s ramp reverse %s in 1s\n%s hold 2s\n", n, much, n);
        }
        fprintf(to, "%s rest 2s\n", n);
    } else {
        fprintf(to, "%s on\n%s hold 2s\n%s off\n", n, n, n);
    }
    fprintf(to, "main off\n");
}

static const struct {
    const char *load;
    void (*write)(const wpin_starter *s, FILE *to);
} loads[] = {{"motor", write_motor},          {"sensorless", write_motor},
             {"field-oriented", write_motor}, {"lamp", write_light},
             {"leds", write_light},           {"solenoid", write_solenoid},
             {"stepper", write_stepper}};

/* Writes lines with what is behind their '#' below each other. */
static void align(const char *text, FILE *to) {
    while (*text != '\0') {
        int length = (int)strcspn(text, "\n"), said = (int)strcspn(text, "#\n");
        bool remarks = said > 0 && text[said] == '#';
        while (remarks && text[said - 1] == ' ') {
            said--;
        }
        const char *remark = remarks ? strchr(text, '#') : text + length;
        int gap = !remarks ? 0 : said < REMARKS_AT - 1 ? REMARKS_AT - said : 3;
        fprintf(to, "%.*s%*s%.*s\n", remarks ? said : length, text, gap, "",
                (int)(text + length - remark), remark);
        text += length + (text[length] == '\n');
    }
}

bool wpin_starter_write(const wpin_starter *s, FILE *rig, FILE *plan) {
    char *text = NULL;
    size_t size;
    FILE *lines = open_memstream(&text, &size);
    if (lines == NULL) {
        return false;
    }
    write_top(s, lines);
    write_stage(s, lines);
    for (size_t i = 0; i < sizeof loads / sizeof *loads; i++) {
        if (strcmp(s->thing->load, loads[i].load) == 0) {
            loads[i].write(s, lines);
        }
    }
    bool whole = fclose(lines) == 0;
    if (whole) {
        align(text, rig);
    }
    free(text);
    write_plan(s, plan);
    return whole && !ferror(rig) && !ferror(plan);
}
