/* The plan language: supplies, blocks, and the file as a whole. */
#define _GNU_SOURCE
#include "parts.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#define TRACKS_MOST 249

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* ---- supplies and blocks ---- */

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
            r, (wpin_step){.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(supply), .value = on}, 0);
    }
}

static void read_parallel(wpin_plan_reader *r) {
    if (wpin_words_no_more(&r->line)) {
        wpin_plan_open_block(r, WPIN_BLOCK_PARALLEL);
    }
}

static void read_track(wpin_plan_reader *r) {
    if (wpin_words_no_more(&r->line) && wpin_plan_open_block(r, WPIN_BLOCK_TRACK)) {
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
    bool acts;    /* it does something in its turn */
    bool by_hand; /* it may be asked for alone */
} blocks[] = {{"wait", wpin_plan_read_wait, true, false},
              {"fault", wpin_plan_read_fault, true, true},
              {"mend", wpin_plan_read_mend, true, true},
              {"require", wpin_plan_read_require, false, false},
              {"repeat", wpin_plan_read_repeat, true, false},
              {"rehearse", wpin_plan_read_rehearse, false, false},
              {"parallel", read_parallel, true, false},
              {"together", wpin_plan_read_together, true, false},
              {"track", read_track, false, false},
              {"end", read_end, false, false}};

static void say_unknown_start(wpin_plan_reader *r, const wpin_word *w) {
    size_t count = 0;
    const char **known =
        calloc(r->rig->load_count + r->rig->supply_count + r->rig->input_count + COUNT(blocks),
               sizeof *known);
    if (known == NULL) {
        r->line.messages->out_of_memory = true;
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
        if (blocks[i].by_hand || !r->alone) {
            known[count++] = blocks[i].word;
        }
    }
    wpin_plan_say_unknown(r, w->column, "word", w->text, known, count);
    free(known);
}

static void read_line(wpin_plan_reader *r) {
    const wpin_word *w = wpin_words_peek(&r->line);
    if (w == NULL || !wpin_words_one_action(&r->line)) {
        return;
    }
    for (size_t i = 0; i < COUNT(blocks); i++) {
        if (wpin_words_take(&r->line, blocks[i].word)) {
            if (blocks[i].acts && !wpin_plan_is_reached(r)) {
                return;
            }
            blocks[i].read(r);
            return;
        }
    }
    if (!wpin_plan_is_reached(r) || wpin_plan_read_group(r)) {
        return;
    }
    wpin_plan_begin_action(r);
    int load = wpin_rig_find_load(r->rig, w->text), supply = wpin_rig_find_supply(r->rig, w->text);
    int input = wpin_rig_find_input(r->rig, w->text);
    r->line.at++;
    if (input >= 0) {
        wpin_plan_read_hand(r, (size_t)input);
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
                       top->together ? "together" : names[top->kind], top->line);
    }
    wpin_plan_check_endless(r);
    for (size_t i = 0; i < r->rig->load_count && r->endless == 0; i++) {
        if (r->flow.duty[i] != 0 && !r->flow.unsure[i]) {
            wpin_words_say(&r->line, 1,
                           "the plan ends with '%s' still on (line %u); expected a last line such "
                           "as '%s stop'",
                           r->rig->loads[i].name, r->flow.set_at[i], r->rig->loads[i].name);
        }
    }
}

static wpin_moment no_time(void *context) {
    (void)context;
    return 0;
}

static wpin_duty no_duty(void *context, uint16_t number) {
    (void)context, (void)number;
    return 0;
}

static wpin_status no_setting(void *context, uint16_t number, int16_t millivolts) {
    (void)context, (void)number, (void)millivolts;
    return WPIN_OK;
}

static bool no_input(void *context, uint16_t number) {
    (void)context, (void)number;
    return false;
}

static wpin_status no_switch(void *context, uint16_t number, bool on) {
    (void)context, (void)number, (void)on;
    return WPIN_OK;
}

/* The core has the last word on a plan; the least number of tracks it is content with. */
static void count_tracks(wpin_plan_reader *r) {
    wpin_track tracks[1];
    wpin_port port = {.now = no_time};
    wpin_sequence_config config = {
        .steps = r->plan->steps,
        .step_count = (uint16_t)r->plan->step_count,
        .motor_count = (uint16_t)r->rig->load_count,
        .switch_count =
            (uint16_t)(r->rig->supply_count + r->rig->input_count + r->plan->fault_count),
        .input_count = (uint16_t)r->rig->input_count,
        .read_input = no_input,
        .read_duty = no_duty,
        .set_input = no_setting,
        .tracks = tracks,
        .port = &port,
        .set_switch = no_switch};
    wpin_status status = WPIN_REFUSED_FULL;
    uint16_t step = 0;
    for (uint8_t count = 1; status == WPIN_REFUSED_FULL && count <= TRACKS_MOST; count++) {
        config.track_count = count;
        status = wpin_sequence_check(&config, &step);
        r->plan->track_count = count;
    }
    if (status != WPIN_OK) {
        r->line.number = r->plan->sources[step].line;
        wpin_words_say(&r->line, 1,
                       "%s Repeats nest at most %d deep in a track, parallel blocks at most 4; %d "
                       "tracks may go on at once.",
                       wpin_status_text(status), WPIN_REPEAT_DEPTH, TRACKS_MOST);
    }
}

static bool is_text(const char *text, size_t length) {
    for (size_t i = 0; i < length; i++) {
        if ((unsigned char)text[i] < ' ' && strchr("\t\n\r\f\v", text[i]) == NULL) {
            return false;
        }
    }
    return memchr(text, '\0', length) == NULL;
}

