/* Judges a step on a bench that knows no more than its controller: by what was measured alone. */
#include "verdict.h"
#include <stdio.h>

/* Driven by duty: what the load's own sensors say of it. */
static void judge_driven(const wpin_session *run, wpin_step_result *step) {
    static const wpin_verdict as[] = {[WPIN_SEEN_FINE] = WPIN_VERDICT_OK,
                                      [WPIN_SEEN_TROUBLE] = WPIN_VERDICT_BAD,
                                      [WPIN_SEEN_UNMEASURED] = WPIN_VERDICT_NOTE};
    char words[sizeof step->words];
    wpin_seen_verdict seen =
        wpin_seen_judge(run->rig, step->load, &step->seen, words, sizeof words);
    wpin_rule(step, as[seen], "%s", words);
}

void wpin_judge_measured(const wpin_session *run, wpin_step_result *step) {
    bool stepper = step->load >= 0 && wpin_session_is_stepper(run, (size_t)step->load);
    bool drives = step->load >= 0 && wpin_step_drives(step);
    if (step->op == WPIN_OP_HOME && !stepper) {
        wpin_judge_home(run, step);
    } else if ((step->op == WPIN_OP_TURN || step->op == WPIN_OP_TURN_TO) && !stepper) {
        wpin_judge_place(run, step);
    } else if (stepper && (step->op == WPIN_OP_TURN || step->op == WPIN_OP_TURN_TO)) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "counted to %.2f deg; whether its shaft followed is not measured",
                  step->degrees_asked);
    } else if (drives && wpin_asks_current(step)) {
        wpin_judge_current(run, step);
    } else if (drives && wpin_asks_speed(step)) {
        wpin_judge_speed(run, step);
    } else if (drives) {
        judge_driven(run, step);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}
