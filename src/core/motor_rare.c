/* One control period of a motor: snapshot, mail, time-out, regulators, guard, actuator. What runs
 * every time comes last; above it what runs when something changes. */
#include "motor_core.h"

#define FULL ((uint32_t)WPIN_DUTY_FULL)

static uint16_t lower(uint16_t a, uint16_t b) {
    return a < b ? a : b;
}

static int8_t sign_of(int32_t value) {
    return (int8_t)((value > 0) - (value < 0));
}

static void set_flags(wpin_motor *motor, uint8_t flags) {
    motor->flags = (uint8_t)(motor->flags | flags);
}

static void clear_flags(wpin_motor *motor, uint8_t flags) {
    motor->flags = (uint8_t)(motor->flags & ~flags);
}

static bool is_on_off(const wpin_motor *motor) {
    return (motor->traits & WPIN_IS_ON_OFF) != 0;
}

/* ---- what is asked ---- */

static bool is_regulated(const wpin_motor *motor, uint8_t quantity) {
    return quantity != WPIN_QUANTITY_EFFORT && (motor->flags & WPIN_OWN_RULES) == 0;
}

void wpin_motor_ask(wpin_motor *motor, uint8_t quantity, int32_t value) {
    motor->setpoint.quantity = quantity;
    motor->setpoint.value = value;
    uint8_t others = motor->guard.flags & (uint8_t)~WPIN_GUARD_REGULATED;
    uint8_t regulated = is_regulated(motor, quantity) ? WPIN_GUARD_REGULATED : 0;
    motor->guard.flags = (uint8_t)(others | regulated);
}

void wpin_motor_want_nothing(wpin_motor *motor) {
    wpin_motor_ask(motor, WPIN_QUANTITY_EFFORT, 0);
    clear_flags(motor, WPIN_WANTS | WPIN_CALIBRATES);
}

static void end_ramp(wpin_motor *motor) {
    if (!is_on_off(motor)) {
        wpin_ramp_end(&motor->ramp);
    }
}

/* What it shows at zero from here on. */
static void rest_with(wpin_motor *motor, uint8_t drive) {
    clear_flags(motor, WPIN_BRAKES);
    set_flags(motor, drive == WPIN_DRIVE_BRAKE ? WPIN_BRAKES : 0);
}

/* To zero at once, and shows a rest state. The next start begins at zero. */
WPIN_RARE void wpin_motor_drop(wpin_motor *motor, uint8_t drive) {
    wpin_motor_want_nothing(motor);
    clear_flags(motor, WPIN_CARRIES);
    end_ramp(motor);
    rest_with(motor, drive);
    wpin_guard_drop(&motor->guard, &wpin_config_of(motor)->guard, is_on_off(motor));
}

/* What is latched has no time-out: its place has the time until it may be cleared. */
void wpin_motor_heated(wpin_motor *motor, uint16_t cool_s) {
    uint8_t cause = motor->fault;
    bool heats = cause == WPIN_FAULT_OVERCURRENT || cause == WPIN_FAULT_STALLED ||
                 cause == WPIN_FAULT_NO_MOTION;
    if (cool_s != 0) {
        wpin_set_countdown(&motor->timeout, heats ? cool_s * (uint32_t)1000 : 0);
    }
}

static void cool(wpin_motor *motor) {
    const WPIN_FAR wpin_guard_config *guard = &wpin_config_of(motor)->guard;
    if (guard->cool_s != 0 && !wpin_run_out(&motor->timeout)) {
        uint8_t locked = wpin_lock(wpin_port_of(motor)); /* read from any context */
        wpin_count_down(&motor->timeout, lower(motor->measurement.dt_us, wpin_tick_max(guard)));
        wpin_unlock(wpin_port_of(motor), locked);
    }
}

WPIN_RARE void wpin_rare_latch(wpin_motor *motor, wpin_status cause) {
    if (motor->fault == WPIN_OK) {
        motor->fault = (uint8_t)cause;
        wpin_motor_heated(motor, wpin_config_of(motor)->guard.cool_s);
    }
    if (cause == WPIN_FAULT_FEEDBACK || cause == WPIN_FAULT_WRONG_WAY) {
        motor->homed = 0; /* what was counted may be wrong */
    }
    motor->armed = WPIN_DISARMED;
    wpin_motor_drop(motor, wpin_config_of(motor)->safe_drive);
}

