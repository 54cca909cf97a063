/* The rules of a port, one by one. Freestanding, like the core. */
#include "windpin/porttest.h"
#include "windpin/stage.h"

typedef struct bench {
    const wpin_porttest *test;
    const wpin_port *port;
    unsigned broken;
} bench;

static void told(bench *b, const char *rule, bool kept) {
    b->broken += !kept;
    if (b->test->report != NULL) {
        b->test->report(b->test->context, rule, kept ? WPIN_PORTTEST_KEPT : WPIN_PORTTEST_BROKEN);
    }
}

static void left_out(const bench *b, const char *rule) {
    if (b->test->report != NULL) {
        b->test->report(b->test->context, rule, WPIN_PORTTEST_LEFT_OUT);
    }
}

static wpin_moment now(const bench *b) {
    return b->port->now(b->port->context);
}

static bool shows(const bench *b, wpin_pin pin) {
    return b->test->shows != NULL ? b->test->shows(b->test->context, pin)
                                  : b->port->read(b->port->context, pin);
}

static void wait_us(const bench *b, uint32_t us) {
    b->port->pause(b->port->context, us);
}

static wpin_status write_pin(const bench *b, wpin_pin pin, wpin_level level) {
    return b->port->write(b->port->context, pin, level);
}

/* ---- clock ---- */

static void clock_never_runs_back(bench *b) {
    wpin_moment last = now(b);
    bool kept = true;
    for (unsigned i = 0; i < 500; i++) {
        wpin_moment next = now(b);
        kept = kept && next - last < 100000; /* back would be a huge difference */
        last = next;
    }
    if (b->port->pause != NULL) {
        wait_us(b, 1000); /* a simulated clock, pushed on by its readings, falls into step again */
    }
    told(b, "the clock never runs back", kept);
}

static void clock_moves_on(bench *b) {
    if (b->port->pause == NULL) {
        left_out(b, "the clock counts the microseconds of a pause");
        return;
    }
    wpin_moment begin = now(b);
    for (unsigned i = 0; i < 20; i++) {
        wait_us(b, 1000);
    }
    uint32_t us = now(b) - begin;
    told(b, "the clock counts the microseconds of a pause", us >= 19900 && us < 24000);
}

/* ---- levels ---- */

static void opens_with_its_level(bench *b) {
    bool kept = true;
    for (unsigned i = 0; i < 2; i++) {
        wpin_pin pin = b->test->pins[i];
        wpin_level level = i == 0 ? WPIN_HIGH : WPIN_LOW;
        kept = kept && b->port->open(b->port->context, pin, level) == WPIN_OK;
        kept = kept && shows(b, pin) == (level == WPIN_HIGH);
        if (b->test->glitches != NULL) {
            kept = kept && b->test->glitches(b->test->context, pin) == 0;
        }
    }
    told(b, "open writes the level before the pin is an output", kept);
}

static void shows_what_is_written(bench *b) {
    bool kept = true;
    for (unsigned i = 0; i < 16; i++) {
        wpin_pin pin = b->test->pins[i & 1U];
        bool high = (i & 2U) != 0;
        kept = kept && write_pin(b, pin, high ? WPIN_HIGH : WPIN_LOW) == WPIN_OK;
        kept = kept && shows(b, pin) == high;
    }
    kept = kept && write_pin(b, b->test->pins[0], WPIN_FLOAT) == WPIN_OK;
    kept =
        kept && write_pin(b, b->test->pins[0], WPIN_LOW) == WPIN_OK && !shows(b, b->test->pins[0]);
    told(b, "write shows a level at once", kept);
}

