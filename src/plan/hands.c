/* What a rehearsal does to its board: hands on inputs, faults put in and mended. */
#define _GNU_SOURCE
#include "parts.h"
#include <stdio.h>
#include <string.h>

/* What the simulated hand does: BUTTON press|release, KNOB turn SHARE, SENSOR set VOLTS. */
static void add_set(wpin_plan_reader *r, size_t input, double volts) {
    if (wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_SET,
                                         .target = WPIN_INPUT(input),
                                         .value = (int16_t)lround(volts * 1e3)},
                             0);
    }
}

static void read_knob(wpin_plan_reader *r, size_t input) {
    double share;
    if (!wpin_words_take(&r->line, "turn")) {
        wpin_words_say(
            &r->line, wpin_words_column(&r->line),
            "'%s' is a knob; expected 'turn' and a share of its way, e.g. '%s turn 60%%' "
            "(the simulated hand)",
            r->rig->inputs[input].name, r->rig->inputs[input].name);
        return;
    }
    unsigned column = wpin_words_column(&r->line);
    if (!wpin_words_take_quantity(&r->line, WPIN_SHARE, "a share of its way, e.g. 60%", &share)) {
        return;
    }
    if (share < 0 || share > 1) {
        wpin_words_say(&r->line, column, "%.4g %% is out of range; expected 0 to 100 %%",
                       share * 100);
        return;
    }
    add_set(r, input, share * r->rig->controller.logic_volts);
}

static void read_sensor(wpin_plan_reader *r, size_t input) {
    double volts;
    if (!wpin_words_take(&r->line, "set")) {
        wpin_words_say(
            &r->line, wpin_words_column(&r->line),
            "'%s' is a sensor; expected 'set' and a voltage, e.g. '%s set 1.2V' (what it "
            "gives in the rehearsal)",
            r->rig->inputs[input].name, r->rig->inputs[input].name);
        return;
    }
    unsigned column = wpin_words_column(&r->line);
    if (!wpin_words_take_quantity(&r->line, WPIN_VOLTAGE, "a voltage, e.g. 1.2V", &volts)) {
        return;
    }
    if (volts < 0 || volts > r->rig->controller.logic_volts) {
        wpin_words_say(&r->line, column, "%.4g V is out of range; expected 0 to %.3g V", volts,
                       r->rig->controller.logic_volts);
        return;
    }
    add_set(r, input, volts);
}

static void read_button(wpin_plan_reader *r, size_t input) {
    bool press = wpin_words_take(&r->line, "press");
    if (!press && !wpin_words_take(&r->line, "release")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "'%s' is a button; expected 'press' or 'release' (the simulated hand)",
                       r->rig->inputs[input].name);
        return;
    }
    if (wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_SWITCH,
                                         .target = WPIN_SWITCH(r->rig->supply_count + input),
                                         .value = press},
                             0);
    }
}

void wpin_plan_read_hand(wpin_plan_reader *r, size_t input) {
    switch (r->rig->inputs[input].kind) {
    case WPIN_RIG_KNOB: read_knob(r, input); break;
    case WPIN_RIG_SENSOR:
    case WPIN_RIG_TWO_POINT:
    case WPIN_RIG_PROCESS: read_sensor(r, input); break;
    case WPIN_RIG_PAIR:
        wpin_words_say(&r->line, r->line.words[0].column,
                       "'%s' is a pair; the hand presses its buttons, '%s' and '%s'",
                       r->rig->inputs[input].name,
                       r->rig->inputs[r->rig->inputs[input].pair[0]].name,
                       r->rig->inputs[r->rig->inputs[input].pair[1]].name);
        break;
    case WPIN_RIG_LIMIT:
        wpin_words_say(&r->line, r->line.words[0].column,
                       "'%s' is a limit switch; the load moves it, no hand",
                       r->rig->inputs[input].name);
        break;
    default: read_button(r, input); break;
    }
}

/* fault NAME WHAT puts a fault into the simulated board, mend NAME WHAT takes it out. */
static void read_injection(wpin_plan_reader *r, bool on) {
    char text[200] = "", why[400];
    unsigned column = wpin_words_column(&r->line);
    wpin_plan *plan = r->plan;
    for (const wpin_word *w; (w = wpin_words_peek(&r->line)) != NULL; r->line.at++) {
        size_t used = strlen(text);
        snprintf(text + used, sizeof text - used, "%s%s", used == 0 ? "" : " ", w->text);
    }
    wpin_injection one;
    if (!wpin_injection_read(r->rig, text, &one, why, sizeof why)) {
        wpin_words_say(&r->line, column, "%s", why);
        return;
    }
    if (!on && one.fault == WPIN_PART_FAULT_LINK_LOST) {
        wpin_words_say(&r->line, column, "a lost link ends the plan; nothing in it comes later");
        return;
    }
    wpin_injection *all =
        wpin_messages_room(r->line.messages, plan->faults, plan->fault_count, sizeof *all);
    size_t number = r->rig->supply_count + r->rig->input_count + plan->fault_count;
    if (all == NULL || number > 250) {
        plan->faults = all != NULL ? all : plan->faults;
        wpin_words_say(&r->line, 1, "too many faults in one plan");
        return;
    }
    plan->faults = all;
    all[plan->fault_count++] = one;
    wpin_plan_add_action(
        r, (wpin_step){.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(number), .value = on}, 0);
}

void wpin_plan_read_fault(wpin_plan_reader *r) {
    read_injection(r, true);
}

void wpin_plan_read_mend(wpin_plan_reader *r) {
    read_injection(r, false);
}
