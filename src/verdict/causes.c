/* What can be behind a fault, the likeliest first: by which fault it is, and by what its controller
 * knew when it was noticed. */
#include "verdict.h"
#include <math.h>

/* What is known of it. */
enum {
    OTHERS = 1 << 0,    /* others on its supply fail too */
    HOMES = 1 << 1,     /* it looked for its home, at a limit switch */
    AT_END = 1 << 2,    /* at an end of where it may go */
    TURNED = 1 << 3,    /* it was measured to turn this way before, */
    OTHER_WAY = 1 << 4, /* or only the other */
    LITTLE = 1 << 5,    /* with hardly the duty that breaks it loose */
    FULL = 1 << 6,      /* all the duty it may have */
    LIMITED = 1 << 7,   /* its current was held back */
    STANDS = 1 << 8,    /* measured to stand */
    RAMPS = 1 << 9,     /* its speed was still to rise */
    BRAKES = 1 << 10,   /* or to fall */
    FINE = 1 << 11,     /* its supply measured inside its window, */
    SOME = 1 << 12,     /* or with some volts */
    PRESSES = 1 << 13,  /* a torque is asked for */
    THREE = 1 << 14,    /* it has three leads */
    COUNTS = 1 << 15,   /* a sensor of its own tells how it turns */
    FLOWS = 1 << 16,    /* its current is measured to be more than none */
};

