/* Proves a plan sound before anything moves: steps, nesting, and tracks needed at once. */
#include "windpin/sequence.h"

/* How deep forks may nest. */
#define FORK_DEPTH 4

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
    frame frames[FORK_DEPTH + 1];
    uint8_t depth;
} reader;

bool wpin_op_moves_motor(wpin_op op) {
    return op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || op == WPIN_OP_TOGGLE ||
           op == WPIN_OP_HOLD || op == WPIN_OP_STOP || op == WPIN_OP_COAST || op == WPIN_OP_BRAKE ||
           op == WPIN_OP_TURN || op == WPIN_OP_TURN_TO || op == WPIN_OP_FOLLOW ||
           op == WPIN_OP_TEACH;
}

/* What a stepper takes that a motor does not, and the other way round. */
static bool fits_part(const wpin_sequence_config *config, const wpin_step *step) {
    wpin_op op = (wpin_op)step->op;
    bool stepper = config->steppers != NULL && config->steppers[step->motor] != NULL;
    bool turns = op == WPIN_OP_TURN || op == WPIN_OP_TURN_TO;
    bool drives = op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || op == WPIN_OP_TOGGLE ||
                  op == WPIN_OP_BRAKE || op == WPIN_OP_FOLLOW || op == WPIN_OP_TEACH;
    return stepper ? !drives && config->stepper_way != NULL : !turns;
}

static wpin_status check_angle(const wpin_step *step) {
    int32_t most = step->op == WPIN_OP_TURN ? 3600000 : 1800000000;
    return step->millidegrees <= most && step->millidegrees >= -most ? WPIN_OK : WPIN_REFUSED_RANGE;
}

static wpin_status check_input(const wpin_sequence_config *config, const wpin_step *step) {
    if (step->op == WPIN_OP_SET) {
        return config->set_input != NULL && step->motor < config->input_count
                   ? WPIN_OK
                   : WPIN_REFUSED_ARGUMENT;
    }
    bool there = config->read_duty != NULL && step->value >= 0 && step->value < config->input_count;
    return !there ? WPIN_REFUSED_ARGUMENT : (step->time_ms == 0 ? WPIN_REFUSED_RANGE : WPIN_OK);
}

static wpin_status check_event(const wpin_sequence_config *config, const wpin_step *step) {
    if (step->value < 0 || step->value >= WPIN_EVENT_COUNT || step->time_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    bool input = step->value == WPIN_EVENT_INPUT_ON || step->value == WPIN_EVENT_INPUT_OFF;
    bool there = input ? config->read_input != NULL && step->motor < config->input_count
                       : step->motor < config->motor_count;
    bool stepper =
        !input && there && config->steppers != NULL && config->steppers[step->motor] != NULL;
    there = there && (!stepper || step->value == WPIN_EVENT_RESTING);
    return there ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

static wpin_status check_values(const wpin_sequence_config *config, const wpin_step *step) {
    wpin_op op = (wpin_op)step->op;
    bool turns = op == WPIN_OP_TURN || op == WPIN_OP_TURN_TO;
    if (op >= WPIN_OP_COUNT ||
        (op != WPIN_OP_UNTIL && !turns && step->ramp_us > WPIN_RAMP_MAX_US)) {
        return WPIN_REFUSED_RANGE;
    }
    if (wpin_op_moves_motor(op) &&
        (step->motor >= config->motor_count || !fits_part(config, step))) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (turns) {
        return check_angle(step);
    }
    if (op == WPIN_OP_FOLLOW || op == WPIN_OP_SET) {
        return check_input(config, step);
    }
    if (op == WPIN_OP_SWITCH &&
        (config->set_switch == NULL || step->motor >= config->switch_count)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (op == WPIN_OP_UNTIL) {
        return check_event(config, step);
    }
    bool runs = op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || op == WPIN_OP_TOGGLE;
    if (runs &&
        (step->value == 0 || step->value > WPIN_DUTY_FULL || step->value < -WPIN_DUTY_FULL)) {
        return WPIN_REFUSED_RANGE;
    }
    if ((op == WPIN_OP_RUN_FOR || op == WPIN_OP_TEACH) && step->time_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    return op == WPIN_OP_REPEAT && step->value < 1 ? WPIN_REFUSED_RANGE : WPIN_OK;
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
    const wpin_step *step = &r->config->steps[index];
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

wpin_status wpin_sequence_check(const wpin_sequence_config *config, uint16_t *bad_step) {
    if (config == NULL || config->steps == NULL || config->tracks == NULL || config->port == NULL ||
        config->port->now == NULL || (config->motors == NULL && config->motor_count != 0)) {
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
    if (status == WPIN_OK && config->steps[config->step_count - 1].op != WPIN_OP_END) {
        status = WPIN_REFUSED_CONFIG;
    }
    if (status != WPIN_OK && bad_step != NULL) {
        *bad_step = (uint16_t)(index - 1);
    }
    return status;
}
