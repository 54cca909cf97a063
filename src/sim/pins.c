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

static bool ever(const wpin_sim_pin *p, wpin_level level) {
    const wpin_wave *w = &p->wave;
    if (!w->pwm) {
        return w->level == level;
    }
    bool inside = (level == WPIN_HIGH) != w->low_inside;
    return inside ? w->next.rise < w->next.fall : w->next.rise > 0 || w->next.fall < w->period;
}

static bool ever_high(const wpin_sim_pin *p) {
    return ever(p, WPIN_HIGH);
}

static bool ever_low(const wpin_sim_pin *p) {
    return ever(p, WPIN_LOW);
}

/* What the pin drives while high, and whether another pin drives against it. */
void wpin_pin_check(wpin_sim *sim, wpin_pin pin) {
    wpin_sim_pin *p = &sim->pins[pin];
    const wpin_part_controller *c = &sim->controller;
    if (ever_high(p) && p->to_ground > 0) {
        burn_pin(sim, pin, c->logic_volts / (c->pin_resistance + 1 / p->to_ground),
                 "into what it drives");
    }
    if (p->partner == WPIN_SIM_NO_WIRE) {
        return;
    }
    wpin_pin other = (wpin_pin)p->partner;
    wpin_sim_pin *o = &sim->pins[other];
    if (o->output && ((ever_high(p) && ever_low(o)) || (ever_low(p) && ever_high(o)))) {
        double amps = c->logic_volts / (2 * c->pin_resistance);
        burn_pin(sim, pin, amps, "against another pin it is wired to");
        burn_pin(sim, other, amps, "against another pin it is wired to");
    }
}

static void stir_drivers(wpin_sim *sim, wpin_pin pin) {
    for (int i = sim->pins[pin].first; i <= sim->pins[pin].last; i++) {
        wpin_bridge_wake(sim, &sim->bridges[i]);
        sim->bridges[i].stirred = true;
    }
}

void wpin_pin_changed(wpin_sim *sim, wpin_pin pin) {
    wpin_sim_pin *p = &sim->pins[pin];
    stir_drivers(sim, pin);
    wpin_pin_check(sim, pin);
    if (sim->watcher == NULL) {
        return;
    }
    wpin_level before = p->watched.level;
    p->watched = wpin_cursor_at(&p->wave, sim->now);
    if (p->watched.level != before) {
        sim->watcher(sim->watcher_context, sim->now, pin, p->watched.level);
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
