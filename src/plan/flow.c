/* Follows duties, time and tracks through a plan as it is read. */
#include "flow.h"
#include <math.h>
#include <stdlib.h>

bool wpin_flow_init(wpin_flow *flow, const wpin_rig *rig) {
    *flow = (wpin_flow){.rig = rig};
    flow->duty = calloc(rig->load_count, sizeof *flow->duty);
    flow->driven = calloc(rig->load_count, sizeof *flow->driven);
    flow->free_at = calloc(rig->load_count, sizeof *flow->free_at);
    flow->turns = calloc(rig->load_count, sizeof *flow->turns);
    flow->homed = calloc(rig->load_count, sizeof *flow->homed);
    flow->first = calloc(rig->load_count, sizeof *flow->first);
    flow->set_at = calloc(rig->load_count, sizeof *flow->set_at);
    flow->unsure = calloc(rig->load_count, sizeof *flow->unsure);
    return flow->duty != NULL && flow->driven != NULL && flow->free_at != NULL &&
           flow->turns != NULL && flow->homed != NULL && flow->first != NULL &&
           flow->set_at != NULL && flow->unsure != NULL;
}

void wpin_flow_free(wpin_flow *flow) {
    for (int i = 0; i <= flow->depth; i++) {
        free(flow->blocks[i].driven_by);
        free(flow->blocks[i].driven_at);
    }
    free(flow->duty);
    free(flow->driven);
    free(flow->free_at);
    free(flow->turns);
    free(flow->homed);
    free(flow->first);
    free(flow->set_at);
    free(flow->unsure);
}

wpin_block *wpin_flow_top(wpin_flow *flow) {
    return &flow->blocks[flow->depth];
}

bool wpin_flow_open(wpin_flow *flow, wpin_block_kind kind, unsigned line) {
    if (flow->depth + 1 == WPIN_BLOCK_DEPTH) {
        return false;
    }
    wpin_block *block = &flow->blocks[++flow->depth];
    *block = (wpin_block){.kind = kind, .line = line};
    if (kind == WPIN_BLOCK_PARALLEL) {
        block->driven_by = calloc(flow->rig->load_count, sizeof *block->driven_by);
        block->driven_at = calloc(flow->rig->load_count, sizeof *block->driven_at);
        if (block->driven_by == NULL || block->driven_at == NULL) {
            free(block->driven_by);
            free(block->driven_at);
            flow->out_of_memory = true;
            flow->depth--;
            return false;
        }
    }
    return true;
}

void wpin_flow_pass(wpin_flow *flow, double seconds) {
    wpin_block *top = wpin_flow_top(flow);
    if (top->kind == WPIN_BLOCK_PARALLEL) {
        top->seconds = fmax(top->seconds, seconds);
    } else {
        top->seconds += seconds;
    }
}

/* Behind all that was in the blocks around it. */
static bool is_known(const wpin_flow *flow, size_t load) {
    bool alone = true;
    for (int i = 1; i <= flow->depth; i++) {
        alone = alone && flow->blocks[i].kind == WPIN_BLOCK_REPEAT;
    }
    return alone && !flow->unsure[load];
}

bool wpin_flow_is_at_rest(const wpin_flow *flow, size_t load) {
    return is_known(flow, load) && flow->duty[load] == 0;
}

bool wpin_flow_is_driven(const wpin_flow *flow, size_t load) {
    return is_known(flow, load) && flow->duty[load] != 0;
}

double wpin_flow_now(const wpin_flow *flow) {
    double now = 0;
    for (int i = 0; i <= flow->depth; i++) {
        now += flow->blocks[i].kind == WPIN_BLOCK_PARALLEL ? 0 : flow->blocks[i].seconds;
    }
    return now;
}

void wpin_flow_close(wpin_flow *flow) {
    wpin_block *top = wpin_flow_top(flow);
    double seconds = top->kind == WPIN_BLOCK_REPEAT ? top->seconds * top->count : top->seconds;
    unsigned line = top->endless ? top->line : top->after_endless;
    free(top->driven_by);
    free(top->driven_at);
    flow->depth--;
    wpin_flow_pass(flow, seconds);
    wpin_flow_top(flow)->after_endless = line;
}

