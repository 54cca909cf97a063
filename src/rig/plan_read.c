/* The plan language: supplies, waits, blocks, and the file as a whole. */
#define _GNU_SOURCE
#include "plan_parts.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* ---- supplies, waits, hands, blocks ---- */

static void read_supply(wpin_plan_reader *r, size_t supply) {
    bool on = wpin_words_take(&r->line, "on");
    if (!on && !wpin_words_take(&r->line, "off")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "'%s' is a supply; expected 'on' or 'off' behind it",
                       r->rig->supplies[supply].name);
        return;
    }
    if (wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(
            r, (wpin_step){.op = WPIN_OP_SWITCH, .motor = (uint8_t)supply, .value = on}, 0);
    }
}

/* at most TIME, to the end of the line. */
static bool take_at_most(wpin_plan_reader *r, double *seconds) {
    if (!wpin_words_take(&r->line, "at") || !wpin_words_take(&r->line, "most")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "no wait without an end: expected 'at most' and a time, e.g. 'at most 5s'");
        return false;
    }
    return wpin_words_take_time(&r->line, WPIN_HOLD_MAX, seconds) && wpin_words_no_more(&r->line);
}

static void add_until(wpin_plan_reader *r, size_t number, wpin_event event, double amps) {
    double seconds;
    if (take_at_most(r, &seconds)) {
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_UNTIL,
                                         .motor = (uint8_t)number,
                                         .value = (int16_t)event,
                                         .ramp_us = (uint32_t)llround(amps * 1e3),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

static void until_current(wpin_plan_reader *r, size_t load, wpin_event event) {
    double amps;
    const wpin_rig_load *l = &r->rig->loads[load];
    if (l->limits.trip_input < 0) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "the current of '%s' is not sensed; give it a current-trip in the rig",
                       l->name);
    } else if (wpin_words_take_quantity(&r->line, WPIN_CURRENT, "a current, e.g. 2A", &amps)) {
        add_until(r, load, event, amps);
    }
}

/* LOAD resting|steady|above CURRENT|below CURRENT, or INPUT pressed|released; at most TIME. */
static void read_until(wpin_plan_reader *r) {
    static const char *const events[] = {"resting", "steady", "above", "below"};
    static const char *const states[] = {"pressed", "released", "reached", "clear"};
    const wpin_word *w = wpin_words_peek(&r->line);
    int load = w == NULL ? -1 : wpin_rig_find_load(r->rig, w->text);
    int input = w == NULL ? -1 : wpin_rig_find_input(r->rig, w->text);
    if (load < 0 && input < 0) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "wait until what? expected a load or an input of the rig");
        return;
    }
    const char *const *known = load >= 0 ? events : states;
    bool stepper = load >= 0 && r->rig->loads[load].what == WPIN_RIG_STEPPER;
    bool limit = load < 0 && r->rig->inputs[input].kind == WPIN_RIG_LIMIT;
    if (load < 0 && r->rig->inputs[input].kind > WPIN_RIG_LIMIT) {
        wpin_words_say(&r->line, w->column,
                       "'%s' is a knob or sensor; a wait needs a button, a "
                       "limit switch or a load",
                       w->text);
        return;
    }
    known = limit ? states + 2 : known;
    int count = load < 0 ? 2 : (stepper ? 1 : 4), found = 0;
    r->line.at++;
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *event = wpin_words_peek(&r->line);
    while (found < count && !wpin_words_take(&r->line, known[found])) {
        found++;
    }
    if (found == count) {
        wpin_plan_say_unknown(r, column, "event", event != NULL ? event->text : "", known,
                              (size_t)count);
    } else if (input >= 0) {
        add_until(r, (size_t)input, found == 0 ? WPIN_EVENT_INPUT_ON : WPIN_EVENT_INPUT_OFF, 0);
    } else if (found >= 2) {
        until_current(r, (size_t)load, (wpin_event)found);
    } else {
        add_until(r, (size_t)load, (wpin_event)found, 0);
    }
}

