/* The safety rules on every stage, under the nastiest clock, with requests from two contexts and
 * calls that fail. The judge sees what happened to the pins, in true time, and what the calls
 * returned; never the core's own state. Seeds are printed. WPIN_TICKS sets how many ticks each
 * stage gets, once with and once without group writes (a million), WPIN_SEED another beginning. */
#include "support.h"
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rig.h>

enum {
    DEAD_US = 3,
    PAUSE_US = 60000,
    MINIMUM_US = 20000,
    TICK_US = 1000,
    LATE_US = 2000,
    LINES = 8,
    HALL = 14
};

typedef struct world {
    wpin_port port;
    uint64_t now;         /* true time, us */
    int64_t ahead;        /* how far the controller's clock is off */
    int stands;           /* ticks it still stands for */
    wpin_moment standing; /* what it says meanwhile */
    bool honest;          /* a clock and calls that behave */
    int level[LINES];     /* 0, 1, 2 floating; -1 PWM */
    uint16_t duty[LINES];
    bool output[LINES], complement[LINES];
    uint64_t off_at[LINES]; /* when a line was last turned off */
    unsigned locked;
    unsigned written; /* calls that write to lines since the lock was taken */
    unsigned long interrupts, failures;
    uint64_t failed_at;
    bool inside; /* the second context does not interrupt itself */
    const wpin_stage_kind *kind;
    wpin_motor motor;
    wpin_stage stage;
    wpin_stepper stepper;
    wpin_six_step six_step;
    unsigned sector; /* of a brushless rotor */
    int lied;        /* ticks since a Hall sensor did still count */
    unsigned nested;
    wpin_six_step_config six_step_config;
    bool oriented; /* by field orientation instead */
    wpin_vector vector;
    wpin_vector_config vector_config;
    wpin_stage_config stage_config;
    wpin_motor_config config;
    wpin_stepper_config stepper_config;
    wpin_line lines[LINES];
    /* what the judge knows */
    bool may_drive; /* armed, by what the calls returned, and neither disarmed nor tripped since */
    int direction;  /* it was last driven in; 0: never */
    uint64_t driven_at, changed_at;
    bool was_on;
    uint32_t shown, shown_before; /* duty of a driven row */
    uint64_t stop_at;             /* the last stop, with nothing asked since; 0: none */
    uint64_t end_at;              /* when the last request must have ended by itself; 0: unknown */
    unsigned long trips, reversals, drives;
} world;

static world w;

static bool is_on(int line) {
    bool low = w.complement[line];
    return w.level[line] == 1 ||
           (w.level[line] == -1 && (low ? w.duty[line] < 16384 : w.duty[line] > 0));
}

/* Whether the pins show a row, PWM with whatever duty; a row that keeps a line takes it as it is.
 */
static bool shows(const wpin_row *row) {
    for (unsigned l = 0; l < w.kind->table->line_count; l++) {
        unsigned bit = 1U << l;
        bool timed = (row->timed & bit) != 0, high = (row->high & bit) != 0;
        int level = w.level[l];
        if ((row->keep & bit) == 0 && !(timed ? level == -1 : level == (high ? 1 : 0))) {
            return false;
        }
    }
    return true;
}

#define JUDGE(condition, ...)                                                                      \
    do {                                                                                           \
        if (!(condition)) {                                                                        \
            fprintf(stderr, "%s at %llu us: ", w.kind->name, (unsigned long long)w.now);           \
            ck_abort_msg(__VA_ARGS__);                                                             \
        }                                                                                          \
    } while (0)

/* A brushless motor's: by the sector its rotor is in. */
static int direction_by_sector(void) {
    const wpin_stage_table *t = w.kind->table;
    for (unsigned r = 0; r < t->row_count; r++) {
        if (t->rows[r].drive >= WPIN_DRIVE_SECTOR && shows(&t->rows[r])) {
            if (t->rows[r].drive == WPIN_DRIVE_VECTOR) { /* which way, its currents say */
                return 2;
            }
            unsigned ahead = (t->rows[r].drive - WPIN_DRIVE_SECTOR + 6U - w.sector) % 6;
            if (w.lied > 0 || w.now - w.failed_at < 2 * TICK_US) { /* it went by a sensor that lied,
                             or a write failed and the next tick is yet to see it: some way */
                return 2;
            }
            JUDGE(ahead % 3 == 0, "a row %u sectors from the rotor's", ahead);
            return ahead == 0 ? 1 : -1;
        }
    }
    return 0;
}

