/** @file bind.h
 * From a rig to the core's configuration: the configurations of its loads and inputs, the very ones
 * that a firmware would have. Needs no simulator. Host only.
 */
#ifndef WINDPIN_BIND_H
#define WINDPIN_BIND_H

#include "../api.h"
#include "plan.h"
#include "rig.h"
#include <stdio.h>

#ifdef __cplusplus
extern "C" {
#endif

/** The core's configuration of a load, from the rig. Freed by the caller with free(). */
typedef struct wpin_bound_load {
    wpin_line lines[WPIN_STAGE_LINES];
    wpin_shared_line shared[WPIN_STAGE_LINES]; /**< Of lines it shares and is the first on. */
    wpin_stage_config stage;
    wpin_motor_config motor;
    wpin_stepper_config stepper;   /**< Of a stepper, beside the motor's. */
    wpin_pwm_achieved achieved;    /**< What its PWM really does, once it is open. */
    wpin_encoder_config encoder;   /**< Of its encoder, */
    wpin_speed_config speed;       /**< of the regulator of its speed, */
    wpin_motion_config motion;     /**< and of what watches over that. */
    wpin_travel travel;            /**< How far its shaft may go. */
    wpin_position_config position; /**< Of the regulator of its place, in front of that. */
    wpin_regulator regulators[3];  /**< What the motor's lists hold. */
    wpin_protection protections[5];
    wpin_loop_state loop_state;
    wpin_overload_config overload; /**< Of what heats its winding slowly. */
    wpin_encoder encoder_at_work;
    wpin_counting_config counting; /**< Of an encoder whose counts have no moments, in its place. */
    wpin_counting counting_at_work;
    wpin_position position_at_work;
    wpin_speed speed_at_work;
    wpin_torque_config torque;
    wpin_torque torque_at_work;
    wpin_motion motion_at_work;
    wpin_overload overload_at_work;
    wpin_stage stage_at_work;     /**< What the motor's configuration points to... */
    wpin_stepper stepper_at_work; /**< ...or this, */
    wpin_six_step_config six_step;
    wpin_six_step six_step_at_work; /**< or this, */
    wpin_sensorless_config sensorless;
    wpin_sensorless sensorless_at_work; /**< or this, */
    wpin_vector_config vector;
    wpin_vector vector_at_work; /**< or this. */
    wpin_sensorless_step sensorless_ramp[WPIN_SENSORLESS_STEPS];
    wpin_axis_config axis; /**< Of a drive on a field bus; the caller sets its network... */
    wpin_setting settings[WPIN_RIG_SETTINGS + 13];
    wpin_axis axis_at_work;
    wpin_phase_watch_config phase_watch;
    wpin_phase_watch phase_watch_at_work;
    wpin_temperature_config temperature; /**< Of its thermistor. */
    wpin_temperature temperature_at_work;
    wpin_supply_config supply; /**< The window of its supply, where that is measured; */
    wpin_supply supply_at_work;
    wpin_regulator nominal[2]; /**< and its regulators as designed, for its nominal volts. */
    wpin_by_supply_config by_supply[2];
    wpin_by_supply by_supply_at_work[2];
    wpin_zero_config zero; /**< Of a current sense that shows both ways. */
    wpin_zero zero_at_work;
} wpin_bound_load;

/** A field bus of a rig as the core sees it. It points into itself, so it must not be copied. */
typedef struct wpin_bound_network {
    wpin_network_config config;
    wpin_network network; /**< ...to this. */
    wpin_fieldbus bus;
} wpin_bound_network;

/** Opens the network of a field bus of a rig on what carries its frames; false: that lacks a
 * function. */
WPIN_API bool wpin_bind_network(wpin_bound_network *bound, const wpin_rig *rig, size_t number,
                                const wpin_fieldbus *bus);

/** What the core is told of an input of a rig. Its configuration points to that of its kind, so it
 * must not be copied. */
typedef struct wpin_bound_input {
    wpin_input_config config;
    wpin_button_config button; /**< Buttons, limit switches; of a pair both. */
    wpin_knob_config knob;
    wpin_curve_config curve; /**< Its points are the rig's. */
    wpin_two_point_config two_point;
    wpin_process_config process;
} wpin_bound_input;

/** Works that out. */
WPIN_API void wpin_bind_input(wpin_bound_input *bound, const wpin_rig *rig,
                              const wpin_rig_input *input);

/** Fills the core's configuration; it points into itself, so it must not be copied. A line shared
 * with an earlier load is this one's alone until wpin_bind_shared. */
WPIN_API void wpin_bind_load(wpin_bound_load *bound, const wpin_rig *rig,
                             const wpin_rig_load *load);
/** How its motor, at rest, starts from now on: gently, without kick and lift, or as the rig says.
 */
WPIN_API void wpin_bind_start(wpin_bound_load *bound, const wpin_rig_load *load, bool gently);
/** Opens the encoder and the thermistor of a bound load, if it has them, and its motor. What either
 * refused. */
WPIN_API wpin_status wpin_bound_open(wpin_bound_load *bound, wpin_motor *motor,
                                     const wpin_port *port);
/** For the interrupt of its Hall sensors, and for the one in the middle of each PWM period of a
 * motor without; context: the bound load. Fast. */
WPIN_API void wpin_bound_edge(void *bound);
WPIN_API void wpin_bound_look(void *bound);
WPIN_API void wpin_bound_sample(void *bound);
/** For the interrupt at the begin of each PWM period of a field-oriented motor. Fast. */
WPIN_API void wpin_bound_period(void *bound);
/** Joins the lines that the bound loads of a rig, all of them in its order, share. */
WPIN_API void wpin_bind_shared(wpin_bound_load *bound, const wpin_rig *rig);

/** The pins of a rig whose PWM is made in software, for wpin_soft_pwm_init; how many. */
WPIN_API uint8_t wpin_bind_soft_pins(const wpin_rig *rig, wpin_pin pins[WPIN_SOFT_PINS]);

/** Writes a rig as a C header for firmware: what wpin_bind_load and wpin_bind_input would fill in,
 * as constant tables, with the rig's fingerprint; a plan's steps (NULL: none); and the calls that
 * open, arm, start and tick all of it. The paths stand in its comments. What could not be written
 * `to` says. */
WPIN_API void wpin_header_write(FILE *to, const wpin_rig *rig, const char *path,
                                const wpin_plan *plan, const char *plan_path);

#ifdef __cplusplus
}
#endif
#endif
