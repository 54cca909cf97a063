/* A load of a rig in words: its stage, what hangs on it, its limits, its sensors, its regulators.
 */
#include "cli.h"
#include <math.h>
#include <stdio.h>

static void print_pins(const wpin_rig_load *load) {
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        printf("%s%s %u%s%s", i == 0 ? "" : ", ", load->kind->lines[i], load->pins[i],
               load->inverted[i] ? " (inverted)" : "", load->shared[i] ? " (shared)" : "");
    }
}

static double loop_ohms(const wpin_rig *rig, const wpin_rig_load *load, double winding) {
    return winding + 2 * load->bridge.on_resistance + rig->supplies[load->supply].resistance;
}

static void print_motor(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_motor *m = &load->motor;
    double volts = rig->supplies[load->supply].volts;
    double no_load = wpin_part_output_rpm(m, volts / m->constant);
    cli_say("  motor       %.4g ohm, %.4g mH, %.4g mNm/A, %.4g gcm2, gear %.4g:1\n", m->resistance,
            m->inductance * 1e3, m->constant * 1e3, m->inertia * 1e7, m->gear_ratio);
    if (m->pole_pairs > 0) {
        cli_say(
            "  brushless   %.0f pole pairs, %s back-emf%s, %.4g rpm/V; ohms and henries between "
            "two leads\n",
            m->pole_pairs, m->sinusoidal ? "sine" : "flat-topped",
            m->delta ? ", windings in a delta" : "", 30 / 3.14159265358979 / m->constant);
    }
    if (m->cogging > 0) {
        cli_say("  cogging     up to %.4g mNm, %.0f times in a turn of the motor's shaft\n",
                m->cogging * 1e3, m->cogging_steps);
    }
    if (m->stop_high > m->stop_low) {
        cli_say("  travel      %.4g to %.4g deg between end stops\n", m->stop_low * 360,
                m->stop_high * 360);
    }
    cli_say("  estimate    stall %.3g A, up to %.0f rpm at the output without friction or load\n",
            volts / loop_ohms(rig, load, m->resistance), no_load);
}

static void print_lamp(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_lamp *l = &load->lamp;
    double hot = l->volts * (l->volts - l->forward_volts) / l->watts;
    double volts = rig->supplies[load->supply].volts - l->forward_volts;
    cli_say("  %-11s %.4g W at %.4g V\n", l->forward_volts > 0 ? "leds" : "lamp", l->watts,
            l->volts);
    cli_say("  estimate    %.3g A %s\n", volts / loop_ohms(rig, load, hot * l->cold_share),
            l->cold_share < 1 ? "into the cold filament" : "on full supply");
}

static void print_solenoid(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_solenoid *s = &load->solenoid;
    cli_say("  solenoid    %.4g ohm, %.4g mH; drawn in by %.3g A for %.3g ms, held by %.3g A\n",
            s->resistance, s->inductance * 1e3, s->pull_in, s->pull_in_time * 1e3, s->drop_out);
    cli_say("  estimate    %.3g A at full duty\n",
            rig->supplies[load->supply].volts / loop_ohms(rig, load, s->resistance));
}

static void print_stepper(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_stepper *s = &load->stepper;
    const wpin_rig_stepping *d = &load->stepping;
    cli_say(
        "  stepper     %g steps a turn, %.4g ohm and %.4g mH a winding, %.3g A, holds %.3g mNm\n",
        s->steps_per_rev, s->resistance, s->inductance * 1e3, s->rated_amps,
        s->holding_torque * 1e3);
    cli_say("  stepping    %s steps, from %g to %g steps/s, ramp %g steps/s2; at the end it %s\n",
            d->half_steps ? "half" : "full", d->start_rate, d->top_rate, d->acceleration,
            d->at_end == WPIN_STEP_RELEASE && d->release_after <= 0 ? "is let go at once"
                                                                    : "holds");
    if (d->at_end == WPIN_STEP_REDUCE) {
        cli_say("              with less current after %.4g ms at rest\n", d->reduce_after * 1e3);
    }
    if (d->release_after > 0) {
        cli_say("              and is let go after %.4g s at rest\n", d->release_after);
    }
    double volts = rig->supplies[load->supply].volts;
    double ohms = wpin_rig_loop_ohms(rig, load);
    bool by_row = wpin_stage_kind_has(load->kind, (wpin_drive)(WPIN_DRIVE_SECTOR + 8));
    cli_say("  estimate    %.3g A a winding as it steps, %s%.3g A at rest\n",
            wpin_rig_step_wave(load, volts, ohms, false).mean,
            by_row ? "by its row of rest up to " : "",
            wpin_rig_step_wave(load, volts, ohms, true).mean);
}

