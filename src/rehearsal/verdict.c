/* Judges each step: asked against achieved, and in words why they differ. */
#include "run.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

static void rule(wpin_step_result *step, wpin_verdict verdict, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

static void rule(wpin_step_result *step, wpin_verdict verdict, const char *format, ...) {
    va_list words;
    va_start(words, format);
    vsnprintf(step->words, sizeof step->words, format, words);
    va_end(words);
    step->verdict = verdict;
}

/* Whether a part named NAME or NAME and more burnt; NULL if not. */
static const wpin_sim_burn *burnt(const wpin_run *run, const char *name) {
    size_t count;
    const wpin_sim_burn *burns = wpin_sim_burns(run->sim, &count);
    for (size_t i = 0; i < count; i++) {
        size_t length = strlen(name);
        if (strncmp(burns[i].part, name, length) == 0 &&
            (burns[i].part[length] == '\0' || burns[i].part[length] == ' ')) {
            return &burns[i];
        }
    }
    return NULL;
}

static const wpin_sim_burn *burnt_in_path(const wpin_run *run, const wpin_rig_load *load) {
    const wpin_sim_burn *found = burnt(run, load->name);
    for (unsigned i = 0; found == NULL && i < load->kind->table->line_count; i++) {
        char pin[16];
        snprintf(pin, sizeof pin, "pin %u", load->pins[i]);
        found = burnt(run, pin);
    }
    return found;
}

static bool miswired(const wpin_rig_load *load) {
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        if (load->wires[i] != load->pins[i]) {
            return true;
        }
    }
    return false;
}

/* Duty whose peak current just breaks the shaft loose: hold / K = I + ripple / 2 with, over a
 * period, d V - (1 - d) V_off = I R and ripple = V d (1 - d) T / L. V_off is what the current runs
 * against in the off phase: a diode, or with fast decay the supply and two diodes. */
static double loose_duty(const wpin_run *run, const wpin_rig_load *load) {
    const wpin_sim_motor *m = &load->motor;
    const wpin_sim_bridge *b = &load->bridge;
    const wpin_rig_supply *s = &run->rig->supplies[load->supply];
    bool fast = b->off_phase == WPIN_SIM_OFF_FAST;
    double hold = m->static_friction + m->load_torque / (m->gear_ratio * m->gear_efficiency);
    double on = m->resistance + 2 * b->on_resistance + s->resistance;
    double off = m->resistance + b->diode_resistance + b->on_resistance;
    double against = fast ? s->volts + 2 * b->diode_volts : b->diode_volts;
    double duty = 0.5;
    for (int i = 0; i < 30; i++) { /* settles at once: the resistances and ripple vary slowly */
        double ripple = s->volts * duty * (1 - duty) / load->limits.pwm_hz / m->inductance;
        double amps = fmax(hold / m->constant - ripple / 2, 0);
        duty = (amps * (duty * on + (1 - duty) * off) + against) / (s->volts + against);
        duty = fmin(fmax(duty, 0), 1);
    }
    return duty;
}

/* The shaft stands although duty is on the pins: the likeliest cause first. */
static void judge_standing(const wpin_run *run, wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    const wpin_sim_burn *burn = burnt_in_path(run, load);
    double loose = loose_duty(run, load);
    if (!wpin_sim_supply_on(run->sim, (int)load->supply)) {
        const char *supply = run->rig->supplies[load->supply].name;
        rule(step, WPIN_VERDICT_BAD, "not moving: supply '%s' is off; '%s on' is missing before it",
             supply, supply);
    } else if (burn != NULL) {
        rule(step, WPIN_VERDICT_BAD, "not moving: %s burnt", burn->part);
    } else if (miswired(load)) {
        rule(step, WPIN_VERDICT_BAD,
             "not moving: control wires are on other pins than the "
             "rig's stage says");
    } else if (step->amps_peak < 1e-3) {
        rule(step, WPIN_VERDICT_BAD,
             "not moving: no current flows; a wire off, standby low, no "
             "ground, or wires on other pins than the rig says");
    } else if (fmax(fabs(step->duty), fabs(step->asked_duty)) < loose) {
        rule(step, WPIN_VERDICT_BAD,
             "not moving: held by friction and load; it breaks loose near %.0f %% duty",
             ceil(loose * 100));
    } else {
        rule(step, WPIN_VERDICT_BAD, "not moving: stalled at %.3g A", step->amps_peak);
    }
}

