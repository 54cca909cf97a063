/** @file rig_load.h
 * What hangs on a stage, as a rig file says: the load, its limits, its sensors, and how it is
 * driven. Host only. See docs/rig.md for the file itself.
 */
#ifndef WINDPIN_RIG_LOAD_H
#define WINDPIN_RIG_LOAD_H

#include "../api.h"
#include "calc.h"
#include "eds.h"
#include "messages.h"
#include "parts.h"
#include "rig_stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most static conditions of a stage. */
#define WPIN_RIG_STATICS 4
/** Most settings of a drive. */
#define WPIN_RIG_SETTINGS 32
/** Highest frequency of PWM, Hz. */
#define WPIN_RIG_PWM_MOST 1e6

/** A jumper or switch that must stand right. */
typedef struct wpin_rig_static {
    char name[WPIN_NAME_MAX + 1];
    char needs[24], is[24];
} wpin_rig_static;

/** A load may get this much more than its rated volts. */
#define WPIN_RATED_SLACK 1.1
/** Least rest of relay contacts, s. */
#define WPIN_CONTACT_REST 0.05

/** The least a trim may be: twins that are further apart are none. */
#define WPIN_TRIM_LEAST 0.5

/** Limits and habits of a load. SI units; duty as a fraction. */
typedef struct wpin_rig_limits {
    double pwm_hz, dead_time, ramp_up, ramp_down, rest, duty_max;
    double dead_time_asked; /**< dead_time is that in whole microseconds, rounded up. */
    double charge;          /**< Its low sides are on for so long before it drives; 0: not. */
    double start_duty, drop_out, kick_level, kick_time; /**< Of the start; 0: not given. */
    int below;                                          /**< wpin_below_start. */
    bool smooth;                                        /**< Ramps from standing are S-shaped. */
    double pulse_zero, pulse_swing; /**< Servo-style pulses: neutral width and its change, s. */
    double least_time;              /**< On/off stages: least time on and off. */
    double rated_volts;             /**< Of the motor; 0: not given. It caps duty_max. */
    double parallel;                /**< Outputs of the driver in parallel. */
    double rated_amps, recommended_amps; /**< Of the driver, for long; 0: not given. */
    double recommended_volts;            /**< The same of its supply. */
    double pwm_most;                     /**< Highest PWM frequency it follows; 0: not given. */
    bool no_pull;                        /**< Its inputs have no pull resistors. */
    double on_duty;                      /**< What "on" means; 0: duty_max. */
    double trim;    /**< Its duties are so much of what is asked, to turn as its twin does; 1. */
    double most_on; /**< Longest time on without a break, s; 0: any. */
    bool soft_pwm;  /**< PWM in software instead of by a timer. */
    int limit_inputs[2]; /**< Inputs that end motion forward and reverse; -1: none. */
    double trip_amps, trip_time, trip_input; /**< trip_input below 0: no current sense used. */
    double limit_amps; /**< Current above which the duty is folded back; 0: none. */
    double overload_amps, overload_time; /**< Carried for ever; time constant, s; 0: not watched. */
    double cool_down;      /**< After a stall or a current trip none is cleared for so long, s. */
    double overload_first; /**< Heat taken for granted at the start, share of what trips. */
} wpin_rig_limits;

/** What is connected to a stage. */
typedef enum wpin_rig_what {
    WPIN_RIG_MOTOR,
    WPIN_RIG_LAMP,
    WPIN_RIG_SOLENOID,
    WPIN_RIG_STEPPER,
    WPIN_RIG_WHAT_COUNT
} wpin_rig_what;

/** What becomes of a stepper's current at the end of a move. */
typedef enum wpin_step_end { WPIN_STEP_HOLD, WPIN_STEP_RELEASE, WPIN_STEP_REDUCE } wpin_step_end;

