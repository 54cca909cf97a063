/* The simulated brushless motor against an integrator of its own, closed forms, and what the core
 * makes of it. */
#include "support_brushless.h"

/* ---- an integrator of its own: Runge and Kutta's, with diodes as steep resistors ---- */

/* Currents into the leads; of a delta from lead to lead through its windings a-b, b-c and c-a. */
typedef struct state {
    double amps[3], speed, angle;
} state;

static double lead(const wpin_part_motor *m, const state *s, int x) {
    return s->amps[x] - (m->delta ? s->amps[(x + 2) % 3] : 0);
}

static double shape(double x, bool sine) {
    x -= 2 * PI * floor(x / (2 * PI));
    if (sine) {
        return sin(x);
    }
    double y = x > PI ? x - PI : x, ramp = fmin(y, PI - y) / (PI / 6);
    return (x > PI ? -1 : 1) * fmin(ramp, 1);
}

/* What a leg puts on its terminal: 1 its high side, -1 its low side, 0 neither. A leg that is off
 * goes from one diode to the other within a milliampere. */
static double leg_volts(int leg, double amps, double top) {
    if (leg != 0) {
        return (leg > 0 ? top : 0) - three_phase_bridge.on_resistance * amps;
    }
    double diode = three_phase_bridge.diode_volts, steep = fmax(-1, fmin(1, amps / 1e-3));
    return top / 2 - steep * (top / 2 + diode) - three_phase_bridge.diode_resistance * amps;
}

/* Windings in a star, and in a delta; what goes round in that is a current of its own here. */
static double by_star(const wpin_part_motor *m, const double *volts, const state *s, state *d) {
    double k = m->constant / (m->sinusoidal ? sqrt(3) : 2), left[3], star = 0, torque = 0;
    for (int x = 0; x < 3; x++) {
        double f = shape(m->pole_pairs * s->angle - x * 2 * PI / 3, m->sinusoidal);
        left[x] = volts[x] - m->resistance / 2 * s->amps[x] - k * s->speed * f;
        star += left[x] / 3;
        torque += k * f * s->amps[x];
    }
    for (int x = 0; x < 3; x++) {
        d->amps[x] = (left[x] - star) / (m->inductance / 2);
    }
    return torque;
}

static double by_delta(const wpin_part_motor *m, const double *volts, const state *s, state *d) {
    double k = m->constant * (m->sinusoidal ? 1 : 0.75), torque = 0;
    for (int x = 0; x < 3; x++) {
        double f = shape(m->pole_pairs * s->angle - x * 2 * PI / 3 + PI / 6, m->sinusoidal);
        double across = volts[x] - volts[(x + 1) % 3];
        d->amps[x] =
            (across - 1.5 * m->resistance * s->amps[x] - k * s->speed * f) / (1.5 * m->inductance);
        torque += k * f * s->amps[x];
    }
    return torque;
}

static state slope(const wpin_part_motor *m, const int *legs, double supply_ohms, const state *s) {
    double drawn = 0, volts[3];
    state d;
    for (int x = 0; x < 3; x++) {
        double amps = lead(m, s, x);
        drawn += legs[x] > 0 || (legs[x] == 0 && amps < 0) ? amps : 0;
    }
    for (int x = 0; x < 3; x++) {
        volts[x] = leg_volts(legs[x], lead(m, s, x), 24 - supply_ohms * drawn);
    }
    double torque = m->delta ? by_delta(m, volts, s, &d) : by_star(m, volts, s, &d);
    double way = s->speed > 0 ? 1 : -1;
    torque -= m->cogging * sin(m->cogging_steps * s->angle);
    d.speed = (torque - way * (m->dry_friction + m->load_torque) - m->viscous_friction * s->speed) /
              m->inertia;
    d.angle = s->speed;
    return d;
}

static state ahead(const state *s, const state *d, double by) {
    state n = *s;
    for (int x = 0; x < 3; x++) {
        n.amps[x] += d->amps[x] * by;
    }
    n.speed += d->speed * by;
    n.angle += d->angle * by;
    return n;
}

/* A leg that is off is steep at no current: there the steps are short. */
static double longest_step(const wpin_part_motor *m, const int *legs, const state *s) {
    for (int x = 0; x < 3; x++) {
        if (legs[x] == 0 && fabs(lead(m, s, x)) < 0.03) {
            return 20e-9;
        }
    }
    return 100e-9;
}

static void integrate(const wpin_part_motor *m, const int *legs, double ohms, state *s,
                      double time) {
    while (time > 1e-12) {
        double h = fmin(longest_step(m, legs, s), time);
        state a = slope(m, legs, ohms, s), at = ahead(s, &a, h / 2);
        state b = slope(m, legs, ohms, &at);
        at = ahead(s, &b, h / 2);
        state c = slope(m, legs, ohms, &at);
        at = ahead(s, &c, h);
        state d = slope(m, legs, ohms, &at);
        *s = ahead(s, &a, h / 6);
        *s = ahead(s, &b, h / 3);
        *s = ahead(s, &c, h / 3);
        *s = ahead(s, &d, h / 6);
        time -= h;
    }
}

