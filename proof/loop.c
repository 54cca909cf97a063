/* The closed loop and its parts, one at a time: ENCODER, OVERLOAD or LOOP is defined. */
#include "any.h"
#include <windpin/fast.h>

#ifdef ENCODER
static void prove(void) {
    static wpin_quadrature edges;
    static wpin_encoder encoder;
    static wpin_encoder_config config;
    ANYTHING(config);
    config.quadrature = any ? &edges : NULL;
    config.reversed = ANY_BOOL;
    config.one_channel = ANY_BOOL;
    config.no_moments = ANY_BOOL;
    wpin_encoder_init(any ? &encoder : NULL, any ? &config : NULL, any ? &any_port : NULL);
    while (any) {
        wpin_measurement m;
        wpin_count counts;
        ANYTHING(m);
        switch (any) {
        case 0: wpin_encoder_measure(any ? &encoder : NULL, &m); break;
        case 1: wpin_encoder_set_position(any ? &encoder : NULL, any_signed32); break;
        case 2: wpin_quadrature_edge(&edges, ANY_BOOL, ANY_BOOL, any32); break;
        case 3: wpin_quadrature_pulse(&edges, any32); break;
        default: wpin_quadrature_read(&edges, &any_port, &counts); break;
        }
    }
}
#endif

#ifdef OVERLOAD
/* What warms, alone and as the protections of a motor that has nothing else. */
static wpin_overload overload;
static wpin_temperature warm;
static wpin_stage stage;
static wpin_stage_config wires;
static wpin_motor_config guarded;
static wpin_loop_state loop_state;
static wpin_motor motor;
static const wpin_protection protections[] = {WPIN_OVERLOAD_PROTECTION(&overload),
                                              WPIN_TEMPERATURE_PROTECTION(&warm)};

static void one_call(void) {
    switch (any) {
    case 0: wpin_motor_arm(&motor); break;
    case 1: wpin_motor_run(&motor, any_signed16, any32, any32); break;
    case 2: wpin_motor_stop(&motor, any32); break;
    case 3: wpin_motor_clear_fault(&motor); break;
    case 4: wpin_motor_turn(&motor, any_signed32, any32); break;
    case 5: wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32); break;
    default: wpin_motor_tick(&motor); break;
    }
}

static void prove(void) {
    static wpin_overload_config config;
    static wpin_temperature_config warm_config;
    ANYTHING(config);
    ANYTHING(warm_config);
    overload.config = &config;
    any_stage(&wires, &wpin_table_direction_pwm_brake);
    any_motor(&guarded);
    guarded.actuator = &wpin_stage_actuator;
    guarded.part = &stage;
    guarded.part_config = &wires;
    guarded.loop = &wpin_protecting_loop;
    guarded.loop_state = &loop_state;
    guarded.protections = protections;
    guarded.protection_count = 2;
    wpin_motor_init(&motor, &guarded, &any_port);
    while (any) {
        wpin_measurement m;
        wpin_watched w = {.measurement = &m};
        ANYTHING(m);
        wpin_overload_check(&overload, &w);
        any = wpin_overload_percent(&overload);
        wpin_overload_reset(&overload);
        if (any) {
            wpin_temperature_init(any ? &warm : NULL, any ? &warm_config : NULL,
                                  any ? &any_port : NULL);
        }
        wpin_temperature_check(&warm, &w);
        wpin_temperature_reset(&warm);
        one_call();
    }
}
#endif

#ifdef LOOP
static void any_show(void *context, const char *code) {
    (void)context, (void)code;
}

/* A motor whose speed, place and torque are regulated, and its motion watched, by a sensor that
 * lies. */
static wpin_stage stage;
static wpin_stage_config wires;
static wpin_motor_config config;
static wpin_loop_state loop_state;
static wpin_motor motor;
static wpin_encoder encoder;
static wpin_encoder_config encoder_config;
static wpin_speed speed;
static wpin_speed_config gains;
static wpin_motion motion;
static wpin_motion_config limits;
static wpin_position place;
static wpin_position_config moves;
static wpin_torque torque;
static wpin_torque_config presses;
static wpin_travel travel;
static const wpin_regulator regulators[] = {
    WPIN_SPEED_REGULATOR(&speed), WPIN_POSITION_REGULATOR(&place), WPIN_TORQUE_REGULATOR(&torque)};
static const wpin_protection protections[] = {WPIN_MOTION_PROTECTION(&motion)};
WPIN_FAST_TICK(fast, motor, config, any_port)

/* The tick with its constants folded in; that these are its own it asks by itself too. */
static void folded(void) {
    if (motor.config == &config && motor.port == &any_port) {
        fast();
    }
}

static void configure(void) {
    any_stage(&wires, &wpin_table_direction_pwm_brake);
    any_motor(&config);
    ANYTHING(gains);
    ANYTHING(moves);
    place.config = &moves;
    ANYTHING(presses);
    torque.config = &presses;
    ANYTHING(limits);
    ANYTHING(encoder_config);
    encoder_config.quadrature = NULL;
    encoder_config.reversed = ANY_BOOL;
    encoder_config.one_channel = ANY_BOOL;
    encoder_config.no_moments = ANY_BOOL;
    speed.config = &gains;
    motion.config = &limits;
    config.actuator = &wpin_stage_actuator;
    config.part = &stage;
    config.part_config = &wires;
    config.loop = &wpin_closed_loop;
    config.loop_state = &loop_state;
    config.regulators = regulators;
    config.regulator_count = 3;
    config.at_count = any16;
    config.settle_ms = any16;
    config.counts_per_turn = any32;
    config.protections = protections;
    config.protection_count = 1;
    config.at_speed = any16;
    ANYTHING(travel);
    travel.homed_first = ANY_BOOL;
    config.travel = any ? &travel : NULL;
    if (any) {
        config.sense.more = wpin_encoder_measure;
        config.sense.place = wpin_encoder_set_position;
        config.sense.context = &encoder;
    }
}

static void prove(void) {
    configure();
    wpin_encoder_init(&encoder, &encoder_config, &any_port);
    wpin_motor_init(&motor, &config, &any_port);
    while (any) {
        switch (any) {
        case 0: wpin_motor_tick(&motor); break;
        case 1: wpin_motor_arm(&motor); break;
        case 2:
            wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32);
            break;
        case 3: wpin_motor_stop(&motor, any32); break;
        case 4:
            wpin_motor_clear_fault(&motor);
            any = wpin_motor_is_homed(any ? &motor : NULL);
            any = wpin_motor_asked(any ? &motor : NULL);
            any = wpin_motor_place(any ? &motor : NULL);
            break;
        case 5: wpin_motor_refresh(&motor, any32); break;
        case 6: wpin_motor_set_position(any ? &motor : NULL, any_signed32); break;
        case 7: wpin_motor_turn(&motor, any_signed32, any32); break;
        case 8: wpin_motor_turn_to(&motor, any_signed32, any32); break;
        case 10: wpin_motor_home(any ? &motor : NULL, any32); break;
        case 11: folded(); break;
        case 9: {
            static wpin_display display = {.show = any_show};
            char code[WPIN_CODE_LENGTH + 1];
            wpin_motor_code(any ? &motor : NULL, code);
            wpin_fault_code((wpin_status)any8, code);
            wpin_display_update(&display, &motor);
            break;
        }
        default: wpin_motor_coast(&motor); break;
        }
    }
}
#endif

int main(void) {
    prove();
    return 0;
}
