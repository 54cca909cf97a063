/* Twins: two motors drive one belt from both ends, the second one mounted the other way round. It
 * is told so once, in its stage; every command means the same for both. */
#include <stdio.h>
#include <windpin/sim.h>
#include <windpin/windpin.h>

enum { TWINS = 2 };
static const wpin_line lines[TWINS][2] = {{{.pin = 4}, {.pin = 5}}, {{.pin = 6}, {.pin = 7}}};
static const wpin_stage_config stages[TWINS] = {
    {.table = &wpin_table_two_inputs_slow, .lines = lines[0], .pwm_hz = 20000, .dead_time_us = 2},
    {.table = &wpin_table_two_inputs_slow,
     .lines = lines[1],
     .pwm_hz = 20000,
     .dead_time_us = 2,
     .reversed = true}}; /* the mirrored one */
#define BELT(n)                                                                                    \
    {                                                                                              \
        .stage = &stages[n], .up_us = 500000, .down_us = 500000, .rest_us = 300000,                \
        .duty_max = WPIN_DUTY_FULL, .guard = WPIN_GUARD_NOTHING                                    \
    }
static const wpin_motor_config configs[TWINS] = {BELT(0), BELT(1)};

static wpin_sim *board(void) {
    wpin_sim *sim = wpin_sim_new(&(wpin_sim_controller){5, 25, 0.04, 16e6, 65535, 0});
    int supply = wpin_sim_add_supply(sim, &(wpin_sim_supply){.volts = 12, .on = true});
    for (int i = 0; i < TWINS; i++) {
        wpin_sim_bridge chip = {.logic = WPIN_SIM_LOGIC_TWO_INPUTS,
                                .on_resistance = 0.2,
                                .input_resistance = 1e5,
                                .burns_above_amps = 9,
                                .burns_above_volts = 30,
                                .interlock = true};
        wpin_sim_motor motor = {.resistance = 2,
                                .inductance = 2e-3,
                                .constant = 20e-3,
                                .inertia = 20e-6,
                                .gear_ratio = 30,
                                .gear_efficiency = 0.8};
        int bridge = wpin_sim_add_bridge(sim, &chip, supply);
        wpin_sim_add_motor(sim, &motor, bridge);
        wpin_sim_wire_input(sim, bridge, 0, lines[i][0].pin);
        wpin_sim_wire_input(sim, bridge, 1, lines[i][1].pin);
    }
    return sim;
}

int main(void) {
    wpin_sim *sim = board();
    wpin_port port = wpin_sim_port(sim);
    wpin_motor twins[TWINS];
    for (int i = 0; i < TWINS; i++) {
        wpin_motor_init(&twins[i], &configs[i], &port);
        wpin_motor_arm(&twins[i]);
    }
    for (int ms = 0; ms < 3000; ms++) {
        for (int i = 0; i < TWINS; i++) {
            if (ms == 400) {
                wpin_motor_run(&twins[i], WPIN_PERCENT(60), 0, 2000); /* the same for both */
            }
            wpin_motor_tick(&twins[i]);
        }
        port.pause(port.context, 1000);
        if (ms == 1500) { /* on their own shafts they turn against each other */
            printf("shafts: %.0f rpm and %.0f rpm\n", wpin_sim_read(sim, 0).rpm,
                   wpin_sim_read(sim, 1).rpm);
        }
    }
    wpin_sim_free(sim);
    printf("%s\n", wpin_status_text(twins[0].fault.cause));
    return wpin_motor_busy(&twins[0]) || wpin_motor_busy(&twins[1]);
}
