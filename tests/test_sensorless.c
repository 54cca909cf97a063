/* Six-step without sensors, by the demo's fan: it starts from anywhere, on benches that are not
 * what the rig says, knows when it has lost its step, and is off whenever it has to be. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

static char output[8000];

typedef struct bench {
    wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
    int missed;                      /* of a hundred interrupts so many never come */
    int64_t ahead;                   /* of the clock it is shown, us */
    int refused;                     /* writes that fail from here on */
    wpin_sensorless_state states[8]; /* as they came */
    int state_count;
} bench;

static bench b;
static wpin_port under;

static wpin_moment shown_clock(void *context) {
    return under.now(context) + (wpin_moment)b.ahead;
}

static wpin_status group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    return b.refused > 0 ? WPIN_FAULT_PORT : under.group_write(context, group, mask, high);
}

/* Every figure of motor and load off by up to a share. */
static void spread(wpin_part_motor *m, double share) {
    double *const figures[] = {&m->resistance, &m->inductance,      &m->constant,
                               &m->inertia,    &m->static_friction, &m->load_quadratic};
    for (size_t i = 0; i < sizeof figures / sizeof *figures; i++) {
        *figures[i] *= 1 + share * ((double)pick(2001) / 1000 - 1);
    }
    m->dry_friction = fmin(m->dry_friction, m->static_friction);
}

static void in_pwm_middle(void *context) {
    (void)context;
    if ((int)pick(100) >= b.missed) {
        wpin_status status = wpin_sensorless_sample(&b.bound.sensorless_at_work);
        always(status == WPIN_OK || b.refused > 0);
    }
}

static void set_up(const char *change, double share, double start_turns) {
    wpin_messages m = {0};
    b = (bench){0};
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/honey-fan.yaml > %s",
                                 change, TEST_SOURCE, scratch("fan.yaml")),
                     0);
    b.rig = wpin_rig_read(scratch("fan.yaml"), &m);
    ck_assert_msg(b.rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_rig_load *load = &b.rig->loads[0];
    wpin_part_motor told = load->motor;
    spread(&load->motor, share); /* which the controller does not know */
    load->motor.start_turns = start_turns;
    b.sim = wpin_board_build(b.rig);
    load->motor = told;
    b.port = under = wpin_sim_port(b.sim);
    b.port.now = shown_clock;
    b.port.group_write = group_write;
    wpin_sim_switch(b.sim, 0, true);
    wpin_bind_load(&b.bound, b.rig, load);
    ck_assert_int_eq(wpin_bound_open(&b.bound, &b.motor, &b.port), WPIN_OK);
    ck_assert(wpin_sim_on_pwm_middle(b.sim, 0, in_pwm_middle, NULL));
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_messages_free(&m);
}

static void tear_down(void) {
    size_t burns;
    wpin_sim_burns(b.sim, &burns);
    ck_assert_uint_eq(burns, 0);
    wpin_motor_close(&b.motor);
    wpin_sim_free(b.sim);
    wpin_rig_free(b.rig);
}

static wpin_part_reading tick(void) {
    wpin_motor_tick(&b.motor);
    wpin_sim_advance(b.sim, 1000000000LL);
    wpin_sensorless_state now = wpin_sensorless_doing(&b.bound.sensorless_at_work);
    if (b.state_count < 8 && (b.state_count == 0 || b.states[b.state_count - 1] != now)) {
        b.states[b.state_count++] = now;
    }
    return wpin_sim_read(b.sim, 0);
}

static wpin_part_reading wait_ms(int ms) {
    wpin_part_reading r = {0};
    for (int i = 0; i < ms; i++) {
        r = tick();
    }
    return r;
}

static void ask(double duty) {
    ck_assert_int_eq(
        wpin_motor_run(&b.motor, (wpin_duty)lround(duty * WPIN_DUTY_FULL), 0, WPIN_TIMEOUT_HELD),
        WPIN_OK);
}

static bool anything_driven(void) {
    return wpin_stage_drive(&b.bound.sensorless_at_work.stage) >= WPIN_DRIVE_SECTOR &&
           b.bound.sensorless_at_work.stage.cut == 0;
}