static int direction_shown(void) {
    const wpin_stage_table *t = w.kind->table;
    if (t->rows[0].pulse != 0) { /* by its width; neutral is 1229 of 16384 */
        return w.level[0] != -1 ? 0 : (w.duty[0] > 1231) - (w.duty[0] < 1227);
    }
    if (wpin_stage_kind_is_three_phase(w.kind)) {
        return direction_by_sector();
    }
    for (unsigned r = 0; r < t->row_count; r++) {
        bool ways =
            t->rows[r].drive == WPIN_DRIVE_FORWARD || t->rows[r].drive == WPIN_DRIVE_REVERSE;
        if (ways && shows(&t->rows[r])) {
            return t->rows[r].drive == WPIN_DRIVE_FORWARD ? 1 : -1;
        }
    }
    return 0;
}

/* Looks at the pins after every single change of one. */
static void judge_pins(unsigned line, bool was) {
    const wpin_stage_table *t = w.kind->table;
    bool on = is_on((int)line);
    if (was && !on) {
        w.off_at[line] = w.now;
    }
    for (unsigned i = 0; i < t->leg_count; i++) {
        unsigned a = t->legs[i].high_side, b = t->legs[i].low_side;
        bool pwm = w.level[a] == -1 && w.level[b] == -1;
        JUDGE(pwm || !(is_on((int)a) && is_on((int)b)), "both sides of leg %u are on", i);
        unsigned other = line == a ? b : line == b ? a : line;
        if (other != line && on && !was && !pwm) {
            JUDGE(w.now - w.off_at[other] >= DEAD_US, "no dead time on leg %u", i);
        }
    }
}

/* Looks at what is driven, once a tick or a request is done: in the middle of a change of row lines
 * that are written one by one show this and that for a microsecond. */
static void judge_drive(void) {
    int direction = direction_shown();
    if (direction != 0) {
        /* a line that could not be written is written again by the next tick */
        JUDGE(w.may_drive || w.now - w.failed_at < 25 * TICK_US, "driven though not armed");
        if (direction == 2) {
            w.drives++;
            return;
        }
        if (w.direction != 0 && direction != w.direction) {
            JUDGE(w.now - w.driven_at >= PAUSE_US / 2, "turned over after %llu us",
                  (unsigned long long)(w.now - w.driven_at));
            w.reversals++;
        }
        w.direction = direction;
        w.driven_at = w.now;
        w.drives++;
    }
}

/* ---- the port ---- */

static void interrupt(void);

/* The rotor goes on, and its sensors raise an interrupt of their own, above all others. */
static void turn(void) {
    if (w.oriented && w.nested == 0 && pick(8) == 0) {
        w.nested++;
        wpin_vector_period(&w.vector);
        w.nested--;
    }
    if (wpin_stage_kind_is_three_phase(w.kind) && w.nested == 0 && pick(40) == 0) {
        w.nested++;
        w.sector = (w.sector + (pick(4) == 0 ? 5U : 1U)) % 6;
        wpin_six_step_edge(w.oriented ? &w.vector.rotor : &w.six_step);
        w.nested--;
    }
}

static void visit(void) {
    w.now += 1;
    if (w.locked == 0) {
        turn();
    }
    if (w.locked == 0 && !w.inside && pick(400) == 0) {
        w.inside = true;
        w.interrupts++;
        interrupt();
        w.inside = false;
    }
}

/* Under one lock a line is written, or a group of them with the PWM that moves; the three legs of a
 * vector belong together. */
static void count_write(void) {
    w.written++;
    JUDGE(w.locked == 0 || w.oriented || w.written <= 2, "%u writes with interrupts held out",
          w.written);
}

static bool fails(void) {
    bool now = !w.honest && pick(20000) == 0;
    w.failures += now;
    w.failed_at = now ? w.now : w.failed_at;
    return now;
}

static wpin_moment port_now(void *context) {
    (void)context;
    visit();
    return w.stands > 0 ? w.standing : (wpin_moment)((int64_t)w.now + w.ahead);
}

static void set(wpin_pin pin, int level, uint16_t duty) {
    bool was = is_on(pin);
    w.level[pin] = level;
    w.duty[pin] = duty;
    judge_pins(pin, was);
}

