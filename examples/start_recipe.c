/* What a drive is told at its start, as data: each object is written and read back, or only asked
 * for, and the first that is not as it should be ends it with its name. Nothing moves. */
#include "bottling_line.h"
#include <stdio.h>

static const struct {
    const char *what;
    wpin_setting setting; /* object, sub-index, bytes, value, bits that are only asked for */
} recipes[] = {{"a value out of range", {0x605A, 0, 2, 9, 0}},
               {"an object that it has not", {0x2222, 1, 2, 5, 0}},
               {"asked for, and set otherwise", {0x2000, 0, 1, 1, UINT8_MAX}},
               {"as it should be", {0x6085, 0, 4, 800000, 0}}};

static void say(const wpin_axis *axis) {
    const wpin_axis_trouble *t = &axis->trouble;
    if (axis->setup == WPIN_AXIS_SET_UP) {
        printf("set up\n");
    } else if (t->status == WPIN_REFUSED_OBJECT) {
        printf("%04Xh:%u is refused: %s\n", t->index, t->sub, wpin_abort_text(t->abort));
    } else {
        printf("%04Xh:%u is %lu, and has to be %lu\n", t->index, t->sub, (unsigned long)t->got,
               (unsigned long)t->wanted);
    }
}

int main(void) {
    bottling_line line;
    static wpin_network network;
    static wpin_axis axis;
    static wpin_motor belt;
    static wpin_loop_state loop;
    static const wpin_network_config network_config = {.sync_us = 4000};
    if (!bottling_line_open(&line)) {
        return 1;
    }
    wpin_network_open(&network, &network_config, &line.bus);
    for (int i = 0; i < 4; i++) {
        wpin_axis_config axis_config = {.network = &network,
                                        .number = 5,
                                        .full_speed = 133333,
                                        .settings = &recipes[i].setting,
                                        .setting_count = 1};
        wpin_motor_config config = {
            WPIN_ON_AXIS(&axis, &axis_config), WPIN_CLOSED_LOOP(&loop),
            .guard = {.cap = 16384, .up = WPIN_SLEW_US(500000), .down = WPIN_SLEW_US(500000)}};
        if (wpin_motor_init(&belt, &config, &line.port) != WPIN_OK) {
            return 1;
        }
        for (int ms = 0; ms < 3000 && axis.setup < WPIN_AXIS_SET_UP; ms++) {
            wpin_motor_tick(&belt);
            bottling_line_pass(&line);
        }
        printf("%-30s", recipes[i].what);
        say(&axis);
        wpin_motor_close(&belt);
    }
    bottling_line_close(&line);
    printf("Done.\n");
    return 0;
}
