/* What a plan requires of its run, and its own times and ramps rule out: those of the file, in
 * which an action takes as long as said, or longer. */
#include "rules.h"

static double at(const wpin_plan *plan, size_t step) {
    return step + 1 < plan->step_count ? plan->sources[step].at : plan->seconds;
}

/* How long an action takes at the least, s; 0: not known. */
static double takes(const wpin_plan *plan, size_t step) {
    const wpin_step *s = &plan->steps[step];
    return wpin_step_breaks(s) ? 0 : at(plan, step + 1) - at(plan, step);
}

/* How long its load is not asked for anything else, s; infinity: not known. */
static double holds(const wpin_plan *plan, size_t step) {
    const uint16_t load = plan->steps[step].target.number;
    for (size_t i = step; i < plan->step_count && !wpin_step_breaks(&plan->steps[i]); i++) {
        const wpin_step *s = &plan->steps[i];
        const bool asks = wpin_op_moves_motor((wpin_op)s->op) && s->op != WPIN_OP_HOLD;
        if (i > step && ((asks && s->target.number == load) || s->op == WPIN_OP_END)) {
            return at(plan, i) - at(plan, step);
        }
    }
    return INFINITY;
}

/* What a load was driven with before, as what stands straight before a step says; NAN: not known.
 */
static double driven_with(const wpin_plan *plan, size_t step) {
    for (size_t i = step; i-- > 0;) {
        const wpin_step *s = &plan->steps[i];
        if (wpin_step_breaks(s)) {
            return NAN;
        }
        if (wpin_op_moves_motor((wpin_op)s->op) && s->op != WPIN_OP_HOLD &&
            s->target.number == plan->steps[step].target.number) {
            return s->op == WPIN_OP_RUN ? (double)s->value / WPIN_DUTY_FULL : 0;
        }
    }
    return 0;
}

/* When a speed may be as near as is required at the soonest, s after its action began: the last of
 * its ramp is within it already. 0: not known. */
static double near_after(const wpin_vetter *v, const wpin_requirement *r) {
    const wpin_rig_load *l = &v->rig->loads[r->number];
    const wpin_step *s = &v->plan->steps[r->step];
    const double asked = (double)s->value / WPIN_DUTY_FULL, full = wpin_rig_full_rpm(v->rig, l);
    const double before = driven_with(v->plan, (size_t)r->step);
    const double from = before * asked < 0 ? 0 : before, way = fabs(asked - from) * full;
    if (isnan(before) || !(way > 0)) {
        return 0;
    }
    const double target = isnan(r->target) ? fabs(asked) * full : r->target;
    const double off =
        (r->share ? r->limit * target : r->limit) + fabs(fabs(asked) * full - target);
    const double ramp = fmax(s->ramp_us * 1e-6, wpin_rig_ramp_time(l, from, asked));
    return takes(v->plan, (size_t)r->step) - fmin(off / way, 1) * ramp;
}

/* When it may be at rest at the soonest: what it rests for afterwards does not count. What drives
 * it on does not bring it there. */
static double rests_after(const wpin_vetter *v, const wpin_requirement *r) {
    const wpin_step *s = &v->plan->steps[r->step];
    const double ends = takes(v->plan, (size_t)r->step);
    if (wpin_rig_ends_itself(&v->rig->loads[s->target.number])) {
        return 0;
    }
    return s->op == WPIN_OP_STOP      ? ends - s->time_ms * 1e-3
           : s->op == WPIN_OP_RUN_FOR ? ends
           : s->op == WPIN_OP_RUN     ? INFINITY
                                      : 0;
}

static double soonest(const wpin_vetter *v, const wpin_requirement *r) {
    const wpin_step *s = &v->plan->steps[r->step];
    const bool ramps = s->op == WPIN_OP_RUN && s->quantity == WPIN_QUANTITY_SPEED;
    return r->what == WPIN_REQUIRED_REST ? rests_after(v, r)
           : r->what == WPIN_REQUIRED_SPEED && r->relation == WPIN_WITHIN && ramps
               ? near_after(v, r)
               : 0;
}

