/* What tells the controller how a motor turns, and what it does with that: encoder and speed. */
#include "rig_parts.h"
#include <math.h>

enum { ENCODER_PINS };
static const wpin_field encoder_fields[] = {
    NODE("pins", true),
    QUANTITY("lines", wpin_rig_encoder, lines, true, WPIN_NUMBER, 1, 20000),
    CHOICE("at", wpin_rig_encoder, at_output, "motor", "output"),
    CHOICE("reversed", wpin_rig_encoder, reversed, "no", "yes"),
    CHOICE("moments", wpin_rig_encoder, no_moments, "yes", "no"),
    QUANTITY("window", wpin_rig_encoder, window, false, WPIN_TIME, 0, 0.06),
    QUANTITY("uneven", wpin_rig_encoder, uneven, false, WPIN_SHARE, 0, 0.5),
};

static const wpin_field pin_fields[] = {NODE("a", true), NODE("b", false)};

const char *wpin_pin_user(const wpin_rig *rig, const wpin_rig_load *load, uint8_t pin) {
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].kind <= WPIN_RIG_LIMIT && (uint8_t)rig->inputs[i].pin == pin) {
            return rig->inputs[i].name;
        }
    }
    for (size_t i = 0; i <= rig->load_count; i++) {
        const wpin_rig_load *other = i < rig->load_count ? &rig->loads[i] : load;
        for (unsigned line = 0; other->kind != NULL && line < other->kind->table->line_count;
             line++) {
            if (other->pins[line] == pin) {
                return other->name;
            }
        }
        if (other != load && wpin_shaft_sensor_on(other, pin) != NULL) {
            return other->name;
        }
    }
    return NULL;
}

static void read_encoder_pins(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                              wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(pin_fields)];
    wpin_rig_encoder *e = &load->encoder;
    wpin_read_map(reader, node, "pins of the encoder", pin_fields, COUNT(pin_fields), e, nodes);
    for (size_t i = 0; node->type == YAML_MAPPING_NODE && i < COUNT(pin_fields); i++) {
        if (nodes[i] == NULL || !wpin_read_pin(reader, nodes[i], &e->pins[i])) {
            continue;
        }
        const char *user = wpin_pin_user(rig, load, e->pins[i]);
        bool twice = i == 1 && nodes[0] != NULL && e->pins[0] == e->pins[1];
        if (user != NULL || twice) {
            wpin_say_at(reader, nodes[i], "pin %u for the encoder of '%s' is taken: %s%s%s",
                        e->pins[i], load->name, twice ? "" : "'",
                        twice ? "by its other channel" : user, twice ? "" : "'");
        }
    }
    e->one_channel = node->type == YAML_MAPPING_NODE && nodes[1] == NULL;
}

void wpin_read_encoder(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                       wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(encoder_fields)];
    wpin_rig_encoder *e = &load->encoder;
    wpin_read_map(reader, node, "encoder", encoder_fields, COUNT(encoder_fields), e, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (!wpin_rig_type(load)->spins) {
        wpin_say_at(reader, node, "an encoder sits on a motor's shaft; '%s' has none", load->name);
        return;
    }
    e->there = true;
    e->by_hall = e->by_driver = false; /* finer than those, which still commutate */
    if (fmod(e->lines, 1) != 0) {
        wpin_say_at(reader, node, "lines: %g is not a whole number; expected the lines of one turn",
                    e->lines);
    }
    if (nodes[ENCODER_PINS] != NULL) {
        read_encoder_pins(reader, rig, nodes[ENCODER_PINS], load);
    }
}

/* ---- speed ---- */

static const wpin_field speed_fields[] = {
    QUANTITY("rated", wpin_rig_speed, rated, true, WPIN_SPEED, 0.01, 1e5),
    QUANTITY("maximum", wpin_rig_speed, maximum, false, WPIN_SPEED, 0.01, 1e5),
    QUANTITY("within", wpin_rig_speed, within, false, WPIN_SHARE, 0.001, 0.2),
    QUANTITY("response", wpin_rig_speed, response, false, WPIN_TIME, 1e-3, 10),
    QUANTITY("stall-time", wpin_rig_speed, stall_time, false, WPIN_TIME, 0.01, 60),
    QUANTITY("follow-time", wpin_rig_speed, follow_time, false, WPIN_TIME, 0.01, 60),
};

