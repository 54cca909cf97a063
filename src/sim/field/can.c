/* Frames on the simulated bus: who goes first, how long it takes, who hears it. */
#include "can.h"
#include <string.h>

#define PS_PER_S 1e12

/* ---- how long a frame is ---- */

/* Bits as they go out, stuffed: after five alike comes one of the other kind. */
typedef struct bits {
    unsigned count, alike, crc;
    int last;
} bits;

static void put(bits *b, unsigned bit) {
    unsigned invert =
        (bit ^ (b->crc >> 14)) & 1U; /* ISO 11898-1: x15 + x14 + x10 + x8 + x7 + ... */
    b->crc = (b->crc << 1) & 0x7FFFU;
    b->crc ^= invert != 0 ? 0x4599U : 0U;
}

static void send(bits *b, unsigned bit) {
    b->alike = (int)bit == b->last ? b->alike + 1 : 1;
    b->last = (int)bit;
    b->count++;
    if (b->alike == 5) {
        b->count++;
        b->last = !bit;
        b->alike = 1;
    }
}

static void send_field(bits *b, unsigned value, unsigned width, bool checked) {
    for (unsigned i = width; i > 0; i--) {
        unsigned bit = value >> (i - 1) & 1U;
        if (checked) {
            put(b, bit);
        }
        send(b, bit);
    }
}

unsigned wpin_can_bits(const wpin_frame *frame) {
    bits b = {.last = -1};
    send_field(&b, 0, 1, true);
    send_field(&b, frame->id, 11, true);
    send_field(&b, frame->remote, 1, true);
    send_field(&b, 0, 2, true);
    send_field(&b, frame->length, 4, true);
    for (int i = 0; !frame->remote && i < frame->length; i++) {
        send_field(&b, frame->data[i], 8, true);
    }
    send_field(&b, b.crc, 15, false);
    return b.count + 1 + 2 + 7 + 3; /* end of the check value, acknowledge, end, pause */
}

/* ---- stations ---- */

int wpin_can_join(wpin_can *can, wpin_can_hear *hear, void *context) {
    if (can->station_count == WPIN_CAN_STATIONS) {
        return -1;
    }
    can->stations[can->station_count] = (wpin_can_station){.hear = hear, .context = context};
    return can->station_count++;
}

bool wpin_can_queue(wpin_can *can, int station, const wpin_frame *frame, int64_t at) {
    wpin_can_station *s = &can->stations[station];
    if (s->count == WPIN_CAN_QUEUE) {
        return false;
    }
    int place = (s->first + s->count++) % WPIN_CAN_QUEUE;
    s->queue[place] = *frame;
    s->ready[place] = at;
    return true;
}

void wpin_can_drop(wpin_can *can, int station) {
    can->stations[station].count = 0;
}

void wpin_can_forget(wpin_can *can, int station) {
    can->stations[station].count = can->stations[station].errors = 0;
}

static bool is_off(const wpin_can_station *s) {
    return s->off || s->errors >= WPIN_CAN_BUS_OFF;
}

static bool has_frame(const wpin_can_station *s) {
    return s->count > 0 && !is_off(s);
}

/* When the bus is free and somebody has a frame for it; INT64_MAX: nobody has. */
static int64_t next_start(const wpin_can *can) {
    int64_t first = INT64_MAX;
    for (int i = 0; i < can->station_count; i++) {
        const wpin_can_station *s = &can->stations[i];
        if (has_frame(s) && s->ready[s->first] < first) {
            first = s->ready[s->first];
        }
    }
    return first == INT64_MAX || first > can->free_at ? first : can->free_at;
}

/* ---- who goes first ---- */

/* The frame that a station begins at a moment; NULL: none. */
static const wpin_frame *begun(const wpin_can *can, int station, int64_t at) {
    const wpin_can_station *s = &can->stations[station];
    return has_frame(s) && s->ready[s->first] <= at ? &s->queue[s->first] : NULL;
}

/* Up to the end of the arbitration: identifier, and whether it asks. */
static int rank(const wpin_frame *f) {
    return 2 * f->id + f->remote;
}

/* By the first bit that differs, as they go out; a 0 overrides a 1. 0: they are the same. */
static int order(const wpin_frame *a, const wpin_frame *b) {
    int by = rank(a) != rank(b) ? rank(a) - rank(b) : a->length - b->length;
    return by != 0 ? by : memcmp(a->data, b->data, a->remote ? 0 : a->length);
}

static int winner(const wpin_can *can, int64_t at) {
    int best = -1;
    for (int i = 0; i < can->station_count; i++) {
        const wpin_frame *f = begun(can, i, at);
        if (f != NULL && (best < 0 || order(f, begun(can, best, at)) < 0)) {
            best = i;
        }
    }
    return best;
}

/* Stations that begin with the same identifier don't give way to one another. Each that sends a 1
 * where the winner sends a 0 sees an error there, and destroys the frame unless it has had too many
 * of them already. Whether the frame is destroyed. */
static bool collides(wpin_can *can, int from, int64_t at) {
    const wpin_frame *mine = begun(can, from, at);
    bool destroyed = false;
    for (int i = 0; i < can->station_count; i++) {
        const wpin_frame *f = begun(can, i, at);
        if (f != NULL && rank(f) == rank(mine) && order(f, mine) != 0) {
            destroyed = destroyed || can->stations[i].errors < WPIN_CAN_PASSIVE;
            can->stations[i].errors += 8;
        }
    }
    if (!destroyed && can->destroys > 0) {
        can->destroys--;
        destroyed = true;
    }
    can->stations[from].errors += destroyed ? 8 : 0;
    return destroyed;
}

/* ---- on the wire ---- */

static bool is_lost(wpin_can *can) {
    return can->lose > 0 && --can->lose == 0;
}

static void deliver(wpin_can *can, int from, const wpin_frame *frame, int64_t at) {
    if (is_lost(can)) {
        return;
    }
    if (can->watcher != NULL) {
        can->watcher(can->watcher_context, frame, at);
    }
    for (int i = 0; i < can->station_count; i++) {
        const wpin_can_station *s = &can->stations[i];
        if (i != from && !is_off(s)) {
            s->hear(s->context, frame, at);
        }
    }
}

static void sent(wpin_can_station *s) {
    s->first = (s->first + 1) % WPIN_CAN_QUEUE;
    s->count--;
    s->errors -= s->errors > 0;
}

/* All that sent this very frame at that moment have sent it. */
static void all_sent(wpin_can *can, const wpin_frame *frame, int64_t at) {
    for (int i = 0; i < can->station_count; i++) {
        const wpin_frame *f = begun(can, i, at);
        if (f != NULL && order(f, frame) == 0) {
            sent(&can->stations[i]);
        }
    }
}

void wpin_can_run(wpin_can *can, int64_t until) {
    for (int64_t at = next_start(can); at <= until; at = next_start(can)) {
        int from = winner(can, at);
        wpin_frame frame = *begun(can, from, at);
        unsigned length = wpin_can_bits(&frame);
        int64_t end = at + (int64_t)(length / can->bit_rate * PS_PER_S);
        if (end > until) {
            return;
        }
        can->free_at = end;
        can->bits += length;
        if (collides(can, from, at)) { /* an error frame ends it; that it ends early is a trifle */
            continue;
        }
        can->frames++;
        all_sent(can, &frame, at);
        deliver(can, from, &frame, end);
    }
}