static void show_legs(const board *b, const int *legs) {
    for (wpin_pin x = 0; x < 3; x++) {
        b->port.write(b->port.context, (wpin_pin)(2 * x), legs[x] > 0 ? WPIN_HIGH : WPIN_LOW);
        b->port.write(b->port.context, (wpin_pin)(2 * x + 1), legs[x] < 0 ? WPIN_HIGH : WPIN_LOW);
    }
}

/* Legs at random, for 5 to 60 us each, from rest: flat and sine, a stiff supply and a soft one,
 * with cogging; and once more in a delta. */
START_TEST(it_agrees_with_an_integrator_of_its_own) {
    wpin_part_motor m = drum;
    m.sinusoidal = _i % 2 != 0;
    m.start_turns = 0.37 * _i;
    m.cogging = _i < 8 || _i >= 20 ? 0 : 0.04;
    m.delta = _i >= 16;
    m.cogging_steps = _i % 3 == 0 ? 84 : 24;
    double ohms = _i / 2 % 2 != 0 ? 0.1 : 0;
    board b = set_up(&m, ohms, &(wpin_part_hall){0});
    state s = {.angle = m.start_turns * 2 * PI};
    int legs[3] = {0};
    double most = 0, worst = 0, worst_speed = 0;
    pick_seed((uint32_t)_i + 5);
    for (int i = 0; i < 120; i++) {
        int sector = (int)floor((m.pole_pairs * s.angle - PI / 6) / (PI / 3)) + (int)pick(2);
        static const int rows[6][3] = {{1, -1, 0}, {1, 0, -1}, {0, 1, -1},
                                       {-1, 1, 0}, {-1, 0, 1}, {0, -1, 1}};
        for (int x = 0; x < 3; x++) { /* mostly a row that drives it, some at random */
            legs[x] = pick(4) == 0 ? (int)pick(3) - 1 : rows[((sector % 6) + 6) % 6][x];
        }
        int us = 5 + (int)pick(56);
        show_legs(&b, legs);
        wpin_sim_advance(b.sim, us * 1000000LL);
        integrate(&m, legs, ohms, &s, us * 1e-6);
        double size = (fabs(lead(&m, &s, 0)) + fabs(lead(&m, &s, 1)) + fabs(lead(&m, &s, 2))) / 2;
        wpin_part_reading r = wpin_sim_read(b.sim, b.motor);
        most = fmax(most, size);
        worst = fmax(worst, fabs(fabs(r.amps_now) - size));
        worst_speed = fmax(worst_speed, fabs(r.rpm * PI / 30 - s.speed));
    }
    ck_assert_double_gt(most, 8);
    ck_assert_double_gt(fabs(s.speed), 3);
    ck_assert_msg(worst < 0.002 * most + 2e-3, "current %g A off, of %g A", worst, most);
    ck_assert_msg(worst_speed < 2e-3 * fabs(s.speed) + 5e-3, "speed %g off %g", worst_speed,
                  s.speed);
    wpin_sim_free(b.sim);
}
END_TEST

/* What a stretch of running or braking comes to: of lead a and of the torque. */
typedef struct course {
    double square, peak, torque, least, most;
    int count;
} course;

static void note(course *c, double amps, double torque) {
    c->square += amps * amps;
    c->peak = fmax(c->peak, fabs(amps));
    c->torque += torque;
    c->least = c->count == 0 ? torque : fmin(c->least, torque);
    c->most = c->count == 0 ? torque : fmax(c->most, torque);
    c->count++;
}

/* By both for so many us: chopped at half duty in the sector its angle is in, or braked. */
static void run_both(const board *b, const wpin_part_motor *m, state *s, int us, bool brakes,
                     bool shorts, course *sim, course *own) {
    static const int rows[6][3] = {{1, -1, 0}, {1, 0, -1}, {0, 1, -1},
                                   {-1, 1, 0}, {-1, 0, 1}, {0, -1, 1}};
    int legs[3] = {-1, -1, -1};
    for (int t = 0; t < us; t += 5) {
        int sector = (int)floor((m->pole_pairs * s->angle - PI / 6) / (PI / 3)) % 6;
        for (int x = 0; x < 3 && !brakes; x++) {
            int row = rows[(sector + 6) % 6][x];
            legs[x] = row > 0 && t % 50 >= 25 ? (shorts ? -1 : 0) : row;
        }
        state d;
        const double none[3] = {0};
        wpin_part_phases p;
        show_legs(b, legs);
        wpin_sim_advance(b->sim, 5000000);
        integrate(m, legs, 0.06, s, 5e-6);
        ck_assert(wpin_sim_read_phases(b->sim, b->motor, &p));
        note(sim, p.amps[0], p.torque);
        note(own, s->amps[0], by_star(m, none, s, &d));
    }
}

