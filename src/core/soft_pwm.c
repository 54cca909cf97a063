/* PWM in software: a port around a port. */
#include "windpin/soft_pwm.h"
#include "beat.h"
#include "countdown.h"

#define BEGINS 2 /* with its next tick */

static wpin_soft_pin *find(wpin_soft_pwm *soft, wpin_pin pin) {
    wpin_soft_pin *p = soft->pins;
    for (uint8_t left = soft->count; left != 0; left--, p++) {
        if (p->pin == pin) {
            return p;
        }
    }
    return NULL;
}

static bool is_at_work(const wpin_soft_pwm *soft) {
    const wpin_soft_pin *p = soft->pins;
    for (uint8_t left = soft->count; left != 0; left--, p++) {
        if (p->running != 0) {
            return true;
        }
    }
    return false;
}

/* Without its ticks a pin stands high or low for good. No call of the port would fail by that, so
 * the clock stands with them: that a motor notices. */
static wpin_moment soft_now(void *context) {
    wpin_soft_pwm *soft = context;
    const wpin_port *under = soft->under;
    uint8_t locked = wpin_lock(under);
    wpin_moment now = under->now(under->context);
    if (soft->came != 0 || !is_at_work(soft)) {
        soft->came = 0;
        soft->came_at = now;
    } else if (wpin_elapsed(soft->came_at, now) > WPIN_AWAY_MOST_US) {
        now = soft->came_at + WPIN_AWAY_MOST_US;
    }
    wpin_unlock(under, locked);
    return now;
}

static wpin_status soft_open(void *context, wpin_pin pin, wpin_level safe) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->open(under->context, pin, safe);
}

static wpin_status soft_write(void *context, wpin_pin pin, wpin_level level) {
    wpin_soft_pwm *soft = context;
    wpin_soft_pin *p = find(soft, pin);
    if (p != NULL) {
        p->running = 0; /* first: a tick that comes in between leaves it alone */
    }
    return soft->under->write(soft->under->context, pin, level);
}

static wpin_status start_soft(const wpin_soft_pwm *soft, wpin_soft_pin *p,
                              const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    uint32_t tick_us = soft->tick_us != 0 ? soft->tick_us : 1; /* as init has checked */
    uint32_t least = 1000000U / tick_us / WPIN_SOFT_STEPS_LEAST;
    if (request->hz == 0 || request->hz > least) {
        return WPIN_REFUSED_FREQUENCY;
    }
    uint32_t ticks_a_second = 1000000U / tick_us;
    uint32_t steps = (ticks_a_second + request->hz / 2) / request->hz;
    steps = steps > 65535 ? 65535 : (steps == 0 ? 1 : steps);
    p->steps = (uint16_t)steps;
    p->inverted = request->inverted;
    achieved->millihertz = 1000000000U / (tick_us * steps);
    achieved->steps = p->steps;
    achieved->jitter_us = soft->tick_us;
    return WPIN_OK;
}

static wpin_status soft_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                  wpin_pwm_achieved *achieved) {
    wpin_soft_pwm *soft = context;
    wpin_soft_pin *p = find(soft, pin);
    if (p != NULL) {
        return start_soft(soft, p, request, achieved);
    }
    if (soft->under->pwm_start == NULL || soft->under->pwm_duty == NULL) {
        return WPIN_REFUSED_FREQUENCY;
    }
    return soft->under->pwm_start(soft->under->context, pin, request, achieved);
}

/* The duty is turned into ticks here, not under the lock of whoever sets it. */
static void begin_period(wpin_soft_pin *p) {
    uint32_t share = (uint32_t)p->duty * p->steps + (uint32_t)(WPIN_DUTY_FULL / 2);
    p->on = (uint16_t)((share << 2) >> 16); /* of 16384: no shift by 14 on 8 bits */
    p->at = 0;
}

static void show(const wpin_soft_pwm *soft, wpin_soft_pin *p, bool anyway) {
    bool high = (p->at < p->on) != p->inverted;
    if (high != p->high || anyway) {
        p->high = high;
        soft->under->write(soft->under->context, p->pin, high ? WPIN_HIGH : WPIN_LOW);
    }
}

