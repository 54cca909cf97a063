/* Everything at once: a rig of any kind of stage with any load that fits it, a plan of any actions
 * or two people by hand, a fault in the middle of it. Nothing may crash, leak, break a rule of
 * safety or be called as asked when it was not. 120 of them, or as many as WPIN_EVERYTHING says;
 * with --table what was covered. */
#define _GNU_SOURCE
#include "everything/made.h"
#include <malloc.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/live.h>
#include <windpin/host/verdict.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static struct {
    cell cells[CELLS];
    size_t cell_count;
    unsigned verb_of[CELLS][VERBS], fault_of[CELLS][FAULTS], fault_on[VERBS][FAULTS];
    unsigned runs, by_hand, faulted;
    bool tells;     /* prints each script */
    double seconds; /* of simulated motors */
} c;

/* ---- who judges ---- */

typedef struct judge {
    const wpin_rig *rig;
    const char *what;
    double at, zero_at; /* s; since when it is at zero */
    int way;            /* it was driven last */
} judge;

/* Never the other way before it has rested, and never more than it may have. */
static void look(judge *j, const wpin_session *session) {
    const wpin_rig_load *load = &j->rig->loads[0];
    wpin_glance g = wpin_session_look(session, 0);
    double now = wpin_session_time(session), tick = j->rig->controller.tick;
    bool shown = load->motor.resistance > 0 && !load->axis.there && fabs(g.duty) > 0;
    int way = shown ? (g.duty > 0 ? 1 : -1) : 0;
    if (load->vector.there && g.setpoint * way < 0) {
        way = j->way; /* volts against what is asked hold a current within its limits */
    }
    c.seconds += now > j->at ? now - j->at : 0;
    if (way != 0 && j->way != 0 && way != j->way && load->limits.rest > 0) {
        double rested = j->at - j->zero_at; /* at the last look it was still at zero */
        ck_assert_msg(rested >= load->limits.rest - 3 * tick,
                      "%s: turned over after %.3f s of %.3f s", j->what, rested, load->limits.rest);
    }
    if (!(fabs(g.duty) <= load->limits.duty_max + 1e-3)) {
        ck_abort_msg("%s: duty %.3f", j->what, g.duty);
    }
    j->way = way != 0 ? way : j->way;
    j->zero_at = way != 0 ? now : j->zero_at;
    j->at = now;
}

/* What should turn hard and never did is not as asked. */
static void check_verdicts(const judge *j, const wpin_report *r) {
    for (size_t i = 0; i < r->step_count; i++) {
        const wpin_step_result *s = &r->steps[i];
        bool hard = s->load == 0 && j->rig->loads[0].motor.resistance > 0 &&
                    fabs(s->asked_duty) > 0.5 && s->driven > 0.3 && s->duty_peak > 0.5;
        ck_assert_msg(!hard || s->faulted || s->rpm_peak > 0 || s->verdict != WPIN_VERDICT_OK,
                      "%s: '%s' never turned, and is called as asked", j->what, s->text);
    }
}

/* ---- a run ---- */

static void end(judge *j, wpin_session *session, wpin_live *live, volatile int *over) {
    char why[300];
    *over = 1;
    for (int steps = 0; wpin_session_step(session); steps++) {
        look(j, session);
        if (steps > 300000) {
            ck_abort_msg("%s: does not end", j->what);
        }
    }
    wpin_glance g = wpin_session_look(session, 0);
    ck_assert_msg(!(fabs(g.duty) > 0), "%s: still driven at the end", j->what);
    wpin_report *r = wpin_session_close(session, why, sizeof why);
    ck_assert_msg(r != NULL, "%s", why);
    check_verdicts(j, r);
    c.faulted += r->fault_count > 0;
    wpin_report_free(r);
    wpin_live_free(live);
}

static void by_plan(judge *j, wpin_session *session, volatile int *over) {
    for (int steps = 0; steps < 400000 && wpin_session_step(session); steps++) {
        look(j, session);
    }
    end(j, session, NULL, over);
}

/* Two people, of whom each may command, stop, and go silent. */
static void by_hand(judge *j, wpin_session *session, const script *s, volatile int *over) {
    static const char *const others[] = {"command",    "command over", "arm",   "stop",
                                         "stop press", "stop release", "alive", "watch"};
    wpin_live *live = wpin_live_open(j->rig, session, 0.25);
    wpin_live_answer answer;
    ck_assert_ptr_nonnull(live);
    int people[2] = {wpin_live_join(live, "one"), wpin_live_join(live, "two")};
    (void)wpin_live_ask(live, people[0], "command", &answer);
    wpin_live_confirm(live, "one");
    (void)wpin_live_ask(live, people[0], "main on", &answer);
    (void)wpin_live_ask(live, people[0], "arm", &answer);
    for (int i = 0; i < s->count + 8; i++) {
        bool other = pick(4) == 0;
        const char *asks = other ? others[pick(COUNT(others))] : s->lines[pick((uint32_t)s->count)];
        (void)wpin_live_ask(live, people[pick(5) == 0], asks, &answer);
        ck_assert_msg(answer.ok || answer.words[0] != '\0', "%s: '%s' refused without a word",
                      j->what, asks);
        for (uint32_t ms = pick(3) == 0 ? pick(600) : pick(60); ms > 0; ms--) {
            (void)wpin_live_until(live, wpin_session_time(session) + 1e-3);
            look(j, session);
        }
    }
    end(j, session, live, over);
}

