/* What is known of a load when it faults: what it did in the tick before, and what was measured. */
#include "session.h"
#include <math.h>

#define NEARLY  (WPIN_DUTY_FULL / 128) /* a speed below this may be noise */
#define AT_ONCE 0.1                    /* s: what faults within it has one cause */

void wpin_session_keep_scene(wpin_session *run, size_t load) {
    const wpin_motor *m = &run->motors[load];
    wpin_before *b = &run->before[load];
    b->setpoint = m->setpoint;
    b->duty = wpin_motor_duty(m);
    b->state = (uint8_t)wpin_motor_state(m);
    b->held = wpin_motor_held(m);
    b->speed_known = wpin_session_knows_speed(run, load);
    b->speed = m->measurement.speed;
    bool turns = b->speed_known && (b->speed > NEARLY || b->speed < -NEARLY);
    bool *turned = &b->turned[b->speed < 0];
    if (!*turned && turns && b->duty != 0 && (b->speed > 0) == (b->duty > 0)) {
        *turned = !wpin_session_aligns(run, load); /* where it is led it turns anyhow */
    }
}

/* Whether a fault is what a supply that fails leads to. */
static bool is_of_supply(wpin_status fault) {
    return fault == WPIN_FAULT_NO_CURRENT || fault == WPIN_FAULT_NO_MOTION ||
           fault == WPIN_FAULT_SUPPLY_LOW;
}

bool wpin_session_others_fail(const wpin_session *run, size_t load) {
    const wpin_rig_load *loads = run->rig->loads;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        double apart = fabs(run->fault_at[i] - run->fault_at[load]);
        if (i != load && loads[i].supply == loads[load].supply && apart <= AT_ONCE &&
            is_of_supply(wpin_motor_fault(&run->motors[i]))) {
            return true;
        }
    }
    return false;
}

wpin_fault_scene wpin_session_scene(const wpin_session *run, size_t load) {
    const wpin_rig_load *l = &run->rig->loads[load];
    const wpin_before *b = &run->before[load];
    const wpin_measurement *m = &run->motors[load].measurement;
    bool now = wpin_session_knows_speed(run, load), place = wpin_rig_knows_place(l);
    int16_t speed = now ? m->speed : b->speed;
    size_t owner = run->owner[load];
    return (wpin_fault_scene){.state = (wpin_state)b->state,
                              .op = owner == 0 ? WPIN_OP_END : run->report->steps[owner - 1].op,
                              .quantity = b->setpoint.quantity,
                              .setpoint = wpin_session_in_unit(run, load, b->setpoint),
                              .duty = (double)b->duty / WPIN_DUTY_FULL,
                              .held = b->held,
                              .rpm = now || b->speed_known ? wpin_session_rpm_of(run, load, speed)
                                                           : NAN,
                              .amps = wpin_session_measured_amps(run, load),
                              .degrees = place ? wpin_session_counted(run, load, m->position) : NAN,
                              .supply_volts = wpin_session_measured_volts(run, l->supply),
                              .turned_forward = b->turned[0],
                              .turned_reverse = b->turned[1]};
}
