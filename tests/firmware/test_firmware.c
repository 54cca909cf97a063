/* Firmware made from an exported rig, on emulated controllers: what it does with its pins is what
 * the tool's own rehearsal did, tick by tick. */
#include "../support.h"
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { EVENTS = 60000, TICKS = 20000, EDGES = 512, TARGETS = 4, AVR = 0 };
static const char *const targets[TARGETS] = {"atmega328p", "cortex-m0", "cortex-m4", "riscv"};

typedef struct event {
    double ms;
    char what[12];
    long number, value;
} event;

static event events[EVENTS];
static size_t event_count;
static char text[8192];
static size_t text_length;

/* What an emulated program did; a script may change what is connected to it. */
static void emulate(int target, const char *folder, const char *seconds, const char *script) {
    char command[1024], line[256];
    const char *input = write_file("script", script);
    snprintf(command, sizeof command,
             "AVR_BENCH=" TEST_AVR_BENCH " " TEST_SOURCE "/tools/emulate %s %s/%s.elf %s < %s",
             targets[target], scratch(folder), targets[target], seconds, input);
    FILE *pipe = popen(command, "r");
    ck_assert_ptr_nonnull(pipe);
    event_count = text_length = 0;
    while (fgets(line, sizeof line, pipe) != NULL) {
        event *e = &events[event_count];
        int fields = sscanf(line, "%lf %11s %ld %ld", &e->ms, e->what, &e->number, &e->value);
        if (strncmp(line, "Loaded", 6) == 0) { /* the emulator's own words */
            continue;
        }
        if (fields < 4) { /* what a reporting port was given to tell */
            text_length +=
                (size_t)snprintf(text + text_length, sizeof text - text_length, "%s", line);
            continue;
        }
        e->ms /= target == AVR ? 16000 : 1000;
        if (strcmp(e->what, "byte") == 0 && text_length < sizeof text - 1) {
            text[text_length++] = (char)e->number;
        }
        event_count += event_count + 1 < EVENTS;
    }
    text[text_length < sizeof text ? text_length : sizeof text - 1] = '\0';
    ck_assert_int_eq(pclose(pipe), 0);
    ck_assert_msg(event_count > 0, "%s did nothing", targets[target]);
}

/* Builds it, unless another test has. */
static void build(const char *folder, int target, const char *what) {
    char output[8192], program[600];
    snprintf(program, sizeof program, "%s/%s.elf", scratch(folder), targets[target]);
    if (access(program, R_OK) == 0) {
        return;
    }
    int status =
        run_command(output, sizeof output,
                    "WINDPIN=" TEST_TOOL " TARGETS=%s " TEST_SOURCE "/tools/firmware %s %s",
                    targets[target], scratch(folder), what);
    ck_assert_msg(status == 0, "%s: %s", targets[target], output);
}

/* ---- a plan ---- */

#define PUMP TEST_SOURCE "/demo/honey-pump.yaml " TEST_SOURCE "/demo/honey-pump.plan"

#define RECORDED_PUMP "run_plan " PUMP " -DRECORD=1"

static int rehearsed[TICKS], recorded[TICKS]; /* duties, 1/16384, tick by tick */
static int rehearsed_count, recorded_count;

typedef struct edge {
    double ms;
    long pin, level;
} edge;
static edge rehearsed_edges[EDGES], shown_edges[EDGES];
static int rehearsed_edge_count, shown_edge_count;

/* The third column of the record is the pump's duty in percent, with three decimals: more than
 * enough to tell one of 16384 steps. */
static void read_record(const char *path) {
    char line[512];
    double duty;
    FILE *file = fopen(path, "r");
    ck_assert_ptr_nonnull(file);
    ck_assert_ptr_nonnull(fgets(line, sizeof line, file));
    ck_assert(strncmp(line, "time_s,pump_asked_percent,pump_duty_percent,", 44) == 0);
    for (rehearsed_count = 0; fgets(line, sizeof line, file) != NULL && rehearsed_count < TICKS;) {
        ck_assert_int_eq(sscanf(line, "%*[^,],%*[^,],%lf", &duty), 1);
        double steps = duty * 163.84;
        rehearsed[rehearsed_count++] = (int)(steps + (steps < 0 ? -0.5 : 0.5));
    }
    fclose(file);
}

/* A line of a stage that carries no PWM, and the pin it is on. */
typedef struct wired {
    const char *line;
    long pin;
} wired;

