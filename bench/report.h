/* What the small 32-bit targets share: every case counted, and told by semihosting. */
#ifndef WPIN_BENCH_REPORT_H
#define WPIN_BENCH_REPORT_H

#include "tick.h"

enum { TICKS = 1000 };

static void say(const char *text) {
    semihost(4, text);
}

static void say_number(uint32_t number) {
    char digits[12], *at = digits + sizeof digits;
    *--at = '\0';
    do {
        *--at = (char)('0' + number % 10);
        number /= 10;
    } while (number != 0);
    say(at);
}

/* Instructions of each tick in the mean; what surrounds it is taken off by a run without it. */
static uint32_t instructions_of(bench_case what, bool ticks) {
    bench_prepare(what);
    uint32_t sum = 0;
    for (int i = 0; i < TICKS; i++) {
        bench_pass();
        bench_ask();
        uint32_t before = counter();
        if (ticks) {
            bench_tick();
        }
        sum += since(before);
    }
    return sum;
}

static void report(void) {
    say("motor ");
    say_number(sizeof(wpin_motor));
    say(" and its stage ");
    say_number(sizeof(wpin_stage));
    say(" bytes of RAM; their constants ");
    say_number(sizeof(wpin_motor_config) + sizeof(wpin_stage_config) + 3 * sizeof(wpin_line));
    say(" of flash\n");
    for (int n = 0; n < BENCH_KINDS * BENCH_CASES; n++) {
        bench_case what = (bench_case)(n % BENCH_CASES);
        if (!bench_has(what)) {
            continue;
        }
        bench_fast = n >= BENCH_CASES;
        uint32_t with = instructions_of(what, true), without = instructions_of(what, false);
        say(bench_kind());
        say(", ");
        say(bench_name(what));
        say(": ");
        say_number(instructions(with - without) / TICKS);
        say(" instructions on average\n");
    }
}

#endif
