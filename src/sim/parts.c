/* Adds parts to a board: supplies, drivers, and what is connected to them. */
#include "board.h"
#include "pass.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

static wpin_supply *new_supply(wpin_sim *sim, const wpin_part_supply *supply) {
    wpin_supply *all = wpin_grown(sim->supplies, (size_t)sim->supply_count, sizeof *all);
    if (all == NULL) {
        return NULL;
    }
    sim->supplies = all;
    wpin_supply *mine = &all[sim->supply_count++];
    *mine = (wpin_supply){
        .part = *supply, .sound_resistance = supply->resistance, .full_volts = supply->volts};
    wpin_keep_name(mine->name, sizeof mine->name, supply->name, "supply");
    return mine;
}

int wpin_sim_add_supply(wpin_sim *sim, const wpin_part_supply *supply) {
    if (!(supply->volts >= 0) || !(supply->resistance >= 0) || !(supply->limit_amps >= 0) ||
        !(supply->capacitance >= 0) || !(supply->capacity >= 0) ||
        !(supply->empty_volts <= supply->volts)) {
        return -1;
    }
    return new_supply(sim, supply) == NULL ? -1 : sim->supply_count - 1;
}

int wpin_sim_add_regulator(wpin_sim *sim, const wpin_part_regulator *r) {
    bool sound = r->from >= 0 && r->from < sim->supply_count && r->volts > 0 &&
                 r->resistance >= 0 && r->headroom >= 0 && r->limit_amps >= 0 &&
                 r->capacitance >= 0 && r->heat_resistance >= 0 &&
                 (!r->switching || (r->efficiency > 0 && r->efficiency <= 1));
    wpin_part_supply part = {.name = r->name,
                             .volts = r->volts,
                             .resistance = r->resistance,
                             .on = true,
                             .limit_amps = r->limit_amps,
                             .capacitance = r->capacitance,
                             .droops = true};
    wpin_supply *mine = sound ? new_supply(sim, &part) : NULL;
    if (mine == NULL) {
        return -1;
    }
    mine->made = true;
    mine->maker = *r;
    wpin_rails_begin(sim);
    return sim->supply_count - 1;
}

bool wpin_sim_feed_controller(wpin_sim *sim, int supply, double amps, double least_volts) {
    if (supply < 0 || supply >= sim->supply_count || !(amps >= 0) || !(least_volts >= 0)) {
        return false;
    }
    sim->feeds_controller = supply;
    sim->controller_amps = amps;
    sim->controller_volts = least_volts;
    sim->low = !wpin_supply_live(sim, &sim->supplies[supply]);
    return true;
}

int wpin_sim_resets(const wpin_sim *sim) {
    return sim->resets;
}

static bool sound_bridge(const wpin_part_driver *b) {
    return b->logic >= 0 && b->logic < WPIN_LOGIC_COUNT && b->on_resistance >= 0 &&
           b->diode_volts >= 0 && b->diode_resistance >= 0 && b->input_resistance > 0 &&
           b->burns_above_amps > 0 && b->burns_after >= 0 && b->burns_above_volts > 0;
}

int wpin_sim_add_bridge(wpin_sim *sim, const wpin_part_driver *bridge, int supply) {
    if (supply < 0 || supply >= sim->supply_count || !sound_bridge(bridge)) {
        return -1;
    }
    wpin_bridge *all = wpin_grown(sim->bridges, (size_t)sim->bridge_count, sizeof *all);
    if (all == NULL) {
        return -1;
    }
    sim->bridges = all;
    int *awake = wpin_grown(sim->awake, (size_t)sim->bridge_count, sizeof *awake);
    if (awake == NULL) {
        return -1;
    }
    sim->awake = awake;
    wpin_bridge *mine = &all[sim->bridge_count];
    *mine = (wpin_bridge){.part = *bridge, .supply = supply, .motor = WPIN_SIM_NO_WIRE};
    mine->seen = sim->changes - 1U;
    wpin_keep_name(mine->name, sizeof mine->name, bridge->name, "bridge");
    for (int i = 0; i < WPIN_DRIVER_INPUTS; i++) {
        mine->inputs[i] = WPIN_SIM_NO_WIRE;
    }
    wpin_bootstrap_begin(mine);
    for (uint8_t lead = 0; lead < 4; lead++) {
        mine->leads[lead] = lead;
    }
    wpin_bridge_decide(mine);
    sim->heats = sim->heats || wpin_bridge_heats(mine);
    return sim->bridge_count++;
}

