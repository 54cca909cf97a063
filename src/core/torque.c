/* Regulates a torque by its current: feed-forward, and what that leaves. All is reckoned in the
 * direction asked for, as a bridge's sense has no sign. */
#include "windpin/torque.h"
#include "windpin/impl/regulate.h"
#include "windpin/impl/steady_guard.h"

#define FULL ((int16_t)WPIN_DUTY_FULL)

static bool winds_up(const wpin_torque *t, int16_t error, const wpin_given *given) {
    return error > 0 && t->last != 0 && wpin_is_limited(t->last, given);
}

/* What the current takes by the motor's constants; of a speed against it, less. */
static int32_t forward(const WPIN_FAR wpin_torque_config *c, int16_t size, int32_t speed) {
    int16_t along = (int16_t)wpin_within(speed, FULL * (int32_t)2 - 1);
    return (int32_t)wpin_upper((int32_t)size * wpin_gain(c->feed) * 4) +
           wpin_halved((int32_t)along * wpin_gain(c->emf), 14);
}

static int32_t speed_along(const wpin_measurement *m, bool back) {
    int32_t speed = (m->valid & WPIN_HAS_SPEED) != 0 ? m->speed : 0;
    return back ? -speed : speed;
}

static void learn(wpin_torque *t, const WPIN_FAR wpin_torque_config *c, int16_t error,
                  const wpin_given *given) {
    if ((given->held & WPIN_HELD_REVERSAL) != 0) {
        t->sum = 0; /* it waits until the shaft stands: what flows now is of the other way */
    } else if (!winds_up(t, error, given)) {
        int32_t most = FULL * (int32_t)4096; /* all of the duty */
        int32_t more = wpin_within((int32_t)error * wpin_gain(c->integral), most);
        t->sum = wpin_within(t->sum + more * 16, FULL * (int32_t)65536 - 1);
    }
    t->off = (int16_t)(t->off + wpin_halved((int32_t)error - t->off, 4));
}

int32_t wpin_torque_step(void *torque, const WPIN_FAR void *config, int32_t setpoint,
                         const wpin_measurement *m, const wpin_given *given) {
    wpin_torque *t = torque;
    const WPIN_FAR wpin_torque_config *c = config;
    int16_t asked = (int16_t)wpin_within(setpoint, FULL);
    if (asked == 0 || (m->valid & WPIN_HAS_CURRENT) == 0) {
        t->sum = 0;
        t->last = 0;
        return 0;
    }
    int16_t size = (int16_t)wpin_steady_size(asked);
    int32_t asked_mv = wpin_upper((int32_t)size * wpin_gain(c->full_mv) * 4);
    int16_t error = (int16_t)wpin_within(asked_mv - wpin_steady_size(m->current), INT16_MAX);
    learn(t, c, error, given);
    int32_t output = forward(c, size, speed_along(m, asked < 0)) + wpin_upper(t->sum) +
                     wpin_halved((int32_t)error * wpin_gain(c->gain), 8);
    output = output > FULL ? FULL : (output < 0 ? 0 : output);
    t->last = (wpin_duty)(asked < 0 ? -output : output);
    return t->last;
}

void wpin_torque_reset(void *torque, const WPIN_FAR void *config, const wpin_measurement *m,
                       const wpin_given *given) {
    wpin_torque *t = torque;
    bool goes_on = (m->valid & WPIN_HAS_CURRENT) != 0 && given->effort != 0;
    int32_t driven = wpin_steady_size(given->effort);
    int32_t rest = driven - forward(config, 0, speed_along(m, given->effort < 0));
    t->sum = goes_on ? wpin_within(rest, FULL - 1) * 65536 : 0;
    t->last = given->effort;
    t->off = INT16_MAX; /* far, until it is measured near */
}

bool wpin_torque_near(const void *torque, const WPIN_FAR void *config) {
    const wpin_torque *t = torque;
    const WPIN_FAR wpin_torque_config *c = config;
    bool no_more = t->last == 0 || t->last == FULL || t->last == -FULL;
    return no_more || wpin_steady_size(t->off) <= c->within_mv;
}