/** How a stepper is driven. Rates in steps of the mode. */
typedef struct wpin_rig_stepping {
    double start_rate, top_rate, acceleration;
    bool half_steps;
    uint8_t at_end;         /**< A wpin_step_end. */
    double release_after;   /**< It holds for so long, s; 0: at_end alone says for how long. */
    double reduce_after;    /**< ...with full current for so long, s. */
    double duty, rest_duty; /**< Of its PWM, 0 to 1: while it moves, and reduced. */
} wpin_rig_stepping;

/** Hall sensors of a brushless motor. */
typedef struct wpin_rig_hall {
    bool there;        /**< Wired to the controller, which commutates by them. */
    bool at_driver;    /**< Wired to the driver instead, which commutates by itself. */
    uint8_t pins[3];   /**< Of sensors a, b and c. */
    uint8_t codes[6];  /**< What they show in sectors 0 to 5: a is 1, b is 2, c is 4. */
    bool sixty;        /**< 60 electrical degrees apart instead of 120. */
    double advance;    /**< Commutates so much sooner, electrical turns. */
    double uneven;     /**< Of the simulated ones: off their places by up to this, turns. */
    double hysteresis; /**< The same: each changes so much later, turns. */
    char on[12];       /**< Day on which its codes were found; "": they were not. */
    bool stale;        /**< They were found for other wires. */
    uint8_t mixed; /**< Of the simulated bench: its wires are in another order than the rig thinks,
                        below WPIN_WIRE_ORDERS; 0: in this one. */
} wpin_rig_hall;

/** What a wire of a load's cable is. */
typedef enum wpin_wire_is {
    WPIN_WIRE_LEAD_A, /**< Of the motor. */
    WPIN_WIRE_LEAD_B,
    WPIN_WIRE_LEAD_C,
    WPIN_WIRE_SENSOR_PLUS, /**< What feeds its encoder or Hall sensors. */
    WPIN_WIRE_SENSOR_GROUND,
    WPIN_WIRE_ENCODER_A,
    WPIN_WIRE_ENCODER_B,
    WPIN_WIRE_HALL_A,
    WPIN_WIRE_HALL_B,
    WPIN_WIRE_HALL_C,
    WPIN_WIRE_COIL_A1, /**< Of a stepper: both leads of its first winding... */
    WPIN_WIRE_COIL_A2,
    WPIN_WIRE_COIL_B1, /**< ...and of the second. */
    WPIN_WIRE_COIL_B2
} wpin_wire_is;

/** What it is connected to. */
typedef enum wpin_wire_to {
    WPIN_WIRE_TO_NOTHING,
    WPIN_WIRE_TO_DRIVER, /**< Output `number`, 0: a; for a stepper a1, a2, b1, b2. */
    WPIN_WIRE_TO_SUPPLY, /**< Plus of supply `number`. */
    WPIN_WIRE_TO_PIN,    /**< Pin `number` of the controller. */
    WPIN_WIRE_TO_LOGIC,  /**< The controller's logic supply. */
    WPIN_WIRE_TO_GROUND
} wpin_wire_to;

/** A wire by its label. */
typedef struct wpin_rig_wire {
    char label[16];
    uint8_t is, to; /**< wpin_wire_is, wpin_wire_to */
    int number;
} wpin_rig_wire;

/** Most wires of a cable. */
#define WPIN_RIG_WIRES 12

/** What a relay's contact or a solid-state relay's output is. */
typedef struct wpin_rig_contact {
    bool closed;         /**< It is closed while the coil has no current. */
    bool triacs;         /**< Solid: its output is for alternating current. */
    double leakage;      /**< Solid: what flows while it is off, A. */
    double snubber_ohms; /**< In series across the contact; 0: none. */
    double snubber_farads;
    double operations; /**< How often an hour it may go on, at its load; 0: not given. */
} wpin_rig_contact;

