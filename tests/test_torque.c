/* Torque by a regulated current: how near and how soon on every stage that takes a duty, whatever
 * the sense says; and plans that ask for it. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

static char output[8000];

/* ---- on the bench ---- */

typedef struct bench_kind {
    const char *change; /* of the demo's rig, by sed */
    double most_over;   /* A beyond what is asked, of the rated 2 A */
    double hot;         /* resistance of its winding, of the rig's */
} bench_kind;

#define IN1_IN2                                                                                    \
    "s/direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}/two-inputs, pins: {in1: 4, "    \
    "in2: 9}/;s/off-phase: slow, //;s/duty-limit: 65%/duty-limit: 100%/;"
#define NO_ENCODER "/^    encoder/d;"

static const bench_kind kinds[] = {
    {"", 0.25, 1},
    {NO_ENCODER, 0.25, 1},
    {IN1_IN2, 0.25, 1},
    {"s/sense: 500mV.A, sense-noise: 5mV/sense: 150mV\\/A/", 0.25, 1},
    {"s/inductance: 2mH/inductance: 12mH/", 0.35, 1},
    {"s/inductance: 2mH/inductance: 300uH/", 0.35, 1},
    {"s/sense-noise: 5mV/sense-noise: 100mV/", 0.4, 1},
    {"s/tick: 1ms/tick: 5ms/", 0.5, 1},
    {"s/{rated: 2A}/{rated: 2A, response: 60ms}/", 0.1, 1},
    {"s/duty-limit: 65%/duty-limit: 100%/", 0.25, 1.5},
    {"s/duty-limit: 65%/duty-limit: 100%/", 0.25, 0.8},
};
enum { KINDS = sizeof kinds / sizeof *kinds };

typedef struct bench {
    wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
} bench;

