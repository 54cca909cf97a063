/* One drive on a field bus, by the core alone: what a controller with a CAN unit would run. Its bus
 * here is that of the honey house's bottling line, simulated. */
#include <stdio.h>
#include <windpin/host/rehearsal.h>

static wpin_network network;
static const wpin_network_config network_config = {
    .sync_us = 4000, .heartbeat_us = 30000, .number = 127};
static wpin_axis axis;
static const wpin_setting settings[] = {{0x6007, 0, 2, 3, 0}, /* our heartbeat lost: quick stop, */
                                        {0x605A, 0, 2, 6, 0}, /* which then holds still */
                                        {0x6083, 0, 4, 266667, 0},
                                        {0x6084, 0, 4, 266667, 0}};
static const wpin_axis_config axis_config = {.network = &network,
                                             .number = 5,
                                             .full_speed = 133333, /* counts/s: 2000 rpm */
                                             .full_current = 3000,
                                             .heartbeat_ms = 100,
                                             .settings = settings,
                                             .setting_count = 4};
static const wpin_protection protections[] = {WPIN_AXIS_PROTECTION(&axis)};
static const wpin_slew half_a_second = WPIN_SLEW_US(500000);
static wpin_motor belt;

int main(void) {
    wpin_messages messages = {0};
    wpin_rig *rig = wpin_rig_read(HONEY_HOUSE_DEMO "/honey-line.yaml", &messages);
    wpin_sim *hardware = rig == NULL ? NULL : wpin_board_build(rig);
    wpin_fieldbus bus;
    if (hardware == NULL || !wpin_sim_fieldbus(hardware, 0, &bus)) {
        return 1;
    }
    wpin_port port = wpin_sim_port(hardware);
    const wpin_motor_config config = {
        WPIN_ON_AXIS(&axis, &axis_config),
        .guard = {.cap = 16384, .up = half_a_second, .down = half_a_second, .pause_us = 100000},
        .loop = &wpin_closed_loop, .protections = protections, .protection_count = 1};
    wpin_sim_switch(hardware, 0, true);
    wpin_network_open(&network, &network_config, &bus);
    wpin_status status = wpin_motor_init(&belt, &config, &port);
    for (int ms = 0; ms < 4000 && status == WPIN_OK; ms++) {
        if (belt.armed == 0 && wpin_motor_arm(&belt) == WPIN_OK) { /* once it is set up */
            wpin_setpoint half = {WPIN_QUANTITY_SPEED, WPIN_PERCENT(50)};
            status = wpin_motor_request(&belt, half, 0, 2000);
        }
        wpin_motor_tick(&belt);
        wpin_sim_advance(hardware, 1000000000);
        if (ms % 500 == 499) {
            printf("%5.3f s  %-18s %5ld counts/s\n", (ms + 1) * 1e-3,
                   wpin_axis_state_name((wpin_axis_state)axis.state), (long)axis.velocity);
        }
        status = status == WPIN_OK ? wpin_motor_fault(&belt) : status;
    }
    wpin_motor_close(&belt);
    wpin_sim_free(hardware);
    wpin_rig_free(rig);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