static wpin_status port_open(void *context, wpin_pin pin, wpin_level safe) {
    (void)context;
    if (fails()) {
        return WPIN_REFUSED_PORT;
    }
    JUDGE(!w.output[pin] || !w.may_drive, "opened anew while driven");
    w.output[pin] = true;
    set(pin, (int)safe, 0);
    return WPIN_OK;
}

static wpin_status port_write(void *context, wpin_pin pin, wpin_level level) {
    (void)context;
    visit();
    if (fails()) {
        return WPIN_REFUSED_PORT;
    }
    JUDGE(w.output[pin], "written before it is an output");
    count_write();
    set(pin, (int)level, 0);
    return WPIN_OK;
}

static wpin_status port_group_open(void *context, const wpin_pin *pins, uint8_t count,
                                   uint8_t *group) {
    (void)context, (void)pins, (void)count;
    *group = 0;
    return WPIN_OK;
}

static wpin_status port_group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    (void)context;
    JUDGE(group == 0, "a group that was never opened");
    count_write();
    for (unsigned l = 0; mask >> l != 0; l++) { /* what turns off comes first: it is one instant */
        if ((mask >> l & 1) != 0 && (high >> l & 1) == 0) {
            set((wpin_pin)l, 0, 0);
        }
    }
    for (unsigned l = 0; mask >> l != 0; l++) {
        if ((mask >> l & 1) != 0 && (high >> l & 1) != 0) {
            set((wpin_pin)l, 1, 0);
        }
    }
    return WPIN_OK;
}

static wpin_status port_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                  wpin_pwm_achieved *achieved) {
    (void)context;
    w.complement[pin] = request->inverted;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    return WPIN_OK;
}

static wpin_status port_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context;
    visit();
    if (fails()) {
        return WPIN_REFUSED_PORT;
    }
    JUDGE(duty <= WPIN_DUTY_FULL, "a duty of %u", duty);
    count_write();
    w.shown = duty;
    set(pin, -1, duty);
    return WPIN_OK;
}

static wpin_status port_leg_start(void *context, wpin_pin high, wpin_pin low,
                                  const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    (void)context, (void)high;
    w.complement[low] = true;
    *achieved = (wpin_pwm_achieved){
        .millihertz = request->hz * 1000, .steps = 800, .dead_time_ns = request->dead_time_ns};
    return WPIN_OK;
}

static wpin_status port_leg_duty(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    (void)context;
    visit();
    count_write();
    w.shown = duty;
    bool both = w.level[high] == -1;
    JUDGE(both || w.now - w.off_at[high] >= DEAD_US, "the high side began too early");
    JUDGE(both || w.now - w.off_at[low] >= DEAD_US, "the low side began too early");
    w.level[high] = w.level[low] = -1;
    w.duty[high] = w.duty[low] = duty;
    judge_pins(high, true);
    return WPIN_OK;
}

static int16_t port_millivolts(void *context, uint8_t input) {
    (void)context, (void)input;
    visit();
    bool lies = !w.honest && pick(5000) == 0;
    return lies ? (pick(2) ? WPIN_NO_READING : (int16_t)(pick(65536) - 32768)) : 500;
}

static bool port_read(void *context, wpin_pin pin) {
    static const uint8_t codes[6] = {5, 1, 3, 2, 6, 4};
    (void)context;
    if (pin >= HALL) {
        bool lies = !w.honest && pick(3000) == 0;
        w.lied = lies ? 3 : w.lied;
        return (codes[w.sector] >> (pin - HALL) & 1) != (lies ? 1 : 0);
    }
    return w.honest || pick(3000) != 0; /* a limit switch that answers now and then */
}

static void port_pause(void *context, uint32_t us) {
    (void)context;
    JUDGE(w.locked == 0, "interrupts are held out for %u us", us);
    visit();
    w.now += us;
}

static uint8_t port_lock(void *context) {
    (void)context;
    w.written = w.locked == 0 ? 0 : w.written;
    w.locked++;
    return 7;
}

static void port_unlock(void *context, uint8_t state) {
    (void)context;
    JUDGE(state == 7 && w.locked > 0, "unlocked without a lock");
    w.locked--;
    visit(); /* what was held out comes now */
}

/* ---- the requests ---- */

