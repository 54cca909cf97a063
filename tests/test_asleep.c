/* Loads that rest cost nothing: they sleep until something concerns them, and nobody can tell.
 * Beside each board stands one whose drivers are all made to look anew all the time (a fault that
 * is not there is mended: that counts as a change). */
#define _GNU_SOURCE
#include "support_sim.h"

enum { MOTOR, RELAY, LAMP, PLUNGER, STEPPER, LOADS };
enum { FIRST_PIN = 20 };

typedef struct house {
    wpin_sim *sim;
    wpin_port port;
} house;

static int driver(house *h, int number, const wpin_part_driver *part, int inputs) {
    int bridge = wpin_sim_add_bridge(h->sim, part, 0);
    ck_assert_int_eq(bridge, number);
    for (int i = 0; i < inputs; i++) {
        wpin_pin pin = (wpin_pin)(FIRST_PIN + 4 * number + i);
        h->port.open(h->sim, pin, WPIN_LOW);
        ck_assert(wpin_sim_wire_input(h->sim, bridge, i, pin));
    }
    return bridge;
}

/* A house with a load of every kind on one supply; drivers that protect themselves and try again:
 * each start of a motor takes too much. */
static house built(double capacitance, bool protects) {
    bench b = ideal();
    house h = {.sim = wpin_sim_new(&controller)};
    h.port = wpin_sim_port(h.sim);
    b.supply.resistance = 0.1;
    b.supply.capacitance = capacitance;
    wpin_sim_add_supply(h.sim, &b.supply);
    b.bridge.diode_volts = 0.7;
    b.bridge.on_resistance = 0.1;
    b.bridge.protects = protects;
    b.bridge.burns_above_amps = protects ? 4 : 100;
    b.bridge.burns_after = 1e-3;
    b.motor.dry_friction = b.motor.static_friction = 3e-3;
    b.motor.heat = (wpin_part_heat){.resistance = 2, .time = 20, .limit = 1e6};
    ck_assert_int_eq(wpin_sim_add_motor(h.sim, &b.motor, driver(&h, MOTOR, &b.bridge, 3)), MOTOR);
    wpin_part_driver one = b.bridge;
    one.logic = WPIN_LOGIC_LOW_SIDE;
    wpin_part_driver relay = one;
    relay.logic = WPIN_LOGIC_RELAY;
    relay.contact_delay = 5e-3;
    relay.contact_bounce = protects ? 0 : 2e-3; /* how often it moved decides on how it bounces */
    one.burns_above_amps = 100; /* a cold lamp's first current ends near the limit, or past it */
    wpin_part_motor fan = b.motor;
    fan.load_quadratic = 5e-8;
    ck_assert_int_eq(wpin_sim_add_motor(h.sim, &fan, driver(&h, RELAY, &relay, 1)), RELAY);
    wpin_part_lamp lamp = {
        .name = "lamp", .volts = 12, .watts = 10, .cold_share = 0.1, .warm_up = 0.1};
    ck_assert_int_eq(wpin_sim_add_lamp(h.sim, &lamp, driver(&h, LAMP, &one, 1)), LAMP);
    wpin_part_solenoid coil = {.name = "coil",
                               .resistance = 8,
                               .inductance = 30e-3,
                               .pull_in = 0.8,
                               .pull_in_time = 10e-3,
                               .drop_out = 0.2};
    ck_assert_int_eq(wpin_sim_add_solenoid(h.sim, &coil, driver(&h, PLUNGER, &one, 1)), PLUNGER);
    wpin_part_stepper stepper = {.name = "table",
                                 .steps_per_rev = 200,
                                 .resistance = 14,
                                 .inductance = 18e-3,
                                 .rated_amps = 0.8,
                                 .holding_torque = 0.4,
                                 .inertia = 9e-5,
                                 .dry_friction = 0.02,
                                 .viscous_friction = 1e-3};
    wpin_part_driver both = b.bridge;
    both.logic = WPIN_LOGIC_DUAL_BRIDGE;
    ck_assert_int_eq(wpin_sim_add_stepper(h.sim, &stepper, driver(&h, STEPPER, &both, 4)), STEPPER);
    return h;
}

static void keep_awake(house *h) {
    wpin_sim_inject(h->sim, WPIN_PART_FAULT_WIRE_OFF, MOTOR, 5, false);
}

