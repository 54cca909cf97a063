/* Actions of the plan language in a request: for one load, for several, or for all. */
#define _GNU_SOURCE
#include "live.h"
#include "windpin/host/plain.h"
#include <ctype.h>
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

bool wpin_live_answers(wpin_live_answer *answer, bool ok, unsigned column, const char *format,
                       ...) {
    va_list list;
    va_start(list, format);
    answer->ok = ok;
    answer->column = column;
    wpin_print_plain(answer->words, sizeof answer->words, format, list);
    va_end(list);
    return ok;
}

/* One action; the first thing wrong with it goes into the answer. */
static wpin_plan *read_one(const wpin_live *live, const char *text, wpin_live_answer *answer) {
    wpin_messages messages = {0};
    wpin_plan *plan = wpin_plan_read_action(text, live->rig, &messages);
    if (plan == NULL && messages.count > 0) {
        wpin_live_answers(answer, false, messages.items[0].column, "%s", messages.items[0].text);
    } else if (plan == NULL) {
        wpin_live_answers(answer, false, 0, "out of memory");
    }
    wpin_messages_free(&messages);
    return plan;
}

/* Where the names before a verb end: behind the last word that follows a comma; 0: there is but
 * one, and "all" is one. */
static size_t names_end(const char *line) {
    size_t end = 0;
    for (size_t i = 0; line[i] != '\0'; i++) {
        if (line[i] == ',') {
            end = i + 1;
        }
    }
    if (end != 0) {
        end += strspn(line + end, " \t");
        end += strcspn(line + end, " \t");
    }
    return end;
}

/* Reads the action behind the names for one load. */
static wpin_plan *read_for(const wpin_live *live, const char *name, const char *verb,
                           wpin_live_answer *answer) {
    char text[WPIN_LIVE_LINE + WPIN_NAME_MAX + 2];
    snprintf(text, sizeof text, "%s %s", name, verb);
    return read_one(live, text, answer);
}

static void drop(wpin_plan **actions, size_t count) {
    for (size_t i = 0; i < count; i++) {
        wpin_plan_free(actions[i]);
    }
}

/* Every load whose stage can; the reason of the last one where none can. */
static size_t read_all(const wpin_live *live, const char *verb, wpin_plan **actions,
                       wpin_live_answer *answer) {
    size_t count = 0;
    for (size_t i = 0; i < live->rig->load_count; i++) {
        actions[count] = read_for(live, live->rig->loads[i].name, verb, answer);
        count += actions[count] != NULL;
    }
    return count;
}

/* NAME, NAME ACTION: each has to be right, or none is taken. */
static size_t read_several(const wpin_live *live, const char *line, size_t end, wpin_plan **actions,
                           wpin_live_answer *answer) {
    size_t count = 0;
    for (size_t at = 0; at < end; at++) { /* over the comma */
        char name[WPIN_NAME_MAX + 1];
        at += strspn(line + at, " \t");
        size_t length = strcspn(line + at, " \t,");
        snprintf(name, sizeof name, "%.*s", (int)length, line + at);
        bool load = wpin_rig_find_load(live->rig, name) >= 0;
        bool good = load && count < live->rig->load_count;
        if (good) {
            actions[count] = read_for(live, name, line + end, answer);
        } else {
            wpin_live_answers(answer, false, (unsigned)at + 1,
                              "'%s' is %s; several are written 'NAME, NAME action'", name,
                              length == 0 ? "not a name"
                              : load      ? "one too many"
                                          : "not a load");
        }
        if (!good || actions[count] == NULL) {
            drop(actions, count);
            return 0;
        }
        count++;
        at += length;
        at += strspn(line + at, " \t");
        if (at < end && line[at] != ',') {
            wpin_live_answers(answer, false, (unsigned)at + 1, "expected a comma before '%.*s'",
                              (int)strcspn(line + at, " \t,"), line + at);
            drop(actions, count);
            return 0;
        }
    }
    return count;
}

size_t wpin_live_read(const wpin_live *live, const char *line, wpin_plan **actions,
                      wpin_live_answer *answer) {
    size_t end = names_end(line);
    if (end != 0) {
        return read_several(live, line, end, actions, answer);
    }
    if (strncasecmp(line, "all", 3) == 0 && isspace((unsigned char)line[3])) {
        return read_all(live, line + 4, actions, answer);
    }
    actions[0] = read_one(live, line, answer);
    return actions[0] != NULL;
}

/* What a read action comes to: how long it takes. */
static void foretell(const wpin_plan *action, char *to, size_t size) {
    const wpin_step *s = &action->steps[0];
    size_t used = (size_t)snprintf(to, size, "%s", action->sources[0].text);
    if (used < size && (s->op == WPIN_OP_TURN || s->op == WPIN_OP_TURN_TO)) {
        used += (size_t)wpin_plain(to + used, size - used, ": %s %.4g deg (%.4g turns)",
                                   s->op == WPIN_OP_TURN ? "by" : "to", s->millidegrees * 1e-3,
                                   s->millidegrees / 360e3);
    }
    if (used < size && action->seconds > 0) {
        wpin_plain(to + used, size - used, "; from rest that takes about %.3g s", action->seconds);
    }
}

/* How far a step goes from what its load does now, as a share of full; a turn of the output is
 * half.
 */
static double size_of(const wpin_live *live, const wpin_step *s) {
    if (s->op == WPIN_OP_TURN) {
        return fabs(s->millidegrees / 720e3);
    }
    if (s->op == WPIN_OP_TURN_TO) {
        double from = wpin_session_look(live->session, s->target.number).degrees;
        return fabs(s->millidegrees * 1e-3 - (isnan(from) ? 0 : from)) / 720;
    }
    bool drives = s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR;
    if (!drives || s->target.kind != WPIN_TARGET_MOTOR) {
        return 0;
    }
    const wpin_motor *motor = wpin_session_motor(live->session, s->target.number);
    int now = motor->setpoint.quantity == s->quantity ? motor->setpoint.value : 0;
    return fabs((double)(s->value - now) / WPIN_DUTY_FULL);
}

bool wpin_live_foresee_action(const wpin_live *live, const char *line, wpin_live_answer *answer) {
    wpin_plan **actions = calloc(live->rig->load_count + 1, sizeof(wpin_plan *));
    *answer = (wpin_live_answer){0};
    size_t count = actions == NULL ? 0 : wpin_live_read(live, line, actions, answer);
    if (count > 0) {
        answer->ok = true;
        answer->column = 0;
        for (size_t i = 0; i < count; i++) {
            answer->large = answer->large || size_of(live, &actions[i]->steps[0]) > 0.5;
        }
        foretell(actions[0], answer->words, sizeof answer->words);
        size_t used = strlen(answer->words);
        if (count > 1) {
            snprintf(answer->words + used, sizeof answer->words - used, "; the same of %zu more",
                     count - 1);
        }
        drop(actions, count);
    } else if (actions == NULL) {
        wpin_live_answers(answer, false, 0, "out of memory");
    }
    free(actions);
    return count > 0;
}
