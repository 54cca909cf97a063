/* What burns on simulated hardware, and several loads on one supply. */
#define _GNU_SOURCE
#include "support_sim.h"

/* What burns, with part and reason, and that it stays dead. */
START_TEST(what_burns_is_told_and_stays_dead) {
    static const struct {
        const char *part, *reason;
    } expected[] = {{"driver", "over-current"},       {"driver", "over-voltage"},
                    {"driver", "shoot-through"},      {"pin 9", "into what it drives"},
                    {"pin 9", "against another pin"}, {"pin 4", "into what it drives"}};
    bench b = ideal();
    b.bridge.burns_above_amps = _i == 0 ? 3 : 100;
    b.bridge.burns_after = 2e-3;
    b.bridge.burns_above_volts = _i == 1 ? 10 : 60;
    b.bridge.interlock = _i != 2;
    b.bridge.input_resistance = 1e5;
    build(&b);
    if (_i == 3) {
        wpin_sim_wire_ground(b.sim, PWM, 0);
    } else if (_i == 4) {
        wpin_sim_wire_pins(b.sim, PWM, BRAKE);
    } else if (_i == 5) {
        wpin_sim_wire_ground(b.sim, DIRECTION, 50);
        b.port.write(b.sim, DIRECTION, WPIN_HIGH);
    }
    set_duty(&b, 0.9);
    wpin_sim_advance(b.sim, 500 * US);
    b.port.write(b.sim, DIRECTION, WPIN_LOW); /* with PWM high: kills a chip without interlock */
    wpin_sim_advance(b.sim, 100 * MS);
    size_t count;
    const wpin_part_burn *burns = wpin_sim_burns(b.sim, &count);
    ck_assert_uint_ge(count, 1);
    ck_assert_str_eq(burns[0].part, expected[_i].part);
    ck_assert_msg(strstr(burns[0].reason, expected[_i].reason) != NULL, "%s", burns[0].reason);
    ck_assert_double_le(burns[0].at, 0.1);
    if (_i < 4) {
        b.port.write(b.sim, PWM, WPIN_LOW);
        wpin_sim_advance(b.sim, 10000 * MS);
        b.port.write(b.sim, PWM, WPIN_HIGH);
        wpin_part_reading r = after(&b, 100 * MS);
        ck_assert_double_eq(r.amps, 0);
    }
    wpin_sim_free(b.sim);
}
END_TEST

/* One wire on both inputs of a leg: a bare leg burns, a chip that keeps its sides apart lets go. */
START_TEST(both_sides_at_once) {
    bench b = ideal();
    b.bridge.logic = WPIN_LOGIC_FULL_BRIDGE;
    b.bridge.interlock = _i == 1;
    build(&b);
    wpin_sim_wire_input(b.sim, 0, 0, BRAKE);
    wpin_sim_wire_input(b.sim, 0, 1, BRAKE);
    wpin_sim_advance(b.sim, MS);
    b.port.write(b.sim, BRAKE, WPIN_HIGH);
    wpin_sim_advance(b.sim, 100 * MS);
    size_t count;
    const wpin_part_burn *burns = wpin_sim_burns(b.sim, &count);
    ck_assert_uint_eq(count, _i == 1 ? 0 : 1);
    ck_assert(count == 0 || strstr(burns[0].reason, "both sides of leg A") != NULL);
    ck_assert_double_eq(wpin_sim_read(b.sim, 0).amps_now, 0);
    wpin_sim_free(b.sim);
}
END_TEST

/* The engine on a chip without interlock: any slip of the safe order would burn it. */
START_TEST(the_safe_order_spares_a_chip_without_interlock) {
    bench b = ideal();
    b.bridge.interlock = false;
    b.bridge.on_resistance = 0.1;
    b.motor.dry_friction = b.motor.static_friction = 3e-3;
    b.motor.viscous_friction = 1e-5;
    build(&b);
    wpin_stage stage = {0};
    ck_assert_int_eq(wpin_stage_open(&stage, &pump_stage, &b.port), WPIN_OK);
    pick_seed((uint32_t)_i + 40);
    for (int n = 0; n < 20000; n++) {
        wpin_stage_apply(&stage, (wpin_drive)pick(4), (uint16_t)pick(WPIN_DUTY_FULL + 1));
        wpin_sim_advance(b.sim, (int64_t)pick(200) * US + pick(1000000));
    }
    size_t count;
    wpin_sim_burns(b.sim, &count);
    ck_assert_uint_eq(count, 0);
    wpin_sim_free(b.sim);
}
END_TEST