/* Read from the top: a cause is named where all of `with` is known and nothing of `without`. */
static const struct {
    wpin_status fault;
    wpin_cause cause;
    unsigned with, without;
} rows[] = {
    {WPIN_FAULT_SUPPLY_LOW, WPIN_CAUSE_SAG, SOME, 0},
    {WPIN_FAULT_SUPPLY_LOW, WPIN_CAUSE_SUPPLY, 0, 0},
    {WPIN_FAULT_SUPPLY_LOW, WPIN_CAUSE_SAG, 0, 0},
    {WPIN_FAULT_SUPPLY_HIGH, WPIN_CAUSE_REGENERATED, BRAKES, 0},
    {WPIN_FAULT_SUPPLY_HIGH, WPIN_CAUSE_VOLTS, 0, 0},
    {WPIN_FAULT_SUPPLY_HIGH, WPIN_CAUSE_REGENERATED, 0, 0},

    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_SUPPLY, OTHERS, FINE},
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_SENSOR, COUNTS | FLOWS, 0}, /* it turns with little */
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_LINE, OTHER_WAY, 0},
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_SUPPLY, 0, FINE},
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_LEAD, 0, 0},
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_LINE, 0, 0},
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_DRIVER, 0, 0},
    {WPIN_FAULT_NO_CURRENT, WPIN_CAUSE_SENSOR, COUNTS, 0},

    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_SUPPLY, OTHERS, FINE},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_LIMIT, HOMES, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_END, AT_END, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_LINE, OTHER_WAY, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_DUTY, LITTLE, TURNED},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_HELD, 0, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_SUPPLY, 0, FINE},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_LEAD, 0, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_LINE, 0, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_DRIVER, 0, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_SENSOR, COUNTS, 0},
    {WPIN_FAULT_NO_MOTION, WPIN_CAUSE_LEADS, THREE, TURNED},

    {WPIN_FAULT_STALLED, WPIN_CAUSE_LIMIT, HOMES, 0},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_END, AT_END, 0},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_LEADS, THREE, TURNED | OTHER_WAY},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_DUTY, LITTLE, TURNED},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_HELD, 0, 0},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_LOAD, 0, 0},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_LEADS, THREE, 0},
    {WPIN_FAULT_STALLED, WPIN_CAUSE_SENSOR, THREE | COUNTS, 0},

    {WPIN_FAULT_FEEDBACK, WPIN_CAUSE_SENSOR, 0, 0},
    {WPIN_FAULT_FEEDBACK, WPIN_CAUSE_SLIPS, 0, 0},

    {WPIN_FAULT_WRONG_WAY, WPIN_CAUSE_SENSORS, 0, TURNED | OTHER_WAY},
    {WPIN_FAULT_WRONG_WAY, WPIN_CAUSE_LEADS, 0, TURNED | OTHER_WAY},
    {WPIN_FAULT_WRONG_WAY, WPIN_CAUSE_LINE, 0, 0},
    {WPIN_FAULT_WRONG_WAY, WPIN_CAUSE_DRIVEN, 0, 0},
    {WPIN_FAULT_WRONG_WAY, WPIN_CAUSE_SENSORS, 0, 0},
    {WPIN_FAULT_WRONG_WAY, WPIN_CAUSE_LEADS, 0, 0},

    {WPIN_FAULT_OVERCURRENT, WPIN_CAUSE_HELD, STANDS, 0},
    {WPIN_FAULT_OVERCURRENT, WPIN_CAUSE_LEADS, THREE, TURNED | OTHER_WAY},
    {WPIN_FAULT_OVERCURRENT, WPIN_CAUSE_RAMP, RAMPS, STANDS},
    {WPIN_FAULT_OVERCURRENT, WPIN_CAUSE_LOAD, 0, 0},
    {WPIN_FAULT_OVERCURRENT, WPIN_CAUSE_HELD, 0, COUNTS},
    {WPIN_FAULT_OVERCURRENT, WPIN_CAUSE_SHORT, 0, 0},
    {WPIN_FAULT_OVERLOAD, WPIN_CAUSE_HELD, STANDS, 0},
    {WPIN_FAULT_OVERLOAD, WPIN_CAUSE_LOAD, 0, 0},
    {WPIN_FAULT_OVERLOAD, WPIN_CAUSE_HELD, 0, COUNTS},
    {WPIN_FAULT_OVERTEMPERATURE, WPIN_CAUSE_HELD, STANDS, 0},
    {WPIN_FAULT_OVERTEMPERATURE, WPIN_CAUSE_LOAD, 0, 0},
    {WPIN_FAULT_OVERTEMPERATURE, WPIN_CAUSE_COOLING, 0, 0},

    {WPIN_FAULT_OVERSPEED, WPIN_CAUSE_FREE, PRESSES, 0},
    {WPIN_FAULT_OVERSPEED, WPIN_CAUSE_DRIVEN, 0, 0},
    {WPIN_FAULT_OVERSPEED, WPIN_CAUSE_SCALE, 0, 0},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_RAMP, LIMITED | RAMPS, 0},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_LOAD, LIMITED, 0},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_SAG, FULL, FINE},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_ASKED, FULL, 0},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_LOAD, 0, 0},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_SCALE, FULL, 0},
    {WPIN_FAULT_FOLLOWING, WPIN_CAUSE_GAINS, 0, FULL | LIMITED},
    {WPIN_FAULT_HUNTING, WPIN_CAUSE_PLAY, 0, 0},
    {WPIN_FAULT_HUNTING, WPIN_CAUSE_GAINS, 0, 0},

    {WPIN_FAULT_PHASE, WPIN_CAUSE_LEAD, 0, 0},
    {WPIN_FAULT_PHASE, WPIN_CAUSE_LINE, 0, 0},
    {WPIN_FAULT_PHASE, WPIN_CAUSE_DRIVER, 0, 0},
    {WPIN_FAULT_PHASE, WPIN_CAUSE_SLIPS, COUNTS, 0},
    {WPIN_FAULT_HALL, WPIN_CAUSE_SENSORS, 0, TURNED | OTHER_WAY | STANDS},
    {WPIN_FAULT_HALL, WPIN_CAUSE_SENSOR, 0, 0},
    {WPIN_FAULT_HALL, WPIN_CAUSE_SENSORS, 0, 0},
    {WPIN_FAULT_ANGLE, WPIN_CAUSE_SCALE, COUNTS, TURNED | OTHER_WAY},
    {WPIN_FAULT_ANGLE, WPIN_CAUSE_LEADS, 0, TURNED | OTHER_WAY},
    {WPIN_FAULT_ANGLE, WPIN_CAUSE_SLIPS, COUNTS, 0},
    {WPIN_FAULT_ANGLE, WPIN_CAUSE_SENSOR, 0, 0},
    {WPIN_FAULT_ANGLE, WPIN_CAUSE_SENSORS, 0, 0},
    {WPIN_FAULT_ANGLE, WPIN_CAUSE_LEADS, 0, 0},
};

