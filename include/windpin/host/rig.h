/** @file rig.h
 * The rig file: what is on the bench, described once. Reading checks it completely and reports
 * every mistake with its place. Host only. See docs/rig.md for the file itself.
 */
#ifndef WINDPIN_RIG_H
#define WINDPIN_RIG_H

#include "../api.h"
#include "../windpin.h"
#include "calc.h"
#include "eds.h"
#include "messages.h"
#include "parts.h"
#include "rig_linux.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Longest name of a load or supply, bytes without the end. */
#define WPIN_NAME_MAX 31

/** Most pins a rig can name as taken, and most static conditions of a stage. */
#define WPIN_RIG_TAKEN   32
#define WPIN_RIG_STATICS 4

/** Another name of a controller's line: a place on a header, what is printed beside it. */
typedef struct wpin_rig_pin_name {
    char scheme[16], name[16];
    uint8_t pin;
} wpin_rig_pin_name;

/** Most such names that are kept. */
#define WPIN_RIG_PIN_NAMES 128

/** The controller of a rig. SI units. */
typedef struct wpin_rig_controller {
    double logic_volts, pin_resistance, pin_limit, timer_hz, timer_bits, tick;
    double clock, bits;    /**< Of its processor: Hz, and the length of its words; 0: not said. */
    double converter_bits; /**< Of its analogue inputs; 0: fine. */
    double soft_tick;      /**< Of software PWM and steppers. */
    double boot;           /**< Pins float for this long after power comes. */
    int supply;            /**< What feeds it, or -1: something of its own that never fails. */
    double draws, least_volts;
    double pin_rated, pins_total; /**< What a pin may give for long, and all together, A. */
    bool timers_given;            /**< The rig says which pins have timers: */
    bool timer[256];
    struct {
        uint8_t pin;
        char by[WPIN_NAME_MAX + 1];
    } taken[WPIN_RIG_TAKEN]; /**< Pins that something else uses. */
    size_t taken_count;
    char ground[WPIN_NAME_MAX + 1]; /**< Which ground it lies on; "" is the common one. */
    char numbering[64];             /**< Whose pin numbers the rig uses: a scheme of names, "lines",
                                         or in words; "": not said. */
    wpin_rig_pin_name names[WPIN_RIG_PIN_NAMES];
    size_t name_count;
} wpin_rig_controller;

/** A supply of a rig. */
typedef struct wpin_rig_supply {
    char name[WPIN_NAME_MAX + 1];
    unsigned line; /**< Where the file describes it. */
    double volts, resistance, limit_amps, capacitance;
    double highest;         /**< The most it ever has, V: a full battery, a light load. */
    bool capacitor_assumed; /**< Made from another, and the rig says nothing of its capacitor. */
    double capacity, empty_volts; /**< Of cells, As and V; 0: does not run down. */
    bool droops;                  /**< At its limit; otherwise it cuts out. */
    bool on;
    bool alternating; /**< volts are its root mean square. */
    int from;         /**< Supply it is made from, or -1. */
    double headroom, least_input, efficiency;
    bool switching;
    wpin_part_heat heat;
    char ground[WPIN_NAME_MAX + 1]; /**< Which ground it lies on; "" is the common one. */
    int joined;                     /**< Supply whose plus is tied to its own, or -1. */
    bool reversed;                  /**< Connected the wrong way round. */
} wpin_rig_supply;

/** A driver board with limits of its own. */
typedef struct wpin_rig_board {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    double total, terminal; /**< All outputs together; its supply terminal, A; 0: not given. */
} wpin_rig_board;

/** A jumper or switch that must stand right. */
typedef struct wpin_rig_static {
    char name[WPIN_NAME_MAX + 1];
    char needs[24], is[24];
} wpin_rig_static;

/** A finding accepted on purpose. */
typedef struct wpin_rig_accept {
    char name[WPIN_NAME_MAX + 1], rule[WPIN_NAME_MAX + 1];
    unsigned line, column;
} wpin_rig_accept;