static wpin_status soft_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    wpin_soft_pwm *soft = context;
    wpin_soft_pin *p = find(soft, pin);
    if (p == NULL) {
        return soft->under->pwm_duty(soft->under->context, pin, duty);
    }
    p->duty = duty; /* two bytes: the lock it is called under keeps the tick out */
    if (p->running == 0) {
        p->running = BEGINS;
    }
    return WPIN_OK;
}

static wpin_status soft_leg_start(void *context, wpin_pin high, wpin_pin low,
                                  const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    wpin_soft_pwm *soft = context;
    if (find(soft, high) != NULL || find(soft, low) != NULL) {
        return WPIN_REFUSED_FREQUENCY; /* no dead time from a tick */
    }
    return soft->under->leg_start(soft->under->context, high, low, request, achieved);
}

static wpin_status soft_leg_duty(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->leg_duty(under->context, high, low, duty);
}

/* A group with a software pin in it is written pin by pin, so that its PWM ends. */
static wpin_status soft_group_open(void *context, const wpin_pin *pins, uint8_t count,
                                   uint8_t *group) {
    wpin_soft_pwm *soft = context;
    for (uint8_t i = 0; i < count; i++) {
        if (find(soft, pins[i]) != NULL) {
            return WPIN_REFUSED_PORT;
        }
    }
    return soft->under->group_open(soft->under->context, pins, count, group);
}

static wpin_status soft_group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->group_write(under->context, group, mask, high);
}

static void soft_kick(void *context) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    under->kick(under->context);
}

static bool soft_read(void *context, wpin_pin pin) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->read(under->context, pin);
}

static int16_t soft_millivolts(void *context, uint8_t input) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->millivolts(under->context, input);
}

static wpin_status soft_count(void *context, uint8_t counter, wpin_count *to) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->count(under->context, counter, to);
}

static void soft_pause(void *context, uint32_t us) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    under->pause(under->context, us);
}

static uint8_t soft_lock(void *context) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->lock(under->context);
}

static void soft_unlock(void *context, uint8_t state) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    under->unlock(under->context, state);
}

wpin_status wpin_soft_pwm_init(wpin_soft_pwm *soft, const wpin_port *under, uint16_t tick_us,
                               const wpin_pin *pins, uint8_t count) {
    if (soft == NULL || under == NULL || pins == NULL || under->now == NULL ||
        under->open == NULL || under->write == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (tick_us < 10 || tick_us > 10000 || count == 0 || count > WPIN_SOFT_PINS) {
        return WPIN_REFUSED_RANGE;
    }
    *soft = (wpin_soft_pwm){.under = under, .tick_us = tick_us, .count = count};
    soft->port = (wpin_port){.context = soft,
                             .now = soft_now,
                             .open = soft_open,
                             .write = soft_write,
                             .pwm_start = soft_pwm_start,
                             .pwm_duty = soft_pwm_duty,
                             .read = under->read != NULL ? soft_read : NULL,
                             .millivolts = under->millivolts != NULL ? soft_millivolts : NULL,
                             .count = under->count != NULL ? soft_count : NULL,
                             .pause = under->pause != NULL ? soft_pause : NULL,
                             .lock = under->lock != NULL ? soft_lock : NULL,
                             .unlock = under->unlock != NULL ? soft_unlock : NULL,
                             .leg_start = under->leg_start != NULL ? soft_leg_start : NULL,
                             .leg_duty = under->leg_duty != NULL ? soft_leg_duty : NULL,
                             .group_open = under->group_open != NULL ? soft_group_open : NULL,
                             .group_write = under->group_write != NULL ? soft_group_write : NULL,
                             .kick = under->kick != NULL ? soft_kick : NULL};
    for (uint8_t i = 0; i < count; i++) {
        soft->pins[i].pin = pins[i];
    }
    return WPIN_OK;
}

void wpin_soft_pwm_tick(wpin_soft_pwm *soft) {
    if (soft == NULL) {
        return;
    }
    soft->came = 1;
    for (uint8_t i = 0; i < soft->count; i++) {
        wpin_soft_pin *p = &soft->pins[i];
        if (p->running == 0) {
            continue;
        }
        bool begins = p->running == BEGINS;
        p->at++;
        if (begins) {
            p->running = 1;
        }
        if (begins || p->at >= p->steps) {
            begin_period(p);
        }
        show(soft, p, begins);
    }
}
