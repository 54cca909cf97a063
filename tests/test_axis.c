/* A drive on a field bus as a motor's actuator, with a simulated drive at the other end of a
 * simulated bus. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/sim.h>

enum { NODE = 5, COUNTS = 4000, FULL_RPM = 3000, RATED_MA = 3000 };

/* A bench: one drive, its motor, and the controller that commands it. */
static struct bench {
    wpin_sim *sim;
    wpin_fieldbus bus;
    wpin_port port;
    wpin_network network;
    wpin_network_config network_config;
    wpin_axis axis;
    wpin_axis_config axis_config;
    wpin_protection protections[1];
    wpin_motor motor;
    wpin_loop_state loop_state;
    wpin_motor_config config;
    wpin_setting settings[16];
    int supply, drive;
} b;

static const wpin_part_controller controller = {.logic_volts = 3.3,
                                                .pin_resistance = 25,
                                                .pin_burns_above = 0.04,
                                                .timer_hz = 16e6,
                                                .timer_steps_max = 65536};
static const wpin_part_motor usual_motor = {.name = "axis",
                                            .resistance = 0.8,
                                            .inductance = 1.2e-3,
                                            .constant = 0.07,
                                            .inertia = 1.2e-4,
                                            .dry_friction = 0.02,
                                            .static_friction = 0.03,
                                            .viscous_friction = 2e-5,
                                            .gear_ratio = 1,
                                            .gear_efficiency = 1,
                                            .load_inertia = 1e-4};
static const wpin_part_driver usual_stage = {.name = "drive",
                                             .logic = WPIN_LOGIC_FIELD_BUS,
                                             .off_phase = WPIN_OFF_SHORT,
                                             .on_resistance = 0.05,
                                             .diode_volts = 0.8,
                                             .diode_resistance = 0.05,
                                             .input_resistance = 1e5,
                                             .burns_above_amps = 30,
                                             .burns_after = 1e-3,
                                             .burns_above_volts = 60,
                                             .interlock = true};

static wpin_setting number(uint16_t index, uint8_t sub, uint8_t size, uint32_t value) {
    return (wpin_setting){index, sub, size, value, 0};
}

static double stops[2]; /* of the next one's shaft, turns; both 0: none */

static void build(void) {
    memset(&b, 0, sizeof b);
    b.sim = wpin_sim_new(&controller);
    b.supply = wpin_sim_add_supply(b.sim, &(wpin_part_supply){.name = "drives",
                                                              .volts = 36,
                                                              .resistance = 0.05,
                                                              .limit_amps = 20,
                                                              .capacitance = 4700e-6,
                                                              .on = true});
    b.drive = wpin_sim_add_bridge(b.sim, &usual_stage, b.supply);
    wpin_part_motor motor = usual_motor;
    motor.stop_low = stops[0];
    motor.stop_high = stops[1];
    ck_assert_int_ge(wpin_sim_add_motor(b.sim, &motor, b.drive), 0);
    int bus = wpin_sim_add_fieldbus(b.sim, 1e6);
    wpin_part_axis part = {
        .number = NODE, .counts = COUNTS, .rated_amps = RATED_MA / 1e3, .logic_supply = -1};
    ck_assert(wpin_sim_add_drive(b.sim, &part, bus, b.drive));
    ck_assert(wpin_sim_fieldbus(b.sim, bus, &b.bus));
    b.port = wpin_sim_port(b.sim);
    b.network_config = (wpin_network_config){.sync_us = 4000, .heartbeat_us = 20000, .number = 127};
    uint32_t full = FULL_RPM / 60 * COUNTS;
    b.settings[0] = number(0x6007, 0, 2, 3);
    b.settings[1] = number(0x605A, 0, 2, 6);
    b.settings[2] = number(0x6083, 0, 4, full * 5);
    b.settings[3] = number(0x6084, 0, 4, full * 5);
    b.settings[4] = number(0x6085, 0, 4, full * 20);
    b.axis_config = (wpin_axis_config){.network = &b.network,
                                       .number = NODE,
                                       .full_speed = full,
                                       .full_current = 3000,
                                       .profile_speed = full / 2,
                                       .hold_still = 4,
                                       .heartbeat_ms = 100,
                                       .settings = b.settings,
                                       .setting_count = 5};
    b.protections[0] = (wpin_protection)WPIN_AXIS_PROTECTION(&b.axis);
    b.config = (wpin_motor_config){
        WPIN_ON_AXIS(&b.axis, &b.axis_config),
        .guard = {.cap = (uint16_t)WPIN_DUTY_FULL,
                  .up = WPIN_SLEW_US(500000),
                  .down = WPIN_SLEW_US(500000),
                  .reversal = WPIN_REVERSAL_STANDSTILL,
                  .standstill = 160,
                  .pause_us = 50000},
        .sense = {.place = wpin_axis_set_position, .context = &b.axis, .current_mv_per_a = 1000},
        WPIN_CLOSED_LOOP(&b.loop_state),
        .protections = b.protections,
        .protection_count = 1,
        .at_count = 4,
        .counts_per_turn = COUNTS};
}

static void begin(void) {
    build();
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
}

static void end(void) {
    wpin_motor_close(&b.motor);
    wpin_sim_free(b.sim);
    b.sim = NULL;
}

static void pass(unsigned ms) {
    for (unsigned i = 0; i < ms; i++) {
        wpin_sim_advance(b.sim, 1000000000);
        wpin_motor_tick(&b.motor);
    }
}

static double rpm(void) {
    return wpin_sim_read(b.sim, 0).rpm;
}

static void arm(void) {
    for (int i = 0; i < 2000 && wpin_motor_arm(&b.motor) != WPIN_OK; i++) {
        pass(1);
    }
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    pass(1);
}

static wpin_status run_at(double share, uint32_t timeout_ms) {
    wpin_setpoint s = {WPIN_QUANTITY_SPEED, (int32_t)lround(share * WPIN_DUTY_FULL)};
    return wpin_motor_request(&b.motor, s, 0, timeout_ms);
}

START_TEST(it_is_set_up_and_moves_nothing) {
    begin();
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_FAULT_SILENT);
    double most = 0;
    unsigned ms = 0;
    for (; ms < 3000 && b.axis.setup != WPIN_AXIS_SET_UP; ms++) {
        pass(1);
        most = fmax(most, fabs(rpm()));
    }
    ck_assert_int_eq(b.axis.setup, WPIN_AXIS_SET_UP);
    ck_assert_double_eq(most, 0);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    end();
}
END_TEST

