/* windpin new: what it writes for every load on every stage it fits is sound as it stands, and does
 * what the first plan asks. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/starter.h>
#include <windpin/host/vet.h>

static char output[20000];

static void is_sound(const wpin_starter *s) {
    const char *rig_path = scratch("first.yaml"), *plan_path = scratch("first.plan");
    FILE *rig_file = fopen(rig_path, "w"), *plan_file = fopen(plan_path, "w");
    ck_assert(wpin_starter_write(s, rig_file, plan_file));
    fclose(rig_file);
    fclose(plan_file);
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(rig_path, &m);
    wpin_plan *plan = rig != NULL ? wpin_plan_read(plan_path, rig, &m) : NULL;
    ck_assert_msg(plan != NULL, "%s %s: %s", s->thing->load, s->kind->name, m.items[0].text);
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    ck_assert_msg(v->refusals + v->cautions == 0, "%s on %s, %g V, %g W: %s: %s", s->thing->load,
                  s->kind->name, s->volts, s->watts, v->findings[0].rule->name,
                  v->findings[0].cause);
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(r != NULL && !r->bad, "%s on %s, %g V, %g W", s->thing->load, s->kind->name,
                  s->volts, s->watts);
    for (size_t i = 0; i < r->step_count; i++) {
        ck_assert_msg(r->steps[i].verdict != WPIN_VERDICT_BAD, "%s on %s: %s: %s", s->thing->load,
                      s->kind->name, r->steps[i].text, r->steps[i].words);
    }
    wpin_report_free(r);
    wpin_vetting_free(v);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}

START_TEST(what_it_writes_is_sound) {
    static const double volts[] = {WPIN_STARTER_LEAST_VOLTS, 12, WPIN_STARTER_MOST_VOLTS},
                        watts[] = {WPIN_STARTER_LEAST_WATTS, 10, WPIN_STARTER_MOST_WATTS};
    const wpin_wired *thing = &wpin_wired_things()[_i];
    size_t kinds;
    const wpin_stage_kind *kind = wpin_stage_kinds(&kinds);
    bool again = thing->load == NULL || thing != wpin_wired_find(thing->wires, thing->load, NULL) ||
                 (strcmp(thing->load, "stepper") == 0 && thing->wires > 4);
    unsigned fitting = 0;
    for (size_t k = 0; k < kinds && !again; k++) {
        if (!wpin_starter_fits(thing, &kind[k])) {
            continue;
        }
        /* A size of each on each stage, and on any three stages all sizes with all voltages. */
        unsigned turned = fitting++;
        for (unsigned i = 0; i < 3; i++) {
            wpin_starter s = {.name = "feeder",
                              .thing = thing,
                              .kind = &kind[k],
                              .volts = volts[i],
                              .watts = watts[(i + turned) % 3]};
            s.watts = fmax(s.watts, WPIN_STARTER_LEAST_AMPS * s.volts);
            s.watts = fmin(s.watts, WPIN_STARTER_MOST_AMPS * s.volts);
            is_sound(&s);
        }
    }
}
END_TEST

/* Every thing in the list that it can write leads to a stage there is. */
START_TEST(the_list_of_wires_holds) {
    size_t kinds;
    const wpin_stage_kind *kind = wpin_stage_kinds(&kinds);
    int last = 0;
    for (const wpin_wired *t = wpin_wired_things(); t->what != NULL; t++) {
        bool found = t->load == NULL;
        for (size_t k = 0; k < kinds && !found; k++) {
            found = strcmp(kind[k].name, t->stage) == 0 && wpin_starter_fits(t, &kind[k]);
        }
        ck_assert_msg(found && t->wires >= last, "%s", t->what);
        last = t->wires;
        run_command(output, sizeof output, "grep -cF '%s' " TEST_SOURCE "/docs/motors.md", t->what);
        ck_assert_msg(atoi(output) == 1, "docs/motors.md does not list: %s", t->what);
    }
}
END_TEST

