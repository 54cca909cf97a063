/* The simulated drives of a field bus by themselves: for those who reach them over a socket. */
#include "windpin/host/rehearsal.h"
#include <stdlib.h>

struct wpin_drives {
    wpin_sim *sim;
    int bus, station;
};

wpin_drives *wpin_drives_open(const wpin_rig *rig, size_t bus, wpin_sim_frame_watcher *hear,
                              void *context) {
    wpin_drives *d = calloc(1, sizeof *d);
    if (d == NULL) {
        return NULL;
    }
    d->bus = (int)bus;
    d->sim = wpin_board_build(rig);
    d->station = d->sim == NULL ? -1 : wpin_sim_join_fieldbus(d->sim, d->bus, hear, context);
    if (d->station < 0) {
        wpin_drives_free(d);
        return NULL;
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        wpin_sim_switch(d->sim, (int)i, true);
    }
    for (size_t i = 0; i < rig->fault_count; i++) {
        const wpin_injection *f = &rig->faults[i];
        wpin_sim_inject(d->sim, f->fault, f->number, f->detail, true);
    }
    return d;
}

void wpin_drives_write_eds(FILE *to) {
    wpin_sim_write_eds(to);
}

void wpin_drives_free(wpin_drives *drives) {
    if (drives != NULL) {
        wpin_sim_free(drives->sim);
        free(drives);
    }
}

bool wpin_drives_tell(wpin_drives *drives, const wpin_frame *frame) {
    return wpin_sim_tell_fieldbus(drives->sim, drives->bus, drives->station, frame);
}

int64_t wpin_drives_time(const wpin_drives *drives) {
    return wpin_sim_time(drives->sim);
}

void wpin_drives_advance(wpin_drives *drives, int64_t picoseconds) {
    wpin_sim_advance(drives->sim, picoseconds);
}
