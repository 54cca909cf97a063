/* Field buses of a rig, and the drives on them. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include "windpin/host/eds.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { BUS_INTERFACE };
static const wpin_field bus_fields[] = {
    NODE("interface", false),
    QUANTITY("bit-rate", wpin_rig_fieldbus, bit_rate, true, WPIN_BIT_RATE, 1e4, 1e6),
    QUANTITY("period", wpin_rig_fieldbus, period, false, WPIN_TIME, 1e-3, 1),
    QUANTITY("node", wpin_rig_fieldbus, number, false, WPIN_NUMBER, 1, WPIN_NODE_MAX),
    QUANTITY("answer", wpin_rig_fieldbus, answer, false, WPIN_TIME, 1e-3, 10),
};

static bool whole(double value) {
    return fmod(value, 1) == 0;
}

static int find_bus(const wpin_rig *rig, const char *name) {
    for (size_t i = 0; i < rig->fieldbus_count; i++) {
        if (strcmp(rig->fieldbuses[i].name, name) == 0) {
            return (int)i;
        }
    }
    return -1;
}

void wpin_read_fieldbus(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key,
                        const char *name, yaml_node_t *node) {
    wpin_rig_fieldbus bus = {.line = (unsigned)key->start_mark.line + 1,
                             .period = 4e-3,
                             .number = WPIN_NODE_MAX,
                             .answer = 50e-3};
    if (find_bus(rig, name) >= 0) {
        wpin_say_at(reader, key, "there are two field buses called '%s'", name);
        return;
    }
    if (rig->fieldbus_count == WPIN_RIG_FIELDBUSES) {
        wpin_say_at(reader, key, "more than %d field buses", WPIN_RIG_FIELDBUSES);
        return;
    }
    if (!wpin_take_name(reader, rig, key, name, bus.name)) {
        return;
    }
    char what[64];
    snprintf(what, sizeof what, "field bus '%s'", bus.name);
    yaml_node_t *nodes[COUNT(bus_fields)];
    wpin_read_map(reader, node, what, bus_fields, COUNT(bus_fields), &bus, nodes);
    const char *on = node->type != YAML_MAPPING_NODE || nodes[BUS_INTERFACE] == NULL
                         ? NULL
                         : wpin_scalar(reader, nodes[BUS_INTERFACE], "can0, or a socket's path");
    if (on != NULL && strlen(on) >= sizeof bus.interface) {
        wpin_say_at(reader, nodes[BUS_INTERFACE], "interface: at most %zu characters",
                    sizeof bus.interface - 1);
    } else if (on != NULL) {
        strcpy(bus.interface, on);
    }
    rig->fieldbuses[rig->fieldbus_count++] = bus;
}

/* ---- drives ---- */

enum {
    AXIS_BUS,
    AXIS_VELOCITY,
    AXIS_LOGIC,
    AXIS_SETTINGS,
    AXIS_HOMING,
    AXIS_SWITCHES,
    AXIS_SWITCHES_AT,
    AXIS_EDS
};
static const wpin_field axis_fields[] = {
    NODE("bus", true),
    NODE("velocity-unit", false),
    NODE("logic", false),
    NODE("settings", false),
    NODE("homing", false),
    NODE("switches", false),
    NODE("switches-at", false),
    NODE("eds", false),
    CHOICE("mode", wpin_rig_axis, plain, "profile", "velocity"),
    CHOICE("check-factors", wpin_rig_axis, any_counts, "yes", "no"),
    CHOICE("check-remote", wpin_rig_axis, any_source, "yes", "no"),
    QUANTITY("node", wpin_rig_axis, number, true, WPIN_NUMBER, 1, WPIN_NODE_MAX),
    QUANTITY("counts", wpin_rig_axis, counts, false, WPIN_NUMBER, 1, 1e7),
    QUANTITY("rated-current", wpin_rig_axis, rated_amps, true, WPIN_CURRENT, 1e-2, 80),
    QUANTITY("most-current", wpin_rig_axis, most_amps, false, WPIN_CURRENT, 1e-2, 240),
    QUANTITY("place-period", wpin_rig_axis, place_period, false, WPIN_TIME, 1e-3, 1),
    QUANTITY("lost", wpin_rig_axis, lost, false, WPIN_TIME, 5e-3, 10),
    QUANTITY("heartbeat", wpin_rig_axis, heartbeat, false, WPIN_TIME, 20e-3, 10),
    QUANTITY("guarding", wpin_rig_axis, guarding, false, WPIN_TIME, 10e-3, 10),
    QUANTITY("vendor", wpin_rig_axis, vendor, false, WPIN_NUMBER, 0, UINT32_MAX),
    QUANTITY("product", wpin_rig_axis, product, false, WPIN_NUMBER, 0, UINT32_MAX),
};

