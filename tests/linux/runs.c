/* Plans and hands on real pins, and what refuses them. */
#define _GNU_SOURCE
#include "pins.h"
#include "shelf.h"
#include <math.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>

/* Levels before outputs, the duties of the plan, the direction changed only at 0 %, and all as it
 * was in the end. */
START_TEST(a_plan_moves_real_pins) {
    write_rig("");
    write_plan();
    kernel_forget();
    int status = end_of(start("/mnt/said"));
    const char *said = text_of("/mnt/said");
    ck_assert_msg(status == 0 || strstr(said, "as asked") != NULL, "%s", said);
    ck_assert_msg(strstr(said, "on this computer's pins") != NULL, "%s", said);
    size_t count = kernel_log(entries, COUNT(entries));
    bool seen[32] = {false};
    double duty = 0, since;
    unsigned turns = 0;
    for (size_t i = 0; i < count; i++) {
        const kernel_entry *e = &entries[i];
        if (e->kind == KERNEL_PWM) {
            duty = e->duty;
            always(fabs(e->period - 50e-6) < 1e-9);
        } else if (e->number < 32 && !seen[e->number]) {
            ck_assert_msg(e->kind == KERNEL_OUT && !e->level, "line %u began otherwise", e->number);
            seen[e->number] = true;
        } else if (e->number == 4 && e->level && turns == 0) {
            turns++;
            ck_assert_msg(duty == 0, "the direction changed at %.3f", duty);
        }
    }
    ck_assert(seen[4] && seen[7] && turns == 1);
    ck_assert_double_eq_tol(highest_duty(count), 0.6, 1e-3);
    ck_assert(ended_quiet(count, &since));
}
END_TEST

/* What was recorded on real pins is what the same plan does simulated. */
START_TEST(a_real_run_is_as_simulated) {
    char said[8000];
    write_rig("");
    without_stop();
    write_plan();
    int status = run_command(said, sizeof said,
                             "%s run %s /mnt/it.plan --real --powered --confirmed --trace "
                             "/mnt/real.csv && %s compare %s /mnt/it.plan --record /mnt/real.csv",
                             TEST_TOOL, RIG, TEST_TOOL, RIG);
    ck_assert_msg(status == 0 && strstr(said, "pump: the duties ") != NULL, "%d %s", status, said);
    ck_assert_int_eq(system("awk -F, 'NR > 1 && ($4 $5 $8 $9) != \"\" {bad = 1} END {exit bad}' "
                            "/mnt/real.csv"),
                     0); /* what is not measured is not made up */
    double average = 99, most = 99;
    const char *woken = strstr(said, "Woken ");
    ck_assert_msg(woken != NULL && sscanf(woken, "Woken %*u times, %lf ms late on average, %lf ms",
                                          &average, &most) == 2,
                  "%s", said);
    ck_assert_msg(average >= 0 && average < 0.1 && most >= average, "%s", woken);
    const char *compared = strstr(said, "pump: the duties ");
    ck_assert_msg(strstr(compared, "agree") != NULL || strstr(compared, "same") != NULL, "%s",
                  compared);
}
END_TEST

/* A wire that is inverted: its channel is high when nothing drives, from its first instant on. */
START_TEST(an_inverted_channel_begins_high) {
    char said[4000];
    write_rig("");
    write_plan();
    ck_assert_int_eq(run_command(said, sizeof said,
                                 "sed -i 's=dead-time: 2us=dead-time: 2us, inverted: [pwm]=; "
                                 "s=pwmchip0/0=pwmchip0/3=' %s",
                                 RIG),
                     0);
    kernel_forget();
    int status = end_of(start("/mnt/said"));
    ck_assert_msg(status == 0 || strstr(text_of("/mnt/said"), "as asked") != NULL, "%s",
                  text_of("/mnt/said"));
    size_t count = kernel_log(entries, COUNT(entries));
    bool begun = false, over = false;
    for (size_t i = 0; i < count; i++) {
        const kernel_entry *e = &entries[i];
        if (e->kind == KERNEL_PWM && e->level) {
            always(e->inverted && !over && (begun || e->duty == 0));
            begun = true;
        } else if (e->kind == KERNEL_PWM && begun) {
            over = true; /* off only at the end */
        }
    }
    ck_assert(begun);
    ck_assert_double_eq_tol(highest_duty(count), 0.6, 1e-3);
}
END_TEST

