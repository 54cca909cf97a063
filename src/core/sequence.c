/* The plan's run: every tick each track looks at its step, and moves on when it is done. */
#include "windpin/sequence.h"
#include "countdown.h"

/* A motor's life while the plan runs; renewed every tick. */
#define LIFE_MS 250
/* Steps a track may take in one tick. */
#define STEPS_A_TICK 16

enum { PART_NEW, PART_GOING, PART_ENDING };

static const wpin_step *step_of(const wpin_sequence *sequence, const wpin_track *track) {
    return &sequence->config->steps[track->step];
}

static wpin_motor *motor_of(const wpin_sequence *sequence, const wpin_step *step) {
    return sequence->config->motors[step->motor];
}

/* The stepper of this number, NULL if it is a motor's. */
static wpin_stepper *stepper_at(const wpin_sequence *sequence, uint8_t number) {
    const wpin_sequence_config *config = sequence->config;
    return config->steppers != NULL ? config->steppers[number] : NULL;
}

static void rest_all(const wpin_sequence *sequence) {
    for (uint8_t i = 0; i < sequence->config->motor_count; i++) {
        wpin_stepper *stepper = stepper_at(sequence, i);
        if (stepper != NULL) {
            sequence->config->stepper_way->stop(stepper);
        } else {
            wpin_motor_stop(sequence->config->motors[i], 0);
        }
    }
}

static void end_early(wpin_sequence *sequence, wpin_status why, uint16_t step) {
    sequence->result = why;
    sequence->fault_step = step;
    wpin_sequence_stop(sequence);
}

static wpin_status fork_track(const wpin_sequence *sequence, wpin_track *parent) {
    const wpin_sequence_config *config = sequence->config;
    for (uint8_t i = 0; i < config->track_count; i++) {
        wpin_track *child = &config->tracks[i];
        if (!child->active) {
            *child = (wpin_track){.active = true,
                                  .step = (uint16_t)(parent->step + 1),
                                  .parent = (uint8_t)(parent - config->tracks)};
            parent->children++;
            return WPIN_OK;
        }
    }
    return WPIN_REFUSED_FULL;
}

static wpin_status set_switch(const wpin_sequence *sequence, const wpin_step *step) {
    const wpin_sequence_config *config = sequence->config;
    return config->set_switch(config->context, step->motor, step->value != 0);
}

/* A motor at its limit has nothing to do: the step is done, not refused. */
static wpin_status run(wpin_motor *motor, const wpin_step *step) {
    wpin_status status = wpin_motor_run(motor, step->value, step->ramp_us, LIFE_MS);
    return status == WPIN_REFUSED_LIMIT ? WPIN_OK : status;
}

static wpin_status toggle(wpin_motor *motor, const wpin_step *step) {
    return wpin_motor_busy(motor) ? wpin_motor_stop(motor, step->ramp_us) : run(motor, step);
}

/* Gives a step's command when the step begins. */
static wpin_status begin(const wpin_sequence *sequence, wpin_track *track, const wpin_step *step) {
    track->left_ms = step->time_ms;
    track->left_us = 0;
    if (wpin_op_moves_motor((wpin_op)step->op) && stepper_at(sequence, step->motor) != NULL) {
        return sequence->config->stepper_way->begin(stepper_at(sequence, step->motor), step);
    }
    switch ((wpin_op)step->op) {
    case WPIN_OP_RUN:
    case WPIN_OP_RUN_FOR: return run(motor_of(sequence, step), step);
    case WPIN_OP_SET:
        return sequence->config->set_input(sequence->config->context, step->motor, step->value);
    case WPIN_OP_TEACH: return wpin_motor_teach(motor_of(sequence, step), LIFE_MS);
    case WPIN_OP_TOGGLE: return toggle(motor_of(sequence, step), step);
    case WPIN_OP_STOP: return wpin_motor_stop(motor_of(sequence, step), step->ramp_us);
    case WPIN_OP_COAST: return wpin_motor_coast(motor_of(sequence, step));
    case WPIN_OP_BRAKE: return wpin_motor_brake(motor_of(sequence, step));
    case WPIN_OP_SWITCH: return set_switch(sequence, step);
    case WPIN_OP_FORK: return fork_track(sequence, track);
    default: return WPIN_OK;
    }
}

static bool time_over(wpin_track *track, uint32_t dt_us) {
    return track->left_ms == 0 || wpin_count_down(&track->left_ms, &track->left_us, dt_us);
}

/* What is wanted waits: for the rest before turning over, or the least time of a relay. */
static bool waits(const wpin_motor *motor) {
    return motor->wanted != 0 && motor->ramp.target == 0;
}

