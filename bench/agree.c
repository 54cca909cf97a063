/* Whether the core and the loop written by hand do the same to the pins: random requests, trips and
 * faults, on a clock that is late, stands and steps back, with sensors that fail and currents that
 * trip. Prints how many ticks agreed; status 1 with the first that did not. */
#include <stdio.h>
#include <stdlib.h>
#include <windpin/windpin.h>

static uint32_t clock_us;
static int16_t current_mv = 400, supply_mv = 3000;

/* What each of the two shows. */
typedef struct pins {
    uint16_t duty;
    bool direction, brake;
} pins;
static pins of_core, of_hand;

/* ---- the hardware of the loop by hand ---- */

static uint32_t hw_now(void) {
    return clock_us;
}

static int16_t hw_current(void) {
    return current_mv;
}

static int16_t hw_supply(void) {
    return supply_mv;
}

static void hw_pwm(uint16_t duty) {
    of_hand.duty = duty;
}

static void hw_lines(unsigned state);

static void hw_dead_time(void) {}

static uint8_t hw_lock(void) {
    return 0;
}

static void hw_unlock(uint8_t state) {
    (void)state;
}

#include "fused.h"

static void hw_lines(unsigned state) {
    of_hand.brake = state == FUSED_BRAKE;
    of_hand.direction = state == FUSED_FORWARD || (of_hand.direction && state != FUSED_REVERSE);
}

/* ---- the same for the core ---- */

enum { DIRECTION = 4, BRAKE = 7, PWM = 9 };

static wpin_moment now(void *context) {
    (void)context;
    return clock_us;
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context;
    bool high = level == WPIN_HIGH;
    of_core.duty = pin == PWM ? (high ? 16384 : 0) : of_core.duty;
    of_core.direction = pin == DIRECTION ? high : of_core.direction;
    of_core.brake = pin == BRAKE ? high : of_core.brake;
    return WPIN_OK;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    return WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context, (void)pin;
    of_core.duty = duty;
    return WPIN_OK;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    return input == 0 ? current_mv : supply_mv;
}

static void pause_us(void *context, uint32_t us) {
    (void)context, (void)us;
}

static const wpin_port port = {.now = now,
                               .open = write_pin,
                               .write = write_pin,
                               .pwm_start = pwm_start,
                               .pwm_duty = pwm_duty,
                               .millivolts = millivolts,
                               .pause = pause_us};
static const wpin_line lines[] = {{.pin = DIRECTION}, {.pin = BRAKE}, {.pin = PWM}};
static const wpin_stage_config bridge = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static wpin_stage stage;
static const wpin_motor_config config = {WPIN_ON_STAGE(&stage, &bridge),
                                         .guard = {.cap = 16384,
                                                   .up = WPIN_SLEW_US(2000000),
                                                   .down = WPIN_SLEW_US(1500000),
                                                   .pause_us = FUSED_PAUSE,
                                                   .current_trip = FUSED_TRIP_MV,
                                                   .trip_us = FUSED_TRIP_US,
                                                   .supply_low = FUSED_LOW_MV,
                                                   .supply_high = FUSED_HIGH_MV},
                                         .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY,
                                                   .current_mv_per_a = 400,
                                                   .supply_input = 1}};
static wpin_motor motor;

/* ---- what happens ---- */

static uint32_t seed = 1;

static uint32_t pick(uint32_t range) {
    seed = seed * 1664525U + 1013904223U;
    return (seed >> 8) % range;
}

/* Time passes: a control period, now and then none, a late one, or a step back. */
static void pass(void) {
    switch (pick(200)) {
    case 0: break;
    case 1: clock_us += 60000 + pick(200000); break;
    case 2: clock_us -= pick(100); break;
    default: clock_us += 900 + pick(200);
    }
}

static void sense(void) {
    if (pick(50) == 0) {
        current_mv = pick(8) == 0 ? 3000 : (int16_t)(pick(2000) - 1000);
    }
    supply_mv = pick(3000) == 0 ? (int16_t)(pick(2) ? 4000 : 2000) : 3000;
    if (pick(5000) == 0) {
        current_mv = FUSED_NO_READING;
    } else if (current_mv == FUSED_NO_READING) {
        current_mv = 400;
    }
}

/* One request of both; the core's answer is the hand's. */
static bool ask(void) {
    int16_t duty = (int16_t)(pick(32769) - 16384);
    uint32_t ms = 1 + pick(6000);
    switch (pick(10)) {
    case 0: wpin_motor_stop(&motor, 0); return fused_post(FUSED_STOP, 0, 0) || true;
    case 1: wpin_motor_coast(&motor); return fused_post(FUSED_LET_GO, 0, 0) || true;
    case 2: wpin_motor_brake(&motor); return fused_post(FUSED_SHORT, 0, 0) || true;
    case 3:
        if (pick(20) == 0) {
            wpin_motor_trip(&motor, WPIN_FAULT_EXTERNAL);
            fused_trip();
        }
        return true;
    default:
        return (wpin_motor_run(&motor, duty, 0, ms) == WPIN_OK) ==
               fused_post(FUSED_RUN, duty, ms * 1000);
    }
}

static void rearm(void) {
    if (wpin_motor_clear_fault(&motor) == WPIN_OK) {
        fused_clear();
    }
    if (wpin_motor_fault(&motor) == WPIN_OK && wpin_motor_arm(&motor) == WPIN_OK) {
        fused_arm();
    }
}

static bool same(void) {
    return of_core.duty == of_hand.duty && of_core.direction == of_hand.direction &&
           of_core.brake == of_hand.brake &&
           (wpin_motor_fault(&motor) == WPIN_OK) == (fused.fault == FUSED_NO_FAULT);
}

int main(int argc, char **argv) {
    unsigned long ticks = argc > 1 ? strtoul(argv[1], NULL, 10) : 1000000, driven = 0, faults = 0;
    if (wpin_motor_init(&motor, &config, &port) != WPIN_OK) {
        return 2;
    }
    fused_init();
    rearm();
    for (unsigned long n = 0; n < ticks; n++) {
        bool fine = wpin_motor_fault(&motor) == WPIN_OK;
        pass();
        sense();
        bool asked = pick(40) != 0 || ask();
        wpin_motor_tick(&motor);
        fused_tick();
        if (!asked || !same()) {
            printf("tick %lu: core %u %d %d, by hand %u %d %d, faults %d and %d\n", n, of_core.duty,
                   of_core.direction, of_core.brake, of_hand.duty, of_hand.direction, of_hand.brake,
                   wpin_motor_fault(&motor), fused.fault);
            return 1;
        }
        driven += of_hand.duty != 0;
        faults += fine && wpin_motor_fault(&motor) != WPIN_OK;
        if (!fine && pick(30) == 0) {
            rearm();
        }
    }
    printf("core and loop by hand: the same pins in %lu ticks, driven in %lu, %lu faults\n", ticks,
           driven, faults);
    return 0;
}