static bool sound_motor(const wpin_part_motor *m) {
    return m->resistance > 0 && m->inductance > 0 && m->constant > 0 && m->inertia > 0 &&
           m->dry_friction >= 0 && m->static_friction >= m->dry_friction &&
           m->viscous_friction >= 0 && m->gear_ratio > 0 && m->gear_efficiency > 0 &&
           m->gear_efficiency <= 1 && m->load_torque >= 0 && m->load_viscous >= 0 &&
           m->load_quadratic >= 0 && m->load_inertia >= 0 && m->pole_pairs >= 0 &&
           fmod(m->pole_pairs, 1) == 0 && m->cogging >= 0 && (m->cogging == 0 || m->pole_pairs > 0);
}

static wpin_plant *new_plant(const wpin_sim *sim, const wpin_bridge *bridge,
                             const wpin_part_motor *motor) {
    wpin_plant *plant = aligned_alloc(WPIN_LINE, sizeof *plant); /* a multiple of that, by C */
    if (plant != NULL) {
        memset(plant, 0, sizeof *plant);
        plant->motor = *motor;
        plant->heat = motor->heat;
        plant->cold_ohms = motor->resistance;
        plant->cold_constant = motor->constant;
        plant->heats = motor->heat.resistance > 0 || wpin_bridge_heats(bridge);
        plant->angle = motor->start_turns * motor->gear_ratio * 2 * PI;
        plant->over_limit = bridge->part.burns_above_amps;
        plant->feed = (wpin_feed){.volts = sim->supplies[bridge->supply].part.volts,
                                  .resistance = sim->supplies[bridge->supply].part.resistance,
                                  .on_resistance = bridge->part.on_resistance,
                                  .diode_volts = bridge->part.diode_volts,
                                  .diode_resistance = bridge->part.diode_resistance,
                                  .sense_filter = bridge->part.sense_filter,
                                  .saturation_volts = bridge->part.saturation_volts,
                                  .share = 1};
        plant->feed.wire_a = wpin_logic_of(bridge->part.logic)->wire_a;
        plant->feed.wire_b = wpin_logic_of(bridge->part.logic)->wire_b;
        wpin_plant_prepare(plant);
    }
    return plant;
}

/* Whether the legs of a driver are those that a load needs. */
static bool suits(wpin_logic logic, wpin_plant_kind kind) {
    const wpin_logic_traits *traits = wpin_logic_of(logic);
    bool brushless = kind == WPIN_PLANT_BRUSHLESS;
    return traits->channels == (kind == WPIN_PLANT_STEPPER) &&
           (traits->phases == brushless || (brushless && traits->commutates));
}

/* Another motor that is its like so far; NULL: there is none. */
static const wpin_plant *like(const wpin_sim *sim, const wpin_plant *plant) {
    for (int i = 0; i < sim->plant_count; i++) {
        if (sim->plants[i]->solved != NULL && wpin_plant_is_like(sim->plants[i], plant)) {
            return sim->plants[i];
        }
    }
    return NULL;
}

/* For what is solved of it, where its kind has a use for that. */
static bool make_room(const wpin_sim *sim, wpin_plant *plant) {
    if (plant->kind == WPIN_PLANT_BRUSHLESS) {
        plant->stars = calloc(WPIN_STARS, sizeof *plant->stars);
        plant->passes = calloc(WPIN_PASSES, sizeof *plant->passes);
        if (plant->stars == NULL || plant->passes == NULL) {
            return false;
        }
    }
    bool by_pieces = plant->kind == WPIN_PLANT_MOTOR || plant->kind == WPIN_PLANT_SOLENOID ||
                     wpin_has_flats(plant);
    return !by_pieces || wpin_plant_share(plant, like(sim, plant));
}

