/* A stage with one of the tables: everything that a motor does with it as its actuator, and every
 * call of its own, in any order, as often as you like. What a motor makes of the answers is in
 * motor.c, where its actuator answers anything. */
#include "any.h"
#include <windpin/fast.h>

static wpin_stage stage;
static wpin_stage_config wires;

static void use_stage(void) {
    const wpin_actuator *a = &wpin_stage_actuator;
    const wpin_port *port = any ? &any_port : NULL;
    switch (any) {
    case 0: a->open(&stage, any ? &wires : NULL, port); break;
    case 1: any = a->traits(&stage); break;
    case 2: a->put(&stage, any8, any_signed32); break;
    case 3: a->idle(&stage, (wpin_drive)any8); break;
    case 4: any = a->shown(&stage); break;
    case 5: a->off(&stage); break;
    case 6: any = wpin_steady_shown(&stage); break;
    case 7: wpin_steady_apply(&stage, &any_port, (wpin_drive)any8, any16); break;
    default: a->close(&stage); break;
    }
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

int main(void) {
    any_stage(&wires, &TABLE);
    while (any) {
        switch (any) {
        case 0: use_stage(); break;
        case 1: wpin_stage_off(any ? &stage : NULL); break;
        case 2: wpin_stage_commutate(any ? &stage : NULL, any8); break;
        case 3: show_legs(); break;
        case 4: ask_stage(); break;
        default: wpin_stage_apply(any ? &stage : NULL, (wpin_drive)any8, any16); break;
        }
    }
    return 0;
}