static void compare(house *a, house *b, int n, double off) {
    for (int load = 0; load < LOADS; load++) {
        wpin_part_reading r = wpin_sim_read(a->sim, load), s = wpin_sim_read(b->sim, load);
        const struct {
            const char *what;
            double a, b, scale;
        } all[] = {{"seconds", r.seconds, s.seconds, 1e-7},
                   {"amps", r.amps, s.amps, 10},
                   {"amps now", r.amps_now, s.amps_now, 10},
                   {"least", r.amps_min, s.amps_min, 10},
                   {"most", r.amps_max, s.amps_max, 10},
                   {"drawn", r.supply_amps, s.supply_amps, 10},
                   {"supply", r.supply_volts, s.supply_volts, 12},
                   {"speed", r.rpm, s.rpm, 3000},
                   {"volts", r.volts, s.volts, 12},
                   {"effect", r.effect, s.effect, 20},
                   {"warmth", r.degrees, s.degrees, 100}};
        for (size_t i = 0; i < sizeof all / sizeof *all; i++) {
            ck_assert_msg(fabs(all[i].a - all[i].b) <= off * all[i].scale,
                          "%d: %s of load %d: %.12g and %.12g", n, all[i].what, load, all[i].a,
                          all[i].b);
        }
    }
    size_t one, other;
    wpin_sim_burns(a->sim, &one), wpin_sim_burns(b->sim, &other);
    ck_assert_uint_eq(one, other);
}

/* One of the things that can concern a load. */
static void concern(house *h, uint32_t what, uint32_t which, uint32_t on) {
    static const int inputs[LOADS] = {3, 1, 1, 1, 4};
    static const wpin_part_fault faults[] = {WPIN_PART_FAULT_PIN_FLOATING, WPIN_PART_FAULT_WIRE_OFF,
                                             WPIN_PART_FAULT_MOTOR_WIRE_OFF,
                                             WPIN_PART_FAULT_STALLED};
    int load = (int)(which % LOADS), input = (int)(which / LOADS) % inputs[load];
    if (what < 24) {
        h->port.write(h->sim, (wpin_pin)(FIRST_PIN + 4 * load + input), on ? WPIN_HIGH : WPIN_LOW);
    } else if (what < 28) {
        wpin_sim_switch(h->sim, 0, on);
    } else {
        wpin_sim_inject(h->sim, faults[what % 4], load, input, on);
    }
}

/* Random concerns and long rests; from the fifth on a supply that is driven up by what comes back.
 */
START_TEST(nobody_can_tell) {
    house a = built(_i < 4 ? 0 : 2e-3, true), b = built(_i < 4 ? 0 : 2e-3, true);
    pick_seed((uint32_t)_i + 70);
    for (int n = 0; n < 300; n++) {
        uint32_t what = pick(32), which = pick(1000), on = pick(5) < 2;
        concern(&a, what, which, on), concern(&b, what, which, on);
        int steps = (int)(pick(10) == 0 ? pick(5000) : pick(50));
        for (int k = 0; k < steps; k++) {
            wpin_sim_advance(a.sim, 100 * US);
            keep_awake(&b);
            wpin_sim_advance(b.sim, 100 * US);
        }
        compare(&a, &b, n, 1e-4);
    }
    wpin_sim_free(a.sim);
    wpin_sim_free(b.sim);
}
END_TEST

typedef struct told {
    int count;
    int64_t sum;
} told;

static void note(void *context, int64_t ps, wpin_pin pin, wpin_level level) {
    told *t = context;
    t->count++;
    t->sum += ps / 1000 * (pin + (level == WPIN_HIGH ? 100 : 0));
}

/* A timer of the controller touches pins every 100 us: the hardware may follow in longer stretches,
 * but at each touch it is where it would have been, and its clock always says what it is. */
START_TEST(the_hardware_may_follow_later) {
    house a = built(0, false), b = built(0, false);
    told at_once = {0}, later = {0};
    wpin_sim_watch_pins(a.sim, note, &at_once), wpin_sim_watch_pins(b.sim, note, &later);
    house *both[] = {&a, &b};
    for (int i = 0; i < 2; i++) {
        wpin_pwm_achieved achieved;
        wpin_pin pwm = FIRST_PIN + 4 * MOTOR + WPIN_DRIVER_INPUT_PWM; /* nobody else touches it */
        both[i]->port.pwm_start(both[i]->sim, pwm, &(wpin_pwm_request){.hz = 20000}, &achieved);
        both[i]->port.pwm_duty(both[i]->sim, pwm, WPIN_DUTY_FULL / 3);
    }
    pick_seed((uint32_t)_i + 170);
    for (int n = 0; n < 4000; n++) {
        if (pick(6) == 0) {
            uint32_t which = pick(4), on = pick(2); /* a stepper would fall out of step, or not */
            concern(&a, 0, which, on), concern(&b, 0, which, on);
        }
        wpin_sim_advance(a.sim, 100 * US);
        if (n % 10 == 9) {
            wpin_sim_advance(b.sim, 100 * US);
            compare(&a, &b, n, 5e-2); /* a sag is felt up to 250 us later */
        } else {
            wpin_sim_pass(b.sim, 100 * US);
        }
        ck_assert_int_eq(wpin_sim_time(a.sim), wpin_sim_time(b.sim));
        uint32_t one = a.port.now(a.sim), other = b.port.now(b.sim);
        ck_assert_uint_eq(one, other);
    }
    ck_assert_int_eq(at_once.count, later.count);
    ck_assert_int_eq(at_once.sum, later.sum);
    ck_assert_int_gt(later.count, 8000);
    wpin_sim_free(a.sim);
    wpin_sim_free(b.sim);
}
END_TEST

