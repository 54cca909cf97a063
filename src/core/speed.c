/* Regulates a speed: feed-forward, and a proportional and an integral share of what it leaves. */
#include "windpin/speed.h"
#include "windpin/guard.h"

#define FULL      ((int32_t)WPIN_DUTY_FULL)
#define ERROR_MAX 32767 /* with gains of 15 bits, products and their sum with the integral fit */
#define OLDEST    8     /* halvings */
#define LIMITS                                                                                     \
    (WPIN_HELD_CAP | WPIN_HELD_FIRST | WPIN_HELD_LIMIT | WPIN_HELD_CURRENT | WPIN_HELD_MINIMUM)

static int32_t gain_of(uint16_t gain) {
    return gain > 32767 ? 32767 : (int32_t)gain;
}

static int32_t within(int32_t value, int32_t most) {
    return value > most ? most : (value < -most ? -most : value);
}

/* Divided by 2^n, towards zero. */
static int32_t halved(int32_t value, uint8_t n) {
    return value < 0 ? -(int32_t)((0U - (uint32_t)value) >> n) : (int32_t)((uint32_t)value >> n);
}

/* What the set-point takes by the motor's constants. */
static int32_t forward(const WPIN_FAR wpin_speed_config *c, int32_t setpoint, bool stands) {
    int32_t friction = (int32_t)(stands ? c->breakaway : c->friction),
            feed = halved(setpoint * gain_of(c->feed), 14);
    return feed + (setpoint > 0 ? friction : (setpoint < 0 ? -friction : 0));
}

/* What it takes to move the inertia along a ramp: of how fast the set-point moves, smoothed over
 * some 16 ticks, as it moves in whole steps. */
static int32_t along_ramp(wpin_speed *s, int32_t setpoint) {
    int32_t moved = within(setpoint - s->before, 127) * 256;
    s->before = (int16_t)setpoint;
    s->rate = (int16_t)(s->rate + halved(moved - s->rate, 4));
    return halved(s->rate * gain_of(s->config->inertia), 8);
}

/* How often the gains are halved for a speed of this age. It changes its mind late: ages that come
 * and go around a border would else weigh fast readings more than slow ones. */
static uint8_t halvings(wpin_speed *s, uint16_t age_us) {
    uint32_t fresh_us = s->config->fresh_us, border = fresh_us << s->halvings;
    if (fresh_us == 0) {
        return 0;
    }
    while (age_us > border + (border >> 1) && s->halvings < OLDEST) {
        s->halvings++;
        border <<= 1;
    }
    while (s->halvings > 0 && age_us < (border >> 1) - (border >> 3)) {
        s->halvings--;
        border >>= 1;
    }
    return s->halvings;
}

/* What limits the effort for longer; and a slew so far behind that it does so too. Where the effort
 * only lags a little behind a noisy speed, both ways alike, the integral goes on. */
static bool is_limited(const wpin_speed *s, const wpin_given *given) {
    int32_t off = (int32_t)s->last - given->effort;
    bool lags = (given->held & WPIN_HELD_SLEW) != 0 && (off > FULL / 8 || off < -FULL / 8);
    return lags || (given->held & LIMITS) != 0;
}

/* Whether an error calls for more of what is not given as it is. */
static bool winds_up(const wpin_speed *s, int32_t error, const wpin_given *given) {
    return s->last != 0 && (error > 0) == (s->last > 0) && is_limited(s, given);
}

static int32_t proportional(const WPIN_FAR wpin_speed_config *c, int32_t error, uint8_t n) {
    return halved(error * gain_of(c->gain), (uint8_t)(8U + n));
}

/* Gives the integral an effort to go on with. */
static void share_over(wpin_speed *s, int32_t effort) {
    s->sum = within(halved(s->sum, 16) + within(effort, FULL), FULL - 1) * 65536;
}

int32_t wpin_speed_step(void *speed, int32_t setpoint, const wpin_measurement *m,
                        const wpin_given *given) {
    wpin_speed *s = speed;
    const WPIN_FAR wpin_speed_config *c = s->config;
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0;
    setpoint = within(setpoint, FULL);
    int32_t output = forward(c, setpoint, measured && m->speed == 0) + along_ramp(s, setpoint);
    if (measured) {
        int32_t error = within(setpoint - m->speed, ERROR_MAX);
        uint8_t before = s->halvings, n = halvings(s, m->speed_us);
        int32_t share = proportional(c, error, n);
        if (n != before) { /* another gain, the same effort */
            share_over(s, proportional(c, error, before) - share);
        }
        if ((given->held & WPIN_HELD_REVERSAL) != 0) {
            s->sum = 0; /* it waits until the shaft stands: what it learnt was of the other way */
        } else if (!winds_up(s, error, given)) {
            s->sum = within(s->sum + halved(error * gain_of(c->integral), n), FULL * 65536 - 1);
        }
        output += share;
    }
    s->last = (wpin_duty)within(output + halved(s->sum, 16), FULL);
    return s->last;
}

void wpin_speed_reset(void *speed, const wpin_measurement *m, const wpin_given *given) {
    wpin_speed *s = speed;
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0, goes_on = measured && given->effort != 0;
    s->before = measured ? m->speed : 0;
    s->rate = 0;
    int32_t rest = goes_on ? (int32_t)given->effort - forward(s->config, m->speed, false) : 0;
    s->sum = within(rest, FULL - 1) * 65536;
    s->last = given->effort;
    s->halvings = 0;
}
