/* The motor of loop.c written by hand, its speed regulated by an encoder that is counted, its
 * current limited: one loop for its pins, gains, limits and rules and for nothing else, as one
 * would write it who has one motor and no library. What fused.h says of itself holds of this too.
 *
 * Who includes it gives the hardware: hw_now(), hw_current() (mV), hw_count(&counts) (false: it
 * failed), hw_pwm(duty), hw_lines(state), hw_dead_time(), hw_lock(), hw_unlock(state). */
#ifndef WPIN_BENCH_FUSED_LOOP_H
#define WPIN_BENCH_FUSED_LOOP_H

#include <stdbool.h>
#include <stdint.h>

enum { FUSED_COAST, FUSED_BRAKE, FUSED_FORWARD, FUSED_REVERSE };
enum { FUSED_RUN = 1, FUSED_STOP, FUSED_LET_GO, FUSED_SHORT };
enum { FUSED_OFF, FUSED_READY, FUSED_RAMPING, FUSED_RUNNING, FUSED_RESTING, FUSED_FAULT };
enum { FUSED_NO_FAULT, FUSED_LATE, FUSED_CLOCK, FUSED_SENSOR, FUSED_TRIP };
enum { FUSED_UNARMED, FUSED_ARMED, FUSED_ARMING };
/* Why less is given than was asked for. */
enum { FUSED_LIMITED = 1, FUSED_TURNS = 2, FUSED_LAGS = 4 };

#define FUSED_FULL       16384
#define FUSED_UP         ((uint32_t)((((uint64_t)1 << 38) + 1999999U) / 2000000U))
#define FUSED_DOWN       ((uint32_t)((((uint64_t)1 << 38) + 1499999U) / 1500000U))
#define FUSED_FOLLOWS    ((uint32_t)((((uint64_t)1 << 38) + 19999U) / 20000U))
#define FUSED_TICK_MAX   50000U
#define FUSED_PAUSE      1000U
#define FUSED_STILL      160U
#define FUSED_LIMIT_MV   1600U
#define FUSED_LIMIT_GAIN 2
#define FUSED_FIRST      8193U
#define FUSED_FIRST_US   2000000U
#define FUSED_HELD       UINT32_MAX
#define FUSED_NO_READING INT16_MIN
#define FUSED_PER_COUNT  2048000 /* speed x us, of 8000 counts a second at full speed */
#define FUSED_COUNTS_MAX 262
#define FUSED_STANDS     200
#define FUSED_LAG_MAX    (((int32_t)1 << 29) - 65536)
#define FUSED_LONG_US    16384U
#define FUSED_FEED       14000
#define FUSED_FRICTION   900
#define FUSED_GAIN       800
#define FUSED_INTEGRAL   1100
#define FUSED_NEAR       164
#define FUSED_FAR        (4 * FUSED_NEAR)

#if defined(__AVR__)
#define FUSED_HIDE(value) __asm__("" : "+r"(value)) /* or the compiler multiplies 32 bits */
#else
#define FUSED_HIDE(value) ((void)(value))
#endif

static struct fused {
    uint32_t at, value, pause_left, timeout;
    int32_t lag, fine, sum, off, position;
    int16_t current, speed, wanted, asked, last;
    uint16_t dt, duty, asked_part, ceiling, last_count;
    int8_t direction;
    uint8_t drive, stood, left, held, back;
    bool driven, first, wants, regulates, brakes, moved, measured, settled;
    volatile uint8_t armed, tripped, fault, mailed, shown;
    struct {
        uint8_t what;
        int16_t value;
        uint16_t at;
        uint32_t timeout;
    } mail;
} fused;

static inline __attribute__((always_inline)) int32_t fused_times(int16_t a, uint16_t b) {
    FUSED_HIDE(b);
    return a * (int32_t)b;
}

/* a - b and a + b, as far as 16 and 32 bits go. */
static inline __attribute__((always_inline)) int16_t fused_minus(int16_t a, int16_t b) {
    uint16_t d = (uint16_t)((uint16_t)a - (uint16_t)b);
    bool over = (int16_t)(((uint16_t)a ^ (uint16_t)b) & ((uint16_t)a ^ d)) < 0;
    return over ? (a < 0 ? INT16_MIN : INT16_MAX) : (int16_t)d;
}