/* Speed at which what a duty drives, and what friction and air take, are alike, rpm. */
static double due_rpm(double duty) {
    const wpin_rig_load *l = &b.rig->loads[0];
    const wpin_part_motor *m = &l->motor;
    double low = 0, high = 2000;
    for (int i = 0; i < 50; i++) {
        double w = (low + high) / 2, drags = m->dry_friction + m->load_quadratic * w * w;
        bool faster = m->constant * wpin_rig_mean_amps(b.rig, l, duty, w) > drags;
        *(faster ? &low : &high) = w;
    }
    return low * 30 / 3.14159265358979;
}

/* ---- starting ---- */

#define HALF_BRIDGES                                                                               \
    "s/kind: three-phase-bridge-high/kind: three-half-bridges/;s/dead-time: "                      \
    "1us//;s/a-high/a/;s/a-low/"                                                                   \
    "a-enable/;s/b-high/b/;s/b-low/b-enable/;s/c-high/c/;s/c-low/c-enable/"

static const char *const kinds[] = {
    "",
    "s/pole-pairs: 4/back-emf: sine, pole-pairs: 4/",
    "s/three-phase-bridge-high/three-phase-bridge/",
    HALF_BRIDGES,
    "s/pole-pairs: 4/pole-pairs: 1/",
    "s/pole-pairs: 4/pole-pairs: 7/",
    "s/inertia: 250gcm2/inertia: 2000gcm2/;s/zero-crossing: {/zero-crossing: {align: 800ms, /",
};
enum { KINDS = sizeof kinds / sizeof *kinds, STARTS = 4 };

/* From anywhere, both ways, and to the speed that the duty is due; its crossings are its turns. */
START_TEST(it_starts_from_anywhere) {
    for (int i = 0; i < STARTS; i++) {
        int way = i % 2 == 0 ? 1 : -1;
        set_up(kinds[_i], 0, (i + 0.3) / STARTS);
        ask(0.6 * way);
        wait_ms(4000);
        int32_t from = b.bound.sensorless_at_work.counts.counts;
        double rpm = wait_ms(300).rpm;
        double pairs = b.rig->loads[0].motor.pole_pairs, due = due_rpm(0.6);
        bool sine = strstr(kinds[_i], "sine") != NULL; /* its mean is 3/pi of its peak */
        ck_assert_msg(fabs(way * rpm - due) < (sine ? 0.07 : 0.03) * due,
                      "start %d: %g rpm, due are %g", i, rpm, way * due);
        double counted = (b.bound.sensorless_at_work.counts.counts - from) / (6 * pairs);
        ck_assert_double_eq_tol(counted, rpm / 60 * 0.3, 0.05 * due / 60 * 0.3 + 0.4);
        ck_assert_uint_eq(b.bound.sensorless_at_work.lost, 0);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
        tear_down();
    }
}
END_TEST

/* Benches up to a fifth off in everything, comparators up to 30 mV. */
START_TEST(it_starts_on_benches_that_the_rig_does_not_know) {
    const char *asked = getenv("WPIN_BENCHES");
    int benches = asked != NULL ? atoi(asked) : 8, lost = 0;
    pick_seed(77);
    for (int i = 0; i < benches; i++) {
        set_up("s/c: 16}}/c: 16}, offset: 30mV}/", 0.2, pick(1000) / 1000.0);
        ask(0.3 + pick(71) / 100.0);
        wait_ms(5000);
        lost += b.bound.sensorless_at_work.lost;
        ck_assert_msg(wpin_motor_state(&b.motor) == WPIN_STATE_RUNNING, "bench %d: state %d", i,
                      wpin_motor_state(&b.motor));
        tear_down();
    }
    ck_assert_int_le(lost * 20, benches); /* started anew: one in twenty at the most */
}
END_TEST

