/** @file motor.h
 * One motor: what is asked of it, and the one path from there to the pins:
 * request, regulators, guard, actuator, port. The path's end holds the rules that no caller can go
 * round: nothing moves unless armed; every motion ends by itself unless refreshed or held;
 * direction changes only at rest; effort and slew stay within their limits; faults latch.
 *
 *     static wpin_stage stage;
 *     static const WPIN_FLASH wpin_motor_config config = {
 *         WPIN_ON_STAGE(&stage, &stage_config),
 *         .guard = {.cap = WPIN_DUTY_FULL,
 *                   .up = WPIN_SLEW_US(2000000),
 *                   .down = WPIN_SLEW_US(1500000),
 *                   .pause_us = 400000}};
 *     static wpin_motor pump;
 *
 *     wpin_motor_init(&pump, &config, &port);
 *     wpin_motor_arm(&pump);
 *     wpin_motor_run(&pump, WPIN_PERCENT(60), 0, 3000);  60 %, for three seconds
 *     while (wpin_motor_busy(&pump)) {
 *         wpin_motor_tick(&pump);
 *         port.pause(port.context, 1000);
 *     }
 *
 * Contexts. Init: once, from the main program. Tick: the one control tick of this motor, in the
 * main loop or in one interrupt. Any: from anywhere, interrupts included; where the tick runs in
 * another context than the requests, the port needs lock and unlock. A request is checked at once
 * and taken whole at the next tick; of two between two ticks the newer counts.
 */
#ifndef WINDPIN_MOTOR_H
#define WINDPIN_MOTOR_H

#include "actuator.h"
#include "api.h"
#include "guard.h"
#include "protection.h"
#include "regulator.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Time-out of a motion that only a stop ends. To be written out, never by default. */
#define WPIN_TIMEOUT_HELD ((uint32_t)0xFFFFFFFF)

/** How much of what is wanted. */
typedef struct wpin_setpoint {
    uint8_t quantity; /**< wpin_quantity. */
    int32_t value;    /**< In its unit. */
} wpin_setpoint;

/** What happens to an effort below the start duty. */
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
    uint8_t below;          /**< wpin_below_start, for efforts below start_duty. */
    uint16_t kick_duty;     /**< At least this much at every start from rest; 0: no kick. */
    uint32_t kick_us;       /**< For this long, up to 2 s. */
    bool smooth;            /**< Ramps that are asked for are S-shaped. */
} wpin_start_config;

/** How far a motor's shaft may go, by its counts. Motion beyond ends as at a limit switch of that
 * way; a place beyond is refused. */
typedef struct wpin_travel {
    int32_t least;    /**< Below `most`; both 0: as far as it likes. */
    int32_t most;     /**< Up to 2^30. */
    bool homed_first; /**< Where it stands is not known before wpin_motor_set_position: until then
                         no place is taken, and nothing above holds. */
} wpin_travel;

struct wpin_loop;

/** What a motor in closed loop remembers of its way to a set-point. In RAM, placed by the caller,
 * one for each such motor; the fields are its own. */
typedef struct wpin_loop_state {
    int32_t speed_off;        /**< Mean of how far a regulated speed is off its set-point, x 256;
                                   of a place how long it has been there, us. */
    uint32_t no_nearer_us;    /**< For how long it has come no nearer to its set-point than... */
    int32_t place;            /**< Where the last turn was to end. */
    uint16_t nearest;         /**< ...this, since it is on its own. */
    int16_t asked_now;        /**< Of a set-point of regulators that ramps: where its ramp is... */
    uint16_t asked_part;      /**< ...and of its size so much more, 1/65536. */
    volatile uint8_t watched; /**< What a protection would trip on now, were it armed. */
} wpin_loop_state;

