/* The types of load: what each can do, and what its stage sees of it. What asks a load something
 * asks its type; a new type is a new entry here. */
#include "windpin/host/rig.h"

static wpin_load_circuit motor(const wpin_rig_load *load) {
    const wpin_part_motor *m = &load->motor;
    return (wpin_load_circuit){.ohms = m->resistance, .henries = m->inductance, .heat = &m->heat};
}

/* A filament is cold when it is switched on. */
static wpin_load_circuit lamp(const wpin_rig_load *load) {
    static const wpin_part_heat cold;
    const wpin_part_lamp *l = &load->lamp;
    double across = l->volts - l->forward_volts;
    return (wpin_load_circuit){.ohms = l->volts * across / l->watts * l->cold_share,
                               .drop = l->forward_volts,
                               .heat = &cold};
}

static wpin_load_circuit solenoid(const wpin_rig_load *load) {
    const wpin_part_solenoid *s = &load->solenoid;
    return (wpin_load_circuit){.ohms = s->resistance, .henries = s->inductance, .heat = &s->heat};
}

static wpin_load_circuit stepper(const wpin_rig_load *load) {
    const wpin_part_stepper *s = &load->stepper;
    return (wpin_load_circuit){.ohms = s->resistance, .henries = s->inductance, .heat = &s->heat};
}

static const wpin_load_type types[WPIN_RIG_WHAT_COUNT] = {
    [WPIN_RIG_MOTOR] = {.name = "motor",
                        .turns = true,
                        .spins = true,
                        .winding = true,
                        .windings = 1,
                        .circuit = motor},
    [WPIN_RIG_LAMP] = {.name = "lamp", .shines = true, .windings = 1, .circuit = lamp},
    [WPIN_RIG_SOLENOID] =
        {.name = "solenoid", .pulls = true, .winding = true, .windings = 1, .circuit = solenoid},
    [WPIN_RIG_STEPPER] = {.name = "stepper",
                          .turns = true,
                          .steps = true,
                          .winding = true,
                          .windings = 2,
                          .circuit = stepper}};

const wpin_load_type *wpin_rig_type(const wpin_rig_load *load) {
    return &types[load->what];
}
