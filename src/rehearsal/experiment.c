/* The run that a motor's constants are identified by. */
#include "one_load.h"
#include <math.h>
#include <stdio.h>

#define PI        3.14159265358979323846
#define SLOWLY_US 8000000U /* up to what surely breaks it loose */
#define FEW       8        /* samples of the current in a period of PWM tell its mean, */
#define SAMPLES   32       /* and so many its ripple... */
#define SAMPLED   3.0      /* ...once a tick, for so many seconds at each duty */

typedef struct experiment {
    wpin_one_load one;
    wpin_record *record;
    wpin_known *known; /* NULL: an encoder tells */
    double now;        /* s */
    double runs_down;  /* s that it takes to rest, as the rig has it */
    bool quick;        /* its sense follows the ripple of PWM... */
    bool samples;      /* ...which is kept now... */
    double shift;      /* ...from that share of the time between two samples on */
    bool full;         /* out of memory */
} experiment;

/* ---- what must hold before ---- */

static bool is_attached(const wpin_part_motor *m) {
    return m->load_torque > 0 || m->load_inertia > 0 || m->load_viscous > 0 ||
           m->load_quadratic > 0;
}

bool wpin_experiment_fits(const wpin_rig *rig, int load, bool attached_is_fine, char *why,
                          size_t size) {
    const wpin_rig_load *l = &rig->loads[load];
    why[0] = '\0';
    if (!wpin_identify_fits(l, why, size)) {
        return false;
    }
    if (!wpin_stage_kind_takes_duty(l->kind) || wpin_logic_of(l->kind->logic)->own) {
        snprintf(why, size, "'%s' is not driven by duty", l->name);
    } else if (l->limits.trip_input < 0) {
        snprintf(why, size,
                 "the current of '%s' is not sensed; give its driver 'sense', and a 'current-trip'",
                 l->name);
    } else if (!wpin_rig_sees_rest(l) && !wpin_current_tells(l, why, size)) {
        return false;
    } else if (!wpin_stage_kind_has(l->kind, WPIN_DRIVE_COAST)) {
        snprintf(why, size, "the stage of '%s' can't let it run down by itself", l->name);
    } else if (l->motor.stop_low < l->motor.stop_high || l->limits.limit_inputs[0] >= 0 ||
               l->limits.limit_inputs[1] >= 0 || l->position.least < l->position.most) {
        snprintf(why, size,
                 "the travel of '%s' is limited, and this turns it for minutes; take it off its "
                 "machine, and 'travel', 'limits', 'least' and 'most' out of a copy of the rig",
                 l->name);
    } else if (is_attached(&l->motor) && !attached_is_fine) {
        snprintf(why, size,
                 "the rig says that something is attached to '%s' (load): it would turn at up to "
                 "full speed both ways; with --attached it is identified together with it",
                 l->name);
    }
    return why[0] == '\0';
}

/* ---- the run ---- */

/* What the timer makes of it, in its whole steps. */
static double duty_shown(const experiment *e) {
    double share = (double)wpin_motor_duty(&e->one.motor) / WPIN_DUTY_FULL;
    double steps = e->one.bound.achieved.steps;
    return steps > 0 ? round(share * steps) / steps : share;
}

/* The port tells whole millivolts: which step of the converter that was, and its volts. */
static double sensed_volts(const experiment *e, uint8_t input) {
    const wpin_port *port = &e->one.port;
    double volts = port->millivolts(port->context, input) * 1e-3;
    double step = wpin_rig_converter_step(e->one.rig);
    return step > 1e-3 ? step * round(volts / step) : volts;
}

/* The size of a current. A converter rounds down: of a sense that shows both ways that makes one
 * way less and the other more, so it is taken in the middle of its step here; of a size later on.
 */
static double size_of(const experiment *e, double volts) {
    const wpin_part_driver *b = &e->one.rig->loads[e->one.load].bridge;
    double middle = b->sense_zero > 0 ? wpin_rig_converter_step(e->one.rig) / 2 : 0;
    return fabs(volts + middle) / b->sense_volts_per_amp;
}

/* A quick sense shows the ripple: its mean over a period is what counts. A converter takes it at
 * moments that the timer of the PWM starts it at. */
