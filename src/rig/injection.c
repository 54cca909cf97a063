/* Words for faults: which part, what is wrong with it. */
#define _GNU_SOURCE
#include "windpin/host/rig.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

typedef enum about { ABOUT_SUPPLY, ABOUT_LOAD, ABOUT_INPUT, ABOUT_CONTROLLER } about;

static const struct {
    const char *word;
    about part;
    wpin_part_fault fault;
} faults[] = {
    {"dead", ABOUT_SUPPLY, WPIN_PART_FAULT_SUPPLY_DEAD},
    {"weak", ABOUT_SUPPLY, WPIN_PART_FAULT_SUPPLY_WEAK},
    {"stalled", ABOUT_LOAD, WPIN_PART_FAULT_STALLED},
    {"wire-off", ABOUT_LOAD, WPIN_PART_FAULT_WIRE_OFF},
    {"pin-floating", ABOUT_LOAD, WPIN_PART_FAULT_PIN_FLOATING},
    {"wires-swapped", ABOUT_LOAD, WPIN_PART_FAULT_WIRES_SWAPPED},
    {"motor-wire-off", ABOUT_LOAD, WPIN_PART_FAULT_MOTOR_WIRE_OFF},
    {"motor-swapped", ABOUT_LOAD, WPIN_PART_FAULT_MOTOR_SWAPPED},
    {"coils-crossed", ABOUT_LOAD, WPIN_PART_FAULT_LEADS_MIXED},
    {"no-ground", ABOUT_LOAD, WPIN_PART_FAULT_NO_GROUND},
    {"diode-reversed", ABOUT_LOAD, WPIN_PART_FAULT_DIODE_REVERSED},
    {"encoder-off", ABOUT_LOAD, WPIN_PART_FAULT_SENSOR_OFF},
    {"encoder-channel-off", ABOUT_LOAD, WPIN_PART_FAULT_CHANNEL_OFF},
    {"encoder-swapped", ABOUT_LOAD, WPIN_PART_FAULT_CHANNELS_SWAPPED},
    {"hall-off", ABOUT_LOAD, WPIN_PART_FAULT_HALL_OFF},
    {"hall-sensor-off", ABOUT_LOAD, WPIN_PART_FAULT_HALL_SENSOR_OFF},
    {"hall-swapped", ABOUT_LOAD, WPIN_PART_FAULT_HALL_SWAPPED},
    {"hall-shifted", ABOUT_LOAD, WPIN_PART_FAULT_HALL_SHIFTED},
    {"encoder-slips", ABOUT_LOAD, WPIN_PART_FAULT_ENCODER_SLIPS},
    {"pole-pairs", ABOUT_LOAD, WPIN_PART_FAULT_POLE_PAIRS},
    {"switch-open", ABOUT_LOAD, WPIN_PART_FAULT_SWITCH_OPEN},
    {"switch-shorted", ABOUT_LOAD, WPIN_PART_FAULT_SWITCH_SHORTED},
    {"comparators-off", ABOUT_LOAD, WPIN_PART_FAULT_SENSOR_OFF},
    {"thermistor-off", ABOUT_LOAD, WPIN_PART_FAULT_THERMISTOR_OFF},
    {"bus-cable-off", ABOUT_LOAD, WPIN_PART_FAULT_CABLE_OFF},
    {"bus-off", ABOUT_LOAD, WPIN_PART_FAULT_BUS_OFF},
    {"bus-full", ABOUT_LOAD, WPIN_PART_FAULT_BUS_FULL},
    {"bus-rate", ABOUT_LOAD, WPIN_PART_FAULT_BUS_RATE},
    {"duplicate-node", ABOUT_LOAD, WPIN_PART_FAULT_DUPLICATE_NODE},
    {"deaf", ABOUT_LOAD, WPIN_PART_FAULT_DEAF},
    {"local", ABOUT_LOAD, WPIN_PART_FAULT_LOCAL},
    {"stuck", ABOUT_INPUT, WPIN_PART_FAULT_STUCK},
    {"stuck", ABOUT_INPUT, WPIN_PART_FAULT_READING_STUCK},
    {"link-lost", ABOUT_CONTROLLER, WPIN_PART_FAULT_LINK_LOST},
    {"interrupts-off", ABOUT_CONTROLLER, WPIN_PART_FAULT_INTERRUPTS_OFF},
};

