/* A temperature sensor of a load: where it is, what it is, at what it trips. */
#include "fields.h"
#include "rig_parts.h"
#include <math.h>

static const wpin_field fields[] = {
    CHOICE("in", wpin_rig_thermistor, in_winding, "driver", "winding"),
    QUANTITY("input", wpin_rig_thermistor, input, true, WPIN_NUMBER, 0, 31),
    QUANTITY("resistance", wpin_rig_thermistor, part.ohms, false, WPIN_RESISTANCE, 100, 1e6),
    QUANTITY("beta", wpin_rig_thermistor, part.beta, false, WPIN_NUMBER, 1000, 6000),
    QUANTITY("pull-up", wpin_rig_thermistor, part.pull_up, false, WPIN_RESISTANCE, 100, 1e6),
    QUANTITY("trip", wpin_rig_thermistor, trip, true, WPIN_TEMPERATURE, 30, 250),
    QUANTITY("clear", wpin_rig_thermistor, clear, false, WPIN_TEMPERATURE, 26, 249),
    QUANTITY("for", wpin_rig_thermistor, time, false, WPIN_TIME, 0, 60),
};

const wpin_part_heat *wpin_rig_thermistor_heat(const wpin_rig_load *load) {
    const wpin_load_type *type = wpin_rig_type(load);
    if (!load->thermistor.in_winding) {
        return &load->bridge.heat;
    }
    return type->spins   ? &load->motor.heat
           : type->steps ? &load->stepper.heat
                         : &load->solenoid.heat;
}

static void check(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                  const wpin_rig_load *load) {
    const wpin_rig_thermistor *t = &load->thermistor;
    const wpin_load_type *type = wpin_rig_type(load);
    double logic = rig->controller.logic_volts;
    double trip = wpin_part_thermistor_volts(&t->part, t->trip, logic);
    double clear = wpin_part_thermistor_volts(&t->part, t->clear, logic);
    if (t->in_winding && !type->spins && !type->steps && !type->pulls) {
        wpin_say_at(reader, node, "'%s' has no winding; expected in: driver", load->name);
    } else if (wpin_rig_thermistor_heat(load)->resistance <= 0) { /* it would never show anything */
        wpin_say_at(reader, node,
                    "its %s has no 'heat', so it would stay cold: say how warm it gets, e.g. heat: "
                    "{resistance: 20K/W, time: 60s, limit: 130degC}",
                    t->in_winding ? "winding" : "driver");
    }
    double frost = wpin_part_thermistor_volts(&t->part, -10, logic);
    if (frost > 0.98 * logic) {
        wpin_say_at(reader, node,
                    "at -10 degC it leaves %.4g V of %.3g V, as if its wire were off; expected a "
                    "larger pull-up than %.3g kohm",
                    frost, logic, t->part.pull_up / 1e3);
    }
    if (t->clear >= t->trip) {
        wpin_say_at(
            reader, node,
            "clear at %.4g degC: expected less than trip, %.4g degC, or it would trip again "
            "at once",
            t->clear, t->trip);
    } else if (trip < 0.02 * logic || clear - trip < 0.01 * logic) {
        wpin_say_at(reader, node,
                    "at %.4g degC it leaves %.3g mV of %.3g V, %.3g mV less than at %.4g degC: too "
                    "little to measure; expected a smaller pull-up, near its ohms when warm",
                    t->trip, trip * 1e3, logic, (clear - trip) * 1e3, t->clear);
    }
}

void wpin_read_thermistor(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          wpin_rig_load *load) {
    wpin_rig_thermistor *t = &load->thermistor;
    if (load->axis.there) {
        wpin_say_at(reader, node, "its drive watches its own temperature, and reports its fault");
        return;
    }
    *t = (wpin_rig_thermistor){
        .clear = NAN, .time = 0.2, .part = {.ohms = 10e3, .beta = 3950, .pull_up = 10e3}};
    wpin_read_map(reader, node, "thermistor", fields, COUNT(fields), t, NULL);
    if (node->type != YAML_MAPPING_NODE || load->kind == NULL) {
        return;
    }
    t->clear = isnan(t->clear) ? t->trip - 20 : t->clear;
    t->there = true;
    check(reader, node, rig, load);
}
