/* The zero of a current sense, learnt while nothing can flow. */
#include "windpin/zero.h"
#include "windpin/impl/regulate.h"
#include "windpin/impl/steady.h"
#include <stddef.h>

#define FAR_OFF  16 /* readings in a row that make a zero none */
#define SMOOTH   6  /* in the end it is learnt over so many powers of two of readings */
#define PART     ((int32_t)256)
#define WHOLE_US ((uint32_t)1000)

static bool rests(const WPIN_FAR wpin_zero_config *c) {
    wpin_drive shows = wpin_stage_drive(c->stage);
    return shows == WPIN_DRIVE_COAST || (shows == WPIN_DRIVE_BRAKE && c->at_brake);
}

/* Whether it has been at rest for long enough. */
static bool has_settled(wpin_zero *z, const WPIN_FAR wpin_zero_config *c,
                        const wpin_measurement *m) {
    uint32_t settle_us = c->settle_ms * WHOLE_US;
    if (!rests(c)) {
        z->rest_us = 0;
    } else if (z->rest_us < settle_us) {
        z->rest_us += m->dt_us;
    }
    return z->rest_us >= settle_us;
}

/* The first reading as it is, later ones ever more smoothed. */
static void learn(wpin_zero *z, const WPIN_FAR wpin_zero_config *c, int16_t mv) {
    int32_t most = c->most_mv;
    if (mv > most || mv < -most) {
        z->far_off = (uint8_t)(z->far_off + (z->far_off < FAR_OFF));
        return;
    }
    z->far_off = 0;
    uint8_t smooth = (uint8_t)(z->learnt == 0 ? 0 : 1U + (z->learnt >> 3));
    smooth = smooth > SMOOTH ? SMOOTH : smooth;
    z->off = wpin_within(z->off, INT16_MAX * PART);
    int32_t by = mv * PART - z->off;
    z->off += smooth == 0 ? by : wpin_halved(by, smooth);
    z->learnt = (uint8_t)(z->learnt + (z->learnt < UINT8_MAX));
}

void wpin_zero_measure(void *zero, wpin_measurement *m) {
    wpin_zero *z = zero;
    if (z == NULL || z->config == NULL) {
        return;
    }
    const WPIN_FAR wpin_zero_config *c = z->config;
    bool settled = has_settled(z, c, m);
    if ((m->valid & WPIN_HAS_CURRENT) != 0) {
        if (settled) {
            learn(z, c, m->current);
        }
        m->current = wpin_steady_minus(m->current, wpin_zero_millivolts(z));
    }
    if (z->far_off >= FAR_OFF) {
        m->valid &= (uint8_t)~WPIN_HAS_CURRENT;
    }
    if (c->more != NULL) {
        c->more(c->context, m);
    }
}

void wpin_zero_set_position(void *zero, int32_t position) {
    const wpin_zero *z = zero;
    if (z != NULL && z->config != NULL && z->config->place != NULL) {
        z->config->place(z->config->context, position);
    }
}

int16_t wpin_zero_millivolts(const wpin_zero *zero) {
    return zero == NULL ? 0 : (int16_t)wpin_halved(wpin_within(zero->off, INT16_MAX * PART), 8);
}
