/* Looks after what a plan requires: each from the begin of its action until its load is asked for
 * something else, or from begin to end. */
#include "verdict.h"
#include <math.h>
#include <stdlib.h>

#define WINDOW 50e-3 /* s: what a coarse encoder says at an instant is not how it turns */

/* One requirement at work. */
struct wpin_watch {
    bool open, tested, missed;
    bool rested;
    double began; /* s since the plan began */
    double sum, seconds;
};

/* In place of those of a plan before: by hand one may be run after the other. */
bool wpin_requirements_open(wpin_session *run, const wpin_plan *plan) {
    wpin_judging *judging = wpin_judging_of(run);
    wpin_report *report = run->report;
    size_t count = plan->requirement_count;
    free(judging->watches);
    free(report->requirements);
    judging->watches = calloc(count + 1, sizeof(struct wpin_watch));
    report->requirements = calloc(count + 1, sizeof *report->requirements);
    report->requirement_count = 0;
    if (judging->watches == NULL || report->requirements == NULL) {
        return false;
    }
    report->requirement_count = count;
    judging->plan = plan;
    judging->begun = run->by_hand ? wpin_session_time(run) : 0;
    (void)wpin_session_burns(run, &judging->burnt);
    for (size_t i = 0; i < count; i++) {
        const wpin_requirement *q = &plan->requirements[i];
        bool load = q->what <= WPIN_REQUIRED_REST;
        bool counted = load && run->rig->loads[q->number].encoder.there &&
                       (q->what == WPIN_REQUIRED_SPEED || q->what == WPIN_REQUIRED_PLACE);
        report->requirements[i] =
            (wpin_requirement_result){.requirement = q, .measured = counted, .worst = NAN};
        judging->watches[i].open = q->step < 0;
        judging->watches[i].began = judging->begun;
    }
    return true;
}

/* s since the plan began. */
static double plan_time(const wpin_session *run) {
    return wpin_session_time(run) - wpin_judging_of(run)->begun;
}

/* A worse value than all before it is kept, and whether it is too bad. */
static void weigh(const wpin_session *run, size_t i, double value) {
    wpin_requirement_result *r = &run->report->requirements[i];
    const wpin_requirement *q = r->requirement;
    struct wpin_watch *w = &wpin_judging_of(run)->watches[i];
    bool above = q->relation == WPIN_ABOVE;
    w->tested = true;
    w->missed = w->missed || (above ? value < q->limit : value > q->limit);
    if (isnan(r->worst) || (above ? value < r->worst : value > r->worst)) {
        r->worst = value;
        r->at = plan_time(run);
    }
}

static double asked_speed(const wpin_session *run, const wpin_requirement *q) {
    if (!isnan(q->target)) {
        return q->target;
    }
    const wpin_step *s = &wpin_judging_of(run)->plan->steps[q->step];
    return (double)s->value / WPIN_DUTY_FULL * run->rig->loads[q->number].speed.maximum;
}

/* Means of the speed; what is off is told in the unit of the limit. */
static void look_at_speed(const wpin_session *run, size_t i, const wpin_part_reading *last) {
    const wpin_requirement *q = run->report->requirements[i].requirement;
    struct wpin_watch *w = &wpin_judging_of(run)->watches[i];
    bool measured = run->report->requirements[i].measured;
    double rpm = measured ? wpin_session_measured_rpm(run, q->number) : last->rpm_mean;
    if (isnan(rpm)) { /* not measured: a mean begins anew behind it */
        w->sum = w->seconds = 0;
        return;
    }
    w->sum += rpm * last->seconds;
    w->seconds += last->seconds;
    if (w->seconds < WINDOW) {
        return;
    }
    double mean = w->sum / w->seconds;
    w->sum = w->seconds = 0;
    if (q->relation == WPIN_WITHIN) {
        double target = asked_speed(run, q);
        /* a speed said without a direction holds for both */
        double off = fabs((isnan(q->target) ? mean : fabs(mean)) - target);
        weigh(run, i, q->share ? off / fabs(target) : off);
    } else {
        weigh(run, i, fabs(mean));
    }
}

