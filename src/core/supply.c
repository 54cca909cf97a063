/* The measured volts of a motor's supply: out of their window; and a regulator's effort for them.
 */
#include "windpin/supply.h"
#include "windpin/impl/regulate.h"
#include <stddef.h>

#define ONE   ((int32_t)16384) /* of a ratio */
#define LEAST (ONE / 2)        /* a supply further off than this is followed no further */
#define MOST  (2 * ONE)

#define NEVER_GIVEN (WPIN_DUTY_FULL + (int32_t)1) /* an effort that no stage can have shown */

/* ---- its window ---- */

/* On its way to a place a stepper has no effort, and a motor now and then none. */
static bool is_driven(const wpin_watched *w) {
    return w->effort != 0 || (w->quantity == WPIN_QUANTITY_POSITION && w->measurement->speed != 0);
}

static wpin_status meaning(const WPIN_FAR wpin_supply_config *c, const wpin_watched *w) {
    const wpin_measurement *m = w->measurement;
    if ((m->valid & WPIN_HAS_SUPPLY) == 0) {
        return WPIN_OK; /* the guard says so */
    }
    if (c->high_mv != 0 && m->supply > c->high_mv) {
        return WPIN_FAULT_SUPPLY_HIGH;
    }
    return c->low_mv != 0 && m->supply < c->low_mv && is_driven(w) ? WPIN_FAULT_SUPPLY_LOW
                                                                   : WPIN_OK;
}

wpin_status wpin_supply_check(void *supply, const WPIN_FAR void *config, const wpin_watched *w) {
    wpin_supply *s = supply;
    const WPIN_FAR wpin_supply_config *c = config;
    uint8_t seen = (uint8_t)meaning(c, w);
    uint16_t ms = seen == (uint8_t)WPIN_FAULT_SUPPLY_HIGH ? c->high_ms : c->low_ms;
    uint32_t most_us = ms * (uint32_t)1000;
    if (seen != s->seen) {
        s->seen = seen;
        s->us = 0;
    } else if (s->us < most_us) {
        s->us += w->measurement->dt_us;
    }
    return s->us >= most_us ? (wpin_status)seen : WPIN_OK;
}

void wpin_supply_reset(void *supply) {
    *(wpin_supply *)supply = (wpin_supply){0};
}

/* ---- a regulator's effort ---- */

static uint16_t within_ratio(int32_t ratio) {
    return (uint16_t)(ratio < LEAST ? LEAST : ratio > MOST ? MOST : ratio);
}

/* An effort by a ratio. */
static int32_t times(int32_t effort, uint16_t ratio) {
    return wpin_halved(wpin_within(effort, 2 * (int32_t)WPIN_DUTY_FULL) * (int32_t)ratio, 14);
}

/* The reading, and a step of Newton's for its inverse: x += x (1 - x r), or a part of it, so that
 * noise is smoothed over some ticks. */
static void follow(wpin_by_supply *b, const WPIN_FAR wpin_by_supply_config *c,
                   const wpin_measurement *m, uint8_t halvings) {
    int32_t more = within_ratio(b->more == 0 ? ONE : b->more), ratio = ONE;
    if ((m->valid & WPIN_HAS_SUPPLY) != 0) {
        uint32_t reading = m->supply > 0 ? (uint32_t)m->supply : 0;
        ratio = within_ratio((int32_t)((reading * c->per_mv) >> 8));
        int32_t off = ONE - wpin_halved(more * ratio, 14);
        more = within_ratio(more + wpin_halved(more * off, (uint8_t)(14U + halvings)));
    }
    b->more = (uint16_t)more;
    b->ratio = (uint16_t)ratio;
}

/* What the regulator behind it is to take for given: what it asked for, where that was given as it
 * was made of it. */
static wpin_given at_nominal(const wpin_by_supply *b, const wpin_given *given) {
    wpin_given alike = *given;
    if (given->effort == b->gave) {
        alike.effort = b->asked;
    } else {
        uint16_t ratio = b->ratio == 0 ? ONE : within_ratio(b->ratio);
        alike.effort = (wpin_duty)wpin_within(times(given->effort, ratio), WPIN_DUTY_FULL);
    }
    return alike;
}

/* Braking that drives the supply up: what is left of it, as that rises. Driving is left alone. */
static int32_t gives_way(const wpin_by_supply *b, const WPIN_FAR wpin_by_supply_config *c,
                         const wpin_measurement *m, int32_t gave) {
    int32_t over = (int32_t)m->supply - c->way_mv;
    int32_t own = times(wpin_halved((int32_t)m->speed * (int32_t)c->emf, 14), b->more);
    int32_t less = wpin_within(gave - own, 2 * (int32_t)WPIN_DUTY_FULL);
    bool brakes = m->speed > 0 ? less < 0 : m->speed < 0 && less > 0;
    const uint8_t both = WPIN_HAS_SUPPLY | WPIN_HAS_SPEED;
    if ((m->valid & both) != both || over <= 0 || !brakes) {
        return gave;
    }
    uint32_t lost = (uint32_t)over * c->per_over;
    return own +
           wpin_halved(less * (ONE - (int32_t)(lost > (uint32_t)ONE ? (uint32_t)ONE : lost)), 14);
}

int32_t wpin_by_supply_step(void *by_supply, const WPIN_FAR void *config, int32_t setpoint,
                            const wpin_measurement *m, const wpin_given *given) {
    wpin_by_supply *b = by_supply;
    const WPIN_FAR wpin_by_supply_config *c = config;
    const WPIN_FAR wpin_regulator *of = c->of;
    wpin_given alike = at_nominal(b, given);
    follow(b, c, m, 2);
    b->asked = (wpin_duty)wpin_within(of->step(of->state, of->config, setpoint, m, &alike),
                                      WPIN_DUTY_FULL);
    b->gave = times(b->asked, b->more);
    if (c->per_over == 0) {
        return wpin_within(b->gave, WPIN_DUTY_FULL);
    }
    int32_t left = gives_way(b, c, m, b->gave);
    b->gave = left == b->gave ? left : NEVER_GIVEN; /* its regulator is told what became of it */
    return wpin_within(left, WPIN_DUTY_FULL);
}

void wpin_by_supply_reset(void *by_supply, const WPIN_FAR void *config, const wpin_measurement *m,
                          const wpin_given *given) {
    wpin_by_supply *b = by_supply;
    const WPIN_FAR wpin_by_supply_config *c = config;
    const WPIN_FAR wpin_regulator *of = c->of;
    b->gave = NEVER_GIVEN;
    for (uint8_t n = 0; n < 4; n++) { /* from half or twice it is there in four */
        follow(b, c, m, 0);
    }
    wpin_given alike = at_nominal(b, given);
    of->reset(of->state, of->config, m, &alike);
}

bool wpin_by_supply_near(const void *by_supply, const WPIN_FAR void *config) {
    const WPIN_FAR wpin_by_supply_config *c = config;
    const WPIN_FAR wpin_regulator *of = c->of;
    bool (*near)(const void *, const WPIN_FAR void *) = of->near;
    (void)by_supply;
    if (near == NULL) {
        return false;
    }
    return near(of->state, of->config);
}