static bool stands(const wpin_step_result *step) {
    return fabs(step->rpm) < 1e-6;
}

static void judge_ramp_time(const wpin_run *run, wpin_step_result *step) {
    double late = step->took - step->turned_after - step->asked_seconds;
    if (step->asked_seconds > 0 && late > 2.5 * run->rig->controller.tick) {
        rule(step, WPIN_VERDICT_NOTE, "%.2f s longer than asked: the rig's ramp limit holds", late);
    } else if (step->turned_after > 0) {
        rule(step, WPIN_VERDICT_NOTE,
             "%.2f s before it: ramp to zero and rest, to turn the other way", step->turned_after);
    } else {
        rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* A step that was done in an instant says nothing yet about motion, if power is there. */
static bool too_early(const wpin_run *run, const wpin_step_result *step) {
    const wpin_rig_load *load = &run->rig->loads[step->load];
    bool at_once = step->took < 0.05 && !wpin_stage_kind_takes_duty(load->kind);
    return at_once && wpin_sim_supply_on(run->sim, (int)load->supply) &&
           burnt_in_path(run, load) == NULL;
}

static void judge_motion(const wpin_run *run, wpin_step_result *step) {
    bool ended_at_rest = step->op == WPIN_OP_RUN_FOR;
    bool never_moved = ended_at_rest ? step->rpm_peak == 0 : stands(step);
    if (never_moved && !too_early(run, step)) {
        judge_standing(run, step);
    } else if (!ended_at_rest && step->duty * step->rpm < 0) {
        rule(step, WPIN_VERDICT_BAD,
             "turning the wrong way: swapped wires, or 'reversed' is missing in the rig");
    } else if (fabs(step->asked_duty) - step->duty_peak > 0.005) {
        rule(step, WPIN_VERDICT_NOTE, "reached %.0f %% only: %s", step->duty_peak * 100,
             step->turned_after > 0 ? "it had to turn the other way first"
                                    : "the rig's ramp takes longer than that");
    } else if (fabs(step->duty) - fabs(step->asked_duty) > 0.005 && step->op == WPIN_OP_RUN) {
        rule(step, WPIN_VERDICT_NOTE, "lifted to %.1f %%, its start duty", fabs(step->duty) * 100);
    } else if (step->op == WPIN_OP_RUN) {
        judge_ramp_time(run, step);
    } else {
        rule(step, WPIN_VERDICT_OK, "ok");
    }
}

/* At zero duty current must not drive the motor on: with the shaft's way it is driven, against it
 * it brakes. */
static void judge_end(const wpin_run *run, wpin_step_result *step) {
    const wpin_sim_reading *last = &run->last[step->load];
    const double harmless = 20e-3; /* A */
    bool settled = step->took > 20e-3;
    if (settled && last->amps * last->rpm > 0 && fabs(last->amps) > harmless) {
        rule(step, WPIN_VERDICT_BAD,
             "driven with %.2f A though nothing is asked: control wires mixed up or off",
             fabs(last->amps));
    } else if (fabs(step->rpm) > 0.5) {
        rule(step, WPIN_VERDICT_NOTE, "still running down, %.0f rpm", fabs(step->rpm));
    } else {
        rule(step, WPIN_VERDICT_OK, "ok");
    }
}

void wpin_run_judge(const wpin_run *run, wpin_step_result *step) {
    const wpin_motor *motor = step->load < 0 ? NULL : &run->motors[step->load];
    if (motor != NULL && motor->fault.cause != WPIN_OK) {
        rule(step, WPIN_VERDICT_BAD, "ended by a fault: %s", wpin_status_name(motor->fault.cause));
        return;
    }
    if (!step->done) {
        bool by_hand = run->report->interrupted;
        if (step->op == WPIN_OP_UNTIL && run->sequence.result == WPIN_FAULT_TIMEOUT) {
            rule(step, WPIN_VERDICT_BAD, "did not come in time; the plan was ended");
            return;
        }
        rule(step, by_hand ? WPIN_VERDICT_NOTE : WPIN_VERDICT_BAD, "cut short%s",
             by_hand ? " by you" : "");
        return;
    }
    switch (step->op) {
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
    default: rule(step, WPIN_VERDICT_OK, "ok"); break;
    }
}
