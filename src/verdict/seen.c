/* What a controller itself can tell of a step: by its current sense and its encoder, and by what
 * this load is due by its parts. The simulated bench's own knowledge has no part in it, so the same
 * words hold on real pins. */
#include "verdict.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>

#define PI 3.14159265358979323846

double wpin_finest_amps(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_driver *b = &load->bridge;
    double step = fmax(wpin_rig_converter_step(rig), 1e-3); /* the core counts in mV */
    return (b->sense_noise + step) / b->sense_volts_per_amp;
}

/* Mean currents that are due at a duty: while it turns as it should, and while it stands; and how
 * fast it should turn, rpm at the output. */
typedef struct due {
    double turning, standing, rpm;
} due;

static due currents_due(const wpin_rig *rig, const wpin_rig_load *load, double duty) {
    const wpin_rig_supply *supply = &rig->supplies[load->supply];
    if (wpin_rig_type(load)->shines) {
        double rated = load->lamp.volts > 0 ? load->lamp.watts / load->lamp.volts : 0;
        return (due){supply->volts > load->lamp.forward_volts ? 0.3 * duty * rated : 0, HUGE_VAL,
                     0};
    }
    if (wpin_rig_type(load)->pulls) {
        return (due){0.3 * duty * supply->volts / load->solenoid.resistance, HUGE_VAL, 0};
    }
    wpin_at_shaft s = wpin_part_at_shaft(&load->motor);
    double w = wpin_due_speed(rig, load, duty);
    double drags = s.drags + s.viscous * w + s.quadratic * w * w;
    return (due){drags / load->motor.constant, wpin_rig_mean_amps(rig, load, duty, 0),
                 wpin_part_output_rpm(&load->motor, w)};
}

/* The same of a duty in steps: it is asked for in every control period. */
static due due_at(const wpin_session *run, size_t load, double duty) {
    int step = (int)lround(fmin(duty, 1) * WPIN_DUE_STEPS);
    wpin_dues *dues = &wpin_judging_of(run)->dues[load];
    if (!dues->at[step].known) {
        due d = currents_due(run->rig, &run->rig->loads[load], (double)step / WPIN_DUE_STEPS);
        dues->at[step].known = true;
        dues->at[step].turning = d.turning;
        dues->at[step].standing = d.standing;
        dues->at[step].rpm = d.rpm;
    }
    return (due){dues->at[step].turning, dues->at[step].standing, dues->at[step].rpm};
}

/* While the duty falls, a shaft that runs faster than it is due needs no current. */
static bool falls(const wpin_session *run, const wpin_step_result *r, double duty) {
    wpin_setpoint asked = run->motors[r->load].setpoint;
    double to = asked.quantity == WPIN_QUANTITY_EFFORT || asked.value == 0
                    ? fabs((double)asked.value / WPIN_DUTY_FULL)
                    : 1;
    return to < duty - 1e-3;
}

static void watch_current(const wpin_session *run, wpin_step_result *r, double duty,
                          const wpin_window *w) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    double now = wpin_session_time(run), amps = w->sensed / w->seconds,
           fine = wpin_finest_amps(run->rig, load);
    due d = due_at(run, (size_t)r->load, duty);
    const wpin_rig_supply_sense *s = &run->rig->supplies[load->supply].sense;
    bool gives_way = s->give_up > 0 && wpin_session_measured_volts(run, load->supply) > s->give_way;
    /* or nothing is not told from a light load, or from braking that may not be */
    bool tells = d.turning > 4 * fine && !gives_way;
    wpin_spell_put(&r->seen.signs[WPIN_SIGN_NO_CURRENT],
                   tells && !falls(run, r, duty) && amps < 0.2 * d.turning, now, w->seconds, amps);
    bool apart = d.standing > 4 * fine && d.turning < 0.55 * d.standing;
    wpin_spell_put(&r->seen.signs[WPIN_SIGN_STALL_CURRENT], apart && amps > 0.75 * d.standing, now,
                   w->seconds, amps);
}

/* A geared one may crawl as it should, and then it takes a while until its counts tell. */
static void watch_speed(const wpin_session *run, wpin_step_result *r, double duty, double rpm,
                        const wpin_window *w) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    double should = due_at(run, (size_t)r->load, fabs(duty)).rpm, creep = fmin(1, 0.2 * should);
    double counts = r->seen.driven * should / 60 * wpin_rig_counts_at_output(load);
    double now = wpin_session_time(run);
    bool stands = fabs(rpm) < creep && counts > 12 && !wpin_asks_current(r);
    wpin_spell_put(&r->seen.signs[WPIN_SIGN_STILL], stands, now, w->seconds, 0);
    wpin_spell_put(&r->seen.signs[WPIN_SIGN_BACKWARDS], duty * rpm < 0 && fabs(rpm) > creep, now,
                   w->seconds, fabs(rpm));
}

/* With the current that it is due it turns about as fast as it is due; with another one its load is
 * another, and so may be its speed. */