/* The effort shown now, signed: where a ramp begins. */
static wpin_duty effort_now(const wpin_guard *guard) {
    uint16_t size = (uint16_t)(guard->value >> 16);
    return (wpin_duty)(guard->direction < 0 ? 0U - size : size);
}

/* Scales a ramp's time as its share was made for it: see wpin_ramp_time_of. */
int8_t wpin_ramp_shift(uint32_t us) {
    if (us == 0) {
        return 0;
    }
    uint16_t high = (uint16_t)(us >> 16), half = high != 0 ? high : (uint16_t)us;
    uint8_t top = (uint8_t)(half >> 8), byte = (uint8_t)(top != 0 ? top : half);
    int8_t shift = (int8_t)((high != 0 ? 16 : 0) - (top != 0 ? 0 : 8));
    for (; (byte & 128U) == 0; byte = (uint8_t)(byte << 1)) {
        shift--;
    }
    return shift;
}

static void begin_ramp(wpin_motor *motor, const wpin_request *request) {
    if (is_on_off(motor)) {
        return;
    }
    int8_t direction = sign_of(request->value);
    bool turns = direction != 0 && direction != motor->guard.direction;
    bool stands = !wpin_ramp_runs(&motor->ramp) && (motor->guard.held & WPIN_HELD_SLEW) == 0;
    clear_flags(motor, WPIN_BENDS);
    if (wpin_config_of(motor)->start.smooth && stands) {
        set_flags(motor, WPIN_BENDS);
    } else if ((request->what & WPIN_UNASKED) != 0) {
        wpin_ramp_end(&motor->ramp); /* in the middle of a change only the slew limit holds */
        return;
    }
    wpin_ramp_time time = {request->ramp_us, request->ramp_share,
                           wpin_ramp_shift(request->ramp_us)};
    wpin_ramp_start(&motor->ramp, turns ? 0 : effort_now(&motor->guard), &time);
}

static bool is_first(const wpin_motor *motor) {
    return (motor->guard.flags & WPIN_GUARD_FIRST) != 0;
}

/* The first move after a fault is short, whatever was asked; and what is left of that. */
static uint16_t first_time(wpin_motor *motor, uint32_t asked_ms) {
    uint16_t first_ms = wpin_config_of(motor)->guard.first_ms,
             most = first_ms != 0 ? first_ms : 2000;
    uint16_t ms = asked_ms < most ? (uint16_t)asked_ms : most;
    motor->first_left = (uint16_t)(wpin_units_of_16(most) - wpin_units_of_16(ms));
    return ms;
}

static void set_timeout(wpin_motor *motor, const wpin_request *request, uint16_t age_us) {
    uint32_t ms = request->timeout_ms;
    ms = is_first(motor) ? first_time(motor, ms) : ms;
    if (ms == WPIN_TIMEOUT_HELD) {
        motor->timeout.us = WPIN_NEVER;
        return;
    }
    wpin_set_countdown(&motor->timeout, ms);
    wpin_steady_count_down(&motor->timeout, (uint8_t)(age_us >> 10), age_us & 1023U);
}

/* Kept up from outside like any other move, the first one ends all the same. */
static void prolong_first(wpin_motor *motor, uint32_t asked_ms) {
    uint32_t asked = wpin_units_of(asked_ms), left = motor->timeout.left;
    uint32_t more = asked > left ? asked - left : 0;
    more = more < motor->first_left ? more : motor->first_left;
    motor->first_left = (uint16_t)(motor->first_left - more);
    motor->timeout.left = left + more;
}

/* What takes speeds too is left alone with a place only. */
static void choose_rules(wpin_motor *motor, uint8_t quantity) {
    uint8_t takes = wpin_config_of(motor)->actuator->takes,
            place = WPIN_TAKES(WPIN_QUANTITY_POSITION);
    if ((takes & place) != 0 && takes != place) {
        bool own = quantity == WPIN_QUANTITY_POSITION;
        clear_flags(motor, own ? 0 : WPIN_OWN_RULES | WPIN_MOVES); /* the guard says if it moves */
        set_flags(motor, own ? WPIN_OWN_RULES : 0);
    }
}

static bool finds_home(uint8_t quantity, int32_t value) {
    return quantity == WPIN_QUANTITY_POSITION && value == WPIN_POSITION_HOME;
}

