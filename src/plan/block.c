/* Blocks of a plan: opened where one may stand; and which of their tracks has a load. */
#include "parts.h"

bool wpin_plan_open_block(wpin_plan_reader *r, wpin_block_kind kind) {
    bool in_parallel = wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL;
    if (kind == WPIN_BLOCK_TRACK && !in_parallel) {
        wpin_words_say(&r->line, 1, "'track' belongs directly inside 'parallel'");
    } else if (kind != WPIN_BLOCK_TRACK && in_parallel) {
        wpin_words_say(&r->line, 1, "a block inside 'parallel' needs a 'track' around it");
    }
    if (kind == WPIN_BLOCK_TRACK && in_parallel) {
        wpin_flow_top(&r->flow)->track++;
    }
    if (!wpin_flow_open(&r->flow, kind, r->line.number)) {
        r->line.messages->out_of_memory |= r->flow.out_of_memory;
        wpin_words_say(&r->line, 1, "blocks are nested too deep; expected at most %d",
                       WPIN_BLOCK_DEPTH - 1);
        r->full = true;
        return false;
    }
    return true;
}

void wpin_plan_begin_action(wpin_plan_reader *r) {
    if (wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL) {
        wpin_flow_top(&r->flow)->track++;
    }
}

void wpin_plan_claim(wpin_plan_reader *r, size_t load) {
    unsigned clash = wpin_flow_drive(&r->flow, load, r->line.number);
    if (clash != 0) {
        wpin_words_say(&r->line, 1,
                       "'%s' is driven by another track of this parallel block already (line %u); "
                       "expected one track for each load",
                       r->rig->loads[load].name, clash);
    }
}
