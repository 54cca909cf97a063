/* One drive on a field bus, by the core alone: what a controller with a CAN unit would run. */
#include "bottling_line.h"
#include <stdio.h>

static const wpin_network_config master = {.sync_us = 4000, .heartbeat_us = 30000, .number = 127};
static wpin_network network;
static wpin_axis axis; /* its full speed: 2000 rpm, in counts/s */
static const wpin_setting ramps[] = {{0x6083, 0, 4, 266667, 0}, {0x6084, 0, 4, 266667, 0}};
static const wpin_axis_config axis_config = {.network = &network,
                                             .number = 5,
                                             .full_speed = 133333,
                                             .full_current = 3000,
                                             .heartbeat_ms = 100,
                                             .settings = ramps,
                                             .setting_count = 2};
static wpin_motor belt;
static wpin_loop_state loop;
static const wpin_protection protection = WPIN_AXIS_PROTECTION(&axis);
static const wpin_motor_config config = {
    WPIN_ON_AXIS(&axis, &axis_config), WPIN_CLOSED_LOOP(&loop),
    .guard = {.cap = 16384, .up = WPIN_SLEW_US(500000), .down = WPIN_SLEW_US(500000)},
    .protections = &protection, .protection_count = 1};

int main(void) {
    bottling_line line;
    wpin_status status = WPIN_OK;
    if (!bottling_line_open(&line) || wpin_network_open(&network, &master, &line.bus) ||
        wpin_motor_init(&belt, &config, &line.port)) {
        return 1;
    }
    for (int ms = 1; ms <= 4000 && status == WPIN_OK; ms++, bottling_line_pass(&line)) {
        wpin_motor_tick(&belt);
        if (belt.armed == 0 && wpin_motor_arm(&belt) == WPIN_OK) { /* it is set up: half speed */
            status = wpin_motor_request(&belt, (wpin_setpoint){WPIN_QUANTITY_SPEED, 8192}, 0, 2000);
        }
        if (ms % 500 == 0) {
            printf("%-18s %5ld counts/s\n", wpin_axis_state_name(axis.state), (long)axis.velocity);
        }
    }
    wpin_motor_close(&belt);
    bottling_line_close(&line);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
