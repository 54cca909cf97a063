/* What brings a load to a place, and says where that is counted from. */
#define _GNU_SOURCE
#include "parts.h"
#include <stdlib.h>
#include <strings.h>

/* Of a motor: only one whose speed is regulated is brought to a place. */
static bool has_place(wpin_plan_reader *r, size_t load) {
    const wpin_rig_load *l = &r->rig->loads[load];
    if (l->axis.there && l->axis.plain) {
        wpin_words_say(&r->line, r->line.words[1].column,
                       "the drive of '%s' takes speeds only (mode: velocity in the rig); places "
                       "take mode: profile",
                       l->name);
        return false;
    }
    if (l->encoder.by_crossings) {
        wpin_words_say(&r->line, r->line.words[1].column,
                       "zero crossings give the speed of '%s' while it is driven, and no place; "
                       "expected a speed, e.g. '%s run %.4grpm for 2s'",
                       l->name, l->name, l->speed.rated);
        return false;
    }
    if (!l->speed.there) {
        wpin_words_say(&r->line, r->line.words[1].column,
                       "nothing measures where '%s' is; expected 'encoder' and 'speed' in the rig",
                       l->name);
    }
    return l->speed.there;
}

static bool has_travel(const wpin_rig_load *l) {
    return l->position.least != 0 || l->position.most != 0;
}

/* Whether a load may go to a place, as far as the plan's text tells where it is. */
static bool place_allowed(wpin_plan_reader *r, size_t load, double turns, unsigned column) {
    const wpin_rig_load *l = &r->rig->loads[load];
    const wpin_rig_position *p = &l->position;
    bool homed = r->flow.homed[load] || r->flow.unsure[load];
    if (p->home_first && !homed) {
        wpin_words_say(&r->line, column,
                       "where '%s' stands is not known here (home: first in the rig); expected "
                       "'%s home ...' before it",
                       l->name, l->name);
        return false;
    }
    const double hair = 1e-9; /* of a turn: what rounding may be off */
    if (has_travel(l) && !r->flow.unsure[load] &&
        (turns < p->least - hair || turns > p->most + hair)) {
        wpin_words_say(&r->line, column,
                       "%.4g deg is beyond its travel; expected %.4g to %.4g deg (least and most "
                       "of its position in the rig)",
                       turns * 360, p->least * 360, p->most * 360);
        return false;
    }
    return true;
}

/* A number of steps of a stepper or of counts of an encoder: "200steps", "440 counts", and how many
 * make a turn; 0: it is something else, and nothing is taken; -1: with a message. */
static double per_turn_of(wpin_plan_reader *r, size_t load, double *number) {
    const wpin_rig_load *l = &r->rig->loads[load];
    const wpin_word *w = wpin_words_peek(&r->line);
    char *unit = NULL;
    *number = w == NULL ? 0 : strtod(w->text, &unit);
    bool two = w != NULL && *unit == '\0' && r->line.at + 1 < r->line.count;
    const char *name = w == NULL ? "" : (two ? r->line.words[r->line.at + 1].text : unit);
    bool steps = strcasecmp(name, "steps") == 0 || strcasecmp(name, "step") == 0;
    bool counts = strcasecmp(name, "counts") == 0 || strcasecmp(name, "count") == 0;
    bool stepper = wpin_rig_type(l)->steps;
    if (!steps && !counts) {
        return 0;
    }
    if (steps != stepper) {
        wpin_words_say(&r->line, w->column, "'%s' is %s; expected %s or an angle", l->name,
                       stepper ? "a stepper, and nothing counts it" : "no stepper",
                       stepper ? "steps" : "counts of its encoder");
        return -1;
    }
    r->line.at += two ? 2 : 1;
    return stepper ? l->stepper.steps_per_rev : wpin_rig_counts_at_output(l);
}

