/* What a motor was found to be, kept beside what its entry says: used as long as that entry is the
 * one it was found for. */
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { FOUND_ON, FOUND_OF };
static const wpin_field fields[] = {
    NODE("on", true),
    NODE("of", true),
    QUANTITY("resistance", wpin_part_motor, resistance, false, WPIN_RESISTANCE, 1e-3, 10e3),
    QUANTITY("inductance", wpin_part_motor, inductance, false, WPIN_INDUCTANCE, 1e-6, 10),
    QUANTITY("constant", wpin_part_motor, constant, false, WPIN_MOTOR_CONSTANT, 1e-5, 100),
    QUANTITY("inertia", wpin_part_motor, inertia, false, WPIN_INERTIA, 1e-10, 10),
    QUANTITY("static-friction", wpin_part_motor, static_friction, false, WPIN_TORQUE, 0, 100),
    QUANTITY("dry-friction", wpin_part_motor, dry_friction, false, WPIN_TORQUE, 0, 100),
    QUANTITY("viscous-friction", wpin_part_motor, viscous_friction, false, WPIN_VISCOSITY, 0, 10),
};

uint32_t wpin_mark_of(const char *text) {
    uint32_t hash = 2166136261U; /* FNV-1a, as of whole files */
    for (const char *c = text; *c != '\0'; c++) {
        hash = (hash ^ (uint8_t)*c) * 16777619U;
    }
    return hash;
}

uint32_t wpin_rig_motor_mark(const wpin_part_motor *m) {
    char text[300];
    snprintf(text, sizeof text, "%.6g %.6g %.6g %.6g %.6g %.6g %.6g %.6g %.6g", m->resistance,
             m->inductance, m->constant, m->inertia, m->static_friction, m->dry_friction,
             m->viscous_friction, m->gear_ratio, m->gear_efficiency);
    return wpin_mark_of(text);
}

bool wpin_read_mark(wpin_reader *reader, yaml_node_t *node, const char *command, uint32_t *mark) {
    const char *text = wpin_scalar(reader, node, "the mark that was written with it");
    char *rest = NULL;
    if (text == NULL) {
        return false;
    }
    *mark = (uint32_t)strtoul(text, &rest, 16);
    if (rest == text || *rest != '\0' || strlen(text) > 8) {
        wpin_say_at(reader, node, "'%s' is not a mark; expected the eight digits that %s wrote",
                    text, command);
    }
    return true;
}

static void take(double *to, double found) {
    *to = found > 0 ? found : *to;
}

static void use(wpin_part_motor *m, const wpin_part_motor *found) {
    take(&m->resistance, found->resistance);
    take(&m->inductance, found->inductance);
    take(&m->constant, found->constant);
    take(&m->inertia, found->inertia);
    take(&m->dry_friction, found->dry_friction);
    take(&m->static_friction, found->static_friction);
    take(&m->viscous_friction, found->viscous_friction);
    if (m->static_friction < m->dry_friction) {
        m->static_friction = m->dry_friction; /* one found, the other said */
    }
}

void wpin_read_identified(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(fields)];
    wpin_rig_identified *i = &load->identified;
    wpin_read_map(reader, node, "identified", fields, COUNT(fields), &i->motor, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[FOUND_ON] == NULL || nodes[FOUND_OF] == NULL) {
        return;
    }
    if (!wpin_rig_type(load)->spins) {
        wpin_say_at(reader, node, "only motors are identified; '%s' is none", load->name);
        return;
    }
    const char *on = wpin_scalar(reader, nodes[FOUND_ON], "a day, e.g. 2026-11-25");
    if (on == NULL || !wpin_read_mark(reader, nodes[FOUND_OF], "windpin identify", &i->of)) {
        return;
    }
    snprintf(i->on, sizeof i->on, "%.11s", on);
    i->there = true;
    i->stale = i->of != wpin_rig_motor_mark(&load->motor);
    if (!i->stale) {
        use(&load->motor, &i->motor);
    }
}
