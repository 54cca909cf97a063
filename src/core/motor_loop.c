/* A motor in closed loop: what leads from a set-point through regulators to effort, when it has
 * come there, and what watches over it. All of it is reached by wpin_closed_loop: firmware whose
 * configurations do not name that links none of it. */
#include "motor_core.h"

static uint16_t within_full(int32_t value) {
    uint32_t size = wpin_magnitude(value);
    return (uint16_t)(size > (uint32_t)WPIN_DUTY_FULL ? (uint32_t)WPIN_DUTY_FULL : size);
}

/* Each of the up to three regulators by itself, not in a loop over the list: in a core for one
 * motor which they are is known then, and what none of them is is not linked. */
#ifdef WPIN_ONE_MOTOR
#define OF_EACH static inline __attribute__((always_inline))
#else
#define OF_EACH static __attribute__((noinline))
#endif

OF_EACH void reset_one(const wpin_motor *motor, const WPIN_FAR wpin_motor_config *config,
                       uint8_t number, uint8_t most, const wpin_given *given) {
    if (number < config->regulator_count && config->regulators[number].takes <= most) {
        const WPIN_FAR wpin_regulator *r = &config->regulators[number];
        r->reset(r->state, r->config, &motor->measurement, given);
    }
}

/* Those that take no more than a quantity begin anew. */
static void reset_regulators(const wpin_motor *motor, uint8_t most) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    wpin_given given = wpin_steady_given(motor, config);
    reset_one(motor, config, 0, most, &given);
    reset_one(motor, config, 1, most, &given);
    reset_one(motor, config, 2, most, &given);
}

/* Regulators that the new set-point goes through begin anew, unless they are at work already. */
static void begin_regulators(const wpin_motor *motor, uint8_t quantity) {
    bool runs = (motor->flags & WPIN_WANTS) != 0 && motor->setpoint.quantity == quantity;
    if (!runs) {
        reset_regulators(motor, quantity);
    }
}

/* A ramp begins where its own was, or else where the shaft is; a torque's at none. One that nobody
 * gave a time goes by the slew limit: asked for again in each tick, a ramp would never come further
 * than its begin. Only from standing still does it get one, to be bent. */
static void begin_ramp(wpin_motor *motor, uint8_t quantity, const wpin_request *request) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    const wpin_measurement *m = &motor->measurement;
    bool goes_on = (motor->flags & WPIN_WANTS) != 0 && motor->setpoint.quantity == quantity;
    bool stands =
        !wpin_ramp_runs(&motor->ramp) && (!goes_on || state->asked_now == motor->setpoint.value);
    if (!goes_on) {
        bool turns = quantity == WPIN_QUANTITY_SPEED && (m->valid & WPIN_HAS_SPEED) != 0;
        state->asked_now = turns ? wpin_steady_saturated(m->speed) : 0;
        state->asked_part = 0;
    }
    bool bends = wpin_config_of(motor)->start.smooth && stands;
    motor->flags = (uint8_t)((motor->flags & ~WPIN_BENDS) | (bends ? WPIN_BENDS : 0));
    if (!bends && (request->what & WPIN_UNASKED) != 0) {
        wpin_ramp_end(&motor->ramp);
        return;
    }
    wpin_ramp_time time = {request->ramp_us, request->ramp_share,
                           wpin_ramp_shift(request->ramp_us)};
    wpin_ramp_start(&motor->ramp, state->asked_now, &time);
}

/* A new set-point of a quantity that is not effort. */
static void begin(wpin_motor *motor, uint8_t quantity, const wpin_request *request) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    bool again = (motor->flags & WPIN_WANTS) != 0 && motor->setpoint.quantity == quantity &&
                 motor->setpoint.value == request->value; /* how near it is, is known */
    begin_regulators(motor, quantity);
    state->nearest = UINT16_MAX;
    state->no_nearer_us = 0;
    if (!again) { /* of a place how long it is there; a speed is far, until it is measured near */
        int32_t far = (int32_t)WPIN_DUTY_FULL * 512;
        far = request->value < motor->measurement.speed ? -far : far; /* from the side it is on */
        state->speed_off = quantity == WPIN_QUANTITY_SPEED ? far : 0;
    }
    if (wpin_steady_ramps(quantity) && (motor->flags & WPIN_OWN_RULES) == 0) {
        begin_ramp(motor, quantity, request);
    }
}

