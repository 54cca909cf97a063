/* Finds the duty that starts a load and the one at which it stops again, by a slow sweep on the
 * simulated board; both ways where the stage has two, the harder one counts. */
#include "one_load.h"
#include <math.h>
#include <stdio.h>

#define SWEEP_US 200000000U /* zero to full: half a percent a second */

typedef struct finder {
    wpin_one_load one;
    double reached; /* highest duty the sweep came to */
} finder;

static double speed_after_tick(finder *f) {
    wpin_motor_refresh(&f->one.motor, 1000);
    return fabs(wpin_one_load_tick(&f->one).rpm);
}

static double duty_of(const finder *f) {
    return fabs((double)wpin_motor_duty(&f->one.motor) / WPIN_DUTY_FULL);
}

static bool come_to_rest(finder *f) {
    wpin_motor_stop(&f->one.motor, 0);
    for (int i = 0; i < 600000; i++) { /* ten minutes at the usual tick */
        double speed = speed_after_tick(f);
        if (speed == 0 && wpin_motor_state(&f->one.motor) == WPIN_STATE_READY) {
            return true;
        }
    }
    return false;
}

/* Up until it turns, a little further, and down until it stands. */
static bool sweep(finder *f, int way, wpin_found *found) {
    wpin_duty full = (wpin_duty)(way * (int)f->one.bound.motor.guard.cap);
    if (!come_to_rest(f) || wpin_motor_run(&f->one.motor, full, SWEEP_US, 1000) != WPIN_OK) {
        return false;
    }
    while (speed_after_tick(f) == 0) {
        wpin_state phase = wpin_motor_state(&f->one.motor);
        if (phase == WPIN_STATE_RUNNING || phase == WPIN_STATE_FAULT) {
            return false; /* full duty or tripped, and it stands */
        }
        f->reached = duty_of(f);
    }
    double start = duty_of(f);
    wpin_motor_run(&f->one.motor, (wpin_duty)lround(way * fmin(start * 1.1, 1) * WPIN_DUTY_FULL), 0,
                   1000);
    for (int i = 0; i < 2000; i++) {
        speed_after_tick(f);
    }
    wpin_motor_stop(&f->one.motor, SWEEP_US);
    while (speed_after_tick(f) != 0 && wpin_motor_busy(&f->one.motor)) {
    }
    found->start_duty = fmax(found->start_duty, start);
    found->drop_out = fmax(found->drop_out, duty_of(f));
    return true;
}

bool wpin_find_start(const wpin_rig *rig, int load, wpin_found *found, char *why, size_t why_size) {
    finder f = {0};
    *found = (wpin_found){0};
    if (!wpin_one_load_takes_duty(&rig->loads[load], "it has no start duty", why, why_size)) {
        return false;
    }
    if (rig->loads[load].crossing.there) {
        snprintf(why, why_size,
                 "'%s' has no sensors: it starts by the clock, with a duty of its own (windpin rig "
                 "shows it), whatever is asked for",
                 rig->loads[load].name);
        return false;
    }
    bool good = wpin_one_load_open(&f.one, rig, load, why, why_size);
    if (good) {
        good = sweep(&f, 1, found) &&
               (!wpin_stage_kind_has(rig->loads[load].kind, WPIN_DRIVE_REVERSE) ||
                sweep(&f, -1, found));
        if (!good) {
            bool tripped = f.one.motor.fault != WPIN_OK;
            snprintf(why, why_size, "'%s' does not start, even at %.1f %%%s%s",
                     rig->loads[load].name, f.reached * 100, tripped ? "; there it tripped: " : "",
                     tripped ? wpin_status_text((wpin_status)f.one.motor.fault) : "");
        }
    }
    wpin_one_load_close(&f.one);
    return good;
}
