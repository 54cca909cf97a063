/* The two belts of the honey house. */
#include "belts.h"

wpin_status belts_open(belts *b) {
    wpin_messages messages = {0};
    b->rig = wpin_rig_read(HONEY_HOUSE_DEMO "/honey-belts.yaml", &messages);
    wpin_messages_free(&messages);
    if (b->rig == NULL) {
        return WPIN_REFUSED_CONFIG;
    }
    b->hardware = wpin_board_build(b->rig);
    wpin_sim_switch(b->hardware, 0, true);
    b->port = wpin_sim_port(b->hardware);
    wpin_status status = WPIN_OK;
    for (int i = 0; i < BELTS && status == WPIN_OK; i++) {
        wpin_bind_load(&b->bound[i], b->rig, &b->rig->loads[i]);
        status = wpin_bound_open(&b->bound[i], &b->motors[i], &b->port);
        status = status == WPIN_OK ? wpin_motor_arm(&b->motors[i]) : status;
    }
    return status;
}

void belts_close(belts *b) {
    for (int i = 0; i < BELTS; i++) {
        wpin_motor_close(&b->motors[i]);
    }
    wpin_sim_free(b->hardware);
    wpin_rig_free(b->rig);
}

int32_t belts_place(const belts *b, int which) {
    return wpin_motor_measurement(&b->motors[which]).position;
}

void belts_tick(belts *b, const int16_t *speeds) {
    wpin_motor *both[BELTS];
    for (int i = 0; i < BELTS; i++) {
        both[i] = &b->motors[i];
        if (speeds[i] != 0) {
            wpin_motor_request(both[i], (wpin_setpoint){WPIN_QUANTITY_SPEED, speeds[i]}, 0, 500);
        } else if (wpin_motor_busy(both[i])) {
            wpin_motor_stop(both[i], 0);
        }
    }
    wpin_motors_tick(both, BELTS);
    b->port.pause(b->port.context, 1000);
}

wpin_status belts_fault(const belts *b) {
    wpin_status left = wpin_motor_fault(&b->motors[0]);
    return left != WPIN_OK ? left : wpin_motor_fault(&b->motors[1]);
}
