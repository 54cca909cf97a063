/* Rules about controller pins: current, timers, levels, jumpers, what floats. */
#include "rules.h"
#include <string.h>
#include <strings.h>

/* The most that a load takes from a pin that drives it itself: stalled, cold, drawn in. */
static double load_amps(const wpin_rig_controller *c, const wpin_rig_load *l) {
    wpin_load_circuit circuit = wpin_rig_type(l)->circuit(l);
    return fmax(0, c->logic_volts - circuit.drop) / (circuit.ohms + c->pin_resistance);
}

/* What a pin gives into one input while high. */
static double pin_amps(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_rig_controller *c = &v->rig->controller;
    const wpin_rig_load *l = f->load;
    const wpin_part_gate *g = &l->bridge.gate;
    wpin_part_controller part = wpin_rig_controller_part(v->rig);
    if (l->kind->direct) {
        return load_amps(c, l);
    }
    if (g->kind == WPIN_TRANSISTOR_NPN) {
        return wpin_part_base_amps(&part, g);
    }
    const wpin_part_opto *opto = &l->bridge.opto;
    if (opto->least_amps > 0) {
        return wpin_part_opto_amps(&part, opto);
    }
    double ohms = l->bridge.coil_ohms > 0 ? l->bridge.coil_ohms : l->bridge.input_resistance;
    return c->logic_volts / (ohms + c->pin_resistance);
}

/* Inputs that the pin of a shared line drives, 1 without one. */
static unsigned inputs_on_a_pin(const wpin_vetter *v, const wpin_facts *f) {
    unsigned most = 1;
    for (unsigned i = 0; i < f->load->kind->table->line_count; i++) {
        unsigned count = wpin_rig_shares(v->rig, (size_t)(f->load - v->rig->loads), i).count;
        most = count > most ? count : most;
    }
    return most;
}

/* What is there decides: a larger resistor where there is one, else something between. */
static void pin_cure(wpin_finding *n, const wpin_vetter *v, const wpin_rig_load *l, double amps) {
    const wpin_rig_controller *c = &v->rig->controller;
    if (l->kind->direct && wpin_rig_type(l)->shines && l->lamp.cold_share >= 1) {
        double ohms = (c->logic_volts - l->lamp.forward_volts) / (0.9 * c->pin_rated);
        wpin_cure(n, "a series resistor for less current, %.3g ohm in all and up; or a transistor",
                  wpin_calc_preferred(fmax(ohms, 1), 12, WPIN_ROUND_UP));
        return;
    }
    bool opto = l->bridge.opto.least_amps > 0, npn = l->bridge.gate.kind == WPIN_TRANSISTOR_NPN;
    double drop = opto ? l->bridge.opto.forward_volts : l->bridge.gate.base_volts;
    double least = (c->logic_volts - drop) / (0.9 * c->pin_rated) - c->pin_resistance;
    if (opto || npn) {
        wpin_cure(n, "%s of at least %.3g ohm", opto ? "a series resistor" : "a base resistor",
                  wpin_calc_preferred(fmax(least, 1), 12, WPIN_ROUND_UP));
        wpin_cure(n, opto ? "a transistor between them" : "a field-effect transistor");
    } else {
        wpin_cure(n, "a transistor between them: windpin size base-resistor load=%.3gmA",
                  amps * 1e3);
    }
}

static void current(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        double amps = pin_amps(v, f) * inputs_on_a_pin(v, f) * (1 + v->options.tolerance);
        if (amps > c->pin_limit) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "its pin would give %.3g mA, a pin survives %.3g mA", amps * 1e3,
                       c->pin_limit * 1e3);
            wpin_consequence(n, "the pin burns");
            pin_cure(n, v, f->load, amps);
        } else if (amps > c->pin_rated) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "its pin gives %.3g mA, rated for %.3g mA", amps * 1e3,
                       c->pin_rated * 1e3);
            wpin_consequence(n, "the level sags and the controller gets warm");
            pin_cure(n, v, f->load, amps);
        }
    }
}

static void total(wpin_vetter *v) {
    double sum = 0;
    WPIN_EACH_LOAD(v, f) {
        sum += pin_amps(v, f) * f->load->kind->table->line_count;
    }
    if (sum > v->rig->controller.pins_total) {
        wpin_finding *n = wpin_find(v, WPIN_REFUSE, "controller");
        wpin_cause(n, "all pins high together give %.3g mA, the controller's total is %.3g mA",
                   sum * 1e3, v->rig->controller.pins_total * 1e3);
        wpin_consequence(n, "its supply pins are overloaded though no single pin is");
        wpin_cure(n, "transistors or driver chips between, until the sum is below %.3g mA",
                  v->rig->controller.pins_total * 1e3);
    }
}

