/* The motor of tick.c written by hand: one loop for its pins, limits and rules and for nothing
 * else, as one would write it who has one motor and no library. It is what the core is measured
 * against. bench/agree.c shows that both do the same to the pins.
 *
 * Who includes it gives the hardware: hw_now(), hw_current(), hw_supply() (mV), hw_pwm(duty),
 * hw_lines(state), hw_dead_time(), hw_lock(), hw_unlock(state). What it leaves out: ramps of
 * a time asked for, time-outs beyond an hour, kicks, limit switches, regulators, lines that are
 * inverted or shared, ports that fail. */
#ifndef WPIN_BENCH_FUSED_H
#define WPIN_BENCH_FUSED_H

#include <stdbool.h>
#include <stdint.h>

enum { FUSED_COAST, FUSED_BRAKE, FUSED_FORWARD, FUSED_REVERSE };
enum { FUSED_RUN = 1, FUSED_STOP, FUSED_LET_GO, FUSED_SHORT };
enum { FUSED_OFF, FUSED_READY, FUSED_RAMPING, FUSED_RUNNING, FUSED_RESTING, FUSED_FAULT };
enum {
    FUSED_NO_FAULT,
    FUSED_LATE,
    FUSED_CLOCK,
    FUSED_SENSOR,
    FUSED_CURRENT,
    FUSED_SUPPLY,
    FUSED_TRIP
};
enum { FUSED_UNARMED, FUSED_ARMED, FUSED_ARMING };

/* 1/2^24 of full duty a microsecond, up and down: all of it in 2 s and in 1.5 s. */
#define FUSED_UP         ((uint32_t)((((uint64_t)1 << 38) + 1999999U) / 2000000U))
#define FUSED_DOWN       ((uint32_t)((((uint64_t)1 << 38) + 1499999U) / 1500000U))
#define FUSED_TICK_MAX   50000U
#define FUSED_PAUSE      1000U
#define FUSED_TRIP_MV    2400U
#define FUSED_TRIP_US    50000U
#define FUSED_LOW_MV     2250
#define FUSED_HIGH_MV    3750
#define FUSED_FIRST      8193U
#define FUSED_FIRST_US   2000000U
#define FUSED_NO_READING INT16_MIN

static struct fused {
    uint32_t at, value, pause_left, over, timeout;
    int16_t wanted, current, supply;
    uint16_t dt, duty;
    int8_t direction;
    uint8_t drive, stood;
    bool driven, first, wants, brakes, moved;
    volatile uint8_t armed, tripped, fault, mailed, shown;
    struct {
        uint8_t what;
        int16_t value;
        uint16_t at;
        uint32_t timeout;
    } mail;
} fused;

static void fused_init(void) {
    fused = (struct fused){.direction = 2, .pause_left = FUSED_PAUSE, .at = hw_now()};
}

static void fused_drop(bool brakes) {
    fused.wanted = 0;
    fused.wants = false;
    fused.brakes = brakes;
    fused.value = 0;
}

static void fused_latch(uint8_t cause) {
    fused.fault = fused.fault != FUSED_NO_FAULT ? fused.fault : cause;
    fused.armed = FUSED_UNARMED;
    fused_drop(false);
}

static void fused_measure(void) {
    uint32_t now = hw_now(), us = now - fused.at;
    fused.dt = (us >> 16) == 0 ? (uint16_t)us : (us > 0x7FFFFFFF ? 0 : UINT16_MAX);
    fused.at = now;
    fused.stood = fused.dt != 0 ? 0 : (uint8_t)(fused.stood + (fused.stood < UINT8_MAX));
    int16_t mv = hw_current();
    fused.current = mv;
    fused.supply = hw_supply();
}

static inline __attribute__((always_inline)) uint8_t fused_check(void) {
    if (fused.dt > FUSED_TICK_MAX) {
        return FUSED_LATE;
    }
    if (fused.stood >= 100) {
        return FUSED_CLOCK;
    }
    if (fused.current == FUSED_NO_READING || fused.supply == FUSED_NO_READING) {
        return FUSED_SENSOR;
    }
    uint16_t size = (uint16_t)(fused.current < 0 ? -fused.current : fused.current);
    if (size <= FUSED_TRIP_MV) {
        fused.over = 0;
    } else {
        fused.over = fused.over == 0 ? 1 : fused.over + fused.dt;
        if (fused.over > FUSED_TRIP_US) {
            return FUSED_CURRENT;
        }
    }
    return fused.supply > FUSED_HIGH_MV || fused.supply < FUSED_LOW_MV ? FUSED_SUPPLY
                                                                       : FUSED_NO_FAULT;
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
    if (what == FUSED_RUN) {
        timeout = fused.first && timeout > FUSED_FIRST_US ? FUSED_FIRST_US : timeout;
        fused.timeout = timeout > age ? timeout - age : 0;
    }
    fused.wanted = what == FUSED_RUN ? value : 0;
    fused.wants = fused.wanted != 0;
    fused.brakes = false;
}

