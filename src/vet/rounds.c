/* How warm a part gets by what a plan asks of its load: once through, or until each round is like
 * the one before. */
#include "rules.h"

#define STEPS 50 /* of a thermal time constant */

/* The current of a load for a while. */
typedef struct flowing {
    double amps, duty, off_share; /* root mean square; of PWM; in which it free-wheels */
} flowing;

/* A plan on its way through one load. */
typedef struct walk {
    const wpin_vetter *v;
    const wpin_facts *f;
    const wpin_part_heat *heat; /* of the part */
    wpin_part part;
    flowing runs, starts; /* as it is driven now: once it turns, and until then */
    double duty;          /* signed */
    double at;            /* of the plan, in its first round, s */
    double starting;      /* s that its start still lasts */
    double ends;          /* when it is off by itself, s of the plan */
    wpin_round round;     /* all of it so far */
    wpin_round last;      /* the last round that ended */
} walk;

/* ---- the part ---- */

static double watts(const walk *w, flowing now, double rise) {
    if (now.amps <= 0) {
        return 0;
    }
    if (w->part == WPIN_PART_DRIVER) {
        return wpin_driver_watts(w->f, now.duty, now.amps, now.off_share);
    }
    bool coil = wpin_rig_type(w->f->load)->pulls;
    double ohms = coil ? w->f->load->solenoid.resistance : w->f->load->motor.resistance;
    wpin_winding_load load = {.ohms = ohms,
                              .other_ohms = w->f->loop_ohms - ohms,
                              .amps = now.amps,
                              .by_volts = coil,
                              .drifts = w->heat->drifts};
    return wpin_calc_winding_watts(&load, rise);
}

static void warm(walk *w, flowing now, double seconds) {
    double tau = fmax(w->heat->time, 1e-3), dt = tau / STEPS;
    double left = fmin(seconds, 12 * tau); /* nothing changes any more */
    while (left > 0 && w->round.peak < 1e3 && w->part != WPIN_PART_NONE) {
        double part = fmin(left, dt), last = watts(w, now, w->round.rise) * w->heat->resistance;
        w->round.rise = last + (w->round.rise - last) * exp(-part / tau);
        w->round.peak = fmax(w->round.peak, w->round.rise);
        left -= part;
    }
}

/* ---- the load ---- */

static void pass(walk *w, double seconds) {
    if (seconds <= 0) {
        return;
    }
    w->round.seconds += seconds;
    if (w->duty == 0) {
        warm(w, (flowing){0}, seconds);
        return;
    }
    double start = fmin(w->starting, seconds);
    w->round.on += seconds;
    w->starting -= start;
    warm(w, w->starts, start);
    warm(w, w->runs, seconds - start);
}

static flowing flows_at(const walk *w, double duty) {
    const wpin_facts *f = w->f;
    if (w->part == WPIN_PART_NONE) {
        return (flowing){0};
    }
    wpin_pwm_loop loop = wpin_loop_of(f, f->motor ? wpin_speed_at(f, duty) : 0);
    wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, duty);
    return (flowing){wave.rms, f->pwm_hz > 0 ? duty : 1, wave.off_share};
}

/* A start: on a ramp what inertia and friction take; at once the stall current, which fades with
 * the motor's lag, so that three lags have a sixth of its square on average. A coil's is its kick.
 */
static void begin(walk *w, double duty) {
    const wpin_facts *f = w->f;
    const wpin_rig_limits *l = &f->load->limits;
    if (!f->motor) {
        w->starting = l->kick_time;
        w->starts = flows_at(w, fmax(l->kick_level, duty));
        return;
    }
    double k = f->load->motor.constant, lag = 3 * f->inertia * f->loop_ohms / (k * k);
    double ramp = f->pwm_hz > 0 ? l->ramp_up * duty : 0;
    double at_once = sqrt(f->stall_amps * f->stall_amps / 6 + w->runs.amps * w->runs.amps);
    w->starting = fmax(ramp, lag);
    w->starts = (flowing){ramp > lag ? fmax(f->start_amps, w->runs.amps) : at_once,
                          f->pwm_hz > 0 ? duty : 1, 0};
}

