/* Judges steps that ask for a current: by what the load's sense measured, against what was asked. A
 * shaft may stand meanwhile: to press and hold is what a torque is for. */
#include "verdict.h"
#include <math.h>

bool wpin_asks_current(const wpin_step_result *step) {
    return step->asked_amps != 0;
}

double wpin_run_measured_amps(const wpin_run *run, size_t load) {
    const wpin_measurement *m = &run->motors[load].measurement;
    uint16_t mv_per_a = run->bound[load].motor.sense.current_mv_per_a;
    return (m->valid & WPIN_HAS_CURRENT) == 0 || mv_per_a == 0
               ? NAN
               : fabs((double)m->current) / mv_per_a;
}

double wpin_run_signed_amps(const wpin_run *run, size_t load) {
    double amps = wpin_run_measured_amps(run, load);
    return wpin_motor_duty(&run->motors[load]) < 0 ? -amps : amps;
}

double wpin_run_asked_amps(const wpin_run *run, size_t load) {
    const wpin_motor *m = &run->motors[load];
    const wpin_rig_current *c = &run->rig->loads[load].current;
    bool asked = m->setpoint.quantity == WPIN_QUANTITY_TORQUE && c->there;
    return asked ? (double)m->asked_now / WPIN_DUTY_FULL * c->rated : NAN;
}

void wpin_run_tally_current(const wpin_run *run, wpin_step_result *step) {
    double amps = wpin_run_measured_amps(run, (size_t)step->load);
    if (wpin_asks_current(step) && !isnan(amps)) {
        wpin_run_tally_off(run, step, fabs(step->asked_amps) - amps);
    }
}

void wpin_run_tally_torque(wpin_run *run, size_t load) {
    const wpin_rig_load *l = &run->rig->loads[load];
    double amps = wpin_run_measured_amps(run, load), rpm = wpin_run_measured_rpm(run, load);
    if (!l->current.there || isnan(amps) || wpin_motor_duty(&run->motors[load]) == 0) {
        return;
    }
    double torque = wpin_rig_torque(l, amps);
    wpin_report *report = run->report;
    report->torque_peak[load] = fmax(report->torque_peak[load], torque);
    double watts = isnan(rpm) ? 0 : torque * fabs(rpm) * 3.14159265358979323846 / 30;
    report->watts_peak[load] = fmax(report->watts_peak[load], watts);
}

/* Why the current that was asked for does not come. */
static const char *why_less(const wpin_run *run, const wpin_step_result *step) {
    double most = run->rig->loads[step->load].limits.duty_max;
    return step->folded ? "its current limit holds it back"
           : step->duty_peak > 0.995 * most
               ? "all the duty it may have drives no more at this speed"
           : step->turned_after > 0 ? "it had to turn the other way first"
                                    : "its ramp takes longer";
}

void wpin_judge_current(const wpin_run *run, wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double most = load->current.within * load->current.rated;
    double now = fabs(fabs(step->asked_amps) - step->measured_amps);
    double end = fmin(step->mean_off, now); /* in the mean it may still have been on its way */
    double torque = wpin_rig_torque(load, fabs(step->asked_amps));
    if (!step->reached && step->until) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, what it waited for came first");
    } else if (!step->reached) {
        if (!wpin_judge_path(run, step, "no torque")) {
            wpin_rule(step, WPIN_VERDICT_NOTE, "did not come to %.3g A in its time: %s",
                      fabs(step->asked_amps), why_less(run, step));
        }
    } else if (step->op != WPIN_OP_RUN_FOR && end > 1.5 * most) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "%.3g A measured at its end, %.2g A off: %s",
                  step->measured_amps, end, why_less(run, step));
    } else if (step->op == WPIN_OP_HOLD && step->most_off > 1.5 * most) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "up to %.2g A off, at %.2f s; more than the %.2g A of 'within'", step->most_off,
                  step->off_at, most);
    } else if (step->op == WPIN_OP_HOLD) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, held within %.2g A of %.3g A, %.3g Nm%s",
                  fmax(step->most_off, 1e-3), fabs(step->asked_amps), torque,
                  step->rpm == 0 ? ", standing" : "");
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, %.3g A is %.3g Nm%s", fabs(step->asked_amps), torque,
                  step->rpm == 0 && step->op == WPIN_OP_RUN ? ", standing" : "");
    }
}
