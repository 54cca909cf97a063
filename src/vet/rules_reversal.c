/* What a plan lets go, or short-circuits, at speed, and then asks to turn the other way. A ramp to
 * rest is the business of the rule about 'rest'. */
#include "rules.h"

/* What lies before a step, in the order of the file. */
typedef struct before {
    int way;        /* it was driven this way; 0: not, or it comes to rest by a ramp */
    double duty;    /* with this */
    bool braked;    /* then short-circuited, or let go... */
    double seconds; /* ...for so long, as far as the plan says */
} before;

static bool lasts(const wpin_step *s) {
    return s->op == WPIN_OP_WAIT || wpin_op_moves_motor((wpin_op)s->op);
}

/* Looks back to where a load was driven last. Where tracks meet, what came before is not known; nor
 * is how long a wait for an event takes. */
static before look_back(const wpin_plan *plan, size_t step) {
    const uint16_t load = plan->steps[step].target.number;
    before b = {0};
    bool ends = false;
    for (size_t i = step; i-- > 0;) {
        const wpin_step *s = &plan->steps[i];
        const wpin_op op = (wpin_op)s->op;
        if (wpin_step_breaks(s)) {
            return b;
        }
        const bool its = wpin_op_moves_motor(op) && s->target.number == load;
        if (its && op == WPIN_OP_RUN) {
            b.way = ends ? (s->value > 0) - (s->value < 0) : 0;
            b.duty = fabs((double)s->value) / WPIN_DUTY_FULL;
            return b;
        }
        if (its && op != WPIN_OP_COAST && op != WPIN_OP_BRAKE && op != WPIN_OP_HOLD) {
            return b; /* it has come to rest */
        }
        b.seconds += !ends && lasts(s) ? s->time_ms * 1e-3 : 0;
        if (its && op != WPIN_OP_HOLD) {
            b.braked = b.braked || op == WPIN_OP_BRAKE;
            ends = true;
        }
    }
    return b;
}

/* Where nothing measures that it stands, only time says it. */
static bool goes_by_time(const wpin_facts *f) {
    return f->motor && wpin_stage_kind_has(f->load->kind, WPIN_DRIVE_REVERSE) &&
           !wpin_rig_sees_rest(f->load);
}

static void let_go(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        const bool runs = (s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR) &&
                          s->quantity == WPIN_QUANTITY_EFFORT;
        const wpin_facts *f = runs ? &v->facts[s->target.number] : NULL;
        if (f == NULL || f->load == NULL || !goes_by_time(f)) {
            continue;
        }
        const before b = look_back(v->plan, i);
        if (b.way == 0 || (s->value > 0) == (b.way > 0)) {
            continue;
        }
        const wpin_rig_load *l = f->load;
        const double rest = l->limits.rest, has = fmax(rest, b.seconds);
        const double brakes_for = l->rest_brakes ? HUGE_VAL : b.braked ? b.seconds : 0;
        const double takes = wpin_run_down_at_once(f, b.duty, brakes_for);
        if (takes <= has) {
            continue;
        }
        const char *how = b.braked ? "brake" : "coast";
        wpin_finding *n =
            wpin_find_in_plan(v, takes > 1.5 * has ? WPIN_REFUSE : WPIN_CAUTION, i, l->name);
        wpin_cause(n,
                   "it is to turn the other way after a '%s' at speed, and runs on for about %.2f "
                   "s; 'rest' in the rig is %.2f s",
                   how, takes, rest);
        wpin_consequence(n, "it is driven the other way while it still turns");
        wpin_cure(n, "'%s stop' in its place, which ramps down", l->name);
        const double whole = wpin_run_down_at_once(f, b.duty, b.braked ? HUGE_VAL : 0);
        wpin_cure(n, "'%s %s for %.2gs'", l->name, how, fmax(1.3 * whole, 0.01));
        wpin_cure_value(n, WPIN_KEY(.path = "rest", .unit = "s", .digits = 2), 1.2 * takes, NULL);
    }
}

const wpin_rule_entry wpin_rules_reversal[] = {
    {{"let-go", "plan; rest; motor", "turned the other way after it was let go at speed",
      WPIN_EFFECT_DEAD},
     let_go},
};
const size_t wpin_rules_reversal_count = sizeof wpin_rules_reversal / sizeof *wpin_rules_reversal;
