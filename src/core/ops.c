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
    wpin_setpoint setpoint = {.quantity = step->quantity, .value = step->value};
    wpin_status status = wpin_motor_request(motor, setpoint, step->ramp_us, alive_ms(motor));
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

static wpin_status zero(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    return wpin_motor_set_position(motor_of(s, step), 0);
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
    bool limited = motor->ended == WPIN_ENDED_LIMIT && step->until == 0; /* else it waits on */
    if (track->part == WPIN_PART_GOING && (over || limited)) {
        uint8_t ended = motor->ended;
        begin_end(motor, track);
        motor->ended = ended;
    }
    return track->part == WPIN_PART_ENDING && !wpin_motor_busy(motor);
}

static wpin_status begin_follow(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    (void)track;
    if (s->config->rearm_input != NULL) {
        s->config->rearm_input(s->config->context, (uint16_t)step->value);
    }
    return WPIN_OK;
}

/* What an input's effort is of what the step asks for at most. */
static wpin_setpoint share_of_full(const wpin_step *step, wpin_duty effort) {
    int32_t most = wpin_steady_saturated(step->full); /* as was checked */
    int32_t value = step->full == 0 ? effort : effort * most / WPIN_DUTY_FULL;
    return (wpin_setpoint){.quantity = step->quantity, .value = value};
}

