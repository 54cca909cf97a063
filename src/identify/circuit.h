/* What stands around the winding: shared by the ways to fit its constants. */
#ifndef WPIN_IDENTIFY_CIRCUIT_H
#define WPIN_IDENTIFY_CIRCUIT_H

#include "windows.h"

/* The loop of the current at a duty, its winding of so many ohms and henries, at so much back-emf
 * (V, positive against the duty). */
wpin_pwm_loop wpin_winding_loop(const wpin_rig *rig, const wpin_rig_load *load, double duty,
                                double ohms, double henries, double emf);
/* What there is more in series with it while it is driven than in the rest of a period, ohm. */
double wpin_winding_more_on(const wpin_rig *rig, const wpin_rig_load *load);
/* A step of the converter as a current, A; 0: it is not known. */
double wpin_step_amps(const wpin_rig *rig, const wpin_rig_load *load);
/* A converter tells the whole steps below what it sees: adds half a step to every current of a cut.
 */
void wpin_add_half_step(wpin_cut *cut, const wpin_rig *rig, const wpin_rig_load *load);

/* Marks the stretches of a cut by time that show the motor at rest before it broke loose, of those
 * starts in which the duty rose slowly; the starts are added to the cut. */
void wpin_find_rests(wpin_cut *cut, bool *at_rest);

static inline double wpin_stretch_size(const wpin_stretch *s) {
    return s->amps < 0 ? -s->amps : s->amps;
}

/* The inductance, where the record has samples within PWM periods; the winding's ohms are known. */
void wpin_find_inductance(const wpin_rig *rig, const wpin_rig_load *load, const wpin_record *record,
                          double ohms, wpin_identification *to);

#endif
