/* Six-step commutation, seen from the pins: a rotor that moves whenever an interrupt can come. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { HALL_A = 14, HALL_B, HALL_C };
static const uint8_t usual[6] = {5, 1, 3, 2, 6, 4}, sixty[6] = {1, 3, 7, 6, 4, 0};
static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const wpin_stage_table *const tables[3] = {&wpin_table_three_phase_bridge,
                                                  &wpin_table_three_phase_bridge_high,
                                                  &wpin_table_three_half_bridges};

/* The bench: a recorder, a rotor with sensors, and the motor on it. */
static struct bench {
    recorder r;
    wpin_stage_config stage;
    wpin_six_step_config config;
    wpin_six_step six;
    wpin_motor_config motor_config;
    wpin_motor motor;
    const uint8_t *codes;
    long place;     /* of the rotor, in sectors */
    int depth;      /* of the lock */
    unsigned moves; /* the rotor moves in one of so many moments; 0: it does not */
    int way;        /* mostly that way */
    bool served;    /* its edges raise an interrupt */
    bool unread;    /* the sensors changed and were not read since */
} b;

static unsigned sector_at(long place) {
    return (unsigned)(((place % 6) + 6) % 6);
}

static void show_sensors(void) {
    uint8_t code = b.codes[sector_at(b.place)];
    for (int i = 0; i < 3; i++) {
        b.r.input[HALL_A + i] = (code >> i & 1) != 0;
    }
}

static void edge(int step) {
    b.place += step;
    b.unread = step != 0;
    show_sensors();
    if (b.served) {
        always(wpin_six_step_edge(&b.six) == WPIN_OK);
    }
}

/* A moment in which an interrupt may come: again while the one before is at work, as soon as that
 * one has read the sensors. */
static void moment(void) {
    static int nested;
    if (b.moves != 0 && b.depth == 0 && !b.unread && nested < 3 && pick(b.moves) == 0) {
        nested++;
        edge(pick(8) == 0 ? -b.way : b.way);
        nested--;
    } else if (b.config.advance != 0 && b.moves != 0 && b.depth == 0 && nested < 3 &&
               pick(4) == 0) {
        nested++;
        wpin_six_step_look(&b.six);
        nested--;
    }
}

static uint8_t lock(void *context) {
    (void)context;
    moment();
    return (uint8_t)b.depth++;
}

static void unlock(void *context, uint8_t state) {
    (void)context;
    b.depth = state;
    moment();
}

static void pass(void *context, uint32_t us) {
    (void)context;
    always(b.depth == 0); /* no interrupt is kept out for a dead time */
    b.r.now += us;
    moment();
}

static bool read_pin(void *context, wpin_pin pin) {
    (void)context;
    always(b.depth == 1 || b.six.config == NULL); /* all three of one instant */
    b.unread = b.unread && pin != HALL_C;
    return b.r.input[pin];
}

