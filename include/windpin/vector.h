/** @file vector.h
 * Field orientation: a brushless motor on a three-phase stage, driven by a current that is kept at
 * right angles to its magnet, by the currents of its leads and the angle of its rotor. An actuator
 * like any stage, so a motor on it has the same requests, regulators, guard, faults and stop.
 *
 *     static wpin_vector drum_phases;
 *     static const WPIN_FLASH wpin_vector_config phases_config = {
 *         .stage = &stage_config,              .centred; its table has the row WPIN_DRIVE_VECTOR
 *         .hall = &hall_config,                or .counts_per_turn and what goes with it
 *         .shunts = {1, 2, 3}, .zero_mv = 1650, ...};         windpin export works them out
 *     // in the motor's configuration:
 *     WPIN_ON_VECTOR(&drum_phases, &phases_config),
 *     // at the begin of each PWM period, once the shunts are converted:
 *     void on_conversion(void) {
 *         wpin_vector_period(&drum_phases);
 *     }
 *     // with Hall sensors, the interrupt of any change of them:
 *     void on_hall_change(void) {
 *         wpin_six_step_edge(&drum_phases.rotor);
 *     }
 *
 * Each PWM period the currents are turned into the rotor's frame (Clarke, Park). There the direct
 * one is regulated to zero. The quadrature one makes the torque. Asked for an effort, that is the
 * share of the quadrature voltage there is, and the motor behaves like a brushed one on that share
 * of its supply; its current is regulated only where it would leave its limits. Asked for a torque,
 * the current is regulated. The voltage is turned back to where the rotor will be by then, limited
 * by its size, and shown by three duties around the middle of what they leave (space vectors).
 *
 * Currents here are those of a lead at the tip of its sine. What the motor measures
 * (wpin_measurement.current) is sqrt(3)/2 of that: the current between two leads that makes the
 * same torque and heat, as with six steps and brushed motors.
 *
 * For controllers of 32 bits; on 8 bits a PWM period has no room for it.
 *
 * Source of the method: e.g. Krishnan, "Permanent Magnet Synchronous and Brushless DC Motor
 * Drives", ch. 3 and 4.
 */
#ifndef WINDPIN_VECTOR_H
#define WINDPIN_VECTOR_H

#include "actuator.h"
#include "api.h"
#include "six_step.h"