static inline __attribute__((always_inline)) int32_t fused_sum(int32_t a, int32_t b) {
    uint32_t s = (uint32_t)a + (uint32_t)b;
    uint8_t of_a = (uint8_t)((uint32_t)a >> 24), of_b = (uint8_t)((uint32_t)b >> 24);
    uint8_t of_s = (uint8_t)(s >> 24);
    bool over = ((of_a ^ of_s) & (of_b ^ of_s) & 0x80) != 0;
    return over ? (a < 0 ? INT32_MIN : INT32_MAX) : (int32_t)s;
}

static inline __attribute__((always_inline)) int16_t fused_upper(int32_t value) {
    return (int16_t)(uint16_t)((uint32_t)value >> 16);
}

static inline __attribute__((always_inline)) uint16_t fused_size(int16_t value) {
    return (uint16_t)(value < 0 ? 0U - (uint16_t)value : (uint16_t)value);
}

static inline __attribute__((always_inline)) int32_t fused_within(int32_t value, int32_t most) {
    return value > most ? most : (value < -most ? -most : value);
}

static void fused_init(void) {
    uint16_t count = 0;
    hw_count(&count);
    fused = (struct fused){.direction = 2,
                           .pause_left = FUSED_PAUSE,
                           .ceiling = FUSED_FULL,
                           .last_count = count,
                           .left = 1,
                           .at = hw_now()};
}

static void fused_drop(bool brakes) {
    fused.wanted = 0;
    fused.wants = fused.regulates = false;
    fused.brakes = brakes;
    fused.value = 0;
}

static void fused_latch(uint8_t cause) {
    fused.fault = fused.fault != FUSED_NO_FAULT ? fused.fault : cause;
    fused.armed = FUSED_UNARMED;
    fused_drop(false);
}

/* ---- measuring ---- */

/* A step too long for the loop below. */
static __attribute__((noinline)) void fused_track_long(int32_t counted) {
    int32_t lag = (fused.lag >> 2) + (counted >> 2) - fused_times(fused.speed, fused.dt >> 2);
    fused.lag = 0;
    if (fused.dt != UINT16_MAX) {
        fused.fine = fused_sum(fused.fine, (fused_within(lag, FUSED_LAG_MAX) >> 2) * 4);
    }
    fused.speed = fused_upper(fused.fine);
}

/* A place that goes on at the speed measured; what the counts are further corrects both. */
static inline __attribute__((always_inline)) void fused_track(int32_t counted) {
    int32_t lag = fused.lag + counted - fused_times(fused.speed, fused.dt);
    lag = fused_within(lag, FUSED_LAG_MAX);
    fused.fine = fused_sum(fused.fine, lag);
    fused.speed = fused_upper(fused.fine);
    fused.lag = lag - (lag >> 2);
}

static inline __attribute__((always_inline)) void fused_measure(void) {
    uint32_t now = hw_now(), us = now - fused.at;
    fused.dt = (us >> 16) == 0 ? (uint16_t)us : (us > 0x7FFFFFFF ? 0 : UINT16_MAX);
    fused.at = now;
    fused.stood = fused.dt != 0 ? 0 : (uint8_t)(fused.stood + (fused.stood < UINT8_MAX));
    fused.current = hw_current();
    uint16_t count;
    fused.measured = hw_count(&count);
    if (!fused.measured) {
        return;
    }
    int16_t counts = (int16_t)(uint16_t)(count - fused.last_count);
    fused.last_count = count;
    int16_t edges = counts;
    if (counts != 0 && (counts < 0) != fused.back) {
        fused.back = counts < 0;
        edges = (int16_t)(fused.back ? counts + 1 : counts - 1);
    }
    int16_t most = edges;
    if ((uint16_t)(most + FUSED_COUNTS_MAX) > 2 * FUSED_COUNTS_MAX) {
        most = edges < 0 ? -FUSED_COUNTS_MAX : FUSED_COUNTS_MAX;
    }
    if (fused.dt < FUSED_LONG_US) {
        fused_track(most * (int32_t)FUSED_PER_COUNT);
    } else {
        fused_track_long(most * (int32_t)FUSED_PER_COUNT);
    }
    fused.position = (int32_t)((uint32_t)fused.position + (uint32_t)(int32_t)counts);
    if (edges != 0) {
        fused.left = FUSED_STANDS;
    } else if (fused.left > 1) {
        fused.left--;
    } else {
        fused.lag = fused.fine = 0;
        fused.speed = 0;
    }
}