/* Within a thousandth of the larger one, so within far less than anybody measures. */
static void compare(const course *a, const course *b, double top) {
    double rms = sqrt(b->square / b->count), torque = b->torque / b->count;
    ck_assert_double_eq_tol(sqrt(a->square / a->count), rms, 1e-3 * rms);
    ck_assert_double_eq_tol(a->peak, b->peak, 2e-3 * b->peak);
    ck_assert_double_eq_tol(a->torque / a->count, torque, 1e-3 * fabs(torque) + 1e-5);
    ck_assert_double_eq_tol(a->most - a->least, b->most - b->least, 2e-3 * top);
    ck_assert_double_eq_tol(a->least, b->least, 2e-3 * top); /* the notch as it commutates */
}

/* Six steps chopped at half duty under load, and braked: speed, current of a lead (rms and peak),
 * torque with its ripple and its notch; flat and sine, through a diode and the low side. */
START_TEST(six_steps_are_as_an_integrator_has_them) {
    wpin_part_motor m = drum;
    m.sinusoidal = _i % 2 != 0;
    m.inertia = 1.2e-5; /* soon there */
    m.load_torque = 0.1;
    board b = set_up(&m, 0.06, &(wpin_part_hall){0});
    state s = {0};
    course sim = {0}, own = {0};
    run_both(&b, &m, &s, 14000, false, _i / 2 != 0, &sim, &own);
    sim = own = (course){0};
    run_both(&b, &m, &s, 8500, false, _i / 2 != 0, &sim, &own);
    compare(&sim, &own, own.most);
    double w = wpin_sim_read(b.sim, b.motor).rpm * PI / 30;
    ck_assert_double_gt(s.speed, 50);
    ck_assert_double_eq_tol(w, s.speed, 1e-3 * s.speed);
    double steps = own.most / (own.torque / own.count);
    ck_assert_msg(steps > 1.2 && own.peak > 1.5, "%g, %g A", steps, own.peak); /* it has ripple */
    sim = own = (course){0};
    run_both(&b, &m, &s, 2000, true, true, &sim, &own);
    compare(&sim, &own, -own.least);
    ck_assert_double_gt(own.peak, 5);
    wpin_sim_free(b.sim);
}
END_TEST

/* Let go between two teeth it swings to the nearer one, and comes to rest where its friction holds
 * it; where that holds it at once it stays. */
START_TEST(a_magnet_rests_at_its_teeth) {
    static const double starts[] = {0.3, 0.45, 0.55, 0.9, 0.02};
    wpin_part_motor m = drum;
    m.load_torque = 0;
    m.static_friction = 0.004;
    m.dry_friction = 0.002;
    m.cogging = 0.02;
    m.cogging_steps = 24;
    m.start_turns = starts[_i] / m.cogging_steps;
    board b = set_up(&m, 0, &(wpin_part_hall){0});
    wpin_sim_advance(b.sim, 2000000000000LL);
    wpin_part_reading r = wpin_sim_read(b.sim, b.motor);
    double steps = r.turns * m.cogging_steps, off = steps - round(steps);
    ck_assert_double_eq(r.rpm, 0);
    ck_assert_double_le(m.cogging * fabs(sin(2 * PI * off)), m.static_friction + 1e-9);
    ck_assert_double_eq_tol(round(steps), round(starts[_i]), 1e-9);
    ck_assert(_i < 4 || r.turns == m.start_turns);
    ck_assert(_i == 4 || r.turns != m.start_turns);
    wpin_sim_free(b.sim);
}
END_TEST

/* Held, A to supply and B and C to ground: one winding in series with two in parallel. */
START_TEST(a_held_one_follows_the_closed_form) {
    wpin_part_motor m = drum;
    m.static_friction = 100;
    board b = set_up(&m, 0, &(wpin_part_hall){0});
    show_legs(&b, (const int[]){1, -1, -1});
    double ohms = 0.75 * m.resistance + 1.5 * three_phase_bridge.on_resistance;
    double henry = 0.75 * m.inductance;
    for (int i = 1; i <= 20; i++) {
        wpin_sim_advance(b.sim, 100000000LL);
        double amps = 24 / ohms * -expm1(-i * 1e-4 * ohms / henry);
        wpin_part_reading r = wpin_sim_read(b.sim, b.motor);
        ck_assert_double_eq_tol(fabs(r.amps_now), amps, 1e-6 * amps);
    }
    wpin_sim_free(b.sim);
}
END_TEST

