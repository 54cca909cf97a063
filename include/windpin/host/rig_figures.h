/** @file rig_figures.h
 * What follows from a rig: currents, speeds and duties of its loads, and the design of their
 * regulators. Host only.
 */
#ifndef WINDPIN_RIG_FIGURES_H
#define WINDPIN_RIG_FIGURES_H

#include "calc.h"
#include "rig_model.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Whether its driver keeps the load's circuit apart from the controller: contacts, solid-state
 * relays and opto inputs work without a common ground. */
WPIN_API bool wpin_rig_is_isolated(const wpin_rig_load *load);
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

/** Duty from which the current of a motor at rest comes to `tip` at its tips, which breaks it
 * loose, and to `mean`, which keeps it turning, 0 to 1, by the wave of its PWM
 * (wpin_calc_pwm_wave): a slow PWM has tips that break a shaft loose again and again, and less of a
 * mean. volts and supply_ohms are the supply's, switch_ohms of all switches in the path. */
WPIN_API double wpin_rig_duty_for(const wpin_rig_load *load, double tip, double mean, double volts,
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
/** Whether what is counted are the sectors of its commutation: six in an electrical turn. */
static inline bool wpin_rig_counts_sectors(const wpin_rig_load *load) {
    return load->encoder.by_hall || load->encoder.by_crossings;
}
/** Whether its encoder is on pins of the controller: no Hall sensors or crossings, no drive that
 * tells. */
static inline bool wpin_rig_counts_here(const wpin_rig_load *load) {
    return load->encoder.there && !wpin_rig_counts_sectors(load) && !load->encoder.by_drive;
}
/** Whether its own limit switch, or the end of its travel, may end a motion. Any. */
static inline bool wpin_rig_ends_itself(const wpin_rig_load *load) {
    const int *limits = load->limits.limit_inputs;
    return limits[0] >= 0 || limits[1] >= 0 || load->position.least < load->position.most;
}
/** Whether what measures its speed tells when it stands: zero crossings are there only while it is
 * driven. */
static inline bool wpin_rig_sees_rest(const wpin_rig_load *load) {
    return load->encoder.there && !load->encoder.by_crossings;
}
/** Whether what measures its speed knows its place too: not a drive that is told speeds only. */
static inline bool wpin_rig_knows_place(const wpin_rig_load *load) {
    return wpin_rig_sees_rest(load) && !load->axis.plain;
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
/** Current that turns a load's motor loose wherever it stands, A: commutated in six steps a sine
 * makes cos 30 degrees of its torque at the ends of a sector. */
WPIN_API double wpin_rig_loose_amps(const wpin_rig_load *load);
/** How fast a load's motor slows by its friction alone at a speed of its shaft, w in rad/s: rad/s
 * in a second. 0 where nothing holds it back, or its stage slows it while PWM is low. */
WPIN_API double wpin_rig_coasts(const wpin_rig_load *load, double w);
/** Counts of a load's encoder in a turn of the shaft it sits on, and of the output. */
WPIN_API double wpin_rig_counts(const wpin_rig_load *load);
WPIN_API double wpin_rig_counts_at_output(const wpin_rig_load *load);
/** How much a speed is smoothed that is measured by counts alone: wpin_counting_config.smooth. -1:
 * it is measured by the moments of the counts, or over a window of them. */
WPIN_API int wpin_rig_counting_smooth(const wpin_rig *rig, const wpin_rig_load *load);
/** What its speed is measured over at least, s: twice as long as it comes late. */
WPIN_API double wpin_rig_encoder_window(const wpin_rig *rig, const wpin_rig_load *load);
/** How well a speed is measured. */
typedef struct wpin_rig_resolution {
    double over; /**< It is measured over so long, s: half of that old. */
    double step; /**< What it goes by, rpm: a microsecond of that, a count by counting alone, and no
                      finer than the core's unit. */
} wpin_rig_resolution;
/** Of a load by its encoder, at a speed of its output, rpm, above 0. */
WPIN_API wpin_rig_resolution wpin_rig_resolution_at(const wpin_rig *rig, const wpin_rig_load *load,
                                                    double rpm);
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
/** The slowest speed that can be asked for, rpm at the output: that from which zero crossings lead;
 * 0: any. */
WPIN_API double wpin_rig_least_rpm(const wpin_rig *rig, const wpin_rig_load *load);
/** The most current that the sense of a load can tell, A: shunts of field orientation tell both
 * ways. */
WPIN_API double wpin_rig_sense_reach(const wpin_rig *rig, const wpin_rig_load *load);
/** The dead time between the sides of its legs, its stage's or its driver's own, s. */
WPIN_API double wpin_rig_leg_dead_time(const wpin_rig_load *load);
/** What dead times take from the mean volts of a lead whose current flows out of it, or add to them
 * where it flows back, V: meanwhile the lead lies a diode's drop beyond a rail. A leg of the
 * controller's has its low side on for less, at both ends. Any. */
WPIN_API double wpin_rig_dead_volts(const wpin_rig_load *load, double volts, bool back);
/** The supply that another one is made from in the end, the one with the switch. Any. */
WPIN_API size_t wpin_rig_source_of(const wpin_rig *rig, size_t supply);
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
/** How many steps a period of a load's PWM has, in software or by the controller's timer; INFINITY:
 * it has no PWM. Any. */
WPIN_API double wpin_rig_pwm_steps(const wpin_rig *rig, const wpin_rig_load *load);
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
/** How long its ramp takes from one duty that stands to another of the same sign, s, by its slew
 * limits; half as long again where ramps are smooth. Any. */
WPIN_API double wpin_rig_ramp_time(const wpin_rig_load *load, double from, double to);
/** How long its ramp up takes from rest to a share, 0 to 1, of a duty, 0 to 1, s; and how far it
 * comes on its way to that duty in so many seconds, a duty. A smooth ramp is an S, 3 x^2 - 2 x^3.
 * Any. */
WPIN_API double wpin_rig_ramp_seconds(const wpin_rig_load *load, double duty, double share);
WPIN_API double wpin_rig_ramp_reaches(const wpin_rig_load *load, double duty, double seconds);
/** The duty that a step of a plan drives its load with, signed: of a speed about. */
WPIN_API double wpin_rig_step_duty(const wpin_rig *rig, const wpin_step *step);

/** A step of the converter behind the analogue inputs, V; 0: the rig does not say how fine it is.
 */
WPIN_API double wpin_rig_converter_step(const wpin_rig *rig);

#ifdef __cplusplus
}
#endif
#endif