/** A kind of power stage the rig file can name. */
typedef struct wpin_stage_kind {
    const char *name;                    /**< As the file writes it. */
    const char *words;                   /**< What it is, in a few words. */
    const wpin_stage_table *table;       /**< What the core believes. */
    const char *table_name;              /**< Its variable in stage.h or stepper.h. */
    const char *lines[WPIN_STAGE_LINES]; /**< Names of the table's lines, in order. */
    wpin_logic logic;                    /**< The driver that the simulator puts behind it. */
    int inputs[WPIN_STAGE_LINES];        /**< Driver input of each line. */
    bool inverted[WPIN_STAGE_LINES];     /**< Lines that are inverted by nature. */
    wpin_off_phase off_phase;            /**< What the driver does while PWM is low. */
    bool contacts;                       /**< Relay contacts: slow, bouncing, never PWM. */
    bool solid;                          /**< A solid-state relay: an output that has to fit the
                                              supply's kind of current. */
    bool coils;                          /**< For steppers: rows are coil states. */
    bool bare;                           /**< Bare switches without an interlock of their own. */
    bool direct;                         /**< A pin of the controller drives the load itself. */
    const char *zero;                    /**< What zero duty and a stop really do, in words. */
} wpin_stage_kind;

/** Whether a kind takes a duty, or knows on and off only. */
WPIN_API bool wpin_stage_kind_takes_duty(const wpin_stage_kind *kind);
/** Whether any of its lines carries PWM or pulses: all that take a duty, and some for steppers. */
WPIN_API bool wpin_stage_kind_has_pwm(const wpin_stage_kind *kind);
/** What the core says of a kind's table with a dead time (s) at a PWM frequency (Hz; for a kind
 * that takes a duty), and with one line shared, -1: none. */
WPIN_API wpin_status wpin_stage_kind_check(const wpin_stage_kind *kind, double dead_time,
                                           double pwm_hz, int shared);
/** Whether a line of a kind may be shared by several loads (see wpin_line). */
WPIN_API bool wpin_stage_kind_shares(const wpin_stage_kind *kind, unsigned line);
/** Whether a line of a kind carries PWM or pulses in any row. */
WPIN_API bool wpin_stage_kind_times_line(const wpin_stage_kind *kind, unsigned line);
/** Whether it is three legs for a brushless motor. */
static inline bool wpin_stage_kind_is_three_phase(const wpin_stage_kind *kind) {
    return wpin_logic_of(kind->logic)->phases;
}
/** Whether a kind can do what a state is: a three-phase one drives forward and in reverse by its
 * sectors. */
WPIN_API bool wpin_stage_kind_has(const wpin_stage_kind *kind, wpin_drive state);

/** A truth table of the user's own, with all that it points to. */
typedef struct wpin_own_stage {
    wpin_stage_kind kind;
    wpin_stage_table table;
    wpin_row rows[2 + 16]; /* at the most those of a stepper: coast, its states, and at rest */
    wpin_leg legs[4];
    char line_names[WPIN_STAGE_LINES][WPIN_NAME_MAX + 1];
} wpin_own_stage;

/** A load may get this much more than its rated volts. */
#define WPIN_RATED_SLACK 1.1
/** Least rest of relay contacts, s. */
#define WPIN_CONTACT_REST 0.05

/** Limits and habits of a load. SI units; duty as a fraction. */
typedef struct wpin_rig_limits {
    double pwm_hz, dead_time, ramp_up, ramp_down, rest, duty_max;
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
    double most_on;                      /**< Longest time on without a break, s; 0: any. */
    bool soft_pwm;                       /**< PWM in software instead of by a timer. */
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
    double release_after;   /**< It holds for so long, s; 0: for as long as it rests. */
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
    double align;        /**< With each of four pulls, s. */
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
    double dead;       /**< Dead time of a leg, share of a period. */
    double lead;       /**< From a reading to what comes of it, s. */
} wpin_vector_design;