static wpin_status set_up(unsigned table, bool grouped, const uint8_t *codes) {
    memset(&b, 0, sizeof b);
    recorder_init(&b.r);
    if (grouped) {
        recorder_grouped(&b.r);
    }
    b.r.port.lock = lock;
    b.r.port.unlock = unlock;
    b.r.port.pause = pass;
    b.r.port.read = read_pin;
    for (int leg = 0; leg < 3 && table < 2; leg++) {
        b.r.high_pairs[leg][0] = 2 * leg;
        b.r.high_pairs[leg][1] = 2 * leg + 1;
        b.r.pair_count = 3;
    }
    b.codes = codes;
    b.way = 1;
    show_sensors();
    b.stage = (wpin_stage_config){
        .table = tables[table], .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
    b.config = (wpin_six_step_config){.stage = &b.stage, .hall = {HALL_A, HALL_B, HALL_C}};
    memset(b.config.sector_of, WPIN_NO_SECTOR, sizeof b.config.sector_of);
    for (uint8_t s = 0; s < 6; s++) {
        b.config.sector_of[codes[s]] = s;
    }
    b.motor_config = (wpin_motor_config){WPIN_ON_SIX_STEP(&b.six, &b.config),
                                         .guard = {.cap = WPIN_DUTY_FULL,
                                                   .up = WPIN_SLEW_US(20000),
                                                   .down = WPIN_SLEW_US(20000),
                                                   .pause_us = 3000}};
    return wpin_motor_init(&b.motor, &b.motor_config, &b.r.port);
}

static void tick(void) {
    b.r.now += 1000;
    wpin_motor_tick(&b.motor);
}

/* Whether the pins show the row that drives a rotor in this sector that way, with a duty. */
static bool shows(long place, bool forward, int duty) {
    unsigned sector = (sector_at(place) + (forward ? 0U : 3U)) % 6;
    uint8_t row = wpin_table_row(b.stage.table, (wpin_drive)(WPIN_DRIVE_SECTOR + sector));
    bool all = true;
    for (uint8_t l = 0; l < 6; l++) {
        wpin_cell cell = wpin_table_cell(b.stage.table, row, l);
        bool pwm = cell == WPIN_CELL_DUTY || cell == WPIN_CELL_COMPLEMENT;
        all = all && (b.r.level[l] < 0) == pwm && (pwm || b.r.level[l] == (int)cell) &&
              (!pwm || b.r.duty[l] == duty);
    }
    return all;
}

/* The stage shows the row that the rotor's sector asks for; with an advance, or the next one. */
static void shows_its_sector(void) {
    wpin_duty duty = wpin_motor_duty(&b.motor);
    bool forward = (duty > 0) != b.stage.reversed;
    long ahead = forward ? 1 : -1;
    bool own = duty == 0 || shows(b.place, forward, abs(duty));
    always(own || (b.config.advance != 0 && shows(b.place + ahead, forward, abs(duty))));
}

static void ask_at_random(void) {
    wpin_duty duty = (wpin_duty)(pick(32769) - 16384);
    switch (pick(9)) {
    case 0: wpin_motor_stop(&b.motor, 0); break;
    case 1: wpin_motor_coast(&b.motor); break;
    case 2: wpin_motor_brake(&b.motor); break;
    case 3:
        wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        for (uint8_t l = 0; l < 6; l++) {
            always(!recorder_on(&b.r, l) || b.r.pair_count == 0);
        }
        tick();
        wpin_motor_clear_fault(&b.motor);
        wpin_motor_arm(&b.motor);
        break;
    default: wpin_motor_run(&b.motor, duty, 0, 1 + pick(40)); break;
    }
}

/* Requests, trips and edges at any moment between two calls of the port. */
START_TEST(it_ends_on_the_rotors_sector) {
    unsigned table = (unsigned)_i % 3;
    bool grouped = _i / 3 % 2 == 0;
    pick_seed((uint32_t)_i + 1);
    ck_assert_int_eq(set_up(table, grouped, _i / 6 % 2 == 0 ? usual : sixty), WPIN_OK);
    b.stage.reversed = _i / 6 % 2 == 1;
    b.config.advance = _i / 12 == 0 ? 0 : 80;
    b.served = true;
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    unsigned driven = 0;
    for (int i = 0; i < 8000; i++) {
        b.way = pick(50) == 0 ? -b.way : b.way;
        b.moves = 3 + pick(30);
        if (pick(10) == 0) {
            ask_at_random();
        }
        tick();
        b.moves = 0;
        shows_its_sector();
        driven += wpin_motor_duty(&b.motor) != 0;
        always(b.six.counts.counts == (int32_t)b.place);
        always(b.six.counts.illegal == 0 && b.r.shoot_through == 0);
    }
    ck_assert_uint_gt(driven, 2400);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
}
END_TEST

/* Nothing but the tick looks at the sensors. */
START_TEST(the_tick_follows_without_an_interrupt) {
    ck_assert_int_eq(set_up((unsigned)_i, true, usual), WPIN_OK);
    wpin_motor_arm(&b.motor);
    tick();
    wpin_motor_run(&b.motor, -8000, 0, WPIN_TIMEOUT_HELD);
    for (int i = 0; i < 400; i++) {
        edge(i % 3 == 0 ? -1 : 0);
        tick();
        shows_its_sector();
    }
    ck_assert_int_lt(wpin_motor_duty(&b.motor), -7999);
    ck_assert_int_eq(b.six.counts.counts, (int32_t)b.place);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
}
END_TEST

static void shows_nothing(void) {
    for (uint8_t l = 0; l < 6; l++) {
        ck_assert(!recorder_on(&b.r, l));
    }
}

/* One wrong code is forgotten; a code that is none, or sectors left out again and again, are not.
 * Where there is no sector there is no row. */
START_TEST(a_glitch_is_no_fault_and_a_loose_wire_is_one) {
    ck_assert_int_eq(set_up(1, true, usual), WPIN_OK);
    wpin_motor_arm(&b.motor);
    b.served = true;
    tick();
    wpin_motor_run(&b.motor, 8000, 0, WPIN_TIMEOUT_HELD);
    for (int i = 0; i < 1000; i++) {
        edge(1);
        if (i % 50 == 0) {
            b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
            wpin_six_step_edge(&b.six);
            shows_its_sector(); /* it stays where it was */
            show_sensors();
            wpin_six_step_edge(&b.six);
        }
        tick();
        shows_its_sector();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_uint_eq(b.six.counts.illegal, 20);
    ck_assert_int_eq(b.six.counts.counts, (int32_t)b.place);
    b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
    wpin_six_step_edge(&b.six);
    tick();
    shows_nothing(); /* not a row that the rotor may have left */
    show_sensors();
    wpin_six_step_edge(&b.six);
    tick();
    shows_its_sector();
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    for (int i = 0; i < 100; i++) {
        tick(); /* forgotten */
    }
    b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
    int ticks = 0;
    while (wpin_motor_fault(&b.motor) == WPIN_OK && ticks < 100) {
        tick();
        ticks++;
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_HALL);
    ck_assert_int_le(ticks, 5);
    shows_nothing();
    tick();
    wpin_motor_clear_fault(&b.motor); /* it may be cleared, and comes again */
    wpin_motor_arm(&b.motor);
    for (int i = 0; i < 6; i++) {
        tick();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_HALL);
}
END_TEST

/* A sensor that always says high, at edges from one in 40 ticks to four in each. */
START_TEST(a_dead_sensor_shows_at_any_speed) {
    static const int quarters[] = {1, 4, 10, 40, 100, 160}; /* of an edge in ten ticks */
    ck_assert_int_eq(set_up(1, true, usual), WPIN_OK);
    wpin_motor_arm(&b.motor);
    tick();
    wpin_motor_run(&b.motor, 8000, 0, WPIN_TIMEOUT_HELD);
    int due = 0, passed = 0;
    for (int i = 0; i < 2000 && wpin_motor_fault(&b.motor) == WPIN_OK; i++) {
        for (due += quarters[_i]; due >= 40; due -= 40) {
            b.place++;
            passed++;
            show_sensors();
            b.r.input[HALL_B] = true;
            wpin_six_step_edge(&b.six);
        }
        tick();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_HALL);
    ck_assert_int_le(passed, 24); /* four electrical turns */
}
END_TEST

START_TEST(what_can_not_be_is_refused) {
    static const wpin_row turned[] = {WPIN_ROW(WPIN_DRIVE_COAST, 0, 0, 0, 0, 0, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 1, 1, 0, 0, 1, 0, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 0, 1, 0, 0, 0, 0, 1),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 2, 0, 0, 1, 0, 0, 1),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 3, 0, 1, 1, 0, 0, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 4, 0, 1, 0, 0, 1, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 5, 0, 0, 0, 1, 1, 0)};
    static const wpin_stage_table wrong_order = {.line_count = 6, .row_count = 7, .rows = turned};
    ck_assert_int_eq(set_up(0, true, usual), WPIN_OK);
    wpin_motor_close(&b.motor);
    wpin_six_step_config good = b.config;
    wpin_stage_config stage = b.stage;
    for (int wrong = 0; wrong < 9; wrong++) {
        wpin_status expected = WPIN_REFUSED_CONFIG;
        b.config = good;
        b.stage = stage;
        b.r.port.read = read_pin;
        switch (wrong) {
        case 0: b.config.sector_of[1] = WPIN_NO_SECTOR; break;
        case 1: b.config.sector_of[1] = b.config.sector_of[2]; break;
        case 2: b.config.sector_of[0] = 6; break;
        case 3: b.config.hall[1] = b.config.hall[0]; break;
        case 4: b.config.hall[1] = lines[3].pin; break;
        case 5: b.stage.table = &wrong_order; break;
        case 6: b.stage.table = &wpin_table_full_bridge; break;
        case 7: b.config.advance = 121; break;
        default: b.r.port.read = NULL; expected = WPIN_REFUSED_PORT;
        }
        ck_assert_msg(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port) == expected,
                      "mistake %d", wrong);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_six_step_edge(&b.six), WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_six_step_look(&b.six), WPIN_REFUSED_CLOSED);
        ck_assert_uint_eq(wpin_six_step_sector(&b.six), WPIN_NO_SECTOR);
    }
    ck_assert_int_eq(wpin_six_step_edge(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_six_step_look(NULL), WPIN_REFUSED_ARGUMENT);
    b.config = good;
    b.stage = stage;
    b.r.port.read = read_pin;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port), WPIN_OK);
}
END_TEST

