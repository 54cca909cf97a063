/* Requests: who may ask what, and what is done. */
#define _GNU_SOURCE
#include "live.h"
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

typedef bool do_request(wpin_live *live, int source, const char *rest, wpin_live_answer *answer);

/* ---- the command ---- */

static bool take_command(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    bool over = strcasecmp(rest, "over") == 0;
    if (rest[0] != '\0' && !over) {
        return wpin_live_answers(answer, false, 9, "expected 'command' or 'command over'");
    }
    bool other = live->commander >= 0 && live->commander != source;
    if (other && !over && wpin_live_link_left(live) > 0) {
        return wpin_live_answers(
            answer, false, 0,
            "%s has the command; 'command over' takes it, with a notice to the other",
            live->sources[live->commander].name);
    }
    wpin_live_give(live, source);
    return wpin_live_answers(answer, true, 0, "%s has the command", live->sources[source].name);
}

static bool give_up(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)rest;
    if (source == live->commander) {
        wpin_live_lost(live, "it only watches now");
    }
    return wpin_live_answers(answer, true, 0, "%s watches", live->sources[source].name);
}

static bool say_alive(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)live, (void)source, (void)rest; /* every request of the commander says so */
    return wpin_live_answers(answer, true, 0, "heard");
}

/* ---- stop, arm, faults ---- */

static bool stop(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)rest; /* whatever else stands there: it stops */
    bool was = wpin_session_is_stopped(live->session);
    wpin_session_stop(live->session);
    if (!was) {
        (void)wpin_live_keep(live, NULL); /* it stops whether that can be kept or not */
        wpin_live_tell(live, WPIN_VERDICT_NOTE, "stopped by %s", live->sources[source].name);
    }
    return wpin_live_answers(answer, true, 0, "stopped: nothing moves before 'rearm' and 'arm'");
}

static bool rearm(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)source, (void)rest;
    wpin_status status = wpin_session_rearm(live->session);
    const char *why = status == WPIN_REFUSED_NO_FAULT   ? "nothing is stopped"
                      : status == WPIN_REFUSED_CAUSE    ? "the stop input is still pressed"
                      : status == WPIN_REFUSED_NOT_ZERO ? "something still moves"
                                                        : wpin_status_text(status);
    return status == WPIN_OK
               ? wpin_live_answers(answer, true, 0, "re-armed; each load is to be armed now")
               : wpin_live_answers(answer, false, 0, "%s", why);
}

/* What is done to each load that was named. */
typedef wpin_status on_motor(wpin_motor *motor);

static wpin_status disarm(wpin_motor *motor) {
    wpin_motor_disarm(motor);
    return WPIN_OK;
}

/* Of one without a fault what would refuse to arm it is forgotten. */
static wpin_status clear(wpin_motor *motor) {
    wpin_status status = wpin_motor_clear_fault(motor);
    return status == WPIN_REFUSED_NO_FAULT ? WPIN_OK : status;
}

static wpin_status arm(wpin_motor *motor) {
    return motor->armed != 0 ? WPIN_OK : wpin_motor_arm(motor);
}

/* One load or, with nothing said or 'all', each: all are tried, the first refusal is told. */
static bool on_loads(wpin_live *live, const char *rest, on_motor *what, const char *done,
                     wpin_live_answer *answer) {
    bool all = rest[0] == '\0' || strcasecmp(rest, "all") == 0;
    int load = all ? -1 : wpin_rig_find_load(live->rig, rest);
    if (!all && load < 0) {
        return wpin_live_answers(answer, false, 0, "'%s' is not a load of the rig", rest);
    }
    wpin_live_answers(answer, true, 0, "%s %s", all ? "every load" : rest, done);
    for (size_t i = 0; i < live->rig->load_count; i++) {
        wpin_status status =
            all || (int)i == load ? what(wpin_session_motor(live->session, i)) : WPIN_OK;
        char words[400];
        if (status == WPIN_OK || !answer->ok) {
            continue;
        }
        if (wpin_session_drive_trouble(live->session, i, words, sizeof words)) {
            wpin_live_answers(answer, false, 0, "%s", words);
        } else {
            wpin_live_answers(answer, false, 0, "'%s': %s %s", live->rig->loads[i].name,
                              wpin_status_text(status), wpin_status_remedy(status));
        }
    }
    return answer->ok;
}

static bool arm_loads(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)source;
    if (!live->confirmed) {
        return wpin_live_answers(answer, false, 0,
                                 "the power-up checklist is not confirmed; 'checklist' shows it, "
                                 "'confirm' says that all of it is so");
    }
    if (wpin_session_is_stopped(live->session)) {
        return wpin_live_answers(answer, false, 0, "everything is stopped; 'rearm' first");
    }
    return on_loads(live, rest, arm, "is armed", answer);
}