static void read_file(wpin_plan_reader *r, FILE *file) {
    char *text = NULL;
    size_t room = 0;
    for (ssize_t length; (length = getline(&text, &room, file)) >= 0;) {
        unsigned number = r->line.number + 1;
        if (!is_text(text, (size_t)length)) {
            wpin_messages_add(r->line.messages, number, 1,
                              "is not text; expected a plan (see docs/plan.md)");
            break;
        }
        const char *mark = "\xEF\xBB\xBF"; /* some editors begin a file with it */
        bool marked = number == 1 && strncmp(text, mark, 3) == 0;
        wpin_words_split(&r->line, marked ? text + 3 : text);
        r->line.number = number;
        read_line(r);
    }
    free(text);
    r->line.number++;
    r->line.count = 0;
    check_end(r);
    wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_END}, false);
    r->plan->seconds = r->endless != 0 ? r->plan->rehearsed : r->flow.blocks[0].seconds;
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
    for (size_t i = 0; i < plan->requirement_count; i++) {
        free(plan->requirements[i].text);
    }
    free(plan->requirements);
    free(plan->steps);
    free(plan);
}

static wpin_plan *read_plan(FILE *file, const wpin_rig *rig, wpin_messages *messages) {
    size_t before = messages->count;
    wpin_plan_reader r = {
        .rig = rig, .line = {.messages = messages}, .plan = calloc(1, sizeof(wpin_plan))};
    bool room = wpin_flow_init(&r.flow, rig) && r.plan != NULL;
    messages->out_of_memory = messages->out_of_memory || !room;
    if (room) {
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
    wpin_flow_free(&r.flow);
    if (messages->count != before || r.full || messages->out_of_memory) {
        wpin_plan_free(r.plan);
        return NULL;
    }
    return r.plan;
}

wpin_plan *wpin_plan_read(const char *path, const wpin_rig *rig, wpin_messages *messages) {
    messages->file = path;
    FILE *file = fopen(path, "r");
    struct stat status;
    if (file == NULL) {
        wpin_messages_add(messages, 0, 0, "can't be opened: %s", strerror(errno));
        return NULL;
    }
    if (fstat(fileno(file), &status) == 0 && S_ISDIR(status.st_mode)) {
        wpin_messages_add(messages, 0, 0, "is a folder; expected a plan (see docs/plan.md)");
        fclose(file);
        return NULL;
    }
    wpin_plan *plan = read_plan(file, rig, messages);
    fclose(file);
    return plan;
}

wpin_plan *wpin_plan_read_text(const char *name, const char *text, const wpin_rig *rig,
                               wpin_messages *messages) {
    messages->file = name;
    FILE *file = fmemopen((void *)text, strlen(text), "r");
    if (file == NULL) {
        messages->out_of_memory = true;
        return NULL;
    }
    wpin_plan *plan = read_plan(file, rig, messages);
    fclose(file);
    return plan;
}

/* ---- one action alone ---- */

/* Whether a line is one that may be asked for by hand; says so if not. */
static bool may_stand_alone(wpin_plan_reader *r) {
    const wpin_word *first = wpin_words_peek(&r->line);
    if (first == NULL) {
        wpin_words_say(&r->line, 1, "nothing is asked; expected an action such as '%s stop'",
                       r->rig->loads[0].name);
        return false;
    }
    for (size_t i = 0; i < COUNT(blocks); i++) {
        if (!blocks[i].by_hand && strcasecmp(first->text, blocks[i].word) == 0) {
            wpin_words_say(&r->line, first->column,
                           "'%s' belongs in a plan; by hand expected one action, e.g. '%s stop'",
                           blocks[i].word, r->rig->loads[0].name);
            return false;
        }
    }
    if (strcasecmp(first->text, "all") == 0 || strchr(first->text, ',') != NULL) {
        wpin_words_say(&r->line, first->column, "expected one load; '%s' names several",
                       first->text);
        return false;
    }
    return true;
}

/* Where loads are and what they do is not known here: nothing is refused for it. */
static void read_alone(wpin_plan_reader *r, const char *text) {
    for (size_t i = 0; i < r->rig->load_count; i++) {
        r->flow.unsure[i] = true;
    }
    wpin_words_split(&r->line, text);
    r->line.number = 1;
    if (!may_stand_alone(r)) {
        return;
    }
    read_line(r);
    if (r->plan->step_count > 0 && r->plan->steps[0].target.kind == WPIN_TARGET_MOTOR) {
        wpin_plan_add_step(r,
                           (wpin_step){.op = WPIN_OP_HOLD,
                                       .target = r->plan->steps[0].target,
                                       .time_ms = WPIN_TIMEOUT_HELD},
                           false);
    }
    wpin_plan_add_step(r, (wpin_step){.op = WPIN_OP_END}, false);
    r->plan->track_count = 1;
}

wpin_plan *wpin_plan_read_action(const char *text, const wpin_rig *rig, wpin_messages *messages) {
    size_t before = messages->count;
    wpin_plan_reader r = {.rig = rig,
                          .line = {.messages = messages},
                          .plan = calloc(1, sizeof(wpin_plan)),
                          .alone = true};
    if (!wpin_flow_init(&r.flow, rig) || r.plan == NULL) {
        messages->out_of_memory = true;
    } else if (!is_text(text, strlen(text))) {
        wpin_messages_add(messages, 1, 1, "is not text; expected an action");
    } else {
        read_alone(&r, text);
    }
    wpin_flow_free(&r.flow);
    if (messages->count != before || r.full || messages->out_of_memory) {
        wpin_plan_free(r.plan);
        return NULL;
    }
    return r.plan;
}