/** Which way a load was seen to turn at its first motion. */
typedef struct wpin_rig_first {
    bool there;
    char on[12];    /**< The day. */
    bool counter;   /**< Forward is counter-clockwise... */
    bool from_back; /**< ...seen from the back of the motor, not from the end of its shaft. */
} wpin_rig_first;

/** How many orders three leads, three sensors and the sensors' sense can be in. */
#define WPIN_WIRE_ORDERS 72
/** Which lead is really on each leg, and which sensor on each pin, in one of these orders; whether
 * the sensors show the opposite. */
WPIN_API void wpin_rig_wires_mixed(uint8_t order, uint8_t leads[3], uint8_t sensors[3],
                                   bool *inverted);

/** Comparators on the leads of a brushless motor that has no sensors, and how it starts. */
typedef struct wpin_rig_crossing {
    bool there;
    uint8_t pins[3];   /**< Of the comparators of leads a, b and c. */
    double start_amps; /**< With which it aligns and ramps, A; 0: worked out. */
    double hand_over; /**< Speed at the output from which the crossings lead, rpm; 0: worked out. */
    double align;     /**< With each of two rows, s. */
    double rest;      /**< From a lost step to the next start, s. */
    double advance;   /**< Commutates so much sooner, electrical turns. */
    double offset;    /**< Of the simulated comparators: off by up to this, V at the leads. */
} wpin_rig_crossing;

/** Most sectors of an open-loop ramp. */
#define WPIN_SENSORLESS_STEPS 96
/** How a brushless motor without sensors starts, from the constants of the rig. */
typedef struct wpin_sensorless_design {
    double amps;         /**< A. */
    bool starts;         /**< That turns it, as far as can be counted on. */
    double acceleration; /**< Of the motor's shaft, rad/s2. */
    size_t count;        /**< Sectors of the ramp; */
    double seconds[WPIN_SENSORLESS_STEPS],
        duty[WPIN_SENSORLESS_STEPS]; /**< s, fraction, of each. */
    double ramp;                     /**< All of them, s. */
    double rpm;                      /**< Speed of the output at the hand-over. */
    double emf_volts;                /**< Tip of the back-emf of a lead there, V. */
    double least_duty;               /**< A fraction: slower there is no crossing to see. */
    double least_sector;             /**< No true sector is shorter, s. */
} wpin_sensorless_design;

/** Field orientation of a brushless motor: what its phase currents are measured by. */
typedef struct wpin_rig_vector {
    bool there;
    uint8_t shunts[3];   /**< Analogue inputs of legs a, b, c; WPIN_NO_SHUNT: c has none. */
    bool in_leads;       /**< The shunts are in the motor's leads, not under the low sides. */
    double zero;         /**< Reading at no current, V; 0: half of the logic supply. */
    double settle;       /**< A low side has to be on so long before it can be read, s. */
    double response;     /**< Time constant of the current loops, s; 0: as the PWM allows. */
    double align_amps;   /**< An encoder's place is found with this current, A; 0: worked out. */
    double align;        /**< With each of four pulls, s; 0: worked out. */
    double supply_input; /**< Analogue input of the motor supply; below 0: none. */
    double supply_ratio; /**< What its divider leaves. */
    double give_way;     /**< Braking gives way from these volts of the supply on; 0: never... */
    double give_up;      /**< ...and to none of it at these. */
    double off;          /**< Of the simulated amplifiers: each off its zero by up to this, V. */
    double noise;        /**< The same: from tip to tip, V. */
} wpin_rig_vector;