static double sample(experiment *e) {
    const wpin_rig_load *l = &e->one.rig->loads[e->one.load];
    const int64_t period = 1000000000000000LL / e->one.bound.achieved.millihertz;
    const int count = e->samples ? SAMPLES : FEW;
    double sum = 0;
    e->shift = fmod(e->shift + 0.6180339887, 1); /* not the same moments in every period */
    wpin_sim_advance(e->one.sim, (int64_t)(e->shift * (double)period / count));
    for (int i = 0; i < count; i++) {
        wpin_sim_advance(e->one.sim, period * (i + 1) / count - period * i / count);
        double volts = sensed_volts(e, (uint8_t)l->limits.trip_input) - l->bridge.sense_zero;
        double amps = size_of(e, volts);
        int64_t passed = wpin_sim_time(e->one.sim) % period;
        wpin_record_sample s = {.at = e->now,
                                .duty = duty_shown(e),
                                .phase = (double)passed / (double)period,
                                .amps = amps};
        e->full = e->full || (e->samples && !wpin_record_add_sample(e->record, &s));
        sum += amps;
    }
    return sum / count;
}

/* What the controller knows after this tick. */
static void keep(experiment *e) {
    const wpin_port *port = &e->one.port;
    const wpin_encoder_config *encoder = &e->one.bound.encoder;
    wpin_count count = {0};
    wpin_moment now = port->now(port->context);
    if (e->known == NULL && port->count(port->context, encoder->counter, &count) != WPIN_OK) {
        return;
    }
    double sensed = wpin_motor_measurement(&e->one.motor).current * 1e-3; /* its zero taken off */
    double ago = (double)(uint32_t)(now - count.at) * 1e-6;
    int32_t counts = encoder->reversed ? -count.counts : count.counts;
    const wpin_record *r = e->record;
    bool still = r->count > 0 && r->rows[r->count - 1].counts == counts;
    wpin_record_row row = {.at = e->now,
                           .duty = duty_shown(e),
                           .amps = e->quick ? sample(e) : size_of(e, sensed),
                           .counts = counts,
                           .counted_at = still ? r->rows[r->count - 1].counted_at : e->now - ago};
    e->full = e->full || !wpin_record_add(e->record, &row);
}

/* A tick of the controller, its record, and the time until the next. */
static bool tick(experiment *e) {
    wpin_motor_refresh(&e->one.motor, 1000);
    wpin_motor_tick(&e->one.motor);
    int64_t until = wpin_sim_time(e->one.sim) + e->one.tick;
    keep(e);
    wpin_sim_advance(e->one.sim, until - wpin_sim_time(e->one.sim));
    e->now += (double)e->one.tick * 1e-12;
    return wpin_motor_fault(&e->one.motor) == WPIN_OK && !e->full;
}

static bool pass(experiment *e, double seconds) {
    for (double end = e->now + seconds; e->now < end;) {
        if (!tick(e)) {
            return false;
        }
    }
    return true;
}

/* Evenly, its ripple on record. */
static bool pass_sampled(experiment *e) {
    e->samples = true;
    bool good = pass(e, SAMPLED);
    e->samples = false;
    return good;
}

/* Runs down by itself, until it stands. */
static bool run_down(experiment *e) {
    if (wpin_motor_coast(&e->one.motor) != WPIN_OK) {
        return false;
    }
    if (e->known != NULL) {
        return pass(e, e->runs_down);
    }
    double quiet = 0, most = e->now + 600;
    while (quiet < 0.5 && e->now < most) {
        if (!tick(e)) {
            return false;
        }
        bool moves = wpin_motor_measurement(&e->one.motor).speed != 0;
        quiet = moves ? 0 : quiet + (double)e->one.tick * 1e-12;
    }
    return quiet >= 0.5;
}

static bool run_at(experiment *e, double duty, uint32_t ramp_us, double hold) {
    wpin_duty effort = (wpin_duty)lround(duty * WPIN_DUTY_FULL);
    if (wpin_motor_run(&e->one.motor, effort, ramp_us, 1000) != WPIN_OK) {
        return false;
    }
    while (wpin_motor_state(&e->one.motor) != WPIN_STATE_RUNNING) {
        if (!tick(e)) {
            return false;
        }
    }
    return pass(e, hold);
}