static void begin_run(wpin_motor *motor, const wpin_request *request) {
    uint8_t quantity = (request->what >> WPIN_QUANTITY_SHIFT) & 3U;
    choose_rules(motor, quantity);
    if (finds_home(quantity, request->value)) {
        motor->homed = 0;
    }
    if (quantity == WPIN_QUANTITY_EFFORT) {
        begin_ramp(motor, request);
    } else {
        end_ramp(motor);
        if (wpin_config_of(motor)->loop != NULL) {
            wpin_config_of(motor)->loop->begin(motor, quantity, request);
        }
    }
    wpin_motor_ask(motor, quantity, request->value);
    clear_flags(motor, WPIN_WANTS | WPIN_CALIBRATES);
    if (quantity != WPIN_QUANTITY_EFFORT || request->value != 0) {
        set_flags(motor, WPIN_WANTS);
    }
    rest_with(motor, wpin_config_of(motor)->rest_drive);
}

static bool ramps_down(const wpin_motor *motor) {
    return wpin_config_of(motor)->loop != NULL &&
           (motor->guard.flags & WPIN_GUARD_REGULATED) != 0 &&
           wpin_steady_ramps(motor->setpoint.quantity);
}

/* Carries a request out; age_us is how long ago it was posted. */
static void obey(wpin_motor *motor, const wpin_request *request, uint16_t age_us) {
    switch (request->what & WPIN_VERB_MASK) {
    case WPIN_VERB_REFRESH:
        if (is_first(motor)) {
            prolong_first(motor, request->timeout_ms);
        } else {
            set_timeout(motor, request, age_us);
        }
        break;
    case WPIN_VERB_RUN:
        set_timeout(motor, request, age_us);
        begin_run(motor, request);
        break;
    case WPIN_VERB_STOP:
        if (ramps_down(motor)) {
            uint8_t quantity = motor->setpoint.quantity;
            wpin_config_of(motor)->loop->begin(motor, quantity, request);
            wpin_motor_ask(motor, quantity, 0); /* where it ends by itself */
            motor->timeout.us = WPIN_NEVER;
        } else {
            begin_ramp(motor, request);
            wpin_motor_want_nothing(motor);
        }
        rest_with(motor, wpin_config_of(motor)->rest_drive);
        break;
    case WPIN_VERB_COAST: wpin_motor_drop(motor, WPIN_DRIVE_COAST); break;
    case WPIN_VERB_BRAKE: wpin_motor_drop(motor, WPIN_DRIVE_BRAKE); break;
    case WPIN_VERB_CALIBRATE:
        set_timeout(motor, request, age_us);
        wpin_motor_drop(motor, wpin_config_of(motor)->rest_drive);
        set_flags(motor, WPIN_CALIBRATES);
        break;
    default: break;
    }
}

/* Takes the mail, whole; how old it is, us. It was posted since the tick before: its age is told by
 * the lower half of the clock, and is no more than that tick's. */
WPIN_RARE uint16_t wpin_rare_take(wpin_motor *motor) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    wpin_request request = motor->mail;
    motor->mailed = 0;
    wpin_unlock(wpin_port_of(motor), locked);
    uint16_t dt_us = motor->measurement.dt_us;
    uint16_t age_us = (uint16_t)(motor->measurement.at - request.at);
    if (dt_us != UINT16_MAX && age_us > dt_us) {
        age_us = 0; /* posted while this tick was reading its sensors */
    } else if (dt_us == UINT16_MAX) {
        age_us = UINT16_MAX;
    }
    if (motor->armed != WPIN_DISARMED) {
        obey(motor, &request, age_us);
    }
    return (request.what & WPIN_VERB_MASK) == WPIN_VERB_REFRESH ? dt_us : age_us;
}

WPIN_RARE void wpin_rare_time_out(wpin_motor *motor) {
    motor->ended = WPIN_ENDED_TIMEOUT;
    end_ramp(motor);
    wpin_motor_want_nothing(motor);
}

/* ---- from set-point to effort ---- */

/* On the ramp, which begins once the motor may turn that way. */
static wpin_duty ramped_effort(wpin_motor *motor, wpin_duty target, uint16_t ramp_us) {
    int8_t direction = sign_of(target), now = motor->guard.direction;
    if (direction != 0 && now != 0 && now != direction) {
        return target; /* the guard holds it until then */
    }
    bool bends = wpin_config_of(motor)->start.smooth && (motor->flags & WPIN_BENDS) != 0;
    return wpin_ramp_step(&motor->ramp, target, bends, ramp_us);
}