/** What follows from it: the regulators of both currents, with the lead's current at its tip. */
typedef struct wpin_vector_design {
    double response;   /**< Time constant that the current loops come to, s. */
    double gain;       /**< Voltage (1: the supply over the root of 3) for an error of an ampere. */
    double integral;   /**< The same, more each second. */
    double coupling;   /**< The same for an ampere of the other current, at 1 rad/s (electrical). */
    double emf;        /**< The motor's own, at full speed. */
    double most;       /**< Longest vector with which all shunts can be read, 1: all of it. */
    double least_low;  /**< Share of a period that a low side has to be on. */
    double limit_amps; /**< Most current, between two leads. */
    double trip_amps;  /**< A lead that carries more is switched off at once. */
    double align_amps; /**< Of a lead at its tip. */
    double swing;      /**< Pulled with that its rotor swings to and fro in so long, s... */
    double align;      /**< ...and is given this for each of four pulls to come to rest. */
    double dead;       /**< Dead time of a leg, share of a period. */
    double lead;       /**< From a reading to what comes of it, s. */
} wpin_vector_design;

/** An object a drive is told at its start, or only asked for. */
typedef struct wpin_rig_setting {
    uint16_t index;
    uint8_t sub;
    double size, value; /**< Bytes, 1, 2 or 4; a whole number. */
    bool asked;         /**< It must be so already. */
} wpin_rig_setting;

/** Reads a list of them from a file of its own, as it stands in a rig under `settings`; with the
 * names of a data sheet (NULL: none). How many; what is wrong goes into messages. */
WPIN_API size_t wpin_settings_read(const char *path, const wpin_eds *eds, wpin_rig_setting *to,
                                   size_t room, wpin_messages *messages);

/** How a switch on a drive's case stands. */
typedef enum wpin_rig_switch {
    WPIN_RIG_SWITCH_UP,
    WPIN_RIG_SWITCH_DOWN,
    WPIN_RIG_SWITCH_ANY
} wpin_rig_switch;

/** Most switches on its case. */
#define WPIN_RIG_SWITCHES 8

/** How a drive finds its home, by its own method. */
typedef struct wpin_rig_homing {
    bool there;
    double method;       /**< CiA 402, 6098h: 17, 18 to its limit switches, 35, 37 where it is. */
    double speed, creep; /**< To the switch and off it, rpm of the output. */
    double at;           /**< It is called this there, turns of the output. */
} wpin_rig_homing;

/** A drive on a field bus. */
typedef struct wpin_rig_axis {
    bool there;
    int bus;             /**< Number of the field bus. */
    int logic;           /**< Supply of its own controller; -1: that of its motor. */
    bool plain;          /**< It is told speeds only, by velocity mode. */
    bool rpm_units;      /**< It counts velocities in rpm of the motor's shaft, not in counts/s. */
    double number;       /**< Of its node. */
    double counts;       /**< Its position units in a turn of the motor's own shaft. */
    double rated_amps;   /**< What it counts currents in. */
    double most_amps;    /**< It is told to give no more. */
    double place_period; /**< Its place, error and mode come so often, s; at most once a period. */
    double lost;         /**< Without process data for this long it is silent, s. */
    double heartbeat;    /**< Of the drive and of the controller, s; 0: it is guarded. */
    double guarding;     /**< It is asked for its state so often, s; 0: it beats. */
    double vendor, product; /**< 0: any. */
    bool any_counts;        /**< What it says of its counts is not compared. */
    bool any_source;        /**< It does not say whether the bus commands it. */
    char eds[200];          /**< Path of its data sheet; "": none. */
    wpin_rig_homing homing;
    wpin_rig_switch switches[WPIN_RIG_SWITCHES];
    size_t switch_count;
    uint16_t switches_index; /**< Object that tells them, bit n: switch n + 1 is down; 0: none. */
    uint8_t switches_sub;
    wpin_rig_setting settings[WPIN_RIG_SETTINGS];
    size_t setting_count;
} wpin_rig_axis;

/** An encoder or tacho on a motor's shaft, or the edges of its Hall sensors or its zero crossings
 * as one. */
