/* A session kept with the clock on the wall. */
#define _GNU_SOURCE
#include "server.h"
#include <math.h>
#include <time.h>

#define CATCH_UP 0.02 /* s that are made up for at the most: what moves must not be hurried */

double wpin_wall_seconds(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec * 1e-9;
}

void wpin_pace_begin(wpin_pace *pace, double late_after) {
    *pace = (wpin_pace){.begun = wpin_wall_seconds(), .late_after = late_after};
}

void wpin_pace_begin_real(wpin_pace *pace, const wpin_live *live) {
    double now = wpin_wall_seconds();
    *pace = (wpin_pace){.begun = now - wpin_session_time(wpin_live_session(live)),
                        .late_after = HUGE_VAL, /* the core says so itself */
                        .real = true};
    pace->at = now - pace->begun;
}

/* How far the session was carried on. */
static double place(const wpin_pace *pace, const wpin_live *live) {
    return pace->real ? pace->at : wpin_session_time(wpin_live_session(live));
}

static double lag(const wpin_pace *pace, const wpin_live *live, double now) {
    return now - pace->begun - place(pace, live);
}

/* The session stood still for too long, with whatever its pins showed: nobody knows what happened
 * meanwhile. */
static void fault_late(wpin_pace *pace, wpin_live *live, double gap) {
    wpin_session *session = wpin_live_session(live);
    pace->gaps++;
    pace->begun += gap; /* it is not made up for */
    wpin_live_lost(live, "this computer did not keep up");
    for (size_t i = 0; i < wpin_live_rig(live)->load_count; i++) {
        if (wpin_session_look(session, i).busy) {
            wpin_motor_trip(wpin_session_motor(session, i), WPIN_FAULT_LATE);
        }
    }
}

static void note(wpin_pace *pace, double late) {
    double us = fmax(late * 1e6, 1);
    int bin = (int)fmin(ceil(log2(us)), 23);
    pace->bins[bin]++;
    pace->periods++;
    pace->worst = fmax(pace->worst, late);
}

/* From there to its next control period, s. */
static double to_next(const wpin_pace *pace, const wpin_live *live) {
    double period = wpin_live_rig(live)->controller.tick, at = place(pace, live);
    return (floor(at / period + 1e-6) + 1) * period - at;
}

bool wpin_pace_on(wpin_pace *pace, wpin_live *live, double now) {
    double behind = lag(pace, live, now), next = to_next(pace, live);
    if (behind > pace->late_after) {
        fault_late(pace, live, behind);
        behind = 0;
    } else if (behind > CATCH_UP && !pace->real) {
        pace->begun +=
            behind - CATCH_UP; /* everything was held meanwhile, and goes on from there */
    }
    if (behind >= next) {
        note(pace, behind - next);
    }
    pace->at = now - pace->begun;
    return wpin_live_until(live, pace->at);
}

double wpin_pace_wait(const wpin_pace *pace, const wpin_live *live, double now) {
    return fmax(0, to_next(pace, live) - lag(pace, live, now));
}

double wpin_pace_p99(const wpin_pace *pace) {
    unsigned long seen = 0;
    for (int i = 0; i < 24; i++) {
        seen += pace->bins[i];
        if (seen * 100 >= pace->periods * 99) {
            return ldexp(1e-6, i);
        }
    }
    return pace->worst;
}
