/* The plan's run: every tick each track looks at its step, and moves on when it is done. */
#include "motor_core.h"
#include "ops.h"

/* A motor's life while the plan runs; renewed every tick. */
#define ALIVE_MS 250
/* Steps a track may take in one tick. */
#define STEPS_A_TICK 16

static wpin_motor *motor_at(const wpin_sequence *sequence, uint16_t number) {
    const wpin_sequence_config *config = sequence->config;
    return config->motors[number < config->motor_count ? number : 0]; /* as was checked */
}

/* Ends the plan before its time. */
static void end_early(wpin_sequence *sequence, wpin_status why, uint16_t step) {
    sequence->result = why;
    sequence->fault_step = step;
    wpin_sequence_stop(sequence);
}

/* Whether the event that ends a repeat is there; `start` is its first step. */
static bool repeat_ends(const wpin_sequence *sequence, uint16_t start) {
    const wpin_sequence_config *config = sequence->config;
    if (start == 0 || start > config->step_count) {
        return false; /* can't be: the REPEAT stands before it */
    }
    wpin_step repeat = config->steps[start - 1];
    return wpin_step_has_come(sequence, &repeat);
}

/* Whether a step is over. One that an event ends is so once that is there, and late when its time
 * is out before. */
static bool is_done(wpin_sequence *sequence, wpin_track *track, const wpin_step *step,
                    uint32_t dt_us) {
    const WPIN_FAR wpin_op_traits *op = &wpin_ops[step->op];
    bool waits =
        step->until != 0 && (op->needs & WPIN_OWN_EVENT) == 0 && track->part == WPIN_PART_GOING;
    bool came = waits && wpin_step_has_come(sequence, step);
    if (came) {
        track->left = (wpin_countdown){0};
    }
    bool done = op->done == NULL || op->done(sequence, track, step, dt_us);
    if (waits && !came && wpin_run_out(&track->left)) {
        track->part = WPIN_PART_TIMED_OUT;
        done = false;
    }
    return done;
}

/* Goes to the step that follows a done one. */
static void move_on(wpin_sequence *sequence, wpin_track *track, const wpin_step *step) {
    uint8_t top = (uint8_t)((track->depth - 1U) % WPIN_REPEAT_DEPTH);
    bool ends = false;
    track->part = 0;
    track->step++;
    switch ((wpin_op)step->op) {
    case WPIN_OP_REPEAT:
        track->loops[track->depth % WPIN_REPEAT_DEPTH] = (uint16_t)step->value;
        track->starts[track->depth % WPIN_REPEAT_DEPTH] = track->step;
        track->depth++;
        break;
    case WPIN_OP_AGAIN:
        ends = repeat_ends(sequence, track->starts[top]);
        if (ends || track->loops[top] == 1) {
            track->depth--;
        } else {
            track->step = track->starts[top];
            if (track->loops[top] != 0) { /* 0: for ever */
                track->loops[top]--;
            }
        }
        break;
    case WPIN_OP_FORK: track->step = (uint16_t)step->value; break;
    case WPIN_OP_LEAVE:
        track->active = false;
        if (track->parent < sequence->config->track_count) {
            sequence->config->tracks[track->parent].children--;
        }
        break;
    case WPIN_OP_END:
        track->active = false;
        wpin_sequence_stop(sequence);
        break;
    default: break;
    }
}

static void observe(const wpin_sequence *sequence, const wpin_track *track, bool begins) {
    const wpin_sequence_config *config = sequence->config;
    if (config->observe != NULL) {
        config->observe(config->context, (uint8_t)(track - config->tracks), track->step, begins);
    }
}

