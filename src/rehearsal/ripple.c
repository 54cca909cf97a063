/* Three PWM periods of a brushed motor, once it has settled at a duty. */
#include "windpin/host/ripple.h"
#include "one_load.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define PS 1e-12
/* One more is taken, so that three begin with an on phase. */
enum { PERIODS = 3 };
/* Rows of a period: so many that the shorter phase has some; beyond the most it is not shown. */
enum { ROWS_LEAST = 400, ROWS_MOST = 4000, ROWS_OF_PHASE = 8 };

static size_t rows_for(double duty) {
    double shorter = fmin(fabs(duty), 1 - fabs(duty)), rows = ceil(ROWS_OF_PHASE / shorter);
    return rows > ROWS_MOST ? 0 : (size_t)fmax(rows, ROWS_LEAST);
}

/* Means over each step, and the motor served in each control period. */
static void take_rows(wpin_one_load *one, wpin_ripple_row *rows, size_t count, double step) {
    int64_t next_tick = 0, passed = 0;
    wpin_sim_read(one->sim, one->load);
    for (size_t i = 0; i < count; i++) {
        if (passed >= next_tick) {
            wpin_motor_tick(&one->motor);
            next_tick += one->tick;
        }
        int64_t to = llround((double)(i + 1) * step / PS);
        wpin_sim_advance(one->sim, to - passed);
        wpin_part_reading r = wpin_sim_read(one->sim, one->load);
        rows[i] = (wpin_ripple_row){.at = (double)passed * PS,
                                    .volts = r.volts,
                                    .amps = r.amps,
                                    .supply_amps = r.supply_amps};
        passed = to;
    }
}

/* Moves the rows so that the first is the begin of an on phase: volts rise past the middle, taken
 * the way it is driven. */
static void begin_at_edge(wpin_ripple *r, size_t all, size_t period) {
    double way = r->duty < 0 ? -1 : 1, low = HUGE_VAL, high = -HUGE_VAL;
    for (size_t i = 0; i < all; i++) {
        low = fmin(low, way * r->rows[i].volts);
        high = fmax(high, way * r->rows[i].volts);
    }
    double middle = (low + high) / 2;
    size_t first = 0;
    for (size_t i = 1; i <= period && first == 0; i++) {
        bool rises = way * r->rows[i - 1].volts < middle && way * r->rows[i].volts >= middle;
        first = rises ? i : 0;
    }
    r->count = period * PERIODS;
    double from = r->rows[first].at;
    for (size_t i = 0; i < r->count; i++) {
        r->rows[i] = r->rows[first + i];
        r->rows[i].at -= from;
    }
}

/* Mean volts of the on phase, and of the rest while current flows, without the rows an edge lies
 * in.
 */
static void split_volts(wpin_ripple *r, size_t period) {
    double on = 0, off = 0, on_share = fabs(r->duty) * (double)period;
    int on_count = 0, off_count = 0;
    for (size_t i = 0; i < r->count; i++) {
        const wpin_ripple_row *row = &r->rows[i];
        size_t whole = i < period ? 0 : i < 2 * period ? period : 2 * period;
        double in_period = (double)(i - whole);
        if (in_period >= 1 && in_period + 2 < on_share) {
            on += row->volts;
            on_count++;
        } else if (in_period > on_share + 1 && in_period + 2 < (double)period &&
                   fabs(row->amps) > 1e-6) {
            off += row->volts;
            off_count++;
        }
    }
    r->on_volts = on_count > 0 ? on / on_count : NAN;
    r->off_volts = off_count > 0 ? off / off_count : NAN;
}

static void work_out(wpin_ripple *r, const wpin_rig *rig, const wpin_rig_load *load) {
    double squares = 0, supply_squares = 0, count = (double)r->count;
    r->least = HUGE_VAL;
    r->most = -HUGE_VAL;
    for (size_t i = 0; i < r->count; i++) {
        const wpin_ripple_row *row = &r->rows[i];
        r->volts += row->volts / count;
        r->amps += row->amps / count;
        r->supply_amps += row->supply_amps / count;
        squares += row->amps * row->amps / count;
        supply_squares += row->supply_amps * row->supply_amps / count;
        r->least = fmin(r->least, row->amps);
        r->most = fmax(r->most, row->amps);
        r->stopped += fabs(row->amps) < 1e-6 ? 1 / count : 0;
    }
    r->rms = sqrt(squares);
    r->supply_rms = sqrt(supply_squares);
    r->emf = load->motor.constant * wpin_part_shaft_speed(&load->motor, r->rpm);
    r->watts = rig->supplies[load->supply].volts * r->supply_amps;
    r->driven = r->emf * r->amps;
}

static bool run(wpin_one_load *one, double duty, wpin_ripple *r, char *why, size_t why_size) {
    const wpin_rig_load *load = &one->rig->loads[one->load];
    if (!wpin_one_load_settle(one, duty, &r->rpm, why, why_size)) {
        return false;
    }
    r->duty = (double)wpin_motor_duty(&one->motor) / WPIN_DUTY_FULL;
    r->hz = one->bound.achieved.millihertz / 1e3;
    if (!(r->hz > 0) || fabs(r->duty) >= 1) {
        wpin_plain(why, why_size, "'%s' at %.4g %% duty has no PWM: it is on all the time",
                   load->name, r->duty * 100);
        return false;
    }
    size_t period = rows_for(r->duty), all = period * (PERIODS + 1) + 1;
    if (period == 0) {
        wpin_plain(
            why, why_size,
            "'%s' at %.4g %% duty: a phase of its PWM is too short to show; expected %.4g to "
            "%.4g %%",
            load->name, r->duty * 100, 100.0 * ROWS_OF_PHASE / ROWS_MOST,
            100 - 100.0 * ROWS_OF_PHASE / ROWS_MOST);
        return false;
    }
    r->rows = calloc(all, sizeof *r->rows);
    if (r->rows == NULL) {
        snprintf(why, why_size, "out of memory");
        return false;
    }
    take_rows(one, r->rows, all, 1 / r->hz / (double)period);
    begin_at_edge(r, all, period);
    work_out(r, one->rig, load);
    split_volts(r, period);
    return true;
}

bool wpin_ripple_take(const wpin_rig *rig, int load, double duty, wpin_ripple *ripple, char *why,
                      size_t why_size) {
    const wpin_rig_load *l = &rig->loads[load];
    *ripple = (wpin_ripple){0};
    bool takes = wpin_stage_kind_takes_duty(l->kind) && !wpin_logic_of(l->kind->logic)->pulses;
    if (!takes || wpin_rig_has_phases(l)) {
        snprintf(why, why_size, "'%s' is not a brushed motor under PWM: its stage is '%s'%s",
                 l->name, l->kind->name, l->hall.at_driver ? ", its motor brushless" : "");
        return false;
    }
    wpin_one_load one;
    bool good = wpin_one_load_open(&one, rig, load, why, why_size) &&
                run(&one, duty, ripple, why, why_size);
    wpin_one_load_close(&one);
    return good;
}

void wpin_ripple_free(wpin_ripple *ripple) {
    free(ripple->rows);
    *ripple = (wpin_ripple){0};
}
