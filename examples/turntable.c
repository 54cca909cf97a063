/* The jar turntable: a stepper on two bridge channels. Seven jars stand on it, so a place is
 * 51.428 degrees, which no whole number of steps is: the remainder is carried, and after each turn
 * the first jar is where it was. */
#include <stdio.h>
#include <windpin/host/sim.h>
#include <windpin/windpin.h>

static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 5}, {.pin = 6}, {.pin = 7}};
static const WPIN_FLASH wpin_stage_config channels = {
    .table = &wpin_table_stepper, .lines = lines, .dead_time_us = 2};
static const WPIN_FLASH wpin_stepper_config steps_config = {
    .stage = &channels,
    .steps_per_rev = 200,
    .half_steps = true,
    .release = true, /* no heat while the jars are filled */
    .start_rate = 100,
    .top_rate = 500,
    .acceleration = 1200};
static wpin_stepper steps;
static const WPIN_FLASH wpin_motor_config config = {WPIN_ON_STEPPER(&steps, &steps_config),
                                                    .guard = WPIN_STEPPER_GUARD,
                                                    .rest_drive = WPIN_DRIVE_BRAKE};

/* Two ticks: the motor's every millisecond, the stepper's faster than the top rate. */
static void finish(wpin_motor *turntable, const wpin_port *port) {
    while (wpin_motor_busy(turntable)) {
        wpin_motor_tick(turntable);
        for (int half = 0; half < 2; half++) {
            wpin_stepper_tick(&steps);
            port->pause(port->context, 500);
        }
    }
}

int main(void) {
    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0});
    wpin_port port = wpin_sim_port(sim);
    wpin_motor turntable = {0};
    wpin_status status = wpin_motor_init(&turntable, &config, &port);
    status = status == WPIN_OK ? wpin_motor_arm(&turntable) : status;
    for (int jar = 1; status == WPIN_OK && jar <= 14; jar++) {
        int32_t next = jar % 7 == 0 ? 360000 - 6 * 51428 : 51428;
        status = wpin_motor_turn(&turntable, next, 2000);
        finish(&turntable, &port);
        printf("%7.3f s  jar %d in place at %d half steps\n", (double)wpin_sim_time(sim) * 1e-12,
               (jar - 1) % 7 + 1, steps.position);
    }
    printf("two turns: %d half steps, coils %s. %s\n", steps.position, steps.held ? "on" : "off",
           wpin_status_text(status));
    wpin_motor_close(&turntable);
    wpin_sim_free(sim);
    return status == WPIN_OK && steps.position == 800 ? 0 : 1;
}
