/* What the files of the motor share. */
#ifndef WPIN_CORE_MOTOR_CORE_H
#define WPIN_CORE_MOTOR_CORE_H

#include "countdown.h"
#include "rare.h"
#include "windpin/impl/lock.h"
#include "windpin/impl/steady.h"

/* wpin_request.what: verb, quantity of the set-point, and whether the ramp's time was not asked
 * for. */
enum {
    WPIN_VERB_RUN,
    WPIN_VERB_STOP,
    WPIN_VERB_COAST,
    WPIN_VERB_BRAKE,
    WPIN_VERB_CALIBRATE,
    WPIN_VERB_REFRESH
};
#define WPIN_VERB_MASK      ((uint8_t)7)
#define WPIN_QUANTITY_SHIFT 3
#define WPIN_UNASKED        ((uint8_t)128)

/* The size of a number; of the most negative one too. */
static inline uint32_t wpin_magnitude(int32_t value) {
    return value < 0 ? 0U - (uint32_t)value : (uint32_t)value;
}

static inline bool wpin_motor_is_open(const wpin_motor *motor) {
    return motor != NULL && motor->config != NULL && motor->port != NULL;
}

/* Takes the mail at once, in the same control period, where there is any. Tick. */
void wpin_motor_take(wpin_motor *motor);

/* Milliseconds of the reversal pause that may still be before it, rounded up. */
uint32_t wpin_motor_pause_ms(const wpin_motor *motor);

#endif