WPIN_RARE wpin_duty wpin_rare_effort(wpin_motor *motor, uint16_t ramp_us) {
    return motor->setpoint.quantity != WPIN_QUANTITY_EFFORT && wpin_config_of(motor)->loop != NULL
               ? wpin_config_of(motor)->loop->effort(motor, ramp_us)
               : ramped_effort(motor, (wpin_duty)motor->setpoint.value, ramp_us);
}

/* From rest at least the kick's effort for its time. Then at least the drop-out effort until the
 * ramp has come that far, or the shaft would stop again while the ramp is still low. */
WPIN_RARE uint16_t wpin_rare_kick(wpin_motor *motor, wpin_duty effort, uint16_t hold_us) {
    const WPIN_FAR wpin_start_config *start = &wpin_config_of(motor)->start;
    wpin_guard *guard = &motor->guard;
    int8_t direction = sign_of(effort);
    const wpin_measurement *m = &motor->measurement;
    bool turns = (m->valid & WPIN_HAS_SPEED) != 0 &&
                 wpin_steady_size(m->speed) > wpin_config_of(motor)->guard.standstill;
    bool stands = (guard->flags & WPIN_GUARD_DRIVEN) == 0 && !turns;
    if (stands && direction != 0 && (guard->direction == 0 || guard->direction == direction)) {
        set_flags(motor, WPIN_CARRIES);
        motor->kick_end = 0;
        guard->minimum_left_us = start->kick_us + hold_us; /* this step comes off it */
    }
    if ((motor->flags & WPIN_CARRIES) == 0) {
        return 0;
    }
    if (motor->kick_end != 0 || turns) {
        guard->minimum_left_us = 0;
    }
    uint32_t target = wpin_magnitude(motor->setpoint.value);
    if (guard->minimum_left_us > hold_us && target != 0) {
        return start->kick_duty;
    }
    if ((guard->flags & WPIN_GUARD_REGULATED) != 0) { /* its regulator carries on by itself */
        clear_flags(motor, WPIN_CARRIES);
        return 0;
    }
    uint16_t floor = lower(start->drop_out_duty, (uint16_t)(target < FULL ? target : FULL));
    if ((uint16_t)(guard->value >> 16) >= floor) {
        clear_flags(motor, WPIN_CARRIES);
    }
    return floor;
}

/* ---- to the actuator ---- */

static wpin_status rest(wpin_motor *motor) {
    return wpin_config_of(motor)->actuator->idle(wpin_config_of(motor)->part,
                                                 wpin_rest_drive(motor));
}

/* Full forward past ramp and cap, so that another controller sees the end of its range. */
static wpin_status show_full(wpin_motor *motor) {
    motor->guard.direction = 1; /* it may turn: what follows rests first */
    motor->guard.flags |= WPIN_GUARD_DRIVEN;
    motor->guard.pause_left_us = wpin_config_of(motor)->guard.pause_us;
    return wpin_config_of(motor)->actuator->put(wpin_config_of(motor)->part, WPIN_QUANTITY_EFFORT,
                                                WPIN_DUTY_FULL);
}

/* Whether a limit switch stands in the way of a set-point that the actuator takes itself. */
static bool limit_in_way(const wpin_motor *motor) {
    const wpin_measurement *m = &motor->measurement;
    int32_t to = motor->setpoint.value;
    if (finds_home(motor->setpoint.quantity, to)) {
        return false; /* a limit switch may be what it looks for */
    }
    int32_t from = motor->setpoint.quantity == WPIN_QUANTITY_POSITION ? m->position : 0;
    return (to > from && (m->inputs & WPIN_AT_FORWARD_LIMIT) != 0) ||
           (to < from && (m->inputs & WPIN_AT_REVERSE_LIMIT) != 0);
}

static wpin_status let_stand(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    if (config->actuator->stop == NULL || config->actuator->stop(config->part)) {
        clear_flags(motor, WPIN_MOVES);
        motor->guard.value = 0;
        choose_rules(motor, WPIN_QUANTITY_EFFORT);
    }
    bool as_usual = wpin_rest_drive(motor) == (wpin_drive)config->rest_drive;
    return as_usual && motor->armed != WPIN_DISARMED ? WPIN_OK : rest(motor);
}

