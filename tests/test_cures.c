/* The cures that vetting offers are true: each figure is put into the bad rig as it stands, and
 * then the rule is content, nothing else is refused, and the bench no longer fails. */
#define _GNU_SOURCE
#include "bad_rigs.h"
#include "random_rigs.h"
#include "support.h"
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>

/* The figure after `after` in the cure of a bad rig goes into `write` (twice, if it has two), which
 * takes the place of `old`, or is put at the end of the rig. */
static const struct {
    const char *rule, *after, *old, *write;
    const char *second; /* what stands before a second figure */
} cures[] = {
    {"supply-voltage", "a supply of at most ", "voltage: 36V", "voltage: %sV", NULL},
    {"least-voltage", "a supply of ", "voltage: 12V", "voltage: %sV", NULL},
    {"regulator-heat", "at most ", "30K/W", "%sK/W", NULL},
    {"pwm-pin", "pwm-by: software up to ", "pwm: 20kHz", "pwm-by: software, pwm: %sHz", NULL},
    {"opto-input", "a resistor of ", "resistor: 470ohm", "resistor: %sohm", NULL},
    {"pulse-ends", "pulse-neutral: ", "pulse-neutral: 1.6ms", "pulse-neutral: %sus", NULL},
    {"stall-current", "duty-limit: ", "faults:", "    duty-limit: %s%%\nfaults:", NULL},
    {"stall-heat", "current-trip at ", "time: 500ms}}\n",
     "time: 500ms}, sense: 500mV/A}\n    current-trip: {level: %sA, time: 20ms, input: 0}\n", NULL},
    {"diode-limit", "a diode for ", "diode-limit: 1A", "diode-limit: %sA", NULL},
    {"bootstrap", "duty-limit: ", "", "    duty-limit: %s%%\n", NULL},
    {"gate-limit", "(clamp: ", "gate-limit: 20V", "gate-limit: 20V, clamp: %sV", NULL},
    {"motor-capacitor", "at most ", "motor-capacitor: 2uF", "motor-capacitor: %snF", NULL},
    {"stall-winding", "level: ", "rest: 1s\n",
     "rest: 1s\n    current-trip: {level: %sA, time: 50ms, input: 0}\n", NULL},
    {"winding-heat", "duty-limit: ", "level: 5A, time: 50ms, input: 0}\n",
     "level: 2.6A, time: 50ms, input: 0}\n    duty-limit: %s%%\n", NULL},
    {"coil-heat", "on-duty: ", "",
     "    on-duty: %s%%\n    start: {kick-level: 100%%, kick-time: 80ms}\n", NULL},
    {"plunger", "kick-time: ", "    on-duty: 35%",
     "    start: {kick-level: 100%%, kick-time: %sms}\n    on-duty: %s%%", "on-duty: "},
    {"step-rate", "start-rate: ", "start-rate: 1500steps/s, top-rate: 1500steps/s",
     "start-rate: %ssteps/s, top-rate: %ssteps/s", "top-rate: "},
    {"weak-duty", "", "", "    start: {duty: %s%%, drop-out: 1%%, below: lift}\n", NULL},
};

static char output[60000];

/* The figure after some words of a cure, as it is written there. */
static const char *figure(const char *cure, const char *after) {
    static char figures[2][20];
    static int turn;
    const char *at = strstr(cure, after);
    ck_assert_msg(at != NULL, "no '%s' in: %s", after, cure);
    char *to = figures[turn ^= 1];
    snprintf(to, sizeof figures[0], "%.*s", (int)strspn(at + strlen(after), "0123456789.e+"),
             at + strlen(after));
    ck_assert_msg(to[0] != '\0', "no figure after '%s' in: %s", after, cure);
    return to;
}

