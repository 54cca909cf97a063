/* A port whose pins are told: each call with its moment in microseconds. Readings say that nothing
 * is connected. */
#include "reported.h"

enum { TICK_US = 1000 };
uint32_t chip_period_us = TICK_US;
volatile uint32_t chip_ticked_us;
static uint32_t since_tick_us;
static volatile uint8_t due;
static uint8_t level_of[32]; /* as written last, for reading it back */

void chip_period_over(void) {
    chip_ticked_us += chip_period_us;
    since_tick_us += chip_period_us;
    if (since_tick_us >= TICK_US) {
        since_tick_us = 0;
        due = 1;
    }
    if (chip_period_us < TICK_US) {
        chip_fast();
    }
}

void chip_await_tick(void) {
    while (due == 0) {
        uint8_t state = chip_lock(NULL);
        if (due == 0) {
            chip_doze();
        }
        chip_unlock(NULL, state);
    }
    due = 0;
}

static char *put_number(char *at, uint32_t value) {
    char digits[10];
    uint8_t count = 0;
    do {
        digits[count++] = (char)('0' + value % 10);
        value /= 10;
    } while (value != 0);
    while (count > 0) {
        *at++ = digits[--count];
    }
    return at;
}

/* A line: moment, what, number, value. */
static void report(const char *what, uint32_t number, int32_t value) {
    char line[64], *at = put_number(line, chip_now(NULL));
    *at++ = ' ';
    while (*what != '\0') {
        *at++ = *what++;
    }
    *at++ = ' ';
    at = put_number(at, number);
    *at++ = ' ';
    if (value < 0) {
        *at++ = '-';
    }
    at = put_number(at, (uint32_t)(value < 0 ? -value : value));
    *at++ = '\n';
    *at = '\0';
    chip_tell(line);
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    uint8_t state = chip_lock(context);
    level_of[pin & 31U] = (uint8_t)level;
    report("level", pin, (int32_t)level);
    chip_unlock(context, state);
    return WPIN_OK;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = WPIN_DUTY_FULL};
    return request->centred ? WPIN_REFUSED_FREQUENCY : WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    uint8_t state = chip_lock(context);
    report("duty", pin, duty);
    chip_unlock(context, state);
    return WPIN_OK;
}

static bool read_pin(void *context, wpin_pin pin) {
    (void)context;
    return level_of[pin & 31U] == WPIN_HIGH;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context, (void)input;
    return 0;
}

static wpin_status count(void *context, uint8_t counter, wpin_count *to) {
    (void)counter;
    *to = (wpin_count){.at = chip_now(context)};
    return WPIN_OK;
}

static void pause_us(void *context, uint32_t us) {
    wpin_moment begun = chip_now(context);
    while (chip_now(context) - begun < us) {
    }
}

const wpin_port chip_port = {.now = chip_now,
                             .open = write_pin,
                             .write = write_pin,
                             .pwm_start = pwm_start,
                             .pwm_duty = pwm_duty,
                             .read = read_pin,
                             .millivolts = millivolts,
                             .count = count,
                             .pause = pause_us,
                             .lock = chip_lock,
                             .unlock = chip_unlock};

void chip_listen(wpin_pin pin) {
    (void)pin;
}

void chip_count(uint8_t counter, wpin_pin a, wpin_pin b) {
    (void)counter, (void)a, (void)b;
}

void chip_record(wpin_duty duty) {
    report("record", 0, duty);
}

void chip_end(const char *code) {
    report(code, 0, 0);
    chip_off();
}
