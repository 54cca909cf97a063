/* Field orientation on the simulated board: what its currents, its torque and its speed are, and
 * what it does when sensors lie. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/sim.h>

#define PI 3.14159265358979323846

/* The bench: a rig of the demo with its text changed, and a motor on it. */
static struct bench {
    wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
    double along, across, worst_along; /* of a while: means and worst, A at a lead's tip */
    double least_torque, most_torque, torque;
    unsigned periods;
    bool blind; /* the converter of leg b fails */
} b;

static int16_t (*under)(void *context, uint8_t input);

static int16_t read_input(void *context, uint8_t input) {
    return b.blind && input == 2 ? WPIN_NO_READING : under(context, input);
}

/* Looks at the phases as they truly are at each period, along and across the true magnet. */
static void in_period(void *context) {
    wpin_part_phases p;
    always(wpin_sim_read_phases(b.sim, 0, &p));
    double q = (p.degrees - 90) * PI / 180; /* the emf's own direction */
    double x = p.amps[0], y = (p.amps[1] - p.amps[2]) / sqrt(3);
    double along = x * sin(q) - y * cos(q), across = x * cos(q) + y * sin(q);
    b.along += along;
    b.across += across;
    b.worst_along = fmax(b.worst_along, fabs(along));
    b.torque += p.torque;
    b.least_torque = b.periods == 0 ? p.torque : fmin(b.least_torque, p.torque);
    b.most_torque = b.periods == 0 ? p.torque : fmax(b.most_torque, p.torque);
    b.periods++;
    always(wpin_vector_period(context) <= WPIN_FAULT_MASTER);
}

static void forget(void) {
    b.along = b.across = b.worst_along = b.torque = 0;
    b.periods = 0;
}

