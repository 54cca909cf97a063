/** @file part_motor.h
 * Motors, brushed and brushless, with gear and load; and what senses how they turn. Quantities as
 * in parts.h. Host only.
 */
#ifndef WINDPIN_PART_MOTOR_H
#define WINDPIN_PART_MOTOR_H

#include "part_supply.h"

#ifdef __cplusplus
extern "C" {
#endif

/** A motor with gear and load. Torques and inertia on the motor shaft unless said. Of a brushless
 * one R and L are between two leads and K is the peak of the voltage between two leads: while two
 * phases carry the current it is a brushed motor of these figures. */
typedef struct wpin_part_motor {
    const char *name;     /**< For messages; copied. */
    double resistance;    /**< R, ohm. */
    double inductance;    /**< L, H. */
    double constant;      /**< K, V s/rad = Nm/A. */
    double pole_pairs;    /**< Of a brushless motor; 0: a brushed one. */
    bool sinusoidal;      /**< Its voltage is a sine; otherwise flat for 120 degrees. */
    bool delta;           /**< Its windings are in a delta; otherwise in a star. */
    double cogging;       /**< Of a brushless one: torque of the magnet on the teeth at its most, a
                             sine of the angle, zero where that is, Nm... */
    double cogging_steps; /**< ...with so many periods in a turn. */
    double inertia;       /**< J of rotor and gear, kg m2. */
    double static_friction;  /**< Torque that holds the shaft at rest, Nm. */
    double dry_friction;     /**< Torque against any motion, Nm; at most static_friction. */
    double viscous_friction; /**< Nm s/rad. */
    double gear_ratio;       /**< Motor turns per output turn, above 0. */
    double gear_efficiency;  /**< 0 (excluded) to 1. */
    double load_torque;      /**< At the output, against any motion, Nm. */
    double load_viscous;     /**< At the output, Nm s/rad. */
    double load_quadratic;   /**< At the output, Nm s2/rad2 (a fan). */
    double load_inertia;     /**< At the output, kg m2. */
    double stop_low;         /**< End stops, turns of the output; both 0: none. */
    double stop_high;
    double start_turns;  /**< Where the output stands at the start, turns. */
    wpin_part_heat heat; /**< Of the winding. */
} wpin_part_motor;

/** Motor and load as one, on the motor's own shaft. */
typedef struct wpin_at_shaft {
    double holds;     /**< Torque that holds it at rest, at the most: with its cogging, Nm. */
    double drags;     /**< Torque against all motion, Nm. */
    double viscous;   /**< Nm s/rad. */
    double quadratic; /**< Nm s2/rad2. */
    double inertia;   /**< kg m2. */
} wpin_at_shaft;

/** What is at the output through the gear: speeds by its ratio, torques by ratio and efficiency.
 * Any. */
WPIN_API wpin_at_shaft wpin_part_at_shaft(const wpin_part_motor *motor);
/** The speed of a motor's own shaft, rad/s, at so many rpm of its output; and back. Any. */
WPIN_API double wpin_part_shaft_speed(const wpin_part_motor *motor, double rpm);
WPIN_API double wpin_part_output_rpm(const wpin_part_motor *motor, double speed);
/** Torque against it at a speed of its own shaft, w rad/s. Any. */
WPIN_API double wpin_part_drag(const wpin_at_shaft *shaft, double w);

/** An encoder or tacho on a motor's shaft: a counter of the controller. */
typedef struct wpin_part_encoder {
    double counts;    /**< Edges a turn of the shaft it sits on, all channels together, above 0. */
    bool at_output;   /**< It sits behind the gear. */
    bool one_channel; /**< Counts up, whichever way it turns. */
    bool reversed;    /**< Counts down while the motor turns forward. */
    double uneven;    /**< Edges are this share of their distance off their places, from tip to tip,
                           the same in every turn; 0 to 0.5. */
    bool no_moments;  /**< The counter does not know when its edges came. */
} wpin_part_encoder;

/** Three Hall sensors on the shaft of a brushless motor, each an open collector with a pull-up.
 * Sensor a is high from 30 to 210 electrical degrees, counted from where the voltage of phase A
 * rises through zero; b and c follow 120 (or 60) degrees apart. */
typedef struct wpin_part_hall {
    bool inverted; /**< Each shows the opposite. */
    bool sixty;    /**< 60 degrees apart instead of 120. */
    double off[3]; /**< Each is so far off its place, electrical degrees. */
    double
        hysteresis; /**< Each changes so much later, whichever way it turns, electrical degrees. */
    bool at_driver; /**< Wired to the driver, which commutates by them, and to no pin. */
} wpin_part_hall;

/** Three comparators on the leads of a brushless motor, each high while its lead is above the
 * neutral point that three equal resistors make. */
typedef struct wpin_part_comparators {
    double offset[3]; /**< Each lead counts as so many volts more, -1 to 1 (dividers, the comparator
                           itself). */
} wpin_part_comparators;

/** Shunts in the three legs of a driver, each with an amplifier that tells current into the motor
 * as volts above those of no current. */
typedef struct wpin_part_shunts {
    double volts_per_amp; /**< Above 0. */
    double zero_volts;    /**< At no current. */
    double off[3];        /**< Each is so much off that, V. */
    double noise;         /**< From tip to tip, V. */
    bool in_leads;        /**< In the motor's leads: it tells at any time. Otherwise under the low
                               sides: it tells while its low side conducts, and no current beside. */
} wpin_part_shunts;

/** What wpin_sim_add_shunts is told of a leg without one. */
#define WPIN_PART_NO_SHUNT 255

/** The three phases of a brushless motor at one instant. */
typedef struct wpin_part_phases {
    double degrees; /**< Electrical, 0 to 360: see wpin_part_hall. */
    double amps[3]; /**< Into leads a, b, c, A. */
    double emf[3];  /**< Of each phase against the star point, V. */
    double torque;  /**< In the air gap, Nm. */
} wpin_part_phases;

/** Its currents in the frame of its rotor (Clarke, Park), of a lead's tip, A: along the magnet, and
 * across it, which makes the torque; positive forward. */
WPIN_API void wpin_part_in_frame(const wpin_part_phases *phases, double *along, double *across);

#ifdef __cplusplus
}
#endif
#endif
