/* Rules about a plan on its rig. */
#include "rules.h"
#include "windpin/host/plain.h"

wpin_finding *wpin_find_in_plan(wpin_vetter *v, wpin_severity severity, size_t step,
                                const char *name) {
    wpin_finding *n = wpin_find(v, severity, name);
    if (n != NULL) {
        n->line = v->plan->sources[step].line;
        n->column = v->plan->sources[step].column;
        n->in_plan = true;
    }
    return n;
}

wpin_finding *wpin_find_step(wpin_vetter *v, wpin_severity severity, size_t step) {
    return wpin_find_in_plan(v, severity, step,
                             v->rig->loads[v->plan->steps[step].target.number].name);
}

/* Which way a load is driven when a step of its own begins, in the order of the file; 0: it is not.
 */
static int way_before(const wpin_plan *plan, size_t step) {
    int way = 0;
    for (size_t i = 0; i < step; i++) {
        const wpin_step *s = &plan->steps[i];
        if (s->target.number != plan->steps[step].target.number ||
            !wpin_op_moves_motor((wpin_op)s->op) || s->op == WPIN_OP_HOLD) {
            continue;
        }
        bool turns_on = s->op == WPIN_OP_RUN || (s->op == WPIN_OP_TOGGLE && way == 0);
        way = !turns_on ? 0 : s->value > 0 ? 1 : -1;
    }
    return way;
}

bool wpin_step_turns_on(const wpin_plan *plan, size_t step) {
    const wpin_step *s = &plan->steps[step];
    return s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR ||
           (s->op == WPIN_OP_TOGGLE && way_before(plan, step) == 0);
}

bool wpin_step_breaks(const wpin_step *s) {
    return s->until != 0 || s->op == WPIN_OP_FORK || s->op == WPIN_OP_LEAVE ||
           s->op == WPIN_OP_JOIN || s->op == WPIN_OP_REPEAT || s->op == WPIN_OP_AGAIN ||
           s->op == WPIN_OP_UNTIL;
}

static double duty_for(const wpin_facts *f, double tip, double mean) {
    double constant = f->load->motor.constant;
    return wpin_rig_duty_for(f->load, tip / constant, mean / constant, f->volts,
                             f->supply->resistance, f->switch_ohms);
}

/* The duty whose tips break a load loose; with a slow PWM it moves by jerks then, until its mean is
 * enough too. */
static double loose(const wpin_facts *f) {
    return duty_for(f, f->hold, 0);
}

/* Tells a motion from rest that is over before its ramp comes to a duty that breaks it loose. */
static bool tell_short(wpin_vetter *v, size_t step, double duty) {
    const wpin_step *s = &v->plan->steps[step];
    const wpin_facts *f = &v->facts[s->target.number];
    double needs = loose(f);
    double seconds = wpin_rig_ramp_seconds(f->load, duty, fmin(needs / duty, 1)),
           has = s->time_ms / 1e3;
    if (s->op != WPIN_OP_RUN_FOR || s->until != 0 || has >= seconds) {
        return false;
    }
    wpin_finding *n = wpin_find_step(v, WPIN_CAUTION, step);
    wpin_cause(n,
               "its ramp takes %.2g s to the %.3g %% duty that break it loose, and it has %.2g s",
               seconds, needs * 100, has);
    wpin_consequence(n, "it hums and stands, or hardly moves");
    wpin_cure(n, "%.2g s or more, or a shorter ramp", 1.3 * seconds);
    return true;
}

/* The input that says what a step asks for; NULL: the step does. */
static const wpin_rig_input *input_of(const wpin_vetter *v, const wpin_step *s) {
    return s->op == WPIN_OP_FOLLOW ? &v->rig->inputs[s->value] : NULL;
}