/* What is asked waits until it runs; then the duty ramps, and never jumps upwards. */
START_TEST(its_effort_waits_for_the_start) {
    set_up("", 0, 0.1);
    wpin_sensorless_design d = wpin_rig_sensorless_design(b.rig, &b.rig->loads[0]);
    ask(1);
    double peak = 0;
    wpin_duty before = 0;
    wpin_duty most = (wpin_duty)(d.duty[d.count - 1] * WPIN_DUTY_FULL + 1);
    for (int i = 0; i < 4000; i++) {
        wpin_part_reading r = tick();
        bool runs = wpin_sensorless_doing(&b.bound.sensorless_at_work) == WPIN_SENSORLESS_RUN;
        wpin_duty now = wpin_motor_duty(&b.motor);
        peak = runs ? peak : fmax(peak, r.amps_max);
        ck_assert_int_le(now, runs && before > most ? before + 9 : most + 9);
        before = now > most ? now : most;
        ck_assert(runs || wpin_motor_state(&b.motor) != WPIN_STATE_RUNNING);
    }
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL);
    ck_assert_double_lt(peak, 3 * d.amps); /* the rotor swings about its place */
    ck_assert_double_gt(peak, 0.8 * d.amps);
    static const wpin_sensorless_state as_due[] = {WPIN_SENSORLESS_OFF, WPIN_SENSORLESS_ALIGN,
                                                   WPIN_SENSORLESS_RAMP, WPIN_SENSORLESS_RUN};
    ck_assert_int_eq(b.state_count, 4);
    ck_assert_mem_eq(b.states, as_due, sizeof as_due);
    tear_down();
}
END_TEST

/* ---- losing its step ---- */

/* Held and let go it starts anew; held for good it says so after three tries, and nothing is on. */
START_TEST(a_lost_step_starts_anew) {
    set_up("", 0, 0.6);
    ask(0.5);
    double before = wait_ms(4000).rpm;
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    wait_ms(300);
    ck_assert_uint_ge(b.bound.sensorless_at_work.lost, 1);
    ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_REST);
    ck_assert(!anything_driven());
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    ck_assert_double_eq_tol(wait_ms(6000).rpm, before, 0.02 * before);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    int ms = 0;
    while (wpin_motor_fault(&b.motor) == WPIN_OK && ms < 20000) {
        tick();
        ms++;
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_NO_MOTION);
    ck_assert_int_le(ms, 11000);
    ck_assert(!anything_driven());
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 8000, 0, 1000), WPIN_REFUSED_FAULTED);
    wpin_motor_clear_fault(&b.motor);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    tick();
    wpin_motor_run(&b.motor, 8000, 0, 1500); /* the first move after a fault ends by itself */
    wait_ms(1600);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    tear_down();
}
END_TEST

static const struct {
    wpin_part_fault fault;
    bool at_rest; /* put in before it starts */
} broken[] = {{WPIN_PART_FAULT_SUPPLY_DEAD, false},    {WPIN_PART_FAULT_SUPPLY_DEAD, true},
              {WPIN_PART_FAULT_MOTOR_WIRE_OFF, false}, {WPIN_PART_FAULT_MOTOR_WIRE_OFF, true},
              {WPIN_PART_FAULT_SENSOR_OFF, false},     {WPIN_PART_FAULT_SENSOR_OFF, true},
              {WPIN_PART_FAULT_STALLED, true}};

/* A switch that never turns on leaves two rows without current: its sense tells. */
START_TEST(a_dead_switch_is_noticed) {
    set_up("", 0, 0.2);
    ask(0.5);
    wait_ms(4000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_WIRE_OFF, 0, _i, true);
    wait_ms(500);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PHASE);
    ck_assert(!anything_driven());
    tear_down();
}
END_TEST

START_TEST(what_is_broken_ends_in_a_fault) {
    set_up("", 0, 0.2);
    if (broken[_i].at_rest) {
        wpin_sim_inject(b.sim, broken[_i].fault, 0, 0, true);
    }
    ask(0.5);
    wait_ms(3000);
    wpin_sim_inject(b.sim, broken[_i].fault, 0, 0, true);
    wait_ms(12000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_NO_MOTION);
    ck_assert(!anything_driven());
    tear_down();
}
END_TEST

/* ---- a nasty world ---- */

