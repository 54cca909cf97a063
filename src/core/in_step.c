/* Two motors in step by their counts. */
#include "windpin/in_step.h"
#include "windpin/impl/steady_guard.h"
#include <stddef.h>

/* Within the speeds there are, and not the other way. */
static int16_t within(int32_t speed, bool reverse) {
    int32_t size = reverse ? -speed : speed;
    size = size < 0 ? 0 : (size > WPIN_DUTY_FULL ? WPIN_DUTY_FULL : size);
    return (int16_t)(reverse ? -size : size);
}

void wpin_in_step_begin(wpin_in_step *pair, int32_t a, int32_t b) {
    pair->apart = (int32_t)((uint32_t)a - (uint32_t)b);
}

bool wpin_in_step_trim(const wpin_in_step *pair, int32_t a, int32_t b, int16_t speed,
                       int16_t *a_speed, int16_t *b_speed) {
    const wpin_in_step_config *c = pair->config;
    uint32_t apart = (uint32_t)a - (uint32_t)b - (uint32_t)pair->apart;
    bool ahead = apart <= INT32_MAX; /* a is, in counts */
    uint32_t size = ahead ? apart : 0U - apart;
    uint16_t counts = size > UINT16_MAX ? UINT16_MAX : (uint16_t)size;
    *a_speed = *b_speed = 0;
    if (c->too_far != 0 && counts >= c->too_far) {
        return false;
    }
    if (speed != 0) {
        uint32_t trim = wpin_steady_product(c->gain, counts) >> 8;
        int32_t half = (int32_t)((trim < c->most ? trim : c->most) >> 1);
        *a_speed = within(speed + (ahead ? -half : half), speed < 0);
        *b_speed = within(speed + (ahead ? half : -half), speed < 0);
    }
    return true;
}
