/* What each verb of a plan does: how it begins, and when it is done. */
#include "ops.h"
#include "motor_core.h"

/* How long a motor lives without this plan; renewed every tick. */
#define ALIVE_MS 250

static wpin_motor *motor_of(const wpin_sequence *sequence, const wpin_step *step) {
    const wpin_sequence_config *config = sequence->config;
    uint16_t number = step->target.number; /* as was checked */
    return config->motors[number < config->motor_count ? number : 0];
}

/* A pause before the motion must not use up its time-out. */
static uint32_t alive_ms(const wpin_motor *motor) {
    return ALIVE_MS + wpin_motor_pause_ms(motor);
}

/* ---- beginning ---- */

/* A motor at its limit has nothing to do: the step is done, not refused. */
static wpin_status run_motor(wpin_motor *motor, const wpin_step *step) {
    wpin_status status = wpin_motor_run(motor, step->value, step->ramp_us, alive_ms(motor));
    return status == WPIN_REFUSED_LIMIT ? WPIN_OK : status;
}

static wpin_status run(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return run_motor(motor_of(s, step), step);
}

static wpin_status toggle(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    wpin_motor *motor = motor_of(s, step);
    return wpin_motor_busy(motor) ? wpin_motor_stop(motor, step->ramp_us) : run_motor(motor, step);
}

static wpin_status stop(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_stop(motor_of(s, step), step->ramp_us);
}

static wpin_status coast(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_coast(motor_of(s, step));
}

static wpin_status brake(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_brake(motor_of(s, step));
}

static wpin_status turn(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_turn(motor_of(s, step), step->millidegrees, ALIVE_MS);
}

static wpin_status turn_to(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_turn_to(motor_of(s, step), step->millidegrees, ALIVE_MS);
}

static wpin_status calibrate(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_calibrate(motor_of(s, step), ALIVE_MS);
}

static wpin_status set_switch(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return s->config->set_switch(s->config->context, step->target.number, step->value != 0);
}

static wpin_status set_input(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return s->config->set_input(s->config->context, step->target.number, step->value);
}

static wpin_status fork_track(const wpin_sequence *s, wpin_track *parent, const wpin_step *step) {
    (void)step;
    const wpin_sequence_config *config = s->config;
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

/* ---- being done ---- */

static bool time_over(wpin_track *track, uint32_t dt_us) {
    return wpin_run_out(&track->left) || wpin_count_down(&track->left, dt_us);
}

static bool wait_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    (void)s, (void)step;
    return time_over(track, dt_us);
}

static bool run_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    (void)track, (void)dt_us;
    const wpin_motor *motor = motor_of(s, step);
    return wpin_motor_state(motor) == WPIN_STATE_RUNNING || motor->ended == WPIN_ENDED_LIMIT;
}

static bool toggle_done(wpin_sequence *s, wpin_track *track, const wpin_step *step,
                        uint32_t dt_us) {
    (void)track, (void)dt_us;
    const wpin_motor *motor = motor_of(s, step);
    return wpin_motor_state(motor) == WPIN_STATE_RUNNING || !wpin_motor_busy(motor);
}

/* What is wanted waits: for the rest before turning the other way, or a relay's minimum time. */
static bool waits(const wpin_motor *motor) {
    return (motor->flags & WPIN_WANTS) != 0 &&
           (motor->guard.held & (WPIN_HELD_REVERSAL | WPIN_HELD_MINIMUM)) != 0;
}

/* Begins the end of a step that drove: its motor ramps to rest. */
static void begin_end(wpin_motor *motor, wpin_track *track) {
    wpin_motor_stop(motor, 0);
    wpin_motor_take(motor);
    track->part = WPIN_PART_ENDING;
}

/* The time of a run begins when it may begin. */
static bool run_for_done(wpin_sequence *s, wpin_track *track, const wpin_step *step,
                         uint32_t dt_us) {
    wpin_motor *motor = motor_of(s, step);
    bool over = !waits(motor) && time_over(track, dt_us);
    if (track->part == WPIN_PART_GOING && (over || motor->ended == WPIN_ENDED_LIMIT)) {
        uint8_t ended = motor->ended;
        begin_end(motor, track);
        motor->ended = ended;
    }
    return track->part == WPIN_PART_ENDING && !wpin_motor_busy(motor);
}

/* Asks for what the input asks for; what the motor refuses (below its start duty) is rest. */
static bool follow_done(wpin_sequence *s, wpin_track *track, const wpin_step *step,
                        uint32_t dt_us) {
    const wpin_sequence_config *config = s->config;
    wpin_motor *motor = motor_of(s, step);
    if (track->part == WPIN_PART_GOING && !time_over(track, dt_us)) {
        wpin_duty duty = config->read_duty(config->context, (uint16_t)step->value);
        if ((motor->traits & WPIN_IS_ON_OFF) != 0) {
            duty = duty >= WPIN_DUTY_FULL / 2 ? WPIN_DUTY_FULL : 0;
        }
        if (duty == 0 || wpin_motor_run(motor, duty, 0, alive_ms(motor)) != WPIN_OK) {
            wpin_motor_stop(motor, 0);
        }
        wpin_motor_take(motor);
        return false;
    }
    if (track->part == WPIN_PART_GOING) {
        begin_end(motor, track);
    }
    return !wpin_motor_busy(motor);
}

