/* Keeps the list of steps as they went. */
#include "session.h"
#include <math.h>
#include <stdlib.h>

static double fraction(wpin_duty duty) {
    return (double)duty / WPIN_DUTY_FULL;
}

static void set_asked(const wpin_session *run, wpin_step_result *r, uint8_t quantity,
                      int16_t value) {
    wpin_step step = {
        .quantity = quantity, .value = value, .target = WPIN_MOTOR((uint16_t)r->load)};
    r->asked_duty = wpin_rig_step_duty(run->rig, &step);
    if (quantity == WPIN_QUANTITY_SPEED) {
        double most = run->rig->loads[r->load].speed.maximum, rpm = fraction(value) * most;
        double grain = pow(10, ceil(log10(most / WPIN_DUTY_FULL))); /* no finer than it is kept */
        r->asked_rpm = round(rpm / grain) * grain;
    } else if (quantity == WPIN_QUANTITY_TORQUE) {
        double amps = fraction(value) * run->rig->loads[r->load].current.rated;
        r->asked_amps = round(amps * 1e4) / 1e4;
    }
}

static wpin_step_result new_result(wpin_session *run, const wpin_plan *plan, uint16_t step) {
    const wpin_step *s = &plan->steps[step];
    wpin_op op = (wpin_op)s->op;
    bool turns = op == WPIN_OP_TURN || op == WPIN_OP_TURN_TO;
    bool ramps = op == WPIN_OP_RUN || (op == WPIN_OP_STOP && s->ramp_us != 0);
    wpin_step_result r = {
        .line = plan->sources[step].line,
        .text = plan->sources[step].text,
        .asks = s,
        .op = op,
        .step = step,
        .load = wpin_op_moves_motor(op) ? s->target.number : -1,
        .first = wpin_op_moves_motor(op) &&
                 wpin_motor_last_direction(&run->motors[s->target.number]) == 0,
        .cautious = wpin_op_moves_motor(op) &&
                    (run->motors[s->target.number].guard.flags & WPIN_GUARD_FIRST) != 0,
        .round = run->by_hand ? 1 : ++run->rounds[step],
        .until = op == WPIN_OP_UNTIL || op == WPIN_OP_CLEAR || s->until != 0,
        .awaited = op == WPIN_OP_UNTIL && s->value == WPIN_EVENT_RESTING ? s->target.number : -1,
        .at = wpin_session_time(run),
        .ramps = ramps,
        .degrees_from = wpin_op_moves_motor(op) ? run->last[s->target.number].turns * 360 : 0,
        .asked_seconds = turns   ? 0
                         : ramps ? s->ramp_us * 1e-6
                                 : s->time_ms * 1e-3};
    bool by_drive = op == WPIN_OP_HOME && s->until == 0; /* at the speed it was told */
    if (op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || (op == WPIN_OP_HOME && !by_drive)) {
        set_asked(run, &r, s->quantity, s->value);
    } else if (op == WPIN_OP_HOLD && !wpin_rig_type(&run->rig->loads[r.load])->steps) {
        wpin_setpoint now = run->motors[r.load].setpoint;
        set_asked(run, &r, now.quantity, (int16_t)now.value);
    }
    return r;
}

void wpin_session_begin_step(wpin_session *run, const wpin_plan *plan, size_t track,
                             uint16_t step) {
    if (plan->sources[step].text[0] == '\0') {
        return; /* a block's own step: nothing a person asked for */
    }
    wpin_report *report = run->report;
    size_t room = report->step_count;
    if ((room & (room - 1)) == 0) { /* full at each power of two */
        wpin_step_result *all = realloc(report->steps, (room == 0 ? 1 : 2 * room) * sizeof *all);
        if (all == NULL) {
            run->out_of_memory = true;
            return;
        }
        report->steps = all;
    }
    report->steps[report->step_count++] = new_result(run, plan, step);
    run->open_step[track] = report->step_count;
    int load = report->steps[report->step_count - 1].load;
    const wpin_step *asks = &plan->steps[step];
    if (load >= 0) {
        run->onlooker->leaves(run, (size_t)load);
        run->owner[load] = report->step_count;
    } else if (asks->op == WPIN_OP_UNTIL && asks->value == WPIN_EVENT_FAULTED) {
        run->onlooker->leaves(run, asks->target.number); /* no step is to blame for what comes */
        run->owner[asks->target.number] = 0;
    }
}

/* Light over whole periods of PWM; a plunger is in or not. */
static double effect_of(const wpin_session *run, int load) {
    bool light = wpin_rig_type(&run->rig->loads[load])->shines;
    return light ? run->effect[load] : run->last[load].effect;
}