/* A failing call of the port leaves all off, whichever it is, an edge's too. */
START_TEST(a_failing_port_leaves_it_off) {
    for (int after = 1; after < 60; after++) {
        ck_assert_int_eq(set_up((unsigned)_i, after % 2 == 0, usual), WPIN_OK);
        wpin_motor_arm(&b.motor);
        tick();
        wpin_motor_run(&b.motor, 16384, 0, WPIN_TIMEOUT_HELD);
        b.r.fail_left = after;
        for (int i = 0; i < 40 && b.r.fail_left != 0; i++) {
            b.place++;
            show_sensors();
            wpin_six_step_edge(&b.six);
            if (b.r.fail_left != 0) {
                tick();
            }
        }
        ck_assert_int_eq(b.r.fail_left, 0);
        b.r.fail_left = -1;
        tick();
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PORT);
        for (uint8_t l = 0; l < 6; l++) {
            ck_assert(!recorder_on(&b.r, l));
        }
    }
}
END_TEST

/* Sensors off their places, at a steady speed: each kind of edge comes as regularly as a good one.
 */
START_TEST(uneven_sensors_measure_the_speed) {
    static const wpin_encoder_config by_hall = {
        .quadrature = &b.six.counts, .kinds = 3, .full_hz = 4000};
    static const int off_us[3] = {0, 90, -70}; /* each edge of its sensor */
    ck_assert_int_eq(set_up(0, true, usual), WPIN_OK);
    wpin_encoder encoder;
    ck_assert_int_eq(wpin_encoder_init(&encoder, &by_hall, &b.r.port), WPIN_OK);
    uint32_t next = 5000, period = (uint32_t)(500 + 400 * _i);
    int worst = 0, edges = 0, way = _i % 2 == 0 ? 1 : -1;
    wpin_measurement m = {0};
    for (uint32_t now = 0; edges < 300; now += 1000) {
        while ((int32_t)(next + (uint32_t)off_us[edges % 3] - now) <= 0) {
            b.place += way;
            show_sensors();
            b.r.now = next + (uint32_t)off_us[edges % 3];
            wpin_six_step_edge(&b.six);
            next += period;
            edges++;
        }
        m.at = now;
        wpin_encoder_measure(&encoder, &m);
        if (edges > 12) {
            int speed = (int)(16384.0 * 1e6 / period / 4000);
            int wrong = abs(way * m.speed - speed) * 1000 / speed;
            worst = wrong > worst ? wrong : worst;
        }
    }
    ck_assert_msg(worst <= 3, "%d in a thousand", worst);
    ck_assert_int_eq(m.position, (int32_t)b.place);
}
END_TEST

