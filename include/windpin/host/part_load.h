/** @file part_load.h
 * What else is driven: an axis on a field bus, a lamp, a solenoid, a stepper. Quantities as in
 * parts.h. Host only.
 */
#ifndef WINDPIN_PART_LOAD_H
#define WINDPIN_PART_LOAD_H

#include "part_supply.h"

#ifdef __cplusplus
extern "C" {
#endif

/** An object of a drive beside those of the profile. */
typedef struct wpin_part_object {
    uint16_t index;
    uint8_t sub, size; /**< Bytes: 1, 2 or 4. */
    int64_t value;     /**< At first. */
} wpin_part_object;

#define WPIN_PART_OBJECTS 40

/** What a drive on a field bus has of its own, its motor and its stage apart. */
typedef struct wpin_part_axis {
    uint8_t number;       /**< Of its node, 1 to 127. */
    double counts;        /**< Of its encoder in a turn of the motor's own shaft. */
    double rated_amps;    /**< What it counts currents in. */
    unsigned switches;    /**< On its case, bit n: switch n + 1 is down. */
    double velocity_unit; /**< Counts a second of one of its units of velocity; 0: 1. */
    int logic_supply;     /**< What feeds its own controller; -1: what feeds its stage. */
    const wpin_part_object *objects; /**< It has these too, where it lacks them or they are of its
                                          make (2000h to 5FFFh); copied. */
    size_t object_count;             /**< At most WPIN_PART_OBJECTS. */
} wpin_part_axis;

/** What went over a field bus since the start. */
typedef struct wpin_part_bus_use {
    double frames, bits;
    unsigned missed; /**< Frames that came while the controller had no room for them. */
} wpin_part_bus_use;

/** A filament lamp or a strip of light-emitting diodes. */
typedef struct wpin_part_lamp {
    const char *name;     /**< For messages; copied. */
    double volts;         /**< Rated; diodes: at which they draw their rated power. */
    double watts;         /**< Rated. */
    double cold_share;    /**< Filament: cold resistance as a share of the hot one, 0 to 1; 1: none
                               of that. */
    double warm_up;       /**< Filament: time to glow, s. */
    double forward_volts; /**< Diodes: they take nothing below this, V; 0: a filament. */
} wpin_part_lamp;

/** A solenoid: a coil with a plunger. */
typedef struct wpin_part_solenoid {
    const char *name;    /**< For messages; copied. */
    double resistance;   /**< Of the coil, ohm. */
    double inductance;   /**< H. */
    double pull_in;      /**< Current that draws the plunger in, A... */
    double pull_in_time; /**< ...when it flows for this long, s. */
    double drop_out;     /**< Below this current for a millisecond the plunger falls back, A. */
    wpin_part_heat heat; /**< Of the coil. */
} wpin_part_solenoid;

/** A bipolar stepper with two windings. Without current it turns freely but for friction. */
typedef struct wpin_part_stepper {
    const char *name;        /**< For messages; copied. */
    double steps_per_rev;    /**< Full steps, a multiple of 4. */
    double resistance;       /**< Of each winding, ohm. */
    double inductance;       /**< Of each winding, H. */
    double rated_amps;       /**< Of each winding, A. */
    double holding_torque;   /**< With both windings at rated_amps, Nm. */
    double inertia;          /**< Of rotor and load, kg m2. */
    double dry_friction;     /**< Of rotor and load, Nm. */
    double viscous_friction; /**< Nm s/rad. */
    wpin_part_heat heat;     /**< Of both windings together. */
} wpin_part_stepper;

#ifdef __cplusplus
}
#endif
#endif
