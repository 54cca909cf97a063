/* The cases of loop.c for the loop written by hand, on the same hardware that costs next to
 * nothing.
 */
#include "hand_port.h"

static volatile int16_t volts;
static uint32_t place, turns;

static inline int16_t hw_current(void) {
    return volts;
}

static inline bool hw_count(uint16_t *to) {
    *to = (uint16_t)(place >> 8);
    return true;
}

#include "fused_loop.h"

bool bench_fast;
static bench_case bench_case_now;

__attribute__((noinline, hot)) void bench_tick(void) {
    fused_tick();
}

void bench_pass(void) {
    clock_us += 1000;
    if (bench_case_now == BENCH_WORST) { /* as in loop.c */
        clock_us = clock_us - 10 + pick(21) + (pick(64) == 0 ? pick(40000) : 0);
        volts = pick(16) == 0 ? 1900 : 400;
    }
    turns += (uint32_t)(fused_given() - (int32_t)turns / 64); /* either way */
    place += (uint32_t)((int32_t)turns / 512);
}

static void ask_at_random(void) {
    switch (pick(16)) {
    case 0: fused_post(FUSED_STOP, 0, 0); break;
    case 1: fused_post(FUSED_LET_GO, 0, 0); break;
    case 2: fused_post(FUSED_SHORT, 0, 0); break;
    case 3:
        fused_trip();
        clock_us += 1000;
        bench_tick();
        clock_us -= 1000;
        fused_clear();
        fused_arm();
        break;
    default: fused_post(FUSED_RUN, (int16_t)(pick(32769) - 16384), FUSED_HELD); break;
    }
}

void bench_ask(void) {
    if (bench_case_now == BENCH_WORST && pick(32) == 0) {
        ask_at_random();
    }
}

void bench_prepare(bench_case what) {
    bench_case_now = BENCH_LOOP;
    random_state = 1;
    volts = 400;
    fused_init();
    fused_arm();
    for (int i = 0; i < 1500; i++) {
        bench_pass();
        if (i == 20) {
            fused_post(FUSED_RUN, 8000, FUSED_HELD);
        }
        bench_tick();
    }
    bench_case_now = what;
}
