/* The six rows of a three-phase stage: shared by the actuators that commutate. */
#include "sector_rows.h"
#include "windpin/actuator.h"
#include "windpin/impl/steady_six_step.h"

bool wpin_sector_rows_hold(const WPIN_FAR wpin_stage_table *table) {
    uint8_t first = wpin_table_row(table, (wpin_drive)WPIN_DRIVE_SECTOR);
    if (first == WPIN_NO_ROW || table->row_count < WPIN_SECTORS ||
        first > (uint8_t)(table->row_count - WPIN_SECTORS)) {
        return false;
    }
    for (uint8_t i = 0; i < WPIN_SECTORS; i++) {
        const WPIN_FAR wpin_row *row = &table->rows[first + i];
        uint8_t differs = (uint8_t)(row->high ^ table->rows[first].high);
        if (row->drive != WPIN_DRIVE_SECTOR + i || row->keep != 0 || row->pulse != 0 ||
            (differs & table->mode_lines) != 0) {
            return false;
        }
    }
    return true;
}

static bool uses(const WPIN_FAR wpin_stage_config *config, wpin_pin pin) {
    for (uint8_t line = 0; line < config->table->line_count; line++) {
        if (config->lines[line].pin == pin) {
            return true;
        }
    }
    return false;
}

bool wpin_inputs_hold(const WPIN_FAR wpin_stage_config *config, const WPIN_FAR wpin_pin *pins) {
    return pins[0] != pins[1] && pins[1] != pins[2] && pins[0] != pins[2] &&
           !uses(config, pins[0]) && !uses(config, pins[1]) && !uses(config, pins[2]);
}

wpin_duty wpin_sector_shown(const wpin_stage *stage, int8_t direction) {
    if (stage->drive < WPIN_DRIVE_SECTOR) {
        return 0;
    }
    wpin_duty duty = (wpin_duty)stage->duty;
    bool forward = (direction < 0) == wpin_stage_config_of(stage)->reversed;
    return (wpin_duty)(forward ? duty : -duty);
}

uint8_t wpin_sector_traits(const wpin_stage *stage) {
    bool coasts = wpin_stage_has(stage, WPIN_DRIVE_COAST);
    bool brakes = wpin_stage_has(stage, WPIN_DRIVE_BRAKE);
    return (uint8_t)(WPIN_CAN_FORWARD | WPIN_CAN_REVERSE | (coasts ? WPIN_CAN_COAST : 0) |
                     (brakes ? WPIN_CAN_BRAKE : 0));
}

wpin_drive wpin_sector_rest(const wpin_stage *stage) {
    return wpin_stage_has(stage, WPIN_DRIVE_COAST) ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE;
}
