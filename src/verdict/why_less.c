/* Why a step came to less than it asks for. */
#include "verdict.h"

const char *wpin_why_less(const wpin_session *run, const wpin_step_result *step) {
    double most = run->rig->loads[step->load].limits.duty_max;
    bool turned = step->turned_after > 0 && !step->first && step->op != WPIN_OP_RUN_FOR;
    bool held = step->cautious && step->duty_peak > 0.49 * most;
    return held     ? "the first move after a fault is held to half"
           : turned ? "it had to turn the other way first"
                    : "the rig's ramp takes longer than that";
}