/* Their edges, by the pins. */
static void read_edges(const char *path, const wired *lines, int count) {
    char line[256], name[64], symbol;
    long pin_of[128] = {0};
    double ms = 0;
    FILE *file = fopen(path, "r");
    ck_assert_ptr_nonnull(file);
    rehearsed_edge_count = 0;
    for (bool begun = false; fgets(line, sizeof line, file) != NULL;) {
        if (sscanf(line, "$var wire 1 %c %63s", &symbol, name) == 2) {
            for (int i = 0; i < count; i++) {
                pin_of[symbol & 127] =
                    strcmp(lines[i].line, name) == 0 ? lines[i].pin : pin_of[symbol & 127];
            }
        } else if (line[0] == '#') {
            ms = atof(line + 1) * 1e-6;
            begun = ms > 0;
        } else if (begun && pin_of[line[1] & 127] != 0 && rehearsed_edge_count < EDGES) {
            rehearsed_edges[rehearsed_edge_count++] =
                (edge){ms, pin_of[line[1] & 127], line[0] - '0'};
        }
    }
    fclose(file);
}

static void rehearse(void) {
    char output[4096];
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " run " PUMP " --trace %s --vcd %s", scratch("pump.csv"),
                                 scratch("pump.vcd")),
                     0);
    read_record(scratch("pump.csv"));
    static const wired lines[] = {{"direction", 4}, {"brake", 7}};
    read_edges(scratch("pump.vcd"), lines, 2);
}

/* The duty that a controller's pins show must be the one that it told. */
static void check_shown(int target, int duty, long on, long steps) {
    long size = labs((long)duty);
    long due = target == AVR ? (size * steps + 8192) / 16384 : size;
    ck_assert_msg(on == due, "%s shows %ld for a duty of %d", targets[target], on, duty);
}

/* From what happened: the record, and the edges since it began. */
static void read_events(int target, bool pump) {
    long on = 0, steps = 800, low = -1;
    double begun = -1;
    int level[20] = {0};
    recorded_count = shown_edge_count = 0;
    for (size_t i = 0; i < event_count; i++) {
        const event *e = &events[i];
        bool is_level = strcmp(e->what, "level") == 0;
        if (pump && e->number == 9 && (is_level || e->what[0] == 'p' || e->what[0] == 'd')) {
            ck_assert(!is_level || e->value != 1);
            on = is_level ? 0 : e->value;
        } else if (is_level && e->number < 20 && level[e->number] != e->value) {
            level[e->number] = (int)e->value;
            if (begun >= 0 && shown_edge_count < EDGES) {
                shown_edges[shown_edge_count++] = (edge){e->ms - begun, e->number, e->value};
            }
        }
        bool byte = strcmp(e->what, "byte") == 0, whole = strcmp(e->what, "record") == 0;
        if (byte && low < 0) {
            low = e->number;
            continue;
        }
        if ((byte || whole) && recorded_count < TICKS) {
            int duty = whole ? (int)e->value : (int16_t)(low | e->number << 8);
            begun = begun < 0 ? e->ms : begun;
            low = -1;
            recorded[recorded_count++] = duty;
            bool ended = byte && recorded_count >= rehearsed_count - 1; /* then its last words */
            if (pump && !ended) {
                check_shown(target, duty, on, steps);
            }
        }
    }
}

/* What an ATmega328P told last. */
static const char *last_word(void) {
    static char word[5];
    size_t at = event_count, letter = 4;
    while (at > 0 && letter > 0) {
        const event *e = &events[--at];
        if (strcmp(e->what, "byte") == 0) {
            word[--letter] = (char)e->number;
        }
    }
    return word;
}

/* Whether it came to its end, and said so. */
static bool is_done(int target) {
    bool told = false;
    for (size_t i = 0; i < event_count; i++) {
        told = told || strcmp(events[i].what, "done") == 0;
    }
    return target == AVR ? strcmp(last_word(), "done") == 0 : told;
}

/* The same edges in the same order, each in the same control period. */
static void check_edges(int target, int least) {
    ck_assert_int_ge(rehearsed_edge_count, least);
    ck_assert_int_eq(shown_edge_count, rehearsed_edge_count);
    for (int i = 0; i < shown_edge_count; i++) {
        const edge *is = &shown_edges[i], *due = &rehearsed_edges[i];
        ck_assert_msg(is->pin == due->pin && is->level == due->level && is->ms > due->ms - 1 &&
                          is->ms < due->ms + 1,
                      "%s: pin %ld to %ld at %.3f ms, rehearsed pin %ld to %ld at %.3f ms",
                      targets[target], is->pin, is->level, is->ms, due->pin, due->level, due->ms);
    }
}

