/* The truth tables that ship with the library: data, no code. */
#include "windpin/stage.h"

enum { L = WPIN_CELL_LOW, H = WPIN_CELL_HIGH, D = WPIN_CELL_DUTY, K = WPIN_CELL_KEEP };

static const uint8_t motor_states[] = {WPIN_STATE_FREE, WPIN_STATE_BRAKE, WPIN_STATE_FORWARD,
                                       WPIN_STATE_REVERSE};

/* clang-format off */
static const uint8_t direction_pwm_brake_cells[] = {
    /*            direction brake pwm */
    /* free    */ K,        L,    L,
    /* brake   */ K,        H,    L,
    /* forward */ H,        L,    D,
    /* reverse */ L,        L,    D,
};
/* clang-format on */

const wpin_stage_table wpin_table_direction_pwm_brake = {
    .line_count = 3,
    .row_count = 4,
    .states = motor_states,
    .cells = direction_pwm_brake_cells,
    .mode_lines = 0x3, /* direction and brake change with the PWM at rest, in this order */
};
