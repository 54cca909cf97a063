/* A rig's pins on a small computer: what the 'linux' section may say, and what comes of it. What
 * moves pins is tested in a kernel of its own (tests/linux). */
#include "support.h"
#include <stdlib.h>
#include <string.h>
#include <windpin/host/bind_linux.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define SHELF        TEST_SOURCE "/demo/honey-shelf.yaml"

static char output[16000];

/* The shelf's rig with a 'linux' section of its own. */
static wpin_rig *read_with(const char *section, wpin_messages *m) {
    ck_assert_int_eq(run_command(output, sizeof output, "sed '/^linux:/,$d' %s > %s", SHELF,
                                 scratch("rig.yaml")),
                     0);
    FILE *to = fopen(scratch("rig.yaml"), "a");
    ck_assert_ptr_nonnull(to);
    fputs(section, to);
    ck_assert_int_eq(fclose(to), 0);
    return wpin_rig_read(scratch("rig.yaml"), m);
}

START_TEST(mistakes_are_told) {
    static const struct {
        const char *section, *words;
    } rows[] = {
        {"linux: nix\n", "must be a mapping"},
        {"linux: {chips: gpiochip0}\n", "did you mean 'chip'?"},
        {"linux: {pins: [4]}\n", "pins must be a mapping"},
        {"linux: {pins: {300: 4}}\n", "300"},
        {"linux: {pins: {4: 17, 4: 18}}\n", "twice"},
        {"linux: {pins: {4: {chip: gpiochip0}}}\n", "expected a line"},
        {"linux: {pins: {9: {pwm: pwmchip0/0, line: 4}}}\n", "expected a line"},
        {"linux: {pins: {9: {pwm: pwmchip0}}}\n", "is not a channel"},
        {"linux: {pins: {9: {pwm: /0}}}\n", "is not a channel"},
        {"linux: {pins: {9: {pwm: pwmchip0/../../x}}}\n", "is not a channel"},
        {"linux: {counters: {pump: counter0/count0}}\n", "not a load with an encoder"},
        {"linux: {analog: {x: iio:device0/voltage0}}\n", "not an analogue input"},
        {"linux: {analog: {99: iio:device0/voltage0}}\n", "not an analogue input"},
        {"linux: {analog: {0: voltage0}}\n", "analogue input of the kernel"},
        {"linux: {guard: 1ms}\n", "guard"},
        {"linux: {slow: expander}\n", "slow must be a list of chips"},
    };
    for (size_t i = 0; i < COUNT(rows); i++) {
        wpin_messages m = {0};
        wpin_rig *rig = read_with(rows[i].section, &m);
        ck_assert_msg(rig == NULL && m.count > 0 && strstr(m.items[0].text, rows[i].words) != NULL,
                      "row %zu: %s", i, m.count > 0 ? m.items[0].text : "nothing");
        wpin_messages_free(&m);
    }
}
END_TEST

START_TEST(a_rig_becomes_lines_and_channels) {
    static const struct {
        const char *section, *words; /* NULL: it can be */
    } rows[] = {
        {"", "does not say where its pins are"},
        {"linux: {chip: gpiochip0}\n", "pin 9 ('pwm' of 'pump') makes PWM: expected a channel"},
        {"linux: {pins: {9: {pwm: pwmchip0/0}, 4: 1, 7: 2}}\n", "pin 5 ('coil' of 'ventilator')"},
        {"linux: {chip: c, pins: {9: {pwm: pwmchip0/0}, 8: {pwm: pwmchip0/1}}}\n", "is an input"},
        {"linux: {chip: c, pins: {9: {pwm: pwmchip0/0}, 7: BRAKE}, guard: 50ms}\n", NULL},
    };
    wpin_bound_linux *bound = calloc(1, sizeof *bound);
    ck_assert_ptr_nonnull(bound);
    for (size_t i = 0; i < COUNT(rows); i++) {
        wpin_messages m = {0};
        char why[400] = "";
        wpin_rig *rig = read_with(rows[i].section, &m);
        ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "?");
        bool good = wpin_bind_linux(bound, rig, why, sizeof why);
        ck_assert_msg(good == (rows[i].words == NULL) &&
                          (good || strstr(why, rows[i].words) != NULL),
                      "row %zu: %s", i, why);
        if (good) { /* direction, brake, pwm, coil, stop */
            ck_assert_uint_eq(bound->config.pin_count, 5);
            ck_assert_str_eq(bound->pins[0].line.line, "4");
            ck_assert_str_eq(bound->pins[1].line.line, "BRAKE");
            ck_assert(bound->pins[2].line.line == NULL && bound->pins[4].input);
            ck_assert_str_eq(bound->pins[2].pwm, "pwmchip0/0");
            ck_assert_double_eq(bound->config.guard, 0.05);
        }
        wpin_rig_free(rig);
        wpin_messages_free(&m);
    }
    free(bound);
}
END_TEST

/* What a rig's file tells already: the binding refuses it with the first reason, and vetting says
 * it beforehand, each with its part. */