static void read_wait(wpin_plan_reader *r) {
    double seconds;
    if (wpin_words_take(&r->line, "until")) {
        read_until(r);
    } else if (wpin_words_take_time(&r->line, WPIN_HOLD_MAX, &seconds) &&
               wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(r, (wpin_step){.op = WPIN_OP_WAIT, .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

/* What the simulated hand does: BUTTON press|release, KNOB turn SHARE, SENSOR set VOLTS. */
static void add_set(wpin_plan_reader *r, size_t input, double volts) {
    if (wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_SET,
                                         .motor = (uint8_t)input,
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
                                         .motor = (uint8_t)(r->rig->supply_count + input),
                                         .value = press},
                             0);
    }
}

static void read_hand(wpin_plan_reader *r, size_t input) {
    switch (r->rig->inputs[input].kind) {
    case WPIN_RIG_KNOB: read_knob(r, input); break;
    case WPIN_RIG_SENSOR: read_sensor(r, input); break;
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
    wpin_injection *all = realloc(plan->faults, (plan->fault_count + 1) * sizeof *all);
    size_t number = r->rig->supply_count + r->rig->input_count + plan->fault_count;
    if (all == NULL || number > 250) {
        plan->faults = all != NULL ? all : plan->faults;
        wpin_words_say(&r->line, 1, "too many faults in one plan");
        return;
    }
    plan->faults = all;
    all[plan->fault_count++] = one;
    wpin_plan_add_action(
        r, (wpin_step){.op = WPIN_OP_SWITCH, .motor = (uint8_t)number, .value = on}, 0);
}

static void read_fault(wpin_plan_reader *r) {
    read_injection(r, true);
}

static void read_mend(wpin_plan_reader *r) {
    read_injection(r, false);
}

static bool open_block(wpin_plan_reader *r, wpin_block_kind kind) {
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
        wpin_words_say(&r->line, 1, "blocks are nested too deep; expected at most %d",
                       WPIN_BLOCK_DEPTH - 1);
        r->full = true;
        return false;
    }
    return true;
}

static void read_repeat(wpin_plan_reader *r) {
    double rounds = 0;
    unsigned column = wpin_words_column(&r->line);
    bool good =
        wpin_words_take_quantity(&r->line, WPIN_NUMBER, "how many times, e.g. repeat 3", &rounds);
    if (good && (rounds < 1 || rounds > 32767 || rounds != floor(rounds))) {
        wpin_words_say(&r->line, column,
                       "%g rounds are out of range; expected a whole number, 1 to 32767", rounds);
        good = false;
    }
    if (good) {
        wpin_words_take(&r->line, "times");
        wpin_words_no_more(&r->line);
    }
    if (open_block(r, WPIN_BLOCK_REPEAT)) {
        wpin_flow_top(&r->flow)->count = good ? (int)rounds : 1;
        wpin_plan_add_step(
            r, (wpin_step){.op = WPIN_OP_REPEAT, .value = good ? (int16_t)rounds : 1}, false);
    }
}

static void read_parallel(wpin_plan_reader *r) {
    if (wpin_words_no_more(&r->line)) {
        open_block(r, WPIN_BLOCK_PARALLEL);
    }
}

static void read_track(wpin_plan_reader *r) {
    if (wpin_words_no_more(&r->line) && open_block(r, WPIN_BLOCK_TRACK)) {
        wpin_flow_top(&r->flow)->fork = r->plan->step_count;
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_FORK}, false);
    }
}

static void read_end(wpin_plan_reader *r) {
    const wpin_block *top = wpin_flow_top(&r->flow);
    if (!wpin_words_no_more(&r->line)) {
        return;
    }
    switch (top->kind) {
    case WPIN_BLOCK_PLAN:
        wpin_words_say(&r->line, 1, "'end' without a block; nothing is open here");
        return;
    case WPIN_BLOCK_REPEAT: wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_AGAIN}, false); break;
    case WPIN_BLOCK_PARALLEL: wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_JOIN}, false); break;
    case WPIN_BLOCK_TRACK:
        wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_LEAVE}, false);
        if (top->fork < r->plan->step_count) {
            r->plan->steps[top->fork].value = (int16_t)r->plan->step_count;
        }
        break;
    }
    wpin_flow_close(&r->flow);
}

static const struct {
    const char *word;
    void (*read)(wpin_plan_reader *r);
} blocks[] = {{"wait", read_wait},     {"fault", read_fault},       {"mend", read_mend},
              {"repeat", read_repeat}, {"parallel", read_parallel}, {"track", read_track},
              {"end", read_end}};