/* Asks for what the input asks for; what the motor refuses (below its start duty) is rest. */
static bool follow_done(wpin_sequence *s, wpin_track *track, const wpin_step *step,
                        uint32_t dt_us) {
    const wpin_sequence_config *config = s->config;
    wpin_motor *motor = motor_of(s, step);
    if (track->part == WPIN_PART_GOING && !time_over(track, dt_us)) {
        wpin_duty duty = config->read_duty(config->context, (uint16_t)step->value);
        if ((wpin_traits_of(motor) & WPIN_IS_ON_OFF) != 0) {
            duty = duty >= WPIN_DUTY_FULL / 2 ? WPIN_DUTY_FULL : 0;
        }
        wpin_setpoint to = share_of_full(step, duty);
        if (to.value == 0 || wpin_motor_request(motor, to, 0, alive_ms(motor)) != WPIN_OK) {
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
    return size * 1000U > milliamps * (uint32_t)wpin_config_of(motor)->sense.current_mv_per_a;
}

static bool current_below(const wpin_motor *motor, uint32_t milliamps) {
    int16_t mv = motor->measurement.current;
    uint32_t size = (uint32_t)(mv < 0 ? -(int32_t)mv : mv);
    return size * 1000U < milliamps * (uint32_t)wpin_config_of(motor)->sense.current_mv_per_a;
}

/* At zero, and the shaft taken to stand; braked or not. */
static bool at_rest(const wpin_motor *motor) {
    bool own = (motor->flags & WPIN_OWN_RULES) != 0;
    return !wpin_motor_busy(motor) && (own || motor->guard.direction == 0);
}

static bool has_come(const wpin_sequence *s, int16_t event, uint16_t number, uint32_t milliamps) {
    const wpin_sequence_config *config = s->config;
    if (wpin_event_is_of_input(event)) {
        bool on = config->read_input(config->context, number);
        return on == (event == WPIN_EVENT_INPUT_ON);
    }
    const wpin_motor *motor = config->motors[number < config->motor_count ? number : 0];
    switch ((wpin_event)event) {
    case WPIN_EVENT_RESTING: return at_rest(motor);
    case WPIN_EVENT_AT_SETPOINT:
        return wpin_motor_state(motor) == WPIN_STATE_RUNNING && motor->guard.held == 0;
    case WPIN_EVENT_CURRENT_ABOVE: return current_above(motor, milliamps);
    case WPIN_EVENT_CURRENT_BELOW: return current_below(motor, milliamps);
    case WPIN_EVENT_FAULTED: return motor->fault != WPIN_OK;
    default: return false;
    }
}

bool wpin_step_has_come(const wpin_sequence *sequence, const wpin_step *step) {
    return step->until != 0 &&
           has_come(sequence, (int16_t)(step->until - 1), step->until_of, step->until_ma);
}

bool wpin_step_expects_fault(const wpin_step *step, uint16_t motor) {
    bool until = step->until == 1 + WPIN_EVENT_FAULTED && step->until_of == motor;
    bool waits = step->op == WPIN_OP_UNTIL && step->value == WPIN_EVENT_FAULTED;
    return until || ((waits || step->op == WPIN_OP_CLEAR) && step->target.number == motor);
}

/* ---- homing ---- */

/* For how many ticks a current must stay above its level, with the shaft standing: a start draws
 * as much for a moment. */
#define STANDS_TICKS 50

static wpin_status home_at(const wpin_sequence *s, const wpin_step *step, int16_t speed) {
    wpin_step run = *step;
    run.value = speed;
    run.ramp_us = 0;
    return run_motor(motor_of(s, step), &run);
}

static wpin_status home(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    track->ticks = 0;
    return step->until == 0 ? wpin_motor_home(motor_of(s, step), ALIVE_MS)
                            : home_at(s, step, step->value);
}

/* One that finds it by itself. */
static bool found_itself(wpin_motor *motor, wpin_track *track, uint32_t dt_us) {
    if (!wpin_motor_busy(motor) && wpin_motor_is_homed(motor)) {
        return true;
    }
    if (dt_us != 0 && time_over(track, dt_us)) {
        track->part = WPIN_PART_TIMED_OUT;
    }
    return false;
}

/* A fraction that is never nothing. */
static int16_t slow(int16_t speed) {
    int16_t quarter = (int16_t)(speed / 4);
    return quarter != 0 ? quarter : speed;
}

static bool stands(const wpin_motor *motor) {
    const wpin_measurement *m = &motor->measurement;
    return (m->valid & WPIN_HAS_SPEED) != 0 &&
           wpin_magnitude(m->speed) <= wpin_config_of(motor)->guard.standstill;
}

/* Whether it has found what it looks for. */
static bool found(const wpin_sequence *s, wpin_track *track, const wpin_step *step) {
    bool came = wpin_step_has_come(s, step);
    if (wpin_event_is_of_input((int16_t)(step->until - 1))) {
        return came;
    }
    bool pushes = came && stands(motor_of(s, step));
    track->ticks = (uint8_t)(!pushes ? 0 : track->ticks < UINT8_MAX ? track->ticks + 1 : UINT8_MAX);
    return track->ticks >= STANDS_TICKS;
}

/* Comes to rest; what follows has the step's time anew. */
static void home_stops(wpin_motor *motor, wpin_track *track, const wpin_step *step, uint8_t part) {
    wpin_motor_stop(motor, 0);
    wpin_motor_take(motor);
    wpin_set_countdown(&track->left, step->time_ms);
    track->part = part;
}

/* Goes on at a speed; what is refused now was not before: its time will tell. */
static void home_goes(const wpin_sequence *s, wpin_track *track, const wpin_step *step,
                      int16_t speed, uint8_t part) {
    home_at(s, step, speed);
    wpin_motor_take(motor_of(s, step));
    track->part = part;
}

static bool home_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    wpin_motor *motor = motor_of(s, step);
    if (step->until == 0) {
        return found_itself(motor, track, dt_us);
    }
    bool busy = wpin_motor_busy(motor),
         of_input = wpin_event_is_of_input((int16_t)(step->until - 1));
    int16_t back = (int16_t) - (int32_t)slow(step->value);
    bool late = dt_us != 0 && time_over(track, dt_us);
    switch (track->part) {
    case WPIN_PART_GOING:
        if (found(s, track, step)) {
            home_stops(motor, track, step, of_input ? WPIN_PART_FOUND : WPIN_PART_ENDING);
            return false;
        }
        break;
    case WPIN_PART_FOUND:
        if (!busy) {
            home_goes(s, track, step, back, WPIN_PART_BACKING);
        }
        break;
    case WPIN_PART_BACKING:
        if (!found(s, track, step)) {
            home_stops(motor, track, step, WPIN_PART_LEFT);
            return false;
        }
        break;
    case WPIN_PART_LEFT:
        if (!busy) {
            home_goes(s, track, step, slow(step->value), WPIN_PART_AGAIN);
        }
        break;
    case WPIN_PART_AGAIN:
        if (found(s, track, step)) {
            home_stops(motor, track, step, WPIN_PART_ENDING);
            return false;
        }
        break;
    default:
        if (at_rest(motor) && wpin_motor_set_position(motor, 0) == WPIN_OK) {
            return true;
        }
    }
    if (late) {
        track->part = WPIN_PART_TIMED_OUT;
    }
    return false;
}

/* An event that does not come in its time ends the plan: it is marked for that. */
static bool until_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    if (has_come(s, step->value, step->target.number, step->milliamps)) {
        return true;
    }
    if (dt_us != 0 && time_over(track, dt_us)) {
        track->part = WPIN_PART_TIMED_OUT;
    }
    return false;
}