static void print_what(const wpin_rig *rig, const wpin_rig_load *load) {
    static void (*const print[])(const wpin_rig *rig,
                                 const wpin_rig_load *load) = {[WPIN_RIG_MOTOR] = print_motor,
                                                               [WPIN_RIG_LAMP] = print_lamp,
                                                               [WPIN_RIG_SOLENOID] = print_solenoid,
                                                               [WPIN_RIG_STEPPER] = print_stepper};
    print[load->what](rig, load);
}

static void print_pwm(const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_part_controller controller = wpin_rig_controller_part(rig);
    double hz = 0;
    if (load->limits.soft_pwm) {
        cli_say("  PWM         %.6g Hz in software, %.0f steps, edges up to %.4g us off\n",
                load->limits.pwm_hz, wpin_rig_pwm_steps(rig, load),
                rig->controller.soft_tick * 1e6);
    } else if (wpin_stage_kind_has_pwm(load->kind)) {
        uint32_t steps = wpin_part_timer_steps(&controller, load->limits.pwm_hz, &hz);
        cli_say("  PWM         %.6g Hz asked, %.6g Hz in %u steps from the timer\n",
                load->limits.pwm_hz, hz, steps);
    } else {
        printf("  PWM         none: on and off only\n");
    }
}

static void print_axis(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_axis *a = &load->axis;
    const wpin_rig_fieldbus *b = &rig->fieldbuses[a->bus];
    cli_say(
        "  axis        node %g on field bus '%s', %g kbit/s, set-points every %.4g ms; '%s' feeds "
        "its controller\n",
        a->number, b->name, b->bit_rate / 1e3, b->period * 1e3,
        rig->supplies[a->logic >= 0 ? (size_t)a->logic : load->supply].name);
    const char *more = a->setting_count == 1 ? "" : "s";
    if (a->plain) {
        cli_say(
            "  drive       takes speeds only, by velocity mode; rated %.4g A; %zu setting%s of the "
            "rig's own\n",
            a->rated_amps, a->setting_count, more);
    } else {
        cli_say(
            "  drive       %g counts a turn of the motor's shaft, %.6g of the output; velocities "
            "in %s; rated %.4g A, set to give at most %.4g A; %zu setting%s of the rig's own\n",
            a->counts, wpin_rig_counts_at_output(load), a->rpm_units ? "rpm" : "counts/s",
            a->rated_amps, a->most_amps, a->setting_count, more);
    }
    if (a->guarding > 0) {
        cli_say(
            "  watched     asked for its state every %.4g ms; it stops by itself when it was not "
            "for %.4g ms\n",
            a->guarding * 1e3, 3e3 * a->guarding);
    } else {
        cli_say("  watched     both beat, every %.4g ms at the latest; without it either stops\n",
                a->heartbeat * 1e3);
    }
    if (a->switch_count > 0) {
        char row[160];
        wpin_rig_axis_switches(a, row, sizeof row);
        printf("  switches    %s\n", row);
    }
}

static void print_limits(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    static const char *const ways[] = {"forward", "reverse"};
    if (load->axis.there) {
        cli_say("  limits      0 to %.4g rpm in %.4g s, and back in %.4g s\n", load->speed.maximum,
                l->ramp_up, l->ramp_down);
    } else if (wpin_stage_kind_takes_duty(load->kind)) {
        cli_say("  limits      duty up to %.4g %%, 0 to 100 %% in %.4g s, 100 to 0 %% in %.4g s\n",
                l->duty_max * 100, l->ramp_up, l->ramp_down);
    }
    if (l->trim < 1) {
        cli_say(
            "  trim        %.4g %%: so much of a duty that a plan asks for, as its twin turns more "
            "slowly\n",
            l->trim * 100);
    }
    if (l->rest > 0) {
        cli_say("  rest        %.4g s before the other way\n", l->rest);
    }
    for (int i = 0; i < 2; i++) {
        if (l->limit_inputs[i] >= 0) {
            printf("  ends        %s at limit switch '%s'\n", ways[i],
                   rig->inputs[l->limit_inputs[i]].name);
        }
    }
    if (l->most_on > 0) {
        cli_say("  most on     %.4g s without a break\n", l->most_on);
    }
}