/* Gives a step's command; what it posts takes effect at once, in the same control period. */
static wpin_status begin(wpin_sequence *sequence, wpin_track *track, const wpin_step *step) {
    const WPIN_FAR wpin_op_traits *op = &wpin_ops[step->op];
    wpin_set_countdown(&track->left, step->time_ms);
    track->part = WPIN_PART_GOING;
    observe(sequence, track, true);
    wpin_status status = op->begin != NULL ? op->begin(sequence, track, step) : WPIN_OK;
    if (op->target == WPIN_TARGET_MOTOR) {
        wpin_motor_take(motor_at(sequence, step->target.number));
    }
    return status;
}

static void serve(wpin_sequence *sequence, wpin_track *track, uint32_t dt_us) {
    for (uint8_t taken = 0; taken < STEPS_A_TICK; taken++) {
        if (!track->active || !sequence->running) {
            return;
        }
        if (track->step >= sequence->config->step_count) {
            return; /* can't be: the check has closed every block */
        }
        wpin_step step = sequence->config->steps[track->step];
        if (step.op >= WPIN_OP_COUNT || !WPIN_HAS_VERB(step.op)) {
            return;
        }
        if (track->part == 0) {
            wpin_status status = begin(sequence, track, &step);
            if (status != WPIN_OK) {
                end_early(sequence, status, track->step);
                return;
            }
            dt_us = 0; /* its time counts from now */
        }
        if (!is_done(sequence, track, &step, dt_us)) {
            if (track->part == WPIN_PART_TIMED_OUT) {
                end_early(sequence, WPIN_FAULT_TIMEOUT, track->step);
            }
            return;
        }
        dt_us = 0;
        observe(sequence, track, false);
        move_on(sequence, track, &step);
    }
}

/* The step that a motor was at when something happened to it. */
static uint16_t step_of(const wpin_sequence *sequence, uint16_t motor) {
    const wpin_sequence_config *config = sequence->config;
    for (uint8_t i = 0; i < config->track_count; i++) {
        const wpin_track *track = &config->tracks[i];
        if (track->step >= config->step_count) {
            continue;
        }
        wpin_target target = config->steps[track->step].target;
        if (track->active && target.kind == WPIN_TARGET_MOTOR && target.number == motor) {
            return track->step;
        }
    }
    return config->tracks[0].step;
}

/* Whether a track is at a step that waits for this motor's fault, or clears it. */
static bool is_expected(const wpin_sequence *sequence, uint16_t motor) {
    const wpin_sequence_config *config = sequence->config;
    for (uint8_t i = 0; i < config->track_count; i++) {
        const wpin_track *track = &config->tracks[i];
        if (track->active && track->part != 0 && track->step < config->step_count) {
            wpin_step step = config->steps[track->step];
            if (wpin_step_expects_fault(&step, motor)) {
                return true;
            }
        }
    }
    return false;
}

/* While the plan runs no motor may time out, unless the plan was not served in time; or unless it
 * is the first move after a fault, which is short. */
static wpin_status what_happened(const wpin_sequence *sequence, uint16_t number) {
    const wpin_motor *motor = motor_at(sequence, number);
    if (!wpin_motor_is_open(motor)) { /* somebody has closed it, or its init anew was refused */
        return WPIN_REFUSED_CLOSED;
    }
    if (motor->fault != WPIN_OK) {
        return is_expected(sequence, number) ? WPIN_OK : (wpin_status)motor->fault;
    }
    if (motor->ended == WPIN_ENDED_TIMEOUT) {
        bool first = (motor->guard.flags & WPIN_GUARD_FIRST) != 0;
        return first ? WPIN_FAULT_TIMEOUT : WPIN_FAULT_LATE;
    }
    return WPIN_OK;
}

static void tick_motors(const wpin_sequence *sequence) {
    const wpin_sequence_config *config = sequence->config;
    for (uint16_t i = 0; sequence->running && i < config->motor_count; i++) {
        wpin_motor_refresh(motor_at(sequence, i), ALIVE_MS);
    }
    wpin_motors_tick(config->motors, config->motor_count);
}

