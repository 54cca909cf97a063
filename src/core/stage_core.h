/* What the engine of a stage shares with its opening. */
#ifndef WPIN_CORE_STAGE_CORE_H
#define WPIN_CORE_STAGE_CORE_H

#include "stage_bits.h"
#include "windpin/impl/steady_stage.h"

WPIN_STEADY bool wpin_stage_is_open(const wpin_stage *stage) {
    bool open = stage != NULL && (stage->flags & WPIN_STAGE_OPEN) != 0;
#ifdef WPIN_ONE_MOTOR
    return open;
#else
    return open && stage->config != NULL && stage->port != NULL;
#endif
}

WPIN_STEADY void wpin_keep_first(wpin_status *status, wpin_status next) {
    if (*status == WPIN_OK) {
        *status = next;
    }
}

/* A shared line goes low only when no stage needs it high; this one says what it wants. */
bool wpin_line_agreed(wpin_shared_line *shared, uint8_t user, bool high);

/* Writes the lines of a mask, all at one instant where the port can, else one by one; lets lines
 * float; writes the duty to every timed line of the row that is shown, as long as it is. All of
 * them only as long as the stage's cut is what is given; not under the lock, which they take for
 * each write. */
wpin_status wpin_stage_write_lines(wpin_stage *stage, uint8_t mask, uint8_t high, uint8_t cut);
static inline wpin_status wpin_stage_write_levels(wpin_stage *stage, uint8_t mask, uint8_t high,
                                                  uint8_t cut) {
    return mask == 0 ? WPIN_OK : wpin_stage_write_lines(stage, mask, high, cut);
}
wpin_status wpin_stage_float(const wpin_stage *stage, uint8_t mask, uint8_t cut);
wpin_status wpin_stage_write_duty(const wpin_stage *stage, uint8_t cut);

/* Every line of a stage that was cut goes to rest, as long as nobody asks for coast or brake. */
void wpin_stage_rest_lines(wpin_stage *stage);

/* The one place where a reversed motor is reversed. */
wpin_drive wpin_stage_wired_drive(const WPIN_FAR wpin_stage_config *config, wpin_drive drive);
/* The row of a drive, or what refuses it; and the way there. Tick. */
wpin_status wpin_stage_find_row(const wpin_stage *stage, wpin_drive drive, uint16_t duty,
                                uint8_t *row);
wpin_status wpin_stage_change_row(wpin_stage *stage, uint8_t row, uint8_t drive, uint16_t duty);
/* Before it goes from coast to a row that drives, where it has to. Tick. */
WPIN_STEADY wpin_status wpin_stage_charge_first(wpin_stage *stage, wpin_drive drive) {
    wpin_status (*charge)(wpin_stage *) = wpin_stage_config_of(stage)->charge;
    bool from_coast = drive > WPIN_DRIVE_BRAKE && stage->drive == WPIN_DRIVE_COAST;
    return charge != NULL && from_coast ? charge(stage) : WPIN_OK;
}
/* wpin_stage_apply of a sector. */
wpin_status wpin_stage_apply_sector(wpin_stage *stage, wpin_drive drive, uint16_t duty);

/* wpin_stage_commutate under the lock, which it lets go; before, it opens it while it plans, and
 * while a leg turns. */
wpin_status wpin_stage_commutate_locked(wpin_stage *stage, uint8_t sector, uint8_t locked);
/* What the legs of such a stage are on: of one that wpin_stage_check let pass. */
void wpin_stage_find_legs(const WPIN_FAR wpin_stage_config *config, wpin_leg_pins *legs);
/* wpin_stage_legs of an open stage with duties in range. */
wpin_status wpin_stage_show_legs(wpin_stage *stage, const wpin_leg_pins *legs,
                                 const uint16_t duties[3]);

#endif
