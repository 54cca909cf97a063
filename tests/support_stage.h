/* A stage on a port that records. */
#ifndef WPIN_TESTS_SUPPORT_STAGE_H
#define WPIN_TESTS_SUPPORT_STAGE_H

#include "support.h"
#include <string.h>
#include <strings.h>

enum { L = WPIN_CELL_LOW, H, D, C, F, P, K };

/* A bare bridge of four switches: both low sides for brake, the low side follows the high side
 * as its complement while driving. */
static const wpin_row four_rows[] = {
    WPIN_ROW(WPIN_DRIVE_COAST, L, L, L, L), WPIN_ROW(WPIN_DRIVE_BRAKE, L, H, L, H),
    WPIN_ROW(WPIN_DRIVE_FORWARD, D, C, L, H), WPIN_ROW(WPIN_DRIVE_REVERSE, L, H, D, C)};
static const wpin_leg four_legs[] = {{0, 1}, {2, 3}};
static const wpin_stage_table full_bridge = {
    .line_count = 4, .row_count = 4, .rows = four_rows, .legs = four_legs, .leg_count = 2};
static const wpin_line four_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2}, {.pin = 3}};

static inline size_t first_of(const recorder *r, record_call call, wpin_pin pin) {
    for (size_t i = 0; i < r->count; i++) {
        if (r->records[i].call == call && r->records[i].pin == pin) {
            return i;
        }
    }
    ck_abort_msg("no such call on pin %u", pin);
    return 0;
}

static inline size_t last_of(const recorder *r, record_call call, wpin_pin pin) {
    for (size_t i = r->count; i-- > 0;) {
        if (r->records[i].call == call && r->records[i].pin == pin) {
            return i;
        }
    }
    ck_abort_msg("no such call on pin %u", pin);
    return 0;
}

#endif
