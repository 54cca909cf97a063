/* Judges each step: asked against achieved, and in words why they differ. */
#include "verdict.h"
#include <math.h>
#include <stdio.h>

/* The shaft stands although duty is on the pins: the likeliest cause first. */
static void judge_standing(const wpin_session *run, wpin_step_result *step) {
    double loose = wpin_loose_duty(run->rig, &run->rig->loads[step->load]);
    if (wpin_judge_path(run, step, "not moving")) {
        return;
    }
    if (step->duty_peak < loose && step->duty_peak < fabs(step->asked_duty) - 0.005) {
        wpin_rule(
            step, WPIN_VERDICT_BAD,
            "not moving: its ramp came to %.0f %% only in that time; it breaks loose near %.0f "
            "%% duty",
            step->duty_peak * 100, ceil(loose * 100));
    } else if (fmax(fabs(step->duty), fabs(step->asked_duty)) < loose) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "not moving: held by friction and load; it breaks loose near %.0f %% duty",
                  ceil(loose * 100));
    } else {
        wpin_rule(step, WPIN_VERDICT_BAD, "not moving: stalled at %.3g A", step->amps_peak);
    }
}

static bool stands(const wpin_step_result *step) {
    return fabs(step->rpm) < 1e-6;
}

static void judge_ramp_time(const wpin_session *run, wpin_step_result *step) {
    double late = step->took - step->turned_after - step->asked_seconds;
    if (step->asked_seconds > 0 && late > 2.5 * run->rig->controller.tick) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "%.2f s longer than asked: the rig's ramp limit holds",
                  late);
    } else {
        wpin_judge_turn(step);
    }
}

/* A step that was done in an instant says nothing yet about motion, if power is there. */
static bool too_early(const wpin_session *run, const wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    bool unseen = step->took == 0; /* asked again for what it does: no reading lies in it */
    bool at_once = unseen || (step->on_for < 0.05 && !wpin_stage_kind_takes_duty(load->kind));
    return at_once && wpin_session_supply_on(run, load->supply) &&
           wpin_burnt_in_path(run, load) == NULL;
}

/* Number of the limit switch of the way a step goes, -1 if it has none. */
static int limit_of(const wpin_session *run, const wpin_step_result *step) {
    return run->rig->loads[step->load].limits.limit_inputs[step->asked_duty < 0];
}

/* The motor stopped at a limit switch; whether that was where the switch really is. */
static bool judge_limited(const wpin_session *run, wpin_step_result *step) {
    int input = limit_of(run, step);
    if (wpin_judge_travel(run, step)) {
        return true;
    }
    if (input < 0 || fabs(step->asked_duty) < 1e-6) {
        return false;
    }
    const char *name = run->rig->inputs[input].name;
    if (step->rpm_peak > 0) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, stopped at limit switch '%s'", name);
    } else {
        wpin_rule(step, WPIN_VERDICT_NOTE, "did not move: limit switch '%s' is reached already",
                  name);
    }
    return true;
}

/* The start duty, when less was asked for and lifted to it; 0: it was not. */
static double lifted_to(const wpin_session *run, const wpin_step_result *step) {
    const wpin_rig_limits *l = &run->rig->loads[step->load].limits;
    bool lifts = l->below == WPIN_BELOW_LIFT && step->op != WPIN_OP_HOLD;
    return lifts && fabs(step->asked_duty) < l->start_duty - 0.005 ? l->start_duty : 0;
}

/* s by which an on/off stage was on for longer than asked; 0: it was not. */
static double on_longer(const wpin_session *run, const wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double late = step->on_for - step->asked_seconds;
    bool on_off = !wpin_stage_kind_takes_duty(load->kind);
    return on_off && late > 2.5 * run->rig->controller.tick ? late : 0;
}