static double turns_off(const wpin_session *run, size_t load) {
    if (wpin_session_is_stepper(run, load)) {
        return fabs(wpin_session_degrees(run, load) / 360 - run->last[load].turns);
    }
    const wpin_motor *m = &run->motors[load];
    return fabs(wpin_session_counted(run, load, wpin_motor_place(m) - m->measurement.position)) /
           360;
}

/* At rest from some time on, which must not be later than asked. */
static void look_at_rest(const wpin_session *run, size_t i, const wpin_part_reading *last) {
    const wpin_requirement *q = run->report->requirements[i].requirement;
    struct wpin_watch *w = &wpin_judging_of(run)->watches[i];
    bool rests = fabs(last->rpm) <= 0.01 * run->report->rpm_peak[q->number] &&
                 wpin_motor_duty(&run->motors[q->number]) == 0;
    double took = wpin_session_time(run) - w->began;
    if (rests && !w->rested) {
        w->rested = w->tested = true;
        wpin_requirement_result *r = &run->report->requirements[i];
        r->worst = fmax(took, isnan(r->worst) ? 0 : r->worst);
        r->at = plan_time(run);
        w->missed = w->missed || took > q->by;
    } else if (!rests) { /* before it moved it was at rest, too */
        w->rested = false;
        w->tested = w->missed = w->missed || took > q->by;
        run->report->requirements[i].worst = NAN;
    }
}

/* Where the bench does not know what truly happens, only what is measured can be looked at. */
static bool is_known(const wpin_session *run, const wpin_requirement *q) {
    const wpin_rig_load *load = &run->rig->loads[q->number];
    switch (q->what) {
    case WPIN_REQUIRED_SPEED:
    case WPIN_REQUIRED_REST: return wpin_session_knows(run) || wpin_rig_sees_rest(load);
    case WPIN_REQUIRED_PLACE:
        return wpin_session_knows(run) || !wpin_session_is_stepper(run, q->number);
    case WPIN_REQUIRED_CURRENT:
        return wpin_session_knows(run) || !isnan(wpin_session_measured_amps(run, q->number));
    default: return wpin_session_knows(run);
    }
}

static void look_at(const wpin_session *run, size_t i) {
    const wpin_requirement *q = run->report->requirements[i].requirement;
    const wpin_part_reading *last = &run->last[q->number];
    if (q->what == WPIN_REQUIRED_REST) {
        if (is_known(run, q)) {
            look_at_rest(run, i, last);
        }
        return;
    }
    if (wpin_session_time(run) < wpin_judging_of(run)->watches[i].began + q->by ||
        !is_known(run, q)) {
        return;
    }
    switch (q->what) {
    case WPIN_REQUIRED_SPEED: look_at_speed(run, i, last); break;
    case WPIN_REQUIRED_CURRENT:
        weigh(run, i,
              q->relation == WPIN_ABOVE ? fabs(last->amps)
                                        : fmax(fabs(last->amps_min), fabs(last->amps_max)));
        break;
    case WPIN_REQUIRED_LIGHT: weigh(run, i, run->effect[q->number]); break;
    case WPIN_REQUIRED_PLACE: weigh(run, i, turns_off(run, q->number)); break;
    default: break;
    }
}

/* The volts of a supply while it is on, by what is drawn from it. */
static void look_at_volts(const wpin_session *run, size_t i) {
    size_t supply = run->report->requirements[i].requirement->number;
    const wpin_bench *b = &run->bench;
    double volts = b->supply_volts != NULL ? b->supply_volts(b->context, supply)
                                           : wpin_session_measured_volts(run, supply);
    if (!isnan(volts) && wpin_session_supply_on(run, supply)) {
        weigh(run, i, volts);
    }
}

