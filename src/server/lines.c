/* A conversation in lines: one request a line, one line of JSON for each. */
#define _GNU_SOURCE
#include "server.h"
#include "windpin/host/quantity.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#define FASTEST 50.0 /* states a second */
#define EARLIER 20   /* news told to who comes later */

/* Says a value, and frees it. */
static void say(wpin_talk *t, json_t *value) {
    size_t length;
    char *line = wpin_json_line(value, &length);
    if (line == NULL || !t->say(t->context, line, length)) {
        t->unsaid++;
    }
    free(line);
}

static void answer(wpin_talk *t, bool ok, const char *words) {
    wpin_live_answer a = {.ok = ok};
    snprintf(a.words, sizeof a.words, "%s", words);
    say(t, wpin_answer_json(t->requests, &a));
}

/* ---- what is asked of the conversation itself ---- */

static void show_state(wpin_talk *t, const char *rest) {
    (void)rest;
    const char *line = wpin_states_line(t->states, t->live, t->pace);
    if (line == NULL || !t->say(t->context, line, t->states->length)) {
        t->unsaid++;
    }
}

/* report 10Hz; report off */
static void report(wpin_talk *t, const char *rest) {
    double hz = 0;
    char why[200];
    bool off = strcasecmp(rest, "off") == 0;
    if (!off && (!wpin_quantity_read(rest, WPIN_FREQUENCY, &hz, why, sizeof why) || hz < 0.1 ||
                 hz > FASTEST)) {
        answer(t, false, "expected 'report off' or 'report' and how often, 0.1Hz to 50Hz");
        return;
    }
    t->period = off ? 0 : 1 / hz;
    t->next = wpin_session_time(wpin_live_session(t->live));
    answer(t, true, off ? "no state without being asked" : "the state comes by itself");
}

static void show_checklist(wpin_talk *t, const char *rest) {
    (void)rest;
    say(t, wpin_checklist_json(t->live));
}

static void show_plan(wpin_talk *t, const char *rest) {
    (void)rest;
    say(t, wpin_plan_json(t->live));
}

static void foresee(wpin_talk *t, const char *rest) {
    wpin_live_answer a;
    wpin_live_foresee(t->live, rest, &a);
    say(t, wpin_answer_json(t->requests, &a));
}

static void hello(wpin_talk *t, const char *rest) {
    (void)rest;
    say(t, wpin_hello_json(t->live, t->source));
}

static void bye(wpin_talk *t, const char *rest) {
    (void)rest;
    answer(t, true, "bye");
    t->closed = true;
}

static const struct {
    const char *word;
    void (*run)(wpin_talk *t, const char *rest);
} own[] = {
    {"hello", hello},     {"state", show_state}, {"report", report}, {"checklist", show_checklist},
    {"lines", show_plan}, {"foresee", foresee},  {"bye", bye}};

/* ---- lines ---- */

static void carry_out(wpin_talk *t, const char *line) {
    size_t length = strcspn(line, " \t\r");
    t->requests++;
    for (size_t i = 0; i < sizeof own / sizeof *own; i++) {
        if (strlen(own[i].word) == length && strncasecmp(line, own[i].word, length) == 0 &&
            !wpin_live_is_for_a_part(t->live, t->source, line)) {
            char rest[sizeof t->line];
            snprintf(rest, sizeof rest, "%s", line + length + strspn(line + length, " \t\r"));
            rest[strcspn(rest, "\r")] = '\0';
            wpin_live_heard(t->live, t->source);
            own[i].run(t, rest);
            return;
        }
    }
    wpin_live_answer a;
    wpin_live_ask(t->live, t->source, line, &a);
    say(t, wpin_answer_json(t->requests, &a));
}

static void end_line(wpin_talk *t) {
    t->line[t->length] = '\0';
    bool blank = t->length == strspn(t->line, " \t\r");
    if (t->too_long) {
        t->requests++;
        answer(t, false, "the line is too long; nothing of it was done");
    } else if (!wpin_is_text(t->line, t->length)) {
        t->requests++;
        answer(t, false, "the line is not text; nothing of it was done");
    } else if (!blank) {
        carry_out(t, t->line);
    }
    t->length = 0;
    t->too_long = false;
}

void wpin_talk_hear(wpin_talk *t, const char *bytes, size_t count) {
    for (size_t i = 0; i < count && !t->closed; i++) {
        if (bytes[i] == '\n') {
            end_line(t);
        } else if (t->length + 1 < sizeof t->line) {
            t->line[t->length++] = bytes[i];
        } else {
            t->too_long = true;
        }
    }
}

void wpin_talk_tell(wpin_talk *t) {
    for (; t->news < wpin_live_news_count(t->live); t->news++) {
        say(t, wpin_news_json(t->live, t->news));
    }
    double now = wpin_session_time(wpin_live_session(t->live));
    if (t->period > 0 && now >= t->next) {
        t->next += t->period;
        t->next = t->next > now ? t->next : now + t->period;
        show_state(t, "");
    }
}

bool wpin_talk_open(wpin_talk *t, wpin_live *live, const wpin_pace *pace, wpin_states *states,
                    const char *name, bool (*sayer)(void *context, const char *line, size_t length),
                    void *context) {
    *t = (wpin_talk){.live = live,
                     .pace = pace,
                     .states = states,
                     .source = wpin_live_join(live, name),
                     .say = sayer,
                     .context = context,
                     .news = wpin_live_news_count(live)};
    t->news -= t->news < EARLIER ? t->news : EARLIER;
    if (t->source >= 0) {
        say(t, wpin_hello_json(live, t->source));
    }
    return t->source >= 0;
}

void wpin_talk_close(wpin_talk *t) {
    wpin_live_leave(t->live, t->source);
    t->source = -1;
}