static bool disarm_loads(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)source;
    return on_loads(live, rest, disarm, "is disarmed", answer);
}

static bool clear_loads(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)source;
    return on_loads(live, rest, clear, "has no fault", answer);
}

static bool confirm(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)rest;
    if (live->sources[source].program && !live->confirmed) {
        return wpin_live_answers(answer, false, 0,
                                 "a program can't go through the power-up checklist: somebody at a "
                                 "terminal or on the page can, or the option --confirmed says so");
    }
    wpin_live_confirm(live, live->sources[source].name);
    return wpin_live_answers(answer, true, 0, "the power-up checklist is confirmed");
}

/* ---- the plan ---- */

static size_t lines_of(const wpin_plan *plan) {
    size_t count = 0;
    for (size_t i = 0; i < plan->step_count; i++) {
        count += plan->sources[i].text[0] != '\0';
    }
    return count;
}

static bool plan(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    char why[WPIN_LIVE_WORDS];
    if (live->plan == NULL) {
        return wpin_live_answers(answer, false, 0,
                                 "there is none: it is named when this is started, behind the rig");
    }
    if (strcasecmp(rest, "stop") == 0) {
        wpin_progress p = wpin_session_progress(live->session);
        bool runs = p.running;
        wpin_session_end_run(live->session);
        if (runs) {
            live->told.runs = false;
            wpin_live_tell(live, WPIN_VERDICT_NOTE, "the plan was ended by %s after %.1f s",
                           live->sources[source].name, p.at);
            wpin_live_tell_requirements(live);
        }
        return wpin_live_answers(answer, runs, 0, runs ? "the plan is ended" : "it does not run");
    }
    if (strcasecmp(rest, "run") != 0) {
        return wpin_live_answers(answer, rest[0] == '\0', rest[0] == '\0' ? 0 : 6,
                                 "%zu actions, about %.3g s; 'plan run' begins it, 'plan stop' "
                                 "ends it",
                                 lines_of(live->plan), live->plan->seconds);
    }
    if (wpin_session_run(live->session, live->plan, why, sizeof why) != WPIN_OK) {
        return wpin_live_answers(answer, false, 0, "%s", why);
    }
    live->plan_runs++;
    return wpin_live_answers(answer, true, 0, "the plan runs: about %.3g s", live->plan->seconds);
}

/* ---- actions ---- */

static void begin(wpin_live *live, wpin_plan *action, wpin_live_answer *answer) {
    char why[WPIN_LIVE_WORDS];
    wpin_live_asked *asked = wpin_live_keep(live, action);
    if (asked == NULL) {
        wpin_plan_free(action);
        wpin_live_answers(answer, false, 0, "out of memory");
        return;
    }
    for (size_t i = 0; i < action->step_count; i++) {
        action->sources[i].line = asked->number; /* as the report has it */
    }
    asked->taken = wpin_session_act(live->session, action, why, sizeof why) == WPIN_OK;
    if (!asked->taken && answer->ok) {
        wpin_live_answers(answer, false, 0, "%s", why);
    }
}

static bool act(wpin_live *live, const char *line, wpin_live_answer *answer) {
    wpin_plan **actions = calloc(live->rig->load_count + 1, sizeof(wpin_plan *));
    size_t count = 0;
    if (actions == NULL) {
        return wpin_live_answers(answer, false, 0, "out of memory");
    }
    count = wpin_live_read(live, line, actions, answer);
    if (count > 0) {
        wpin_live_answers(answer, true, 0, "%s", actions[0]->sources[0].text);
    }
    for (size_t i = 0; i < count; i++) {
        begin(live, actions[i], answer);
    }
    free(actions);
    return count > 0 && answer->ok;
}

static bool first(wpin_live *live, int source, const char *rest, wpin_live_answer *answer) {
    (void)source;
    int load = wpin_rig_find_load(live->rig, rest);
    wpin_messages messages = {0};
    if (load < 0) {
        return rest[0] == '\0'
                   ? wpin_live_answers(answer, false, 0, "expected 'first' and a load")
                   : wpin_live_answers(answer, false, 7, "'%s' is not a load of the rig", rest);
    }
    for (size_t i = 0; i < live->rig->load_count; i++) {
        if (wpin_motor_busy(wpin_session_motor(live->session, i))) {
            return wpin_live_answers(answer, false, 0,
                                     "'%s' moves; a first motion begins with everything at rest",
                                     live->rig->loads[i].name);
        }
    }
    wpin_plan *plan = wpin_plan_first_motion(live->rig, (size_t)load, &messages);
    wpin_live_answers(answer, plan != NULL, 0, "%s",
                      plan != NULL         ? "first motion: gently, each way it can"
                      : messages.count > 0 ? messages.items[0].text
                                           : "out of memory");
    wpin_messages_free(&messages);
    if (plan != NULL) {
        begin(live, plan, answer);
    }
    return answer->ok;
}

