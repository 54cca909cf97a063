/* Supplies with several loads: each load feels the sag the others make, a limited supply cuts out,
 * and what returns into one that can not take it drives its voltage up. Within a stretch of a
 * quarter of a millisecond at most, every load sees the others' mean current of the stretch before;
 * its own current acts on its own volts exactly. */
#include "board.h"
#include <math.h>

#define WINDOW_PS        250000000LL /* 250 us */
#define PUMPED_WINDOW_PS 50000000LL  /* 50 us, where a capacitor moves the volts */
#define CUT_OUT_AFTER    10e-3       /* s above the limit */
#define BACK_AFTER_PS    1000000000000LL

bool wpin_supply_live(const wpin_supply *supply) {
    return supply->part.on && !supply->cut_out && !supply->dead;
}

int64_t wpin_rails_window(const wpin_sim *sim) {
    int64_t window = INT64_MAX;
    for (int i = 0; i < sim->supply_count; i++) {
        const wpin_supply *s = &sim->supplies[i];
        if (s->part.capacitance > 0) {
            return PUMPED_WINDOW_PS;
        }
        if (s->loads > 1 || s->part.limit_amps > 0) {
            window = WINDOW_PS;
        }
    }
    return window;
}

/* Mean current each load drew in the stretch; the sum. */
static double take_currents(wpin_sim *sim, int supply, double seconds) {
    double total = 0;
    for (int i = 0; i < sim->bridge_count; i++) {
        if (sim->bridges[i].supply == supply && sim->bridges[i].motor != WPIN_SIM_NO_WIRE) {
            wpin_plant *plant = sim->plants[sim->bridges[i].motor];
            plant->drawn = plant->charge / seconds;
            plant->charge = 0;
            total += plant->drawn;
        }
    }
    return total;
}

static void share_sag(wpin_sim *sim, int supply, double total) {
    const double worth = 1e-4; /* V: smaller changes are not worth the work */
    const wpin_supply *s = &sim->supplies[supply];
    for (int i = 0; i < sim->bridge_count; i++) {
        if (sim->bridges[i].supply != supply || sim->bridges[i].motor == WPIN_SIM_NO_WIRE) {
            continue;
        }
        wpin_plant *plant = sim->plants[sim->bridges[i].motor];
        double sag = (total - plant->drawn) * s->part.resistance - s->pumped;
        if (fabs(sag - plant->feed.sag) > worth) {
            plant->feed.sag = sag;
            wpin_plant_fed(plant);
            wpin_bridge_feed(sim, &sim->bridges[i]);
        }
    }
}

static void check_limit(wpin_sim *sim, wpin_supply *s, double total, double seconds, int64_t now) {
    if (s->cut_out && now >= s->back_at) {
        s->cut_out = false;
        s->over_time = 0;
        wpin_board_note(sim, now, s->name, "is back");
    }
    s->over_time = total > s->part.limit_amps ? s->over_time + seconds : 0;
    if (!s->cut_out && s->over_time >= CUT_OUT_AFTER) {
        s->cut_out = true;
        s->back_at = now + BACK_AFTER_PS;
        wpin_board_note(sim, now, s->name, "cut out: %.3g A for %.3g ms; its limit is %.3g A",
                        total, s->over_time * 1e3, s->part.limit_amps);
    }
}

/* Charges the capacitor with what comes back, and gives it out again before the supply does. */
static void pump(wpin_supply *s, double total, double seconds) {
    s->pumped = fmax(0, s->pumped - total * seconds / s->part.capacitance);
}

void wpin_rails_settle(wpin_sim *sim, int64_t from, int64_t to) {
    double seconds = (double)(to - from) * 1e-12;
    for (int i = 0; i < sim->supply_count && seconds > 0; i++) {
        wpin_supply *s = &sim->supplies[i];
        if (s->loads < 2 && s->part.limit_amps <= 0 && s->part.capacitance <= 0) {
            continue;
        }
        double total = take_currents(sim, i, seconds);
        if (s->part.limit_amps > 0) {
            check_limit(sim, s, total, seconds, to);
        }
        if (s->part.capacitance > 0) {
            pump(s, total, seconds);
        }
        share_sag(sim, i, total);
    }
}