/* However the time is cut: the same. */
START_TEST(time_in_parts_is_time_as_a_whole) {
    wpin_part_motor m = drum;
    m.sinusoidal = _i % 2 != 0;
    m.load_quadratic = 1e-6;
    m.delta = _i >= 4;
    board one = set_up(&m, 0.05, &(wpin_part_hall){0}),
          other = set_up(&m, 0.05, &(wpin_part_hall){0});
    pick_seed((uint32_t)_i + 1);
    for (int i = 0; i < 400; i++) {
        int legs[3] = {(int)pick(3) - 1, (int)pick(3) - 1, (int)pick(3) - 1};
        show_legs(&one, legs);
        show_legs(&other, legs);
        int64_t left = 1000000LL * (10 + pick(400));
        wpin_sim_advance(one.sim, left);
        while (left > 0) {
            int64_t part = 1 + (int64_t)pick(40000000);
            part = part < left ? part : left;
            wpin_sim_advance(other.sim, part);
            left -= part;
        }
        wpin_part_reading a = wpin_sim_read(one.sim, one.motor);
        wpin_part_reading c = wpin_sim_read(other.sim, other.motor);
        ck_assert_double_eq_tol(a.rpm, c.rpm, 0.1); /* it breaks loose at the end of a part */
        /* and what such a speed makes of the current */
        ck_assert_double_eq_tol(fabs(a.amps_now), fabs(c.amps_now), 2e-3);
        ck_assert_double_eq_tol(a.supply_amps, c.supply_amps, 2e-3);
    }
    wpin_sim_free(one.sim);
    wpin_sim_free(other.sim);
}
END_TEST

/* Their three legs on PWM with a dead time. */
static void start_legs(const board *const boards[2]) {
    for (int k = 0; k < 2; k++) {
        for (wpin_pin leg = 0; leg < 6; leg = (wpin_pin)(leg + 2)) {
            wpin_pwm_request request = {.hz = 20000, .dead_time_ns = 1000, .centred = true};
            wpin_pwm_achieved achieved;
            ck_assert_int_eq(boards[k]->port.leg_start(boards[k]->port.context, leg,
                                                       (wpin_pin)(leg + 1), &request, &achieved),
                             WPIN_OK);
        }
    }
}

/* A field that turns ever faster, and the rotor with it; as it is in the i-th period. */
static void show_field(const board *const boards[2], int i, double *turned, int way) {
    double hz = fmin(i / 20000.0, 0.3) * 500;
    *turned += 2 * PI * hz * 50e-6 * way;
    for (int x = 0; x < 3; x++) {
        double high = 0.5 + (0.05 + hz / 400) * sin(*turned - x * 2 * PI / 3);
        for (int k = 0; k < 2; k++) {
            boards[k]->port.leg_duty(boards[k]->port.context, (wpin_pin)(2 * x),
                                     (wpin_pin)(2 * x + 1), (uint16_t)lround(high * 16384));
        }
    }
}

static void pass_in_parts(const board *b, int64_t left, uint32_t least, uint32_t more) {
    for (int64_t part; left > 0; left -= part) {
        part = least + (int64_t)pick(more);
        part = part < left ? part : left;
        wpin_sim_advance(b->sim, part);
    }
}

/* In whole periods, in which the rotor is led on once in several edges, and edge by edge. */
START_TEST(whole_periods_are_as_good_as_edges) {
    wpin_part_motor m = drum;
    m.sinusoidal = true;
    m.load_quadratic = 1e-6;
    m.delta = _i >= 4;
    board whole = set_up(&m, 0.05, &(wpin_part_hall){0}),
          parts = set_up(&m, 0.05, &(wpin_part_hall){0});
    const board *both[] = {&whole, &parts};
    start_legs(both);
    pick_seed((uint32_t)_i + 9);
    double amps = 0, rpm = 0, most = 0, worst = 0, worst_rpm = 0, turned = 0;
    for (int i = 0; i < 8000; i++) {
        show_field(both, i, &turned, _i == 0 ? 1 : -1);
        wpin_sim_advance(whole.sim, 50000000);
        pass_in_parts(&parts, 50000000, 200000, 600000);
        wpin_part_reading a = wpin_sim_read(whole.sim, 0), b = wpin_sim_read(parts.sim, 0);
        amps = fabs(a.amps_now);
        rpm = fabs(a.rpm);
        most = fmax(most, amps);
        worst = fmax(worst, fabs(amps - fabs(b.amps_now)));
        worst_rpm = fmax(worst_rpm, fabs(rpm - fabs(b.rpm)));
    }
    ck_assert_double_gt(rpm, 2200); /* it has followed */
    ck_assert_double_gt(most, 3);
    ck_assert_double_lt(worst, 1e-6 * most);
    ck_assert_double_lt(worst_rpm, 1e-6 * rpm);
    wpin_sim_free(whole.sim);
    wpin_sim_free(parts.sim);
}
END_TEST