/* How the switches on its case stand, and the object that tells them. */
static void read_switches(wpin_reader *reader, yaml_node_t *list, yaml_node_t *at,
                          wpin_rig_axis *axis) {
    static const char *const words[] = {"up", "down", "any"};
    const wpin_known_object *known = NULL;
    char why[300];
    size_t count = list == NULL || list->type != YAML_SEQUENCE_NODE ? 0 : wpin_list_size(list);
    if (list != NULL && (count == 0 || count > WPIN_RIG_SWITCHES)) {
        wpin_say_at(
            reader, list,
            "switches: expected a list of 1 to %d words, the first switch first, e.g. [down, "
            "up, any]",
            WPIN_RIG_SWITCHES);
        return;
    }
    for (size_t i = 0; i < count; i++) {
        yaml_node_t *item = wpin_list_item(reader, list, i);
        const char *text = wpin_scalar(reader, item, "up, down or any");
        int word =
            text == NULL ? -1 : wpin_find_word(reader, item, text, "switches", words, COUNT(words));
        axis->switches[axis->switch_count++] =
            word < 0 ? WPIN_RIG_SWITCH_ANY : (wpin_rig_switch)word;
    }
    const char *text = at == NULL ? NULL : wpin_scalar(reader, at, "an object's number");
    if (text != NULL && count == 0) {
        wpin_say_at(reader, at, "switches-at: lacks 'switches', how they have to stand");
    } else if (text != NULL && !wpin_object_find(text, &axis->switches_index, &axis->switches_sub,
                                                 &known, why, sizeof why)) {
        wpin_say_at(reader, at, "switches-at: %s", why);
    }
}

/* Its data sheet lies beside the rig, where its path does not begin at the root. */
static wpin_eds *read_eds(wpin_reader *reader, yaml_node_t *node, wpin_rig_axis *axis) {
    const char *text = wpin_scalar(reader, node, "the path of a data sheet");
    const char *rig = reader->messages->file != NULL ? reader->messages->file : "";
    const char *slash = strrchr(rig, '/');
    int beside = text == NULL || text[0] == '/' || slash == NULL ? 0 : (int)(slash - rig) + 1;
    char why[400];
    if (text == NULL) {
        return NULL;
    }
    int n = snprintf(axis->eds, sizeof axis->eds, "%.*s%s", beside, rig, text);
    if (n < 0 || (size_t)n >= sizeof axis->eds) {
        wpin_say_at(reader, node, "eds: the path is too long, at most %zu characters",
                    sizeof axis->eds - 1);
        return NULL;
    }
    wpin_eds *eds = wpin_eds_read(axis->eds, why, sizeof why);
    if (eds == NULL) {
        wpin_say_at(reader, node, "eds: %s", why);
    }
    return eds;
}

static const wpin_field homing_fields[] = {
    QUANTITY("method", wpin_rig_homing, method, true, WPIN_NUMBER, 1, 37),
    QUANTITY("speed", wpin_rig_homing, speed, false, WPIN_SPEED, 1e-3, 1e5),
    QUANTITY("creep", wpin_rig_homing, creep, false, WPIN_SPEED, 1e-3, 1e5),
    QUANTITY("at", wpin_rig_homing, at, false, WPIN_ANGLE, -1e6, 1e6),
};

static void read_homing(wpin_reader *reader, yaml_node_t *node, wpin_rig_homing *homing) {
    yaml_node_t *nodes[COUNT(homing_fields)];
    *homing = (wpin_rig_homing){.there = true};
    wpin_read_map(reader, node, "homing", homing_fields, COUNT(homing_fields), homing, nodes);
    bool here = homing->method == 35 || homing->method == 37;
    if (homing->method > 0 && !whole(homing->method)) {
        wpin_say_at(reader, node, "method: %g is not a whole number; expected e.g. 17 or 37",
                    homing->method);
    } else if (homing->method > 0 && !here && homing->speed <= 0) {
        wpin_say_at(reader, node,
                    "homing by method %g looks for something; expected its speed, e.g. "
                    "speed: 20rpm",
                    homing->method);
    }
    homing->creep = homing->creep > 0 ? homing->creep : homing->speed / 4;
}

