/** @file part_driver.h
 * Drivers: by which logic they turn levels into states of their legs, their transistors and limits.
 * Quantities as in parts.h. Host only.
 */
#ifndef WINDPIN_PART_DRIVER_H
#define WINDPIN_PART_DRIVER_H

#include "part_supply.h"

#ifdef __cplusplus
extern "C" {
#endif

/** By which logic a driver turns the levels on its inputs into leg states. The inputs are numbered
 * in the order given; one that floats or is not wired reads low. */
typedef enum wpin_logic {
    /** direction, pwm, brake: brake shorts; else PWM high drives; else the off phase. */
    WPIN_LOGIC_DIRECTION_PWM_BRAKE,
    /** direction, pwm: PWM high drives; else the off phase. */
    WPIN_LOGIC_DIRECTION_PWM,
    /** in1, in2: both low free, both high short, else drives the way of the high one. */
    WPIN_LOGIC_TWO_INPUTS,
    /** in1, in2, enable: enable low is the off phase; else as two inputs. */
    WPIN_LOGIC_TWO_INPUTS_ENABLE,
    /** in1, in2, enable, standby: standby low is free; else as before. */
    WPIN_LOGIC_TWO_INPUTS_ENABLE_STANDBY,
    /** input, pwm, standby: standby low is free; PWM high drives leg A by the input and leg B by
     * its inverse; PWM low shorts. */
    WPIN_LOGIC_DIRECTION_PWM_STANDBY,
    /** a, b, enable: enable low is free; else each leg follows its input. */
    WPIN_LOGIC_HALF_BRIDGES,
    /** a-high, a-low, b-high, b-low: each switch by itself; both of a leg is a short. */
    WPIN_LOGIC_FULL_BRIDGE,
    /** gate: one switch to ground; the motor's other end is on the supply. */
    WPIN_LOGIC_LOW_SIDE,
    /** gate: one switch to the supply, on while the gate is low; the other end is on ground. */
    WPIN_LOGIC_HIGH_SIDE,
    /** coil: a contact to the supply; the motor's other end is on ground. */
    WPIN_LOGIC_RELAY,
    /** a, b: two changeover contacts, to ground at rest, to the supply when on. */
    WPIN_LOGIC_TWO_RELAYS,
    /** pulse: a controller of its own that drives by the width of servo-style pulses. */
    WPIN_LOGIC_SERVO_PULSE,
    /** a1, a2, b1, b2: two bridge channels, each as two inputs, with a winding each. */
    WPIN_LOGIC_DUAL_BRIDGE,
    /** a1, a2, a-enable, b1, b2, b-enable: the same, each with an enable. */
    WPIN_LOGIC_DUAL_BRIDGE_ENABLE,
    /** a-high, a-low, b-high, b-low, c-high, c-low: three legs, each switch by itself; both of a
     * leg is a short. For a brushless motor, as the next. */
    WPIN_LOGIC_THREE_PHASE_BRIDGE,
    /** a, a-enable, b, b-enable, c, c-enable: enable low is off; else each leg follows its input.
     */
    WPIN_LOGIC_THREE_HALF_BRIDGES,
    /** no lines: a drive that regulates by itself and is told over a field bus. */
    WPIN_LOGIC_FIELD_BUS,
    WPIN_LOGIC_COUNT
} wpin_logic;

/** What a logic makes of a driver; all false: a bridge of two legs. */
typedef struct wpin_logic_traits {
    bool one_switch;     /**< One switch stands in the load's path, not two... */
    bool wire_a, wire_b; /**< ...and this end of the load is on supply or ground for good. */
    bool channels;       /**< Two bridges, one for each winding of a stepper. */
    bool phases;         /**< Three legs, for a brushless motor. */
    bool commutates; /**< A whole driver: there are such with three legs that commutate a brushless
                        motor by themselves. */
    bool chooses;    /**< What it does while PWM is low is its own affair (off-phase); of the others
                        the rows of the stage say it. */
    bool own;        /**< A controller of its own drives as it thinks fit... */
    bool pulses;     /**< ...told by servo-style pulses, */
    bool frames;     /**< or over a field bus: it measures, too, and says so. */
} wpin_logic_traits;

/** The traits of a logic. */
WPIN_API const wpin_logic_traits *wpin_logic_of(wpin_logic logic);

/** Most inputs a driver has. */
#define WPIN_DRIVER_INPUTS 6

/** Inputs of a chip with direction, PWM and brake. */
enum { WPIN_DRIVER_INPUT_DIRECTION, WPIN_DRIVER_INPUT_PWM, WPIN_DRIVER_INPUT_BRAKE };

/** What the chip does while PWM is low. */
typedef enum wpin_off_phase {
    WPIN_OFF_SLOW, /**< The low side of the return leg stays on; current free-wheels. */
    WPIN_OFF_FAST, /**< All switches off; current returns to the supply through diodes. */
    WPIN_OFF_SHORT /**< Both low sides on; the motor is shorted. */
} wpin_off_phase;

/** A single transistor as a switch, driven by a pin. */
typedef enum wpin_transistor {
    WPIN_TRANSISTOR_NONE, /**< A chip: its inputs see to that. */
    WPIN_TRANSISTOR_NPN,  /**< Bipolar or Darlington, to ground. */
    WPIN_TRANSISTOR_NFET, /**< Field-effect, to ground. */
    WPIN_TRANSISTOR_PFET  /**< Field-effect, to the supply. */
} wpin_transistor;

/** How a transistor is driven. Unused values are 0. */
typedef struct wpin_part_gate {
    wpin_transistor kind;
    double base_ohms, base_volts, gain; /**< Bipolar: base resistor, V_BE, least current gain. */
    double threshold, stated_at, limit; /**< Field-effect: threshold, gate voltage its on-resistance
                                             is stated for, gate voltage it survives, V. */
    double clamp_volts; /**< Of a p-channel one: between gate and source; 0: none. */
    bool shifter;       /**< The same: a resistor pulls the gate to the supply, a small transistor
                             down; the pin that drives that one drives the other way round. */
} wpin_part_gate;

/** An input with a light-emitting diode behind a resistor: an opto-coupler, a solid-state relay. */
typedef struct wpin_part_opto {
    double forward_volts; /**< Of the diode, V. */
    double series_ohms;   /**< Its resistor, ohm. */
    double least_amps;    /**< Current that switches it, A; 0: no such input. */
} wpin_part_opto;

/** What a high pin drives into the base of a bipolar switch, and through the diode of an opto
 * input, A. Any. */
WPIN_API double wpin_part_base_amps(const wpin_part_controller *controller,
                                    const wpin_part_gate *gate);
WPIN_API double wpin_part_opto_amps(const wpin_part_controller *controller,
                                    const wpin_part_opto *opto);

/** A bridge chip with two legs. */
typedef struct wpin_part_driver {
    const char *name; /**< For messages; copied. */
    wpin_logic logic;
    wpin_off_phase off_phase;
    double on_resistance;     /**< Of each switch, ohm. */
    double diode_volts;       /**< Forward drop of each free-wheel diode, V. */
    double diode_resistance;  /**< Slope of each diode, ohm. */
    double diode_limit;       /**< Mean current each diode survives, A; 0: as much as the switch. */
    double diode_recovery;    /**< Time a diode takes to block, s: a short for that long each time
                                   a switch takes its current over. */
    double input_resistance;  /**< Of each input to ground, ohm. */
    double burns_above_amps;  /**< Motor current it does not survive, A... */
    double burns_after;       /**< ...when it lasts this long, s. */
    double burns_above_volts; /**< Supply voltage it does not survive, V. */
    bool interlock;           /**< Its own logic keeps the sides of a leg apart. */
    double sense_volts_per_amp; /**< Current sense output, V/A of motor current; 0: none. */
    double sense_filter;        /**< Time constant of the sense filter, s. */
    double sense_noise;         /**< Of the sense output, from tip to tip, V. */
    double sense_zero;          /**< Of one that shows which way the current goes: its volts at
                                     none; 0: it shows the size alone. */
    double sense_off;           /**< And how far off that it truly is, V. */
    double saturation_volts;    /**< Drop of each switch besides its resistance (bipolar), V. */
    bool no_diodes;             /**< The free-wheel diodes are missing. */
    double contact_delay;       /**< Relays: from coil to contact, s. */
    double contact_bounce;      /**< Relays: how long the contact bounces, s. */
    bool latches;               /**< An output of triacs on direct current: once on it stays on
                                     for as long as current flows. */
    double dead_time;           /**< Its own, between the sides of a leg, s. */
    bool protects;              /**< Above its current limit it switches off for 10 ms instead of
                                     burning; above its heat limit until it is 20 K cooler. */
    wpin_part_heat heat;        /**< Of the whole driver. */
    double input_high;          /**< Level its inputs need to read high, V; 0: half the logic. */
    double least_volts;         /**< Below this on its supply it is off, V. */
    double switch_time;      /**< Time a side takes to turn off, s: less dead time than this makes
                                  both sides conduct. */
    double bootstrap_time;   /**< Its high sides stay on for this long at most, s; 0: for ever. */
    double bootstrap_charge; /**< And need so long with their end at ground to begin with, s. */
    bool not_ready;          /**< A jumper or switch keeps it off. */
    wpin_part_gate gate;     /**< Of a single transistor. */
    wpin_part_opto opto;     /**< Of each input. */
    double coil_ohms;        /**< A relay whose coil is on the pin itself: its resistance, ohm... */
    double coil_volts;       /**< ...and the volts that close it. 0: a transistor drives it. */
    double motor_farads;     /**< Capacitor across the motor, F. */
    double pulse_zero;       /**< Servo-style pulses: width it takes as neutral, s; 0: 1.5 ms. */
    double pulse_swing;      /**< Change of width it takes as full, s; 0: 0.5 ms. */
} wpin_part_driver;

#ifdef __cplusplus
}
#endif
#endif
