/** @file waves.h
 * What the three phases of a brushless motor do over an electrical turn, on simulated hardware:
 * currents, back-emf, sensors, torque. Host only.
 */
#ifndef WINDPIN_WAVES_H
#define WINDPIN_WAVES_H

#include "../api.h"
#include "parts.h"
#include "rig.h"

#ifdef __cplusplus
extern "C" {
#endif

/** One instant. */
typedef struct wpin_waves_row {
    double at; /**< s since the first row. */
    wpin_part_phases phases;
    double along, across; /**< Its currents in the rotor's frame: wpin_part_in_frame. */
    uint8_t code; /**< Of its Hall sensors as the controller reads them: a is 1, b is 2, c is 4. */
} wpin_waves_row;

/** Two electrical turns, once the motor has settled. */
typedef struct wpin_waves {
    wpin_waves_row *rows;
    size_t count;
    double duty;          /**< A fraction, signed. */
    double rpm;           /**< Mean, of the output. */
    double rms, peak;     /**< Of the current in lead a, A. */
    double along, across; /**< Means of the currents in the rotor's frame: wpin_part_in_frame. */
    double torque;        /**< Mean, in the air gap, Nm. */
    double least, most;   /**< Of the torque, Nm. */
    double watts, driven; /**< Out of the supply; torque times speed in the air gap, W. */
} wpin_waves;

/** Runs load number `load` of a rig at a duty until its speed settles (or for 30 s), and takes two
 * electrical turns. False with the reason: it is no brushless motor on three legs, it does not
 * turn, a fault, or out of memory. */
WPIN_API bool wpin_waves_take(const wpin_rig *rig, int load, double duty, wpin_waves *waves,
                              char *why, size_t why_size);
/** Lets its memory go. */
WPIN_API void wpin_waves_free(wpin_waves *waves);
/** Draws currents, also in the rotor's frame, back-emf, sensors and torque over the angle: .png or
 * .svg. False with the reason.
 */
WPIN_API bool wpin_waves_picture(const wpin_waves *waves, const char *path, const char *title,
                                 char *why, size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