/* An angle in turns of the output, or in the load's own steps or counts. */
static bool take_turns(wpin_plan_reader *r, size_t load, double *turns) {
    double number, per_turn = per_turn_of(r, load, &number);
    if (per_turn != 0) {
        *turns = number / per_turn;
        return per_turn > 0;
    }
    bool stepper = wpin_rig_type(&r->rig->loads[load])->steps;
    return wpin_words_take_quantity(&r->line, WPIN_ANGLE,
                                    stepper ? "an angle or steps, e.g. 90deg, 2rev or 200steps"
                                            : "an angle or counts, e.g. 90deg, 2rev or 440counts",
                                    turns);
}

/* To a place of either side of 0, or by an angle, whose way is said in a word. */
static bool turns_in_range(wpin_plan_reader *r, double turns, bool to, unsigned column) {
    const double most = to ? 5000 : 10;
    if (!to && turns < 0) {
        wpin_words_say(&r->line, column,
                       "an angle to turn by has no sign; expected 'turn reverse %.6gdeg'",
                       -turns * 360);
        return false;
    }
    if (fabs(turns) > most || (!to && turns == 0)) {
        wpin_words_say(&r->line, column, "%.6g rev is out of range; expected %s%g rev", turns,
                       to ? "-5000 to " : "above 0 and up to ", most);
        return false;
    }
    return true;
}

/* turn [reverse] ANGLE, or turn to [-]ANGLE */
void wpin_plan_read_turn(wpin_plan_reader *r, size_t load) {
    double turns, way = 1;
    bool to = wpin_words_take(&r->line, "to");
    if (!to && wpin_words_take(&r->line, "reverse")) {
        way = -1;
    } else if (!to) {
        wpin_words_take(&r->line, "forward");
    }
    unsigned column = wpin_words_column(&r->line);
    if (!take_turns(r, load, &turns) || !wpin_words_no_more(&r->line) ||
        !turns_in_range(r, turns, to, column)) {
        return;
    }
    turns *= way;
    double place = to ? turns : r->flow.turns[load] + turns;
    if (!wpin_rig_type(&r->rig->loads[load])->steps && !place_allowed(r, load, place, column)) {
        return;
    }
    double takes = wpin_flow_turn(&r->flow, load, to ? turns - r->flow.turns[load] : turns);
    wpin_plan_add_action(r,
                         (wpin_step){.op = (uint8_t)(to ? WPIN_OP_TURN_TO : WPIN_OP_TURN),
                                     .target = WPIN_MOTOR(load),
                                     .millidegrees = (int32_t)lround(turns * 360e3)},
                         takes);
}

void wpin_plan_read_turn_motor(wpin_plan_reader *r, size_t load) {
    if (has_place(r, load)) {
        wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number); /* it stands afterwards */
        wpin_plan_read_turn(r, load);
    }
}

/* From here on where it stands is known. */
static void is_home(wpin_plan_reader *r, size_t load, double turns) {
    r->flow.turns[load] = turns;
    r->flow.homed[load] = true;
}

/* zero: where it stands is 0. */
void wpin_plan_read_zero(wpin_plan_reader *r, size_t load) {
    const char *name = r->rig->loads[load].name;
    if (!has_place(r, load) || !wpin_words_no_more(&r->line)) {
        return;
    }
    if (r->flow.duty[load] != 0 && !r->flow.unsure[load] && !r->alone) {
        wpin_words_say(&r->line, r->line.words[1].column,
                       "'%s' turns here (line %u), and is 0 only where it stands; expected '%s "
                       "stop' before it",
                       name, r->flow.set_at[load], name);
        return;
    }
    is_home(r, load, 0);
    wpin_plan_add_action(r, (wpin_step){.op = WPIN_OP_ZERO, .target = WPIN_MOTOR(load)}, 0);
}

/* A limit switch of a load that its limits do not name; NULL: it has none. */
static const char *spare_switch(const wpin_rig *rig, size_t load) {
    const int *named = rig->loads[load].limits.limit_inputs;
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *input = &rig->inputs[i];
        bool its = input->kind == WPIN_RIG_LIMIT && input->load == (int)load;
        if (its && named[0] != (int)i && named[1] != (int)i) {
            return input->name;
        }
    }
    return NULL;
}

