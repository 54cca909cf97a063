/* PWM in software: a port around a port. */
#include "windpin/soft_pwm.h"

static wpin_soft_pin *find(wpin_soft_pwm *soft, wpin_pin pin) {
    for (uint8_t i = 0; i < soft->count; i++) {
        if (soft->pins[i].pin == pin) {
            return &soft->pins[i];
        }
    }
    return NULL;
}

static wpin_moment soft_now(void *context) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->now(under->context);
}

static wpin_status soft_open(void *context, wpin_pin pin, wpin_level safe) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->open(under->context, pin, safe);
}

static void soft_write(void *context, wpin_pin pin, wpin_level level) {
    wpin_soft_pwm *soft = context;
    wpin_soft_pin *p = find(soft, pin);
    if (p != NULL) {
        p->running = false;
    }
    soft->under->write(soft->under->context, pin, level);
}

static wpin_status start_soft(const wpin_soft_pwm *soft, wpin_soft_pin *p,
                              const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    uint32_t least = 1000000U / soft->tick_us / WPIN_SOFT_STEPS_LEAST;
    if (request->hz == 0 || request->hz > least || request->inverted) {
        return WPIN_REFUSED_FREQUENCY;
    }
    uint32_t ticks_a_second = 1000000U / soft->tick_us;
    uint32_t steps = (ticks_a_second + request->hz / 2) / request->hz;
    steps = steps > 65535 ? 65535 : steps;
    p->steps = (uint16_t)steps;
    achieved->millihertz = 1000000000U / (soft->tick_us * steps);
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

static void show(const wpin_soft_pwm *soft, wpin_soft_pin *p) {
    bool high = p->at < p->on;
    if (high != p->high) {
        p->high = high;
        soft->under->write(soft->under->context, p->pin, high ? WPIN_HIGH : WPIN_LOW);
    }
}

static void soft_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    wpin_soft_pwm *soft = context;
    wpin_soft_pin *p = find(soft, pin);
    if (p == NULL) {
        soft->under->pwm_duty(soft->under->context, pin, duty);
        return;
    }
    p->next = (uint16_t)(((uint32_t)duty * p->steps + WPIN_DUTY_FULL / 2) / WPIN_DUTY_FULL);
    if (!p->running) { /* the first one at once */
        p->running = true;
        p->at = 0;
        p->on = p->next;
        p->high = p->on == 0; /* so that it is written */
        show(soft, p);
    }
}

static bool soft_read(void *context, wpin_pin pin) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->read(under->context, pin);
}

static int32_t soft_millivolts(void *context, uint8_t input) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->millivolts(under->context, input);
}

static int32_t soft_count(void *context, uint8_t counter) {
    const wpin_port *under = ((wpin_soft_pwm *)context)->under;
    return under->count(under->context, counter);
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
    if (soft == NULL || under == NULL || pins == NULL) {
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
                             .unlock = under->unlock != NULL ? soft_unlock : NULL};
    for (uint8_t i = 0; i < count; i++) {
        soft->pins[i].pin = pins[i];
    }
    return WPIN_OK;
}

void wpin_soft_pwm_tick(wpin_soft_pwm *soft) {
    for (uint8_t i = 0; i < soft->count; i++) {
        wpin_soft_pin *p = &soft->pins[i];
        if (!p->running) {
            continue;
        }
        p->at++;
        if (p->at >= p->steps) {
            p->at = 0;
            p->on = p->next;
        }
        show(soft, p);
    }
}
