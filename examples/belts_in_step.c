/* Two belts under one row of jars: the same speed is not enough, their places must stay together.
 * The right one is heavier, and at four seconds a jar is stuck on it. With every line stands how
 * far they are apart; the same again without keeping them in step, to see what it does. */
#include "honey_house.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { BELTS = 2 };

typedef struct belts {
    wpin_rig *rig;
    wpin_sim *hardware;
    wpin_port port;
    wpin_bound_load bound[BELTS];
    wpin_motor motors[BELTS];
} belts;

static wpin_status belts_open(belts *b) {
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

static void belts_close(belts *b) {
    for (int i = 0; i < BELTS; i++) {
        wpin_motor_close(&b->motors[i]);
    }
    wpin_sim_free(b->hardware);
    wpin_rig_free(b->rig);
}

static int32_t place(const belts *b, int which) {
    return wpin_motor_measurement(&b->motors[which]).position;
}

/* One control period at a speed; false when they are too far apart. */
static bool tick(belts *b, const wpin_in_step *pair, bool in_step, int16_t speed) {
    int16_t speeds[BELTS] = {speed, speed};
    bool good = !in_step ||
                wpin_in_step_trim(pair, place(b, 0), place(b, 1), speed, &speeds[0], &speeds[1]);
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
    return good;
}

static wpin_status run(bool in_step) {
    static const wpin_in_step_config config = {.gain = 20000, .most = 1600, .too_far = 400};
    wpin_in_step pair = {.config = &config};
    static belts b;
    int32_t worst = 0;
    wpin_status status = belts_open(&b);
    if (status != WPIN_OK) {
        return status;
    }
    int16_t sixty = (int16_t)lround(60 / b.rig->loads[0].speed.maximum * WPIN_DUTY_FULL);
    bool good = true;
    for (int ms = 0; ms < 9000 && good; ms++) {
        if (ms == 400) {
            wpin_in_step_begin(&pair, place(&b, 0), place(&b, 1));
        }
        if (ms == 4000 || ms == 5500) { /* a jar is stuck, and comes free */
            wpin_sim_set_load(b.hardware, 1, ms == 4000 ? 1.1 : 0.6);
        }
        good = tick(&b, &pair, in_step, ms > 400 && ms < 7500 ? sixty : 0);
        int32_t apart = place(&b, 0) - place(&b, 1) - pair.apart;
        worst = ms > 400 && labs(apart) > worst ? (int32_t)labs(apart) : worst;
        if (ms % 1000 == 999) {
            printf("%2d s  %6ld and %6ld counts, %4ld apart%s\n", (ms + 1) / 1000,
                   (long)place(&b, 0), (long)place(&b, 1), (long)apart,
                   ms == 4999 ? "  (a jar is stuck)" : "");
        }
    }
    for (int i = 0; i < BELTS && status == WPIN_OK; i++) {
        status = wpin_motor_fault(&b.motors[i]);
    }
    belts_close(&b);
    printf("%s: never more than %ld counts apart\n", in_step ? "in step" : "each by itself",
           (long)worst);
    return good ? status : WPIN_FAULT_EXTERNAL;
}

int main(void) {
    wpin_status status = run(true), alone = run(false);
    status = status == WPIN_OK ? alone : status;
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