/* The demo's spindle, pressing against its stop from the begin. */
static void set_up(bench *b, const char *change, double hot) {
    wpin_messages m = {0};
    *b = (bench){0};
    ck_assert_int_eq(
        run_command(output, sizeof output,
                    "sed '%s;s/start: 5deg/start: 420deg/' %s/demo/honey-lid.yaml > %s", change,
                    TEST_SOURCE, scratch("lid.yaml")),
        0);
    b->rig = wpin_rig_read(scratch("lid.yaml"), &m);
    ck_assert_msg(b->rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    double cold = b->rig->loads[0].motor.resistance;
    b->rig->loads[0].motor.resistance *= hot; /* which the controller does not know */
    b->sim = wpin_board_build(b->rig);
    b->rig->loads[0].motor.resistance = cold;
    b->port = wpin_sim_port(b->sim);
    wpin_sim_switch(b->sim, 0, true);
    wpin_bind_load(&b->bound, b->rig, &b->rig->loads[0]);
    ck_assert_int_eq(wpin_bound_open(&b->bound, &b->motor, &b->port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b->motor), WPIN_OK);
    wpin_messages_free(&m);
}

static double true_amps(bench *b) {
    wpin_part_reading r = wpin_sim_read(b->sim, 0);
    return fabs(r.amps_min + r.amps_max) / 2;
}

static double tick(bench *b) {
    wpin_sim_read(b->sim, 0); /* from here */
    wpin_motor_tick(&b->motor);
    wpin_sim_advance(b->sim, (int64_t)llround(b->rig->controller.tick * 1e12));
    return true_amps(b);
}

static void wait_ms(bench *b, double ms) {
    for (double t = 0; t < ms; t += b->rig->controller.tick * 1e3) {
        tick(b);
    }
}

static wpin_status ask(bench *b, double amps, uint32_t ramp_us) {
    double share = amps / b->rig->loads[0].current.rated;
    wpin_setpoint s = {WPIN_QUANTITY_TORQUE, (int32_t)lround(share * WPIN_DUTY_FULL)};
    return wpin_motor_request(&b->motor, s, ramp_us, 60000);
}

static void put_away(bench *b) {
    wpin_motor_close(&b->motor);
    wpin_sim_free(b->sim);
    wpin_rig_free(b->rig);
}

/* Held, it comes to each current within its time, hardly over it, and stays within what it may be
 * off, by true amperes; either way round. */
START_TEST(a_current_is_held) {
    const bench_kind *k = &kinds[_i % KINDS];
    bool reverse = _i >= KINDS;
    static const double asked[] = {0.4, 1.8, 1.0, 2.0, 0.2};
    bench b;
    set_up(&b, k->change, k->hot);
    b.rig->loads[0].motor.stop_low = 0;
    wait_ms(&b, 400);
    double response = wpin_rig_current_design(b.rig, &b.rig->loads[0]).response;
    if (reverse) { /* off the stop, and against the other one */
        ck_assert_int_eq(ask(&b, -0.5, 0), WPIN_OK);
        wait_ms(&b, 4000);
    }
    for (size_t i = 0; i < sizeof asked / sizeof *asked; i++) {
        ck_assert_int_eq(ask(&b, reverse ? -asked[i] : asked[i], 0), WPIN_OK);
        double most = 0, sum = 0;
        int count = 0;
        double ramp = 300e-3, over = ramp + 12 * response + 0.05; /* the rig's ramp of all of it */
        for (double t = 0; t < over + 0.3; t += b.rig->controller.tick) {
            double amps = tick(&b);
            bool falls = i > 0 && asked[i] < asked[i - 1];
            most = falls && t < over ? most : fmax(most, amps);
            sum += t > over ? amps : 0;
            count += t > over;
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
        ck_assert_msg(fabs(sum / count - asked[i]) < 0.02 + 0.02 * asked[i], "%s: %g A of %g A",
                      k->change, sum / count, asked[i]);
        ck_assert_msg(most < asked[i] + k->most_over + 0.1, "%s: %g A at %g A", k->change, most,
                      asked[i]);
    }
    size_t burns;
    wpin_sim_burns(b.sim, &burns);
    ck_assert_uint_eq(burns, 0);
    put_away(&b);
}
END_TEST

/* ---- by a sense that lies ---- */

static wpin_torque_config gains = {
    .full_mv = 1000, .within_mv = 50, .feed = 6000, .emf = 12000, .gain = 300, .integral = 2000};

/* Whatever is read and given: an effort of the direction asked for or none, none for nothing asked
 * or nothing read; and with an honest sense again it finds its way back. */
START_TEST(no_reading_drives_it_astray) {
    wpin_torque t = {0};
    pick_seed(5 + (uint32_t)_i);
    for (int round = 0; round < 3000; round++) {
        wpin_measurement m = {.valid = (uint8_t)pick(16)};
        wpin_given given = {.effort = 0};
        int asked = (int)pick(3) == 0 ? 0 : (int)pick(32769) - 16384;
        if (pick(4) == 0) {
            given.effort = (wpin_duty)((int)pick(32769) - 16384);
            wpin_torque_reset(&t, &gains, &m, &given);
        }
        for (unsigned i = pick(40); i > 0; i--) {
            m.current = (int16_t)(pick(65536) - 32768);
            m.speed = (int16_t)(pick(65536) - 32768);
            m.valid = (uint8_t)pick(16);
            given.held = (uint8_t)pick(256);
            int effort = (int)wpin_torque_step(&t, &gains, asked, &m, &given);
            ck_assert(asked > 0 ? effort >= 0 : asked < 0 ? effort <= 0 : effort == 0);
            ck_assert(effort <= WPIN_DUTY_FULL && effort >= -WPIN_DUTY_FULL);
            ck_assert((m.valid & WPIN_HAS_CURRENT) != 0 || effort == 0);
            given.effort = (wpin_duty)effort;
        }
    }
    wpin_given given = {.effort = 0};
    double amps_mv = 0; /* a standing winding: 2500 mV at full duty, in a few ticks */
    wpin_measurement m = {.valid = WPIN_HAS_CURRENT};
    for (int i = 0; i < 400; i++) {
        m.current = (int16_t)lround(_i % 2 == 0 ? amps_mv : -amps_mv);
        given.effort = (wpin_duty)wpin_torque_step(&t, &gains, 8192, &m, &given);
        amps_mv += (2500.0 * given.effort / WPIN_DUTY_FULL - amps_mv) / 3;
    }
    ck_assert_double_eq_tol(amps_mv, 500, 12);
    ck_assert(wpin_torque_near(&t, &gains));
}
END_TEST

static int16_t stuck_mv;
static int16_t stuck(void *context, uint8_t input) {
    (void)context, (void)input;
    return stuck_mv;
}

/* A sense that is gone trips, and one stuck at nothing; one stuck high gives nothing; one beyond
 * the trip trips. After each it works again. */
START_TEST(a_sense_that_fails) {
    static const struct {
        int16_t mv;
        double duty;
        wpin_status fault;
    } rows[] = {{WPIN_NO_READING, 0, WPIN_FAULT_SENSOR},
                {0, 0, WPIN_FAULT_NO_CURRENT},
                {1900, 0, WPIN_OK},
                {-1900, 0, WPIN_OK},
                {2100, 0, WPIN_FAULT_OVERCURRENT}};
    bench b;
    set_up(&b, "", 1);
    wpin_port honest = b.port;
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        b.port = honest;
        wait_ms(&b, 400);
        ck_assert_int_eq(ask(&b, 1, 0), WPIN_OK);
        wait_ms(&b, 600);
        ck_assert_double_eq_tol(true_amps(&b), 1, 0.06);
        stuck_mv = rows[i].mv;
        b.port.millivolts = stuck;
        wait_ms(&b, 700);
        double duty = (double)wpin_motor_duty(&b.motor) / WPIN_DUTY_FULL;
        ck_assert_double_eq_tol(duty, rows[i].duty, 1e-3);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), rows[i].fault);
        b.port = honest;
        tick(&b); /* it reads what is really there */
        if (rows[i].fault != WPIN_OK) {
            ck_assert_int_eq(ask(&b, 1, 0), WPIN_REFUSED_FAULTED);
            ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
            ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
            wait_ms(&b, 400);
            ck_assert_int_eq(ask(&b, 0.5, 0), WPIN_OK); /* the first move, which is a careful one */
            wait_ms(&b, 200);
        }
        wpin_motor_stop(&b.motor, 0);
        wait_ms(&b, 800);
    }
    put_away(&b);
}
END_TEST

