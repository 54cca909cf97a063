/* One load of a rig on its simulated board, powered, opened and armed: for sweeps and searches. */
#ifndef WPIN_REHEARSAL_ONE_LOAD_H
#define WPIN_REHEARSAL_ONE_LOAD_H

#include "windpin/host/rehearsal.h"

typedef struct wpin_one_load {
    const wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
    int load;
    int64_t tick; /* ps */
} wpin_one_load;

/* Whether a duty between off and full means something to it; false with the reason, and what
 * follows from that. */
bool wpin_one_load_takes_duty(const wpin_rig_load *load, const char *so, char *why, size_t size);
/* Opens it without the help of kick and start duty, which is what these runs are to find out.
 * False with the reason; close it all the same. */
bool wpin_one_load_open(wpin_one_load *one, const wpin_rig *rig, int load, char *why, size_t size);
/* The same on a board built of another rig: a bench is never quite what the rig says. Watched: its
 * protections are at work. */
bool wpin_one_load_open_on(wpin_one_load *one, const wpin_rig *rig, const wpin_rig *bench, int load,
                           bool watched, char *why, size_t size);
/* Serves the motor and lets a control period pass; what the load did in it. */
wpin_part_reading wpin_one_load_tick(wpin_one_load *one);
/* Drives it at a duty, by its ramp, until its output's speed has settled, rpm. False with the
 * reason: refused, a fault, or it does not settle within half a minute. */
bool wpin_one_load_settle(wpin_one_load *one, double duty, double *rpm, char *why, size_t size);
void wpin_one_load_close(wpin_one_load *one);

#endif
