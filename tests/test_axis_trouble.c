/* A drive on a field bus that is wrong from the start or in motion; anything in any order. */
#include "support_axis.h"

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

/* A bus behind a slow line: what either end says is heard so much later, and now and then twice. */
static struct {
    wpin_fieldbus bus;
    struct way {
        wpin_frame frames[256];
        unsigned at[256]; /* ms, when it arrives */
        uint8_t first, end;
    } to, from;
    unsigned now, late; /* ms */
    unsigned heard;     /* frames */
} line;

static void put_on(struct way *way, const wpin_frame *frame) {
    way->frames[way->end] = *frame;
    way->at[way->end++] = line.now + line.late;
}

static bool take_off(struct way *way, wpin_frame *frame) {
    bool there = way->first != way->end && way->at[way->first] <= line.now;
    if (there) {
        *frame = way->frames[way->first++];
    }
    return there;
}

static bool send_late(void *context, const wpin_frame *frame) {
    (void)context;
    put_on(&line.to, frame);
    return true;
}

static bool receive_late(void *context, wpin_frame *frame) {
    (void)context;
    return take_off(&line.from, frame);
}

static wpin_moment now_there(void *context) {
    (void)context;
    return line.bus.now(line.bus.context);
}

static void pass_late(unsigned ms) {
    wpin_frame frame;
    for (unsigned i = 0; i < ms; i++, line.now++) {
        while (take_off(&line.to, &frame)) {
            ck_assert(line.bus.send(line.bus.context, &frame));
        }
        while (line.bus.receive(line.bus.context, &frame)) {
            put_on(&line.from, &frame);
            if (++line.heard % 23 == 0) { /* disturbed at its very end it is sent again */
                put_on(&line.from, &frame);
            }
        }
        pass(1);
    }
}

/* What it says of itself was so when it said it: braked, and at once told to turn again, it is
 * still heard to be enabled, and then to have stopped. Both were asked for. */
START_TEST(what_is_heard_late_is_no_trouble) {
    build();
    memset(&line, 0, sizeof line);
    line.late = (unsigned)_i;
    line.bus = b.bus;
    b.bus = (wpin_fieldbus){.send = send_late, .receive = receive_late, .now = now_there};
    b.config.rest_drive = WPIN_DRIVE_BRAKE;
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    for (int ms = 0; ms < 4000 && wpin_motor_arm(&b.motor) != WPIN_OK; ms++) {
        pass_late(1);
    }
    seed = 1;
    for (int n = 0; n < 400; n++) {
        switch (any(6)) {
        case 0: ck_assert_int_eq(wpin_motor_brake(&b.motor), WPIN_OK); break;
        case 1: ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK); break;
        case 2: ck_assert_int_eq(wpin_motor_turn(&b.motor, 3600, 1000), WPIN_OK); break;
        default: ck_assert_int_eq(run_at(0.01 + 0.01 * any(4), 1000), WPIN_OK); break;
        }
        pass_late(any(3) == 0 ? any(300) : any(12));
        ck_assert_msg(wpin_motor_fault(&b.motor) == WPIN_OK, "%u ms late, %d: %s", line.late, n,
                      wpin_status_name(wpin_motor_fault(&b.motor)));
    }
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 90000, 2000), WPIN_OK);
    pass_late(2000);
    ck_assert(!wpin_motor_busy(&b.motor));
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 0.25, 0.002);
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

int main(void) {
    Suite *suite = suite_create("axis_trouble");
    TCase *tests = tcase_create("drive");
    tcase_set_timeout(tests, 300);
    tcase_add_loop_test(tests, the_first_that_is_wrong_ends_it_with_its_name, 0,
                        sizeof wrongs / sizeof *wrongs);
    tcase_add_test(tests, any_lost_frame_of_the_start_is_made_up_for);
    tcase_add_loop_test(tests, whatever_becomes_of_its_bus_it_stops, 0,
                        sizeof bus_troubles / sizeof *bus_troubles);
    tcase_add_test(tests, late_frames_do_no_harm);
    tcase_add_loop_test(tests, what_is_heard_late_is_no_trouble, 0, 7);
    tcase_add_test(tests, whatever_happens_it_stops);
    tcase_add_test(tests, two_of_one_number_are_refused);
    tcase_add_loop_test(tests, a_drive_that_lost_its_power_while_it_stored_says_so, 0, 2);
    tcase_add_test(tests, a_held_shaft_is_the_drives_fault);
    tcase_add_test(tests, the_first_place_after_a_fault_is_gone_to_slowly);
    tcase_add_test(tests, a_drive_that_lost_its_power_is_set_up_anew);
    tcase_add_test(tests, one_that_says_yes_and_does_nothing_is_noticed);
    tcase_add_loop_test(tests, a_second_master_is_noticed_whatever_it_says, 0, 4);
    tcase_add_test(tests, a_trip_is_on_the_bus_at_once);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
