/* The cases of tick.h for the loop written by hand, on the same hardware that costs next to
 * nothing. */
#include "hand_port.h"

static volatile int16_t volts[2];

static inline int16_t hw_current(void) {
    return volts[0];
}

static inline int16_t hw_supply(void) {
    return volts[1];
}

#include "fused.h"

bool bench_fast;
static bench_case bench_case_now;

__attribute__((noinline)) void bench_tick(void) {
    fused_tick();
}

void bench_pass(void) {
    clock_us += 1000;
    if (bench_case_now == BENCH_WORST) { /* as in tick.c */
        clock_us = clock_us - 10 + pick(21) + (pick(64) == 0 ? pick(40000) : 0);
        volts[0] = pick(16) == 0 ? 3000 : 400;
    }
}

static void ask_at_random(void) {
    int16_t duty = (int16_t)(pick(32769) - 16384);
    switch (pick(8)) {
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
    default: fused_post(FUSED_RUN, duty, (uint32_t)1000 * (1U + pick(60))); break;
    }
}

void bench_ask(void) {
    if (bench_case_now == BENCH_WORST && pick(4) == 0) {
        uint32_t now = clock_us;
        clock_us -= pick(1001);
        ask_at_random();
        clock_us = now;
    }
}

static void ticks(int count) {
    for (int i = 0; i < count; i++) {
        bench_pass();
        bench_tick();
    }
}

void bench_prepare(bench_case what) {
    bench_case_now = BENCH_REST;
    random_state = 1;
    volts[0] = 400;
    volts[1] = 3000;
    fused_init();
    fused_arm();
    ticks(10);
    if (what == BENCH_RAMP) {
        fused_post(FUSED_RUN, 16384, 100000000U);
    } else if (what == BENCH_RUN) {
        fused_post(FUSED_RUN, 160, 100000000);
        ticks(200);
    }
    ticks(1);
    bench_case_now = what;
}
