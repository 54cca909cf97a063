/* How a part gets warm: what a driver, a winding loses, and how it is cooled. */
#include "rig_parts.h"

/* The last is a winding's alone: warm copper and magnets count unless that is left out. */
static const wpin_field heat_fields[] = {
    QUANTITY("resistance", wpin_part_heat, resistance, true, WPIN_HEAT_RESISTANCE, 0.01, 1e3),
    QUANTITY("time", wpin_part_heat, time, true, WPIN_TIME, 1e-3, 36000),
    QUANTITY("limit", wpin_part_heat, limit, false, WPIN_TEMPERATURE, 40, 300),
    CHOICE("drift", wpin_part_heat, drifts, "no", "yes"),
};

void wpin_read_heat(wpin_reader *reader, yaml_node_t *node, wpin_part_heat *heat) {
    wpin_read_map(reader, node, "heat", heat_fields, COUNT(heat_fields) - 1, heat, NULL);
}

void wpin_read_winding_heat(wpin_reader *reader, yaml_node_t *node, wpin_part_heat *heat,
                            double limit) {
    if (node != NULL) {
        *heat = (wpin_part_heat){.limit = limit, .drifts = true};
        wpin_read_map(reader, node, "heat", heat_fields, COUNT(heat_fields), heat, NULL);
    }
}