typedef struct wpin_rig_encoder {
    bool there;
    bool by_hall;      /**< It is the Hall sensors: nothing below counts. */
    bool by_crossings; /**< It is the zero crossings, while those lead: nothing below counts. */
    bool by_drive;     /**< It belongs to a drive on a field bus, which tells. */
    bool by_driver;    /**< It is the speed output of a driver that commutates by itself. */
    double lines;      /**< Periods of one channel in a turn of the shaft it sits on. */
    bool at_output;    /**< Behind the gear. */
    bool one_channel;  /**< No second channel: the direction is taken from the drive. */
    bool reversed;     /**< It counts down while the load turns forward. */
    bool no_moments;   /**< The controller counts, and does not know when. */
    double window;     /**< A speed is measured over this at least, s; 0: as usual. */
    double
        uneven; /**< Of the simulated one: edges off their places, as a share of their distance. */
    uint8_t pins[2]; /**< Channels a and b. */
} wpin_rig_encoder;

/** How a load's speed is regulated. Speeds at the output, rpm. */
typedef struct wpin_rig_speed {
    bool there;
    double rated;       /**< A plan may ask for this much. */
    double maximum;     /**< Above it, it trips. */
    double within;      /**< Reached within this share of the maximum. */
    double response;    /**< Time constant of the loop, s; 0: as the delays allow. */
    double stall_time;  /**< Driven and standing for this long it trips, s. */
    double follow_time; /**< The same, a tenth of the maximum off what is asked. */
} wpin_rig_speed;

/** How a load's current, and by it its torque, is regulated. */
typedef struct wpin_rig_current {
    bool there;
    double rated;    /**< A plan may ask for this much, A. */
    double within;   /**< Reached within this share of it. */
    double response; /**< Time constant of the loop, s; 0: as the delays allow. */
} wpin_rig_current;

/** A temperature sensor that a load is watched by. */
typedef struct wpin_rig_thermistor {
    bool there;
    bool in_winding;           /**< Else on the driver. */
    double input;              /**< Analogue input. */
    double trip, clear;        /**< degC. */
    double time;               /**< It must be so warm for so long, s. */
    wpin_part_thermistor part; /**< And its resistor. */
} wpin_rig_thermistor;

/** The regulator of a current, from the constants of the rig. Duties as fractions. */
typedef struct wpin_current_design {
    double feed;          /**< Duty for the rated current of a standing shaft. */
    double emf;           /**< Duty against the back-emf of full speed; 0: it is not measured. */
    double gain;          /**< Duty for an error of an ampere. */
    double integral_time; /**< s. */
    double response;      /**< Time constant that comes of it, s. */
    double slew;          /**< Time from none to all of the duty that it is let, s. */
} wpin_current_design;

/** What a motor was found to be. Values of 0: not found. */
typedef struct wpin_rig_identified {
    bool there;
    bool stale;            /**< The motor's entry has changed since: none of it is used. */
    char on[12];           /**< The day. */
    uint32_t of;           /**< Mark of the motor's entry it was found for. */
    wpin_part_motor motor; /**< Only what is found counts. */
} wpin_rig_identified;

/** How a load is brought to a place. Angles at the output, turns. */
typedef struct wpin_rig_position {
    double within;   /**< Reached within this; 0: a count. */
    double settle;   /**< For this long, s. */
    double speed;    /**< Fastest on the way, rpm; 0: the rated one. */
    double least;    /**< Where its travel ends... */
    double most;     /**< ...either way; both 0: nowhere. */
    bool home_first; /**< Where it stands is not known before it was homed. */
} wpin_rig_position;

