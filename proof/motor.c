/* A motor of any configuration: every call, in any order, as often as you like. It is on an
 * actuator that answers anything; or on a stage, its tick general or folded, or the only one that
 * the core is compiled for. What a stage does with each of the tables is in stage.c. */
#include "../src/core/motor_core.h"
#include "any.h"
#include <windpin/fast.h>
#ifdef ACTUATOR
#include "any_kind.h"
#endif

#ifdef FOLDED
#define TABLE FOLDED
#endif
#ifdef ALONE
#define TABLE ALONE
#endif
#ifdef ACTUATOR
#define TABLE wpin_table_switch
#endif

static wpin_stage stage;
static wpin_stage_config wires;
static wpin_motor motor;

/* A core compiled for one motor knows its constants, so they are some here. */
#ifdef ALONE
static const wpin_line alone_lines[WPIN_STAGE_LINES] = {
    {.pin = 1, .inverted = true}, {.pin = 2}, {.pin = 3}, {.pin = 4}};
static const wpin_stage_config alone_wires = {.table = &TABLE,
                                              .lines = alone_lines,
                                              .pwm_hz = 900,
                                              .dead_time_us = 2,
                                              .pulse_neutral = 9000,
                                              .pulse_swing = 3000};
const wpin_motor_config WPIN_ONE_MOTOR = {WPIN_ON_STAGE(&stage, &alone_wires),
                                          .guard = {.cap = 16384,
                                                    .up = WPIN_SLEW_US(300000),
                                                    .down = WPIN_SLEW_US(64),
                                                    .pause_us = 300000,
                                                    .current_trip = 2400,
                                                    .trip_us = 50000,
                                                    .supply_low = 2000,
                                                    .supply_high = 4000,
                                                    .minimum_us = 20000,
                                                    .on_time_max_us = 90000000,
                                                    .current_limit = 2000,
                                                    .limit_gain = 3,
                                                    .cool_s = 30},
                                          .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY,
                                                    .supply_input = 1,
                                                    .limit_forward = {.used = true, .pin = 5}},
                                          .start = {.start_duty = 3000,
                                                    .drop_out_duty = 2000,
                                                    .below = WPIN_BELOW_KICK,
                                                    .kick_duty = 9000,
                                                    .kick_us = 60000,
                                                    .smooth = true}};
#define config WPIN_ONE_MOTOR
#else
static wpin_motor_config config;
#endif

/* What needs no table of its own is made on one of them only: its folded tick, several motors in a
 * call, and calls without a motor. */
#ifdef FOLDED
#define MAYBE(object) (any ? &(object) : NULL)
#else
#define MAYBE(object) (&(object))
#endif

static void any_request(void) {
    wpin_motor *m = MAYBE(motor);
    switch (any) {
    case 0: wpin_motor_run(m, any_signed16, any32, any32); break;
    case 1: wpin_motor_request(m, (wpin_setpoint){any8, any_signed32}, any32, any32); break;
    case 2: wpin_motor_turn(m, any_signed32, any32); break;
    case 3: wpin_motor_turn_to(m, any_signed32, any32); break;
    case 4: wpin_motor_calibrate(m, any32); break;
    case 5: wpin_motor_refresh(m, any32); break;
    case 6: wpin_motor_stop(m, any32); break;
    case 7: wpin_motor_coast(m); break;
    case 8: wpin_motor_brake(m); break;
    case 9: wpin_motor_trip(m, (wpin_status)any8); break;
    case 10: wpin_motor_clear_fault(m); break;
    case 11: wpin_motor_arm(m); break;
    case 12: wpin_motor_end_kick(m); break;
    default: wpin_motor_disarm(m); break;
    }
}

static void ask_everything(void) {
    const wpin_motor *m = MAYBE(motor);
    any = (int)wpin_motor_state(m);
    any = wpin_motor_busy(m);
    any = wpin_motor_duty(m);
    any = (int)wpin_motor_fault(m);
    any = (int)wpin_motor_ended(m);
    any = wpin_motor_kicks(m);
    any = wpin_motor_held(m);
    any = wpin_motor_measurement(m).speed;
    any32 = wpin_motor_operations(m);
    any = wpin_motor_last_direction(m);
    any = wpin_motor_saturated(m) + wpin_motor_lifted(m);
    any32 = (uint32_t)wpin_motor_milliamps(m);
}

/* Its constants folded in: the tick that one motor's own program calls. */
#ifdef FOLDED
WPIN_FAST_TICK(tick, motor, config, any_port)
static void folded(void) {
    wpin_motor *const list[] = {MAYBE(motor)};
    wpin_motors_tick(any ? list : NULL, any16 & 1U);
    if (motor.config != &config || motor.port != &any_port) { /* asked by itself too, see fast.h */
        return;
    }
    tick();
}
#else
static void folded(void) {}
#endif
#ifdef ALONE
static void anyhow(void) {}
#else
static void anyhow(void) {
    any_stage(&wires, &TABLE);
    any_motor(&config);
    config.actuator = &wpin_stage_actuator;
    config.part = &stage;
    config.part_config = &wires;
#ifdef ACTUATOR
    on_any_actuator(&config);
#endif
}
#endif

/* What plans ask of it besides. */
static void serve_plan(void) {
    wpin_motor_take(MAYBE(motor));
    if (wpin_motor_is_open(&motor)) {
        any = wpin_motor_has_way(&config, any8);
        any32 = wpin_motor_pause_ms(&motor);
    }
}

int main(void) {
    anyhow();
    while (any) {
        switch (any) {
        case 0:
            wpin_motor_init(any ? &motor : NULL, any ? &config : NULL, any ? &any_port : NULL);
            break;
        case 1: wpin_motor_tick(any ? &motor : NULL); break;
        case 2: any_request(); break;
        case 3: ask_everything(); break;
        case 4: wpin_stage_off(MAYBE(stage)); break;
        case 5: wpin_stage_commutate(MAYBE(stage), any8); break;
        case 6: folded(); break;
        case 7: serve_plan(); break;
        default: wpin_motor_close(&motor); break;
        }
    }
    return 0;
}