START_TEST(what_can_not_be_is_told_before) {
    static const struct {
        const char *rig, *section, *words, *part;
    } rows[] = {
        {"honey-spinner", "{chip: c}", "commutated by its sensors", "drum"},
        {"honey-fan", "{chip: c}", "commutated by its sensors", "fan"},
        {"honey-turntable", "{chip: c, slow: [c]}", "has many edges a second, and c is slow",
         "turntable"},
        {"honey-shelf", "{chip: c, pins: {9: {pwm: p/0}, 4: 17, 7: 17}}",
         "pins 4 and 7 are both 17", "controller"},
        {"honey-shelf", "{chip: c, pins: {9: {pwm: p/0}, 7: 4}}",
         "is not listed, so line 4 of c, which pin 7 has", "pump"},
        {"honey-shelf", "{chip: c, guard: 20ms, pins: {9: {pwm: p/0}}}", "guard 20 ms is too short",
         "controller"},
        {"honey-belts",
         "{chip: c, pins: {4: {pwm: p/0}, 5: {pwm: p/1}, 6: {pwm: p/2}, 7: {pwm: "
         "p/3}}, analog: {1: d/v}}",
         "its analogue input 0 is not in 'linux: analog'", "left"},
        {"honey-belts",
         "{chip: c, pins: {4: {pwm: p/0}, 5: {pwm: p/1}, 6: {pwm: p/2}, 7: {pwm: "
         "p/3}, 21: {chip: d, line: 1}}, analog: {0: d/u, 1: d/v}}",
         "are on two chips, c and d", "left"},
        {"honey-belts",
         "{chip: c, slow: [d], pins: {4: {pwm: p/0}, 5: {pwm: p/1}, 6: {pwm: p/2}, "
         "7: {pwm: p/3}, 22: {chip: d, line: 1}, 23: {chip: d, line: 2}}, analog: {0: d/u, 1: "
         "d/v}}",
         "pin 22 (channel a of the encoder of 'right') has many edges", "right"},
        {"honey-belts",
         "{chip: c, pins: {4: {pwm: p/0}, 5: {pwm: p/1}, 6: {pwm: p/2}, 7: {pwm: "
         "p/3}}, counters: {right: counter0/count0}, analog: {0: d/u, 1: d/v}}",
         "counter0/count0 does not report when it counted", "right"},
    };
    wpin_bound_linux *bound = calloc(1, sizeof *bound);
    ck_assert_ptr_nonnull(bound);
    for (size_t i = 0; i < COUNT(rows); i++) {
        wpin_messages m = {0};
        char why[400] = "", wanted[80];
        int status = run_command(output, sizeof output,
                                 "sed '/^linux:/,$d' %s/demo/%s.yaml > %s; echo 'linux: %s' >> %s",
                                 TEST_SOURCE, rows[i].rig, scratch("fast.yaml"), rows[i].section,
                                 scratch("fast.yaml"));
        ck_assert_msg(status == 0, "%s", output);
        wpin_rig *rig = wpin_rig_read(scratch("fast.yaml"), &m);
        ck_assert_msg(rig != NULL, "row %zu: %s", i, m.count > 0 ? m.items[0].text : "?");
        ck_assert(!wpin_bind_linux(bound, rig, why, sizeof why));
        ck_assert_msg(strstr(why, rows[i].words) != NULL, "row %zu: %s", i, why);
        ck_assert_msg(strstr(why, ": expected ") != NULL, "row %zu: %s", i, why);
        (void)run_command(output, sizeof output, "%s vet %s", TEST_TOOL, scratch("fast.yaml"));
        snprintf(wanted, sizeof wanted, "caution: %s real-pins", rows[i].part);
        ck_assert_msg(strstr(output, wanted) != NULL && strstr(output, rows[i].words) != NULL,
                      "row %zu: %s", i, output);
        wpin_rig_free(rig);
        wpin_messages_free(&m);
    }
    free(bound);
}
END_TEST

/* Real pins are not moved by somebody who did not say so, and not where there are none. */
START_TEST(nothing_real_moves_unasked) {
    int status = run_command(output, sizeof output, "%s run %s %s/demo/honey-shelf.plan --real",
                             TEST_TOOL, SHELF, TEST_SOURCE);
    ck_assert_msg(status == 2 && strstr(output, "say --powered") != NULL, "%s", output);
    status = run_command(output, sizeof output,
                         "%s run %s %s/demo/honey-shelf.plan --real --powered < /dev/null",
                         TEST_TOOL, SHELF, TEST_SOURCE);
    ck_assert_msg(status == 2 && strstr(output, "--confirmed") != NULL, "%s", output);
    status = run_command(output, sizeof output,
                         "printf 'stop press\\n' > %s; %s run %s %s --real --powered --confirmed",
                         scratch("hands.plan"), TEST_TOOL, SHELF, scratch("hands.plan"));
    ck_assert_msg(status == 2 && strstr(output, "nobody does that here") != NULL, "%s", output);
    status = run_command(output, sizeof output,
                         "%s run %s %s/demo/honey-shelf.plan --real --powered --vcd x.vcd",
                         TEST_TOOL, SHELF, TEST_SOURCE);
    ck_assert_msg(status == 2 && strstr(output, "logic analyser") != NULL, "%s", output);
    ck_assert_int_eq(run_command(output, sizeof output, "sed 's/gpiochip0/no-such-chip/' %s > %s",
                                 SHELF, scratch("rig.yaml")),
                     0);
    status = run_command(output, sizeof output,
                         "%s run %s %s/demo/honey-shelf.plan --real --confirmed --powered",
                         TEST_TOOL, scratch("rig.yaml"), TEST_SOURCE);
    ck_assert_msg(status == 2 && strstr(output, "nothing was run") != NULL, "%s", output);
    status = run_command(output, sizeof output, "%s live %s --real --lines < /dev/null", TEST_TOOL,
                         scratch("rig.yaml"));
    ck_assert_msg(status == 2, "%s", output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("real");
    TCase *tests = tcase_create("real");
    tcase_add_test(tests, mistakes_are_told);
    tcase_add_test(tests, a_rig_becomes_lines_and_channels);
    tcase_add_test(tests, what_can_not_be_is_told_before);
    tcase_add_test(tests, nothing_real_moves_unasked);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