START_TEST(it_runs_at_a_speed_both_ways) {
    begin();
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(2000);
    ck_assert_double_eq_tol(rpm(), 1500, 5);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(run_at(-0.25, 3000), WPIN_OK);
    pass(1200);
    ck_assert_double_eq_tol(rpm(), -750, 5);
    pass(3000);
    ck_assert_double_eq_tol(rpm(), 0, 1);
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    end();
}
END_TEST

START_TEST(it_goes_to_a_place) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 3600000, 10000), WPIN_OK);
    pass(2000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 10, 0.002);
    ck_assert(!wpin_motor_busy(&b.motor));
    end();
}
END_TEST

/* A speed asked for on the way to a place, either way: it comes to rest between the two, and is
 * known to be at rest after both. */
START_TEST(a_speed_overtakes_a_place) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 3600000, 10000), WPIN_OK);
    pass(400);
    ck_assert_double_gt(rpm(), 200);
    ck_assert_int_eq(run_at(_i == 0 ? 0.3 : -0.3, WPIN_TIMEOUT_HELD), WPIN_OK);
    unsigned stood = 0;
    for (int ms = 0; ms < 2500; ms++) {
        pass(1);
        stood += fabs(rpm()) < 1;
        ck_assert(_i == 0 || wpin_motor_duty(&b.motor) >= 0 || rpm() < 30);
    }
    ck_assert_uint_ge(stood, _i == 0 ? 1 : 50); /* turning over, its pause too */
    ck_assert_double_eq_tol(rpm(), _i == 0 ? 900 : -900, 10);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    pass(2500);
    ck_assert(!wpin_motor_busy(&b.motor));
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_READY);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 360000, 10000), WPIN_OK);
    pass(2500);
    ck_assert(!wpin_motor_busy(&b.motor));
    end();
}
END_TEST

START_TEST(it_turns_back_only_from_standstill) {
    begin();
    b.axis_config.reversed = _i != 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    double sign = _i != 0 ? -1 : 1; /* of the drive's own shaft */
    ck_assert_int_eq(run_at(0.4, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), sign * 1200, 10);
    ck_assert_int_eq(run_at(-0.4, WPIN_TIMEOUT_HELD), WPIN_OK);
    unsigned stood = 0;
    for (int ms = 0; ms < 2000; ms++) {
        pass(1);
        bool forward = sign * b.axis.velocity > 0, told_back = wpin_motor_duty(&b.motor) < 0;
        ck_assert(!(forward && told_back && fabs(rpm()) > 30));
        stood += fabs(rpm()) < 1;
    }
    ck_assert_uint_ge(stood, 50); /* the pause of its rig */
    ck_assert_double_eq_tol(rpm(), sign * -1200, 10);
    ck_assert_int_gt(wpin_motor_measurement(&b.motor).current != 0, 0);
    ck_assert_int_lt(wpin_motor_measurement(&b.motor).speed, 0);
    end();
}
END_TEST

START_TEST(places_are_gone_to_by_how_far_and_again) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 90000, 5000), WPIN_OK);
    pass(1000);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 90000, 5000), WPIN_OK);
    pass(1000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 0.5, 0.003);
    ck_assert_int_eq(wpin_motor_set_position(&b.motor, 0), WPIN_OK);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, -360000, 5000), WPIN_OK);
    pass(2000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, -0.5, 0.003);
    ck_assert_int_eq(run_at(0.2, 1000), WPIN_OK); /* from places to speeds */
    pass(800);
    ck_assert_double_eq_tol(rpm(), 600, 5);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 0, 8000), WPIN_OK); /* and back, while it turns */
    pass(4000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 0.5, 0.003);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    end();
}
END_TEST

/* By the methods of CiA 402: the place is known as the drive says it, and a second time too. */
static const struct {
    double stop_low, stop_high;
    int32_t method, offset;
    bool reversed;
    double turns; /* where its shaft stands then; 99: where it stood */
} homings[] = {{0, 0, 37, 0, false, 99},        {0, 0, 35, 500, false, 99},
               {-1.2, 8, 17, 0, false, -1.108}, {-1.2, 8, 17, 4000, false, -1.108},
               {-8, 2.3, 18, 0, false, 2.197},  {-1.2, 8, 17, -300, true, -1.108}};

START_TEST(it_finds_its_home_by_its_own_method) {
    stops[0] = homings[_i].stop_low;
    stops[1] = homings[_i].stop_high;
    begin();
    b.settings[5] = number(0x6098, 0, 1, (uint32_t)homings[_i].method);
    b.settings[6] = number(0x607C, 0, 4, (uint32_t)homings[_i].offset);
    b.settings[7] = number(0x6099, 1, 4, 8000);
    b.settings[8] = number(0x6099, 2, 4, 800);
    b.axis_config.setting_count = 9;
    b.axis_config.reversed = homings[_i].reversed;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    for (int round = 0; round < 2; round++) {
        int32_t way = (homings[_i].method == 18) != homings[_i].reversed ? -1 : 1; /* off it */
        ck_assert_int_eq(wpin_motor_turn(&b.motor, way * 360000, 5000), WPIN_OK);
        pass(1500);
        double stood = wpin_sim_read(b.sim, 0).turns;
        ck_assert_int_eq(wpin_motor_home(&b.motor, 20000), WPIN_OK);
        unsigned ms = 0;
        pass(1);
        ck_assert(!wpin_motor_is_homed(&b.motor));
        for (; ms < 15000 && wpin_motor_busy(&b.motor); ms++) {
            pass(1);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_lt(ms, 15000);
        ck_assert(wpin_motor_is_homed(&b.motor));
        double turns = wpin_sim_read(b.sim, 0).turns;
        ck_assert_double_eq_tol(turns, homings[_i].turns == 99 ? stood : homings[_i].turns, 0.02);
        int32_t offset = homings[_i].reversed ? -homings[_i].offset : homings[_i].offset;
        pass(20);
        ck_assert_int_eq(abs(wpin_motor_measurement(&b.motor).position - offset) <= 12, 1);
    }
    int32_t half = homings[_i].method == 18 ? -180000 : 540000, at = half / 360 * COUNTS / 1000;
    half = homings[_i].reversed ? -half : half;
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, half, 5000), WPIN_OK);
    pass(2500);
    at = homings[_i].reversed ? -at : at;
    ck_assert_int_le(abs(wpin_motor_measurement(&b.motor).position - at), 4);
    end();
    stops[0] = stops[1] = 0;
}
END_TEST