static inline __attribute__((always_inline)) uint8_t fused_check(void) {
    if (fused.dt > FUSED_TICK_MAX) {
        return FUSED_LATE;
    }
    if (fused.stood >= 100) {
        return FUSED_CLOCK;
    }
    return fused.current == FUSED_NO_READING || !fused.measured ? FUSED_SENSOR : FUSED_NO_FAULT;
}

static __attribute__((noinline)) void fused_unarmed(void) {
    if (fused.tripped != FUSED_NO_FAULT) {
        fused_latch(fused.tripped);
    }
    if (fused.armed == FUSED_UNARMED || fused.fault != FUSED_NO_FAULT) {
        fused_drop(false);
        return;
    }
    uint16_t dt = fused.dt; /* what was not armed before is not late */
    fused.dt = dt > FUSED_TICK_MAX ? FUSED_TICK_MAX : dt;
    uint8_t cause = fused_check();
    fused.dt = dt;
    if (cause != FUSED_NO_FAULT) {
        fused_latch(cause);
        return;
    }
    fused.armed = FUSED_ARMED;
    fused_drop(false);
}

/* ---- regulating ---- */

static inline __attribute__((always_inline)) int16_t fused_given(void) {
    return (int16_t)(fused.drive == FUSED_REVERSE ? -(int16_t)fused.duty : (int16_t)fused.duty);
}

static inline __attribute__((always_inline)) int32_t fused_forward(int16_t speed) {
    int32_t against = speed > 0 ? FUSED_FRICTION : -FUSED_FRICTION;
    return speed == 0 ? 0 : fused_upper(fused_times(speed, 2 * FUSED_FEED) * 2) + against;
}

/* Begins with what is given, so that nothing jumps. */
static void fused_begin(void) {
    int16_t given = fused_given();
    int16_t now = (int16_t)(fused.measured ? fused_within(fused.speed, FUSED_FULL) : 0);
    int32_t rest = fused.measured && given != 0 ? given - fused_forward(now) : 0;
    fused.sum = fused_within(rest, FUSED_FULL - 1) * 65536;
    fused.last = given;
    fused.asked = now;
    fused.asked_part = 0;
}

static inline __attribute__((always_inline)) bool fused_winds_up(int16_t error) {
    int16_t given = fused_given();
    uint8_t held = fused.held;
    int32_t more = (int32_t)given - fused.last;
    if (fused.last != 0 && (error > 0) == (fused.last > 0)) {
        bool far = more > FUSED_FULL / 8 || more < -FUSED_FULL / 8;
        return ((held & FUSED_LAGS) != 0 && far) || (held & (FUSED_LIMITED | FUSED_TURNS)) != 0;
    }
    return given != fused.last && (held & FUSED_LAGS) == 0 &&
           (given > 0 ? error < 0 && more > FUSED_FULL / 64
                      : given < 0 && error > 0 && more < -FUSED_FULL / 64);
}

static inline __attribute__((always_inline)) int16_t fused_regulate(int16_t asked) {
    int16_t error = fused_minus(asked, fused.speed);
    int32_t output = fused_forward(asked) + (fused_times(error, FUSED_GAIN) >> 8);
    bool along = (asked > 0 && fused.speed > 0) || (asked < 0 && fused.speed < 0);
    if ((fused.held & FUSED_TURNS) != 0 && !along) {
        fused.sum = 0;
    } else if (!fused_winds_up(error)) {
        fused.sum = fused_within(fused.sum + fused_times(error, FUSED_INTEGRAL),
                                 FUSED_FULL * (int32_t)65536 - 1);
    }
    fused.last = (int16_t)fused_within(output + fused_upper(fused.sum), FUSED_FULL);
    return fused.last;
}

