/* A regulated motor of the demo on simulated hardware. */
#ifndef WPIN_TESTS_SUPPORT_FEEDBACK_H
#define WPIN_TESTS_SUPPORT_FEEDBACK_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <windpin/host/rehearsal.h>

/* ---- a regulated speed on the simulated drum ---- */

typedef struct bench {
    wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
} bench;

static inline void open_demo(bench *b, const char *demo, const char *change) {
    wpin_messages m = {0};
    char command[600], output[200];
    snprintf(command, sizeof command, "sed '%s' %s/demo/%s.yaml > %s", change, TEST_SOURCE, demo,
             scratch("drum.yaml"));
    ck_assert_int_eq(run_command(output, sizeof output, "%s", command), 0);
    *b = (bench){.rig = wpin_rig_read(scratch("drum.yaml"), &m)};
    ck_assert_msg(b->rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    b->sim = wpin_board_build(b->rig);
    b->port = wpin_sim_port(b->sim);
    wpin_sim_switch(b->sim, 0, true);
    wpin_bind_load(&b->bound, b->rig, &b->rig->loads[0]);
    ck_assert_int_eq(wpin_bound_open(&b->bound, &b->motor, &b->port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b->motor), WPIN_OK);
}

static inline void open_drum(bench *b, const char *change) {
    open_demo(b, "honey-drum", change);
}

static inline void close_drum(bench *b) {
    wpin_sim_free(b->sim);
    wpin_rig_free(b->rig);
}

static inline wpin_part_reading run_ms(bench *b, int ms) {
    for (int i = 0; i < ms; i++) {
        if (i % (int)lround(b->rig->controller.tick * 1e3) == 0) {
            wpin_motor_tick(&b->motor);
        }
        wpin_sim_advance(b->sim, 1000000000);
    }
    return wpin_sim_read(b->sim, 0);
}

static inline wpin_status ask(bench *b, double rpm, uint32_t ramp_us) {
    double share = rpm / b->rig->loads[0].speed.maximum;
    return wpin_motor_request(
        &b->motor, (wpin_setpoint){WPIN_QUANTITY_SPEED, (int32_t)lround(share * WPIN_DUTY_FULL)},
        ramp_us, WPIN_TIMEOUT_HELD);
}

static inline double turns_of(const bench *b) {
    return wpin_sim_read(b->sim, 0).turns;
}

/* Waits until it lets go; how long that took, ms. */
static inline int until_there(bench *b) {
    int ms = 0;
    do {
        run_ms(b, 1);
    } while (wpin_motor_busy(&b->motor) && ++ms < 60000);
    run_ms(b, 300); /* what still creeps comes to rest */
    return ms;
}

#endif