START_TEST(a_home_that_is_not_found_is_not_one) {
    stops[0] = -50;
    stops[1] = 50;
    begin();
    b.settings[5] = number(0x6098, 0, 1, _i == 0 ? 17 : 3); /* far away; a method that it lacks */
    b.axis_config.setting_count = 6;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_home(&b.motor, 2000), WPIN_REFUSED_NOT_ARMED);
    arm();
    ck_assert_int_eq(wpin_motor_home(&b.motor, 0), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_home(&b.motor, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(800);
    if (_i == 0) {
        ck_assert_double_gt(fabs(rpm()), 1);
        ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
        pass(500);
        ck_assert_double_lt(fabs(rpm()), 1);
        ck_assert(!wpin_motor_busy(&b.motor));
        ck_assert_int_eq(run_at(0.2, 1000), WPIN_OK); /* and on it goes */
        pass(700);
        ck_assert_double_eq_tol(rpm(), 600, 5);
    } else {
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_DRIVE);
    }
    ck_assert(!wpin_motor_is_homed(&b.motor));
    end();
    stops[0] = stops[1] = 0;
}
END_TEST

START_TEST(a_torque_is_one_of_its_rated_current) {
    begin();
    arm();
    wpin_sim_set_load(b.sim, 0, 0.02);
    wpin_setpoint s = {WPIN_QUANTITY_TORQUE, (int32_t)lround(0.3 * WPIN_DUTY_FULL)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, 1000), WPIN_OK);
    pass(400);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps_now, 0.9, 0.1); /* 30 % of 3 A */
    pass(3000);
    ck_assert(!wpin_motor_busy(&b.motor));
    end();
}
END_TEST

START_TEST(what_it_is_not_given_is_refused_by_name) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(40), 0, 1000), WPIN_REFUSED_QUANTITY);
    ck_assert_int_eq(run_at(1.2, 1000), WPIN_REFUSED_RANGE);
    b.axis_config.full_speed = 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(run_at(0.1, 1000), WPIN_REFUSED_CLOSED);
    b.axis_config.full_speed = 1000;
    b.axis_config.number = 127; /* the controller's own */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_CONFLICT);
    b.axis_config.number = 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_RANGE);
    end();
}
END_TEST

/* ---- setting it up ---- */

static const struct {
    const char *what;
    wpin_setting setting;
    uint32_t vendor;
    uint8_t number;
    wpin_axis_trouble trouble; /* .abort: why */
} wrongs[] = {
    {"no such object",
     {0x5555, 0, 2, 1, 0},
     0,
     NODE,
     {WPIN_REFUSED_OBJECT, 0, 0x5555, 0x06020000, 0, 0}},
    {"no such part",
     {0x6083, 7, 4, 1, 0},
     0,
     NODE,
     {WPIN_REFUSED_OBJECT, 7, 0x6083, 0x06090011, 0, 0}},
    {"read only",
     {0x6041, 0, 2, 1, 0},
     0,
     NODE,
     {WPIN_REFUSED_OBJECT, 0, 0x6041, 0x06010002, 0, 0}},
    {"too short",
     {0x6083, 0, 2, 1, 0},
     0,
     NODE,
     {WPIN_REFUSED_OBJECT, 0, 0x6083, 0x06070013, 0, 0}},
    {"too large",
     {0x2000, 0, 1, 9, 0},
     0,
     NODE,
     {WPIN_REFUSED_OBJECT, 0, 0x2000, 0x06090031, 0, 0}},
    {"another maker's", {0x6083, 0, 4, 9, 0}, 77, NODE, {WPIN_REFUSED_CONFIG, 1, 0x1018, 0, 77, 0}},
    {"told and not kept",
     {0x1010, 1, 4, 0x65766173, 0},
     0,
     NODE,
     {WPIN_REFUSED_CAUSE, 1, 0x1010, 0, 0x65766173, 1}},
    {"asked, and other",
     {0x2000, 0, 1, 1, 0xFF},
     0,
     NODE,
     {WPIN_REFUSED_CAUSE, 0, 0x2000, 0, 1, 0}},
    {"asked, and another bit",
     {0x6007, 0, 2, 1, 2},
     0,
     NODE,
     {WPIN_REFUSED_CAUSE, 0, 0x6007, 0, 0, 2}},
    {"nobody there", {0x6083, 0, 4, 9, 0}, 0, 9, {WPIN_REFUSED_SILENT, 0, 0x6040, 0, 0, 0}},
};

START_TEST(the_first_that_is_wrong_ends_it_with_its_name) {
    const wpin_axis_trouble *t = &wrongs[_i].trouble;
    build();
    b.settings[5] = wrongs[_i].setting;
    b.axis_config.setting_count = 6;
    b.axis_config.vendor = wrongs[_i].vendor;
    b.axis_config.number = wrongs[_i].number;
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    pass(2500);
    const wpin_axis_trouble *got = &b.axis.trouble;
    ck_assert_msg(got->status == t->status && got->index == t->index && got->sub == t->sub &&
                      got->abort == t->abort && got->wanted == t->wanted && got->got == t->got,
                  "%s: status %d object %04x:%d abort %08x wanted %u got %u", wrongs[_i].what,
                  got->status, got->index, got->sub, (unsigned)got->abort, (unsigned)got->wanted,
                  (unsigned)got->got);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_FAULT_SILENT);
    ck_assert(t->abort == 0 || wpin_abort_text(t->abort) != NULL);
    ck_assert_double_eq(rpm(), 0);
    end();
}
END_TEST

START_TEST(any_lost_frame_of_the_start_is_made_up_for) {
    for (unsigned long n = 1; n <= 320; n += 1 + n / 40) {
        begin();
        pass(310); /* it has booted */
        wpin_sim_lose_frame(b.sim, 0, n);
        arm();
        ck_assert_int_eq(b.axis.setup, WPIN_AXIS_SET_UP);
        ck_assert_int_eq(run_at(0.1, 500), WPIN_OK);
        pass(200);
        ck_assert_double_eq_tol(rpm(), 300, 5);
        end();
    }
}
END_TEST

/* ---- what goes wrong in motion ---- */

static void turn_steadily(void) {
    begin();
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1200);
    ck_assert_double_eq_tol(rpm(), 1500, 10);
}

/* Waits for a fault; how long that took, ms. */
static unsigned until_fault(wpin_status fault, unsigned most) {
    unsigned ms = 0;
    while (wpin_motor_fault(&b.motor) == WPIN_OK && ms++ < most) {
        pass(1);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), fault);
    return ms;
}

