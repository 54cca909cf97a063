/* Counts an encoder's edges. */
#include "windpin/quadrature.h"
#include "windpin/impl/lock.h"

#define SEEN ((uint8_t)128)

/* Each channel pair by its place in the cycle of a forward turn: 00, 10, 11, 01. */
static uint8_t place_of(uint8_t state) {
    return (uint8_t)((state & 2U) != 0 ? 1U + (state & 1U) : 3U * (state & 1U));
}

static void count_one(wpin_quadrature *q, bool up, wpin_moment now) {
    q->counts = (int32_t)((uint32_t)q->counts + (up ? 1U : UINT32_MAX));
    q->at = now;
}

void wpin_quadrature_edge(wpin_quadrature *q, bool a, bool b, wpin_moment now) {
    uint8_t before = q->state, state = (uint8_t)((a ? 2U : 0U) | (b ? 1U : 0U));
    q->state = state | SEEN;
    if ((before & SEEN) == 0) {
        return;
    }
    uint8_t moved = (uint8_t)(place_of(state) + 4U - place_of(before & 3U)) & 3U;
    if (moved == 2) {
        q->illegal = (uint16_t)(q->illegal + (q->illegal < UINT16_MAX));
    } else if (moved != 0) {
        count_one(q, moved == 1, now);
    }
}

void wpin_quadrature_pulse(wpin_quadrature *q, wpin_moment now) {
    count_one(q, true, now);
}

void wpin_quadrature_read(const wpin_quadrature *q, const wpin_port *port, wpin_count *to) {
    uint8_t locked = wpin_lock(port);
    to->counts = q->counts;
    to->at = q->at;
    wpin_unlock(port, locked);
}