/* Let go at speed and asked again at once, it runs down first; long after, it starts at once. */
START_TEST(it_runs_down_before_it_starts_again) {
    set_up("", 0, 0.3);
    wpin_sensorless_design d = wpin_rig_sensorless_design(b.rig, &b.rig->loads[0]);
    const wpin_sensorless *s = &b.bound.sensorless_at_work;
    ask(1);
    wait_ms(4500);
    wpin_motor_coast(&b.motor);
    wait_ms(3);
    ask(0.5);
    double peak = 0;
    for (int ms = 0; ms < 2300; ms++) {
        peak = fmax(peak, tick().amps_max);
        ck_assert(wpin_sensorless_doing(s) ==
                  (ms < 1490 ? WPIN_SENSORLESS_REST : wpin_sensorless_doing(s)));
    }
    ck_assert_double_lt(peak, 3 * d.amps);
    wait_ms(1500);
    ck_assert_int_eq(wpin_sensorless_doing(s), WPIN_SENSORLESS_RUN);
    wpin_motor_coast(&b.motor);
    wait_ms(2000);
    for (int i = 0; i < 300; i++) { /* 50 minutes in steps of ten seconds, disarmed */
        wpin_motor_disarm(&b.motor);
        b.ahead += 10000000;
        tick();
    }
    wpin_motor_clear_fault(&b.motor);
    wpin_motor_arm(&b.motor);
    wait_ms(3);
    ask(0.5);
    wait_ms(600);
    ck_assert_int_eq(wpin_sensorless_doing(s), WPIN_SENSORLESS_ALIGN);
    tear_down();
}
END_TEST

/* A current limit below what the start takes: it starts all the same, and is limited from then on.
 */
START_TEST(a_current_limit_does_not_keep_it_from_starting) {
    set_up("s/input: 0}/input: 0, limit: 700mA}/", 0, 0.3);
    ask(1);
    wait_ms(6000);
    ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_RUN);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_uint_ne(wpin_motor_held(&b.motor) & WPIN_HELD_CURRENT, 0);
    ck_assert_uint_eq(b.bound.sensorless_at_work.lost, 0);
    ck_assert_int_lt(wpin_motor_duty(&b.motor), WPIN_PERCENT(90));
    tear_down();
}
END_TEST

/* Interrupts that never come, a clock that jumps: at worst it starts anew. */
START_TEST(it_lives_with_a_bad_clock_and_missed_interrupts) {
    set_up("", 0, 0.45);
    pick_seed((uint32_t)_i + 1);
    b.missed = _i == 0 ? 30 : 0;
    ask(0.6);
    for (int i = 0; i < 6000; i++) {
        tick();
        if (_i != 0 && i % 50 == 0 && i < 2500) {
            b.ahead += _i == 1 ? -(int64_t)pick(2000) : (int64_t)pick(2) * 900;
        }
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_RUN);
    tear_down();
}
END_TEST

/* Trip, stop, coast, disarm at any moment of a start or a run: everything off, at once where that
 * is asked, and it starts again. */
START_TEST(it_ends_at_any_moment) {
    set_up("", 0, 0.8);
    pick_seed(5);
    for (int round = 0; round < 8; round++) {
        ask(round % 4 == 3 ? -0.4 : 0.4);
        wait_ms(1 + (int)pick(2000));
        switch (round % 4) {
        case 0:
            wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
            ck_assert(!anything_driven());
            break;
        case 1: wpin_motor_coast(&b.motor); break;
        case 2: wpin_motor_disarm(&b.motor); break;
        default: wpin_motor_stop(&b.motor, 0); break;
        }
        wait_ms(round % 4 == 3 ? 2500 : 2);
        ck_assert_msg(!anything_driven(), "round %d", round);
        ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_OFF);
        wait_ms(1500);
        wpin_motor_clear_fault(&b.motor);
        wpin_motor_arm(&b.motor);
        wait_ms(2);
    }
    tear_down();
}
END_TEST

/* A port that refuses: a fault, in the interrupt as in the tick. */
START_TEST(a_port_that_refuses_is_a_fault) {
    set_up("", 0, 0);
    ask(0.5);
    wait_ms(_i == 0 ? 400 : 3000);
    b.refused = 1;
    wait_ms(700);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PORT);
    b.refused = 0;
    wait_ms(5);
    ck_assert(!anything_driven());
    tear_down();
}
END_TEST

/* ---- what can not be ---- */

static const wpin_sensorless_step steps[] = {{400, 3000}, {300, 3100}};
static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const wpin_stage_config stage = {.table = &wpin_table_three_phase_bridge_high,
                                        .lines = lines,
                                        .pwm_hz = 20000,
                                        .dead_time_us = 1};
static const wpin_stage_config bridge = {
    .table = &wpin_table_two_inputs, .lines = lines, .pwm_hz = 20000, .dead_time_us = 1};

