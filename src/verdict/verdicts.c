/* Judges a session: what each step came to, and what the plan requires. */
#include "verdict.h"
#include <stdlib.h>

static bool opens(wpin_session *run) {
    wpin_judging *judging = calloc(1, sizeof *judging);
    run->judging = judging;
    if (judging == NULL) {
        return false;
    }
    judging->dues = calloc(run->rig->load_count, sizeof *judging->dues);
    return judging->dues != NULL && (run->by_hand || wpin_requirements_open(run, run->plan));
}

static void closes(wpin_session *run) {
    wpin_judging *judging = run->judging;
    if (judging != NULL) {
        wpin_requirements_settle(run, run->report->result, !run->report->interrupted);
        free(judging->dues);
        free(judging->watches);
        free(judging);
        run->judging = NULL;
    }
}

const wpin_onlooker wpin_verdicts = {.open = opens,
                                     .plan_begins = wpin_requirements_open,
                                     .plan_ends = wpin_requirements_settle,
                                     .begins = wpin_requirements_begin,
                                     .leaves = wpin_course_leaves,
                                     .looks = wpin_requirements_look,
                                     .period = wpin_course_period,
                                     .ends = wpin_judge_step,
                                     .closes = closes};