/** Everything constant about a motor. The caller keeps it alive. */
typedef struct wpin_motor_config {
    const WPIN_FAR wpin_actuator *actuator; /**< See WPIN_ON_STAGE. */
    void *part;                             /**< The actuator's object, e.g. a wpin_stage. */
    const WPIN_FAR void *part_config;       /**< Its configuration, e.g. a wpin_stage_config. */
    wpin_guard_config guard;
    wpin_sense_config sense;
    wpin_start_config start;
    const WPIN_FAR struct wpin_loop *loop;       /**< For what follows here: WPIN_CLOSED_LOOP, of
                                                    protections alone WPIN_PROTECTED; NULL
                                                    without: then nothing of it is linked. */
    wpin_loop_state *loop_state;                 /**< With `loop`: its memory. */
    const WPIN_FAR wpin_regulator *regulators;   /**< Or NULL. */
    uint8_t regulator_count;                     /**< 0 to 3. */
    const WPIN_FAR wpin_protection *protections; /**< Or NULL. */
    uint8_t protection_count;
    uint16_t at_speed; /**< A speed asked for is reached within this of it, 1/16384; 0: 164, 1 %. */
    uint8_t rest_drive;       /**< WPIN_DRIVE_COAST or _BRAKE: what is shown at zero while armed. */
    uint16_t at_count;        /**< A place asked for is reached within so many counts... */
    uint16_t settle_ms;       /**< ...for this long; 0: 50 ms. */
    uint32_t counts_per_turn; /**< For wpin_motor_turn, of a motor whose place is measured: 1 to
                                 WPIN_COUNTS_PER_TURN_MAX; 0: it knows no angles. */
    const WPIN_FAR wpin_travel *travel; /**< Or NULL. */
    uint8_t safe_drive; /**< As rest_drive: what is shown when disarmed or in fault. */
} wpin_motor_config;

/** Largest counts_per_turn. */
#define WPIN_COUNTS_PER_TURN_MAX ((uint32_t)1 << 22)

/** Largest place, in counts either way. */
#define WPIN_POSITION_MAX ((int32_t)1 << 30)

/** What a motor is doing. */
typedef enum wpin_state {
    WPIN_STATE_OFF = 0,  /**< Not armed; in its safe state. */
    WPIN_STATE_READY,    /**< Armed, zero, at rest: may start either way. */
    WPIN_STATE_RAMPING,  /**< On its way to the set-point. */
    WPIN_STATE_RUNNING,  /**< At the set-point, or as near as its limits let it: wpin_motor_held. */
    WPIN_STATE_RESTING,  /**< At zero, resting before it may turn the other way. */
    WPIN_STATE_BRAKING,  /**< Brake asked for and on. */
    WPIN_STATE_COASTING, /**< Coast asked for, not yet at rest. */
    WPIN_STATE_FAULT     /**< A fault is latched; safe state. */
} wpin_state;

/** Why the last motion ended. */
typedef enum wpin_ended {
    WPIN_ENDED_NOT = 0, /**< It goes on, or ended as asked. */
    WPIN_ENDED_TIMEOUT, /**< Its time-out. */
    WPIN_ENDED_LIMIT    /**< A limit switch; or it did not begin, standing there. */
} wpin_ended;

/** What is posted. Part of a motor. */
typedef struct wpin_request {
    uint8_t what;  /**< Verb, quantity and more, as bits. */
    int32_t value; /**< Of the set-point. */
    uint32_t ramp_us;
    uint16_t ramp_share; /**< See wpin_ramp_time. */
    uint16_t at;         /**< The lower half of the moment: time-out and ramp count from here. */
    uint32_t timeout_ms;
} wpin_request;

/** A time that runs out, of up to 49 days. */
typedef struct wpin_countdown {
    uint32_t ms;
    uint16_t us; /**< Besides, below 1000; UINT16_MAX: it never runs out. */
} wpin_countdown;

/** A motor at work. Zero before its first init (static, or = {0}); placed by the caller. The fields
 * are its own; from the tick's context they may be read. */