static void asked(uint32_t timeout_ms) {
    w.stop_at = 0;
    w.end_at =
        timeout_ms == WPIN_TIMEOUT_HELD ? 0 : w.now + timeout_ms * 1000ULL + 100000 + 4 * TICK_US;
}

/* What an interrupt asked for within a call may be the newer request, or the older one. */
static void forget_if_interrupted(unsigned long interrupts_before) {
    if (w.interrupts != interrupts_before) {
        w.stop_at = w.end_at = 0;
    }
}

static void run(void) {
    bool on_off = !wpin_stage_kind_takes_duty(w.kind);
    wpin_duty duty = on_off ? (pick(2) ? WPIN_DUTY_FULL : -WPIN_DUTY_FULL)
                            : (wpin_duty)((int)pick(32769) - 16384);
    uint32_t timeout = pick(8) == 0 ? WPIN_TIMEOUT_HELD : 1 + pick(300);
    unsigned long before = w.interrupts;
    wpin_status status;
    if (w.kind->coils) {
        wpin_setpoint to = {WPIN_QUANTITY_POSITION, (int32_t)pick(2000) - 1000};
        status = wpin_motor_request(&w.motor, to, 0, timeout);
    } else {
        status = wpin_motor_run(&w.motor, duty, pick(3) ? 0 : pick(200000), timeout);
    }
    if (status == WPIN_OK) {
        JUDGE(w.may_drive || w.interrupts != before, "a request was taken though not armed");
        asked(timeout);
    }
    forget_if_interrupted(before);
}

static void halt(void) {
    unsigned long before = w.interrupts;
    if (wpin_motor_stop(&w.motor, 0) == WPIN_OK) {
        w.stop_at = w.now;
        w.end_at = w.now + 100000 + 4 * TICK_US;
    }
    forget_if_interrupted(before);
}

/* Everything is off by the time a call returns, unless the port failed in it. */
static void check_off(const char *what, unsigned long failures) {
    JUDGE(w.failures != failures || direction_shown() == 0 || w.kind->table->rows[0].pulse != 0,
          "still driven after %s", what);
}

static void request(unsigned which) {
    unsigned long failures = w.failures;
    switch (which) {
    case 0: halt(); break;
    case 1: wpin_motor_coast(&w.motor); break;
    case 2: wpin_motor_brake(&w.motor); break;
    case 3:
        w.may_drive = false;
        wpin_motor_disarm(&w.motor);
        check_off("disarm", failures);
        break;
    case 4:
        w.may_drive = false;
        w.trips++;
        wpin_motor_trip(&w.motor, WPIN_FAULT_EXTERNAL);
        check_off("a trip", failures);
        break;
    case 5: wpin_motor_refresh(&w.motor, 1 + pick(200)), w.end_at = 0; break;
    case 6: wpin_motor_end_kick(&w.motor); break;
    default: run(); break;
    }
    if (!w.inside) {
        judge_drive();
    }
}

/* The second context: whatever may be called from anywhere. */
static void interrupt(void) {
    request(pick(40) == 0 ? 3 + pick(2) : pick(12));
}

static void arm(void) {
    if (wpin_motor_fault(&w.motor) != WPIN_OK) {
        wpin_motor_clear_fault(&w.motor);
    }
    if (wpin_motor_arm(&w.motor) == WPIN_OK) {
        w.may_drive = true;
    }
}