/* ---- from set-point to effort ---- */

static uint8_t follow(const wpin_motor *motor, uint8_t quantity, int32_t *value) {
    return wpin_steady_follow(motor, wpin_config_of(motor), quantity, value);
}

/* Where a set-point is on its way at the slew limit, through zero if it has to turn over. */
static void slew(wpin_motor *motor, int16_t target, uint16_t dt_us) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    const WPIN_FAR wpin_guard_config *guard = &wpin_config_of(motor)->guard;
    int16_t now = state->asked_now;
    bool over = (now > 0 && target < 0) || (now < 0 && target > 0);
    uint16_t size = wpin_steady_size(now), goal = over ? 0 : wpin_steady_size(target);
    uint32_t value = ((uint32_t)size << 16) | state->asked_part;
    value =
        wpin_slew_step(value, (uint32_t)goal << 16, goal > size ? guard->up : guard->down, dt_us);
    bool back = now < 0 || (now == 0 && target < 0);
    state->asked_now = (int16_t)(back ? -(int32_t)(value >> 16) : (int32_t)(value >> 16));
    state->asked_part = (uint16_t)value;
}

/* Of one that takes efforts; a drive on a bus leads its speeds by itself meanwhile. */
static bool is_starting(const wpin_motor *motor) {
    bool efforts = (wpin_config_of(motor)->actuator->takes & WPIN_TAKES(WPIN_QUANTITY_EFFORT)) != 0;
    return efforts && (motor->measurement.inputs & WPIN_STARTING) != 0;
}

/* What is measured while an actuator starts is its own doing: all that it is told is which way, and
 * the regulators begin with what it leaves. */
static wpin_duty way_to(const wpin_motor *motor, uint8_t quantity, int32_t value) {
    reset_regulators(motor, WPIN_QUANTITY_POSITION);
    if (quantity == WPIN_QUANTITY_POSITION) {
        value = (int32_t)((uint32_t)value - (uint32_t)motor->measurement.position);
    }
    return (wpin_duty)((value > 0) - (value < 0));
}

/* A ramp that waits until its actuator has started begins where that has brought the shaft. */
static void begin_where_it_is(wpin_motor *motor, int16_t target) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    const wpin_measurement *m = &motor->measurement;
    bool speed = motor->setpoint.quantity == WPIN_QUANTITY_SPEED;
    bool along = speed && (m->valid & WPIN_HAS_SPEED) != 0 && (m->speed < 0) == (target < 0);
    int16_t now = along ? wpin_steady_saturated(m->speed) : 0;
    bool beyond = target < 0 ? now < target : now > target;
    state->asked_now = beyond ? target : now;
    state->asked_part = 0;
    motor->ramp.from = state->asked_now;
}

/* Whether its set-point has come through zero before its shaft, which lags behind: going on it
 * would be far away when that has turned over. */
static bool is_through_first(const wpin_motor *motor, int16_t target) {
    const wpin_measurement *m = &motor->measurement;
    int16_t speed = m->speed, now = wpin_config_of(motor)->loop_state->asked_now;
    bool on = speed > WPIN_DUTY_FULL / 64, back = speed < -(WPIN_DUTY_FULL / 64);
    return motor->setpoint.quantity == WPIN_QUANTITY_SPEED && (m->valid & WPIN_HAS_SPEED) != 0 &&
           ((on && target < 0 && now <= 0) || (back && target > 0 && now >= 0));
}

/* Whether it has to come to rest first. Braked by its regulator, which its guard does not let turn
 * it back, it need not where it is to turn faster the way it does: its set-point comes by. */
static bool turns_over(const wpin_motor *motor, int16_t target) {
    int8_t way = motor->guard.direction;
    int16_t now = wpin_config_of(motor)->loop_state->asked_now;
    bool faster = (way == 1 && target > now) || (way == -1 && target < now);
    return (motor->guard.held & WPIN_HELD_REVERSAL) != 0 && !faster;
}

/* A set-point on its way, by its ramp or the slew limit; it waits while it may not turn that way,
 * or its actuator still starts.
 * True: it was asked to come to rest, and has. */