/* Its supply sags by what another load draws, and it starts on those volts. */
START_TEST(what_sleeps_knows_its_volts) {
    house h = built(0, false);
    wpin_sim_advance(h.sim, 100 * MS);
    h.port.write(h.sim, FIRST_PIN + 4 * LAMP, WPIN_HIGH);
    wpin_sim_advance(h.sim, 2000 * MS);
    wpin_part_reading lamp = wpin_sim_read(h.sim, LAMP), motor = wpin_sim_read(h.sim, MOTOR);
    ck_assert_double_gt(lamp.amps_now, 0.5);
    ck_assert_double_eq_tol(motor.supply_volts, V - 0.1 * lamp.amps_now, 1e-3);
    ck_assert_double_eq_tol(motor.seconds, 2.1, 1e-9);
    wpin_sim_free(h.sim);
}
END_TEST

/* An idle driver on the supply that another one's motor drives up burns all the same. */
START_TEST(what_sleeps_can_burn) {
    bench b = ideal();
    b.supply.capacitance = 470e-6;
    b.bridge.logic = WPIN_LOGIC_HALF_BRIDGES;
    b.motor.load_inertia = 5e-4;
    build(&b);
    wpin_part_driver idle = b.bridge;
    idle.name = "idle";
    idle.burns_above_volts = 20;
    int number = wpin_sim_add_bridge(b.sim, &idle, 0);
    b.port.open(b.sim, 40, WPIN_LOW);
    wpin_sim_wire_input(b.sim, number, 0, 40);
    ck_assert_int_ge(wpin_sim_add_motor(b.sim, &b.motor, number), 0);
    wpin_pwm_achieved a;
    b.port.pwm_start(b.sim, DIRECTION, &(wpin_pwm_request){.hz = 20000}, &a);
    b.port.write(b.sim, BRAKE, WPIN_HIGH);
    b.port.write(b.sim, PWM, WPIN_LOW);
    b.port.pwm_duty(b.sim, DIRECTION, WPIN_DUTY_FULL);
    wpin_sim_advance(b.sim, 20000 * MS);
    b.port.pwm_duty(b.sim, DIRECTION, WPIN_DUTY_FULL * 4 / 10);
    wpin_sim_advance(b.sim, 500 * MS);
    size_t count;
    const wpin_part_burn *burns = wpin_sim_burns(b.sim, &count);
    ck_assert_uint_eq(count, 1);
    ck_assert_str_eq(burns[0].part, "idle");
    wpin_sim_free(b.sim);
}
END_TEST

/* Lights on one supply, each behind a transistor to ground. */
static house lit_by(int count, const wpin_part_lamp *lights) {
    bench b = ideal();
    house h = {.sim = wpin_sim_new(&controller)};
    h.port = wpin_sim_port(h.sim);
    b.supply.resistance = 0.4;
    wpin_sim_add_supply(h.sim, &b.supply);
    b.bridge.logic = WPIN_LOGIC_LOW_SIDE;
    b.bridge.on_resistance = 0.1;
    for (int i = 0; i < count; i++) {
        ck_assert_int_eq(wpin_sim_add_lamp(h.sim, &lights[i], driver(&h, i, &b.bridge, 1)), i);
    }
    return h;
}

/* What diodes take goes by V = 12 V - 0.4 ohm of all of it: they come to that together, though each
 * takes the same from one stretch to the next as long as it has not seen what the others take. */
START_TEST(what_stands_still_saw_the_others) {
    const wpin_part_lamp strip = {.name = "strip",
                                  .volts = 12,
                                  .watts = 10,
                                  .cold_share = 1,
                                  .warm_up = 1,
                                  .forward_volts = 8};
    const wpin_part_lamp strips[] = {strip, strip, strip, strip};
    house h = lit_by(4, strips);
    for (int n = 1; n <= 4; n++) {
        h.port.write(h.sim, (wpin_pin)(FIRST_PIN + 4 * (n - 1)), WPIN_HIGH);
        wpin_sim_advance(h.sim, 200 * MS);
        double each = (12 - 8) / (12 * (12 - 8) / 10.0 + 0.1 + n * 0.4);
        for (int i = 0; i < n; i++) {
            wpin_part_reading r = wpin_sim_read(h.sim, i);
            ck_assert_double_eq_tol(r.amps_now, each, 1e-3 * each);
            ck_assert_double_eq_tol(r.supply_volts, 12 - 0.4 * n * each, 1e-3);
        }
    }
    wpin_sim_free(h.sim);
}
END_TEST

