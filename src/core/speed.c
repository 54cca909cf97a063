/* Regulates a speed: feed-forward, and a proportional and an integral share of what it leaves. What
 * runs in every tick stands in windpin/impl/steady_speed.h. */
#include "rare.h"
#include "windpin/impl/steady_speed.h"

#define FULL   ((int16_t)WPIN_DUTY_FULL)
#define OLDEST 8 /* halvings */

/* While the shaft stands: ever more, the longer it does, up to twice what should turn it. */
WPIN_RARE int16_t wpin_rare_breakaway(wpin_speed *s, const WPIN_FAR wpin_speed_config *c) {
    uint16_t breakaway = (uint16_t)wpin_gain(c->breakaway != 0 ? c->breakaway : c->friction);
    uint16_t climbed = s->climbed < breakaway ? s->climbed : breakaway;
    uint16_t room = (uint16_t)(breakaway - climbed);
    s->climbed = (uint16_t)(climbed + (c->climb < room ? c->climb : room));
    return wpin_gain((uint16_t)(breakaway + climbed));
}

/* What it takes to move the inertia along a ramp: of how fast the set-point moves, smoothed over
 * some 16 ticks, as it moves in whole steps. */
WPIN_RARE int32_t wpin_rare_along_ramp(wpin_speed *s, const WPIN_FAR wpin_speed_config *c,
                                       int16_t setpoint) {
    int16_t rate = s->rate, moved = (int16_t)wpin_within((int32_t)setpoint - s->before, 127);
    int32_t less = (int32_t)((wpin_steady_size(rate) + 15U) >> 4); /* up, so that it ends */
    s->before = setpoint;
    s->rate = (int16_t)wpin_within((rate < 0 ? rate + less : rate - less) + moved * 16, INT16_MAX);
    return wpin_halved((int32_t)s->rate * wpin_gain(c->inertia), 8);
}

/* It changes its mind late: ages that come and go around a border would else weigh fast readings
 * more than slow ones. The integral does not take over what the proportional share then lacks:
 * where ages come and go with the beat of ticks and counts, it would be pulled away a little each
 * time, and the speed stay off by as much. */
WPIN_RARE uint8_t wpin_rare_softness(wpin_speed *s, uint16_t fresh_us, uint16_t age_us) {
    uint16_t older_us = (uint16_t)(fresh_us + (fresh_us >> 1));
    uint8_t n = s->halvings;
    older_us = older_us < fresh_us ? UINT16_MAX : older_us;
    age_us = (uint16_t)(age_us >> n);
    for (; age_us > older_us && n < OLDEST; n++) {
        age_us >>= 1;
    }
    fresh_us = (uint16_t)((fresh_us >> 1) - (fresh_us >> 3));
    for (; n > 0 && age_us < fresh_us; n--) {
        age_us = (uint16_t)(age_us << 1);
    }
    s->halvings = n;
    return n;
}

/* Whether more is given than was asked for, and the error calls for less: an actuator that needs so
 * much to run at all. */
WPIN_RARE bool wpin_rare_is_at_least(const wpin_speed *s, int16_t error, const wpin_given *given) {
    int32_t more = (int32_t)given->effort - s->last, hair = FULL / 64; /* what a PWM's steps make */
    return (given->held & WPIN_HELD_SLEW) == 0 &&
           (given->effort > 0 ? error < 0 && more > hair
                              : given->effort < 0 && error > 0 && more < -hair);
}

/* Whether the motor coasts down about as fast as it ever will: its stage can't slow it, and it is
 * given less than it turns by, as the constants have it and as was learnt besides. */
WPIN_RARE bool wpin_rare_runs_down(wpin_speed *s, const WPIN_FAR wpin_speed_config *c,
                                   int16_t error, int16_t speed) {
    bool back = speed < 0;
    int32_t trail = wpin_within(s->trail, INT16_MAX * (int32_t)32);
    int32_t falls = trail - (int32_t)speed * 32;
    s->trail = trail + speed - wpin_halved(trail, 5);
    if ((back ? -falls : falls) <= c->coasts || (back ? error <= 0 : error >= 0)) {
        return false;
    }
    int32_t less = (int32_t)wpin_steady_feed(c, (int16_t)wpin_within(speed, FULL)) - s->last,
            learnt = wpin_upper(s->sum);
    less = (back ? -less : less) + (wpin_gain(c->friction) >> 1);
    return less > 0 && less + (back ? -learnt : learnt) > 0;
}

/* Dither: in eight ticks eight places evenly over a step of the timer, none near the one before:
 * their mean is the effort, to an eighth of a step, whichever steps they are rounded to. */
WPIN_RARE int32_t wpin_rare_between_steps(wpin_speed *s, const WPIN_FAR wpin_speed_config *c,
                                          int32_t effort) {
    int32_t step = wpin_gain(c->timer_step);
    s->dither = (uint8_t)(s->dither + 3U) & 7U;
    bool far = effort > step || effort < -step; /* not where it would drive to and fro */
    return far ? effort + wpin_halved(step * (2 * s->dither - 7), 4) : effort;
}

int32_t wpin_speed_step(void *speed, const WPIN_FAR void *config, int32_t setpoint,
                        const wpin_measurement *m, const wpin_given *given) {
    return wpin_steady_speed(speed, config, (int16_t)wpin_within(setpoint, FULL), m, given);
}

void wpin_speed_reset(void *speed, const WPIN_FAR void *config, const wpin_measurement *m,
                      const wpin_given *given) {
    wpin_speed *s = speed;
    const WPIN_FAR wpin_speed_config *c = config;
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0, goes_on = measured && given->effort != 0;
    int16_t now = measured ? (int16_t)wpin_within(m->speed, FULL) : 0;
    s->before = now;
    s->rate = 0;
    s->trail = (int32_t)now * 32;
    int32_t rest =
        goes_on ? (int32_t)given->effort - wpin_steady_forward(c, now, wpin_gain(c->friction)) : 0;
    s->sum = wpin_within(rest, FULL - 1) * 65536;
    s->last = given->effort;
    s->halvings = 0;
    s->climbed = 0;
}
