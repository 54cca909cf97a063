/* Relay contacts: they move after the coil's delay, and bounce off and on before they rest. */
#include "board.h"
#include <math.h>

#define PS_PER_S 1e12

/* Repeatable shares of a bounce: a golden-ratio sequence, different for each operation. */
static double bounce_share(wpin_bridge *bridge) {
    bridge->seed = fmod(bridge->seed + 0.6180339887, 1);
    return bridge->seed;
}

void wpin_bridge_add_event(wpin_bridge *bridge, int64_t at, wpin_legs legs) {
    bridge->events[bridge->event_count++] = (wpin_leg_event){at, legs};
}

void wpin_bridge_move_contacts(wpin_bridge *bridge, wpin_legs next, int64_t at) {
    wpin_legs off = {.a = bridge->shown.a == next.a ? next.a : WPIN_LEG_OFF,
                     .b = bridge->shown.b == next.b ? next.b : WPIN_LEG_OFF};
    double bounce = bridge->part.contact_bounce;
    int64_t first = at + (int64_t)(bridge->part.contact_delay * PS_PER_S), last = first;
    bridge->event_count = 0;
    bridge->operations++;
    wpin_bridge_add_event(bridge, first, off);
    for (int i = 1; bounce > 0 && i < WPIN_LEG_EVENTS - 2; i++) {
        int64_t step =
            (int64_t)(bounce / WPIN_LEG_EVENTS * (0.5 + bounce_share(bridge)) * PS_PER_S);
        last += step > 0 ? step : 1;
        wpin_bridge_add_event(bridge, last, i % 2 == 1 ? next : off);
    }
    wpin_bridge_add_event(bridge, last + 1, next);
    bridge->target = next;
}