/* The time of a run begins when it may begin. */
static bool run_for_done(wpin_motor *motor, wpin_track *track, uint32_t dt_us) {
    bool over = !waits(motor) && time_over(track, dt_us);
    if (track->part == PART_GOING && (over || motor->limited)) {
        wpin_motor_stop(motor, 0);
        track->part = PART_ENDING;
    }
    return track->part == PART_ENDING && !wpin_motor_busy(motor);
}

/* Asks for what the input asks for; what the motor refuses (below its start duty) is rest. */
static bool follow_done(const wpin_sequence *sequence, wpin_track *track, const wpin_step *step,
                        uint32_t dt_us) {
    const wpin_sequence_config *config = sequence->config;
    wpin_motor *motor = motor_of(sequence, step);
    if (track->part == PART_GOING && !time_over(track, dt_us)) {
        wpin_duty duty = config->read_duty(config->context, (uint8_t)step->value);
        if (motor->on_off) {
            duty = duty >= WPIN_DUTY_FULL / 2 ? WPIN_DUTY_FULL : 0;
        }
        if (duty == 0 || wpin_motor_run(motor, duty, 0, LIFE_MS) != WPIN_OK) {
            wpin_motor_stop(motor, 0);
        }
        return false;
    }
    if (track->part == PART_GOING) {
        wpin_motor_stop(motor, 0);
        track->part = PART_ENDING;
    }
    return !wpin_motor_busy(motor);
}

static bool stop_done(const wpin_motor *motor, wpin_track *track, uint32_t dt_us) {
    if (track->part == PART_GOING) {
        if (wpin_motor_busy(motor)) {
            return false;
        }
        track->part = PART_ENDING;
        dt_us = 0; /* the pause after the stop counts from here */
    }
    return time_over(track, dt_us);
}

static uint32_t current_of(const wpin_motor *motor) {
    int32_t ma = motor->guard.current_ma;
    return (uint32_t)(ma < 0 ? -ma : ma);
}

static bool has_come(const wpin_sequence *sequence, const wpin_step *step) {
    const wpin_sequence_config *config = sequence->config;
    bool about_input = step->value == WPIN_EVENT_INPUT_ON || step->value == WPIN_EVENT_INPUT_OFF;
    if (!about_input && stepper_at(sequence, step->motor) != NULL) {
        return !config->stepper_way->busy(stepper_at(sequence, step->motor));
    }
    switch ((wpin_event)step->value) {
    case WPIN_EVENT_RESTING: return wpin_motor_phase(motor_of(sequence, step)) == WPIN_PHASE_READY;
    case WPIN_EVENT_STEADY: return wpin_motor_phase(motor_of(sequence, step)) == WPIN_PHASE_RUNNING;
    case WPIN_EVENT_CURRENT_ABOVE: return current_of(motor_of(sequence, step)) > step->milliamps;
    case WPIN_EVENT_CURRENT_BELOW: return current_of(motor_of(sequence, step)) < step->milliamps;
    case WPIN_EVENT_INPUT_ON: return config->read_input(config->context, step->motor);
    case WPIN_EVENT_INPUT_OFF: return !config->read_input(config->context, step->motor);
    case WPIN_EVENT_COUNT: break;
    }
    return false;
}

/* An event that does not come in its time ends the plan. */
static bool until_done(wpin_sequence *sequence, wpin_track *track, const wpin_step *step,
                       uint32_t dt_us) {
    if (has_come(sequence, step)) {
        return true;
    }
    if (dt_us != 0 && time_over(track, dt_us)) {
        end_early(sequence, WPIN_FAULT_TIMEOUT, track->step);
    }
    return false;
}

/* A stepper's steps end when it rests and their time is over. */
static bool stepper_done(const wpin_sequence *sequence, wpin_track *track, const wpin_step *step,
                         uint32_t dt_us) {
    if (track->part == PART_GOING && step->op != WPIN_OP_HOLD) {
        if (sequence->config->stepper_way->busy(stepper_at(sequence, step->motor))) {
            return false;
        }
        track->part = PART_ENDING;
        dt_us = 0;
    }
    return time_over(track, dt_us);
}

static bool is_done(wpin_sequence *sequence, wpin_track *track, const wpin_step *step,
                    uint32_t dt_us) {
    if (wpin_op_moves_motor((wpin_op)step->op) && stepper_at(sequence, step->motor) != NULL) {
        return stepper_done(sequence, track, step, dt_us);
    }
    switch ((wpin_op)step->op) {
    case WPIN_OP_RUN:
        return wpin_motor_phase(motor_of(sequence, step)) == WPIN_PHASE_RUNNING ||
               motor_of(sequence, step)->limited;
    case WPIN_OP_FOLLOW: return follow_done(sequence, track, step, dt_us);
    case WPIN_OP_TOGGLE:
        return wpin_motor_phase(motor_of(sequence, step)) == WPIN_PHASE_RUNNING ||
               !wpin_motor_busy(motor_of(sequence, step));
    case WPIN_OP_TEACH:
    case WPIN_OP_RUN_FOR: return run_for_done(motor_of(sequence, step), track, dt_us);
    case WPIN_OP_STOP: return stop_done(motor_of(sequence, step), track, dt_us);
    case WPIN_OP_HOLD:
    case WPIN_OP_COAST:
    case WPIN_OP_BRAKE:
    case WPIN_OP_WAIT: return time_over(track, dt_us);
    case WPIN_OP_UNTIL: return until_done(sequence, track, step, dt_us);
    case WPIN_OP_JOIN: return track->children == 0;
    default: return true;
    }
}

