/* What every part of a run asks and adds. */
#include "run.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

#define PS 1e-12

double wpin_run_time(const wpin_run *run) {
    return (double)(wpin_sim_time(run->sim) - run->start) * PS;
}

wpin_part_reading wpin_run_read(wpin_sim *sim, const wpin_rig *rig, int load) {
    wpin_part_reading r = wpin_sim_read(sim, load);
    if (rig->loads[load].reversed) {
        double least = r.amps_min;
        r.amps_min = -r.amps_max;
        r.amps_max = -least;
        r.volts = -r.volts;
        r.amps = -r.amps;
        r.amps_now = -r.amps_now;
        r.rpm = -r.rpm;
        r.rpm_mean = -r.rpm_mean;
        r.turns = -r.turns;
    }
    return r;
}

void wpin_run_note(wpin_run *run, const char *part, const char *what, ...) {
    wpin_part_event *all = realloc(run->notes, (run->note_count + 1) * sizeof *all);
    if (all == NULL) {
        run->out_of_memory = true;
        return;
    }
    run->notes = all;
    wpin_part_event *mine = &all[run->note_count++];
    *mine = (wpin_part_event){.at = (double)wpin_sim_time(run->sim) * PS};
    snprintf(mine->part, sizeof mine->part, "%s", part);
    va_list words;
    va_start(words, what);
    vsnprintf(mine->what, sizeof mine->what, what, words);
    va_end(words);
}

double wpin_run_degrees(const wpin_run *run, size_t load) {
    int32_t turns, millidegrees;
    wpin_stepper_angle(&run->bound[load].stepper_at_work, &turns, &millidegrees);
    return turns * 360.0 + millidegrees * 1e-3;
}
