/* A power stage of your own: a truth table, and nothing else. This board has one line a direction
 * and an enable that must be high while the motor is driven; enable low lets it coast. */
#include <stdio.h>
#include <windpin/host/sim.h>
#include <windpin/windpin.h>

enum { L = WPIN_CELL_LOW, H = WPIN_CELL_HIGH, D = WPIN_CELL_DUTY };

static const WPIN_FLASH wpin_row rows[] = {/*       enable, one way, other way */
                                           WPIN_ROW(WPIN_DRIVE_COAST, L, L, L),
                                           WPIN_ROW(WPIN_DRIVE_FORWARD, H, D, L),
                                           WPIN_ROW(WPIN_DRIVE_REVERSE, H, L, D)};
static const WPIN_FLASH wpin_leg never_together[] = {{1, 2}};
static const WPIN_FLASH wpin_stage_table board = {.line_count = 3,
                                                  .row_count = 3,
                                                  .rows = rows,
                                                  .mode_lines = 0x1,
                                                  .legs = never_together,
                                                  .leg_count = 1};
static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 5}, {.pin = 6}};
static const WPIN_FLASH wpin_stage_config config = {
    .table = &board, .lines = lines, .pwm_hz = 20000, .dead_time_us = 5};

int main(void) {
    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0});
    wpin_port port = wpin_sim_port(sim);
    wpin_stage stage = {0};
    wpin_status status = wpin_stage_open(&stage, &config, &port); /* checks the table first */
    for (int state = 0; status == WPIN_OK && state < 4; state++) {
        bool can = wpin_stage_has(&stage, (wpin_drive)state);
        wpin_status done = wpin_stage_apply(&stage, (wpin_drive)state, WPIN_DUTY_FULL);
        wpin_sim_advance(sim, 1000000000);
        printf("state %d: %-22s pins %d %d %d\n", state, can ? wpin_status_name(done) : "can't",
               port.read(sim, 4), port.read(sim, 5), port.read(sim, 6));
    }
    wpin_sim_free(sim);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
