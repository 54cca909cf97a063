/** @file motor.h
 * One motor: what is asked of it, and the one path from there to the pins:
 * request, ramp, guard, stage, port. The path's end holds the rules that no caller can go round:
 * nothing moves unless armed; every motion ends by itself unless refreshed or held; direction
 * changes only at rest; duty and slew stay within their limits; faults latch.
 *
 *     wpin_motor pump;
 *     wpin_motor_init(&pump, &pump_config, &port);
 *     wpin_motor_arm(&pump);
 *     wpin_motor_run(&pump, WPIN_PERCENT(60), 0, 3000);      // 60 %, for three seconds
 *     while (wpin_motor_busy(&pump)) {
 *         wpin_motor_tick(&pump);
 *         port.pause(port.context, 1000);
 *     }
 */
#ifndef WINDPIN_MOTOR_H
#define WINDPIN_MOTOR_H

#include "ramp.h"
#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Life of a motion that only a stop ends. To be written out, never by default. */
#define WPIN_LIFE_HELD ((uint32_t)0xFFFFFFFF)

/** An input the guard watches is numbered from 0; this says there is none. */
#define WPIN_NO_INPUT 255

/** Direction of a motor just opened. Until it has rested it starts neither way. */
#define WPIN_WAY_UNKNOWN 2

/** Limits the guard keeps. All zero with both inputs WPIN_NO_INPUT: it watches nothing. */
typedef struct wpin_guard_config {
    uint8_t current_input;       /**< Analogue input of the current sense, or WPIN_NO_INPUT. */
    int32_t current_zero_mv;     /**< Reading at no current, mV. */
    uint16_t current_mv_per_a;   /**< Slope, mV per ampere, 1 to 65535. */
    uint32_t current_trip_ma;    /**< Trip level, mA. */
    uint32_t current_trip_us;    /**< Above the level for this long trips, us. */
    uint8_t supply_input;        /**< Analogue input of the motor supply, or WPIN_NO_INPUT. */
    uint16_t supply_ratio_milli; /**< Volts at the input per volt of supply, thousandths. */
    uint32_t supply_min_mv;      /**< Window, mV at the supply. */
    uint32_t supply_max_mv;      /**< Window, mV at the supply. */
} wpin_guard_config;

/** A guard that watches nothing: the value of wpin_motor_config.guard without sensors. */
#define WPIN_GUARD_NOTHING                                                                         \
    { .current_input = WPIN_NO_INPUT, .supply_input = WPIN_NO_INPUT }

/** The guard at work. Part of a motor. */
typedef struct wpin_guard {
    uint32_t over_us;   /**< How long the current has been above the trip level. */
    int32_t current_ma; /**< Last reading, mA, signed as the sensor gives it. */
    int32_t supply_mv;  /**< Last reading, mV. */
    bool over;          /**< Above the trip level at the last reading. */
} wpin_guard;

/** What happens to a request below the start duty. */
typedef enum wpin_below_start {
    WPIN_BELOW_ALLOW = 0, /**< Nothing: it may stand still and hum. */
    WPIN_BELOW_REFUSE,    /**< Refused: WPIN_REFUSED_BELOW_START. */
    WPIN_BELOW_LIFT,      /**< Lifted to the start duty, and counted. */
    WPIN_BELOW_KICK       /**< Kicked loose, then as asked; below the drop-out duty refused. */
} wpin_below_start;

/** How a motor starts from rest. All zero: it just ramps. Duties 0 to WPIN_DUTY_FULL. */
typedef struct wpin_start_config {
    uint16_t start_duty;    /**< Breaks the shaft loose, at most the cap; 0: not known. */
    uint16_t drop_out_duty; /**< Below this a turning shaft stops; at most start_duty. */
    wpin_below_start below; /**< For requests below start_duty. */
    uint16_t kick_duty;     /**< At least this much at every start from rest; 0: no kick. */
    uint32_t kick_us;       /**< For this long, up to 2 s. */
    bool smooth;            /**< Ramps from standing are S-shaped. */
} wpin_start_config;

/** A limit switch that ends motion one way. All zero: there is none. */
typedef struct wpin_limit {
    bool used;
    wpin_pin pin;
    bool high; /**< The pin reads high at the limit: a switch to ground that opens there, so that a
                    broken wire stops too. Otherwise it reads low there. */
} wpin_limit;

