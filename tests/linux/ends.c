/* Ends of every kind: a signal, a stop input, a chip that vanishes, sleep, the watchdog. */
#define _GNU_SOURCE
#include "pins.h"
#include "shelf.h"
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <windpin/host/bind_linux.h>
#include <windpin/host/plan.h>
#include <windpin/host/session.h>

typedef struct death {
    const char *name;
    int signal;    /* to the process; 0: none */
    bool guardian; /* the guardian is killed instead */
    bool stopped;  /* the process goes on later */
    double within; /* s, in which all has to be quiet */
} death;

/* The longest ramp to rest is 0.18 s (60 % of 300 ms); the guardian's silence 0.1 s. */
static const death deaths[] = {
    {"killed", SIGKILL, false, false, 0.1}, {"INT", SIGINT, false, false, 0.25},
    {"TERM", SIGTERM, false, false, 0.25},  {"HUP", SIGHUP, false, false, 0.25},
    {"QUIT", SIGQUIT, false, false, 0.25},  {"ABRT", SIGABRT, false, false, 0.1},
    {"SEGV", SIGSEGV, false, false, 0.1},   {"stopped", SIGSTOP, false, true, 0.13},
    {"TSTP", SIGTSTP, false, true, 0.13},   {"guardian killed", 0, true, false, 0.05},
};

static void die_at(const death *d, double moment) {
    kernel_forget();
    pid_t child = start("/mnt/said");
    kernel_sleep(moment);
    pid_t guardian = find_guardian();
    double at = kernel_now(), since;
    kill(d->guardian ? guardian : child, d->guardian ? SIGKILL : d->signal);
    kernel_sleep(0.6);
    size_t count = kernel_log(entries, COUNT(entries));
    bool quiet = ended_quiet(count, &since);
    ck_assert_msg(highest_duty(count) > 0, "%s at %.3f s: it never moved: %s", d->name, moment,
                  text_of("/mnt/said"));
    ck_assert_msg(quiet, "%s at %.3f s: PWM goes on: %s", d->name, moment, text_of("/mnt/said"));
    ck_assert_msg(since <= at + d->within, "%s at %.3f s: quiet after %.3f s", d->name, moment,
                  since - at);
    if (d->stopped) { /* it comes back, and moves nothing */
        kernel_forget();
        kill(child, SIGCONT);
        int status = end_of(child);
        ck_assert_msg(status == 1, "%s: %d %s", d->name, status, text_of("/mnt/said"));
        count = kernel_log(entries, COUNT(entries));
        ck_assert_msg(highest_duty(count) == 0, "%s at %.3f s: it went on", d->name, moment);
    } else {
        int status = end_of(child);
        ck_assert_msg(status != 0, "%s at %.3f s: %d", d->name, moment, status);
    }
    for (size_t i = 0; i < count; i++) { /* nobody has the lines any more */
        always(entries[i].kind != KERNEL_IN);
    }
}

START_TEST(safe_in_every_end) {
    const char *asked = getenv("WPIN_ENDS");
    long moments = asked == NULL || asked[0] == '\0' ? 1 : atol(asked);
    const death *d = &deaths[_i];
    write_rig("");
    write_plan();
    pick_seed((uint32_t)_i + 1);
    for (long n = 0; n < moments; n++) { /* over ramp, cruise, reversal, brake; it is at rest
                                            for 0.85 s first */
        die_at(d, 0.95 + 3.4 * ((double)n + pick(1000) * 1e-3) / (double)moments);
    }
}
END_TEST

/* The stop contact opens, with bounce: PWM is off within some control periods. */
START_TEST(the_stop_input_stops) {
    double since;
    pid_t child = start_and_cruise();
    double at = kernel_now();
    for (int i = 0; i < 9; i++) {
        kernel_pull(0, i % 2 == 0);
        kernel_sleep(0.0003);
    }
    int status = end_of(child);
    size_t count = kernel_log(entries, COUNT(entries));
    ck_assert_msg(status == 1 && strstr(text_of("/mnt/said"), "stop input") != NULL, "%s",
                  text_of("/mnt/said"));
    ck_assert(ended_quiet(count, &since));
    ck_assert_msg(since - at < 0.35, "%.4f s", since - at);
}
END_TEST

/* A chip that is unplugged in the middle of a run. */
START_TEST(a_chip_that_vanishes_is_a_fault) {
    double since;
    pid_t child = start_and_cruise();
    ck_assert_int_eq(system("echo 0 > /sys/kernel/config/gpio-sim/hands/live"), 0);
    double at = kernel_now();
    int status = end_of(child);
    ck_assert_int_eq(system("echo 1 > /sys/kernel/config/gpio-sim/hands/live"), 0);
    size_t count = kernel_log(entries, COUNT(entries));
    ck_assert_msg(status == 1 && strstr(text_of("/mnt/said"), "can't be read") != NULL, "%s",
                  text_of("/mnt/said"));
    ck_assert(ended_quiet(count, &since));
    ck_assert_msg(since - at < 0.05, "%.4f s", since - at);
}
END_TEST

