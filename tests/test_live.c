/* Hands on a session: who may ask what, and that motion ends with whoever asked for it. On the
 * simulated board, in its own time. */
#include "support_live.h"

static const struct {
    bool one; /* else the second source asks */
    const char *line;
    bool ok;
    unsigned column;
    const char *words;
} requested[] = {
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
    {true, ", pump stop", false, 1, "'' is not a name"},
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

/* In this order, on one session: what was refused before is taken where it may be. */
START_TEST(requests_are_taken_or_refused_with_the_reason) {
    stand s;
    open_stand(&s, PUMP);
    for (size_t i = 0; i < COUNT(requested); i++) {
        wpin_live_answer a;
        int source = requested[i].one ? s.one : s.two;
        ck_assert_msg(wpin_live_ask(s.live, source, requested[i].line, &a) == requested[i].ok,
                      "%s: %s", requested[i].line, a.words);
        ck_assert_msg(strncmp(a.words, requested[i].words, strlen(requested[i].words)) == 0,
                      "%s: %s", requested[i].line, a.words);
        ck_assert_msg(a.column == requested[i].column, "%s: column %u", requested[i].line,
                      a.column);
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
    /* which of them a stop is, one that nothing holds up */
    static const struct {
        const char *line;
        bool commander, watcher;
    } rows[] = {{"stop", true, true},        {" STOP now", true, true},
                {"stop press", false, true}, {"stopper ramp 60%", false, false},
                {"pump stop", false, false}, {"", false, false}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        ck_assert_int_eq(wpin_live_stops(s.live, s.one, rows[i].line), rows[i].commander);
        ck_assert_int_eq(wpin_live_stops(s.live, s.two, rows[i].line), rows[i].watcher);
        ck_assert_int_eq(wpin_live_stops(s.live, -1, rows[i].line), rows[i].watcher);
    }
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
    char words[WPIN_LIVE_WORDS];
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
}
END_TEST

START_TEST(a_first_motion_tells_what_it_saw) {
    stand s;
    char text[12000] = "", mixed[12000];
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
    tcase_add_test(tests, a_first_motion_tells_what_it_saw);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
