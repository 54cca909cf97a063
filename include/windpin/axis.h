/** @file axis.h
 * A motor behind a drive on a field bus that speaks CiA 402: an actuator of a motor like a stage.
 * It takes speeds, torques and positions, and none of them as a duty. The drive regulates; arming,
 * ramps, limits, reversal, time-outs, faults and stop are those of every motor, and the drive's own
 * besides.
 *
 *     static wpin_network network;
 *     static wpin_axis axis;
 *     static const WPIN_FLASH wpin_axis_config axis_config = {
 *         .network = &network, .number = 5, .full_speed = 3000, .full_current = 3200};
 *     static const WPIN_FLASH wpin_protection protections[] = {WPIN_AXIS_PROTECTION(&axis)};
 *     static const WPIN_FLASH wpin_motor_config config = {
 *         WPIN_ON_AXIS(&axis, &axis_config), WPIN_CLOSED_LOOP(&loop),
 *         .protections = protections, .protection_count = 1, .guard = {...}};
 *
 * After its init a motor's tick sets the drive up, without moving anything: it is found, asked what
 * it is, told which process data to send and what is in the settings, each of them read back, and
 * started. Until all of that is done, arming is refused with WPIN_FAULT_SILENT; where something of
 * it was refused, wpin_axis.trouble says what, and wpin_motor_clear_fault begins anew.
 *
 * At zero the drive is switched off (coast), or holds still under power (brake).
 */
#ifndef WINDPIN_AXIS_H
#define WINDPIN_AXIS_H

#include "actuator.h"
#include "api.h"
#include "network.h"
#include "protection.h"