typedef struct wpin_motor {
#ifndef WPIN_ONE_MOTOR                        /* which knows all of this without */
    const WPIN_FAR wpin_motor_config *config; /**< NULL: not open. */
    const wpin_port *port;
    uint8_t senses; /**< What is read each tick, as bits. */
#endif
    uint8_t flags;  /**< What it is about, as bits. */
    uint8_t traits; /**< Of the actuator. */
    uint8_t stood;  /**< Ticks in a row in which the clock stood. */
    volatile uint8_t armed;
    volatile uint8_t mailed;   /**< The mail is full. */
    volatile uint8_t tripped;  /**< wpin_motor_trip: the cause, not yet latched. */
    volatile uint8_t fault;    /**< Latched: a wpin_status; WPIN_OK: none. */
    volatile uint8_t kick_end; /**< wpin_motor_end_kick. */
    volatile uint8_t ended;    /**< wpin_ended. */
    volatile uint8_t shown;    /**< wpin_state after the last tick, with bits for busy and kick. */
    wpin_measurement measurement; /**< Of the last tick. */
    wpin_setpoint setpoint;       /**< What is asked, after cap and lift. */
    wpin_guard guard;
    uint16_t first_left; /**< Its first move after a fault may be kept up for so much more, ms. */
    wpin_countdown timeout;
    union {
        wpin_ramp ramp;      /**< Of an actuator that takes a duty. */
        uint32_t operations; /**< Of an on/off actuator: how often it went on. */
    };
    wpin_request mail; /**< Posted, not yet taken. */
    uint8_t homed;     /**< Its place was set, and is known since. */
    uint8_t counted;   /**< Requests cut to the cap and lifted to the start duty. */
} wpin_motor;

/** What a motor in closed loop does besides; its functions are its own. */
typedef struct wpin_loop {
    bool regulates; /**< It has regulators, not protections alone. */
    bool (*holds)(const WPIN_FAR wpin_motor_config *config);
    bool (*has_way)(const WPIN_FAR wpin_motor_config *config, uint8_t quantity);
    wpin_status (*check)(wpin_motor *motor, const wpin_setpoint *setpoint, uint32_t timeout_ms);
    wpin_status (*place_of)(wpin_motor *motor, int32_t millidegrees, bool by, int32_t *place);
    uint32_t (*least_us)(const wpin_motor *motor, uint8_t quantity, int32_t target);
    void (*begin)(wpin_motor *motor, uint8_t quantity, const wpin_request *request);
    uint8_t (*follow)(const wpin_motor *motor, uint8_t quantity, int32_t *value);
    wpin_duty (*effort)(wpin_motor *motor, uint16_t ramp_us);
    bool (*rests)(wpin_motor *motor, uint16_t ramp_us);
    void (*far)(wpin_motor *motor, int16_t off);
    void (*settle)(wpin_motor *motor);
    void (*armed)(wpin_motor *motor);
    wpin_status (*watch)(wpin_motor *motor);
    void (*bound)(wpin_motor *motor);
    bool (*ends)(const wpin_motor *motor);
} wpin_loop;

/** For wpin_motor_config.loop: regulators and protections. */
WPIN_API extern const WPIN_FLASH wpin_loop wpin_closed_loop;

/** The same for protections alone: no regulators, no travel; who has no other links none of those.
 */
WPIN_API extern const WPIN_FLASH wpin_loop wpin_protecting_loop;

/** In a wpin_motor_config: a motor with protections, with its wpin_loop_state. */
#define WPIN_PROTECTED(the_state) .loop = &wpin_protecting_loop, .loop_state = (the_state)

/** In a wpin_motor_config: a motor in closed loop, with its wpin_loop_state. */
#define WPIN_CLOSED_LOOP(the_state) .loop = &wpin_closed_loop, .loop_state = (the_state)

/** Checks the configuration, opens the actuator in its safe state, reads the sensors once, and
 * leaves the motor disarmed. An object that was open is closed first, in the safe order; a latched
 * fault survives. Refused: the motor is closed, its pins are at rest, and every request is refused:
 * _ARGUMENT, what the actuator refuses, _RANGE (limits), _STATE (rest or safe state that it has
 * not), _PORT (sensors or limit switches without the port's function), _ON_OFF (a cap or regulators
 * on one that knows on and off only), _CONFIG (regulators). Init. */
WPIN_API wpin_status wpin_motor_init(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config,
                                     const wpin_port *port);

/** Safe state now, and closed: for the end of a program. Init and tick. */
WPIN_API void wpin_motor_close(wpin_motor *motor);

/** Allows motion, and shows the rest state from the next tick on. Refused: _CLOSED, _FAULTED,
 * _NOT_ZERO (something is asked for), or the fault that the guard or a protection would trip
 * on by the last measurement (e.g. WPIN_FAULT_SUPPLY_LOW). Any context. */
WPIN_API wpin_status wpin_motor_arm(wpin_motor *motor);

/** Lines at rest at once, safe state at the next tick, and no motion until armed again. Any. */
WPIN_API void wpin_motor_disarm(wpin_motor *motor);

