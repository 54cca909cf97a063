/* Steps on a ramp: the rate grows until the steps left are as many as it took to come to it. */
#include "beat.h"
#include "countdown.h"
#include "stepper_core.h"

#define TICK_MAX_US 1000U

/* Steps a second in 2^-32 steps a us: x 2^32 / 10^6 = 4294 and 31/32. */
static uint32_t rate_of(uint32_t steps_a_second) {
    return steps_a_second * 4294U + steps_a_second * 31U / 32U;
}

/* Steps a second in a second, in 2^-44 steps a us in a us: x 2^44 / 10^12 = 17 and 19/32. */
static uint32_t acceleration_of(uint32_t steps) {
    return steps * 17U + steps * 19U / 32U;
}

static bool sound(const WPIN_FAR wpin_stepper_config *c) {
    return c->steps_per_rev >= 4 && c->steps_per_rev <= 2000 && c->start_rate >= 1 &&
           c->top_rate >= c->start_rate && c->top_rate <= 20000 && c->acceleration >= 1 &&
           c->acceleration <= 100000 && c->duty <= WPIN_DUTY_FULL && c->rest_duty <= WPIN_DUTY_FULL;
}

/* ---- the fast tick ---- */

/* The duty of rows with PWM: less at rest where that is so configured. */
static uint16_t duty_of(const WPIN_FAR wpin_stepper_config *c, bool reduced) {
    uint16_t duty = reduced && c->rest_duty != 0 ? c->rest_duty : c->duty;
    return (uint16_t)(duty == 0 || duty > WPIN_DUTY_FULL ? WPIN_DUTY_FULL : duty);
}

/* Full steps rest on states with both coils on, the odd ones. */
static void show(wpin_stepper *stepper, bool reduced) {
    if (!wpin_stepper_is_open(stepper)) {
        return;
    }
    uint32_t at = (uint32_t)stepper->position + stepper->coil_offset;
    at = stepper->config->stage->reversed ? 0U - at : at; /* the coils the other way round */
    uint32_t sector = stepper->config->half_steps ? at & 7U : (2U * at + 1U) & 7U;
    sector += reduced && stepper->rest_rows ? 8U : 0U;
    wpin_status status =
        wpin_stage_apply(&stepper->stage, (wpin_drive)(WPIN_DRIVE_SECTOR + (unsigned)sector),
                         duty_of(stepper->config, reduced));
    if (status != WPIN_OK && status != WPIN_REFUSED_FAULTED) {
        stepper->failed = (uint8_t)status;
    }
    stepper->held = true;
    stepper->reduced = reduced;
}

/* Steps still to go in the direction it moves; 0 also when the target lies behind it. */
static uint32_t steps_left(const wpin_stepper *stepper) {
    if (stepper->direction > 0) {
        return stepper->target > stepper->position
                   ? (uint32_t)stepper->target - (uint32_t)stepper->position
                   : 0;
    }
    return stepper->target < stepper->position
               ? (uint32_t)stepper->position - (uint32_t)stepper->target
               : 0;
}

static void change_rate(wpin_stepper *stepper, uint16_t dt_us, bool faster) {
    uint32_t change = stepper->acceleration * dt_us + stepper->rate_rest;
    stepper->rate_rest = (uint16_t)(change & 0xFFFU);
    change >>= 12;
    if (faster) {
        stepper->rate =
            stepper->top - stepper->rate > change ? stepper->rate + change : stepper->top;
    } else {
        stepper->rate =
            stepper->rate - stepper->start > change ? stepper->rate - change : stepper->start;
    }
}

/* Lets dt_us pass on the way to the next step; true when it is due. Never more than one. */
static bool step_due(wpin_stepper *stepper, uint16_t dt_us) {
    uint32_t high = (stepper->rate >> 16) * dt_us, low = (stepper->rate & 0xFFFFU) * dt_us;
    high += low >> 16;
    if (high >= 0x10000U) {
        stepper->way = 0;
        return true;
    }
    uint32_t move = (high << 16) | (low & 0xFFFFU);
    stepper->way += move;
    return stepper->way < move;
}

static void let_go(wpin_stepper *stepper) {
    wpin_stage_apply(&stepper->stage, WPIN_DRIVE_COAST, 0);
    stepper->held = false;
}

static void come_to_rest(wpin_stepper *stepper) {
    stepper->direction = 0;
    stepper->rate = stepper->start;
    stepper->rests_us = 0;
    if (wpin_stepper_is_open(stepper) && stepper->config->release &&
        stepper->target == stepper->position) {
        let_go(stepper);
    }
}

/* Holds at rest: with less current, and not for ever, if so configured. */
static void hold(wpin_stepper *stepper, uint32_t us) {
    const WPIN_FAR wpin_stepper_config *c = stepper->config;
    uint32_t rests = stepper->rests_us;
    if (!stepper->held) {
        return;
    }
    stepper->rests_us = rests + us < rests ? UINT32_MAX : rests + us;
    if (c->release_after_us != 0 && stepper->rests_us >= c->release_after_us) {
        let_go(stepper);
    } else if (c->reduce && !stepper->reduced && stepper->rests_us >= c->reduce_after_us) {
        show(stepper, true);
    }
}

