/* The other rooms of the core, one at a time: STEPPER, INPUTS, INPUT_TABLE, READINGS, CURVE,
 * SOFT_PWM, STOP, ENCODER, OVERLOAD, ORDER, LOOP or SMALL is defined. */
#include "any.h"
#include <windpin/fast.h>

#ifdef STEPPER /* the table it is on */
static wpin_stepper stepper;
static wpin_stepper_config coils;
static wpin_stage_config wires;
static wpin_motor_config config;
static wpin_motor motor;

/* One with PWM and rows of rest. */
#define STATE(n) WPIN_ROW(WPIN_DRIVE_SECTOR + (n), WPIN_CELL_DUTY, WPIN_CELL_LOW)
#define REST(n)  WPIN_ROW(WPIN_DRIVE_SECTOR + 8 + (n), WPIN_CELL_DUTY, WPIN_CELL_HIGH)
static const wpin_row resting_rows[] = {WPIN_ROW(WPIN_DRIVE_COAST, WPIN_CELL_LOW, WPIN_CELL_LOW),
                                        STATE(0),
                                        STATE(1),
                                        STATE(2),
                                        STATE(3),
                                        STATE(4),
                                        STATE(5),
                                        STATE(6),
                                        STATE(7),
                                        REST(0),
                                        REST(1),
                                        REST(2),
                                        REST(3),
                                        REST(4),
                                        REST(5),
                                        REST(6),
                                        REST(7)};
static const wpin_stage_table resting = {.line_count = 2, .row_count = 17, .rows = resting_rows};

static void prove(void) {
    any_stage(&wires, &STEPPER);
    ANYTHING(coils);
    coils.reduce = ANY_BOOL;
    coils.stage = &wires;
    coils.half_steps = ANY_BOOL;
    coils.release = ANY_BOOL;
    any_motor(&config);
    config.actuator = &wpin_stepper_actuator;
    config.part = &stepper;
    config.part_config = &coils;
    while (any) {
        int32_t angle, done;
        switch (any) {
        case 0: wpin_motor_init(&motor, &config, &any_port); break;
        case 1: wpin_motor_tick(&motor); break;
        case 2: wpin_stepper_tick(&stepper); break;
        case 3: wpin_motor_arm(&motor); break;
        case 4: wpin_motor_turn(&motor, any_signed32, any32); break;
        case 5: wpin_motor_turn_to(&motor, any_signed32, any32); break;
        case 6:
            wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32);
            break;
        case 7: wpin_motor_stop(&motor, any32); break;
        case 8: wpin_motor_coast(&motor); break;
        case 9: wpin_motor_trip(&motor, (wpin_status)any8); break;
        case 10: wpin_stepper_set_position(any ? &stepper : NULL, any_signed32); break;
        case 11: wpin_stepper_angle(any ? &stepper : NULL, &angle, &done); break;
        case 12: any = wpin_motor_duty(&motor); break;
        default: wpin_motor_close(&motor); break;
        }
    }
}
#endif

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

