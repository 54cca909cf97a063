/* What each load did since it was last looked at, into the report and the rows of the record. */
#include "session.h"
#include <math.h>

static void add_tally(wpin_tally *t, const wpin_part_reading *r) {
    if (r->seconds <= 0) {
        return;
    }
    t->amps_min = t->begun ? fmin(t->amps_min, r->amps_min) : r->amps_min;
    t->amps_max = t->begun ? fmax(t->amps_max, r->amps_max) : r->amps_max;
    t->volts += r->volts * r->seconds;
    t->amps += r->amps * r->seconds;
    t->seconds += r->seconds;
    t->begun = true;
}

/* Volts over whole PWM periods, and over one tick at least. */
static void average_volts(wpin_session *run, size_t load) {
    wpin_mean *m = &run->volts[load];
    m->sum += run->last[load].volts * run->last[load].seconds;
    m->seconds += run->last[load].seconds;
    if (m->seconds >= wpin_session_window(run, load) * (1 - 1e-9)) {
        *m = (wpin_mean){.value = m->sum / m->seconds};
    }
}

void wpin_session_read_loads(wpin_session *run) {
    wpin_report *report = run->report;
    double total = 0, seconds = (double)(wpin_session_clock(run) - run->read_at) * 1e-12;
    run->read_at = wpin_session_clock(run);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->last[i] = wpin_session_read(run, i, seconds);
        const wpin_part_reading *r = &run->last[i];
        add_tally(&run->for_trace[i], r);
        average_volts(run, i);
        report->amps_peak[i] =
            fmax(report->amps_peak[i], fmax(fabs(r->amps_min), fabs(r->amps_max)));
        report->rpm_peak[i] = fmax(report->rpm_peak[i], fabs(r->rpm));
        wpin_session_tally_torque(run, i);
        report->degrees_c[i] = fmax(report->degrees_c[i], fmax(r->degrees, r->driver_degrees));
        total += fmax(fabs(r->amps_min), fabs(r->amps_max));
        report->joules[i] +=
            r->supply_amps * r->seconds * run->rig->supplies[run->rig->loads[i].supply].volts;
    }
    report->total_amps_peak = fmax(report->total_amps_peak, total);
}

/* The effort asked for; of a stepper, which has none, 0; NAN where regulators make it.
 */
static double asked_of(const wpin_motor *motor) {
    return motor->setpoint.quantity == WPIN_QUANTITY_EFFORT
               ? (double)motor->setpoint.value / WPIN_DUTY_FULL
           : motor->config->regulator_count > 0 ? NAN
                                                : 0;
}

/* What only a bench knows that sees more than its controller. */
static double truly(const wpin_session *run, double value) {
    return wpin_session_knows(run) ? value : NAN;
}

/* Turns are counted, too: by an encoder, or in steps. */
static double turns_of(const wpin_session *run, size_t load) {
    bool counted =
        wpin_rig_knows_place(&run->rig->loads[load]) || wpin_session_is_stepper(run, load);
    return counted ? run->last[load].turns : truly(run, run->last[load].turns);
}

void wpin_session_write_row(wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_tally *t = &run->for_trace[i];
        const wpin_motor *m = &run->motors[i];
        double seconds = t->seconds > 0 ? t->seconds : 1;
        bool axis =
            run->rig->loads[i].axis.there; /* its drive has a duty of its own, no one else */
        double duty = axis ? 0 : (double)wpin_motor_duty(m) / WPIN_DUTY_FULL;
        run->samples[i] = (wpin_sample){.asked = axis ? NAN : asked_of(m),
                                        .duty = duty,
                                        .volts = truly(run, t->volts / seconds),
                                        .amps = truly(run, t->amps / seconds),
                                        .amps_min = truly(run, t->amps_min),
                                        .amps_max = truly(run, t->amps_max),
                                        .rpm = truly(run, run->last[i].rpm),
                                        .asked_rpm = wpin_session_asked_rpm(run, i),
                                        .measured_rpm = wpin_session_measured_rpm(run, i),
                                        .asked_amps = wpin_session_asked_amps(run, i),
                                        .measured_amps = wpin_session_signed_amps(run, i),
                                        .turns = turns_of(run, i),
                                        .effect = truly(run, run->last[i].effect),
                                        .supply_volts = truly(run, run->last[i].supply_volts),
                                        .phase = wpin_motor_state(m)};
        *t = (wpin_tally){0};
    }
    wpin_csv_row(run->options.csv, wpin_session_time(run), run->samples);
}
