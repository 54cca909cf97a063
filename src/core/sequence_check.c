/* Proves a plan sound before anything moves: steps, nesting, and tracks needed at once. */
#include "motor_core.h"
#include "ops.h"

/* How deep forks may nest, and a frame for each with one for the plan itself. */
#define FORK_DEPTH 4
#define FRAMES     5

/* One open track of the plan's text while it is read through. */
typedef struct frame {
    uint16_t leave;  /* step that must be its LEAVE */
    uint8_t open;    /* tracks forked from it and not yet joined, with all of theirs */
    uint8_t most;    /* the most that were ever open */
    uint8_t repeats; /* open repeats */
    uint8_t unjoined[WPIN_REPEAT_DEPTH]; /* open, when each repeat began */
} frame;

typedef struct reader {
    const wpin_sequence_config *config;
    frame frames[FRAMES];
    uint8_t depth;
} reader;

static bool knows_number(const wpin_sequence_config *config, wpin_target target) {
    switch ((wpin_target_kind)target.kind) {
    case WPIN_TARGET_MOTOR: return target.number < config->motor_count;
    case WPIN_TARGET_SWITCH:
        return target.number < config->switch_count && config->set_switch != NULL;
    case WPIN_TARGET_INPUT: return target.number < config->input_count;
    default: return true;
    }
}

/* Whether an open motor can do what a verb asks of it. */
static bool fits_motor(const wpin_sequence_config *config, const wpin_step *step, uint8_t needs) {
    if (config->motors == NULL) {
        return true; /* only the plan's form is checked */
    }
    uint16_t number = step->target.number;
    const wpin_motor *motor = number < config->motor_count ? config->motors[number] : NULL;
    if (motor == NULL || !wpin_is_noted(motor)) {
        return true; /* refused at the start, as not open */
    }
    const WPIN_FAR wpin_actuator *actuator = wpin_config_of(motor)->actuator;
    bool driven = actuator->takes != WPIN_TAKES(WPIN_QUANTITY_POSITION); /* no stepper */
    if ((needs & (WPIN_NEEDS_EFFORT | WPIN_NEEDS_INPUT)) != 0 &&
        !wpin_motor_has_way(wpin_config_of(motor), step->quantity)) {
        return false;
    }
    return ((needs & WPIN_DRIVES) == 0 || driven) &&
           ((needs & WPIN_NEEDS_ANGLE) == 0 || actuator->angle != NULL ||
            (wpin_config_of(motor)->counts_per_turn != 0 &&
             wpin_motor_has_way(wpin_config_of(motor), WPIN_QUANTITY_POSITION))) &&
           ((step->op != WPIN_OP_ZERO && step->op != WPIN_OP_HOME) ||
            (wpin_senses(motor) & WPIN_SENSES_PLACE) != 0) &&
           (step->op != WPIN_OP_HOME || step->until != 0 || actuator->homed != NULL) &&
           (step->op != WPIN_OP_BRAKE || driven);
}

static wpin_status check_angle(const wpin_step *step) {
    int32_t most = step->op == WPIN_OP_TURN ? 3600000 : 1800000000;
    return step->millidegrees <= most && step->millidegrees >= -most ? WPIN_OK : WPIN_REFUSED_RANGE;
}

/* What the verb is about: of events, what the event is about. */
static uint8_t target_kind(const wpin_step *step) {
    if (step->op != WPIN_OP_UNTIL) {
        return wpin_ops[step->op].target;
    }
    return wpin_event_about((wpin_event)step->value);
}

static wpin_status check_event(const wpin_sequence_config *config, const wpin_step *step) {
    if (step->value < 0 || step->value >= WPIN_EVENT_COUNT) {
        return WPIN_REFUSED_RANGE;
    }
    if (step->until != 0) {
        return WPIN_REFUSED_CONFIG;
    }
    if (wpin_event_is_of_input(step->value)) {
        return config->read_input != NULL ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
    }
    bool current =
        step->value == WPIN_EVENT_CURRENT_ABOVE || step->value == WPIN_EVENT_CURRENT_BELOW;
    /* milliamps x mV per A, both up to 65535, fit 32 bits */
    return current && step->milliamps > UINT16_MAX ? WPIN_REFUSED_RANGE : WPIN_OK;
}