/* Everybody has a tick to see the fault. It may still have its cause, and a drive takes its time to
 * forget its own; then it is armed, once it lets itself be. Nothing is armed that somebody
 * disarmed.
 */
static bool clear_done(wpin_sequence *s, wpin_track *track, const wpin_step *step, uint32_t dt_us) {
    wpin_motor *motor = motor_of(s, step);
    if (track->part == WPIN_PART_GOING && motor->fault == WPIN_OK) {
        return true;
    }
    track->part = WPIN_PART_LEFT;
    if (dt_us == 0) {
        return false;
    }
    if (motor->fault != WPIN_OK) {
        (void)wpin_motor_clear_fault(motor); /* refused while its cause is there */
    } else if (motor->armed == WPIN_DISARMED) {
        (void)wpin_motor_arm(motor);
    }
    if (motor->fault == WPIN_OK && motor->armed == WPIN_ARMED) {
        return true;
    }
    if (time_over(track, dt_us)) {
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

/* A verb that is left out has no functions, so that what only it needs is not linked. */
#define VERB(op, target, needs, begin, done)                                                       \
    [WPIN_OP_##op] = {target, needs, WPIN_HAS_VERB(WPIN_OP_##op) ? (begin) : (wpin_op_begin)NULL,  \
                      WPIN_HAS_VERB(WPIN_OP_##op) ? (done) : (wpin_op_done)NULL}

/* clang-format off */
const WPIN_FLASH wpin_op_traits wpin_ops[WPIN_OP_COUNT] = {
    VERB(RUN, ON_MOTOR, EFFORT, run, run_done),
    VERB(RUN_FOR, ON_MOTOR, EFFORT | TIME, run, run_for_done),
    VERB(HOLD, ON_MOTOR, 0, NULL, wait_done),
    VERB(STOP, ON_MOTOR, 0, stop, stop_done),
    VERB(COAST, ON_MOTOR, 0, coast, wait_done),
    VERB(BRAKE, ON_MOTOR, 0, brake, wait_done),
    VERB(WAIT, WPIN_TARGET_NONE, 0, NULL, wait_done),
    VERB(TOGGLE, ON_MOTOR, EFFORT, toggle, toggle_done),
    VERB(UNTIL, WPIN_TARGET_NONE, WPIN_NEEDS_EVENT | TIME, NULL, until_done),
    VERB(SWITCH, ON_SWITCH, 0, set_switch, NULL),
    VERB(REPEAT, WPIN_TARGET_NONE, WPIN_NEEDS_COUNT | WPIN_OWN_EVENT, NULL, NULL),
    VERB(FORK, WPIN_TARGET_NONE, 0, fork_track, NULL),
    VERB(JOIN, WPIN_TARGET_NONE, 0, NULL, join_done),
    VERB(TURN, ON_MOTOR, WPIN_NEEDS_ANGLE, turn, stop_done),
    VERB(TURN_TO, ON_MOTOR, WPIN_NEEDS_ANGLE, turn_to, stop_done),
    VERB(FOLLOW, ON_MOTOR, WPIN_NEEDS_INPUT | WPIN_DRIVES | TIME, begin_follow, follow_done),
    VERB(SET, ON_INPUT, 0, set_input, NULL),
    VERB(ZERO, ON_MOTOR, 0, zero, NULL),
    VERB(HOME, ON_MOTOR, EFFORT | TIME | WPIN_OWN_EVENT, home, home_done),
    VERB(CALIBRATE, ON_MOTOR, WPIN_DRIVES | TIME, calibrate, run_for_done),
    VERB(CLEAR, ON_MOTOR, TIME, NULL, clear_done),
};
/* clang-format on */

uint8_t wpin_event_about(wpin_event event) {
    return wpin_event_is_of_input((int16_t)event) ? WPIN_TARGET_INPUT : WPIN_TARGET_MOTOR;
}

bool wpin_op_moves_motor(wpin_op op) {
    return (unsigned)op < WPIN_OP_COUNT && wpin_ops[op].target == WPIN_TARGET_MOTOR;
}