static bool move(wpin_motor *motor, uint16_t ramp_us) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    int16_t target = (int16_t)motor->setpoint.value;
    bool starts = is_starting(motor);
    bool waits =
        target != 0 && (starts || turns_over(motor, target) || is_through_first(motor, target));
    if (starts) {
        begin_where_it_is(motor, target);
    }
    if (wpin_ramp_runs(&motor->ramp)) {
        state->asked_now = wpin_ramp_step(&motor->ramp, target, (motor->flags & WPIN_BENDS) != 0,
                                          waits ? 0 : ramp_us);
        state->asked_part = 0;
    } else if (!waits && (state->asked_now != target || state->asked_part != 0)) {
        uint16_t dt_us = motor->measurement.dt_us,
                 most = wpin_tick_max(&wpin_config_of(motor)->guard);
        slew(motor, target, dt_us < most ? dt_us : most);
    }
    return target == 0 && !wpin_ramp_runs(&motor->ramp) && state->asked_now == 0;
}

/* Whether something keeps its speed from coming down as was asked, such as a limit of current, or a
 * supply that takes no more: let go of now, it would be braked as hard as its effort goes down. */
static bool is_held_up(const wpin_motor *motor) {
    const wpin_measurement *m = &motor->measurement;
    int16_t speed = m->speed, shown = wpin_steady_given(motor, wpin_config_of(motor)).effort;
    bool turns = speed > WPIN_DUTY_FULL / 64 || speed < -(WPIN_DUTY_FULL / 64);
    return motor->setpoint.quantity == WPIN_QUANTITY_SPEED && (m->valid & WPIN_HAS_SPEED) != 0 &&
           turns && shown != 0 && (shown < 0) == (speed < 0);
}

/* The same; then nothing is asked for any more. */
WPIN_RARE static bool comes_to_rest(wpin_motor *motor, uint16_t ramp_us) {
    bool rests = move(motor, ramp_us) && !is_held_up(motor);
    if (rests) {
        wpin_motor_want_nothing(motor);
    }
    return rests;
}

static wpin_duty effort(wpin_motor *motor, uint16_t ramp_us) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    uint8_t quantity = motor->setpoint.quantity;
    int32_t value = motor->setpoint.value;
    if (wpin_steady_ramps(quantity)) {
        if (comes_to_rest(motor, ramp_us)) {
            return 0;
        }
        value = state->asked_now;
    } else if (quantity == WPIN_QUANTITY_POSITION && wpin_motor_is_near(motor)) {
        value = motor->measurement.position; /* near enough: what is left would make it hunt */
    }
    if (is_starting(motor)) {
        return way_to(motor, quantity, motor->setpoint.value);
    }
    follow(motor, quantity, &value);
    return wpin_steady_saturated(value);
}

/* ---- requests ---- */

/* The ramp of a set-point is all that limits its slew: the time it takes at the least, us. */
static uint32_t least_us(const wpin_motor *motor, uint8_t quantity, int32_t target) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    const WPIN_FAR wpin_guard_config *guard = &wpin_config_of(motor)->guard;
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    bool goes_on = motor->setpoint.quantity == quantity;
    int32_t begin = quantity == WPIN_QUANTITY_TORQUE ? 0 : motor->measurement.speed;
    int32_t now = goes_on ? state->asked_now : begin;
    wpin_unlock(wpin_port_of(motor), locked);
    uint16_t from = within_full(now), to = within_full(target);
    uint32_t us = (target > 0 && now < 0) || (target < 0 && now > 0)
                      ? wpin_slew_time(guard->down, from) + wpin_slew_time(guard->up, to)
                  : to > from ? wpin_slew_time(guard->up, (uint16_t)(to - from))
                              : wpin_slew_time(guard->down, (uint16_t)(from - to));
    return wpin_config_of(motor)->start.smooth ? us + us / 2U : us;
}

static bool has_way(const WPIN_FAR wpin_motor_config *config, uint8_t quantity) {
    config = wpin_config_known(config);
    while ((config->actuator->takes & WPIN_TAKES(quantity)) == 0) {
        uint8_t next = quantity;
        next = wpin_steady_takes(config, 0, quantity) ? config->regulators[0].gives : next;
        next = wpin_steady_takes(config, 1, quantity) ? config->regulators[1].gives : next;
        next = wpin_steady_takes(config, 2, quantity) ? config->regulators[2].gives : next;
        if (next >= quantity) {
            return false;
        }
        quantity = next;
    }
    return true;
}