static int64_t asleep_ns; /* for which the computer slept, as the kernel would say */
int __real_clock_gettime(clockid_t which, struct timespec *to);
int __wrap_clock_gettime(clockid_t which, struct timespec *to);

/* This kernel can't sleep; the clock that goes on meanwhile is put on from here. */
int __wrap_clock_gettime(clockid_t which, struct timespec *to) {
    int status = __real_clock_gettime(which, to);
    if (which == CLOCK_BOOTTIME) {
        int64_t ns = (int64_t)to->tv_sec * 1000000000 + to->tv_nsec + asleep_ns;
        *to = (struct timespec){.tv_sec = ns / 1000000000, .tv_nsec = ns % 1000000000};
    }
    return status;
}

/* A session in this process, driven until the computer has slept: every motor is in a fault, and at
 * rest by the chip's log. */
START_TEST(a_computer_that_slept_is_a_fault) {
    char why[400] = "";
    wpin_messages m = {0};
    wpin_status refused;
    double since;
    write_rig("");
    without_stop();
    write_plan();
    wpin_bound_linux *pins = calloc(1, sizeof *pins);
    wpin_rig *rig = wpin_rig_read(RIG, &m);
    wpin_plan *plan = rig == NULL ? NULL : wpin_plan_read("/mnt/it.plan", rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "?");
    ck_assert_msg(wpin_bind_linux(pins, rig, why, sizeof why), "%s", why);
    kernel_forget();
    asleep_ns = 0;
    wpin_linux *l = wpin_linux_open(&pins->config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    wpin_bench bench = wpin_linux_bench(l);
    wpin_session *session = wpin_session_open(rig, plan, &bench, NULL, &refused, why, sizeof why);
    ck_assert_msg(session != NULL, "%s", why);
    ck_assert(wpin_session_until(session, 1));
    asleep_ns = 60000000000;
    double at = kernel_now();
    (void)wpin_session_until(session, 1.1);
    ck_assert_msg(strstr(wpin_linux_why(l), "slept") != NULL, "%s", wpin_linux_why(l));
    size_t count = kernel_log(entries, COUNT(entries));
    ck_assert(highest_duty(count) > 0.5);
    ck_assert(ended_quiet(count, &since));
    ck_assert_msg(since - at < 5e-3, "%.4f s", since - at);
    ck_assert_int_eq(wpin_session_motor(session, 0)->fault, WPIN_FAULT_PORT);
    wpin_report_free(wpin_session_close(session, why, sizeof why));
    wpin_linux_close(l);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    free(pins);
}
END_TEST

/* How often the kernel's own would have reset the computer. */
static unsigned resets(void) {
    char said[16];
    ck_assert_int_eq(run_command(said, sizeof said, "dmesg | grep -c 'softdog: Triggered'; true"),
                     0);
    return (unsigned)atoi(said);
}

/* An end that was meant stops it; where the process and its guardian die at once, it acts. */
START_TEST(the_watchdog_acts_where_both_die) {
    write_rig("  watchdog: /dev/watchdog\n");
    write_plan();
    unsigned before = resets();
    pid_t child = start("/mnt/said");
    kernel_sleep(1.4);
    kill(child, SIGINT);
    (void)end_of(child);
    kernel_sleep(90);
    ck_assert_uint_eq(resets(), before);
    child = start("/mnt/said");
    kernel_sleep(1.4);
    pid_t guardian = find_guardian();
    kill(guardian, SIGSTOP); /* so that neither sees the other go */
    kill(child, SIGKILL);
    kill(guardian, SIGKILL);
    (void)end_of(child);
    kernel_sleep(1);
    ck_assert_uint_eq(resets(), before);
    kernel_sleep(3);
    ck_assert_uint_eq(resets(), before + 1);
    ck_assert_int_eq(system("cd /sys/class/pwm/pwmchip0/pwm0 && echo 0 > duty_cycle"), 0);
}
END_TEST

void add_ends_tests(TCase *tests) {
    tcase_add_loop_test(tests, safe_in_every_end, 0, (int)COUNT(deaths));
    tcase_add_test(tests, the_stop_input_stops);
    tcase_add_test(tests, a_chip_that_vanishes_is_a_fault);
    tcase_add_test(tests, a_computer_that_slept_is_a_fault);
    tcase_add_test(tests, the_watchdog_acts_where_both_die);
}
