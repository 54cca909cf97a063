/** @file guard.h
 * The guard: the last thing before the actuator, on the one path of every set-point. Its rules come
 * in a fixed order, each can only take away, and says in `held` why the output is less than asked.
 * It reads one measurement and calls no port. Its constants are in the units of the pins, made by
 * the macros here and in ramp.h and measurement.h, at compile time or by windpin export.
 *
 * Two kinds of time: what holds back (reversal pause, minimum on and off, cooling down) counts a
 * step of the clock as the longest configured one at the most; what ends a motion (on-time,
 * time-out) counts all of it. So a clock that jumps, stands or runs back shortens nothing that
 * protects.
 */
#ifndef WINDPIN_GUARD_H
#define WINDPIN_GUARD_H

#include "api.h"
#include "measurement.h"
#include "ramp.h"

#ifdef __cplusplus
extern "C" {
#endif

/** When the direction may change. */
typedef enum wpin_reversal {
    WPIN_REVERSAL_BY_TIME = 0, /**< After pause_us at zero effort. */
    WPIN_REVERSAL_STANDSTILL,  /**< Once the measured speed is within `standstill` for pause_us;
                                  without  a valid speed as by time, for four times as long. */
    WPIN_REVERSAL_FREE         /**< At zero effort: where current is regulated both ways. */
} wpin_reversal;

/** @name Bits of wpin_guard.held: why the output is less than asked
 * @{ */
#define WPIN_HELD_CAP      ((uint8_t)1)   /**< The cap on effort. */
#define WPIN_HELD_FIRST    ((uint8_t)2)   /**< The first move after a fault. */
#define WPIN_HELD_LIMIT    ((uint8_t)4)   /**< A limit switch. */
#define WPIN_HELD_REVERSAL ((uint8_t)8)   /**< It must come to rest before it may turn that way. */
#define WPIN_HELD_CURRENT  ((uint8_t)16)  /**< Current is being limited. */
#define WPIN_HELD_SLEW     ((uint8_t)32)  /**< The slew limit. */
#define WPIN_HELD_MINIMUM  ((uint8_t)64)  /**< Minimum time on or off. */
#define WPIN_HELD_SETTLING ((uint8_t)128) /**< It still starts, or is not at its speed yet. */
/** @} */

/** Those that pass by themselves; with another one it has come as far as it may. */
#define WPIN_HELD_ON_THE_WAY                                                                       \
    ((uint8_t)(WPIN_HELD_LIMIT | WPIN_HELD_REVERSAL | WPIN_HELD_SLEW | WPIN_HELD_MINIMUM |         \
               WPIN_HELD_SETTLING))

/** Longest step of the clock that is no fault, us, where the configuration says 0. */
#define WPIN_TICK_MAX_US 50000

/** Direction of a motor just opened: it may be turning either way. */
#define WPIN_DIRECTION_UNKNOWN 2

/** Everything constant about a guard. */
typedef struct wpin_guard_config {
    uint16_t cap; /**< Most effort, 1 to WPIN_DUTY_FULL. */
    wpin_slew up; /**< Slew limits, away from zero and towards it; 1 and up. */
    wpin_slew down;
    wpin_slew regulated; /**< Both ways, in their place, while a regulator gives the effort: it must
                              answer its load at once, and its set-point has a ramp. 0: as they. */
    uint8_t reversal;    /**< wpin_reversal. */
    uint32_t pause_us;   /**< Reversal pause: at least the run-down time of motor and load; 0 to
                              WPIN_SPAN_MAX. */
    uint16_t standstill; /**< Size of the speed up to which the shaft stands. */
    int16_t current_limit; /**< Effort is folded back above this size of the current, mV at the pin;
                                0: never. */
    uint16_t
        limit_gain; /**< Duty steps taken away a tick for each mV above; 1 and up with a limit. */
    int16_t current_trip; /**< Size of the current that trips, mV at the pin; 0: none. */
    uint32_t trip_us;     /**< Above it for this long, us. */
    int16_t supply_low;   /**< Window of the supply, mV at the pin; both 0: not watched. */
    int16_t supply_high;
    uint32_t minimum_us;     /**< On/off actuators: minimum time on and minimum time off (a relay's
                                  contacts, a compressor), 0 to WPIN_SPAN_MAX. Coast, brake, disarm and
                                  faults do not wait for it, but what follows them does. */
    uint32_t on_time_max_us; /**< On for longer than this in all is a fault (a solenoid, a starter):
                                0: any, up to WPIN_SPAN_MAX. Time off gives it back... */
    uint16_t recovery;  /**< ...at this many 1/256 of the time off, 1 and up; 0: 256, as fast as it
                             was used. A short break does not reset it. */
    uint16_t first_cap; /**< Cap on the first move after a fault; 0: half of cap. */
    uint16_t first_ms;  /**< Longest first move after a fault, ms; 0: 2000. */
    uint16_t cool_s;    /**< Cool-down: after a fault of too much current or of a held shaft
                             (OVERCURRENT, STALLED, NO_MOTION) none is cleared for so long, s; 0: at
                             once. Holds back, so that no leap of the clock shortens it. */
    uint16_t tick_max_us; /**< A tick later than this is a fault while armed, us; 0:
                               WPIN_TICK_MAX_US. The longest step that holding back counts. */
    uint8_t clock_stands; /**< So many ticks in a row without the clock moving on are a fault; 0:
                             100. */
} wpin_guard_config;

/** @name Bits of wpin_guard.flags
 * @{ */
#define WPIN_GUARD_DRIVEN       ((uint8_t)1)  /**< The last output was not zero. */
#define WPIN_GUARD_FIRST        ((uint8_t)2)  /**< The next move is the first after a fault. */
#define WPIN_GUARD_LAST_FORWARD ((uint8_t)4)  /**< It was driven forward last... */
#define WPIN_GUARD_LAST_REVERSE ((uint8_t)8)  /**< ...or in reverse. */
#define WPIN_GUARD_REGULATED    ((uint8_t)16) /**< A regulator gives the effort. */
/** @} */

/** A guard at work. Part of a motor; the fields may be read from the tick. */
typedef struct wpin_guard {
    uint32_t value;   /**< Size of the effort after the slew limit, times 65536. */
    uint16_t ceiling; /**< Most effort that the current limit leaves now. */
    int8_t direction; /**< 1 forward, -1 reverse: driven, or not yet at rest since; 0 at rest;
                           WPIN_DIRECTION_UNKNOWN. */
    uint8_t held;     /**< WPIN_HELD bits. */
    uint8_t flags;    /**< WPIN_GUARD bits. */
    uint32_t pause_left_us;
    uint32_t minimum_left_us; /**< On/off: of the minimum time; else of the kick. */
    uint32_t on_used_us;      /**< Of on_time_max_us. */
    uint32_t
        over_us; /**< How long the current has been above the trip level, plus 1; 0: it is not. */
} wpin_guard;

/** Checks a configuration. Returns WPIN_OK or WPIN_REFUSED_RANGE. Any context. */
WPIN_API wpin_status wpin_guard_check(const WPIN_FAR wpin_guard_config *config);
/** Ready to be used: at zero, direction unknown. Init. */
WPIN_API void wpin_guard_init(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config);
/** The fault to trip on, or WPIN_OK. `needs` are the WPIN_HAS bits that must be valid. A step
 * longer than the measurement's dt_us can hold is a late tick before it comes here. Tick. */
WPIN_API wpin_status wpin_guard_fault(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                      const wpin_measurement *m, uint8_t needs);
/** The effort allowed of the one asked for, signed; 0 is rest. While it drives it is at least
 * `floor` at once, past the slew limit: a kick. on_off: the actuator knows full effort and none.
 * `hold_us` is the time passed, the longest configured step at the most. Tick. */
WPIN_API wpin_duty wpin_guard_pass(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                   wpin_duty effort, uint16_t floor, bool on_off,
                                   const wpin_measurement *m, uint16_t hold_us);
/** To zero at once. Tick. */
WPIN_API void wpin_guard_drop(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                              bool on_off);

#ifdef __cplusplus
}
#endif
#endif