/* ---- all of them ---- */

typedef struct request {
    const char *word;
    do_request *run;
    bool commands;     /* only who has the command may */
    const char *words; /* what it does */
} request;

static const request requests[] = {
    {"stop", stop, false, "everything comes to rest, latched"},
    {"command", take_command, false, "takes the command; 'command over' from whoever has it"},
    {"watch", give_up, false, "gives the command up; what moves ramps to rest"},
    {"alive", say_alive, false, "is heard, nothing else"},
    {"rearm", rearm, true, "ends a stop; then each load is to be armed"},
    {"arm", arm_loads, true, "arms one load, or each"},
    {"disarm", disarm_loads, true, "disarms one load, or each"},
    {"clear", clear_loads, true, "clears faults whose cause is gone"},
    {"confirm", confirm, true, "the power-up checklist was gone through"},
    {"plan", plan, true, "'plan run' runs the plan, 'plan stop' ends it"},
    {"first", first, true, "a load's first motion: gently, each way it can"}};

/* The request that a line begins with, or NULL. */
static const request *find_request(const char *line) {
    size_t length = strcspn(line, " \t");
    for (size_t i = 0; i < sizeof requests / sizeof *requests; i++) {
        if (strlen(requests[i].word) == length &&
            strncasecmp(line, requests[i].word, length) == 0) {
            return &requests[i];
        }
    }
    return NULL;
}

bool wpin_live_foresee(const wpin_live *live, const char *line, wpin_live_answer *answer) {
    const request *r = find_request(line);
    if (!wpin_live_foresee_action(live, line, answer) && r != NULL) {
        wpin_live_answers(answer, true, 0, "%s: %s", r->word, r->words);
    }
    return answer->ok;
}

/* Blanks around it are taken off; false where that leaves too much or no text. */
static bool tidy(const char *line, char *to, wpin_live_answer *answer) {
    while (isspace((unsigned char)*line)) {
        line++;
    }
    size_t length = strlen(line);
    while (length > 0 && isspace((unsigned char)line[length - 1])) {
        length--;
    }
    if (length >= WPIN_LIVE_LINE) {
        return wpin_live_answers(answer, false, WPIN_LIVE_LINE,
                                 "a request has at most %d characters", WPIN_LIVE_LINE - 1);
    }
    memcpy(to, line, length);
    to[length] = '\0';
    return true;
}

bool wpin_live_is_for_a_part(const wpin_live *live, int source, const char *line) {
    wpin_live_answer foreseen;
    size_t word = strcspn(line, " \t");
    bool alone = line[word + strspn(line + word, " \t")] == '\0';
    return source >= 0 && source == live->commander && !alone &&
           wpin_live_foresee_action(live, line, &foreseen);
}

/* The request that a line is, of one who asks; NULL: it is for a part. */
static const request *request_meant(const wpin_live *live, int source, const char *line) {
    const request *r = find_request(line);
    return r != NULL && wpin_live_is_for_a_part(live, source, line) ? NULL : r;
}

static bool carry_out(wpin_live *live, int source, const char *line, wpin_live_answer *answer) {
    size_t length = strcspn(line, " \t");
    const char *rest = line + length + strspn(line + length, " \t");
    const request *r = request_meant(live, source, line);
    if ((r == NULL || r->commands) && source != live->commander) {
        return live->commander < 0
                   ? wpin_live_answers(answer, false, 0,
                                       "only watching; 'command' takes the command")
                   : wpin_live_answers(answer, false, 0,
                                       "only watching: %s has the command; 'command over' takes it",
                                       live->sources[live->commander].name);
    }
    return r != NULL ? r->run(live, source, rest, answer) : act(live, line, answer);
}

bool wpin_live_stops(const wpin_live *live, int source, const char *line) {
    char text[WPIN_LIVE_LINE];
    wpin_live_answer answer;
    if (!tidy(line, text, &answer)) {
        return false;
    }
    const request *r = request_meant(live, source, text);
    return r != NULL && r->run == stop;
}

bool wpin_live_ask(wpin_live *live, int source, const char *line, wpin_live_answer *answer) {
    char text[WPIN_LIVE_LINE];
    *answer = (wpin_live_answer){0};
    if (source < 0 || source >= WPIN_LIVE_SOURCES || !live->sources[source].there) {
        return wpin_live_answers(answer, false, 0, "no such source");
    }
    wpin_live_heard(live, source);
    bool done = tidy(line, text, answer) && carry_out(live, source, text, answer);
    wpin_live_heard(live, source); /* it may have the command only now */
    return done;
}