/* Tells a duty that is too low for a torque; false if it is not. */
static bool tell_weak(wpin_vetter *v, size_t step, double duty, bool turns) {
    const wpin_facts *f = &v->facts[v->plan->steps[step].target.number];
    double evenly = duty_for(f, 0, f->torque), jerks = loose(f);
    double needs = turns ? evenly : fmax(evenly, jerks),
           least = turns ? fmin(evenly, jerks) : jerks;
    if (duty >= 1.05 * needs || needs >= 1) {
        return false;
    }
    bool dead = duty < 0.85 * least;
    const wpin_rig_input *input = input_of(v, &v->plan->steps[step]);
    const bool climbs = input != NULL && input->kind == WPIN_RIG_PROCESS;
    wpin_finding *n = wpin_find_step(v, dead && !climbs ? WPIN_REFUSE : WPIN_CAUTION, step);
    char by[WPIN_NAME_MAX + 30] = "";
    if (input != NULL) {
        wpin_plain(by, sizeof by, climbs ? "by '%s' as little as " : "by '%s' ", input->name);
    }
    wpin_cause(n, "%s%.3g %% duty; up to about %.3g %% friction and load %s", by, duty * 100,
               needs * 100, turns ? "stop it" : "hold it");
    wpin_consequence(n, duty > jerks ? "it moves by jerks, if at all"
                        : !dead      ? "it may or may not move"
                        : turns      ? "it stops after a moment"
                                     : "it hums and stands");
    wpin_cure(n,
              climbs          ? "least: %.0f%%"
              : input != NULL ? "duty: %.0f%%"
                              : "%.0f %% or more",
              fmin(ceil(110 * needs), 100));
    if (!turns) {
        wpin_cure(n, "a start kick in the rig, or below: lift (windpin find)");
    }
    return true;
}

/* The least duty that a step asks for, where it asks for any: of an input, what a two-point control
 * gives, or as little as a regulated one comes down to. A fraction with its sign; 0: not known. */
static double least_asked(const wpin_vetter *v, const wpin_step *s) {
    const wpin_rig_input *input = input_of(v, s);
    if (input == NULL) {
        return (double)s->value / WPIN_DUTY_FULL;
    }
    const double asks = input->kind == WPIN_RIG_TWO_POINT ? input->duty
                        : input->kind == WPIN_RIG_PROCESS ? input->least
                                                          : 0;
    return s->full != 0 ? asks * fabs((double)s->full) / WPIN_DUTY_FULL : asks;
}

/* A duty that does not break it loose from rest, lifted or kicked, or does not keep it turning. */
static void weak_duty(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        const bool follows = s->op == WPIN_OP_FOLLOW && least_asked(v, s) > 0;
        bool runs = follows || wpin_step_turns_on(v->plan, i);
        const wpin_rig_load *load = runs ? &v->rig->loads[s->target.number] : NULL;
        if (!runs || !wpin_rig_type(load)->spins || !wpin_stage_kind_takes_duty(load->kind)) {
            continue;
        }
        const wpin_rig_limits *l = &load->limits;
        if (s->quantity == WPIN_QUANTITY_SPEED) {
            continue; /* its regulator finds the duty */
        }
        const double asked = least_asked(v, s);
        double duty = fabs(asked);
        duty = l->below == WPIN_BELOW_LIFT ? fmax(duty, l->start_duty) : duty;
        double first = fmax(duty, l->kick_time > 0 ? l->kick_level : 0);
        bool turns = way_before(v->plan, i) * asked > 0, kicked = l->kick_time > 0;
        bool told = (!turns && tell_weak(v, i, first, false)) || tell_weak(v, i, duty, true) ||
                    (!turns && !kicked && tell_short(v, i, duty));
        (void)told;
    }
}

/* When what a step turns on is turned off again, by the times of the file, s; whether that may be
 * sooner, by an event or at the end of its travel. */