static void writes_groups(bench *b) {
    static const char *const rule = "group_write shows the lines of its mask, and no others";
    uint8_t group = 0;
    if (b->port->group_open == NULL || b->port->group_write == NULL ||
        b->port->group_open(b->port->context, b->test->pins, 2, &group) != WPIN_OK) {
        left_out(b, rule);
        return;
    }
    bool kept = true, levels[2] = {false, false};
    for (unsigned i = 0; i < 2; i++) {
        write_pin(b, b->test->pins[i], WPIN_LOW);
    }
    for (unsigned i = 0; i < 64; i++) { /* every mask with every level, from every state */
        uint8_t mask = (uint8_t)(i & 3U), high = (uint8_t)(i >> 2 & 3U);
        kept = kept && b->port->group_write(b->port->context, group, mask, high) == WPIN_OK;
        for (unsigned n = 0; n < 2; n++) {
            if ((mask & 1U << n) != 0) {
                levels[n] = (high & 1U << n) != 0;
            }
            kept = kept && shows(b, b->test->pins[n]) == levels[n];
        }
    }
    told(b, rule, kept);
}

/* ---- PWM ---- */

/* What sampling a pin over some periods finds. */
typedef struct sampled {
    uint32_t high_us, total_us, rises;
} sampled;

static sampled sample(const bench *b, wpin_pin pin, uint32_t periods) {
    sampled s = {0};
    uint32_t span = periods * 1000000U / b->test->pwm_hz;
    wpin_moment begin = now(b), last = begin;
    bool was = shows(b, pin);
    while (last - begin < span) {
        wait_us(b, 1);
        wpin_moment at = now(b);
        bool high = shows(b, pin);
        s.high_us += high ? at - last : 0;
        s.rises += high && !was;
        was = high;
        last = at;
    }
    s.total_us = last - begin;
    return s;
}

/* Three hundredths of difference are allowed: a loop that samples is no better. */
static bool near_share(uint32_t part, uint32_t whole, uint16_t duty) {
    if (whole == 0) {
        return false; /* the clock stood still */
    }
    uint32_t is = (uint32_t)((uint64_t)part * 1000 / whole), due = (uint32_t)duty * 1000U / 16384U;
    return is <= due + 30 && due <= is + 30;
}

static bool start_pwm(const bench *b, bool inverted, wpin_pwm_achieved *achieved) {
    wpin_pwm_request request = {.hz = b->test->pwm_hz, .inverted = inverted};
    wpin_level off = inverted ? WPIN_HIGH : WPIN_LOW;
    return b->port->open(b->port->context, b->test->pwm_pin, off) == WPIN_OK &&
           b->port->pwm_start(b->port->context, b->test->pwm_pin, &request, achieved) == WPIN_OK;
}

static void keeps_duty_and_frequency(bench *b, const wpin_pwm_achieved *achieved) {
    static const uint16_t duties[] = {4096, 8192, 12288, 1638};
    bool duty_kept = true, rate_kept = true;
    uint32_t hz = achieved->millihertz / 1000U;
    rate_kept = hz + hz / 10U >= b->test->pwm_hz && hz <= b->test->pwm_hz + b->test->pwm_hz / 10U;
    for (unsigned i = 0; i < sizeof duties / sizeof *duties; i++) {
        b->port->pwm_duty(b->port->context, b->test->pwm_pin, duties[i]);
        sample(b, b->test->pwm_pin, 2); /* the change takes effect within a period */
        sampled s = sample(b, b->test->pwm_pin, 40);
        duty_kept = duty_kept && near_share(s.high_us, s.total_us, duties[i]);
        rate_kept = rate_kept && s.rises >= 38 && s.rises <= 42;
    }
    told(b, "PWM is high for its share of the period", duty_kept);
    told(b, "PWM has the frequency it says it has", rate_kept);
}

static void has_no_edges_at_the_ends(bench *b) {
    bool kept = true;
    for (unsigned i = 0; i < 2; i++) {
        uint16_t duty = i == 0 ? 0 : (uint16_t)WPIN_DUTY_FULL;
        b->port->pwm_duty(b->port->context, b->test->pwm_pin, duty);
        sample(b, b->test->pwm_pin, 2);
        sampled s = sample(b, b->test->pwm_pin, 20);
        kept = kept && s.rises == 0 && s.high_us == (i == 0 ? 0 : s.total_us);
    }
    told(b, "PWM has no edges at nothing and at full", kept);
}

