/* Whether the core and the loop written by hand do the same to the pins of a motor whose speed is
 * regulated: random requests, trips and faults, a shaft that follows, is held and is pushed, on a
 * clock that is late, stands and steps back, with sensors that fail and currents above the limit.
 * Prints how many ticks agreed; status 1 with the first that did not. */
#include "agree.h"

static int16_t current_mv = 400;
static bool fails;
static double place, turning; /* counts, and counts a second */

/* ---- the hardware of the loop by hand ---- */

static int16_t hw_current(void) {
    return current_mv;
}

static uint16_t counted(void) {
    return (uint16_t)(uint64_t)(int64_t)place;
}

static bool hw_count(uint16_t *to) {
    *to = counted();
    return !fails;
}

#include "fused_loop.h"

static void hw_lines(unsigned state) {
    of_hand.brake = state == FUSED_BRAKE;
    of_hand.direction = state == FUSED_FORWARD || (of_hand.direction && state != FUSED_REVERSE);
}

/* ---- the same for the core ---- */

static int16_t millivolts(void *context, uint8_t input) {
    (void)context, (void)input;
    return current_mv;
}

static wpin_status count(void *context, uint8_t counter, wpin_count *to) {
    (void)context, (void)counter;
    to->counts = counted();
    return fails ? WPIN_REFUSED_PORT : WPIN_OK;
}

const wpin_port loop_port = {.now = now,
                             .open = write_pin,
                             .write = write_pin,
                             .pwm_start = pwm_start,
                             .pwm_duty = pwm_duty,
                             .millivolts = millivolts,
                             .count = count,
                             .pause = pause_us};
static wpin_counting encoder;
static wpin_loop_state loop_state;
static wpin_speed loop;
#include "loop_config.h"
static wpin_motor motor;

/* ---- what happens ---- */

/* The shaft follows its duty, more or less; now and then it is held, or pushed. */
static void turn(double seconds) {
    static double load;
    if (pick(2000) == 0) {
        load = pick(3) == 0 ? 0 : (double)pick(8000) - 4000;
    }
    double driven = of_hand.duty / 16384.0 * 9000 * (of_hand.direction ? 1 : -1) + load;
    turning += (driven - turning) * (seconds < 0.05 ? seconds / 0.05 : 1);
    place += turning * seconds;
}

/* Time passes: a control period, now and then none, a late one, or a step back. */
static void pass(void) {
    uint32_t us = pass_of_clock(4000);
    turn(us < 1000000 ? us * 1e-6 : 0);
}

static void sense(void) {
    if (pick(50) == 0) {
        current_mv = pick(4) == 0 ? (int16_t)(1400 + pick(1000)) : (int16_t)(pick(2000) - 1000);
    }
    if (pick(5000) == 0) {
        current_mv = FUSED_NO_READING;
    } else if (current_mv == FUSED_NO_READING) {
        current_mv = 400;
    }
    fails = pick(20000) == 0;
}

/* One request of both; the core's answer is the hand's. */
static bool ask(void) {
    int16_t value = (int16_t)(pick(32769) - 16384);
    uint32_t ms = 1 + pick(6000);
    wpin_setpoint speed = {.quantity = WPIN_QUANTITY_SPEED, .value = value};
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
        return (wpin_motor_request(&motor, speed, 0, ms) == WPIN_OK) ==
               fused_post(FUSED_RUN, value, ms * 1000);
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
    wpin_measurement m = wpin_motor_measurement(&motor);
    return same_pins() && m.speed == fused.speed && m.position == fused.position &&
           (wpin_motor_fault(&motor) == WPIN_OK) == (fused.fault == FUSED_NO_FAULT);
}

int main(int argc, char **argv) {
    unsigned long ticks = argc > 1 ? strtoul(argv[1], NULL, 10) : 1000000, driven = 0, faults = 0;
    if (wpin_counting_init(&encoder, &encoder_config, &loop_port) != WPIN_OK ||
        wpin_motor_init(&motor, &loop_config, &loop_port) != WPIN_OK) {
        return 2;
    }
    fused_init();
    rearm();
    for (unsigned long n = 0; n < ticks; n++) {
        bool fine = wpin_motor_fault(&motor) == WPIN_OK;
        pass();
        sense();
        bool asked = pick(100) != 0 || ask();
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
    printf("core and loop by hand, regulated: the same pins in %lu ticks, driven in %lu, %lu "
           "faults\n",
           ticks, driven, faults);
    return 0;
}