static double on_until(const wpin_vetter *v, size_t step, bool *sooner) {
    const wpin_plan *plan = v->plan;
    const wpin_step *on = &plan->steps[step];
    *sooner = on->until != 0 || wpin_rig_ends_itself(&v->rig->loads[on->target.number]);
    if (on->op == WPIN_OP_RUN_FOR) {
        return plan->sources[step].at + on->time_ms * 1e-3;
    }
    for (size_t i = step + 1; i < plan->step_count; i++) {
        const wpin_step *s = &plan->steps[i];
        const bool its =
            wpin_op_moves_motor((wpin_op)s->op) && s->target.number == on->target.number;
        const bool goes_on =
            s->op == WPIN_OP_HOLD || (s->op == WPIN_OP_RUN && s->value * on->value > 0);
        *sooner = *sooner || s->op == WPIN_OP_UNTIL || s->until != 0;
        if (its && !goes_on) {
            return plan->sources[i].at;
        }
    }
    return plan->sources[step].at;
}

static void on_time(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        const bool turns_on = wpin_step_turns_on(v->plan, i) &&
                              (s->op != WPIN_OP_RUN || way_before(v->plan, i) * s->value <= 0);
        const double most = turns_on ? v->rig->loads[s->target.number].limits.most_on : 0;
        bool sooner = false;
        const double lasts = turns_on ? on_until(v, i, &sooner) - v->plan->sources[i].at : 0;
        if (most > 0 && lasts > most) {
            wpin_finding *n = wpin_find_step(v, sooner ? WPIN_CAUTION : WPIN_REFUSE, i);
            wpin_cause(n, "%s%.3g s without a break, most-on is %.3g s", sooner ? "up to " : "",
                       lasts, most);
            wpin_consequence(n, "a latched fault ends the plan");
            wpin_cure(n, "at most %.3g s, then a rest", most);
        }
    }
}

/* Less than what gets it moving, where the rig says that it is lifted to that. */
static void lifted(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        bool runs = s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR;
        const wpin_rig_limits *l = runs ? &v->rig->loads[s->target.number].limits : NULL;
        double duty = fabs((double)s->value) / WPIN_DUTY_FULL;
        bool lifts = runs && l->below == WPIN_BELOW_LIFT && s->quantity == WPIN_QUANTITY_EFFORT;
        if (lifts && duty > 0 && duty < l->start_duty - 0.005) {
            wpin_finding *n = wpin_find_step(v, WPIN_NOTE, i);
            wpin_cause(n, "%.3g %% are asked for, and its start duty is %.3g %%", duty * 100,
                       l->start_duty * 100);
            wpin_consequence(n, "it is lifted: it runs faster than asked");
            wpin_cure(n, "%.3g %% or more in the plan, or below: kick in the rig",
                      l->start_duty * 100);
        }
    }
}

static void total_time(wpin_vetter *v) {
    if (v->plan != NULL) {
        wpin_finding *n = wpin_find(v, WPIN_NOTE, "plan");
        if (n != NULL) {
            n->in_plan = true;
        }
        if (v->plan->rehearsed > 0) {
            wpin_cause(n, "it has no end; a rehearsal of it lasts %.3g s", v->plan->rehearsed);
            wpin_consequence(n, "on a controller it goes on until it is stopped");
        } else {
            wpin_cause(n,
                       "by its ramps and times it takes about %.3g s; every path ends with every "
                       "load at rest",
                       v->plan->seconds);
            wpin_consequence(n, "waits on events may take less");
        }
        wpin_cure(n, "windpin preview lists when each thing happens");
    }
}

const wpin_rule_entry wpin_rules_plan[] = {
    {{"weak-duty", "plan; motor; load", "a duty that does not move the load", WPIN_EFFECT_DEAD},
     weak_duty},
    {{"on-time", "plan; most-on", "longer on than it may be", WPIN_EFFECT_DEAD}, on_time},
    {{"lifted-duty", "plan; start", "a duty that is lifted to the start duty", WPIN_EFFECT_ADVICE},
     lifted},
    {{"plan-time", "plan", "how long the plan takes", WPIN_EFFECT_ADVICE}, total_time},
};
const size_t wpin_rules_plan_count = sizeof wpin_rules_plan / sizeof *wpin_rules_plan;