static void a_level_ends_pwm(bench *b) {
    b->port->pwm_duty(b->port->context, b->test->pwm_pin, 8192);
    sample(b, b->test->pwm_pin, 3);
    bool kept = write_pin(b, b->test->pwm_pin, WPIN_LOW) == WPIN_OK;
    sampled s = sample(b, b->test->pwm_pin, 20);
    kept = kept && s.high_us == 0 && s.rises == 0;
    b->port->pwm_duty(b->port->context, b->test->pwm_pin, (uint16_t)WPIN_DUTY_FULL);
    kept = kept && shows(b, b->test->pwm_pin); /* the first duty shows at once */
    write_pin(b, b->test->pwm_pin, WPIN_LOW);
    told(b, "write ends PWM, and the first duty begins it at once", kept);
}

/* Behind a wire that turns levels over: on is low. A port may refuse that. */
static void turns_over(bench *b) {
    static const uint16_t duties[] = {0, 4096, 16384, 12288, 0};
    wpin_pwm_achieved achieved = {0};
    if (!start_pwm(b, true, &achieved)) {
        left_out(b, "inverted PWM");
        return;
    }
    bool kept = shows(b, b->test->pwm_pin);
    for (unsigned i = 0; i < sizeof duties / sizeof *duties; i++) {
        b->port->pwm_duty(b->port->context, b->test->pwm_pin, duties[i]);
        sample(b, b->test->pwm_pin, 2);
        sampled s = sample(b, b->test->pwm_pin, 20);
        bool level = duties[i] == 0 || duties[i] == 16384;
        kept = kept && near_share(s.total_us - s.high_us, s.total_us, duties[i]) &&
               (s.rises == 0) == level;
    }
    write_pin(b, b->test->pwm_pin, WPIN_LOW);
    kept = kept && !shows(b, b->test->pwm_pin);
    told(b, "inverted PWM is low for its share of the period", kept);
}

static void test_pwm(bench *b) {
    wpin_pwm_achieved achieved = {0};
    if (!b->test->has_pwm || b->port->pwm_start == NULL || b->port->pause == NULL) {
        left_out(b, "PWM");
        return;
    }
    if (!start_pwm(b, false, &achieved)) {
        told(b, "PWM starts on the pin given for it", false);
        return;
    }
    keeps_duty_and_frequency(b, &achieved);
    has_no_edges_at_the_ends(b);
    a_level_ends_pwm(b);
    turns_over(b);
}

/* ---- legs ---- */

static void leg_keeps_apart(bench *b) {
    static const char *const rule = "the two sides of a leg are never on together";
    const wpin_pin *leg = b->test->leg;
    wpin_pwm_request request = {.hz = b->test->pwm_hz, .dead_time_ns = b->test->dead_time_ns};
    wpin_pwm_achieved achieved = {0};
    if (!b->test->has_leg || b->port->leg_start == NULL || b->port->leg_duty == NULL) {
        left_out(b, rule);
        return;
    }
    bool kept =
        b->port->open(b->port->context, leg[0], WPIN_LOW) == WPIN_OK &&
        b->port->open(b->port->context, leg[1], WPIN_LOW) == WPIN_OK &&
        b->port->leg_start(b->port->context, leg[0], leg[1], &request, &achieved) == WPIN_OK;
    told(b, "the dead time achieved is no shorter than asked for",
         kept && achieved.dead_time_ns >= request.dead_time_ns);
    for (uint16_t duty = 0; kept && duty <= 16384; duty = (uint16_t)(duty + 2048)) {
        kept = b->port->leg_duty(b->port->context, leg[0], leg[1], duty) == WPIN_OK;
        for (unsigned i = 0; i < 2000 && kept; i++) {
            bool high = shows(b, leg[0]), low = shows(b, leg[1]);
            kept = !(high && low);
            wait_us(b, 1);
        }
    }
    write_pin(b, leg[0], WPIN_LOW);
    write_pin(b, leg[1], WPIN_LOW);
    told(b, rule, kept && !shows(b, leg[0]) && !shows(b, leg[1]));
}

/* ---- lock, and everything off ---- */

