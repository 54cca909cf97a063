/** @file parts.h
 * What the parts on a bench are, as their data sheets say: motor, driver, supply, lamp, solenoid,
 * stepper, sensors; what they do; what can be wrong with them. Rigs are made of them, and sheets,
 * vetting, verdicts and simulated hardware count with them. All quantities SI (V, A, ohm, H, Nm,
 * kg m2, rad/s, s) unless the name says otherwise. Host only.
 */
#ifndef WINDPIN_PARTS_H
#define WINDPIN_PARTS_H

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
    double switch_time;    /**< Time a side takes to turn off, s: less dead time than this makes
                                both sides conduct. */
    double bootstrap_time; /**< Its high sides stay on for this long at most, s; 0: for ever. */
    bool not_ready;        /**< A jumper or switch keeps it off. */
    wpin_part_gate gate;   /**< Of a single transistor. */
    wpin_part_opto opto;   /**< Of each input. */
    double coil_ohms;      /**< A relay whose coil is on the pin itself: its resistance, ohm... */
    double coil_volts;     /**< ...and the volts that close it. 0: a transistor drives it. */
    double motor_farads;   /**< Capacitor across the motor, F. */
    double pulse_zero;     /**< Servo-style pulses: width it takes as neutral, s; 0: 1.5 ms. */
    double pulse_swing;    /**< Change of width it takes as full, s; 0: 0.5 ms. */
} wpin_part_driver;

/** A motor with gear and load. Torques and inertia on the motor shaft unless said. Of a brushless
 * one, with three windings in a star, R and L are between two leads and K is the peak of the
 * voltage between two leads: while two phases carry the current it is a brushed motor of these
 * figures. */
