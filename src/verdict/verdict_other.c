/* Judges the steps of what does not turn by its duty: lamps, solenoids, steppers. */
#include "verdict.h"
#include <math.h>

static bool settled(const wpin_step_result *step) {
    return step->took > 0.1;
}

/* Off: no current is left, once a coil has had time to run down, and PWM to end its last period. */
static void judge_off(const wpin_session *run, wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double hz = wpin_stage_kind_has_pwm(load->kind) ? load->limits.pwm_hz : 0;
    bool ended = hz <= 0 || step->took - step->on_for > 2 / hz;
    const wpin_part_solenoid *coil = &run->rig->loads[step->load].solenoid;
    double runs_down = coil->resistance > 0 ? 8 * coil->inductance / coil->resistance : 0;
    double amps = fabs(run->last[step->load].amps_now);
    if (ended && step->took > 0.1 + runs_down && amps > 20e-3) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "%.2f A flow with nothing asked of it: control wires mixed up or off", amps);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* What its duty should give, once it has had time to warm up; 0: not yet. */
static double light_due(const wpin_session *run, const wpin_step_result *step, bool at_end) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double warms = load->lamp.cold_share < 1 ? 6 * load->lamp.warm_up : 0.1;
    double duty = wpin_stage_kind_takes_duty(load->kind) ? step->duty_peak : 1;
    bool ramps = step->op == WPIN_OP_RUN && at_end;
    return step->took < warms || ramps
               ? 0
               : wpin_rig_light(load, run->rig->supplies[load->supply].volts,
                                run->rig->supplies[load->supply].resistance, duty);
}

static void judge_light(const wpin_session *run, wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double volts = run->rig->supplies[load->supply].volts;
    bool at_end = step->op != WPIN_OP_RUN_FOR && step->op != WPIN_OP_FOLLOW;
    double light = at_end ? step->effect : step->effect_peak;
    double due = light_due(run, step, at_end);
    if (!settled(step)) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    } else if (light < 1e-3 && wpin_session_supply_on(run, load->supply) &&
               load->lamp.forward_volts >= volts) {
        wpin_rule(step, WPIN_VERDICT_BAD, "dark: it takes nothing below %.3g V, '%s' has %.3g V",
                  load->lamp.forward_volts, run->rig->supplies[load->supply].name, volts);
    } else if (light < 1e-3 && !wpin_judge_path(run, step, "dark")) {
        wpin_rule(step, due > 0.01 ? WPIN_VERDICT_BAD : WPIN_VERDICT_NOTE,
                  "too little to glow: %.0f %% duty", step->duty_peak * 100);
    } else if (light >= 1e-3 && light < 0.6 * due) {
        wpin_rule(
            step, WPIN_VERDICT_BAD,
            "%.0f %% of its rated light, %.0f %% expected at %.0f %% duty: '%s' gives too few "
            "volts, or a contact is bad",
            light * 100, due * 100, step->duty_peak * 100, run->rig->supplies[load->supply].name);
    } else if (light >= 1e-3) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, %.0f %% of its rated light", light * 100);
    }
}

static void judge_plunger(const wpin_session *run, wpin_step_result *step) {
    const wpin_part_solenoid *part = &run->rig->loads[step->load].solenoid;
    /* While the kick lasts it may still draw in. */
    double draws_in = fmax(2 * part->pull_in_time, run->rig->loads[step->load].limits.kick_time);
    bool pulled = step->op == WPIN_OP_RUN_FOR ? step->effect_peak > 0.5 : step->effect > 0.5;
    if (pulled) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, plunger in");
    } else if (step->took < draws_in) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    } else if (!wpin_judge_path(run, step, "plunger not in")) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "plunger not in: %.3g A at most; it takes %.3g A for %.3g ms to draw it in and "
                  "%.3g A to hold it",
                  step->amps_peak, part->pull_in, part->pull_in_time * 1e3, part->drop_out);
    }
}

/* Why it stands nearly where it is counted, but not quite. */
static const char *aside(const wpin_rig_stepping *stepping) {
    return stepping->at_end == WPIN_STEP_RELEASE && stepping->release_after <= 0
               ? "it was let go before it stood; 'release-after' holds it first"
               : "its load pulls at it; more current holds it closer";
}

/* The rotor should stand where the core counts it, give or take half a step; two where it has
 * just arrived. */
static void judge_place(const wpin_session *run, wpin_step_result *step) {
    double a_turn = run->rig->loads[step->load].stepper.steps_per_rev;
    double lost = (step->degrees_asked - step->degrees) / 360 * a_turn;
    double went = step->degrees - step->degrees_from;
    double wanted = step->degrees_asked - step->degrees_from;
    bool turns = step->op == WPIN_OP_TURN || step->op == WPIN_OP_TURN_TO;
    if (fabs(lost) < 2 && turns) { /* it may still swing there */
        wpin_rule(step, WPIN_VERDICT_OK, "ok, at %.1f deg", step->degrees_asked);
    } else if (fabs(lost) < 0.5 || step->op == WPIN_OP_COAST) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    } else if (fabs(lost) < 2) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "stands at %.1f deg, counted %.1f: %s", step->degrees,
                  step->degrees_asked, aside(&run->rig->loads[step->load].stepping));
    } else if (!turns) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "stands at %.1f deg, counted %.1f: steps were lost before", step->degrees,
                  step->degrees_asked);
    } else if (step->rpm_peak == 0) {
        if (!wpin_judge_path(run, step, "not moving")) {
            wpin_rule(step, WPIN_VERDICT_BAD,
                      "did not move at %.2g A: its rotor is held, or a winding is off or swapped",
                      step->amps_peak);
        }
    } else if (went * wanted < 0 && fabs(went) > 0.5 * fabs(wanted)) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "turned the wrong way, to %.1f deg: the leads of one winding are swapped, or "
                  "'reversed' is missing in the rig",
                  step->degrees);
    } else {
        wpin_rule(
            step, WPIN_VERDICT_BAD,
            "lost %.0f steps: stands at %.1f deg, counted %.1f; a lower rate or ramp, or more "
            "current; or a winding is off or on the wrong outputs (windpin first)",
            fabs(lost), step->degrees, step->degrees_asked);
    }
}

void wpin_judge_other(const wpin_session *run, wpin_step_result *step) {
    const wpin_load_type *type = wpin_rig_type(&run->rig->loads[step->load]);
    bool on = step->op != WPIN_OP_TOGGLE || step->duty != 0;
    if (type->steps) {
        judge_place(run, step);
    } else if (!wpin_step_drives(step) || !on) {
        judge_off(run, step);
    } else if (step->effect_peak >= 1e-3 && wpin_judge_course(run, step)) {
        return;
    } else if (type->shines) {
        judge_light(run, step);
    } else {
        judge_plunger(run, step);
    }
}