static void clears_and_moves_again(void) {
    unsigned ms = 0;
    while (wpin_motor_clear_fault(&b.motor) != WPIN_OK && ms++ < 3000) {
        pass(1);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    pass(600);
    arm();
    ck_assert_int_eq(run_at(0.9, 5000), WPIN_OK);
    double most = 0;
    for (ms = 0; ms < 1500; ms++) {
        pass(1);
        most = fmax(most, fabs(rpm()));
    }
    ck_assert_double_gt(most, 1000);
    ck_assert_double_lt(most, 1520); /* the first move is held to half */
}

/* What can happen to a bus: how soon it is noticed, and whether that is over when it is mended. */
static const struct {
    wpin_part_fault fault;
    unsigned within_ms;
    bool needs_power; /* off and on */
} bus_troubles[] = {
    {WPIN_PART_FAULT_CABLE_OFF, 110, false},     {WPIN_PART_FAULT_BUS_OFF, 110, true},
    {WPIN_PART_FAULT_BUS_FULL, 110, false},      {WPIN_PART_FAULT_BUS_RATE, 110, false},
    {WPIN_PART_FAULT_DUPLICATE_NODE, 310, true}, /* it boots first; then both shut themselves off */
};

START_TEST(whatever_becomes_of_its_bus_it_stops) {
    wpin_part_fault fault = bus_troubles[_i].fault;
    turn_steadily();
    wpin_sim_inject(b.sim, fault, b.drive, 0, true);
    ck_assert_uint_le(until_fault(WPIN_FAULT_SILENT, 400), bus_troubles[_i].within_ms);
    pass(3000);
    ck_assert_double_eq_tol(rpm(), 0, 10); /* told to, or as it heard no heartbeat */
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
    wpin_sim_inject(b.sim, fault, b.drive, 0, false);
    if (bus_troubles[_i].needs_power) {
        wpin_sim_switch(b.sim, b.supply, false);
        pass(500);
        wpin_sim_switch(b.sim, b.supply, true);
    }
    pass(2500);
    clears_and_moves_again();
    end();
}
END_TEST

/* ---- plain drives, and nodes without heartbeats ---- */

static void build_plain(void) {
    build();
    b.axis_config.full_speed = FULL_RPM;
    b.axis_config.profile_speed = 0;
    b.settings[2] = number(0x6048, 1, 4, FULL_RPM * 5);
    b.settings[3] = number(0x6049, 1, 4, FULL_RPM * 5);
    b.settings[4] = number(0x604A, 1, 4, FULL_RPM * 20);
    b.config.actuator = &wpin_plain_axis_actuator;
}

static void begin_plain(void) {
    build_plain();
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
}

START_TEST(a_plain_drive_takes_speeds_and_nothing_else) {
    static const uint8_t others[] = {WPIN_QUANTITY_POSITION, WPIN_QUANTITY_TORQUE};
    begin_plain();
    b.axis_config.reversed = _i != 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    double sign = _i != 0 ? -1 : 1;
    for (int i = 0; i < 2; i++) {
        wpin_setpoint s = {others[i], 1000};
        ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, 1000), WPIN_REFUSED_QUANTITY);
    }
    ck_assert_int_ne(wpin_motor_turn(&b.motor, 360000, 1000), WPIN_OK);
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), sign * 1500, 5);
    ck_assert_int_eq(b.axis.mode, 2);
    ck_assert_int_eq(run_at(-0.25, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), sign * -750, 5);
    ck_assert_int_lt(wpin_motor_measurement(&b.motor).speed, 0);
    ck_assert_int_eq(wpin_motor_measurement(&b.motor).valid & WPIN_HAS_POSITION, 0);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    pass(600);
    ck_assert_double_eq_tol(rpm(), 0, 10);
    end();
}
END_TEST

START_TEST(a_plain_drives_faults_are_cleared_too) {
    begin_plain();
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1200);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    until_fault(WPIN_FAULT_DRIVE, 1500);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    unsigned ms = 0;
    while (wpin_motor_clear_fault(&b.motor) != WPIN_OK && ms++ < 3000) {
        pass(1);
    }
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), 1500, 5);
    b.axis_config.full_speed = 32768;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_RANGE);
    end();
}
END_TEST

START_TEST(a_guarded_node_bears_lost_answers_and_stops_without_questions) {
    build();
    b.axis_config.heartbeat_ms = 0;
    b.axis_config.guard_ms = 20;
    b.network_config.heartbeat_us = 0;
    b.network_config.number = 0;
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1200);
    for (unsigned long n = 1; n <= 60; n++) { /* any frame: also a question, and an answer */
        wpin_sim_lose_frame(b.sim, 0, n);
        pass(100);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_eq(b.axis.node.state, WPIN_NODE_OPERATIONAL);
    }
    ck_assert_double_eq_tol(rpm(), 1500, 10);
    for (int ms = 0; ms < 1000; ms++) { /* nobody asks any more, nor ticks: by itself */
        wpin_sim_advance(b.sim, 1000000000);
    }
    ck_assert_double_eq_tol(rpm(), 0, 10);
    b.axis_config.heartbeat_ms = 100; /* one or the other */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_CONFIG);
    end();
}
END_TEST

static void hear_nothing(void *context, const wpin_frame *frame, int64_t at) {
    (void)context, (void)frame, (void)at;
}

/* ---- anything in any order ---- */

static uint32_t seed;

static uint32_t any(uint32_t count) {
    seed = seed * 1664525U + 1013904223U;
    return (seed >> 8) % count;
}

/* What others say: anything, or what the drive, another master or the network's manager says. */
static wpin_frame any_frame(void) {
    wpin_frame frame = {.id = (uint16_t)any(0x800), .length = (uint8_t)any(9)};
    static const wpin_frame told[] = {{.id = 0x705, .length = 1},
                                      {.id = 0x085, .length = 8, .data = {0x21, 0x71}},
                                      {.id = 0x185, .length = 8, .data = {0x37, 2}},
                                      {.id = 0x585, .length = 8},
                                      {.id = 0, .length = 2, .data = {128, 5}},
                                      {.id = 0, .length = 2, .data = {129}},
                                      {.id = 0, .length = 2, .data = {2, 5}}};
    enum { TOLD = sizeof told / sizeof *told };
    uint32_t which = any(TOLD + 2);
    for (int i = 0; i < 8; i++) {
        frame.data[i] = (uint8_t)any(256);
    }
    return which < TOLD ? told[which] : frame;
}

static wpin_status ask_anything(void) {
    int32_t value = (int32_t)any(32769) - 16384;
    switch (any(9)) {
    case 0:
    case 1: return run_at(value / 16384.0, any(2) != 0 ? WPIN_TIMEOUT_HELD : any(2000) + 1);
    case 2: return wpin_motor_turn(&b.motor, 20 * value, 5000);
    case 3:
        return wpin_motor_request(&b.motor, (wpin_setpoint){WPIN_QUANTITY_TORQUE, value / 5}, 0,
                                  any(500) + 1);
    case 4: return wpin_motor_home(&b.motor, 2000);
    default: return WPIN_REFUSED_NOT_ARMED;
    }
}

