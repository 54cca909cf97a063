/* Supplies with several loads: each load feels the sag the others make, a limited supply cuts out,
 * cells run down, regulators make one from another, and what returns into one that can not take it
 * drives its voltage up. Within a stretch of a
 * quarter of a millisecond at most, every load sees the others' mean current of the stretch before;
 * its own current acts on its own volts exactly, so that one without others is looked at less. */
#include "board.h"
#include <math.h>

#define WINDOW_PS        250000000LL  /* 250 us */
#define ALONE_PS         2500000000LL /* 2.5 ms: some control periods end in it */
#define PUMPED_WINDOW_PS 50000000LL   /* 50 us, where a capacitor moves the volts */
#define CUT_OUT_AFTER    10e-3        /* s above the limit */
#define BACK_AFTER_PS    1000000000000LL
#define DROOP_GAIN       0.05 /* of the supply's volts, when all its limit again is too much */
#define AIR              25.0
#define REGULATOR_OFF    150.0 /* degC */
#define REGULATOR_ON     130.0

/* With nobody else's current to see, its limit or its cells are all there is to look at. */
static bool has_one_load(const wpin_supply *s) {
    return s->loads <= 1 && !s->made && s->part.capacitance <= 0;
}

static int64_t window_of(const wpin_sim *sim) {
    int64_t window = sim->feeds_controller != WPIN_SIM_NO_WIRE ? WINDOW_PS : INT64_MAX;
    for (int i = 0; i < sim->supply_count; i++) {
        const wpin_supply *s = &sim->supplies[i];
        bool pumps = s->part.capacitance > 0 && (!s->made || s->pumped > 0 || s->total < 0);
        if (pumps || (s->part.droops && s->part.limit_amps > 0)) {
            return PUMPED_WINDOW_PS;
        }
        if (wpin_supply_is_shared(s)) {
            int64_t shared = has_one_load(s) ? ALONE_PS : WINDOW_PS;
            window = shared < window ? shared : window;
        }
    }
    return window;
}

int64_t wpin_rails_window(wpin_sim *sim) {
    const int64_t window = window_of(sim), left = window - sim->rails_since;
    sim->rails_due = window >= ALONE_PS ? ALONE_PS / 2 : 0;
    return left > 0 ? left : 1;
}

/* Mean current each load drew in the stretch; the sum, with what else is connected to it. */
static double take_currents(wpin_sim *sim, int supply, double seconds) {
    double total = sim->supplies[supply].standing;
    total += supply == sim->feeds_controller ? sim->controller_amps : 0;
    for (int i = 0; i < sim->supply_count; i++) {
        const wpin_supply *s = &sim->supplies[i];
        total += s->made && s->maker.from == supply ? s->taken : 0;
    }
    for (int i = 0; i < sim->awake_count; i++) {
        const wpin_bridge *bridge = &sim->bridges[sim->awake[i]];
        if (bridge->supply == supply) {
            wpin_plant *plant = sim->plants[bridge->motor];
            plant->drawn = plant->charge / seconds;
            plant->charge = 0;
            total += plant->drawn;
        }
    }
    return total;
}

/* Whether it gives more than all of its drivers were seen to bear. */
static bool rises(wpin_supply *s) {
    double volts = s->part.volts - wpin_supply_sag(s, s->total);
    bool more = volts > s->borne;
    s->borne = more ? volts : s->borne;
    return more;
}

static void share_sag(wpin_sim *sim, int supply) {
    const double worth = 1e-4; /* V: smaller changes are not worth the work */
    for (int i = 0; i < sim->awake_count; i++) {
        wpin_bridge *bridge = &sim->bridges[sim->awake[i]];
        if (bridge->supply != supply) {
            continue;
        }
        wpin_plant *plant = sim->plants[bridge->motor];
        double sag = wpin_supply_sag_beside(sim, supply, plant);
        bridge->swayed = fabs(sag - plant->feed.sag) > WPIN_SWAYS * plant->feed.volts;
        if (fabs(sag - plant->feed.sag) > worth) {
            plant->feed.sag = sag;
            wpin_plant_fed(plant);
            wpin_bridge_feed(sim, bridge);
        }
    }
}

static void check_limit(wpin_sim *sim, wpin_supply *s, double total, double seconds) {
    if (s->cut_out && sim->now >= s->back_at) {
        s->cut_out = false;
        sim->changes++;
        s->over_time = 0;
        wpin_board_note(sim, sim->now, s->name, "is back");
    }
    s->over_time = total > s->part.limit_amps ? s->over_time + seconds : 0;
    if (!s->cut_out && s->over_time >= CUT_OUT_AFTER) {
        s->cut_out = true;
        sim->changes++;
        s->back_at = sim->now + BACK_AFTER_PS;
        wpin_board_note(sim, sim->now, s->name, "cut out: %.3g A for %.3g ms; its limit is %.3g A",
                        total, s->over_time * 1e3, s->part.limit_amps);
    }
}

/* Charges the capacitor with what comes back, and gives it out again before the supply does. */
static void pump(wpin_supply *s, double total, double seconds) {
    s->pumped = fmax(0, s->pumped - total * seconds / s->part.capacitance);
}

/* At its limit the voltage droops until no more is drawn. */
static void droop(wpin_sim *sim, wpin_supply *s, double total) {
    double step = s->part.volts / s->part.limit_amps * DROOP_GAIN;
    bool before = s->droop > 0.05 * s->part.volts;
    s->droop = fmin(fmax(0, s->droop + (total - s->part.limit_amps) * step), s->part.volts);
    if (!before && s->droop > 0.05 * s->part.volts) {
        wpin_board_note(sim, sim->now, s->name, "is at its limit of %.3g A; its voltage sags",
                        s->part.limit_amps);
    }
}

