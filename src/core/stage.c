/* The one engine that runs every truth table: the only code that moves a control line. */
#include "rare.h"
#include "stage_change.h"

/* Another row, or something that is refused; no sector. */
WPIN_RARE wpin_status wpin_rare_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    stage = wpin_stage_there(stage);
    uint8_t row = 0;
    wpin_status status = wpin_stage_find_row(stage, drive, duty, &row);
    if (status == WPIN_OK) {
        status = wpin_stage_charge_first(stage, drive);
    }
    return status == WPIN_OK ? wpin_stage_change_row(stage, row, (uint8_t)drive, duty) : status;
}

wpin_status wpin_stage_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    bool same = drive == (wpin_drive)stage->drive && stage->cut == 0;
    return drive < WPIN_DRIVE_SECTOR || same
               ? wpin_steady_apply(stage, wpin_stage_port_of(stage), drive, duty)
               : wpin_stage_apply_sector(stage, drive, duty);
}

/* ---- from interrupts ---- */

void wpin_stage_rest_lines(wpin_stage *stage) {
    stage = wpin_stage_there(stage);
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    uint8_t lines = (uint8_t)((1U << table->line_count) - 1U),
            pulse = table->rows[stage->row].pulse & wpin_rows_may(table).pulse;
    uint8_t switches = (uint8_t)(lines & ~table->mode_lines & ~pulse);
    wpin_stage_write_levels(stage, switches, table->rest_high_lines, 1);
    if (pulse != 0) {
        wpin_stage_write_duty(stage, 1); /* pulses are never plain; no swing is neutral */
    }
}

void wpin_stage_off(wpin_stage *stage) {
    if (!wpin_stage_is_open(stage)) {
        return;
    }
    stage = wpin_stage_there(stage);
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage));
    stage->cut = 1; /* nothing turns on from here on */
    stage->duty = 0;
    wpin_unlock(wpin_stage_port_of(stage), locked);
    wpin_stage_rest_lines(stage);
}

/* ---- asking ---- */

bool wpin_stage_has(const wpin_stage *stage, wpin_drive drive) {
    return wpin_stage_is_open(stage) &&
           wpin_table_row(wpin_stage_config_of(stage)->table,
                          wpin_stage_wired_drive(wpin_stage_config_of(stage), drive)) !=
               WPIN_NO_ROW;
}

/* The forward row; a row with nothing in it if there is none. */
static wpin_row forward_row(const wpin_stage *stage) {
    uint8_t row = wpin_stage_is_open(stage)
                      ? wpin_table_row(wpin_stage_config_of(stage)->table, WPIN_DRIVE_FORWARD)
                      : WPIN_NO_ROW;
    wpin_row none = {0};
    return row == WPIN_NO_ROW ? none : wpin_stage_config_of(stage)->table->rows[row];
}

bool wpin_stage_pulses(const wpin_stage *stage) {
    return forward_row(stage).pulse != 0;
}

bool wpin_stage_is_on_off(const wpin_stage *stage) {
    wpin_row forward = forward_row(stage);
    return forward.timed == 0;
}

wpin_drive wpin_stage_drive(const wpin_stage *stage) {
    return stage == NULL ? WPIN_DRIVE_COAST : (wpin_drive)stage->drive;
}
