/* A fault in words: what its load did when it came, what was measured, and what to look at. */
#include "verdict.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

/* ---- what it did then ---- */

__attribute__((format(printf, 3, 4))) static void add(char *words, size_t size, const char *format,
                                                      ...) {
    size_t used = strlen(words);
    va_list list;
    va_start(list, format);
    wpin_print_plain(words + used, size - used, format, list);
    va_end(list);
}

static void add_asked(const wpin_fault_scene *s, char *words, size_t size) {
    switch ((wpin_quantity)s->quantity) {
    case WPIN_QUANTITY_SPEED: add(words, size, "%+.4g rpm asked for", s->setpoint); break;
    case WPIN_QUANTITY_TORQUE: add(words, size, "%+.3g A asked for", s->setpoint); break;
    case WPIN_QUANTITY_POSITION: add(words, size, "place %.4g deg asked for", s->setpoint); break;
    default: add(words, size, "%+.3g %% asked for", s->setpoint * 100); break;
    }
}

static void add_measured(const wpin_rig_load *l, const wpin_fault_scene *s, char *words,
                         size_t size) {
    const char *between = "; measured";
    if (!isnan(s->rpm)) {
        add(words, size, "%s %.4g rpm", between, s->rpm);
        between = ",";
    }
    if (!isnan(s->amps)) {
        add(words, size, "%s %.3g A", between, s->amps);
        between = ",";
    }
    if (!isnan(s->degrees)) {
        add(words, size, "%s place %.4g deg (%.0f counts)", between, s->degrees,
            s->degrees / 360 * wpin_rig_counts_at_output(l));
        between = ",";
    }
    if (!isnan(s->supply_volts)) {
        add(words, size, "%s %.3g V of its supply", between, s->supply_volts);
    }
}

void wpin_fault_scene_words(const wpin_rig *rig, const wpin_fault_result *fault, char *words,
                            size_t size) {
    static const char *const doing[] = {
        [WPIN_STATE_OFF] = "Not armed",     [WPIN_STATE_READY] = "Ready",
        [WPIN_STATE_RAMPING] = "On a ramp", [WPIN_STATE_RUNNING] = "Running",
        [WPIN_STATE_RESTING] = "Resting",   [WPIN_STATE_BRAKING] = "Braking",
        [WPIN_STATE_COASTING] = "Coasting", [WPIN_STATE_FAULT] = "Faulted"};
    const wpin_fault_scene *s = &fault->scene;
    bool axis = rig->loads[fault->load].axis.there;
    snprintf(words, size, "%s: ", doing[s->state]);
    add_asked(s, words, size);
    if (!axis) { /* a drive keeps its duty to itself */
        add(words, size, ", duty %.1f %%", s->duty * 100);
    }
    add_measured(&rig->loads[fault->load], s, words, size);
    add(words, size, ".");
}

/* ---- what to look at ---- */

static const char *sensor_of(const wpin_rig_load *l) {
    return l->crossing.there                    ? "comparators"
           : l->hall.there || l->hall.at_driver ? "Hall sensors"
                                                : "encoder";
}

static void add_lines(const wpin_rig_load *l, char *words, size_t size) {
    add(words, size, "a wire between controller and driver off:");
    for (unsigned i = 0; i < l->kind->table->line_count; i++) {
        add(words, size, " %s,", l->kind->lines[i]);
    }
    add(words, size, " or the ground in common");
}

static void say_supply(const wpin_rig *rig, const wpin_fault_result *f, wpin_cause cause,
                       char *words, size_t size) {
    const char *name = rig->supplies[rig->loads[f->load].supply].name;
    switch (cause) {
    case WPIN_CAUSE_SUPPLY:
        snprintf(words, size, "supply '%s' off, empty or cut out%s", name,
                 f->scene.others ? ", as others on it fail too" : ", its fuse or its wire");
        break;
    case WPIN_CAUSE_SAG:
        snprintf(words, size,
                 "supply '%s' gives way: too weak, its wires too thin, its cells run down", name);
        break;
    case WPIN_CAUSE_VOLTS:
        snprintf(words, size, "supply '%s' has more volts than the rig says", name);
        break;
    default:
        snprintf(words, size,
                 "braking feeds supply '%s': a longer ramp down, or one that takes it back", name);
        break;
    }
}