/** Everything constant about a motor. The caller keeps it alive. */
typedef struct wpin_motor_config {
    const wpin_stage_config *stage;
    uint32_t up_us;        /**< Slew limit, zero to full duty, us (see ramp.h). */
    uint32_t down_us;      /**< Slew limit, full duty to zero, us. */
    uint32_t rest_us;      /**< Pause at zero duty before the direction may change; at least
                                the run-down time of motor and load. Up to WPIN_SPAN_MAX. */
    uint16_t duty_max;     /**< Cap, 1 to WPIN_DUTY_FULL. More is saturated and counted. */
    wpin_state rest_state; /**< Free or brake: what the stage shows at zero duty. */
    wpin_state safe_state; /**< Free or brake: what it shows when disarmed or in fault. */
    wpin_guard_config guard;
    wpin_start_config start;
    uint32_t least_us; /**< On/off stages: least time on and least time off (a relay's contacts, a
                            compressor), 0 to WPIN_SPAN_MAX. Brake, coast, disarm and faults do not
                            wait for it, but what follows them does. */
    wpin_limit limit_forward; /**< Ends motion forward at once, in the rest state; the other way */
    wpin_limit limit_reverse; /**< stays open. Needs the port's read. */
    uint32_t most_on_ms;      /**< Driven without a break for longer than this is a fault, ms (a
                                 solenoid,      a starter); 0: never. */
} wpin_motor_config;

/** What a motor is doing. */
typedef enum wpin_phase {
    WPIN_PHASE_OFF = 0,  /**< Not armed; the stage is in its safe state. */
    WPIN_PHASE_READY,    /**< Armed, zero duty, rested: may start either way. */
    WPIN_PHASE_RAMPING,  /**< Duty on its way to what was asked. */
    WPIN_PHASE_RUNNING,  /**< Duty as asked. */
    WPIN_PHASE_RESTING,  /**< Zero duty, resting before it may turn the other way. */
    WPIN_PHASE_BRAKING,  /**< Brake asked for and on. */
    WPIN_PHASE_COASTING, /**< Coast asked for, not yet rested. */
    WPIN_PHASE_FAULT     /**< A fault is latched; safe state. */
} wpin_phase;

/** A latched fault. */
typedef struct wpin_fault {
    wpin_status cause; /**< WPIN_OK when there is none. */
    wpin_moment at;    /**< When. */
} wpin_fault;

/** A motor at work. Placed by the caller; the fields are its own, and may be read. */
typedef struct wpin_motor {
    const wpin_motor_config *config;
    const wpin_port *port;
    wpin_stage stage;
    wpin_ramp ramp;
    wpin_guard guard;
    wpin_fault fault;
    wpin_moment last;       /**< Time of the last tick. */
    wpin_moment zero_since; /**< When the duty became zero. */
    uint32_t life_ms;       /**< What is left of the motion's life; WPIN_LIFE_HELD is forever. */
    uint32_t ramp_us;       /**< Time asked for the pending start. */
    wpin_duty wanted;       /**< Asked for, after the cap. */
    uint16_t life_us;       /**< Microseconds not yet taken off life_ms. */
    int8_t direction;       /**< Way it was last driven: 1 forward, -1 reverse, 0 rested,
                                 WPIN_WAY_UNKNOWN after init: it may be turning. */
    wpin_state zero_state;  /**< What the stage shows at zero duty for now. */
    bool armed;
    bool on_off;            /**< The stage knows on and off only. */
    bool waits;             /**< It changed less than least_us ago. */
    wpin_moment changed;    /**< When an on/off stage last went on or off. */
    uint32_t operations;    /**< How often an on/off stage went on. */
    bool at_zero;           /**< zero_since is valid. */
    bool life_ended;        /**< The last motion ended because its life did. */
    bool limited;           /**< The last motion ended, or did not begin, at a limit switch. */
    int8_t last_way;        /**< Way it was driven last: 1, -1; 0 as long as it never was, when a
                                 two-position thing stands nobody knows where. */
    uint32_t on_left_ms;    /**< What is left of most_on_ms. */
    uint16_t on_left_us;    /**< Microseconds not yet taken off it. */
    uint8_t saturated;      /**< Requests cut to the cap; stops at 255. */
    uint8_t lifted;         /**< Requests lifted to the start duty; stops at 255. */
    bool teaching;          /**< The pulse of full forward is shown, to be learnt. */
    bool kicking;           /**< A kick is on. */
    bool carrying;          /**< Held up after a kick until the ramp has come that far. */
    wpin_moment kick_began; /**< Since when. */
} wpin_motor;

/** Checks the configuration, opens the stage in its safe state, and leaves the motor disarmed.
 * Returns WPIN_OK, what wpin_stage_open returns, WPIN_REFUSED_RANGE (limits),
 * WPIN_REFUSED_STATE (rest or safe state not in the table), WPIN_REFUSED_PORT (limit switches
 * without the port's read).
 * Not from an interrupt. */
