#define _GNU_SOURCE
#include "support.h"
#include <pthread.h>
#include <sched.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

static void put(recorder *r, record_call call, wpin_pin pin, int value) {
    if (r->count == sizeof r->records / sizeof *r->records) {
        memmove(r->records, r->records + r->count / 2, r->count / 2 * sizeof *r->records);
        r->count /= 2;
    }
    r->records[r->count++] = (record){call, r->now, pin, value};
    for (int i = 0; i < r->pair_count; i++) {
        wpin_pin high = (wpin_pin)r->high_pairs[i][0], low = (wpin_pin)r->high_pairs[i][1];
        bool both = recorder_on(r, high) && recorder_on(r, low);
        bool shared = r->level[high] < 0 && r->level[low] < 0 &&
                      r->inverted[high] != r->inverted[low] &&
                      r->dead_ns[high] + r->dead_ns[low] != 0;
        r->shoot_through += both && !shared;
    }
}

bool recorder_on(const recorder *r, wpin_pin pin) {
    if (r->level[pin] >= 0) {
        return r->level[pin] == 1;
    }
    return r->inverted[pin] ? r->duty[pin] < WPIN_DUTY_FULL : r->duty[pin] > 0;
}

static wpin_moment port_now(void *context) {
    recorder *r = context;
    r->readings = r->now == r->seen ? r->readings : 0;
    r->seen = r->now;
    return r->now + r->readings++;
}

static bool refuses(recorder *r) {
    return r->calls_left >= 0 && r->calls_left-- == 0;
}

/* Like calls_left, for what happens while a motor is in use. */
static bool fails(recorder *r) {
    r->fail_left -= r->fail_left > 0;
    return r->fail_left == 0;
}

static wpin_status port_open(void *context, wpin_pin pin, wpin_level safe) {
    recorder *r = context;
    if (refuses(r)) {
        return WPIN_REFUSED_PORT;
    }
    r->level[pin] = (int)safe;
    r->output[pin] = true;
    put(r, CALL_OPEN, pin, (int)safe);
    return WPIN_OK;
}

static wpin_status port_write(void *context, wpin_pin pin, wpin_level level) {
    recorder *r = context;
    if (fails(r)) {
        return WPIN_REFUSED_PORT;
    }
    ck_assert_msg(r->output[pin], "pin %u is written before it is opened", pin);
    r->level[pin] = (int)level;
    put(r, CALL_WRITE, pin, (int)level);
    return WPIN_OK;
}

static wpin_status port_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                  wpin_pwm_achieved *achieved) {
    recorder *r = context;
    if (refuses(r)) {
        return WPIN_REFUSED_FREQUENCY;
    }
    r->inverted[pin] = request->inverted;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    put(r, CALL_PWM_START, pin, (int)request->hz);
    return WPIN_OK;
}

static wpin_status port_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    recorder *r = context;
    if (fails(r)) {
        return WPIN_REFUSED_PORT;
    }
    ck_assert_msg(r->output[pin], "pin %u gets PWM before it is opened", pin);
    ck_assert_int_le(duty, WPIN_DUTY_FULL);
    r->level[pin] = -1;
    r->duty[pin] = duty;
    put(r, CALL_PWM_DUTY, pin, duty);
    return WPIN_OK;
}

static wpin_status port_leg_start(void *context, wpin_pin high, wpin_pin low,
                                  const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    recorder *r = context;
    wpin_pwm_request of_low = {.hz = request->hz, .inverted = !request->low_inverted};
    wpin_status status = port_pwm_start(context, high, request, achieved);
    if (status == WPIN_OK) {
        port_pwm_start(context, low, &of_low, achieved);
        r->dead_ns[high] = r->dead_ns[low] = request->dead_time_ns;
        achieved->dead_time_ns = request->dead_time_ns;
    }
    return status;
}

/* Both sides in one instant, as from one timer. */
static wpin_status port_leg_duty(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    recorder *r = context;
    r->level[low] = -1;
    r->duty[low] = duty;
    wpin_status status = port_pwm_duty(context, high, duty);
    return status == WPIN_OK ? port_pwm_duty(context, low, duty) : status;
}

static wpin_status port_group_open(void *context, const wpin_pin *pins, uint8_t count,
                                   uint8_t *group) {
    recorder *r = context;
    if (r->group_count == 8) {
        return WPIN_REFUSED_PORT;
    }
    memcpy(r->groups[r->group_count], pins, count);
    *group = r->group_count++;
    return WPIN_OK;
}

