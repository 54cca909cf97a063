/* What a load may, and what trips it: how it starts, its current trip and its overload. */
#include "fields.h"
#include "rig_parts.h"

enum { START_BELOW };
static const wpin_field start_fields[] = {
    NODE("below", false),
    QUANTITY("duty", wpin_rig_load, limits.start_duty, false, WPIN_SHARE, 0.001, 1),
    QUANTITY("drop-out", wpin_rig_load, limits.drop_out, false, WPIN_SHARE, 0.001, 1),
    QUANTITY("kick-level", wpin_rig_load, limits.kick_level, false, WPIN_SHARE, 0.01, 1),
    QUANTITY("kick-time", wpin_rig_load, limits.kick_time, false, WPIN_TIME, 1e-3, 2),
};

enum { TRIP_LEVEL, TRIP_TIME, TRIP_INPUT };
static const wpin_field trip_fields[] = {
    QUANTITY("level", wpin_rig_load, limits.trip_amps, true, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("time", wpin_rig_load, limits.trip_time, true, WPIN_TIME, 0, 60),
    QUANTITY("input", wpin_rig_load, limits.trip_input, false, WPIN_NUMBER, 0, 31),
    QUANTITY("limit", wpin_rig_load, limits.limit_amps, false, WPIN_CURRENT, 1e-3, 1e3),
};

static const wpin_field overload_fields[] = {
    QUANTITY("current", wpin_rig_load, limits.overload_amps, true, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("time", wpin_rig_load, limits.overload_time, true, WPIN_TIME, 1.1, 3600),
    QUANTITY("at-first", wpin_rig_load, limits.overload_first, false, WPIN_SHARE, 0, 1),
};

/* How the load starts from rest, and what must agree in it. */
void wpin_read_start(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    static const char *const words[] = {"allow", "refuse", "lift", "kick"};
    yaml_node_t *nodes[COUNT(start_fields)];
    wpin_rig_limits *l = &load->limits;
    wpin_read_map(reader, node, "start", start_fields, COUNT(start_fields), load, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (nodes[START_BELOW] != NULL) {
        const char *text = wpin_scalar(reader, nodes[START_BELOW], "allow, refuse, lift or kick");
        int found = text == NULL ? -1
                                 : wpin_find_word(reader, nodes[START_BELOW], text,
                                                  "value for below", words, COUNT(words));
        l->below = found < 0 ? 0 : found;
    }
    if (l->drop_out > l->start_duty) {
        wpin_say_at(reader, node,
                    "drop-out (%g %%) is above duty (%g %%); a turning shaft needs no "
                    "more than one that starts",
                    l->drop_out * 100, l->start_duty * 100);
    }
    if ((l->kick_level > 0) != (l->kick_time > 0)) {
        wpin_say_at(reader, node, "a kick needs both kick-level and kick-time");
    } else if (l->below == WPIN_BELOW_KICK && l->kick_level <= 0) {
        wpin_say_at(reader, node, "below: kick needs kick-level and kick-time");
    }
    if (l->below != WPIN_BELOW_ALLOW && l->start_duty <= 0) {
        wpin_say_at(reader, node, "below: %s needs the start duty; windpin find measures it",
                    words[l->below]);
    }
}

/* Of a sense that shows both ways. */
static bool check_zero(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                       const wpin_rig_load *load) {
    const wpin_part_driver *b = &load->bridge;
    double logic = rig->controller.logic_volts;
    if (b->sense_zero <= 0 && b->sense_off > 0) {
        wpin_say_at(reader, node,
                    "sense-offset is what a sense that shows both ways is off its zero; expected "
                    "sense-zero too, e.g. %.3gV",
                    logic / 2);
    } else if (b->sense_zero >= logic) {
        wpin_say_at(reader, node,
                    "sense-zero: %.4g V at no current leave nothing above; expected about half of "
                    "the controller's %.4g V",
                    b->sense_zero, logic);
    } else if (b->sense_zero > 0 && wpin_rig_three_leads(load) && !load->vector.there) {
        wpin_say_at(reader, node,
                    "sense-zero: what three legs draw together has a size only; expected none for "
                    "'%s'",
                    load->name);
    } else {
        return true;
    }
    return false;
}

static void check_trip(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                       const wpin_rig_load *load) {
    if (load->bridge.sense_volts_per_amp <= 0) {
        wpin_say_at(reader, node,
                    "current-trip needs a current sense: give the driver 'sense', "
                    "e.g. sense: 200mV/A");
        return;
    }
    if (load->limits.trip_input < 0) {
        wpin_say_at(reader, node,
                    "current-trip of '%s' lacks 'input': the analogue input of the sense; expected "
                    "0 to 31",
                    load->name);
    }
    if (!check_zero(reader, node, rig, load)) {
        return;
    }
    double reach = wpin_rig_sense_reach(rig, load);
    if (load->limits.trip_amps > reach) {
        wpin_say_at(reader, node,
                    "current-trip at %.3g A can never be seen: the sense reaches %.3g A at the "
                    "controller's %.3g V",
                    load->limits.trip_amps, reach, rig->controller.logic_volts);
    }
    if (load->limits.limit_amps >= load->limits.trip_amps) {
        wpin_say_at(
            reader, node,
            "limit at %.3g A would never be reached: it must be below the level that trips, "
            "%.3g A",
            load->limits.limit_amps, load->limits.trip_amps);
    }
    if (load->limits.limit_amps > 0 && load->kind != NULL &&
        !wpin_stage_kind_takes_duty(load->kind)) {
        wpin_say_at(reader, node, "limit folds the duty back: a stage that is on or off has none");
    }
}

/* Shunts in the legs tell the current: there is no other input. */
void wpin_read_trip(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                    wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(trip_fields)];
    wpin_read_map(reader, node, "current-trip", trip_fields, COUNT(trip_fields), load, nodes);
    if (load->vector.there && node->type == YAML_MAPPING_NODE && nodes[TRIP_INPUT] != NULL) {
        wpin_say_at(reader, nodes[TRIP_INPUT],
                    "input: the shunts of field-oriented measure the current of '%s'; expected no "
                    "other",
                    load->name);
    }
    if (load->vector.there) {
        load->limits.trip_input = load->vector.shunts[0];
    }
    check_trip(reader, node, rig, load);
}

static void check_overload(wpin_reader *reader, const yaml_node_t *node,
                           const wpin_rig_load *load) {
    const double least_volts = 0.15; /* less is too coarse to square */
    if (load->limits.trip_input < 0) {
        wpin_say_at(reader, node,
                    "overload goes by the sensed current: give the driver 'sense', and the load a "
                    "'current-trip'");
    } else if (load->limits.overload_amps >= load->limits.trip_amps) {
        wpin_say_at(reader, node,
                    "overload at %.3g A would never come: it must be below the level that trips, "
                    "%.3g A",
                    load->limits.overload_amps, load->limits.trip_amps);
    } else if (load->limits.overload_amps * load->bridge.sense_volts_per_amp < least_volts) {
        wpin_say_at(reader, node,
                    "the sense gives %.3g mV at %.3g A; expected at least %.3g mV, so a larger "
                    "'sense'",
                    load->limits.overload_amps * load->bridge.sense_volts_per_amp * 1e3,
                    load->limits.overload_amps, least_volts * 1e3);
    }
}

void wpin_read_overload(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    wpin_read_map(reader, node, "overload", overload_fields, COUNT(overload_fields), load, NULL);
    check_overload(reader, node, load);
}