static void set_up(const char *change, double start_turns) {
    char out[200];
    wpin_messages m = {0};
    memset(&b, 0, sizeof b);
    ck_assert_int_eq(run_command(out, sizeof out,
                                 "sed '%s' " TEST_SOURCE "/demo/honey-vector.yaml > %s", change,
                                 scratch("vector.yaml")),
                     0);
    b.rig = wpin_rig_read(scratch("vector.yaml"), &m);
    ck_assert_msg(b.rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_rig_load *load = &b.rig->loads[0];
    load->motor.start_turns = start_turns;
    b.sim = wpin_board_build(b.rig);
    b.port = wpin_sim_port(b.sim);
    under = b.port.millivolts;
    b.port.millivolts = read_input;
    wpin_sim_switch(b.sim, 0, true);
    wpin_bind_load(&b.bound, b.rig, load);
    ck_assert_int_eq(wpin_bound_open(&b.bound, &b.motor, &b.port), WPIN_OK);
    if (load->hall.there) {
        ck_assert(wpin_sim_on_hall(b.sim, 0, wpin_bound_edge, &b.bound));
    }
    ck_assert(wpin_sim_on_pwm_begin(b.sim, 0, in_period, &b.bound.vector_at_work));
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_messages_free(&m);
}

static void tear_down(void) {
    size_t burns;
    const wpin_part_burn *burnt = wpin_sim_burns(b.sim, &burns);
    ck_assert_msg(burns == 0, "%s", burns > 0 ? burnt[0].reason : "");
    wpin_motor_close(&b.motor);
    wpin_sim_free(b.sim);
    wpin_rig_free(b.rig);
}

static wpin_part_reading wait_ms(int ms) {
    wpin_part_reading r = {0};
    for (int i = 0; i < ms; i++) {
        wpin_motor_tick(&b.motor);
        wpin_sim_advance(b.sim, 1000000000LL);
        r = wpin_sim_read(b.sim, 0);
    }
    return r;
}

static void ask(wpin_quantity quantity, double share) {
    wpin_setpoint s = {.quantity = (uint8_t)quantity,
                       .value = (int32_t)lround(share * WPIN_DUTY_FULL)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
}

static double amps_across(void) {
    return b.across / b.periods;
}

/* A quick shaft: nothing but the rotor, no gear. */
#define BARE                                                                                       \
    "s/gear: 12.*}/load: {torque: 0.05Nm}}/;s/rated: 240rpm, maximum: 280rpm/rated: 2900rpm, "     \
    "maximum: 3300rpm/;s/up: 6s, down: 9s/up: 500ms, down: 500ms/"
#define EVEN    ";s/, uneven: 2deg//"
#define ENCODER ";s/hall: .*/encoder: {lines: 500, pins: {a: 14, b: 15}}/"
#define HALVES                                                                                     \
    ";s/kind: three-phase-bridge/kind: three-half-bridges/;s/dead-time: "                          \
    "1us//;s/a-high/a/;s/a-low/a-enable/;s/b-high/b/;s/b-low/b-enable/;s/c-high/c/;s/c-low/"       \
    "c-enable/"

/* ---- what it does ---- */

/* Every kind: the current is across the magnet, both ways, and it turns as fast as volts, ohms and
 * the torque constant let a brushed motor of the same figures. */
static const struct kind {
    const char *change;
    double along; /* at most, as a share of the current across */
} kinds[] = {
    {BARE EVEN, 0.05},
    {BARE, 0.10},
    {BARE EVEN HALVES, 0.05},
    {BARE EVEN ";s/, c: 3}/}/", 0.05},
    {BARE EVEN ";s/c: 3}, /c: 3}, at: leads, /", 0.05},
    {BARE EVEN ";s/pole-pairs: 4/pole-pairs: 1/", 0.05},
    {BARE EVEN ";s/pole-pairs: 4/pole-pairs: 7/", 0.05},
    {BARE EVEN ";s/pwm: 20kHz/pwm: 40kHz/", 0.05},
    {BARE EVEN ";s/      pwm: 20kHz/      pwm: 20kHz\\n      reversed: yes/", 0.05},
    {BARE ENCODER, 0.05},
    {BARE ENCODER ";s/lines: 500/lines: 1234, reversed: yes/", 0.05},
    {BARE ENCODER ";s/      pwm: 20kHz/      pwm: 20kHz\\n      reversed: yes/", 0.05},
};

START_TEST(the_current_is_across_the_magnet) {
    const struct kind *k = &kinds[_i];
    bool reversed = strstr(k->change, "      reversed") != NULL;
    for (int way = 1; way >= -1; way -= 2) {
        set_up(k->change, 0.03 * way);
        ask(WPIN_QUANTITY_EFFORT, 0.6 * way);
        wait_ms(3500);
        forget();
        wpin_part_reading r = wait_ms(400);
        const wpin_rig_load *l = &b.rig->loads[0];
        double sign = reversed ? -way : way, w = fabs(r.rpm_mean) * PI / 30;
        double amps =
            (l->motor.dry_friction + l->motor.load_torque + l->motor.viscous_friction * w) /
            l->motor.constant;
        double due = (0.6 * 24 - amps * wpin_rig_loop_ohms(b.rig, l)) / l->motor.constant;
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_double_gt(r.rpm_mean * sign, 0);
        ck_assert_double_eq_tol(w, due, 0.02 * due);
        ck_assert_double_eq_tol(amps_across() * sign, amps * 2 / sqrt(3), 0.03 * amps);
        ck_assert_double_le(fabs(b.along / b.periods), k->along * fabs(amps_across()));
        /* what is measured is the current between two leads that makes the same torque */
        ck_assert_double_eq_tol(wpin_motor_measurement(&b.motor).current / 100.0, amps,
                                0.1 * amps + 0.05);
        ck_assert_double_eq_tol(fabs(r.amps), amps, 0.1 * amps);
        tear_down();
    }
}
END_TEST

/* Asked for a torque it has it, whatever the speed, within a millisecond. */
START_TEST(a_torque_is_the_current_asked_for) {
    set_up(BARE EVEN
           ";s/up: 500ms, down: 500ms/up: 5ms, down: 5ms/;s/inertia: 600gcm2/inertia: 6000gcm2/",
           0.01);
    static const double amps[] = {2, 6, -4, 0.5};
    for (size_t i = 0; i < 4; i++) {
        if (i == 2) {
            ask(WPIN_QUANTITY_TORQUE, 0);
            wait_ms(8000); /* it turns the other way from rest only */
        }
        ask(WPIN_QUANTITY_TORQUE, amps[i] / 8);
        wait_ms(i % 2 == 0 ? 400 : 12);
        forget();
        wait_ms(60);
        ck_assert_double_eq_tol(amps_across(), amps[i] * 2 / sqrt(3), 0.03 * fabs(amps[i]) + 0.02);
        if (i == 2) {
            ask(WPIN_QUANTITY_TORQUE, 0);
            wait_ms(8000);
        }
    }
    tear_down();
}
END_TEST

/* Against six steps on the same motor: less of a ripple, at the same speed from less current. */
START_TEST(it_is_smoother_than_six_steps) {
    char out[4000];
    double ripple[2], share[2];
    for (int i = 0; i < 2; i++) {
        const char *change = i == 0 ? ""
                                    : "s/.*field-oriented: .*//;s/.*current: {rated.*//;s/limit: "
                                      "9A/limit: 9A, input: 0/";
        ck_assert_int_eq(run_command(out, sizeof out,
                                     "sed '" BARE EVEN ";%s' " TEST_SOURCE
                                     "/demo/honey-vector.yaml > %s && " TEST_TOOL
                                     " waves %s drum --duty 60%%",
                                     change, scratch("six.yaml"), scratch("six.yaml")),
                         0);
        ripple[i] = strtod(strstr(out, "ripple ") + 7, NULL);
        share[i] = strtod(strstr(out, "rotor: ") + 7, NULL);
    }
    ck_assert_double_lt(ripple[0], 0.3 * ripple[1]);
    ck_assert_double_ge(share[0], share[1] - 0.5);
}
END_TEST

/* At all the effort there is against a held shaft, its current stays where it is to. */
START_TEST(a_held_shaft_gets_no_more_than_its_limit) {
    set_up(BARE, 0.02 + _i * 0.013);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    ask(WPIN_QUANTITY_EFFORT, 1);
    double most = 0;
    for (int ms = 0; ms < 1500; ms++) {
        wpin_part_reading r = wait_ms(1);
        most = fmax(most, fabs(r.amps));
    }
    ck_assert_double_lt(most, 9 * 1.12);
    ck_assert_double_gt(most, 9 * 0.9);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_STALLED);
    ck_assert_int_eq(wpin_vector_doing(&b.bound.vector_at_work), WPIN_VECTOR_OFF);
    tear_down();
}
END_TEST

/* Taken while it still turns, it is neither braked nor pushed: what it makes itself is shown. */
START_TEST(a_turning_shaft_is_taken_as_it_turns) {
    set_up(BARE EVEN ";s/inertia: 600gcm2/inertia: 6000gcm2/", 0);
    ask(WPIN_QUANTITY_EFFORT, 0.7);
    wait_ms(5000);
    ck_assert_int_eq(wpin_motor_coast(&b.motor), WPIN_OK);
    double before = wait_ms(60).rpm;
    ask(WPIN_QUANTITY_EFFORT, 0.7);
    forget();
    wait_ms(3);
    ck_assert_double_lt(fabs(amps_across()), 2);
    ck_assert_double_gt(wait_ms(17).rpm, 0.9 * before);
    tear_down();
}
END_TEST

/* All the effort there is, is all of the voltage. */
START_TEST(all_of_the_voltage_serves) {
    set_up(BARE EVEN ";s/maximum: 3300rpm/maximum: 4000rpm/", 0);
    ask(WPIN_QUANTITY_EFFORT, 1);
    wait_ms(4000);
    ck_assert_int_ge(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL * 99 / 100);
    ck_assert_double_gt(wait_ms(100).rpm_mean, 0.93 * 24 * 150);
    tear_down();
}
END_TEST

/* A heavy shaft that is slowed drives a supply up that takes nothing back: as far as it may. */
START_TEST(braking_gives_way_to_the_supply) {
    static const char heavy[] =
        "s/switch: off}/switch: off, capacitor: 4700uF}/;s/up: 6s, down: 9s/up: 15s, down: "
        "300ms/;s/inertia: 0.25kgm2/inertia: 2kgm2/;%s";
    static const char window[] = "s/noise: 20mV/noise: 20mV, supply: {input: 6, divider: 12.5%, "
                                 "give-way: 25V, give-up: 28V}/";
    double most[2] = {0, 0};
    for (int i = 0; i < 2; i++) {
        char change[600];
        snprintf(change, sizeof change, heavy, i == 1 ? window : "");
        set_up(change, 0);
        ask(WPIN_QUANTITY_SPEED, 0.7);
        wait_ms(11000);
        ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
        for (int ms = 0; ms < 100 && most[i] < 36; ms++) {
            most[i] = fmax(most[i], wait_ms(1).supply_volts);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        tear_down();
    }
    ck_assert_double_gt(most[0], 32);
    ck_assert_double_lt(most[1], 28.5);
    ck_assert_double_gt(most[1], 25);
}
END_TEST

/* ---- what it is told wrong ---- */

static const struct lie {
    wpin_part_fault fault;
    int detail;
    wpin_status names[3];
} lies[] = {
    {WPIN_PART_FAULT_HALL_OFF, 0, {WPIN_FAULT_HALL}},
    {WPIN_PART_FAULT_HALL_SENSOR_OFF, 0, {WPIN_FAULT_HALL}},
    {WPIN_PART_FAULT_HALL_SWAPPED,
     0,
     {WPIN_FAULT_HALL, WPIN_FAULT_OVERCURRENT, WPIN_FAULT_WRONG_WAY}},
    {WPIN_PART_FAULT_MOTOR_WIRE_OFF, 0, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_WIRE_OFF, 1, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_WIRE_OFF, 2, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_WIRE_OFF, 5, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_STALLED, 0, {WPIN_FAULT_STALLED, WPIN_FAULT_OVERCURRENT}},
};

/* While it runs at a speed that is regulated: noticed by its name, and the stage is at rest. */
START_TEST(a_fault_is_noticed_by_its_name) {
    const struct lie *l = &lies[_i];
    set_up(BARE, 0.01);
    ask(WPIN_QUANTITY_SPEED, 0.5);
    wait_ms(1500);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert(wpin_sim_inject(b.sim, l->fault, 0, l->detail, true));
    for (int ms = 0; ms < 1500 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
        wait_ms(1);
    }
    wpin_status fault = wpin_motor_fault(&b.motor);
    ck_assert_msg(fault == l->names[0] ||
                      (fault != WPIN_OK && (fault == l->names[1] || fault == l->names[2])),
                  "%d", (int)fault);
    wait_ms(2);
    ck_assert_int_eq(wpin_vector_doing(&b.bound.vector_at_work), WPIN_VECTOR_OFF);
    tear_down();
}
END_TEST

/* A converter that fails for a moment is bridged, one that stays so ends it. */
START_TEST(without_readings_it_ends) {
    set_up(BARE, 0);
    ask(WPIN_QUANTITY_SPEED, 0.4);
    wait_ms(1200);
    b.blind = true;
    wait_ms(1);
    b.blind = false;
    wait_ms(200);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.blind = true;
    wait_ms(20);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_SENSOR);
    tear_down();
}
END_TEST

/* An encoder that slips by a quarter of an electrical turn is noticed, and found anew after that.
 */
START_TEST(an_encoder_that_slips_is_found_anew) {
    set_up(BARE ENCODER, 0.02);
    ask(WPIN_QUANTITY_SPEED, 0.3);
    wait_ms(3000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.bound.vector_at_work.place = (b.bound.vector_at_work.place + 125) % 2000;
    for (int ms = 0; ms < 4000 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
        wait_ms(1);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_ANGLE);
    wait_ms(4000);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wait_ms(400);
    ask(WPIN_QUANTITY_SPEED, 0.3);
    wait_ms(100);
    ck_assert_int_eq(wpin_vector_doing(&b.bound.vector_at_work), WPIN_VECTOR_ALIGN);
    tear_down();
}
END_TEST

/* ---- the stage ---- */

/* Any duties on a leg, one after the other: never both sides on, never less than the dead time
 * between them. */
static struct edges {
    wpin_level level[2];
    int64_t off_at[2];
    unsigned changes;
} edges;

static void watch_leg(void *context, int64_t at, wpin_pin pin, wpin_level level) {
    (void)context;
    if (pin > 1) {
        return;
    }
    bool on = level == WPIN_HIGH;
    always(!(on && edges.level[1 - pin] == WPIN_HIGH));
    if (on && edges.changes > 2) {
        always(at - edges.off_at[1 - pin] >= 1000000);
    }
    edges.off_at[pin] = on ? edges.off_at[pin] : at;
    edges.level[pin] = level;
    edges.changes++;
}

START_TEST(a_centred_leg_stays_apart) {
    static const wpin_part_controller controller = {.logic_volts = 5,
                                                    .pin_resistance = 25,
                                                    .pin_burns_above = 0.04,
                                                    .timer_hz = 64e6,
                                                    .timer_steps_max = 65535};
    wpin_sim *sim = wpin_sim_new(&controller);
    wpin_port port = wpin_sim_port(sim);
    wpin_pwm_request request = {.hz = 20000, .dead_time_ns = 1000, .centred = true};
    wpin_pwm_achieved achieved;
    port.open(port.context, 0, WPIN_LOW);
    port.open(port.context, 1, WPIN_LOW);
    ck_assert_int_eq(port.leg_start(port.context, 0, 1, &request, &achieved), WPIN_OK);
    memset(&edges, 0, sizeof edges);
    edges.off_at[0] = edges.off_at[1] = -1000000;
    wpin_sim_watch_pins(sim, watch_leg, NULL);
    pick_seed(1);
    for (int i = 0; i < 40000; i++) {
        static const uint16_t ends[] = {0,     1,     200,   328,   700,  8192,
                                        15600, 16000, 16200, 16383, 16384};
        uint16_t duty = (uint16_t)(pick(2) == 0 ? ends[pick(11)] : pick(16385));
        port.leg_duty(port.context, 0, 1, duty);
        wpin_sim_advance(sim, pick(3) == 0 ? 50000000 : (int64_t)pick(120) * 1000000 + 1);
    }
    ck_assert_uint_gt(edges.changes, 20000);
    wpin_sim_free(sim);
}
END_TEST

/* ---- refusals ---- */

static wpin_vector vector;

START_TEST(a_configuration_that_is_wrong_is_refused) {
    recorder r;
    recorder_init(&r);
    static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                       {.pin = 3}, {.pin = 4}, {.pin = 5}};
    wpin_stage_config stage = {.table = &wpin_table_three_phase_bridge,
                               .lines = lines,
                               .pwm_hz = 20000,
                               .dead_time_us = 1,
                               .centred = true};
    wpin_six_step_config hall = {
        .stage = &stage, .hall = {14, 15, 16}, .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
    wpin_vector_config good = {.stage = &stage,
                               .hall = &hall,
                               .shunts = {1, 2, 3},
                               .zero_mv = 2500,
                               .full_mv = 900,
                               .limit_mv = 1000,
                               .trip_mv = 1900,
                               .gain = 4000,
                               .integral = 2000,
                               .most = 16384,
                               .lead_us = 75,
                               .rate = WPIN_VECTOR_RATE(200)};
    ck_assert_int_eq(wpin_vector_actuator.open(&vector, &good, &r.port), WPIN_OK);
    ck_assert_int_eq(wpin_vector_period(&vector), WPIN_OK);
    ck_assert_int_eq(wpin_vector_actuator.put(&vector, WPIN_QUANTITY_EFFORT, 16385),
                     WPIN_REFUSED_RANGE);
    wpin_vector_config bad[16];
    for (size_t i = 0; i < 16; i++) {
        bad[i] = good;
    }
    wpin_stage_config edge = stage, high = stage;
    edge.centred = false;
    high.table = &wpin_table_three_phase_bridge_high;
    wpin_six_step_config other = hall;
    other.stage = &edge;
    bad[0].stage = &edge;
    bad[1].stage = &high; /* no such row */
    bad[2].hall = &other;
    bad[3].shunts[1] = 1;
    bad[4].shunts[0] = WPIN_NO_SHUNT;
    bad[5].limit_mv = 0;
    bad[6].trip_mv = 999;
    bad[7].full_mv = 0;
    bad[8].most = 16385;
    bad[9].most = 0;
    bad[10].gain = 40000;
    bad[11].rate = WPIN_VECTOR_RATE(1901);
    bad[12].least_low = 9000;
    bad[13].dead = 2049;
    bad[14].hall = NULL; /* and no encoder either */
    bad[15].zero_mv = -1;
    for (size_t i = 0; i < 16; i++) {
        wpin_status due = i < 5 ? WPIN_REFUSED_CONFIG : WPIN_REFUSED_RANGE;
        ck_assert_msg(wpin_vector_actuator.open(&vector, &bad[i], &r.port) == due, "%zu", i);
        ck_assert_int_eq(wpin_vector_actuator.put(&vector, WPIN_QUANTITY_EFFORT, 9000),
                         WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_vector_period(&vector), WPIN_REFUSED_CLOSED);
        ck_assert(!recorder_on(&r, 0) && !recorder_on(&r, 2) && !recorder_on(&r, 4));
    }
    ck_assert_int_eq(wpin_vector_period(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_vector_doing(NULL), WPIN_VECTOR_OFF);
    wpin_port deaf = r.port;
    deaf.millivolts = NULL;
    ck_assert_int_eq(wpin_vector_actuator.open(&vector, &good, &deaf), WPIN_REFUSED_PORT);
    static const uint16_t legs[3] = {1, 2, 16385};
    ck_assert_int_eq(wpin_stage_legs(NULL, legs), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_stage_legs(&vector.rotor.stage, legs), WPIN_REFUSED_CLOSED);
}
END_TEST

/* A port that fails in the interrupt: off at once, and the next tick says so. */
START_TEST(a_port_that_fails_is_a_fault) {
    set_up(BARE, 0);
    ask(WPIN_QUANTITY_EFFORT, 0.4);
    wait_ms(500);
    wpin_vector *v = &b.bound.vector_at_work;
    v->rotor.failed = WPIN_FAULT_PORT;
    wait_ms(2);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PORT);
    ck_assert_int_eq(wpin_vector_doing(v), WPIN_VECTOR_OFF);
    tear_down();
}
END_TEST

int main(void) {
    Suite *suite = suite_create("vector");
    TCase *tests = tcase_create("vector");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, the_current_is_across_the_magnet, 0, sizeof kinds / sizeof *kinds);
    tcase_add_test(tests, a_torque_is_the_current_asked_for);
    tcase_add_test(tests, it_is_smoother_than_six_steps);
    tcase_add_loop_test(tests, a_held_shaft_gets_no_more_than_its_limit, 0, 6);
    tcase_add_test(tests, all_of_the_voltage_serves);
    tcase_add_test(tests, braking_gives_way_to_the_supply);
    tcase_add_test(tests, a_turning_shaft_is_taken_as_it_turns);
    tcase_add_loop_test(tests, a_fault_is_noticed_by_its_name, 0, sizeof lies / sizeof *lies);
    tcase_add_test(tests, without_readings_it_ends);
    tcase_add_test(tests, an_encoder_that_slips_is_found_anew);
    tcase_add_test(tests, a_centred_leg_stays_apart);
    tcase_add_test(tests, a_configuration_that_is_wrong_is_refused);
    tcase_add_test(tests, a_port_that_fails_is_a_fault);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