/* Goes to the step that follows a done one. */
static void move_on(wpin_sequence *sequence, wpin_track *track, const wpin_step *step) {
    uint8_t top = (uint8_t)(track->depth - 1);
    track->part = PART_NEW;
    track->step++;
    switch ((wpin_op)step->op) {
    case WPIN_OP_REPEAT:
        track->loops[track->depth] = (uint16_t)step->value;
        track->starts[track->depth] = track->step;
        track->depth++;
        break;
    case WPIN_OP_AGAIN:
        if (--track->loops[top] != 0) {
            track->step = track->starts[top];
        } else {
            track->depth--;
        }
        break;
    case WPIN_OP_FORK: track->step = (uint16_t)step->value; break;
    case WPIN_OP_LEAVE:
        track->active = false;
        sequence->config->tracks[track->parent].children--;
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

static void serve(wpin_sequence *sequence, wpin_track *track, uint32_t dt_us) {
    for (uint8_t taken = 0; taken < STEPS_A_TICK; taken++) {
        if (!track->active || !sequence->running) {
            return;
        }
        const wpin_step *step = step_of(sequence, track);
        if (track->part == PART_NEW) {
            observe(sequence, track, true);
            wpin_status status = begin(sequence, track, step);
            if (status != WPIN_OK) {
                end_early(sequence, status, track->step);
                return;
            }
            track->part = PART_GOING;
            dt_us = 0; /* its time counts from now */
        }
        if (!is_done(sequence, track, step, dt_us)) {
            return;
        }
        dt_us = 0;
        observe(sequence, track, false);
        move_on(sequence, track, step);
    }
}

static void tick_motors(wpin_sequence *sequence) {
    const wpin_sequence_config *config = sequence->config;
    for (uint8_t i = 0; i < config->motor_count; i++) {
        wpin_motor *motor = config->motors[i];
        if (stepper_at(sequence, i) != NULL) {
            continue; /* it has a faster tick of its own */
        }
        if (sequence->running) {
            wpin_motor_refresh(motor, LIFE_MS);
        }
        wpin_motor_tick(motor);
        if (sequence->running && motor->fault.cause != WPIN_OK) {
            end_early(sequence, motor->fault.cause, config->tracks[0].step);
        }
    }
}

wpin_status wpin_sequence_start(wpin_sequence *sequence, const wpin_sequence_config *config) {
    if (sequence == NULL || config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *sequence = (wpin_sequence){.config = config};
    wpin_status status = wpin_sequence_check(config, &sequence->fault_step);
    if (status != WPIN_OK) {
        sequence->result = status;
        return status;
    }
    for (uint8_t i = 0; i < config->track_count; i++) {
        config->tracks[i] = (wpin_track){.active = i == 0};
    }
    sequence->last = config->port->now(config->port->context);
    sequence->running = true;
    return WPIN_OK;
}

void wpin_sequence_tick(wpin_sequence *sequence) {
    if (sequence == NULL || sequence->config == NULL) {
        return;
    }
    const wpin_sequence_config *config = sequence->config;
    wpin_moment now = config->port->now(config->port->context);
    uint32_t dt_us = now - sequence->last;
    sequence->last = now;
    tick_motors(sequence); /* first, so that a ramp that ends now is seen as ended now */
    for (uint8_t i = 0; i < config->track_count; i++) {
        serve(sequence, &config->tracks[i], dt_us);
    }
    for (uint8_t i = 0; i < config->track_count; i++) {
        serve(sequence, &config->tracks[i], 0); /* forks and joins of this very tick */
    }
}

void wpin_sequence_stop(wpin_sequence *sequence) {
    if (sequence != NULL && sequence->config != NULL) {
        sequence->running = false;
        rest_all(sequence);
    }
}

bool wpin_sequence_busy(const wpin_sequence *sequence) {
    if (sequence->running) {
        return true;
    }
    for (uint8_t i = 0; i < sequence->config->motor_count; i++) {
        const wpin_stepper *stepper = stepper_at(sequence, i);
        if (stepper != NULL ? sequence->config->stepper_way->busy(stepper)
                            : wpin_motor_busy(sequence->config->motors[i])) {
            return true;
        }
    }
    return false;
}
