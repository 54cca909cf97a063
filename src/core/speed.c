/* Regulates a speed: feed-forward, and a proportional and an integral share of what it leaves. */
#include "windpin/speed.h"
#include "windpin/impl/regulate.h"
#include "windpin/impl/steady_guard.h"

#define FULL    ((int16_t)WPIN_DUTY_FULL)
#define OLDEST  8 /* halvings */
#define LETS_GO 5 /* a 32nd each tick */

/* What a speed takes without friction. */
static int32_t feed(const WPIN_FAR wpin_speed_config *c, int16_t speed) {
    return wpin_upper((int32_t)speed * wpin_gain(c->feed) * 4);
}

/* What the set-point takes by the motor's constants. */
static int32_t forward(const WPIN_FAR wpin_speed_config *c, int16_t setpoint, int16_t friction) {
    return setpoint == 0 ? 0 : feed(c, setpoint) + (setpoint > 0 ? friction : -(int32_t)friction);
}

/* The effort against friction: more while the shaft stands, and ever more the longer it does, up to
 * twice what should turn it. */
static int16_t against_friction(wpin_speed *s, const WPIN_FAR wpin_speed_config *c, bool stands) {
    if (!stands) {
        s->climbed = 0;
        return wpin_gain(c->friction);
    }
    uint16_t breakaway = (uint16_t)wpin_gain(c->breakaway), climbed = s->climbed;
    climbed = climbed < breakaway ? climbed : breakaway;
    uint16_t room = (uint16_t)(breakaway - climbed);
    s->climbed = (uint16_t)(climbed + (c->climb < room ? c->climb : room));
    return wpin_gain((uint16_t)(breakaway + climbed));
}

/* What it takes to move the inertia along a ramp: of how fast the set-point moves, smoothed over
 * some 16 ticks, as it moves in whole steps. */
static int32_t along_ramp(wpin_speed *s, const WPIN_FAR wpin_speed_config *c, int16_t setpoint) {
    int16_t rate = s->rate;
    if (setpoint == s->before && rate == 0) {
        return 0;
    }
    int16_t moved = (int16_t)wpin_within((int32_t)setpoint - s->before, 127);
    int32_t less = (int32_t)((wpin_steady_size(rate) + 15U) >> 4); /* up, so that it ends */
    s->before = setpoint;
    s->rate = (int16_t)wpin_within((rate < 0 ? rate + less : rate - less) + moved * 16, INT16_MAX);
    return wpin_halved((int32_t)s->rate * wpin_gain(c->inertia), 8);
}

/* How often the gains are halved for a speed of this age. It changes its mind late: ages that come
 * and go around a border would else weigh fast readings more than slow ones. */
static uint8_t halvings(wpin_speed *s, uint16_t fresh_us, uint16_t age_us) {
    uint16_t older_us = (uint16_t)(fresh_us + (fresh_us >> 1));
    older_us = older_us < fresh_us ? UINT16_MAX : older_us;
    uint8_t n = s->halvings;
    if (fresh_us == 0) {
        return 0;
    }
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
static bool is_at_least(const wpin_speed *s, int16_t error, const wpin_given *given) {
    int32_t more = (int32_t)given->effort - s->last, hair = FULL / 64; /* what a PWM's steps make */
    return (given->held & WPIN_HELD_SLEW) == 0 &&
           (given->effort > 0 ? error < 0 && more > hair
                              : given->effort < 0 && error > 0 && more < -hair);
}

/* Whether an error calls for more of what is not given as it is. */
static bool winds_up(const wpin_speed *s, int16_t error, const wpin_given *given) {
    bool more = s->last != 0 && (error > 0) == (s->last > 0);
    return more ? wpin_is_limited(s->last, given) : is_at_least(s, error, given);
}

/* Whether the motor coasts down about as fast as it ever will: its stage can't slow it, and it is
 * given less than it turns by, as the constants have it and as was learnt besides. */
static bool runs_down(wpin_speed *s, const WPIN_FAR wpin_speed_config *c, int16_t error,
                      int16_t speed) {
    bool back = speed < 0;
    if (c->coasts == 0) {
        return false;
    }
    int32_t trail = wpin_within(s->trail, INT16_MAX * (int32_t)32);
    int32_t falls = trail - (int32_t)speed * 32;
    s->trail = trail + speed - wpin_halved(trail, 5);
    if ((back ? -falls : falls) <= c->coasts || (back ? error <= 0 : error >= 0)) {
        return false;
    }
    int32_t less = feed(c, (int16_t)wpin_within(speed, FULL)) - s->last,
            learnt = wpin_upper(s->sum);
    less = (back ? -less : less) + (wpin_gain(c->friction) >> 1);
    return less > 0 && less + (back ? -learnt : learnt) > 0;
}

static int32_t proportional(const WPIN_FAR wpin_speed_config *c, int16_t error, uint8_t n) {
    return wpin_halved(wpin_halved((int32_t)error * wpin_gain(c->gain), 8), n);
}

/* Gives the integral an effort to go on with. */
static void share_over(wpin_speed *s, int32_t effort) {
    s->sum = wpin_within(wpin_upper(s->sum) + wpin_within(effort, FULL), FULL - 1) * 65536;
}

static int32_t correct(wpin_speed *s, const WPIN_FAR wpin_speed_config *c, int16_t setpoint,
                       const wpin_measurement *m, const wpin_given *given) {
    int16_t speed = m->speed, error = (int16_t)wpin_within((int32_t)setpoint - speed, INT16_MAX);
    uint8_t before = s->halvings, n = halvings(s, c->fresh_us, m->speed_us);
    int32_t share = proportional(c, error, n);
    bool coasts_down = runs_down(s, c, error, speed);
    if (n != before && !coasts_down) { /* another gain, the same effort */
        share_over(s, proportional(c, error, before) - share);
    }
    bool along = (setpoint > 0 && speed > 0) || (setpoint < 0 && speed < 0);
    int32_t more = 0;
    if ((given->held & WPIN_HELD_REVERSAL) != 0 && !along) {
        s->sum = 0; /* it waits until the shaft stands: what it learnt was of the other way */
    } else if (coasts_down) {
        more = -wpin_halved(s->sum, LETS_GO); /* and this of another speed */
    } else if (!winds_up(s, error, given)) {
        more = wpin_halved((int32_t)error * wpin_gain(c->integral), n);
    }
    s->sum = wpin_within(s->sum + more, FULL * (int32_t)65536 - 1);
    return share;
}

int32_t wpin_speed_step(void *speed, const WPIN_FAR void *config, int32_t setpoint,
                        const wpin_measurement *m, const wpin_given *given) {
    wpin_speed *s = speed;
    const WPIN_FAR wpin_speed_config *c = config;
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0;
    int16_t asked = (int16_t)wpin_within(setpoint, FULL);
    bool stands =
        measured && asked != 0 && m->speed == 0 && (given->held & WPIN_HELD_REVERSAL) == 0;
    int16_t friction = against_friction(s, c, stands);
    int32_t output = forward(c, asked, friction) + along_ramp(s, c, asked);
    if (measured) {
        output += correct(s, c, asked, m, given);
    }
    s->last = (wpin_duty)wpin_within(output + wpin_upper(s->sum), FULL);
    return s->last;
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
    int32_t rest = goes_on ? (int32_t)given->effort - forward(c, now, wpin_gain(c->friction)) : 0;
    s->sum = wpin_within(rest, FULL - 1) * 65536;
    s->last = given->effort;
    s->halvings = 0;
    s->climbed = 0;
}