enum { FAULTS = sizeof faults / sizeof *faults };

/* Whether something in a rig lives on interrupts. */
static bool has_interrupts(const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        if (l->hall.there || l->vector.there || l->crossing.there || wpin_rig_needs_fast_tick(l)) {
            return true;
        }
    }
    return false;
}

/* ---- the switches of a driver ---- */

static const char *const switches[] = {"a-high", "a-low", "b-high", "b-low", "c-high", "c-low"};
enum { SWITCHES = sizeof switches / sizeof *switches };

/* Which of them a driver has, a bit each: WPIN_PART_SWITCH. */
static unsigned switches_of(const wpin_rig_load *load) {
    const wpin_logic_traits *logic = load->kind != NULL ? wpin_logic_of(load->kind->logic) : NULL;
    if (logic == NULL || logic->own || logic->channels) {
        return 0;
    }
    return logic->wire_a                           ? 1U << WPIN_PART_SWITCH(1, true)
           : logic->wire_b                         ? 1U << WPIN_PART_SWITCH(0, false)
           : logic->phases || load->hall.at_driver ? 0x3FU
                                                   : 0xFU;
}

/* One that stands alone needs no name. */
static bool find_switch(const wpin_rig_load *load, const char *fault, const char *name, int *detail,
                        char *why, size_t size) {
    unsigned has = switches_of(load);
    bool alone = (has & (has - 1)) == 0;
    const char *known[SWITCHES];
    size_t count = 0;
    for (unsigned i = 0; i < SWITCHES; i++) {
        if ((has >> i & 1) != 0 && (strcasecmp(name, switches[i]) == 0 || (alone && !name[0]))) {
            *detail = (int)i;
            return true;
        }
        if ((has >> i & 1) != 0) {
            known[count++] = switches[i];
        }
    }
    char all[100] = "";
    for (size_t i = 0; i < count; i++) {
        snprintf(all + strlen(all), sizeof all - strlen(all), "%s%s", i > 0 ? ", " : "", known[i]);
    }
    snprintf(why, size, "the driver of '%s' has no switch '%s'; expected '%s %s' and one of: %s",
             load->name, name, load->name, fault, all);
    return false;
}

/* ---- what there is ---- */

/* Whether a part has what a fault is about: only some loads have an encoder, some inputs a contact.
 */