static void read_bus(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                     wpin_rig_axis *axis) {
    const char *names[WPIN_RIG_FIELDBUSES];
    const char *text = wpin_scalar(reader, node, "the name of a field bus");
    if (text == NULL) {
        return;
    }
    if (rig->fieldbus_count == 0) {
        wpin_say_at(reader, node,
                    "the rig has no field bus '%s'; expected e.g. field-buses: {%s: {bit-rate: "
                    "1Mbit/s}}",
                    text, text);
        return;
    }
    for (size_t i = 0; i < rig->fieldbus_count; i++) {
        names[i] = rig->fieldbuses[i].name;
    }
    axis->bus = wpin_find_word(reader, node, text, "field bus", names, rig->fieldbus_count);
}

/* Each node its own number, and none that of the one who commands. */
static void check_number(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                         const wpin_rig_load *load) {
    const wpin_rig_axis *a = &load->axis;
    if (!whole(a->number)) {
        wpin_say_at(reader, node, "node: %g is not a whole number; expected 1 to %d", a->number,
                    WPIN_NODE_MAX);
    }
    if (a->bus >= 0 && rig->fieldbuses[a->bus].number == a->number) {
        wpin_say_at(reader, node,
                    "node %g is the number that commands field bus '%s'; expected another, or "
                    "another 'node' for the bus",
                    a->number, rig->fieldbuses[a->bus].name);
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_axis *other = &rig->loads[i].axis;
        if (other->there && other->bus == a->bus && other->number == a->number) {
            wpin_say_at(reader, node, "node %g is that of '%s' already; each drive has its own",
                        a->number, rig->loads[i].name);
        }
    }
}

/* What a drive that is told speeds only has not; and how it knows that it is commanded. */
static void check_mode(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                       wpin_rig_load *load) {
    wpin_rig_axis *a = &load->axis;
    if (a->plain && nodes[AXIS_HOMING] != NULL) {
        wpin_say_at(reader, nodes[AXIS_HOMING],
                    "in mode: velocity '%s' takes speeds only; homing takes mode: profile",
                    load->name);
    } else if (a->plain && nodes[AXIS_VELOCITY] != NULL) {
        wpin_say_at(reader, nodes[AXIS_VELOCITY], "in mode: velocity its speeds are rpm always");
    } else if (!a->plain && a->counts <= 0) {
        wpin_say_at(reader, node,
                    "axis lacks 'counts': its position units in a turn of its motor, "
                    "e.g. counts: 4000");
    }
    if (a->heartbeat > 0 && a->guarding > 0) {
        wpin_say_at(reader, node, "a node beats or is guarded; expected heartbeat or guarding");
    }
    a->rpm_units = a->rpm_units || a->plain;
    a->counts = a->counts > 0 ? a->counts : 4096; /* nobody sees them */
    a->heartbeat = a->heartbeat > 0 || a->guarding > 0 ? a->heartbeat : 100e-3;
    if (!a->plain) { /* its drive regulates that too */
        load->current = (wpin_rig_current){.there = true, .rated = a->rated_amps, .within = 0.05};
    }
}