static void put(walk *w, double duty) {
    if (fabs(duty - w->duty) < 1e-9) {
        return;
    }
    bool from_rest = w->duty == 0 || w->duty * duty < 0;
    w->duty = duty;
    if (duty != 0) {
        w->runs = flows_at(w, fabs(duty));
    }
    if (duty != 0 && from_rest) {
        begin(w, fabs(duty));
        w->round.starts++;
    }
}

/* A brake takes out again what the start put in, with as much current. */
static void stop_hard(walk *w) {
    if (w->f->motor && w->duty != 0) {
        begin(w, fabs(w->duty));
        warm(w, w->starts, w->starting);
    }
    w->starting = 0;
    put(w, 0);
}

static void go_to(walk *w, double at) {
    if (w->ends <= at) {
        pass(w, w->ends - w->at);
        w->at = fmax(w->at, w->ends);
        w->ends = HUGE_VAL;
        put(w, 0);
    }
    pass(w, at - w->at);
    w->at = fmax(w->at, at);
}

/* ---- the plan ---- */

static bool is_mine(const walk *w, const wpin_step *s) {
    return wpin_op_moves_motor((wpin_op)s->op) &&
           s->target.number == (size_t)(w->f->load - w->v->rig->loads);
}

/* Ramps down from where it is, and is off. */
static void runs_out(walk *w, double seconds) {
    double ramp = fabs(w->duty) * w->f->load->limits.ramp_down;
    bool shorts = w->f->load->rest_brakes ||
                  (w->f->pwm_hz > 0 && w->f->load->bridge.off_phase == WPIN_OFF_SHORT);
    if (shorts && w->f->motor && w->duty != 0) { /* it is braked, with as much current */
        w->starting = fmax(w->starting, fmax(ramp, 1e-3));
    }
    w->ends = w->at + seconds + ramp;
}

static void act(walk *w, size_t i) {
    const wpin_step *s = &w->v->plan->steps[i];
    const wpin_rig_limits *l = &w->f->load->limits;
    double lasts = s->time_ms * 1e-3;
    double any = w->f->hot_duty > 0 ? w->f->hot_duty : l->duty_max; /* the hottest it may be at */
    double duty = fmin(fmax(wpin_rig_step_duty(w->v->rig, s), -l->duty_max), l->duty_max);
    switch ((wpin_op)s->op) {
    case WPIN_OP_RUN: w->ends = HUGE_VAL, put(w, duty); break;
    case WPIN_OP_TOGGLE: w->ends = HUGE_VAL, put(w, w->duty == 0 ? duty : 0); break;
    case WPIN_OP_RUN_FOR:
    case WPIN_OP_HOME:
        put(w, duty);
        runs_out(w, s->op == WPIN_OP_HOME ? 2 * lasts : lasts);
        break;
    case WPIN_OP_FOLLOW:
    case WPIN_OP_CALIBRATE:
        put(w, any);
        runs_out(w, lasts);
        break;
    case WPIN_OP_TURN:
    case WPIN_OP_TURN_TO: w->ends = HUGE_VAL, put(w, any); break;
    case WPIN_OP_HOLD:
        if (s->until != 0) { /* its event may come as late as that */
            pass(w, lasts);
        }
        break;
    case WPIN_OP_STOP: runs_out(w, s->ramp_us * 1e-6); break;
    case WPIN_OP_BRAKE: stop_hard(w); break;
    case WPIN_OP_COAST:
    case WPIN_OP_CLEAR: w->starting = 0, put(w, 0); break;
    default: break;
    }
}

/* The step behind the repeat that begins here. */
static size_t end_of(const wpin_plan *plan, size_t from) {
    int depth = 0;
    for (size_t i = from; i < plan->step_count; i++) {
        depth += plan->steps[i].op == WPIN_OP_REPEAT;
        depth -= plan->steps[i].op == WPIN_OP_AGAIN;
        if (depth == 0) {
            return i;
        }
    }
    return plan->step_count - 1;
}

static void walk_steps(walk *w, size_t from, size_t to);