static void end_it(uint32_t how) {
    switch (how) {
    case 0: (void)wpin_motor_stop(&b.motor, 0); break;
    case 1: (void)wpin_motor_coast(&b.motor); break;
    case 2: (void)wpin_motor_brake(&b.motor); break;
    case 3: wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL); break;
    default: wpin_motor_disarm(&b.motor); break;
    }
}

static void any_trouble(int *now) {
    static const wpin_part_fault troubles[] = {
        WPIN_PART_FAULT_CABLE_OFF, WPIN_PART_FAULT_BUS_OFF,        WPIN_PART_FAULT_BUS_FULL,
        WPIN_PART_FAULT_BUS_RATE,  WPIN_PART_FAULT_DUPLICATE_NODE, WPIN_PART_FAULT_LOCAL};
    bool on = *now < 0;
    int which = on ? (int)any(sizeof troubles / sizeof *troubles) : *now;
    wpin_sim_inject(b.sim, troubles[which], b.drive, 0, on);
    *now = on ? which : -1;
}

static void begin_any(void) {
    if (any(3) == 0) {
        build_plain();
    } else {
        build();
    }
    bool guarded = any(3) == 0, brakes = any(2) == 0;
    b.axis_config.heartbeat_ms = guarded ? 0 : 100;
    b.axis_config.guard_ms = guarded ? (uint16_t)(20 + any(50)) : 0;
    b.config.rest_drive = b.config.safe_drive = brakes ? WPIN_DRIVE_BRAKE : WPIN_DRIVE_COAST;
    b.axis_config.reversed = any(2) != 0;
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
}

/* Unasked it never moves; ended it comes to rest, whatever its bus is like. */
static void one_of_any_kind(uint32_t number) {
    seed = number * 2654435761U;
    begin_any();
    int other = wpin_sim_join_fieldbus(b.sim, 0, hear_nothing, NULL), trouble = -1;
    bool asked = false;
    for (int step = 0; step < 60; step++) {
        wpin_frame frame = any_frame();
        switch (any(8)) {
        case 0: (void)wpin_motor_arm(&b.motor); break;
        case 1:
        case 2: asked = ask_anything() == WPIN_OK || asked; break;
        case 3: end_it(any(5)); break;
        case 4: (void)wpin_motor_clear_fault(&b.motor); break;
        case 5: (void)wpin_motor_init(&b.motor, &b.config, &b.port); break;
        case 6: any_trouble(&trouble); break;
        default: wpin_sim_tell_fieldbus(b.sim, 0, other, &frame); break;
        }
        for (uint32_t ms = any(4) == 0 ? any(1500) : any(50); ms > 0; ms--) {
            pass(1);
            ck_assert_msg(asked || fabs(rpm()) < 1, "%u: moves unasked", (unsigned)number);
        }
    }
    end_it(any(2) + 3);
    pass(6000);
    ck_assert_msg(fabs(rpm()) < 15, "%u: still turns at %.0f rpm", (unsigned)number, rpm());
    end();
}

START_TEST(whatever_happens_it_stops) {
    const char *many = getenv("WPIN_DRIVES");
    for (uint32_t i = 1; i <= (many == NULL ? 15U : (uint32_t)atoi(many)); i++) {
        one_of_any_kind(i);
    }
}
END_TEST

START_TEST(late_frames_do_no_harm) {
    turn_steadily();
    for (unsigned n = 0; n < 60; n++) { /* the bus is somebody else's for up to 60 ms */
        wpin_sim_inject(b.sim, WPIN_PART_FAULT_BUS_FULL, b.drive, 0, true);
        pass(1 + n);
        wpin_sim_inject(b.sim, WPIN_PART_FAULT_BUS_FULL, b.drive, 0, false);
        pass(30);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    }
    ck_assert_double_eq_tol(rpm(), 1500, 10);
    end();
}
END_TEST

START_TEST(two_of_one_number_are_refused) {
    begin();
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_DUPLICATE_NODE, b.drive, 0, true);
    pass(2000);
    ck_assert_int_eq(b.axis.setup, WPIN_AXIS_REFUSED);
    ck_assert_int_eq(b.axis.trouble.status, WPIN_REFUSED_CONFLICT);
    ck_assert_int_ne(wpin_motor_arm(&b.motor), WPIN_OK);
    ck_assert_double_eq(rpm(), 0);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_DUPLICATE_NODE, b.drive, 0, false);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_NO_FAULT);
    arm();
    end();
}
END_TEST

static uint32_t read_now(uint16_t index, uint8_t sub, uint8_t size) {
    uint8_t bytes[4] = {0};
    ck_assert_int_eq(wpin_object_read(&b.axis.node, index, sub, bytes, size), WPIN_OK);
    for (int ms = 0; ms < 1000 && !wpin_object_done(&b.axis.node); ms++) {
        pass(1);
    }
    ck_assert_int_eq(b.axis.node.transfer.result, WPIN_OK);
    return wpin_number_from(bytes, size);
}

/* The drive stores for some 20 ms. */
START_TEST(a_drive_that_lost_its_power_while_it_stored_says_so) {
    bool too_soon = _i == 0;
    begin();
    arm();
    ck_assert_uint_eq(read_now(0x6085, 0, 4), b.settings[4].value);
    ck_assert_int_eq(wpin_object_write_number(&b.axis.node, 0x1010, 1, 0x65766173, 4), WPIN_OK);
    pass(too_soon ? 10 : 30);
    wpin_sim_switch(b.sim, b.supply, false);
    pass(500);
    b.axis_config.setting_count = 0; /* what it stored is what it has */
    wpin_motor_close(&b.motor);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    wpin_sim_switch(b.sim, b.supply, true);
    pass(3000);
    ck_assert_int_eq(b.axis.setup, WPIN_AXIS_SET_UP);
    ck_assert_uint_eq(read_now(0x6085, 0, 4), too_soon ? 50000 : b.settings[4].value);
    ck_assert_uint_eq(b.axis.error, too_soon ? 0x5530 : 0);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), too_soon ? WPIN_REFUSED_CAUSE : WPIN_OK);
    end();
}
END_TEST

START_TEST(a_held_shaft_is_the_drives_fault) {
    turn_steadily();
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    until_fault(WPIN_FAULT_DRIVE, 1500);
    pass(50);
    ck_assert(b.axis.error == 0x7121 || b.axis.error == 0x2310);
    ck_assert_uint_ne(b.axis.node.emergency, 0);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps_now, 0, 0.05);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    clears_and_moves_again();
    end();
}
END_TEST

