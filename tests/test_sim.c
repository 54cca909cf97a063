/* The simulated hardware against closed-form answers, and what it burns. */
#define _GNU_SOURCE
#include "support_sim.h"

START_TEST(final_speed_and_current) {
    bench b = ideal();
    b.motor.viscous_friction = 1e-5;
    b.motor.dry_friction = b.motor.static_friction = 5e-3;
    build(&b);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    wpin_part_reading r = after(&b, 5000 * MS);
    double speed = (K * V / R - 5e-3) / (1e-5 + K * K / R); /* K i = T + B w, V = R i + K w */
    ck_assert_double_eq_tol(r.rpm, rpm(speed), rpm(speed) * 1e-6);
    ck_assert_double_eq_tol(r.amps, (V - K * speed) / R, 1e-6);
    ck_assert_double_eq_tol(r.volts, V, 1e-6);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(stall_current_and_electrical_time_constant) {
    bench b = ideal();
    b.motor.static_friction = 10;
    b.supply.resistance = 0.5;
    b.bridge.on_resistance = 0.25;
    build(&b);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    double tau = L / (R + 0.5 + 2 * 0.25), stall = V / (R + 0.5 + 2 * 0.25);
    for (int i = 1; i <= 5; i++) {
        wpin_sim_advance(b.sim, llround(tau * 1e12));
        wpin_part_reading r = wpin_sim_read(b.sim, 0);
        ck_assert_double_eq_tol(r.amps_now, stall * (1 - exp(-i)), 1e-9);
        ck_assert_double_eq(r.rpm, 0);
        ck_assert_double_eq_tol(r.supply_volts, V - r.amps_now * 0.5, 1e-9);
    }
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(mechanical_time_constant) {
    bench b = ideal();
    b.motor.inductance = 1e-7; /* so small that only the mechanical one is left */
    build(&b);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    double tau = J * R / (K * K);
    wpin_sim_advance(b.sim, llround(tau * 1e12));
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).rpm, rpm(V / K) * (1 - exp(-1)),
                            rpm(V / K) * 1e-5);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(ripple_of_a_held_shaft) {
    bench b = ideal();
    b.motor.static_friction = 10;
    build(&b);
    double duty = 0.3, period = 50e-6, tau = L / R;
    set_duty(&b, duty);
    wpin_part_reading r = after(&b, 100 * MS);
    /* exact ripple of a first-order circuit switched between V and 0 */
    double up = 1 - exp(-duty * period / tau), down = 1 - exp(-(1 - duty) * period / tau);
    double ripple = V / R * up * down / (1 - exp(-period / tau));
    ck_assert_double_eq_tol(r.amps_max - r.amps_min, ripple, ripple * 1e-6);
    ck_assert_double_eq_tol(r.amps, duty * V / R, 1e-9);
    ck_assert_double_eq_tol(r.volts, duty * V, 1e-8);
    ck_assert_double_eq_tol(r.supply_amps, duty * r.amps, 1e-3); /* power in = power out */
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(run_down_time) {
    bench b = ideal();
    double torque = 2e-3, w0 = 300;
    b.motor.dry_friction = b.motor.static_friction = torque;
    build(&b);
    double volts = torque / K * R + K * w0; /* holds 300 rad/s */
    b.port.write(b.sim, PWM, WPIN_HIGH);
    wpin_sim_free(b.sim);
    b.supply.volts = volts;
    b.bridge.diode_volts = 0.7;
    build(&b);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    wpin_part_reading r = after(&b, 5000 * MS);
    ck_assert_double_eq_tol(r.rpm, rpm(w0), 0.01);
    b.port.write(b.sim, PWM, WPIN_LOW); /* coasts: only friction slows it */
    double stops = J * w0 / torque;
    wpin_sim_advance(b.sim, llround(stops * 0.5 * 1e12));
    double half = wpin_sim_read(b.sim, 0).rpm;
    wpin_sim_advance(b.sim, llround(stops * 0.49 * 1e12));
    ck_assert_double_gt(wpin_sim_read(b.sim, 0).rpm, 0);
    wpin_sim_advance(b.sim, llround(stops * 0.02 * 1e12));
    ck_assert_double_eq_tol(half, rpm(w0) / 2, rpm(w0) * 2e-3); /* current left over drives a bit */
    ck_assert_double_eq(wpin_sim_read(b.sim, 0).rpm, 0);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(braking_current_and_time) {
    bench b = ideal();
    b.motor.inductance = 1e-6;
    build(&b);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    double w0 = V / K, tau = J * R / (K * K);
    after(&b, 3000 * MS);
    b.port.write(b.sim, PWM, WPIN_LOW);
    b.port.write(b.sim, BRAKE, WPIN_HIGH);
    wpin_sim_read(b.sim, 0);
    wpin_sim_advance(b.sim, llround(tau * 1e12));
    wpin_part_reading r = wpin_sim_read(b.sim, 0);
    ck_assert_double_eq_tol(r.amps_min, -K * w0 / R, 0.03); /* as large as the stall current */
    ck_assert_double_eq_tol(r.rpm, rpm(w0) * exp(-1), rpm(w0) * 1e-3);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(static_friction_holds_then_lets_go) {
    bench b = ideal();
    b.motor.static_friction = 20e-3; /* needs 1 A, so 2 V, so 16.7 % in the mean */
    b.motor.dry_friction = 8e-3;
    build(&b);
    for (int percent = 1; percent <= 30; percent++) {
        set_duty(&b, percent / 100.0);
        wpin_part_reading r = after(&b, 200 * MS);
        if (percent <= 16) {
            ck_assert_msg(r.rpm == 0, "moves at %d %%", percent);
        } else if (percent >= 17) {
            ck_assert_msg(r.rpm > 0, "stands at %d %%", percent);
        }
    }
    set_duty(&b, 0.12); /* once it turns it goes on below the start duty */
    ck_assert_double_gt(after(&b, 3000 * MS).rpm, 0);
    set_duty(&b, 0.05);
    ck_assert_double_eq(after(&b, 3000 * MS).rpm, 0);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(gear_load_and_fan_balance) {
    bench b = ideal();
    b.motor.gear_ratio = 10;
    b.motor.gear_efficiency = 0.8;
    b.motor.load_torque = 0.05;
    b.motor.load_viscous = 1e-3;
    b.motor.load_quadratic = 1e-4;
    build(&b);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    wpin_part_reading r = after(&b, 20000 * MS);
    double out = r.rpm * M_PI / 30;
    double torque = (0.05 + 1e-3 * out + 1e-4 * out * out) / (10 * 0.8);
    ck_assert_double_eq_tol(K * r.amps, torque, torque * 1e-5);
    ck_assert_double_eq_tol(r.amps * R + K * out * 10, V, 1e-5);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(low_current_stops_between_pulses) {
    bench b = ideal(); /* with diodes the current of an idle motor stops in each period */
    b.bridge.diode_volts = 0.7;
    b.bridge.off_phase = _i ? WPIN_OFF_FAST : WPIN_OFF_SLOW;
    build(&b);
    set_duty(&b, 0.2);
    wpin_part_reading r = after(&b, 60000 * MS);
    ck_assert_double_eq(r.amps_min, 0);
    ck_assert_double_gt(r.amps_max, 0.01);
    ck_assert_double_gt(r.rpm, 1.2 * rpm(0.2 * V / K)); /* faster than its mean volts say */
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(directions_are_mirror_images) {
    wpin_part_reading r[2];
    for (int way = 0; way < 2; way++) {
        bench b = ideal();
        b.motor.dry_friction = b.motor.static_friction = 3e-3;
        b.bridge.diode_volts = 0.7;
        build(&b);
        b.port.write(b.sim, DIRECTION, way ? WPIN_LOW : WPIN_HIGH);
        set_duty(&b, 0.4);
        r[way] = after(&b, 500 * MS);
        wpin_sim_free(b.sim);
    }
    ck_assert_double_eq(r[0].rpm, -r[1].rpm);
    ck_assert_double_eq(r[0].amps_max, -r[1].amps_min);
}
END_TEST

START_TEST(time_steps_do_not_matter) {
    static const int64_t steps[] = {MS, 7 * US, 313 * US + 17, 40 * MS};
    double speed = 0;
    for (int i = 0; i < 4; i++) {
        bench b = ideal();
        b.motor.dry_friction = b.motor.static_friction = 3e-3;
        build(&b);
        set_duty(&b, 0.37);
        while (wpin_sim_time(b.sim) < 280 * MS) {
            int64_t left = 280 * MS - wpin_sim_time(b.sim);
            wpin_sim_advance(b.sim, steps[i] < left ? steps[i] : left);
        }
        double now = wpin_sim_read(b.sim, 0).rpm;
        ck_assert(i == 0 || fabs(now - speed) < speed * 1e-9);
        speed = now;
        wpin_sim_free(b.sim);
    }
}
END_TEST

START_TEST(supply_off_means_no_motion) {
    bench b = ideal();
    b.supply.on = false;
    build(&b);
    wpin_sim_wire_supply(b.sim, 0, 3, 0.25);
    b.port.write(b.sim, PWM, WPIN_HIGH);
    wpin_part_reading r = after(&b, 500 * MS);
    ck_assert_double_eq(r.rpm, 0);
    ck_assert_double_eq(r.supply_volts, 0);
    ck_assert_int_eq(b.port.millivolts(b.sim, 3), 0);
    wpin_sim_switch(b.sim, 0, true);
    ck_assert_int_eq(b.port.millivolts(b.sim, 3), 3000);
    double turning = after(&b, 500 * MS).rpm;
    ck_assert_double_gt(turning, 100);
    wpin_sim_switch(b.sim, 0, false);
    r = after(&b, 100 * MS);
    ck_assert_double_eq(r.amps, 0);
    ck_assert_double_eq_tol(r.rpm, turning, turning * 0.01); /* no friction: it coasts */
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(current_sense_reads_the_current) {
    bench b = ideal();
    b.motor.static_friction = 10;
    b.bridge.sense_volts_per_amp = 0.4;
    b.bridge.sense_filter = 1e-3;
    build(&b);
    wpin_sim_wire_sense(b.sim, 0, 2);
    b.port.write(b.sim, DIRECTION, WPIN_LOW);
    set_duty(&b, 0.5);
    after(&b, 50 * MS);
    ck_assert_int_eq(b.port.millivolts(b.sim, 2), (int)lround(0.5 * V / R * 0.4 * 1000));
    ck_assert_int_eq(b.port.millivolts(b.sim, 5), 0);
    wpin_sim_free(b.sim);
}
END_TEST

/* A fast one follows the ripple: beside its equation s' = (i - s) / T in steps of a fifth of a
 * microsecond, seen at each of them and once in a period. */
START_TEST(a_fast_sense_follows_the_ripple) {
    const double filter = 4e-6;
    for (int stretch = 1; stretch <= 250; stretch *= 250) {
        bench b = ideal(), exact = b;
        b.motor.static_friction = exact.motor.static_friction = 10;
        b.bridge.sense_volts_per_amp = exact.bridge.sense_volts_per_amp = 1;
        b.bridge.sense_filter = filter;
        build(&b), build(&exact);
        wpin_sim_wire_sense(b.sim, 0, 2);
        set_duty(&b, 0.3), set_duty(&exact, 0.3);
        double sensed = 0, before = 0, least = 1e9, most = 0;
        for (int n = 0; n < 250 * 400; n++) { /* 20 ms */
            wpin_sim_advance(exact.sim, US / 5);
            double now = wpin_sim_read(exact.sim, 0).amps_now;
            sensed += (0.2e-6 / filter) * ((before + now) / 2 - sensed);
            before = now;
            if (n % stretch == stretch - 1) {
                wpin_sim_advance(b.sim, stretch * US / 5);
                double told = b.port.millivolts(b.sim, 2) * 1e-3;
                ck_assert_msg(fabs(told - sensed) < 4e-3, "stretch %d, %d: %g, not %g", stretch, n,
                              told, sensed);
                least = n < 90000 ? least : fmin(least, told);
                most = n < 90000 ? most : fmax(most, told);
            }
        }
        ck_assert(stretch > 1 || most - least > 0.04); /* of a ripple of 63 mA */
        wpin_sim_free(b.sim);
        wpin_sim_free(exact.sim);
    }
}
END_TEST

static double share_off = 2e-7;

/* Where a shaft breaks loose, and more so where it meets a stop, depends a little on where the
 * pieces before it end. */
static void same_share(double a, double b, double scale, const char *what, int n) {
    ck_assert_msg(fabs(a - b) <= share_off * scale, "%s, stretch %d: %.15g and %.15g", what, n, a,
                  b);
}

/* Whole stretches of PWM at once, and the same piece by piece: parts of a period never leap. Duties
 * of all sizes, none and all included; shafts that stop and break loose; end stops; heat; from the
 * tenth on so little friction that the current stops in every period, from the twentieth a fan. */
/* A bare bridge of four switches, each on a pin of its own; a-high and b-high on PWM. */
static int build_bare(bench *b) {
    b->sim = wpin_sim_new(&controller);
    b->bridge.logic = WPIN_LOGIC_FULL_BRIDGE;
    int bridge = wpin_sim_add_bridge(b->sim, &b->bridge, wpin_sim_add_supply(b->sim, &b->supply));
    ck_assert_int_eq(wpin_sim_add_motor(b->sim, &b->motor, bridge), 0);
    b->port = wpin_sim_port(b->sim);
    wpin_pwm_achieved achieved;
    for (wpin_pin pin = 0; pin < 4; pin++) {
        wpin_sim_wire_input(b->sim, bridge, pin, pin);
        b->port.open(b->sim, pin, WPIN_LOW);
    }
    for (wpin_pin pin = 0; pin < 4; pin += 2) {
        b->port.pwm_start(b->sim, pin, &(wpin_pwm_request){.hz = 20000}, &achieved);
    }
    return bridge;
}

/* A high side needs its capacitor: charged by its leg at ground, which the other low side sees to
 * through the winding, and empty again after it was on, or everything off, for too long. */
START_TEST(a_high_side_lives_on_its_capacitor) {
    static const struct {
        double duty, charge; /* us */
        int before_ms;       /* low sides on */
        double amps;         /* after 3 ms, and after 30 */
        double later;
    } rows[] = {{0.5, 0, 0, 3, 3},         {0.5, 100, 0, 3, 3}, {0.5, 0, 3, 3, 3},
                {1.0, 0, 1, 6, 0},         {1.0, 100, 1, 6, 0}, {0.98, 0, 0, 5.88, 5.88},
                {0.98, 400, 1, 5.88, 5.88}};
    bench b = ideal();
    b.motor.inertia = 1e3; /* it hardly turns */
    b.bridge.bootstrap_time = 10e-3;
    b.bridge.bootstrap_charge = rows[_i].charge * 1e-6;
    build_bare(&b);
    wpin_sim_advance(b.sim, 5 * MS);
    if (rows[_i].before_ms > 0) {
        b.port.write(b.sim, 1, WPIN_HIGH);
        b.port.write(b.sim, 3, WPIN_HIGH);
        wpin_sim_advance(b.sim, rows[_i].before_ms * MS);
        b.port.write(b.sim, 1, WPIN_LOW);
    }
    b.port.write(b.sim, 3, WPIN_HIGH);
    b.port.pwm_duty(b.sim, 0, (uint16_t)(rows[_i].duty * WPIN_DUTY_FULL));
    wpin_part_reading r = after(&b, 8 * MS);
    ck_assert_double_eq_tol(r.amps, rows[_i].amps, 0.06 * rows[_i].amps + 0.02);
    for (int ms = 0; ms < 22; ms++) {
        b.port.pwm_duty(b.sim, 0, (uint16_t)(rows[_i].duty * WPIN_DUTY_FULL));
        wpin_sim_advance(b.sim, MS);
    }
    wpin_sim_read(b.sim, 0);
    wpin_sim_advance(b.sim, MS / 2);
    r = wpin_sim_read(b.sim, 0);
    ck_assert_double_eq_tol(r.amps, rows[_i].later, 0.06 * rows[_i].later + 0.02);
    size_t events;
    const wpin_part_event *all = wpin_sim_events(b.sim, &events);
    ck_assert((events > 0) == (rows[_i].later == 0));
    ck_assert(events == 0 || strstr(all[0].what, "capacitor is empty after 10 ms") != NULL);
    wpin_sim_free(b.sim);
}
END_TEST

/* A switch that never turns on leaves its diode; one that never turns off drives whatever is asked
 * for, and is a short once the other side of its leg comes on. */
START_TEST(switches_break) {
    static const struct {
        wpin_part_fault fault;
        int which; /* of a-high, a-low, b-high, b-low */
        int way;   /* asked for, 0: nothing */
        double least, most;
        bool burns;
    } rows[] = {
        {WPIN_PART_FAULT_SWITCH_OPEN, 0, 1, 0, 0, false},
        {WPIN_PART_FAULT_SWITCH_OPEN, 0, -1, -3.2, -2.8, false},
        {WPIN_PART_FAULT_SWITCH_OPEN, 3, 1, 0, 0, false},
        {WPIN_PART_FAULT_SWITCH_OPEN, 2, -1, 0, 0, false},
        {WPIN_PART_FAULT_SWITCH_SHORTED, 0, 0, 0, 0, false},
        {WPIN_PART_FAULT_SWITCH_SHORTED, 0, 1, 5.8, 6.1, false}, /* whatever the duty */
        {WPIN_PART_FAULT_SWITCH_SHORTED, 0, -1, 0, 0, true},
        {WPIN_PART_FAULT_SWITCH_SHORTED, 3, 1, 2.8, 3.2, false},
        {WPIN_PART_FAULT_SWITCH_SHORTED, 3, -1, 0, 0, true},
    };
    for (int protects = 0; protects < 2; protects++) {
        bench b = ideal();
        b.motor.inertia = 1e3;
        b.bridge.interlock = protects != 0; /* nothing that its logic does helps */
        int bridge = build_bare(&b);
        ck_assert(wpin_sim_inject(b.sim, rows[_i].fault, bridge, rows[_i].which, true));
        wpin_sim_advance(b.sim, 2 * MS);
        int low = rows[_i].way > 0 ? 3 : 1, high = rows[_i].way > 0 ? 0 : 2;
        if (rows[_i].way != 0) {
            b.port.write(b.sim, (wpin_pin)low, WPIN_HIGH);
            b.port.pwm_duty(b.sim, (wpin_pin)high, WPIN_DUTY_FULL / 2);
        }
        wpin_part_reading r = after(&b, 20 * MS);
        size_t burns;
        const wpin_part_burn *all = wpin_sim_burns(b.sim, &burns);
        ck_assert_msg((burns > 0) == rows[_i].burns, "%zu burnt", burns);
        ck_assert(burns == 0 || strstr(all[0].reason, "both sides of leg") != NULL);
        ck_assert_msg(r.amps >= rows[_i].least - 0.02 && r.amps <= rows[_i].most + 0.02, "%g A",
                      r.amps);
        if (burns == 0) { /* mended it does what it is told */
            ck_assert(wpin_sim_inject(b.sim, rows[_i].fault, bridge, rows[_i].which, false));
            b.port.pwm_duty(b.sim, 2, 0);
            b.port.write(b.sim, 1, WPIN_LOW);
            wpin_sim_advance(b.sim, MS);
            b.port.write(b.sim, 3, WPIN_HIGH);
            b.port.pwm_duty(b.sim, 0, WPIN_DUTY_FULL / 2);
            ck_assert_double_eq_tol(after(&b, 20 * MS).amps, 3, 0.2);
        }
        ck_assert(!wpin_sim_inject(b.sim, rows[_i].fault, bridge, 6, true));
        wpin_sim_free(b.sim);
    }
}
END_TEST

START_TEST(leaps_come_where_steps_come) {
    pick_seed((uint32_t)_i + 900);
    bench b = ideal();
    b.bridge.on_resistance = 0.1;
    b.bridge.diode_volts = 0.8;
    b.bridge.sense_filter = _i % 2 == 0 ? 1e-3 : 0;
    b.bridge.off_phase = (wpin_off_phase)(_i % 3);
    if (_i % 4 < 2) {
        b.motor.heat = (wpin_part_heat){.resistance = 2, .time = 20, .limit = 1e6};
    }
    b.motor.dry_friction = b.motor.static_friction = _i < 10 ? 3e-3 : 2e-4;
    b.motor.viscous_friction = _i < 10 ? 1e-5 : 1e-7;
    b.motor.load_quadratic = _i < 20 ? 0 : pick(400) * 1e-9;
    share_off = _i < 20 ? 2e-7 : 1e-6; /* a fan's torque is that of its mean speed in a piece */
    const bool stops =
        _i % 5 == 0 && _i < 10; /* lightly driven into one, where it ends is chance */
    b.motor.stop_high = stops ? 20 : 0;
    b.motor.stop_low = stops ? -20 : 0;
    double full = stops ? 1e4 * V / R : V / R, most_rpm = full * R / K * 30 / M_PI;
    bench other = b;
    build(&b);
    build(&other);
    for (int n = 0; n < 400; n++) {
        double duty = pick(8) == 0 ? pick(2) : pick(1000) / 1000.0;
        bool brake = pick(12) == 0;
        int ms = 1 + (int)pick(6);
        set_duty(&b, brake ? 0 : duty);
        set_duty(&other, brake ? 0 : duty);
        b.port.write(b.sim, BRAKE, brake ? WPIN_HIGH : WPIN_LOW);
        other.port.write(other.sim, BRAKE, brake ? WPIN_HIGH : WPIN_LOW);
        wpin_sim_advance(b.sim, ms * MS);
        for (int part = 0; part < ms * 25; part++) {
            wpin_sim_advance(other.sim, 40 * US);
        }
        wpin_part_reading r = wpin_sim_read(b.sim, 0), s = wpin_sim_read(other.sim, 0);
        same_share(r.amps_now, s.amps_now, full, "current", n);
        same_share(r.amps, s.amps, full, "mean current", n);
        same_share(r.rpm, s.rpm, most_rpm, "speed", n);
        same_share(r.turns, s.turns, (1 + fabs(s.turns)) * full, "angle", n);
        same_share(r.supply_amps, s.supply_amps, full, "drawn", n);
        same_share(r.amps_max, s.amps_max, 100 * full, "highest current", n);
        same_share(r.amps_min, s.amps_min, 100 * full, "lowest current", n);
        same_share(r.degrees, s.degrees, 1e5, "heat", n); /* it is looked at less often */
    }
    wpin_sim_free(b.sim);
    wpin_sim_free(other.sim);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sim");
    TCase *tests = tcase_create("sim");
    tcase_add_loop_test(tests, a_high_side_lives_on_its_capacitor, 0, 7);
    tcase_add_loop_test(tests, switches_break, 0, 9);
    tcase_add_test(tests, final_speed_and_current);
    tcase_add_test(tests, stall_current_and_electrical_time_constant);
    tcase_add_test(tests, mechanical_time_constant);
    tcase_add_test(tests, ripple_of_a_held_shaft);
    tcase_add_test(tests, run_down_time);
    tcase_add_test(tests, braking_current_and_time);
    tcase_add_test(tests, static_friction_holds_then_lets_go);
    tcase_add_test(tests, gear_load_and_fan_balance);
    tcase_add_loop_test(tests, low_current_stops_between_pulses, 0, 2);
    tcase_add_test(tests, directions_are_mirror_images);
    tcase_add_test(tests, time_steps_do_not_matter);
    tcase_add_test(tests, supply_off_means_no_motion);
    tcase_add_test(tests, current_sense_reads_the_current);
    tcase_add_test(tests, a_fast_sense_follows_the_ripple);
    tcase_add_loop_test(tests, leaps_come_where_steps_come, 0, 30);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