/* By the means of periods currents are within 0.1 % (rms) of those edge by edge, and so is what is
 * taken out of the supply; both ways, with a light rotor and a heavy one. In parts of periods,
 * whose ripple does not cancel, within 0.2 %. */
START_TEST(means_are_near_edges) {
    wpin_part_motor m = drum;
    m.sinusoidal = true;
    m.load_quadratic = 1e-6;
    m.inertia *= _i % 2 == 0 ? 1 : 1.4;
    m.inductance = _i < 4 ? m.inductance : 0.9e-3;
    board edges = set_up(&m, 0.05, &(wpin_part_hall){0}),
          means = set_up(&m, 0.05, &(wpin_part_hall){0});
    const board *both[] = {&edges, &means};
    start_legs(both);
    wpin_sim_average(means.sim, true);
    pick_seed((uint32_t)_i + 1);
    double off = 0, square = 0, turned = 0, taken[2] = {0};
    for (int i = 0; i < 8000; i++) {
        show_field(both, i, &turned, _i < 2 ? 1 : -1);
        wpin_sim_advance(edges.sim, 50000000);
        if (_i % 4 == 3) {
            pass_in_parts(&means, 50000000, 5000000, 60000000);
        } else {
            wpin_sim_advance(means.sim, 50000000);
        }
        wpin_part_phases a, b;
        ck_assert(wpin_sim_read_phases(edges.sim, 0, &a) && wpin_sim_read_phases(means.sim, 0, &b));
        for (int x = 0; x < 3; x++) {
            off += (a.amps[x] - b.amps[x]) * (a.amps[x] - b.amps[x]);
            square += a.amps[x] * a.amps[x];
        }
        taken[0] += wpin_sim_read(edges.sim, 0).supply_amps;
        taken[1] += wpin_sim_read(means.sim, 0).supply_amps;
    }
    ck_assert_double_gt(wpin_sim_read(edges.sim, 0).rpm * (_i < 2 ? 1 : -1), 2200);
    ck_assert_double_lt(sqrt(off / square), _i % 4 == 3 ? 2e-3 : 1e-3);
    ck_assert_double_gt(sqrt(off / square), 1e-5); /* it did go by means */
    ck_assert_double_eq_tol(taken[1], taken[0], 1e-3 * taken[0]);
    wpin_sim_free(edges.sim);
    wpin_sim_free(means.sim);
}
END_TEST

static void chop(const board *b, const int *legs, uint16_t duty) {
    const wpin_pwm_request request = {.hz = 20000, .dead_time_ns = 1000};
    wpin_pwm_achieved achieved;
    show_legs(b, legs);
    for (wpin_pin x = 0; x < 3; x++) {
        wpin_pin high = (wpin_pin)(2 * x), low = (wpin_pin)(2 * x + 1);
        if (legs[x] > 0) {
            ck_assert_int_eq(b->port.leg_start(b->port.context, high, low, &request, &achieved),
                             WPIN_OK);
            b->port.leg_duty(b->port.context, high, low, duty);
        }
    }
}

/* In six steps with chopping, commutated where it should be and late and early: over like periods
 * at once, where two leads conduct on their flat tops or are known from the period before, and edge
 * by edge. Both ways, with a fan, with what warms and a filter behind the shunt, with a sine; at a
 * duty at which the third lead comes to conduct to the supply; driving, and braked by it. */