/** Asks for an effort, -WPIN_DUTY_FULL to WPIN_DUTY_FULL; zero ramps to rest. ramp_us is the time
 * for the ramp from where the effort is (after a reversal: from zero), 0 to WPIN_RAMP_MAX_US, 0
 * for the slew limit. timeout_ms (1 and up, or WPIN_TIMEOUT_HELD) is how long until it ramps to
 * rest by itself; it counts from now. Refused: _CLOSED, _RANGE, _NOT_ARMED, _FAULTED, _STATE,
 * _BELOW_START, _ON_OFF (less than full effort on an actuator that knows on and off only), _PAUSE
 * (the time-out would be over before the pause that is left), _QUANTITY, _LIMIT (it stands at the
 * limit switch of that way; what it was doing ramps to rest). Above the cap it saturates and
 * counts. Any. */
WPIN_API wpin_status wpin_motor_run(wpin_motor *motor, wpin_duty effort, uint32_t ramp_us,
                                    uint32_t timeout_ms);

/** The same for any quantity: one that the actuator takes itself or that regulators turn into one
 * it takes; others are refused: _QUANTITY. A speed that regulators take (-16384 to 16384) goes to
 * its set-point in ramp_us from the speed it has, and no faster than the slew limits (0: by them,
 * so it may be asked for in every tick); while it may not turn that way, the ramp waits. Any. */
WPIN_API wpin_status wpin_motor_request(wpin_motor *motor, wpin_setpoint setpoint, uint32_t ramp_us,
                                        uint32_t timeout_ms);

/** Turns by an angle, 1/1000 degree (up to ten turns), or to one (up to 5000 turns), where the
 * actuator knows angles (a stepper) or the configuration the counts of a turn. By is from where the
 * last turn was to end, if it stands there. Refused like wpin_motor_request, and _QUANTITY,
 * _NOT_HOMED, _RANGE (beyond its travel). Any. */
WPIN_API wpin_status wpin_motor_turn(wpin_motor *motor, int32_t millidegrees, uint32_t timeout_ms);
WPIN_API wpin_status wpin_motor_turn_to(wpin_motor *motor, int32_t millidegrees,
                                        uint32_t timeout_ms);

/** Has an actuator that can (a drive on a field bus) find its home by its own method. At rest there
 * it is homed, and its place counts as that method says. Refused like wpin_motor_request, and
 * _QUANTITY. Any. */
WPIN_API wpin_status wpin_motor_home(wpin_motor *motor, uint32_t timeout_ms);

/** Whether its place was set, and nothing has put it in doubt since: no failed reading, and no
 * fault of the encoder. Any. */
WPIN_API bool wpin_motor_is_homed(const wpin_motor *motor);

/** Where a speed or torque asked for is on its ramp, of one that regulators take; 0 of a motor
 * without them. Any. */
WPIN_API int16_t wpin_motor_asked(const wpin_motor *motor);

/** Where its last turn or place was to end, counts; 0 of a motor without a loop. Any. */
WPIN_API int32_t wpin_motor_place(const wpin_motor *motor);

/** Calls where it stands `counts`: it is homed. Refused: _CLOSED, _NOT_ZERO (it is busy), _QUANTITY
 * (nothing measures a place). Tick. */
WPIN_API wpin_status wpin_motor_set_position(wpin_motor *motor, int32_t counts);

/** Shows the pulse of full forward, without ramp and cap, to a controller that takes servo-style
 * pulses and calibrates its range when it is powered up: call this while that controller has no
 * power, power it up, give it the time its maker states, then wpin_motor_stop: it sees neutral. One
 * that has power already may run at full! Ends by itself after timeout_ms, 1 to WPIN_TIMEOUT_HELD -
 * 1, with neutral, or at the next request. Refused: _CLOSED, _RANGE, _STATE (no pulses), _FAULTED,
 * _NOT_ARMED, _NOT_ZERO (not at rest, or resting after it was driven in reverse). Any. */
WPIN_API wpin_status wpin_motor_calibrate(wpin_motor *motor, uint32_t timeout_ms);

/** Ends a kick early, e.g. because the first pulse of an encoder shows that the shaft turns. Any.
 */
WPIN_API void wpin_motor_end_kick(wpin_motor *motor);

/** Gives the present motion timeout_ms more from now; nothing happens at rest. Refused: _CLOSED,
 * _RANGE for zero. Any. */
