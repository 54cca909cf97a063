/* A plan as a constant table for firmware: the very steps that a rehearsal runs. */
#include "header_plan.h"
#include <string.h>

static const char *op_name(uint8_t op) {
    static const char *const names[WPIN_OP_COUNT] = {
        [WPIN_OP_END] = "END",       [WPIN_OP_RUN] = "RUN",       [WPIN_OP_RUN_FOR] = "RUN_FOR",
        [WPIN_OP_HOLD] = "HOLD",     [WPIN_OP_STOP] = "STOP",     [WPIN_OP_COAST] = "COAST",
        [WPIN_OP_BRAKE] = "BRAKE",   [WPIN_OP_WAIT] = "WAIT",     [WPIN_OP_TOGGLE] = "TOGGLE",
        [WPIN_OP_UNTIL] = "UNTIL",   [WPIN_OP_SWITCH] = "SWITCH", [WPIN_OP_REPEAT] = "REPEAT",
        [WPIN_OP_AGAIN] = "AGAIN",   [WPIN_OP_FORK] = "FORK",     [WPIN_OP_LEAVE] = "LEAVE",
        [WPIN_OP_JOIN] = "JOIN",     [WPIN_OP_TURN] = "TURN",     [WPIN_OP_TURN_TO] = "TURN_TO",
        [WPIN_OP_FOLLOW] = "FOLLOW", [WPIN_OP_SET] = "SET",       [WPIN_OP_CALIBRATE] = "CALIBRATE",
        [WPIN_OP_ZERO] = "ZERO",     [WPIN_OP_HOME] = "HOME",     [WPIN_OP_CLEAR] = "CLEAR"};
    return names[op];
}

static void print_target(FILE *to, wpin_target target) {
    static const char *const kinds[] = {NULL, "MOTOR", "SWITCH", "INPUT"};
    if (target.kind != WPIN_TARGET_NONE) {
        fprintf(to, ", .target = WPIN_%s(%u)", kinds[target.kind], target.number);
    }
}

static void print_step(FILE *to, const wpin_step *s, const char *text) {
    bool turns = s->op == WPIN_OP_TURN || s->op == WPIN_OP_TURN_TO;
    fprintf(to, "    {.op = WPIN_OP_%s", op_name(s->op));
    if (s->quantity != 0) {
        fprintf(to, ", .quantity = %u", s->quantity);
    }
    print_target(to, s->target);
    if (s->value != 0) {
        fprintf(to, ", .value = %d", s->value);
    }
    if (turns) {
        fprintf(to, ", .millidegrees = %ld", (long)s->millidegrees);
    } else if (s->op == WPIN_OP_FOLLOW && s->full != 0) {
        fprintf(to, ", .full = %ld", (long)s->full);
    } else if (s->ramp_us != 0) {
        fprintf(to, s->op == WPIN_OP_UNTIL ? ", .milliamps = %lu" : ", .ramp_us = %lu",
                (unsigned long)s->ramp_us);
    }
    if (s->time_ms != 0) {
        fprintf(to, ", .time_ms = %lu", (unsigned long)s->time_ms);
    }
    if (s->until != 0) {
        fprintf(to, ", .until = %u, .until_of = %u, .until_ma = %u", s->until, s->until_of,
                s->until_ma);
    }
    fprintf(to, "},");
    if (text[0] != '\0') {
        fprintf(to, " /* %s */", text);
    }
    fprintf(to, "\n");
}

/* Which motor, switch and input has which number. */
static void print_numbers(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *id) {
    fprintf(to, "\n/* The plan for a wpin_sequence_config. Its motors:");
    for (size_t i = 0; i < rig->load_count; i++) {
        fprintf(to, " %zu %s%s", i, rig->loads[i].name, i + 1 < rig->load_count ? "," : "");
    }
    fprintf(to, ".\n * Switches:");
    for (size_t i = 0; i < rig->supply_count; i++) {
        fprintf(to, "%s %zu %s", i > 0 ? "," : "", i, rig->supplies[i].name);
    }
    if (rig->input_count + plan->fault_count > 0) {
        fprintf(to,
                ", and from %zu on what the hand of a rehearsal does: set_switch answers WPIN_OK",
                rig->supply_count);
    }
    fprintf(to, ".\n");
    if (rig->input_count > 0) {
        fprintf(to, " * Inputs:");
        for (size_t i = 0; i < rig->input_count; i++) {
            fprintf(to, " %zu %s%s", i, rig->inputs[i].name,
                    i + 1 < rig->input_count ? "," : ".\n");
        }
    }
    fprintf(to, " */\nenum { %s_STEPS = %zu, %s_TRACKS = %u, %s_SWITCHES = %zu };\n", id,
            plan->step_count, id, plan->track_count, id,
            rig->supply_count + rig->input_count + plan->fault_count);
}

/* Verbs that the core must have for it; ends are not asked for by name. */
static void print_verbs(FILE *to, const wpin_plan *plan) {
    uint32_t verbs = 0;
    for (size_t i = 0; i < plan->step_count; i++) {
        verbs |= (uint32_t)1 << plan->steps[i].op;
    }
    fprintf(
        to,
        "/* What it needs of the core: compiled with -DWPIN_VERBS=this that has nothing else of "
        "plans. */\n#define RIG_VERBS 0x%lXUL\n",
        (unsigned long)verbs);
}

void wpin_header_plan(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *id) {
    print_numbers(to, rig, plan, id);
    print_verbs(to, plan);
    fprintf(to, "static const WPIN_FLASH wpin_step %s_steps[] = {\n", id);
    for (size_t i = 0; i < plan->step_count; i++) {
        print_step(to, &plan->steps[i], plan->sources[i].text);
    }
    fprintf(to, "};\n");
}