static void say_wires(const wpin_rig_load *l, wpin_cause cause, char *words, size_t size) {
    bool three = wpin_rig_three_leads(l);
    words[0] = '\0';
    switch (cause) {
    case WPIN_CAUSE_LEAD:
        snprintf(words, size, "%s off", three ? "one of its three leads" : "a lead of the motor");
        break;
    case WPIN_CAUSE_LEADS:
        snprintf(words, size, "%s",
                 three ? "its leads or sensors not in their order (windpin order)"
                       : "the motor's leads swapped");
        break;
    case WPIN_CAUSE_LINE: add_lines(l, words, size); break;
    case WPIN_CAUSE_DRIVER:
        snprintf(words, size,
                 "the driver: standby, enable, its own protection, a switch of it dead");
        break;
    case WPIN_CAUSE_SHORT: snprintf(words, size, "a short in its leads or its driver"); break;
    case WPIN_CAUSE_SENSOR:
        snprintf(words, size, "the %s: supply, wires, pins", sensor_of(l));
        break;
    case WPIN_CAUSE_SENSORS:
        snprintf(words, size, "wires of the %s swapped%s", sensor_of(l),
                 l->hall.there ? "" : ", or 'reversed' missing in the rig");
        break;
    case WPIN_CAUSE_SLIPS:
        snprintf(words, size,
                 l->hall.there ? "its %s off their places" : "the %s loose on its shaft",
                 sensor_of(l));
        break;
    default:
        snprintf(words, size, "the %s not scaled as the rig says: %s", sensor_of(l),
                 l->motor.pole_pairs > 0 ? "pole-pairs is half the number of its magnets"
                                         : "lines, gear");
        break;
    }
}

static void say_asked(const wpin_rig *rig, const wpin_fault_result *f, wpin_cause cause,
                      char *words, size_t size) {
    const wpin_rig_load *l = &rig->loads[f->load];
    int limit = l->limits.limit_inputs[f->scene.duty < 0];
    switch (cause) {
    case WPIN_CAUSE_LIMIT:
        snprintf(words, size,
                 "limit switch '%s' does not come before the end: the switch, its wire, or which "
                 "way home is",
                 limit >= 0 ? rig->inputs[limit].name : "");
        break;
    case WPIN_CAUSE_DUTY:
        wpin_plain(words, size, "too little duty: by its parts it takes about %.0f %% to turn",
                   100 * wpin_loose_duty(rig, l));
        break;
    case WPIN_CAUSE_RAMP: snprintf(words, size, "too steep a ramp for its load"); break;
    default: snprintf(words, size, "more asked for than it does with this load and supply"); break;
    }
}

static const char *of_shaft(wpin_cause cause) {
    switch (cause) {
    case WPIN_CAUSE_HELD: return "its shaft held or blocked";
    case WPIN_CAUSE_END: return "it stands at an end of its travel";
    case WPIN_CAUSE_LOAD: return "more load than it is made for";
    case WPIN_CAUSE_DRIVEN: return "something else that drives its shaft";
    case WPIN_CAUSE_FREE: return "nothing that takes up its torque";
    case WPIN_CAUSE_GAINS: return "its regulator (windpin response)";
    case WPIN_CAUSE_PLAY: return "play in its gear, or what sticks: a place reached within more";
    default: return "too little cooling: a heat sink that came loose, a fan that stands";
    }
}

void wpin_cause_words(const wpin_rig *rig, const wpin_fault_result *fault, wpin_cause cause,
                      char *words, size_t size) {
    switch (cause) {
    case WPIN_CAUSE_SUPPLY:
    case WPIN_CAUSE_SAG:
    case WPIN_CAUSE_VOLTS:
    case WPIN_CAUSE_REGENERATED: say_supply(rig, fault, cause, words, size); break;
    case WPIN_CAUSE_LEAD:
    case WPIN_CAUSE_LEADS:
    case WPIN_CAUSE_LINE:
    case WPIN_CAUSE_DRIVER:
    case WPIN_CAUSE_SHORT:
    case WPIN_CAUSE_SENSOR:
    case WPIN_CAUSE_SENSORS:
    case WPIN_CAUSE_SLIPS:
    case WPIN_CAUSE_SCALE: say_wires(&rig->loads[fault->load], cause, words, size); break;
    case WPIN_CAUSE_LIMIT:
    case WPIN_CAUSE_DUTY:
    case WPIN_CAUSE_RAMP:
    case WPIN_CAUSE_ASKED: say_asked(rig, fault, cause, words, size); break;
    default: snprintf(words, size, "%s", of_shaft(cause)); break;
    }
}

static bool heats(wpin_status fault) {
    return fault == WPIN_FAULT_STALLED || fault == WPIN_FAULT_OVERLOAD ||
           fault == WPIN_FAULT_OVERTEMPERATURE;
}

void wpin_fault_advice(const wpin_rig *rig, const wpin_fault_result *fault, char *words,
                       size_t size) {
    wpin_cause causes[WPIN_CAUSES_MOST];
    size_t count = wpin_fault_causes(rig, fault, causes);
    if (count == 0) {
        snprintf(words, size, "%s", wpin_status_remedy(fault->cause));
        return;
    }
    snprintf(words, size, count == 1 ? "Look for: " : "Look for, the likeliest first: ");
    for (size_t i = 0; i < count; i++) {
        char one[200];
        wpin_cause_words(rig, fault, causes[i], one, sizeof one);
        add(words, size, "%s%s", i == 0 ? "" : "; ", one);
    }
    add(words, size, ".%s", heats(fault->cause) ? " Let it cool before the next try." : "");
}
