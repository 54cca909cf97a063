/* Rules about the power that a plan gives and takes: supplies that it switches, and cells. */
#include "rules.h"
#include <math.h>
#include <stdlib.h>

static bool drives(wpin_op op) {
    return op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || op == WPIN_OP_TOGGLE ||
           op == WPIN_OP_FOLLOW || op == WPIN_OP_TURN || op == WPIN_OP_TURN_TO ||
           op == WPIN_OP_HOME;
}

static bool leads(const wpin_step *s, size_t load) {
    return wpin_op_moves_motor((wpin_op)s->op) && s->op != WPIN_OP_HOLD && s->target.number == load;
}

/* The last action of a load before another step: what stands straight before that one, else by the
 * times of the file, where those are known; the number of all steps: none. */
static size_t last_before(const wpin_plan *plan, size_t step, size_t load) {
    const size_t none = plan->step_count;
    size_t last = none;
    for (size_t i = step; i-- > 0 && !wpin_step_breaks(&plan->steps[i]);) {
        if (leads(&plan->steps[i], load)) {
            return i;
        }
    }
    for (size_t i = 0; i < plan->step_count; i++) {
        const wpin_step *s = &plan->steps[i];
        const double at = plan->sources[i].at, then = plan->sources[step].at;
        if (s->op == WPIN_OP_UNTIL || s->until != 0) {
            return none;
        }
        const bool before = at < then || (at == then && i < step);
        if (leads(s, load) && before && (last == none || at >= plan->sources[last].at)) {
            last = i;
        }
    }
    return last;
}

/* Whether an action drives its load on as another step begins. */
static bool drives_on(const wpin_vetter *v, size_t by, size_t step) {
    const wpin_step *s = &v->plan->steps[by];
    if (s->op == WPIN_OP_RUN) {
        return !wpin_rig_ends_itself(&v->rig->loads[s->target.number]); /* at its end it stands */
    }
    return (s->op == WPIN_OP_RUN_FOR || s->op == WPIN_OP_FOLLOW) &&
           v->plan->sources[step].at < v->plan->sources[by].at + s->time_ms * 1e-3;
}

/* Whether two steps are on two tracks of one block: a track ends between them, and no block does.
 */
static bool on_two_tracks(const wpin_plan *plan, size_t one, size_t other) {
    const size_t from = one < other ? one : other, to = one < other ? other : one;
    bool left = false;
    for (size_t i = from; i < to; i++) {
        if (plan->steps[i].op == WPIN_OP_JOIN) {
            return false;
        }
        left = left || plan->steps[i].op == WPIN_OP_LEAVE;
    }
    return left;
}

/* A load that is driven on as its supply is switched off. */
static void tell_cut_off(wpin_vetter *v, size_t step) {
    const size_t supply = v->plan->steps[step].target.number;
    const char *name = v->rig->supplies[supply].name;
    WPIN_EACH_LOAD(v, f) {
        const size_t load = (size_t)(f->load - v->rig->loads);
        const bool its = wpin_rig_source_of(v->rig, f->load->supply) == supply;
        const size_t by = its ? last_before(v->plan, step, load) : v->plan->step_count;
        if (by == v->plan->step_count || !drives_on(v, by, step)) {
            continue;
        }
        wpin_finding *n = wpin_find_in_plan(v, WPIN_REFUSE, step, f->load->name);
        wpin_cause(n, "it is still driven as supply '%s' is switched off", name);
        wpin_consequence(n, "nothing moves on, and with power again it starts at once");
        if (on_two_tracks(v->plan, by, step)) {
            wpin_cure(n, "this line below the end of the parallel block");
        } else {
            wpin_cure(n, "a line '%s stop' before it", f->load->name);
        }
    }
}

/* The most frequent slip of all: something is driven and its supply was never switched on. Steps
 * are looked at in the order of the file; each supply is told once. */
static void supply_off(wpin_vetter *v) {
    bool *on = calloc(v->rig->supply_count, sizeof *on);
    bool *told = calloc(v->rig->supply_count, sizeof *told);
    for (size_t i = 0; on != NULL && i < v->rig->supply_count; i++) {
        on[i] = v->rig->supplies[i].on || v->options.powered;
    }
    for (size_t i = 0; v->plan != NULL && on != NULL && told != NULL && i < v->plan->step_count;
         i++) {
        const wpin_step *s = &v->plan->steps[i];
        if (s->op == WPIN_OP_SWITCH && s->target.number < v->rig->supply_count) {
            on[s->target.number] = s->value != 0;
            if (s->value == 0) {
                tell_cut_off(v, i);
            }
        }
        if (!drives((wpin_op)s->op)) {
            continue;
        }
        size_t source = wpin_rig_source_of(v->rig, v->rig->loads[s->target.number].supply);
        if (!on[source] && !told[source]) {
            const char *name = v->rig->supplies[source].name;
            wpin_finding *n = wpin_find_step(v, WPIN_REFUSE, i);
            wpin_cause(n, "it is driven while supply '%s' is off", name);
            wpin_consequence(n, "nothing moves, and nothing says why");
            wpin_cure(n, "a line '%s on' before it", name);
            told[source] = true;
        }
    }
    v->out_of_memory = v->out_of_memory || on == NULL || told == NULL;
    free(on);
    free(told);
}