/* Rounds until each is like the one before; what is told is the last of them. */
static void walk_rounds(walk *w, size_t from, size_t to) {
    const wpin_plan *plan = w->v->plan;
    const wpin_plan_source *at = plan->sources;
    double begins = at[from].at, body = fmax(at[to].at - begins, 0);
    unsigned rounds = plan->steps[from].value > 0 ? (unsigned)plan->steps[from].value : UINT16_MAX;
    bool mine = false;
    for (size_t i = from; i < to; i++) {
        mine = mine || is_mine(w, &plan->steps[i]);
    }
    go_to(w, begins);
    for (unsigned n = 0; n < rounds && (mine || n == 0); n++) {
        wpin_round before = w->round;
        w->at = begins;
        walk_steps(w, from + 1, to);
        go_to(w, begins + body);
        w->ends = isinf(w->ends) ? w->ends : fmax(w->ends - body, begins);
        if (mine && rounds > 1) {
            w->last = (wpin_round){.repeats = true,
                                   .seconds = w->round.seconds - before.seconds,
                                   .on = w->round.on - before.on,
                                   .starts = w->round.starts - before.starts};
        }
        if (fabs(w->round.rise - before.rise) < 0.02 && n > 1) {
            break;
        }
    }
    w->at = begins + body * (plan->steps[from].value > 0 ? rounds : 1);
}

static void walk_steps(walk *w, size_t from, size_t to) {
    const wpin_plan *plan = w->v->plan;
    for (size_t i = from; i < to; i++) {
        const wpin_step *s = &plan->steps[i];
        if (s->op == WPIN_OP_REPEAT) {
            size_t end = end_of(plan, i);
            walk_rounds(w, i, end);
            i = end;
        } else if (is_mine(w, s)) {
            go_to(w, plan->sources[i].at);
            act(w, i);
        } else if (s->op == WPIN_OP_UNTIL && w->duty != 0) {
            go_to(w, plan->sources[i].at);
            pass(w, s->time_ms * 1e-3); /* it may come as late as that */
        }
    }
}

wpin_round wpin_round_of(const wpin_vetter *v, const wpin_facts *f, wpin_part part) {
    static const wpin_part_heat cold = {.time = 1};
    bool coil = wpin_rig_type(f->load)->pulls;
    const wpin_part_heat *const heat[] = {[WPIN_PART_WINDING] =
                                              wpin_rig_type(f->load)->circuit(f->load).heat,
                                          [WPIN_PART_DRIVER] = &f->load->bridge.heat,
                                          [WPIN_PART_NONE] = &cold};
    walk w = {.v = v, .f = f, .part = part, .heat = heat[part], .ends = HUGE_VAL};
    bool warms = (f->motor || coil) && w.heat->resistance > 0;
    if (v->plan == NULL || !(warms || part == WPIN_PART_NONE)) {
        return w.round;
    }
    walk_steps(&w, 0, v->plan->step_count);
    go_to(&w, fmax(v->plan->seconds, isinf(w.ends) ? w.at : w.ends));
    wpin_round told = w.last.repeats ? w.last : w.round;
    told.known = true;
    told.rise = w.round.rise;
    told.peak = w.round.peak;
    return told;
}

bool wpin_round_spares(const wpin_round *r, double room) {
    return r->known && 1.15 * r->peak < room;
}

/* Of a round of so long: when it is on for a share of it, it is warmest by
 * last (1 - exp(-share T / tau)) / (1 - exp(-T / tau)). */
static double allowed_share(double last, double room, double seconds, double tau) {
    double all = 1 - exp(-seconds / fmax(tau, 1e-6));
    double left = 1 - room / last * all;
    return last <= room || left <= 0 ? 1 : -log(left) * tau / seconds;
}

void wpin_tell_round(wpin_finding *n, const wpin_vetter *v, const wpin_round *r,
                     const wpin_part_heat *heat, double last, double room) {
    bool spared = wpin_round_spares(r, room);
    double share = r->seconds > 0 ? allowed_share(last, 0.85 * room, r->seconds, heat->time) : 1;
    if (spared) {
        wpin_consequence(n,
                         "it burns if it is on for long; in the plan, on for %.3g of %.3g s%s, it "
                         "gets to %.0f degC",
                         r->on, r->seconds, r->repeats ? " in each round" : "",
                         wpin_air(v) + r->peak);
    }
    if (r->known && r->repeats && share < 1 && r->seconds > 0) {
        wpin_cure(n, "on for at most %.0f %% of each round: %.3g of %.3g s", floor(100 * share),
                  share * r->seconds, r->seconds);
    }
}