/** Most field buses of a rig, and most settings of a drive. */
#define WPIN_RIG_FIELDBUSES 4
#define WPIN_RIG_SETTINGS   32

/** A field bus. */
typedef struct wpin_rig_fieldbus {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    double bit_rate;     /**< bit/s. */
    double period;       /**< Of set-points out and what is measured back, s. */
    double number;       /**< Node that the controller is. */
    double answer;       /**< A question is answered within this, s. */
    char interface[108]; /**< Of this computer: "can0", the path of a socket; "": not said. */
} wpin_rig_fieldbus;

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

/** An encoder or tacho on a motor's shaft, or the edges of its Hall sensors as one. */
typedef struct wpin_rig_encoder {
    bool there;
    bool by_hall;     /**< It is the Hall sensors: nothing below counts. */
    bool by_drive;    /**< It belongs to a drive on a field bus, which tells. */
    bool by_driver;   /**< It is the speed output of a driver that commutates by itself. */
    double lines;     /**< Periods of one channel in a turn of the shaft it sits on. */
    bool at_output;   /**< Behind the gear. */
    bool one_channel; /**< No second channel: the direction is taken from the drive. */
    bool reversed;    /**< It counts down while the load turns forward. */
    bool no_moments;  /**< The controller counts, and does not know when. */
    double window;    /**< A speed is measured over this at least, s; 0: as usual. */
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

/** What an input is. */
typedef enum wpin_rig_input_kind {
    WPIN_RIG_BUTTON,    /**< From a pin to ground. */
    WPIN_RIG_LIMIT,     /**< A limit switch from a pin to ground. */
    WPIN_RIG_KNOB,      /**< On an analogue input. */
    WPIN_RIG_SENSOR,    /**< On an analogue input, with a curve to a duty. */
    WPIN_RIG_TWO_POINT, /**< On an analogue input, asks for its duty by two-point control. */
    WPIN_RIG_PROCESS,   /**< On an analogue input, regulated by the duty it asks for. */
    WPIN_RIG_PAIR       /**< Two buttons of the rig, one for each way, both together as stop. */
} wpin_rig_input_kind;

/** Most places of a sensor's curve. */
#define WPIN_RIG_POINTS 16

/** An input of a rig. */
typedef struct wpin_rig_input {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    wpin_rig_input_kind kind;
    double pin, debounce, bounce; /**< Pin number; s; s (simulated contact). */
    double stuck;                 /**< Button: held longer than this it is stuck, s; 0: never. */
    char limit_of[WPIN_NAME_MAX + 1]; /**< Limit switch: of which load... */
    int load;                         /**< ...its number. */
    double from, to;                  /**< Between which places of its output, turns. */
    bool opens;                  /**< It opens there, or when it is pressed, instead of closing. */
    bool stops;                  /**< Button: pressed, it stops every load. */
    double duty;                 /**< Button or pair: asked for while it is held. */
    int pair[2];                 /**< Pair: numbers of its buttons, forward and reverse. */
    double window;               /**< Pair: one press waits this long for the other, s. */
    double analog, noise, volts; /**< Number; tip to tip, V; at the start, V. */
    bool centre;                 /**< Knob: off in the middle. */
    double dead, hysteresis;     /**< Knob: shares of its way. */
    double play;                 /**< Sensor: V either side. */
    double on, off, pause, most; /**< Two-point: V, V, s, s (0: any). */
    double wanted, band, time;   /**< Regulated: V, V, s (0: no integral share). */
    double least;                /**< Regulated: less than this share is off. */
    bool raises;                 /**< Regulated: driven harder, the reading rises. */
    wpin_curve_point points[WPIN_RIG_POINTS];
    uint8_t point_count;
} wpin_rig_input;

/** Whether it is a sensor on an analogue input, whatever is made of its reading. */
static inline bool wpin_rig_is_sensor(const wpin_rig_input *input) {
    return input->kind >= WPIN_RIG_SENSOR && input->kind <= WPIN_RIG_PROCESS;
}

/** A fault to be put into the simulated board. */
typedef struct wpin_injection {
    wpin_part_fault fault;
    int number, detail; /**< As wpin_sim_inject takes them. */
} wpin_injection;

/** Where the file says something about a part. */
typedef struct wpin_rig_place {
    char part[WPIN_NAME_MAX + 1];  /**< A load, supply, input or board, or "controller". */
    char key[WPIN_NAME_MAX + 1];   /**< "" for the part itself. */
    char under[WPIN_NAME_MAX + 1]; /**< The key of the part it is below; "" for none. */
    unsigned line, column;
} wpin_rig_place;

/** How a rig is driven by hand (windpin live). 0 or "": not said. */
typedef struct wpin_rig_live {
    double link_timeout; /**< Silence that ends every motion, s. */
    double port;         /**< Of the page. */
    char address[64];    /**< It listens on; "": no other computer reaches it. */
    double rate;         /**< States a second on a message bus. */
    char broker[128];    /**< HOST or HOST:PORT. */
    char prefix[64];     /**< Of topics. */
} wpin_rig_live;

/** A rig. */
typedef struct wpin_rig {
    char name[64];
    wpin_rig_controller controller;
    wpin_rig_supply *supplies;
    size_t supply_count;
    wpin_rig_load *loads;
    size_t load_count;
    wpin_rig_input *inputs;
    size_t input_count;
    wpin_rig_board *boards;
    size_t board_count;
    wpin_rig_fieldbus fieldbuses[WPIN_RIG_FIELDBUSES];
    size_t fieldbus_count;
    wpin_rig_accept *accepts;
    size_t accept_count;
    wpin_rig_live live;
    wpin_rig_linux *on_linux; /**< NULL: it does not say. */
    uint32_t fingerprint;     /**< Of the file's bytes. */
    wpin_injection *faults;   /**< Put in from the start. */
    size_t fault_count;
    wpin_rig_place *places;
    size_t place_count;
} wpin_rig;

/** Told what keeps a rig, by a part of it, from something, and what would do. */
typedef void wpin_rig_tell(void *context, const char *part, const char *what, const char *cure);
/** Whether a rig can move the pins of a small computer, as far as its file tells; `tell` is told of
 * each thing that it can not. */
WPIN_API bool wpin_rig_fits_linux(const wpin_rig *rig, wpin_rig_tell *tell, void *context);
/** Its linux section, or an empty one where it needs no pins of this computer; NULL: it lacks one.
 */
WPIN_API const wpin_rig_linux *wpin_rig_linux_of(const wpin_rig *rig);
/** Silence there after which all is made safe, s. */
WPIN_API double wpin_rig_guard_linux(const wpin_rig *rig);

/** Reads and checks a rig file. NULL with at least one message when anything is wrong.
 * `path` must outlive the messages' use of it only during the call. */
WPIN_API wpin_rig *wpin_rig_read(const char *path, wpin_messages *messages);
/** Writes the rig file `from` to `to` (they may be one) with one value changed: "pump.rest=500ms",
 * "drum.motor.load.inertia=800kgcm2", a part and keys below it. A key that is not there yet is put
 * in. `was` is what stood there. False with the reason; whether the new value is good,
 * wpin_rig_read says. */
WPIN_API bool wpin_rig_change(const char *from, const char *to, const char *change, char *was,
                              size_t was_size, char *why, size_t why_size);
/** Frees a rig; NULL is fine. */
WPIN_API void wpin_rig_free(wpin_rig *rig);

/** The word for what a wire is; the wire of a load that is it, NULL without one; the pin on which
 * the rig reads such a wire, -1: none. */
WPIN_API const char *wpin_wire_word(wpin_wire_is is);
/** The name of an output of a load's driver: a, b, c; for a stepper a1, a2, b1, b2. */
WPIN_API const char *wpin_wire_output(const wpin_rig_load *load, int number);
WPIN_API const wpin_rig_wire *wpin_rig_wire_of(const wpin_rig_load *load, wpin_wire_is is);
WPIN_API int wpin_rig_wire_pin(const wpin_rig_load *load, wpin_wire_is is);
/** Whether a sensor lives on where its plus wire goes: logic, or a supply of no more volts. */
WPIN_API bool wpin_rig_wire_feeds(const wpin_rig *rig, const wpin_rig_wire *plus);

/** All that a pin is called besides its number, "header 7, X4"; "" if nothing. */
WPIN_API const char *wpin_rig_pin_called(const wpin_rig *rig, uint8_t pin, char *to, size_t size);

/** The kinds of stage the rig file knows. */
WPIN_API const wpin_stage_kind *wpin_stage_kinds(size_t *count);
/** None of them: a drive on a field bus, to which no line of the controller leads. */
WPIN_API extern const wpin_stage_kind wpin_stage_kind_told;
/** Whether a part may be called that: letters, digits, '-' and '_', beginning with a letter. */
WPIN_API bool wpin_rig_name_fits(const char *name);
/** Whether it is a word that plans or reports keep for themselves. */
WPIN_API bool wpin_rig_name_is_reserved(const char *name);
/** Number of the load or supply of this name without regard to case, or -1. */
WPIN_API int wpin_rig_find_load(const wpin_rig *rig, const char *name);
WPIN_API int wpin_rig_find_supply(const wpin_rig *rig, const char *name);
/** Whether its driver keeps the load's circuit apart from the controller: contacts, solid-state
 * relays and opto inputs work without a common ground. */
WPIN_API bool wpin_rig_is_isolated(const wpin_rig_load *load);
/** Whether one switch stands in the motor's path, not two. */
WPIN_API bool wpin_rig_single_switch(const wpin_stage_kind *kind);
/** The way its current takes while PWM is low: bipolar switches, which carry it one way only, leave
 * the other way to a diode even where both low sides are on. */
WPIN_API wpin_off_phase wpin_rig_off_phase(const wpin_rig_load *load);

/** Light of a lamp or strip at a duty, 1: rated; a filament as hot as its volts make it, a strip by
 * the share of the time it is on. */
WPIN_API double wpin_rig_light(const wpin_rig_load *load, double volts, double supply_ohms,
                               double duty);
/** The loop of a motor's or solenoid's winding under PWM, with so many volts, ohms in all, and the
 * motor at a speed in rad/s: what drives it while PWM is high, and where its current goes while it
 * is low.
 */
WPIN_API wpin_pwm_loop wpin_rig_pwm_loop(const wpin_rig_load *load, double volts, double ohms,
                                         double hz, double speed);

/** Duty whose peak current reaches `amps` in a motor at rest, 0 to 1: amps = I + ripple / 2 with,
 * over a period, d V - (1 - d) V_off = I R and ripple = V d (1 - d) T / L. V_off is what the
 * current runs against in the off phase: a diode, or with fast decay the supply and two diodes.
 * volts and supply_ohms are the supply's, switch_ohms of all switches in the path. */
WPIN_API double wpin_rig_duty_for(const wpin_rig_load *load, double amps, double volts,
                                  double supply_ohms, double switch_ohms);
/** The controller of a rig as a part. */
WPIN_API wpin_part_controller wpin_rig_controller_part(const wpin_rig *rig);
/** How a load whose speed is regulated goes to a place, at its output. */
typedef struct wpin_rig_move {
    double top;      /**< Fastest, turns a second. */
    double up, down; /**< Faster and slower by so much, turns a second in a second. */
    double bend;     /**< Either comes and goes in so much time, s; 0: at once. */
} wpin_rig_move;

/** As its ramps let it, or friction alone where its stage can't brake; with smooth ramps the
 * shorter one takes half as long again. */
WPIN_API wpin_rig_move wpin_rig_move_of(const wpin_rig_load *load);
/** How long such a move takes for so many turns, s. */
WPIN_API double wpin_rig_move_time(const wpin_rig_move *move, double turns);
/** How fast a current limit folds the duty back: duty (1: full) for each ampere above it, a tick.
 */
WPIN_API double wpin_rig_limit_gain(const wpin_rig *rig, const wpin_rig_load *load);
/** Whether its encoder is on pins of the controller: no Hall sensors, no drive that tells. */
static inline bool wpin_rig_counts_here(const wpin_rig_load *load) {
    return load->encoder.there && !load->encoder.by_hall && !load->encoder.by_drive;
}
/** Whether what measures its speed knows its place too: not a drive that is told speeds only. */
static inline bool wpin_rig_knows_place(const wpin_rig_load *load) {
    return load->encoder.there && !load->axis.plain;
}
/** Whether a drive and its rig count alike, as far as the drive says (`counts`; 0: it does not, or
 * is not asked). */
WPIN_API bool wpin_rig_axis_counts_alike(const wpin_rig_axis *axis, wpin_object_asker *ask,
                                         void *context, double *counts);
/** With each so many'th period of its field bus a drive tells its place. */
WPIN_API unsigned wpin_rig_axis_place_every(const wpin_rig *rig, const wpin_rig_load *load);
/** A speed at the output, rpm, as velocity of a drive on a field bus, in its own units. */
WPIN_API double wpin_rig_axis_velocity(const wpin_rig_load *load, double rpm);
/** The speed with which it begins to look for its home, rpm of the output, below 0: reverse. */
WPIN_API double wpin_rig_axis_homes_at(const wpin_rig_load *load);
/** The switches of a drive's case in words: "1 down, 2 up"; "" without any. */
WPIN_API void wpin_rig_axis_switches(const wpin_rig_axis *axis, char *words, size_t size);
/** Those that have to stand so, bit n: switch n + 1. */
WPIN_API unsigned wpin_rig_axis_switched(const wpin_rig_axis *axis, wpin_rig_switch way);
/** Counts of a load's encoder in a turn of the shaft it sits on, and of the output. */
WPIN_API double wpin_rig_counts(const wpin_rig_load *load);
WPIN_API double wpin_rig_counts_at_output(const wpin_rig_load *load);
/** What its speed is measured over at least, s. */
WPIN_API double wpin_rig_encoder_window(const wpin_rig *rig, const wpin_rig_load *load);
/** What tells wires from others that an order was found for: stage, pins and pole pairs. */
WPIN_API uint32_t wpin_rig_order_mark(const wpin_rig_load *load);
/** What tells one entry of a motor from another: of its constants as the file says them. */
WPIN_API uint32_t wpin_rig_motor_mark(const wpin_part_motor *motor);
/** A load as the regulator of its speed sees it, near a speed at the output, rpm: slopes of its
 * current and its drag there, and what its speed is measured over. */
WPIN_API wpin_speed_plant wpin_rig_speed_plant_at(const wpin_rig *rig, const wpin_rig_load *load,
                                                  double rpm);
/** The regulator of a load's speed, from the constants of the rig. */
WPIN_API wpin_speed_design wpin_rig_speed_design(const wpin_rig *rig, const wpin_rig_load *load);
/** How a load with comparators on its leads starts. */
WPIN_API wpin_sensorless_design wpin_rig_sensorless_design(const wpin_rig *rig,
                                                           const wpin_rig_load *load);
/** The most current that the sense of a load can tell, A: shunts of field orientation tell both
 * ways. */
WPIN_API double wpin_rig_sense_reach(const wpin_rig *rig, const wpin_rig_load *load);
/** The regulators of a field-oriented load. */
WPIN_API wpin_vector_design wpin_rig_vector_design(const wpin_rig *rig, const wpin_rig_load *load);
/** Speed of the output that a measured speed of 16384 means, rpm. */
WPIN_API double wpin_rig_full_rpm(const wpin_rig *rig, const wpin_rig_load *load);
/** Current that a little more duty drives where that is the most, A for full duty, at speeds up to
 * w, rad/s of the motor's shaft. */
WPIN_API double wpin_rig_amps_per_duty(const wpin_rig *rig, const wpin_rig_load *load, double w);
/** The regulator of a load's current, from the constants of the rig. */
WPIN_API wpin_current_design wpin_rig_current_design(const wpin_rig *rig,
                                                     const wpin_rig_load *load);
/** Torque that a current makes at the output by the motor's constant and the gear, Nm; friction is
 * not taken off. */
WPIN_API double wpin_rig_torque(const wpin_rig_load *load, double amps);
/** About the duty that a current leads to once the speed has settled, signed. */
WPIN_API double wpin_rig_current_duty(const wpin_rig *rig, const wpin_rig_load *load, double amps);
/** Ohms in series with a motor's winding while it is driven. */
WPIN_API double wpin_rig_loop_ohms(const wpin_rig *rig, const wpin_rig_load *load);
/** Current of a winding of a stepper, A, while it moves slowly, or while it rests with what it is
 * then left; by the supply's volts and the ohms of winding, switches and supply. A row of rest of
 * an own table counts as full current. Any. */
WPIN_API wpin_pwm_wave wpin_rig_step_wave(const wpin_rig_load *load, double volts, double ohms,
                                          bool rests);
/** Speed at which a motor settles at a duty of 0 to 1, rad/s on its own shaft: where the mean of
 * its current, with ripple and gaps, meets friction, load and fan. Any. */
WPIN_API double wpin_rig_speed_at(const wpin_rig_load *load, const wpin_at_shaft *shaft,
                                  double volts, double ohms, double hz, double duty);
/** Mean current that a duty from 0 to 1 drives through a motor that turns at w, rad/s of its own
 * shaft; and the duty that drives so much, above 1: more than there is. */
WPIN_API double wpin_rig_mean_amps(const wpin_rig *rig, const wpin_rig_load *load, double duty,
                                   double w);
WPIN_API double wpin_rig_duty_at(const wpin_rig *rig, const wpin_rig_load *load, double amps,
                                 double w);
/** About the duty that a speed takes, rpm at the output, signed; above 1: more than there is. */
WPIN_API double wpin_rig_speed_duty(const wpin_rig *rig, const wpin_rig_load *load, double rpm);
/** The duty that a step of a plan drives its load with, signed: of a speed about. */
WPIN_API double wpin_rig_step_duty(const wpin_rig *rig, const wpin_step *step);
/** Who shares a pin. */
typedef struct wpin_rig_sharing {
    size_t load;    /**< First load on it... */
    unsigned line;  /**< ...and its line. */
    uint8_t user;   /**< Number of the load asked about among them, from 0. */
    unsigned count; /**< How many; 0: the pin is not shared. */
} wpin_rig_sharing;
/** Who shares the pin of a line of load number `load`. */
WPIN_API wpin_rig_sharing wpin_rig_shares(const wpin_rig *rig, size_t load, unsigned line);
/** The place of a part's first key among `keys`, e.g. "driver current-limit; motor": groups in
 * order of preference, in each a key and perhaps keys below it. The part's own place when the file
 * has none of them; NULL for a part it does not know. */
WPIN_API const wpin_rig_place *wpin_rig_place_of(const wpin_rig *rig, const char *part,
                                                 const char *keys);
/** What the rig accepts on purpose, as "pump stall-current; pump rest"; "" for nothing. */
WPIN_API const char *wpin_rig_accepted(const wpin_rig *rig, char *to, size_t size);
/** How records name the rig: its fingerprint, and what it accepts, if anything. */
WPIN_API const char *wpin_rig_mark(const wpin_rig *rig, char *to, size_t size);
/** Room enough for those two. */
#define WPIN_RIG_MARK_MAX 512
/** Reads "NAME FAULT" or "LOAD wire-off LINE", e.g. "pump stalled". False with the reason. */
WPIN_API bool wpin_injection_read(const wpin_rig *rig, const char *text, wpin_injection *injection,
                                  char *why, size_t why_size);
/** The same for inputs. */
WPIN_API int wpin_rig_find_input(const wpin_rig *rig, const char *name);

#ifdef __cplusplus
}
#endif
#endif