START_TEST(the_first_place_after_a_fault_is_gone_to_slowly) {
    static const double most_rpm[] = {1550, 800, 1550}; /* before it, after it, and then */
    begin();
    arm();
    for (int i = 0; i < 3; i++) {
        double most = 0;
        ck_assert_int_eq(wpin_motor_turn(&b.motor, 3600000, 10000), WPIN_OK);
        for (int ms = 0; ms < 2000; ms++) {
            pass(1);
            most = fmax(most, fabs(rpm()));
        }
        ck_assert_double_lt(most, most_rpm[i]);
        ck_assert_double_gt(most, 0.85 * most_rpm[i]);
        ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 10 * (i + 1), 0.01);
        if (i == 0) {
            wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
            pass(20);
            ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
            arm();
        }
    }
    end();
}
END_TEST

START_TEST(a_drive_that_lost_its_power_is_set_up_anew) {
    turn_steadily();
    wpin_sim_switch(b.sim, b.supply, false);
    until_fault(WPIN_FAULT_SILENT, 300);
    pass(2000);
    wpin_sim_switch(b.sim, b.supply, true);
    pass(2500);
    ck_assert_int_eq(b.axis.setup, WPIN_AXIS_SET_UP);
    clears_and_moves_again();
    end();
}
END_TEST

START_TEST(one_that_says_yes_and_does_nothing_is_noticed) {
    begin();
    arm();
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_DEAF, b.drive, 0, true);
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    ck_assert_uint_le(until_fault(WPIN_FAULT_DRIVE, 2000), 1100);
    ck_assert_double_eq(rpm(), 0);
    end();
}
END_TEST

START_TEST(a_second_master_is_noticed_whatever_it_says) {
    static const wpin_frame said[] = {{.id = 0x605, .length = 8, .data = {0x40, 0x41, 0x60}},
                                      {.id = 0x205, .length = 6, .data = {0x0F}},
                                      {.id = 0x000, .length = 2, .data = {1, 0}},
                                      {.id = 0x080}};
    turn_steadily();
    int other = wpin_sim_join_fieldbus(b.sim, 0, hear_nothing, NULL);
    ck_assert(wpin_sim_tell_fieldbus(b.sim, 0, other, &said[_i]));
    ck_assert_uint_le(until_fault(WPIN_FAULT_MASTER, 50), 3);
    pass(1000);
    ck_assert_double_lt(rpm(), 800); /* off, it runs down */
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps_now, 0, 0.01);
    end();
}
END_TEST

START_TEST(a_trip_is_on_the_bus_at_once) {
    turn_steadily();
    wpin_part_bus_use before = wpin_sim_fieldbus_use(b.sim, 0);
    wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
    wpin_sim_advance(b.sim, 300000000); /* 0.3 ms: no tick */
    ck_assert(wpin_sim_fieldbus_use(b.sim, 0).frames > before.frames);
    wpin_sim_advance(b.sim, 1000000000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps_now, 0, 0.3); /* its stage is off */
    pass(1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_EXTERNAL);
    end();
}
END_TEST

/* ---- frames by hand ---- */

static wpin_frame sent[512], heard[64];
static unsigned sent_count, heard_count, heard_first;

static bool fake_send(void *context, const wpin_frame *frame) {
    (void)context;
    sent[sent_count++ % 512] = *frame;
    return true;
}

static bool fake_receive(void *context, wpin_frame *frame) {
    (void)context;
    if (heard_first == heard_count) {
        return false;
    }
    *frame = heard[heard_first++ % 64];
    return true;
}

static wpin_moment fake_time;
static wpin_moment fake_now(void *context) {
    (void)context;
    return fake_time;
}

static const wpin_fieldbus fake = {NULL, fake_send, fake_receive, fake_now, NULL};

/* What goes out (">") and comes in ("<"), worked out by hand from CiA 301. */
typedef struct exchange {
    char way;
    uint16_t id;
    uint8_t length, data[8];
} exchange;
static const exchange short_read[] = {
    {'>', 0x605, 8, {0x40, 0x18, 0x10, 0x01}},
    {'<', 0x585, 8, {0x43, 0x18, 0x10, 0x01, 0x78, 0x56, 0x34, 0x12}}};
static const exchange one_byte[] = {{'>', 0x605, 8, {0x2F, 0x60, 0x60, 0x00, 0x03}},
                                    {'<', 0x585, 8, {0x60, 0x60, 0x60, 0x00}}};
static const exchange two_bytes[] = {{'>', 0x605, 8, {0x2B, 0x73, 0x60, 0x00, 0xDC, 0x05}},
                                     {'<', 0x585, 8, {0x60, 0x73, 0x60, 0x00}}};
static const exchange four_bytes[] = {{'>', 0x605, 8, {0x23, 0x83, 0x60, 0x00, 0x40, 0x9C}},
                                      {'<', 0x585, 8, {0x60, 0x83, 0x60, 0x00}}};
static const exchange long_read[] = {{'>', 0x605, 8, {0x40, 0x08, 0x10, 0x00}},
                                     {'<', 0x585, 8, {0x41, 0x08, 0x10, 0x00, 0x0A}},
                                     {'>', 0x605, 8, {0x60}},
                                     {'<', 0x585, 8, {0x00, 'c', 'o', 'n', 'v', 'e', 'y', 'o'}},
                                     {'>', 0x605, 8, {0x70}},
                                     {'<', 0x585, 8, {0x19, 'r', '-', '1'}}};
static const exchange long_write[] = {{'>', 0x605, 8, {0x21, 0x08, 0x10, 0x00, 0x0A}},
                                      {'<', 0x585, 8, {0x60, 0x08, 0x10, 0x00}},
                                      {'>', 0x605, 8, {0x00, 'c', 'o', 'n', 'v', 'e', 'y', 'o'}},
                                      {'<', 0x585, 8, {0x20}},
                                      {'>', 0x605, 8, {0x19, 'r', '-', '1'}},
                                      {'<', 0x585, 8, {0x30}}};
static const exchange refused[] = {
    {'>', 0x605, 8, {0x40, 0x99, 0x99, 0x00}},
    {'<', 0x585, 8, {0x80, 0x99, 0x99, 0x00, 0x00, 0x00, 0x02, 0x06}}};
static const struct {
    const exchange *frames;
    unsigned count;
    uint16_t index;
    uint8_t sub;
    unsigned writes; /* bytes; 0: it reads */
    uint32_t value;
    wpin_status result;
} by_hand[] = {{short_read, 2, 0x1018, 1, 0, 0x12345678, WPIN_OK},
               {one_byte, 2, 0x6060, 0, 1, 3, WPIN_OK},
               {two_bytes, 2, 0x6073, 0, 2, 1500, WPIN_OK},
               {four_bytes, 2, 0x6083, 0, 4, 40000, WPIN_OK},
               {long_read, 6, 0x1008, 0, 0, 0, WPIN_OK},
               {long_write, 6, 0x1008, 0, 10, 0, WPIN_OK},
               {refused, 2, 0x9999, 0, 0, 0, WPIN_REFUSED_OBJECT}};

