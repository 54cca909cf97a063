/* Steps on a ramp: the rate grows until the way left is what it takes to slow down again. */
#include "windpin/stepper.h"

#define STEP_PHASE  64000000U /* a rate of 64 (one step a second) for 1e6 us */
#define TARGET_MAX  ((int32_t)1 << 30)
#define TICK_MAX_US 1000U

static bool sound(const wpin_stepper_config *c) {
    return c->steps_a_turn >= 4 && c->steps_a_turn <= 2000 && c->start_rate >= 1 &&
           c->top_rate >= c->start_rate && c->top_rate <= 20000 && c->rate_gain >= 1 &&
           c->rate_gain <= 100000;
}

wpin_status wpin_stepper_init(wpin_stepper *stepper, const wpin_stepper_config *config,
                              const wpin_port *port) {
    if (stepper == NULL || config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *stepper = (wpin_stepper){.config = config, .port = port};
    if (!sound(config)) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_status status = wpin_stage_open(&stepper->stage, config->stage, port);
    for (uint8_t i = 0; status == WPIN_OK && i < 8; i++) {
        wpin_state state = (wpin_state)(WPIN_STATE_SECTOR + i);
        status = wpin_stage_has(&stepper->stage, state) ? WPIN_OK : WPIN_REFUSED_STATE;
    }
    stepper->last = status == WPIN_OK ? port->now(port->context) : 0;
    return status;
}

wpin_status wpin_stepper_move(wpin_stepper *stepper, int32_t steps) {
    if (steps > TARGET_MAX || steps < -TARGET_MAX || stepper->target + steps > TARGET_MAX ||
        stepper->target + steps < -TARGET_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    stepper->target += steps;
    return WPIN_OK;
}

static int32_t steps_of_turn(const wpin_stepper *stepper) {
    return stepper->config->steps_a_turn * (stepper->config->half_steps ? 2 : 1);
}

wpin_status wpin_stepper_turn(wpin_stepper *stepper, int32_t millidegrees) {
    if (millidegrees > 3600000 || millidegrees < -3600000) {
        return WPIN_REFUSED_RANGE;
    }
    /* steps = angle x steps of a turn / 360000, in whole turns and a rest that fit 32 bits; the
     * rest is taken by tenths of a turn, 36000 x 4000 being well below 2^31 */
    int32_t a_turn = steps_of_turn(stepper);
    int32_t tenths = millidegrees / 36000, rest = millidegrees % 36000;
    int32_t parts = rest * a_turn + stepper->remainder + tenths * a_turn % 10 * 36000;
    wpin_status status = wpin_stepper_move(stepper, tenths * a_turn / 10 + parts / 360000);
    if (status == WPIN_OK) {
        stepper->remainder = parts % 360000;
    }
    return status;
}

wpin_status wpin_stepper_turn_to(wpin_stepper *stepper, int32_t millidegrees) {
    if (millidegrees > 1800000000 || millidegrees < -1800000000) {
        return WPIN_REFUSED_RANGE;
    }
    /* whole turns and the rest of one, 360000 x 4000 being below 2^31 */
    int32_t a_turn = steps_of_turn(stepper), parts = millidegrees % 360000 * a_turn;
    int32_t target = millidegrees / 360000 * a_turn + parts / 360000;
    wpin_status status = wpin_stepper_move(stepper, target - stepper->target);
    if (status == WPIN_OK) {
        stepper->remainder = parts % 360000;
    }
    return status;
}

int32_t wpin_stepper_angle(const wpin_stepper *stepper) {
    int32_t a_turn = steps_of_turn(stepper);
    return stepper->position / a_turn * 360000 + stepper->position % a_turn * 360000 / a_turn;
}

/* Full steps rest on states with both coils on, the odd ones. */
static void show(wpin_stepper *stepper) {
    uint32_t at = (uint32_t)(stepper->position + stepper->coil_offset);
    uint32_t sector = stepper->config->half_steps ? at & 7U : (2 * at + 1) & 7U;
    wpin_stage_apply(&stepper->stage, (wpin_state)(WPIN_STATE_SECTOR + sector), 0);
    stepper->held = true;
}

static uint32_t size_of(int32_t steps) {
    return (uint32_t)(steps < 0 ? -steps : steps);
}

/* Steps it takes from this rate down to the start rate: (v v - v0 v0) / (2 gain). */
static uint32_t way_to_slow(const wpin_stepper *stepper) {
    uint32_t rate = stepper->rate64 / 64, start = stepper->config->start_rate;
    return rate > start ? (rate * rate - start * start) / (2 * stepper->config->rate_gain) + 1 : 0;
}

/* Moves the rate along its ramp: gain x dt in 1/64 step a second is gain x dt / 15625. */
static void change_rate(wpin_stepper *stepper, uint32_t dt_us, bool faster) {
    uint32_t start = stepper->config->start_rate * 64U, top = stepper->config->top_rate * 64U;
    uint32_t gain = stepper->config->rate_gain * dt_us + stepper->gain_left;
    uint32_t change = gain / 15625;
    stepper->gain_left = gain % 15625;
    if (faster) {
        stepper->rate64 = stepper->rate64 + change < top ? stepper->rate64 + change : top;
    } else {
        stepper->rate64 = stepper->rate64 > start + change ? stepper->rate64 - change : start;
    }
}

static void rest(wpin_stepper *stepper) {
    stepper->way = 0;
    stepper->rate64 = stepper->phase = stepper->gain_left = 0;
    if (stepper->config->release && stepper->held && stepper->target == stepper->position) {
        wpin_stepper_release(stepper);
    }
}

static void set_off(wpin_stepper *stepper) {
    stepper->way = stepper->target > stepper->position ? 1 : -1;
    stepper->rate64 = stepper->config->start_rate * 64U;
    stepper->phase = 0;
    show(stepper); /* the coils take hold where it stands, then it goes */
}

void wpin_stepper_tick(wpin_stepper *stepper) {
    if (stepper == NULL || !stepper->stage.open) {
        return;
    }
    wpin_moment now = stepper->port->now(stepper->port->context);
    uint32_t dt_us = now - stepper->last;
    stepper->last = now;
    dt_us = dt_us < TICK_MAX_US ? dt_us : TICK_MAX_US; /* late ticks make it slower, never jump */
    if (stepper->way == 0) {
        if (stepper->target != stepper->position) {
            set_off(stepper);
        }
        return;
    }
    int32_t left = (stepper->target - stepper->position) * stepper->way;
    bool slow = left <= 0 || size_of(left) <= way_to_slow(stepper);
    change_rate(stepper, dt_us, !slow);
    stepper->phase += stepper->rate64 * dt_us;
    if (stepper->phase < STEP_PHASE) {
        return;
    }
    stepper->phase = stepper->phase - STEP_PHASE < STEP_PHASE ? stepper->phase - STEP_PHASE : 0;
    bool slowest = stepper->rate64 <= stepper->config->start_rate * 64U;
    if (left == 0 || (left < 0 && slowest)) {
        rest(stepper); /* here, or on the wrong side of a changed target: rest, then back */
        return;
    }
    stepper->position += stepper->way;
    show(stepper);
    if (stepper->position == stepper->target && slowest) {
        rest(stepper);
    }
}

void wpin_stepper_stop(wpin_stepper *stepper) {
    int32_t slows = (int32_t)way_to_slow(stepper);
    stepper->target = stepper->position + stepper->way * slows;
}

void wpin_stepper_release(wpin_stepper *stepper) {
    stepper->target = stepper->position;
    stepper->way = 0;
    stepper->held = false;
    wpin_stage_apply(&stepper->stage, WPIN_STATE_FREE, 0);
}

wpin_status wpin_stepper_set_position(wpin_stepper *stepper, int32_t position) {
    if (stepper->way != 0 || stepper->target != stepper->position) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    if (position > TARGET_MAX || position < -TARGET_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    stepper->coil_offset += stepper->position - position; /* the coils stay as they are */
    stepper->position = stepper->target = position;
    return WPIN_OK;
}

bool wpin_stepper_busy(const wpin_stepper *stepper) {
    return stepper->way != 0 || stepper->target != stepper->position;
}