static void judge_motion(const wpin_session *run, wpin_step_result *step) {
    bool ended_at_rest = step->op == WPIN_OP_RUN_FOR;
    if (step->limited && judge_limited(run, step)) {
        return;
    }
    if (wpin_asks_current(step)) {
        wpin_judge_current(run, step);
        return;
    }
    bool early = too_early(run, step), never_moved = step->rpm_peak == 0 && !early;
    bool ends_standing = !ended_at_rest && stands(step) && !early &&
                         !wpin_asks_speed(step); /* else by its average */
    if (!never_moved && wpin_judge_course(run, step)) {
        return;
    }
    if (never_moved || ends_standing) {
        judge_standing(run, step);
    } else if (!ended_at_rest && step->duty * step->rpm < 0) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "turning the wrong way: swapped wires, or 'reversed' is missing in the rig");
    } else if (wpin_judge_phases(run, step)) {
        return;
    } else if (wpin_asks_speed(step)) {
        wpin_judge_speed(run, step);
    } else if (step->folded && fabs(step->asked_duty) - step->duty_peak > 0.005) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "reached %.0f %% only: its current limit of %.3g A",
                  step->duty_peak * 100, run->rig->loads[step->load].limits.limit_amps);
    } else if (fabs(step->asked_duty) - step->duty_peak > 0.005) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "reached %.0f %% only: %s", step->duty_peak * 100,
                  wpin_why_less(run, step));
    } else if (lifted_to(run, step) > 0) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "lifted to %.1f %%, its start duty",
                  lifted_to(run, step) * 100);
    } else if (step->op == WPIN_OP_RUN) {
        judge_ramp_time(run, step);
    } else if (ended_at_rest && on_longer(run, step) > 0) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "on for %.2f s longer than asked: the rig's least-time",
                  on_longer(run, step));
    } else if (ended_at_rest && !step->until && limit_of(run, step) >= 0) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "ended by its time, before limit switch '%s'",
                  run->rig->inputs[limit_of(run, step)].name);
    } else {
        wpin_judge_turn(step);
    }
}

static bool follows_knob(const wpin_session *run, const wpin_step_result *step) {
    return run->rig->inputs[step->asks->value].kind == WPIN_RIG_KNOB;
}

/* Whether what its input asks for came too late, or for too short, to be seen moving. */
static bool only_just(const wpin_session *run, const wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    return step->on_for < fmax(0.1, wpin_due_time(run->rig, load)) &&
           wpin_session_supply_on(run, load->supply) && wpin_burnt_in_path(run, load) == NULL;
}

/* Driven by an input: it moved, or nothing was asked for. */
static void judge_follow(const wpin_session *run, wpin_step_result *step) {
    if (step->duty_peak == 0) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "its input asked for nothing%s",
                  follows_knob(run, step) ? " (a knob must be at zero once before it counts)" : "");
    } else if (wpin_follows_current(step)) {
        wpin_judge_current(run, step);
    } else if (step->rpm_peak == 0 && only_just(run, step)) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "on for %.2f s of it only, and had not moved yet",
                  step->on_for);
    } else if (step->rpm_peak == 0) {
        step->asked_duty = step->duty_peak;
        judge_standing(run, step);
    } else if (!wpin_judge_course(run, step)) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, up to %.0f %% and %.0f rpm", step->duty_peak * 100,
                  step->rpm_peak);
    }
}

/* At zero duty current must not drive the motor on: with the shaft's way it is driven, against it
 * it brakes. */
static void judge_end(const wpin_session *run, wpin_step_result *step) {
    const wpin_part_reading *last = &run->last[step->load];
    const double harmless = 20e-3; /* A */
    const wpin_rig_load *load = &run->rig->loads[step->load];
    double still = load->axis.there ? fmax(0.5, 0.005 * load->speed.maximum) : 0.5; /* as it says */
    double late = step->took - step->asked_seconds;
    bool ramps = step->ramps && step->asked_seconds > 0;
    bool own = wpin_logic_of(load->kind->logic)->own;
    /* a controller of its own learns of zero with its next pulse */
    double hz = load->limits.pwm_hz; /* its last period runs to its end */
    double idle = step->took - step->on_for, runs_on = 20e-3 + (hz > 0 ? 2 / hz : 0);
    bool settled = own ? step->asked_seconds > 0.05 : idle > runs_on;
    if (settled && last->amps * last->rpm > 0 && fabs(last->amps) > harmless) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "driven with %.2f A and nothing asked of it: control wires mixed up or off",
                  fabs(last->amps));
    } else if (fabs(step->rpm) > still) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "still running down, %.0f rpm", fabs(step->rpm));
    } else if (step->op == WPIN_OP_STOP && ramps && late > 2.5 * run->rig->controller.tick) {
        wpin_rule(step, WPIN_VERDICT_NOTE, "%.2f s longer than asked: the rig's ramp limit holds",
                  late);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* Full pulses are for a controller without power, or one that learns from them: none may run. */
static void judge_teach(wpin_step_result *step) {
    if (step->rpm_peak > 0.5) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "it ran, at up to %.0f rpm: it had power and had seen neutral before",
                  step->rpm_peak);
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}

