/* What a driven load does over time, against what it should do: the longest spell of each trouble
 * of the step that asked for it last, also after that step is over. */
#include "verdict.h"
#include <math.h>
#include <stdio.h>

#define PI 3.14159265358979323846

/* Spells shorter than these are a start, a contact or a period of PWM, s. */
static const double shortest[WPIN_TROUBLE_COUNT] = {[WPIN_TROUBLE_BACKWARDS] = 0.1,
                                                    [WPIN_TROUBLE_STANDING] = 0.1,
                                                    [WPIN_TROUBLE_DEAD] = 0.1,
                                                    [WPIN_TROUBLE_UNASKED] = 0.2,
                                                    [WPIN_TROUBLE_UNPOWERED] = 0.1};

/* What a motor should take at this duty and speed, at the most and on average: in pulses that stop
 * far apart these are; of other loads a token. */
typedef struct flow {
    double most, mean;
} flow;

static flow due_amps(const wpin_session *run, const wpin_rig_load *load, double duty, double rpm) {
    double volts = run->rig->supplies[load->supply].volts;
    if (wpin_rig_type(load)->shines) {
        double amps = duty > 0.02 && volts > load->lamp.forward_volts ? 0.05 : 0;
        return (flow){amps, amps};
    }
    if (wpin_rig_type(load)->pulls) {
        double amps = duty > 0.02 ? 0.05 : 0;
        return (flow){amps, amps};
    }
    const wpin_part_motor *m = &load->motor;
    double switches = wpin_rig_single_switch(load->kind) ? 1 : 2;
    double ohms = m->resistance + switches * load->bridge.on_resistance;
    double hz = wpin_stage_kind_takes_duty(load->kind) ? load->limits.pwm_hz : 0;
    double speed = wpin_part_shaft_speed(m, fabs(rpm));
    wpin_pwm_loop loop = wpin_rig_pwm_loop(load, volts, ohms, hz, speed);
    double on = fmax(duty - wpin_rig_leg_dead_time(load) * hz, 0); /* each pulse begins later */
    wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, hz > 0 ? on : 1);
    bool coming =
        on * volts - switches * load->bridge.saturation_volts > m->constant * speed + 0.05 * volts;
    return coming && wave.most > 1e-3 ? (flow){wave.most, wave.mean} : (flow){0, 0};
}

static void watch_motor(const wpin_session *run, wpin_step_result *r, double duty,
                        const wpin_window *w) {
    double now = wpin_session_time(run), rpm = run->rpm[r->load];
    const double creep = 1; /* rpm */
    bool judged = !wpin_session_aligns(run, (size_t)r->load);
    bool backwards = judged && duty * rpm < 0 && fabs(rpm) > creep;
    wpin_spell_put(&r->spells[WPIN_TROUBLE_BACKWARDS], backwards, now, w->seconds, fabs(rpm));
    bool stands = judged && wpin_session_supply_on(run, run->rig->loads[r->load].supply) &&
                  duty != 0 && !wpin_asks_current(r) && fabs(rpm) < 1e-6 &&
                  fabs(duty) > 1.05 * wpin_session_loose_duty(run, (size_t)r->load);
    wpin_spell_put(&r->spells[WPIN_TROUBLE_STANDING], stands, now, w->seconds, w->amps);
}

/* Current that drives it on while its duty is zero; what a coil still holds dies away. */
static void watch_unasked(const wpin_session *run, wpin_step_result *r, const wpin_window *w) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    const wpin_part_reading *last = &run->last[r->load];
    const double harmless = 20e-3; /* A */
    bool motor = wpin_rig_type(load)->spins;
    bool rests = wpin_motor_duty(&run->motors[r->load]) == 0;
    bool own = wpin_logic_of(load->kind->logic)->own; /* with its next pulse */
    bool drives = motor ? last->amps * last->rpm > 0 : true;
    bool flows = fabs(last->amps) > harmless && drives;
    wpin_spell_put(&r->spells[WPIN_TROUBLE_UNASKED], rests && flows && !own, wpin_session_time(run),
                   w->seconds, fabs(last->amps));
}

static void watch(const wpin_session *run, wpin_step_result *r, const wpin_window *w) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    const wpin_part_reading *last = &run->last[r->load];
    double duty = (double)wpin_motor_duty(&run->motors[r->load]) / WPIN_DUTY_FULL;
    if (wpin_rig_type(load)->spins) {
        watch_motor(run, r, duty, w);
    }
    /* a controller of its own makes its own volts */
    bool driven = duty != 0 && !wpin_logic_of(load->kind->logic)->own;
    bool judged = driven && wpin_session_supply_on(run, load->supply);
    wpin_spell_put(&r->spells[WPIN_TROUBLE_UNPOWERED], driven && !judged, wpin_session_time(run),
                   w->seconds, fabs(duty));
    flow due = judged ? due_amps(run, load, fabs(duty), run->rpm[r->load]) : (flow){0, 0};
    double least = fmin(fmin(0.1 * due.most, 1e-3 + 0.02 * due.most), 0.3 * due.mean);
    r->driven += due.most > 0 ? w->seconds : 0;
    wpin_spell_put(&r->spells[WPIN_TROUBLE_DEAD], due.most > 0 && w->amps < least,
                   wpin_session_time(run), w->seconds,
                   run->rig->supplies[load->supply].volts - last->supply_volts);
}

