/* Adding steps to a plan that is being read. */
#define _GNU_SOURCE
#include "parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static char *line_text(const wpin_words *l) {
    char *text = calloc(WPIN_WORDS_MAX, sizeof l->words[0].text + 1);
    for (size_t i = 0; text != NULL && i < l->count; i++) {
        strcat(strcat(text, i == 0 ? "" : " "), l->words[i].text);
    }
    return text;
}

/* Room for one more step and its source. */
static bool grow_steps(wpin_plan_reader *r) {
    wpin_plan *plan = r->plan;
    wpin_step *steps =
        wpin_messages_room(r->line.messages, plan->steps, plan->step_count, sizeof *steps);
    if (steps == NULL) {
        return false;
    }
    plan->steps = steps;
    wpin_plan_source *sources =
        wpin_messages_room(r->line.messages, plan->sources, plan->step_count, sizeof *sources);
    if (sources == NULL) {
        return false;
    }
    plan->sources = sources;
    return true;
}

void wpin_plan_add_step(wpin_plan_reader *r, wpin_step step, bool shown) {
    wpin_plan *plan = r->plan;
    if (plan->step_count >= 32000) {
        if (!r->full) {
            wpin_words_say(&r->line, 1, "the plan is too long; expected at most 32000 steps");
        }
        r->full = true;
        return;
    }
    char *text = shown ? line_text(&r->line) : strdup("");
    if (text == NULL || !grow_steps(r)) {
        free(text);
        r->line.messages->out_of_memory = true;
        return;
    }
    plan->steps[plan->step_count] = step;
    plan->sources[plan->step_count++] =
        (wpin_plan_source){r->line.number, r->line.count > 0 ? r->line.words[0].column : 1, text,
                           wpin_flow_now(&r->flow)};
}

void wpin_plan_add_action(wpin_plan_reader *r, wpin_step step, double seconds) {
    step.until = r->until.until;
    step.until_of = r->until.until_of;
    step.until_ma = r->until.until_ma;
    r->until = (wpin_step){0};
    bool alone = wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL;
    if (alone) {
        wpin_plan_add_step(
            r, (wpin_step){.op = WPIN_OP_FORK, .value = (int16_t)(r->plan->step_count + 3)}, false);
    }
    wpin_plan_add_step(r, step, true);
    if (alone) {
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_LEAVE}, false);
    }
    wpin_flow_pass(&r->flow, seconds);
}

void wpin_plan_say_unknown(wpin_plan_reader *r, unsigned column, const char *what, const char *text,
                           const char *const *known, size_t count) {
    char all[600] = "";
    for (size_t i = 0; i < count; i++) {
        size_t used = strlen(all);
        snprintf(all + used, sizeof all - used, "%s%s", i == 0 ? "" : ", ", known[i]);
    }
    const char *near = wpin_nearest_word(text, known, count);
    wpin_words_say(&r->line, column, "unknown %s '%s'%s%s%s; expected one of: %s", what, text,
                   near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
                   near != NULL ? "'?)" : "", all);
}