/* The event that ends a step: of a verb that has a time, and about something there is. */
static wpin_status check_until(const wpin_sequence_config *config, const wpin_step *step) {
    switch ((wpin_op)step->op) {
    case WPIN_OP_RUN_FOR:
    case WPIN_OP_HOLD:
    case WPIN_OP_FOLLOW:
    case WPIN_OP_COAST:
    case WPIN_OP_BRAKE:
        if (step->time_ms == 0) {
            return WPIN_REFUSED_RANGE;
        }
        break;
    case WPIN_OP_REPEAT:
    case WPIN_OP_HOME:
        if (step->until == 1 + WPIN_EVENT_FAULTED) { /* it would end the plan before */
            return WPIN_REFUSED_CONFIG;
        }
        break;
    default: return WPIN_REFUSED_CONFIG;
    }
    if (step->until > WPIN_EVENT_COUNT) {
        return WPIN_REFUSED_RANGE;
    }
    bool input = wpin_event_is_of_input((int16_t)(step->until - 1));
    bool there = input ? step->until_of < config->input_count && config->read_input != NULL
                       : step->until_of < config->motor_count;
    return there ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

/* Only an input, or a current that a stop makes, says where home is; or an actuator that finds it
 * by itself. */
static wpin_status check_home(const wpin_step *step) {
    int16_t event = (int16_t)(step->until - 1);
    bool says =
        step->until == 0 || wpin_event_is_of_input(event) || event == WPIN_EVENT_CURRENT_ABOVE;
    return says && step->quantity == WPIN_QUANTITY_SPEED ? WPIN_OK : WPIN_REFUSED_CONFIG;
}

/* An input's effort as a share of a set-point. */
static wpin_status check_full(const wpin_step *step) {
    if (step->quantity == WPIN_QUANTITY_POSITION ||
        (step->quantity != WPIN_QUANTITY_EFFORT && step->full == 0)) {
        return WPIN_REFUSED_QUANTITY;
    }
    return step->full <= WPIN_DUTY_FULL && step->full >= -WPIN_DUTY_FULL ? WPIN_OK
                                                                         : WPIN_REFUSED_RANGE;
}

static wpin_status check_value(const wpin_sequence_config *config, const wpin_step *step,
                               uint8_t needs) {
    int16_t value = step->value;
    if ((needs & WPIN_NEEDS_TIME) != 0 && step->time_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    if ((needs & WPIN_NEEDS_EFFORT) != 0 &&
        (value == 0 || value > WPIN_DUTY_FULL || value < -WPIN_DUTY_FULL)) {
        return WPIN_REFUSED_RANGE;
    }
    if ((needs & WPIN_NEEDS_INPUT) != 0 &&
        (config->read_duty == NULL || value < 0 || (uint16_t)value >= config->input_count)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if ((needs & WPIN_NEEDS_INPUT) != 0) {
        return check_full(step);
    }
    if (step->quantity != WPIN_QUANTITY_EFFORT &&
        ((needs & WPIN_NEEDS_EFFORT) == 0 || step->quantity == WPIN_QUANTITY_POSITION)) {
        return WPIN_REFUSED_QUANTITY;
    }
    return (needs & WPIN_NEEDS_COUNT) != 0 && value < 0 ? WPIN_REFUSED_RANGE : WPIN_OK;
}

static wpin_status check_values(const wpin_sequence_config *config, const wpin_step *step) {
    if (step->op >= WPIN_OP_COUNT || !WPIN_HAS_VERB(step->op)) {
        return WPIN_REFUSED_RANGE;
    }
    uint8_t needs = wpin_ops[step->op].needs;
    wpin_status status = (needs & WPIN_NEEDS_EVENT) != 0 ? check_event(config, step) : WPIN_OK;
    if (status == WPIN_OK &&
        (step->target.kind != target_kind(step) || !knows_number(config, step->target) ||
         (step->op == WPIN_OP_SET && config->set_input == NULL))) {
        status = WPIN_REFUSED_ARGUMENT;
    }
    if (status == WPIN_OK) {
        status = check_value(config, step, needs);
    }
    if (status == WPIN_OK && step->until != 0 && (needs & WPIN_NEEDS_EVENT) == 0) {
        status = check_until(config, step);
    }
    if (status == WPIN_OK && step->op == WPIN_OP_HOME) {
        status = check_home(step);
    }
    const uint8_t others = WPIN_NEEDS_EVENT | WPIN_NEEDS_INPUT; /* these keep no ramp there */
    if (status == WPIN_OK && (needs & WPIN_NEEDS_ANGLE) != 0) {
        status = check_angle(step);
    } else if (status == WPIN_OK && (needs & others) == 0 && step->ramp_us > WPIN_RAMP_MAX_US) {
        status = WPIN_REFUSED_RANGE;
    }
    if (status == WPIN_OK && step->target.kind == WPIN_TARGET_MOTOR &&
        !fits_motor(config, step, needs)) {
        status = WPIN_REFUSED_QUANTITY;
    }
    return status;
}

static wpin_status open_repeat(frame *top) {
    if (top->repeats == WPIN_REPEAT_DEPTH) {
        return WPIN_REFUSED_FULL;
    }
    top->unjoined[top->repeats++] = top->open;
    return WPIN_OK;
}

/* Tracks forked inside a repeat are joined inside it. */
static wpin_status close_repeat(frame *top) {
    if (top->repeats == 0 || top->unjoined[top->repeats - 1] != top->open) {
        return WPIN_REFUSED_CONFIG;
    }
    top->repeats--;
    return WPIN_OK;
}

static wpin_status open_track(reader *r, const wpin_step *step, uint16_t index) {
    if (r->depth == FORK_DEPTH) {
        return WPIN_REFUSED_FULL;
    }
    if (step->value <= (int16_t)(index + 1) || step->value >= (int16_t)r->config->step_count) {
        return WPIN_REFUSED_CONFIG;
    }
    r->frames[++r->depth] = (frame){.leave = (uint16_t)(step->value - 1)};
    return WPIN_OK;
}

static bool all_closed(const frame *top) {
    return top->open == 0 && top->repeats == 0;
}

static wpin_status close_track(reader *r, uint16_t index) {
    const frame *top = &r->frames[r->depth];
    if (r->depth == 0 || top->leave != index || !all_closed(top)) {
        return WPIN_REFUSED_CONFIG;
    }
    uint8_t needs = (uint8_t)(1 + top->most);
    frame *parent = &r->frames[--r->depth];
    if (parent->open > 250 - needs) {
        return WPIN_REFUSED_FULL;
    }
    parent->open = (uint8_t)(parent->open + needs);
    if (parent->most < parent->open) {
        parent->most = parent->open;
    }
    return WPIN_OK;
}

static wpin_status close_plan(const reader *r, uint16_t index) {
    const frame *root = &r->frames[0];
    if (r->depth != 0 || !all_closed(root) || index + 1 != r->config->step_count) {
        return WPIN_REFUSED_CONFIG;
    }
    return root->most + 1 > r->config->track_count ? WPIN_REFUSED_FULL : WPIN_OK;
}

static wpin_status read_step(reader *r, uint16_t index) {
    wpin_step copy = r->config->steps[index];
    const wpin_step *step = &copy;
    wpin_status status = check_values(r->config, step);
    if (status != WPIN_OK) {
        return status;
    }
    frame *top = &r->frames[r->depth];
    switch ((wpin_op)step->op) {
    case WPIN_OP_REPEAT: return open_repeat(top);
    case WPIN_OP_AGAIN: return close_repeat(top);
    case WPIN_OP_FORK: return open_track(r, step, index);
    case WPIN_OP_LEAVE: return close_track(r, index);
    case WPIN_OP_JOIN: top->open = 0; return WPIN_OK;
    case WPIN_OP_END: return close_plan(r, index);
    default: return WPIN_OK;
    }
}

/* ---- two tracks on one motor ---- */

/* A motor that a step commands, or NO_MOTOR. Waiting for one is no command. */
#define NO_MOTOR UINT32_MAX
static uint32_t commanded(const wpin_sequence_config *config, uint16_t index) {
    if (index >= config->step_count) {
        return NO_MOTOR;
    }
    wpin_step step = config->steps[index];
    return wpin_op_moves_motor((wpin_op)step.op) ? step.target.number : NO_MOTOR;
}

static bool commands(const wpin_sequence_config *config, uint16_t from, uint16_t to,
                     uint32_t motor) {
    for (uint16_t i = from; i < to; i++) {
        if (commanded(config, i) == motor) {
            return true;
        }
    }
    return false;
}

/* Where the steps that run beside a forked track end: at the join of the track it was forked from,
 * or at that track's own end. The forks on the way are passed whole: their steps run beside it too.
 */
static uint16_t beside_ends(const wpin_sequence_config *config, uint16_t from) {
    uint16_t i = from;
    while (i < config->step_count) {
        wpin_step step = config->steps[i];
        if (step.op == WPIN_OP_FORK && step.value <= (int32_t)i) {
            return i; /* can't be: the check goes on only forwards */
        }
        if (step.op == WPIN_OP_JOIN || step.op == WPIN_OP_LEAVE || step.op == WPIN_OP_END) {
            return i;
        }
        i = step.op == WPIN_OP_FORK ? (uint16_t)step.value : (uint16_t)(i + 1);
    }
    return i;
}

/* For a fork whose track is `from` to before `to`: whether a motor is commanded in it and beside
 * it. */
static bool clashes(const wpin_sequence_config *config, uint16_t from, uint16_t to, uint16_t *bad) {
    uint16_t end = beside_ends(config, to);
    for (uint16_t i = to; i < end; i++) {
        uint32_t motor = commanded(config, i);
        if (motor != NO_MOTOR && commands(config, from, to, motor)) {
            *bad = i;
            return true;
        }
    }
    return false;
}

static wpin_status check_conflicts(const wpin_sequence_config *config, uint16_t *bad) {
    for (uint16_t i = 0; i < config->step_count; i++) {
        wpin_step step = config->steps[i];
        if (step.op == WPIN_OP_FORK &&
            clashes(config, (uint16_t)(i + 1), (uint16_t)step.value, bad)) {
            return WPIN_REFUSED_CONFLICT;
        }
    }
    return WPIN_OK;
}

static bool whole(const wpin_sequence_config *config) {
    return config != NULL && config->steps != NULL && config->tracks != NULL &&
           config->port != NULL && config->port->now != NULL;
}

wpin_status wpin_sequence_check(const wpin_sequence_config *config, uint16_t *bad_step) {
    if (!whole(config)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (config->step_count == 0 || config->step_count > 32767 || config->track_count == 0) {
        return WPIN_REFUSED_RANGE;
    }
    reader r = {.config = config};
    wpin_status status = WPIN_OK;
    uint16_t index = 0;
    while (status == WPIN_OK && index < config->step_count) {
        status = read_step(&r, index++);
    }
    uint16_t bad = (uint16_t)(index - 1);
    if (status == WPIN_OK && config->steps[config->step_count - 1].op != WPIN_OP_END) {
        status = WPIN_REFUSED_CONFIG;
    }
    if (status == WPIN_OK) {
        status = check_conflicts(config, &bad);
    }
    if (status != WPIN_OK && bad_step != NULL) {
        *bad_step = bad;
    }
    return status;
}
