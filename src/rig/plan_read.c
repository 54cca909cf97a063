/* The plan language: lines into words, words into steps, every line checked on its way. */
#define _GNU_SOURCE
#include "plan_flow.h"
#include "plan_words.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

typedef struct plan_reader {
    const wpin_rig *rig;
    wpin_plan *plan;
    wpin_flow flow;
    wpin_words line;
    bool full; /* out of memory or too many steps; said once */
} plan_reader;

#define HOLD_MAX 4.0e6 /* 46 days; what 32 bits of milliseconds hold */
#define RAMP_MAX 600.0

static int16_t to_duty(double fraction) {
    return (int16_t)lround(fraction * WPIN_DUTY_FULL);
}

/* [forward|reverse] PERCENT, into a signed fraction. */
static bool take_duty(plan_reader *r, size_t load, double *duty) {
    bool reverse = wpin_words_take(&r->line, "reverse");
    if (!reverse) {
        wpin_words_take(&r->line, "forward");
    }
    unsigned column = wpin_words_column(&r->line);
    double most = r->rig->loads[load].limits.duty_max;
    if (!wpin_words_take_quantity(&r->line, WPIN_SHARE, "a duty, e.g. 60%", duty)) {
        return false;
    }
    if (*duty < 0) {
        wpin_words_say(&r->line, column,
                       "a duty is above 0 %%; for the other way write 'reverse %g%%'",
                       *duty * -100);
        return false;
    }
    if (to_duty(*duty) == 0) {
        wpin_words_say(
            &r->line, column,
            "a duty of 0 %% (or nearly so) is no motion; to come to rest write '%s stop'",
            r->rig->loads[load].name);
        return false;
    }
    if (*duty > most) {
        wpin_words_say(&r->line, column, "%g %% is out of range; expected up to %g %%%s",
                       *duty * 100, most * 100, most < 1 ? " (duty-limit in the rig)" : "");
        return false;
    }
    *duty = reverse ? -*duty : *duty;
    return true;
}

/* ---- steps ---- */

static char *line_text(const wpin_words *l) {
    char *text = calloc(WPIN_WORDS_MAX, sizeof l->words[0].text + 1);
    for (size_t i = 0; text != NULL && i < l->count; i++) {
        strcat(strcat(text, i == 0 ? "" : " "), l->words[i].text);
    }
    return text;
}

/* Room for one more step and its source. */
static bool grow_steps(wpin_plan *plan) {
    wpin_step *steps = realloc(plan->steps, (plan->step_count + 1) * sizeof *steps);
    if (steps == NULL) {
        return false;
    }
    plan->steps = steps;
    wpin_plan_source *sources = realloc(plan->sources, (plan->step_count + 1) * sizeof *sources);
    if (sources == NULL) {
        return false;
    }
    plan->sources = sources;
    return true;
}

static void add_step(plan_reader *r, wpin_step step, bool shown) {
    wpin_plan *plan = r->plan;
    if (plan->step_count >= 32000) {
        if (!r->full) {
            wpin_words_say(&r->line, 1, "the plan is too long; expected at most 32000 steps");
        }
        r->full = true;
        return;
    }
    char *text = shown ? line_text(&r->line) : strdup("");
    if (text == NULL || !grow_steps(plan)) {
        free(text);
        r->full = true;
        return;
    }
    plan->steps[plan->step_count] = step;
    plan->sources[plan->step_count++] = (wpin_plan_source){r->line.number, text};
}

static uint32_t to_ms(double seconds) {
    return (uint32_t)llround(seconds * 1e3);
}

static uint32_t to_us(double seconds) {
    return (uint32_t)llround(seconds * 1e6);
}

/* Adds an action; directly inside a parallel block it is a track of its own. */
static void add_action(plan_reader *r, wpin_step step, double seconds) {
    bool alone = wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL;
    if (alone) {
        add_step(r, (wpin_step){.op = WPIN_OP_FORK, .value = (int16_t)(r->plan->step_count + 3)},
                 false);
    }
    add_step(r, step, true);
    if (alone) {
        add_step(r, (wpin_step){.op = WPIN_OP_LEAVE}, false);
    }
    wpin_flow_pass(&r->flow, seconds);
}

/* ---- actions on a load ---- */

static void read_ramp(plan_reader *r, size_t load) {
    double duty, seconds = 0;
    if (!take_duty(r, load, &duty) ||
        (wpin_words_take(&r->line, "in") && !wpin_words_take_time(&r->line, RAMP_MAX, &seconds)) ||
        !wpin_words_no_more(&r->line)) {
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, duty, seconds, r->line.number);
    add_action(r,
               (wpin_step){.op = WPIN_OP_RUN,
                           .motor = (uint8_t)load,
                           .value = to_duty(duty),
                           .ramp_us = to_us(seconds)},
               takes);
}