/* The finding of a rule, and how many refusals there are; its text stays until the next call. */
static const char *cure_of(const char *path, const char *plan_path, const char *rule,
                           size_t *refusals) {
    static char cure[600];
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert_msg(rig != NULL, "%s", m.count ? m.items[0].text : "");
    wpin_plan *plan = wpin_plan_read(plan_path, rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count ? m.items[0].text : "");
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    const char *found = NULL;
    *refusals = v->refusals;
    for (size_t i = 0; i < v->count && found == NULL; i++) {
        if (strcmp(v->findings[i].rule->name, rule) == 0 && v->findings[i].severity != WPIN_NOTE) {
            found = wpin_finding_cure(&v->findings[i], cure, sizeof cure);
        }
    }
    wpin_vetting_free(v);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return found;
}

/* The bad rig with the cure's figures put in. */
static const char *cured(const char *bad, int row, const char *cure) {
    static char text[3000];
    char write[200];
    const char *first = figure(cure, cures[row].after);
    const char *second = cures[row].second ? figure(cure, cures[row].second) : "";
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wformat-nonliteral"
    snprintf(write, sizeof write, cures[row].write, first, second);
#pragma GCC diagnostic pop
    const char *old = cures[row].old, *at = old[0] ? strstr(bad, old) : bad + strlen(bad);
    ck_assert_msg(at != NULL, "no '%s' in the rig of %s", old, cures[row].rule);
    snprintf(text, sizeof text, "%.*s%s%s", (int)(at - bad), bad, write, at + strlen(old));
    return text;
}

/* The plan, not asking for more than a duty-limit that was put in. */
static const char *plan_within(const char *plan, int row, const char *cure) {
    static char text[500];
    const char *all = strstr(plan, "100%");
    if (strcmp(cures[row].after, "duty-limit: ") != 0 || all == NULL) {
        return plan;
    }
    snprintf(text, sizeof text, "%.*s%s%s", (int)(all - plan), plan, figure(cure, cures[row].after),
             all + strlen("100"));
    return text;
}

START_TEST(a_cure_cures) {
    const char *rule = cures[_i].rule;
    int r = 0;
    while (strcmp(bad_rigs[r].rule, rule) != 0) {
        r++;
    }
    size_t before, refusals;
    const char *plan = write_file("p.plan", bad_rigs[r].plan);
    const char *cure = cure_of(write_file("bad.yaml", bad_rigs[r].bad), plan, rule, &before);
    ck_assert_msg(cure != NULL, "%s finds nothing", rule);
    char offered[600];
    snprintf(offered, sizeof offered, "%s", cure);
    const char *text = cured(bad_rigs[r].bad, _i, offered), *rig = write_file("cured.yaml", text);
    plan = write_file("p.plan", plan_within(bad_rigs[r].plan, _i, offered));
    cure = cure_of(rig, plan, rule, &refusals);
    ck_assert_msg(cure == NULL && refusals < before,
                  "%s, cured by '%s', is still told or %zu others are; then: %s\n%s", rule, offered,
                  refusals, cure ? cure : "", text);
    run_command(output, sizeof output, TEST_TOOL " run %s %s", rig, plan);
    ck_assert_msg(strstr(output, bad_rigs[r].says) == NULL, "%s, cured by '%s':\n%.3000s\n%s", rule,
                  offered, output, text);
}
END_TEST

/* Findings of a rig, for the caller to free; without the plan, where that asks for more than the
 * rig allows by now. */
static wpin_vetting *vetted(const char *path, const char *plan_path) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert_msg(rig != NULL, "%s", m.count ? m.items[0].text : "");
    wpin_plan *plan = wpin_plan_read(plan_path, rig, &m);
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return v;
}

/* The finding of a rule about a part, NULL: it is content. */
static const wpin_finding *about(const wpin_vetting *v, const wpin_finding *f) {
    for (size_t i = 0; i < v->count; i++) {
        const wpin_finding *other = &v->findings[i];
        bool same = other->rule == f->rule && strcmp(other->part, f->part) == 0;
        if (same && other->severity != WPIN_NOTE && other->severity >= f->severity) {
            return other;
        }
    }
    return NULL;
}

/* Whatever is offered as a value of the rig is put in as it stands, and then the rule is content.
 */