static wpin_network net;
static wpin_node node;
static const wpin_network_config quiet = {.answer_us = 50000};

static void open_fake(const wpin_network_config *config) {
    sent_count = heard_count = heard_first = 0;
    fake_time = 0xFFFFF000; /* about to wrap */
    ck_assert_int_eq(wpin_network_open(&net, config, &fake), WPIN_OK);
    ck_assert_int_eq(wpin_network_add(&net, &node, NODE), WPIN_OK);
}

static void say(const exchange *e) {
    wpin_frame *f = &heard[heard_count++ % 64];
    *f = (wpin_frame){.id = e->id, .length = e->length};
    memcpy(f->data, e->data, 8);
}

START_TEST(frames_are_those_of_the_standard) {
    uint8_t buffer[32] = {0};
    open_fake(&quiet);
    const char *text = "conveyor-1";
    wpin_status begun =
        by_hand[_i].writes == 0
            ? wpin_object_read(&node, by_hand[_i].index, by_hand[_i].sub, buffer, sizeof buffer)
        : by_hand[_i].writes > 4
            ? wpin_object_write(&node, by_hand[_i].index, by_hand[_i].sub, text, 10)
            : wpin_object_write_number(&node, by_hand[_i].index, by_hand[_i].sub, by_hand[_i].value,
                                       (uint8_t)by_hand[_i].writes);
    ck_assert_int_eq(begun, WPIN_OK);
    ck_assert_int_eq(wpin_object_read(&node, 0x1000, 0, buffer, 4), WPIN_REFUSED_BUSY);
    unsigned out = 0;
    for (unsigned i = 0; i < by_hand[_i].count; i++) {
        const exchange *e = &by_hand[_i].frames[i];
        if (e->way == '<') {
            say(e);
            wpin_network_poll(&net);
            continue;
        }
        ck_assert_uint_gt(sent_count, out);
        ck_assert_uint_eq(sent[out].id, e->id);
        ck_assert_uint_eq(sent[out].length, e->length);
        ck_assert_mem_eq(sent[out++].data, e->data, 8);
    }
    ck_assert_uint_eq(sent_count, out);
    ck_assert(wpin_object_done(&node));
    ck_assert_int_eq(node.transfer.result, by_hand[_i].result);
    if (by_hand[_i].index == 0x1008 && by_hand[_i].writes == 0) {
        ck_assert_uint_eq(node.transfer.size, 10);
        ck_assert_str_eq((const char *)buffer, text);
    } else if (by_hand[_i].writes == 0 && by_hand[_i].result == WPIN_OK) {
        ck_assert_uint_eq(wpin_number_from(buffer, 4), by_hand[_i].value);
    }
}
END_TEST

START_TEST(what_a_network_says_by_itself) {
    static const wpin_network_config beats = {
        .sync_us = 4000, .heartbeat_us = 20000, .number = 127};
    unsigned syncs = 0, hearts = 0;
    open_fake(&beats);
    for (int ms = 0; ms < 400; ms++, fake_time += 1000) {
        wpin_network_poll(&net);
    }
    for (unsigned i = 0; i < sent_count; i++) {
        bool heart = sent[i].id == 0x77F && sent[i].length == 1 && sent[i].data[0] == 5;
        bool sync = sent[i].id == 0x080 && sent[i].length == 0;
        ck_assert(heart || sync);
        syncs += sync;
        hearts += heart;
    }
    ck_assert_uint_eq(syncs, 100);
    ck_assert_uint_eq(hearts, 20);
    node.heartbeat_us = 50000;
    say(&(exchange){'<', 0x705, 1, {0x05}});
    wpin_network_poll(&net);
    ck_assert_uint_eq(node.state, WPIN_NODE_OPERATIONAL);
    fake_time += 60000;
    wpin_network_poll(&net);
    ck_assert_uint_eq(node.state, WPIN_NODE_UNKNOWN);
    say(&(exchange){'<', 0x085, 8, {0x21, 0x71, 0x01}});
    wpin_network_poll(&net);
    ck_assert_uint_eq(node.emergency, 0x7121);
    ck_assert(wpin_network_command(&net, WPIN_NMT_START, NODE));
    ck_assert_uint_eq(sent[(sent_count - 1) % 512].id, 0);
    ck_assert_mem_eq(sent[(sent_count - 1) % 512].data, ((uint8_t[]){1, 5}), 2);
}
END_TEST

START_TEST(a_silent_node_is_asked_three_times) {
    uint8_t four[4];
    open_fake(&quiet);
    ck_assert_int_eq(wpin_object_read(&node, 0x1000, 0, four, 4), WPIN_OK);
    for (int ms = 0; ms < 400; ms++, fake_time += 1000) {
        wpin_network_poll(&net);
        fake_time -= ms % 50 == 7 ? 1 : 0; /* now and then it runs back */
    }
    ck_assert(wpin_object_done(&node));
    ck_assert_int_eq(node.transfer.result, WPIN_REFUSED_SILENT);
    ck_assert_uint_eq(node.retries, 2);
    ck_assert_uint_eq(sent_count, 4); /* and then told that it is given up */
    ck_assert_uint_eq(sent[3].data[0], 0x80);
    ck_assert_int_eq(wpin_object_read(&node, 0x1000, 0, four, 4), WPIN_OK); /* on it goes */
}
END_TEST