void wpin_requirements_look(const wpin_session *run) {
    size_t count = wpin_judging_of(run)->plan == NULL ? 0 : run->report->requirement_count;
    for (size_t i = 0; i < count; i++) {
        wpin_required what = run->report->requirements[i].requirement->what;
        if (!wpin_judging_of(run)->watches[i].open) {
            continue;
        }
        if (what == WPIN_REQUIRED_VOLTS) {
            look_at_volts(run, i);
        } else if (what <= WPIN_REQUIRED_REST) {
            look_at(run, i);
        }
    }
}

/* A place is where it is in the end, if that comes sooner than asked. */
static void close_watch(const wpin_session *run, size_t i) {
    struct wpin_watch *w = &wpin_judging_of(run)->watches[i];
    const wpin_requirement *q = run->report->requirements[i].requirement;
    if (w->open && q->what == WPIN_REQUIRED_PLACE && is_known(run, q) &&
        wpin_session_time(run) < w->began + q->by) {
        weigh(run, i, turns_off(run, q->number));
    }
    w->open = false;
}

void wpin_requirements_begin(const wpin_session *run, uint16_t step) {
    const wpin_step *s = &wpin_judging_of(run)->plan->steps[step];
    bool asks = wpin_op_moves_motor((wpin_op)s->op) && s->op != WPIN_OP_HOLD;
    for (size_t i = 0; asks && i < run->report->requirement_count; i++) {
        const wpin_requirement *q = run->report->requirements[i].requirement;
        struct wpin_watch *w = &wpin_judging_of(run)->watches[i];
        if (q->what > WPIN_REQUIRED_REST || q->step < 0 || q->number != s->target.number) {
            continue;
        }
        close_watch(run, i);
        w->open = q->step == step;
        w->began = wpin_session_time(run);
        w->rested = false;
        w->sum = w->seconds = 0;
    }
}

/* Whether nothing faulted or burnt while the plan ran. */
static bool is_spotless(const wpin_session *run, wpin_status result) {
    bool spotless = result == WPIN_OK;
    if (!run->by_hand) { /* all is collected by now */
        return spotless && run->report->fault_count + run->report->burn_count == 0;
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        spotless = spotless && wpin_motor_fault(&run->motors[i]) == WPIN_OK;
    }
    for (size_t i = 0; i < run->report->fault_count; i++) { /* cleared meanwhile */
        spotless = spotless && run->report->faults[i].at < wpin_judging_of(run)->begun;
    }
    size_t burnt;
    (void)wpin_session_burns(run, &burnt);
    return spotless && burnt == wpin_judging_of(run)->burnt;
}

/* What was ended by hand need not have come so far. */
void wpin_requirements_settle(wpin_session *run, wpin_status result, bool done) {
    wpin_report *report = run->report;
    wpin_judging *judging = wpin_judging_of(run);
    bool by_hand = run->by_hand && result == WPIN_OK && !done;
    for (size_t i = 0; judging->plan != NULL && i < report->requirement_count; i++) {
        wpin_requirement_result *r = &report->requirements[i];
        struct wpin_watch *w = &judging->watches[i];
        close_watch(run, i);
        if (r->requirement->what == WPIN_REQUIRED_NO_FAULT) {
            w->tested = true;
            w->missed = !is_spotless(run, result);
        } else if (r->requirement->what == WPIN_REQUIRED_END) {
            r->worst = r->at = run->by_hand ? plan_time(run) : report->seconds;
            w->tested = result == WPIN_OK && done;
            w->missed = r->worst > r->requirement->by;
        }
        r->outcome = !w->tested  ? WPIN_OUTCOME_UNTESTED
                     : w->missed ? WPIN_OUTCOME_MISSED
                                 : WPIN_OUTCOME_MET;
        bool bad =
            r->outcome == WPIN_OUTCOME_MISSED || (r->outcome == WPIN_OUTCOME_UNTESTED && !by_hand);
        report->bad = report->bad || bad;
    }
    judging->plan = NULL;
}
