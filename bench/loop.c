/* One motor whose speed is regulated, by a core compiled for it alone: an encoder that is counted,
 * feed-forward with a proportional and an integral share, the current limited. bench/loop_fused.c
 * has the same by hand. With BENCH_FULL all that the core watches besides: speed measured over the
 * moments of the edges, gains that follow its age, stall, wrong way, following error, over-speed,
 * over-current, heat and the supply's window. */
#include "tick.h"
#include "tick_port.h"
#include <windpin/fast.h>

const wpin_port bench_port = {.now = now,
                              .open = open_pin,
                              .write = write_pin,
                              .pwm_start = pwm_start,
                              .pwm_duty = pwm_duty,
                              .leg_start = leg_start,
                              .leg_duty = leg_duty,
                              .group_open = group_open,
                              .group_write = group_write,
                              .read = read_pin,
                              .millivolts = millivolts,
                              .count = count,
                              .pause = pause_us,
                              .lock = lock,
                              .unlock = unlock};
static wpin_loop_state loop_state;
static wpin_speed loop;
#if BENCH_FULL
static wpin_encoder encoder;
#include "full_config.h"
#else
static wpin_counting encoder;
#include "loop_config.h"
#endif
static wpin_motor motor;
WPIN_FAST_TICK(tick_motor, motor, loop_config, bench_port)
bool bench_fast;
static bench_case bench_case_now;
static uint16_t random_state = 1;

static uint16_t pick(uint16_t range) {
    random_state ^= (uint16_t)(random_state << 7);
    random_state ^= (uint16_t)(random_state >> 9);
    random_state ^= (uint16_t)(random_state << 8);
    return (uint16_t)(random_state % range);
}

__attribute__((noinline, hot)) void bench_tick(void) {
    tick_motor();
}

void bench_pass(void) {
    clock_us += 1000;
    if (bench_case_now == BENCH_WORST) {
        clock_us = clock_us - 10 + pick(21) + (pick(64) == 0 ? pick(40000) : 0);
        sensed_mv = pick(16) == 0 ? 1900 : 400;
    }
    turns += (uint32_t)(wpin_motor_duty(&motor) - (int32_t)turns / 64); /* either way */
    place += (uint32_t)((int32_t)turns / 512);
}

static void ask_speed(int16_t value) {
    wpin_setpoint speed = {.quantity = WPIN_QUANTITY_SPEED, .value = value};
    wpin_motor_request(&motor, speed, 0, WPIN_TIMEOUT_HELD);
}

static void ask_at_random(void) {
    switch (pick(16)) {
    case 0: wpin_motor_stop(&motor, 0); break;
    case 1: wpin_motor_coast(&motor); break;
    case 2: wpin_motor_brake(&motor); break;
    case 3:
        wpin_motor_trip(&motor, WPIN_FAULT_EXTERNAL);
        clock_us += 1000;
        bench_tick();
        clock_us -= 1000;
        wpin_motor_clear_fault(&motor);
        wpin_motor_arm(&motor);
        break;
    default: ask_speed((int16_t)(pick(32769) - 16384)); break;
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
    sensed_mv = 400;
    supply_mv = 3000;
    motor = (wpin_motor){0}; /* no fault to be careful after */
#if BENCH_FULL
    wpin_encoder_init(&encoder, &encoder_config, &bench_port);
#else
    wpin_counting_init(&encoder, &encoder_config, &bench_port);
#endif
    wpin_motor_init(&motor, &loop_config, &bench_port);
    wpin_motor_arm(&motor);
    for (int i = 0; i < 1500; i++) {
        bench_pass();
        if (i == 20) {
            ask_speed(8000);
        }
        bench_tick();
    }
    bench_case_now = what;
}