#ifdef ORDER
/* Finding the order of wires on any three-phase stage, and a watch over its rows. */
static void prove(void) {
    static wpin_stage_config wires;
    static wpin_order_config config;
    static wpin_order order;
    static wpin_stage stage;
    static wpin_phase_watch watch;
    static wpin_phase_watch_config watch_config;
    any_stage(&wires, &wpin_table_three_phase_bridge);
    ANYTHING(config);
    config.stage = &wires;
    ANYTHING(watch_config);
    watch_config.stage = &stage;
    watch.config = &watch_config;
    while (any) {
        wpin_measurement m;
        wpin_watched w = {.measurement = &m};
        switch (any) {
        case 0:
            wpin_order_begin(any ? &order : NULL, any ? &config : NULL, any ? &any_port : NULL);
            break;
        case 1: any = (int)wpin_order_tick(any ? &order : NULL); break;
        case 2: wpin_order_stop(any ? &order : NULL); break;
        case 3: wpin_phase_watch_reset(&watch); break;
        default:
            ANYTHING(m);
            stage.drive = any8;
            any = (int)wpin_phase_watch_check(&watch, &w);
            break;
        }
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

static void prove(void) {
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

#ifdef STOP
static void prove(void) {
    static wpin_stage stage;
    static wpin_stage_config wires;
    static wpin_motor_config motor_config;
    static wpin_motor motor;
    static wpin_motor *const list[] = {&motor};
    static uint8_t how[1];
    static wpin_stop stop;
    any_stage(&wires, &wpin_table_direction_pwm_brake);
    any_motor(&motor_config);
    motor_config.actuator = &wpin_stage_actuator;
    motor_config.part = &stage;
    motor_config.part_config = &wires;
    if (wpin_motor_init(&motor, &motor_config, &any_port) != WPIN_OK) {
        return;
    }
    static wpin_stop_config config = {.motors = list, .count = 1};
    config.how = any ? how : NULL;
    config.pin = any8;
    config.opens = ANY_BOOL;
    config.by_program = ANY_BOOL;
    wpin_stop_init(any ? &stop : NULL, any ? &config : NULL, any ? &any_port : NULL);
    while (any) {
        how[0] = any8;
        switch (any) {
        case 0: wpin_stop_tick(any ? &stop : NULL); break;
        case 1: wpin_stop_now(&stop); break;
        case 2: any = wpin_stop_latched(any ? &stop : NULL); break;
        case 3: any = (int)wpin_stop_rearm(any ? &stop : NULL); break;
        case 4: wpin_motor_arm(&motor); break;
        case 5: wpin_motor_run(&motor, any_signed16, any32, any32); break;
        default: wpin_motor_tick(&motor); break;
        }
    }
}
#endif

#ifdef INPUTS
static void prove(void) {
    static wpin_button button;
    wpin_button_config press = {any32, any32, ANY_BOOL};
    wpin_button_init(any ? &button : NULL, any ? &press : NULL);
    while (any) {
        any = wpin_button_update(any ? &button : NULL, ANY_BOOL, any32);
    }
    static wpin_pair pair;
    wpin_pair_init(any ? &pair : NULL, any ? &press : NULL, any32);
    while (any) {
        any = wpin_pair_update(any ? &pair : NULL, ANY_BOOL, ANY_BOOL, any32);
    }
    static wpin_knob knob;
    wpin_knob_config turn = {any_signed16, any_signed16, any16, any16, any8, ANY_BOOL};
    wpin_knob_init(NULL, any ? &turn : NULL);
    any = wpin_knob_update(any ? &knob : NULL, any_signed16);
    any = (int)wpin_knob_learn_centre(any ? &knob : NULL);
    if (wpin_knob_init(&knob, &turn) == WPIN_OK) {
        while (any) {
            any = wpin_knob_update(&knob, any_signed16);
            any = (int)wpin_knob_learn_centre(&knob);
        }
    }
}
#endif

#ifdef INPUT_TABLE /* the kind of input in it */
static void prove(void) {
    static wpin_button_config button;
    static wpin_knob_config knob;
    static wpin_curve_config curve;
    static wpin_curve_point points[2];
    static wpin_two_point_config two_point;
    static wpin_process_config process;
    button = (wpin_button_config){any32, any32, ANY_BOOL};
    knob = (wpin_knob_config){any_signed16, any_signed16, any16, any16, any8, ANY_BOOL};
    points[0] = (wpin_curve_point){any_signed16, any_signed16};
    points[1] = (wpin_curve_point){any_signed16, any_signed16};
    curve = (wpin_curve_config){points, 2, any16};
    two_point = (wpin_two_point_config){any_signed16, any_signed16, any32, any32};
    process =
        (wpin_process_config){any_signed16, any16, any32, any_signed16, any_signed16, ANY_BOOL};
    wpin_input_config table = {INPUT_TABLE, any8, any8, any_signed16, any32, {NULL}};
    switch (INPUT_TABLE) {
    case WPIN_INPUT_KNOB: table.knob = &knob; break;
    case WPIN_INPUT_CURVE: table.curve = &curve; break;
    case WPIN_INPUT_TWO_POINT: table.two_point = &two_point; break;
    case WPIN_INPUT_PROCESS: table.process = &process; break;
    default: table.button = &button;
    }
    static wpin_input state;
    static wpin_inputs inputs;
    wpin_inputs_config config = {&table, &state, 1};
    wpin_inputs_init(any ? &inputs : NULL, any ? &config : NULL, NULL);
    if (wpin_inputs_init(&inputs, &config, &any_port) == WPIN_OK) {
        while (any) {
            uint16_t number = any16;
            switch (any) {
            case 0: wpin_inputs_update(&inputs); break;
            case 1: any = wpin_inputs_held(&inputs, number); break;
            case 2: any = wpin_inputs_duty(&inputs, number); break;
            case 3: wpin_inputs_rearm(&inputs, number); break;
            default: any = wpin_inputs_gave_up(&inputs, number);
            }
        }
    }
}
#endif

#ifdef READINGS
static void prove(void) {
    static wpin_two_point control;
    wpin_two_point_config points = {any_signed16, any_signed16, any32, any32};
    wpin_two_point_init(any ? &control : NULL, any ? &points : NULL, any32);
    static wpin_in_step_config together;
    static wpin_in_step pair = {.config = &together};
    ANYTHING(together);
    while (any) {
        int16_t a, b;
        wpin_in_step_begin(&pair, any_signed32, any_signed32);
        any = wpin_in_step_trim(&pair, any_signed32, any_signed32, any_signed16, &a, &b);
    }
    while (any) {
        any = wpin_two_point_update(any ? &control : NULL, any_signed16, ANY_BOOL, any32);
        wpin_two_point_release(&control);
    }
    static wpin_process process;
    wpin_process_config wanted = {any_signed16, any16, any32, any_signed16, any_signed16, ANY_BOOL};
    wpin_process_init(NULL, any ? &wanted : NULL, any32);
    if (wpin_process_init(&process, &wanted, any32) == WPIN_OK) {
        while (any) {
            any = wpin_process_update(&process, any_signed16, any32);
        }
    }
}
#endif

#ifdef CURVE
static void prove(void) {
    static wpin_curve_point points[16];
    ANYTHING(points);
    wpin_curve_config config = {any ? points : NULL, any8, any16};
    static wpin_curve curve;
    wpin_curve_init(NULL, any ? &config : NULL);
    if (wpin_curve_init(&curve, &config) == WPIN_OK) {
        while (any) {
            any = wpin_curve_update(&curve, any_signed16);
        }
    }
}
#endif

#ifdef SOFT_PWM
/* What goes through to the port below. */
static void call_through(const wpin_port *port, uint16_t duty) {
    const wpin_pin pins[2] = {any8, any8};
    wpin_pwm_request request = {any32, any16, ANY_BOOL, ANY_BOOL};
    wpin_pwm_achieved achieved;
    wpin_count counts;
    uint8_t group;
    void *context = port->context;
    switch (any) {
    case 0: port->open(context, any8, WPIN_LOW); break;
    case 1: any = port->read(context, any8); break;
    case 2: any = port->millivolts(context, any8); break;
    case 3: port->count(context, any8, &counts); break;
    case 4: port->pause(context, any32); break;
    case 5: port->unlock(context, port->lock(context)); break;
    case 6: port->leg_start(context, any8, any8, &request, &achieved); break;
    case 7: port->leg_duty(context, any8, any8, duty); break;
    case 8: port->group_open(context, pins, 2, &group); break;
    case 9: port->group_write(context, any8, any8, any8); break;
    default: port->kick(context); break;
    }
}

static void prove(void) {
    static wpin_soft_pwm soft;
    wpin_pin pins[4] = {any8, any8, any8, any8};
    wpin_soft_pwm_init(NULL, any ? &any_port : NULL, any16, any ? pins : NULL, any8);
    if (wpin_soft_pwm_init(&soft, &any_port, any16, pins, any8) != WPIN_OK) {
        return;
    }
    wpin_pwm_request request = {any32, any16, ANY_BOOL, ANY_BOOL};
    wpin_pwm_achieved achieved;
    while (any) {
        uint16_t duty = any16;
        switch (any) {
        case 0: wpin_soft_pwm_tick(&soft); break;
        case 1: soft.port.write(soft.port.context, any8, any ? WPIN_HIGH : WPIN_LOW); break;
        case 2: soft.port.pwm_start(soft.port.context, any8, &request, &achieved); break;
        case 3: soft.port.pwm_duty(soft.port.context, any8, duty > 16384 ? 16384 : duty); break;
        case 4: any32 = soft.port.now(soft.port.context); break;
        default: call_through(&soft.port, duty > 16384 ? 16384 : duty); break;
        }
    }
}
#endif

#ifdef SMALL
/* What is no object's: numbers, words, tables. */
static void prove(void) {
    static wpin_guard guard;
    static wpin_guard_config rules;
    wpin_measurement m;
    ANYTHING(rules);
    wpin_guard_init(&guard, &rules);
    while (any) {
        ANYTHING(m);
        wpin_duty duty = any_signed16;
        any = wpin_duty_from(any_signed32, any16);
        any32 = (uint32_t)wpin_duty_to(any_signed16, any16);
        any = *wpin_status_name((wpin_status)any8) + *wpin_status_text((wpin_status)any8) +
              *wpin_status_remedy((wpin_status)any8) + *wpin_version();
        any = (int)wpin_table_cell(any ? &wpin_table_three_half_bridges : &wpin_table_servo_pulse,
                                   any8, any8);
        any = wpin_table_row(any ? &wpin_table_relay : NULL, (wpin_drive)any8);
        any = (int)wpin_stage_check(NULL);
        any = (int)wpin_guard_fault(&guard, &rules, &m, any8);
        if (wpin_guard_check(&rules) == WPIN_OK && duty <= 16384 && duty >= -16384) {
            any = wpin_guard_pass(&guard, &rules, duty, any16, ANY_BOOL, &m, any16);
        }
        wpin_guard_drop(&guard, &rules, ANY_BOOL);
    }
}
#endif

int main(void) {
    prove();
    return 0;
}
