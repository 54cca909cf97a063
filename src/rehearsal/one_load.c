/* One load, ready to be driven. */
#include "one_load.h"
#include "changed_rig.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>

/* The board with the load free to turn: without end stops. */
static wpin_sim *build_free(const wpin_rig *rig, int load) {
    wpin_rig free_rig;
    if (!wpin_rig_copy_loads(&free_rig, rig)) {
        return NULL;
    }
    free_rig.loads[load].motor.stop_low = free_rig.loads[load].motor.stop_high = 0;
    wpin_sim *sim = wpin_board_build(&free_rig);
    wpin_rig_free_loads(&free_rig);
    return sim;
}

bool wpin_one_load_takes_duty(const wpin_rig_load *load, const char *so, char *why, size_t size) {
    if (wpin_stage_kind_takes_duty(load->kind)) {
        return true;
    }
    snprintf(why, size, "'%s' is on a %s, which %s: %s", load->name, load->kind->name,
             load->kind->coils ? "drives a stepper from place to place" : "knows on and off only",
             so);
    return false;
}

bool wpin_one_load_open(wpin_one_load *one, const wpin_rig *rig, int load, char *why, size_t size) {
    return wpin_one_load_open_on(one, rig, rig, load, false, why, size);
}

bool wpin_one_load_open_on(wpin_one_load *one, const wpin_rig *rig, const wpin_rig *bench, int load,
                           bool watched, char *why, size_t size) {
    const wpin_rig_load *part = &rig->loads[load];
    if (!wpin_rig_type(part)->spins) {
        snprintf(why, size, "'%s' is not a motor: it has no start duty and no speed", part->name);
        *one = (wpin_one_load){0};
        return false;
    }
    if (part->axis.there) {
        snprintf(
            why, size,
            "'%s' is regulated by its drive: no duty of ours reaches it, and its loop is tuned "
            "with its maker's tools",
            part->name);
        *one = (wpin_one_load){0};
        return false;
    }
    *one = (wpin_one_load){.rig = rig, .load = load, .sim = build_free(bench, load)};
    if (one->sim == NULL) {
        snprintf(why, size, "out of memory");
        return false;
    }
    wpin_sim_switch(one->sim, (int)part->supply, true);
    one->port = wpin_sim_port(one->sim);
    one->tick = llround(rig->controller.tick * 1e12);
    wpin_bind_load(&one->bound, rig, part);
    one->bound.motor.start = (wpin_start_config){0};
    if (!watched) {
        one->bound.motor.protection_count = 0; /* standing at a low duty is what is looked for */
    }
    one->bound.motor.sense.limit_forward = one->bound.motor.sense.limit_reverse = (wpin_limit){0};
    wpin_status status = wpin_bound_open(&one->bound, &one->motor, &one->port);
    wpin_bound_listen(&one->bound, one->sim, rig, (size_t)load);
    if (status == WPIN_OK) {
        status = wpin_motor_arm(&one->motor);
    }
    if (status != WPIN_OK) {
        snprintf(why, size, "load '%s': %s", part->name, wpin_status_text(status));
    }
    return status == WPIN_OK;
}

wpin_part_reading wpin_one_load_tick(wpin_one_load *one) {
    wpin_motor_tick(&one->motor);
    wpin_sim_advance(one->sim, one->tick);
    return wpin_board_read(&(wpin_board_bench){one->rig, one->sim}, (size_t)one->load);
}

void wpin_one_load_close(wpin_one_load *one) {
    wpin_sim_free(one->sim);
    one->sim = NULL;
}

/* ---- a speed that has settled ---- */

enum { SETTLE_TENTHS = 300 };

/* Until its speed changes by less than 0.1 % in a tenth of a second; infinity: it does not. */
static double settle(wpin_one_load *one) {
    double before = HUGE_VAL;
    for (int tenths = 0; tenths < SETTLE_TENTHS; tenths++) {
        double turns = 0, seconds = 0;
        while (seconds < 0.1) {
            wpin_part_reading r = wpin_one_load_tick(one);
            turns += r.rpm_mean / 60 * r.seconds;
            seconds += r.seconds;
        }
        double rpm = turns / seconds * 60;
        bool there = wpin_motor_state(&one->motor) == WPIN_STATE_RUNNING;
        if ((there && fabs(rpm - before) < 1e-3 * fabs(rpm)) || wpin_motor_fault(&one->motor)) {
            return rpm;
        }
        before = there ? rpm : HUGE_VAL;
    }
    return before;
}

bool wpin_one_load_settle(wpin_one_load *one, double duty, double *rpm, char *why, size_t size) {
    const wpin_rig_load *load = &one->rig->loads[one->load];
    wpin_duty asked = (wpin_duty)lround(duty * WPIN_DUTY_FULL);
    long resting = lround((load->limits.rest + 0.01) / one->rig->controller.tick);
    while (resting-- > 0) {
        wpin_one_load_tick(one); /* it rests first: it may have been turning */
    }
    wpin_status status = wpin_motor_run(&one->motor, asked, 0, WPIN_TIMEOUT_HELD);
    if (status == WPIN_OK) {
        *rpm = settle(one);
        status = wpin_motor_fault(&one->motor);
    }
    if (status != WPIN_OK) {
        wpin_plain(why, size, "'%s' at %.3g %% duty: %s", load->name, duty * 100,
                   wpin_status_text(status));
        return false;
    }
    if (isinf(*rpm)) {
        wpin_plain(why, size, "'%s' at %.3g %% duty does not come to turn evenly", load->name,
                   duty * 100);
        return false;
    }
    return true;
}