static wpin_finding *tell(wpin_vetter *v, const wpin_requirement *r, const char *name) {
    wpin_finding *n = wpin_find(v, WPIN_CAUTION, name);
    if (n != NULL) {
        n->line = r->line;
        n->column = 1;
        n->in_plan = true;
    }
    return n;
}

static void too_soon(wpin_vetter *v, const wpin_requirement *r, double needs) {
    wpin_finding *n = tell(v, r, v->rig->loads[r->number].name);
    wpin_cause(n,
               "by its ramps and rests the action above it takes %.3g s to come there, and %.3g s "
               "are required",
               needs, r->by);
    wpin_consequence(n, "it is missed in every run");
    wpin_cure(n, "'by' %.2gs or more", 1.2 * needs);
    wpin_cure(n, "steeper ramps, in the plan and in the rig");
}

static void too_late(wpin_vetter *v, const wpin_requirement *r, double lasts) {
    wpin_finding *n = tell(v, r, v->rig->loads[r->number].name);
    wpin_cause(n,
               "it is looked at from %.3g s on after its action began, and the next one for its "
               "load comes after about %.3g s",
               r->by, lasts);
    wpin_consequence(n, "nothing is looked at, and that is no pass");
    wpin_cure(n, "'by' less than %.2gs", lasts);
    wpin_cure(n, "a longer hold behind it");
}

static void never_rests(wpin_vetter *v, const wpin_requirement *r) {
    const char *name = v->rig->loads[r->number].name;
    wpin_finding *n = tell(v, r, name);
    wpin_cause(n, "it is about the action above it, which drives '%s' on", name);
    wpin_consequence(n, "it is missed in every run");
    wpin_cure(n, "the requirement below a line '%s stop'", name);
}

/* Whether a motion or the whole may be over sooner than its times say. */
static bool may_be_sooner(const wpin_vetter *v) {
    const wpin_plan *plan = v->plan;
    for (size_t i = 0; i < plan->step_count; i++) {
        const wpin_step *s = &plan->steps[i];
        const bool moves = wpin_op_moves_motor((wpin_op)s->op);
        if (s->until != 0 || s->op == WPIN_OP_UNTIL || s->op == WPIN_OP_HOME ||
            s->op == WPIN_OP_CLEAR ||
            (moves && wpin_rig_ends_itself(&v->rig->loads[s->target.number]))) {
            return true;
        }
    }
    return false;
}

static void ends_late(wpin_vetter *v, const wpin_requirement *r) {
    const double needs = v->plan->seconds;
    if (r->by >= 0.95 * needs || v->plan->rehearsed > 0 || may_be_sooner(v)) {
        return;
    }
    wpin_finding *n = tell(v, r, "plan");
    wpin_cause(n, "by its ramps and times the plan takes %.3g s, and an end by %.3g s is required",
               needs, r->by);
    wpin_consequence(n, "it is missed in every run");
    wpin_cure(n, "'by' %.3gs or more", 1.1 * needs);
}

static void of_load(wpin_vetter *v, const wpin_requirement *r) {
    const size_t step = (size_t)r->step;
    const double needs = soonest(v, r), lasts = holds(v->plan, step);
    const bool later = r->what != WPIN_REQUIRED_REST && r->what != WPIN_REQUIRED_PLACE;
    if (isinf(needs)) {
        never_rests(v, r);
    } else if (r->by < needs - 0.01) {
        too_soon(v, r, needs);
    } else if (later && r->by > 1.1 * lasts) {
        too_late(v, r, lasts);
    }
}

static void required_time(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->requirement_count; i++) {
        const wpin_requirement *r = &v->plan->requirements[i];
        if (r->what == WPIN_REQUIRED_END) {
            ends_late(v, r);
        } else if (r->step >= 0 && r->by > 0) {
            of_load(v, r);
        }
    }
}

const wpin_rule_entry wpin_rules_required[] = {
    {{"required-time", "plan; ramp; rest", "a requirement that the plan leaves no time for",
      WPIN_EFFECT_ADVICE},
     required_time},
};
const size_t wpin_rules_required_count = sizeof wpin_rules_required / sizeof *wpin_rules_required;