static void judge_wait(wpin_step_result *step) {
    if (step->awaited >= 0 && fabs(step->rpm) > 1) {
        wpin_rule(step, WPIN_VERDICT_NOTE,
                  "its pause is over, but the shaft still turns at %.0f rpm: 'rest' in the rig is "
                  "shorter than its run-down",
                  fabs(step->rpm));
    } else {
        wpin_rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* Something between supply and load burnt during the step. */
static bool judge_burn(const wpin_session *run, wpin_step_result *step) {
    const wpin_part_burn *burn = wpin_burnt_in_path(run, &run->rig->loads[step->load]);
    double at = burn == NULL ? -1 : burn->at - (double)run->start * 1e-12;
    if (at < step->at) {
        return false;
    }
    wpin_rule(step, WPIN_VERDICT_BAD, "%s burnt at %.2f s", burn->part, at);
    return true;
}

/* Of a step whose motor has a fault: one that it waited for ends it as asked. */
static void judge_faulted(const wpin_session *run, const wpin_motor *motor,
                          wpin_step_result *step) {
    const char *fault = wpin_status_name((wpin_status)motor->fault);
    if (step->faulted && wpin_session_knows(run) && judge_burn(run, step)) {
        return;
    }
    if (step->faulted) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, until its fault: %s", fault);
    } else if (step->op == WPIN_OP_CLEAR) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "its fault did not clear in time, for its cause is there: %s", fault);
    } else {
        wpin_rule(step, WPIN_VERDICT_BAD, "ended by a fault: %s", fault);
    }
}

/* What should have ended it did not come. */
static void judge_late(const wpin_session *run, wpin_step_result *step) {
    if (wpin_session_knows(run) && step->load >= 0 && step->duty_peak > 0 && step->rpm_peak == 0) {
        judge_standing(run, step);
    } else if (step->op == WPIN_OP_CLEAR) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "its fault was cleared, but it could not be armed in time");
    } else if (step->limited && step->op != WPIN_OP_HOME) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "a limit ended its motion, and what ends the step did not come in time");
    } else {
        wpin_rule(step, WPIN_VERDICT_BAD, "did not come in time; the plan was ended");
    }
}

/* A first move after a fault has an end, whatever the plan asks for. */
static bool outlasted_first(const wpin_session *run, const wpin_step_result *step) {
    return run->sequence.result == WPIN_FAULT_TIMEOUT && step->load >= 0 &&
           wpin_motor_ended(&run->motors[step->load]) == WPIN_ENDED_TIMEOUT;
}

/* Simulated, it was not waited for any longer. */
static void judge_stuck(const wpin_session *run, wpin_step_result *step) {
    bool rests =
        step->load >= 0 && wpin_motor_state(&run->motors[step->load]) == WPIN_STATE_RESTING;
    wpin_rule(step, WPIN_VERDICT_BAD,
              rests
                  ? "given up after %.0f s: it has to come to rest first, and at %.3g rpm nothing "
                    "brings it there"
                  : "given up after %.0f s, at %.3g rpm: nothing came of it",
              step->took, fabs(step->rpm));
}