START_TEST(like_periods_are_as_good_as_edges) {
    static const int rows[6][3] = {{1, -1, 0}, {1, 0, -1}, {0, 1, -1},
                                   {-1, 1, 0}, {-1, 0, 1}, {0, -1, 1}};
    wpin_part_motor m = drum;
    wpin_part_driver driver = three_phase_bridge;
    const int way = _i % 2 == 0 ? 1 : -1;
    m.load_quadratic = _i / 2 % 2 == 0 ? 0 : 2e-6;
    m.sinusoidal = _i >= 8;
    if (_i / 4 == 1) {
        m.heat = (wpin_part_heat){.resistance = 2, .time = 20, .limit = 400};
        driver.heat = (wpin_part_heat){.resistance = 5, .time = 10, .limit = 400};
        driver.sense_filter = 1e-3;
    }
    board whole = set_up_on(&driver, &m, 0.05, &(wpin_part_hall){0}),
          parts = set_up_on(&driver, &m, 0.05, &(wpin_part_hall){0});
    pick_seed((uint32_t)_i + 3);
    double most = 0, worst = 0, worst_rpm = 0, worst_drawn = 0, rpm = 0;
    for (int i = 0; i < 800; i++) {
        wpin_part_phases phases;
        ck_assert(wpin_sim_read_phases(parts.sim, 0, &phases));
        double early = (int)pick(21) - 10;
        int sector = (int)floor((phases.degrees + way * early - 30) / 60);
        int row = ((sector + (way > 0 ? 0 : 3)) % 6 + 6) % 6;
        double share = i < 600 ? 0.2 + 0.2 * sin(i * 3e-3) * sin(i * 3e-3) : 0.1;
        share = _i >= 12 && i > 300 && i < 500 ? 0.93 : share;
        chop(&whole, rows[row], (uint16_t)(share * 16384));
        chop(&parts, rows[row], (uint16_t)(share * 16384));
        int64_t left = 50000000LL * (3 + pick(8));
        wpin_sim_advance(whole.sim, left);
        for (int64_t part; left > 0; left -= part) {
            part = 1000000 + (int64_t)pick(24000000);
            part = part < left ? part : left;
            wpin_sim_advance(parts.sim, part);
        }
        wpin_part_reading a = wpin_sim_read(whole.sim, 0), b = wpin_sim_read(parts.sim, 0);
        rpm = fmax(rpm, fabs(a.rpm));
        most = fmax(most, fabs(a.amps_now));
        worst = fmax(worst, fabs(a.amps_now - b.amps_now));
        worst_drawn = fmax(worst_drawn, fabs(a.supply_amps - b.supply_amps));
        worst_rpm = fmax(worst_rpm, fabs(a.rpm - b.rpm));
        /* of pieces that are not the same, in which a torque may turn round */
        ck_assert_double_eq_tol(a.amps, b.amps, _i < 12 ? 0.02 : 0.3);
        ck_assert_double_eq_tol(a.degrees, b.degrees, 2e-5);
        ck_assert_double_eq_tol(a.driver_degrees, b.driver_degrees, 2e-5);
    }
    ck_assert_double_gt(rpm, 1200); /* it has followed */
    ck_assert_double_gt(most, 3);
    ck_assert_double_lt(worst, (m.sinusoidal ? 2.5e-5 : 4e-6) * most);
    ck_assert_double_lt(worst_drawn, (m.sinusoidal ? 4e-6 : 1e-6) * most);
    ck_assert_double_lt(worst_rpm, (m.sinusoidal ? 2e-6 : 1e-6) * rpm);
    wpin_sim_free(whole.sim);
    wpin_sim_free(parts.sim);
}
END_TEST

/* ---- its sensors ---- */

/* Who commutates by them, and sees how late they say so. */
typedef struct listener {
    board b;
    int edges;
    double latest; /* s */
} listener;

static void commutate(listener *l) {
    static const int rows[6][3] = {{1, -1, 0}, {1, 0, -1}, {0, 1, -1},
                                   {-1, 1, 0}, {-1, 0, 1}, {0, -1, 1}};
    wpin_part_phases now;
    ck_assert(wpin_sim_read_phases(l->b.sim, 0, &now));
    show_legs(&l->b, rows[((int)floor((now.degrees - 30) / 60) % 6 + 6) % 6]);
}

static void hear(void *context) {
    listener *l = context;
    wpin_part_phases now;
    ck_assert(wpin_sim_read_phases(l->b.sim, 0, &now));
    double past = fmod(now.degrees + 330, 60), rpm = wpin_sim_read(l->b.sim, 0).rpm;
    l->latest = fmax(l->latest, past / (rpm * 6 * drum.pole_pairs));
    l->edges++;
    commutate(l);
}

/* From rest on, a light rotor that is up to speed within a few edges and a heavy one, no edge is
 * missed, and each is seen within a microsecond: in stretches of a ms and of ten. */
START_TEST(its_sensors_speak_at_once) {
    wpin_part_motor m = drum;
    m.inertia *= _i % 2 == 0 ? 1 : 0.02;
    listener l = {.b = set_up(&m, 0.05, &(wpin_part_hall){0})};
    ck_assert(wpin_sim_on_hall(l.b.sim, l.b.hall, hear, &l));
    commutate(&l);
    for (int i = 0; i < 60; i++) {
        wpin_sim_advance(l.b.sim, _i < 2 ? 1000000000LL : 10000000000LL);
    }
    double turns = wpin_sim_read(l.b.sim, l.b.motor).turns;
    ck_assert_int_gt(l.edges, 60);
    ck_assert_double_eq_tol(l.edges, turns * 6 * m.pole_pairs, 1);
    ck_assert_double_lt(l.latest, 1e-6);
    wpin_sim_free(l.b.sim);
}
END_TEST

/* ---- with the core ---- */