static void finish(wpin_session *run, wpin_step_result *result, bool done) {
    result->done = done;
    result->ended = ++run->ended_steps;
    result->took = wpin_session_time(run) - result->at;
    if (result->awaited >= 0) {
        result->rpm = run->last[result->awaited].rpm;
    }
    if (result->load >= 0) {
        const wpin_part_reading *last = &run->last[result->load];
        result->duty = fraction(wpin_motor_duty(&run->motors[result->load]));
        result->duty_peak = fmax(result->duty_peak, fabs(result->duty));
        result->volts = run->volts[result->load].value;
        /* between two pulses of a slow PWM a shaft may stand, and yet it turns */
        bool pulsed = last->rpm == 0 && result->duty != 0;
        result->rpm = pulsed ? run->rpm[result->load] : last->rpm;
        result->effect = effect_of(run, result->load);
        result->reached = result->reached || (done && result->op == WPIN_OP_RUN);
        result->measured_rpm = wpin_session_measured_rpm(run, (size_t)result->load);
        result->measured_amps = wpin_session_measured_amps(run, (size_t)result->load);
        wpin_ended ended = wpin_motor_ended(&run->motors[result->load]);
        result->limited = result->limited || ended == WPIN_ENDED_LIMIT;
        result->folded = (wpin_motor_held(&run->motors[result->load]) & WPIN_HELD_CURRENT) != 0;
        result->degrees = last->turns * 360;
        result->seen.fault = wpin_motor_fault(&run->motors[result->load]);
        result->faulted = done && result->seen.fault != WPIN_OK &&
                          result->asks->until == 1 + WPIN_EVENT_FAULTED &&
                          result->asks->until_of == result->load;
        bool turned = result->op == WPIN_OP_TURN || result->op == WPIN_OP_TURN_TO;
        if (wpin_session_is_stepper(run, (size_t)result->load)) {
            result->degrees_asked = wpin_session_degrees(run, (size_t)result->load);
        } else if (turned) {
            const wpin_motor *m = &run->motors[result->load];
            result->degrees_asked =
                wpin_session_counted(run, (size_t)result->load, wpin_motor_place(m));
            result->degrees =
                wpin_session_counted(run, (size_t)result->load, m->measurement.position);
        } else if (result->op == WPIN_OP_HOME) {
            result->degrees = wpin_session_counted(run, (size_t)result->load,
                                                   run->motors[result->load].measurement.position);
        }
    }
    run->onlooker->ends(run, result);
}

unsigned wpin_session_ended(const wpin_session *session) {
    return session->ended_steps;
}

void wpin_session_end_step(wpin_session *run, size_t track, bool done) {
    if (run->open_step[track] != 0) {
        finish(run, &run->report->steps[run->open_step[track] - 1], done);
        run->open_step[track] = 0;
    }
}

void wpin_session_observe(void *context, uint8_t track, uint16_t step, bool begins) {
    wpin_session *run = context;
    run->news = wpin_session_time(run);
    if (begins) {
        run->onlooker->begins(run, step);
        wpin_session_begin_step(run, run->plan, track, step);
    } else {
        wpin_session_end_step(run, track, true);
    }
}

/* While a motor still ramps down or rests from the other direction, its own time has not begun.
 * Once driven its way it may wait again without turning over: a regulator that would drive back at
 * the end of a ramp to zero. */
static void note_turn(const wpin_session *run, wpin_step_result *r) {
    const wpin_motor *motor = &run->motors[r->load];
    wpin_duty duty = wpin_motor_duty(motor);
    r->its_way = r->its_way || duty * (r->asked_duty + r->asked_rpm + r->asked_amps) > 0;
    bool against = (wpin_motor_held(motor) & WPIN_HELD_REVERSAL) != 0;
    if (against && !r->its_way && (r->op == WPIN_OP_RUN || r->op == WPIN_OP_RUN_FOR)) {
        r->turned_after = wpin_session_time(run) - r->at;
    }
}

/* Driven one way while the shaft still turns the other: the rest was too short for it. Looked at
 * when driving begins: what turns the wrong way later on is wired the wrong way round. */
static void note_reversal(wpin_session *run, wpin_step_result *r, const wpin_part_reading *last) {
    wpin_duty duty = wpin_motor_duty(&run->motors[r->load]);
    const double creep = 1; /* rpm */
    bool begins = duty != 0 && !run->driven[r->load] && !wpin_session_aligns(run, (size_t)r->load);
    if (begins && duty * last->rpm < 0 && fabs(last->rpm) > creep) {
        r->turned_at = fabs(last->rpm);
    }
}

void wpin_session_tally_steps(wpin_session *run) {
    for (size_t track = 0; track < wpin_session_tracks(run); track++) {
        if (run->open_step[track] == 0) {
            continue;
        }
        wpin_step_result *r = &run->report->steps[run->open_step[track] - 1];
        if (r->load >= 0) {
            const wpin_part_reading *last = &run->last[r->load];
            double duty = fabs(fraction(wpin_motor_duty(&run->motors[r->load])));
            r->amps_peak = fmax(r->amps_peak, fmax(fabs(last->amps_min), fabs(last->amps_max)));
            r->duty_peak = fmax(r->duty_peak, duty);
            r->on_for += duty != 0 ? last->seconds : 0;
            r->rpm_peak = fmax(r->rpm_peak, fabs(last->rpm));
            r->limited = r->until && wpin_motor_ended(&run->motors[r->load]) == WPIN_ENDED_LIMIT;
            r->kicked = r->kicked || wpin_motor_kicks(&run->motors[r->load]);
            r->effect_peak = fmax(r->effect_peak, effect_of(run, r->load));
            wpin_session_tally_speed(run, r);
            wpin_session_tally_current(run, r);
            note_reversal(run, r, last);
            note_turn(run, r);
        }
    }
}

void wpin_session_cut_steps(wpin_session *run) {
    for (size_t track = 0; track < wpin_session_tracks(run); track++) {
        wpin_session_end_step(run, track, false);
    }
}
