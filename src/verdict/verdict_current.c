/* Judges steps that ask for a current: by what the load's sense measured, against what was asked. A
 * shaft may stand meanwhile: to press and hold is what a torque is for. */
#include "verdict.h"
#include <math.h>

/* Why the current that was asked for does not come. */
static const char *why_less(const wpin_session *run, const wpin_step_result *step) {
    double most = run->rig->loads[step->load].limits.duty_max;
    return step->folded ? "its current limit holds it back"
           : step->duty_peak > 0.995 * most
               ? "all the duty it may have drives no more at this speed"
               : wpin_why_less(run, step);
}

void wpin_judge_current(const wpin_session *run, wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double most = load->current.within * load->current.rated;
    double now = fabs(fabs(step->asked_amps) - step->measured_amps);
    double end = fmin(step->mean_off, now); /* on average it may still have been on its way */
    double torque = wpin_rig_torque(load, fabs(step->asked_amps));
    if (wpin_follows_current(step)) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, as its input asked, %.3g A at its peak",
                  step->amps_peak);
        return;
    }
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