static void read_run(plan_reader *r, size_t load) {
    double duty, seconds;
    if (!take_duty(r, load, &duty)) {
        return;
    }
    if (!wpin_words_take(&r->line, "for")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "'run' needs how long: expected 'for' and a time, e.g. 'for 3s'");
        return;
    }
    if (!wpin_words_take_time(&r->line, HOLD_MAX, &seconds) || !wpin_words_no_more(&r->line)) {
        return;
    }
    wpin_flow_ramp(&r->flow, load, duty, 0, r->line.number);
    double stops = wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    add_action(r,
               (wpin_step){.op = WPIN_OP_RUN_FOR,
                           .motor = (uint8_t)load,
                           .value = to_duty(duty),
                           .time_ms = to_ms(seconds)},
               seconds + stops);
}

/* [for] TIME behind a verb. */
static bool take_for(plan_reader *r, bool required, double *seconds) {
    *seconds = 0;
    bool said = wpin_words_take(&r->line, "for");
    if (!required && !said && wpin_words_peek(&r->line) == NULL) {
        return true;
    }
    return wpin_words_take_time(&r->line, HOLD_MAX, seconds) && wpin_words_no_more(&r->line);
}

static void read_hold(plan_reader *r, size_t load) {
    double seconds;
    const char *name = r->rig->loads[load].name;
    if (r->flow.duty[load] == 0 && !r->flow.unsure[load]) {
        wpin_words_say(
            &r->line, r->line.words[1].column,
            "'%s' is at rest here and has nothing to hold; expected a ramp before it, or "
            "'%s rest %s'",
            name, name, r->line.count > 2 ? r->line.words[r->line.count - 1].text : "2s");
        return;
    }
    if (take_for(r, true, &seconds)) {
        add_action(
            r, (wpin_step){.op = WPIN_OP_HOLD, .motor = (uint8_t)load, .time_ms = to_ms(seconds)},
            seconds);
    }
}

static void read_stop(plan_reader *r, size_t load) {
    double seconds = 0;
    if ((wpin_words_take(&r->line, "in") && !wpin_words_take_time(&r->line, RAMP_MAX, &seconds)) ||
        !wpin_words_no_more(&r->line)) {
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, 0, seconds, r->line.number);
    add_action(r,
               (wpin_step){.op = WPIN_OP_STOP, .motor = (uint8_t)load, .ramp_us = to_us(seconds)},
               takes);
}