static void print_identified(const wpin_rig_load *load) {
    const wpin_rig_identified *i = &load->identified;
    if (i->there) {
        printf("  identified  on %s%s\n", i->on,
               i->stale ? "; its motor's entry has changed since, so this is not used"
                        : ": these constants are used");
    }
}

static void print_first_motion(const wpin_rig_load *load) {
    const wpin_rig_first *f = &load->first_motion;
    if (f->there) {
        printf("  moved       on %s; forward is %s, seen from the %s\n", f->on,
               f->counter ? "counter-clockwise" : "clockwise",
               f->from_back ? "back of the motor" : "end of its shaft");
    }
}

static void print_hall(const wpin_rig_load *load) {
    const wpin_rig_hall *h = &load->hall;
    if (h->at_driver) {
        printf("  hall        sensors go to the driver, which commutates by itself\n");
    }
    if (!h->there) {
        return;
    }
    cli_say(
        "  hall        sensors a, b, c on pins %u, %u, %u, %d deg apart; codes %u %u %u %u %u %u; "
        "%.0f counts a turn of the motor's shaft, %.6g of the output\n",
        h->pins[0], h->pins[1], h->pins[2], h->sixty ? 60 : 120, h->codes[0], h->codes[1],
        h->codes[2], h->codes[3], h->codes[4], h->codes[5], 6 * load->motor.pole_pairs,
        6 * load->motor.pole_pairs * load->motor.gear_ratio);
    if (h->advance > 0) {
        cli_say("              commutates %.3g deg ahead of them, at the look in each PWM period\n",
                h->advance * 360);
    }
    if (h->on[0] != '\0') {
        printf("              found on %s%s\n", h->on,
               h->stale ? "; its stage, pins or pole pairs have changed since" : "");
    }
}

static void print_crossing(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_crossing *c = &load->crossing;
    if (!c->there) {
        return;
    }
    wpin_sensorless_design d = wpin_rig_sensorless_design(rig, load);
    printf("  sensorless  comparators of leads a, b, c on pins %u, %u, %u; ", c->pins[0],
           c->pins[1], c->pins[2]);
    if (!d.starts) {
        cli_say("%.3g A don't turn it: ", d.amps);
    }
    cli_say(
        "starts with %.3g A: aligns for %.3g s, ramps for %.3g s over %zu sectors, from %.3g rpm "
        "by zero crossings; duty from there on at least %.3g %%\n",
        d.amps, 2 * c->align, d.ramp, d.count, d.rpm, d.least_duty * 100);
}

static void print_vector(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_vector *v = &load->vector;
    if (!v->there) {
        return;
    }
    wpin_vector_design d = wpin_rig_vector_design(rig, load);
    printf("  field       oriented each PWM period, by shunts of legs a, b%s on inputs %u, %u",
           v->shunts[2] == WPIN_NO_SHUNT ? "" : ", c", v->shunts[0], v->shunts[1]);
    if (v->shunts[2] != WPIN_NO_SHUNT) {
        printf(", %u", v->shunts[2]);
    }
    cli_say(" in the %s; currents follow within %.3g us, up to %.3g A between two leads (%.3g A at "
            "a lead's tip; off at once above %.3g A), vector up to %.3g %%\n",
            v->in_leads ? "leads" : "low sides", d.response * 1e6, d.limit_amps,
            d.limit_amps * 2 / sqrt(3), d.trip_amps, d.most * 100);
    if (!load->hall.there) {
        cli_say("              its encoder is aligned at the first start, with %.3g A at a lead's "
                "tip for %.3g s: the shaft turns by up to an electrical turn\n",
                d.align_amps, 4 * d.align);
    }
    if (v->give_up > 0) {
        cli_say("              brakes less and less from %.4g V of its supply on, not at all from "
                "%.4g V\n",
                v->give_way, v->give_up);
    }
}

