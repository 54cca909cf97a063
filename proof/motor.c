/* A motor of any configuration on a stage with one of the tables, or in six steps on a three-phase
 * one, by sensors or without, or by field orientation: every call, in any order, as often as you
 * like. */
#include "any.h"

#ifdef PHASES
#define TABLE PHASES
#endif
#ifdef BLIND
#define TABLE BLIND
#endif

#ifdef VECTOR
#define TABLE VECTOR
#endif

static wpin_stage stage;
static wpin_stage_config wires;
static wpin_vector turned;
static wpin_vector_config turns;
static wpin_quadrature counts;
static wpin_six_step six_step;
static wpin_six_step_config sensors;
static wpin_sensorless sensorless;
static wpin_sensorless_config blind;
static wpin_sensorless_step steps[255];
static wpin_motor_config config;
static wpin_motor motor;

static void any_request(void) {
    switch (any) {
    case 0: wpin_motor_run(&motor, any_signed16, any32, any32); break;
    case 1: wpin_motor_request(&motor, (wpin_setpoint){any8, any_signed32}, any32, any32); break;
    case 2: wpin_motor_turn(&motor, any_signed32, any32); break;
    case 3: wpin_motor_turn_to(&motor, any_signed32, any32); break;
    case 4: wpin_motor_calibrate(&motor, any32); break;
    case 5: wpin_motor_refresh(&motor, any32); break;
    case 6: wpin_motor_stop(&motor, any32); break;
    case 7: wpin_motor_coast(&motor); break;
    case 8: wpin_motor_brake(&motor); break;
    case 9: wpin_motor_trip(&motor, (wpin_status)any8); break;
    case 10: wpin_motor_clear_fault(&motor); break;
    case 11: wpin_motor_arm(&motor); break;
    case 12: wpin_motor_end_kick(&motor); break;
    default: wpin_motor_disarm(&motor); break;
    }
}

static void ask_everything(void) {
    any = (int)wpin_motor_state(&motor);
    any = wpin_motor_busy(&motor);
    any = wpin_motor_duty(&motor);
    any = (int)wpin_motor_fault(&motor);
    any = (int)wpin_motor_ended(&motor);
    any = wpin_motor_kicks(&motor);
    any = wpin_motor_held(&motor);
    any = wpin_motor_measurement(&motor).speed;
    any32 = wpin_motor_operations(&motor);
    any = wpin_motor_last_direction(&motor);
    any = wpin_motor_saturated(&motor) + wpin_motor_lifted(&motor);
    any32 = (uint32_t)wpin_motor_milliamps(&motor);
}

static void ask_currents(void) {
    int16_t along, across;
    wpin_vector_currents(any ? &turned : NULL, &along, &across);
    any = along != across;
}

static void show_legs(void) {
    uint16_t duties[3] = {any16, any16, any16};
    wpin_stage_legs(any ? &stage : &turned.rotor.stage, any ? duties : NULL);
}

int main(void) {
    any_stage(&wires, &TABLE);
    any_motor(&config);
    config.actuator = &wpin_stage_actuator;
    config.part = &stage;
    config.part_config = &wires;
#ifdef PHASES
    ANYTHING(sensors);
    sensors.stage = &wires;
    config.actuator = &wpin_six_step_actuator;
    config.part = &six_step;
    config.part_config = &sensors;
#endif
#ifdef BLIND
    ANYTHING(blind);
    ANYTHING(steps);
    blind.stage = &wires;
    blind.ramp = steps; /* that none is refused, a test shows */
    config.actuator = &wpin_sensorless_actuator;
    config.part = &sensorless;
    config.part_config = &blind;
#endif
#ifdef VECTOR
    ANYTHING(turns);
    ANYTHING(sensors);
    sensors.stage = &wires;
    turns.stage = &wires;
    turns.hall = any ? &sensors : NULL;
    turns.counts_back = ANY_BOOL;
    turns.quadrature = any ? &counts : NULL;
    config.actuator = &wpin_vector_actuator;
    config.part = &turned;
    config.part_config = &turns;
#endif
    while (any) {
        switch (any) {
        case 0:
            wpin_motor_init(any ? &motor : NULL, any ? &config : NULL, any ? &any_port : NULL);
            break;
        case 1: wpin_motor_tick(any ? &motor : NULL); break;
        case 2: any_request(); break;
        case 3: ask_everything(); break;
        case 4: wpin_stage_off(&stage); break;
        case 5: wpin_stage_commutate(&stage, any8); break;
        case 6: wpin_six_step_edge(any ? &six_step : NULL); break;
        case 7: any = wpin_six_step_sector(&six_step); break;
        case 8: wpin_sensorless_sample(any ? &sensorless : NULL); break;
        case 9: any = (int)wpin_sensorless_doing(&sensorless); break;
        case 10: wpin_vector_period(any ? &turned : NULL); break;
        case 11: any = (int)wpin_vector_doing(any ? &turned : NULL); break;
        case 12: ask_currents(); break;
        case 13: show_legs(); break;
        case 14: wpin_quadrature_edge(&counts, any, any, any32); break;
        default: wpin_motor_close(&motor); break;
        }
    }
    return 0;
}