static wpin_status port_group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    recorder *r = context;
    wpin_status status = WPIN_OK;
    put(r, CALL_GROUP, group, mask);
    for (unsigned i = 0; mask >> i != 0; i++) { /* the levels first: they change at one instant */
        r->level[r->groups[group][i]] =
            (mask >> i & 1) != 0 ? (int)(high >> i & 1) : r->level[r->groups[group][i]];
    }
    for (unsigned i = 0; status == WPIN_OK && mask >> i != 0; i++) {
        if ((mask >> i & 1) != 0) {
            status = port_write(context, r->groups[group][i],
                                (high >> i & 1) != 0 ? WPIN_HIGH : WPIN_LOW);
        }
    }
    return status;
}

static void port_kick(void *context) {
    ((recorder *)context)->kicks++;
}

static int16_t port_millivolts(void *context, uint8_t input) {
    return ((recorder *)context)->millivolts[input];
}

static void port_pause(void *context, uint32_t us) {
    recorder *r = context;
    put(r, CALL_PAUSE, 0, (int)us);
    r->now += us;
}

static bool port_read(void *context, wpin_pin pin) {
    return ((recorder *)context)->input[pin];
}

void recorder_grouped(recorder *r) {
    r->port.group_open = port_group_open;
    r->port.group_write = port_group_write;
}

void recorder_init(recorder *r) {
    memset(r, 0, sizeof *r);
    r->calls_left = r->fail_left = -1;
    for (int i = 0; i < 32; i++) {
        r->level[i] = WPIN_FLOAT;
    }
    r->port = (wpin_port){.context = r,
                          .now = port_now,
                          .open = port_open,
                          .write = port_write,
                          .read = port_read,
                          .pwm_start = port_pwm_start,
                          .pwm_duty = port_pwm_duty,
                          .millivolts = port_millivolts,
                          .pause = port_pause,
                          .leg_start = port_leg_start,
                          .leg_duty = port_leg_duty,
                          .kick = port_kick};
}

static uint32_t random_state = 1;

void pick_seed(uint32_t seed) {
    random_state = seed != 0 ? seed : 1;
}

uint32_t pick(uint32_t range) { /* xorshift32, Marsaglia 2003 */
    random_state ^= random_state << 13;
    random_state ^= random_state >> 17;
    random_state ^= random_state << 5;
    return random_state % range;
}

const wpin_line pump_lines[3] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
const wpin_stage_config pump_stage = {.table = &wpin_table_direction_pwm_brake,
                                      .lines = pump_lines,
                                      .pwm_hz = 20000,
                                      .dead_time_us = 2};

wpin_motor_config pump_config(wpin_stage *stage) {
    return (wpin_motor_config){WPIN_ON_STAGE(stage, &pump_stage),
                               .guard = {.cap = (uint16_t)WPIN_DUTY_FULL,
                                         .up = WPIN_SLEW_US(1000000),
                                         .down = WPIN_SLEW_US(500000),
                                         .pause_us = 200000}};
}

void print_rig_of_kinds(FILE *to) {
    fputs("rig: all kinds\ncontroller: {pin-limit: 40mA}\nsupplies: {main: {voltage: 12V, "
          "resistance: 0.1ohm}, logic: {voltage: 5V, resistance: 0.1ohm}}\nloads:\n",
          to);
}

static void print_its_part(FILE *to, const wpin_stage_kind *kind) {
    bool phases = wpin_stage_kind_is_three_phase(kind);
    if (kind->coils) {
        fputs("    stepper: {steps: 200, resistance: 2ohm, inductance: 3mH, rated: 1A, "
              "holding-torque: 0.3Nm, inertia: 100gcm2, stepping: {start-rate: 80steps/s, "
              "top-rate: 240steps/s, ramp: 400steps/s2, mode: half}}\n",
              to);
    } else {
        fprintf(to,
                "    motor: {%sresistance: 2ohm, inductance: 1mH, constant: 20mNm/A, inertia: "
                "90gcm2}\n    rest: 200ms\n",
                phases ? "pole-pairs: 4, " : "");
    }
}

