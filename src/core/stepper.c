/* Steps on a ramp: the rate grows until the steps left are as many as it took to come to it. */
#include "windpin/stepper.h"
#include "countdown.h"
#include "windpin/impl/lock.h"

#define POSITION_MAX ((int32_t)1 << 30)
#define TICK_MAX_US  1000U

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

static bool is_open(const wpin_stepper *stepper) {
    return stepper != NULL && stepper->port != NULL && stepper->config != NULL;
}

/* Steps of a turn, held to what was checked: what follows divides by them. */
static int32_t steps_of_turn(const wpin_stepper *stepper) {
    int32_t steps = is_open(stepper) ? stepper->config->steps_per_rev : 4;
    steps = steps < 4 ? 4 : (steps > 2000 ? 2000 : steps);
    return is_open(stepper) && stepper->config->half_steps ? 2 * steps : steps;
}

/* ---- the fast tick ---- */

/* The duty of rows with PWM: less at rest where that is so configured. */
static uint16_t duty_of(const WPIN_FAR wpin_stepper_config *c, bool reduced) {
    uint16_t duty = reduced && c->rest_duty != 0 ? c->rest_duty : c->duty;
    return (uint16_t)(duty == 0 || duty > WPIN_DUTY_FULL ? WPIN_DUTY_FULL : duty);
}