START_TEST(a_plan_is_carried_out_as_rehearsed) {
    static const int on[] = {AVR, 1, 3};
    int target = on[_i];
    rehearse();
    build("pump", target, RECORDED_PUMP);
    emulate(target, "pump", "20", "");
    read_events(target, true);
    int ticks = recorded_count - (target == AVR ? 2 : 0); /* its last word is four bytes */
    ck_assert_msg(abs(ticks - rehearsed_count) <= 1, "%d ticks, rehearsed %d", ticks,
                  rehearsed_count);
    for (int i = 0; i < ticks; i++) {
        ck_assert_msg(recorded[i] == rehearsed[i], "%s: duty %d at %d ms, rehearsed %d",
                      targets[target], recorded[i], i, rehearsed[i]);
    }
    check_edges(target, 4);
    ck_assert(is_done(target));
}
END_TEST

/* A stepper, by the fast tick: each step of the rehearsal, in its millisecond. */
START_TEST(steps_come_as_rehearsed) {
    static const wired coils[] = {{"a1", 14}, {"a2", 15}, {"b1", 16}, {"b2", 17}};
    const int target = 3;
    char output[4096], what[600];
    const char *plan = write_file("turns.plan", "main on\nturntable turn 90deg\nturntable hold "
                                                "500ms\nturntable turn reverse 45deg\nturntable "
                                                "stop\n");
    int status = run_command(output, sizeof output,
                             TEST_TOOL " run " TEST_SOURCE "/demo/honey-turntable.yaml %s --vcd %s",
                             plan, scratch("turns.vcd"));
    ck_assert_msg(status == 0, "%s", output);
    read_edges(scratch("turns.vcd"), coils, 4);
    snprintf(what, sizeof what, "run_plan " TEST_SOURCE "/demo/honey-turntable.yaml %s -DRECORD=1",
             plan);
    build("turns", target, what);
    emulate(target, "turns", "20", "");
    read_events(target, false);
    check_edges(target, 150);
    ck_assert(is_done(target));
}
END_TEST

/* ---- what goes wrong ---- */

/* When a pin was low, and stayed so, from some moment on. */
static double off_since(long pin, double from) {
    double since = -1;
    for (size_t i = 0; i < event_count; i++) {
        const event *e = &events[i];
        bool about = e->number == pin && (strcmp(e->what, "level") == 0 || e->what[0] == 'p');
        if (about) {
            since = e->what[0] == 'p' || e->value == 1 ? -1 : (since < 0 ? e->ms : since);
        }
    }
    return since < 0 ? -1 : since - from;
}

/* 7.5 A by its sense, more than the 6 A that it trips on after 50 ms; the current then stays, so
 * nothing but the trip ends it. */
START_TEST(an_overcurrent_trips) {
    build("pump", AVR, RECORDED_PUMP);
    emulate(AVR, "pump", "20", "32000000 mv 0 3000\n");
    double took = off_since(9, 2000);
    ck_assert_msg(took > 49 && took < 53, "off after %.3f ms", took);
    ck_assert_str_eq(last_word(), "AMPS");
}
END_TEST

/* A program that hangs at full swing: the watchdog ends it, and it does not begin again. */
START_TEST(a_hanging_program_is_reset_and_stays_at_rest) {
    build("pump", AVR, RECORDED_PUMP);
    emulate(AVR, "pump", "12", "48000000 hang 0 0\n");
    double took = off_since(9, 3000);
    ck_assert_msg(took > 0 && took < 100, "off after %.3f ms", took);
    ck_assert_str_eq(last_word(), "BOOT");
}
END_TEST

/* ---- a hand, and an encoder ---- */

static const char conveyor[] =
    "rig: conveyor\ncontroller: {logic: 5V, tick: 1ms, timer-clock: 16MHz}\n"
    "supplies: {main: {voltage: 12V, resistance: 0.1ohm}}\n"
    "inputs:\n  on: {pin: 5, debounce: 10ms}\n  back: {pin: 6, debounce: 10ms}\n"
    "  both: {pair: [on, back], duty: 50%%, window: 20ms}\n"
    "loads:\n  conveyor:\n    supply: main\n"
    "    stage: {kind: direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}, pwm: 20kHz, "
    "dead-time: 2us}\n"
    "    driver: {on-resistance: 0.1ohm, current-limit: 9A, voltage-limit: 30V}\n"
    "    motor: {resistance: 2ohm, inductance: 1mH, constant: 20mNm/A, inertia: 90gcm2}\n"
    "    encoder: {lines: 11, pins: %s}\n"
    "    ramp: {up: 200ms, down: 200ms}\n    rest: 100ms\n";

