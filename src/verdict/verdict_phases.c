/* Whether a brushless motor turns as fast as its duty is due, and takes what its speed is due: some
 * wrong orders of its wires turn it as well, a few of them faster, all at several times the
 * current. */
#include "verdict.h"
#include <math.h>

/* What a bench that is not quite the rig may be off by, as a share of what it turns unloaded: under
 * load the speed is the small difference of two figures. */
#define PI      3.14159265358979323846
#define FAR_OFF 0.3

/* How far PWM swings a current, tip to tip. */
static double ripple_amps(const wpin_session *run, const wpin_step_result *step,
                          const wpin_rig_load *load) {
    const double duty = fabs(step->duty), volts = run->rig->supplies[load->supply].volts;
    return volts * duty * (1 - duty) / (load->limits.pwm_hz * load->motor.inductance);
}

/* Current that its speed at the end of a step is due. */
static double amps_due(const wpin_rig_load *load, const wpin_step_result *step) {
    wpin_at_shaft s = wpin_part_at_shaft(&load->motor);
    double w = wpin_part_shaft_speed(&load->motor, fabs(step->rpm));
    return (s.drags + s.viscous * w + s.quadratic * w * w) / load->motor.constant;
}

static double most_amps(const wpin_session *run, const wpin_step_result *step) {
    const wpin_part_reading *last = &run->last[step->load];
    return fmax(fabs(last->amps_min), fabs(last->amps_max));
}

static bool takes_too_much(const wpin_session *run, const wpin_step_result *step,
                           const wpin_rig_load *load) {
    double stall = wpin_rig_mean_amps(run->rig, load, 1, 0);
    return most_amps(run, step) >
           2.5 * amps_due(load, step) + 0.05 * stall + ripple_amps(run, step, load);
}

/* A speed that is regulated is right whatever it costs: at the end of a hold it shows. */
static bool judge_cost(const wpin_session *run, wpin_step_result *step, const wpin_rig_load *load) {
    if (!takes_too_much(run, step, load)) {
        return false;
    }
    wpin_rule(step, WPIN_VERDICT_BAD,
              "takes up to %.3g A, about %.2g A are due at its speed: its wires may be in another "
              "order than "
              "the rig says (windpin order), or it has another load",
              most_amps(run, step), amps_due(load, step));
    return true;
}

/* Faster than its duty is due, but on its way there: where the current can't turn round it slows
 * down by its drag alone. */
static bool runs_down(const wpin_session *run, const wpin_step_result *step,
                      const wpin_rig_load *load, double rpm, double due) {
    return rpm > due && step->rpm_peak - rpm > 0.1 * (rpm - due) &&
           !takes_too_much(run, step, load);
}

/* The speed that is due takes many periods of PWM in a sector for granted; and a slower one is only
 * told where the current comes and goes much faster than the sectors, or it lacks torque by that.
 */
static bool tells_by_speed(const wpin_session *run, const wpin_rig_load *load, double w,
                           bool slower) {
    double sector = PI / 3 / fmax(w * load->motor.pole_pairs, 1e-9);
    double settles = load->motor.inductance / wpin_rig_loop_ohms(run->rig, load);
    return sector * load->limits.pwm_hz > 4 && (!slower || sector > 2 * settles);
}

bool wpin_judge_phases(const wpin_session *run, wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    bool lasts = step->op == WPIN_OP_HOLD && step->asked_seconds >= wpin_due_time(run->rig, load);
    if (!wpin_stage_kind_is_three_phase(load->kind) || !lasts || step->duty == 0) {
        return false;
    }
    if (wpin_asks_speed(step)) {
        return judge_cost(run, step, load);
    }
    double w = wpin_due_speed(run->rig, load, fabs(step->duty));
    double due = wpin_part_output_rpm(&load->motor, w), rpm = fabs(step->rpm);
    double volts = fabs(step->duty) * run->rig->supplies[load->supply].volts;
    double unloaded = wpin_part_output_rpm(&load->motor, volts / load->motor.constant);
    if (fabs(rpm - due) <= FAR_OFF * unloaded || !tells_by_speed(run, load, w, rpm < due)) {
        return false;
    }
    if (runs_down(run, step, load, rpm, due)) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "still running down, at %.0f rpm; %.0f rpm are due at this duty", rpm, due);
        return true;
    }
    wpin_rule(
        step, WPIN_VERDICT_BAD, "turns at %.0f rpm, %.0f rpm are due at this duty: %s", rpm, due,
        load->crossing.there
            ? "its rows do not keep step with its rotor, or another load than the rig says"
            : "its wires may be in another order than the rig says (windpin order), or it has "
              "another load");
    return true;
}