static bool has_it(const wpin_rig *rig, int load, int input, size_t number) {
    wpin_part_fault fault = faults[number].fault;
    if (fault == WPIN_PART_FAULT_STUCK) {
        return input >= 0 && rig->inputs[input].kind <= WPIN_RIG_LIMIT;
    }
    if (fault == WPIN_PART_FAULT_READING_STUCK) {
        return input >= 0 && rig->inputs[input].kind > WPIN_RIG_LIMIT &&
               rig->inputs[input].kind != WPIN_RIG_PAIR;
    }
    if (fault == WPIN_PART_FAULT_LEADS_MIXED) {
        return load >= 0 && wpin_rig_type(&rig->loads[load])->steps;
    }
    if (fault >= WPIN_PART_FAULT_CABLE_OFF && fault <= WPIN_PART_FAULT_LOCAL) {
        return load >= 0 && rig->loads[load].axis.there;
    }
    if (fault == WPIN_PART_FAULT_THERMISTOR_OFF) {
        return load >= 0 && rig->loads[load].thermistor.there;
    }
    if (fault == WPIN_PART_FAULT_INTERRUPTS_OFF) {
        return has_interrupts(rig);
    }
    if (fault == WPIN_PART_FAULT_STALLED || fault == WPIN_PART_FAULT_MOTOR_SWAPPED) {
        return load >= 0 && wpin_rig_type(&rig->loads[load])->turns;
    }
    bool of_lines = fault == WPIN_PART_FAULT_WIRE_OFF || fault == WPIN_PART_FAULT_PIN_FLOATING ||
                    fault == WPIN_PART_FAULT_WIRES_SWAPPED ||
                    fault == WPIN_PART_FAULT_DIODE_REVERSED;
    if (of_lines && load >= 0 && rig->loads[load].axis.there) {
        return false; /* it has none of ours */
    }
    if (fault == WPIN_PART_FAULT_SWITCH_OPEN || fault == WPIN_PART_FAULT_SWITCH_SHORTED) {
        return load >= 0 && switches_of(&rig->loads[load]) != 0;
    }
    if (fault == WPIN_PART_FAULT_POLE_PAIRS) {
        return load >= 0 && wpin_rig_type(&rig->loads[load])->spins &&
               rig->loads[load].motor.pole_pairs > 0;
    }
    if (strcmp(faults[number].word, "comparators-off") == 0) {
        return load >= 0 && rig->loads[load].crossing.there;
    }
    if ((fault >= WPIN_PART_FAULT_HALL_OFF && fault <= WPIN_PART_FAULT_HALL_SWAPPED) ||
        fault == WPIN_PART_FAULT_HALL_SHIFTED) {
        return load >= 0 && (rig->loads[load].hall.there || rig->loads[load].hall.at_driver);
    }
    bool channel =
        fault == WPIN_PART_FAULT_CHANNEL_OFF || fault == WPIN_PART_FAULT_CHANNELS_SWAPPED;
    if (channel || fault == WPIN_PART_FAULT_SENSOR_OFF || fault == WPIN_PART_FAULT_ENCODER_SLIPS) {
        return load >= 0 && wpin_rig_counts_here(&rig->loads[load]) &&
               !(channel && rig->loads[load].encoder.one_channel);
    }
    return true;
}

static void say_known(const wpin_rig *rig, int load, int input, char *why, size_t size,
                      const char *name, const char *word, about part) {
    const char *known[FAULTS];
    size_t count = 0;
    char all[300] = "";
    for (size_t i = 0; i < FAULTS; i++) {
        if (faults[i].part == part && has_it(rig, load, input, i)) {
            size_t used = strlen(all);
            snprintf(all + used, sizeof all - used, "%s%s", count == 0 ? "" : ", ", faults[i].word);
            known[count++] = faults[i].word;
        }
    }
    if (count == 0) {
        snprintf(why, size,
                 "'%s' has no fault that can be simulated; buttons, limit switches, knobs and "
                 "sensors have 'stuck'",
                 name);
        return;
    }
    const char *near = wpin_nearest_word(word, known, count);
    snprintf(why, size, "unknown fault '%s' of '%s'%s%s%s; expected one of: %s", word, name,
             near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
             near != NULL ? "'?)" : "", all);
}

/* The driver input behind a line of a load's stage. */
static bool find_line(const wpin_rig_load *load, const char *fault, const char *line, int *input,
                      char *why, size_t size) {
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        if (strcasecmp(load->kind->lines[i], line) == 0) {
            *input = load->kind->inputs[i];
            return true;
        }
    }
    const char *near = wpin_nearest_word(line, load->kind->lines, load->kind->table->line_count);
    snprintf(why, size, "'%s' has no line '%s'%s%s%s; expected e.g. '%s %s %s'", load->name, line,
             near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
             near != NULL ? "'?)" : "", load->name, fault, load->kind->lines[0]);
    return false;
}

