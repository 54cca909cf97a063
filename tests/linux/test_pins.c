/* Real pins, in a kernel of their own: what its chips saw is the judge, nothing that the process
 * says of itself. */
#define _GNU_SOURCE
#include "../support.h"
#include "can.h"
#include "kernel.h"
#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <sched.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>
#include <windpin/host/bind_linux.h>
#include <windpin/host/plan.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/session.h>
#include <windpin/porttest.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define RIG          "/mnt/rig.yaml"

static kernel_entry entries[32768];

/* ---- the rig ---- */

/* A pump with direction, PWM and brake on lines 4 and 7 and channel 0, a stop input on the other
 * chip, which opens. */
static void write_rig(const char *more) {
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

static void write_plan(void) {
    FILE *to = fopen("/mnt/it.plan", "w");
    ck_assert_ptr_nonnull(to);
    fputs(PLAN, to);
    ck_assert_int_eq(fclose(to), 0);
}

/* Starts the tool on the rig and plan; its words go to a file. */
static pid_t start(const char *say) {
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

static int end_of(pid_t child) {
    int status;
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

static const char *text_of(const char *path) {
    static char text[20000];
    FILE *from = fopen(path, "r");
    text[from == NULL ? 0 : fread(text, 1, sizeof text - 1, from)] = '\0';
    if (from != NULL) {
        fclose(from);
    }
    return text;
}

/* ---- what the chips saw ---- */

/* Whether PWM was off at the end; since when. */
static bool ended_quiet(size_t count, double *since) {
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

static double highest_duty(size_t count) {
    double most = 0;
    for (size_t i = 0; i < count; i++) {
        most = entries[i].kind == KERNEL_PWM ? fmax(most, entries[i].duty) : most;
    }
    return most;
}

/* ---- a plan ---- */

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

/* The stop input is taken out: nobody closes its contact. */
static void without_stop(void) {
    ck_assert_int_eq(system("sed -i '/^inputs/d; s/, 8: .chip: hands, line: STOP.//' " RIG), 0);
}

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

/* ---- ends of every kind ---- */

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

static pid_t find_guardian(void) {
    char said[200];
    int pid = 0;
    ck_assert_int_eq(run_command(said, sizeof said, "grep -l windpin-guard /proc/[0-9]*/comm"), 0);
    ck_assert_msg(sscanf(said, "/proc/%d/comm", &pid) == 1 && pid > 1, "%s", said);
    return pid;
}

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

/* ---- who else is there ---- */

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

/* ---- inputs ---- */

/* The plan, up to where the pump runs evenly. */
static pid_t start_and_cruise(void) {
    write_rig("");
    write_plan();
    kernel_forget();
    pid_t child = start("/mnt/said");
    kernel_sleep(1.4);
    return child;
}

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

/* ---- sleep ---- */

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

/* Edges of an encoder, counted in software by the kernel's time stamps, both ways. */
START_TEST(edges_are_counted) {
    char why[300];
    const wpin_linux_encoder encoder = {.counter = 0, .channels = {{"hands", "2"}, {"hands", "3"}}};
    const wpin_linux_config config = {.encoders = &encoder, .encoder_count = 1};
    wpin_count counts;
    kernel_pull(2, false);
    kernel_pull(3, false);
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    wpin_bench bench = wpin_linux_bench(l);
    ck_assert_int_eq(bench.port.count(l, 0, &counts), WPIN_OK);
    int32_t begin = counts.counts;
    for (int turn = 0; turn < 100; turn++) { /* forward, then half of it back */
        bool back = turn >= 66;
        for (int step = 0; step < 4; step++) {
            kernel_pull(back ? (step % 2 == 0 ? 3U : 2U) : (step % 2 == 0 ? 2U : 3U), step < 2);
            kernel_sleep(0.02); /* its interrupts come with the ticks of the kernel */
        }
    }
    ck_assert_int_eq(bench.port.count(l, 0, &counts), WPIN_OK);
    ck_assert_int_eq(abs(counts.counts - begin), (66 - 34) * 4);
    ck_assert_int_eq(bench.port.count(l, 1, &counts), WPIN_FAULT_PORT);
    wpin_linux_close(l);
}
END_TEST

/* Counts by the kernel, and its converters: the dummy one says 34 where nothing scales it. */
START_TEST(counters_and_converters_are_read) {
    char why[300];
    const wpin_linux_encoder encoder = {.counter = 0, .count = "counter0/count0"};
    const wpin_linux_analog analogs[] = {{.input = 0, .channel = "iio:device0/accel_x"},
                                         {.input = 1, .channel = "iio:device0/voltage0"}};
    wpin_linux_config config = {.encoders = &encoder,
                                .encoder_count = 1,
                                .analogs = analogs,
                                .analog_count = COUNT(analogs)};
    static const struct {
        const char *says;
        int32_t counts;
    } rows[] = {{"0", 0}, {"12345", 12345}, {"4294967290", -6}, {"18446744073709551000", -616}};
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    wpin_bench bench = wpin_linux_bench(l);
    for (size_t i = 0; i < COUNT(rows); i++) {
        char command[120];
        wpin_count counts;
        snprintf(command, sizeof command, "echo %s > /sys/kernel/debug/windpin_bench/count",
                 rows[i].says);
        ck_assert_int_eq(system(command), 0);
        ck_assert_int_eq(bench.port.count(l, 0, &counts), WPIN_OK);
        ck_assert_int_eq(counts.counts, rows[i].counts);
    }
    ck_assert_int_eq(bench.port.millivolts(l, 0), 34);
    ck_assert_int_eq(bench.port.millivolts(l, 1), 0);
    ck_assert_int_eq(bench.port.millivolts(l, 2), WPIN_NO_READING);
    wpin_linux_close(l);
    config.analogs = &(const wpin_linux_analog){.input = 0, .channel = "iio:device9/voltage0"};
    config.analog_count = 1;
    ck_assert(wpin_linux_open(&config, why, sizeof why) == NULL);
    ck_assert_msg(strstr(why, "iio:device9") != NULL, "%s", why);
}
END_TEST

/* ---- the watchdog ---- */

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

/* ---- every kind of stage ---- */

/* The rig of one load of a kind on lines of the same number, what is timed on channels; how many of
 * those. Sensors of its own, and complementary PWM, need a controller. */
static unsigned write_kind(const wpin_stage_kind *kind) {
    unsigned channels = 0;
    FILE *to = fopen(RIG, "w");
    ck_assert_ptr_nonnull(to);
    print_rig_of_kinds(to);
    (void)print_load_of_kind(to, kind, "it", 0);
    fputs("linux:\n  chip: windpin-bench\n  pins: {31: 31", to);
    for (unsigned n = 0; n < kind->table->line_count; n++) {
        if (wpin_stage_kind_times_line(kind, n)) {
            fprintf(to, ", %u: {pwm: pwmchip0/%u}", n, channels++);
        }
    }
    fputs("}\n", to);
    ck_assert_int_eq(fclose(to), 0);
    return channels;
}

static void write_plan_of(const wpin_stage_kind *kind) {
    FILE *to = fopen("/mnt/it.plan", "w");
    ck_assert_ptr_nonnull(to);
    bool reverses = false;
    for (uint8_t row = 0; row < kind->table->row_count; row++) {
        reverses = reverses || kind->table->rows[row].drive == WPIN_DRIVE_REVERSE;
    }
    if (kind->coils) {
        fputs("it turn 90deg\nit turn reverse 45deg\n", to);
    } else if (wpin_stage_kind_takes_duty(kind)) {
        fprintf(to, "it ramp 60%% in 700ms\nit hold 50ms\n%sit stop\n",
                reverses ? "it ramp reverse 50% in 600ms\nit hold 50ms\n" : "");
    } else {
        fprintf(to, "it on\nit hold 300ms\n%sit off\n",
                reverses ? "it on reverse\nit hold 300ms\n" : "");
    }
    ck_assert_int_eq(fclose(to), 0);
}

/* What each line of the stage shows: 0 or 1, 2 floating, 3 PWM. */
typedef struct shown {
    int lines[WPIN_STAGE_LINES];
} shown;

static bool row_is(const wpin_bound_load *bound, uint8_t row, const shown *s) {
    const wpin_stage_table *t = bound->stage.table;
    for (uint8_t n = 0; n < t->line_count; n++) {
        wpin_cell cell = wpin_table_cell(t, row, n);
        int is = s->lines[n];
        is = bound->lines[n].inverted && is < 2 ? 1 - is : is;
        bool so = cell == WPIN_CELL_LOW     ? is == 0
                  : cell == WPIN_CELL_HIGH  ? is == 1
                  : cell == WPIN_CELL_FLOAT ? is == 2
                                            : true;
        if (!so) {
            return false;
        }
    }
    return true;
}

/* Rows that show so, as bits of their drive. */
static unsigned rows_of(const wpin_bound_load *bound, const shown *s) {
    unsigned drives = 0;
    for (uint8_t row = 0; row < bound->stage.table->row_count; row++) {
        unsigned drive = bound->stage.table->rows[row].drive;
        drives |= row_is(bound, row, s) ? 1U << (drive < 4 ? drive : 4) : 0;
    }
    return drives;
}

static void check_legs(const wpin_bound_load *bound, const shown *s, const char *name) {
    const wpin_stage_table *t = bound->stage.table;
    for (uint8_t n = 0; n < t->leg_count; n++) {
        int high = s->lines[t->legs[n].high_side], low = s->lines[t->legs[n].low_side];
        high = bound->lines[t->legs[n].high_side].inverted && high < 2 ? 1 - high : high;
        low = bound->lines[t->legs[n].low_side].inverted && low < 2 ? 1 - low : low;
        if (high != 0 && high != 2 && low != 0 && low != 2) {
            ck_abort_msg("%s: both sides of leg %u are on", name, n);
        }
    }
}

/* By the chips' own log: each line begins with a level, no leg is ever on twice, and whenever
 * nothing changes for half a millisecond what is shown is a row of the table. The rows there were.
 */
static unsigned judge_kind(const wpin_bound_load *bound, const wpin_stage_kind *kind) {
    size_t count = kernel_log(entries, COUNT(entries));
    int line_of_channel[4] = {-1, -1, -1, -1}, channels = 0;
    shown s = {{0}};
    bool begun[WPIN_STAGE_LINES] = {false};
    unsigned drives = 0;
    for (unsigned n = 0; n < kind->table->line_count; n++) {
        if (wpin_stage_kind_times_line(kind, n)) {
            line_of_channel[channels++] = (int)n;
            begun[n] = true; /* at 0 % since it was taken */
        }
    }
    for (size_t i = 0; i < count; i++) {
        const kernel_entry *e = &entries[i];
        int n = e->kind == KERNEL_PWM ? line_of_channel[e->number] : (int)e->number;
        if (n < 0 || n >= kind->table->line_count) {
            continue;
        }
        bool full = e->kind == KERNEL_PWM && e->level && e->duty >= 1;
        int now = e->kind == KERNEL_OUT  ? e->level
                  : e->kind == KERNEL_IN ? 2
                  : !e->level            ? 0
                                         : (e->duty == 0 ? 0
                                            : full       ? 1
                                                         : 3);
        if (e->kind == KERNEL_PWM && e->inverted && now < 2) {
            now = 1 - now; /* what the pin shows */
        }
        if (!begun[n] && e->kind != KERNEL_OUT) {
            ck_abort_msg("%s: '%s' begins without a level", kind->name, kind->lines[n]);
        }
        begun[n] = true;
        s.lines[n] = now;
        check_legs(bound, &s, kind->name);
        bool all = true;
        for (unsigned k = 0; k < kind->table->line_count; k++) {
            all = all && begun[k];
        }
        if (all && i + 1 < count && entries[i + 1].seconds - e->seconds > 0.5e-3) {
            unsigned is = rows_of(bound, &s);
            if (is == 0) {
                ck_abort_msg("%s: at %.4f s no row shows what its lines do", kind->name,
                             e->seconds);
            }
            drives |= is;
        }
    }
    return drives;
}

static void run_kind(const wpin_stage_kind *kind) {
    char why[400] = "";
    wpin_messages m = {0};
    wpin_status refused;
    wpin_bound_linux *pins = calloc(1, sizeof *pins);
    wpin_bound_load *bound = calloc(1, sizeof *bound);
    wpin_rig *rig = wpin_rig_read(RIG, &m);
    ck_assert_msg(rig != NULL, "%s: %s", kind->name, m.count > 0 ? m.items[0].text : "?");
    wpin_plan *plan = wpin_plan_read("/mnt/it.plan", rig, &m);
    ck_assert_msg(plan != NULL, "%s: %s", kind->name, m.count > 0 ? m.items[0].text : "?");
    ck_assert_msg(wpin_bind_linux(pins, rig, why, sizeof why), "%s: %s", kind->name, why);
    kernel_forget();
    wpin_linux *l = wpin_linux_open(&pins->config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s: %s", kind->name, why);
    wpin_bench bench = wpin_linux_bench(l);
    wpin_session *session = wpin_session_open(rig, plan, &bench, NULL, &refused, why, sizeof why);
    ck_assert_msg(session != NULL, "%s: %s %s", kind->name, why, wpin_linux_why(l));
    while (wpin_session_step(session)) {
    }
    wpin_report *report = wpin_session_close(session, why, sizeof why);
    ck_assert_msg(report != NULL && report->result == WPIN_OK, "%s: %s", kind->name, why);
    wpin_linux_close(l);
    wpin_bind_load(bound, rig, &rig->loads[0]);
    unsigned drives = judge_kind(bound, kind), wanted = 0;
    for (uint8_t row = 0; row < kind->table->row_count; row++) {
        unsigned drive = kind->table->rows[row].drive;
        wanted |= drive == WPIN_DRIVE_BRAKE ? 0 : 1U << (drive < 4 ? drive : 4);
    }
    ck_assert_msg((drives & wanted) == wanted, "%s: rows %x of %x", kind->name, drives, wanted);
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    free(bound);
    free(pins);
}

START_TEST(every_kind_of_stage_is_driven) {
    size_t count;
    unsigned driven = 0;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    for (size_t i = 0; i < count; i++) {
        wpin_messages m = {0};
        bool fits = write_kind(&kinds[i]) <= 4 && !wpin_stage_kind_is_three_phase(&kinds[i]);
        wpin_rig *rig = wpin_rig_read(RIG, &m);
        ck_assert_msg(rig != NULL, "%s: %s", kinds[i].name, m.count > 0 ? m.items[0].text : "?");
        wpin_bound_linux *pins = calloc(1, sizeof *pins);
        char why[400];
        fits = fits && wpin_bind_linux(pins, rig, why, sizeof why);
        free(pins);
        wpin_rig_free(rig);
        if (fits) {
            write_plan_of(&kinds[i]);
            run_kind(&kinds[i]);
            driven++;
        }
    }
    ck_assert_msg(driven >= 20, "%u of %zu kinds", driven, count);
}
END_TEST

/* ---- in the time of the wall ---- */

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

/* ---- figures ---- */

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

/* ---- the rules of port.h ---- */

/* What a pin shows, as the chip saw it last. */
static bool shows(void *context, wpin_pin pin) {
    size_t count = kernel_log(entries, COUNT(entries));
    bool level = false;
    (void)context;
    for (size_t i = 0; i < count; i++) {
        const kernel_entry *e = &entries[i];
        if (pin == 9 && e->kind == KERNEL_PWM) {
            double phase = fmod(kernel_now() - e->seconds, e->period > 0 ? e->period : 1);
            level = e->duty > 0 && phase < e->duty * e->period;
        } else if (pin != 9 && e->kind == KERNEL_OUT && e->number == pin) {
            level = e->level;
        }
    }
    return level;
}

static void tell(void *context, const char *rule, wpin_porttest_result result) {
    unsigned *left_out = context;
    *left_out += result == WPIN_PORTTEST_LEFT_OUT;
    ck_assert_msg(result != WPIN_PORTTEST_BROKEN, "%s", rule);
}

START_TEST(the_port_keeps_its_rules) {
    char why[300];
    unsigned left_out = 0;
    const wpin_linux_pin pins[] = {{.pin = 2, .line = {"windpin-bench", "2"}},
                                   {.pin = 3, .line = {"windpin-bench", "3"}},
                                   {.pin = 9, .pwm = "pwmchip0/1"}};
    const wpin_linux_config config = {.pins = pins, .pin_count = COUNT(pins)};
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    kernel_forget();
    wpin_bench bench = wpin_linux_bench(l);
    const wpin_porttest test = {.port = &bench.port,
                                .pins = {2, 3},
                                .pwm_pin = 9,
                                .has_pwm = false,
                                .shows = shows,
                                .report = tell,
                                .context = &left_out};
    ck_assert_uint_eq(wpin_porttest_run(&test), 0);
    wpin_linux_close(l);
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
    tcase_add_test(tests, a_plan_moves_real_pins);
    tcase_add_test(tests, a_real_run_is_as_simulated);
    tcase_add_test(tests, an_inverted_channel_begins_high);
    tcase_add_test(tests, hands_move_real_pins);
    tcase_add_loop_test(tests, safe_in_every_end, 0, (int)COUNT(deaths));
    tcase_add_test(tests, what_is_taken_is_refused_with_its_owner);
    tcase_add_test(tests, what_can_not_be_is_told);
    tcase_add_test(tests, a_full_disk_ends_it);
    tcase_add_test(tests, the_stop_input_stops);
    tcase_add_test(tests, a_chip_that_vanishes_is_a_fault);
    tcase_add_test(tests, a_computer_that_slept_is_a_fault);
    tcase_add_test(tests, edges_are_counted);
    tcase_add_test(tests, counters_and_converters_are_read);
    tcase_add_test(tests, the_watchdog_acts_where_both_die);
    tcase_add_test(tests, every_kind_of_stage_is_driven);
    tcase_add_test(tests, the_port_keeps_its_rules);
    add_can_tests(tests);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