static bool stop_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    if (track->part == WPIN_PART_GOING) {
        if (wpin_motor_busy(motor_of(s, step))) {
            return false;
        }
        track->part = WPIN_PART_ENDING;
        dt_us = 0; /* the pause after the stop counts from here */
    }
    return time_over(track, dt_us);
}

static bool join_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    (void)s, (void)step, (void)dt_us;
    return track->children == 0;
}

/* Current in mA against the sense's mV: both sides times 1000, no division. */
static bool current_above(const wpin_motor *motor, uint32_t milliamps) {
    int16_t mv = motor->measurement.current;
    uint32_t size = (uint32_t)(mv < 0 ? -(int32_t)mv : mv);
    return size * 1000U > milliamps * (uint32_t)motor->config->sense.current_mv_per_a;
}

static bool current_below(const wpin_motor *motor, uint32_t milliamps) {
    int16_t mv = motor->measurement.current;
    uint32_t size = (uint32_t)(mv < 0 ? -(int32_t)mv : mv);
    return size * 1000U < milliamps * (uint32_t)motor->config->sense.current_mv_per_a;
}

/* At zero, and the shaft taken to stand; braked or not. */
static bool at_rest(const wpin_motor *motor) {
    bool own = (motor->flags & WPIN_OWN_RULES) != 0;
    return !wpin_motor_busy(motor) && (own || motor->guard.direction == 0);
}

static bool has_come(const wpin_sequence *s, const wpin_step *step) {
    const wpin_sequence_config *config = s->config;
    if (wpin_event_is_of_input(step->value)) {
        bool on = config->read_input(config->context, step->target.number);
        return on == (step->value == WPIN_EVENT_INPUT_ON);
    }
    const wpin_motor *motor = motor_of(s, step);
    switch ((wpin_event)step->value) {
    case WPIN_EVENT_RESTING: return at_rest(motor);
    case WPIN_EVENT_AT_SETPOINT:
        return wpin_motor_state(motor) == WPIN_STATE_RUNNING && motor->guard.held == 0;
    case WPIN_EVENT_CURRENT_ABOVE: return current_above(motor, step->milliamps);
    case WPIN_EVENT_CURRENT_BELOW: return current_below(motor, step->milliamps);
    default: return false;
    }
}

/* An event that does not come in its time ends the plan: it is marked for that. */
static bool until_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    if (has_come(s, step)) {
        return true;
    }
    if (dt_us != 0 && time_over(track, dt_us)) {
        track->part = WPIN_PART_TIMED_OUT;
    }
    return false;
}

/* ---- the table ---- */

#define ON_MOTOR  WPIN_TARGET_MOTOR
#define ON_SWITCH WPIN_TARGET_SWITCH
#define ON_INPUT  WPIN_TARGET_INPUT
#define EFFORT    (WPIN_NEEDS_EFFORT | WPIN_DRIVES)
#define TIME      WPIN_NEEDS_TIME

/* clang-format off */
const WPIN_FLASH wpin_op_traits wpin_ops[WPIN_OP_COUNT] = {
    [WPIN_OP_RUN]       = {ON_MOTOR, EFFORT, run, run_done},
    [WPIN_OP_RUN_FOR]   = {ON_MOTOR, EFFORT | TIME, run, run_for_done},
    [WPIN_OP_HOLD]      = {ON_MOTOR, 0, NULL, wait_done},
    [WPIN_OP_STOP]      = {ON_MOTOR, 0, stop, stop_done},
    [WPIN_OP_COAST]     = {ON_MOTOR, 0, coast, wait_done},
    [WPIN_OP_BRAKE]     = {ON_MOTOR, 0, brake, wait_done},
    [WPIN_OP_WAIT]      = {WPIN_TARGET_NONE, 0, NULL, wait_done},
    [WPIN_OP_TOGGLE]    = {ON_MOTOR, EFFORT, toggle, toggle_done},
    [WPIN_OP_UNTIL]     = {WPIN_TARGET_NONE, WPIN_NEEDS_EVENT | TIME, NULL, until_done},
    [WPIN_OP_SWITCH]    = {ON_SWITCH, 0, set_switch, NULL},
    [WPIN_OP_REPEAT]    = {WPIN_TARGET_NONE, WPIN_NEEDS_COUNT, NULL, NULL},
    [WPIN_OP_FORK]      = {WPIN_TARGET_NONE, 0, fork_track, NULL},
    [WPIN_OP_JOIN]      = {WPIN_TARGET_NONE, 0, NULL, join_done},
    [WPIN_OP_TURN]      = {ON_MOTOR, WPIN_NEEDS_ANGLE, turn, stop_done},
    [WPIN_OP_TURN_TO]   = {ON_MOTOR, WPIN_NEEDS_ANGLE, turn_to, stop_done},
    [WPIN_OP_FOLLOW]    = {ON_MOTOR, WPIN_NEEDS_INPUT | WPIN_DRIVES | TIME, NULL, follow_done},
    [WPIN_OP_SET]       = {ON_INPUT, 0, set_input, NULL},
    [WPIN_OP_CALIBRATE] = {ON_MOTOR, WPIN_DRIVES | TIME, calibrate, run_for_done},
};
/* clang-format on */

uint8_t wpin_event_about(wpin_event event) {
    return wpin_event_is_of_input((int16_t)event) ? WPIN_TARGET_INPUT : WPIN_TARGET_MOTOR;
}

bool wpin_op_moves_motor(wpin_op op) {
    return (unsigned)op < WPIN_OP_COUNT && wpin_ops[op].target == WPIN_TARGET_MOTOR;
}
