/* A first motion by hand, sessions that are saved, silence, bytes without sense, sources that come
 * and go. */
#include "support_live.h"

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

/* Bytes, or a word of the requests, and mostly the end of a line. */
static void make_noise(wpin_talk *talk) {
    static const char *const pieces[] = {
        "pump",  " ",        "ramp",      "60%",   "in",        "stop",    "command",
        "over",  "\n",       "\r\n",      "\n\n",  ",",         "all",     "report",
        "20Hz",  "state",    "1e9",       "-",     "reverse",   "for",     "3s",
        "until", "main",     "off",       "fault", "arm",       "stalled", "foresee",
        "hello", "\xC3\xA4", "{\"a\":1}", "%s%n",  "checklist", "nan%",    "99999999999999s"};
    char bytes[64];
    uint32_t what = pick(10);
    if (what == 0) {
        size_t count = pick(sizeof bytes);
        for (size_t i = 0; i < count; i++) {
            bytes[i] = (char)pick(256);
        }
        wpin_talk_hear(talk, bytes, count);
    } else {
        const char *piece = pieces[pick(COUNT(pieces))];
        if (strcmp(piece, "stop") != 0 && strcmp(piece, "command") != 0) { /* as they may */
            wpin_talk_hear(talk, piece, strlen(piece));
        }
        wpin_talk_hear(talk, " \n", 1 + (what < 3));
    }
}

/* Bytes of any kind, from halves of real requests to noise: each line is answered once, by JSON,
 * and what runs is left alone unless it was asked. */
START_TEST(no_bytes_do_harm) {
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
        const unsigned long answers = e.lines - talk.requests;
        make_noise(&talk);
        ck_assert_msg(e.lines - talk.requests == answers, "after %s", e.last);
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
    static const char *const no_text[] = {"stop\0pump\n", "stop \xE9ing\n", "stop\xC3\n    "};
    for (size_t i = 0; i < COUNT(no_text); i++) { /* and no stop */
        wpin_talk_hear(&talk, no_text[i], 10);
        ck_assert_ptr_nonnull(strstr(e.last, "not text"));
    }
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
START_TEST(a_load_may_be_named_as_a_request_is) {
    static const struct {
        const char *line, *answered;
    } rows[] = {{"command", "has the command"},
                {"arm report", "report is armed"},
                {"main on", "main on"},
                {"report ramp 40%", "report ramp 40%"},
                {"foresee report ramp 20%", "report ramp 20%"},
                {"report 5Hz", "the state comes by itself"},
                {"report off", "report off"}, /* the load's action */
                {"report", "expected 'report off' or 'report' and how often"}};
    char named[400];
    stand s;
    ear e = {0};
    wpin_talk talk;
    wpin_pace pace = {.late_after = 1};
    wpin_states states = {0};
    int status = run_command(named, sizeof named, "sed 's/^  pump:/  report:/' %s > %s", PUMP,
                             scratch("named.yaml"));
    ck_assert_int_eq(status, 0);
    open_stand(&s, scratch("named.yaml"));
    ck_assert(wpin_talk_open(&talk, s.live, &pace, &states, "lines", take, &e));
    wpin_live_confirm(s.live, "the test");
    for (size_t i = 0; i < COUNT(rows); i++) {
        wpin_talk_hear(&talk, rows[i].line, strlen(rows[i].line));
        wpin_talk_hear(&talk, "\n", 1);
        ck_assert_msg(strstr(e.last, rows[i].answered) != NULL, "row %zu: %s", i, e.last);
        pass(&s, 0.05);
    }
    wpin_talk_close(&talk);
    wpin_states_free(&states);
    close_stand(&s);
}
END_TEST

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
    Suite *suite = suite_create("live_sources");
    TCase *tests = tcase_create("live_sources");
    tcase_set_timeout(tests, 1200);
    tcase_add_test(tests, a_session_is_saved_as_a_plan);
    tcase_add_test(tests, cleared_faults_are_saved_too);
    tcase_add_test(tests, what_ends_first_is_told_first);
    tcase_add_test(tests, a_long_session_forgets_its_beginning);
    tcase_add_test(tests, silence_ends_every_motion);
    tcase_add_test(tests, no_bytes_do_harm);
    tcase_add_test(tests, a_load_may_be_named_as_a_request_is);
    tcase_add_test(tests, lost_time_is_a_fault);
    tcase_add_test(tests, sources_come_and_go);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