static inline __attribute__((always_inline)) uint32_t fused_step(uint32_t value, uint32_t goal,
                                                                 uint32_t rate, uint16_t us) {
    uint32_t move = (((uint32_t)(uint16_t)rate * us) >> 8) + (((rate >> 16) * us) << 8);
    uint32_t left = value < goal ? goal - value : value - goal;
    if (left <= move || left - move < 8192U) {
        return goal;
    }
    return value < goal ? value + move : value - move;
}

#define FUSED_HARDLY (FUSED_FULL / 64)

/* The set-point on its way, through zero if it turns over, where it waits for a shaft that lags
 * behind. True: it is to rest, has come there, and nothing holds the shaft up under effort. */
static __attribute__((noinline)) bool fused_ramp(void) {
    int16_t target = fused.wanted, now = fused.asked, given = fused_given();
    bool on = fused.measured && fused.speed > FUSED_HARDLY;
    bool back = fused.measured && fused.speed < -FUSED_HARDLY;
    bool lags = (on && target < 0 && now <= 0) || (back && target > 0 && now >= 0);
    bool faster = (fused.direction == 1 && target > now) || (fused.direction == -1 && target < now);
    bool waits = target != 0 && (((fused.held & FUSED_TURNS) != 0 && !faster) || lags);
    if (!waits && (now != target || fused.asked_part != 0)) {
        bool over = (now > 0 && target < 0) || (now < 0 && target > 0);
        uint16_t size = fused_size(now), goal = over ? 0 : fused_size(target);
        uint32_t value = ((uint32_t)size << 16) | fused.asked_part;
        uint16_t us = fused.dt < FUSED_TICK_MAX ? fused.dt : FUSED_TICK_MAX;
        value = fused_step(value, (uint32_t)goal << 16, goal > size ? FUSED_UP : FUSED_DOWN, us);
        int16_t come = (int16_t)(value >> 16);
        fused.asked = now < 0 || (now == 0 && target < 0) ? (int16_t)-come : come;
        fused.asked_part = (uint16_t)value;
    }
    return target == 0 && fused.asked == 0 && !((on && given > 0) || (back && given < 0));
}

static inline __attribute__((always_inline)) int16_t fused_effort(void) {
    bool there = fused.asked != 0 && fused.asked == fused.wanted && fused.asked_part == 0;
    if (!there && fused_ramp()) {
        fused.wanted = 0;
        fused.wants = fused.regulates = false;
        return 0;
    }
    return fused_regulate(fused.asked);
}

/* ---- the rules ---- */

static __attribute__((noinline)) void fused_take(void) {
    uint8_t state = hw_lock();
    uint8_t what = fused.mail.what;
    int16_t value = fused.mail.value;
    uint16_t age = (uint16_t)((uint16_t)fused.at - fused.mail.at);
    uint32_t timeout = fused.mail.timeout;
    fused.mailed = 0;
    hw_unlock(state);
    age = fused.dt == UINT16_MAX ? UINT16_MAX : (age > fused.dt ? 0 : age);
    if (fused.armed == FUSED_UNARMED) {
        return;
    }
    if (what == FUSED_LET_GO || what == FUSED_SHORT) {
        fused_drop(what == FUSED_SHORT);
        return;
    }
    fused.brakes = false;
    if (what == FUSED_STOP) {
        fused.wanted = 0;
        fused.wants = fused.wants && fused.regulates;
        fused.timeout = FUSED_HELD;
        return;
    }
    timeout = fused.first && timeout > FUSED_FIRST_US ? FUSED_FIRST_US : timeout;
    fused.timeout = timeout > age ? timeout - age : 0;
    if (!fused.wants || !fused.regulates) {
        fused_begin();
    }
    if (!fused.wants || fused.wanted != value) {
        fused.off = (value < fused.speed ? -FUSED_FULL : FUSED_FULL) * (int32_t)512;
    }
    fused.wanted = value;
    fused.wants = fused.regulates = true;
}