#ifdef __cplusplus
extern "C" {
#endif

/** States of a drive by CiA 402, in the order in which they are gone through. */
typedef enum wpin_axis_state {
    WPIN_AXIS_UNKNOWN = 0, /**< It has not been heard. */
    WPIN_AXIS_NOT_READY,   /**< It starts up. */
    WPIN_AXIS_DISABLED,    /**< Switch on disabled. */
    WPIN_AXIS_READY,       /**< Ready to switch on: its power stage is off. */
    WPIN_AXIS_ON,          /**< Switched on. */
    WPIN_AXIS_ENABLED,     /**< Operation enabled: it drives. */
    WPIN_AXIS_QUICK_STOP,  /**< Quick stop active: it stops, or holds still. */
    WPIN_AXIS_REACTS,      /**< Fault reaction active. */
    WPIN_AXIS_FAULT,       /**< Fault. */
    WPIN_AXIS_STATE_COUNT
} wpin_axis_state;

/** An object that the drive is told at its start, and asked for again; or only asked for, where a
 * switch or another tool sets it. */
typedef struct wpin_setting {
    uint16_t index;
    uint8_t sub;
    uint8_t size; /**< Bytes: 1, 2 or 4. */
    uint32_t value;
    uint32_t asked; /**< Bits that must be as in `value` already: it is not told; 0: it is. */
} wpin_setting;

/** Everything constant about such a drive. The caller keeps it alive. */
typedef struct wpin_axis_config {
    wpin_network *network;    /**< Open, before the motor's init. */
    uint8_t number;           /**< Of its node, 1 to WPIN_NODE_MAX. */
    bool reversed;            /**< What is forward for the machine is negative for the drive. */
    bool any_source;          /**< Its status word does not say whether the bus commands it (bit 9,
                                   remote). */
    uint8_t position_every;   /**< Its place comes with each so many'th SYNC, up to 240; 0: 1. */
    uint8_t hold_still;       /**< A place is reached within so many of its units. */
    uint32_t full_speed;      /**< Velocity at a speed of 16384, in the drive's own units: 1 to
                                   WPIN_AXIS_SPEED_MAX. */
    uint16_t full_current;    /**< wpin_measurement.current at its rated current, up to 8191. */
    uint32_t profile_speed;   /**< Velocity on the way to a place, its units; 0: full_speed. */
    uint16_t lost_ms;         /**< Without process data for this long it is silent; 0: 100. */
    uint16_t heartbeat_ms;    /**< Of the drive, and it stops by itself without the network's for as
                                   long; 0: none. */
    uint16_t guard_ms;        /**< Instead of heartbeats it is asked for its state so often, and it
                                   stops by itself when it was not for three times as long; 0: not. */
    uint32_t vendor, product; /**< By its object 1018h; 0: any. */
    const WPIN_FAR wpin_setting *settings; /**< Or NULL. */
    uint8_t setting_count;
} wpin_axis_config;

/** Largest full_speed. */
#define WPIN_AXIS_SPEED_MAX ((uint32_t)1 << 30)

/** How far the drive is set up. */
typedef enum wpin_axis_setup {
    WPIN_AXIS_WAITS = 0, /**< For a moment, before it is looked for (again). */
    WPIN_AXIS_CALMS,     /**< It is told to stop: who knows what it does. */
    WPIN_AXIS_ASKS,      /**< What it is. */
    WPIN_AXIS_TELLS,     /**< An object. */
    WPIN_AXIS_CHECKS,    /**< The same object, read back. */
    WPIN_AXIS_STARTS,    /**< Its first process data are awaited. */
    WPIN_AXIS_SET_UP,    /**< Done. */
    WPIN_AXIS_REFUSED    /**< Something was refused: see wpin_axis_trouble. */
} wpin_axis_setup;

/** What went wrong while it was set up. */
typedef struct wpin_axis_trouble {
    uint8_t status; /**< WPIN_OK: nothing; _OBJECT (abort), _SILENT, _CONFIG (it is no such drive),
                         _CONFLICT (two nodes have its number), or _CAUSE: it says another
                         value than it was told, or has to have. */
    uint8_t sub;
    uint16_t index;
    uint32_t abort;       /**< See wpin_abort_text. */
    uint32_t wanted, got; /**< Values. */
} wpin_axis_trouble;

/** A drive at work. Placed by the caller; from the tick's context the fields may be read. */
typedef struct wpin_axis {
    const WPIN_FAR wpin_axis_config *config; /**< NULL: not open. */
    wpin_node node;
    uint8_t setup;   /**< wpin_axis_setup. */
    uint8_t step;    /**< Of it. */
    uint8_t boots;   /**< Of the node, when it was set up. */
    bool described;  /**< Its process data were, once. */
    uint32_t answer; /**< What an object was read to. */
    wpin_axis_trouble trouble;
    wpin_moment last;
    uint32_t waits_us; /**< Until it is looked for again; since its state is not the one wanted. */
    uint32_t lost_us;  /**< Since process data came, saturated. */
    uint32_t asked_us; /**< Since it was told to drive, saturated. */
    uint16_t status;   /**< Status word, 6041h. */
    uint16_t error;    /**< Its error code, 603Fh. */
    bool plain;        /**< Its actuator is wpin_plain_axis_actuator. */
    uint8_t state;     /**< wpin_axis_state. */
    int8_t mode;       /**< Of operation, as it says, 6061h... */
    int8_t wants_mode; /**< ...and as it should be. */
    uint8_t wants;     /**< wpin_axis_state: _READY, _QUICK_STOP or _ENABLED. */
    uint8_t safe;      /**< What off() does: _READY or _QUICK_STOP. */
    uint8_t resets;    /**< Its fault is being reset. */
    uint8_t flags;     /**< Its own. */
    uint8_t gentle; /**< The first place after a fault is gone to at half the speed: 1, it has yet
                       to be told; 2, it was. */
    volatile uint8_t cut; /**< off() was called, and not yet idle. */
    uint8_t synced;       /**< SYNC with which it was last sent something. */
    uint16_t control;     /**< Control word sent last. */
    uint16_t least;       /**< Size of its speed since it was told to stop quickly, at the least. */
    int16_t share;        /**< Speed or torque it is to have, 1/16384. */
    int32_t goal;         /**< Place it is to go to. */
    int32_t velocity;     /**< As it says, its units. */
    int16_t current;      /**< 1/1000 of its rated current. */
    int32_t position;     /**< As it says. */
    int32_t offset;       /**< To be added: wpin_axis_set_position. */
    uint16_t scale;       /**< From velocity to speed: x scale >> shift. */
    uint8_t shift;
} wpin_axis;

/** The actuator: it takes WPIN_QUANTITY_SPEED, _TORQUE (1/16384 of its rated torque) and _POSITION.
 */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_axis_actuator;

/** Of a plain drive, such as an inverter: it takes WPIN_QUANTITY_SPEED and nothing else, by CiA
 * 402's velocity mode (6042h to 604Ah, 16 bits, usually rpm: full_speed is up to 32767). */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_plain_axis_actuator;

/** The three fields of a motor's configuration that name a drive on a field bus. */
#define WPIN_ON_AXIS(axis, axis_config)                                                            \
    .actuator = &wpin_axis_actuator, .part = (axis), .part_config = (axis_config)
#define WPIN_ON_PLAIN_AXIS(axis, axis_config)                                                      \
    .actuator = &wpin_plain_axis_actuator, .part = (axis), .part_config = (axis_config)

/** @name For WPIN_AXIS_PROTECTION: WPIN_FAULT_SILENT, _DRIVE and _MASTER. Tick.
 * @{ */
WPIN_API wpin_status wpin_axis_check(void *axis, const WPIN_FAR void *config,
                                     const wpin_watched *w);
WPIN_API void wpin_axis_begin(void *axis);
/** @} */

/** An entry of a motor's list of protections. Without it such a motor can not be trusted. */
#define WPIN_AXIS_PROTECTION(axis)                                                                 \
    { .state = (axis), .check = wpin_axis_check, .reset = wpin_axis_begin }

/** Calls where it is `position`: for wpin_sense_config.place. Tick. */
WPIN_API void wpin_axis_set_position(void *axis, int32_t position);

/** The state of a drive by its status word. Any context. */
WPIN_API wpin_axis_state wpin_axis_state_of(uint16_t status_word);

/** Its name as in CiA 402. Never NULL. The texts lie in a file of their own. Any context. */
WPIN_API const WPIN_FAR char *wpin_axis_state_name(wpin_axis_state state);

#ifdef __cplusplus
}
#endif
#endif
