/* The shelf: a pump on this kernel's pins, the tool on it, and what the chips saw. */
#define _GNU_SOURCE
#include "shelf.h"
#include <fcntl.h>
#include <math.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <unistd.h>

kernel_entry entries[32768];

void write_rig(const char *more) {
    FILE *to = fopen(RIG, "w");
    ck_assert_ptr_nonnull(to);
    fprintf(to,
            "rig: shelf\n"
            "controller: {logic: 3.3V, timer-clock: 1000MHz, timer-bits: 31}\n"
            "supplies: {main: {voltage: 12V, resistance: 120mohm, switch: on}}\n"
            "inputs: {stop: {pin: 8, contact: opens, stops: all}}\n"
            "loads:\n"
            "  pump:\n"
            "    supply: main\n"
            "    stage: {kind: direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}, pwm: "
            "20kHz, dead-time: 2us}\n"
            "    driver: {on-resistance: 180mohm, current-limit: 8A, voltage-limit: 30V, "
            "logic-high: 2V}\n"
            "    motor: {resistance: 1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: "
            "160gcm2, static-friction: 14mNm, dry-friction: 9mNm, gear: 18}\n"
            "    ramp: {up: 400ms, down: 300ms}\n"
            "    rest: 800ms\n"
            "linux:\n"
            "  chip: windpin-bench\n"
            "  pins: {9: {pwm: pwmchip0/0}, 8: {chip: hands, line: STOP}}\n%s",
            more);
    ck_assert_int_eq(fclose(to), 0);
    kernel_pull(0, false);
}

static const char PLAN[] = "pump ramp 60%\npump hold 1s\npump ramp reverse 50%\npump hold 1s\n"
                           "pump brake\npump rest 200ms\npump stop\n";

void write_plan(void) {
    FILE *to = fopen("/mnt/it.plan", "w");
    ck_assert_ptr_nonnull(to);
    fputs(PLAN, to);
    ck_assert_int_eq(fclose(to), 0);
}

void without_stop(void) {
    ck_assert_int_eq(system("sed -i '/^inputs/d; s/, 8: .chip: hands, line: STOP.//' " RIG), 0);
}

pid_t start(const char *say) {
    pid_t child = fork();
    if (child == 0) {
        int to = open(say, O_WRONLY | O_CREAT | O_TRUNC, 0600);
        dup2(to, 1);
        dup2(to, 2);
        setpgid(0, 0);
        execl(TEST_TOOL, TEST_TOOL, "run", RIG, "/mnt/it.plan", "--real", "--powered",
              "--confirmed", (char *)NULL);
        _exit(99);
    }
    kernel_sleep(0.02); /* its request pulls the input up; a hand closes the contact */
    kernel_pull(0, false);
    return child;
}

pid_t start_and_cruise(void) {
    write_rig("");
    write_plan();
    kernel_forget();
    pid_t child = start("/mnt/said");
    kernel_sleep(1.4);
    return child;
}

int end_of(pid_t child) {
    int status;
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

const char *text_of(const char *path) {
    static char text[20000];
    FILE *from = fopen(path, "r");
    text[from == NULL ? 0 : fread(text, 1, sizeof text - 1, from)] = '\0';
    if (from != NULL) {
        fclose(from);
    }
    return text;
}

pid_t find_guardian(void) {
    char said[200];
    int pid = 0;
    ck_assert_int_eq(run_command(said, sizeof said, "grep -l windpin-guard /proc/[0-9]*/comm"), 0);
    ck_assert_msg(sscanf(said, "/proc/%d/comm", &pid) == 1 && pid > 1, "%s", said);
    return pid;
}

bool ended_quiet(size_t count, double *since) {
    bool quiet = true;
    *since = 0;
    for (size_t i = 0; i < count; i++) {
        if (entries[i].kind == KERNEL_PWM) {
            bool off = !entries[i].level || entries[i].duty == 0;
            *since = off && !quiet ? entries[i].seconds : off ? *since : 0;
            quiet = off;
        }
    }
    return quiet;
}

double highest_duty(size_t count) {
    double most = 0;
    for (size_t i = 0; i < count; i++) {
        most = entries[i].kind == KERNEL_PWM ? fmax(most, entries[i].duty) : most;
    }
    return most;
}