/* Whether nothing happened to a motor that ends the plan. */
static bool motors_go_on(wpin_sequence *sequence) {
    for (uint16_t i = 0; i < sequence->config->motor_count; i++) {
        wpin_status status = what_happened(sequence, i);
        if (status != WPIN_OK) {
            end_early(sequence, status, step_of(sequence, i));
            return false;
        }
    }
    return true;
}

wpin_status wpin_sequence_start(wpin_sequence *sequence, const wpin_sequence_config *config) {
    if (sequence == NULL || config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *sequence = (wpin_sequence){0};
    wpin_status status = wpin_sequence_check(config, &sequence->fault_step);
    if (status == WPIN_OK && config->motors == NULL && config->motor_count != 0) {
        status = WPIN_REFUSED_ARGUMENT;
    }
    for (uint16_t i = 0; status == WPIN_OK && i < config->motor_count; i++) {
        status = wpin_motor_is_open(config->motors[i]) ? WPIN_OK : WPIN_REFUSED_CLOSED;
    }
    if (status != WPIN_OK) {
        sequence->result = status;
        return status;
    }
    for (uint8_t i = 0; i < config->track_count; i++) {
        config->tracks[i] = (wpin_track){.active = i == 0};
    }
    for (uint16_t i = 0; i < config->motor_count; i++) {
        config->motors[i]->ended = WPIN_ENDED_NOT; /* of a motion before this plan */
    }
    sequence->config = config;
    sequence->last = config->port->now(config->port->context);
    sequence->running = true;
    return WPIN_OK;
}

/* Whoever may stop it is asked first. The time since it was served last. */
static uint32_t begin_tick(wpin_sequence *sequence) {
    const wpin_sequence_config *config = sequence->config;
    wpin_moment now = config->port->now(config->port->context);
    uint32_t dt_us = wpin_elapsed(sequence->last, now);
    sequence->last = now;
    if (config->stopped != NULL && config->stopped(config->context) && sequence->running) {
        sequence->running = false;
        sequence->result = WPIN_FAULT_STOPPED;
        sequence->fault_step = config->tracks[0].step;
    }
    return dt_us;
}

static void serve_tracks(wpin_sequence *sequence, uint32_t dt_us) {
    const wpin_sequence_config *config = sequence->config;
    if (!sequence->running || !motors_go_on(sequence)) {
        return;
    }
    for (uint8_t i = 0; i < config->track_count; i++) {
        serve(sequence, &config->tracks[i], dt_us);
    }
    for (uint8_t i = 0; i < config->track_count; i++) {
        serve(sequence, &config->tracks[i], 0); /* forks and joins of this very tick */
    }
}

void wpin_sequence_tick(wpin_sequence *sequence) {
    if (sequence != NULL && sequence->config != NULL) {
        uint32_t dt_us = begin_tick(sequence);
        tick_motors(sequence); /* first, so that a ramp that ends now is seen as ended now */
        serve_tracks(sequence, dt_us);
    }
}

void wpin_sequence_serve(wpin_sequence *sequence) {
    if (sequence != NULL && sequence->config != NULL) {
        uint32_t dt_us = begin_tick(sequence);
        serve_tracks(sequence, dt_us);
    }
}

void wpin_sequence_stop(wpin_sequence *sequence) {
    if (sequence == NULL || sequence->config == NULL) {
        return;
    }
    sequence->running = false;
    for (uint16_t i = 0; i < sequence->config->motor_count; i++) {
        wpin_motor_stop(motor_at(sequence, i), 0);
        wpin_motor_take(motor_at(sequence, i));
    }
}

bool wpin_sequence_busy(const wpin_sequence *sequence) {
    if (sequence == NULL || sequence->config == NULL) {
        return false;
    }
    if (sequence->running) {
        return true;
    }
    for (uint16_t i = 0; i < sequence->config->motor_count; i++) {
        if (wpin_motor_busy(motor_at(sequence, i))) {
            return true;
        }
    }
    return false;
}
