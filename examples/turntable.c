/* The jar turntable: a stepper on two bridge channels. Seven jars stand on it, so a place is
 * 51.428 degrees, which no whole number of steps is: the remainder is carried, and after each turn
 * the first jar is where it was. */
#include <stdio.h>
#include <windpin/sim.h>
#include <windpin/windpin.h>

static const wpin_line lines[] = {{.pin = 4}, {.pin = 5}, {.pin = 6}, {.pin = 7}};
static const wpin_stage_config channels = {
    .table = &wpin_table_stepper, .lines = lines, .dead_time_us = 2};
static const wpin_stepper_config config = {.stage = &channels,
                                           .steps_a_turn = 200,
                                           .half_steps = true,
                                           .release = true, /* no heat while the jars are filled */
                                           .start_rate = 100,
                                           .top_rate = 500,
                                           .rate_gain = 1200};

static void finish(wpin_stepper *stepper, const wpin_port *port) {
    while (wpin_stepper_busy(stepper)) {
        wpin_stepper_tick(stepper);
        port->pause(port->context, 500); /* faster than the top rate */
    }
}

int main(void) {
    wpin_sim *sim = wpin_sim_new(&(wpin_sim_controller){5, 25, 0.04, 16e6, 65535, 0});
    wpin_port port = wpin_sim_port(sim);
    wpin_stepper turntable;
    wpin_status status = wpin_stepper_init(&turntable, &config, &port);
    for (int jar = 1; status == WPIN_OK && jar <= 14; jar++) {
        int32_t next = jar % 7 == 0 ? 360000 - 6 * 51428 : 51428;
        status = wpin_stepper_turn(&turntable, next);
        finish(&turntable, &port);
        printf("%7.3f s  jar %d in place at %d half steps\n", (double)wpin_sim_time(sim) * 1e-12,
               (jar - 1) % 7 + 1, turntable.position);
    }
    printf("two turns: %d half steps, coils %s. %s\n", turntable.position,
           turntable.held ? "on" : "off", wpin_status_text(status));
    wpin_sim_free(sim);
    return status == WPIN_OK && turntable.position == 800 ? 0 : 1;
}
