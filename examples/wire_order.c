/* Three thick wires and three thin ones, connected anyhow: which code of the Hall sensors belongs
 * to which sector. The rotor is pulled from place to place; nothing is guessed from how it turns.
 */
#include "honey_house.h"
#include <stdio.h>

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-spinner", "drum");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    wpin_motor_close(&house.motor); /* the stage is the finder's for a while */
    const wpin_rig_hall *hall = &house.rig->loads[house.load].hall;
    static wpin_order order;
    wpin_order_config config = {.stage = &house.bound.stage,
                                .hall = {hall->pins[0], hall->pins[1], hall->pins[2]},
                                .duty = WPIN_PERCENT(12), /* 5 A through 0.6 ohm */
                                .hold_ms = 500,
                                .swap_ms = 8,
                                .current_input = 0,
                                .most_mv = 1600}; /* 8 A on 200 mV/A */
    status = wpin_order_begin(&order, &config, &house.port);
    int ms = 0;
    while (status == WPIN_OK && wpin_order_tick(&order) == WPIN_ORDER_MOVING) {
        house.port.pause(house.port.context, 1000);
        if (ms++ % 1000 == 0) {
            printf("%2d s  step %2u  %+6.2f deg of the drum\n", ms / 1000, order.step,
                   wpin_sim_read(house.hardware, house.load).turns * 360);
        }
    }
    bool found = order.state == WPIN_ORDER_FOUND;
    printf("codes of sectors 0 to 5:");
    for (int sector = 0; found && sector < 6; sector++) {
        printf(" %u", order.codes[sector]);
    }
    printf("\n%s\n", found ? "Done." : "not found");
    honey_house_close(&house);
    return found ? 0 : 1;
}