/* An actuator that takes position or speed ramps by itself; here it is only let go there, or not.
 */
static wpin_status drive_own(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    const wpin_measurement *m = &motor->measurement;
    if ((motor->flags & WPIN_WANTS) != 0 && limit_in_way(motor)) {
        wpin_motor_want_nothing(motor);
        motor->ended = WPIN_ENDED_LIMIT;
    }
    set_flags(motor, WPIN_MOVES);
    motor->guard.value = 1; /* on, for the on-time */
    if ((motor->flags & WPIN_WANTS) == 0) {
        return let_stand(motor);
    }
    if (m->speed != 0) {
        motor->guard.flags =
            (uint8_t)((motor->guard.flags & WPIN_GUARD_FIRST) |
                      (m->speed < 0 ? WPIN_GUARD_LAST_REVERSE : WPIN_GUARD_LAST_FORWARD));
    }
    wpin_setpoint s = motor->setpoint;
    if (config->loop != NULL) {
        s.quantity = config->loop->follow(motor, s.quantity, &s.value);
    }
    wpin_status status = config->actuator->put(config->part, s.quantity, s.value);
    if (finds_home(motor->setpoint.quantity, motor->setpoint.value)) {
        if (config->actuator->homed != NULL && config->actuator->homed(config->part)) {
            motor->homed = 1;
            wpin_motor_want_nothing(motor);
        }
    } else if (motor->setpoint.quantity == WPIN_QUANTITY_POSITION &&
               m->position == motor->setpoint.value && m->speed == 0) {
        wpin_motor_want_nothing(motor); /* it stands where it should */
    }
    return status;
}

WPIN_RARE void wpin_rare_limit(wpin_motor *motor) {
    const WPIN_FAR wpin_loop *loop = wpin_config_of(motor)->loop;
    bool regulated = (motor->guard.flags & WPIN_GUARD_REGULATED) != 0;
    if (loop != NULL && regulated && !loop->ends(motor)) {
        return; /* a regulator pushed that way for a moment, and is not let */
    }
    wpin_motor_want_nothing(motor);
    motor->ended = WPIN_ENDED_LIMIT;
}

WPIN_RARE wpin_status wpin_rare_drive(wpin_motor *motor) {
    const uint8_t place = WPIN_TAKES(WPIN_QUANTITY_POSITION);
    bool can = (wpin_config_of(motor)->actuator->takes & place) != 0;
    return can && (motor->flags & WPIN_OWN_RULES) != 0 ? drive_own(motor) : show_full(motor);
}

/* The first step of a motion: what it rests with afterwards, and what a relay's contacts count. */
WPIN_RARE void wpin_rare_start(wpin_motor *motor) {
    rest_with(motor, wpin_config_of(motor)->rest_drive);
    if (is_on_off(motor)) {
        motor->operations++;
    }
}

/* ---- what it is doing, for everybody ---- */

WPIN_RARE uint8_t wpin_rare_standing(const wpin_motor *motor) {
    if (motor->fault != WPIN_OK) {
        return WPIN_STATE_FAULT;
    }
    if (motor->armed == WPIN_DISARMED) {
        return WPIN_STATE_OFF;
    }
    wpin_drive rests = wpin_rest_drive(motor);
    if (rests == WPIN_DRIVE_BRAKE && wpin_config_of(motor)->rest_drive != WPIN_DRIVE_BRAKE) {
        return WPIN_STATE_BRAKING;
    }
    if (motor->guard.direction == 0 || (motor->flags & WPIN_OWN_RULES) != 0) {
        return WPIN_STATE_READY;
    }
    bool wants = (motor->flags & WPIN_WANTS) != 0;
    return wants || rests != WPIN_DRIVE_COAST ? WPIN_STATE_RESTING : WPIN_STATE_COASTING;
}

/* A move that ended well ends the caution after a fault. */
WPIN_RARE void wpin_rare_moved(wpin_motor *motor) {
    clear_flags(motor, WPIN_MOVED);
    if (motor->fault == WPIN_OK) {
        motor->guard.flags &= (uint8_t)~WPIN_GUARD_FIRST;
    }
}

/* ---- faults ---- */

WPIN_RARE bool wpin_rare_clock_stands(const wpin_motor *motor) {
    uint8_t most = wpin_config_of(motor)->guard.clock_stands;
    return motor->stood >= (most != 0 ? most : 100);
}

