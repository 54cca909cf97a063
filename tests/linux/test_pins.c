/* Real pins, in a kernel of their own: what its chips saw is the judge, nothing that the process
 * says of itself. */
#define _GNU_SOURCE
#include "pins.h"
#include "shelf.h"
#include <math.h>
#include <sched.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <unistd.h>
#include <windpin/host/bind_linux.h>

/* A session that drives; then something keeps the only processor busy for 0.6 s. When that was
 * and when all was off for good, s; the session's exit status, -1 if it never drove. */
static int starve_a_session(double *at, double *over, double *quiet) {
    size_t count = 0;
    kernel_forget();
    pid_t child = start("/mnt/said");
    int status;
    while (highest_duty(count) == 0) {
        if (waitpid(child, &status, WNOHANG) == child) {
            return -1;
        }
        kernel_sleep(0.005);
        count = kernel_log(entries, COUNT(entries));
    }
    pid_t busy = fork();
    *at = kernel_now();
    if (busy == 0) {
        const struct sched_param before = {.sched_priority = 50};
        double end = kernel_now() + 0.6;
        int refused = sched_setscheduler(0, SCHED_FIFO, &before);
        while (refused == 0 && kernel_now() < end) {
        }
        _exit(refused == 0 ? 0 : 1);
    }
    ck_assert_int_eq(end_of(busy), 0);
    *over = kernel_now();
    status = end_of(child);
    ck_assert(ended_quiet(kernel_log(entries, COUNT(entries)), quiet));
    return status;
}

/* Not served, the session is made safe by the guardian, which comes before what keeps the processor
 * busy, long before that is over. Again where the computer outside took the time: a thread ahead of
 * all others tells. */
START_TEST(a_starved_session_is_made_safe) {
    double at = 0, over = 0, quiet = 0, lost;
    int status, tries = 0;
    bool ended;
    write_rig("");
    without_stop();
    write_plan();
    do {
        (void)time_lost(90);
        status = starve_a_session(&at, &over, &quiet);
        lost = time_lost(90);
        ended = status == 1 && over - at > 0.55 && quiet > at && quiet - at < 0.4;
    } while (!ended && lost > 0.05 && ++tries < 20);
    ck_assert_msg(ended, "status %d, busy for %.3f s, quiet after %.3f s, %.3f s lost: %s", status,
                  over - at, quiet - at, lost, text_of("/mnt/said"));
}
END_TEST

static int by_size(const void *a, const void *b) {
    const double *x = a, *y = b;
    return (*x > *y) - (*x < *y);
}

static void print_spread(const char *what, double *us, size_t count) {
    qsort(us, count, sizeof *us, by_size);
    printf("FIGURE %s: p50 %.1f us, p99 %.1f us, most %.1f us, of %zu\n", what, us[count / 2],
           us[count * 99 / 100], us[count - 1], count);
}

/* From a call of the port to the chip; and how late the duties of a ramp come, which are a control
 * period apart. With WPIN_FIGURES nothing else runs. */
START_TEST(figures) {
    static double us[8192];
    char why[300];
    const wpin_linux_pin pin = {.pin = 2, .line = {"windpin-bench", "2"}};
    const wpin_linux_config config = {.pins = &pin, .pin_count = 1};
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    wpin_bench bench = wpin_linux_bench(l);
    ck_assert_int_eq(bench.port.open(l, 2, WPIN_LOW), WPIN_OK);
    for (size_t i = 0; i < 2000; i++) {
        kernel_forget();
        double at = kernel_now();
        always(bench.port.write(l, 2, i % 2 == 0 ? WPIN_HIGH : WPIN_LOW) == WPIN_OK);
        ck_assert_uint_eq(kernel_log(entries, COUNT(entries)), 1);
        us[i] = (entries[0].seconds - at) * 1e6;
    }
    (void)bench.port.write(l, 2, WPIN_LOW);
    wpin_linux_close(l);
    print_spread("a call to its line", us, 2000);
    write_rig("");
    write_plan();
    without_stop();
    kernel_forget();
    (void)end_of(start("/mnt/said"));
    size_t count = kernel_log(entries, COUNT(entries)), found = 0;
    for (size_t i = 1; i < count; i++) {
        double apart = entries[i].seconds - entries[i - 1].seconds;
        bool both = entries[i].kind == KERNEL_PWM && entries[i - 1].kind == KERNEL_PWM;
        if (both && apart < 5e-3 && found < COUNT(us)) {
            us[found++] = fabs(apart - 1e-3) * 1e6;
        }
    }
    ck_assert_msg(found >= 100, "%zu of %zu: %s", found, count, text_of("/mnt/said"));
    print_spread("a control period, off by", us, found);
}
END_TEST

static bool is_set(const char *name) {
    const char *value = getenv(name);
    return value != NULL && value[0] != '\0';
}

int main(void) {
    Suite *suite = suite_create("pins");
    TCase *tests = tcase_create("pins");
    tcase_set_timeout(tests, 0);
    bool figures_only = is_set("WPIN_FIGURES"), in_time = is_set("WPIN_IN_TIME");
    if (figures_only || in_time) {
        tcase_add_test(tests, figures_only ? figures : a_starved_session_is_made_safe);
        suite_add_tcase(suite, tests);
        return run_suite(suite);
    }
    add_runs_tests(tests);
    add_ends_tests(tests);
    add_kinds_tests(tests);
    add_port_tests(tests);
    add_can_tests(tests);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
