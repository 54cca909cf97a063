/* What feeds the high sides of bare legs charges before they drive. */
#include "stage_change.h"

/* All low sides on for a while, by the row of the brake. A stage that is cut meanwhile stays so. */
wpin_status wpin_stage_charge(wpin_stage *stage) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    const wpin_port *port = wpin_stage_port_of(stage);
    uint8_t row = wpin_row_of(config->table, WPIN_DRIVE_BRAKE), locked = wpin_lock(port);
    if (row == WPIN_NO_ROW) {
        wpin_unlock(port, locked);
        return WPIN_REFUSED_STATE;
    }
    wpin_row_change c;
    wpin_stage_plan_unlocked(&c, stage, row, &locked);
    wpin_unlock(port, locked);
    wpin_status status = wpin_stage_turn_off(stage, &c);
    wpin_stage_wait(stage, c.dead_us);
    wpin_keep_first(&status, wpin_stage_write_levels(stage, c.modes, c.high, c.cut));
    wpin_stage_show(stage, &c, row, WPIN_DRIVE_BRAKE);
    wpin_keep_first(&status, wpin_stage_turn_on(stage, &c));
    wpin_stage_changed(stage);
    wpin_stage_wait(stage, config->charge_us);
    return wpin_cut_if_failed(stage, status);
}
