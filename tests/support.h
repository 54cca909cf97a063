/* What the tests share: a port that writes down and checks every call, random numbers, running
 * the tool. */
#ifndef WPIN_TEST_SUPPORT_H
#define WPIN_TEST_SUPPORT_H

#include <check.h>
#include <stdio.h>
#include <windpin/host/rig.h>
#include <windpin/windpin.h>

/* In loops of millions: Check writes into a pipe for each of its own assertions that holds. */
#define always(condition)                                                                          \
    do {                                                                                           \
        if (!(condition)) {                                                                        \
            ck_abort_msg("'%s' does not hold", #condition);                                        \
        }                                                                                          \
    } while (0)

/* A recorded call. */
typedef enum record_call {
    CALL_OPEN,
    CALL_WRITE,
    CALL_PWM_START,
    CALL_PWM_DUTY,
    CALL_GROUP,
    CALL_PAUSE
} record_call;
typedef struct record {
    record_call call;
    uint32_t time;
    wpin_pin pin;
    int value;
} record;

/* A port made of a clock, pins and a list of what was done to them. */
typedef struct recorder {
    wpin_port port;
    uint32_t now;      /* the clock moves on by a microsecond with each reading from here */
    uint32_t seen;     /* `now` at the last reading... */
    uint32_t readings; /* ...and how often it was read since it was set */
    int16_t millivolts[8];
    record records[4096];
    size_t count; /* of records; the oldest are dropped when full */
    bool output[32];
    int level[32];        /* 0, 1, 2 floating; -1 PWM */
    bool input[32];       /* what read answers */
    uint16_t duty[32];    /* while PWM */
    uint32_t dead_ns[32]; /* of a leg, on both of its pins */
    wpin_pin groups[8][8];
    uint8_t group_count;
    unsigned kicks; /* of the watchdog */
    int fail_left;  /* writes and duties fail from when this reaches 0; below 0: never */
    bool inverted[32];
    int calls_left; /* refuse open or pwm_start or leg_start when this reaches 0; below 0: never */
    int high_pairs[4][2];
    int pair_count;
    unsigned shoot_through; /* instants with both pins of a pair on */
} recorder;

void recorder_init(recorder *r);
/* The same port can write groups of pins. */
void recorder_grouped(recorder *r);
/* Whether a pin is high at any time now. */
bool recorder_on(const recorder *r, wpin_pin pin);

/* Repeatable random numbers, 0 to below `range`. */
uint32_t pick(uint32_t range);
void pick_seed(uint32_t seed);

/* A pump on the recorder: direction 4, brake 7, PWM 9; 1 s up, 0.5 s down, 0.2 s rest. */
extern const wpin_line pump_lines[3];
extern const wpin_stage_config pump_stage;
wpin_motor_config pump_config(wpin_stage *stage);

/* The head of a rig of loads of any kinds, and one of them on pins from `pin` on: how many it
 * takes, with its sensors. */
void print_rig_of_kinds(FILE *to);
unsigned print_load_of_kind(FILE *to, const wpin_stage_kind *kind, const char *name, unsigned pin);

/* Runs a shell command; returns its exit status and what it printed on both outputs together. */
int run_command(char *output, size_t size, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/* Writes a file below the test's own folder and returns its path (kept until the next 8 calls). */
const char *write_file(const char *name, const char *text);
/* A path below the test's own folder. */
const char *scratch(const char *name);

/* The honey pump, changed by a command for sed. */
wpin_rig *read_changed_pump(const char *change, wpin_messages *m);
/* Runs it through a plan: how much burnt, and the first fault, if any. */
size_t run_changed_pump(const char *change, const char *lines, wpin_status *fault);

/* For what is tested in the time of the wall: from the first call on a thread of this process naps
 * and wakes; each call tells how much later than asked it woke since the call before, in all, s.
 * What this computer took from it, it took from what is tested, too. With a `priority` above 0 the
 * thread runs ahead of all that have less. */
double time_lost(int priority);

/* Runs a suite; the exit status for main. */
int run_suite(Suite *suite);
/* The same in this process and without a word: for what prints tables. */
int run_silent(Suite *suite);

#endif