/* ---- ahead of the sensors ---- */

enum { LOOK_US = 50 };

/* Lets time pass with its ticks and, if so, looks; when the row of the next sector was shown first,
 * us before the end; 0: it was not. */
static uint32_t pass_until(uint32_t moment, bool forward, bool looks) {
    static uint32_t ticked, looked;
    uint32_t ahead = 0;
    while ((int32_t)(moment - b.r.now) > 0) {
        uint32_t left = moment - b.r.now, next = looked + LOOK_US - b.r.now;
        next = next > LOOK_US ? 0 : next;
        b.r.now += left < next ? left : next;
        if (left >= next) {
            looked = b.r.now;
            if (looks) {
                wpin_six_step_look(&b.six);
            }
        }
        if (ahead == 0 && shows(b.place + (forward ? 1 : -1), forward, 8192)) {
            ahead = moment - b.r.now;
        }
        if (b.r.now - ticked >= 1000) {
            ticked = b.r.now;
            wpin_motor_tick(&b.motor);
        }
    }
    return ahead;
}

static uint32_t look_until(uint32_t moment, bool forward) {
    return pass_until(moment, forward, true);
}

static const struct {
    uint32_t sector_us;
    uint8_t advance;
} paces[] = {{400, 43}, {400, 120}, {1000, 0}, {3000, 43}, {3000, 120}, {15000, 85}, {17000, 85}};

static void set_off(unsigned table, uint8_t advance, bool forward) {
    ck_assert_int_eq(set_up(table, table < 2, usual), WPIN_OK);
    b.config.advance = advance;
    b.motor_config.guard.up = b.motor_config.guard.down = WPIN_SLEW_US(1000);
    b.motor_config.guard.pause_us = 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port), WPIN_OK);
    wpin_motor_arm(&b.motor);
    tick();
    wpin_motor_run(&b.motor, forward ? 8192 : -8192, 0, WPIN_TIMEOUT_HELD);
    tick();
    ck_assert_int_eq(wpin_motor_duty(&b.motor), forward ? 8192 : -8192);
}

