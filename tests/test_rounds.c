/* Heat by the rounds of a plan: what vetting spares does not burn on the bench and gets about as
 * warm as it said; what it refuses burns; the share of a round that it allows is enough. */
#define _GNU_SOURCE
#include "bad_rigs.h"
#include "random_rigs.h"
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>

#define WARM(kpw)                                                                                  \
    ", gear: 18, gear-efficiency: 75%, load: {torque: 0.8Nm}, heat: {resistance: " kpw ", time: "  \
    "20s}"
#define SENSED(more)                                                                               \
    "on-resistance: 180mohm, current-limit: 20A, voltage-limit: 30V, sense: 500mV/A" more
#define MOVES      "    ramp: {up: 500ms, down: 500ms}\n    rest: 300ms\n" TRIP
#define GATE_MOTOR RIG(FIVE, MAIN(""), CHIP, SENSED(""), MOTOR(WARM("9K/W")), MOVES)
#define HOT_DRIVER                                                                                 \
    RIG(FIVE, MAIN(""), CHIP, SENSED(", heat: {resistance: 45K/W, time: 8s}"),                     \
        MOTOR(WARM("1K/W")), MOVES)
#define COIL RIG(FIVE, MAIN(""), "kind: low-side-on-off, pins: {gate: 9}", DRIVER(""), SOLENOID, "")

/* What came of a rig and a plan, whatever vetting says of it. */
typedef struct outcome {
    wpin_severity severity; /* of the finding about heat */
    char consequence[200], cure[600];
    double told, warmest; /* degC */
    bool burnt;
} outcome;

static outcome try_plan(const char *rule, const char *text, const char *steps) {
    outcome o = {0};
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("rounds.yaml", text), &m);
    wpin_plan *plan = rig != NULL ? wpin_plan_read_text("rounds", steps, rig, &m) : NULL;
    ck_assert_msg(plan != NULL, "%s\n%s%s", m.count > 0 ? m.items[0].text : "", text, steps);
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    for (size_t i = 0; i < v->count; i++) {
        if (strcmp(v->findings[i].rule->name, rule) == 0) {
            o.severity = v->findings[i].severity;
            strcpy(o.consequence, v->findings[i].consequence);
            wpin_finding_cure(&v->findings[i], o.cure, sizeof o.cure);
        }
    }
    const char *gets = strstr(o.consequence, "gets to ");
    o.told = gets != NULL ? strtod(gets + strlen("gets to "), NULL) : 0;
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(r != NULL, "%s", why);
    o.burnt = r->burn_count > 0;
    o.warmest = r->degrees_c[0];
    wpin_report_free(r);
    wpin_vetting_free(v);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return o;
}

START_TEST(what_is_spared_stays_cool_and_the_rest_burns) {
    static const struct {
        const char *rule, *rig, *plan;
        bool spared;
    } rows[] = {
        {"winding-heat", GATE_MOTOR, "pump run 100% for 2s\npump rest 8s\n", true},
        {"winding-heat", GATE_MOTOR, "pump run 100% for 8s\npump run reverse 100% for 8s\n", false},
        {"winding-heat", GATE_MOTOR,
         "repeat 2\npump run 100% for 1s\npump rest 1s\nend\npump rest 8s\n", true},
        {"driver-heat", HOT_DRIVER, "pump run 100% for 1s\npump rest 4s\n", true},
        {"driver-heat", HOT_DRIVER, "pump run 60% for 20s\npump rest 2s\n", false},
        {"coil-heat", COIL, "pump on for 1s\npump rest 5s\n", true},
        {"coil-heat", COIL, "pump on for 3s\npump rest 1s\n", false},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char plan[300];
        snprintf(plan, sizeof plan, "rehearse 150s\nrepeat forever\n%send\n", rows[i].plan);
        outcome o = try_plan(rows[i].rule, rows[i].rig, plan);
        ck_assert_msg(o.severity == (rows[i].spared ? WPIN_CAUTION : WPIN_REFUSE),
                      "row %zu: %d, %s", i, o.severity, o.consequence);
        ck_assert_msg(o.burnt == !rows[i].spared, "row %zu: %s; %g degC", i, o.consequence,
                      o.warmest);
        ck_assert_msg(!rows[i].spared || (o.told > o.warmest - 3 && o.told < 1.5 * o.warmest + 10),
                      "row %zu: %s; %g degC", i, o.consequence, o.warmest);
    }
}
END_TEST