/* Of a speed or a torque only its direction can be refused; how much effort that takes, the guard
 * limits. */
static wpin_status check_ramped(wpin_motor *motor, const wpin_setpoint *setpoint,
                                uint32_t timeout_ms) {
    int8_t direction = (int8_t)((setpoint->value > 0) - (setpoint->value < 0));
    int32_t full = direction * (int32_t)WPIN_DUTY_FULL;
    if (wpin_magnitude(setpoint->value) > (uint32_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_RANGE;
    }
    return wpin_motor_never_starts(motor, direction, timeout_ms)
               ? WPIN_REFUSED_PAUSE
               : wpin_motor_check_direction(motor, full);
}

static bool has_bounds(const WPIN_FAR wpin_travel *travel) {
    return travel->least != 0 || travel->most != 0;
}

/* Whether its place is known as well as its travel needs it. */
static bool place_known(const wpin_motor *motor, const WPIN_FAR wpin_travel *travel) {
    return !travel->homed_first || motor->homed != 0;
}

static bool is_beyond(int32_t place, int32_t end, uint16_t near) {
    return place > end && (uint32_t)place - (uint32_t)end > near;
}

/* Beyond its travel it is at a limit of that way, but for what a place may be missed by. */
static void bound(wpin_motor *motor) {
    const WPIN_FAR wpin_travel *travel = wpin_config_of(motor)->travel;
    wpin_measurement *m = &motor->measurement;
    if ((m->valid & WPIN_HAS_POSITION) == 0) {
        motor->homed = 0;
    } else if (has_bounds(travel) && place_known(motor, travel)) {
        uint16_t near = wpin_config_of(motor)->at_count;
        uint8_t most = is_beyond(m->position, travel->most, near) ? WPIN_AT_FORWARD_LIMIT : 0;
        uint8_t least = is_beyond(travel->least, m->position, near) ? WPIN_AT_REVERSE_LIMIT : 0;
        m->inputs = (uint8_t)(m->inputs | most | least);
    }
}

/* Whether what is asked lies beyond the limit at which it is. */
static bool ends(const wpin_motor *motor) {
    const wpin_measurement *m = &motor->measurement;
    int32_t goal = motor->setpoint.value;
    if (motor->setpoint.quantity == WPIN_QUANTITY_POSITION) {
        goal = (int32_t)((uint32_t)goal - (uint32_t)m->position);
    }
    uint8_t limit = goal > 0   ? WPIN_AT_FORWARD_LIMIT
                    : goal < 0 ? WPIN_AT_REVERSE_LIMIT
                               : WPIN_AT_FORWARD_LIMIT | WPIN_AT_REVERSE_LIMIT;
    return (m->inputs & limit) != 0;
}

static wpin_status check_travel(const wpin_motor *motor, int32_t place) {
    const WPIN_FAR wpin_travel *travel = wpin_config_of(motor)->travel;
    if (travel == NULL) {
        return WPIN_OK;
    }
    bool beyond = has_bounds(travel) && (place < travel->least || place > travel->most);
    return !place_known(motor, travel) ? WPIN_REFUSED_NOT_HOMED
           : beyond                    ? WPIN_REFUSED_RANGE
                                       : WPIN_OK;
}

/* Of a place: which way it lies, as it is measured now. */
static wpin_status check_place(wpin_motor *motor, int32_t place) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    wpin_status allowed = check_travel(motor, place);
    if (allowed != WPIN_OK) {
        return allowed;
    }
    uint32_t away = (uint32_t)place - (uint32_t)wpin_motor_measurement(motor).position;
    int32_t way = away == 0 ? 0 : (away > INT32_MAX ? -1 : 1);
    wpin_status status = wpin_motor_check_direction(motor, way);
    state->place = status == WPIN_OK ? place : state->place;
    return status;
}

static wpin_status check(wpin_motor *motor, const wpin_setpoint *setpoint, uint32_t timeout_ms) {
    switch (setpoint->quantity) {
    case WPIN_QUANTITY_TORQUE:
    case WPIN_QUANTITY_SPEED: return check_ramped(motor, setpoint, timeout_ms);
    case WPIN_QUANTITY_POSITION: return check_place(motor, setpoint->value);
    default: return WPIN_OK;
    }
}

