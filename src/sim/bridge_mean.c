/* A three-phase bridge over a period of its PWM, or a part of it, by the means of that. */
#include "board.h"

static inline const wpin_wave *wave_of(const wpin_sim *sim, const wpin_bridge *bridge, int input) {
    return &sim->pins[bridge->inputs[input]].wave;
}

/* Whether all its inputs are what their pins show. */
static bool hears_all(const wpin_sim *sim, const wpin_bridge *bridge) {
    bool all = bridge->inverts == 0;
    for (int i = 0; i < 6 && all; i++) {
        const int pin = bridge->inputs[i];
        all =
            pin != WPIN_SIM_NO_WIRE && !sim->pins[pin].burnt && !bridge->cut[i] && !bridge->deaf[i];
    }
    return all;
}

bool wpin_bridge_has_means(const wpin_sim *sim, const wpin_bridge *bridge,
                           const wpin_plant *plant) {
    const wpin_logic logic = bridge->part.logic;
    const bool three =
        logic == WPIN_LOGIC_THREE_PHASE_BRIDGE || logic == WPIN_LOGIC_THREE_HALF_BRIDGES;
    return three && plant->kind == WPIN_PLANT_BRUSHLESS && bridge->plain && hears_all(sim, bridge);
}

/* A stretch of time within a period of PWM, ps. */
typedef struct stretch {
    int64_t into, lasts, period; /* since that began; length of both */
} stretch;

static bool begin(const wpin_sim *sim, const wpin_wave *wave, int64_t until, stretch *s) {
    if (!wave->pwm) {
        return false;
    }
    const int64_t since = sim->now - wave->start;
    s->period = wave->period;
    s->into = since < wave->period ? since : since % wave->period;
    s->lasts = until - sim->now;
    return since >= 0 && s->into + s->lasts <= wave->period;
}

/* The window of that period; false: its periods are others. */
static bool window_in(const wpin_sim *sim, const wpin_wave *wave, const stretch *s,
                      wpin_window *window) {
    const int64_t since = sim->now - wave->start;
    *window = since < wave->period ? wave->current : wave->next;
    return wave->pwm && wave->period == s->period &&
           (since == s->into || since % wave->period == s->into);
}

/* From one moment to another of the period, as the stretch has it: before it or after it there is
 * nothing of it. False: it begins or ends within. */
static inline bool within(const stretch *s, int64_t from, int64_t to, int64_t *begins,
                          int64_t *off) {
    if (s->lasts == s->period) { /* the usual one */
        *begins = from;
        *off = to - from;
        return true;
    }
    const int64_t a = from - s->into, b = to - s->into;
    *begins = b <= 0 ? 0 : a >= s->lasts ? s->lasts : a;
    *off = b <= 0 || a >= s->lasts ? 0 : b - a;
    return b <= 0 || a >= s->lasts || (a >= 0 && b <= s->lasts);
}

/* The two inputs of a leg. With one for each side the low side's is low over the middle; with an
 * enable, that stays high. */
static inline bool see_leg(const wpin_sim *sim, const wpin_bridge *bridge, int leg,
                           const stretch *s, wpin_lead_period *to) {
    const wpin_wave *one = wave_of(sim, bridge, 2 * leg),
                    *other = wave_of(sim, bridge, 2 * leg + 1);
    const bool sides = bridge->part.logic == WPIN_LOGIC_THREE_PHASE_BRIDGE;
    wpin_window high, off;
    if (one->low_inside || !window_in(sim, one, s, &high)) {
        return false;
    }
    off = high;
    if (sides ? !other->low_inside || !window_in(sim, other, s, &off)
              : other->pwm || other->level != WPIN_HIGH) {
        return false;
    }
    const int64_t half = s->period / 2;
    const int64_t least =
        sides && bridge->delicate ? (int64_t)(bridge->part.switch_time * 1e12) : 0;
    int64_t up;
    bool sees = within(s, off.rise, high.rise, &up, &to->off_before) &&
                within(s, high.fall, off.fall, &to->falls, &to->off_after);
    to->rises = up + to->off_before;
    return sees && off.rise > 0 && high.rise < half && high.fall > half && off.fall < s->period &&
           high.rise - off.rise >= least && off.fall - high.fall >= least;
}

static wpin_leg_state begins_as(const wpin_lead_period *lead) {
    return lead->rises == 0 && lead->off_before == 0 && lead->falls > 0 ? WPIN_LEG_HIGH
                                                                        : WPIN_LEG_LOW;
}

static wpin_leg_state ends_as(const wpin_lead_period *lead, int64_t lasts) {
    return lead->falls == lasts && lead->rises < lasts ? WPIN_LEG_HIGH : WPIN_LEG_LOW;
}

/* The last that went off. */
static void watch(wpin_bridge *bridge, int leg, int64_t at, const wpin_lead_period *lead) {
    if (lead->off_before > 0) {
        bridge->watch.off_at[leg] = at + lead->rises - lead->off_before;
        bridge->watch.off_side[leg] = WPIN_LEG_LOW;
    }
    if (lead->off_after > 0) {
        bridge->watch.off_at[leg] = at + lead->falls;
        bridge->watch.off_side[leg] = WPIN_LEG_HIGH;
    }
}

bool wpin_bridge_mean(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t until) {
    wpin_lead_period leads[3];
    wpin_legs *legs = &bridge->shown;
    stretch s;
    if (!begin(sim, wave_of(sim, bridge, 0), until, &s) ||
        !see_leg(sim, bridge, 0, &s, &leads[0]) || !see_leg(sim, bridge, 1, &s, &leads[1]) ||
        !see_leg(sim, bridge, 2, &s, &leads[2]) || legs->a != begins_as(&leads[0]) ||
        legs->b != begins_as(&leads[1]) || legs->c != begins_as(&leads[2]) ||
        !wpin_brushless_mean(plant, leads, s.lasts)) {
        return false;
    }
    wpin_leg_state now[3];
    plant->rail_amps = 0;
    for (int leg = 0; leg < 3; leg++) {
        if (bridge->delicate) {
            watch(bridge, leg, sim->now, &leads[leg]);
        }
        now[leg] = ends_as(&leads[leg], s.lasts);
        plant->rail_amps += now[leg] == WPIN_LEG_HIGH ? plant->phase_amps[leg] : 0;
    }
    legs->a = plant->leg_a = now[0];
    legs->b = plant->leg_b = now[1];
    legs->c = plant->leg_c = now[2];
    bridge->stirred = true; /* where its inputs are in their waves is to be looked up again */
    return true;
}