START_TEST(each_change_offered_cures) {
    char was[400], why[300];
    const char *plan = write_file("p.plan", bad_rigs[_i].plan);
    const char *bad = write_file("bad.yaml", bad_rigs[_i].bad);
    wpin_vetting *v = vetted(bad, plan);
    for (size_t i = 0; i < v->count; i++) {
        const wpin_finding *f = &v->findings[i];
        for (size_t c = 0; f->severity != WPIN_NOTE && c < f->cure_count; c++) {
            const char *change = f->cures[c].change, *to = scratch("changed.yaml");
            if (change[0] == '\0') {
                continue;
            }
            ck_assert_msg(wpin_rig_change(bad, to, change, was, sizeof was, why, sizeof why),
                          "%s: %s: %s", f->rule->name, change, why);
            wpin_vetting *then = vetted(to, plan);
            const wpin_finding *still = about(then, f);
            ck_assert_msg(still == NULL, "%s: %s: still: %s", f->rule->name, change,
                          still != NULL ? still->cause : "");
            wpin_vetting_free(then);
            if (strcmp(f->rule->name, bad_rigs[_i].rule) == 0) {
                run_command(output, sizeof output, TEST_TOOL " run %s %s", to, plan);
                ck_assert_msg(strstr(output, bad_rigs[_i].says) == NULL, "%s: %s:\n%.3000s",
                              f->rule->name, change, output);
            }
        }
    }
    wpin_vetting_free(v);
}
END_TEST

/* How to follow the cures of a random rig. What the cure says is looked for; the figure behind it
 * goes in place of the one behind `key`, or `write` in place of all from `key` to `until`. */
static const struct {
    const char *rule, *says, *key, *write, *until;
} follow[] = {
    {"supply-voltage", "a supply of at most ", "{voltage: ", NULL, NULL},
    {"brown-out", "a supply of its own", "supply: logic, ", "", "least"},
    {"pin-current", "a base resistor of at least ", "base-resistor: ", NULL, NULL},
    {"pin-current", "a series resistor of at least ", "resistor: ", NULL, NULL},
    {"base-drive", "a field-effect transistor for 5 V", "kind: npn",
     "kind: n-channel, threshold: 2V, stated-at: 4.5V", "}"},
    {"gate-drive", "stated at ", "threshold: ", "threshold: 2V, stated-at: %sV", "}"},
    {"opto-input", "a resistor of ", "resistor: ", NULL, NULL},
    {"diode-limit", "a diode for ", "diode-limit: ", NULL, NULL},
    {"coil-heat", "on-duty: ", "on-duty: ", NULL, NULL},
    {"plunger", "kick-time: ", "kick-time: ", NULL, NULL},
};
enum { FOLLOW = sizeof follow / sizeof *follow };

/* Follows a cure in the text of a rig; false when none of its alternatives is one above. */
static bool follow_cure(char *text, size_t size, const char *rule, const char *cure) {
    for (size_t i = 0; i < FOLLOW; i++) {
        const char *says = strcmp(follow[i].rule, rule) == 0 ? strstr(cure, follow[i].says) : NULL;
        char *key = says != NULL ? strstr(text, follow[i].key) : NULL;
        if (key == NULL) {
            continue;
        }
        char rest[3000], write[200], number[20];
        const char *digits = says + strlen(follow[i].says);
        snprintf(number, sizeof number, "%.*s", (int)strspn(digits, "0123456789.e+-"), digits);
        char *end = key + strlen(follow[i].key);
        if (follow[i].write == NULL) {
            end += strspn(end, "0123456789.e+-");
            snprintf(write, sizeof write, "%s%s", follow[i].key, number);
        } else {
            end = follow[i].until[0] != '\0' ? strstr(key, follow[i].until) : end;
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wformat-nonliteral"
            snprintf(write, sizeof write, follow[i].write, number);
#pragma GCC diagnostic pop
        }
        snprintf(rest, sizeof rest, "%s", end);
        snprintf(key, size - (size_t)(key - text), "%s%s", write, rest);
        const char *duty = strcmp(rule, "plunger") == 0 ? strstr(cure, "on-duty: ") : NULL;
        if (duty != NULL && strstr(text, "on-duty: ") != NULL) { /* the second figure */
            key = strstr(text, "on-duty: ");
            snprintf(rest, sizeof rest, "%s", strchr(key, '%'));
            snprintf(key, size - (size_t)(key - text), "%.*s%s", (int)strcspn(duty, "%"), duty,
                     rest);
        }
        return true;
    }
    return false;
}