unsigned wpin_flow_drive(wpin_flow *flow, size_t load, unsigned line) {
    unsigned clash = 0;
    for (int i = 0; i <= flow->depth; i++) {
        wpin_block *block = &flow->blocks[i];
        if (block->kind != WPIN_BLOCK_PARALLEL) {
            continue;
        }
        if (block->driven_by[load] == 0) {
            block->driven_by[load] = block->track;
            block->driven_at[load] = line;
        } else if (block->driven_by[load] != block->track) {
            clash = block->driven_at[load];
            block->driven_by[load] = block->track; /* said once for each change of track */
        }
    }
    return clash;
}

double wpin_flow_before(const wpin_flow *flow, size_t load, double duty) {
    const wpin_rig_limits *limits = &flow->rig->loads[load].limits;
    double from = flow->duty[load];
    if (from * duty < 0) { /* down to zero, and a rest */
        return fabs(from) * limits->ramp_down + limits->rest;
    }
    bool rests = from == 0 && flow->driven[load] * duty < 0;
    return rests ? fmax(flow->free_at[load] - wpin_flow_now(flow), 0) : 0;
}

void wpin_flow_rests(wpin_flow *flow, size_t load, double seconds) {
    flow->free_at[load] = wpin_flow_now(flow) + seconds + flow->rig->loads[load].limits.rest;
}

double wpin_flow_ramp(wpin_flow *flow, size_t load, double duty, double seconds, unsigned line) {
    double before = wpin_flow_before(flow, load, duty);
    double from = flow->duty[load] * duty < 0 ? 0 : flow->duty[load];
    flow->duty[load] = duty;
    flow->driven[load] = duty != 0 ? duty : flow->driven[load];
    flow->set_at[load] = line;
    if (duty == 0 && from == 0) {
        return 0;
    }
    double least = wpin_rig_ramp_time(&flow->rig->loads[load], from, duty);
    if (duty == 0 && from != 0) {
        wpin_flow_rests(flow, load, fmax(seconds, least));
    }
    return before + fmax(seconds, least);
}

double wpin_flow_run(wpin_flow *flow, size_t load, double duty, double seconds, unsigned line) {
    const wpin_rig_load *l = &flow->rig->loads[load];
    double before = wpin_flow_before(flow, load, duty);
    double from = flow->duty[load] * duty < 0 ? 0 : flow->duty[load];
    wpin_flow_ramp(flow, load, duty, 0, line);
    double reached = wpin_rig_ramp_reaches(l, fabs(duty), seconds);
    bool over = from == 0 && reached < fabs(duty); /* its time, before its ramp */
    flow->duty[load] = over ? copysign(reached, duty) : duty;
    double down = wpin_flow_ramp(flow, load, 0, 0, line);
    return before + seconds + (over ? reached * l->limits.ramp_down : down);
}

/* A ramp from the start rate to the top and down again: each takes (v v - v0 v0) / (2 a) steps. */
static double turn_stepper(const wpin_rig_load *l, double turns) {
    const wpin_rig_stepping *s = &l->stepping;
    double steps = fabs(turns) * l->stepper.steps_per_rev * (s->half_steps ? 2 : 1);
    double slow = s->start_rate, top = s->top_rate, gain = s->acceleration;
    double ramps = (top * top - slow * slow) / gain;
    if (steps <= ramps) {
        return 2 * (sqrt(slow * slow + gain * steps) - slow) / gain;
    }
    return 2 * (top - slow) / gain + (steps - ramps) / top;
}

double wpin_flow_turn(wpin_flow *flow, size_t load, double turns) {
    const wpin_rig_load *l = &flow->rig->loads[load];
    flow->turns[load] += turns;
    if (wpin_rig_type(l)->steps) {
        return turn_stepper(l, turns);
    }
    wpin_rig_move move = wpin_rig_move_of(l);
    return wpin_rig_move_time(&move, turns) + l->position.settle;
}
