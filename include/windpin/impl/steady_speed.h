/** @file steady_speed.h
 * Not for direct use: what a speed regulator does in every tick; see steady.h. src/core/speed.c is
 * made of the same source.
 */
#ifndef WINDPIN_IMPL_STEADY_SPEED_H
#define WINDPIN_IMPL_STEADY_SPEED_H

#include "../api.h"
#include "../speed.h"
#include "regulate.h"
#include "steady_guard.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- what seldom runs, or what many a motor does without: src/core/speed.c ---- */
WPIN_API int16_t wpin_rare_breakaway(wpin_speed *speed, const WPIN_FAR wpin_speed_config *config);
WPIN_API int32_t wpin_rare_along_ramp(wpin_speed *speed, const WPIN_FAR wpin_speed_config *config,
                                      int16_t setpoint);
WPIN_API bool wpin_rare_runs_down(wpin_speed *s, const WPIN_FAR wpin_speed_config *c, int16_t error,
                                  int16_t speed);
WPIN_API bool wpin_rare_is_at_least(const wpin_speed *speed, int16_t error,
                                    const wpin_given *given);
WPIN_API uint8_t wpin_rare_softness(wpin_speed *speed, uint16_t fresh_us, uint16_t age_us);
WPIN_API int32_t wpin_rare_between_steps(wpin_speed *speed,
                                         const WPIN_FAR wpin_speed_config *config, int32_t effort);

/* What a speed takes without friction. */
WPIN_STEADY int16_t wpin_steady_feed(const WPIN_FAR wpin_speed_config *config, int16_t speed) {
    uint16_t twice = (uint16_t)(2U * (uint16_t)wpin_gain(config->feed));
    return wpin_upper((int32_t)((uint32_t)wpin_steady_times(speed, twice) << 1));
}

/* What the set-point takes by the motor's constants. */
WPIN_STEADY int32_t wpin_steady_forward(const WPIN_FAR wpin_speed_config *config, int16_t setpoint,
                                        int16_t friction) {
    int32_t against = setpoint > 0 ? friction : -(int32_t)friction;
    return setpoint == 0 ? 0 : wpin_steady_feed(config, setpoint) + against;
}

/* The effort against friction: more while the shaft stands. */
WPIN_STEADY int16_t wpin_steady_friction(wpin_speed *s, const WPIN_FAR wpin_speed_config *config,
                                         bool stands) {
    if (config->breakaway != 0 || config->climb != 0) {
        if (stands) {
            return wpin_rare_breakaway(s, config);
        }
        s->climbed = 0;
    }
    return wpin_gain(config->friction);
}

/* How often the gains are halved for a speed of this age. */
WPIN_STEADY uint8_t wpin_steady_softness(wpin_speed *s, uint16_t fresh_us, uint16_t age_us) {
    bool may_be_old = fresh_us != 0 && (s->halvings != 0 || age_us > fresh_us);
    return may_be_old ? wpin_rare_softness(s, fresh_us, age_us) : 0;
}

WPIN_STEADY int32_t wpin_steady_proportional(const WPIN_FAR wpin_speed_config *config,
                                             int16_t error, uint8_t n) {
    int32_t share = wpin_halved(wpin_steady_times(error, (uint16_t)wpin_gain(config->gain)), 8);
    return n == 0 ? share : wpin_halved(share, n);
}

/* Whether an error calls for more of what is not given as it is. */
WPIN_STEADY bool wpin_steady_winds_up(const wpin_speed *s, int16_t error, const wpin_given *given) {
    bool more = s->last != 0 && (error > 0) == (s->last > 0);
    return more ? wpin_is_limited(s->last, given)
                : given->effort != s->last && wpin_rare_is_at_least(s, error, given);
}

/* A sum that saturates: its upper half is an effort. */
WPIN_STEADY void wpin_steady_add(wpin_speed *s, int32_t more) {
    s->sum = wpin_within(s->sum + more, WPIN_DUTY_FULL * (int32_t)65536 - 1);
}

/* What an error is corrected by at once; its integral is kept. */
WPIN_STEADY int32_t wpin_steady_correct(wpin_speed *s, const WPIN_FAR wpin_speed_config *config,
                                        int16_t setpoint, const wpin_measurement *m,
                                        const wpin_given *given) {
    int16_t speed = m->speed, error = wpin_steady_minus(setpoint, speed);
    uint8_t n = wpin_steady_softness(s, config->fresh_us, m->speed_us);
    int32_t share = wpin_steady_proportional(config, error, n);
    bool coasts_down = config->coasts != 0 && wpin_rare_runs_down(s, config, error, speed);
    if ((given->held & WPIN_HELD_REVERSAL) != 0 &&
        !((setpoint > 0 && speed > 0) || (setpoint < 0 && speed < 0))) {
        s->sum = 0; /* it waits until the shaft stands: what it learnt was of the other way */
    } else if (coasts_down) {
        wpin_steady_add(s, -wpin_halved(s->sum, 5)); /* and this of another speed */
    } else if (!wpin_steady_winds_up(s, error, given)) {
        int32_t more = wpin_steady_times(error, (uint16_t)wpin_gain(config->integral));
        wpin_steady_add(s, n == 0 ? more : wpin_halved(more, n));
    }
    return share;
}

/* Asked: within the full speed. */
WPIN_STEADY wpin_duty wpin_steady_speed(wpin_speed *s, const WPIN_FAR wpin_speed_config *config,
                                        int16_t asked, const wpin_measurement *m,
                                        const wpin_given *given) {
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0;
    bool stands =
        measured && asked != 0 && m->speed == 0 && (given->held & WPIN_HELD_REVERSAL) == 0;
    int32_t output = wpin_steady_forward(config, asked, wpin_steady_friction(s, config, stands));
    if (config->inertia != 0 && (asked != s->before || s->rate != 0)) {
        output += wpin_rare_along_ramp(s, config, asked);
    }
    if (measured) {
        output += wpin_steady_correct(s, config, asked, m, given);
    }
    output += wpin_upper(s->sum);
    if (config->timer_step != 0 && s->halvings != 0) {
        output = wpin_rare_between_steps(s, config, output);
    }
    s->last = (wpin_duty)wpin_within(output, WPIN_DUTY_FULL);
    return s->last;
}

#ifdef __cplusplus
}
#endif
#endif