void wpin_read_axis(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                    wpin_rig_load *load) {
    static const char *const units[] = {"counts/s", "rpm"};
    yaml_node_t *nodes[COUNT(axis_fields)];
    wpin_rig_axis *a = &load->axis;
    *a = (wpin_rig_axis){.bus = -1, .logic = -1, .place_period = 8e-3, .lost = 100e-3};
    wpin_read_map(reader, node, "axis", axis_fields, COUNT(axis_fields), a, nodes);
    if (node->type != YAML_MAPPING_NODE || load->kind == NULL) {
        return;
    }
    if (!wpin_logic_of(load->kind->logic)->frames) {
        wpin_say_at(reader, node,
                    "an axis is a drive on a field bus; expected stage: {kind: field-bus}");
        return;
    }
    if (!wpin_rig_type(load)->spins || load->motor.pole_pairs > 0) {
        wpin_say_at(reader, node,
                    "an axis turns a motor, described as its drive lets it behave: with two leads "
                    "and without pole-pairs");
        return;
    }
    if (nodes[AXIS_BUS] != NULL) {
        read_bus(reader, rig, nodes[AXIS_BUS], a);
    }
    if (nodes[AXIS_VELOCITY] != NULL) {
        const char *text = wpin_scalar(reader, nodes[AXIS_VELOCITY], "counts/s or rpm");
        int unit = text == NULL ? 0
                                : wpin_find_word(reader, nodes[AXIS_VELOCITY], text,
                                                 "velocity-unit", units, COUNT(units));
        a->rpm_units = unit == 1;
    }
    if (nodes[AXIS_LOGIC] != NULL) {
        a->logic = wpin_find_supply_at(reader, rig, nodes[AXIS_LOGIC]);
    }
    wpin_eds *eds = nodes[AXIS_EDS] == NULL ? NULL : read_eds(reader, nodes[AXIS_EDS], a);
    if (nodes[AXIS_SETTINGS] != NULL && (eds != NULL || nodes[AXIS_EDS] == NULL)) {
        a->setting_count =
            wpin_read_settings(reader, nodes[AXIS_SETTINGS], eds, a->settings, WPIN_RIG_SETTINGS);
    }
    wpin_eds_free(eds);
    if (nodes[AXIS_HOMING] != NULL) {
        read_homing(reader, nodes[AXIS_HOMING], &a->homing);
    }
    read_switches(reader, nodes[AXIS_SWITCHES], nodes[AXIS_SWITCHES_AT], a);
    a->there = true;
    a->most_amps = a->most_amps > 0 ? a->most_amps : 2 * a->rated_amps;
    if (a->rated_amps > 0 && a->most_amps > 3 * a->rated_amps) {
        wpin_say_at(reader, node,
                    "most-current (%.4g A) is above three times the rated-current; expected up to "
                    "%.4g A",
                    a->most_amps, 3 * a->rated_amps);
    }
    check_number(reader, node, rig, load);
    check_mode(reader, node, nodes, load);
    load->encoder = (wpin_rig_encoder){.there = true, .by_drive = true, .lines = a->counts / 4};
    if (a->homing.there) {
        wpin_check_reach(reader, nodes[AXIS_HOMING], load, fabs(a->homing.at));
    }
}

bool wpin_rig_axis_counts_alike(const wpin_rig_axis *axis, wpin_object_asker *ask, void *context,
                                double *counts) {
    bool asked = axis->there && !axis->plain && !axis->any_counts;
    *counts = asked ? wpin_drive_counts(ask, context) : 0;
    return *counts <= 0 || fabs(*counts - axis->counts) <= 1e-3 * *counts;
}

unsigned wpin_rig_axis_place_every(const wpin_rig *rig, const wpin_rig_load *load) {
    double every = round(load->axis.place_period / rig->fieldbuses[load->axis.bus].period);
    return (unsigned)fmin(fmax(every, 1), 240);
}

void wpin_rig_axis_switches(const wpin_rig_axis *axis, char *words, size_t size) {
    static const char *const ways[] = {"up", "down", "either way"};
    size_t used = 0;
    words[0] = '\0';
    for (size_t i = 0; i < axis->switch_count && used < size; i++) {
        int n = snprintf(words + used, size - used, "%s%zu %s", i == 0 ? "" : ", ", i + 1,
                         ways[axis->switches[i]]);
        used += n < 0 ? 0 : (size_t)n;
    }
}

unsigned wpin_rig_axis_switched(const wpin_rig_axis *axis, wpin_rig_switch way) {
    unsigned bits = 0;
    for (size_t i = 0; i < axis->switch_count; i++) {
        bits |= axis->switches[i] == way ? 1U << i : 0U;
    }
    return bits;
}

double wpin_rig_axis_homes_at(const wpin_rig_load *load) {
    const wpin_rig_homing *h = &load->axis.homing;
    double places = load->position.speed > 0 ? load->position.speed : load->speed.rated;
    double speed = h->speed > 0 ? h->speed : places; /* it stays where it is */
    return (h->method == 17) != load->reversed ? -speed : speed;
}
