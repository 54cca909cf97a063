/* Angles of a stepper: by how many steps, and what is no whole step is carried on. */
#include "stepper_core.h"

/* Steps of a turn, held to what was checked: what follows divides by them. */
static int32_t steps_of_turn(const wpin_stepper *stepper) {
    int32_t steps = wpin_stepper_is_open(stepper) ? stepper->config->steps_per_rev : 4;
    steps = steps < 4 ? 4 : (steps > 2000 ? 2000 : steps);
    return wpin_stepper_is_open(stepper) && stepper->config->half_steps ? 2 * steps : steps;
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
    if (to->steps > WPIN_STEPPER_POSITION_MAX || to->steps < -WPIN_STEPPER_POSITION_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    steps += to->steps; /* both far within 2^31 */
    if (steps > WPIN_STEPPER_POSITION_MAX || steps < -WPIN_STEPPER_POSITION_MAX) {
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
wpin_status wpin_stepper_ask_angle(void *self, int32_t millidegrees, bool by, int32_t *position) {
    wpin_stepper *stepper = self;
    if (!wpin_stepper_is_open(stepper)) {
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

void wpin_stepper_angle(const wpin_stepper *stepper, int32_t *turns, int32_t *millidegrees) {
    int32_t at = 0, a_turn = 1;
    if (wpin_stepper_is_open(stepper)) {
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