/* Counts of an angle: whole turns, and of the rest 1/65536 of a turn, 360000 / 65536 = 5625 / 1024.
 */
static int32_t counts_of(uint32_t per_turn, int32_t millidegrees) {
    uint32_t size = wpin_magnitude(millidegrees), turns = size / 360000U;
    uint32_t part = (size % 360000U) * 1024U / 5625U;
    uint32_t low = ((per_turn & 255U) * part + 32768U) >> 8; /* 22 bits by 16 need 38: in two */
    uint32_t counts = (((per_turn >> 8) * part + low) >> 8) + per_turn * turns;
    return (int32_t)(millidegrees < 0 ? 0U - counts : counts);
}

/* By how far from where it stands or is to stand. */
static wpin_status place_of(wpin_motor *motor, int32_t millidegrees, bool by, int32_t *place) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    uint32_t per_turn = wpin_config_of(motor)->counts_per_turn;
    if (per_turn == 0 || per_turn > WPIN_COUNTS_PER_TURN_MAX) {
        return WPIN_REFUSED_QUANTITY;
    }
    if (millidegrees > 1800000000 || millidegrees < -1800000000 ||
        (by && wpin_magnitude(millidegrees) > 3600000U)) {
        return WPIN_REFUSED_RANGE;
    }
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    int32_t now = motor->measurement.position, last = state->place;
    bool goes =
        (motor->flags & WPIN_WANTS) != 0 && motor->setpoint.quantity == WPIN_QUANTITY_POSITION;
    wpin_unlock(wpin_port_of(motor), locked);
    uint32_t off = (uint32_t)now - (uint32_t)last;
    bool there = wpin_magnitude((int32_t)off) <= wpin_config_of(motor)->at_count + 1U;
    uint32_t from = !by ? 0 : (uint32_t)(goes || there ? last : now);
    *place = (int32_t)(from + (uint32_t)counts_of(per_turn, millidegrees));
    return *place <= WPIN_POSITION_MAX && *place >= -WPIN_POSITION_MAX ? WPIN_OK
                                                                       : WPIN_REFUSED_RANGE;
}

/* ---- a sound configuration ---- */

OF_EACH bool regulator_holds(const WPIN_FAR wpin_motor_config *config, uint8_t number) {
    if (number >= config->regulator_count) {
        return true;
    }
    const WPIN_FAR wpin_regulator *r = &config->regulators[number];
    uintptr_t step = (uintptr_t)r->step, reset = (uintptr_t)r->reset; /* for avr-gcc 5 */
    WPIN_HIDE(reset);
    return r->takes < WPIN_QUANTITY_COUNT && r->gives < r->takes && step != 0 && reset != 0;
}

static bool regulators_hold(const WPIN_FAR wpin_motor_config *config) {
    return config->regulator_count <= WPIN_QUANTITY_COUNT - 1 &&
           (config->regulators != NULL || config->regulator_count == 0) &&
           regulator_holds(config, 0) && regulator_holds(config, 1) && regulator_holds(config, 2);
}

static bool travel_holds(const WPIN_FAR wpin_travel *t) {
    return t == NULL || (t->least == 0 && t->most == 0) ||
           (t->least < t->most && t->most <= WPIN_POSITION_MAX && t->least >= -WPIN_POSITION_MAX);
}

static bool holds(const WPIN_FAR wpin_motor_config *config) {
    config = wpin_config_known(config);
    return travel_holds(config->travel) && regulators_hold(config) && wpin_protections_hold(config);
}

const WPIN_FLASH wpin_loop wpin_closed_loop = {.regulates = true,
                                               .holds = holds,
                                               .has_way = has_way,
                                               .check = check,
                                               .place_of = place_of,
                                               .least_us = least_us,
                                               .begin = begin,
                                               .follow = follow,
                                               .effort = effort,
                                               .rests = comes_to_rest,
                                               .far = wpin_motor_far,
                                               .settle = wpin_motor_settle,
                                               .armed = wpin_protections_armed,
                                               .watch = wpin_protections_watch,
                                               .bound = bound,
                                               .ends = ends};
