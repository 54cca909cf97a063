/* Twins: two motors drive one belt from both ends, the second one mounted the other way round. It
 * is told so once, in its stage; every command means the same for both. Both bridges are on one
 * chip with one standby, which goes low when neither of them needs it. */
#include "twins.h"
#include <stdio.h>

static const WPIN_FLASH wpin_stage_config stages[TWINS] = {
    {.table = &wpin_table_two_inputs_enable_standby,
     .lines = lines[0],
     .pwm_hz = 20000,
     .dead_time_us = 2},
    {.table = &wpin_table_two_inputs_enable_standby,
     .lines = lines[1],
     .pwm_hz = 20000,
     .dead_time_us = 2,
     .reversed = true}}; /* the mirrored one */
static wpin_stage bridges[TWINS];
#define BELT(n)                                                                                    \
    {                                                                                              \
        WPIN_ON_STAGE(&bridges[n], &stages[n]), .guard = {                                         \
            .cap = WPIN_DUTY_FULL,                                                                 \
            .up = WPIN_SLEW_US(500000),                                                            \
            .down = WPIN_SLEW_US(500000),                                                          \
            .pause_us = 300000                                                                     \
        }                                                                                          \
    }
static const WPIN_FLASH wpin_motor_config configs[TWINS] = {BELT(0), BELT(1)};

int main(void) {
    wpin_sim *sim = twins_board();
    wpin_port port = wpin_sim_port(sim);
    wpin_motor twins[TWINS] = {0}, *const both[TWINS] = {&twins[0], &twins[1]};
    for (int i = 0; i < TWINS; i++) {
        wpin_motor_init(&twins[i], &configs[i], &port);
        wpin_motor_arm(&twins[i]);
    }
    for (int ms = 0; ms < 3000; ms++) {
        for (int i = 0; ms == 400 && i < TWINS; i++) {
            wpin_motor_run(&twins[i], WPIN_PERCENT(60), 0, 2000); /* the same for both */
        }
        wpin_motors_tick(both, TWINS);
        port.pause(port.context, 1000);
        if (ms == 1500) { /* on their own shafts they turn against each other */
            printf("shafts: %.0f rpm and %.0f rpm\n", wpin_sim_read(sim, 0).rpm,
                   wpin_sim_read(sim, 1).rpm);
        }
    }
    wpin_sim_free(sim);
    printf("%s\n", wpin_status_text(wpin_motor_fault(&twins[0])));
    return wpin_motor_busy(&twins[0]) || wpin_motor_busy(&twins[1]);
}
