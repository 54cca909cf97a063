/* A run in progress. Private to the rehearsal. */
#ifndef WPIN_REHEARSAL_RUN_H
#define WPIN_REHEARSAL_RUN_H

#include "windpin/rehearsal.h"

/* Readings of a load summed over several stretches of time. */
typedef struct wpin_tally {
    double seconds, volts, amps, amps_min, amps_max;
    bool begun;
} wpin_tally;

typedef struct wpin_run {
    const wpin_rig *rig;
    const wpin_plan *plan;
    const wpin_rehearsal_options *options;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load *bound;
    wpin_motor *motors;
    wpin_button *buttons; /* one an input of the rig */
    wpin_motor **motor_list;
    wpin_track *tracks;
    wpin_sequence_config sequence_config;
    wpin_sequence sequence;
    wpin_sim_reading *last; /* newest reading of each load */
    wpin_tally *for_trace;  /* of each load since the last row */
    wpin_sample *samples;
    size_t *open_step; /* result each track is in, plus 1; 0 for none */
    unsigned *rounds;  /* how often each step of the plan has begun */
    int64_t start;     /* ps */
    wpin_vcd *vcd;
    size_t burns_before; /* burnt before the plan began: none may be missed */
    wpin_report *report;
    bool out_of_memory;
} wpin_run;

/* Seconds since the plan began. */
double wpin_run_time(const wpin_run *run);
/* A step begins or ends on a track. */
void wpin_run_step(void *context, uint8_t track, uint16_t step, bool begins);
/* Adds the newest readings to the steps going on. */
void wpin_run_tally_steps(wpin_run *run);
/* Ends the steps that were going on when the plan ended early. */
void wpin_run_cut_steps(wpin_run *run);
/* Judges a finished step. */
void wpin_run_judge(const wpin_run *run, wpin_step_result *step);

#endif