static void watch_scale(const wpin_session *run, wpin_step_result *r, double duty, double rpm,
                        const wpin_window *w) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    double amps = w->sensed / w->seconds, fine = wpin_finest_amps(run->rig, load);
    double now = wpin_session_time(run);
    due d = due_at(run, (size_t)r->load, fabs(duty));
    bool alike = d.turning > 4 * fine && amps > 0.6 * d.turning - fine &&
                 amps < 1.5 * d.turning + fine && !falls(run, r, fabs(duty));
    wpin_spell_put(&r->seen.signs[WPIN_SIGN_TWICE], alike && fabs(rpm) > 1.7 * d.rpm, now,
                   w->seconds, fabs(rpm));
    wpin_spell_put(&r->seen.signs[WPIN_SIGN_HALF], alike && fabs(rpm) < 0.6 * d.rpm, now,
                   w->seconds, fabs(rpm));
}

void wpin_watch_seen(const wpin_session *run, wpin_step_result *r, const wpin_window *w) {
    const wpin_rig_load *load = &run->rig->loads[r->load];
    bool motor = wpin_rig_type(load)->spins;
    bool own = wpin_logic_of(load->kind->logic)->own; /* it makes its own current */
    double duty = (double)wpin_motor_duty(&run->motors[r->load]) / WPIN_DUTY_FULL;
    double rpm = motor ? wpin_session_measured_rpm(run, (size_t)r->load) : NAN;
    bool sensed = !isnan(wpin_session_measured_amps(run, (size_t)r->load)) && !own;
    double least = motor ? 1.05 * wpin_session_loose_duty(run, (size_t)r->load) : 0.02;
    r->seen.current = r->seen.current || sensed;
    r->seen.speed = r->seen.speed || !isnan(rpm);
    if (fabs(duty) <= least || wpin_session_aligns(run, (size_t)r->load)) {
        for (int what = 0; what < WPIN_SIGN_COUNT; what++) {
            wpin_spell_put(&r->seen.signs[what], false, 0, 0, 0);
        }
        return;
    }
    r->seen.driven += w->seconds;
    if (sensed) {
        watch_current(run, r, fabs(duty), w);
    }
    if (!isnan(rpm)) {
        watch_speed(run, r, duty, rpm, w);
    }
    if (sensed && !isnan(rpm)) {
        watch_scale(run, r, duty, rpm, w);
    }
}

/* ---- in words ---- */

/* What keeps current from flowing, the likeliest first. */
static const char *no_current(const wpin_rig *rig, const wpin_rig_load *load, char *text,
                              size_t size) {
    const char *driver = load->kind->direct ? "the pin dead"
                         : load->kind->contacts || load->kind->solid
                             ? "the relay not closing"
                             : "the driver off (standby, its own protection)";
    snprintf(text, size, "supply '%s' off, empty or cut out; a lead or wire off; %s",
             rig->supplies[load->supply].name, driver);
    return text;
}

static const wpin_spell *long_enough(const wpin_seen *seen, wpin_sign sign, double least) {
    const wpin_spell *s = &seen->signs[sign];
    return s->lasted >= least ? s : NULL;
}

static bool again_and_again(const wpin_seen *seen) {
    const wpin_spell *s = &seen->signs[WPIN_SIGN_NO_CURRENT];
    return s->lasted < 0.5 * s->total && s->total > 0.1 && s->total > 0.2 * seen->driven;
}

/* It stands by its encoder: the current says why. */
static void say_still(const wpin_rig *rig, const wpin_rig_load *load, const wpin_seen *seen,
                      const wpin_spell *still, char *words, size_t size) {
    const wpin_spell *none = long_enough(seen, WPIN_SIGN_NO_CURRENT, 0.1);
    const wpin_spell *stalled = long_enough(seen, WPIN_SIGN_STALL_CURRENT, 0.1);
    char when[64], causes[240];
    wpin_spell_when(still, when, sizeof when);
    no_current(rig, load, causes, sizeof causes);
    if (load->axis.there) {
        snprintf(words, size,
                 "standing %s, by what its drive says: blocked, at an end stop, its brake on, or "
                 "supply '%s' off, empty or cut out",
                 when, rig->supplies[load->supply].name);
    } else if (!seen->current) {
        snprintf(
            words, size,
            "measured standing %s; its current is not measured: blocked; %s; its encoder silent",
            when, causes);
    } else if (none != NULL) {
        snprintf(words, size, "measured standing %s, without current: %s", when, causes);
    } else if (stalled != NULL) {
        wpin_plain(words, size,
                   "measured standing %s, at the %.3g A of a standing motor: blocked, at an end "
                   "stop, or loaded too much",
                   when, stalled->worst);
    } else {
        snprintf(words, size,
                 "measured standing %s, with a current as if it turned: its encoder's supply, "
                 "wires or pins, or too little duty for its load",
                 when);
    }
}