START_TEST(frames_go_over_a_serial_line) {
    static const uint8_t by_hand_line[] = {0xA5, 0x02, 0x00, 0x00, 0x01, 0x05};
    static const wpin_frame by_hand_frame = {.id = 0, .length = 2, .data = {1, 5}};
    uint8_t bytes[WPIN_SERIAL_BYTES];
    ck_assert_uint_eq(wpin_serial_write(&by_hand_frame, bytes), 8);
    ck_assert_mem_eq(bytes, by_hand_line, sizeof by_hand_line);
    wpin_serial_reader reader = {0};
    wpin_frame got;
    unsigned whole = 0, damaged = 0, wrong = 0;
    pick_seed(77);
    for (int i = 0; i < 20000; i++) {
        wpin_frame f = {
            .id = (uint16_t)pick(0x800), .length = (uint8_t)pick(9), .remote = pick(9) == 0};
        for (int n = 0; n < f.length && !f.remote; n++) {
            f.data[n] = (uint8_t)(pick(3) == 0 ? 0xA5 : pick(256)); /* what begins a frame, too */
        }
        uint8_t count = wpin_serial_write(&f, bytes);
        ck_assert_uint_le(count, WPIN_SERIAL_BYTES);
        bool hit = pick(10) == 0;
        bytes[pick(count)] ^= hit ? (uint8_t)(1U << pick(8)) : 0;
        for (uint32_t noise = pick(20) == 0 ? pick(6) : 0; noise > 0; noise--) {
            (void)wpin_serial_read(&reader, (uint8_t)pick(256), &got);
        }
        for (uint8_t n = 0; n < count; n++) {
            if (wpin_serial_read(&reader, bytes[n], &got)) {
                whole++;
                bool same = got.id == f.id && got.length == f.length && got.remote == f.remote &&
                            memcmp(got.data, f.data, 8) == 0;
                wrong += !same;
            }
        }
        damaged += hit;
    }
    ck_assert_uint_ge(whole, 15000); /* what follows a damaged one may be taken for its rest */
    ck_assert_uint_le(whole, 20000);
    ck_assert_uint_le(wrong, 2); /* a check value of 16 bits fits once in 65536 */
    ck_assert_uint_gt(reader.bad, damaged / 2);
    ck_assert_uint_eq(wpin_serial_write(&(wpin_frame){.id = 0x800}, bytes), 0);
    ck_assert_uint_eq(wpin_serial_write(&(wpin_frame){.length = 9}, bytes), 0);
}
END_TEST

/* Whatever is heard, a motor that is not armed is not told to drive, and nothing is written where
 * it may not be. */
START_TEST(anything_may_be_heard) {
    const char *asked = getenv("WPIN_FRAMES");
    long frames = asked != NULL ? atol(asked) : 200000;
    build();
    b.bus = fake;
    sent_count = heard_count = heard_first = 0;
    pick_seed(4711 + (uint32_t)_i);
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    for (long i = 0; i < frames; i++) {
        static const uint16_t kinds[] = {0, 0x80, 0x180, 0x280, 0x580, 0x580, 0x580, 0x700};
        wpin_frame *f = &heard[heard_count++ % 64];
        bool ours = pick(4) != 0;
        f->id = (uint16_t)(ours ? kinds[pick(8)] + (uint32_t)NODE : pick(0x900));
        f->length = (uint8_t)(pick(8) != 0 ? 8 : pick(12));
        f->remote = pick(50) == 0;
        for (int n = 0; n < 8; n++) {
            f->data[n] = (uint8_t)pick(256);
        }
        const wpin_transfer *t = &b.axis.node.transfer;
        if (pick(3) == 0) { /* an answer that fits what was asked */
            f->id = 0x580 + NODE;
            f->length = 8;
            f->data[0] = (uint8_t)(pick(2) != 0 ? 0x60U : 0x43U + 4U * pick(4));
            wpin_number_to(&f->data[1], t->index, 2);
            f->data[3] = t->sub;
        }
        unsigned from = sent_count;
        if (pick(4) == 0) {
            fake_time += pick(2000);
            wpin_sim_advance(b.sim, 100000000);
            wpin_motor_tick(&b.motor);
        }
        for (; from < sent_count; from++) {
            const wpin_frame *out = &sent[from % 512];
            bool control = out->id == 0x200 + NODE;
            ck_assert(out->length <= 8 && out->id <= 0x7FF);
            ck_assert(!control || (out->data[0] & 0x0F) != 0x0F);
        }
    }
    end();
}
END_TEST

int main(void) {
    Suite *suite = suite_create("axis");
    TCase *tests = tcase_create("drive");
    tcase_set_timeout(tests, 300);
    tcase_add_test(tests, it_is_set_up_and_moves_nothing);
    tcase_add_test(tests, it_runs_at_a_speed_both_ways);
    tcase_add_loop_test(tests, it_turns_back_only_from_standstill, 0, 2);
    tcase_add_test(tests, it_goes_to_a_place);
    tcase_add_loop_test(tests, a_speed_overtakes_a_place, 0, 2);
    tcase_add_test(tests, places_are_gone_to_by_how_far_and_again);
    tcase_add_loop_test(tests, it_finds_its_home_by_its_own_method, 0,
                        sizeof homings / sizeof *homings);
    tcase_add_loop_test(tests, a_home_that_is_not_found_is_not_one, 0, 2);
    tcase_add_test(tests, a_torque_is_one_of_its_rated_current);
    tcase_add_test(tests, what_it_is_not_given_is_refused_by_name);
    tcase_add_loop_test(tests, the_first_that_is_wrong_ends_it_with_its_name, 0,
                        sizeof wrongs / sizeof *wrongs);
    tcase_add_test(tests, any_lost_frame_of_the_start_is_made_up_for);
    tcase_add_loop_test(tests, whatever_becomes_of_its_bus_it_stops, 0,
                        sizeof bus_troubles / sizeof *bus_troubles);
    tcase_add_test(tests, late_frames_do_no_harm);
    tcase_add_test(tests, whatever_happens_it_stops);
    tcase_add_test(tests, two_of_one_number_are_refused);
    tcase_add_loop_test(tests, a_plain_drive_takes_speeds_and_nothing_else, 0, 2);
    tcase_add_test(tests, a_plain_drives_faults_are_cleared_too);
    tcase_add_test(tests, a_guarded_node_bears_lost_answers_and_stops_without_questions);
    tcase_add_loop_test(tests, a_drive_that_lost_its_power_while_it_stored_says_so, 0, 2);
    tcase_add_test(tests, a_held_shaft_is_the_drives_fault);
    tcase_add_test(tests, the_first_place_after_a_fault_is_gone_to_slowly);
    tcase_add_test(tests, a_drive_that_lost_its_power_is_set_up_anew);
    tcase_add_test(tests, one_that_says_yes_and_does_nothing_is_noticed);
    tcase_add_loop_test(tests, a_second_master_is_noticed_whatever_it_says, 0, 4);
    tcase_add_test(tests, a_trip_is_on_the_bus_at_once);
    suite_add_tcase(suite, tests);
    TCase *frames = tcase_create("frames");
    tcase_set_timeout(frames, 300);
    tcase_add_loop_test(frames, frames_are_those_of_the_standard, 0,
                        sizeof by_hand / sizeof *by_hand);
    tcase_add_test(frames, what_a_network_says_by_itself);
    tcase_add_test(frames, a_silent_node_is_asked_three_times);
    tcase_add_test(frames, frames_go_over_a_serial_line);
    tcase_add_loop_test(frames, anything_may_be_heard, 0, 2);
    suite_add_tcase(suite, frames);
    return run_suite(suite);
}
