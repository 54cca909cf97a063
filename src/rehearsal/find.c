/* Finds the duty that starts a load and the one at which it stops again, by a slow sweep on the
 * simulated board; both ways where the stage has two, the harder one counts. */
#include "windpin/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define SWEEP_US 200000000U /* zero to full: half a percent a second */

typedef struct finder {
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
    int load;
    int64_t tick;
    double reached; /* highest duty the sweep came to */
} finder;

static double speed_after_tick(finder *f) {
    wpin_motor_refresh(&f->motor, 1000);
    wpin_motor_tick(&f->motor);
    wpin_sim_advance(f->sim, f->tick);
    return fabs(wpin_sim_read(f->sim, f->load).rpm);
}

static double duty_of(const finder *f) {
    return fabs((double)wpin_motor_duty(&f->motor) / WPIN_DUTY_FULL);
}

static bool come_to_rest(finder *f) {
    wpin_motor_stop(&f->motor, 0);
    for (int i = 0; i < 600000; i++) { /* ten minutes at the usual tick */
        double speed = speed_after_tick(f);
        if (speed == 0 && wpin_motor_phase(&f->motor) == WPIN_PHASE_READY) {
            return true;
        }
    }
    return false;
}

/* Up until it turns, a little further, and down until it stands. */
static bool sweep(finder *f, int way, wpin_found *found) {
    wpin_duty full = (wpin_duty)(way * (int)f->bound.motor.duty_max);
    if (!come_to_rest(f) || wpin_motor_run(&f->motor, full, SWEEP_US, 1000) != WPIN_OK) {
        return false;
    }
    while (speed_after_tick(f) == 0) {
        wpin_phase phase = wpin_motor_phase(&f->motor);
        if (phase == WPIN_PHASE_RUNNING || phase == WPIN_PHASE_FAULT) {
            return false; /* full duty or tripped, and it stands */
        }
        f->reached = duty_of(f);
    }
    double start = duty_of(f);
    wpin_motor_run(&f->motor, (wpin_duty)lround(way * fmin(start * 1.1, 1) * WPIN_DUTY_FULL), 0,
                   1000);
    for (int i = 0; i < 2000; i++) {
        speed_after_tick(f);
    }
    wpin_motor_stop(&f->motor, SWEEP_US);
    while (speed_after_tick(f) != 0 && wpin_motor_busy(&f->motor)) {
    }
    found->start_duty = fmax(found->start_duty, start);
    found->drop_out = fmax(found->drop_out, duty_of(f));
    return true;
}

static bool open_finder(finder *f, const wpin_rig *rig, char *why, size_t size) {
    const wpin_rig_load *load = &rig->loads[f->load];
    f->sim = wpin_board_build(rig);
    if (f->sim == NULL) {
        snprintf(why, size, "out of memory");
        return false;
    }
    wpin_sim_switch(f->sim, (int)load->supply, true);
    f->port = wpin_sim_port(f->sim);
    f->tick = llround(rig->controller.tick * 1e12);
    wpin_bind_load(&f->bound, load);
    f->bound.motor.start = (wpin_start_config){0}; /* what is to be found must not help */
    wpin_status status = wpin_motor_init(&f->motor, &f->bound.motor, &f->port);
    if (status == WPIN_OK) {
        status = wpin_motor_arm(&f->motor);
    }
    if (status != WPIN_OK) {
        snprintf(why, size, "load '%s': %s", load->name, wpin_status_text(status));
    }
    return status == WPIN_OK;
}

bool wpin_find_start(const wpin_rig *rig, int load, wpin_found *found, char *why, size_t why_size) {
    finder f = {.load = load};
    const wpin_stage_kind *kind = rig->loads[load].kind;
    *found = (wpin_found){0};
    if (!wpin_stage_kind_takes_duty(kind)) {
        snprintf(why, why_size,
                 "'%s' is on a %s, which knows on and off only: it has no start duty",
                 rig->loads[load].name, kind->name);
        return false;
    }
    bool good = open_finder(&f, rig, why, why_size);
    if (good) {
        good = sweep(&f, 1, found) &&
               (!wpin_stage_kind_has(kind, WPIN_STATE_REVERSE) || sweep(&f, -1, found));
        if (!good) {
            bool tripped = f.motor.fault.cause != WPIN_OK;
            snprintf(why, why_size, "'%s' does not start, even at %.1f %%%s%s",
                     rig->loads[load].name, f.reached * 100, tripped ? "; there it tripped: " : "",
                     tripped ? wpin_status_text(f.motor.fault.cause) : "");
        }
    }
    wpin_sim_free(f.sim);
    return good;
}
