/* A regulated speed asked for another one, then loaded: on a bench, and as the design predicts. */
#include "windpin/host/response.h"
#include "one_load.h"
#include "response_figures.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

/* ---- what is asked ---- */

/* A tenth of what stalls it, and of what its current limits leave beside its own drag, the half. */
static double usual_torque(const wpin_rig *rig, const wpin_rig_load *l, double rpm) {
    double most = wpin_rig_mean_amps(rig, l, 1, 0);
    const double limits[] = {l->limits.trip_amps, l->limits.limit_amps};
    for (size_t i = 0; i < 2; i++) {
        most = limits[i] > 0 ? fmin(most, limits[i]) : most;
    }
    wpin_at_shaft shaft = wpin_part_at_shaft(&l->motor);
    double w = wpin_part_shaft_speed(&l->motor, rpm);
    double drag = wpin_part_drag(&shaft, w) / l->motor.constant;
    double fast = wpin_rig_mean_amps(rig, l, l->limits.duty_max, w);
    double amps = fmin(0.1 * wpin_rig_mean_amps(rig, l, 1, 0), (fmin(most, fast) - drag) / 2);
    return fmax(amps, 0) * l->motor.constant * l->motor.gear_ratio * l->motor.gear_efficiency;
}

static bool take(wpin_response_test *t, const wpin_rig *rig, int load, char *why, size_t size) {
    const wpin_rig_load *l = &rig->loads[load];
    if (!l->speed.there) {
        snprintf(why, size,
                 "the speed of '%s' is not regulated; expected 'speed' and 'encoder' in the rig",
                 l->name);
        return false;
    }
    t->from = t->from == 0 ? 0.4 * l->speed.rated : t->from;
    t->to = t->to == 0 ? 0.6 * l->speed.rated : t->to;
    const double speeds[] = {t->from, t->to};
    for (size_t i = 0; i < 2; i++) {
        double least = wpin_rig_least_rpm(rig, l);
        if (!(speeds[i] > 0) || speeds[i] < least || speeds[i] > l->speed.rated) {
            wpin_plain(why, size,
                       "%.6g rpm is out of range; expected %s%.6g%s and up to %.6g rpm (%srated "
                       "speed in the rig)",
                       speeds[i], least > 0 ? "" : "above ", least, least > 0 ? " rpm" : "",
                       l->speed.rated,
                       least > 0 ? "from where its zero crossings lead to the " : "");
            return false;
        }
    }
    if (fabs(t->to - t->from) < 0.01 * l->speed.rated) {
        wpin_plain(
            why, size,
            "from %.6g to %.6g rpm is not a step; expected a difference of at least %.6g rpm",
            t->from, t->to, 0.01 * l->speed.rated);
        return false;
    }
    t->torque = t->torque == 0 ? usual_torque(rig, l, t->to) : t->torque;
    return true;
}

typedef struct times {
    double ramp, rest; /* of the set-point; until all has settled after it, s */
} times;

static times times_of(const wpin_rig *rig, const wpin_rig_load *l, const wpin_response_test *t) {
    wpin_speed_design d = wpin_rig_speed_design(rig, l);
    double whole = t->to > t->from ? l->limits.ramp_up : l->limits.ramp_down;
    return (times){.ramp = fabs(t->to - t->from) / l->speed.maximum * whole,
                   .rest = fmax(0.3, 8 * (d.response + d.delay) + 5 * d.integral_time)};
}

/* ---- on the bench ---- */

typedef struct bench_run {
    wpin_one_load one;
    const wpin_rig_load *load, *true_load;
    wpin_response *response;
} bench_run;

static bool ask(bench_run *b, double rpm) {
    int32_t speed = (int32_t)lround(rpm / b->load->speed.maximum * WPIN_DUTY_FULL);
    wpin_setpoint s = {WPIN_QUANTITY_SPEED, speed};
    return wpin_motor_request(&b->one.motor, s, 0, WPIN_TIMEOUT_HELD) == WPIN_OK;
}

static double in_rpm(const bench_run *b, int32_t speed) {
    return (double)speed / WPIN_DUTY_FULL * b->load->speed.maximum;
}

static bool tick(bench_run *b, wpin_response_row *row) {
    wpin_part_reading r = wpin_one_load_tick(&b->one);
    if (row != NULL) {
        row->asked = in_rpm(b, wpin_motor_asked(&b->one.motor));
        row->measured = in_rpm(b, wpin_motor_measurement(&b->one.motor).speed);
        row->rpm = r.rpm;
        row->duty = (double)wpin_motor_duty(&b->one.motor) / WPIN_DUTY_FULL;
        row->amps = r.amps;
    }
    bool limited = (b->one.motor.guard.held & (WPIN_HELD_CAP | WPIN_HELD_CURRENT)) != 0;
    b->response->limited += row != NULL && limited ? b->one.rig->controller.tick : 0;
    return wpin_motor_fault(&b->one.motor) == WPIN_OK;
}