/* What it looks for where the line does not say: the limit switch of the way it goes. */
static bool own_switch(wpin_plan_reader *r, size_t load, bool reverse) {
    const wpin_rig_load *l = &r->rig->loads[load];
    int input = l->limits.limit_inputs[reverse];
    const char *spare = input < 0 ? spare_switch(r->rig, load) : NULL;
    if (spare != NULL) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "the rig does not say which switch ends the way %s of '%s'; expected there "
                       "limits: {%s: %s}, or the switch that it is",
                       reverse ? "back" : "forward", l->name, reverse ? "reverse" : "forward",
                       spare);
        return false;
    }
    if (input < 0) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "'%s' has no limit switch that way to home to; expected 'until' and an "
                       "input, or 'until %s above' and a current at which it has come to a stop",
                       l->name, l->name);
        return false;
    }
    r->until = (wpin_step){.until = 1 + WPIN_EVENT_INPUT_ON, .until_of = (uint16_t)input};
    return true;
}

/* A switch or a button, or its own current above something. */
static bool is_sign(wpin_plan_reader *r, size_t load, unsigned column) {
    unsigned event = r->until.until - 1U;
    bool current = event == WPIN_EVENT_CURRENT_ABOVE && r->until.until_of == load;
    if (current || event == WPIN_EVENT_INPUT_ON || event == WPIN_EVENT_INPUT_OFF) {
        return true;
    }
    wpin_words_say(&r->line, column,
                   "that is not a sign of home; expected an input, or '%s above' and a current",
                   r->rig->loads[load].name);
    return false;
}

/* home at most TIME: as its drive does it. */
static void read_home_by_drive(wpin_plan_reader *r, size_t load) {
    const wpin_rig_load *l = &r->rig->loads[load];
    double seconds;
    if (!l->axis.homing.there) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "how '%s' finds its home is not said; expected a speed, e.g. '%s home 8rpm "
                       "until stop at most 8s', or of a drive on a field bus 'homing' in the rig's "
                       "axis",
                       l->name, l->name);
        return;
    }
    if (!wpin_plan_take_at_most(r, &seconds)) {
        return;
    }
    double share = wpin_rig_axis_homes_at(l) / l->speed.maximum;
    int value = (int)fmax(fabs(share) * WPIN_DUTY_FULL, 1);
    wpin_flow_ramp(&r->flow, load, share, 0, r->line.number);
    wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    is_home(r, load, l->axis.homing.at);
    wpin_plan_add_action(r,
                         (wpin_step){.op = WPIN_OP_HOME,
                                     .quantity = WPIN_QUANTITY_SPEED,
                                     .target = WPIN_MOTOR(load),
                                     .value = (int16_t)(share < 0 ? -value : value),
                                     .time_ms = wpin_to_ms(seconds)},
                         seconds);
}

/* home [forward|reverse] SPEED [until EVENT] at most TIME; home at most TIME */
void wpin_plan_read_home(wpin_plan_reader *r, size_t load) {
    double share, seconds = 0;
    if (!has_place(r, load)) {
        return;
    }
    const wpin_word *next = wpin_words_peek(&r->line);
    if (next != NULL && strcasecmp(next->text, "at") == 0) {
        read_home_by_drive(r, load);
        return;
    }
    if (!wpin_plan_take_speed(r, load, &share)) {
        return;
    }
    bool said = wpin_words_take(&r->line, "until");
    unsigned column = wpin_words_column(&r->line);
    bool good =
        said ? wpin_plan_take_event(r) && is_sign(r, load, column) : own_switch(r, load, share < 0);
    if (!good || !wpin_plan_take_at_most(r, &seconds)) {
        r->until = (wpin_step){0};
        return;
    }
    wpin_flow_ramp(&r->flow, load, share, 0, r->line.number);
    wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    is_home(r, load, 0);
    wpin_plan_add_action(r,
                         (wpin_step){.op = WPIN_OP_HOME,
                                     .quantity = WPIN_QUANTITY_SPEED,
                                     .target = WPIN_MOTOR(load),
                                     .value = wpin_to_duty(share),
                                     .time_ms = wpin_to_ms(seconds)},
                         seconds);
}