static void set_off(wpin_stepper *stepper) {
    stepper->direction = stepper->target > stepper->position ? 1 : -1;
    stepper->rate = stepper->start;
    stepper->way = stepper->ramp_steps = 0;
    stepper->rate_rest = 0;
    show(stepper, false); /* the coils take hold where it stands, then it goes */
}

/* Its place so many steps on, as far as places go. */
static int32_t ahead(const wpin_stepper *stepper, int32_t steps) {
    const int32_t most = WPIN_STEPPER_POSITION_MAX;
    int32_t place = stepper->position;
    int32_t end = stepper->direction > 0 ? place + steps : place - steps;
    return end > most ? most : (end < -most ? -most : end);
}

static void take_step(wpin_stepper *stepper, bool faster) {
    bool slowest = stepper->rate <= stepper->start;
    if (steps_left(stepper) == 0) {
        if (slowest || stepper->target == stepper->position) {
            come_to_rest(
                stepper); /* here, or on the wrong side of a changed target: rest, then back */
            return;
        }
    }
    int32_t next = ahead(stepper, 1);
    if (next == stepper->position) {
        come_to_rest(stepper);
        return;
    }
    stepper->position = next;
    if (faster && stepper->rate < stepper->top) {
        stepper->ramp_steps++;
    } else if (!faster && stepper->ramp_steps != 0) {
        stepper->ramp_steps--;
    }
    show(stepper, false);
    if (stepper->position == stepper->target && slowest) {
        come_to_rest(stepper);
    }
}

void wpin_stepper_tick(wpin_stepper *stepper) {
    if (!wpin_stepper_is_open(stepper)) {
        return;
    }
    wpin_moment now = stepper->port->now(stepper->port->context);
    uint32_t us = wpin_elapsed(stepper->last, now);
    stepper->last = now;
    stepper->beat.came = 1;
    if (stepper->active == 0) {
        return;
    }
    if (stepper->direction == 0) {
        if (stepper->target != stepper->position) {
            set_off(stepper);
        } else {
            hold(stepper, us);
        }
        return;
    }
    uint16_t dt_us =
        (uint16_t)(us < TICK_MAX_US ? us : TICK_MAX_US); /* late: slower, never a jump */
    bool faster = steps_left(stepper) > stepper->ramp_steps + 1U;
    change_rate(stepper, dt_us, faster);
    if (step_due(stepper, dt_us)) {
        take_step(stepper, faster);
    }
}

/* ---- the actuator, from the motor's tick ---- */

static void stand_here(wpin_stepper *stepper) {
    stepper->target = stepper->asked = stepper->position;
    stepper->remainder = 0;
    stepper->direction = 0;
    stepper->rate = stepper->start;
}

static wpin_status open_stepper(void *self, const WPIN_FAR void *config, const wpin_port *port) {
    wpin_stepper *stepper = self;
    const WPIN_FAR wpin_stepper_config *c = (const WPIN_FAR wpin_stepper_config *)config;
    wpin_stage_close(&stepper->stage);
    *stepper = (wpin_stepper){0};
    if (c == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!sound(c)) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_status status = wpin_stage_open(&stepper->stage, c->stage, port);
    stepper->rest_rows =
        c->reduce && wpin_stage_has(&stepper->stage, (wpin_drive)(WPIN_DRIVE_SECTOR + 8));
    for (uint8_t i = 0; status == WPIN_OK && i < (stepper->rest_rows ? 16 : 8); i++) {
        wpin_drive drive = (wpin_drive)(WPIN_DRIVE_SECTOR + (unsigned)i);
        status = wpin_stage_has(&stepper->stage, drive) ? WPIN_OK : WPIN_REFUSED_STATE;
    }
    if (status != WPIN_OK) {
        wpin_stage_close(&stepper->stage);
        return status;
    }
    stepper->start = rate_of(c->start_rate);
    stepper->top = rate_of(c->top_rate);
    stepper->acceleration = acceleration_of(c->acceleration);
    stepper->rate = stepper->start;
    stepper->last = port->now(port->context);
    stepper->config = c;
    stepper->port = port; /* the fast tick works from here on */
    return WPIN_OK;
}

static wpin_status close_stepper(void *self) {
    wpin_stepper *stepper = self;
    stepper->active = 0;
    wpin_status status = wpin_stage_close(&stepper->stage);
    stepper->port = NULL;
    return status;
}

static uint8_t traits(const void *self) {
    (void)self;
    return WPIN_CAN_COAST | WPIN_CAN_BRAKE | WPIN_CAN_FORWARD | WPIN_CAN_REVERSE;
}