/* At the first speed, and settled there: its own ramp, and twice as long as a step takes; an
 * actuator that has to start first does that before. */
static bool settle(bench_run *b, const times *t) {
    const wpin_response *r = b->response;
    double seconds = b->load->limits.ramp_up * r->test.from / b->load->speed.maximum + 2 * t->rest;
    bool good = ask(b, r->test.from);
    for (double now = 0; good && now < seconds; now += b->one.rig->controller.tick) {
        good = tick(b, NULL);
        bool starts = (wpin_motor_measurement(&b->one.motor).inputs & WPIN_STARTING) != 0;
        now = starts ? 0 : now;
    }
    return good;
}

static bool follow(bench_run *b, size_t load_at) {
    wpin_response *r = b->response;
    bool good = ask(b, r->test.to);
    for (size_t i = 0; good && i < r->count; i++) {
        if (i == load_at) {
            double torque = b->true_load->motor.load_torque + r->test.torque;
            wpin_sim_set_load(b->one.sim, b->one.load, torque);
        }
        r->rows[i].at = (double)(i + 1) * b->one.rig->controller.tick;
        good = tick(b, &r->rows[i]);
    }
    return good;
}

static bool run(const wpin_rig *rig, const wpin_rig *bench, int load, wpin_response *r,
                size_t load_at, char *why, size_t size) {
    bench_run b = {.load = &rig->loads[load], .true_load = &bench->loads[load], .response = r};
    times t = times_of(rig, b.load, &r->test);
    bool good = wpin_one_load_open_on(&b.one, rig, bench, load, true, why, size);
    if (good && !(settle(&b, &t) && follow(&b, load_at))) {
        wpin_status fault = wpin_motor_fault(&b.one.motor);
        snprintf(why, size, "'%s' did not come to the end: %s, %s", b.load->name,
                 wpin_status_name(fault), wpin_status_text(fault));
        good = false;
    }
    wpin_one_load_close(&b.one);
    return good;
}

/* ---- the prediction ---- */

static bool predict(const wpin_rig *rig, int load, wpin_response *r, double *speeds,
                    size_t load_at) {
    const wpin_rig_load *l = &rig->loads[load];
    wpin_speed_design d = wpin_rig_speed_design(rig, l);
    wpin_speed_plant plant = wpin_rig_speed_plant_at(rig, l, r->test.to);
    bool up = r->test.to > r->test.from;
    wpin_speed_asked asked = {
        .from = r->test.from / l->speed.maximum,
        .to = r->test.to / l->speed.maximum,
        .rate = 1 / fmax(up ? l->limits.ramp_up : l->limits.ramp_down, rig->controller.tick),
        .slew = 1 / d.slew,
        .window = plant.measuring,
        .torque = r->test.torque / (l->motor.gear_ratio * l->motor.gear_efficiency),
        .load_at = load_at};
    if (!wpin_calc_speed_course(&plant, &d, &asked, speeds, r->count)) {
        return false;
    }
    for (size_t i = 0; i < r->count; i++) {
        speeds[i] *= l->speed.maximum;
        r->rows[i].predicted = speeds[i];
    }
    return true;
}

/* ---- all of it ---- */

static void put_in_figures(wpin_response *r, double *speeds, size_t load_at, double tick_seconds) {
    wpin_course course = {.speeds = speeds,
                          .count = r->count,
                          .load_at = load_at,
                          .from = r->test.from,
                          .to = r->test.to,
                          .tick = tick_seconds};
    r->predicted = wpin_course_figures(&course);
    for (size_t i = 0; i < r->count; i++) {
        speeds[i] = r->rows[i].rpm;
    }
    r->happened = wpin_course_figures(&course);
}

bool wpin_respond(const wpin_rig *rig, const wpin_rig *bench, int load,
                  const wpin_response_test *test, wpin_response *r, char *why, size_t why_size) {
    *r = (wpin_response){.test = *test};
    if (!take(&r->test, rig, load, why, why_size)) {
        return false;
    }
    times t = times_of(rig, &rig->loads[load], &r->test);
    double tick_seconds = rig->controller.tick;
    size_t load_at = (size_t)ceil((t.ramp + t.rest) / tick_seconds);
    r->count = load_at + (size_t)ceil(t.rest / tick_seconds);
    r->load_at = (double)load_at * tick_seconds;
    r->rows = calloc(r->count, sizeof *r->rows);
    double *speeds = malloc(r->count * sizeof *speeds);
    bool good = r->rows != NULL && speeds != NULL && predict(rig, load, r, speeds, load_at);
    if (!good) {
        snprintf(why, why_size, "out of memory");
    } else {
        good = run(rig, bench, load, r, load_at, why, why_size);
    }
    if (good) {
        put_in_figures(r, speeds, load_at, tick_seconds);
    }
    free(speeds);
    return good;
}

void wpin_response_free(wpin_response *r) {
    free(r->rows);
    r->rows = NULL;
}
