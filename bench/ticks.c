/* What a session costs that ticks a thousand times a second in wall time: the share of a processor,
 * beside a bare loop that only wakes as often. Four motors that are never still, on a port that
 * does nothing: the session's own work, no hardware's, simulated or real. usage: bench_ticks
 * bare|session SECONDS */
#define _GNU_SOURCE
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <time.h>
#include <windpin/host/plan.h>
#include <windpin/host/session.h>

#define TICK_NS 1000000LL

static int64_t now_ns(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

static void sleep_until(int64_t ns) {
    struct timespec t = {.tv_sec = ns / 1000000000, .tv_nsec = ns % 1000000000};
    clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &t, NULL);
}

/* ---- a port that does nothing ---- */

static wpin_moment port_now(void *context) {
    (void)context;
    return (wpin_moment)(now_ns() / 1000);
}

static wpin_status port_level(void *context, wpin_pin pin, wpin_level level) {
    (void)context, (void)pin, (void)level;
    return WPIN_OK;
}

static wpin_status port_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                              wpin_pwm_achieved *achieved) {
    (void)context, (void)pin;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 1000};
    return WPIN_OK;
}

static wpin_status port_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context, (void)pin, (void)duty;
    return WPIN_OK;
}

static int16_t port_millivolts(void *context, uint8_t input) {
    (void)context, (void)input;
    return 100;
}

static void port_pause(void *context, uint32_t us) {
    (void)context, (void)us;
}

static int64_t begun;

static int64_t bench_time(void *context) {
    (void)context;
    return (now_ns() - begun) * 1000;
}

static void bench_wait(void *context, int64_t until_ps) {
    (void)context;
    sleep_until(begun + until_ps / 1000);
}

/* ---- four motors ---- */

#define LOAD(name, direction, brake, pwm, sense)                                                   \
    "  " name ": {supply: main, stage: {kind: direction-pwm-brake, pins: {direction: " direction   \
    ", brake: " brake ", pwm: " pwm "}, pwm: 20kHz, dead-time: 2us}, driver: {on-resistance: "     \
    "180mohm, current-limit: 8A, voltage-limit: 30V, sense: 400mV/A}, motor: {resistance: "        \
    "1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: 160gcm2}, ramp: {up: 1s, down: 1s}, "  \
    "rest: 100ms, current-trip: {level: 6A, time: 50ms, input: " sense "}}\n"

static const char rig_text[] =
    "rig: four\nsupplies: {main: {voltage: 12V, resistance: 50mohm, switch: on}}\nloads:\n" LOAD(
        "a", "1", "2", "3", "0") LOAD("b", "4", "5", "6", "1") LOAD("c", "7", "8", "9", "2")
        LOAD("d", "10", "11", "12", "3");
#define TRACK(name, high)                                                                          \
    "  track\n    repeat forever\n      " name " ramp " high " in 1s\n      " name                 \
    " ramp 20% in 1s\n    end\n  end\n"
static const char plan_text[] = "rehearse 1000s\nparallel\n" TRACK("a", "60%") TRACK("b", "50%")
    TRACK("c", "40%") TRACK("d", "30%") "end\n";

static const char *write_text(const char *path, const char *text) {
    FILE *to = fopen(path, "w");
    if (to == NULL || fputs(text, to) < 0 || fclose(to) != 0) {
        perror(path);
        exit(1);
    }
    return path;
}

static unsigned long run_session(double seconds) {
    char why[400] = "";
    wpin_messages m = {0};
    wpin_status refused;
    wpin_rig *rig = wpin_rig_read(write_text("/tmp/bench-ticks.yaml", rig_text), &m);
    wpin_plan *plan = rig == NULL
                          ? NULL
                          : wpin_plan_read(write_text("/tmp/bench-ticks.plan", plan_text), rig, &m);
    begun = now_ns();
    const wpin_bench bench = {.port = {.now = port_now,
                                       .open = port_level,
                                       .write = port_level,
                                       .pwm_start = port_start,
                                       .pwm_duty = port_duty,
                                       .millivolts = port_millivolts,
                                       .pause = port_pause},
                              .time = bench_time,
                              .own_clock = true,
                              .wait = bench_wait};
    wpin_session *session =
        plan == NULL ? NULL : wpin_session_open(rig, plan, &bench, NULL, &refused, why, sizeof why);
    if (session == NULL) {
        fprintf(stderr, "%s %s\n", why, m.count > 0 ? m.items[0].text : "");
        exit(1);
    }
    unsigned long steps = 0;
    while (wpin_session_until(session, (double)(steps + 1) * 0.1) &&
           (double)steps * 0.1 < seconds) {
        steps++;
    }
    wpin_report_free(wpin_session_close(session, why, sizeof why));
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return steps * 100;
}

static unsigned long run_bare(double seconds) {
    unsigned long ticks = 0;
    for (int64_t next = now_ns(), end = next + (int64_t)(seconds * 1e9); next < end;
         next += TICK_NS) {
        sleep_until(next);
        ticks++;
    }
    return ticks;
}

int main(int argc, char **argv) {
    struct rusage used;
    double seconds = argc == 3 ? atof(argv[2]) : 0;
    if (seconds <= 0) {
        fprintf(stderr, "usage: bench_ticks bare|session SECONDS\n");
        return 2;
    }
    (void)prctl(PR_SET_TIMERSLACK, 1UL);
    bool bare = strcmp(argv[1], "bare") == 0;
    int64_t at = now_ns();
    unsigned long ticks = bare ? run_bare(seconds) : run_session(seconds);
    double took = (double)(now_ns() - at) * 1e-9;
    getrusage(RUSAGE_SELF, &used);
    double processor = (double)(used.ru_utime.tv_sec + used.ru_stime.tv_sec) +
                       (double)(used.ru_utime.tv_usec + used.ru_stime.tv_usec) * 1e-6;
    printf("%s: %.2f %% of a processor, %lu ticks in %.2f s\n", argv[1], 100 * processor / took,
           ticks, took);
    return 0;
}
