#define _GNU_SOURCE
#include "support.h"
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
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
    return ((recorder *)context)->now;
}

static bool refuses(recorder *r) {
    return r->calls_left >= 0 && r->calls_left-- == 0;
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

static void port_write(void *context, wpin_pin pin, wpin_level level) {
    recorder *r = context;
    ck_assert_msg(r->output[pin], "pin %u is written before it is opened", pin);
    r->level[pin] = (int)level;
    put(r, CALL_WRITE, pin, (int)level);
}

static wpin_status port_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                  wpin_pwm_achieved *achieved) {
    recorder *r = context;
    if (refuses(r)) {
        return WPIN_REFUSED_FREQUENCY;
    }
    r->inverted[pin] = request->inverted;
    r->dead_ns[pin] = request->dead_time_ns;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    put(r, CALL_PWM_START, pin, (int)request->hz);
    return WPIN_OK;
}

static void port_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    recorder *r = context;
    ck_assert_msg(r->output[pin], "pin %u gets PWM before it is opened", pin);
    ck_assert_int_le(duty, WPIN_DUTY_FULL);
    r->level[pin] = -1;
    r->duty[pin] = duty;
    put(r, CALL_PWM_DUTY, pin, duty);
}

static int32_t port_millivolts(void *context, uint8_t input) {
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

void recorder_init(recorder *r) {
    memset(r, 0, sizeof *r);
    r->calls_left = -1;
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
                          .pause = port_pause};
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

wpin_motor_config pump_config(void) {
    return (wpin_motor_config){.stage = &pump_stage,
                               .up_us = 1000000,
                               .down_us = 500000,
                               .rest_us = 200000,
                               .duty_max = (uint16_t)WPIN_DUTY_FULL,
                               .guard = WPIN_GUARD_NOTHING};
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

const char *scratch(const char *name) {
    static char paths[8][512];
    static int next;
    char *path = paths[next++ % 8];
    char folder[256];
    snprintf(folder, sizeof folder, TEST_BUILD "/scratch-%d", (int)getppid());
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

int run_suite(Suite *suite) {
    SRunner *runner = srunner_create(suite);
    srunner_run_all(runner, CK_ENV);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    char command[300];
    snprintf(command, sizeof command, "rm -rf " TEST_BUILD "/scratch-%d", (int)getpid());
    if (system(command) != 0) {
        fprintf(stderr, "the scratch folder stays\n");
    }
    return failed == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}
