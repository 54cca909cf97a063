/* A stage by a table of the user's own. */
#define _GNU_SOURCE
#include "support_kinds.h"
#include <stdlib.h>

static const char own_rig[] =
    "rig: own\n"                                                         /* 1 */
    "supplies: {main: {voltage: 12V, resistance: 0.1ohm, switch: on}}\n" /* 2 */
    "loads:\n"                                                           /* 3 */
    "  load:\n"                                                          /* 4 */
    "    supply: main\n"                                                 /* 5 */
    "    stage:\n"                                                       /* 6 */
    "      kind: own-table\n"                                            /* 7 */
    "      pwm: 20kHz\n"                                                 /* 8 */
    "      pins: {left: 2, right: 3}\n"                                  /* 9 */
    "      table:\n"                                                     /* 10 */
    "        lines: [left, right]\n"                                     /* 11 */
    "        driver: two-inputs\n"                                       /* 12 */
    "        rows:\n"                                                    /* 13 */
    "          coast: [low, low]\n"                                      /* 14 */
    "          brake: [high, high]\n"                                    /* 15 */
    "          forward: [duty, low]\n"                                   /* 16 */
    "          reverse: [low, duty]\n"                                   /* 17 */
    "    driver: {on-resistance: 0.2ohm, current-limit: 30A, voltage-limit: 30V}\n"
    "    motor: {resistance: 1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: 160gcm2}\n"
    "    ramp: {up: 0.5s, down: 0.5s}\n    rest: 1s\n";

START_TEST(an_own_table_works_like_a_shipped_one) {
    double rpm[2];
    for (int i = 0; i < 2; i++) {
        wpin_messages m = {0};
        wpin_rig *rig = i == 0 ? wpin_rig_read(write_file("own.yaml", own_rig), &m)
                               : rig_of(kind_called("two-inputs"), "");
        ck_assert_msg(rig != NULL, "%s", m.count ? m.items[0].text : "");
        rig->loads[0].motor.dry_friction = rig->loads[0].motor.static_friction = 5e-3;
        rig->loads[0].bridge.off_phase = WPIN_OFF_FAST;
        wpin_plan *plan;
        wpin_report *report =
            run_text(rig, "load ramp reverse 60%\nload hold 1s\nload brake 1s\n", &plan);
        ck_assert(!report->bad);
        rpm[i] = report->steps[1].rpm;
        wpin_report_free(report);
        wpin_plan_free(plan);
        wpin_rig_free(rig);
    }
    ck_assert_double_eq(rpm[0], rpm[1]);
}
END_TEST

static const struct {
    const char *from, *to;
    unsigned line;
    const char *words;
} own_mistakes[] = {
    {"coast: [low, low]", "coast: [low]", 14, "must be a list of 2 cells"},
    {"coast: [low, low]", "cost: [low, low]", 14, "unknown row 'cost' (did you mean 'coast'?)"},
    {"[duty, low]", "[dutty, low]", 16, "unknown cell 'dutty' (did you mean 'duty'?)"},
    {"[low, duty]", "[complement, duty]", 11, "the table does not hold"},
    {"          coast: [low, low]\n          brake: [high, high]\n", "", 11,
     "a coast or a brake row"},
    {"        driver: two-inputs\n", "        driver: two-inputs\n        legs: [[left, right]]\n",
     11, "a row turns on both lines of a leg"},
    {"driver: two-inputs", "driver: relay", 12, "has 1 inputs, this table has 2 lines"},
    {"driver: two-inputs", "driver: two-imputs", 12, "; did you mean 'two-inputs'?"},
    {"lines: [left, right]", "lines: []", 11, "lines must be a list of 1 to 8 names"},
    {"{left: 2, right: 3}", "{left: 2, write: 3}", 9, "unknown line 'write'"},
    {"      pwm: 20kHz\n", "", 7, "stage lacks 'pwm'; 'own-table' needs its frequency"},
    {"      pwm: 20kHz\n", "      pwm: 20kHz\n      at-rest: coats\n", 9,
     "(did you mean 'coast'?)"},
    {"kind: own-table\n", "kind: relay\n", 8, "'relay' knows on and off only and takes no pwm"},
    {"kind: own-table\n", "kind: direction-pwm\n      at-rest: brake\n", 8,
     "'direction-pwm' can't brake; expected coast"},
};

START_TEST(mistakes_in_a_table_are_told) {
    for (size_t i = 0; i < sizeof own_mistakes / sizeof *own_mistakes; i++) {
        const char *at = strstr(own_rig, own_mistakes[i].from);
        char *text = NULL;
        ck_assert_ptr_nonnull(at);
        ck_assert_int_ge(asprintf(&text, "%.*s%s%s", (int)(at - own_rig), own_rig,
                                  own_mistakes[i].to, at + strlen(own_mistakes[i].from)),
                         0);
        wpin_messages m = {0};
        ck_assert_ptr_null(wpin_rig_read(write_file("mistake.yaml", text), &m));
        bool told = false;
        for (size_t k = 0; k < m.count; k++) {
            told = told || (m.items[k].line == own_mistakes[i].line &&
                            strstr(m.items[k].text, own_mistakes[i].words) != NULL);
        }
        ck_assert_msg(told, "%s: %u: %s", own_mistakes[i].to, m.items[0].line, m.items[0].text);
        wpin_messages_free(&m);
        free(text);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("own_table");
    TCase *tests = tcase_create("own_table");
    tcase_add_test(tests, an_own_table_works_like_a_shipped_one);
    tcase_add_test(tests, mistakes_in_a_table_are_told);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