/* Full scale in 2 s up, in 1.5 s down; nearer than an eighth of a step is there. */
static inline __attribute__((always_inline)) void fused_slew(uint16_t target, uint16_t hold) {
    uint32_t goal = (uint32_t)target << 16;
    if (fused.value == goal) {
        return;
    }
    bool up = goal > fused.value;
    uint32_t rate = up ? FUSED_UP : FUSED_DOWN;
    uint32_t move = (((uint32_t)(uint16_t)rate * hold) >> 8) + (((rate >> 16) * hold) << 8);
    uint32_t left = up ? goal - fused.value : fused.value - goal;
    if (left <= move || left - move < 8192U) {
        fused.value = goal;
    } else {
        fused.value = up ? fused.value + move : fused.value - move;
    }
}

static inline __attribute__((always_inline)) uint16_t fused_guard(uint16_t hold) {
    uint16_t target = 0;
    if (fused.wanted != 0) {
        int8_t direction = fused.wanted < 0 ? -1 : 1;
        target = (uint16_t)(fused.wanted < 0 ? -fused.wanted : fused.wanted);
        target = fused.first && target > FUSED_FIRST ? FUSED_FIRST : target;
        if (fused.direction == 0) {
            fused.direction = direction;
        } else if (fused.direction != direction) {
            target = 0;
        }
    }
    fused_slew(target, hold);
    uint16_t output = (uint16_t)(fused.value >> 16);
    if (output != 0) {
        fused.driven = true;
        fused.pause_left = FUSED_PAUSE;
    } else if (fused.driven) {
        fused.driven = false;
    } else if (fused.direction != 0 && target == 0) {
        bool over = fused.pause_left <= hold;
        fused.pause_left = over ? 0 : fused.pause_left - hold;
        fused.direction = over ? 0 : fused.direction;
    }
    return output;
}

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

static inline __attribute__((always_inline)) void fused_publish(uint16_t duty) {
    if (fused.driven && !fused.moved) {
        fused.moved = true;
    } else if (!fused.driven && !fused.wants && fused.moved) {
        fused.moved = false;
        fused.first = fused.fault != FUSED_NO_FAULT && fused.first;
    }
    uint16_t size = (uint16_t)(fused.wanted < 0 ? -fused.wanted : fused.wanted);
    fused.shown = fused.fault != FUSED_NO_FAULT  ? FUSED_FAULT
                  : fused.armed == FUSED_UNARMED ? FUSED_OFF
                  : fused.driven                 ? (duty == size ? FUSED_RUNNING : FUSED_RAMPING)
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
    if (fused.wants) {
        if (fused.timeout <= fused.dt) {
            fused.wanted = 0;
            fused.wants = false;
        } else {
            fused.timeout -= fused.dt;
        }
    }
    if (fused.mailed != 0) {
        fused_take();
    }
    uint16_t hold = fused.dt > FUSED_TICK_MAX ? FUSED_TICK_MAX : fused.dt;
    uint16_t duty = fused_guard(hold);
    fused_put(duty);
    fused_publish(duty);
}

/* Whether its time-out would be over before it may turn that way. */
static bool fused_never_starts(int16_t value, uint32_t timeout) {
    bool turns = value != 0 && fused.direction != 0 && (value < 0 ? -1 : 1) != fused.direction;
    return turns && timeout <= (fused.pause_left + 999U) / 1000U * 1000U;
}

static bool fused_post(uint8_t what, int16_t value, uint32_t timeout) {
    if (what == FUSED_RUN && fused_never_starts(value, timeout)) {
        return false;
    }
    if (fused.fault != FUSED_NO_FAULT || fused.armed == FUSED_UNARMED || value > 16384 ||
        value < -16384) {
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

/* From any context: off at once, latched with the next tick. */
static void fused_trip(void) {
    uint8_t state = hw_lock();
    fused.tripped = fused.tripped != FUSED_NO_FAULT ? fused.tripped : FUSED_TRIP;
    hw_pwm(0);
    hw_unlock(state);
}

static void fused_clear(void) {
    fused.fault = fused.tripped = FUSED_NO_FAULT;
    fused.over = 0;
    fused.first = true;
}

#endif
