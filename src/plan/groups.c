/* One line for several loads: "pump, fan stop" or "all ramp 40%", each on a track of its own. */
#define _GNU_SOURCE
#include "parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

/* NAME, NAME, ... from a word on: how many words that took, 0 where the first has no comma. */
static size_t take_names(wpin_plan_reader *r, size_t from, bool *chosen) {
    size_t words = from;
    for (bool more = true; more && words < r->line.count; words++) {
        char name[sizeof r->line.words[0].text];
        snprintf(name, sizeof name, "%s", r->line.words[words].text);
        size_t length = strlen(name);
        more = length > 0 && name[length - 1] == ',';
        if (words == from && !more) {
            return 0;
        }
        name[more ? length - 1 : length] = '\0';
        int load = wpin_rig_find_load(r->rig, name);
        if (load < 0) {
            wpin_words_say(&r->line, r->line.words[words].column,
                           "'%s' is not a load of the rig; a group is written 'NAME, NAME action'",
                           name);
            for (size_t i = 0; i < r->rig->load_count; i++) { /* whichever was meant: no guesses */
                r->flow.unsure[i] = true;
            }
            continue;
        }
        chosen[load] = true;
    }
    return words - from;
}

/* The loads named before the verb: "pump, fan" or "all"; how many words that took, 0 for no group.
 */
static size_t take_group(wpin_plan_reader *r, bool *chosen) {
    size_t loads = r->rig->load_count;
    if (strcasecmp(r->line.words[0].text, "all") == 0) {
        const char *verb = r->line.count > 1 ? r->line.words[1].text : "";
        bool some = false;
        for (size_t i = 0; i < loads; i++) { /* those that can; if none does, each says so */
            chosen[i] = wpin_plan_knows_verb(r, i, verb);
            some = some || chosen[i];
        }
        for (size_t i = 0; !some && i < loads; i++) {
            chosen[i] = true;
        }
        return 1;
    }
    return take_names(r, 0, chosen);
}

/* stagger TIME at the end of the line, taken off it. */
static double take_stagger(wpin_plan_reader *r) {
    double seconds = 0;
    for (size_t i = 0; i < r->line.count; i++) {
        if (strcasecmp(r->line.words[i].text, "stagger") == 0) {
            r->line.at = i + 1;
            if (wpin_words_take_time(&r->line, WPIN_PLAN_RAMP_MAX, &seconds)) {
                wpin_words_no_more(&r->line);
            }
            r->line.count = i;
            r->line.end = r->line.words[i].column;
        }
    }
    return seconds;
}

/* One load of a group: a track with its line as if it stood alone. */
static void read_member(wpin_plan_reader *r, size_t load, size_t words, double late) {
    wpin_words whole = r->line;
    snprintf(r->line.words[0].text, sizeof r->line.words[0].text, "%s", r->rig->loads[load].name);
    for (size_t i = words; i < whole.count; i++) {
        r->line.words[1 + i - words] = whole.words[i];
    }
    r->line.count = 1 + whole.count - words;
    r->line.at = 1;
    if (wpin_plan_open_block(r, WPIN_BLOCK_TRACK)) {
        size_t fork = r->plan->step_count;
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_FORK}, false);
        if (late > 0) {
            wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_WAIT, .time_ms = wpin_to_ms(late)},
                               false);
            wpin_flow_pass(&r->flow, late);
        }
        wpin_plan_read_verb(r, load);
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_LEAVE}, false);
        if (fork < r->plan->step_count) {
            r->plan->steps[fork].value = (int16_t)r->plan->step_count;
        }
        wpin_flow_close(&r->flow);
    }
    whole.messages = r->line.messages;
    r->line = whole;
}

/* NAME, NAME ... action [stagger TIME]: the same for each, together. */
bool wpin_plan_read_group(wpin_plan_reader *r) {
    bool *chosen = calloc(r->rig->load_count, sizeof *chosen);
    r->line.messages->out_of_memory |= chosen == NULL;
    size_t words = chosen == NULL ? 0 : take_group(r, chosen);
    double stagger = words == 0 ? 0 : take_stagger(r), late = 0;
    bool in_parallel = wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL;
    if (words != 0 && in_parallel) {
        wpin_words_say(&r->line, 1, "a group inside 'parallel' needs a 'track' around it");
    } else if (words != 0 && wpin_plan_open_block(r, WPIN_BLOCK_PARALLEL)) {
        for (size_t i = 0; i < r->rig->load_count; i++) {
            if (chosen[i]) {
                read_member(r, i, words, late);
                late += stagger;
            }
        }
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_JOIN}, false);
        wpin_flow_close(&r->flow);
    }
    free(chosen);
    return words != 0;
}

/* A track that brings a load to rest, and waits until it may turn either way. */
static double add_rest(wpin_plan_reader *r, size_t load) {
    const double most =
        60 + r->rig->loads[load].limits.rest; /* s: what runs down longer is stuck */
    double takes =
        wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number) + r->rig->loads[load].limits.rest;
    size_t fork = r->plan->step_count;
    wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_FORK, .value = (int16_t)(fork + 4)}, false);
    wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_STOP, .target = WPIN_MOTOR(load)}, false);
    wpin_plan_add_step(r,
                       (wpin_step){.op = WPIN_OP_UNTIL,
                                   .target = WPIN_MOTOR(load),
                                   .value = WPIN_EVENT_RESTING,
                                   .time_ms = wpin_to_ms(most)},
                       true);
    wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_LEAVE}, false);
    return takes;
}

/* together NAME, NAME: they come to rest first, so that what stands inside begins at once. */
void wpin_plan_read_together(wpin_plan_reader *r) {
    bool *chosen = calloc(r->rig->load_count, sizeof *chosen);
    size_t from = r->line.at, words = chosen == NULL ? 0 : take_names(r, from, chosen);
    r->line.messages->out_of_memory |= chosen == NULL;
    if (words == 0) {
        wpin_words_say(
            &r->line, wpin_words_column(&r->line),
            "expected the loads that are to begin together, e.g. 'together left, right'");
    } else {
        r->line.at = from + words;
        wpin_words_no_more(&r->line);
    }
    if (wpin_plan_open_block(r, WPIN_BLOCK_PARALLEL)) {
        double longest = 0;
        for (size_t i = 0; i < r->rig->load_count; i++) {
            if (chosen != NULL && chosen[i]) {
                wpin_flow_top(&r->flow)->track++;
                wpin_plan_claim(r, i);
                longest = fmax(longest, add_rest(r, i));
            }
        }
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_JOIN}, false);
        wpin_flow_close(&r->flow);
        wpin_flow_pass(&r->flow, longest);
        wpin_flow_open(&r->flow, WPIN_BLOCK_PARALLEL, r->line.number); /* as deep as the first */
        wpin_flow_top(&r->flow)->together = true;
    }
    free(chosen);
}