static void open_anew(void) {
    wpin_motor_config config = w.config;
    unsigned way = pick(4);
    unsigned long failures = w.failures;
    w.may_drive = false;
    if (way == 0) {
        config.safe_drive = WPIN_DRIVE_FORWARD; /* refused: closed, safe and inert */
        ck_assert_int_ne(wpin_motor_init(&w.motor, &config, &w.port), WPIN_OK);
        check_off("a refused init", failures);
        ck_assert_int_ne(wpin_motor_arm(&w.motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_run(&w.motor, 5000, 0, 100), WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_motor_stop(&w.motor, 0), WPIN_OK);
    }
    wpin_motor_init(&w.motor, &w.config, &w.port);
    check_off("init", failures);
    w.stop_at = w.end_at = 0;
}

/* ---- the world ---- */

static void lie(void) {
    if (w.honest || pick(300) != 0) {
        return;
    }
    switch (pick(5)) {
    case 0:
        w.stands = 1 + (int)pick(160);
        w.standing = (wpin_moment)((int64_t)w.now + w.ahead);
        break;
    case 1: w.ahead += pick(5000000); break;
    case 2: w.ahead -= pick(2) ? 1 : pick(1000000); break;
    case 3:
        w.ahead += 0x100000000LL - (int64_t)((uint64_t)((int64_t)w.now + w.ahead) & 0xFFFFFFFF) - 3;
        break;
    default: w.now += pick(20000); break; /* a tick that really is late */
    }
}

/* What holds from tick to tick. */
static void judge_tick(void) {
    bool pulse = w.kind->table->rows[0].pulse != 0, on = direction_shown() != 0;
    bool takes = wpin_stage_kind_takes_duty(w.kind);
    uint32_t shown = on && takes && !pulse && !w.oriented ? w.shown : 0;
    uint32_t most = 16384U * LATE_US / 40000 + 3;
    judge_drive();
    for (int l = 0; w.kind->coils && l < w.kind->table->line_count; l++) {
        w.drives += is_on(l);
    }
    JUDGE(shown <= w.shown_before + most, "effort jumped from %u to %u", w.shown_before, shown);
    if (w.honest && w.stop_at != 0 && w.now - w.stop_at > 10000) {
        JUDGE(shown <= w.shown_before, "still growing after a stop");
    }
    if (w.honest && w.end_at != 0 && w.now > w.end_at) {
        JUDGE(!on, "a motion did not end by itself");
    }
    if (!takes && !w.kind->coils && on != w.was_on) {
        JUDGE(!on || w.now - w.changed_at >= MINIMUM_US / 2, "on again after %llu us",
              (unsigned long long)(w.now - w.changed_at));
        w.changed_at = w.now;
    }
    w.was_on = on;
    if (shown != 0 || w.lied == 0) { /* after a code that was no sector it goes on where it was */
        w.shown_before = shown;
    }
}

static void put_on_six_steps(void) {
    w.six_step_config = (wpin_six_step_config){.stage = &w.stage_config,
                                               .hall = {HALL, HALL + 1, HALL + 2},
                                               .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
    w.config.actuator = &wpin_six_step_actuator;
    w.config.part = &w.six_step;
    w.config.part_config = &w.six_step_config;
}

static void orient_by_field(void) {
    w.oriented = true;
    w.stage_config.centred = true;
    w.vector_config = (wpin_vector_config){.stage = &w.stage_config,
                                           .hall = &w.six_step_config,
                                           .shunts = {1, 2, 3},
                                           .zero_mv = 500,
                                           .full_mv = 600,
                                           .limit_mv = 700,
                                           .trip_mv = 1200,
                                           .gain = 4000,
                                           .integral = 1500,
                                           .coupling = 800,
                                           .emf = 15000,
                                           .most = WPIN_DUTY_FULL,
                                           .least_low = 400,
                                           .dead = 300,
                                           .dead_slope = 2000,
                                           .lead_us = 75,
                                           .rate = WPIN_VECTOR_RATE(200)};
    w.config.actuator = &wpin_vector_actuator;
    w.config.part = &w.vector;
    w.config.part_config = &w.vector_config;
}

static void set_up(const wpin_stage_kind *kind, bool grouped, bool oriented) {
    memset(&w, 0, sizeof w);
    w.now = 0xFFFFFFFFu - 3000000u; /* the clock wraps soon */
    w.kind = kind;
    for (int l = 0; l < LINES; l++) {
        w.lines[l].pin = (wpin_pin)l;
        w.level[l] = 2;
    }
    w.port = (wpin_port){.now = port_now,
                         .open = port_open,
                         .write = port_write,
                         .pwm_start = port_pwm_start,
                         .pwm_duty = port_pwm_duty,
                         .leg_start = port_leg_start,
                         .leg_duty = port_leg_duty,
                         .group_open = grouped ? port_group_open : NULL,
                         .group_write = grouped ? port_group_write : NULL,
                         .read = port_read,
                         .millivolts = port_millivolts,
                         .pause = port_pause,
                         .lock = port_lock,
                         .unlock = port_unlock};
    w.stage_config = (wpin_stage_config){.table = kind->table,
                                         .lines = w.lines,
                                         .pwm_hz = wpin_stage_kind_has_pwm(kind) ? 50 : 0,
                                         .dead_time_us = DEAD_US,
                                         .pulse_neutral = WPIN_PULSE_SHARE(1500, 50),
                                         .pulse_swing = WPIN_PULSE_SHARE(500, 50)};
    w.stepper_config = (wpin_stepper_config){.stage = &w.stage_config,
                                             .steps_per_rev = 200,
                                             .start_rate = 200,
                                             .top_rate = 2000,
                                             .acceleration = 20000};
    bool coasts = wpin_stage_kind_has(kind, WPIN_DRIVE_COAST);
    w.config = (wpin_motor_config){
        WPIN_ON_STAGE(&w.stage, &w.stage_config),
        .guard = {.cap = WPIN_DUTY_FULL,
                  .up = WPIN_SLEW_US(40000),
                  .down = WPIN_SLEW_US(40000),
                  .pause_us = PAUSE_US,
                  .minimum_us = MINIMUM_US,
                  .current_trip = 1000,
                  .trip_us = 3000,
                  .current_limit = 700,
                  .limit_gain = 4,
                  .tick_max_us = LATE_US},
        .sense = {.reads = WPIN_HAS_CURRENT, .limit_forward = {.used = true, .pin = 0}},
        .rest_drive = (uint8_t)(coasts ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE),
        .safe_drive = (uint8_t)(coasts ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE)};
    if (kind->coils) {
        w.config.actuator = &wpin_stepper_actuator;
        w.config.part = &w.stepper;
        w.config.part_config = &w.stepper_config;
        w.config.rest_drive = WPIN_DRIVE_BRAKE;
    }
    if (wpin_stage_kind_is_three_phase(kind)) {
        put_on_six_steps();
    }
    if (oriented) {
        orient_by_field();
    }
    w.honest = true;
    ck_assert_int_eq(wpin_motor_init(&w.motor, &w.config, &w.port), WPIN_OK);
    w.honest = false;
}

static void one_tick(void) {
    uint64_t due = w.now + TICK_US;
    lie();
    wpin_motor_tick(&w.motor);
    for (int i = 0; w.kind->coils && i < 4; i++) {
        w.inside = true; /* the fast tick is an interrupt of its own */
        wpin_stepper_tick(&w.stepper);
        w.inside = false;
    }
    judge_tick();
    w.stands -= w.stands > 0;
    w.lied -= w.lied > 0;
    w.now = w.now < due ? due : w.now;
}

START_TEST(the_rules_hold_on_every_stage) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    const char *ticks_asked = getenv("WPIN_TICKS"), *seed_asked = getenv("WPIN_SEED");
    long ticks = ticks_asked != NULL ? atol(ticks_asked) : 1000000;
    uint32_t seed = (seed_asked != NULL ? (uint32_t)atol(seed_asked) : 77u) + (uint32_t)_i;
    const wpin_stage_kind *kind = &kinds[(size_t)_i % count];
    bool oriented = _i >= 2 * (int)count;
    if (oriented && !wpin_stage_kind_is_three_phase(kind)) {
        return;
    }
    if (oriented && wpin_table_row(kind->table, WPIN_DRIVE_VECTOR) == WPIN_NO_ROW) {
        return;
    }
    set_up(kind, _i >= (int)count, oriented);
    pick_seed(seed);
    for (long i = 0; i < ticks; i++) {
        if (i % 4096 == 0) { /* long stretches of an honest world, and of a lying one */
            w.honest = !w.honest;
            w.end_at = w.stop_at = 0;
        }
        if (pick(30) == 0) {
            request(pick(11));
        }
        if (pick(50) == 0) {
            arm();
        }
        if (pick(5000) == 0) {
            w.inside = true; /* init has no second context */
            open_anew();
            w.inside = false;
        }
        one_tick();
    }
    printf("%s, seed %u: %ld ticks, %lu drives, %lu reversals, %lu trips\n", w.kind->name, seed,
           ticks, w.drives, w.reversals, w.trips);
    bool both = wpin_stage_kind_has(w.kind, WPIN_DRIVE_REVERSE) && !w.oriented;
    ck_assert(ticks < 100000 || (w.drives > 1000 && w.trips > 50));
    ck_assert(ticks < 100000 || !both || w.reversals > 50);
}
END_TEST

int main(void) {
    size_t count;
    wpin_stage_kinds(&count);
    Suite *suite = suite_create("safety");
    TCase *tests = tcase_create("safety");
    tcase_add_loop_test(tests, the_rules_hold_on_every_stage, 0, 3 * (int)count);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
