/* Two electrical turns of a brushless motor, once it has settled at a duty. */
#include "windpin/host/waves.h"
#include "one_load.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define PS 1e-12
enum { ROWS_MOST = 8000 };

static uint8_t code_of(const wpin_one_load *one) {
    const wpin_rig_hall *h = &one->rig->loads[one->load].hall;
    uint8_t code = 0;
    for (int i = 0; h->there && i < 3; i++) {
        code |= (uint8_t)(one->port.read(one->port.context, h->pins[i]) ? 1U << i : 0U);
    }
    return code;
}

/* One row each step, and the motor served in each control period. */
static void take_rows(wpin_one_load *one, wpin_waves *w, double seconds) {
    int64_t step = llround(seconds / (double)ROWS_MOST / PS), next_tick = 0, passed = 0;
    for (size_t i = 0; i < w->count; i++) {
        w->rows[i] = (wpin_waves_row){.at = (double)passed * PS, .code = code_of(one)};
        wpin_waves_row *row = &w->rows[i];
        wpin_sim_read_phases(one->sim, one->load, &row->phases);
        wpin_part_in_frame(&row->phases, &row->along, &row->across);
        if (passed >= next_tick) {
            wpin_motor_tick(&one->motor);
            next_tick += one->tick;
        }
        wpin_sim_advance(one->sim, step);
        passed += step;
    }
}

static void work_out(wpin_waves *w, const wpin_part_reading *r, const wpin_rig *rig,
                     const wpin_rig_load *load) {
    double squares = 0, sum = 0;
    w->least = HUGE_VAL;
    w->most = -HUGE_VAL;
    for (size_t i = 0; i < w->count; i++) {
        const wpin_part_phases *p = &w->rows[i].phases;
        squares += p->amps[0] * p->amps[0];
        w->peak = fmax(w->peak, fabs(p->amps[0]));
        sum += p->torque;
        w->along += w->rows[i].along / (double)w->count;
        w->across += w->rows[i].across / (double)w->count;
        w->least = fmin(w->least, p->torque);
        w->most = fmax(w->most, p->torque);
    }
    w->rms = sqrt(squares / (double)w->count);
    w->torque = sum / (double)w->count;
    w->rpm = r->rpm_mean;
    w->watts = rig->supplies[load->supply].volts * r->supply_amps;
    w->driven = w->torque * wpin_part_shaft_speed(&load->motor, w->rpm);
}

static bool run(wpin_one_load *one, double duty, wpin_waves *w, char *why, size_t why_size) {
    const wpin_rig_load *load = &one->rig->loads[one->load];
    double rpm;
    if (!wpin_one_load_settle(one, duty, &rpm, why, why_size)) {
        return false;
    }
    double hz = fabs(rpm) / 60 * load->motor.gear_ratio * load->motor.pole_pairs;
    if (!(hz > 0.2)) {
        wpin_plain(why, why_size, "'%s' at %.3g %% duty does not come to turn evenly", load->name,
                   duty * 100);
        return false;
    }
    w->count = ROWS_MOST;
    w->rows = calloc(w->count, sizeof *w->rows);
    if (w->rows == NULL) {
        snprintf(why, why_size, "out of memory");
        return false;
    }
    wpin_sim_read(one->sim, one->load);
    take_rows(one, w, 2 / hz);
    wpin_part_reading r = wpin_sim_read(one->sim, one->load);
    w->duty = (double)wpin_motor_duty(&one->motor) / WPIN_DUTY_FULL;
    work_out(w, &r, one->rig, load);
    return true;
}

bool wpin_waves_take(const wpin_rig *rig, int load, double duty, wpin_waves *waves, char *why,
                     size_t why_size) {
    const wpin_rig_load *l = &rig->loads[load];
    *waves = (wpin_waves){0};
    if (!wpin_rig_has_phases(l)) {
        snprintf(why, why_size, "'%s' is not a brushless motor on three legs: it has no phases",
                 l->name);
        return false;
    }
    wpin_one_load one;
    bool good =
        wpin_one_load_open(&one, rig, load, why, why_size) && run(&one, duty, waves, why, why_size);
    wpin_one_load_close(&one);
    return good;
}

void wpin_waves_free(wpin_waves *waves) {
    free(waves->rows);
    *waves = (wpin_waves){0};
}
