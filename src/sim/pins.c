/* Pins of the controller: what they bear, and who is told of a change. */
#include "board.h"
#include <stdio.h>

static void burn_pin(wpin_sim *sim, wpin_pin pin, double amps, const char *why) {
    wpin_sim_pin *p = &sim->pins[pin];
    if (p->burnt || amps <= sim->controller.pin_burns_above) {
        return;
    }
    char name[16];
    snprintf(name, sizeof name, "pin %u", pin);
    wpin_board_burn(sim, sim->now, (wpin_part_id){WPIN_ID_PIN, pin}, name,
                    "over-current: %.3g mA %s; a pin survives %.3g mA", amps * 1e3, why,
                    sim->controller.pin_burns_above * 1e3);
    p->burnt = true;
    sim->changes++;
    p->wave = (wpin_wave){.level = WPIN_FLOAT};
}

/* What a check depends on, of the pin itself: whether it is ever high, or low, and drives. */
enum { EVER_HIGH = 1, EVER_LOW = 2, DRIVES = 4, CHECKED = 8 };

/* PWM that does change. */
static inline bool goes_both_ways(const wpin_wave *w) {
    const wpin_window *in = &w->next;
    return w->pwm && in->rise < in->fall && (in->rise > 0 || in->fall < w->period);
}

static unsigned reach_of(const wpin_sim_pin *p) {
    const wpin_wave *w = &p->wave;
    const unsigned drives = p->output ? CHECKED | DRIVES : CHECKED;
    if (!w->pwm) {
        return drives | (w->level == WPIN_HIGH ? EVER_HIGH : w->level == WPIN_LOW ? EVER_LOW : 0);
    }
    const bool inside = w->next.rise < w->next.fall;
    return drives | (goes_both_ways(w)         ? EVER_HIGH | EVER_LOW
                     : inside != w->low_inside ? EVER_HIGH
                                               : EVER_LOW);
}

/* What the pin drives while high, and whether another pin drives against it. */
void wpin_pin_check(wpin_sim *sim, wpin_pin pin) {
    wpin_sim_pin *p = &sim->pins[pin];
    const wpin_part_controller *c = &sim->controller;
    const unsigned reach = reach_of(p);
    if ((reach & EVER_HIGH) != 0 && p->to_ground > 0) {
        burn_pin(sim, pin, c->logic_volts / (c->pin_resistance + 1 / p->to_ground),
                 "into what it drives");
    }
    if (p->partner == WPIN_SIM_NO_WIRE) {
        return;
    }
    wpin_pin other = (wpin_pin)p->partner;
    const unsigned against = reach_of(&sim->pins[other]);
    bool both = ((reach & EVER_HIGH) != 0 && (against & EVER_LOW) != 0) ||
                ((reach & EVER_LOW) != 0 && (against & EVER_HIGH) != 0);
    if ((against & DRIVES) != 0 && both) {
        double amps = c->logic_volts / (2 * c->pin_resistance);
        burn_pin(sim, pin, amps, "against another pin it is wired to");
        burn_pin(sim, other, amps, "against another pin it is wired to");
    }
}

static void stir_drivers(wpin_sim *sim, wpin_pin pin) {
    for (int i = sim->pins[pin].first; i <= sim->pins[pin].last; i++) {
        wpin_bridge *bridge = &sim->bridges[i];
        if (bridge->asleep) {
            wpin_bridge_wake(sim, bridge);
        }
        bridge->stirred = true;
    }
}

/* Where it was checked with less or more, or never. */
static void check_anew(wpin_sim *sim, wpin_pin pin) {
    wpin_sim_pin *p = &sim->pins[pin];
    const unsigned reach = reach_of(p);
    if (p->reach != reach) {
        wpin_pin_check(sim, pin);
        p->reach = reach;
    }
}

static void tell_watcher(wpin_sim *sim, wpin_pin pin) {
    wpin_sim_pin *p = &sim->pins[pin];
    wpin_level before = p->watched.level;
    p->watched = wpin_cursor_at(&p->wave, sim->now);
    if (p->watched.level != before) {
        sim->watcher(sim->watcher_context, sim->now, pin, p->watched.level);
    }
}

void wpin_pin_changed(wpin_sim *sim, wpin_pin pin) {
    const wpin_sim_pin *p = &sim->pins[pin];
    const unsigned all = CHECKED | DRIVES | EVER_HIGH | EVER_LOW;
    stir_drivers(sim, pin);
    if (p->reach != all || !p->output || !goes_both_ways(&p->wave)) {
        check_anew(sim, pin);
    }
    if (sim->watcher != NULL) {
        tell_watcher(sim, pin);
    }
}

void wpin_pins_release(wpin_sim *sim) {
    for (int i = 0; i < WPIN_SIM_PINS; i++) {
        wpin_sim_pin *p = &sim->pins[i];
        if (p->output) {
            p->output = false;
            p->period = 0;
            p->wave = (wpin_wave){.level = WPIN_FLOAT};
            wpin_pin_changed(sim, (wpin_pin)i);
        }
    }
}
