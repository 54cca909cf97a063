/* From the rig file to a motor that runs. On real hardware the port would be another one. */
#include "honey_house.h"
#include <stdio.h>

wpin_status honey_house_open(honey_house *house, const char *load) {
    return honey_house_open_rig(house, "honey-house", load);
}

wpin_status honey_house_open_rig(honey_house *house, const char *rig, const char *load) {
    char path[400];
    wpin_messages messages = {0};
    *house = (honey_house){0};
    snprintf(path, sizeof path, HONEY_HOUSE_DEMO "/%s.yaml", rig);
    house->rig = wpin_rig_read(path, &messages);
    wpin_messages_free(&messages);
    if (house->rig == NULL) {
        return WPIN_REFUSED_CONFIG;
    }
    house->load = wpin_rig_find_load(house->rig, load);
    house->hardware = wpin_board_build(house->rig);
    if (house->load < 0 || house->hardware == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_sim_switch(house->hardware, 0, true);
    house->port = wpin_sim_port(house->hardware); /* the one line that chooses the hardware */
    wpin_bind_load(&house->bound, house->rig, &house->rig->loads[house->load]);
    wpin_status status = wpin_bound_open(&house->bound, &house->motor, &house->port);
    wpin_bound_listen(&house->bound, house->hardware, house->rig, (size_t)house->load);
    return status == WPIN_OK ? wpin_motor_arm(&house->motor) : status;
}

void honey_house_tick(honey_house *house) {
    wpin_motor_tick(&house->motor);
    house->port.pause(house->port.context, 1000);
}

void honey_house_show(honey_house *house, const char *what) {
    printf("%7.3f s  %-14s duty %+6.1f %%  %+5.0f rpm\n",
           (double)wpin_sim_time(house->hardware) * 1e-12, what,
           wpin_motor_duty(&house->motor) * 100.0 / WPIN_DUTY_FULL,
           wpin_sim_read(house->hardware, house->load).rpm);
}

void honey_house_close(honey_house *house) {
    wpin_motor_close(&house->motor);
    wpin_sim_free(house->hardware);
    wpin_rig_free(house->rig);
}
