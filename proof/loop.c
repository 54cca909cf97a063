/* The closed loop and its parts, one at a time: ENCODER, COUNTING, OVERLOAD, SUPPLY, REGULATORS,
 * ZERO,
 * LOOP or COUNTED is defined. What a part does with anything is proved of it alone, and of the
 * motor what it does with any parts. */
#include "any_kind.h"
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

#ifdef COUNTING
static void prove(void) {
    static wpin_quadrature edges;
    static wpin_counting counting;
    static wpin_counting_config config;
    ANYTHING(config);
    config.quadrature = any ? &edges : NULL;
    config.reversed = ANY_BOOL;
    config.one_channel = ANY_BOOL;
    wpin_counting_init(any ? &counting : NULL, any ? &config : NULL, any ? &any_port : NULL);
    while (any) {
        wpin_measurement m;
        ANYTHING(m);
        if (any) {
            wpin_counting_measure(any ? &counting : NULL, &m);
        } else {
            wpin_counting_set_position(any ? &counting : NULL, any_signed32);
        }
    }
}
#endif

#ifdef OVERLOAD
/* What warms. */
static void prove(void) {
    static wpin_overload overload;
    static wpin_temperature warm;
    static wpin_overload_config config;
    static wpin_temperature_config warm_config;
    ANYTHING(config);
    ANYTHING(warm_config);
    while (any) {
        wpin_measurement m;
        wpin_watched w = {.measurement = &m};
        ANYTHING(m);
        wpin_overload_check(&overload, &config, &w);
        any = wpin_overload_percent(&overload);
        wpin_overload_reset(&overload);
        if (any) {
            wpin_temperature_init(any ? &warm : NULL, any ? &warm_config : NULL,
                                  any ? &any_port : NULL);
        }
        wpin_temperature_check(&warm, NULL, &w);
        wpin_temperature_reset(&warm);
    }
}
#endif

#ifdef SUPPLY
/* What goes by the volts of the supply: a window, and a regulator's effort. */
static wpin_speed speed;
static wpin_torque torque;
static wpin_speed_config gains;
static wpin_torque_config presses;

static void prove(void) {
    static wpin_supply supply;
    static wpin_by_supply by_supply;
    static wpin_supply_config window;
    static wpin_by_supply_config config;
    static wpin_regulator of_speed = WPIN_SPEED_REGULATOR(&speed, &gains);
    static wpin_regulator of_torque = WPIN_TORQUE_REGULATOR(&torque, &presses);
    ANYTHING(gains);
    ANYTHING(presses);
    ANYTHING(window);
    config.per_mv = any16;
    config.per_over = any16;
    config.way_mv = any_signed16;
    config.emf = any16;
    config.of = any ? &of_speed : &of_torque;
    while (any) {
        wpin_measurement m;
        wpin_watched w = {
            .measurement = &m, .quantity = any8, .effort = any_signed16, .held = any8};
        wpin_given given = {.effort = any_signed16, .held = any8};
        ANYTHING(m);
        switch (any) {
        case 0: wpin_supply_check(&supply, &window, &w); break;
        case 1: wpin_supply_reset(&supply); break;
        case 2: wpin_by_supply_step(&by_supply, &config, any_signed32, &m, &given); break;
        case 3: wpin_by_supply_reset(&by_supply, &config, &m, &given); break;
        default: any = wpin_by_supply_near(&by_supply, &config); break;
        }
    }
}
#endif

#ifdef ZERO
/* What learns the zero of a current sense, in front of a sensor of any kind. */
static wpin_stage stage;

static void any_way_to(void *context, int32_t position) {
    (void)context;
    (void)position;
}

static void prove(void) {
    static wpin_zero zero;
    static wpin_zero_config config;
    ANYTHING(config);
    config.stage = any ? &stage : NULL;
    config.at_brake = ANY_BOOL;
    config.more = any ? any_more : NULL;
    config.place = any ? any_way_to : NULL;
    config.context = NULL;
    zero.config = any ? &config : NULL;
    while (any) {
        wpin_measurement m;
        ANYTHING(m);
        stage.drive = any8;
        switch (any) {
        case 0: wpin_zero_measure(any ? &zero : NULL, &m); break;
        case 1: wpin_zero_set_position(any ? &zero : NULL, any_signed32); break;
        default: any = wpin_zero_millivolts(any ? &zero : NULL); break;
        }
    }
}
#endif

#ifdef REGULATORS
/* Regulators, and what watches a motion, by a sensor that lies. */
static wpin_speed speed;
static wpin_position place;
static wpin_torque torque;
static wpin_motion motion;
static wpin_speed_config gains;
static wpin_position_config moves;
static wpin_torque_config presses;
static wpin_motion_config limits;

static void watch(const wpin_measurement *m) {
    wpin_watched w = {.measurement = m,
                      .quantity = any8,
                      .setpoint = any_signed32,
                      .effort = any_signed16,
                      .held = any8};
    wpin_motion_check(&motion, &limits, &w);
}