/* The pin or analogue input that an input is on. */
static int number_of(const wpin_rig_input *input) {
    return (int)(input->kind <= WPIN_RIG_LIMIT ? input->pin : input->analog);
}

static bool find_pairs(const wpin_rig_load *load, const char *text, int *detail, char *why,
                       size_t size) {
    char *end;
    long pairs = strtol(text, &end, 10);
    if (*text == '\0' || *end != '\0' || pairs < 1 || pairs > 60) {
        snprintf(why, size,
                 "'%s pole-pairs %s': expected how many it truly has, 1 to 60, e.g. '%s pole-pairs "
                 "%.0f'",
                 load->name, text, load->name, 2 * load->motor.pole_pairs);
        return false;
    }
    *detail = (int)pairs;
    return true;
}

/* What stands behind the word of a fault: a line, a switch, a number, or nothing. */
static bool read_more(const wpin_rig_load *load, const char *name, const char *word,
                      wpin_injection *injection, const char *of, const char *more, char *why,
                      size_t size) {
    wpin_part_fault fault = injection->fault;
    bool of_line = fault == WPIN_PART_FAULT_WIRE_OFF || fault == WPIN_PART_FAULT_PIN_FLOATING;
    bool of_switch =
        fault == WPIN_PART_FAULT_SWITCH_OPEN || fault == WPIN_PART_FAULT_SWITCH_SHORTED;
    bool of_number = fault == WPIN_PART_FAULT_POLE_PAIRS;
    bool takes = of_line || of_switch || of_number;
    if (takes ? more[0] != '\0' : of[0] != '\0') {
        snprintf(
            why, size,
            "'%s' is one word too many after '%s %s%s%s'; a plan puts faults in and mends them "
            "at its steps",
            takes ? more : of, name, word, takes ? " " : "", takes ? of : "");
        return false;
    }
    return of_line     ? find_line(load, word, of, &injection->detail, why, size)
           : of_switch ? find_switch(load, word, of, &injection->detail, why, size)
           : of_number ? find_pairs(load, of, &injection->detail, why, size)
                       : true;
}

bool wpin_injection_read(const wpin_rig *rig, const char *text, wpin_injection *injection,
                         char *why, size_t why_size) {
    char name[64] = "", word[64] = "", line[64] = "", more[64] = "";
    sscanf(text, " %63s %63s %63s %63s", name, word, line, more);
    int load = wpin_rig_find_load(rig, name), supply = wpin_rig_find_supply(rig, name);
    int input = wpin_rig_find_input(rig, name);
    bool controller = strcasecmp(name, "controller") == 0;
    if (load < 0 && supply < 0 && input < 0 && !controller) {
        snprintf(why, why_size,
                 "'%s' is not a load, supply or input of the rig, nor 'controller'; expected e.g. "
                 "'%s stalled'",
                 name, rig->loads[0].name);
        return false;
    }
    about part = load >= 0     ? ABOUT_LOAD
                 : supply >= 0 ? ABOUT_SUPPLY
                 : input >= 0  ? ABOUT_INPUT
                               : ABOUT_CONTROLLER;
    for (size_t i = 0; i < FAULTS; i++) {
        if (faults[i].part == part && strcasecmp(faults[i].word, word) == 0 &&
            has_it(rig, load, input, i)) {
            int number = load >= 0     ? load
                         : supply >= 0 ? supply
                         : input >= 0  ? number_of(&rig->inputs[input])
                                       : 0;
            *injection = (wpin_injection){.fault = faults[i].fault, .number = number};
            if (faults[i].fault == WPIN_PART_FAULT_LEADS_MIXED) {
                injection->detail = WPIN_PART_LEADS(0, 2, 1, 3);
            }
            return read_more(&rig->loads[load >= 0 ? load : 0], name, faults[i].word, injection,
                             line, more, why, why_size);
        }
    }
    say_known(rig, load, input, why, why_size, name, word, part);
    return false;
}