/* Random rounds of the gate: the share allowed is put in, and is enough. */
START_TEST(the_share_allowed_is_enough) {
    pick_seed((unsigned)_i + 1);
    double on = between(2, 20), off = between(0.5, 3);
    char plan[300];
    snprintf(plan, sizeof plan,
             "rehearse 200s\nrepeat forever\npump run 100%% for %.3gs\npump rest %.3gs\nend\n", on,
             off);
    outcome o = try_plan("winding-heat", GATE_MOTOR, plan);
    if (o.severity != WPIN_REFUSE) {
        ck_assert_msg(!o.burnt, "%s%s", plan, o.consequence);
        return;
    }
    const char *share = strstr(o.cure, "of each round: ");
    ck_assert_msg(share != NULL, "%s%s", plan, o.cure);
    double may = strtod(share + strlen("of each round: "), NULL);
    double all = strtod(strstr(share, " of ") == NULL ? "0" : strstr(share + 15, "of ") + 3, NULL);
    ck_assert(may > 0.6 && all > may);
    /* its ramp down is time on, too */
    snprintf(plan, sizeof plan,
             "rehearse 200s\nrepeat forever\npump run 100%% for %.3gs\npump rest %.3gs\nend\n",
             fmax(may - 0.5, 0.1), all - may);
    outcome mended = try_plan("winding-heat", GATE_MOTOR, plan);
    ck_assert_msg(!mended.burnt && mended.severity == WPIN_CAUTION, "%s%d %s; %g degC", plan,
                  mended.severity, mended.consequence, mended.warmest);
}
END_TEST

START_TEST(contacts_are_counted_by_the_hour) {
    static const struct {
        const char *driver, *habits, *plan, *says;
    } rows[] = {
        {"", "", "rehearse 60s\nrepeat forever\npump on for 1s\npump rest 4s\nend\n",
         "goes on 720 times an hour"},
        {", operations-per-hour: 600", "",
         "repeat 20\nrepeat 2\npump on for 1s\npump rest 1s\nend\npump rest 6s\nend\n",
         "goes on 720 times an hour; its contacts are made for 600"},
        {", operations-per-hour: 600", "", "repeat 20\npump on for 1s\npump rest 7s\nend\n", ""},
        {", operations-per-hour: 600", "    least-time: 2s\n", "pump follow warmth for 9s\n",
         "by its least-time it may go on 900 times an hour"},
        {"", "", "pump follow warmth for 9s\n", "nothing keeps it from switching again at once"},
        {"", "    least-time: 6s\n", "pump follow warmth for 9s\n", ""},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char text[2000], said[20000];
        snprintf(text, sizeof text,
                 RIG(FIVE, MAIN("") "%s", "kind: relay, pins: {coil: 9}", DRIVER("%s"), MOTOR(""),
                     "    rest: 200ms\n%s"),
                 "inputs:\n  warmth: {analog: 2, two-point: {on: 2V, off: 1V}}\n", rows[i].driver,
                 rows[i].habits);
        const char *rig = write_file("hourly.yaml", text);
        run_command(said, sizeof said, TEST_TOOL " vet %s %s", rig,
                    write_file("hourly.plan", rows[i].plan));
        bool told = strstr(said, "relay-rate") != NULL;
        ck_assert_msg(told == (rows[i].says[0] != '\0'), "row %zu:\n%.4000s", i, said);
        ck_assert_msg(strstr(said, rows[i].says) != NULL, "row %zu:\n%.4000s", i, said);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("rounds");
    TCase *tests = tcase_create("rounds");
    tcase_set_timeout(tests, 300);
    tcase_add_test(tests, what_is_spared_stays_cool_and_the_rest_burns);
    tcase_add_loop_test(tests, the_share_allowed_is_enough, 0, 6);
    tcase_add_test(tests, contacts_are_counted_by_the_hour);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