/* ---- several loads on one supply ---- */

/* So many held motors behind drivers on one supply, all switched fully on. */
static wpin_sim *held_motors(const wpin_part_supply *part, int count) {
    bench b = ideal();
    b.motor.static_friction = 10;
    wpin_sim *sim = wpin_sim_new(&controller);
    int supply = wpin_sim_add_supply(sim, part);
    wpin_port port = wpin_sim_port(sim);
    port.open(sim, DIRECTION, WPIN_HIGH);
    port.open(sim, PWM, WPIN_HIGH);
    for (int i = 0; i < count; i++) {
        int bridge = wpin_sim_add_bridge(sim, &b.bridge, supply);
        ck_assert_int_eq(wpin_sim_add_motor(sim, &b.motor, bridge), i);
        wpin_sim_wire_input(sim, bridge, WPIN_DRIVER_INPUT_DIRECTION, DIRECTION);
        wpin_sim_wire_input(sim, bridge, WPIN_DRIVER_INPUT_PWM, PWM);
    }
    return sim;
}

START_TEST(loads_on_one_supply_share_its_sag) {
    for (int count = 1; count <= 8; count++) {
        wpin_sim *sim = held_motors(
            &(wpin_part_supply){.name = "main", .volts = V, .resistance = 0.2, .on = true}, count);
        wpin_sim_advance(sim, 100 * MS);
        wpin_sim_read(sim, 0);
        wpin_sim_advance(sim, MS);
        double expected = V / (R + count * 0.2); /* all currents flow through the one resistance */
        for (int i = 0; i < count; i++) {
            wpin_part_reading r = wpin_sim_read(sim, i);
            ck_assert_double_eq_tol(r.amps_now, expected, expected * 1e-3);
            ck_assert_double_eq_tol(r.supply_volts, V - count * expected * 0.2, 0.01);
        }
        wpin_sim_free(sim);
    }
}
END_TEST

START_TEST(a_limited_supply_cuts_out_and_comes_back) {
    wpin_sim *sim = held_motors(
        &(wpin_part_supply){
            .name = "adapter", .volts = V, .resistance = 0.1, .on = true, .limit_amps = 5},
        1);
    wpin_sim_advance(sim, 500 * MS);
    size_t count;
    const wpin_part_event *events = wpin_sim_events(sim, &count);
    ck_assert_uint_eq(count, 1);
    ck_assert_str_eq(events[0].part, "adapter");
    ck_assert_ptr_nonnull(strstr(events[0].what, "cut out"));
    ck_assert_double_eq(wpin_sim_read(sim, 0).supply_volts, 0);
    wpin_sim_advance(sim, 600 * MS);
    events = wpin_sim_events(sim, &count);
    ck_assert_uint_ge(count, 2);
    ck_assert_str_eq(events[1].what, "is back");
    wpin_sim_free(sim);
}
END_TEST

START_TEST(returned_current_drives_a_weak_supply_up) {
    for (int battery = 0; battery < 2; battery++) {
        bench b = ideal();
        b.supply.capacitance = battery ? 0 : 470e-6;
        b.bridge.logic = WPIN_LOGIC_HALF_BRIDGES; /* PWM low shorts: energy goes back up */
        b.bridge.burns_above_volts = 20;
        b.motor.load_inertia = 5e-4;
        build(&b);
        wpin_pwm_achieved a;
        b.port.pwm_start(b.sim, DIRECTION, &(wpin_pwm_request){.hz = 20000}, &a);
        b.port.write(b.sim, BRAKE, WPIN_HIGH);             /* input 2: enable */
        b.port.write(b.sim, PWM, WPIN_LOW);                /* input 1: leg B low */
        b.port.pwm_duty(b.sim, DIRECTION, WPIN_DUTY_FULL); /* input 0: leg A */
        wpin_sim_advance(b.sim, 20000 * MS);
        b.port.pwm_duty(b.sim, DIRECTION, WPIN_DUTY_FULL * 4 / 10);
        wpin_sim_advance(b.sim, 500 * MS);
        size_t count;
        const wpin_part_burn *burns = wpin_sim_burns(b.sim, &count);
        ck_assert_uint_eq(count, battery ? 0 : 1);
        ck_assert(battery ||
                  strstr(burns[0].reason, "driven up by current that came back") != NULL);
        wpin_sim_free(b.sim);
    }
}
END_TEST

