/* Starts that a plan puts at the same time, against what a supply gives. */
#include "rules.h"

/* Starts closer than this fall together: a supply cuts out after 10 ms, and each lasts longer. */
#define TOGETHER 0.05 /* s */

static bool begins(const wpin_step *s) {
    return s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR || s->op == WPIN_OP_TOGGLE ||
           s->op == WPIN_OP_TURN || s->op == WPIN_OP_TURN_TO || s->op == WPIN_OP_HOME;
}

/* When the last action of a load before a time begins, and whether that leaves it on then. */
static bool is_on(const wpin_vetter *v, size_t load, double before) {
    bool on = false;
    double latest = -1;
    for (size_t i = 0; i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        double at = v->plan->sources[i].at;
        bool its = wpin_op_moves_motor((wpin_op)s->op) && s->target.number == load;
        if (!its || s->op == WPIN_OP_HOLD || at >= before || at < latest) {
            continue;
        }
        latest = at;
        bool ends = s->op == WPIN_OP_RUN_FOR && at + s->time_ms * 1e-3 < before;
        on = begins(s) && !ends && s->op != WPIN_OP_TURN && s->op != WPIN_OP_TURN_TO;
    }
    return on;
}

/* Whether a load begins from rest in the moment after a time. */
static bool starts_in(const wpin_vetter *v, size_t load, double at) {
    for (size_t i = 0; i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        double when = v->plan->sources[i].at;
        if (begins(s) && s->target.number == load && when >= at && when < at + TOGETHER) {
            return !is_on(v, load, when);
        }
    }
    return false;
}

/* What a source gives when all that begins there begins, besides what is on already. */
typedef struct moment {
    double amps, at;
    size_t step;
    unsigned starting;
    const wpin_facts *one, *other; /* two of those that start */
} moment;

static moment look(const wpin_vetter *v, size_t source, size_t step) {
    double at = v->plan->sources[step].at;
    moment m = {.at = at, .step = step};
    WPIN_EACH_LOAD(v, f) {
        size_t load = (size_t)(f - v->facts);
        if (wpin_rig_source_of(v->rig, f->load->supply) != source) {
            continue;
        }
        if (starts_in(v, load, at)) {
            m.amps += wpin_at_source(v, f, f->start_amps);
            m.other = m.one;
            m.one = f;
            m.starting++;
        } else if (is_on(v, load, at)) {
            m.amps += wpin_at_source(v, f, f->run_amps);
        }
    }
    return m;
}

/* The worst moment of a plan at which several loads of a source start. */
static moment worst_moment(const wpin_vetter *v, size_t source) {
    moment worst = {0};
    for (size_t i = 0; i < v->plan->step_count; i++) {
        moment m = begins(&v->plan->steps[i]) ? look(v, source, i) : worst;
        worst = m.starting > 1 && m.amps > worst.amps ? m : worst;
    }
    return worst;
}

static void together(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        moment m = s->from < 0 && s->limit_amps > 0 ? worst_moment(v, i) : (moment){0};
        if (m.amps <= s->limit_amps || m.starting < 2) {
            continue;
        }
        bool always = !s->droops && m.amps > 1.15 * s->limit_amps;
        wpin_finding *n =
            wpin_find_in_plan(v, always ? WPIN_REFUSE : WPIN_CAUTION, m.step, s->name);
        wpin_cause(n,
                   "at about %.3g s of the plan %u loads start together ('%s', '%s'%s): %.3g A, "
                   "the limit is %.3g A",
                   m.at, m.starting, m.other->load->name, m.one->load->name,
                   m.starting > 2 ? ", ..." : "", m.amps, s->limit_amps);
        wpin_consequence(n, s->droops ? "its voltage sags, and they start slowly or not at all"
                            : always  ? "it cuts out as they start"
                                      : "it may cut out as they start");
        wpin_cure(n, "'stagger 1s' at the end of its line, or a wait between");
        wpin_cure(n, "a supply of %.3g A", 1.3 * m.amps);
    }
}

const wpin_rule_entry wpin_rules_starts[] = {
    {{"starts-together", "plan; supply limit",
      "starts at the same time that a supply does not give", WPIN_EFFECT_DEAD},
     together},
};
const size_t wpin_rules_starts_count = sizeof wpin_rules_starts / sizeof *wpin_rules_starts;
