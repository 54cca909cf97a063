/* Rules about inputs: who reads what, and who reads it twice. */
#include "rules.h"
#include <string.h>

/* What reads an analogue input, besides one; NULL: nothing else. */
static const char *other_reader(const wpin_rig *rig, int analog, const void *besides) {
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *in = &rig->inputs[i];
        bool reads = in->kind == WPIN_RIG_KNOB || wpin_rig_is_sensor(in);
        if (reads && (int)in->analog == analog && besides != in) {
            return in->name;
        }
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        bool current = l->limits.trip_input == analog && besides != &l->limits;
        bool warmth =
            l->thermistor.there && l->thermistor.input == analog && besides != &l->thermistor;
        if (current || warmth) {
            return l->name;
        }
    }
    return NULL;
}

static void look_for_other(wpin_vetter *v, const wpin_facts *f, const char *what, int input,
                           const void *besides) {
    const char *other = input < 0 ? NULL : other_reader(v->rig, input, besides);
    if (other != NULL) {
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n, "its %s is read on analogue input %d, and so is '%s'", what, input, other);
        wpin_consequence(n, "two outputs work against each other on one wire: both read wrong, "
                            "and the trip comes too late or always");
        wpin_cure(n, "an analogue input of its own for each");
    }
}

static void two_readers(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        look_for_other(v, f, "current", (int)l->limits.trip_input, &l->limits);
        if (l->thermistor.there && l->thermistor.input != l->limits.trip_input) {
            look_for_other(v, f, "temperature", (int)l->thermistor.input, &l->thermistor);
        }
    }
}

/* Whether a plan or a part of the rig makes use of an input. */
/* Whether a step waits for it, ends by it, or is led by it. */
static bool serves(const wpin_step *s, size_t input) {
    int event = s->op == WPIN_OP_UNTIL ? s->value : (int)s->until - 1;
    size_t of = s->op == WPIN_OP_UNTIL ? s->target.number : s->until_of;
    bool awaits = event == WPIN_EVENT_INPUT_ON || event == WPIN_EVENT_INPUT_OFF;
    return (awaits && of == input) || (s->op == WPIN_OP_FOLLOW && (size_t)s->value == input);
}

static bool is_used(const wpin_vetter *v, size_t input) {
    const wpin_rig *rig = v->rig;
    if (rig->inputs[input].stops || v->plan == NULL) {
        return true;
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        const int *limits = rig->loads[i].limits.limit_inputs;
        if (limits[0] == (int)input || limits[1] == (int)input) {
            return true;
        }
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *in = &rig->inputs[i];
        if (in->kind == WPIN_RIG_PAIR && (in->pair[0] == (int)input || in->pair[1] == (int)input)) {
            return true;
        }
    }
    for (size_t i = 0; i < v->plan->step_count; i++) {
        if (serves(&v->plan->steps[i], input)) {
            return true;
        }
    }
    return false;
}

static void cure_unused(wpin_finding *n, const wpin_rig_input *in) {
    if (in->kind == WPIN_RIG_LIMIT) {
        wpin_consequence(n, "a load that reaches it goes on");
        wpin_cure(n, "limits: {forward: %s} or {reverse: %s} in '%s'", in->name, in->name,
                  in->limit_of);
        wpin_cure(n, "'wait until %s reached at most 10s' in the plan", in->name);
    } else if (in->kind == WPIN_RIG_BUTTON) {
        wpin_consequence(n, "whoever presses it waits for nothing");
        wpin_cure(n, "'wait until %s pressed at most 10s' in the plan", in->name);
    } else {
        wpin_consequence(n, "whoever turns it waits for nothing");
        wpin_cure(n, "'LOAD follow %s' in the plan", in->name);
    }
    wpin_cure(n, "take it out");
}

static void unused(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->input_count; i++) {
        if (!is_used(v, i)) {
            wpin_finding *n = wpin_find(v, WPIN_NOTE, v->rig->inputs[i].name);
            wpin_cause(n, "neither the plan nor a load makes use of it");
            cure_unused(n, &v->rig->inputs[i]);
        }
    }
}

const wpin_rule_entry wpin_rules_inputs[] = {
    {{"shared-input", "current-trip input; analog", "two things on one analogue input",
      WPIN_EFFECT_ADVICE},
     two_readers},
    {{"unused-input", "plan; pin, analog", "an input that nobody looks at", WPIN_EFFECT_ADVICE},
     unused},
};
const size_t wpin_rules_inputs_count = sizeof wpin_rules_inputs / sizeof *wpin_rules_inputs;
