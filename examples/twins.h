/* The bench of the twins: two motors on the two bridges of one chip, which share one standby. */
#ifndef TWINS_H
#define TWINS_H

#include <windpin/host/sim.h>
#include <windpin/windpin.h>

enum { TWINS = 2, LINES = 4 };
static wpin_shared_line standby; /* high while either of them needs it */
static const WPIN_FLASH wpin_line lines[TWINS][LINES] = {
    {{.pin = 3, .shared = &standby, .user = 0}, {.pin = 4}, {.pin = 5}, {.pin = 9}},
    {{.pin = 3, .shared = &standby, .user = 1}, {.pin = 6}, {.pin = 7}, {.pin = 10}}};

static inline wpin_sim *twins_board(void) {
    static const uint8_t inputs[LINES] = {3, 0, 1, 2}; /* standby, in1, in2, enable */
    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0});
    int supply = wpin_sim_add_supply(sim, &(wpin_part_supply){.volts = 12, .on = true});
    for (int i = 0; i < TWINS; i++) {
        wpin_part_driver chip = {.logic = WPIN_LOGIC_TWO_INPUTS_ENABLE_STANDBY,
                                 .on_resistance = 0.2,
                                 .input_resistance = 1e5,
                                 .burns_above_amps = 9,
                                 .burns_above_volts = 30,
                                 .interlock = true};
        wpin_part_motor motor = {.resistance = 2,
                                 .inductance = 2e-3,
                                 .constant = 20e-3,
                                 .inertia = 20e-6,
                                 .gear_ratio = 30,
                                 .gear_efficiency = 0.8};
        int bridge = wpin_sim_add_bridge(sim, &chip, supply);
        wpin_sim_add_motor(sim, &motor, bridge);
        for (int n = 0; n < LINES; n++) {
            wpin_sim_wire_input(sim, bridge, inputs[n], lines[i][n].pin);
        }
    }
    return sim;
}

#endif
