/* A port that costs next to nothing: what is measured on it is the core. What differs from bench to
 * bench (pins that are read, sensors, counters, groups, the lock) is each one's own. */
#ifndef WPIN_BENCH_IDLE_PORT_H
#define WPIN_BENCH_IDLE_PORT_H

#include <windpin/windpin.h>

static volatile uint32_t clock_us;
static volatile uint16_t written;

static wpin_moment now(void *context) {
    (void)context;
    return clock_us;
}

static wpin_status open_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context, (void)pin, (void)level;
    return WPIN_OK;
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context, (void)pin;
    written = (uint16_t)level;
    return WPIN_OK;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin, (void)request;
    *achieved = (wpin_pwm_achieved){.millihertz = 20000000, .steps = 800};
    return WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context, (void)pin;
    written = duty;
    return WPIN_OK;
}

static wpin_status leg_start(void *context, wpin_pin high, wpin_pin low,
                             const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    (void)context, (void)high, (void)low;
    *achieved = (wpin_pwm_achieved){
        .millihertz = 20000000, .steps = 800, .dead_time_ns = request->dead_time_ns};
    return WPIN_OK;
}

static wpin_status leg_duty(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    (void)context, (void)high, (void)low;
    written = duty;
    return WPIN_OK;
}

static void pause_us(void *context, uint32_t us) {
    (void)context;
    clock_us += us;
}

static wpin_status group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    (void)context, (void)group, (void)mask;
    written = high;
    return WPIN_OK;
}

#endif