/* Puts a load of any kind on a driver; NULL when it can not be. */
static wpin_plant *add_plant(wpin_sim *sim, const wpin_part_motor *motor, int bridge,
                             wpin_plant_kind kind) {
    if (bridge < 0 || bridge >= sim->bridge_count || !sound_motor(motor) ||
        sim->bridges[bridge].motor != WPIN_SIM_NO_WIRE ||
        !suits(sim->bridges[bridge].part.logic, kind)) {
        return NULL;
    }
    wpin_plant **all = wpin_grown(sim->plants, (size_t)sim->plant_count, sizeof(wpin_plant *));
    if (all == NULL) {
        return NULL;
    }
    sim->plants = all;
    wpin_plant *plant = new_plant(sim, &sim->bridges[bridge], motor);
    if (plant == NULL) {
        return NULL;
    }
    plant->kind = kind;
    if (!make_room(sim, plant)) {
        free(plant);
        return NULL;
    }
    wpin_bridge *mine = &sim->bridges[bridge];
    mine->commutates = kind == WPIN_PLANT_BRUSHLESS && !wpin_logic_of(mine->part.logic)->phases;
    wpin_bridge_decide(mine);
    sim->heats = sim->heats || plant->heats;
    all[sim->plant_count] = plant;
    sim->bridges[bridge].motor = sim->plant_count++;
    wpin_bridge_join(sim, bridge);
    sim->supplies[sim->bridges[bridge].supply].loads++;
    wpin_keep_name(plant->name, sizeof plant->name, motor->name, "motor");
    plant->motor.name = plant->name;
    wpin_bridge_feed(sim, &sim->bridges[bridge]);
    return plant;
}

int wpin_sim_add_motor(wpin_sim *sim, const wpin_part_motor *motor, int bridge) {
    wpin_plant_kind kind = motor->pole_pairs > 0 ? WPIN_PLANT_BRUSHLESS : WPIN_PLANT_MOTOR;
    return add_plant(sim, motor, bridge, kind) == NULL ? -1 : sim->plant_count - 1;
}

/* A winding on a shaft that never turns: what a lamp or a solenoid is to the circuit. */
static wpin_part_motor fixed_winding(const char *name, double resistance, double inductance) {
    return (wpin_part_motor){.name = name,
                             .resistance = resistance,
                             .inductance = inductance,
                             .constant = 1e-9,
                             .inertia = 1,
                             .static_friction = 1e6,
                             .dry_friction = 1e6,
                             .gear_ratio = 1,
                             .gear_efficiency = 1};
}

int wpin_sim_add_lamp(wpin_sim *sim, const wpin_part_lamp *lamp, int bridge) {
    bool sound = lamp->volts > 0 && lamp->watts > 0 && lamp->cold_share > 0 &&
                 lamp->cold_share <= 1 && lamp->warm_up > 0 && lamp->forward_volts >= 0 &&
                 lamp->forward_volts < lamp->volts;
    wpin_part_motor winding = fixed_winding(lamp->name, 1, 1e-6);
    wpin_plant *plant = sound ? add_plant(sim, &winding, bridge, WPIN_PLANT_LAMP) : NULL;
    if (plant == NULL) {
        return -1;
    }
    plant->lamp = *lamp;
    wpin_lamp_cool(plant);
    return sim->plant_count - 1;
}

int wpin_sim_add_solenoid(wpin_sim *sim, const wpin_part_solenoid *s, int bridge) {
    bool sound =
        s->pull_in > 0 && s->drop_out >= 0 && s->drop_out <= s->pull_in && s->pull_in_time >= 0;
    wpin_part_motor winding = fixed_winding(s->name, s->resistance, s->inductance);
    winding.heat = s->heat;
    wpin_plant *plant = sound ? add_plant(sim, &winding, bridge, WPIN_PLANT_SOLENOID) : NULL;
    if (plant == NULL) {
        return -1;
    }
    plant->solenoid = *s;
    return sim->plant_count - 1;
}

int wpin_sim_add_stepper(wpin_sim *sim, const wpin_part_stepper *s, int bridge) {
    bool sound = s->steps_per_rev >= 4 && fmod(s->steps_per_rev, 4) == 0 && s->rated_amps > 0 &&
                 s->holding_torque > 0;
    wpin_part_motor winding = {.name = s->name,
                               .resistance = s->resistance,
                               .inductance = s->inductance,
                               /* both windings at rated current hold sqrt(2) times one */
                               .constant = s->holding_torque / (sqrt(2) * s->rated_amps),
                               .inertia = s->inertia,
                               .static_friction = s->dry_friction,
                               .dry_friction = s->dry_friction,
                               .viscous_friction = s->viscous_friction,
                               .heat = s->heat,
                               .gear_ratio = 1,
                               .gear_efficiency = 1};
    wpin_plant *plant = sound ? add_plant(sim, &winding, bridge, WPIN_PLANT_STEPPER) : NULL;
    if (plant == NULL) {
        return -1;
    }
    plant->stepper = *s;
    return sim->plant_count - 1;
}
