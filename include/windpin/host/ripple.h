/** @file ripple.h
 * What PWM makes of a brushed motor, on simulated hardware: volts and current over three of its
 * periods. Host only.
 */
#ifndef WINDPIN_RIPPLE_H
#define WINDPIN_RIPPLE_H

#include "../api.h"
#include "rig.h"

#ifdef __cplusplus
extern "C" {
#endif

/** One instant. */
typedef struct wpin_ripple_row {
    double at;          /**< s since the first row. */
    double volts;       /**< Across the motor, forward positive. */
    double amps;        /**< Through it. */
    double supply_amps; /**< Out of the supply. */
} wpin_ripple_row;

/** Three periods, from the begin of an on phase, once the speed has settled. Signs: forward. */
typedef struct wpin_ripple {
    wpin_ripple_row *rows;
    size_t count;
    double duty, hz;                /**< As they come out: a fraction, signed; Hz. */
    double rpm;                     /**< Mean, of the output. */
    double emf;                     /**< What its turning takes of the volts, V. */
    double on_volts, off_volts;     /**< Across the motor in each phase, while current flows,
                                         V. */
    double volts;                   /**< Mean. */
    double amps, rms;               /**< Mean and root mean square through the motor, A. */
    double least, most;             /**< A. */
    double stopped;                 /**< Share of the time without current. */
    double supply_amps, supply_rms; /**< Out of the supply, A: what is between the two its capacitor
                                         carries. */
    double watts, driven;           /**< Out of the supply; emf times current, W. */
} wpin_ripple;

/** Runs load number `load` of a rig at a duty until its speed settles (or for 30 s), and takes
 * three periods. False with the reason: it is no brushed motor under PWM, it does not turn, a
 * fault, or out of memory. */
WPIN_API bool wpin_ripple_take(const wpin_rig *rig, int load, double duty, wpin_ripple *ripple,
                               char *why, size_t why_size);
/** Lets its memory go. */
WPIN_API void wpin_ripple_free(wpin_ripple *ripple);
/** Draws volts and currents: .png or .svg. False with the reason. */
WPIN_API bool wpin_ripple_picture(const wpin_ripple *ripple, const char *path, const char *title,
                                  char *why, size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