static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static wpin_stage_config stage = {.lines = lines, .pwm_hz = 20000, .dead_time_us = 1};
static wpin_six_step_config phases = {
    .stage = &stage, .hall = {14, 15, 16}, .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
static wpin_six_step six;
static const wpin_motor_config config = {WPIN_ON_SIX_STEP(&six, &phases),
                                         .guard = {.cap = WPIN_DUTY_FULL,
                                                   .up = WPIN_SLEW_US(200000),
                                                   .down = WPIN_SLEW_US(200000),
                                                   .pause_us = 100000}};
static wpin_motor motor;

static void sensed(void *context) {
    (void)context;
    ck_assert_int_eq(wpin_six_step_edge(&six), WPIN_OK);
}

static void run_for(const board *b, int ms) {
    for (int i = 0; i < ms; i++) {
        wpin_motor_tick(&motor);
        wpin_sim_advance(b->sim, 1000000000LL);
    }
}

/* What a current round a delta with flat tops takes: the sum of the emf is a triangle at three
 * times the frequency, whose harmonics each drive one through three windings, Nm. */
static double round_a_delta(const wpin_part_motor *m, double w) {
    double k = 0.75 * m->constant, torque = 0;
    for (int n = 1; n < 12; n += 2) {
        double peak = 8 / (PI * PI * n * n), x = 3 * n * m->pole_pairs * w * m->inductance;
        torque +=
            k * k * w * peak * peak / 2 / (4.5 * m->resistance) / (1 + pow(x / m->resistance, 2));
    }
    return torque;
}

/* While two phases carry the current it is a brushed motor of its figures: the speed at a duty,
 * both ways, however its legs chop, flat and (by the mean of its peak) sine, in a delta too; the
 * energy of the supply is in the load, the friction and the copper. */
START_TEST(it_runs_as_fast_as_it_should) {
    wpin_part_motor m = drum;
    m.sinusoidal = _i % 2 != 0;
    m.delta = _i / 16 == 1;
    int way = _i / 2 % 2 == 0 ? 1 : -1;
    static const wpin_stage_table *const tables[] = {
        &wpin_table_three_phase_bridge, &wpin_table_three_phase_bridge_high,
        &wpin_table_three_phase_bridge_low, &wpin_table_three_phase_bridge_fast};
    const int table = (_i < 32 ? 0 : 2) + _i / 4 % 2;
    double duty = _i / 8 % 2 == 0 && table != 3 ? 0.4 : 0.85;
    board b = set_up(&m, 0.02, &(wpin_part_hall){.hysteresis = 1});
    stage.table = tables[table];
    ck_assert(wpin_sim_on_hall(b.sim, b.hall, sensed, NULL));
    ck_assert_int_eq(wpin_motor_init(&motor, &config, &b.port), WPIN_OK);
    run_for(&b, 150);
    ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
    ck_assert_int_eq(
        wpin_motor_run(&motor, (wpin_duty)(way * duty * WPIN_DUTY_FULL), 0, WPIN_TIMEOUT_HELD),
        WPIN_OK);
    run_for(&b, 700);
    wpin_sim_read(b.sim, b.motor);
    run_for(&b, 200);
    wpin_part_reading r = wpin_sim_read(b.sim, b.motor);
    double w = way * r.rpm_mean * PI / 30, flat = m.delta ? 7.0 / 8 : 1;
    double peak = m.constant * (m.sinusoidal ? 3 / PI : flat);
    double torque = m.dry_friction + m.load_torque + m.viscous_friction * w;
    torque += m.delta && !m.sinusoidal ? round_a_delta(&m, w) : 0;
    double amps = torque / peak;
    /* where it free-wheels through one diode, or through two back into the supply */
    const double off[] = {0, 0.7, 0.7, 24 + 2 * 0.7};
    double diode = (1 - duty) * off[table];
    double expected = (duty * 24 - diode - amps * (m.resistance + 0.06)) / peak;
    ck_assert_msg(fabs(w - expected) < 0.035 * expected, "%g rad/s, expected %g", w, expected);
    ck_assert_double_eq_tol(way * r.amps, amps, 0.08 * amps);
    double in = 24 * r.supply_amps, out = torque * w;
    ck_assert_double_gt(in, out);
    ck_assert_double_lt(in, 1.12 * out + 0.3);
    double counts = r.turns * 24;
    ck_assert_double_eq_tol(six.counts.counts, counts, 1.5);
    ck_assert_uint_eq(six.counts.illegal, 0);
    size_t burns;
    wpin_sim_burns(b.sim, &burns);
    ck_assert_uint_eq(burns, 0);
    wpin_motor_brake(&motor);
    run_for(&b, 300);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, b.motor).rpm, 0, 1e-9);
    wpin_motor_close(&motor);
    wpin_sim_free(b.sim);
}
END_TEST

/* The right sectors: of all twelve ways to wire sensors and phases it turns forward on a third, and
 * on the right one with the least current for its speed. */