/* Asked the other way while it presses, it comes to rest first; asked for again in every tick, it
 * gets there all the same; told to stop, it lets go. */
START_TEST(it_turns_over_through_rest) {
    bench b;
    set_up(&b, "", 1);
    wait_ms(&b, 400);
    for (int i = 0; i < 700; i++) {
        ck_assert_int_eq(ask(&b, 1.5, 0), WPIN_OK);
        tick(&b);
    }
    ck_assert_double_eq_tol(true_amps(&b), 1.5, 0.06);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(ask(&b, -1, 200000), WPIN_OK);
    int before = wpin_motor_duty(&b.motor), stood = 0;
    for (int i = 0; i < 1500; i++) {
        tick(&b);
        int duty = wpin_motor_duty(&b.motor);
        ck_assert(!(before > 0 && duty < 0));
        stood += duty == 0;
        before = duty;
    }
    ck_assert_int_ge(stood, 100); /* its pause */
    ck_assert_int_lt(before, 0);
    ck_assert_double_eq_tol(true_amps(&b), 1, 0.06); /* against the other stop */
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    wait_ms(&b, 1500);
    ck_assert(!wpin_motor_busy(&b.motor));
    put_away(&b);
}
END_TEST

/* ---- in plans ---- */

typedef struct said {
    const char *change, *plan;
    int status;
    const char *words;
} said;

static const said plans[] = {
    {"", "lid run 0.35Nm for 1.5s", 0, "ok, 0.911 A is 0.35 Nm"},
    {"", "lid ramp 1.5A\nlid ramp 1.5A in 2s\nlid hold 1s\nlid stop", 0,
     "of 1.5 A, 0.576 Nm, standing"},
    {"", "lid run reverse 1A for 500ms", 0, "-1 A"},
    {"", "lid run 0.35Nm for 1.5s\nlid ramp 1A\nlid stop", 0, "ok, 1 A is 0.384 Nm, standing"},
    {"", "lid run 0.35Nm until lid above 0.5A at most 3s", 0, "what it waited for came first"},
    {"s/, travel: {low: 0deg, high: 420deg, start: 5deg}//", "lid ramp 1A\nlid hold 1s\nlid stop",
     0, "all the duty it may have drives no more at this speed"},
    {"s/, travel: {low: 0deg, high: 420deg, start: 5deg}//", "lid run 1A for 2s", 0, "ok, 1 A is"},
    {"s/^inputs:/&\\n  dial: {analog: 3}/",
     "parallel\ntrack\nwait 300ms\ndial turn 90%\nend\nlid follow dial up to 1A for 3s\nend", 0,
     "ok, as its input asked"},
    {"", "lid ramp 3A\nlid stop", 2, "3 A is out of range; expected 0.02 to 2 A (rated current"},
    {"", "lid run 1Nm for 1s", 2, "expected 0.00768 to 0.768 Nm"},
    {"", "lid run 0A for 1s", 2, "out of range"},
    {"", "lid run -1A for 1s", 2, "out of range"},
    {"/^    current: /d", "lid run 1A for 1s", 2, "the current of 'lid' is not regulated"},
    {"s/rated: 2A/rated: 5A/", "lid run 1A for 1s", 2, "rated 5 A trips: expected less than"},
    {"/^    current-trip/d;/overload/d", "lid run 1A for 1s", 2,
     "give the driver 'sense', and the"},
    {"s/sense: 500mV.A/sense: 20mV\\/A/;/overload/d", "lid run 1A for 1s", 2,
     "expected at least 100 mV"},
    {"s/duty-limit: 65%/duty-limit: 30%/", "lid run 1A for 1s", 2, "current-reach"},
};