WPIN_API wpin_status wpin_motor_refresh(wpin_motor *motor, uint32_t timeout_ms);

/** Ramps to rest in ramp_us (0: slew limit), then shows the rest state. Always done; refused only
 * when ramp_us is out of range or there is no motor. Any. */
WPIN_API wpin_status wpin_motor_stop(wpin_motor *motor, uint32_t ramp_us);

/** Lets the motor coast from the next tick on: zero, coast row. Refused: _CLOSED, _NOT_ARMED,
 * _STATE where it can't. The next start begins at zero. Any. */
WPIN_API wpin_status wpin_motor_coast(wpin_motor *motor);

/** Shorts the motor from the next tick on. Refused: _CLOSED, _STATE where it can't, _NOT_ARMED,
 * _FAULTED. Stays until the next request. The next start begins at zero. Any. */
WPIN_API wpin_status wpin_motor_brake(wpin_motor *motor);

/** Lines at rest now; at the next tick the fault is latched and the safe state shown. Any status
 * from WPIN_FAULT_FIRST on; others latch WPIN_FAULT_EXTERNAL. The first cause stays. Any. */
WPIN_API void wpin_motor_trip(wpin_motor *motor, wpin_status cause);

/** Clears a latched fault; the motor is then disarmed, and its first move limited. Refused:
 * _CLOSED, _NO_FAULT, _CAUSE while the guard or a protection would trip again by the last
 * measurement (outside its limits, or a winding that is still hot). Where nothing is latched and
 * the motor is disarmed, what its actuator would not be armed for is forgotten: a second master
 * that is gone, a drive that refused its set-up. Any. */
WPIN_API wpin_status wpin_motor_clear_fault(wpin_motor *motor);

/** One control period: reads clock and sensors, takes the mail, serves time-out, regulators, guard
 * and actuator, and kicks the port's watchdog if all is as it should be. Bounded time, no waiting
 * but the dead time. Call it every millisecond or so; later than the guard's tick_max_us is a fault
 * while armed. Tick. */
WPIN_API void wpin_motor_tick(wpin_motor *motor);

/** Ticks several motors, and kicks the watchdog of the first one's port once, only if all are as
 * they should be. Entries that are NULL are passed over. Tick. */
WPIN_API void wpin_motors_tick(wpin_motor *const *motors, uint16_t count);

/** @name What it is doing, after the last tick; safe from any context on 8 bits too
 * @{ */
/** A motor asked to run and not yet ticked is never "running": it reads as ramping. */
WPIN_API wpin_state wpin_motor_state(const wpin_motor *motor);
/** True while the effort is not zero, it is moving, or more is asked for. */
WPIN_API bool wpin_motor_busy(const wpin_motor *motor);
/** The effort shown on the pins, signed. */
WPIN_API wpin_duty wpin_motor_duty(const wpin_motor *motor);
/** The latched fault, or WPIN_OK. */
WPIN_API wpin_status wpin_motor_fault(const wpin_motor *motor);
/** How often an on/off actuator went on, still told after it was closed; 0 of others. */
WPIN_API uint32_t wpin_motor_operations(const wpin_motor *motor);
/** Direction it was driven last: 1, -1; 0 as long as it never was. */
WPIN_API int8_t wpin_motor_last_direction(const wpin_motor *motor);
/** Requests cut to the cap, and lifted to the start duty; each stops at 15. */
WPIN_API uint8_t wpin_motor_saturated(const wpin_motor *motor);
WPIN_API uint8_t wpin_motor_lifted(const wpin_motor *motor);
/** Why the last motion ended by itself. */
WPIN_API wpin_ended wpin_motor_ended(const wpin_motor *motor);
/** True while a kick is on. */
WPIN_API bool wpin_motor_kicks(const wpin_motor *motor);
/** Why the output is less than asked: WPIN_HELD bits. */
WPIN_API uint8_t wpin_motor_held(const wpin_motor *motor);
/** A copy of the last measurement, whole. */
WPIN_API wpin_measurement wpin_motor_measurement(const wpin_motor *motor);
/** The last current, mA, by the configuration's mV per A; 0 without. */
WPIN_API int32_t wpin_motor_milliamps(const wpin_motor *motor);
/** @} */

#ifdef __cplusplus
}
#endif
#endif
