/* Judges steps that ask for a speed: by what the load's encoder measured, against what was asked.
 */
#include "verdict.h"
#include <math.h>

bool wpin_asks_speed(const wpin_step_result *step) {
    return step->asked_rpm != 0;
}

double wpin_run_measured_rpm(const wpin_run *run, size_t load) {
    const wpin_rig_load *l = &run->rig->loads[load];
    const wpin_measurement *m = &run->motors[load].measurement;
    if (!l->encoder.there || (m->valid & WPIN_HAS_SPEED) == 0) {
        return NAN;
    }
    double counts = (double)m->speed / WPIN_DUTY_FULL * run->bound[load].encoder.full_hz;
    return counts * 60 / wpin_rig_counts_at_output(l);
}

double wpin_run_asked_rpm(const wpin_run *run, size_t load) {
    const wpin_motor *m = &run->motors[load];
    bool speed = m->setpoint.quantity == WPIN_QUANTITY_SPEED && run->rig->loads[load].speed.there;
    return speed ? (double)m->asked_now / WPIN_DUTY_FULL * run->rig->loads[load].speed.maximum
                 : NAN;
}

double wpin_run_counted(const wpin_run *run, size_t load, int32_t counts) {
    return counts * 360.0 / wpin_rig_counts_at_output(&run->rig->loads[load]);
}

static double may_be_off(const wpin_run *run, const wpin_step_result *step) {
    double share = (double)run->bound[step->load].motor.at_speed / WPIN_DUTY_FULL;
    return share * run->rig->loads[step->load].speed.maximum;
}

void wpin_run_tally_off(const wpin_run *run, wpin_step_result *step, double off) {
    const double window = 50e-3;
    double seconds = run->last[step->load].seconds;
    bool running = wpin_motor_state(&run->motors[step->load]) == WPIN_STATE_RUNNING;
    if (run->motors[step->load].setpoint.value == 0) {
        return; /* it is over */
    }
    step->reached = step->reached || running;
    step->window_off += off * seconds;
    step->window_s += seconds;
    if (step->window_s < window) {
        return;
    }
    step->mean_off = fabs(step->window_off / step->window_s);
    step->window_off = step->window_s = 0;
    if (step->reached && step->mean_off > step->most_off) {
        step->most_off = step->mean_off;
        step->off_at = wpin_run_time(run);
    }
}

void wpin_run_tally_speed(const wpin_run *run, wpin_step_result *step) {
    double rpm = wpin_run_measured_rpm(run, (size_t)step->load);
    if (wpin_asks_speed(step) && !isnan(rpm)) {
        wpin_run_tally_off(run, step, step->asked_rpm - rpm);
    }
}

void wpin_judge_speed(const wpin_run *run, wpin_step_result *step) {
    double most = may_be_off(run, step), now = fabs(step->asked_rpm - step->measured_rpm);
    double end = fmin(step->mean_off, now); /* in the mean it may still have been on its way */
    if (!step->reached && step->until) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, what it waited for came first");
    } else if (!step->reached) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "did not come to %.4g rpm in its time: %s",
                  fabs(step->asked_rpm),
                  step->folded ? "its current limit holds it back" : "its ramp takes longer");
    } else if (step->op == WPIN_OP_HOLD && end > 1.5 * most) {
        wpin_rule(step, WPIN_VERDICT_BAD, "%.4g rpm measured at its end, more than %.2g rpm off",
                  fabs(step->measured_rpm), most);
    } else if (step->op == WPIN_OP_RUN && end > 1.5 * most) {
        bool far = end > fabs(step->asked_rpm) / 2;
        wpin_rule(step, far ? WPIN_VERDICT_BAD : WPIN_VERDICT_NOTE, "came to %.4g rpm only: %s",
                  fabs(step->measured_rpm),
                  step->folded ? "its current limit holds it back"
                               : "all the duty it may have drives it no faster");
    } else if (step->op == WPIN_OP_HOLD && step->most_off > 1.02 * most) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "up to %.3g rpm off, at %.2f s; more than the %.2g rpm of 'within'",
                  step->most_off, step->off_at, most);
    } else if (step->op == WPIN_OP_HOLD) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, held within %.2g rpm", fmax(step->most_off, 0.01));
    } else if (step->turned_after > 0) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "%.2f s before it: ramp to zero and rest, to turn the other way",
                  step->turned_after);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* Ended where its travel does, by its counts; whether it was that and no switch. */
bool wpin_judge_travel(const wpin_run *run, wpin_step_result *step) {
    const wpin_rig_position *p = &run->rig->loads[step->load].position;
    double at =
        wpin_run_counted(run, (size_t)step->load, run->motors[step->load].measurement.position);
    double end = 360 * (step->asked_duty < 0 ? p->least : p->most);
    bool there = step->asked_duty < 0 ? at <= end : at >= end;
    if (run->bound[step->load].motor.travel == NULL || p->least >= p->most || !there) {
        return false;
    }
    wpin_rule(step, step->rpm_peak > 0 ? WPIN_VERDICT_OK : WPIN_VERDICT_NOTE,
              step->rpm_peak > 0 ? "ok, stopped where its travel ends, %.4g deg"
                                 : "did not move: its travel ends here, %.4g deg",
              end);
    return true;
}

/* Brought to where it counts from: how sharply that was found is how slowly it came there. */
void wpin_judge_home(const wpin_run *run, wpin_step_result *step) {
    const wpin_step *asked = &run->plan->steps[step->step];
    if (wpin_event_about((wpin_event)(asked->until - 1)) == WPIN_TARGET_MOTOR) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, 0 deg is where it came to a stop");
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, 0 deg is where '%s' %s",
                  run->rig->inputs[asked->until_of].name,
                  asked->until - 1 == WPIN_EVENT_INPUT_ON ? "came" : "went");
    }
}

/* Brought to a place: by its counts, which is what the controller knows. */
void wpin_judge_place(const wpin_run *run, wpin_step_result *step) {
    double count = wpin_run_counted(run, (size_t)step->load, 1);
    double off = (step->degrees - step->degrees_asked) / count;
    double most = run->bound[step->load].motor.at_count;
    if (step->limited) {
        wpin_rule(step, fabs(off) > most + 0.5 ? WPIN_VERDICT_BAD : WPIN_VERDICT_NOTE,
                  "a limit switch ended it at %.2f deg, %.2f deg were asked", step->degrees,
                  step->degrees_asked);
    } else if (fabs(off) > most + 0.5) {
        wpin_rule(step, WPIN_VERDICT_BAD, "stands at %.2f deg, %.0f counts off the %.2f deg asked",
                  step->degrees, fabs(off), step->degrees_asked);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, at %.2f deg, %.0f count%s off", step->degrees,
                  fabs(off), fabs(off) < 1.5 && fabs(off) > 0.5 ? "" : "s");
    }
}