static void step(bool forward) {
    b.place += forward ? 1 : -1;
    show_sensors();
    ck_assert_int_eq(wpin_six_step_edge(&b.six), WPIN_OK);
    ck_assert(shows(b.place, forward, 8192));
}

/* Both ways, on each stage, sensors b and c off their places: from the third sector on each row
 * comes so much before its edge, to a look. Where the edge then fails to come it goes back, and
 * where the motor is driven against its turning each row has its own sector. */
START_TEST(rows_come_ahead_of_their_edges) {
    const uint32_t pace = paces[_i % 7].sector_us;
    const uint8_t advance = paces[_i % 7].advance;
    const bool forward = _i / 7 % 2 == 0, leads = advance != 0 && pace < 16384;
    set_off((unsigned)_i / 14, advance, forward);
    const int off[3] = {0, (int)pace / 30, -(int)pace / 30};
    uint32_t next = b.r.now;
    for (int i = 0; i < 40; i++) {
        next += pace;
        int late = off[i % 3], before = off[(i + 2) % 3];
        uint32_t ahead = look_until(next + (uint32_t)late, forward);
        double wanted = pace * advance / 256.0 + (late - before);
        if (i >= 4) {
            ck_assert_msg(leads ? fabs(ahead - wanted) <= LOOK_US / 2 + 4 + pace * 4e-3
                                : ahead == 0,
                          "sector %d: %u us ahead, %.0f expected", i, ahead, wanted);
        }
        step(forward);
    }
    look_until(b.r.now + pace * 149 / 100, forward);
    ck_assert(shows(b.place + (leads ? (forward ? 1 : -1) : 0), forward, 8192));
    pass_until(b.r.now + 2000, forward, false); /* nobody looks any more */
    ck_assert(shows(b.place, forward, 8192));
    for (int i = 0; i < 8; i++) {
        look_until(b.r.now + pace, forward);
        step(forward);
    }
    wpin_motor_run(&b.motor, forward ? -8192 : 8192, 0, WPIN_TIMEOUT_HELD);
    pass_until(b.r.now + 4000, forward, false);
    for (int i = 0; i < 8; i++) {
        b.place += forward ? 1 : -1;
        show_sensors();
        wpin_six_step_edge(&b.six);
        ck_assert_uint_eq(look_until(b.r.now + pace, !forward), 0);
        ck_assert(shows(b.place, !forward, 8192));
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_uint_eq(b.r.shoot_through, 0);
}
END_TEST

/* A code that is no sector, a sector left out, a turn of the shaft: it begins to measure anew. */
START_TEST(what_was_measured_is_forgotten) {
    for (int trouble = 0; trouble < 3; trouble++) {
        set_off(0, 120, true);
        for (int i = 0; i < 8; i++) {
            ck_assert(i < 5 || shows(b.place + 1, true, 8192));
            step(true);
            look_until(b.r.now + 1000, true);
        }
        ck_assert(shows(b.place + 1, true, 8192));
        if (trouble == 0) {
            b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
            wpin_six_step_edge(&b.six);
            show_sensors();
            wpin_six_step_edge(&b.six);
        } else {
            b.place += trouble == 1 ? 2 : -1;
            show_sensors();
            wpin_six_step_edge(&b.six);
        }
        ck_assert(shows(b.place, true, 8192));
        ck_assert_uint_eq(look_until(b.r.now + 1000, true), 0);
        for (int i = 0; i < 5; i++) {
            step(true);
            bool again = look_until(b.r.now + 1000, true) != 0;
            ck_assert_msg(again == (i >= 3), "%d: sector %d", trouble, i);
        }
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("six_step");
    TCase *tests = tcase_create("six_step");
    tcase_add_loop_test(tests, it_ends_on_the_rotors_sector, 0, 24);
    tcase_add_loop_test(tests, the_tick_follows_without_an_interrupt, 0, 3);
    tcase_add_test(tests, a_glitch_is_no_fault_and_a_loose_wire_is_one);
    tcase_add_loop_test(tests, a_dead_sensor_shows_at_any_speed, 0, 6);
    tcase_add_test(tests, what_can_not_be_is_refused);
    tcase_add_loop_test(tests, a_failing_port_leaves_it_off, 0, 3);
    tcase_add_loop_test(tests, uneven_sensors_measure_the_speed, 0, 6);
    tcase_add_loop_test(tests, rows_come_ahead_of_their_edges, 0, 42);
    tcase_add_test(tests, what_was_measured_is_forgotten);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