/* Cells: evenly down to the empty voltage, and from there to nothing in a twentieth more. */
static void run_down(wpin_sim *sim, wpin_supply *s, double total, double seconds) {
    bool before = s->used < s->part.capacity;
    double last = 1.05 * s->part.capacity;
    s->used = fmin(fmax(0, s->used + total * seconds), last);
    double share = s->used / s->part.capacity, full = s->full_volts, empty = s->part.empty_volts;
    s->part.volts =
        before ? full - (full - empty) * share : empty * (last - s->used) / (last * 0.05 / 1.05);
    sim->changes += s->part.volts <= 0;
}

/* ---- supplies made from others ---- */

/* Its output does not come above its input: there its diode leads what comes back on. Mean current
 * that goes there. */
static double lead_back(wpin_supply *s, double input, double seconds) {
    const double diode = 0.7; /* V */
    double most = fmax(0, input + diode - s->part.volts);
    bool boost = s->maker.switching && s->maker.volts > input;
    if (s->pumped <= most || boost || seconds <= 0) {
        return 0;
    }
    double amps = (s->pumped - most) * s->part.capacitance / seconds;
    s->pumped = most;
    return amps;
}

static void set_output(wpin_sim *sim, wpin_supply *s, double input, double seconds) {
    const wpin_part_regulator *m = &s->maker;
    bool boost = m->switching && m->volts > sim->supplies[m->from].part.volts;
    double most = boost ? m->volts : fmin(m->volts, input - m->headroom);
    bool was_weak = s->weak;
    s->weak = input < m->least_input || most <= 0;
    sim->changes += s->weak != was_weak;
    if (s->weak && !was_weak && wpin_supply_live(sim, &sim->supplies[m->from])) {
        wpin_board_note(sim, sim->now, s->name, "gives nothing: only %.3g V at its input", input);
    }
    s->part.volts = fmax(most, 0);
    double out = fmax(s->part.volts - s->droop, 0), lost = (input - out) * s->total;
    s->taken = fmax(s->total, 0);
    if (m->switching) {
        lost = out * s->total * (1 / m->efficiency - 1);
        s->taken = input > 0.1 ? fmax(out * s->total, 0) / (m->efficiency * input) : 0;
    }
    s->taken = s->pumped > 0 ? -lead_back(s, input, seconds) : s->taken;
    double last = fmax(lost, 0) * m->heat_resistance;
    s->rise = last + (s->rise - last) * exp(-seconds / fmax(m->heat_time, 1e-6));
    if (!s->hot && AIR + s->rise > REGULATOR_OFF) {
        s->hot = true;
        sim->changes++;
        wpin_board_note(sim, sim->now, s->name, "shuts itself down at %.0f degC: %.3g W lost in it",
                        REGULATOR_OFF, lost);
    } else if (s->hot && AIR + s->rise < REGULATOR_ON) {
        s->hot = false;
        sim->changes++;
    }
}

/* The controller resets when its supply is too low, and comes back at a twentieth more. */
static void feed_controller(wpin_sim *sim) {
    double volts = wpin_sim_supply_volts(sim, sim->feeds_controller);
    if (!sim->low && volts < sim->controller_volts) {
        sim->low = true;
        sim->resets++;
        wpin_board_note(sim, sim->now, "controller",
                        "was reset: %.3g V at its supply '%s', it needs %.3g V", volts,
                        sim->supplies[sim->feeds_controller].name, sim->controller_volts);
        wpin_pins_release(sim);
    } else if (sim->low && volts > sim->controller_volts * 1.05) {
        sim->low = false;
    }
}

static void settle(wpin_sim *sim, int supply, double seconds) {
    wpin_supply *s = &sim->supplies[supply];
    double total = take_currents(sim, supply, seconds);
    s->total = total;
    if (s->part.limit_amps > 0 && s->part.droops) {
        droop(sim, s, total);
    } else if (s->part.limit_amps > 0) {
        check_limit(sim, s, total, seconds);
    }
    if (s->part.capacitance > 0) {
        pump(s, total, seconds);
    }
    if (s->part.capacity > 0) {
        run_down(sim, s, total, seconds);
    }
}

void wpin_rails_settle(wpin_sim *sim, double seconds) {
    for (int i = sim->supply_count - 1; i >= 0 && seconds > 0; i--) { /* those made first */
        settle(sim, i, seconds);
    }
    for (int i = 0; i < sim->supply_count && seconds > 0; i++) {
        wpin_supply *s = &sim->supplies[i];
        if (s->made) {
            set_output(sim, s, wpin_sim_supply_volts(sim, s->maker.from), seconds);
        }
        if (wpin_supply_is_shared(s)) {
            wpin_supply_rouse(sim, i, rises(s));
            share_sag(sim, i);
            wpin_bridges_feed(sim, i);
        }
    }
    if (sim->feeds_controller != WPIN_SIM_NO_WIRE && seconds > 0) {
        feed_controller(sim);
    }
}

void wpin_rails_begin(wpin_sim *sim) {
    for (int i = 0; i < sim->supply_count; i++) {
        if (sim->supplies[i].made) {
            set_output(sim, &sim->supplies[i],
                       wpin_sim_supply_volts(sim, sim->supplies[i].maker.from), 0);
            wpin_supply_rouse(sim, i, true);
            wpin_bridges_feed(sim, i);
        }
    }
}