/* Too much current lowers the ceiling, tick by tick; it rises again. */
static __attribute__((noinline)) void fused_ceiling(void) {
    int32_t room = (int32_t)FUSED_LIMIT_MV - fused_size(fused.current);
    int32_t ceiling = fused.ceiling + fused_within(room * FUSED_LIMIT_GAIN, FUSED_FULL);
    fused.ceiling = (uint16_t)(ceiling > FUSED_FULL ? FUSED_FULL : (ceiling < 0 ? 0 : ceiling));
}

/* It may turn the other way once it stands. */
static __attribute__((noinline)) void fused_rest(uint16_t hold) {
    if (fused.measured && fused_size(fused.speed) > FUSED_STILL) {
        fused.pause_left = FUSED_PAUSE;
        return;
    }
    uint16_t step = fused.measured ? hold : hold / 4U;
    bool over = fused.pause_left <= step;
    fused.pause_left = over ? 0 : fused.pause_left - step;
    fused.direction = over ? 0 : fused.direction;
}

static inline __attribute__((always_inline)) void fused_slew(uint16_t target, uint16_t hold) {
    uint32_t goal = (uint32_t)target << 16;
    if (fused.value == goal) {
        return;
    }
    uint16_t now = (uint16_t)(fused.value >> 16), left = target > now ? target - now : now - target;
    uint32_t rate = goal > fused.value ? FUSED_UP : FUSED_DOWN;
    if (fused.regulates) {
        rate = FUSED_FOLLOWS;
    }
    if (!fused.regulates || left >= ((uint32_t)(uint16_t)(rate >> 16) * hold) >> 8) {
        uint32_t value = fused_step(fused.value, goal, rate, hold);
        fused.held |= value != goal ? FUSED_LAGS : 0;
        goal = value;
    }
    fused.value = (uint16_t)(goal >> 16) >= fused.ceiling ? (uint32_t)fused.ceiling << 16 : goal;
}

static inline __attribute__((always_inline)) uint16_t fused_guard(int16_t effort, uint16_t hold) {
    uint16_t target = 0;
    fused.held = 0;
    if (fused.ceiling != FUSED_FULL || fused_size(fused.current) > FUSED_LIMIT_MV) {
        fused_ceiling();
    }
    if (effort != 0) {
        int8_t direction = effort < 0 ? -1 : 1;
        target = fused_size(effort);
        if (fused.first && target > FUSED_FIRST) {
            target = FUSED_FIRST;
            fused.held = FUSED_LIMITED;
        }
        if (target > fused.ceiling) {
            target = fused.ceiling;
            fused.held = FUSED_LIMITED;
        }
        if (fused.direction == 0) {
            fused.direction = target != 0 ? direction : 0;
        } else if (fused.direction != direction) {
            target = 0;
            fused.held |= FUSED_TURNS;
        }
    }
    fused_slew(target, hold);
    uint16_t output = (uint16_t)(fused.value >> 16);
    if (output != 0) {
        if (!fused.driven) {
            fused.driven = true;
            fused.pause_left = FUSED_PAUSE;
            fused.brakes = false;
        }
    } else if (fused.driven) {
        fused.driven = false;
    } else if (fused.direction != 0 && target == 0) {
        fused_rest(hold);
    }
    return output;
}

/* Whether the mean of how far it is off is small enough. */
static inline __attribute__((always_inline)) void fused_settle(void) {
    int16_t off = fused_minus(fused.wanted, fused.speed);
    off = off > FUSED_FAR ? FUSED_FAR : (off < -FUSED_FAR ? -FUSED_FAR : off);
    if ((uint32_t)fused.off + FUSED_FAR * 256UL > 2 * FUSED_FAR * 256UL) {
        fused.off = (fused.off < 0 ? -FUSED_FAR : FUSED_FAR) * (int32_t)256;
    } else {
        fused.off -= (fused.off * 4) >> 8;
    }
    fused.off += off * (int32_t)4;
    fused.settled = (uint32_t)fused.off + FUSED_NEAR * 256UL <= 2 * FUSED_NEAR * 256UL;
}

/* ---- the pins ---- */