static void say_unknown_start(wpin_plan_reader *r, const wpin_word *w) {
    size_t count = 0;
    const char **known =
        calloc(r->rig->load_count + r->rig->supply_count + r->rig->input_count + COUNT(blocks),
               sizeof *known);
    if (known == NULL) {
        return;
    }
    for (size_t i = 0; i < r->rig->load_count; i++) {
        known[count++] = r->rig->loads[i].name;
    }
    for (size_t i = 0; i < r->rig->supply_count; i++) {
        known[count++] = r->rig->supplies[i].name;
    }
    for (size_t i = 0; i < r->rig->input_count; i++) {
        known[count++] = r->rig->inputs[i].name;
    }
    for (size_t i = 0; i < COUNT(blocks); i++) {
        known[count++] = blocks[i].word;
    }
    wpin_plan_say_unknown(r, w->column, "word", w->text, known, count);
    free(known);
}

/* ---- groups ---- */

/* The loads named before the verb: "pump, fan" or "all"; how many words that took, 0 for no group.
 */
static size_t take_group(wpin_plan_reader *r, bool *chosen) {
    size_t words = 0, loads = r->rig->load_count;
    if (strcasecmp(r->line.words[0].text, "all") == 0) {
        for (size_t i = 0; i < loads; i++) {
            chosen[i] = true;
        }
        return 1;
    }
    for (bool more = true; more && words < r->line.count; words++) {
        char name[sizeof r->line.words[0].text];
        snprintf(name, sizeof name, "%s", r->line.words[words].text);
        size_t length = strlen(name);
        more = length > 0 && name[length - 1] == ',';
        if (words == 0 && !more) {
            return 0;
        }
        name[more ? length - 1 : length] = '\0';
        int load = wpin_rig_find_load(r->rig, name);
        if (load < 0) {
            wpin_words_say(&r->line, r->line.words[words].column,
                           "'%s' is no load of the rig; a group is written 'NAME, NAME action'",
                           name);
            continue;
        }
        chosen[load] = true;
    }
    return words;
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
    wpin_flow_top(&r->flow)->track++;
    if (wpin_flow_open(&r->flow, WPIN_BLOCK_TRACK, r->line.number)) {
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
static bool read_group(wpin_plan_reader *r) {
    bool *chosen = calloc(r->rig->load_count, sizeof *chosen);
    size_t words = chosen == NULL ? 0 : take_group(r, chosen);
    double stagger = words == 0 ? 0 : take_stagger(r), late = 0;
    bool in_parallel = wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL;
    if (words != 0 && in_parallel) {
        wpin_words_say(&r->line, 1, "a group inside 'parallel' needs a 'track' around it");
    } else if (words != 0 && wpin_flow_open(&r->flow, WPIN_BLOCK_PARALLEL, r->line.number)) {
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

static void read_line(wpin_plan_reader *r) {
    const wpin_word *w = wpin_words_peek(&r->line);
    if (w == NULL) {
        return;
    }
    for (size_t i = 0; i < COUNT(blocks); i++) {
        if (wpin_words_take(&r->line, blocks[i].word)) {
            blocks[i].read(r);
            return;
        }
    }
    if (read_group(r)) {
        return;
    }
    if (wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL) {
        wpin_flow_top(&r->flow)->track++; /* a line of its own is a track of its own */
    }
    int load = wpin_rig_find_load(r->rig, w->text), supply = wpin_rig_find_supply(r->rig, w->text);
    int input = wpin_rig_find_input(r->rig, w->text);
    r->line.at++;
    if (input >= 0) {
        read_hand(r, (size_t)input);
    } else if (load >= 0) {
        wpin_plan_read_verb(r, (size_t)load);
    } else if (supply >= 0) {
        read_supply(r, (size_t)supply);
    } else {
        say_unknown_start(r, w);
    }
}

/* ---- the whole ---- */

static void check_end(wpin_plan_reader *r) {
    static const char *const names[] = {"plan", "repeat", "parallel", "track"};
    for (; r->flow.depth > 0; wpin_flow_close(&r->flow)) {
        const wpin_block *top = wpin_flow_top(&r->flow);
        wpin_words_say(&r->line, 1, "the plan ends inside '%s' of line %u; expected 'end'",
                       names[top->kind], top->line);
    }
    for (size_t i = 0; i < r->rig->load_count; i++) {
        if (r->flow.duty[i] != 0 && !r->flow.unsure[i]) {
            wpin_words_say(
                &r->line, 1,
                "the plan ends with '%s' still at %g %% (line %u); expected a last line such "
                "as '%s stop'",
                r->rig->loads[i].name, fabs(r->flow.duty[i]) * 100, r->flow.set_at[i],
                r->rig->loads[i].name);
        }
    }
}

static wpin_moment no_time(void *context) {
    (void)context;
    return 0;
}

static wpin_duty no_duty(void *context, uint8_t number) {
    (void)context, (void)number;
    return 0;
}

static wpin_status no_setting(void *context, uint8_t number, int16_t millivolts) {
    (void)context, (void)number, (void)millivolts;
    return WPIN_OK;
}

static bool no_input(void *context, uint8_t number) {
    (void)context, (void)number;
    return false;
}

static wpin_status no_switch(void *context, uint8_t number, bool on) {
    (void)context, (void)number, (void)on;
    return WPIN_OK;
}

/* The core has the last word on a plan; the least number of tracks it is content with. */
static void count_tracks(wpin_plan_reader *r) {
    wpin_track tracks[1];
    wpin_motor *motors[1] = {NULL};
    wpin_stepper any = {0}, **steppers = calloc(r->rig->load_count, sizeof(wpin_stepper *));
    if (steppers == NULL) {
        r->full = true;
        return;
    }
    for (size_t i = 0; i < r->rig->load_count; i++) {
        steppers[i] = r->rig->loads[i].what == WPIN_RIG_STEPPER ? &any : NULL;
    }
    wpin_port port = {.now = no_time};
    wpin_sequence_config config = {
        .steps = r->plan->steps,
        .step_count = (uint16_t)r->plan->step_count,
        .motors = motors,
        .motor_count = (uint8_t)r->rig->load_count,
        .switch_count =
            (uint8_t)(r->rig->supply_count + r->rig->input_count + r->plan->fault_count),
        .input_count = (uint8_t)r->rig->input_count,
        .read_input = no_input,
        .read_duty = no_duty,
        .set_input = no_setting,
        .steppers = steppers,
        .tracks = tracks,
        .port = &port,
        .set_switch = no_switch};
    wpin_status status = WPIN_REFUSED_FULL;
    uint16_t step = 0;
    for (uint8_t count = 1; status == WPIN_REFUSED_FULL && count < 250; count++) {
        config.track_count = count;
        status = wpin_sequence_check(&config, &step);
        r->plan->track_count = count;
    }
    free(steppers);
    if (status != WPIN_OK) {
        r->line.number = r->plan->sources[step].line;
        wpin_words_say(&r->line, 1,
                       "%s Repeats nest at most %d deep in a track, parallel blocks at most 4.",
                       wpin_status_text(status), WPIN_REPEAT_DEPTH);
    }
}

static void read_file(wpin_plan_reader *r, FILE *file) {
    char *text = NULL;
    size_t room = 0;
    while (getline(&text, &room, file) >= 0) {
        unsigned number = r->line.number + 1;
        wpin_words_split(&r->line, text);
        r->line.number = number;
        read_line(r);
    }
    free(text);
    r->line.number++;
    r->line.count = 0;
    check_end(r);
    wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_END}, false);
    r->plan->seconds = r->flow.blocks[0].seconds;
}

void wpin_plan_free(wpin_plan *plan) {
    if (plan == NULL) {
        return;
    }
    for (size_t i = 0; i < plan->step_count; i++) {
        free(plan->sources[i].text);
    }
    free(plan->sources);
    free(plan->faults);
    free(plan->steps);
    free(plan);
}

wpin_plan *wpin_plan_read(const char *path, const wpin_rig *rig, wpin_messages *messages) {
    size_t before = messages->count;
    messages->file = path;
    FILE *file = fopen(path, "r");
    if (file == NULL) {
        wpin_messages_add(messages, 0, 0, "can't be opened: %s", strerror(errno));
        return NULL;
    }
    wpin_plan_reader r = {
        .rig = rig, .line = {.messages = messages}, .plan = calloc(1, sizeof(wpin_plan))};
    if (r.plan != NULL && wpin_flow_init(&r.flow, rig)) {
        read_file(&r, file);
        if (messages->count == before && !r.full && r.plan->step_count == 1) {
            wpin_messages_add(messages, 0, 0,
                              "has no action in it; expected lines such as "
                              "'%s run 60%% for 3s'",
                              rig->loads[0].name);
        }
        if (messages->count == before && !r.full) {
            count_tracks(&r);
        }
    }
    fclose(file);
    wpin_flow_free(&r.flow);
    if (messages->count != before || r.full || r.plan == NULL) {
        wpin_plan_free(r.plan);
        return NULL;
    }
    return r.plan;
}