#ifdef __cplusplus
extern "C" {
#endif

/** In wpin_vector_config.shunts: the leg has none, and what flows there is what the other two
 * leave. Only leg c. */
#define WPIN_NO_SHUNT ((uint8_t)255)

/** Everything constant about it. The caller keeps it alive. Shares are of 16384, times of the
 * rotor's angle 65536 an electrical turn. */
typedef struct wpin_vector_config {
    const WPIN_FAR wpin_stage_config *stage;   /**< Centred, with the row WPIN_DRIVE_VECTOR. */
    const WPIN_FAR wpin_six_step_config *hall; /**< Its Hall sensors, on the same stage; NULL: an
                                                    encoder tells where it is. */
    const wpin_quadrature *quadrature;         /**< Of an encoder counted in an interrupt; NULL: */
    uint8_t counter;                           /**< that counter of the port. */
    bool counts_back;                          /**< It counts down where sectors go up. */
    uint16_t counts_per_turn;                  /**< Of the motor's shaft, 4 to 32768. */
    uint8_t pole_pairs;                        /**< 1 to 64: with an encoder only. */
    uint16_t align_ms;   /**< With each of four pulls, 1 to 10000: where an encoder counts from
                              is found so, once. */
    int16_t align_mv;    /**< The direct current meanwhile, above 0. */
    uint8_t shunts[3];   /**< Analogue inputs of legs a, b and c: above zero_mv is into the
                              motor. */
    int16_t zero_mv;     /**< At no current; how much each is off that is learnt at rest, up
                              to 1/16 of it. */
    uint16_t least_low;  /**< A low side has to be on for this share of a period to be read;
                              0: shunts in the leads, read at any time. */
    int16_t full_mv;     /**< Of a torque of 16384, 1 to 16383. */
    int16_t limit_mv;    /**< Most quadrature current, either way, 1 to 16383. */
    int16_t trip_mv;     /**< A lead that carries more is WPIN_FAULT_OVERCURRENT, off within
                              the period; limit_mv to 16383. */
    uint16_t gain;       /**< Of both regulators: voltage for an error of a mV, 1/16384 of
                              the whole x 256; up to 32767, as are the others. */
    uint16_t integral;   /**< More each period for an error of a mV, x 4096. */
    uint16_t coupling;   /**< Voltage for a mV of the other current, for a rate of 65536,
                              x 16. */
    uint16_t emf;        /**< Voltage that the motor makes at full speed, 1/16384. */
    uint16_t most;       /**< Longest vector, up to WPIN_DUTY_FULL. */
    int16_t dead;        /**< Dead time of a leg as a share of a period, up to 2048. */
    uint16_t dead_slope; /**< What of it is made up for at a mV of a lead's current, x 256. */
    uint16_t lead_us;    /**< From a reading to the middle of the period it leads to: one and a
                              half of them. */
    uint32_t rate;       /**< WPIN_VECTOR_RATE. */
    int16_t supply_from; /**< Reading of the supply from which braking gives way, mV, ... */
    int16_t supply_to;   /**< ...to none of it here; 0: braking is not given up. */
} wpin_vector_config;

/** Electrical turns a second at full speed (encoder edges, six in one, or counts x pole pairs) as
 * wpin_vector_config.rate; up to 1900. */
#define WPIN_VECTOR_RATE(turns_per_second) ((uint32_t)((turns_per_second)*67.108864 + 0.5))

/** What it is doing. */
typedef enum wpin_vector_state {
    WPIN_VECTOR_OFF,
    WPIN_VECTOR_ALIGN, /**< Finds where its encoder counts from. */
    WPIN_VECTOR_RUN
} wpin_vector_state;

/** At work. Zero before its first use; placed by the caller, the fields are its own. What every
 * period needs comes first, the smallest before the rest: a small controller reaches that in one
 * instruction. */
typedef struct wpin_vector {
    const WPIN_FAR wpin_vector_config *config;
    volatile uint8_t state; /**< A wpin_vector_state. */
    int8_t turns;           /**< Which way, by its last edge; 0: not known. */
    bool torque;            /**< A torque is asked for, not an effort. */
    bool second;            /**< Every other period. */
    uint8_t sectors;        /**< Of this electrical turn, since it began. */
    uint8_t faint;          /**< Turns in a row in which one lead carried nothing. */
    uint8_t uneven;         /**< Periods whose currents did not sum up, of late. */
    uint8_t blind;          /**< Periods without a sound reading, of late. */
    uint8_t astray;         /**< Ticks in which too much flowed along the magnet, of late. */
    uint8_t aligning;       /**< Of its four pulls. */
    bool aligned;
    wpin_beat beat; /**< Of the periods. */
    uint16_t duties[3];
    wpin_leg_pins legs;
    uint16_t edge_angle; /**< Where the last edge was. */
    uint16_t angle;      /**< Of the rotor: of its direct axis. */
    uint16_t rate;       /**< How fast it turns, angle x 256 a us. */
    int16_t asked;       /**< As the stage is wired. */
    int16_t more;        /**< Added to what is asked: a new request begins where the last was. */
    int16_t emf;         /**< Of the present speed, as the stage is wired. */
    int16_t brake_mv;    /**< Most current against the way it turns. */
    int16_t direct, quadrature;  /**< Current, mV, smoothed a little. */
    int16_t along;               /**< Size of the direct one, smoothed more. */
    int16_t volts_direct, volts; /**< The vector shown. */
    int16_t made_up[3];          /**< For dead times, in the duties. */
    int16_t at_zero[3];          /**< What the shunts read at no current, mV. */
    int16_t zero[3];             /**< Learnt, x 64 from zero_mv. */
    int16_t peak[6]; /**< Of each lead's current, in and out, in this electrical turn, mV. */
    int32_t sum_direct, sum_quadrature; /**< Integral shares, x 4096. */
    wpin_moment edge_at;                /**< Of the sensors; of align, when a pull began. */
    int32_t counts;                     /**< As they were looked at last. */
    uint32_t place;                     /**< Counts of the encoder in its turn. */
    uint32_t leads;                     /**< Of a quarter of a turn in a us, 1/65536. */
    uint32_t per_count;                 /**< Angle of a count, 1/65536. */
    wpin_six_step rotor; /**< Its stage; with Hall sensors where the rotor is, and its counts. */
} wpin_vector;

/** For wpin_motor_config.actuator: see WPIN_ON_VECTOR. Opening it is refused like a stage, or like
 * six-step, and _CONFIG (no row WPIN_DRIVE_VECTOR, PWM not centred), _RANGE (a figure out of
 * range), _PORT (it has no analogue inputs, or no counter). It takes efforts and torques. Its poll
 * says WPIN_FAULT_PHASE, where one lead carries nothing while the others do, _ANGLE, where the
 * currents are not where the rotor is said to be, _OVERCURRENT at trip_mv, _HALL, and _LATE, where
 * no period came for 1.5 ms while it was driven; it writes the current into the measurement, and
 * says that there is none while the shunts give no sound reading. */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_vector_actuator;

/** The three fields of a motor's configuration that name it. In its wpin_sense_config, reads has
 * WPIN_HAS_CURRENT and current_input is that of leg a, current_mv_per_a that of all. */
#define WPIN_ON_VECTOR(vector, vector_config)                                                      \
    .actuator = &wpin_vector_actuator, .part = (vector), .part_config = (vector_config)

/** The begin of a PWM period, in the middle of the low sides: reads the shunts, and works out the
 * duties from the next period on. Returns what the port refused, which the next tick makes a fault,
 * or WPIN_OK, _ARGUMENT, _CLOSED. Fast; the port's clock, millivolts and counter are read. */
WPIN_API wpin_status wpin_vector_period(wpin_vector *vector);

/** What it is doing. Any. */
WPIN_API wpin_vector_state wpin_vector_doing(const wpin_vector *vector);

/** Direct and quadrature current as they are now, mV of the shunts, quadrature positive as the
 * motor is driven forward. Any. */
WPIN_API void wpin_vector_currents(const wpin_vector *vector, int16_t *direct, int16_t *quadrature);

#ifdef __cplusplus
}
#endif
#endif
