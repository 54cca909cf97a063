/* The heat that a current leaves in a winding. */
#include "windpin/overload.h"
#include "windpin/guard.h"
#include "windpin/impl/steady_guard.h"

#define BLOCK_US  ((uint32_t)65536)
#define SHARE_MAX 1023U /* in 1/128: eight times the rated current */

/* The square of a current, 1024 for the rated one. */
static uint16_t square(const WPIN_FAR wpin_overload_config *c, int16_t mv) {
    uint32_t share = wpin_steady_product(wpin_steady_size(mv), c->share) >> 16;
    uint16_t within = share > SHARE_MAX ? (uint16_t)SHARE_MAX : (uint16_t)share;
    return (uint16_t)(wpin_steady_product(within, within) >> 4);
}

/* What is made up of a difference in one block. */
static uint32_t part_of(uint32_t difference, uint16_t decay) {
    uint32_t high = wpin_steady_product((uint16_t)(difference >> 16), decay);
    uint32_t low = wpin_steady_product((uint16_t)(difference & 0xffffU), decay);
    return (high >> 4) + (low >> 20);
}

/* One block of time is over: its mean square is where the heat goes. */
static void warm(wpin_overload *o, const WPIN_FAR wpin_overload_config *c) {
    uint32_t goal = (o->sum >> 28) != 0 ? UINT32_MAX : o->sum << 4;
    uint16_t decay = c->decay;
    o->heat = goal > o->heat ? o->heat + part_of(goal - o->heat, decay)
                             : o->heat - part_of(o->heat - goal, decay);
    o->sum = 0;
    o->us -= BLOCK_US;
}

static void begin(wpin_overload *o, const WPIN_FAR wpin_overload_config *c) {
    uint8_t percent = c->at_first;
    o->heat = WPIN_OVERLOAD_TRIP / 100U * (percent > 100 ? 100U : percent);
    o->begun = true;
}

wpin_status wpin_overload_check(void *overload, const WPIN_FAR void *config,
                                const wpin_watched *w) {
    wpin_overload *o = overload;
    const WPIN_FAR wpin_overload_config *c = config;
    const wpin_measurement *m = w->measurement;
    if (!o->begun) {
        begin(o, c);
    }
    if ((m->valid & WPIN_HAS_CURRENT) != 0) { /* else nothing is known, and nothing cools */
        o->sum += wpin_steady_product(square(c, m->current), m->dt_us) >> 4;
        o->us += m->dt_us;
        if (o->us >= BLOCK_US) {
            warm(o, c);
        }
    }
    o->hot = o->heat > (o->hot ? WPIN_OVERLOAD_TRIP / 4U * 3U : WPIN_OVERLOAD_TRIP);
    return o->hot ? WPIN_FAULT_OVERLOAD : WPIN_OK;
}

void wpin_overload_reset(void *overload) {
    (void)overload; /* arming cools nothing */
}

uint8_t wpin_overload_percent(const wpin_overload *overload) {
    uint32_t percent = overload->heat / (WPIN_OVERLOAD_TRIP / 100U);
    return percent > UINT8_MAX ? UINT8_MAX : (uint8_t)percent;
}