/* Wakes it: from here on the fast tick has the coils. */
static wpin_status wake(wpin_stepper *stepper) {
    wpin_status status = WPIN_OK;
    if (stepper->active == 0) {
        status = wpin_stage_apply(&stepper->stage, WPIN_DRIVE_COAST, 0);
        stepper->active = status == WPIN_OK ? 1 : 0;
    }
    return status;
}

static wpin_status put(void *self, uint8_t quantity, int32_t value) {
    wpin_stepper *stepper = self;
    if (!wpin_stepper_is_open(stepper)) {
        return WPIN_REFUSED_CLOSED;
    }
    (void)quantity; /* it takes nothing but position */
    uint8_t locked = wpin_lock(stepper->port);
    if (value != stepper->asked) {
        stepper->asked = value;
        stepper->remainder = 0;
    }
    stepper->target = value;
    wpin_unlock(stepper->port, locked);
    return wake(stepper);
}

static wpin_status idle(void *self, wpin_drive how) {
    wpin_stepper *stepper = self;
    if (!wpin_stepper_is_open(stepper)) {
        return WPIN_REFUSED_CLOSED;
    }
    if (how == WPIN_DRIVE_BRAKE) {
        return WPIN_OK; /* it holds, as it does at the end of a move */
    }
    uint8_t locked = wpin_lock(stepper->port);
    stepper->active = 0;
    stepper->held = false;
    stand_here(stepper);
    wpin_unlock(stepper->port, locked);
    return wpin_stage_apply(&stepper->stage, WPIN_DRIVE_COAST, 0);
}

static wpin_duty shown(const void *self) {
    (void)self;
    return 0; /* it has no effort */
}

static void off(void *self) {
    wpin_stepper *stepper = self;
    stepper->active = 0;
    wpin_stage_off(&stepper->stage);
}

/* Steps on for as long as its ramp takes. */
static bool stop(void *self) {
    wpin_stepper *stepper = self;
    if (!wpin_stepper_is_open(stepper)) {
        return true;
    }
    uint8_t locked = wpin_lock(stepper->port);
    if (stepper->direction == 0 && stepper->target != stepper->position) {
        stand_here(
            stepper); /* it has not set off yet; where it has arrived the angle's rest stays */
    } else if (stepper->direction != 0 && steps_left(stepper) > stepper->ramp_steps) {
        stepper->target = stepper->asked =
            ahead(stepper, (int32_t)(stepper->ramp_steps & 0x3FFFFFFFU));
        stepper->remainder = 0;
    }
    bool stands = stepper->direction == 0;
    wpin_unlock(stepper->port, locked);
    return stands;
}

static wpin_status poll(void *self, wpin_measurement *m) {
    wpin_stepper *stepper = self;
    if (!wpin_stepper_is_open(stepper)) {
        return WPIN_REFUSED_CLOSED;
    }
    uint8_t locked = wpin_lock(stepper->port);
    m->position = stepper->position;
    int16_t speed = (int16_t)(((stepper->rate >> 16) * 16000UL) >> 16); /* counts x 16 in a ms */
    int8_t direction = stepper->direction;
    uint8_t failed = stepper->failed;
    stepper->failed = 0;
    wpin_status status =
        wpin_beat_check(&stepper->beat, stepper->active != 0, m->dt_us, WPIN_AWAY_MOST_US);
    wpin_unlock(stepper->port, locked);
    speed = (int16_t)(speed + 1); /* slow is not standing */
    m->speed = (int16_t)(direction > 0 ? speed : (direction < 0 ? -speed : 0));
    m->valid |= WPIN_HAS_POSITION | WPIN_HAS_SPEED;
    return failed != WPIN_OK ? (wpin_status)failed : status;
}

const WPIN_FLASH wpin_actuator wpin_stepper_actuator = {.takes = WPIN_TAKES(WPIN_QUANTITY_POSITION),
                                                        .open = open_stepper,
                                                        .close = close_stepper,
                                                        .traits = traits,
                                                        .put = put,
                                                        .idle = idle,
                                                        .shown = shown,
                                                        .off = off,
                                                        .stop = stop,
                                                        .poll = poll,
                                                        .angle = wpin_stepper_ask_angle};

/* ---- for everybody ---- */

wpin_status wpin_stepper_set_position(wpin_stepper *stepper, int32_t position) {
    if (!wpin_stepper_is_open(stepper)) {
        return stepper == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (position > WPIN_STEPPER_POSITION_MAX || position < -WPIN_STEPPER_POSITION_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_status status = WPIN_OK;
    uint8_t locked = wpin_lock(stepper->port);
    if (stepper->direction != 0 || stepper->target != stepper->position) {
        status = WPIN_REFUSED_NOT_ZERO;
    } else { /* the coils stay as they are */
        stepper->coil_offset += (uint32_t)stepper->position - (uint32_t)position;
        stepper->position = stepper->target = stepper->asked = position;
        stepper->remainder = 0;
    }
    wpin_unlock(stepper->port, locked);
    return status;
}
