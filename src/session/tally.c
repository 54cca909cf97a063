/* How far a step's load is off what it asks for, and the most it gave. */
#include "session.h"
#include <math.h>

bool wpin_asks_speed(const wpin_step_result *step) {
    return step->asked_rpm != 0;
}

bool wpin_asks_current(const wpin_step_result *step) {
    return step->asked_amps != 0 || wpin_follows_current(step);
}

bool wpin_follows_current(const wpin_step_result *step) {
    return step->op == WPIN_OP_FOLLOW && step->asks->quantity == WPIN_QUANTITY_TORQUE;
}

void wpin_session_tally_off(const wpin_session *run, wpin_step_result *step, double off) {
    const double window = 50e-3;
    double seconds = run->last[step->load].seconds;
    bool running = wpin_motor_state(&run->motors[step->load]) == WPIN_STATE_RUNNING;
    if (run->motors[step->load].setpoint.value == 0) {
        return; /* it is over */
    }
    step->reached = step->reached || running;
    step->window_off += off * seconds;
    step->window_s += seconds;
    if (step->window_s < window) {
        return;
    }
    step->mean_off = fabs(step->window_off / step->window_s);
    step->window_off = step->window_s = 0;
    if (step->reached && step->mean_off > step->most_off) {
        step->most_off = step->mean_off;
        step->off_at = wpin_session_time(run);
    }
}

void wpin_session_tally_speed(const wpin_session *run, wpin_step_result *step) {
    double rpm = wpin_session_measured_rpm(run, (size_t)step->load);
    if (wpin_asks_speed(step) && !isnan(rpm)) {
        wpin_session_tally_off(run, step, step->asked_rpm - rpm);
    }
}

void wpin_session_tally_current(const wpin_session *run, wpin_step_result *step) {
    double amps = wpin_session_measured_amps(run, (size_t)step->load);
    if (step->asked_amps != 0 && !isnan(amps)) {
        wpin_session_tally_off(run, step, fabs(step->asked_amps) - amps);
    }
}

void wpin_session_tally_torque(wpin_session *run, size_t load) {
    const wpin_rig_load *l = &run->rig->loads[load];
    double amps = wpin_session_measured_amps(run, load), rpm = wpin_session_measured_rpm(run, load);
    if (!l->current.there || isnan(amps) || wpin_motor_duty(&run->motors[load]) == 0) {
        return;
    }
    double torque = wpin_rig_torque(l, amps);
    wpin_report *report = run->report;
    report->torque_peak[load] = fmax(report->torque_peak[load], torque);
    double watts = isnan(rpm) ? 0 : torque * fabs(rpm) * 3.14159265358979323846 / 30;
    report->watts_peak[load] = fmax(report->watts_peak[load], watts);
}
