/** @file part_supply.h
 * Controllers, supplies, regulators, and what warms, as their data sheets say. Quantities as in
 * parts.h. Host only.
 */
#ifndef WINDPIN_PART_SUPPLY_H
#define WINDPIN_PART_SUPPLY_H

#include "../api.h"
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The controller: its pins and timers. */
typedef struct wpin_part_controller {
    double logic_volts;       /**< Level of a high pin without load, V. */
    double pin_resistance;    /**< Output resistance of a pin, ohm. */
    double pin_burns_above;   /**< Current a pin does not survive, A. */
    double timer_hz;          /**< Clock of the PWM timers, Hz; divided by 1, 2, 4 ... 1024. */
    uint32_t timer_steps_max; /**< Longest period in timer steps, e.g. 65536. */
    uint32_t clock_start;     /**< Reading of the microsecond clock at the start. */
} wpin_part_controller;

/** Duty steps that a timer has at a PWM frequency, and the frequency it then really has. 0 when
 * it can not make it. */
WPIN_API uint32_t wpin_part_timer_steps(const wpin_part_controller *controller, double hz,
                                        double *achieved);

/** A motor supply. */
typedef struct wpin_part_supply {
    const char *name;   /**< For messages; copied. */
    double volts;       /**< Open voltage. */
    double resistance;  /**< Internal, ohm. */
    bool on;            /**< Position of its switch at the start. */
    double limit_amps;  /**< It cuts out above this for 10 ms and comes back a second later; 0: no
                             limit. */
    double capacitance; /**< It can not take current back: what returns charges this, F. 0: it can,
                             like a battery. */
    bool reversed;      /**< Plus and minus are swapped. */
    bool droops;        /**< At its limit the voltage droops instead of cutting out: a weak port. */
    double capacity;    /**< Of cells, As: the open voltage falls evenly to... 0: never. */
    double empty_volts; /**< ...this when it is used up, and then to nothing. */
} wpin_part_supply;

/** A regulator or converter that makes one supply from another. */
typedef struct wpin_part_regulator {
    const char *name;       /**< For messages; copied. */
    int from;               /**< Number of the supply it is fed from. */
    double volts;           /**< What it makes. Above its input's volts it is a boost converter. */
    double resistance;      /**< Of its output, ohm. */
    double capacitance;     /**< At its output, F: it can't take current back, so this is charged;
                                 above its input the rest goes on there through its diode (not of a
                                 boost converter). 0: it takes it. */
    double headroom;        /**< It needs this much more at its input, V; a boost converter none. */
    double least_input;     /**< Below this at its input it gives nothing, V. */
    bool switching;         /**< Passes on power; otherwise linear, and passes on current. */
    double efficiency;      /**< Of a switching one, 0 (excluded) to 1. */
    double limit_amps;      /**< It lets its voltage droop above this; 0: no limit. */
    double heat_resistance; /**< To the air, K/W: at 150 degC it shuts itself down until it has
                                 cooled to 130; 0: stays cold. */
    double heat_time;       /**< Thermal time constant, s. */
} wpin_part_regulator;

/** How a part heats: its temperature above 25 degC follows power x resistance. */
typedef struct wpin_part_heat {
    double resistance; /**< To the air, K/W; 0: it stays cold. */
    double time;       /**< Time constant, s. */
    double limit;      /**< Temperature it does not survive, degC. */
    bool drifts;       /**< Of a winding: its resistance rises by 0.393 %/K, and a motor's constant
                            falls by 0.1 %/K (magnets that warm half as much). */
} wpin_part_heat;

/** A thermistor from an analogue input to ground, below a resistor to the logic supply: the reading
 * falls as it warms. */
typedef struct wpin_part_thermistor {
    double ohms;    /**< At 25 degC. */
    double beta;    /**< Of its ohms over the temperature, K. */
    double pull_up; /**< That resistor, ohm. */
} wpin_part_thermistor;

/** Volts at the input at a temperature, degC: R = ohms exp(beta (1 / T - 1 / 298.15 K)) in a
 * divider below pull_up. */
WPIN_API double wpin_part_thermistor_volts(const wpin_part_thermistor *part, double degrees,
                                           double logic_volts);

#ifdef __cplusplus
}
#endif
#endif
