/* What is known of a session while it goes on. */
#include "session.h"
#include <math.h>

double wpin_session_in_unit(const wpin_session *run, size_t load, wpin_setpoint s) {
    const wpin_rig_load *l = &run->rig->loads[load];
    double share = (double)s.value / WPIN_DUTY_FULL;
    switch ((wpin_quantity)s.quantity) {
    case WPIN_QUANTITY_SPEED: return share * l->speed.maximum;
    case WPIN_QUANTITY_TORQUE: return share * l->current.rated;
    case WPIN_QUANTITY_POSITION:
        return wpin_session_is_stepper(run, load) ? wpin_session_degrees(run, load)
                                                  : wpin_session_counted(run, load, s.value);
    default: return share;
    }
}

static double place(const wpin_session *run, size_t load) {
    if (wpin_session_is_stepper(run, load)) {
        return wpin_session_degrees(run, load);
    }
    return wpin_rig_knows_place(&run->rig->loads[load])
               ? wpin_session_counted(run, load, run->motors[load].measurement.position)
               : NAN;
}

wpin_glance wpin_session_look(const wpin_session *run, size_t load) {
    if (load >= run->rig->load_count) {
        return (wpin_glance){0};
    }
    const wpin_motor *m = &run->motors[load];
    const wpin_part_reading *r = &run->last[load];
    bool axis = run->rig->loads[load].axis.there; /* of a duty it knows nothing, not even zero */
    return (wpin_glance){
        .state = wpin_motor_state(m),
        .armed = m->armed != 0,
        .fault = wpin_motor_fault(m),
        .ended = wpin_motor_ended(m),
        .held = wpin_motor_held(m),
        .quantity = axis && m->setpoint.quantity == WPIN_QUANTITY_EFFORT ? WPIN_QUANTITY_SPEED
                                                                         : m->setpoint.quantity,
        .setpoint = wpin_session_in_unit(run, load, m->setpoint),
        .duty = (double)wpin_motor_duty(m) / WPIN_DUTY_FULL,
        .measured_rpm = wpin_session_measured_rpm(run, load),
        .measured_amps = wpin_session_measured_amps(run, load),
        .degrees = place(run, load),
        .knows = wpin_session_knows(run),
        .rpm = r->rpm,
        .amps = r->amps,
        .volts = run->volts[load].value,
        .temperature = r->degrees,
        .supply_volts = wpin_session_supply(run, (size_t)run->rig->loads[load].supply),
        .doing = run->owner[load] == 0 ? NULL : &run->report->steps[run->owner[load] - 1],
        .busy = wpin_motor_busy(m)};
}

double wpin_session_supply(const wpin_session *run, size_t supply) {
    const wpin_bench *b = &run->bench;
    if (supply >= run->rig->supply_count || !wpin_session_supply_on(run, supply)) {
        return 0;
    }
    if (b->supply_volts != NULL) {
        return b->supply_volts(b->context, supply);
    }
    double measured = wpin_session_measured_volts(run, supply);
    return isnan(measured) ? run->rig->supplies[supply].volts : measured;
}

const wpin_step_result *wpin_session_steps(const wpin_session *run, size_t *count) {
    *count = run->report->step_count;
    return run->report->steps;
}

const wpin_requirement_result *wpin_session_required(const wpin_session *run, size_t *count) {
    *count = wpin_session_whole_runs(run) ? 0 : run->report->requirement_count;
    return run->report->requirements;
}

const wpin_part_event *wpin_session_notes(const wpin_session *run, size_t *count) {
    *count = run->note_count;
    return run->notes;
}

const wpin_part_event *wpin_session_events(const wpin_session *run, size_t *count) {
    const wpin_bench *b = &run->bench;
    *count = 0;
    return b->events == NULL ? NULL : b->events(b->context, count);
}