/* Full steps rest on states with both coils on, the odd ones. */
static void show(wpin_stepper *stepper, bool reduced) {
    if (!is_open(stepper)) {
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
    if (is_open(stepper) && stepper->config->release && stepper->target == stepper->position) {
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

static void take_step(wpin_stepper *stepper, bool faster) {
    bool slowest = stepper->rate <= stepper->start;
    if (steps_left(stepper) == 0) {
        if (slowest || stepper->target == stepper->position) {
            come_to_rest(
                stepper); /* here, or on the wrong side of a changed target: rest, then back */
            return;
        }
    }
    if (stepper->direction > 0 ? stepper->position >= POSITION_MAX
                               : stepper->position <= -POSITION_MAX) {
        come_to_rest(stepper);
        return;
    }
    stepper->position += stepper->direction > 0 ? 1 : -1;
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
    if (!is_open(stepper)) {
        return;
    }
    wpin_moment now = stepper->port->now(stepper->port->context);
    uint32_t us = wpin_elapsed(stepper->last, now);
    stepper->last = now;
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
    if (!is_open(stepper)) {
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
    if (!is_open(stepper)) {
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
    if (!is_open(stepper)) {
        return true;
    }
    uint8_t locked = wpin_lock(stepper->port);
    if (stepper->direction == 0 && stepper->target != stepper->position) {
        stand_here(
            stepper); /* it has not set off yet; where it has arrived the angle's rest stays */
    } else if (stepper->direction != 0 && steps_left(stepper) > stepper->ramp_steps) {
        int32_t more = (int32_t)(stepper->ramp_steps & 0x3FFFFFFFU);
        int32_t end = stepper->position;
        bool room =
            stepper->direction > 0 ? end <= POSITION_MAX - more : end >= more - POSITION_MAX;
        end += room ? (stepper->direction > 0 ? more : -more) : 0;
        stepper->target = stepper->asked = end;
        stepper->remainder = 0;
    }
    bool stands = stepper->direction == 0;
    wpin_unlock(stepper->port, locked);
    return stands;
}

static wpin_status poll(void *self, wpin_measurement *m) {
    wpin_stepper *stepper = self;
    if (!is_open(stepper)) {
        return WPIN_REFUSED_CLOSED;
    }
    uint8_t locked = wpin_lock(stepper->port);
    m->position = stepper->position;
    int16_t speed = (int16_t)(((stepper->rate >> 16) * 16000UL) >> 16); /* counts x 16 in a ms */
    int8_t direction = stepper->direction;
    uint8_t failed = stepper->failed;
    stepper->failed = 0;
    wpin_unlock(stepper->port, locked);
    speed = (int16_t)(speed + 1); /* slow is not standing */
    m->speed = (int16_t)(direction > 0 ? speed : (direction < 0 ? -speed : 0));
    m->valid |= WPIN_HAS_POSITION | WPIN_HAS_SPEED;
    return (wpin_status)failed;
}

/* Where the last angle asked for leads. */
typedef struct asked {
    int32_t steps, remainder;
} asked;

/* By an angle: steps = angle x steps of a turn / 360000, in tenths of a turn and a rest that fit 32
 * bits, 36000 x 4000 being well below 2^31. What is no whole step is carried to the next call. */
static wpin_status angle_by(asked *to, int32_t a_turn, int32_t millidegrees) {
    if (millidegrees > 3600000 || millidegrees < -3600000) {
        return WPIN_REFUSED_RANGE;
    }
    int32_t tenths = millidegrees / 36000, rest = millidegrees % 36000;
    int32_t parts = rest * a_turn + to->remainder % 360000 + tenths * a_turn % 10 * 36000;
    int32_t steps = tenths * a_turn / 10 + parts / 360000;
    if (to->steps > POSITION_MAX || to->steps < -POSITION_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    steps += to->steps; /* both far within 2^31 */
    if (steps > POSITION_MAX || steps < -POSITION_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    *to = (asked){steps, parts % 360000};
    return WPIN_OK;
}

/* To an angle: whole turns and the rest of one, 360000 x 4000 being below 2^31. */
static wpin_status angle_to(asked *to, int32_t a_turn, int32_t millidegrees) {
    if (millidegrees > 1800000000 || millidegrees < -1800000000) {
        return WPIN_REFUSED_RANGE;
    }
    int32_t parts = millidegrees % 360000 * a_turn;
    *to = (asked){millidegrees / 360000 * a_turn + parts / 360000, parts % 360000};
    return WPIN_OK;
}

static asked asked_now(const wpin_stepper *stepper) {
    uint8_t locked = wpin_lock(stepper->port);
    asked a = {stepper->asked, stepper->remainder};
    wpin_unlock(stepper->port, locked);
    return a;
}

/* Divisions take long: interrupts may come, and one that asks meanwhile makes it count anew. */
static wpin_status angle(void *self, int32_t millidegrees, bool by, int32_t *position) {
    wpin_stepper *stepper = self;
    if (!is_open(stepper)) {
        return WPIN_REFUSED_CLOSED;
    }
    bool same = false;
    wpin_status status = WPIN_OK;
    while (!same && status == WPIN_OK) {
        asked from = asked_now(stepper), to = from;
        int32_t a_turn = steps_of_turn(stepper);
        status = by ? angle_by(&to, a_turn, millidegrees) : angle_to(&to, a_turn, millidegrees);
        *position = to.steps;
        uint8_t locked = wpin_lock(stepper->port);
        same = stepper->asked == from.steps && stepper->remainder == from.remainder;
        if (same && status == WPIN_OK) {
            stepper->asked = to.steps;
            stepper->remainder = to.remainder;
        }
        wpin_unlock(stepper->port, locked);
    }
    return status;
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
                                                        .angle = angle};

/* ---- for everybody ---- */

void wpin_stepper_angle(const wpin_stepper *stepper, int32_t *turns, int32_t *millidegrees) {
    int32_t at = 0, a_turn = 1;
    if (is_open(stepper)) {
        uint8_t locked = wpin_lock(stepper->port);
        at = stepper->position;
        wpin_unlock(stepper->port, locked);
        a_turn = steps_of_turn(stepper);
    }
    if (turns != NULL) {
        *turns = at / a_turn;
    }
    if (millidegrees != NULL) {
        *millidegrees = at % a_turn * 360000 / a_turn;
    }
}

wpin_status wpin_stepper_set_position(wpin_stepper *stepper, int32_t position) {
    if (!is_open(stepper)) {
        return stepper == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (position > POSITION_MAX || position < -POSITION_MAX) {
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