static void print_encoder(const wpin_rig_load *load) {
    const wpin_rig_encoder *e = &load->encoder;
    if (e->by_driver) {
        cli_say("  output      of the driver, its speed: %.0f edges a turn of the motor's shaft, "
                "%.6g of the output, pin %u\n",
                wpin_rig_counts(load), wpin_rig_counts_at_output(load), e->pins[0]);
        return;
    }
    cli_say(
        "  encoder     %.0f lines on the %s, %.0f counts a turn of it, %.6g a turn of the output, "
        "pin%s %u",
        e->lines, e->at_output ? "output" : "motor's shaft", wpin_rig_counts(load),
        wpin_rig_counts_at_output(load), e->one_channel ? "" : "s", e->pins[0]);
    if (!e->one_channel) {
        printf(" and %u", e->pins[1]);
    }
    printf("%s\n", e->reversed ? ", reversed" : "");
}

/* How well, at full speed and at a hundredth of it. */
static void print_resolution(const wpin_rig *rig, const wpin_rig_load *load) {
    double fast = load->speed.there ? load->speed.rated : wpin_rig_full_rpm(rig, load);
    wpin_rig_resolution at = wpin_rig_resolution_at(rig, load, fast);
    if (load->encoder.no_moments) {
        cli_say("  measured    by counts alone, %.3g ms late; a count more or less shows as %.3g "
                "rpm\n",
                at.over / 2 * 1e3, at.step);
        return;
    }
    wpin_rig_resolution slow = wpin_rig_resolution_at(rig, load, fast / 100);
    double stands = 60 / (wpin_rig_counts_at_output(load) * WPIN_STILL_US * 1e-6);
    cli_say("  measured    to %.2g rpm over %.3g ms at %.4g rpm", at.step, at.over * 1e3, fast);
    if (fast / 100 > stands) {
        cli_say(", to %.2g rpm over %.3g ms at %.3g rpm", slow.step, slow.over * 1e3, fast / 100);
    }
    cli_say(", half of that old; slower than %.3g rpm it stands\n", stands);
}

/* What its speed is measured and regulated by. */
static void print_feedback(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_speed *s = &load->speed;
    print_hall(load);
    print_crossing(rig, load);
    print_vector(rig, load);
    if (wpin_rig_counts_here(load)) {
        print_encoder(load);
        print_resolution(rig, load);
    }
    if (!s->there) {
        return;
    }
    if (load->axis.there) {
        cli_say("  speed       regulated by the drive up to %.4g rpm (%.6g %s), trips above %.4g "
                "rpm\n",
                s->rated, wpin_rig_axis_velocity(load, s->rated),
                load->axis.rpm_units ? "rpm" : "counts/s", 1.1 * s->maximum);
        if (load->axis.plain) {
            return;
        }
        cli_say("  position    turns to within %.3g deg at up to %.4g rpm\n",
                fmax(1 / wpin_rig_counts_at_output(load), load->position.within) * 360,
                load->position.speed > 0 ? load->position.speed : s->rated);
        return;
    }
    wpin_speed_design d = wpin_rig_speed_design(rig, load);
    cli_say("  speed       regulated up to %.4g rpm (%.3g counts/s), trips above %.4g rpm\n",
            s->rated, s->rated / 60 * wpin_rig_counts_at_output(load), s->maximum);
    cli_say("  regulator   rated speed takes about %.0f %% duty; answers within %.3g ms, bandwidth "
            "%.2g Hz, "
            "phase margin %.0f deg, delays %.3g ms\n",
            wpin_rig_speed_duty(rig, load, s->rated) * 100, d.response * 1e3, d.bandwidth,
            d.phase_margin, d.delay * 1e3);
    wpin_rig_move move = wpin_rig_move_of(load);
    cli_say(
        "  position    turns to within %.3g deg at up to %.4g rpm, braking by %.3g rpm a second",
        fmax(1 / wpin_rig_counts_at_output(load), load->position.within) * 360, move.top * 60,
        move.down * 60);
    cli_say(move.bend > 0 ? ", S-shaped: that comes and goes within %.2g s\n" : "\n", move.bend);
}

