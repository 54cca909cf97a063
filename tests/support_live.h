/* Hands on a session, on the simulated board in its own time. */
#ifndef WPIN_TESTS_SUPPORT_LIVE_H
#define WPIN_TESTS_SUPPORT_LIVE_H

#include "../src/server/server.h"
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/live.h>
#include <windpin/host/rehearsal.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define LINK         0.25 /* s */

typedef struct stand {
    wpin_rig *rig;
    wpin_board_bench board;
    wpin_session *session;
    wpin_live *live;
    volatile int over;
    int one, two;    /* sources */
    wpin_rig *built; /* as the hardware is, where that is another one */
} stand;

/* A rig on hardware that is built as another one says. */
static inline void open_stand_on(stand *s, const char *rig, const char *built) {
    wpin_messages messages = {0};
    char why[400];
    wpin_status refused;
    memset(s, 0, sizeof *s);
    s->rig = wpin_rig_read(rig, &messages);
    ck_assert_ptr_nonnull(s->rig);
    s->built = built == NULL ? NULL : wpin_rig_read(built, &messages);
    const wpin_rig *hardware = built == NULL ? s->rig : s->built;
    s->board = (wpin_board_bench){.rig = hardware, .sim = wpin_board_build(hardware)};
    wpin_bench bench = wpin_bench_on_board(&s->board);
    wpin_session_options how = {
        .disarmed = true, .onlooker = &wpin_verdicts, .interrupted = &s->over};
    s->session = wpin_session_open(s->rig, NULL, &bench, &how, &refused, why, sizeof why);
    ck_assert_msg(s->session != NULL, "%s", why);
    s->live = wpin_live_open(s->rig, s->session, LINK);
    ck_assert_ptr_nonnull(s->live);
    s->one = wpin_live_join(s->live, "one");
    s->two = wpin_live_join(s->live, "two");
    wpin_messages_free(&messages);
}

static inline void open_stand(stand *s, const char *rig) {
    open_stand_on(s, rig, NULL);
}

/* Everything comes to rest; whether the report says that all was well. */
static inline bool close_stand(stand *s) {
    char why[200];
    s->over = 1;
    while (wpin_session_step(s->session)) {
    }
    wpin_report *report = wpin_session_close(s->session, why, sizeof why);
    ck_assert_msg(report != NULL, "%s", why);
    bool well = !report->bad;
    wpin_report_free(report);
    wpin_live_free(s->live);
    wpin_board_bench_free(&s->board);
    wpin_rig_free(s->built);
    wpin_rig_free(s->rig);
    return well;
}

/* Asks; the words of the answer. */
static inline bool ask(stand *s, int source, const char *line, char *words) {
    wpin_live_answer answer;
    bool ok = wpin_live_ask(s->live, source, line, &answer);
    ck_assert(ok == answer.ok);
    strcpy(words, answer.words);
    return ok;
}

static inline void must(stand *s, int source, const char *line) {
    char words[WPIN_LIVE_WORDS];
    ck_assert_msg(ask(s, source, line, words), "'%s': %s", line, words);
}

static inline void pass(stand *s, double seconds) {
    ck_assert(wpin_live_until(s->live, wpin_session_time(s->session) + seconds));
}

/* The same with a commander that is heard all the while. */
static inline void pass_heard(stand *s, double seconds) {
    for (double end = wpin_session_time(s->session) + seconds;
         wpin_session_time(s->session) < end - 1e-9;) {
        wpin_live_heard(s->live, wpin_live_commander(s->live));
        pass(s, fmin(0.05, end - wpin_session_time(s->session)));
    }
}

static inline void ready(stand *s) {
    must(s, s->one, "command");
    must(s, s->one, "confirm");
    must(s, s->one, "arm");
    must(s, s->one, "main on");
    pass(s, 1e-3);
}

static inline double duty(const stand *s, size_t load) {
    return wpin_session_look(s->session, load).duty;
}

/* Whether one of the news begins with these words. */
static inline bool was_told(const stand *s, const char *words) {
    for (size_t i = 0; i < wpin_live_news_count(s->live); i++) {
        const wpin_live_news *n = wpin_live_news_at(s->live, i);
        if (n != NULL && strstr(n->words, words) != NULL) {
            return true;
        }
    }
    return false;
}

#define PUMP  TEST_SOURCE "/demo/honey-pump.yaml"
#define DRUM  TEST_SOURCE "/demo/honey-drum.yaml"
#define GATE  TEST_SOURCE "/demo/honey-gate.yaml"
#define HOUSE TEST_SOURCE "/demo/honey-house.yaml"

#endif
