/* Hands on a session: who may ask what, and that motion ends with whoever asked for it. On the
 * simulated board, in its own time. */
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
static void open_stand_on(stand *s, const char *rig, const char *built) {
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

static void open_stand(stand *s, const char *rig) {
    open_stand_on(s, rig, NULL);
}

/* Everything comes to rest; whether the report says that all was well. */
static bool close_stand(stand *s) {
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
static bool ask(stand *s, int source, const char *line, char *words) {
    wpin_live_answer answer;
    bool ok = wpin_live_ask(s->live, source, line, &answer);
    ck_assert(ok == answer.ok);
    strcpy(words, answer.words);
    return ok;
}

static void must(stand *s, int source, const char *line) {
    char words[WPIN_LIVE_WORDS];
    ck_assert_msg(ask(s, source, line, words), "'%s': %s", line, words);
}

static void pass(stand *s, double seconds) {
    ck_assert(wpin_live_until(s->live, wpin_session_time(s->session) + seconds));
}

/* The same with a commander that is heard all the while. */
static void pass_heard(stand *s, double seconds) {
    for (double end = wpin_session_time(s->session) + seconds;
         wpin_session_time(s->session) < end - 1e-9;) {
        wpin_live_heard(s->live, wpin_live_commander(s->live));
        pass(s, fmin(0.05, end - wpin_session_time(s->session)));
    }
}

static void ready(stand *s) {
    must(s, s->one, "command");
    must(s, s->one, "confirm");
    must(s, s->one, "arm");
    must(s, s->one, "main on");
    pass(s, 1e-3);
}

static double duty(const stand *s, size_t load) {
    return wpin_session_look(s->session, load).duty;
}

/* Whether one of the news begins with these words. */
static bool was_told(const stand *s, const char *words) {
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

/* In this order, on one session: what was refused before is taken where it may be. */
START_TEST(requests_are_taken_or_refused_with_the_reason) {
    static const struct {
        bool one; /* else the second source asks */
        const char *line;
        bool ok;
        unsigned column;
        const char *words;
    } rows[] = {
        {true, "pump ramp 60%", false, 0, "only watching; 'command' takes"},
        {true, "arm", false, 0, "only watching"},
        {true, "command", true, 0, "one has the command"},
        {false, "command", false, 0, "one has the command; 'command over'"},
        {false, "pump stop", false, 0, "only watching: one has the command"},
        {true, "pump ramp 60%", false, 0, "'pump' is not armed"},
        {true, "arm", false, 0, "the power-up checklist is not confirmed"},
        {true, "confirm", true, 0, ""},
        {true, "arm pmup", false, 0, "'pmup' is not a load"},
        {true, "arm pump", true, 0, "pump is armed"},
        {true, "  pump   ramp  60%  in 1s\t", true, 0, "pump ramp 60% in 1s"},
        {true, "pump ramp 160%", false, 11, "160 % is out of range"},
        {true, "pmup ramp 60%", false, 1, "unknown word 'pmup' (did you mean 'pump'?)"},
        {true, "", false, 1, "nothing is asked"},
        {true, "wait 3s", false, 1, "'wait' belongs in a plan"},
        {true, "repeat 3", false, 1, "'repeat' belongs in a plan"},
        {true, "pump, fan stop", false, 7, "'fan' is not a load"},
        {true, ", pump stop", false, 1, "'' is no name"},
        {true, "pump pump, pump stop", false, 6, "expected"},
        {true, "pump turn 90deg", false, 6, "nothing measures"},
        {true, "pump hold 2s", true, 0, "pump hold 2s"},
        {true, "all stop", true, 0, "pump stop"},
        {true, "clear pump", true, 0, "pump has no fault"},
        {true, "rearm", false, 0, "nothing is stopped"},
        {false, "stop", true, 0, "stopped"}, /* anyone may */
        {true, "pump ramp 60%", false, 0, "everything is stopped"},
        {true, "arm", false, 0, "everything is stopped; 'rearm' first"},
        {false, "command over", true, 0, "two has the command"},
        {true, "rearm", false, 0, "only watching: two has the command"},
        {false, "rearm", true, 0, "re-armed"},
        {false, "pump ramp 60%", false, 0, "'pump' is not armed"},
        {false, "arm", true, 0, "every load is armed"},
        {false, "disarm", true, 0, "every load is disarmed"},
        {false, "watch", true, 0, "two watches"},
        {false, "disarm", false, 0, "only watching; 'command'"},
    };
    stand s;
    open_stand(&s, PUMP);
    for (size_t i = 0; i < COUNT(rows); i++) {
        wpin_live_answer a;
        int source = rows[i].one ? s.one : s.two;
        ck_assert_msg(wpin_live_ask(s.live, source, rows[i].line, &a) == rows[i].ok, "%s: %s",
                      rows[i].line, a.words);
        ck_assert_msg(strncmp(a.words, rows[i].words, strlen(rows[i].words)) == 0, "%s: %s",
                      rows[i].line, a.words);
        ck_assert_msg(a.column == rows[i].column, "%s: column %u", rows[i].line, a.column);
        pass(&s, 2e-3);
        wpin_live_heard(s.live, wpin_live_commander(s.live));
    }
    wpin_live_answer a;
    ck_assert(!wpin_live_ask(s.live, -1, "stop", &a) && !wpin_live_ask(s.live, 63, "stop", &a));
    ck_assert(was_told(&s, "two took the command over from one"));
    close_stand(&s);
}
END_TEST

/* All of it before the next control period: nothing of it is lost. */
START_TEST(disarmed_and_armed_at_once_it_takes_the_next_request) {
    static const char *const rigs[] = {PUMP, GATE, DRUM, TEST_SOURCE "/demo/honey-line.yaml"};
    static const char *const requests[] = {"pump ramp 60% in 200ms", "gate ramp 60% in 200ms",
                                           "drum ramp 60rpm in 500ms", "filler ramp 60% in 200ms"};
    stand s;
    open_stand(&s, rigs[_i]);
    ready(&s);
    pass_heard(&s, 0.1);
    must(&s, s.one, "disarm");
    must(&s, s.one, "arm");
    must(&s, s.one, requests[_i]);
    pass_heard(&s, 1);
    ck_assert_msg(duty(&s, _i == 3) > 0.05, "%s: duty %g", requests[_i], duty(&s, _i == 3));
    close_stand(&s);
}
END_TEST

/* Every verb of the plan language does by hand what it does in a plan. */
START_TEST(actions_are_those_of_plans) {
    static const struct {
        const char *rig;
        const char *lines[5];
        double seconds; /* after each */
        const char *told;
    } rows[] = {
        {PUMP, {"pump run 60% for 2s"}, 4, "pump run 60% for 2s: ok"},
        {PUMP, {"pump ramp reverse 40% in 1s", "pump brake for 1s"}, 2, "pump brake for 1s: ok"},
        {PUMP, {"pump ramp 60%", "pump ramp reverse 60%"}, 4, "pump ramp reverse 60%: "},
        {GATE,
         {"gate home reverse 8rpm at most 8s", "gate turn to 40deg"},
         12,
         "gate turn to 40deg: ok"},
        {GATE, {"gate run reverse 8rpm until gate-shut reached at most 9s"}, 9, ": ok"},
        {GATE, {"gate turn to 40deg"}, 1, "cut short: "}, /* not homed */
        {DRUM, {"drum ramp 60rpm in 2s"}, 4, "drum ramp 60rpm in 2s: ok"},
    };
    for (size_t i = 0; i < COUNT(rows); i++) {
        stand s;
        open_stand(&s, rows[i].rig);
        ready(&s);
        for (size_t n = 0; n < COUNT(rows[i].lines) && rows[i].lines[n] != NULL; n++) {
            char words[WPIN_LIVE_WORDS];
            (void)ask(&s, s.one, rows[i].lines[n], words);
            pass_heard(&s, rows[i].seconds);
        }
        const wpin_live_news *last = wpin_live_news_at(s.live, wpin_live_news_count(s.live) - 1);
        ck_assert_msg(was_told(&s, rows[i].told), "row %zu: %s", i, last->words);
        close_stand(&s);
    }
}
END_TEST

/* One load is stopped, the others go on; a fault of one is nobody else's. */
START_TEST(loads_are_apart) {
    stand s;
    open_stand(&s, HOUSE);
    ready(&s);
    int pump = wpin_rig_find_load(s.rig, "pump"), conveyor = wpin_rig_find_load(s.rig, "conveyor");
    must(&s, s.one, "pump, conveyor ramp 50%");
    pass_heard(&s, 3);
    ck_assert_double_eq_tol(duty(&s, (size_t)pump), 0.5, 1e-3);
    must(&s, s.one, "conveyor stop");
    pass_heard(&s, 2);
    ck_assert_double_eq(duty(&s, (size_t)conveyor), 0);
    ck_assert_double_eq_tol(duty(&s, (size_t)pump), 0.5, 1e-3);
    must(&s, s.one, "conveyor ramp 50%");
    pass_heard(&s, 2);
    wpin_motor_trip(wpin_session_motor(s.session, (size_t)pump), WPIN_FAULT_OVERCURRENT);
    pass_heard(&s, 0.5);
    ck_assert_double_eq(duty(&s, (size_t)pump), 0);
    ck_assert_double_eq_tol(duty(&s, (size_t)conveyor), 0.5, 1e-3);
    ck_assert(was_told(&s, "pump: WPIN_FAULT_OVERCURRENT"));
    char words[WPIN_LIVE_WORDS];
    ck_assert(!ask(&s, s.one, "pump ramp 20%", words));
    ck_assert_msg(strstr(words, "in a fault") != NULL, "%s", words);
    must(&s, s.one, "clear pump");
    must(&s, s.one, "arm pump");
    must(&s, s.one, "pump ramp 30%");
    pass_heard(&s, 0.2);
    must(&s, s.two, "stop");
    pass(&s, 0.2); /* nobody needs to be heard for that */
    for (size_t i = 0; i < s.rig->load_count; i++) {
        ck_assert(wpin_session_look(s.session, i).rpm == 0 || duty(&s, i) < 0.31);
    }
    pass(&s, 3);
    for (size_t i = 0; i < s.rig->load_count; i++) {
        ck_assert_double_eq(duty(&s, i), 0);
    }
    close_stand(&s);
}
END_TEST

/* The unit in which each is asked, how far, and what lies too near to standing. */
START_TEST(a_load_is_asked_in_its_unit) {
    static const struct {
        const char *rig, *unit;
        double least, most;
    } rows[] = {{"honey-pump", "%", 0, 100},
                {"honey-drum", "rpm", 0, 240},
                {"honey-fan", "%", 0, 100},
                {"honey-airing", "rpm", 404, 2000}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char path[500];
        wpin_messages m = {0};
        snprintf(path, sizeof path, "%s/demo/%s.yaml", TEST_SOURCE, rows[i].rig);
        wpin_rig *rig = wpin_rig_read(path, &m);
        ck_assert_ptr_nonnull(rig);
        wpin_live_asks asks = wpin_live_unit(rig, 0);
        ck_assert_str_eq(asks.unit, rows[i].unit);
        ck_assert_double_eq(asks.least, rows[i].least);
        ck_assert_double_eq_tol(asks.most, rows[i].most, 1e-9);
        wpin_rig_free(rig);
    }
}
END_TEST

/* The house has a stop button that is named as the request is. */
START_TEST(a_part_may_be_named_as_a_request) {
    stand s;
    char words[WPIN_LIVE_WORDS];
    open_stand(&s, HOUSE);
    ready(&s);
    must(&s, s.one, "stop press");
    pass_heard(&s, 0.1);
    ck_assert(wpin_session_is_stopped(s.session) && was_told(&s, "stop was pressed"));
    ck_assert(!ask(&s, s.one, "rearm", words));
    ck_assert_str_eq(words, "the stop input is still pressed");
    must(&s, s.one, "stop release");
    pass_heard(&s, 0.1);
    must(&s, s.one, "rearm");
    pass_heard(&s, 0.1);
    ck_assert(!wpin_session_is_stopped(s.session));
    must(&s, s.one, "stop at once, please"); /* whatever stands behind it */
    ck_assert(wpin_session_is_stopped(s.session));
    close_stand(&s);
}
END_TEST

/* Whatever is measured to be wrong is said while it goes on, with causes. */
START_TEST(trouble_is_said_while_it_lasts) {
    stand s;
    open_stand(&s, PUMP);
    ready(&s);
    must(&s, s.one, "pump ramp 60%");
    pass_heard(&s, 2.5);
    char words[WPIN_LIVE_WORDS];
    ck_assert(!wpin_live_trouble(s.live, 0, words, sizeof words));
    must(&s, s.one, "fault pump stalled");
    pass_heard(&s, 1);
    ck_assert(wpin_live_trouble(s.live, 0, words, sizeof words));
    ck_assert_msg(strstr(words, "blocked") != NULL, "%s", words);
    ck_assert(was_told(&s, "pump: 3.8"));
    ck_assert(!close_stand(&s));
}
END_TEST

/* A whole plan by hand: run, looked at, ended by itself, by a request, by a stop, by silence. */
START_TEST(a_plan_is_run_by_hand) {
    stand s;
    char words[WPIN_LIVE_WORDS];
    wpin_messages messages = {0};
    open_stand(&s, PUMP);
    ck_assert(!ask(&s, s.one, "plan run", words)); /* not commanding */
    ready(&s);
    ck_assert(!ask(&s, s.one, "plan run", words));
    ck_assert_msg(strstr(words, "there is none") != NULL, "%s", words);
    wpin_plan *plan = wpin_plan_read(TEST_SOURCE "/demo/honey-pump.plan", s.rig, &messages);
    wpin_live_offer(s.live, plan);
    must(&s, s.one, "plan");
    must(&s, s.one, "pump ramp 30%");
    pass_heard(&s, 0.1);
    ck_assert(!ask(&s, s.one, "plan run", words));
    ck_assert_msg(strstr(words, "'pump' moves") != NULL, "%s", words);
    must(&s, s.one, "pump stop");
    pass_heard(&s, 1);
    must(&s, s.one, "plan run");
    ck_assert(!ask(&s, s.one, "plan run", words));
    pass_heard(&s, 3);
    ck_assert(!ask(&s, s.one, "pump ramp 90%", words)); /* it is the plan's */
    ck_assert_str_eq(words, "a plan runs; end it first");
    wpin_progress p = wpin_session_progress(s.session);
    ck_assert(p.running && p.line == 6 && fabs(p.at - 3) < 0.01);
    ck_assert_double_eq_tol(duty(&s, 0), 0.6, 1e-3);
    pass_heard(&s, 7);
    ck_assert(!wpin_session_progress(s.session).running);
    ck_assert(was_told(&s, "pump ramp reverse 40% in 1s: ok") && was_told(&s, "the plan is over"));
    static const struct {
        bool silent;
        const char *asked, *told;
    } ends[] = {{false, "plan stop", "the plan was ended by one"},
                {true, NULL, "pump hold 3s: cut short by a lost link"},
                {false, "stop", "the plan ended early, in line 6"}};
    for (size_t i = 0; i < COUNT(ends); i++) {
        must(&s, s.one, "plan run");
        pass_heard(&s, 3);
        ck_assert_double_eq_tol(duty(&s, 0), 0.6, 1e-3);
        if (ends[i].asked != NULL) {
            must(&s, s.one, ends[i].asked);
        }
        if (ends[i].silent) {
            pass(&s, 2);
        } else {
            pass_heard(&s, 2);
        }
        ck_assert_msg(was_told(&s, ends[i].told), "%s", ends[i].told);
        ck_assert(duty(&s, 0) == 0 && !wpin_session_progress(s.session).running);
    }
    ck_assert(!ask(&s, s.one, "plan run", words)); /* stopped */
    close_stand(&s);
    wpin_plan_free(plan);
    wpin_messages_free(&messages);
}
END_TEST

/* Each requirement has its outcome told when the plan is over, also when that is early. A missed
 * one makes the session a bad one, one that was not come to by hand does not. */
START_TEST(requirements_are_looked_at_by_hand) {
    static const struct {
        const char *require;
        double seconds; /* then the plan is ended by hand */
        const char *told;
        bool well;
    } rows[] = {
        {"require no fault", 9, "required: no fault: met", true},
        {"require end by 9s", 9, "required: end by 9s: met: after 4.", true},
        {"require end by 3s", 9, "required: end by 3s: missed: after 4.", false},
        {"require end by 9s", 2, "required: end by 9s: not tested: the plan did not come", true},
        {"require pump current below 5A", 9, "pump current below 5A: met: at most", true},
        {"require pump current below 5A", 2, "pump current below 5A: met: at most", true},
        {"require pump speed above 500rpm by 1s", 9, "by 1s: missed: at least", false},
        {"require pump rest by 2s", 0.5, "required: pump rest by 2s: not tested", true},
    };
    for (size_t i = 0; i < COUNT(rows); i++) {
        stand s;
        char text[300];
        wpin_messages messages = {0};
        open_stand(&s, PUMP);
        ready(&s);
        snprintf(text, sizeof text, "%s\nwait 100ms\npump run 60%% for 2s\n%s\nwait 1s\n",
                 strstr(rows[i].require, "pump") == NULL ? rows[i].require : "require no fault",
                 strstr(rows[i].require, "pump") != NULL ? rows[i].require : "");
        wpin_plan *plan = wpin_plan_read_text("plan", text, s.rig, &messages);
        ck_assert_msg(plan != NULL, "%s: %s", text, messages.count ? messages.items[0].text : "");
        wpin_live_offer(s.live, plan);
        for (int run = 0; run < 2; run++) { /* the second one in place of the first */
            must(&s, s.one, "plan run");
            pass_heard(&s, rows[i].seconds);
            if (wpin_session_progress(s.session).running) {
                must(&s, s.one, "plan stop");
                pass_heard(&s, 3);
            }
        }
        ck_assert_msg(was_told(&s, rows[i].told), "row %zu: %s", i, rows[i].told);
        size_t count;
        (void)wpin_session_required(s.session, &count);
        ck_assert_uint_eq(count, plan->requirement_count);
        ck_assert_msg(close_stand(&s) == rows[i].well, "row %zu", i);
        wpin_plan_free(plan);
        wpin_messages_free(&messages);
    }
}
END_TEST

/* Gently: no kick, no more than 30 %, also where less than 65 % is refused otherwise; with
 * everything else at rest. Which way it turned is told, and when another shaft did. */
START_TEST(a_first_motion_by_hand) {
    stand s;
    char words[WPIN_LIVE_WORDS], text[12000] = "", mixed[12000];
    open_stand(&s, HOUSE);
    ck_assert(!ask(&s, s.one, "first gate", words)); /* not commanding */
    ready(&s);
    ck_assert(!ask(&s, s.one, "first", words));
    ck_assert(!ask(&s, s.one, "first lamp", words));
    ck_assert_str_eq(words, "'lamp' has no shaft");
    must(&s, s.one, "pump ramp 40%");
    pass_heard(&s, 0.5);
    ck_assert(!ask(&s, s.one, "first gate", words));
    ck_assert_msg(strstr(words, "'pump' moves") != NULL, "%s", words);
    must(&s, s.one, "pump stop");
    pass_heard(&s, 2);
    ck_assert(!ask(&s, s.one, "gate run 30% for 1s", words)); /* below its start duty */
    must(&s, s.one, "first gate");
    double most = 0;
    for (int i = 0; i < 1000; i++) {
        pass_heard(&s, 1e-3);
        most = fmax(most, fabs(duty(&s, 2)));
    }
    ck_assert_double_eq_tol(most, 0.3, 1e-3);
    pass_heard(&s, 4);
    ck_assert(was_told(&s, "gate, first motion: not moving"));
    must(&s, s.one, "gate run 70% for 0.5s"); /* as its rig says again: with a kick */
    for (int i = 0; i < 100; i++) {
        pass_heard(&s, 1e-3);
        most = fmax(most, fabs(duty(&s, 2)));
    }
    ck_assert_double_eq_tol(most, 0.8, 1e-3);
    pass_heard(&s, 2);
    must(&s, s.one, "first pump");
    pass_heard(&s, 6);
    ck_assert(was_told(&s, "pump, first motion: forward turned it") &&
              was_told(&s, "pump, first motion: reverse turned it"));
    must(&s, s.one, "fault pump motor-swapped");
    must(&s, s.one, "first pump");
    pass_heard(&s, 0.5);
    must(&s, s.two, "stop"); /* in the middle of it */
    pass_heard(&s, 1);
    ck_assert_double_eq(duty(&s, 0), 0);
    close_stand(&s);

    open_stand(&s, TEST_SOURCE "/demo/honey-spinner.yaml");
    ready(&s);
    must(&s, s.one, "first drum");
    pass_heard(&s, 5); /* while its duty falls a heavy shaft needs no current: that is no trouble */
    ck_assert(was_told(&s, "drum, first motion: forward") && !was_told(&s, "no current sensed"));
    close_stand(&s);

    FILE *from = fopen(HOUSE, "r"); /* the fan's wire and the ventilator's are mixed up */
    ck_assert_ptr_nonnull(from);
    text[fread(text, 1, sizeof text - 1, from)] = '\0';
    fclose(from);
    char *fan = strstr(text, "13}, pwm"), *ventilator = strstr(text, "8}}");
    ck_assert(fan != NULL && ventilator > fan);
    snprintf(mixed, sizeof mixed, "%.*s8%.*s13%s", (int)(fan - text), text,
             (int)(ventilator - fan - 2), fan + 2, ventilator + 1);
    open_stand_on(&s, HOUSE, write_file("mixed.yaml", mixed));
    ready(&s);
    must(&s, s.one, "first ventilator");
    pass_heard(&s, 2);
    ck_assert(was_told(&s, "ventilator, first motion: not moving"));
    ck_assert(was_told(&s, "the shaft of 'fan' turned: control wires of the two are mixed up"));
    close_stand(&s);
}
END_TEST

/* The session ends, is written as a plan, and that is run; its rig is left to the caller. */
static wpin_report *run_again(stand *s, wpin_plan **plan) {
    char why[400], path[300];
    s->over = 1;
    while (wpin_session_step(s->session)) {
    }
    wpin_report *report = wpin_session_close(s->session, why, sizeof why);
    snprintf(path, sizeof path, "%s", scratch("hands.plan"));
    ck_assert(wpin_live_write_plan(s->live, report, path));
    ck_assert(!wpin_live_write_plan(s->live, report, "/nowhere/hands.plan"));
    wpin_report_free(report);
    wpin_live_free(s->live);
    wpin_board_bench_free(&s->board);
    wpin_messages messages = {0};
    *plan = wpin_plan_read(path, s->rig, &messages);
    ck_assert_msg(*plan != NULL, "%u: %s", messages.items[0].line, messages.items[0].text);
    wpin_status refused;
    return wpin_rehearse(s->rig, *plan, &(wpin_session_options){0}, &refused, why, sizeof why);
}

/* What was asked, saved as a plan, is a plan, and does the same again. */
START_TEST(a_session_is_saved_as_a_plan) {
    stand s;
    char why[400];
    open_stand(&s, HOUSE);
    ready(&s);
    must(&s, s.one, "pump ramp 40% in 1s");
    pass_heard(&s, 2);
    must(&s, s.one, "conveyor ramp 40rpm");
    must(&s, s.one, "pump ramp 45%"); /* on the way to the next one */
    must(&s, s.one, "pump ramp 50%");
    pass_heard(&s, 1.5);
    ck_assert(!ask(&s, s.one, "gate turn 9deg", why)); /* refused: no part of it */
    must(&s, s.one, "pump hold 1s");
    must(&s, s.one, "fan run 60% for 1s");
    pass_heard(&s, 1);
    must(&s, s.one, "pump run reverse 30% for 1s");
    pass_heard(&s, 4);
    must(&s, s.two, "stop"); /* the conveyor goes on up to here */
    pass(&s, 2);
    wpin_plan *plan;
    wpin_report *report = run_again(&s, &plan);
    static const char *const lines[] = {
        "main on",       "pump ramp 40% in 1s", "conveyor ramp 40rpm",
        "pump ramp 50%", "fan run 60% for 1s",  "pump run reverse 30% for 1s",
        "conveyor stop"};
    size_t found = 0;
    for (size_t i = 0; i < report->step_count; i++) {
        ck_assert_msg(report->steps[i].verdict != WPIN_VERDICT_BAD, "%s: %s", report->steps[i].text,
                      report->steps[i].words);
        for (size_t n = 0; n < COUNT(lines); n++) {
            found += strcmp(report->steps[i].text, lines[n]) == 0;
        }
    }
    ck_assert_uint_eq(found, COUNT(lines));
    ck_assert_double_eq_tol(report->seconds, 9.7, 1.5);
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(s.rig);
}
END_TEST

/* Faults that came by hand and were cleared come again, and are cleared again. */
START_TEST(cleared_faults_are_saved_too) {
    static const char *const begins[] = {"drum ramp 60rpm", "drum run 60rpm for 6s", "drum on"};
    for (size_t i = 0; i < COUNT(begins); i++) {
        stand s;
        open_stand(&s, DRUM);
        ready(&s);
        must(&s, s.one, begins[i]);
        pass_heard(&s, i == 0 ? 2.5 : 0.2); /* in motion, or on the way to it */
        must(&s, s.one, "fault drum stalled");
        pass_heard(&s, 1.5);
        must(&s, s.one, "mend drum stalled");
        must(&s, s.one, "clear");
        must(&s, s.one, "arm");
        pass_heard(&s, 0.5);
        must(&s, s.one, "drum run 20rpm for 1s");
        pass_heard(&s, 4);
        wpin_plan *plan;
        wpin_report *report = run_again(&s, &plan);
        ck_assert_msg(report->fault_count == 1 && report->faults[0].cleared_at < HUGE_VAL &&
                          report->result == WPIN_OK && !report->bad,
                      "%s: %zu faults, %s", begins[i], report->fault_count,
                      wpin_status_name(report->result));
        wpin_report_free(report);
        wpin_plan_free(plan);
        wpin_rig_free(s.rig);
    }
}
END_TEST

/* What ends is told when it ends, whatever was begun before it and goes on. */
START_TEST(what_ends_first_is_told_first) {
    stand s;
    open_stand(&s, HOUSE);
    ready(&s);
    must(&s, s.one, "pump run 40% for 4s");
    must(&s, s.one, "conveyor run 40rpm for 1s");
    pass_heard(&s, 3);
    ck_assert(was_told(&s, "conveyor run 40rpm for 1s: ok"));
    ck_assert(!was_told(&s, "pump run 40%"));
    pass_heard(&s, 4);
    ck_assert(was_told(&s, "pump run 40% for 4s: ok"));
    ck_assert(close_stand(&s));
}
END_TEST

/* A slider moved all day: what is kept does not grow, what goes on is never forgotten, and the
 * report and the plan are of what is kept. */
START_TEST(a_long_session_forgets_its_beginning) {
    stand s;
    char why[400], path[300], line[60];
    open_stand(&s, HOUSE);
    ready(&s);
    must(&s, s.one, "conveyor ramp 40rpm"); /* goes on all the while */
    must(&s, s.one, "fan run 40% for 1h");
    size_t most = 0, count;
    for (int i = 0; i < 30000; i++) {
        if (i % 10 == 9) {
            snprintf(line, sizeof line, "start %s", i % 20 == 9 ? "press" : "release");
        } else {
            snprintf(line, sizeof line, "pump ramp %d%%", 30 + i % 20);
        }
        must(&s, s.one, line);
        if (i % 7 == 0) {
            pass(&s, 1e-3);
        }
        wpin_session_steps(s.session, &count);
        most = count > most ? count : most;
    }
    ck_assert_uint_le(most, 8100);
    wpin_glance conveyor =
        wpin_session_look(s.session, (size_t)wpin_rig_find_load(s.rig, "conveyor"));
    ck_assert_str_eq(conveyor.doing->text, "conveyor ramp 40rpm");
    ck_assert_double_eq_tol(conveyor.setpoint, 40, 0.1);
    pass_heard(&s, 3);
    s.over = 1;
    while (wpin_session_step(s.session)) {
    }
    wpin_report *report = wpin_session_close(s.session, why, sizeof why);
    ck_assert_ptr_nonnull(report);
    for (size_t i = 0; i < report->step_count; i++) {
        const wpin_step_result *r = &report->steps[i];
        ck_assert_msg(r->verdict != WPIN_VERDICT_BAD, "%zu: %s: %s", i, r->text, r->words);
    }
    ck_assert_uint_eq(report->fault_count + report->burn_count, 0);
    ck_assert_str_eq(report->steps[0].text, "conveyor ramp 40rpm");
    snprintf(path, sizeof path, "%s", scratch("long.plan"));
    ck_assert(wpin_live_write_plan(s.live, report, path));
    wpin_messages messages = {0};
    wpin_plan *plan = wpin_plan_read(path, s.rig, &messages);
    ck_assert_msg(plan != NULL, "%u: %s", messages.items[0].line, messages.items[0].text);
    wpin_plan_free(plan);
    wpin_report_free(report);
    wpin_live_free(s.live);
    wpin_board_bench_free(&s.board);
    wpin_rig_free(s.rig);
}
END_TEST

/* ---- silence ---- */

static bool swallow(void *context, const char *line, size_t length) {
    (void)context, (void)line, (void)length;
    return true;
}

/* A commander that falls silent at any moment, in the middle of a line too: everything is at zero
 * duty within the link time-out and the ramp, whichever way it goes. */
START_TEST(silence_ends_every_motion) {
    static const char *const lines[] = {"pump ramp 60%\n",         "pump ramp reverse 90% in 1s\n",
                                        "pump run 100% for 30s\n", "pump on\n",
                                        "pump hold 9s\n",          "pump coast\n",
                                        "pump ramp 20% in 5s\n"};
    const char *asked = getenv("WPIN_CUTS");
    long cuts = asked == NULL ? 150 : atol(asked);
    stand s;
    pick_seed(14);
    open_stand(&s, PUMP);
    double ramp = s.rig->loads[0].limits.ramp_down + 2e-3;
    must(&s, s.one, "command");
    must(&s, s.one, "confirm");
    must(&s, s.one, "main on");
    for (long i = 0; i < cuts; i++) {
        wpin_talk talk;
        wpin_pace pace = {.late_after = 1};
        wpin_states states = {0};
        ck_assert(wpin_talk_open(&talk, s.live, &pace, &states, "lines", swallow, NULL));
        wpin_talk_hear(&talk, "command over\narm\n", 17);
        for (uint32_t n = 1 + pick(4); n > 0; n--) {
            const char *line = lines[pick(COUNT(lines))];
            wpin_talk_hear(&talk, line, strlen(line));
            pass_heard(&s, pick(900) * 1e-3);
        }
        const char *half = lines[pick(COUNT(lines))];
        wpin_talk_hear(&talk, half, pick((uint32_t)strlen(half)));
        double heard = wpin_session_time(s.session);
        if (pick(2) == 0) {
            wpin_talk_close(&talk); /* gone, or only silent */
        }
        pass(&s, LINK + ramp);
        ck_assert_msg(duty(&s, 0) == 0, "cut %ld at %.4f s: %.3f", i, heard, duty(&s, 0));
        wpin_talk_close(&talk);
        wpin_states_free(&states);
        ck_assert(wpin_session_look(s.session, 0).fault == WPIN_OK);
    }
    ck_assert(was_told(&s, "link lost"));
    close_stand(&s);
}
END_TEST

/* ---- lines ---- */

typedef struct ear {
    char last[4096];
    unsigned lines, refused, deaf;
} ear;

static bool take(void *context, const char *line, size_t length) {
    ear *e = context;
    ck_assert(length > 1 && line[length - 1] == '\n' && strlen(line) == length);
    json_t *value = json_loads(line, 0, NULL);
    ck_assert_msg(value != NULL, "%s", line);
    e->refused += json_is_false(json_object_get(value, "ok"));
    json_decref(value);
    snprintf(e->last, sizeof e->last, "%s", line);
    e->lines++;
    return e->deaf == 0;
}

/* Bytes of any kind, from halves of real requests to noise: each line is answered once, by JSON,
 * and what runs is left alone unless it was asked. */
START_TEST(no_bytes_do_harm) {
    static const char *const pieces[] = {
        "pump",  " ",        "ramp",      "60%",   "in",        "stop",    "command",
        "over",  "\n",       "\r\n",      "\n\n",  ",",         "all",     "report",
        "20Hz",  "state",    "1e9",       "-",     "reverse",   "for",     "3s",
        "until", "main",     "off",       "fault", "arm",       "stalled", "foresee",
        "hello", "\xC3\xA4", "{\"a\":1}", "%s%n",  "checklist", "nan%",    "99999999999999s"};
    const char *asked = getenv("WPIN_LINES");
    long lines = asked == NULL ? 3000 : atol(asked);
    stand s;
    ear e = {0};
    wpin_talk talk;
    wpin_pace pace = {.late_after = 1};
    wpin_states states = {0};
    open_stand(&s, PUMP);
    ready(&s);
    must(&s, s.one, "pump ramp 40%");
    pass_heard(&s, 2);
    pick_seed(41);
    ck_assert(
        wpin_talk_open(&talk, s.live, &pace, &states, "noise", take, &e)); /* it only watches */
    while ((long)talk.requests < lines) {
        char bytes[64];
        uint32_t what = pick(10);
        if (what == 0) {
            size_t count = pick(sizeof bytes);
            for (size_t i = 0; i < count; i++) {
                bytes[i] = (char)pick(256);
            }
            wpin_talk_hear(&talk, bytes, count);
        } else {
            const char *piece = pieces[pick(COUNT(pieces))];
            if (strcmp(piece, "stop") != 0 && strcmp(piece, "command") != 0) { /* as they may */
                wpin_talk_hear(&talk, piece, strlen(piece));
            }
            wpin_talk_hear(&talk, " \n", 1 + (what < 3));
        }
        if (pick(20) == 0) {
            wpin_live_heard(s.live, s.one);
            pass(&s, 1e-3);
            wpin_talk_tell(&talk);
            ck_assert_double_eq_tol(duty(&s, 0), 0.4, 1e-3);
        }
        if (talk.closed) {
            ck_abort_msg("nobody said bye");
        }
    }
    ck_assert_uint_ge(e.refused, (unsigned)lines / 2);
    char longest[600];
    memset(longest, 'a', sizeof longest);
    wpin_talk_hear(&talk, "\n", 1);
    for (int i = 0; i < 400; i++) {
        wpin_talk_hear(&talk, longest, sizeof longest);
    }
    wpin_talk_hear(&talk, "\nhello\n", 7);
    ck_assert_ptr_nonnull(strstr(e.last, "\"protocol\":1"));
    wpin_talk_hear(&talk, "stop\0pump\n", 10); /* no text, and no stop */
    ck_assert_ptr_nonnull(strstr(e.last, "not text"));
    ck_assert(!wpin_session_is_stopped(s.session));
    e.deaf = 1; /* nothing more can be said: it goes on all the same */
    wpin_talk_hear(&talk, "state\nstop\n", 11);
    ck_assert(wpin_session_is_stopped(s.session));
    ck_assert_uint_ge(talk.unsaid, 2);
    wpin_talk_close(&talk);
    wpin_states_free(&states);
    close_stand(&s);
}
END_TEST

/* Time that was lost is a fault of what moved, and is not made up for. */
START_TEST(lost_time_is_a_fault) {
    stand s;
    wpin_pace pace;
    open_stand(&s, PUMP);
    ready(&s);
    must(&s, s.one, "pump ramp 40%");
    pass_heard(&s, 2);
    wpin_pace_begin(&pace, 0.1);
    double now = pace.begun += 2.001 - wpin_session_time(s.session);
    now = pace.begun + wpin_session_time(s.session);
    for (int i = 0; i < 50; i++) { /* a little late each time: nothing happens */
        now += 0.004;
        wpin_live_heard(s.live, s.one);
        ck_assert(wpin_pace_on(&pace, s.live, now));
    }
    ck_assert_double_eq_tol(duty(&s, 0), 0.4, 1e-3);
    ck_assert_uint_eq(pace.gaps, 0);
    ck_assert(pace.worst > 2e-3 && pace.worst < 4e-3 && wpin_pace_p99(&pace) >= pace.worst / 2);
    double before = wpin_session_time(s.session);
    now += 5;
    ck_assert(wpin_pace_on(&pace, s.live, now));
    ck_assert_uint_eq(pace.gaps, 1);
    ck_assert(wpin_session_time(s.session) - before < 0.01);
    ck_assert_int_eq(wpin_live_commander(s.live), -1);
    ck_assert(wpin_pace_on(&pace, s.live, now + 0.01));
    ck_assert_int_eq((int)wpin_session_look(s.session, 0).fault, (int)WPIN_FAULT_LATE);
    ck_assert_double_eq(duty(&s, 0), 0);
    close_stand(&s);
}
END_TEST

START_TEST(sources_come_and_go) {
    stand s;
    open_stand(&s, PUMP);
    int last = -1;
    for (int i = 2; i < WPIN_LIVE_SOURCES; i++) {
        last = wpin_live_join(s.live, "more");
        ck_assert_int_ge(last, 0);
    }
    ck_assert_int_eq(wpin_live_join(s.live, "one too many"), -1);
    wpin_live_leave(s.live, last);
    ck_assert_int_eq(wpin_live_join(s.live, "again"), last);
    wpin_live_leave(s.live, 99);
    for (unsigned i = 0; i < 2 * WPIN_LIVE_NEWS; i++) {
        must(&s, i % 2 == 0 ? s.one : s.two, "command over");
    }
    ck_assert_uint_ge(wpin_live_news_count(s.live), 2 * WPIN_LIVE_NEWS);
    ck_assert_ptr_null(wpin_live_news_at(s.live, 0));
    ck_assert_ptr_null(wpin_live_news_at(s.live, wpin_live_news_count(s.live)));
    ck_assert_ptr_nonnull(wpin_live_news_at(s.live, wpin_live_news_count(s.live) - 1));
    ck_assert_ptr_null(wpin_live_open(s.rig, s.session, 0.01));
    ck_assert_ptr_null(wpin_live_open(s.rig, NULL, LINK));
    close_stand(&s);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("live");
    TCase *tests = tcase_create("live");
    tcase_set_timeout(tests, 1200);
    tcase_add_test(tests, requests_are_taken_or_refused_with_the_reason);
    tcase_add_loop_test(tests, disarmed_and_armed_at_once_it_takes_the_next_request, 0, 4);
    tcase_add_test(tests, actions_are_those_of_plans);
    tcase_add_test(tests, loads_are_apart);
    tcase_add_test(tests, a_load_is_asked_in_its_unit);
    tcase_add_test(tests, a_part_may_be_named_as_a_request);
    tcase_add_test(tests, trouble_is_said_while_it_lasts);
    tcase_add_test(tests, a_plan_is_run_by_hand);
    tcase_add_test(tests, requirements_are_looked_at_by_hand);
    tcase_add_test(tests, a_first_motion_by_hand);
    tcase_add_test(tests, a_session_is_saved_as_a_plan);
    tcase_add_test(tests, cleared_faults_are_saved_too);
    tcase_add_test(tests, what_ends_first_is_told_first);
    tcase_add_test(tests, a_long_session_forgets_its_beginning);
    tcase_add_test(tests, silence_ends_every_motion);
    tcase_add_test(tests, no_bytes_do_harm);
    tcase_add_test(tests, lost_time_is_a_fault);
    tcase_add_test(tests, sources_come_and_go);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
