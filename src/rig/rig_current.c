/* How a load's current, and by it its torque, is regulated: read, and what follows from it. */
#include "fields.h"
#include "rig_parts.h"
#include <math.h>

#define PI 3.14159265358979323846

static const wpin_field current_fields[] = {
    QUANTITY("rated", wpin_rig_current, rated, true, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("within", wpin_rig_current, within, false, WPIN_SHARE, 0.005, 0.5),
    QUANTITY("response", wpin_rig_current, response, false, WPIN_TIME, 1e-3, 10),
};

/* What is in the way of a rated current, as far as the file alone tells. */
static void check(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    double amps = load->current.rated, least_volts = 0.1; /* a hundred steps of a usual converter */
    if (l->trip_input < 0) {
        wpin_say_at(reader, node,
                    "current is regulated by what is measured: give the driver 'sense', and the "
                    "load a 'current-trip'");
    } else if (amps >= l->trip_amps) {
        wpin_say_at(reader, node,
                    "rated %.3g A trips: expected less than the level of current-trip, %.3g A",
                    amps, l->trip_amps);
    } else if (l->limit_amps > 0 && amps >= l->limit_amps) {
        wpin_say_at(reader, node, "rated %.3g A is folded back: expected less than limit, %.3g A",
                    amps, l->limit_amps);
    } else if (amps * load->bridge.sense_volts_per_amp < least_volts) {
        wpin_say_at(reader, node,
                    "the sense gives %.3g mV at %.3g A; expected at least %.3g mV, so a larger "
                    "'sense'",
                    amps * load->bridge.sense_volts_per_amp * 1e3, amps, least_volts * 1e3);
    }
    if (!wpin_stage_kind_takes_duty(load->kind) || wpin_logic_of(load->kind->logic)->pulses) {
        wpin_say_at(reader, node, "current is regulated by the duty; a stage '%s' takes none",
                    load->kind->name);
    }
}

void wpin_read_current(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    if (load->axis.there) {
        wpin_say_at(reader, node,
                    "its drive regulates that, up to the 'rated-current' of its axis%s",
                    load->axis.plain ? "; but not in mode: velocity" : "");
        return;
    }
    load->current = (wpin_rig_current){.within = 0.05};
    wpin_read_map(reader, node, "current", current_fields, COUNT(current_fields), &load->current,
                  NULL);
    if (node->type != YAML_MAPPING_NODE || load->kind == NULL) {
        return;
    }
    if (!wpin_rig_type(load)->spins) {
        wpin_say_at(reader, node, "current is regulated of a motor; '%s' has none", load->name);
        return;
    }
    load->current.there = true;
    check(reader, node, load);
}

double wpin_rig_torque(const wpin_rig_load *load, double amps) {
    const wpin_part_motor *m = &load->motor;
    return amps * m->constant * m->gear_ratio * m->gear_efficiency;
}

/* Current follows duty as the winding and the sense let it, late by reading and ticks; the loop is
 * laid to follow within its response, which is no shorter than three times what is late. */
wpin_current_design wpin_rig_current_design(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_current *c = &load->current;
    double tick = rig->controller.tick, ohms = wpin_rig_loop_ohms(rig, load);
    double lag = load->motor.inductance / ohms + load->bridge.sense_filter, late = 1.5 * tick;
    double response = fmax(c->response, 3 * (late + load->bridge.sense_filter));
    double slope = wpin_rig_amps_per_duty(rig, load, 0);
    double full = wpin_part_shaft_speed(&load->motor, wpin_rig_full_rpm(rig, load));
    double emf = load->motor.constant * full / rig->supplies[load->supply].volts;
    return (wpin_current_design){.feed = wpin_rig_duty_at(rig, load, c->rated, 0),
                                 .emf = load->encoder.there ? emf : 0,
                                 .gain = lag / (slope * (response + late)),
                                 .integral_time = lag,
                                 .response = response,
                                 .slew = response / 5};
}

/* What its duty leads to: the speed at which torque and drag meet, or the most there is. */
double wpin_rig_current_duty(const wpin_rig *rig, const wpin_rig_load *load, double amps) {
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    double size = fabs(amps), torque = load->motor.constant * size;
    if (size == 0) {
        return 0;
    }
    double low = 0, high = 1e5; /* rad/s */
    for (int i = 0; i < 60 && torque > shaft.holds; i++) {
        double w = (low + high) / 2;
        bool more = wpin_rig_duty_at(rig, load, size, w) <= 1 && torque > wpin_part_drag(&shaft, w);
        *(more ? &low : &high) = w;
    }
    double duty = fmin(wpin_rig_duty_at(rig, load, size, low), 1);
    return amps < 0 ? -duty : duty;
}