static void try_one(unsigned n) {
    pick_seed(n * 2654435761U + 17);
    size_t which = n % c.cell_count;
    int fault = (int)(n / c.cell_count % FAULTS),
        verb = (int)((n / c.cell_count + n / c.cell_count / FAULTS) % VERBS);
    char what[200], why[400];
    volatile int over = 0;
    snprintf(what, sizeof what, "%u (%s, %s, %s)", n, c.cells[which].name, verbs[verb].name,
             faults[fault] != NULL ? faults[fault] : "no fault");
    wpin_rig *rig = read_rig(&c.cells[which]);
    script s = make_script(rig, verb, fault);
    wpin_plan *plan = read_plan(&s, rig);
    bool hand = pick(3) == 0;
    for (int i = 0; c.tells && i < s.count; i++) {
        printf("%s%s\n", hand ? "by hand: " : "", s.lines[i]);
    }
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    wpin_bench bench = wpin_bench_on_board(&board);
    wpin_session_options how = {.disarmed = hand, .onlooker = &wpin_verdicts, .interrupted = &over};
    wpin_status refused;
    judge j = {.rig = rig, .what = what};
    wpin_session *session =
        wpin_session_open(rig, hand ? NULL : plan, &bench, &how, &refused, why, sizeof why);
    ck_assert_msg(plan != NULL && session != NULL, "%s: %s", what, why);
    for (int i = 0; i < s.count; i++) {
        for (int k = 0; s.verb[i] >= 0 && k < s.count; k++) {
            c.fault_on[s.verb[i]][s.fault[k]] += s.fault[k] != 0;
        }
        if (s.verb[i] >= 0) {
            c.verb_of[which][s.verb[i]]++;
        }
        c.fault_of[which][s.fault[i]] += s.fault[i] != 0;
    }
    c.runs++;
    c.by_hand += hand;
    if (hand) {
        by_hand(&j, session, &s, &over);
    } else {
        by_plan(&j, session, &over);
    }
    wpin_board_bench_free(&board);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}

/* From WPIN_EVERYTHING_FROM on; nothing is kept of a run. */
static void run_all(void) {
    const char *asked = getenv("WPIN_EVERYTHING"), *begin = getenv("WPIN_EVERYTHING_FROM");
    unsigned count = asked != NULL ? (unsigned)strtoul(asked, NULL, 10) : 120;
    unsigned from = begin != NULL ? (unsigned)strtoul(begin, NULL, 10) : 0;
    size_t first = 0, last = 0;
    for (unsigned n = from; n < from + count; n++) {
        /* few of them: spread over all there are */
        try_one(begin == NULL && count < 2000 ? n * 37 : n);
        last = mallinfo2().uordblks;
        first = n == from + 20 ? last : first;
    }
    ck_assert_msg(count < 100 || last < first + 200000, "%zu bytes more than after 20 runs",
                  last - first);
}

START_TEST(nothing_breaks) {
    run_all();
}
END_TEST

static void print_row(const char *name, const unsigned *row, size_t count, size_t from) {
    printf("| %s |", name);
    for (size_t i = from; i < count; i++) {
        row[i] > 0 ? printf(" %u |", row[i]) : printf(" |");
    }
    printf("\n");
}

static void print_head(const char *first, bool of_verbs) {
    size_t count = of_verbs ? VERBS : FAULTS;
    printf("\n| %s |", first);
    for (size_t i = of_verbs ? 0 : 1; i < count; i++) {
        const char *name = of_verbs ? verbs[i].name : faults[i];
        printf(" %s |", strncmp(name, "it ", 3) == 0 ? name + 3 : name);
    }
    printf("\n|---|");
    for (size_t i = of_verbs ? 0 : 1; i < count; i++) {
        printf("---|");
    }
    printf("\n");
}

START_TEST(print_table) {
    run_all();
    printf("# A campaign over everything\n\nAny kind of stage with any load that fits it, any "
           "actions, by plan or by two people by hand, and a fault in the middle;\njudged on the "
           "way: no crash, nothing leaked, never the other way round before it has rested, never "
           "more duty than it may have,\nnothing driven at the end, nothing called as asked that "
           "never turned. Made by `WPIN_EVERYTHING=%u tests/test_everything --table`;\n`make "
           "check-long` takes a million motor-seconds.\n\n%u runs, %u of them by hand; %.0f "
           "simulated motor-seconds; %u ended with a latched fault. The numbers say how often it "
           "was asked for;\nempty is what none of these runs asked for, nearly always because the "
           "language refuses it for such a load, with a message.\n\n## Actions\n",
           c.runs, c.runs, c.by_hand, c.seconds, c.faulted);
    print_head("stage, load", true);
    for (size_t i = 0; i < c.cell_count; i++) {
        print_row(c.cells[i].name, c.verb_of[i], VERBS, 0);
    }
    printf("\n## Faults\n");
    print_head("stage, load", false);
    for (size_t i = 0; i < c.cell_count; i++) {
        print_row(c.cells[i].name, c.fault_of[i], FAULTS, 1);
    }
    printf("\n## Actions under faults\n");
    print_head("action", false);
    for (size_t i = 0; i < VERBS; i++) {
        print_row(verbs[i].name, c.fault_on[i], FAULTS, 1);
    }
}
END_TEST

int main(int argc, char **argv) {
    bool table = argc > 1 && strcmp(argv[1], "--table") == 0;
    Suite *suite = suite_create("everything");
    TCase *tests = tcase_create("everything");
    c.cell_count = list_cells(c.cells);
    c.tells = getenv("WPIN_TELL") != NULL;
    tcase_add_test(tests, table ? print_table : nothing_breaks);
    suite_add_tcase(suite, tests);
    return table ? run_silent(suite) : run_suite(suite);
}
