/* The capacitors that feed the high sides of a driver: each charges while its leg is at ground, and
 * lasts for a time. Empty, its high side stays off, or falls off. */
#include "board.h"

#define DIODE_PS                                                                                   \
    1000000000LL /* a winding's current keeps a leg at ground through a diode so long */
#define TOLD_PS  2000000000LL /* a few periods without a high side are no news */
#define PS_PER_S 1e12

/* A load that lies on ground itself holds its end there until it is driven. */
void wpin_bootstrap_begin(wpin_bridge *bridge) {
    bool held = wpin_logic_of(bridge->part.logic)->wire_b;
    int64_t full = (int64_t)(bridge->part.bootstrap_time * PS_PER_S);
    for (int leg = 0; leg < 3; leg++) {
        bridge->bootstraps[leg] = (wpin_bootstrap){
            .until = held ? full : INT64_MIN, .charges_from = INT64_MAX, .lacks_from = INT64_MAX};
    }
}

/* Up to now it has charged, or lasted. */
static void bring_up(const wpin_bridge *bridge, wpin_bootstrap *b, int64_t at) {
    int64_t to = b->by_diode && at - b->charges_from > DIODE_PS ? b->charges_from + DIODE_PS : at;
    double charged = (double)(to - b->charges_from) / PS_PER_S;
    if (b->charges_from != INT64_MAX && charged >= bridge->part.bootstrap_charge) {
        int64_t until = to + (int64_t)(bridge->part.bootstrap_time * PS_PER_S);
        b->until = until > b->until ? until : b->until;
    }
}

static void tell(wpin_sim *sim, const wpin_bridge *bridge, wpin_bootstrap *b, bool was_high,
                 int64_t at) {
    if (was_high) {
        wpin_board_note(sim, at, bridge->name,
                        "high side falls off: its bootstrap capacitor is empty after %.3g ms "
                        "without a low phase",
                        bridge->part.bootstrap_time * 1e3);
    } else if (!b->fell && b->lacks_from != INT64_MAX && at - b->lacks_from > TOLD_PS) {
        wpin_board_note(sim, at, bridge->name,
                        "high side does not turn on: its bootstrap capacitor is not charged, which "
                        "takes %.3g us with its leg at ground",
                        bridge->part.bootstrap_charge * 1e6);
    }
    b->fell = b->fell || was_high;
    b->lacks_from = b->lacks_from == INT64_MAX ? at : b->lacks_from;
}

/* A leg that is off is at ground too while another one pulls the windings there, or while the
 * current that its high side drove goes on through a diode. */
static void charge(wpin_bootstrap *b, wpin_leg_state was, wpin_leg_state next, bool pulled,
                   int64_t at) {
    bool by_diode = next == WPIN_LEG_OFF && !pulled;
    bool goes_on = b->by_diode && b->charges_from != INT64_MAX;
    bool charges = next != WPIN_LEG_HIGH && (!by_diode || was == WPIN_LEG_HIGH || goes_on);
    if (!charges) {
        b->charges_from = INT64_MAX;
    } else if (b->charges_from == INT64_MAX || b->by_diode != by_diode) {
        b->charges_from = at;
    }
    b->by_diode = by_diode;
}

/* Once it lacked its charge it takes a new edge to turn it on. */
static wpin_leg_state mind(wpin_sim *sim, const wpin_bridge *bridge, wpin_bootstrap *b,
                           wpin_leg_state was, wpin_leg_state next, bool pulled, int64_t at) {
    bring_up(bridge, b, at);
    b->waits = next == WPIN_LEG_HIGH && (b->waits || at > b->until);
    if (b->waits) {
        tell(sim, bridge, b, was == WPIN_LEG_HIGH, at);
        next = WPIN_LEG_OFF;
    } else if (next == WPIN_LEG_HIGH) {
        b->lacks_from = INT64_MAX;
        b->fell = false;
    }
    charge(b, was, next, pulled, at);
    return next;
}

void wpin_bootstrap_mind(wpin_sim *sim, wpin_bridge *bridge, wpin_legs *next, int64_t at) {
    const wpin_legs was = bridge->shown;
    bool pulled = next->a == WPIN_LEG_LOW || next->b == WPIN_LEG_LOW || next->c == WPIN_LEG_LOW;
    next->a = mind(sim, bridge, &bridge->bootstraps[0], was.a, next->a, pulled, at);
    next->b = mind(sim, bridge, &bridge->bootstraps[1], was.b, next->b, pulled, at);
    next->c = mind(sim, bridge, &bridge->bootstraps[2], was.c, next->c, pulled, at);
}