enum { ROWS = sizeof rows / sizeof *rows };

static unsigned when(bool is, unsigned what) {
    return is ? what : 0;
}

/* By its place, where a rig says how far it may go. */
static bool at_end(const wpin_rig_load *l, const wpin_fault_scene *s) {
    double least = 360 * l->position.least, most = 360 * l->position.most;
    double near = 0.02 * (most - least);
    return most > least && s->op != WPIN_OP_HOME && !isnan(s->degrees) &&
           (s->duty < 0 ? s->degrees < least + near : s->degrees > most - near);
}

static unsigned of_volts(const wpin_rig_supply *supply, const wpin_fault_scene *s) {
    const wpin_rig_supply_sense *sense = &supply->sense;
    if (!sense->there || isnan(s->supply_volts)) {
        return 0;
    }
    return when(s->supply_volts >= sense->least && s->supply_volts <= sense->most, FINE) |
           when(s->supply_volts > 0.3 * supply->volts, SOME);
}

static unsigned evidence(const wpin_rig *rig, const wpin_fault_result *f) {
    const wpin_rig_load *l = &rig->loads[f->load];
    const wpin_fault_scene *s = &f->scene;
    bool back = s->duty < 0, spins = wpin_rig_type(l)->spins, speed = !isnan(s->rpm);
    bool turned = back ? s->turned_reverse : s->turned_forward;
    bool other = back ? s->turned_forward : s->turned_reverse;
    double size = fabs(s->duty), full = fmax(l->speed.maximum, 1);
    bool regulated = s->quantity == WPIN_QUANTITY_SPEED && speed;
    bool slower = regulated && fabs(s->setpoint) < fabs(s->rpm) - 0.01 * full;
    bool ramps = s->state == WPIN_STATE_RAMPING;
    return when(s->others, OTHERS) |
           when(s->op == WPIN_OP_HOME && l->limits.limit_inputs[back] >= 0, HOMES) |
           when(at_end(l, s), AT_END) | when(turned, TURNED) | when(other && !turned, OTHER_WAY) |
           when(spins && !l->axis.there && size < 1.3 * wpin_loose_duty(rig, l), LITTLE) |
           when(size > 0.97 * l->limits.duty_max || (s->held & WPIN_HELD_CAP) != 0, FULL) |
           when((s->held & WPIN_HELD_CURRENT) != 0, LIMITED) |
           when(speed && fabs(s->rpm) < 0.01 * full, STANDS) | when(ramps && !slower, RAMPS) |
           when(slower || (speed && s->duty * s->rpm < 0), BRAKES) |
           of_volts(&rig->supplies[l->supply], s) |
           when(s->quantity == WPIN_QUANTITY_TORQUE, PRESSES) |
           when(wpin_rig_three_leads(l), THREE) | when(l->encoder.there, COUNTS) |
           when(!isnan(s->amps) && s->amps > 2 * wpin_finest_amps(rig, l), FLOWS);
}

static bool listed(const wpin_cause *causes, size_t count, wpin_cause cause) {
    for (size_t i = 0; i < count; i++) {
        if (causes[i] == cause) {
            return true;
        }
    }
    return false;
}

size_t wpin_fault_causes(const wpin_rig *rig, const wpin_fault_result *fault,
                         wpin_cause causes[WPIN_CAUSES_MOST]) {
    unsigned known = evidence(rig, fault);
    size_t count = 0;
    for (size_t i = 0; i < ROWS && count < WPIN_CAUSES_MOST; i++) {
        bool fits = rows[i].fault == fault->cause && (known & rows[i].with) == rows[i].with &&
                    (known & rows[i].without) == 0;
        if (fits && !listed(causes, count, rows[i].cause)) {
            causes[count++] = rows[i].cause;
        }
    }
    return count;
}