START_TEST(plans_ask_for_torque) {
    const said *s = &plans[_i];
    char plan[300];
    snprintf(plan, sizeof plan, "main on\n%s\nmain off\n", s->plan);
    int status = run_command(output, sizeof output,
                             "sed '%s' %s/demo/honey-lid.yaml > %s && timeout 60 %s run %s %s",
                             s->change, TEST_SOURCE, scratch("rig.yaml"), TEST_TOOL,
                             scratch("rig.yaml"), write_file("asked.plan", plan));
    ck_assert_msg(strstr(output, s->words) != NULL, "%s", output);
    ck_assert_msg(status == s->status, "%s", output);
}
END_TEST

/* What a supply does not quite reach ends a ramp all the same, and is told. */
START_TEST(what_comes_no_nearer_is_there) {
    static const struct {
        const char *change, *rpm;
        int status;
        const char *words;
    } rows[] = {
        {"s/voltage: 24V/voltage: 18.6V/", "235", 0, "ok"},
        {"s/voltage: 24V/voltage: 18V/", "235", 0, "the duty it may have drives it no faster"},
        {"s/voltage: 24V/voltage: 17.5V/", "235", 0, "drives it no faster"},
        {"s/kind: direction-pwm-brake/kind: direction-pwm-shorting/; s/ brake: 7,//; s/down: "
         "9s/down: "
         "50ms/; s/inertia: 0.25kgm2/inertia: 0.01kgm2/; s/up: 6s/up: 1s/",
         "235rpm\ndrum ramp 100", 0, "rpm only: it slowed down past that"},
        {"s/kind: direction-pwm-brake/kind: direction-pwm-shorting/; s/ brake: 7,//; s/down: "
         "9s/down: "
         "50ms/; s/inertia: 0.25kgm2/inertia: 0.01kgm2/; s/up: 6s/up: 1s/",
         "235rpm\ndrum ramp 15", 0, "rpm measured at its end, in truth 0: it changes"},
        {"s/limit: 9A/limit: 1A/", "20", 1, "came to 0 rpm only: its current limit"}};
    char plan[100];
    snprintf(plan, sizeof plan, "main on\ndrum ramp %srpm\ndrum stop\nmain off\n", rows[_i].rpm);
    int status =
        run_command(output, sizeof output,
                    "sed '%s;s/^rig: .*/&\\naccept: [drum speed-reach, drum limit-level, drum "
                    "ramp-current]/' %s/demo/honey-drum.yaml > %s && timeout 60 %s run %s %s",
                    rows[_i].change, TEST_SOURCE, scratch("drum.yaml"), TEST_TOOL,
                    scratch("drum.yaml"), write_file("slow.plan", plan));
    ck_assert_msg(status == rows[_i].status, "%s", output);
    ck_assert_msg(strstr(output, rows[_i].words) != NULL, "%s", output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("torque");
    TCase *tests = tcase_create("torque");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, a_current_is_held, 0, 2 * KINDS);
    tcase_add_loop_test(tests, no_reading_drives_it_astray, 0, 6);
    tcase_add_test(tests, a_sense_that_fails);
    tcase_add_test(tests, it_turns_over_through_rest);
    tcase_add_loop_test(tests, plans_ask_for_torque, 0, sizeof plans / sizeof *plans);
    tcase_add_loop_test(tests, what_comes_no_nearer_is_there, 0, 6);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
