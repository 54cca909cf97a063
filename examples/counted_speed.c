/* A counter that does not know when its counts came: the conveyor's speed by counting alone, from
 * little to much smoothed, beside what the moments of its edges say. Smoothed more it is more even,
 * and comes later; on average each is right. */
#include "honey_house.h"
#include <math.h>
#include <stdio.h>

enum { WAYS = 4 };

static wpin_status open_counting(wpin_counting *counting, const honey_house *house, int smooth) {
    static wpin_counting_config configs[WAYS]; /* firmware: {WPIN_COUNTS_AT_FULL(2700), ...} */
    const wpin_encoder_config *encoder = &house->bound.encoder;
    configs[smooth] =
        (wpin_counting_config){WPIN_COUNTS_AT_FULL(encoder->full_hz), .counter = encoder->counter,
                               .reversed = encoder->reversed, .smooth = (uint8_t)smooth};
    return wpin_counting_init(counting, &configs[smooth], &house->port);
}

int main(void) {
    honey_house house;
    wpin_counting counted[WAYS];
    wpin_status status = honey_house_open(&house, "conveyor");
    for (int way = 0; way < WAYS && status == WPIN_OK; way++) {
        status = open_counting(&counted[way], &house, way);
    }
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    double full = house.rig->loads[house.load].speed.maximum / WPIN_DUTY_FULL;
    double least[WAYS] = {1e9, 1e9, 1e9, 1e9}, most[WAYS] = {0}, sum[WAYS] = {0};
    wpin_setpoint sixty = {.quantity = WPIN_QUANTITY_SPEED, .value = (int16_t)lround(60 / full)};
    for (int ms = 0; ms < 4000; ms++) {
        if (ms == 700) {
            status = wpin_motor_request(&house.motor, sixty, 0, 6000);
        }
        honey_house_tick(&house);
        for (int way = 0; way < WAYS; way++) {
            wpin_measurement own = {.dt_us = wpin_motor_measurement(&house.motor).dt_us};
            wpin_counting_measure(&counted[way], &own);
            if (ms >= 3000) { /* it runs evenly by then */
                least[way] = fmin(least[way], own.speed * full);
                most[way] = fmax(most[way], own.speed * full);
                sum[way] += own.speed * full / 1000;
            }
        }
    }
    printf("by the moments %.2f rpm\n", wpin_motor_measurement(&house.motor).speed * full);
    for (int way = 0; way < WAYS; way++) {
        printf("smoothed %d: %5.2f rpm on average, from %4.1f to %4.1f, %2d ms late\n", way,
               sum[way], least[way], most[way], 8 << way);
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