/* Adds a line to a script: at this moment, ms. */
static void at_ms(char *script, size_t size, double ms, const char *what, int number, int value) {
    size_t used = strlen(script);
    snprintf(script + used, size - used, "%.0f %s %d %d\n", ms * 16000, what, number, value);
}

/* First forward, then the other button while the shaft still runs down: the direction waits for the
 * encoder, of two channels or of one, to say that it stands, which a pause of 100 ms alone would
 * not.
 */
START_TEST(a_reversal_waits_for_the_encoder) {
    static char script[65536];
    static const char *const pins[] = {"{a: 2, b: 3}", "{a: 2}"}, *const folders[] = {"two", "one"};
    char what[600], text_of_rig[2000];
    snprintf(text_of_rig, sizeof text_of_rig, conveyor, pins[_i]);
    snprintf(what, sizeof what, "follow_input %s", write_file("conveyor.yaml", text_of_rig));
    build(folders[_i], AVR, what);
    script[0] = '\0';
    for (int pin = 5; pin <= 6; pin++) {
        at_ms(script, sizeof script, 0, "pin", pin, 1);
    }
    at_ms(script, sizeof script, 1000, "pin", 5, 0);
    int edges = 0; /* a quadrature edge a millisecond, until 2500 ms */
    for (double ms = 1050; ms < 2500; ms += 2, edges++) {
        static const int a[] = {1, 1, 0, 0}, b[] = {0, 1, 1, 0};
        if (ms >= 2000 && ms < 2002) {
            at_ms(script, sizeof script, 2000, "pin", 5, 1);
            at_ms(script, sizeof script, 2000.1, "pin", 6, 0);
        }
        at_ms(script, sizeof script, ms + 0.5, "pin", edges % 2 == 0 ? 2 : 3,
              edges % 2 == 0 ? a[edges % 4] : b[edges % 4]);
    }
    emulate(AVR, folders[_i], "4", script);
    double forward = -1, off = -1, flipped = -1;
    for (size_t i = 0; i < event_count; i++) {
        const event *e = &events[i];
        bool level = strcmp(e->what, "level") == 0;
        forward = forward < 0 && e->what[0] == 'p' ? e->ms : forward;
        off = e->ms > 2000 && off < 0 && level && e->number == 9 ? e->ms : off;
        if (e->number == 4 && level && e->ms > 2000) {
            ck_assert_int_eq(e->value, 0);
            flipped = flipped < 0 ? e->ms : flipped;
        }
    }
    ck_assert_msg(forward > 1010 && forward < 1060, "forward at %.1f ms", forward);
    ck_assert_msg(off > 2050 && off < 2200, "off at %.1f ms", off);
    ck_assert_msg(flipped > 2500 && flipped < 2900, "reversed at %.1f ms", flipped);
}
END_TEST

/* A regulated drum with its plan, its encoder's edges with moments or only counted, has room on an
 * 8-bit controller: the core has what that plan needs. Nothing turns here, and no current flows. */
START_TEST(a_regulated_drum_fits) {
    static const char *const changes[] = {"", "s/lines: 11,/lines: 11, moments: no,/"};
    static const int on[] = {AVR, AVR, 2};
    int target = on[_i], counted = _i == 1;
    const char *folder = counted ? "counted" : "timed";
    char output[4096], what[600];
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/honey-drum.yaml > %s",
                                 changes[counted], TEST_SOURCE, scratch("fits.yaml")),
                     0);
    snprintf(what, sizeof what, "run_plan %s %s/demo/honey-drum.plan", scratch("fits.yaml"),
             TEST_SOURCE);
    build(folder, target, what);
    emulate(target, folder, "8", target == AVR ? "0 pin 8 0\n0 pin 2 0\n0 pin 3 0\n" : "");
    if (target == AVR) {
        ck_assert_str_eq(last_word(), "NO A");
        ck_assert_double_ge(off_since(9, 0), 500);
    } else {
        ck_assert_msg(strstr(text, " NO A ") != NULL, "%s told %s", targets[target], text);
    }
}
END_TEST

/* So has a brushless one with Hall sensors that is not regulated. This port has no PWM for its
 * legs, and says that before anything moves. */