static void prove(void) {
    ANYTHING(gains);
    ANYTHING(moves);
    ANYTHING(presses);
    ANYTHING(limits);
    while (any) {
        wpin_measurement m;
        wpin_given given = {.effort = any_signed16, .held = any8};
        ANYTHING(m);
        switch (any) {
        case 0: wpin_speed_step(&speed, &gains, any_signed32, &m, &given); break;
        case 1: wpin_speed_reset(&speed, &gains, &m, &given); break;
        case 2: wpin_position_step(&place, &moves, any_signed32, &m, &given); break;
        case 3: wpin_position_reset(&place, &moves, &m, &given); break;
        case 4: wpin_torque_step(&torque, &presses, any_signed32, &m, &given); break;
        case 5: wpin_torque_reset(&torque, &presses, &m, &given); break;
        case 6: any = wpin_torque_near(&torque, &presses); break;
        case 7: wpin_motion_reset(&motion); break;
        default: watch(&m); break;
        }
    }
}
#endif

#ifdef LOOP
/* A motor whose speed, place and torque are regulated, and its motion watched, by parts of any
 * kind. */
static wpin_motor_config config;
static wpin_motor motor;
static wpin_travel travel;
WPIN_FAST_TICK(fast, motor, config, any_port)

/* The tick with its constants folded in; that these are its own it asks by itself too. */
static void folded(void) {
    if (motor.config == &config && motor.port == &any_port) {
        fast();
    }
}

static void any_show(void *context, const char *code) {
    (void)context, (void)code;
}

static void any_place(void *context, int32_t position) {
    (void)context, (void)position;
}

static void show(void) {
    static wpin_display display = {.show = any_show};
    char code[WPIN_CODE_LENGTH + 1];
    wpin_motor_code(any ? &motor : NULL, code);
    wpin_fault_code((wpin_status)any8, code);
    wpin_display_update(&display, &motor);
}

static void configure(void) {
    any_motor(&config);
    on_any_actuator(&config);
    in_any_loop(&config);
    config.at_count = any16;
    config.settle_ms = any16;
    config.counts_per_turn = any32;
    config.at_speed = any16;
    ANYTHING(travel);
    travel.homed_first = ANY_BOOL;
    config.travel = any ? &travel : NULL;
    config.sense.place = any ? any_place : NULL;
}

static void ask_everything(void) {
    any = wpin_motor_is_homed(any ? &motor : NULL);
    any = wpin_motor_asked(any ? &motor : NULL);
    any = wpin_motor_place(any ? &motor : NULL);
}

static void prove(void) {
    configure();
    wpin_motor_init(&motor, &config, &any_port);
    while (any) {
        switch (any) {
        case 0: wpin_motor_tick(&motor); break;
        case 1: wpin_motor_arm(&motor); break;
        case 2:
            wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32);
            break;
        case 3: wpin_motor_stop(&motor, any32); break;
        case 4: wpin_motor_clear_fault(&motor); break;
        case 5: wpin_motor_refresh(&motor, any32); break;
        case 6: wpin_motor_set_position(any ? &motor : NULL, any_signed32); break;
        case 7: wpin_motor_turn(&motor, any_signed32, any32); break;
        case 8: wpin_motor_turn_to(&motor, any_signed32, any32); break;
        case 9: show(); break;
        case 10: wpin_motor_home(any ? &motor : NULL, any32); break;
        case 11: folded(); break;
        case 12: ask_everything(); break;
        default: wpin_motor_coast(&motor); break;
        }
    }
}
#endif

#ifdef COUNTED
/* The steady path of a folded tick, which counts and regulates a speed without a detour by what the
 * library has for that. What else there is of such a motor LOOP has, with parts of any kind. */
static wpin_motor_config config;
static wpin_motor motor;
static wpin_counting counting;
static wpin_counting_config counts;
static wpin_speed speed;
static wpin_speed_config gains;
WPIN_FAST_TICK(fast, motor, config, any_port)

static void configure(void) {
    static wpin_regulator regulators[] = {WPIN_SPEED_REGULATOR(&speed, &gains)};
    ANYTHING(gains);
    ANYTHING(counts);
    counts.quadrature = NULL;
    counts.reversed = ANY_BOOL;
    counts.one_channel = ANY_BOOL;
    any_motor(&config);
    on_any_actuator(&config);
    any_actuator.takes = WPIN_TAKES(WPIN_QUANTITY_EFFORT);
    config.loop = &wpin_closed_loop;
    config.loop_state = &any_loop_state;
    config.regulators = regulators;
    config.regulator_count = 1;
    config.at_speed = any16;
    config.sense.more = wpin_counting_measure;
    config.sense.context = &counting;
}

static void prove(void) {
    configure();
    wpin_counting_init(&counting, &counts, &any_port);
    wpin_motor_init(&motor, &config, &any_port);
    wpin_motor_arm(&motor);
    while (any) {
        if (any) {
            wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32);
        } else if (motor.config == &config && motor.port == &any_port) {
            fast();
        }
    }
}
#endif

int main(void) {
    prove();
    return 0;
}