static void print_current(const wpin_rig *rig, const wpin_rig_load *load) {
    if (!load->current.there) {
        return;
    }
    if (load->axis.there) {
        cli_say(
            "  torque      regulated by its drive, up to %.4g A: %.3g Nm at the output, friction "
            "not taken off\n",
            load->current.rated, wpin_rig_torque(load, load->current.rated));
        return;
    }
    wpin_current_design d = wpin_rig_current_design(rig, load);
    cli_say(
        "  torque      regulated by the current, up to %.4g A: %.3g Nm at the output, friction not "
        "taken off; answers within %.3g ms\n",
        load->current.rated, wpin_rig_torque(load, load->current.rated), d.response * 1e3);
}

/* What makes it stop by itself, and what it is held to. */
static void print_protections(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    if (l->trip_input >= 0) {
        cli_say("  trip        above %.4g A for %.4g ms, sensed on input %.0f\n", l->trip_amps,
                l->trip_time * 1e3, l->trip_input);
    }
    if (l->overload_amps > 0) {
        cli_say("  overload    carries %.4g A for ever, more for a time (time constant %.4g s)\n",
                l->overload_amps, l->overload_time);
    }
    if (l->cool_down > 0) {
        cli_say("  cool-down   %.4g s after a stall or a current trip before it can be cleared\n",
                l->cool_down);
    }
    const wpin_rig_thermistor *t = &load->thermistor;
    if (t->there) {
        double logic = rig->controller.logic_volts;
        cli_say(
            "  thermistor  in its %s, on input %.0f: trips above %.4g degC (below %.0f mV), clear "
            "again at %.4g degC (%.0f mV)\n",
            t->in_winding ? "winding" : "driver", t->input, t->trip,
            wpin_part_thermistor_volts(&t->part, t->trip, logic) * 1e3, t->clear,
            wpin_part_thermistor_volts(&t->part, t->clear, logic) * 1e3);
    }
    if (l->limit_amps > 0) {
        cli_say("  current     limited to %.4g A: above it the duty is folded back\n",
                l->limit_amps);
    }
}

static void print_at_rest(const wpin_rig *rig, const wpin_rig_load *load) {
    if (load->axis.there) {
        printf("  at rest     %s\n",
               load->rest_brakes ? "stands still under power (quick stop active)"
                                 : "its power stage is off, it coasts (ready to switch on)");
    } else {
        const wpin_rig_limits *l = &load->limits;
        cli_say("  at rest     %s; dead time %.4g us",
                load->rest_brakes ? "brakes (motor shorted)" : "coasts (nothing driven)",
                l->dead_time * 1e6);
        if (l->dead_time > l->dead_time_asked + 1e-9) {
            cli_say(" (%.4g us asked, in whole us)", l->dead_time_asked * 1e6);
        }
        if (l->charge > 0) {
            cli_say("; low sides on for %.4g us before it drives", l->charge * 1e6);
        }
        printf("\n");
    }
    static const char *const stops[] = {"ramps to rest", "runs down", "brakes"};
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].stops) {
            printf("  on stop     %s\n", stops[load->on_stop]);
        }
    }
}

static void print_driver(const wpin_rig_load *load) {
    if (load->kind->direct) {
        cli_say("  driver      none: the pin itself, %.3g ohm, burns above %.3g mA\n",
                load->bridge.on_resistance, load->bridge.burns_above_amps * 1e3);
    } else if (!load->axis.there) {
        cli_say("  driver      %.4g mohm a switch, burns above %.4g A for %.4g ms or %.4g V\n",
                load->bridge.on_resistance * 1e3, load->bridge.burns_above_amps,
                load->bridge.burns_after * 1e3, load->bridge.burns_above_volts);
    }
}

void cli_print_load(const wpin_rig *rig, const wpin_rig_load *load) {
    printf("\nload %s (line %u), fed by '%s'\n  stage       %s: %s%s\n", load->name, load->line,
           rig->supplies[load->supply].name, load->kind->name, load->kind->words,
           load->reversed ? ", reversed" : "");
    if (load->axis.there) {
        print_axis(rig, load);
    } else {
        printf("  pins        ");
        print_pins(load);
        printf("\n");
        print_pwm(rig, load);
    }
    print_limits(rig, load);
    print_protections(rig, load);
    print_at_rest(rig, load);
    print_driver(load);
    print_what(rig, load);
    print_identified(load);
    print_first_motion(load);
    print_current(rig, load);
    print_feedback(rig, load);
}
