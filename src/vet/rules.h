/* What the files of rules share: facts about each load, adding findings, the tables. */
#ifndef WPIN_VET_RULES_H
#define WPIN_VET_RULES_H

#include "windpin/host/calc.h"
#include "windpin/host/vet.h"
#include <math.h>

#define PI 3.14159265358979323846

/* What a load does to its stage, worked out once. Volts and ohms with the tolerance against them.
 */
typedef struct wpin_facts {
    const wpin_rig_load *load;
    const wpin_rig_supply *supply;
    double volts;       /* of the supply */
    double switch_ohms; /* of all switches in the path, as driven */
    int switches;       /* in the path of each winding */
    int windings;       /* each with a driver of its own: 2 for a stepper */
    double loop_ohms;   /* winding, switches, supply */
    double most_amps;   /* what a bipolar switch passes by its base; else infinity */
    double
        stall_amps; /* at all the duty it may have; lamps: inrush; solenoids and steppers: rest */
    double surge_amps; /* most its supply ever has to give, averaged over a PWM period */
    double start_amps; /* at a start on its ramp */
    double torque;     /* friction and load on the motor's shaft, turning, Nm */
    double hold;       /* the same at rest */
    double viscous;    /* grows with speed, on the motor's shaft, Nms/rad */
    double quadratic;  /* with its square, Nms2/rad2 */
    double speed;      /* motor at all the duty it may have, rad/s */
    double run_amps;   /* then */
    double inertia;    /* on the motor's shaft */
    double pwm_hz;     /* of the current; 0: not switched that way */
    double hot_rms;    /* most of its current's root mean square, at any duty it may have */
    double hot_watts;  /* most the driver loses at any duty it may have, each driver of it */
    double hot_duty;   /* at that duty */
    double hot_fixed;  /* watts of it that no lower resistance of the switches saves */
    bool motor;        /* it turns by its duty */
    bool trips;        /* its current trip or its driver's own protection saves it from a stall */
} wpin_facts;

typedef struct wpin_vetter {
    const wpin_rig *rig;
    const wpin_plan *plan;
    wpin_vet_options options;
    wpin_facts *facts; /* one a load */
    wpin_vetting *result;
    const wpin_vet_rule *rule;                     /* at work */
    const wpin_vet_rule *(*rule_at)(size_t index); /* all of them, for the one about their names */
    bool out_of_memory;
} wpin_vetter;

/* A rule with its check. */
typedef struct wpin_rule_entry {
    wpin_vet_rule rule;
    void (*check)(wpin_vetter *v);
} wpin_rule_entry;

extern const wpin_rule_entry wpin_rules_supply[], wpin_rules_pins[], wpin_rules_driver[],
    wpin_rules_switch[], wpin_rules_pwm[], wpin_rules_motor[], wpin_rules_coil[],
    wpin_rules_light[], wpin_rules_stepper[], wpin_rules_capacitor[], wpin_rules_inputs[],
    wpin_rules_speed[], wpin_rules_current[], wpin_rules_brushless[], wpin_rules_relay[],
    wpin_rules_trip[], wpin_rules_cable[], wpin_rules_starts[], wpin_rules_plan[],
    wpin_rules_linux[], wpin_rules_field[], wpin_rules_vector[], wpin_rules_warmth[],
    wpin_rules_reversal[], wpin_rules_required[], wpin_rules_powered[], wpin_rules_accepted[];
extern const size_t wpin_rules_supply_count, wpin_rules_pins_count, wpin_rules_driver_count,
    wpin_rules_switch_count, wpin_rules_pwm_count, wpin_rules_motor_count, wpin_rules_coil_count,
    wpin_rules_light_count, wpin_rules_stepper_count, wpin_rules_capacitor_count,
    wpin_rules_inputs_count, wpin_rules_speed_count, wpin_rules_current_count,
    wpin_rules_brushless_count, wpin_rules_relay_count, wpin_rules_trip_count,
    wpin_rules_cable_count, wpin_rules_starts_count, wpin_rules_plan_count, wpin_rules_linux_count,
    wpin_rules_field_count, wpin_rules_vector_count, wpin_rules_warmth_count,
    wpin_rules_reversal_count, wpin_rules_required_count, wpin_rules_powered_count,
    wpin_rules_accepted_count;

/* Works the facts out; false when out of memory. */
bool wpin_work_out_facts(wpin_vetter *v);
/* Volts of a supply, after tolerance and sweep. */
double wpin_volts_of(const wpin_vetter *v, size_t supply);
/* A load's current as its source feels it, behind regulators and converters. */
double wpin_at_source(const wpin_vetter *v, const wpin_facts *f, double amps);
/* Volts a regulator or converter makes from so many at its input. */
double wpin_made_volts(const wpin_vetter *v, const wpin_rig_supply *made, double input);
/* Between gate and source of its field-effect switch when it is on, V. */
double wpin_gate_volts(const wpin_vetter *v, const wpin_facts *f);
/* Current of a motor that runs at a duty, A. */
double wpin_running_amps(const wpin_facts *f, double duty);
/* The loop of its winding under PWM while it turns at a speed, rad/s, 0: held. */
wpin_pwm_loop wpin_loop_of(const wpin_facts *f, double speed);
/* Whether the plan may run it at any duty: there is no plan, or it follows an input; and whether
 * the plan asks for a duty between two. */
