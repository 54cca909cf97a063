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

static wpin_button_event settle(wpin_button *button, wpin_moment now) {
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
    button->down = now;
    return WPIN_BUTTON_PRESSED;
}

wpin_button_event wpin_button_update(wpin_button *button, bool level, wpin_moment now) {
    bool pressed = level != button->config.active_low;
    if (pressed != button->raw) {
        button->raw = pressed;
        button->since = now;
        return WPIN_BUTTON_NOTHING;
    }
    if (button->held && button->config.stuck_us != 0 &&
        now - button->down >= button->config.stuck_us) {
        button->stuck = true;
    }
    bool changes = button->raw != button->held || !button->known;
    if (!changes || now - button->since < button->config.debounce_us) {
        return WPIN_BUTTON_NOTHING;
    }
    return settle(button, now);
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
        pair->first = now;
    }
    if (pair->waiting && now - pair->first < pair->window_us) {
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
    if (low < -100000 || high > 100000 || high - low < 100 || config->filter > 6 ||
        (int32_t)config->dead + config->hysteresis >= FULL) {
        return WPIN_REFUSED_RANGE;
    }
    *knob = (wpin_knob){.config = *config, .centre_mv = (low + high) / 2, .off = true};
    return WPIN_OK;
}

static int32_t reading(const wpin_knob *knob) {
    return knob->filtered / 64;
}

wpin_status wpin_knob_learn_centre(wpin_knob *knob) {
    if (!knob->begun) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    int32_t low = knob->config.low_mv, high = knob->config.high_mv;
    int32_t off = reading(knob) - (low + high) / 2, quarter = (high - low) / 4;
    if (!knob->config.centre || off > quarter || off < -quarter) {
        return WPIN_REFUSED_RANGE;
    }
    knob->centre_mv = reading(knob);
    return WPIN_OK;
}

/* part / whole as a share of 16384; part up to 200000 in size. In two steps that fit 32 bits. */
static int32_t share_of(int32_t part, int32_t whole) {
    if (whole == 0) {
        return 0;
    }
    int32_t scaled = part * 128;
    return scaled / whole * 128 + scaled % whole * 128 / whole;
}

/* How far it is turned from its zero, signed with a centre. */
static int32_t turned(const wpin_knob *knob, int32_t mv) {
    const wpin_knob_config *c = &knob->config;
    int32_t zero = c->centre ? knob->centre_mv : c->low_mv;
    return share_of(mv - zero, mv >= zero ? c->high_mv - zero : zero - c->low_mv);
}

wpin_duty wpin_knob_update(wpin_knob *knob, int32_t millivolts) {
    const wpin_knob_config *c = &knob->config;
    int32_t mv = millivolts < c->low_mv ? c->low_mv : millivolts;
    mv = mv > c->high_mv ? c->high_mv : mv;
    if (!knob->begun) {
        knob->filtered = mv * 64;
        knob->begun = true;
    }
    int32_t way = mv * 64 - knob->filtered, step = way / (1 << c->filter);
    knob->filtered += step != 0 ? step : (way > 0) - (way < 0); /* all the way in the end */
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
