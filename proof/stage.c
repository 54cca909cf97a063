/* A stage with one of the tables: everything that is done with it as an actuator, and every call of
 * its own, in any order, as often as you like. What others make of the answers is proved where they
 * are anything: any_stage.h, any_kind.h. */
#include "../src/core/stage_core.h"
#include "any.h"
#include "use.h"
#include <windpin/fast.h>

static wpin_stage stage;
static wpin_stage_config wires;

/* One whose lines float at rest and are kept in a brake, and whose low side mirrors the high one.
 */
static const wpin_row floating_rows[] = {
    WPIN_ROW(WPIN_DRIVE_COAST, WPIN_CELL_FLOAT, WPIN_CELL_FLOAT, WPIN_CELL_LOW),
    WPIN_ROW(WPIN_DRIVE_BRAKE, WPIN_CELL_LOW, WPIN_CELL_HIGH, WPIN_CELL_KEEP),
    WPIN_ROW(WPIN_DRIVE_FORWARD, WPIN_CELL_COMPLEMENT, WPIN_CELL_DUTY, WPIN_CELL_HIGH)};
static const wpin_leg floating_leg = {0, 1};
static const wpin_stage_table floating = {.line_count = 3,
                                          .row_count = 3,
                                          .mode_lines = 4,
                                          .leg_count = 1,
                                          .legs = &floating_leg,
                                          .rows = floating_rows};

/* What those who are proved on any stage count on. */
static void keep_promises(void) {
    /*@ assert row_of_the_table: stage.config == \null || stage.row < TABLE.row_count; */
    /*@ assert duty_in_range: stage.duty <= 16384; */
}

static void show_legs(void) {
    uint16_t duties[3] = {any16, any16, any16};
    wpin_stage_legs(any ? &stage : NULL, any ? duties : NULL);
}

static void ask_stage(void) {
    const wpin_stage *s = any ? &stage : NULL;
    switch (any) {
    case 0: any = wpin_stage_has(s, (wpin_drive)any8); break;
    case 1: any = wpin_stage_is_on_off(s); break;
    case 2: any = wpin_stage_pulses(s); break;
    case 3: any = (int)wpin_stage_drive(s); break;
    default: any = (int)wpin_stage_check(any ? &wires : NULL); break;
    }
}

static void show_pins(const uint16_t duties[3]) {
    wpin_leg_pins legs;
    wpin_stage_find_legs(&wires, &legs);
    wpin_stage_show_legs(&stage, &legs, duties);
}

/* What the core does with an open one. */
static void lead_stage(void) {
    uint16_t duties[3] = {any16, any16, any16};
    for (int i = 0; i < 3; i++) {
        duties[i] = duties[i] > 16384 ? 16384 : duties[i];
    }
    if (!wpin_stage_is_open(&stage)) {
        return;
    }
    switch (any) {
    case 0: wpin_steady_apply(&stage, &any_port, (wpin_drive)any8, any16); break;
    case 1: wpin_stage_commutate_locked(&stage, any8, any8); break;
    case 2: show_pins(duties); break;
    case 3: wpin_stage_rest_lines(&stage); break;
    default: any = wpin_steady_shown(&stage) + (int)wpin_rare_row_duty(&stage); break;
    }
}

int main(void) {
    any_stage(&wires, &TABLE);
    while (any) {
        keep_promises();
        switch (any) {
        case 0: use_actuator(&wpin_stage_actuator, &stage, &wires); break;
        case 5: lead_stage(); break;
        case 1: wpin_stage_off(any ? &stage : NULL); break;
        case 6: wpin_stage_charge(any ? &stage : NULL); break;
        case 2: wpin_stage_commutate(any ? &stage : NULL, any8); break;
        case 3: show_legs(); break;
        case 4: ask_stage(); break;
        default: wpin_stage_apply(any ? &stage : NULL, (wpin_drive)any8, any16); break;
        }
    }
    return 0;
}