/* Duty, as the rig has it: what surely breaks it loose, and what it may be run at. */
static double loosening(const wpin_rig *rig, const wpin_rig_load *l, double most) {
    return fmin(1.5 * wpin_rig_duty_at(rig, l, wpin_rig_loose_amps(l), 0) + 0.03, most);
}

static double highest(const wpin_rig *rig, const wpin_rig_load *l) {
    double most = 0.9 * l->limits.duty_max;
    return l->speed.there ? fmin(most, 0.85 * wpin_rig_speed_duty(rig, l, l->speed.rated)) : most;
}

/* Until it is at a speed: some time constants, as the rig has them. */
static double settling(const wpin_rig *rig, const wpin_rig_load *l) {
    const wpin_part_motor *m = &l->motor;
    double inertia = wpin_part_at_shaft(m).inertia;
    double lag = inertia * wpin_rig_loop_ohms(rig, l) / (m->constant * m->constant);
    return fmin(fmax(4 * lag, 1), 20);
}

/* By its friction alone, with time to spare: nobody sees when it stands. */
static double running_down(const wpin_rig *rig, const wpin_rig_load *l) {
    wpin_at_shaft shaft = wpin_part_at_shaft(&l->motor);
    double fastest = rig->supplies[l->supply].volts / l->motor.constant;
    double least = fmax(shaft.drags + shaft.viscous * fastest / 4, 1e-9);
    return fmin(fmax(2 * shaft.inertia * fastest / least, 1), 300) + 0.5;
}

/* A tachometer held to its shaft: whole revolutions a minute. */
static void look(experiment *e, const wpin_rig_load *l, double duty) {
    wpin_part_reading r =
        wpin_board_read(&(wpin_board_bench){e->one.rig, e->one.sim}, (size_t)e->one.load);
    double rpm = round(fabs(r.rpm));
    e->known->speed = rpm * 2 * PI / 60 * l->motor.gear_ratio;
    e->known->duty = (double)lround(duty * WPIN_DUTY_FULL) / WPIN_DUTY_FULL;
    e->known->error = rpm > 0 ? fmax(0.5 / rpm, 1e-3) : 1;
}

static bool one_way(experiment *e, const wpin_rig_load *l, double way) {
    double most = highest(e->one.rig, l), loose = loosening(e->one.rig, l, most);
    double hold = settling(e->one.rig, l), less = loose + 0.4 * (most - loose);
    for (int i = 0; i < 3; i++) {
        if (!run_at(e, way * loose, SLOWLY_US, 0.3) || !run_down(e)) {
            return false;
        }
    }
    bool held = run_at(e, way * less, 0, hold) && (!e->quick || pass_sampled(e));
    if (!held || !run_at(e, way * most, 0, hold)) {
        return false;
    }
    if (e->known != NULL && way > 0) {
        look(e, l, most);
    }
    return run_down(e);
}

/* Several times in a period it shows another current, and a period fits into a tick. */
static bool is_quick(const wpin_rig *rig, const wpin_rig_load *l) {
    double hz = l->limits.pwm_hz;
    return l->bridge.sense_filter * hz < 0.25 && hz * rig->controller.tick >= 2;
}

bool wpin_experiment(const wpin_rig *rig, const wpin_rig *bench, int load, wpin_record *record,
                     wpin_known *known, char *why, size_t size) {
    const wpin_rig_load *l = &rig->loads[load];
    experiment e = {.record = record,
                    .known = l->encoder.there ? NULL : known,
                    .runs_down = running_down(rig, l)};
    bool good =
        wpin_one_load_open_on(&e.one, rig, bench != NULL ? bench : rig, load, false, why, size);
    e.quick = good && is_quick(rig, l);
    if (good) {
        good = run_down(&e) && one_way(&e, l, 1) &&
               (!wpin_stage_kind_has(l->kind, WPIN_DRIVE_REVERSE) || one_way(&e, l, -1));
        wpin_status fault = wpin_motor_fault(&e.one.motor);
        if (!good) {
            snprintf(why, size, "the run ended early: %s",
                     e.full             ? "out of memory"
                     : fault != WPIN_OK ? wpin_status_text(fault)
                                        : "it did not come to its speed, or not to rest");
        }
        wpin_motor_close(&e.one.motor);
    }
    wpin_one_load_close(&e.one);
    return good;
}