/** A load of a rig: what the core is told, and what is really there. */
typedef struct wpin_rig_load {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    size_t supply;
    const wpin_stage_kind *kind;     /**< A shipped one, or own->kind. */
    wpin_own_stage *own;             /**< NULL for a shipped kind. */
    uint8_t pins[WPIN_STAGE_LINES];  /**< Pin of each line. */
    uint8_t wires[WPIN_STAGE_LINES]; /**< Pin each chip input is really on. */
    bool inverted[WPIN_STAGE_LINES]; /**< What the core is told... */
    bool inverts[WPIN_STAGE_LINES];  /**< ...and whether the driver's side turns a line over, beside
                                          what its kind does. */
    bool shared[WPIN_STAGE_LINES];   /**< The pin is shared with other loads on purpose. */
    bool reversed;
    int8_t on_stop;   /**< A wpin_stop_how: what the stop input does to it. */
    bool rest_brakes; /**< At zero duty the stage brakes instead of coasting. */
    wpin_rig_limits limits;
    wpin_part_driver bridge; /**< Its name is NULL: use the load's. */
    wpin_rig_what what;
    wpin_part_motor motor; /**< The same. */
    wpin_part_lamp lamp;
    wpin_part_solenoid solenoid;
    wpin_part_stepper stepper;
    wpin_rig_stepping stepping;
    wpin_rig_hall hall;
    wpin_rig_crossing crossing;
    wpin_rig_vector vector;
    wpin_rig_axis axis;
    wpin_rig_encoder encoder;
    wpin_rig_speed speed;
    wpin_rig_current current;
    wpin_rig_thermistor thermistor;
    wpin_rig_position position;
    wpin_rig_identified identified;
    wpin_rig_first first_motion;
    wpin_rig_contact contact;
    wpin_rig_wire cable[WPIN_RIG_WIRES]; /**< As it is really connected. */
    size_t wire_count;                   /**< 0: the rig says nothing of it. */
    int board;                           /**< Number of the board its driver is on, -1: none. */
    wpin_rig_static statics[WPIN_RIG_STATICS];
    size_t static_count;
    char prints[WPIN_STAGE_LINES][16]; /**< What the board calls each line's pin; "": not given. */
    char chips[WPIN_STAGE_LINES][16];  /**< What the chip calls it. */
} wpin_rig_load;

/** What a stage sees of a load while it is switched on: each winding, or the lamp. */
typedef struct wpin_load_circuit {
    double ohms;    /**< Cold: the least it ever has. */
    double henries; /**< 0: none. */
    double drop;    /**< Below this it takes nothing, V. */
    const wpin_part_heat *heat;
} wpin_load_circuit;

/** A type of load: what it can do. */
typedef struct wpin_load_type {
    const char *name; /**< In words. */
    bool turns;       /**< It has a shaft, with a direction and a place. */
    bool spins;       /**< The shaft turns by duty, as long as it is on: a motor. */
    bool steps;       /**< The shaft goes to places in steps, and takes no duty. */
    bool shines;      /**< It gives light. */
    bool pulls;       /**< It draws a plunger in. */
    bool winding;     /**< Its current goes on when it is switched off, and needs a diode. */
    int windings;     /**< How many, all alike. */
    wpin_load_circuit (*circuit)(const wpin_rig_load *load);
} wpin_load_type;

/** The type of a load. */
WPIN_API const wpin_load_type *wpin_rig_type(const wpin_rig_load *load);
/** What is warm where a load's thermistor is: its winding or coil, or its driver. */
WPIN_API const wpin_part_heat *wpin_rig_thermistor_heat(const wpin_rig_load *load);
/** Whether a load is a motor with three leads, whoever commutates it. */
static inline bool wpin_rig_three_leads(const wpin_rig_load *load) {
    return wpin_rig_type(load)->spins && load->motor.pole_pairs > 0;
}

/** Whether the phases of such a motor are simulated: not those of one behind pulses or a bus. */
static inline bool wpin_rig_has_phases(const wpin_rig_load *load) {
    return wpin_stage_kind_is_three_phase(load->kind) || load->hall.at_driver;
}

/** Whether a load needs the controller's fast tick: its steps, or PWM made in software. */
static inline bool wpin_rig_needs_fast_tick(const wpin_rig_load *load) {
    return load->limits.soft_pwm || wpin_rig_type(load)->steps;
}

#ifdef __cplusplus
}
#endif
#endif
