/* A session that nobody judges. */
#include "session.h"

static bool opens(wpin_session *run) {
    (void)run;
    return true;
}

static bool plan_begins(wpin_session *run, const wpin_plan *plan) {
    (void)run, (void)plan;
    return true;
}

static void plan_ends(wpin_session *run, wpin_status result, bool done) {
    (void)run, (void)result, (void)done;
}

static void begins(const wpin_session *run, uint16_t step) {
    (void)run, (void)step;
}

static void leaves(const wpin_session *run, size_t load) {
    (void)run, (void)load;
}

static void looks(const wpin_session *run) {
    (void)run;
}

static void period(const wpin_session *run, size_t load, wpin_step_result *step,
                   const wpin_window *window) {
    (void)run, (void)load, (void)step, (void)window;
}

static void ends(const wpin_session *run, wpin_step_result *step) {
    (void)run, (void)step;
}

static void closes(wpin_session *run) {
    (void)run;
}

const wpin_onlooker wpin_session_nobody = {.open = opens,
                                           .plan_begins = plan_begins,
                                           .plan_ends = plan_ends,
                                           .begins = begins,
                                           .leaves = leaves,
                                           .looks = looks,
                                           .period = period,
                                           .ends = ends,
                                           .closes = closes};