/* Whether a supply is on when a step begins, in the order of the file. */
static bool on_before(const wpin_vetter *v, size_t supply, size_t step) {
    while (step-- > 0) {
        const wpin_step *s = &v->plan->steps[step];
        if (s->op == WPIN_OP_SWITCH && s->target.number == supply) {
            return s->value != 0;
        }
    }
    return v->rig->supplies[supply].on || v->options.powered;
}

/* Whoever switches off what feeds the controller ends the plan, and with it all care. */
static void own_supply(wpin_vetter *v) {
    int feeds = v->rig->controller.supply;
    for (size_t i = 0; v->plan != NULL && feeds >= 0 && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        size_t source = wpin_rig_source_of(v->rig, (size_t)feeds);
        if (s->op != WPIN_OP_SWITCH || s->value != 0 ||
            (s->target.number != source && s->target.number != (size_t)feeds)) {
            continue;
        }
        wpin_finding *n =
            wpin_find_in_plan(v, WPIN_CAUTION, i, v->rig->supplies[s->target.number].name);
        wpin_cause(n, "the plan switches it off, and the controller lives on it");
        wpin_consequence(n, "the controller resets, its pins float, and what follows is not done");
        wpin_cure(n, "leave this line out, or feed the controller from a supply of its own");
    }
}

/* Full pulses are for a controller that has no power yet. */
static void calibrated_with_power(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        if (s->op != WPIN_OP_CALIBRATE) {
            continue;
        }
        size_t source = wpin_rig_source_of(v->rig, v->rig->loads[s->target.number].supply);
        const char *name = v->rig->supplies[source].name;
        if (on_before(v, source, i)) {
            wpin_finding *n = wpin_find_step(v, WPIN_REFUSE, i);
            wpin_cause(n, "it is sent full while its supply '%s' is on", name);
            wpin_consequence(n,
                             "instead of being calibrated it runs at full at once, without a ramp");
            wpin_cure(n, "'%s off' before it, and '%s on' on another track meanwhile", name, name);
        }
    }
}

/* A controller of its own drives only once it has seen neutral for some 20 pulses after it got
 * power. Steps of the plan in the order of the file; what else takes time only helps. */
static void before_neutral(wpin_vetter *v) {
    const double takes = 0.4; /* s */
    for (size_t l = 0; v->plan != NULL && l < v->rig->load_count; l++) {
        const wpin_rig_load *load = &v->rig->loads[l];
        size_t source = wpin_rig_source_of(v->rig, load->supply);
        double seen = on_before(v, source, 0) ? load->limits.rest : 0;
        bool pulses = wpin_logic_of(load->kind->logic)->pulses;
        for (size_t i = 0; pulses && i < v->plan->step_count; i++) {
            const wpin_step *s = &v->plan->steps[i];
            if (s->op == WPIN_OP_SWITCH && s->target.number == source && !on_before(v, source, i)) {
                seen = 0;
            } else if (drives((wpin_op)s->op) && s->target.number == l) {
                if (seen < takes && on_before(v, source, i)) {
                    wpin_finding *n = wpin_find_step(v, WPIN_REFUSE, i);
                    wpin_cause(n,
                               "its controller has had power and neutral for %.2g s, it takes some "
                               "%.2g s of them before it drives",
                               seen, takes);
                    wpin_consequence(n, "it waits for neutral, and the load stands");
                    wpin_cure(n, "a line 'wait 500ms' before it");
                }
                break; /* the first time decides */
            }
            seen += (s->time_ms + s->ramp_us * 1e-3) * 1e-3;
        }
    }
}

/* Cells that are empty before the plan is over, if everything it drives ran all the time. */
static void cells_last(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        double amps = 0;
        WPIN_EACH_LOAD(v, f) {
            amps += wpin_rig_source_of(v->rig, f->load->supply) == i ? f->run_amps : 0;
        }
        double lasts = s->capacity > 0 && amps > 0 ? s->capacity / amps : HUGE_VAL;
        if (lasts < v->plan->seconds) {
            wpin_finding *n = wpin_find_in_plan(v, WPIN_CAUTION, 0, s->name);
            wpin_cause(n,
                       "the plan takes about %.3g s, and with all its loads running (%.3g A) the "
                       "cells of '%s' last %.3g s",
                       v->plan->seconds, amps, s->name, lasts);
            wpin_consequence(n, "they may be empty before it is over");
            wpin_cure(n, "cells of %.3g Ah", 1.3 * amps * v->plan->seconds / 3600);
        }
    }
}

const wpin_rule_entry wpin_rules_powered[] = {
    {{"supply-off", "plan; supply switch", "something driven while its supply is off",
      WPIN_EFFECT_DEAD},
     supply_off},
    {{"own-supply", "plan; controller supply", "a plan that switches its own controller off",
      WPIN_EFFECT_ADVICE},
     own_supply},
    {{"calibrate-powered", "plan; supply switch", "a controller calibrated while it has power",
      WPIN_EFFECT_MOVES},
     calibrated_with_power},
    {{"before-neutral", "plan; stage pulses; rest",
      "a controller driven before it has seen neutral", WPIN_EFFECT_DEAD},
     before_neutral},
    {{"cells-last", "plan; supply capacity", "a plan longer than its cells last",
      WPIN_EFFECT_ADVICE},
     cells_last},
};
const size_t wpin_rules_powered_count = sizeof wpin_rules_powered / sizeof *wpin_rules_powered;
