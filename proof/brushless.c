/* What commutates, as an actuator and by its own calls, in any order, on a stage that answers
 * anything: PHASES (by Hall sensors), BLIND (without) or VECTOR (field orientation) is defined, as
 * the table of its wires. */
#include "any_stage.h"
#include "use.h"
#include <windpin/fast.h>

static wpin_stage_config wires;
static wpin_six_step_config sensors;

static void any_sensors(void) {
    ANYTHING(sensors);
    sensors.stage = &wires;
}

#ifdef PHASES
#define TABLE PHASES
static wpin_six_step six_step;

WPIN_FAST_EDGE(edge, six_step, sensors, any_port, any8, any32)
static void edge_folded(void) { /* its configuration is there once its stage has been opened */
    const wpin_stage *opened = &six_step.stage;
    if (opened->config == &wires && opened->port == &any_port) {
        edge();
    }
}

static void begin(void) {
    any_sensors();
}

static void one_call(void) {
    switch (any) {
    case 0: wpin_six_step_edge(any ? &six_step : NULL); break;
    case 1: any = wpin_six_step_sector(&six_step); break;
    case 2: edge_folded(); break;
    case 3: wpin_six_step_look(any ? &six_step : NULL); break;
    default: use_actuator(&wpin_six_step_actuator, &six_step, &sensors); break;
    }
}
#endif

#ifdef BLIND
#define TABLE BLIND
static wpin_sensorless sensorless;
static wpin_sensorless_config blind;
static wpin_sensorless_step steps[255];

static void begin(void) {
    ANYTHING(blind);
    ANYTHING(steps);
    blind.stage = &wires;
    blind.ramp = steps; /* that none is refused, a test shows */
}

static void one_call(void) {
    switch (any) {
    case 0: wpin_sensorless_sample(any ? &sensorless : NULL); break;
    case 1: any = (int)wpin_sensorless_doing(&sensorless); break;
    default: use_actuator(&wpin_sensorless_actuator, &sensorless, &blind); break;
    }
}
#endif

#ifdef VECTOR
#define TABLE VECTOR
static wpin_vector turned;
static wpin_vector_config turns;
static wpin_quadrature counts;

static void begin(void) {
    any_sensors();
    ANYTHING(turns);
    turns.stage = &wires;
    turns.hall = any ? &sensors : NULL;
    turns.counts_back = ANY_BOOL;
    turns.quadrature = any ? &counts : NULL;
}

static void ask_currents(void) {
    int16_t along, across;
    wpin_vector_currents(any ? &turned : NULL, &along, &across);
    any = along != across;
}

static void one_call(void) {
    switch (any) {
    case 0: wpin_vector_period(any ? &turned : NULL); break;
    case 1: any = (int)wpin_vector_doing(any ? &turned : NULL); break;
    case 2: ask_currents(); break;
    case 3: wpin_quadrature_edge(&counts, any, any, any32); break;
    case 4: wpin_six_step_edge(&turned.rotor); break;
    default: use_actuator(&wpin_vector_actuator, &turned, &turns); break;
    }
}
#endif

int main(void) {
    any_stage(&wires, &TABLE);
    begin();
    while (any) {
        one_call();
    }
    return 0;
}
