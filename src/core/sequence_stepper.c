/* Steppers in a plan. Apart from the sequence, so that firmware without one does not carry it. */
#include "windpin/sequence.h"

static wpin_status begin(wpin_stepper *stepper, const wpin_step *step) {
    switch ((wpin_op)step->op) {
    case WPIN_OP_TURN: return wpin_stepper_turn(stepper, step->millidegrees);
    case WPIN_OP_TURN_TO: return wpin_stepper_turn_to(stepper, step->millidegrees);
    case WPIN_OP_STOP: wpin_stepper_stop(stepper); break;
    case WPIN_OP_COAST: wpin_stepper_release(stepper); break;
    default: break;
    }
    return WPIN_OK;
}

const wpin_stepper_way wpin_stepper_in_plans = {
    .begin = begin, .busy = wpin_stepper_busy, .stop = wpin_stepper_stop};