static void taken(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        for (unsigned l = 0; l < f->load->kind->table->line_count; l++) {
            for (size_t t = 0; t < c->taken_count; t++) {
                if (c->taken[t].pin == f->load->pins[l]) {
                    wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
                    wpin_cause(n, "pin %u for '%s' is used by %s already", f->load->pins[l],
                               f->load->kind->lines[l], c->taken[t].by);
                    wpin_consequence(n, "the two disturb each other: motion while %s works",
                                     c->taken[t].by);
                    wpin_cure(n, "another pin; windpin rig --wiring lists what is used");
                }
            }
        }
    }
}

static void timer(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        for (unsigned l = 0; l < f->load->kind->table->line_count; l++) {
            bool timed = wpin_stage_kind_times_line(f->load->kind, l);
            if (c->timers_given && timed && !f->load->limits.soft_pwm &&
                !c->timer[f->load->pins[l]]) {
                wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
                wpin_cause(n, "line '%s' needs PWM, and pin %u has no timer",
                           f->load->kind->lines[l], f->load->pins[l]);
                wpin_consequence(n, "the core refuses to open it: nothing runs");
                wpin_cure(n, "a pin of pwm-pins, or pwm-by: software up to %.3g Hz",
                          1 / (c->soft_tick * WPIN_SOFT_STEPS_LEAST));
            }
        }
    }
}

static void logic_level(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_driver *b = &f->load->bridge;
        double high =
            c->logic_volts * b->input_resistance / (b->input_resistance + c->pin_resistance);
        high *= 1 - v->options.tolerance;
        bool chip =
            b->gate.kind == WPIN_TRANSISTOR_NONE && b->coil_ohms <= 0 && b->opto.least_amps <= 0;
        if (chip && high < b->input_high) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "a high pin reaches %.3g V, the driver's inputs need %.3g V", high,
                       b->input_high);
            wpin_consequence(n, "every line reads low: the load does not move");
            wpin_cure(n, "a level shifter, or a driver for %.3g V logic", c->logic_volts);
        }
    }
}

static void coil(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_driver *b = &f->load->bridge;
        double slack = 1 - v->options.tolerance;
        double volts = c->logic_volts * b->coil_ohms / (b->coil_ohms + c->pin_resistance) * slack;
        if (b->coil_ohms > 0 && volts < b->coil_volts) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "under the coil's load the pin keeps %.3g V, the relay closes at %.3g V",
                       volts, b->coil_volts);
            wpin_consequence(n, "the indicator may light, the contact stays open");
            wpin_cure(n, "a transistor that drives the coil from its own supply");
        }
    }
}

static void opto(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_opto *o = &f->load->bridge.opto;
        double amps = pin_amps(v, f) * (1 - v->options.tolerance);
        if (o->least_amps <= 0 || amps >= 1.25 * o->least_amps) {
            continue;
        }
        double wanted = fmin(1.5 * o->least_amps, c->pin_rated);
        double most = (c->logic_volts - o->forward_volts) / wanted - c->pin_resistance;
        bool dead = amps < o->least_amps;
        wpin_finding *n = wpin_find_load(v, dead ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "its opto input gets %.3g mA through %.3g ohm, it switches at %.3g mA",
                   amps * 1e3, o->series_ohms, o->least_amps * 1e3);
        wpin_consequence(n, dead ? "it never switches, though its indicator may glow"
                                 : "it may not switch when it is warm or old");
        if (most > 0) {
            wpin_cure(n, "a resistor of %.3g ohm at most: windpin size led-resistor", most);
        } else {
            wpin_cure(n, "a transistor that feeds it from a higher voltage");
        }
    }
}

static void floats(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (f->load->limits.no_pull) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "its inputs have no pull resistors, and pins float for %.3g ms while the "
                       "controller boots",
                       v->rig->controller.boot * 1e3);
            wpin_consequence(n, "it may run at every reset, before any program can stop it");
            wpin_cure(n, "10 kohm from each line to its resting level");
        }
    }
}

static void statics(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        for (size_t i = 0; i < f->load->static_count; i++) {
            const wpin_rig_static *s = &f->load->statics[i];
            if (strcasecmp(s->needs, s->is) != 0) {
                wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
                wpin_cause(n, "'%s' is %s, it has to be %s", s->name, s->is, s->needs);
                wpin_consequence(n, "the driver is not enabled: a dead load and no message");
                wpin_cure(n, "set '%s' to %s, and say so in the rig", s->name, s->needs);
            }
        }
    }
}