/* By hand: what is asked in lines is on the pins, and silence ends it on its ramp. */
START_TEST(hands_move_real_pins) {
    char said[20000];
    double since;
    write_rig("");
    kernel_forget();
    int status =
        run_command(said, sizeof said,
                    "(sleep 4; echo pull-down > "
                    "$(echo /sys/devices/platform/gpio-sim.*/gpiochip*/sim_gpio0/pull); sleep 0.2; "
                    "printf 'command\\nconfirm\\nmain on\\nrearm\\narm\\n'; sleep 0.01; "
                    "echo 'pump ramp 40%%'; for i in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15; do "
                    "sleep 0.1; echo alive; done; echo state; sleep 1; echo state) | "
                    "%s live %s --real --lines --confirmed",
                    TEST_TOOL, RIG);
    size_t count = kernel_log(entries, COUNT(entries));
    ck_assert_msg(status == 0, "%d %s", status, said);
    ck_assert_msg(strstr(said, "\"duty\":40.0") != NULL, "%s", said);
    ck_assert_msg(strstr(said, "link lost") != NULL, "%s", said);
    ck_assert_double_eq_tol(highest_duty(count), 0.4, 1e-3);
    ck_assert(ended_quiet(count, &since));
}
END_TEST

START_TEST(what_is_taken_is_refused_with_its_owner) {
    char said[4000];
    write_rig("");
    write_plan();
    pid_t first = start("/mnt/said");
    kernel_sleep(0.5);
    int status = run_command(said, sizeof said,
                             "%s run %s /mnt/it.plan --real --powered --confirmed", TEST_TOOL, RIG);
    char number[40];
    snprintf(number, sizeof number, "taken by process %d", (int)first);
    ck_assert_msg(status == 2 && strstr(said, number) != NULL, "%d %s", status, said);
    kill(first, SIGINT);
    (void)end_of(first);
    /* a channel that runs, with nobody who minds it */
    ck_assert_int_eq(system("cd /sys/class/pwm/pwmchip0 && echo 0 > export && echo 50000 > "
                            "pwm0/period && echo 25000 > pwm0/duty_cycle && echo 1 > pwm0/enable"),
                     0);
    kernel_forget();
    pid_t next = start("/mnt/said");
    kernel_sleep(0.1);
    kill(next, SIGINT);
    (void)end_of(next);
    size_t count = kernel_log(entries, COUNT(entries));
    ck_assert(count > 0 && entries[0].kind == KERNEL_PWM && entries[0].duty == 0);
    ck_assert_msg(strstr(text_of("/mnt/said"), "was left running") != NULL, "%s",
                  text_of("/mnt/said"));
}
END_TEST

