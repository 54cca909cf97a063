/* What stands between the supply and the load: burnt, off, or wired wrong. */
#include "verdict.h"
#include "windpin/host/plain.h"
#include <stdarg.h>
#include <stdio.h>

void wpin_rule(wpin_step_result *step, wpin_verdict verdict, const char *format, ...) {
    va_list words;
    va_start(words, format);
    wpin_print_plain(step->words, sizeof step->words, format, words);
    va_end(words);
    step->verdict = verdict;
}

/* Fine, but for the time it took to turn over. */
void wpin_judge_turn(wpin_step_result *step) {
    if (step->turned_after > 0 && step->first) {
        wpin_rule(step, WPIN_VERDICT_OK,
                  "ok, %.2f s after it was armed: nobody knew whether it still turned",
                  step->turned_after);
    } else if (step->turned_after > 0) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "%.2f s before it: ramp to zero and rest, to turn the other way",
                  step->turned_after);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* Whether a part is one that a load's current or commands go through. */
static bool is_in_path(const wpin_session *run, const wpin_rig_load *load, wpin_part_id part) {
    if (part.kind != WPIN_ID_PIN) {
        return part.number == (int)(load - run->rig->loads);
    }
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        if (load->pins[i] == part.number) {
            return true;
        }
    }
    return false;
}

const wpin_part_burn *wpin_burnt_in_path(const wpin_session *run, const wpin_rig_load *load) {
    size_t count;
    const wpin_part_burn *burns = wpin_session_burns(run, &count);
    for (size_t i = 0; i < count; i++) {
        if (is_in_path(run, load, burns[i].of)) {
            return &burns[i];
        }
    }
    return NULL;
}

static bool miswired(const wpin_rig_load *load) {
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        if (load->wires[i] != load->pins[i]) {
            return true;
        }
    }
    return false;
}

/* No current although there was enough duty for one that can be told from none. */
static bool is_without_current(const wpin_rig_load *load, const wpin_step_result *step) {
    const double telling = 0.02;
    bool steps = load->kind->table == NULL || load->stepper.steps_per_rev > 0;
    return step->amps_peak < 1e-3 && (steps || step->duty_peak > telling);
}

const char *wpin_source_name(const wpin_session *run, size_t load) {
    return run->rig->supplies[wpin_rig_source_of(run->rig, run->rig->loads[load].supply)].name;
}

bool wpin_judge_path(const wpin_session *run, wpin_step_result *step, const char *what) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    const wpin_part_burn *burn = wpin_burnt_in_path(run, load);
    if (!wpin_session_supply_on(run, load->supply)) {
        const char *source = wpin_source_name(run, (size_t)step->load);
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "%s: supply '%s' is off; it takes a line '%s on' before it", what, source,
                  source);
    } else if (burn != NULL) {
        wpin_rule(step, WPIN_VERDICT_BAD, "%s: %s burnt", what, burn->part);
    } else if (miswired(load)) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "%s: control wires are on other pins than the rig's stage says", what);
    } else if (is_without_current(load, step)) {
        wpin_rule(
            step, WPIN_VERDICT_BAD,
            "%s: no current flows; a wire off, standby low, no ground, or wires on other pins than "
            "the rig says",
            what);
    } else {
        return false;
    }
    return true;
}