/* What counts and tells its speed has whole numbers of so many bits. */
static void check_counted(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load) {
    const wpin_rig_axis *a = &load->axis;
    double most = a->there ? (a->plain ? INT16_MAX : WPIN_AXIS_SPEED_MAX) : WPIN_ENCODER_HZ_MAX;
    double full = a->there ? wpin_rig_axis_velocity(load, load->speed.maximum)
                           : load->speed.maximum / 60 * wpin_rig_counts_at_output(load);
    if (full > most) {
        wpin_say_at(reader, node,
                    "at its maximum of %g rpm that is %.4g %s; expected at most %.0f, by a lower "
                    "speed or fewer counts",
                    load->speed.maximum, full,
                    a->rpm_units ? "rpm of its motor" : "counts a second", most);
    }
}

void wpin_read_speed(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    wpin_rig_speed *s = &load->speed;
    *s = (wpin_rig_speed){.within = 0.01, .stall_time = 0.5, .follow_time = 2};
    wpin_read_map(reader, node, "speed", speed_fields, COUNT(speed_fields), s, NULL);
    if (node->type != YAML_MAPPING_NODE || load->kind == NULL) {
        return;
    }
    s->there = true;
    s->maximum = s->maximum > 0 ? s->maximum : 1.2 * s->rated;
    if (!load->encoder.there && load->crossing.there) {
        load->encoder = (wpin_rig_encoder){.there = true, .by_crossings = true};
    }
    if (!load->encoder.there) {
        wpin_say_at(reader, node,
                    "speed of '%s' is regulated by what is measured: it needs an encoder, e.g. "
                    "encoder: {lines: 11, pins: {a: 2, b: 3}}, %s",
                    load->name,
                    load->hall.at_driver
                        ? "or the speed output of its driver: hall: {to: driver, output: 18}"
                        : "or a brushless motor's hall or zero-crossing");
    }
    if (!wpin_stage_kind_takes_duty(load->kind) || wpin_logic_of(load->kind->logic)->pulses) {
        wpin_say_at(reader, node, "speed is regulated by the duty; a stage '%s' takes none",
                    load->kind->name);
    }
    if (s->maximum < s->rated) {
        wpin_say_at(reader, node, "maximum (%g rpm) is below rated (%g rpm)", s->maximum, s->rated);
    }
    check_counted(reader, node, load);
}

static const wpin_field position_fields[] = {
    QUANTITY("within", wpin_rig_position, within, false, WPIN_ANGLE, 1e-5, 1),
    QUANTITY("settle", wpin_rig_position, settle, false, WPIN_TIME, 1e-3, 10),
    QUANTITY("speed", wpin_rig_position, speed, false, WPIN_SPEED, 0.01, 1e5),
    QUANTITY("least", wpin_rig_position, least, false, WPIN_ANGLE, -5000, 5000),
    QUANTITY("most", wpin_rig_position, most, false, WPIN_ANGLE, -5000, 5000),
    CHOICE("home", wpin_rig_position, home_first, "no", "first"),
};

void wpin_check_reach(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load,
                      double turns) {
    double counted = WPIN_POSITION_MAX / wpin_rig_counts_at_output(load);
    if (turns > counted) {
        wpin_say_at(reader, node, "its counts reach %.4g rev either way; %.4g rev are beyond them",
                    counted, turns);
    }
}

void wpin_read_position(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    wpin_read_map(reader, node, "position", position_fields, COUNT(position_fields),
                  &load->position, NULL);
    if (!load->speed.there) {
        wpin_say_at(reader, node,
                    "a place is gone to by a regulated speed: '%s' needs 'encoder' and 'speed'",
                    load->name);
    } else if (!wpin_rig_knows_place(load) && load->crossing.there) {
        wpin_say_at(reader, node,
                    "zero crossings are there only while '%s' is driven, and give no place; "
                    "expected an encoder, or hall instead",
                    load->name);
    } else if (load->position.speed > load->speed.rated) {
        wpin_say_at(reader, node, "speed (%g rpm) is above the rated %g rpm", load->position.speed,
                    load->speed.rated);
    }
    const wpin_rig_position *p = &load->position;
    if ((p->least != 0 || p->most != 0) && p->least >= p->most) {
        wpin_say_at(reader, node, "least (%g deg) is not below most (%g deg)", p->least * 360,
                    p->most * 360);
    }
    double counts = wpin_rig_counts_at_output(load);
    if (counts > WPIN_COUNTS_PER_TURN_MAX) {
        wpin_say_at(reader, node,
                    "places take at most %u counts a turn of the output; '%s' has %.4g, its gear "
                    "included",
                    (unsigned)WPIN_COUNTS_PER_TURN_MAX, load->name, counts);
    }
    wpin_check_reach(reader, node, load, fmax(fabs(p->least), fabs(p->most)));
}