void wpin_course_period(const wpin_session *run, size_t load, wpin_step_result *r,
                        const wpin_window *w) {
    if (r == NULL || wpin_rig_type(&run->rig->loads[load])->steps) {
        return;
    }
    if (wpin_session_knows(run)) {
        watch_unasked(run, r, w);
    }
    if (wpin_step_drives(r)) {
        if (wpin_session_knows(run)) {
            watch(run, r, w);
        }
        wpin_watch_seen(run, r, w);
    }
}

/* ---- in words ---- */

/* What a coil still holds when it is off dies away with its L/R: nobody drives it meanwhile. */
static double dies_away(const wpin_session *run, const wpin_step_result *r) {
    const wpin_part_solenoid *coil = &run->rig->loads[r->load].solenoid;
    return coil->resistance > 0 ? 8 * coil->inductance / coil->resistance : 0;
}

static const wpin_spell *spell(const wpin_session *run, const wpin_step_result *r,
                               wpin_trouble what) {
    const wpin_spell *s = &r->spells[what];
    double least = shortest[what] + (what == WPIN_TROUBLE_UNASKED ? dies_away(run, r) : 0);
    return s->lasted >= least ? s : NULL;
}

static void judge_unasked(const wpin_session *run, wpin_step_result *r, const wpin_spell *s) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    bool relay = load->kind->contacts || load->kind->solid;
    char text[64];
    wpin_rule(r, WPIN_VERDICT_BAD, "driven with up to %.2g A %s with nothing asked of it: %s",
              s->worst, wpin_spell_when(s, text, sizeof text),
              relay ? "the relay does not open, or its input is wired wrong"
                    : "control wires mixed up or off, or a switch that stays on");
}

static void judge_dead(const wpin_session *run, wpin_step_result *r, const wpin_spell *s) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    const wpin_rig_supply *supply = &run->rig->supplies[load->supply];
    char text[64];
    wpin_spell_when(s, text, sizeof text);
    if (s->worst > 0.5 * supply->volts) {
        wpin_rule(r, WPIN_VERDICT_BAD,
                  "no current %s: supply '%s' gave %.3g V: switched off, dead, or cut out", text,
                  supply->name, supply->volts - s->worst);
    } else {
        wpin_rule(
            r, WPIN_VERDICT_BAD,
            "no current %s: a wire off, no ground, standby low, or the driver protects itself",
            text);
    }
}

/* Current that comes and goes. */
static bool judge_gaps(wpin_step_result *r) {
    double gaps = r->spells[WPIN_TROUBLE_DEAD].total;
    if (gaps < shortest[WPIN_TROUBLE_DEAD] || gaps < 0.2 * r->driven) {
        return false;
    }
    wpin_rule(
        r, WPIN_VERDICT_BAD,
        "no current for %.0f %% of its time, again and again: the driver protects itself, or a "
        "contact is loose",
        gaps / r->driven * 100);
    return true;
}

bool wpin_judge_course(const wpin_session *run, wpin_step_result *r) {
    const wpin_spell *dead = spell(run, r, WPIN_TROUBLE_DEAD);
    const wpin_spell *back = spell(run, r, WPIN_TROUBLE_BACKWARDS);
    const wpin_spell *stood = spell(run, r, WPIN_TROUBLE_STANDING);
    const wpin_spell *unasked = spell(run, r, WPIN_TROUBLE_UNASKED);
    const wpin_spell *unpowered = spell(run, r, WPIN_TROUBLE_UNPOWERED);
    char text[64];
    if (unasked != NULL) {
        judge_unasked(run, r, unasked);
        return true;
    }
    if (unpowered != NULL) {
        wpin_rule(r, WPIN_VERDICT_BAD, "driven %s with its supply '%s' off",
                  wpin_spell_when(unpowered, text, sizeof text),
                  wpin_source_name(run, (size_t)r->load));
    } else if (dead != NULL) {
        judge_dead(run, r, dead);
    } else if (back != NULL) {
        wpin_rule(r, WPIN_VERDICT_BAD,
                  "turned the wrong way %s, at up to %.0f rpm: swapped wires, or 'reversed' is "
                  "missing in the rig",
                  wpin_spell_when(back, text, sizeof text), back->worst);
    } else if (stood != NULL) {
        const wpin_part_motor *m = &run->rig->loads[r->load].motor;
        wpin_rule(r, WPIN_VERDICT_BAD, "stood still %s, %s at %.3g A",
                  wpin_spell_when(stood, text, sizeof text),
                  m->stop_high > m->stop_low ? "at its end stop or stalled," : "stalled",
                  stood->worst);
    }
    return unpowered != NULL || dead != NULL || back != NULL || stood != NULL || judge_gaps(r);
}

void wpin_course_leaves(const wpin_session *run, size_t load) {
    if (run->owner[load] == 0) {
        return;
    }
    wpin_step_result *r = &run->report->steps[run->owner[load] - 1];
    if (r->faulted) {
        return; /* what came of it was waited for */
    }
    for (int what = 0; what < WPIN_TROUBLE_COUNT; what++) {
        r->spells[what].going = 0; /* the next step answers for what goes on */
    }
    for (int what = 0; what < WPIN_SIGN_COUNT; what++) {
        r->seen.signs[what].going = 0;
    }
    if (r->done && r->verdict != WPIN_VERDICT_BAD && wpin_session_knows(run)) {
        wpin_judge_course(run, r);
    }
}
