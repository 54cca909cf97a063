/* Finds the order of a brushless motor's wires on the simulated board, as the core does it
 * anywhere. */
#include "changed_rig.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

/* Four times what holds the shaft, so that it comes to within a quarter of a sector of its places,
 * but no more than half of what it draws when it stands, or eight tenths of what trips. */
static double pulling_amps(const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    double amps = 4 * shaft.holds / load->motor.constant;
    double most = wpin_rig_mean_amps(rig, load, load->limits.duty_max, 0) / 2;
    most = load->limits.trip_input >= 0 ? fmin(most, 0.8 * load->limits.trip_amps) : most;
    return fmin(fmax(amps, 0.05 * most), most);
}

bool wpin_plan_order(const wpin_rig *rig, int load, wpin_found_order *found, char *why,
                     size_t why_size) {
    const wpin_rig_load *l = &rig->loads[load];
    *found = (wpin_found_order){0};
    if (l->hall.at_driver) {
        snprintf(
            why, why_size,
            "'%s' is commutated by its driver: its wires go where the data sheets of driver and "
            "motor say, and 'windpin first' shows whether it turns",
            l->name);
        return false;
    }
    if (!wpin_stage_kind_is_three_phase(l->kind)) {
        snprintf(why, why_size,
                 "'%s' is on a stage '%s': only a brushless motor on three legs "
                 "has wires in an order to find",
                 l->name, l->kind->name);
        return false;
    }
    if (!l->hall.there) {
        snprintf(
            why, why_size,
            "'%s' has no Hall sensors, so its leads have no order to find: any order turns it, "
            "and two leads swapped turn it the other way",
            l->name);
        return false;
    }
    wpin_at_shaft shaft = wpin_part_at_shaft(&l->motor);
    double pairs = l->motor.pole_pairs;
    found->amps = pulling_amps(rig, l);
    found->duty = wpin_rig_duty_at(rig, l, found->amps, 0);
    found->turns = 1 / pairs / l->motor.gear_ratio;
    /* a rotor that is pulled to a place swings about it: w w = p k I / J; friction stops it */
    double swing = 2 * PI * sqrt(shaft.inertia / (pairs * l->motor.constant * found->amps));
    found->hold = fmin(fmax(2 * swing, 0.2), 5);
    found->swap =
        fmin(fmax(fmin(6 * l->motor.inductance / l->motor.resistance, swing / 12), 1e-3), 50e-3);
    if (found->amps * l->motor.constant < 3 * shaft.holds) {
        wpin_plain(why, why_size,
                   "'%s' would have to be pulled with more than %.3g A, half of its stall current, "
                   "to move its load: take the load off",
                   l->name, found->amps);
        return false;
    }
    return true;
}

/* The rig as the bench is. */
static wpin_sim *build(const wpin_rig *rig, int load, uint8_t mixed) {
    wpin_rig bench;
    if (!wpin_rig_copy_loads(&bench, rig)) {
        return NULL;
    }
    bench.loads[load].hall.mixed = mixed;
    wpin_sim *sim = wpin_board_build(&bench);
    wpin_rig_free_loads(&bench);
    return sim;
}

static void pull(wpin_order *order, wpin_sim *sim, const wpin_rig *rig, int load,
                 wpin_found_order *found) {
    int64_t tick = llround(rig->controller.tick * 1e12);
    double begin = wpin_sim_read(sim, load).turns, least = begin, most = begin;
    found->state = WPIN_ORDER_MOVING;
    while (found->state == WPIN_ORDER_MOVING) {
        wpin_sim_advance(sim, tick);
        found->state = wpin_order_tick(order);
        wpin_part_reading r = wpin_sim_read(sim, load);
        least = fmin(least, r.turns);
        most = fmax(most, r.turns);
        found->amps_peak = fmax(found->amps_peak, fmax(fabs(r.amps_min), fabs(r.amps_max)));
    }
    found->moved = fmax(most - begin, begin - least);
    found->span = most - least;
    memcpy(found->codes, order->codes, sizeof found->codes);
    found->same = order->same;
}

bool wpin_find_order(const wpin_rig *rig, int load, uint8_t mixed, const wpin_injection *faults,
                     size_t fault_count, wpin_found_order *found, char *why, size_t why_size) {
    if (!wpin_plan_order(rig, load, found, why, why_size)) {
        return false;
    }
    const wpin_rig_load *l = &rig->loads[load];
    wpin_bound_load *bound = malloc(sizeof *bound);
    wpin_sim *sim = bound != NULL ? build(rig, load, mixed) : NULL;
    if (sim == NULL) {
        free(bound);
        snprintf(why, why_size, "out of memory");
        return false;
    }
    wpin_sim_switch(sim, (int)l->supply, true);
    for (size_t i = 0; i < fault_count; i++) {
        wpin_sim_inject(sim, faults[i].fault, faults[i].number, faults[i].detail, true);
    }
    wpin_bind_load(bound, rig, l);
    wpin_port port = wpin_sim_port(sim);
    bool sensed = l->limits.trip_input >= 0;
    double most_mv = 1.6 * found->amps * l->bridge.sense_volts_per_amp * 1e3;
    wpin_order_config config = {
        .stage = &bound->stage,
        .duty = (uint16_t)fmin(fmax(round(found->duty * WPIN_DUTY_FULL), 1), WPIN_DUTY_FULL),
        .hold_ms = (uint16_t)lround(found->hold * 1e3),
        .swap_ms = (uint8_t)lround(found->swap * 1e3),
        .current_input = sensed ? (uint8_t)l->limits.trip_input : 0,
        .most_mv = (int16_t)(sensed ? fmin(most_mv, INT16_MAX) : 0)};
    memcpy(config.hall, l->hall.pins, sizeof config.hall);
    if (l->vector.there) {
        memcpy(config.shunts, l->vector.shunts, sizeof config.shunts);
        config.zero_mv = (int16_t)lround(l->vector.zero * 1e3);
    }
    wpin_order order = {0};
    wpin_status status = wpin_order_begin(&order, &config, &port);
    if (status == WPIN_OK) {
        pull(&order, sim, rig, load, found);
    } else {
        snprintf(why, why_size, "load '%s': %s", l->name, wpin_status_text(status));
    }
    wpin_sim_free(sim);
    free(bound);
    return status == WPIN_OK;
}