static void read_rest(plan_reader *r, size_t load) {
    double seconds;
    if (!take_for(r, true, &seconds)) {
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    add_action(r,
               (wpin_step){.op = WPIN_OP_STOP, .motor = (uint8_t)load, .time_ms = to_ms(seconds)},
               takes + seconds);
}

static void read_at_once(plan_reader *r, size_t load, wpin_op op) {
    double seconds;
    if (!take_for(r, false, &seconds)) {
        return;
    }
    wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    add_action(r, (wpin_step){.op = (uint8_t)op, .motor = (uint8_t)load, .time_ms = to_ms(seconds)},
               seconds);
}

static void read_brake(plan_reader *r, size_t load) {
    read_at_once(r, load, WPIN_OP_BRAKE);
}

static void read_coast(plan_reader *r, size_t load) {
    read_at_once(r, load, WPIN_OP_COAST);
}

static const struct {
    const char *word;
    void (*read)(plan_reader *r, size_t load);
} verbs[] = {{"ramp", read_ramp}, {"run", read_run},     {"hold", read_hold},  {"stop", read_stop},
             {"rest", read_rest}, {"brake", read_brake}, {"coast", read_coast}};

static void say_unknown(plan_reader *r, unsigned column, const char *what, const char *text,
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

static void read_verb(plan_reader *r, size_t load) {
    const char *known[COUNT(verbs)];
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *w = wpin_words_peek(&r->line);
    for (size_t i = 0; i < COUNT(verbs); i++) {
        known[i] = verbs[i].word;
        if (wpin_words_take(&r->line, verbs[i].word)) {
            unsigned clash = wpin_flow_drive(&r->flow, load, r->line.number);
            if (clash != 0) {
                wpin_words_say(
                    &r->line, 1,
                    "'%s' is driven by another track of this parallel block already (line "
                    "%u); expected one track for each load",
                    r->rig->loads[load].name, clash);
            }
            size_t mistakes = r->line.messages->count;
            verbs[i].read(r, load);
            r->flow.unsure[load] |= r->line.messages->count != mistakes;
            return;
        }
    }
    if (w == NULL) {
        wpin_words_say(&r->line, column, "'%s' what? expected an action, e.g. '%s run 60%% for 3s'",
                       r->rig->loads[load].name, r->rig->loads[load].name);
        return;
    }
    say_unknown(r, column, "action", w->text, known, COUNT(verbs));
}

/* ---- supplies, waits, blocks ---- */

static void read_supply(plan_reader *r, size_t supply) {
    bool on = wpin_words_take(&r->line, "on");
    if (!on && !wpin_words_take(&r->line, "off")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "'%s' is a supply; expected 'on' or 'off' behind it",
                       r->rig->supplies[supply].name);
        return;
    }
    if (wpin_words_no_more(&r->line)) {
        add_action(r, (wpin_step){.op = WPIN_OP_SWITCH, .motor = (uint8_t)supply, .value = on}, 0);
    }
}

static void read_wait(plan_reader *r) {
    double seconds;
    if (wpin_words_take_time(&r->line, HOLD_MAX, &seconds) && wpin_words_no_more(&r->line)) {
        add_action(r, (wpin_step){.op = WPIN_OP_WAIT, .time_ms = to_ms(seconds)}, seconds);
    }
}

static bool open_block(plan_reader *r, wpin_block_kind kind) {
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

static void read_repeat(plan_reader *r) {
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
        add_step(r, (wpin_step){.op = WPIN_OP_REPEAT, .value = good ? (int16_t)rounds : 1}, false);
    }
}

static void read_parallel(plan_reader *r) {
    if (wpin_words_no_more(&r->line)) {
        open_block(r, WPIN_BLOCK_PARALLEL);
    }
}

static void read_track(plan_reader *r) {
    if (wpin_words_no_more(&r->line) && open_block(r, WPIN_BLOCK_TRACK)) {
        wpin_flow_top(&r->flow)->fork = r->plan->step_count;
        add_step(r, (wpin_step){.op = WPIN_OP_FORK}, false);
    }
}

static void read_end(plan_reader *r) {
    const wpin_block *top = wpin_flow_top(&r->flow);
    if (!wpin_words_no_more(&r->line)) {
        return;
    }
    switch (top->kind) {
    case WPIN_BLOCK_PLAN:
        wpin_words_say(&r->line, 1, "'end' without a block; nothing is open here");
        return;
    case WPIN_BLOCK_REPEAT: add_step(r, (wpin_step){.op = WPIN_OP_AGAIN}, false); break;
    case WPIN_BLOCK_PARALLEL: add_step(r, (wpin_step){.op = WPIN_OP_JOIN}, false); break;
    case WPIN_BLOCK_TRACK:
        add_step(r, (wpin_step){.op = WPIN_OP_LEAVE}, false);
        if (top->fork < r->plan->step_count) {
            r->plan->steps[top->fork].value = (int16_t)r->plan->step_count;
        }
        break;
    }
    wpin_flow_close(&r->flow);
}

static const struct {
    const char *word;
    void (*read)(plan_reader *r);
} blocks[] = {{"wait", read_wait},
              {"repeat", read_repeat},
              {"parallel", read_parallel},
              {"track", read_track},
              {"end", read_end}};

static void say_unknown_start(plan_reader *r, const wpin_word *w) {
    size_t count = 0;
    const char **known =
        calloc(r->rig->load_count + r->rig->supply_count + COUNT(blocks), sizeof *known);
    if (known == NULL) {
        return;
    }
    for (size_t i = 0; i < r->rig->load_count; i++) {
        known[count++] = r->rig->loads[i].name;
    }
    for (size_t i = 0; i < r->rig->supply_count; i++) {
        known[count++] = r->rig->supplies[i].name;
    }
    for (size_t i = 0; i < COUNT(blocks); i++) {
        known[count++] = blocks[i].word;
    }
    say_unknown(r, w->column, "word", w->text, known, count);
    free(known);
}

static void read_line(plan_reader *r) {
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
    if (wpin_flow_top(&r->flow)->kind == WPIN_BLOCK_PARALLEL) {
        wpin_flow_top(&r->flow)->track++; /* a line of its own is a track of its own */
    }
    int load = wpin_rig_find_load(r->rig, w->text), supply = wpin_rig_find_supply(r->rig, w->text);
    r->line.at++;
    if (load >= 0) {
        read_verb(r, (size_t)load);
    } else if (supply >= 0) {
        read_supply(r, (size_t)supply);
    } else {
        say_unknown_start(r, w);
    }
}

/* ---- the whole ---- */

static void check_end(plan_reader *r) {
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

static wpin_status no_switch(void *context, uint8_t number, bool on) {
    (void)context, (void)number, (void)on;
    return WPIN_OK;
}

/* The core has the last word on a plan; the least number of tracks it is content with. */
static void count_tracks(plan_reader *r) {
    wpin_track tracks[1];
    wpin_motor *motors[1] = {NULL};
    wpin_port port = {.now = no_time};
    wpin_sequence_config config = {.steps = r->plan->steps,
                                   .step_count = (uint16_t)r->plan->step_count,
                                   .motors = motors,
                                   .motor_count = (uint8_t)r->rig->load_count,
                                   .switch_count = (uint8_t)r->rig->supply_count,
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
    if (status != WPIN_OK) {
        r->line.number = r->plan->sources[step].line;
        wpin_words_say(&r->line, 1,
                       "%s Repeats nest at most %d deep in a track, parallel blocks at most 4.",
                       wpin_status_text(status), WPIN_REPEAT_DEPTH);
    }
}

static void read_file(plan_reader *r, FILE *file) {
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
    add_step(r, (wpin_step){.op = WPIN_OP_END}, false);
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
    plan_reader r = {
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