typedef struct watch {
    int64_t rise, fall, high, period;
    int edges;
} watch;

static void watcher(void *context, int64_t ps, wpin_pin pin, wpin_level level) {
    watch *w = context;
    if (pin != PWM) {
        return;
    }
    w->edges++;
    if (level == WPIN_HIGH) {
        w->period = ps - w->rise;
        w->rise = ps;
    } else {
        w->high = ps - w->rise;
        w->fall = ps;
    }
}

START_TEST(pwm_has_the_steps_of_its_timer) {
    bench b = ideal();
    build(&b);
    watch w = {0};
    wpin_sim_watch_pins(b.sim, watcher, &w);
    for (int duty = 0; duty <= WPIN_DUTY_FULL; duty += 331) {
        b.port.pwm_duty(b.sim, PWM, (uint16_t)duty);
        wpin_sim_advance(b.sim, MS);
        int64_t steps = (duty * 800LL + 8192) / 16384;
        if (steps > 0 && steps < 800) {
            ck_assert_int_eq(w.high, steps * 62500);
            ck_assert_int_eq(w.period, 50 * US);
        }
    }
    w.edges = 0;
    b.port.pwm_duty(b.sim, PWM, WPIN_DUTY_FULL);
    wpin_sim_advance(b.sim, MS);
    w.edges = 0;
    wpin_sim_advance(b.sim, 10 * MS);
    ck_assert_int_eq(w.edges, 0); /* full duty has no edges */
    ck_assert(b.port.read(b.sim, PWM));
    wpin_pwm_achieved a;
    ck_assert_int_eq(b.port.pwm_start(b.sim, PWM, &(wpin_pwm_request){.hz = 10000000}, &a),
                     WPIN_REFUSED_FREQUENCY);
    ck_assert_int_eq(b.port.pwm_start(b.sim, PWM, &(wpin_pwm_request){.hz = 100}, &a), WPIN_OK);
    ck_assert_uint_eq(a.steps, 40000); /* the clock divided by 4 */
    ck_assert_uint_eq(a.millihertz, 100000);
    ck_assert_int_eq(b.port.pwm_start(b.sim, PWM, &(wpin_pwm_request){.hz = 0}, &a),
                     WPIN_REFUSED_FREQUENCY);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(parts_that_make_no_sense_are_refused) {
    ck_assert_ptr_null(wpin_sim_new(NULL));
    ck_assert_ptr_null(wpin_sim_new(&(wpin_part_controller){5, 0, 0.04, 16e6, 65535, 0}));
    bench b = ideal();
    build(&b);
    wpin_part_supply supply = {.name = "x", .volts = -1};
    ck_assert_int_eq(wpin_sim_add_supply(b.sim, &supply), -1);
    ck_assert_int_eq(wpin_sim_add_bridge(b.sim, &b.bridge, 5), -1);
    ck_assert_int_eq(wpin_sim_add_motor(b.sim, &b.motor, 0), -1); /* has one already */
    b.motor.dry_friction = 1;
    int bridge = wpin_sim_add_bridge(b.sim, &b.bridge, 0);
    ck_assert_int_eq(wpin_sim_add_motor(b.sim, &b.motor, bridge), -1); /* dry above static */
    ck_assert(!wpin_sim_wire_input(b.sim, 0, WPIN_DRIVER_INPUTS, 1));
    ck_assert(!wpin_sim_wire_pins(b.sim, 3, 3));
    ck_assert(!wpin_sim_switch(b.sim, 7, true));
    ck_assert(!wpin_sim_set_load(b.sim, 0, -1));
    ck_assert_double_eq(wpin_sim_read(b.sim, 99).rpm, 0);
    wpin_sim_free(b.sim);
    wpin_sim_free(NULL);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("supplies");
    TCase *tests = tcase_create("supplies");
    tcase_add_loop_test(tests, what_burns_is_told_and_stays_dead, 0, 6);
    tcase_add_loop_test(tests, both_sides_at_once, 0, 2);
    tcase_add_loop_test(tests, the_safe_order_spares_a_chip_without_interlock, 0, 3);
    tcase_add_test(tests, loads_on_one_supply_share_its_sag);
    tcase_add_test(tests, a_limited_supply_cuts_out_and_comes_back);
    tcase_add_test(tests, returned_current_drives_a_weak_supply_up);
    tcase_add_test(tests, pwm_has_the_steps_of_its_timer);
    tcase_add_test(tests, parts_that_make_no_sense_are_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