/* Whose speed is measured in the wrong scale: by a factor of two its magnets were counted for pairs
 * of them, or the other way round. */
static void say_scale(const wpin_rig_load *load, const wpin_spell *spell, bool twice, char *words,
                      size_t size) {
    bool brushless = load->hall.there || load->crossing.there || load->encoder.by_driver;
    double said = brushless ? load->motor.pole_pairs : load->encoder.lines;
    char when[64];
    wpin_plain(words, size,
               "by duty and current it turned about %s as fast as the %.4g rpm measured %s: '%s: "
               "%.0f' in the rig ought to be %.3g%s, or 'gear' or the motor's constant is another",
               twice ? "half" : "twice", spell->worst, wpin_spell_when(spell, when, sizeof when),
               brushless ? "pole-pairs" : "lines", said, twice ? 2 * said : said / 2,
               brushless ? " (half the number of its magnets)" : "");
}

static wpin_seen_verdict say_motor(const wpin_rig *rig, const wpin_rig_load *load,
                                   const wpin_seen *seen, char *words, size_t size) {
    double starts = fmax(0.3, 2 * wpin_due_time(rig, load)); /* until then it speeds up */
    const wpin_spell *back = long_enough(seen, WPIN_SIGN_BACKWARDS, 0.1);
    const wpin_spell *still = long_enough(seen, WPIN_SIGN_STILL, starts);
    const wpin_spell *stalled = long_enough(seen, WPIN_SIGN_STALL_CURRENT, starts);
    const wpin_spell *twice = long_enough(seen, WPIN_SIGN_TWICE, starts);
    const wpin_spell *half = long_enough(seen, WPIN_SIGN_HALF, starts);
    char when[64];
    if (back != NULL) {
        wpin_plain(words, size,
                   "measured turning the wrong way %s, at up to %.0f rpm: the motor's leads or the "
                   "encoder's channels are swapped, or 'reversed' is missing in the rig",
                   wpin_spell_when(back, when, sizeof when), back->worst);
        return WPIN_SEEN_TROUBLE;
    }
    if (still != NULL) {
        say_still(rig, load, seen, still, words, size);
        return WPIN_SEEN_TROUBLE;
    }
    if (stalled != NULL && !seen->speed) {
        wpin_plain(
            words, size,
            "%.3g A sensed %s, as much as it draws while it stands: blocked, at an end stop, "
            "or loaded too much (whether it turns is not measured)",
            stalled->worst, wpin_spell_when(stalled, when, sizeof when));
        return WPIN_SEEN_TROUBLE;
    }
    if (twice != NULL || half != NULL) {
        say_scale(load, twice != NULL ? twice : half, twice != NULL, words, size);
        return WPIN_SEEN_TROUBLE;
    }
    if (load->axis.there) {
        snprintf(words, size, "as far as its drive says, as asked");
    } else if (seen->speed) {
        snprintf(words, size, "as far as its encoder%s show%s, as asked",
                 seen->current ? " and its current" : "", seen->current ? "" : "s");
    } else {
        snprintf(words, size,
                 "as far as its current shows, as asked; which way it turns is not measured");
    }
    return WPIN_SEEN_FINE;
}

wpin_seen_verdict wpin_seen_judge(const wpin_rig *rig, int number, const wpin_seen *seen,
                                  char *words, size_t size) {
    const wpin_rig_load *load = &rig->loads[number];
    const wpin_spell *none = long_enough(seen, WPIN_SIGN_NO_CURRENT, 0.1);
    bool motor = wpin_rig_type(load)->spins;
    char when[64], causes[240];
    no_current(rig, load, causes, sizeof causes);
    if (seen->fault != WPIN_OK) {
        snprintf(words, size, "noticed by itself: %s", wpin_status_name(seen->fault));
        return WPIN_SEEN_TROUBLE;
    }
    if (!seen->current && !seen->speed) {
        snprintf(words, size, "not measured: the rig has no current sense%s. To look at: %s%s",
                 motor ? " and no encoder for it" : " for it", causes,
                 motor ? "; a blocked shaft; leads swapped, if it turns the wrong way" : "");
        return WPIN_SEEN_UNMEASURED;
    }
    if (none != NULL && !seen->speed && again_and_again(seen)) {
        wpin_plain(
            words, size,
            "no current sensed for %.0f %% of its time, again and again: the driver protects "
            "itself, supply '%s' cuts out, or a contact is loose",
            none->total / seen->driven * 100, rig->supplies[load->supply].name);
        return WPIN_SEEN_TROUBLE;
    }
    if (none != NULL && seen->signs[WPIN_SIGN_STILL].lasted < 0.1) {
        snprintf(words, size, "no current sensed %s: %s", wpin_spell_when(none, when, sizeof when),
                 causes);
        return WPIN_SEEN_TROUBLE;
    }
    if (motor) {
        return say_motor(rig, load, seen, words, size);
    }
    snprintf(words, size, "as far as its current shows, as asked");
    return WPIN_SEEN_FINE;
}
