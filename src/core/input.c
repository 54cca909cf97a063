/* Buttons and knobs: readings into events and duties. */
#include "windpin/input.h"
#include <stddef.h>

#define SECOND_US 1000000
#define FULL      ((int32_t)WPIN_DUTY_FULL)

wpin_status wpin_button_init(wpin_button *button, const wpin_button_config *config) {
    if (button == NULL || config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (config->debounce_us == 0 || config->debounce_us > SECOND_US ||
        config->stuck_us > WPIN_SPAN_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    *button = (wpin_button){.config = *config, .raw = true};
    return WPIN_OK;
}

/* From one look to the next; 0 when the clock stood or ran back. */
static uint32_t passed(wpin_moment *last, wpin_moment now) {
    uint32_t us = now - *last;
    *last = now;
    return us > WPIN_SPAN_MAX ? 0 : us;
}

static uint32_t add(uint32_t a, uint32_t b) {
    return a + b < a ? UINT32_MAX : a + b;
}

static wpin_button_event settle(wpin_button *button) {
    if (!button->raw) {
        bool was_held = button->held;
        button->known = true;
        button->held = button->stuck = false;
        return was_held ? WPIN_BUTTON_RELEASED : WPIN_BUTTON_NOTHING;
    }
    if (!button->known || button->held) {
        return WPIN_BUTTON_NOTHING;
    }
    button->held = true;
    button->down_us = 0;
    return WPIN_BUTTON_PRESSED;
}

/* A level counts once it has stood for the debounce time over several looks: of one long step no
 * more than half of it is believed, a level may have bounced unseen in between. */
wpin_button_event wpin_button_update(wpin_button *button, bool level, wpin_moment now) {
    if (button == NULL) {
        return WPIN_BUTTON_NOTHING;
    }
    uint32_t us = button->begun ? passed(&button->last, now) : 0;
    button->last = now;
    button->begun = true;
    bool pressed = level != button->config.active_low;
    if (button->held) {
        button->down_us = add(button->down_us, us);
        button->stuck = button->stuck || (button->config.stuck_us != 0 &&
                                          button->down_us >= button->config.stuck_us);
    }
    if (pressed != button->raw) {
        button->raw = pressed;
        button->stable_us = 0;
        return WPIN_BUTTON_NOTHING;
    }
    uint32_t believed = button->config.debounce_us / 2U + 1U;
    button->stable_us = add(button->stable_us, us < believed ? us : believed);
    bool changes = button->raw != button->held || !button->known;
    return changes && button->stable_us >= button->config.debounce_us ? settle(button)
                                                                      : WPIN_BUTTON_NOTHING;
}

wpin_status wpin_pair_init(wpin_pair *pair, const wpin_button_config *config, uint32_t window_us) {
    if (pair == NULL || window_us > SECOND_US) {
        return pair == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_RANGE;
    }
    *pair = (wpin_pair){.window_us = window_us};
    wpin_status status = wpin_button_init(&pair->forward, config);
    return status == WPIN_OK ? wpin_button_init(&pair->reverse, config) : status;
}

wpin_pair_command wpin_pair_update(wpin_pair *pair, bool forward_level, bool reverse_level,
                                   wpin_moment now) {
    if (pair == NULL) {
        return WPIN_PAIR_NONE;
    }
    uint32_t us = passed(&pair->last, now);
    wpin_button_event f = wpin_button_update(&pair->forward, forward_level, now);
    wpin_button_event r = wpin_button_update(&pair->reverse, reverse_level, now);
    bool forward = pair->forward.held && !pair->forward.stuck;
    bool reverse = pair->reverse.held && !pair->reverse.stuck;
    if (!pair->forward.held && !pair->reverse.held) {
        pair->waiting = pair->stopped = false;
        return WPIN_PAIR_NONE;
    }
    if (pair->forward.held && pair->reverse.held) {
        pair->stopped = true;
    }
    if (pair->stopped) {
        return WPIN_PAIR_STOP;
    }
    if (f == WPIN_BUTTON_PRESSED || r == WPIN_BUTTON_PRESSED) {
        pair->waiting = true;
        pair->waited_us = 0;
    } else {
        pair->waited_us = add(pair->waited_us, us);
    }
    if (pair->waiting && pair->waited_us < pair->window_us) {
        return WPIN_PAIR_NONE;
    }
    pair->waiting = false;
    if (forward) {
        return WPIN_PAIR_FORWARD;
    }
    return reverse ? WPIN_PAIR_REVERSE : WPIN_PAIR_NONE;
}

wpin_status wpin_knob_init(wpin_knob *knob, const wpin_knob_config *config) {
    if (knob == NULL || config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    int32_t low = config->low_mv, high = config->high_mv;
    if (high - low < 100 || config->filter > 6 ||
        (int32_t)config->dead + config->hysteresis >= FULL) {
        return WPIN_REFUSED_RANGE;
    }
    *knob = (wpin_knob){.config = *config, .centre_mv = (int16_t)((low + high) / 2), .off = true};
    return WPIN_OK;
}

/* mV x 64, held to what a reading can be. */
static int32_t filtered(const wpin_knob *knob) {
    int32_t most = 32768 * 64, is = knob->filtered;
    return is > most ? most : (is < -most ? -most : is);
}

static int32_t reading(const wpin_knob *knob) {
    return filtered(knob) / 64;
}

wpin_status wpin_knob_learn_centre(wpin_knob *knob) {
    if (knob == NULL || !knob->begun) {
        return knob == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_NOT_ZERO;
    }
    int32_t low = knob->config.low_mv, high = knob->config.high_mv;
    int32_t off = reading(knob) - (low + high) / 2, quarter = (high - low) / 4;
    if (!knob->config.centre || off > quarter || off < -quarter) {
        return WPIN_REFUSED_RANGE;
    }
    knob->centre_mv = (int16_t)(off + (low + high) / 2);
    return WPIN_OK;
}

/* part / whole as a share of 16384; both up to 65536 in size. In two steps that fit 32 bits. */
static int32_t share_of(int32_t part, int32_t whole) {
    if (whole <= 0) {
        return 0;
    }
    part = part > 65536 ? 65536 : (part < -65536 ? -65536 : part);
    int32_t scaled = part * 128;
    return scaled / whole * 128 + scaled % whole * 128 / whole;
}

/* How far it is turned from its zero, signed with a centre. */
static int32_t turned(const wpin_knob *knob, int32_t mv) {
    const wpin_knob_config *c = &knob->config;
    int32_t zero = c->centre ? knob->centre_mv : c->low_mv;
    return share_of(mv - zero, mv >= zero ? c->high_mv - zero : zero - c->low_mv);
}

wpin_duty wpin_knob_update(wpin_knob *knob, int16_t millivolts) {
    if (knob == NULL) {
        return 0;
    }
    const wpin_knob_config *c = &knob->config;
    int32_t mv = millivolts < c->low_mv ? c->low_mv : millivolts;
    mv = mv > c->high_mv ? c->high_mv : mv;
    if (!knob->begun) {
        knob->filtered = mv * 64;
        knob->begun = true;
    }
    int32_t was = filtered(knob), way = mv * 64 - was, step = way / (1 << (c->filter & 7U));
    knob->filtered = was + (step != 0 ? step : (way > 0) - (way < 0)); /* all the way in the end */
    int32_t at = turned(knob, reading(knob)), size = at < 0 ? -at : at;
    size = size > FULL ? FULL : size;
    int32_t zone = knob->off ? (int32_t)c->dead + c->hysteresis : c->dead;
    knob->off = size <= zone;
    knob->armed = knob->armed || knob->off;
    if (knob->off || !knob->armed) {
        return 0;
    }
    int32_t duty = share_of(size - c->dead, FULL - c->dead); /* the rest of the way is all of it */
    return (wpin_duty)(at < 0 ? -duty : duty);
}