START_TEST(the_wrong_wiring_shows) {
    static const uint8_t right[6] = {5, 1, 3, 2, 6, 4};
    double per_speed[12], best = HUGE_VAL;
    int turns = 0, chosen = -1;
    for (int wiring = 0; wiring < 12; wiring++) {
        for (int s = 0; s < 6; s++) {
            int at = wiring < 6 ? (s + wiring) % 6 : (18 - s - wiring) % 6;
            phases.sector_of[right[s]] = (uint8_t)at;
        }
        board b = set_up(&drum, 0.02, &(wpin_part_hall){0});
        stage.table = &wpin_table_three_phase_bridge_high;
        wpin_sim_on_hall(b.sim, b.hall, sensed, NULL);
        ck_assert_int_eq(wpin_motor_init(&motor, &config, &b.port), WPIN_OK);
        run_for(&b, 150);
        wpin_motor_arm(&motor);
        wpin_motor_run(&motor, 4000, 0, WPIN_TIMEOUT_HELD);
        run_for(&b, 600);
        wpin_sim_read(b.sim, b.motor);
        run_for(&b, 100);
        wpin_part_reading r = wpin_sim_read(b.sim, b.motor);
        bool goes = r.rpm_mean > 20;
        per_speed[wiring] = goes ? r.amps / r.rpm_mean : HUGE_VAL;
        turns += goes;
        if (per_speed[wiring] < best) {
            best = per_speed[wiring];
            chosen = wiring;
        }
        wpin_motor_close(&motor);
        wpin_sim_free(b.sim);
    }
    ck_assert_int_eq(chosen, 0);
    ck_assert_int_ge(turns, 2);
    ck_assert_int_le(turns, 4);
    for (uint8_t s = 0; s < 6; s++) {
        phases.sector_of[right[s]] = s;
    }
}
END_TEST

/* Its last currents die away through the diodes, and what rounding leaves of them is nothing: a
 * simulation that took it for a current would take hours for this second. */
START_TEST(what_is_left_of_its_currents_is_nothing) {
    static const char rig_text[] =
        "rig: weak\nsupplies:\n  main: {voltage: 2.131V, resistance: 59.57mohm, switch: on}\n"
        "loads:\n  pump:\n    supply: main\n    stage: {kind: three-half-bridges, pins: {a: 4, "
        "a-enable: 5, b: 6, b-enable: 7, c: 8, c-enable: 9}, pwm: 30.937Hz}\n    driver: "
        "{on-resistance: 18mohm, current-limit: 41A, current-time: 12ms, voltage-limit: 24V}\n"
        "    motor: {resistance: 0.4325ohm, inductance: 0.2221mH, constant: 35.9mNm/A, inertia: "
        "986.9gcm2, static-friction: 86.078mNm, dry-friction: 52.059mNm, pole-pairs: 7, back-emf: "
        "sine}\n    rest: 1s\n    hall: {pins: {a: 14, b: 15, c: 16}, uneven: 2deg}\n"
        "    ramp: {up: 1.25s, down: 0.309s}\n    duty-limit: 83%\n";
    static const char steps[] = "pump ramp 82.99%\npump hold 3s\npump stop\npump ramp 33.42%\n"
                                "pump hold 2s\npump stop\npump ramp reverse 33.42%\n"
                                "pump hold 1s\npump stop\npump rest 1s\n";
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("weak.yaml", rig_text), &m);
    wpin_plan *plan = rig != NULL ? wpin_plan_read_text("weak", steps, rig, &m) : NULL;
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(r != NULL && r->steps[r->step_count - 1].rpm == 0, "%s", why);
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("brushless");
    TCase *tests = tcase_create("brushless");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, it_agrees_with_an_integrator_of_its_own, 0, 24);
    tcase_add_loop_test(tests, a_magnet_rests_at_its_teeth, 0, 5);
    tcase_add_test(tests, a_held_one_follows_the_closed_form);
    tcase_add_loop_test(tests, means_are_near_edges, 0, 6);
    tcase_add_loop_test(tests, whole_periods_are_as_good_as_edges, 0, 2);
    tcase_add_loop_test(tests, like_periods_are_as_good_as_edges, 0, 14);
    tcase_add_loop_test(tests, its_sensors_speak_at_once, 0, 4);
    tcase_add_loop_test(tests, time_in_parts_is_time_as_a_whole, 0, 8);
    tcase_add_loop_test(tests, six_steps_are_as_an_integrator_has_them, 0, 4);
    tcase_add_loop_test(tests, it_runs_as_fast_as_it_should, 0, 48);
    tcase_add_test(tests, the_wrong_wiring_shows);
    tcase_add_test(tests, what_is_left_of_its_currents_is_nothing);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