static void judge_unfinished(const wpin_session *run, wpin_step_result *step) {
    if (outlasted_first(run, step)) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "the first move after a fault ends by itself after 2 s; a short one goes first");
        return;
    }
    if (step->until && run->sequence.result == WPIN_FAULT_TIMEOUT) {
        judge_late(run, step);
        return;
    }
    if (run->report->gave_up) {
        judge_stuck(run, step);
        return;
    }
    if (run->report->rehearsed) {
        if (step->load < 0 || !wpin_judge_course(run, step)) {
            wpin_rule(step, WPIN_VERDICT_OK, "ok, still going on");
        }
        return;
    }
    if (run->overtaken) {
        wpin_rule(step, WPIN_VERDICT_OK, "ok, until the next request");
        return;
    }
    if (step->op == WPIN_OP_ZERO && run->sequence.result == WPIN_REFUSED_NOT_ZERO) {
        wpin_rule(step, WPIN_VERDICT_BAD,
                  "it is driven, and is 0 only where it stands: stop it first");
        return;
    }
    bool by_stop = wpin_stop_latched(&run->stop);
    const char *by = run->cut_by != NULL        ? run->cut_by
                     : run->report->interrupted ? " by you"
                     : by_stop ? (run->stop.pressed != 0 ? " by the stop input" : " by a stop")
                               : NULL;
    wpin_rule(step, by != NULL ? WPIN_VERDICT_NOTE : WPIN_VERDICT_BAD, "cut short%s",
              by != NULL ? by : "");
}

/* Of one that was done, on a load that turns, with all that the simulator knows. */
static void judge_turning(const wpin_session *run, wpin_step_result *step) {
    if (step->turned_at > 0) {
        wpin_rule(
            step, WPIN_VERDICT_BAD,
            "driven while still turning the other way at %.0f rpm: 'rest' in the rig is shorter "
            "than its run-down",
            step->turned_at);
        return;
    }
    switch (step->op) {
    case WPIN_OP_FOLLOW: judge_follow(run, step); break;
    case WPIN_OP_CALIBRATE: judge_teach(step); break;
    case WPIN_OP_TURN:
    case WPIN_OP_TURN_TO: wpin_judge_place(run, step); break;
    case WPIN_OP_HOME: wpin_judge_home(run, step); break;
    case WPIN_OP_RUN:
    case WPIN_OP_RUN_FOR:
    case WPIN_OP_HOLD: judge_motion(run, step); break;
    case WPIN_OP_TOGGLE:
        if (step->duty != 0) {
            judge_motion(run, step);
            break;
        } /* fall through */
    case WPIN_OP_STOP:
    case WPIN_OP_COAST:
    case WPIN_OP_BRAKE: judge_end(run, step); break;
    default: judge_wait(step); break;
    }
}

/* It was as asked, and nobody on a bench of real parts would believe it. */
static void judge_seen(const wpin_session *run, wpin_step_result *step) {
    char words[sizeof step->words];
    bool by_duty = wpin_step_drives(step) && !wpin_asks_current(step) && !wpin_asks_speed(step);
    if (step->load >= 0 && by_duty && step->verdict != WPIN_VERDICT_BAD && step->seen.driven > 0 &&
        wpin_seen_judge(run->rig, step->load, &step->seen, words, sizeof words) ==
            WPIN_SEEN_TROUBLE) {
        wpin_rule(step, WPIN_VERDICT_BAD, "as asked, though its controller measures otherwise");
    }
}

void wpin_judge_step(const wpin_session *run, wpin_step_result *step) {
    const wpin_motor *motor = step->load < 0 ? NULL : &run->motors[step->load];
    if (motor != NULL && motor->fault != WPIN_OK) {
        judge_faulted(run, motor, step);
    } else if (!step->done) {
        judge_unfinished(run, step);
    } else if (step->op == WPIN_OP_CLEAR) {
        wpin_rule(step, WPIN_VERDICT_OK, "%s",
                  step->took > 0 ? "ok, cleared and armed: its first move is slow and short"
                                 : "ok, there was no fault");
    } else if (!wpin_session_knows(run)) {
        wpin_judge_measured(run, step);
    } else if (step->load >= 0 && judge_burn(run, step)) {
        return;
    } else if (step->load >= 0 && !wpin_rig_type(&run->rig->loads[step->load])->spins) {
        wpin_judge_other(run, step);
    } else {
        judge_turning(run, step);
        judge_seen(run, step);
    }
}
