/* One load, ready to be driven. */
#include "one_load.h"
#include <math.h>
#include <stdio.h>

bool wpin_one_load_open(wpin_one_load *one, const wpin_rig *rig, int load, char *why, size_t size) {
    const wpin_rig_load *part = &rig->loads[load];
    *one = (wpin_one_load){.load = load, .sim = wpin_board_build(rig)};
    if (one->sim == NULL) {
        snprintf(why, size, "out of memory");
        return false;
    }
    wpin_sim_switch(one->sim, (int)part->supply, true);
    one->port = wpin_sim_port(one->sim);
    one->tick = llround(rig->controller.tick * 1e12);
    wpin_bind_load(&one->bound, part);
    one->bound.motor.start = (wpin_start_config){0};
    wpin_status status = wpin_motor_init(&one->motor, &one->bound.motor, &one->port);
    if (status == WPIN_OK) {
        status = wpin_motor_arm(&one->motor);
    }
    if (status != WPIN_OK) {
        snprintf(why, size, "load '%s': %s", part->name, wpin_status_text(status));
    }
    return status == WPIN_OK;
}

wpin_sim_reading wpin_one_load_tick(wpin_one_load *one) {
    wpin_motor_tick(&one->motor);
    wpin_sim_advance(one->sim, one->tick);
    return wpin_sim_read(one->sim, one->load);
}

void wpin_one_load_close(wpin_one_load *one) {
    wpin_sim_free(one->sim);
    one->sim = NULL;
}