typedef struct wpin_part_motor {
    const char *name;     /**< For messages; copied. */
    double resistance;    /**< R, ohm. */
    double inductance;    /**< L, H. */
    double constant;      /**< K, V s/rad = Nm/A. */
    double pole_pairs;    /**< Of a brushless motor; 0: a brushed one. */
    bool sinusoidal;      /**< Its voltage is a sine; otherwise flat for 120 degrees. */
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

/** What a motor did since it was last asked. */
typedef struct wpin_part_reading {
    double seconds;      /**< How long that was. */
    double volts;        /**< Mean across the terminals, forward positive. */
    double amps;         /**< Mean current. */
    double amps_min;     /**< Lowest current. */
    double amps_max;     /**< Highest current. */
    double supply_amps;  /**< Mean current out of the supply for this motor. */
    double supply_volts; /**< Supply voltage now. */
    double rpm;          /**< Output speed now. */
    double rpm_mean;     /**< Mean output speed. */
    double turns;        /**< Output turns since the start. */
    double amps_now;     /**< Current now; of a stepper the larger of its two, without sign. */
    double effect;       /**< A lamp's light as a share of the rated; a solenoid's plunger, 1 in. */
    double degrees;      /**< Temperature of winding or coil, degC. */
    double driver_degrees; /**< Temperature of the driver, degC. */
} wpin_part_reading;

/** Which part of a board: number of a pin, of a driver (wpin_sim_add_bridge), of what is connected
 * to one.
 */
typedef struct wpin_part_id {
    enum { WPIN_ID_PIN, WPIN_ID_DRIVER, WPIN_ID_LOAD } kind;
    int number;
} wpin_part_id;

/** Something that burnt. */
typedef struct wpin_part_burn {
    double at;        /**< When, s since the start. */
    wpin_part_id of;  /**< Which part... */
    char part[64];    /**< ...in words. */
    char reason[160]; /**< Why, in words. */
} wpin_part_burn;

/** Something worth knowing that burnt nothing. */
typedef struct wpin_part_event {
    double at;      /**< When, s since the start. */
    char part[64];  /**< Which part. */
    char what[160]; /**< What happened, in words. */
    unsigned more;  /**< How often the same happened again later. */
} wpin_part_event;

/** Faults put into the board on purpose. */
typedef enum wpin_part_fault {
    WPIN_PART_FAULT_SUPPLY_DEAD,    /**< A supply gives nothing, whatever its switch says. */
    WPIN_PART_FAULT_SUPPLY_WEAK,    /**< Ten times its resistance and an ohm more. */
    WPIN_PART_FAULT_STALLED,        /**< A motor's shaft is held. */
    WPIN_PART_FAULT_WIRE_OFF,       /**< Input `detail` of a bridge hangs in the air. */
    WPIN_PART_FAULT_WIRES_SWAPPED,  /**< The first two wired inputs of a bridge change places. */
    WPIN_PART_FAULT_MOTOR_WIRE_OFF, /**< A motor's lead is off. */
    WPIN_PART_FAULT_MOTOR_SWAPPED,  /**< A motor's leads change places. */
    WPIN_PART_FAULT_NO_GROUND,      /**< A bridge has no ground. */
    WPIN_PART_FAULT_DIODE_REVERSED, /**< A free-wheel diode lies across the supply. */
    WPIN_PART_FAULT_STUCK,          /**< The button on pin `number` stays pressed. */
    WPIN_PART_FAULT_READING_STUCK,  /**< The knob or sensor on analogue input `number` stays as it
                                        is, whatever a hand does to it. */
    WPIN_PART_FAULT_PIN_FLOATING,   /**< Input `detail` of a bridge has no pull resistor: while its
                                        pin is not driven it drifts to where the switch conducts. */
    WPIN_PART_FAULT_LINK_LOST,      /**< No command reaches the controller any more. `number` 0. */
    WPIN_PART_FAULT_SENSOR_OFF,     /**< A motor's encoder has no supply, or its wires are off; or
                                       its comparators. */
    WPIN_PART_FAULT_CHANNEL_OFF,    /**< The second channel is off. */
    WPIN_PART_FAULT_CHANNELS_SWAPPED, /**< The channels change places. */
    WPIN_PART_FAULT_HALL_OFF,         /**< Its Hall sensors have no supply. */
    WPIN_PART_FAULT_HALL_SENSOR_OFF,  /**< Hall sensor b is off. */
    WPIN_PART_FAULT_HALL_SWAPPED,     /**< Hall sensors a and b change places. */
    WPIN_PART_FAULT_LEADS_MIXED,      /**< A stepper's leads are on the outputs that `detail` says:
                                          WPIN_PART_LEADS. */
    WPIN_PART_FAULT_CABLE_OFF,        /**< The bus cable of the drive of a bridge is off. */
    WPIN_PART_FAULT_BUS_OFF,  /**< That drive's end of the bus met too many errors and shut itself
                                   off, until its power is switched off and on. */
    WPIN_PART_FAULT_BUS_FULL, /**< Somebody fills that drive's bus with frames that go first. */
    WPIN_PART_FAULT_BUS_RATE, /**< That drive is set to another bit rate than its bus. */
    WPIN_PART_FAULT_DUPLICATE_NODE, /**< Another drive on its bus has its number. */
    WPIN_PART_FAULT_DEAF,           /**< That drive says yes to all it is told, and does nothing. */
    WPIN_PART_FAULT_LOCAL, /**< Somebody turned that drive to its own keys: it hears no commands. */
    WPIN_PART_FAULT_THERMISTOR_OFF, /**< The wire of its thermistor is off: as cold as can be. */
    WPIN_PART_FAULT_COUNT
} wpin_part_fault;

/** On which output of the driver (0 to 3: a1, a2, b1, b2; 4: none) each lead of a stepper is: both
 * of its winding a, both of b. */
#define WPIN_PART_LEADS(a1, a2, b1, b2) ((a1) | (a2) << 3 | (b1) << 6 | (b2) << 9)

#ifdef __cplusplus
}
#endif
#endif