bool wpin_any_duty(const wpin_vetter *v, const wpin_rig_load *load);
bool wpin_asked_between(const wpin_vetter *v, const wpin_rig_load *load, double low, double high);
/* What the driver loses while a motor is held at a duty, W. */
double wpin_stall_watts(const wpin_facts *f, double duty);
/* While its ramp climbs to all its duty, turning or held: the most its driver is warmer than the
 * air, when it began so much warmer, K; the most of its diodes' current averaged over a second. */
typedef struct wpin_climb {
    double rise, diode_amps;
} wpin_climb;
wpin_climb wpin_climb_of(const wpin_facts *f, bool held, double rise);
/* What each driver of it loses at a duty, W: by its current's root mean square, and the share of
 * the time in which that flows with the switch off. */
double wpin_driver_watts(const wpin_facts *f, double duty, double rms, double off_share);
/* What a plan makes of a load, as its times say and with every wait as late as it may be: how warm
 * its winding or driver gets, K above the air; and of the last round that concerns it, or of all:
 * how long it lasts, for how long it is on, s, and how often it is switched on. */
typedef struct wpin_round {
    bool known;   /* there is a plan, and the part has a thermal resistance */
    bool repeats; /* it has rounds; else once through */
    double rise, peak, seconds, on;
    unsigned starts;
} wpin_round;
/* The part whose heat is looked at; none: times and starts only. */
typedef enum wpin_part { WPIN_PART_WINDING, WPIN_PART_DRIVER, WPIN_PART_NONE } wpin_part;
wpin_round wpin_round_of(const wpin_vetter *v, const wpin_facts *f, wpin_part part);
/* Whether a part that has so much room, K, stays well within it by the plan. */
bool wpin_round_spares(const wpin_round *r, double room);
/* Tells that, and which share of a round it may be on that would settle at `last` K. */
void wpin_tell_round(wpin_finding *n, const wpin_vetter *v, const wpin_round *r,
                     const wpin_part_heat *heat, double last, double room);
/* Volts to which a motor that is ramped down drives a supply that can not take its current. */
double wpin_returned_volts(const wpin_facts *f, double farads);
/* Speed it settles at, rad/s. */
double wpin_speed_at(const wpin_facts *f, double duty);
/* Most seconds on end for which a held motor takes more than so much. */
double wpin_stall_seconds(const wpin_facts *f, double duty, double amps);
/* Seconds a motor runs on after its ramp down from full duty, braked then or not, by small steps;
 * and its speed when the ramp ends, rad/s (NULL: not wanted). */
double wpin_run_down(const wpin_facts *f, bool braked, double *speed_at_zero);
/* The same without a ramp, from the speed of a duty, its leads short-circuited for so long first.
 */
double wpin_run_down_at_once(const wpin_facts *f, double duty, double brakes_for);
/* Whether a thermistor in its winding, or on its driver, ends in time what would warm that by `end`
 * K above the air in the end. */
bool wpin_thermistor_ends(const wpin_vetter *v, const wpin_facts *f, bool in_winding, double end);
/* Air around the parts, degC. */
double wpin_air(const wpin_vetter *v);

/* Begins a finding about a part; its place is that of the first key the rule looks at. Cause,
 * consequence and cure are put in by the next three. NULL when out of memory (the three then do
 * nothing). Each cure alone is enough, with its figures as they stand; several are joined by "or".
 */
wpin_finding *wpin_find(wpin_vetter *v, wpin_severity severity, const char *part);
void wpin_cause(wpin_finding *f, const char *words, ...) __attribute__((format(printf, 2, 3)));
void wpin_consequence(wpin_finding *f, const char *words, ...)
    __attribute__((format(printf, 2, 3)));
void wpin_cure(wpin_finding *f, const char *words, ...) __attribute__((format(printf, 2, 3)));
/* A key of the rig, below its part (NULL: that of the finding); the unit a value of it is written
 * in, and with how many digits that count, 2 to 4; 0: as a whole number. */
typedef struct wpin_key {
    const char *part, *path, *unit;
    int digits;
} wpin_key;
/* A cure that is a value of a key. Words have a %s for it, and may have a
 * second one for the name of the part; NULL: "key: value". */
void wpin_cure_value(wpin_finding *f, const wpin_key *key, double value, const char *words);
#define WPIN_KEY(...) (&(const wpin_key){__VA_ARGS__})
/* The same about a load. */
wpin_finding *wpin_find_load(wpin_vetter *v, wpin_severity severity, const wpin_facts *f);
/* And about a step of the plan, with the name of what it is about. */
wpin_finding *wpin_find_in_plan(wpin_vetter *v, wpin_severity severity, size_t step,
                                const char *name);
/* About a step and its load. */
wpin_finding *wpin_find_step(wpin_vetter *v, wpin_severity severity, size_t step);
wpin_finding *wpin_find_supply(wpin_vetter *v, wpin_severity severity, size_t supply);

/* Whether a step drives its load at its value: one that toggles it does where it is off. */
bool wpin_step_turns_on(const wpin_plan *plan, size_t step);

/* Whether what comes before and after a step in the file may come at another time than it says:
 * tracks, rounds, events. */
bool wpin_step_breaks(const wpin_step *s);

/* For each load's facts, called f. */
#define WPIN_EACH_LOAD(v, f)                                                                       \
    for (const wpin_facts *f = (v)->facts /* NOLINT(bugprone-macro-parentheses) */;                \
         (f) < (v)->facts + (v)->rig->load_count; (f)++)

/* How long a seized shaft's current is above so much before the controller's current limit has
 * folded it back, s; endless without one. */
double wpin_limited_seconds(const wpin_vetter *v, const wpin_facts *f, double most);

#endif
