/* What will happen to a driver by itself is known: until then, or until something concerns it, it
 * sleeps and costs nothing. Its load rests, whether the supply lives or not; or draws a current
 * that stays, as a lamp that is lit does. */
#include "board.h"
#include <math.h>

#define WORTH_PS 1000000000LL /* 1 ms: for less it does not go to sleep */
/* Whether some leg could drive another. */
static bool could_drive(wpin_legs legs) {
    const wpin_leg_state all[] = {legs.a, legs.b, legs.c, legs.d};
    unsigned seen = 0;
    for (int i = 0; i < 4; i++) {
        seen |= 1U << all[i];
    }
    const unsigned low = 1U << WPIN_LEG_LOW, high = 1U << WPIN_LEG_HIGH;
    return (seen & 1U << WPIN_LEG_BOTH) != 0 || (seen & (low | high)) == (low | high);
}

/* Until when nothing happens to it. */
static int64_t quiet_until(const wpin_bridge *bridge, wpin_plant *plant) {
    bool watched = plant->heats || plant->over_time > 0;
    bool steers = !bridge->steady || bridge->never_off || bridge->stirred || bridge->swayed;
    if ((watched && plant->amps != 0) || steers) {
        return bridge->upto;
    }
    int64_t next = wpin_bridge_next(bridge, INT64_MAX);
    bool waits = plant->amps == 0 && /* for power, or for enough of it */
                 could_drive(bridge->legs[bridge->levels]);
    if (next - bridge->upto < WORTH_PS || waits) {
        return bridge->upto;
    }
    int64_t steady = wpin_plant_steady(plant);
    return steady < next - bridge->upto ? bridge->upto + steady : next;
}

static void count_standing(wpin_sim *sim, int supply) {
    wpin_supply *s = &sim->supplies[supply];
    s->standing = 0;
    for (int i = 0; i < sim->bridge_count; i++) {
        const wpin_bridge *bridge = &sim->bridges[i];
        if (bridge->asleep && bridge->supply == supply) {
            s->standing += sim->plants[bridge->motor]->drawn;
        }
    }
}

static double volts_of(const wpin_supply *s) {
    return s->part.volts - wpin_supply_sag(s, s->total);
}

/* What its load draws from here on it stands for. */
static void stand(wpin_sim *sim, const wpin_bridge *bridge, wpin_plant *plant) {
    wpin_supply *s = &sim->supplies[bridge->supply];
    plant->drawn = wpin_plant_draws(plant);
    if (plant->drawn != 0) {
        s->stood_at = s->standing == 0 ? volts_of(s) : s->stood_at;
        count_standing(sim, bridge->supply);
    }
}

/* Puts it to sleep, if it may. */
static bool falls_asleep(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant) {
    int64_t wakes = quiet_until(bridge, plant);
    bridge->asleep = wakes - bridge->upto >= WORTH_PS;
    if (bridge->asleep) {
        bridge->wakes = wakes;
        sim->wakes = wakes < sim->wakes ? wakes : sim->wakes;
        stand(sim, bridge, plant);
    }
    return bridge->asleep;
}

void wpin_sim_doze(wpin_sim *sim) {
    int awake = 0;
    for (int i = 0; i < sim->awake_count; i++) {
        int number = sim->awake[i];
        wpin_bridge *bridge = &sim->bridges[number];
        if (!falls_asleep(sim, bridge, sim->plants[bridge->motor])) {
            sim->awake[awake++] = number;
        }
    }
    sim->awake_count = awake;
}

void wpin_bridge_lead(const wpin_sim *sim, wpin_bridge *bridge) {
    if (!bridge->asleep) {
        return;
    }
    wpin_plant *plant = sim->plants[bridge->motor];
    if (sim->now > bridge->upto) {
        wpin_plant_advance(plant, sim->now - bridge->upto);
        plant->charge = 0; /* the supply gave it as it passed */
        bridge->upto = sim->now;
    }
    if (plant->drawn == 0) {
        plant->feed.volts = sim->supplies[bridge->supply].part.volts;
        plant->feed.sag = wpin_supply_sag_beside(sim, bridge->supply, plant);
    }
}

/* They are kept in order. */
void wpin_bridge_join(wpin_sim *sim, int number) {
    int at = sim->awake_count++;
    for (; at > 0 && sim->awake[at - 1] > number; at--) {
        sim->awake[at] = sim->awake[at - 1];
    }
    sim->awake[at] = number;
}

void wpin_bridge_wake(wpin_sim *sim, wpin_bridge *bridge) {
    if (!bridge->asleep) {
        return;
    }
    wpin_bridge_lead(sim, bridge);
    bridge->asleep = false;
    wpin_bridge_join(sim, (int)(bridge - sim->bridges));
    wpin_plant *plant = sim->plants[bridge->motor];
    if (plant->drawn != 0) {
        count_standing(sim, bridge->supply);
    }
    wpin_plant_fed(plant);
    wpin_bridge_feed(sim, bridge);
}

void wpin_sim_rouse(wpin_sim *sim, int64_t until) {
    bool all = sim->roused != sim->changes;
    sim->roused = sim->changes;
    sim->wakes = INT64_MAX;
    for (int i = 0; i < sim->bridge_count; i++) {
        wpin_bridge *bridge = &sim->bridges[i];
        if (all || bridge->wakes < until) {
            wpin_bridge_wake(sim, bridge);
        } else if (bridge->asleep && bridge->wakes < sim->wakes) {
            sim->wakes = bridge->wakes;
        }
    }
}

void wpin_supply_rouse(wpin_sim *sim, int supply, bool all) {
    const wpin_supply *s = &sim->supplies[supply];
    if (!all &&
        (s->standing == 0 || fabs(volts_of(s) - s->stood_at) <= WPIN_SWAYS * s->part.volts)) {
        return;
    }
    for (int i = 0; i < sim->bridge_count; i++) {
        wpin_bridge *bridge = &sim->bridges[i];
        if (bridge->asleep && bridge->supply == supply &&
            (all || sim->plants[bridge->motor]->drawn != 0)) {
            wpin_bridge_wake(sim, bridge);
        }
    }
}