START_TEST(a_brushless_motor_has_room) {
    char output[4096], what[600];
    const char *plan =
        write_file("six.plan", "main on\ndrum ramp 40%\ndrum stop\ndrum ramp reverse "
                               "40%\ndrum rest 1s\nmain off\n");
    ck_assert_int_eq(run_command(output, sizeof output,
                                 "sed '/current-trip:/d;/speed: {/d' " TEST_SOURCE
                                 "/demo/honey-spinner.yaml > %s",
                                 scratch("six.yaml")),
                     0);
    snprintf(what, sizeof what, "run_plan %s %s", scratch("six.yaml"), plan);
    build("six", AVR, what);
    emulate(AVR, "six", "3", "0 pin 12 0\n");
    ck_assert_msg(strncmp(last_word(), "no 4", 4) == 0, "%s", last_word());
}
END_TEST

/* ---- the ports ---- */

START_TEST(a_port_keeps_the_rules) {
    int target = _i;
    build("rules", target, target == AVR ? "conformance -DPWM_PIN=9" : "conformance");
    emulate(target, "rules", "20", "");
    ck_assert_msg(strstr(text, "BROKEN") == NULL && strstr(text, "kept      ") != NULL, "%s: %s",
                  targets[target], text);
    int kept = 0;
    for (const char *at = text; (at = strstr(at, "kept ")) != NULL; at++) {
        kept++;
    }
    ck_assert_int_eq(kept, target == AVR ? 12 : 7);
}
END_TEST

/* ---- two files ---- */

/* The core as two files in strict C11; and where a program has its constants in RAM and the core in
 * flash, the linker refuses instead of the motor. */
START_TEST(two_files_compile_for_every_controller) {
    static const char *const compilers[TARGETS] = {
        "avr-gcc -mmcu=atmega328p -fno-ivopts", "arm-none-eabi-gcc -mcpu=cortex-m0 -mthumb",
        "arm-none-eabi-gcc -mcpu=cortex-m4 -mthumb",
        "riscv64-unknown-elf-gcc -march=rv32imc -misa-spec=2.2 -mabi=ilp32"};
    char output[8192];
    ck_assert_int_eq(
        run_command(output, sizeof output, TEST_SOURCE "/tools/single %s", scratch("single")), 0);
    int status = run_command(output, sizeof output,
                             "cd %s && %s -std=c11 -Wall -Wextra -Werror -ffreestanding -Os "
                             "-ffunction-sections -fdata-sections %s windpin.c -o %s.o",
                             scratch("single"), compilers[_i], _i == AVR ? "-c" : "-fsyntax-only",
                             targets[_i]);
    ck_assert_msg(status == 0, "%s: %s", targets[_i], output);
    if (_i != AVR) {
        return;
    }
    write_file("single/main.c",
               "#include \"windpin.h\"\nint main(void) {\n    wpin_motor_init(0, 0, 0);\n}\n");
    static const char command[] =
        "cd %s && %s -std=%s -Os -Wl,--gc-sections main.c %s.o -o main.elf";
    ck_assert_int_eq(run_command(output, sizeof output, command, scratch("single"), compilers[AVR],
                                 "c11", targets[AVR]),
                     0);
    ck_assert_int_eq(
        run_command(
            output, sizeof output,
            "cd %s && %s -std=gnu11 -O0 -ffunction-sections -fdata-sections -c windpin.c -o %s.o",
            scratch("single"), compilers[AVR], targets[AVR]),
        0);
    ck_assert_int_ne(run_command(output, sizeof output, command, scratch("single"), compilers[AVR],
                                 "c11", targets[AVR]),
                     0);
    ck_assert_msg(strstr(output, "constants_in_ram") != NULL, "%s", output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("firmware");
    TCase *tests = tcase_create("firmware");
    tcase_add_loop_test(tests, a_plan_is_carried_out_as_rehearsed, 0, 3);
    tcase_add_loop_test(tests, a_reversal_waits_for_the_encoder, 0, 2);
    tcase_add_loop_test(tests, a_regulated_drum_fits, 0, 3);
    tcase_add_test(tests, a_brushless_motor_has_room);
    tcase_add_loop_test(tests, a_port_keeps_the_rules, 0, TARGETS);
    tcase_add_test(tests, steps_come_as_rehearsed);
    tcase_add_test(tests, an_overcurrent_trips);
    tcase_add_test(tests, a_hanging_program_is_reset_and_stays_at_rest);
    tcase_add_loop_test(tests, two_files_compile_for_every_controller, 0, TARGETS);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