START_TEST(what_can_not_be_is_refused) {
    static const wpin_sensorless_step none[] = {{400, 0}}, no_time[] = {{0, 100}},
                                      too_long[] = {{5000, 100}}, too_much[] = {{400, 16385}};
    wpin_sensorless_config good = {.stage = &stage,
                                   .above = {14, 15, 16},
                                   .ramp = steps,
                                   .ramp_count = 2,
                                   .align_ms = 300,
                                   .rest_ms = 1000,
                                   .least_us = 100};
    wpin_sensorless_config bad[14];
    for (size_t i = 0; i < 14; i++) {
        bad[i] = good;
    }
    bad[0].stage = &bridge;
    bad[1].above[1] = 14;
    bad[2].above[2] = 3;
    bad[3].ramp = NULL;
    bad[4].ramp_count = 0;
    bad[5].ramp = none, bad[5].ramp_count = 1;
    bad[6].ramp = no_time, bad[6].ramp_count = 1;
    bad[7].ramp = too_long, bad[7].ramp_count = 1;
    bad[8].ramp = too_much, bad[8].ramp_count = 1;
    bad[9].align_ms = 0;
    bad[10].rest_ms = 60001;
    bad[11].least_us = 0;
    bad[12].advance = 121;
    bad[13].least_duty = 16385;
    static wpin_sensorless phases;
    wpin_motor motor = {0};
    recorder r;
    recorder_init(&r);
    for (size_t i = 0; i < 14; i++) {
        wpin_motor_config config = {WPIN_ON_SENSORLESS(&phases, &bad[i]),
                                    .guard = {.cap = WPIN_DUTY_FULL,
                                              .up = WPIN_SLEW_US(1000000),
                                              .down = WPIN_SLEW_US(1000000)}};
        wpin_status status = wpin_motor_init(&motor, &config, &r.port);
        ck_assert_msg(status == WPIN_REFUSED_CONFIG, "%zu: %d", i, status);
        ck_assert_int_eq(wpin_sensorless_sample(&phases), WPIN_REFUSED_CLOSED);
    }
    wpin_motor_config config = {WPIN_ON_SENSORLESS(&phases, &good),
                                .guard = {.cap = WPIN_DUTY_FULL,
                                          .up = WPIN_SLEW_US(1000000),
                                          .down = WPIN_SLEW_US(1000000)}};
    ck_assert_int_eq(wpin_motor_init(&motor, &config, &r.port), WPIN_OK);
    ck_assert_int_eq(wpin_sensorless_doing(&phases), WPIN_SENSORLESS_OFF);
    r.port.read = NULL;
    wpin_motor_close(&motor);
    ck_assert_int_eq(wpin_motor_init(&motor, &config, &r.port), WPIN_REFUSED_PORT);
    ck_assert_int_eq(wpin_sensorless_sample(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_sensorless_doing(NULL), WPIN_SENSORLESS_OFF);
}
END_TEST

/* ---- a regulated speed ---- */

static void ask_rpm(double rpm) {
    wpin_setpoint s = {WPIN_QUANTITY_SPEED, (int32_t)lround(rpm / 2600 * WPIN_DUTY_FULL)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
}

/* What it comes to after so many ms of its ramp and its start, by its crossings and in truth. */
static void comes_to(double rpm, int ms) {
    double least = 0, most = 0;
    wait_ms(ms);
    for (int i = 0; i < 300; i++) {
        double now = tick().rpm * (rpm < 0 ? -1 : 1);
        least = i == 0 ? now : fmin(least, now);
        most = fmax(most, now);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_msg(least > 0.99 * fabs(rpm) && most < 1.01 * fabs(rpm), "%g to %g of %g rpm", least,
                  most, rpm);
    double told = (double)wpin_motor_measurement(&b.motor).speed / WPIN_DUTY_FULL * 2600;
    ck_assert_double_eq_tol(told, rpm, 0.01 * fabs(rpm));
}

/* On benches that the rig does not know, both ways, as slow as its crossings lead; held by a hand
 * it starts anew and comes back; and from a duty to a speed without a jump. */
START_TEST(its_speed_is_regulated_by_its_crossings) {
    pick_seed((uint32_t)_i + 77);
    set_up("s/    ramp:/    speed: {rated: 2000rpm, maximum: 2600rpm}\\n    ramp:/",
           _i == 0 ? 0 : 0.2, pick(1000) / 1000.0);
    int8_t way = _i % 2 == 0 ? 1 : -1;
    ask_rpm(way * (600.0 + pick(1300)));
    wait_ms(300);
    double rpm = way * (600.0 + pick(1300));
    ask_rpm(rpm); /* another one before it has started */
    comes_to(rpm, 6000);
    rpm = way * 420;
    ask_rpm(rpm);
    comes_to(rpm, 4000);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    wait_ms(200);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    comes_to(rpm, 7000);
    ck_assert_uint_eq(b.bound.sensorless_at_work.lost, 1);
    ask(way * 0.5);
    double before = fabs(wait_ms(3000).rpm);
    ask_rpm(way * before);
    double most = 0;
    for (int ms = 0; ms < 500; ms++) {
        most = fmax(most, fabs(tick().rpm));
    }
    ck_assert_double_lt(most, 1.03 * before);
    wpin_motor_stop(&b.motor, 0);
    wait_ms(8000);
    ck_assert(!wpin_motor_busy(&b.motor));
    ck_assert_int_eq(wpin_motor_measurement(&b.motor).speed, 0);
    ask_rpm(-rpm);
    comes_to(-rpm, 6000);
    tear_down();
}
END_TEST

/* ---- the tool ---- */

/* The demo does what its plan asks; the vet rules know what can not start. */
START_TEST(the_tool_knows_it) {
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " run %s/demo/honey-fan.yaml %s/demo/"
                                           "honey-fan.plan",
                                 TEST_SOURCE, TEST_SOURCE),
                     0);
    ck_assert(strstr(output, "fan hold 4s      +100.0 %") != NULL);
    ck_assert_int_ne(run_command(output, sizeof output,
                                 TEST_TOOL " find %s/demo/honey-fan.yaml fan", TEST_SOURCE),
                     0);
    ck_assert_msg(strstr(output, "it starts by the clock") != NULL, "%s", output);
    static const struct {
        const char *change, *rule;
    } bad[] = {{"s/c: 16}}/c: 16}, start-current: 200mA}/", "blind-start"},
               {"s/quadratic: 0.5uNms2.rad2/torque: 0.4Nm/", "blind-start"},
               {"s/c: 16}}/c: 16}, start-current: 13A}/", "start-current"},
               {"s/c: 16}}/c: 16}, offset: 400mV}/", "faint-crossing"},
               {"s/pwm: 20kHz/pwm: 5kHz/", "sector-pwm"}};
    for (size_t i = 0; i < sizeof bad / sizeof *bad; i++) {
        run_command(output, sizeof output, "sed '%s' %s/demo/honey-fan.yaml > %s", bad[i].change,
                    TEST_SOURCE, scratch("bad.yaml"));
        run_command(output, sizeof output, TEST_TOOL " vet %s", scratch("bad.yaml"));
        ck_assert_msg(strstr(output, bad[i].rule) != NULL, "%s:\n%s", bad[i].rule, output);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sensorless");
    TCase *tests = tcase_create("sensorless");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, it_starts_from_anywhere, 0, KINDS);
    tcase_add_test(tests, it_starts_on_benches_that_the_rig_does_not_know);
    tcase_add_test(tests, its_effort_waits_for_the_start);
    tcase_add_test(tests, a_lost_step_starts_anew);
    tcase_add_loop_test(tests, what_is_broken_ends_in_a_fault, 0, sizeof broken / sizeof *broken);
    tcase_add_loop_test(tests, a_dead_switch_is_noticed, 0, 6);
    tcase_add_test(tests, it_runs_down_before_it_starts_again);
    tcase_add_test(tests, a_current_limit_does_not_keep_it_from_starting);
    tcase_add_loop_test(tests, it_lives_with_a_bad_clock_and_missed_interrupts, 0, 3);
    tcase_add_test(tests, it_ends_at_any_moment);
    tcase_add_loop_test(tests, a_port_that_refuses_is_a_fault, 0, 2);
    tcase_add_test(tests, what_can_not_be_is_refused);
    tcase_add_loop_test(tests, its_speed_is_regulated_by_its_crossings, 0, 8);
    tcase_add_test(tests, the_tool_knows_it);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
