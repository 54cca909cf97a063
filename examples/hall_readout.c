/* What Hall sensors say before anything is driven by them: the drum is given a push and runs down,
 * and every edge of its sensors is counted. Which code, which sector, how far and how fast; and
 * what a loose wire looks like. */
#include "honey_house.h"
#include <stdio.h>

static void show(const honey_house *house, const char *what) {
    const wpin_six_step *phases = &house->bound.six_step_at_work;
    const wpin_rig_load *load = &house->rig->loads[house->load];
    wpin_measurement m = wpin_motor_measurement(&house->motor);
    double turns = (double)phases->counts.counts / (6 * load->motor.pole_pairs);
    double rpm = m.speed * load->speed.maximum / WPIN_DUTY_FULL * load->motor.gear_ratio;
    char sector[8] = "none";
    if (wpin_six_step_sector(phases) != WPIN_NO_SECTOR) {
        snprintf(sector, sizeof sector, "%u", wpin_six_step_sector(phases));
    }
    printf("%-22s sensors c b a %u %u %u  sector %-4s %5ld edges = %7.3f turns of the motor  "
           "%5.0f rpm  %u no code or left out\n",
           what, phases->code >> 2 & 1U, phases->code >> 1 & 1U, phases->code & 1U, sector,
           (long)phases->counts.counts, turns, rpm, (unsigned)phases->counts.illegal);
}

static void pass(honey_house *house, int ms) {
    for (int i = 0; i < ms; i++) {
        honey_house_tick(house);
    }
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-spinner", "drum");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    pass(&house, 400); /* it rests first: it may have been turning */
    show(&house, "at rest");
    status = wpin_motor_run(&house.motor, WPIN_DUTY_FULL / 3, 0, 2500); /* the push */
    pass(&house, 1500);
    show(&house, "pushed");
    wpin_motor_coast(&house.motor); /* from here on nothing drives it */
    for (int i = 0; i < 4; i++) {
        pass(&house, 150);
        show(&house, "runs down");
    }
    wpin_sim_inject(house.hardware, WPIN_PART_FAULT_HALL_SENSOR_OFF, house.load, 0, true);
    for (int i = 0; i < 3; i++) {
        pass(&house, 150);
        show(&house, "a wire came off");
    }
    printf("%s\n", wpin_status_text(wpin_motor_fault(&house.motor)));
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
