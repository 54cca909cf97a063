/* The hardware of the kernel under test: its log, and hands on its inputs. */
#define _GNU_SOURCE
#include "kernel.h"
#include "../support.h"
#include <glob.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define LOG "/sys/kernel/debug/windpin_bench/log"

void kernel_forget(void) {
    FILE *log = fopen(LOG, "w");
    ck_assert_ptr_nonnull(log);
    fputs("x", log);
    ck_assert_int_eq(fclose(log), 0);
}

size_t kernel_log(kernel_entry *entries, size_t most) {
    FILE *log = fopen(LOG, "r");
    char line[120];
    size_t count = 0;
    ck_assert_ptr_nonnull(log);
    while (count < most && fgets(line, sizeof line, log) != NULL) {
        kernel_entry *e = &entries[count];
        char what[8] = "";
        unsigned long long ns, a = 0, b = 0;
        int on = 0, inverted = 0;
        always(sscanf(line, "%llu %7s %u %llu %llu %d %d", &ns, what, &e->number, &a, &b, &on,
                      &inverted) >= 4);
        e->seconds = (double)ns * 1e-9;
        e->kind = what[0] == 'p' ? KERNEL_PWM : what[0] == 'o' ? KERNEL_OUT : KERNEL_IN;
        e->level = e->kind == KERNEL_PWM ? on != 0 : a != 0;
        e->duty = e->kind == KERNEL_PWM && on != 0 && a != 0 ? (double)b / (double)a : 0;
        e->inverted = inverted != 0;
        e->period = (double)a * 1e-9;
        count++;
    }
    fclose(log);
    return count;
}

void kernel_pull(unsigned line, bool up) {
    glob_t all = {0};
    char pattern[120];
    snprintf(pattern, sizeof pattern, "/sys/devices/platform/gpio-sim.*/gpiochip*/sim_gpio%u/pull",
             line);
    ck_assert_int_eq(glob(pattern, 0, NULL, &all), 0);
    FILE *pull = fopen(all.gl_pathv[0], "w");
    ck_assert_ptr_nonnull(pull);
    fputs(up ? "pull-up" : "pull-down", pull);
    ck_assert_int_eq(fclose(pull), 0);
    globfree(&all);
}

double kernel_now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

void kernel_sleep(double seconds) {
    struct timespec t = {.tv_sec = (time_t)seconds,
                         .tv_nsec = (long)((seconds - (double)(time_t)seconds) * 1e9)};
    while (nanosleep(&t, &t) != 0) {
    }
}
