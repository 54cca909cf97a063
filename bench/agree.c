/* Whether the core and the loop written by hand do the same to the pins: random requests, trips and
 * faults, on a clock that is late, stands and steps back, with sensors that fail and currents that
 * trip. Prints how many ticks agreed; status 1 with the first that did not. */
#include "agree.h"

static int16_t current_mv = 400, supply_mv = 3000;

/* ---- the hardware of the loop by hand ---- */

static int16_t hw_current(void) {
    return current_mv;
}

static int16_t hw_supply(void) {
    return supply_mv;
}

#include "fused.h"

static void hw_lines(unsigned state) {
    of_hand.brake = state == FUSED_BRAKE;
    of_hand.direction = state == FUSED_FORWARD || (of_hand.direction && state != FUSED_REVERSE);
}

/* ---- the same for the core ---- */

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    return input == 0 ? current_mv : supply_mv;
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
    return same_pins() && (wpin_motor_fault(&motor) == WPIN_OK) == (fused.fault == FUSED_NO_FAULT);
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
        pass_of_clock(200);
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
