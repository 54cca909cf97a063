/** @file sensorless.h
 * Six-step commutation without sensors, for what begins to turn without a load: fans and pumps. An
 * actuator like any stage, so a motor on it has the same requests, guard, faults and stop.
 *
 *     static wpin_sensorless fan_phases;
 *     static const WPIN_FLASH wpin_sensorless_step fan_ramp[] = {{1180, 2100}, {489, 2240}, ...};
 *     static const WPIN_FLASH wpin_sensorless_config phases_config = {
 *         .stage = &stage_config,                   its table: wpin_table_three_phase_bridge, ...
 *         .above = {14, 15, 16},                    pins of the comparators of leads a, b, c
 *         .ramp = fan_ramp, .ramp_count = 24, .align_ms = 300, .rest_ms = 1500,
 *         .least_duty = 1600, .least_us = 300};
 *     // in the motor's configuration:
 *     WPIN_ON_SENSORLESS(&fan_phases, &phases_config),
 *     // the interrupt in the middle of the on part of each PWM period:
 *     void on_pwm_middle(void) {
 *         wpin_sensorless_sample(&fan_phases);
 *     }
 *
 * In each sector one lead is free. Its comparator says whether it is above or below the neutral
 * point (three equal resistors from the leads): where its back-emf passes zero the rotor is in the
 * middle of the sector, and half a sector later the next row is due. At rest there is no back-emf,
 * so a start goes by the clock: two rows pull the rotor to a known place (align), the steps of a
 * ramp take it along (open loop), and from the end of the ramp on the crossings lead (hand-over).
 * No crossing where one is due, or one too soon: the step is lost, everything off, and after a rest
 * it starts anew. windpin export works the figures out from the rig.
 *
 * Source of the method: e.g. Krishnan, "Permanent Magnet Synchronous and Brushless DC Motor
 * Drives", ch. 15.
 */
#ifndef WINDPIN_SENSORLESS_H
#define WINDPIN_SENSORLESS_H

#include "actuator.h"
#include "api.h"
#include "quadrature.h"

#ifdef __cplusplus
extern "C" {
#endif

/** A sector of the open-loop ramp. */
typedef struct wpin_sensorless_step {
    uint16_t time; /**< How long, in 16 us, above 0; the last one up to 4095. */
    uint16_t duty; /**< Up to WPIN_DUTY_FULL, above 0; of the first also while it aligns. */
} wpin_sensorless_step;

/** Everything constant about it. The caller keeps it alive. */
typedef struct wpin_sensorless_config {
    const WPIN_FAR wpin_stage_config *stage; /**< Its table has the rows WPIN_DRIVE_SECTOR to + 5
                                                  one after the other, none with a mode line. */
    wpin_pin above[3]; /**< Pins of the comparators of leads a, b and c: high, the lead is above the
                            neutral point. */
    const WPIN_FAR wpin_sensorless_step *ramp; /**< The open loop, sector by sector. */
    uint8_t ramp_count;                        /**< At least 1. */
    uint8_t tries;     /**< Starts in a row that may fail, 1 to 255; the last of them is
                            WPIN_FAULT_NO_MOTION. 0: 3. */
    uint8_t advance;   /**< Commutates so much sooner, 1/256 of a sector, up to 120. */
    uint16_t align_ms; /**< With each of two rows, 1 to 60000. */
    uint16_t rest_ms;  /**< From a lost step, or a stop, to the next start, 1 to 60000: the rotor
                            runs down. */
    uint16_t
        least_duty;    /**< Once it runs, no less than this: slower there is no crossing to see. */
    uint16_t least_us; /**< No true sector is shorter, above 0. */
} wpin_sensorless_config;

/** What it is doing. */
typedef enum wpin_sensorless_state {
    WPIN_SENSORLESS_OFF,
    WPIN_SENSORLESS_ALIGN,
    WPIN_SENSORLESS_RAMP, /**< In the open loop. */
    WPIN_SENSORLESS_RUN,  /**< By its crossings. */
    WPIN_SENSORLESS_REST  /**< It coasts before it starts anew, after a lost step or a stop. */
} wpin_sensorless_state;

/** At work. Zero before its first use; placed by the caller, the fields are its own. */
typedef struct wpin_sensorless {
    wpin_stage stage;
    const WPIN_FAR wpin_sensorless_config *config;
    wpin_quadrature counts;  /**< Of the crossings, six in an electrical turn: of an encoder with
                                  .kinds = 3. In the open loop nothing is counted. */
    wpin_moment since;       /**< When the state, or in RAMP and RUN the sector, began. */
    wpin_moment crossed_at;  /**< The last crossing. */
    uint16_t sector_us;      /**< The length of a sector, of late. */
    uint16_t wanted;         /**< The duty asked for. */
    uint16_t lost;           /**< Steps lost since it was opened; stops at 65535. */
    volatile uint8_t state;  /**< A wpin_sensorless_state. */
    volatile uint8_t failed; /**< What the port refused in the interrupt: a wpin_status. */
    volatile int8_t direction;
    uint8_t sector; /**< In which the rotor should be, 0 to 5. */
    uint8_t step;   /**< Of align (0, 1) and ramp. */
    uint8_t good;   /**< Crossings since the hand-over, up to WPIN_SENSORLESS_SURE. */
    uint8_t starts; /**< In a row without coming to run. */
    bool crossed;   /**< In this sector. */
    bool ran;       /**< It may still turn: let go less than rest_ms ago, since `since`. */
    wpin_beat beat; /**< Of the interrupt. */
} wpin_sensorless;

/** So many crossings one after the other, and a start counts as one that came to run. */
#define WPIN_SENSORLESS_SURE 24

/** For wpin_motor_config.actuator: see WPIN_ON_SENSORLESS. Opening it is refused like a stage, and
 * _CONFIG (the table has not the six rows, two comparators on one pin, a figure out of range),
 * _PORT (it can't read pins). While it starts it shows what that takes, and the effort asked for
 * waits (the motor is RAMPING); once it runs surely the effort ramps up from zero, and it shows
 * that, but at least least_duty. Its poll says WPIN_FAULT_NO_MOTION after the last try,
 * and _LATE. */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_sensorless_actuator;

/** The three fields of a motor's configuration that name it. */
#define WPIN_ON_SENSORLESS(sensorless, sensorless_config)                                          \
    .actuator = &wpin_sensorless_actuator, .part = (sensorless), .part_config = (sensorless_config)

/** The middle of the on part of a PWM period: reads the free lead's comparator, and commutates when
 * it is time. A missed one costs accuracy only; away for 1.5 ms while it is driven, it is
 * WPIN_FAULT_LATE. Returns what the port refused, which the next tick makes a fault, or WPIN_OK.
 * Fast; the port's read is called from there. */
WPIN_API wpin_status wpin_sensorless_sample(wpin_sensorless *sensorless);

/** What it is doing. Any. */
WPIN_API wpin_sensorless_state wpin_sensorless_doing(const wpin_sensorless *sensorless);

#ifdef __cplusplus
}
#endif
#endif
