/* The six rows of a three-phase stage, one after the other as an edge asks for them. */
#include "stage_change.h"

/* Rows of sectors mostly stand in the order of their numbers: then nothing has to be looked for. */
static uint8_t row_of(const wpin_stage *stage, uint8_t drive) {
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    uint8_t row = (uint8_t)(stage->row + drive - stage->drive);
    bool there = row < table->row_count && table->rows[row].drive == drive;
    return there ? row : wpin_table_row(table, (wpin_drive)drive);
}

/* Goes straight to a sector's row, and on to the row of the newest one if an edge came while it
 * planned, or waited for a leg to turn. Under the lock, which it opens before each write, and lets
 * go. */
static wpin_status follow_sector(wpin_stage *stage, uint8_t row, uint8_t locked) {
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    uint8_t drive = (uint8_t)(WPIN_DRIVE_SECTOR + stage->sector);
    while (drive != stage->drive && stage->cut == 0 && row != WPIN_NO_ROW) {
        wpin_row_change c;
        wpin_stage_plan_unlocked(&c, stage, row, &locked);
        if (c.modes != 0) {
            wpin_stage_changed(stage);
            wpin_keep_first(&status, WPIN_REFUSED_STATE); /* two dead times: the tick's way */
            break;
        }
        uint16_t now = (uint16_t)port->now(port->context);
        uint16_t since_us = (uint16_t)(now - stage->commutated_at);
        stage->commutated_at = now;
        wpin_unlock(port, locked);
        wpin_keep_first(&status, wpin_stage_turn_off(stage, &c));
        /* two edges may come closer than a dead time, and the second turn on the other side of what
         * the first turned off */
        if (c.turns || since_us <= c.dead_us) {
            wpin_stage_wait(stage, c.dead_us);
        }
        wpin_stage_show(stage, &c, row, drive);
        wpin_keep_first(&status, wpin_stage_turn_on(stage, &c));
        locked = wpin_lock(port);
        wpin_stage_changed(stage);
        uint8_t newest = (uint8_t)(WPIN_DRIVE_SECTOR + stage->sector);
        if (newest == drive) {
            break;
        }
        drive = newest;
        row = row_of(stage, drive);
    }
    wpin_unlock(port, locked);
    return status;
}

wpin_status wpin_stage_commutate_locked(wpin_stage *stage, uint8_t sector, uint8_t locked) {
    uint8_t drive = (uint8_t)(WPIN_DRIVE_SECTOR + sector), row = row_of(stage, drive);
    bool refused = sector > UINT8_MAX - WPIN_DRIVE_SECTOR || row == WPIN_NO_ROW;
    bool changing = (stage->flags & WPIN_STAGE_CHANGING) != 0;
    bool follows = !refused && (stage->drive >= WPIN_DRIVE_SECTOR || changing);
    if (follows) {
        stage->sector = sector;
    }
    if (follows && !changing) {
        return follow_sector(stage, row, locked);
    }
    wpin_unlock(wpin_stage_port_of(stage), locked);
    return refused ? WPIN_REFUSED_STATE : WPIN_OK;
}

wpin_status wpin_stage_commutate(wpin_stage *stage, uint8_t sector) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    return wpin_stage_commutate_locked(stage, sector, wpin_lock(wpin_stage_port_of(stage)));
}

/* Apart: who drives no sectors links nothing of it. */
wpin_status wpin_stage_apply_sector(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    uint8_t row = 0;
    wpin_status status = wpin_stage_find_row(stage, drive, duty, &row);
    if (status != WPIN_OK) {
        return status;
    }
    stage->sector = (uint8_t)(drive - WPIN_DRIVE_SECTOR);
    status = wpin_stage_charge_first(stage, drive);
    wpin_keep_first(&status, wpin_stage_change_row(stage, row, (uint8_t)drive, duty));
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage)); /* an edge may have come */
    wpin_keep_first(&status, wpin_stage_commutate_locked(stage, stage->sector, locked));
    return status;
}
