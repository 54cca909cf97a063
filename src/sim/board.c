/* What all parts on the board share: what burnt and what happened, and whether a supply gives. */
#include "board.h"
#include "windpin/host/plain.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Room for one more element; NULL (and the array as it was) when out of memory. */
void *wpin_grown(void *array, size_t count, size_t size) {
    return realloc(array, (count + 1) * size);
}

void wpin_keep_name(char *to, size_t size, const char *name, const char *otherwise) {
    snprintf(to, size, "%s", name != NULL ? name : otherwise);
}

/* The same sentence about the same part was said before: it happened once more. */
static bool said_before(wpin_sim *sim, const char *part, const char *what) {
    for (size_t i = 0; i < sim->event_count; i++) {
        if (sim->event_kinds[i] == what && strcmp(sim->events[i].part, part) == 0) {
            sim->events[i].more++;
            return true;
        }
    }
    return false;
}

void wpin_board_note(wpin_sim *sim, int64_t at, const char *part, const char *what, ...) {
    if (said_before(sim, part, what)) {
        return;
    }
    wpin_part_event *all = wpin_grown(sim->events, sim->event_count, sizeof *all);
    sim->events = all != NULL ? all : sim->events;
    const char **kinds = wpin_grown(sim->event_kinds, sim->event_count, sizeof(const char *));
    sim->event_kinds = kinds != NULL ? kinds : sim->event_kinds;
    if (all == NULL || kinds == NULL) {
        sim->out_of_memory = true;
        return;
    }
    kinds[sim->event_count] = what;
    wpin_part_event *mine = &all[sim->event_count++];
    *mine = (wpin_part_event){.at = (double)at * 1e-12};
    wpin_keep_name(mine->part, sizeof mine->part, part, "");
    va_list words;
    va_start(words, what);
    wpin_print_plain(mine->what, sizeof mine->what, what, words);
    va_end(words);
}

void wpin_board_burn(wpin_sim *sim, int64_t at, wpin_part_id of, const char *part,
                     const char *reason, ...) {
    sim->changes++;
    wpin_part_burn *all = wpin_grown(sim->burns, sim->burn_count, sizeof *all);
    if (all == NULL) {
        sim->out_of_memory = true;
        return; /* the part stays dead all the same */
    }
    sim->burns = all;
    wpin_part_burn *mine = &all[sim->burn_count++];
    mine->at = (double)at * 1e-12;
    mine->of = of;
    wpin_keep_name(mine->part, sizeof mine->part, part, "");
    va_list words;
    va_start(words, reason);
    wpin_print_plain(mine->reason, sizeof mine->reason, reason, words);
    va_end(words);
}

const wpin_part_event *wpin_sim_events(const wpin_sim *sim, size_t *count) {
    *count = sim->event_count;
    return sim->events;
}

const wpin_part_burn *wpin_sim_burns(const wpin_sim *sim, size_t *count) {
    *count = sim->burn_count;
    return sim->burns;
}

bool wpin_sim_out_of_memory(const wpin_sim *sim) {
    return sim->out_of_memory;
}

void wpin_bridge_burn(wpin_bridge *bridge) {
    bridge->burnt = true;
    bridge->alive = false;
    bridge->event_count = 0;
}
