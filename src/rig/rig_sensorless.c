/* A brushless motor without sensors: comparators on its leads, and how it starts. */
#include "rig_parts.h"
#include <math.h>

#define PI 3.14159265358979323846

enum { CROSSING_PINS };
static const wpin_field crossing_fields[] = {
    NODE("pins", true),
    QUANTITY("start-current", wpin_rig_crossing, start_amps, false, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("hand-over", wpin_rig_crossing, hand_over, false, WPIN_SPEED, 1, 1e6),
    QUANTITY("align", wpin_rig_crossing, align, false, WPIN_TIME, 0.01, 60),
    QUANTITY("rest", wpin_rig_crossing, rest, false, WPIN_TIME, 0.01, 60),
    QUANTITY("advance", wpin_rig_crossing, advance, false, WPIN_ANGLE, 0, 28.0 / 360),
    QUANTITY("offset", wpin_rig_crossing, offset, false, WPIN_VOLTAGE, 0, 1),
};

static const wpin_field pin_fields[] = {NODE("a", true), NODE("b", true), NODE("c", true)};

void wpin_read_three_pins(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          const wpin_rig_load *load, const char *what, uint8_t pins[3]) {
    yaml_node_t *nodes[COUNT(pin_fields)];
    char of[64];
    snprintf(of, sizeof of, "pins of the %ss", what);
    wpin_read_map(reader, node, of, pin_fields, COUNT(pin_fields), pins, nodes);
    for (int i = 0; node->type == YAML_MAPPING_NODE && i < 3; i++) {
        if (nodes[i] == NULL || !wpin_read_pin(reader, nodes[i], &pins[i])) {
            continue;
        }
        const char *user = wpin_pin_user(rig, load, pins[i]);
        bool twice = false;
        for (int j = 0; j < i; j++) {
            twice = twice || (nodes[j] != NULL && pins[j] == pins[i]);
        }
        if (user != NULL || twice) {
            wpin_say_at(reader, nodes[i], "pin %u for %s %s of '%s' is taken: %s%s%s", pins[i],
                        what, pin_fields[i].key, load->name, twice ? "" : "'",
                        twice ? "by another of them" : user, twice ? "" : "'");
        }
    }
}

void wpin_read_crossing(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                        wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(crossing_fields)];
    wpin_rig_crossing *c = &load->crossing;
    *c = (wpin_rig_crossing){.align = 0.3, .rest = 1.5, .offset = 0.01};
    wpin_read_map(reader, node, "zero-crossing", crossing_fields, COUNT(crossing_fields), c, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (!wpin_rig_type(load)->spins || load->motor.pole_pairs <= 0) {
        wpin_say_at(reader, node,
                    "zero-crossing is for a brushless motor without sensors; '%s' needs a motor "
                    "with pole-pairs",
                    load->name);
        return;
    }
    if (load->hall.there) {
        wpin_say_at(reader, node,
                    "zero-crossing beside hall: '%s' goes by one of them; expected only hall, "
                    "which starts under load as well",
                    load->name);
        return;
    }
    if (nodes[CROSSING_PINS] != NULL) {
        wpin_read_three_pins(reader, rig, nodes[CROSSING_PINS], load, "comparator", c->pins);
    }
    c->there = true;
}

/* ---- what follows ---- */

/* Open loop: the rotor lags or leads the row, so about half of the torque can be counted on. */
#define COUNTED_ON 0.5
/* Hand-over where the back-emf is so much of the supply. */
#define EMF_SHARE 0.12
/* Sectors of the ramp: fewer and it jumps, more and it takes long. */
#define LEAST_SECTORS 16

/* Speed at the output from which its crossings lead, rpm. */
static double hand_over(const wpin_rig *rig, const wpin_rig_load *load) {
    double no_load = rig->supplies[load->supply].volts / load->motor.constant;
    return load->crossing.hand_over > 0 ? load->crossing.hand_over
                                        : wpin_part_output_rpm(&load->motor, EMF_SHARE * no_load);
}

double wpin_rig_least_rpm(const wpin_rig *rig, const wpin_rig_load *load) {
    return load->encoder.by_crossings ? ceil(hand_over(rig, load)) : 0;
}

wpin_sensorless_design wpin_rig_sensorless_design(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_crossing *c = &load->crossing;
    const wpin_part_motor *m = &load->motor;
    wpin_at_shaft shaft = wpin_part_at_shaft(m);
    double volts = rig->supplies[load->supply].volts, ohms = wpin_rig_loop_ohms(rig, load);
    double k = m->constant, sector = PI / 3 / m->pole_pairs;
    double no_load = volts / k, to_shaft = wpin_part_shaft_speed(m, 1);
    double speed = hand_over(rig, load) * to_shaft;
    double unhurried = speed * speed / (2 * LEAST_SECTORS * sector);
    double drags = shaft.holds + shaft.viscous * speed + shaft.quadratic * speed * speed;
    double needed = 1.5 * (shaft.inertia * unhurried + drags) / COUNTED_ON / k;
    double most = load->limits.duty_max * volts / ohms;
    double amps = c->start_amps > 0 ? c->start_amps : fmin(fmax(needed, 0.05 * most), 0.4 * most);
    double left = COUNTED_ON * k * amps - drags;
    wpin_sensorless_design d = {.amps = amps, .starts = left > 0};
    d.acceleration = d.starts ? fmin(left / shaft.inertia, unhurried) : unhurried;
    double sectors = ceil(speed * speed / (2 * d.acceleration * sector) - 1e-9);
    d.count = (size_t)fmin(sectors, WPIN_SENSORLESS_STEPS);
    double t = 0, w = 0;
    for (size_t n = 0; n < d.count; n++) {
        double end = sqrt(2 * (double)(n + 1) * sector / d.acceleration);
        w = d.acceleration * end;
        d.seconds[n] = end - t;
        d.duty[n] = fmin(wpin_rig_duty_at(rig, load, amps, w), load->limits.duty_max);
        t = end;
    }
    d.ramp = t;
    d.rpm = w / to_shaft;
    d.emf_volts = k / 2 * w;
    d.least_duty =
        fmin(wpin_rig_duty_at(rig, load, shaft.drags / k, 0.8 * w), load->limits.duty_max);
    d.least_sector = sector / (1.3 * no_load);
    return d;
}
