/* Rooms of the core, one at a time: STEPPER, ORDER, STOP, SOFT_PWM or SMALL is defined. Those on a
 * stage are on one that answers anything; stops are of a motor that does anything. */
#include "any.h"
#include "use.h"
#if defined STEPPER || defined ORDER
#include "any_stage.h"
#endif
#ifdef STOP
#include "any_motor.h"
#endif

#ifdef STEPPER /* the table it is on */
static wpin_stepper stepper;
static wpin_stepper_config coils;
static wpin_stage_config wires;

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
    while (any) {
        int32_t angle, done;
        switch (any) {
        case 0: wpin_stepper_tick(&stepper); break;
        case 1: wpin_stepper_set_position(any ? &stepper : NULL, any_signed32); break;
        case 2: wpin_stepper_angle(any ? &stepper : NULL, &angle, &done); break;
        default: use_actuator(&wpin_stepper_actuator, &stepper, &coils); break;
        }
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
            any = (int)wpin_phase_watch_check(&watch, &watch_config, &w);
            break;
        }
    }
}
#endif

#ifdef STOP
static void prove(void) {
    static const wpin_actuator actuator;
    static const wpin_motor_config motor_config = {.actuator = &actuator};
    static wpin_motor motor = {.config = &motor_config, .port = &any_port};
    static wpin_motor *const list[] = {&motor};
    static uint8_t how[1];
    static wpin_stop stop;
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
        default: changed(&motor); break;
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