wpin_status wpin_motor_init(wpin_motor *motor, const wpin_motor_config *config,
                            const wpin_port *port);

/** Allows motion. Refused: _FAULTED, _NOT_ZERO (something is asked for), or the fault that the
 * guard would trip on right now (e.g. WPIN_FAULT_SUPPLY_LOW). Tick context. */
wpin_status wpin_motor_arm(wpin_motor *motor);

/** Safe state at once and no motion until armed again. Any time; tick context. */
void wpin_motor_disarm(wpin_motor *motor);

/** Asks for a duty, -WPIN_DUTY_FULL to WPIN_DUTY_FULL; zero ramps to rest. ramp_us is the time
 * for the ramp from where the duty is (after a reversal: from zero), 0 to WPIN_RAMP_MAX_US, 0
 * for the slew limit. life_ms (1 and up, or WPIN_LIFE_HELD) is how long until it ramps to rest
 * by itself; it counts from now. Refused: _RANGE, _NOT_ARMED, _FAULTED, _STATE,
 * _BELOW_START, _ON_OFF (less than full duty on a stage that knows on and off only), _LIMIT (at the
 * limit switch of that way; what it was doing ramps to rest). Above the cap it saturates and
 * counts. Tick context. */
wpin_status wpin_motor_run(wpin_motor *motor, wpin_duty duty, uint32_t ramp_us, uint32_t life_ms);

/** Shows the pulse of full forward, without ramp and cap, to a controller that takes servo-style
 * pulses and learns its range when it is powered up: call this while that controller has no power,
 * power it up, give it the time its maker states, then wpin_motor_stop: it learns neutral. One that
 * has power already may run at full! Ends by itself after life_ms, 1 to WPIN_LIFE_HELD - 1, with
 * neutral, or at the next request. Refused: _RANGE, _STATE (the stage has no pulse), _FAULTED,
 * _NOT_ARMED, _NOT_ZERO (not at rest). Tick context. */
wpin_status wpin_motor_teach(wpin_motor *motor, uint32_t life_ms);

/** Ends a kick early, e.g. because the first pulse of an encoder shows that the shaft turns. Does
 * nothing without a kick. Any context. */
void wpin_motor_end_kick(wpin_motor *motor);

/** Gives the present motion life_ms more from now; nothing happens at rest. Refused: _RANGE for
 * zero. Tick context. */
wpin_status wpin_motor_refresh(wpin_motor *motor, uint32_t life_ms);

/** Ramps to rest in ramp_us (0: slew limit), then shows the rest state. Always allowed except
 * out of range. Tick context. */
wpin_status wpin_motor_stop(wpin_motor *motor, uint32_t ramp_us);

/** Lets the motor coast from this instant: zero duty, free row. Refused: _STATE where the table
 * has no free row. The next start begins at zero duty. Tick context. */
wpin_status wpin_motor_coast(wpin_motor *motor);

/** Shorts the motor from this instant. Refused: _STATE where the table has no brake row,
 * _NOT_ARMED, _FAULTED. Stays until the next request. The next start begins at zero duty. Tick
 * context. */
wpin_status wpin_motor_brake(wpin_motor *motor);

/** Latches a fault from outside and goes to the safe state. Any status from WPIN_FAULT_FIRST on;
 * others latch WPIN_FAULT_EXTERNAL. The first cause stays. Tick context. */
void wpin_motor_trip(wpin_motor *motor, wpin_status cause);

/** Clears a latched fault; the motor is then disarmed. Refused: _NO_FAULT, _CAUSE while what the
 * guard measures is still outside its limits. Tick context. */
wpin_status wpin_motor_clear_fault(wpin_motor *motor);

/** One control period: reads the clock, serves guard, life, ramp, reversal and stage. Bounded
 * time, no waiting but the dead time. Call it at any rate below WPIN_SPAN_MAX apart; every
 * millisecond is usual. From one context only (main loop or one interrupt). */
void wpin_motor_tick(wpin_motor *motor);

/** What it is doing. Any context (reads single fields). */
wpin_phase wpin_motor_phase(const wpin_motor *motor);

/** True while the duty is not zero, or more is asked for. Any context. */
bool wpin_motor_busy(const wpin_motor *motor);

/** The duty shown on the pins now, signed. Any context. */
wpin_duty wpin_motor_duty(const wpin_motor *motor);

#ifdef __cplusplus
}
#endif
#endif