unsigned print_load_of_kind(FILE *to, const wpin_stage_kind *kind, const char *name, unsigned pin) {
    unsigned lines = kind->table->line_count;
    fprintf(to, "  %s:\n    supply: %s\n    stage: {kind: %s%s%s, pins: {", name,
            kind->direct ? "logic" : "main", kind->name,
            wpin_stage_kind_has_pwm(kind) ? ", pwm: 50Hz" : "",
            kind->contacts ? "" : ", dead-time: 2us");
    for (unsigned l = 0; l < lines; l++) {
        fprintf(to, "%s%s: %u", l > 0 ? ", " : "", kind->lines[l], pin + l);
    }
    fputs("}}\n", to);
    if (!kind->direct) {
        fputs("    driver: {on-resistance: 0.1ohm, current-limit: 9A, voltage-limit: 30V}\n", to);
    }
    print_its_part(to, kind);
    if (wpin_stage_kind_takes_duty(kind)) {
        fputs("    ramp: {up: 1s, down: 1s}\n", to);
    }
    if (!wpin_stage_kind_is_three_phase(kind)) {
        return lines;
    }
    fprintf(to, "    hall: {pins: {a: %u, b: %u, c: %u}, advance: 9deg}\n", pin + lines,
            pin + lines + 1, pin + lines + 2);
    return lines + 3;
}

int run_command(char *output, size_t size, const char *format, ...) {
    char command[8192];
    va_list words;
    va_start(words, format);
    vsnprintf(command, sizeof command, format, words);
    va_end(words);
    char whole[8300];
    snprintf(whole, sizeof whole, "{ %s; } 2>&1", command);
    FILE *pipe = popen(whole, "r");
    ck_assert_ptr_nonnull(pipe);
    size_t used = fread(output, 1, size - 1, pipe);
    output[used] = '\0';
    while (fgetc(pipe) != EOF) {
    }
    int status = pclose(pipe);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

/* Who runs the tests, in processes of their own or in its own. */
static pid_t runs;

const char *scratch(const char *name) {
    static char paths[8][512];
    static int next;
    char *path = paths[next++ % 8];
    char folder[256];
    runs = runs == 0 ? getpid() : runs;
    snprintf(folder, sizeof folder, TEST_BUILD "/scratch-%d", (int)runs);
    mkdir(folder, 0777);
    snprintf(path, sizeof paths[0], "%s/%s", folder, name);
    return path;
}

const char *write_file(const char *name, const char *text) {
    const char *path = scratch(name);
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    ck_assert_int_ge(fputs(text, file), 0);
    ck_assert_int_eq(fclose(file), 0);
    return path;
}

/* ---- the time of the wall ---- */

static atomic_long lost_us;

static long us_of(struct timespec t) {
    return (long)(t.tv_sec % 1000000) * 1000000 + t.tv_nsec / 1000;
}

static void *nap(void *priority) {
    const struct sched_param ahead = {.sched_priority = *(int *)priority};
    const struct timespec asked = {.tv_nsec = 1000000};
    if (ahead.sched_priority > 0) {
        (void)sched_setscheduler(0, SCHED_FIFO, &ahead);
    }
    for (;;) {
        struct timespec begun, over;
        clock_gettime(CLOCK_MONOTONIC, &begun);
        nanosleep(&asked, NULL);
        clock_gettime(CLOCK_MONOTONIC, &over);
        long late = us_of(over) - us_of(begun) - 1000;
        lost_us += late > 1000 ? late : 0; /* below that: as timers are */
    }
    return NULL;
}

double time_lost(int priority) {
    static pid_t who; /* threads do not outlive a fork */
    static int kept;
    pthread_t thread;
    if (who != getpid()) {
        who = getpid();
        kept = priority;
        ck_assert_int_eq(pthread_create(&thread, NULL, nap, &kept), 0);
        ck_assert_int_eq(pthread_detach(thread), 0);
    }
    return (double)atomic_exchange(&lost_us, 0) * 1e-6;
}

/* How fast the machine is must not decide: Check's own limit is off; ctest cuts what hangs. It is
 * read when a case is made. */
__attribute__((constructor)) static void no_time_limit(void) {
    setenv("CK_DEFAULT_TIMEOUT", "0", 0);
}

static int run(SRunner *runner, enum print_output how) {
    runs = getpid();
    srunner_run_all(runner, how);
    int failed = srunner_ntests_failed(runner);
    if (how == CK_SILENT && failed > 0) {
        srunner_print(runner, CK_NORMAL);
    }
    srunner_free(runner);
    char command[300];
    snprintf(command, sizeof command, "rm -rf " TEST_BUILD "/scratch-%d", (int)runs);
    if (system(command) != 0) {
        fprintf(stderr, "the scratch folder stays\n");
    }
    return failed == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}

int run_suite(Suite *suite) {
    return run(srunner_create(suite), CK_ENV);
}

int run_silent(Suite *suite) {
    SRunner *runner = srunner_create(suite);
    srunner_set_fork_status(runner, CK_NOFORK);
    return run(runner, CK_SILENT);
}