/* False: an interrupt disarmed it while its actuator was made idle, and that counts. */
static bool becomes_armed(wpin_motor *motor) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    bool arming = motor->armed == WPIN_ARMING;
    motor->armed = arming ? WPIN_ARMED : motor->armed;
    wpin_unlock(wpin_port_of(motor), locked);
    return arming;
}

/* Not armed, just armed, or tripped. A tick that is late is no fault for what was not armed before
 * it. */
WPIN_RARE void wpin_rare_unarmed(wpin_motor *motor) {
    if (motor->tripped != WPIN_OK) {
        wpin_rare_latch(motor, (wpin_status)motor->tripped);
    }
    if (motor->armed == WPIN_DISARMED || motor->fault != WPIN_OK) {
        wpin_motor_drop(motor, wpin_config_of(motor)->safe_drive);
        if (motor->fault != WPIN_OK) {
            cool(motor);
        }
        if ((wpin_senses(motor) & WPIN_SENSES_WATCH) != 0) {
            wpin_motor_watch(motor);
        }
        return;
    }
    wpin_status cause =
        wpin_steady_check(motor, wpin_config_of(motor), wpin_senses(motor), false, false);
    if (cause != WPIN_OK) {
        wpin_rare_latch(motor, cause);
        return;
    }
    /* disarmed and armed within a tick it was cut off since, and takes nothing before it is idle */
    wpin_status status = wpin_config_of(motor)->actuator->idle(
        wpin_config_of(motor)->part, (wpin_drive)wpin_config_of(motor)->rest_drive);
    if (status != WPIN_OK) {
        wpin_rare_failure(motor, status);
        return;
    }
    if (!becomes_armed(motor)) {
        wpin_motor_drop(motor, wpin_config_of(motor)->safe_drive);
        return;
    }
    if (wpin_config_of(motor)->loop != NULL) {
        wpin_config_of(motor)->loop_state->watched = WPIN_OK;
        wpin_config_of(motor)->loop->armed(motor);
    }
    wpin_motor_drop(motor, wpin_config_of(motor)->rest_drive); /* whatever was, it begins at zero */
}

/* The port failed: everything off, by the shortest way, and the fault is latched. */
WPIN_RARE void wpin_rare_failure(wpin_motor *motor, wpin_status status) {
    if (status != WPIN_REFUSED_FAULTED) { /* cut by a trip that the next tick latches */
        wpin_rare_latch(motor, status >= WPIN_FAULT_FIRST ? status : WPIN_FAULT_PORT);
        motor->guard.flags &= (uint8_t)~WPIN_GUARD_DRIVEN;
        wpin_config_of(motor)->actuator->off(wpin_config_of(motor)->part);
    }
}

WPIN_RARE wpin_status wpin_rare_poll(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    wpin_status status = config->actuator->poll != NULL
                             ? config->actuator->poll(config->part, &motor->measurement)
                             : WPIN_OK;
    if (status != WPIN_OK) {
        wpin_rare_failure(motor, status);
    }
    return status;
}

void wpin_motor_take(wpin_motor *motor) {
    bool begins = wpin_motor_is_open(motor) && motor->armed == WPIN_ARMING; /* in its next tick */
    if (!wpin_motor_is_open(motor) || motor->mailed == 0 || begins) {
        return;
    }
    wpin_rare_take(motor);
    bool asked = (motor->flags & (WPIN_WANTS | WPIN_CALIBRATES)) != 0;
    if (!asked && motor->guard.value == 0 && motor->armed != WPIN_DISARMED) {
        motor->guard.flags &= (uint8_t)~WPIN_GUARD_DRIVEN;
        wpin_status status = rest(motor);
        if (status != WPIN_OK) {
            wpin_rare_failure(motor, status);
        }
    }
    wpin_steady_publish(motor);
    bool arrived = motor->setpoint.quantity == WPIN_QUANTITY_EFFORT &&
                   motor->setpoint.value == effort_now(&motor->guard);
    if (!arrived && (motor->shown & WPIN_SHOWN_STATE) == WPIN_STATE_RUNNING) {
        motor->shown = (uint8_t)((motor->shown & ~WPIN_SHOWN_STATE) | WPIN_STATE_RAMPING);
    } /* the tick has yet to begin it */
}
