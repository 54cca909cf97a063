/* Judges steps that ask for a speed: by what the load's encoder measured, against what was asked.
 */
#include "verdict.h"
#include <math.h>

static double may_be_off(const wpin_session *run, const wpin_step_result *step) {
    double share = (double)run->bound[step->load].motor.at_speed / WPIN_DUTY_FULL;
    return share * run->rig->loads[step->load].speed.maximum;
}

static const char *why_no_more(const wpin_step_result *step, double most) {
    bool from_above = step->rpm_peak > fabs(step->asked_rpm) + most;
    return step->folded ? "its current limit holds it back"
           : from_above ? "it slowed down past that, faster than its speed is measured"
                        : "all the duty it may have drives it no faster";
}

static const char *why_more(const wpin_session *run, const wpin_step_result *step) {
    bool from_below = step->rpm_peak <= 1.05 * fabs(step->measured_rpm);
    if (from_below && !run->rig->loads[step->load].encoder.by_crossings) {
        return "it has overshot, and comes back to that yet";
    }
    return run->rig->loads[step->load].encoder.by_crossings
               ? "it starts faster than that, and slows down yet"
               : "it slows down later than its ramp";
}

/* Where the bench knows better than the sensor, which is late. */
static bool is_late(const wpin_session *run, const wpin_step_result *step, double most) {
    return wpin_session_knows(run) && fabs(step->rpm - step->asked_rpm) > 5 * most;
}

/* Where what is measured is about twice the truth, or half of it: no lateness does that to a speed
 * that is held. */
static bool is_scaled(const wpin_session *run, const wpin_step_result *step) {
    double truth = fabs(step->rpm), measured = fabs(step->measured_rpm);
    bool turns = fmin(truth, measured) > 0.03 * run->rig->loads[step->load].speed.maximum;
    return wpin_session_knows(run) && turns && step->reached &&
           (measured > 1.7 * truth || measured < 0.6 * truth);
}

void wpin_judge_speed(const wpin_session *run, wpin_step_result *step) {
    double most = may_be_off(run, step), now = fabs(step->asked_rpm - step->measured_rpm);
    double end = fmin(step->mean_off, now); /* on average it may still have been on its way */
    if (!step->reached && step->until) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, what it waited for came first");
    } else if (!step->reached) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "did not come to %.4g rpm in its time: %s",
                  fabs(step->asked_rpm),
                  step->folded ? "its current limit holds it back" : wpin_why_less(run, step));
    } else if (isnan(step->measured_rpm)) {
        wpin_rule(step, WPIN_VERDICT_BAD, "no speed is measured at its end");
    } else if (is_scaled(run, step)) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "%.4g rpm measured at its end, in truth %.4g: what measures it is not scaled as "
                  "the rig says",
                  fabs(step->measured_rpm), fabs(step->rpm));
    } else if (step->op == WPIN_OP_HOLD && end > 1.5 * most) {
        wpin_rule(step, WPIN_VERDICT_BAD, "%.4g rpm measured at its end, more than %.2g rpm off",
                  fabs(step->measured_rpm), most);
    } else if (step->op == WPIN_OP_RUN && end > 1.5 * most) {
        bool faster = fabs(step->measured_rpm) > fabs(step->asked_rpm);
        bool far = !faster && end > fabs(step->asked_rpm) / 2;
        wpin_rule(step, far ? WPIN_VERDICT_BAD : WPIN_VERDICT_NOTE, "came to %.4g rpm%s: %s",
                  fabs(step->measured_rpm), faster ? "" : " only",
                  faster ? why_more(run, step) : why_no_more(step, most));
    } else if (step->op == WPIN_OP_HOLD && step->most_off > 1.02 * most) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "up to %.3g rpm off, at %.2f s; more than the %.2g rpm of 'within'",
                  step->most_off, step->off_at, most);
    } else if (step->op == WPIN_OP_HOLD) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, held within %.2g rpm", fmax(step->most_off, 0.01));
    } else if (step->op == WPIN_OP_RUN && is_late(run, step, most)) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "%.4g rpm measured at its end, in truth %.4g: it changes faster than it is "
                  "measured",
                  fabs(step->measured_rpm), fabs(step->rpm));
    } else {
        wpin_judge_turn(step);
    }
}

/* Ended where its travel does, by its counts; whether it was that and no switch. */
bool wpin_judge_travel(const wpin_session *run, wpin_step_result *step) {
    const wpin_rig_position *p = &run->rig->loads[step->load].position;
    double at =
        wpin_session_counted(run, (size_t)step->load, run->motors[step->load].measurement.position);
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
void wpin_judge_home(const wpin_session *run, wpin_step_result *step) {
    const wpin_step *asked = step->asks;
    if (asked->until == 0) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, its drive found home; it stands at %.2f deg",
                  step->degrees);
    } else if (wpin_event_about((wpin_event)(asked->until - 1)) == WPIN_TARGET_MOTOR) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, 0 deg is where it came to a stop");
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, 0 deg is where '%s' %s",
                  run->rig->inputs[asked->until_of].name,
                  asked->until - 1 == WPIN_EVENT_INPUT_ON ? "came" : "went");
    }
}

/* Brought to a place: by its counts, which is what the controller knows. */
void wpin_judge_place(const wpin_session *run, wpin_step_result *step) {
    double count = wpin_session_counted(run, (size_t)step->load, 1);
    double off = (step->degrees - step->degrees_asked) / count;
    double most = run->bound[step->load].motor.at_count;
    if (step->limited) {
        wpin_rule(step, fabs(off) > most + 0.5 ? WPIN_VERDICT_BAD : WPIN_VERDICT_NOTE,
                  "a limit switch ended it at %.2f deg, %.2f deg were asked", step->degrees,
                  step->degrees_asked);
    } else if (fabs(off) > most + 0.5) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "stands at %.2f deg (%.0f counts), %.0f counts off the %.2f deg asked",
                  step->degrees, step->degrees / count, fabs(off), step->degrees_asked);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, at %.2f deg (%.0f counts), %.0f count%s off",
                  step->degrees, step->degrees / count, fabs(off),
                  fabs(off) < 1.5 && fabs(off) > 0.5 ? "" : "s");
    }
}