/* A strip that has too few volts to light at all lights as soon as there are more. */
START_TEST(what_waits_for_volts_gets_them) {
    const wpin_part_lamp lights[] = {{.name = "many",
                                      .volts = 12,
                                      .watts = 40,
                                      .cold_share = 1,
                                      .warm_up = 1,
                                      .forward_volts = 3},
                                     {.name = "weak",
                                      .volts = 14,
                                      .watts = 1,
                                      .cold_share = 1,
                                      .warm_up = 1,
                                      .forward_volts = 11.5}};
    house h = lit_by(2, lights);
    wpin_sim_advance(h.sim, 10 * MS);
    for (int i = 0; i < 2; i++) {
        h.port.write(h.sim, (wpin_pin)(FIRST_PIN + 4 * i), WPIN_HIGH);
    }
    wpin_sim_advance(h.sim, 500 * MS);
    ck_assert_double_eq(wpin_sim_read(h.sim, 1).amps_now, 0);
    h.port.write(h.sim, FIRST_PIN, WPIN_LOW);
    wpin_sim_advance(h.sim, 10 * MS);
    ck_assert_double_eq_tol(wpin_sim_read(h.sim, 1).amps_now, 0.5 / (14 * 2.5 + 0.5), 1e-5);
    wpin_sim_free(h.sim);
}
END_TEST

/* A lamp that has come to its warmth, whose driver does not leave it at that. */
static void lasts(wpin_part_driver *part) {
    part->burns_above_amps = 0.6;
    part->burns_after = 1.5;
}
static void warms(wpin_part_driver *part) {
    part->heat = (wpin_part_heat){.resistance = 500, .time = 3, .limit = 50};
}
static void leaks(wpin_part_driver *part) {
    part->logic = WPIN_LOGIC_HIGH_SIDE;
    part->bootstrap_time = 1.2;
}
static const struct {
    const char *what;
    void (*driver)(wpin_part_driver *part);
    double from, to; /* s: when it goes out */
} ends[] = {
    {"over its limit for a time", lasts, 1.5, 2},
    {"as hot as it may be", warms, 1.5, 6},
    {"no low phase", leaks, 1.2, 1.2},
};

START_TEST(what_stands_still_ends) {
    bench b = ideal();
    b.supply.resistance = 0.1;
    b.bridge.on_resistance = 0.1;
    b.bridge.diode_volts = 0.7;
    b.bridge.logic = WPIN_LOGIC_LOW_SIDE;
    ends[_i].driver(&b.bridge);
    b.sim = wpin_sim_new(&controller);
    b.port = wpin_sim_port(b.sim);
    wpin_sim_add_supply(b.sim, &b.supply);
    wpin_sim_add_bridge(b.sim, &b.bridge, 0);
    b.port.open(b.sim, PWM, WPIN_LOW);
    wpin_sim_wire_input(b.sim, 0, 0, PWM);
    wpin_part_lamp lamp = {
        .name = "lamp", .volts = 12, .watts = 10, .cold_share = 0.1, .warm_up = 0.1};
    wpin_sim_add_lamp(b.sim, &lamp, 0);
    bool high = b.bridge.logic == WPIN_LOGIC_LOW_SIDE;
    b.port.write(b.sim, PWM, high ? WPIN_HIGH : WPIN_LOW);
    double out = 0;
    for (int ms = 0; ms < 8000 && out == 0; ms += 20) { /* nobody looks at the lamp */
        size_t burnt, happened;
        wpin_sim_advance(b.sim, 20 * MS);
        wpin_sim_burns(b.sim, &burnt), wpin_sim_events(b.sim, &happened);
        out = burnt + happened > 0 ? ms * 1e-3 : 0;
    }
    ck_assert_msg(out >= ends[_i].from - 20e-3 && out <= ends[_i].to + 20e-3, "%s: at %g s",
                  ends[_i].what, out);
    wpin_sim_advance(b.sim, MS);
    ck_assert_double_eq(wpin_sim_read(b.sim, 0).amps_now, 0);
    wpin_sim_free(b.sim);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("asleep");
    TCase *tests = tcase_create("asleep");
    tcase_add_loop_test(tests, nobody_can_tell, 0, 8);
    tcase_add_loop_test(tests, the_hardware_may_follow_later, 0, 4);
    tcase_add_test(tests, what_sleeps_knows_its_volts);
    tcase_add_test(tests, what_sleeps_can_burn);
    tcase_add_test(tests, what_stands_still_saw_the_others);
    tcase_add_test(tests, what_waits_for_volts_gets_them);
    tcase_add_loop_test(tests, what_stands_still_ends, 0, sizeof ends / sizeof *ends);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