/* Puts that value which a finding offers into the text of a rig that leaves the fewest refusals;
 * false when it offers none. */
static bool follow_change(char *text, size_t size, const wpin_finding *f, const char *plan) {
    char was[400], why[200], from[200], to[200];
    size_t least = SIZE_MAX;
    snprintf(from, sizeof from, "%s", write_file("change.yaml", text));
    snprintf(to, sizeof to, "%s", scratch("changed.yaml"));
    for (size_t i = 0; i < f->cure_count; i++) {
        const char *change = f->cures[i].change;
        if (change[0] == '\0' ||
            !wpin_rig_change(from, to, change, was, sizeof was, why, sizeof why)) {
            continue;
        }
        wpin_vetting *v = vetted(to, plan);
        if (v->refusals < least) {
            least = v->refusals;
            FILE *file = fopen(to, "r");
            text[fread(text, 1, size - 1, file)] = '\0';
            fclose(file);
        }
        wpin_vetting_free(v);
    }
    return least < SIZE_MAX;
}

/* The first refusal of a rig and its cure. */
static bool refused(const char *text, const char *plan_path, wpin_finding *first) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("any.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s\n%s", m.count ? m.items[0].text : "", text);
    wpin_plan *plan = wpin_plan_read(plan_path, rig, &m);
    ck_assert_msg(plan != NULL, "%s\n%s", m.count ? m.items[0].text : "", text);
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    bool found = v->refusals > 0;
    if (found) {
        *first = v->findings[0];
    }
    wpin_vetting_free(v);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return found;
}

/* Whoever follows the cures one by one, as they are told, ends with a rig that passes. Only what
 * never breaks loose, or is never drawn in, needs another motor or coil. */
START_TEST(following_the_cures_ends_well) {
    int mended = 0;
    pick_seed((uint32_t)_i * 13 + 5);
    for (int n = 0; n < 60; n++) {
        char text[3000], told[2000] = "", cure[600];
        wpin_finding first;
        snprintf(text, sizeof text, "%s", n % 2 == 0 ? random_rig() : random_other(n / 2 % 3));
        char plan[200];
        snprintf(plan, sizeof plan, "%s",
                 write_file("any.plan", "pump on\npump hold 1s\npump off\n"));
        int turns = 0;
        bool stuck = false;
        while (!stuck && refused(text, plan, &first)) {
            size_t used = strlen(told);
            snprintf(told + used, sizeof told - used, "%s: %s\n", first.rule->name,
                     wpin_finding_cure(&first, cure, sizeof cure));
            ck_assert_msg(++turns < 10, "no end:\n%s\n%s", told, text);
            stuck = strcmp(first.rule->name, "start-torque") == 0 ||
                    strstr(cure, "or a coil made for") != NULL;
            ck_assert_msg(stuck || follow_change(text, sizeof text, &first, plan) ||
                              follow_cure(text, sizeof text, first.rule->name, cure),
                          "can't be followed: %s: %s\n%s", first.rule->name, cure, text);
        }
        mended += turns > 0 && !stuck;
    }
    ck_assert_int_ge(mended, 15);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("cures");
    TCase *tests = tcase_create("cures");
    tcase_add_loop_test(tests, a_cure_cures, 0, (int)(sizeof cures / sizeof *cures));
    tcase_add_loop_test(tests, each_change_offered_cures, 0,
                        (int)(sizeof bad_rigs / sizeof *bad_rigs));
    tcase_add_loop_test(tests, following_the_cures_ends_well, 0, 10);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
