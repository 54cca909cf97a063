/* A sensor that sets a duty by a table of places, with play against noise. */
#include "windpin/input.h"
#include <stddef.h>

wpin_status wpin_curve_init(wpin_curve *curve, const wpin_curve_config *config) {
    if (curve == NULL || config == NULL || config->points == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    bool good = config->count >= 2 && config->count <= 16;
    for (uint8_t i = 0; good && i < config->count; i++) {
        const wpin_curve_point *p = &config->points[i];
        good = p->duty <= WPIN_DUTY_FULL && p->duty >= -WPIN_DUTY_FULL &&
               (i == 0 || p->millivolts > p[-1].millivolts);
    }
    *curve = (wpin_curve){.config = good ? config : NULL};
    return good ? WPIN_OK : WPIN_REFUSED_RANGE;
}

/* On the straight line between two places. A rise of up to 32768 over up to 65535 mV: taken in two
 * steps of 8 bits, each fits 32 bits. */
static wpin_duty between(const wpin_curve_point *from, const wpin_curve_point *to, int32_t mv) {
    int32_t part = mv - from->millivolts, whole = (int32_t)to->millivolts - from->millivolts;
    if (part <= 0 || part >= whole) { /* at an end of it */
        return part <= 0 ? from->duty : to->duty;
    }
    int32_t share = part * 16384 / whole; /* part is below 65536: the product fits */
    share = share > 16384 ? 16384 : share;
    int32_t rise = (int32_t)to->duty - from->duty;
    int32_t high = rise / 256 * share, low = rise % 256 * share;
    return (wpin_duty)(from->duty + (high * 2 + low / 128) / 128);
}

wpin_duty wpin_curve_update(wpin_curve *curve, int16_t millivolts) {
    if (curve == NULL || curve->config == NULL) {
        return 0;
    }
    const wpin_curve_config *c = curve->config;
    int32_t play = c->hysteresis_mv, mv = millivolts, used = curve->used_mv;
    if (!curve->begun) {
        used = mv;
    } else if (mv > used + play) {
        used = mv - play;
    } else if (mv < used - play) {
        used = mv + play;
    }
    curve->begun = true;
    curve->used_mv =
        (int16_t)(used > INT16_MAX ? INT16_MAX : (used < INT16_MIN ? INT16_MIN : used));
    mv = curve->used_mv;
    uint8_t count = c->count > 16 ? 16 : c->count; /* as was checked */
    if (mv <= c->points[0].millivolts) {
        return c->points[0].duty;
    }
    for (uint8_t i = 1; i < count; i++) {
        if (mv <= c->points[i].millivolts) {
            return between(&c->points[i - 1], &c->points[i], mv);
        }
    }
    return c->points[count == 0 ? 0 : count - 1].duty;
}