/* Another row: PWM off, dead time, the lines, dead time, PWM. */
static __attribute__((noinline)) void fused_change(uint8_t drive, uint16_t duty) {
    hw_pwm(0);
    hw_dead_time();
    hw_lines(drive);
    if (duty != 0) {
        hw_dead_time();
        hw_pwm(duty);
    }
    fused.drive = drive;
    fused.duty = duty;
}

static inline __attribute__((always_inline)) void fused_put(uint16_t duty) {
    uint8_t drive = duty == 0 ? (fused.brakes ? FUSED_BRAKE : FUSED_COAST)
                              : (fused.direction < 0 ? FUSED_REVERSE : FUSED_FORWARD);
    if (drive != fused.drive) {
        fused_change(drive, duty);
    } else if (duty != fused.duty) {
        uint8_t state = hw_lock();
        if (fused.tripped == FUSED_NO_FAULT) {
            fused.duty = duty;
            hw_pwm(duty);
        }
        hw_unlock(state);
    }
}

static inline __attribute__((always_inline)) void fused_publish(void) {
    if (fused.driven && !fused.moved) {
        fused.moved = true;
    } else if (!fused.driven && !fused.wants && fused.moved) {
        fused.moved = false;
        fused.first = fused.fault != FUSED_NO_FAULT && fused.first;
    }
    bool there = fused.settled && fused.wants && (fused.held & (FUSED_LAGS | FUSED_TURNS)) == 0;
    fused.shown = fused.fault != FUSED_NO_FAULT  ? FUSED_FAULT
                  : fused.armed == FUSED_UNARMED ? FUSED_OFF
                  : fused.driven                 ? (there ? FUSED_RUNNING : FUSED_RAMPING)
                  : fused.direction != 0         ? FUSED_RESTING
                                                 : FUSED_READY;
}

static void fused_tick(void) {
    fused_measure();
    if (fused.armed != FUSED_ARMED || fused.tripped != FUSED_NO_FAULT ||
        fused.fault != FUSED_NO_FAULT) {
        fused_unarmed();
    } else {
        uint8_t cause = fused_check();
        if (cause != FUSED_NO_FAULT) {
            fused_latch(cause);
        }
    }
    if (fused.wants && fused.timeout != FUSED_HELD) {
        if (fused.timeout <= fused.dt) {
            fused.wanted = 0;
            fused.wants = fused.regulates = false;
        } else {
            fused.timeout -= fused.dt;
        }
    }
    if (fused.mailed != 0) {
        fused_take();
    }
    uint16_t hold = fused.dt > FUSED_TICK_MAX ? FUSED_TICK_MAX : fused.dt;
    int16_t effort = 0;
    if (fused.regulates) {
        effort = fused_effort();
    }
    uint16_t duty = fused_guard(effort, hold);
    if (fused.regulates) {
        fused_settle();
    }
    fused_put(duty);
    fused_publish();
}

/* ---- from any context ---- */

static bool fused_post(uint8_t what, int16_t value, uint32_t timeout) {
    if (fused.fault != FUSED_NO_FAULT || fused.armed == FUSED_UNARMED || value > FUSED_FULL ||
        value < -FUSED_FULL) {
        return false;
    }
    uint16_t now = (uint16_t)hw_now();
    uint8_t state = hw_lock();
    fused.mail.what = what;
    fused.mail.value = value;
    fused.mail.timeout = timeout;
    fused.mail.at = now;
    fused.mailed = 1;
    hw_unlock(state);
    return true;
}

static void fused_arm(void) {
    if (fused.fault == FUSED_NO_FAULT && fused.armed == FUSED_UNARMED) {
        fused.armed = FUSED_ARMING;
    }
}

/* Off at once, latched with the next tick. */
static void fused_trip(void) {
    uint8_t state = hw_lock();
    fused.tripped = fused.tripped != FUSED_NO_FAULT ? fused.tripped : FUSED_TRIP;
    hw_pwm(0);
    hw_unlock(state);
}

static void fused_clear(void) {
    fused.fault = fused.tripped = FUSED_NO_FAULT;
    fused.first = true;
}

#endif