static void lock_nests(bench *b) {
    static const char *const rule = "lock nests, and the clock goes on under it";
    if (b->port->lock == NULL || b->port->unlock == NULL) {
        left_out(b, rule);
        return;
    }
    uint8_t outer = b->port->lock(b->port->context);
    uint8_t inner = b->port->lock(b->port->context);
    wpin_moment begin = now(b);
    bool kept = true;
    for (unsigned i = 0; i < 100; i++) {
        kept = kept && now(b) - begin < 100000;
    }
    b->port->unlock(b->port->context, inner);
    b->port->unlock(b->port->context, outer);
    told(b, rule, kept);
}

static const WPIN_FLASH wpin_row two_rows[] = {
    WPIN_ROW(WPIN_DRIVE_COAST, WPIN_CELL_LOW, WPIN_CELL_LOW),
    WPIN_ROW(WPIN_DRIVE_FORWARD, WPIN_CELL_HIGH, WPIN_CELL_LOW),
    WPIN_ROW(WPIN_DRIVE_REVERSE, WPIN_CELL_LOW, WPIN_CELL_HIGH)};
const WPIN_FLASH wpin_stage_table wpin_porttest_table = {
    .line_count = 2, .row_count = 3, .rows = two_rows};

/* One on the two pins, which are known only now: so in RAM. */
static const WPIN_FAR wpin_stage_config *stage_of_pins(const bench *b) {
#if defined(__AVR__)
    (void)b;
    return NULL;
#else
    static wpin_line lines[2];
    static wpin_stage_config config;
    lines[0].pin = b->test->pins[0];
    lines[1].pin = b->test->pins[1];
    config.table = &wpin_porttest_table;
    config.lines = lines;
    return &config;
#endif
}

/* Whether after it the two pins show nothing, whatever carried them before. */
static void off_is_off(bench *b) {
    static const char *const rule = "off turns every line off at once";
    const WPIN_FAR wpin_stage_config *config =
        b->test->stage != NULL ? b->test->stage : stage_of_pins(b);
    if (config == NULL) {
        left_out(b, rule);
        return;
    }
    static wpin_stage stage;
    bool kept = wpin_stage_open(&stage, config, b->port) == WPIN_OK;
    for (unsigned i = 0; i < 8; i++) {
        wpin_stage_apply(&stage, (i & 1U) != 0 ? WPIN_DRIVE_FORWARD : WPIN_DRIVE_REVERSE, 0);
        kept = kept && shows(b, b->test->pins[i & 1U ? 0 : 1]);
        wpin_stage_off(&stage);
        kept = kept && !shows(b, b->test->pins[0]) && !shows(b, b->test->pins[1]);
        kept = kept && wpin_stage_apply(&stage, WPIN_DRIVE_FORWARD, 0) == WPIN_REFUSED_FAULTED;
        kept = kept && wpin_stage_apply(&stage, WPIN_DRIVE_COAST, 0) == WPIN_OK;
    }
    kept = kept && wpin_stage_close(&stage) == WPIN_OK;
    told(b, rule, kept);
}

unsigned wpin_porttest_run(const wpin_porttest *test) {
    bench b = {.test = test, .port = test != NULL ? test->port : NULL};
    if (b.port == NULL) {
        return 1;
    }
    bool whole = b.port->now != NULL && b.port->open != NULL && b.port->write != NULL &&
                 (b.port->lock == NULL) == (b.port->unlock == NULL);
    told(&b, "now, open and write are there; lock and unlock both or neither", whole);
    if (!whole) {
        return b.broken;
    }
    clock_moves_on(&b);
    clock_never_runs_back(&b);
    lock_nests(&b);
    if (test->shows == NULL && b.port->read == NULL) {
        left_out(&b, "levels: the port reads no pins, and nobody else does");
        return b.broken;
    }
    opens_with_its_level(&b);
    shows_what_is_written(&b);
    writes_groups(&b);
    off_is_off(&b);
    test_pwm(&b);
    leg_keeps_apart(&b);
    return b.broken;
}