/* Rows in which the rig or the kernel does not agree. */
START_TEST(what_can_not_be_is_told) {
    static const struct {
        const char *pins, *words;
    } rows[] = {
        {"{9: {pwm: pwmchip0/9}, 8: {chip: hands, line: STOP}}", "has not so many"},
        {"{9: {pwm: pwmchip7/0}, 8: {chip: hands, line: STOP}}", "there is no PWM chip 'pwmchip7'"},
        {"{9: {pwm: pwmchip0/0}, 8: {chip: nowhere, line: STOP}}", "there is no chip 'nowhere'"},
        {"{9: {pwm: pwmchip0/0}, 8: {chip: hands, line: START}}", "there is no line 'START' on"},
        {"{9: {pwm: pwmchip0/0}, 4: 99, 8: {chip: hands, line: STOP}}", "there is no line '99'"},
        {"{8: {chip: hands, line: STOP}}", "makes PWM: expected a channel"},
        {"{9: {pwm: pwmchip0/0}, 8: {pwm: pwmchip0/1}}", "is an input"},
    };
    char said[4000];
    write_plan();
    for (size_t i = 0; i < COUNT(rows); i++) {
        write_rig("");
        ck_assert_int_eq(run_command(said, sizeof said, "sed -i 's|^  pins: .*|  pins: %s|' %s",
                                     rows[i].pins, RIG),
                         0);
        int status =
            run_command(said, sizeof said, "%s run %s /mnt/it.plan --real --powered --confirmed",
                        TEST_TOOL, RIG);
        ck_assert_msg(status == 2 && strstr(said, rows[i].words) != NULL, "row %zu: %d %s", i,
                      status, said);
    }
    write_rig("");
    int status =
        run_command(said, sizeof said, "%s run %s /mnt/it.plan --real --powered", TEST_TOOL, RIG);
    ck_assert_msg(status == 2 && strstr(said, "--confirmed") != NULL, "%s", said);
    /* a period it does not take, on a channel that has none yet */
    ck_assert_int_eq(system("sed -i s=pwmchip0/0=pwmchip0/2= " RIG), 0);
    ck_assert_int_eq(system("echo 60000 > /sys/module/windpin_bench/parameters/shortest"), 0);
    status = run_command(said, sizeof said, "%s run %s /mnt/it.plan --real --powered --confirmed",
                         TEST_TOOL, RIG);
    ck_assert_int_eq(system("echo 1000 > /sys/module/windpin_bench/parameters/shortest"), 0);
    ck_assert_msg(status == 2 && strstr(said, "does not take 20000 Hz") != NULL, "%s", said);
    /* no rights */
    status =
        run_command(said, sizeof said,
                    "chmod 644 /mnt/rig.yaml /mnt/it.plan; chmod 755 /mnt; chmod 777 /run/lock; "
                    "rm -f /run/lock/*; setpriv --reuid 65534 --clear-groups %s run %s "
                    "/mnt/it.plan --real --powered --confirmed",
                    TEST_TOOL, RIG);
    ck_assert_msg(status == 2 && strstr(said, "may be opened by you") != NULL, "%d %s", status,
                  said);
}
END_TEST

/* A record that can't be kept ends motion on its ramp. */
START_TEST(a_full_disk_ends_it) {
    char said[4000];
    double since;
    write_rig("");
    write_plan();
    ck_assert_int_eq(system("mkdir -p /mnt/small && mount -t tmpfs -o size=8k none /mnt/small"), 0);
    kernel_forget();
    int status = run_command(said, sizeof said,
                             "(sleep 0.02; echo pull-down > "
                             "$(echo /sys/devices/platform/gpio-sim.*/gpiochip*/sim_gpio0/pull)) & "
                             "%s run %s /mnt/it.plan --real --powered --confirmed --trace "
                             "/mnt/small/t.csv --sample 100",
                             TEST_TOOL, RIG);
    size_t count = kernel_log(entries, COUNT(entries));
    ck_assert_msg(status == 1 && strstr(said, "No space left") != NULL, "%d %s", status, said);
    ck_assert(ended_quiet(count, &since));
}
END_TEST

void add_runs_tests(TCase *tests) {
    tcase_add_test(tests, a_plan_moves_real_pins);
    tcase_add_test(tests, a_real_run_is_as_simulated);
    tcase_add_test(tests, an_inverted_channel_begins_high);
    tcase_add_test(tests, hands_move_real_pins);
    tcase_add_test(tests, what_is_taken_is_refused_with_its_owner);
    tcase_add_test(tests, what_can_not_be_is_told);
    tcase_add_test(tests, a_full_disk_ends_it);
}