START_TEST(it_asks_and_refuses_in_words) {
    char folder[300];
    snprintf(folder, sizeof folder, "%s", scratch("new"));
    static const struct {
        const char *command, *says;
        int status;
    } rows[] = {
        {TEST_TOOL " new first < /dev/null", "what is it? expected --load motor", 2},
        {TEST_TOOL " new first --load motr < /dev/null", "unknown load 'motr'", 2},
        {TEST_TOOL " new first --load stepper --stage relay < /dev/null",
         "'relay' is not a stage for a stepper", 2},
        {TEST_TOOL " new first --load motor --wires 3 --stage three-phase-bridge < /dev/null",
         "without sensors (--load sensorless) can be connected to it", 2},
        {TEST_TOOL " new first --load motor --supply 900V < /dev/null",
         "900V is out of range; expected 3 V to 60 V", 2},
        {TEST_TOOL " new first --load motor --supply 12 < /dev/null", "12", 2},
        {TEST_TOOL " new first --load motor --supply 5V --power 1000W < /dev/null",
         "1000 W at 5 V are 200 A; expected 0.02 to 50 A", 2},
        {TEST_TOOL " new < /dev/null", "expected a name", 2},
        {TEST_TOOL " new no/where --load motor < /dev/null", "no/where.yaml: No such file", 1},
        {TEST_TOOL " new first --load motor < /dev/null", "vetted: 0 refused, 0 with caution", 0},
        {TEST_TOOL " new first --load motor < /dev/null", "first.yaml: exists already", 2},
        {TEST_TOOL " new eight --wires 8 < /dev/null",
         "--load field-oriented (brushless motor, field-oriented by its Hall sensors) or --load "
         "stepper",
         2},
        {TEST_TOOL " new eight --wires 8 --load lamp < /dev/null", "with 8 wires it can be", 2},
        {TEST_TOOL " new eight --wires 8 --load motor --stage relay < /dev/null",
         "three-phase-bridge is a usual one", 2},
        {TEST_TOOL " new five --wires 5 < /dev/null", "four low-side transistors", 2},
        {TEST_TOOL " new eight --wires 8 --load motor < /dev/null && grep -q hall: eight.yaml",
         "for a brushless motor with Hall sensors (8 wires)", 0},
        {TEST_TOOL " new six --wires 6 --load motor < /dev/null && grep -q encoder: six.yaml",
         "for a brushed motor with an encoder (6 wires)", 0},
        {TEST_TOOL " new phases --load motor --stage three-half-bridges < /dev/null",
         "for a brushless motor with Hall sensors (8 wires)", 0},
        {TEST_TOOL " new wait --load lamp < /dev/null && grep -q '^  load:' wait.yaml", "written",
         0},
        /* on a terminal: four wires, an answer that is none, the stepper, volts in words, watts */
        {"printf '4\\n7\\n1\\ntwelve\\n12V\\n8W\\n\\n' | script -qec '" TEST_TOOL
         " new asked' /dev/null && grep stepper: asked.yaml",
         "expected one of the numbers above", 0},
        {"printf '5\\n1\\n' | script -qec '" TEST_TOOL " new five' /dev/null",
         "four low-side transistors", 2},
    };
    run_command(output, sizeof output, "mkdir -p %s", folder);
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        int status = run_command(output, sizeof output, "cd %s && %s", folder, rows[i].command);
        ck_assert_msg(status == rows[i].status && strstr(output, rows[i].says) != NULL,
                      "%s: %d, %s", rows[i].command, status, output);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("starter");
    TCase *tests = tcase_create("starter");
    int things = 0;
    while (wpin_wired_things()[things].what != NULL) {
        things++;
    }
    tcase_add_loop_test(tests, what_it_writes_is_sound, 0, things);
    tcase_add_test(tests, the_list_of_wires_holds);
    tcase_add_test(tests, it_asks_and_refuses_in_words);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
