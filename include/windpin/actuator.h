/** @file actuator.h
 * The far end of the one path: what a motor drives. A power stage is one, a stepper another; a
 * drive on a bus can be. All keep the same promises, and every call can fail.
 */
#ifndef WINDPIN_ACTUATOR_H
#define WINDPIN_ACTUATOR_H

#include "api.h"
#include "measurement.h"
#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What a set-point says how much of. */
typedef enum wpin_quantity {
    WPIN_QUANTITY_EFFORT = 0, /**< Duty: -WPIN_DUTY_FULL to WPIN_DUTY_FULL. */
    WPIN_QUANTITY_TORQUE,     /**< Share of the torque at rated current, the same scale. */
    WPIN_QUANTITY_SPEED,      /**< As wpin_measurement.speed. */
    WPIN_QUANTITY_POSITION,   /**< As wpin_measurement.position. */
    WPIN_QUANTITY_COUNT
} wpin_quantity;

/** In place of a position, to an actuator that finds its home by itself: that it does. */
#define WPIN_POSITION_HOME INT32_MIN

/** The bit of a quantity in wpin_actuator.takes. */
#define WPIN_TAKES(quantity) ((uint8_t)(1U << (quantity)))

/** @name What an actuator can do: bits of wpin_actuator.traits()
 * @{ */
#define WPIN_CAN_COAST   ((uint8_t)1)
#define WPIN_CAN_BRAKE   ((uint8_t)2)
#define WPIN_CAN_FORWARD ((uint8_t)4)
#define WPIN_CAN_REVERSE ((uint8_t)8)
#define WPIN_IS_ON_OFF   ((uint8_t)16) /**< Full effort or none. */
#define WPIN_IS_PULSE    ((uint8_t)32) /**< Another controller drives, by servo-style pulses. */
/** @} */

/** Whether the interrupt that an actuator lives on still comes. Its fields are the actuator's own.
 */
typedef struct wpin_beat {
    volatile uint8_t came; /**< Since the last tick. */
    uint16_t away_us;      /**< It has not for so long, while it was driven. */
} wpin_beat;

/** The table of an actuator's functions; `self` is the object behind it. */
typedef struct wpin_actuator {
    uint8_t takes; /**< WPIN_TAKES bits: the quantities it takes itself. To a position it goes by
                        ramps of its own; a speed or torque is led and guarded as an effort is. */
    bool stage;    /**< Of wpin_stage_actuator alone. */
    /** Checks, and opens in the safe state; nothing moves. Refused: closed, and its pins at rest.
     * Init. */
    wpin_status (*open)(void *self, const WPIN_FAR void *config, const wpin_port *port);
    /** Safe state; takes no more orders. Init and tick. */
    wpin_status (*close)(void *self);
    /** What it can do, once open. Init. */
    uint8_t (*traits)(const void *self);
    /** Drives; of effort, speed and torque never by 0. What takes no effort gets one where a speed
     * or torque comes down because nothing is asked any more: it goes on as before. Tick. */
    wpin_status (*put)(void *self, uint8_t quantity, int32_t value);
    /** At rest, as said: WPIN_DRIVE_COAST or _BRAKE. Works also after off. Tick. */
    wpin_status (*idle)(void *self, wpin_drive how);
    /** The effort shown now, signed. Any context. */
    wpin_duty (*shown)(const void *self);
    /** Everything at rest at once; nothing turns on again until idle. Any context. */
    void (*off)(void *self);
    /** Of one that takes position or speed: begins to come to rest by its own ramp; true once it
     * stands. NULL otherwise. Tick. */
    bool (*stop)(void *self);
    /** Adds what it knows (position, speed) to the snapshot, and says what failed. NULL: nothing.
     * Tick. */
    wpin_status (*poll)(void *self, wpin_measurement *measurement);
    /** Turns an angle, 1/1000 degree, into a position to go to: by this much from where it is to
     * end up, or to it. NULL: it knows no angles. Any context. */
    wpin_status (*angle)(void *self, int32_t millidegrees, bool by, int32_t *position);
    /** The motor's fault is to be cleared: asks what drives to forget one of its own, which may
     * take it a moment. NULL: it has none. Tick. */
    wpin_status (*clear)(void *self);
    /** Of one that finds its home by itself: true once it has, after it was put to
     * WPIN_POSITION_HOME; the position that it measures counts from there then. NULL: it does not.
     * Tick. */
    bool (*homed)(void *self);
} wpin_actuator;

/** A power stage (bridge, transistor, relay, servo-style pulse): effort by its truth table. */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_stage_actuator;

/** The three fields of a motor's configuration that name a stage: WPIN_ON_STAGE(&stage, &config).
 */
#define WPIN_ON_STAGE(stage, stage_config)                                                         \
    .actuator = &wpin_stage_actuator, .part = (stage), .part_config = (stage_config)

#ifdef __cplusplus
}
#endif
#endif
