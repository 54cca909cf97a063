/* The gate finds where it stands, by its lower switch, and goes to a place: a plan as a constant
 * table, which a sequence runs. Before it is homed no place is taken. */
#include "honey_house.h"
#include <stdio.h>
#include <windpin/sequence.h>

enum { GATE_SHUT };

static const wpin_step plan[] = {
    {.op = WPIN_OP_HOME,
     .quantity = WPIN_QUANTITY_SPEED,
     .target = WPIN_MOTOR(0),
     .value = -5461, /* a third of its maximum, reverse */
     .until = 1 + WPIN_EVENT_INPUT_ON,
     .until_of = GATE_SHUT,
     .time_ms = 8000},
    {.op = WPIN_OP_TURN_TO, .target = WPIN_MOTOR(0), .millidegrees = 60000},
    {.op = WPIN_OP_END}};

/* A switch that opens at its end: the pin is pulled up there. */
static bool read_switch(void *context, uint16_t number) {
    honey_house *house = context;
    return number == GATE_SHUT && house->port.read(house->port.context, 21);
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-gate", "gate");
    wpin_motor *const motors[] = {&house.motor};
    wpin_track tracks[1];
    wpin_sequence_config config = {.steps = plan,
                                   .step_count = 3,
                                   .motors = motors,
                                   .motor_count = 1,
                                   .input_count = 1,
                                   .tracks = tracks,
                                   .track_count = 1,
                                   .port = &house.port,
                                   .context = &house,
                                   .read_input = read_switch};
    wpin_sequence sequence;
    printf("before: %s\n", wpin_status_name(wpin_motor_turn_to(&house.motor, 60000, 5000)));
    status = status == WPIN_OK ? wpin_sequence_start(&sequence, &config) : status;
    for (int ms = 0; status == WPIN_OK && wpin_sequence_busy(&sequence); ms++) {
        wpin_sequence_tick(&sequence); /* ticks the motor too */
        house.port.pause(house.port.context, 1000);
        if (ms % 500 == 0) {
            honey_house_show(&house, wpin_motor_is_homed(&house.motor) ? "homed" : "homing");
        }
    }
    int32_t off = wpin_motor_measurement(&house.motor).position - 60 * 7200 / 360;
    printf("brought to 60 deg: %s\n", off * off <= 1 ? "within a count" : "missed");
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status == WPIN_OK ? sequence.result : status));
    return status == WPIN_OK && sequence.result == WPIN_OK ? 0 : 1;
}
