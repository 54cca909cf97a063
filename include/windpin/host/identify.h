/** @file identify.h
 * What a motor is, from how it ran: resistance, torque constant, inertia and frictions, each with
 * how far it may be off. A record holds only what a controller knows: duty, sensed current, counts
 * and their moments. It is taken by an experiment (windpin/host/rehearsal.h) or read from a file.
 * Host only.
 */
#ifndef WINDPIN_IDENTIFY_H
#define WINDPIN_IDENTIFY_H

#include "../api.h"
#include "rig.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a controller knew at one tick. */
typedef struct wpin_record_row {
    double at;   /**< s. */
    double duty; /**< On the pins from here on, signed; 0: the motor is left alone. */
    double amps; /**< Sensed, without a sign; a mean over a period of PWM if it shows the ripple. */
    int32_t counts;    /**< Of its encoder, as it is forward. */
    double counted_at; /**< When the last of them passed, s. */
} wpin_record_row;

/** The current at one moment within a PWM period, as a converter started by the timer takes it. */
typedef struct wpin_record_sample {
    double at;    /**< s. */
    double duty;  /**< On the pins, signed. */
    double phase; /**< The share of its period that had passed, 0 to 1, from anywhere in it as long
                     as that stays the same while the duty does. */
    double amps;  /**< Sensed, without a sign. */
} wpin_record_sample;

/** A whole record. Start with all zero. */
typedef struct wpin_record {
    wpin_record_row *rows;
    size_t count, room;
    wpin_record_sample *samples;
    size_t sample_count, sample_room;
} wpin_record;

/** Adds a row, or a sample; false when out of memory. */
WPIN_API bool wpin_record_add(wpin_record *record, const wpin_record_row *row);
WPIN_API bool wpin_record_add_sample(wpin_record *record, const wpin_record_sample *sample);
WPIN_API void wpin_record_free(wpin_record *record);
/** Writes it as CSV (RFC 4180), and reads it; false with the reason. A sample is a row with a phase
 * in a sixth column, which may be left out where there are none. */
WPIN_API bool wpin_record_write(const wpin_record *record, const char *path, char *why,
                                size_t why_size);
WPIN_API bool wpin_record_read(wpin_record *record, const char *path, char *why, size_t why_size);

/** What is found out. On the motor's own shaft. */
typedef enum wpin_constant {
    WPIN_CONSTANT_RESISTANCE, /**< Of the winding at 25 degC, ohm. */
    WPIN_CONSTANT_INDUCTANCE, /**< H. */
    WPIN_CONSTANT_TORQUE,     /**< Nm/A, which is V s/rad. */
    WPIN_CONSTANT_INERTIA,    /**< Of all that turns, kg m2. */
    WPIN_CONSTANT_DRY,        /**< Against all motion, Nm. */
    WPIN_CONSTANT_VISCOUS,    /**< Nm s/rad. */
    WPIN_CONSTANT_STATIC,     /**< That holds it at rest, Nm. */
    WPIN_CONSTANTS
} wpin_constant;

typedef struct wpin_estimate {
    double value;
    double error; /**< It is within this of it, in 95 of 100 cases, as far as the record tells. */
    bool known;   /**< False: the record does not show it; it is below value + error, where that is
                     more than 0. */
} wpin_estimate;

/** What came of a fit. */
typedef struct wpin_identification {
    wpin_estimate constants[WPIN_CONSTANTS];
    double amps_off;         /**< Of the current, root of the mean square. */
    size_t windows;          /**< Stretches of the record that were used. */
    size_t breakaways;       /**< Times it broke loose. */
    size_t samples;          /**< Within periods of PWM, that were used. */
    char no_inductance[240]; /**< Why it is not known; empty: it is. */
    double seconds;          /**< How long the record is. */
    double volts;            /**< Assumed at the supply. */
    double degrees;          /**< Assumed of the winding. */
} wpin_identification;

/** Fits the constants of a load to a record. What is taken from the rig: supply, stage, gear, the
 * encoder, and where the fit begins. False with the reason. */
WPIN_API bool wpin_identify(const wpin_rig *rig, const wpin_rig_load *load,
                            const wpin_record *record, wpin_identification *to, char *why,
                            size_t why_size);

/** What has to be known besides the current of a motor that has no encoder. */
typedef struct wpin_known {
    double speed;    /**< Measured while it ran evenly, rad/s of the motor's own shaft... */
    double duty;     /**< ...at this duty forward, 0 to 1. */
    double error;    /**< How far that speed may be off, a share. */
    double constant; /**< Instead: its torque constant, Nm/A, taken as it is; 0: not known. */
} wpin_known;

/** The same from the current alone. A record tells only what stands beside the torque constant
 * (friction and inertia as multiples of it): one speed, or the constant itself, tells the rest.
 * False with the reason. */
WPIN_API bool wpin_identify_from_current(const wpin_rig *rig, const wpin_rig_load *load,
                                         const wpin_record *record, const wpin_known *known,
                                         wpin_identification *to, char *why, size_t why_size);

/** Whether a record can tell what a load is: a brushed motor; false with the reason. */
WPIN_API bool wpin_identify_fits(const wpin_rig_load *load, char *why, size_t why_size);

/** Whether the current alone can tell what a motor is; false with the reason: on a stage of fast
 * decay it stops in each PWM period while the motor stands. */
WPIN_API bool wpin_current_tells(const wpin_rig_load *load, char *why, size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