/* What the core is told of a line's polarity against what the driver's side does to it. */
static void inverted(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        for (unsigned i = 0; i < l->kind->table->line_count; i++) {
            bool told = l->inverted[i] != l->kind->inverted[i];
            if (told == l->inverts[i]) {
                continue;
            }
            const char *line = l->kind->lines[i];
            bool timed = wpin_stage_kind_times_line(l->kind, i);
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "'%s' is %s, and the stage says that it is%s", line,
                       l->inverts[i] ? "inverted on its way" : "not inverted on its way",
                       told ? "" : " not");
            wpin_consequence(n, timed ? "at rest it is driven with all there is"
                                      : "it does the opposite of what is asked, or nothing");
            wpin_cure(n,
                      l->inverts[i] ? "inverted: [%s] in its stage"
                                    : "take '%s' out of 'inverted' in its stage",
                      line);
        }
    }
}

static void sense(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (f->load->bridge.sense_volts_per_amp > 0 && f->load->limits.trip_input < 0) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "the driver has a current sense that nothing reads");
            wpin_consequence(n, "a stall goes unseen");
            wpin_cure(n, "current-trip: {level: %.2gA, time: 50ms, input: N}",
                      fmin(1.5 * f->run_amps, 0.8 * f->load->bridge.burns_above_amps));
        }
    }
}

static void no_stop(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->input_count; i++) {
        if (v->rig->inputs[i].stops) {
            return;
        }
    }
    WPIN_EACH_LOAD(v, f) {
        if (f->motor || wpin_rig_type(f->load)->steps) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "it moves, and no input of the rig stops it");
            wpin_consequence(n, "when something goes wrong only the supply's switch is left");
            wpin_cure(n, "inputs: {stop: {pin: N, contact: opens, stops: all}}");
            return; /* once is enough */
        }
    }
}

/* A stop is to be served within 10 ms, whatever the plan waits for. */
static void tick(wpin_vetter *v) {
    double seconds = v->rig->controller.tick;
    if (seconds > 10e-3) {
        wpin_finding *n = wpin_find(v, WPIN_CAUTION, "controller");
        wpin_cause(n, "it looks at inputs, currents and limits every %.3g ms only", seconds * 1e3);
        wpin_consequence(n, "a stop, a trip or a limit switch is served that much too late");
        wpin_cure(n, "tick: 1ms, 10 ms at most");
    }
}

const wpin_rule_entry wpin_rules_pins[] = {
    {{"slow-tick", "controller tick", "stops and inputs served too late", WPIN_EFFECT_ADVICE},
     tick},
    {{"pin-current", "controller pin-limit, pin-rated; driver inputs", "a pin that drives too much",
      WPIN_EFFECT_BURNS},
     current},
    {{"pins-total", "controller pins-total", "all pins together drive too much",
      WPIN_EFFECT_ADVICE},
     total},
    {{"pin-taken", "controller taken", "a pin that something else uses", WPIN_EFFECT_ADVICE},
     taken},
    {{"pwm-pin", "controller pwm-pins", "PWM on a pin without a timer", WPIN_EFFECT_DEAD}, timer},
    {{"logic-level", "controller logic; driver logic-high", "a high level too low for the driver",
      WPIN_EFFECT_DEAD},
     logic_level},
    {{"relay-coil", "driver coil", "a relay that does not close from a pin", WPIN_EFFECT_DEAD},
     coil},
    {{"opto-input", "driver opto", "an opto input that gets too little", WPIN_EFFECT_DEAD}, opto},
    {{"floating-input", "driver pull; controller boot",
      "inputs that float while the controller boots", WPIN_EFFECT_MOVES},
     floats},
    {{"static-condition", "stage statics", "a jumper or switch that stands wrong",
      WPIN_EFFECT_DEAD},
     statics},
    {{"inverted-line", "stage inverted; driver inverting-inputs",
      "a line that is inverted though the stage does not say so", WPIN_EFFECT_MOVES},
     inverted},
    {{"no-stop", "inputs stops", "something moves and nothing stops it", WPIN_EFFECT_ADVICE},
     no_stop},
    {{"unread-sense", "driver sense", "a current sense that nothing reads", WPIN_EFFECT_ADVICE},
     sense},
};
const size_t wpin_rules_pins_count = sizeof wpin_rules_pins / sizeof *wpin_rules_pins;
