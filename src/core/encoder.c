/* From counts and their moments to speed and position. */
#include "windpin/encoder.h"
#include "share.h"
#include "windpin/impl/steady_guard.h"

/* Above the kinds seen: so many edges the speed still waits for, as it was measured over lines. */
#define WAITS 0xC0U
#define WAIT  0x40U

#define HALF 128U /* of a step of a speed x 256 */

/* 2^23 / d for the 128 upper halves of a d with its top bit set, each in the middle of its stretch.
 */
#define SEED(i)   (uint8_t)((131072UL / (257U + 2U * (i)) + 1U) / 2U)
#define SEEDS4(i) SEED(i), SEED((i) + 1U), SEED((i) + 2U), SEED((i) + 3U)
#define SEEDS(i)  SEEDS4(i), SEEDS4((i) + 4U), SEEDS4((i) + 8U), SEEDS4((i) + 12U)
static const WPIN_FLASH uint8_t seeds[128] = {SEEDS(0U),  SEEDS(16U), SEEDS(32U), SEEDS(48U),
                                              SEEDS(64U), SEEDS(80U), SEEDS(96U), SEEDS(112U)};

/* 2^31 / d for a d with its top bit set, without a division: a seed that is off by 1/128 at the
 * most, and a step of Newton's, which squares that; to 1/14000. */
static uint16_t reciprocal(uint16_t d) {
    uint8_t seed = seeds[(d >> 8) & 127U];
    uint32_t product = wpin_steady_product(d, seed), whole = (uint32_t)1 << 23;
    bool more = product > whole;
    uint16_t off = (uint16_t)(more ? product - whole : whole - product);
    uint16_t change = (uint16_t)((wpin_steady_product(off, seed) * 2U) >> 16);
    uint16_t x = (uint16_t)((uint16_t)seed << 8);
    if (more) {
        return (uint16_t)(x - change);
    }
    return change > UINT16_MAX - x ? UINT16_MAX : (uint16_t)(x + change);
}

/* 15625 x 2^20 / full_hz is the speed of a count a microsecond: 16384 x 10^6 / full_hz. */
static void make_scale(wpin_encoder *e, uint32_t full_hz) {
    int8_t shift = 42;
    while ((full_hz >> 31) == 0) {
        full_hz <<= 1;
        shift--;
    }
    uint32_t scale = (uint32_t)15625 * wpin_share_of(full_hz);
    while ((scale >> 16) != 0) {
        scale >>= 1;
        shift--;
    }
    e->scale = (uint16_t)scale;
    e->shift = shift;
}

/* Divided by 2^shift; whole bytes first, which costs an 8-bit controller nothing. */
static uint32_t shifted(uint32_t value, int8_t shift) {
    for (; shift > 7; shift = (int8_t)(shift - 8)) {
        value >>= 8;
    }
    for (; shift > 0; shift--) {
        value >>= 1;
    }
    return value;
}

/* counts x scale / us, x 256. */
static uint32_t fine_speed_of(const wpin_encoder *e, uint16_t counts, uint32_t us) {
    int8_t shift = e->shift;
    for (; (us >> 16) != 0; us >>= 1) {
        shift++;
    }
    uint16_t time = us == 0 ? 1 : (uint16_t)us;
    if (time < 256) {
        time = (uint16_t)(time << 8);
        shift = (int8_t)(shift - 8);
    }
    for (; (time & 0x8000U) == 0; shift--) {
        time = (uint16_t)(time << 1);
    }
    uint16_t one = (uint16_t)(wpin_steady_product(e->scale, reciprocal(time)) >> 16);
    uint32_t speed = wpin_steady_product(counts, one);
    if ((speed >> 24) == 0) {
        speed <<= 8; /* whole bytes cost little */
    } else {
        shift = (int8_t)(shift - 8);
    }
    for (; shift < 0 && (speed >> 23) == 0; shift++) {
        speed <<= 1;
    }
    return shifted(speed, shift);
}

/* In whole steps, saturated. */
static int16_t whole(uint32_t fine) {
    fine >>= 8;
    return (int16_t)(fine > INT16_MAX ? INT16_MAX : fine);
}

static wpin_status read_counts(const wpin_encoder *e, wpin_count *to) {
    if (e->config->quadrature != NULL) {
        wpin_quadrature_read(e->config->quadrature, e->port, to);
        return WPIN_OK;
    }
    bool counts = e->port->count != NULL;
    return counts ? e->port->count(e->port->context, e->config->counter, to) : WPIN_REFUSED_PORT;
}

wpin_status wpin_encoder_init(wpin_encoder *encoder, const WPIN_FAR wpin_encoder_config *config,
                              const wpin_port *port) {
    if (encoder == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *encoder = (wpin_encoder){0};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    bool kinds = config->kinds == 0 || config->kinds == 3 || config->kinds == 4;
    if (config->full_hz == 0 || config->full_hz > WPIN_ENCODER_HZ_MAX ||
        config->still_us > WPIN_SPAN_MAX || !kinds) {
        return WPIN_REFUSED_RANGE;
    }
    if (config->quadrature == NULL && port->count == NULL) {
        return WPIN_REFUSED_PORT;
    }
    wpin_count now;
    encoder->config = config;
    encoder->port = port;
    if (read_counts(encoder, &now) != WPIN_OK) {
        encoder->config = NULL;
        return WPIN_REFUSED_PORT;
    }
    make_scale(encoder, config->full_hz);
    encoder->last = now.counts;
    encoder->over_us = UINT16_MAX;
    return WPIN_OK;
}

/* Which way new counts went, as the motor is driven. */
static int8_t way_of(const wpin_encoder *e, int32_t counts, const wpin_measurement *m) {
    if (e->config->one_channel) {
        return (m->inputs & WPIN_DRIVEN_REVERSE) != 0 ? -1 : 1;
    }
    return (counts > 0) == e->config->reversed ? -1 : 1;
}

static void take_speed(wpin_encoder *e, int32_t distance, uint32_t us) {
    uint32_t size = distance < 0 ? 0U - (uint32_t)distance : (uint32_t)distance;
    uint32_t fine = fine_speed_of(e, (uint16_t)(size > UINT16_MAX ? UINT16_MAX : size), us);
    int16_t speed = whole(fine += (fine >> 31) != 0 ? 0 : e->rest);
    e->rest = (uint8_t)fine; /* so that speeds are right on average */
    e->speed = (int16_t)(distance < 0 ? -speed : speed);
    e->over_us = us;
    e->period_us = size > 1 && us > e->config->window_us ? e->config->window_us : us;
}

/* How long ago the edge passed that was last kept of a place; UINT32_MAX: none was, or the clock
 * ran back since. */
static uint32_t since_edge(const wpin_encoder *e, uint8_t place, wpin_moment at) {
    uint32_t us = at - e->places[place].at;
    uint8_t bit = (uint8_t)(1U << place);
    return (e->seen & bit) != 0 && us <= WPIN_SPAN_MAX ? us : UINT32_MAX;
}

/* Whether it is measured over whole lines: where the last edge of the same kind passed not long
 * before those of other kinds. */
static bool over_lines(const wpin_encoder *e, uint32_t line_us, uint32_t edge_us) {
    uint32_t window_us = e->config->window_us;
    return !e->config->no_moments && line_us <= WPIN_LINE_US &&
           line_us >> 3 <= (edge_us > window_us ? edge_us : window_us);
}

/* x mod 3 without a division: 4, 16 and 256 leave 1. */
static uint8_t third_of(uint32_t x) {
    uint16_t sum =
        (uint16_t)((uint8_t)x + (uint8_t)(x >> 8) + (uint8_t)(x >> 16) + (uint8_t)(x >> 24));
    sum = (uint16_t)((sum >> 8) + (sum & 255U));
    sum = (uint16_t)((sum >> 4) + (sum & 15U));
    sum = (uint16_t)((sum >> 2) + (sum & 3U));
    sum = (uint16_t)((sum >> 2) + (sum & 3U));
    return (uint8_t)(sum >= 3 ? sum - 3U : sum);
}

/* Which of the kinds of edges in a line it is. */
static uint8_t kind_of(const wpin_encoder *e, int32_t edge) {
    const uint32_t middle = (uint32_t)0x7FFFFFFF - 1U; /* a multiple of 3: no break at zero */
    return e->config->kinds == 3 ? third_of((uint32_t)edge + middle) : (uint8_t)edge & 3U;
}

/* Where ticks see edges in pairs one kind may be left out for long. Measured from an edge of
 * another kind next to it, the one that ends that would tell how unevenly they lie: a speed that
 * was measured over lines stays for some edges that come soon, until one closes a line again. */
static bool waits(wpin_encoder *e, bool line, uint32_t line_us, uint32_t edge_us, int32_t edge) {
    if (line) {
        e->seen = (uint8_t)(e->seen | WAITS);
        return false;
    }
    uint32_t beyond = (uint32_t)edge - (uint32_t)e->places[e->latest].at_count + 2U;
    bool left = (e->seen & WAITS) != 0;
    e->seen = (uint8_t)(e->seen - (left ? WAIT : 0));
    return left && beyond <= 4 && line_us != UINT32_MAX && edge_us >> 2 <= e->config->window_us;
}

/* Measures up to an edge: over whole lines, or from the last edge of any kind. */
static void measure_to(wpin_encoder *e, int32_t edge, wpin_moment at) {
    uint8_t place = kind_of(e, edge);
    uint32_t line_us = since_edge(e, place, at), edge_us = since_edge(e, e->latest, at);
    bool line = over_lines(e, line_us, edge_us), later = waits(e, line, line_us, edge_us, edge);
    uint32_t us = line ? line_us : edge_us;
    bool measures = us != UINT32_MAX && us >= e->config->window_us && !later;
    bool begins = edge_us == UINT32_MAX;
    if (!measures && !begins && (line || place == e->latest)) {
        return; /* too short: that one stays to be measured from */
    }
    if (measures) {
        int32_t from = e->places[line ? place : e->latest].at_count;
        take_speed(e, (int32_t)((uint32_t)edge - (uint32_t)from), us);
    }
    e->places[place] = (wpin_edge){edge, at};
    e->seen = (uint8_t)(e->seen | (1U << place));
    e->latest = measures || begins ? place : e->latest;
}

/* New counts: the last edge passed lies before the count it led to, so that one crossed to and fro
 * is one place. */
static void take_counts(wpin_encoder *e, int32_t counts, wpin_moment at,
                        const wpin_measurement *m) {
    int8_t way = way_of(e, counts, m);
    uint32_t size = counts < 0 ? 0U - (uint32_t)counts : (uint32_t)counts;
    e->position = (int32_t)((uint32_t)e->position + (way < 0 ? 0U - size : size));
    int32_t edge = (int32_t)((uint32_t)e->position + (way < 0 ? 1U : 0U));
    if (e->way == 0) { /* it stood: what was before says nothing */
        e->seen = 0;
        e->period_us = e->config->window_us;
        e->speed = (int16_t)(way < 0 ? -1 : 1); /* that it turns is known, how fast is not */
        e->over_us = UINT16_MAX;
        e->rest = HALF;
    }
    e->way = way;
    e->last_at = at;
    measure_to(e, edge, at);
}

/* No count for longer than the last took: it is slower by now, or stands. */
static void wait_for_counts(wpin_encoder *e, uint32_t us) {
    uint32_t still_us = e->config->still_us;
    if (us >= (still_us != 0 ? still_us : WPIN_STILL_US)) {
        e->way = 0;
        e->speed = 0;
        e->over_us = UINT16_MAX; /* old, also once the clock has gone round since */
        return;
    }
    if (us <= e->period_us || e->speed == 0) {
        return;
    }
    int16_t most =
        whole(fine_speed_of(e, 3, 2U * us) + HALF); /* edges may be half a count off their places */
    if (e->speed > most || e->speed < -most) {
        e->speed = (int16_t)(e->speed < 0 ? -most : most);
    }
}

void wpin_encoder_measure(void *encoder, wpin_measurement *m) {
    wpin_encoder *e = encoder;
    wpin_count now;
    if (e == NULL || e->config == NULL || e->port == NULL || read_counts(e, &now) != WPIN_OK) {
        return;
    }
    int32_t counts = (int32_t)((uint32_t)now.counts - (uint32_t)e->last);
    uint32_t since_us = m->at - e->last_at;
    if (counts != 0) {
        e->last = now.counts;
        take_counts(e, counts, now.at, m);
        since_us = m->at - e->last_at;
    } else if (e->way != 0 && since_us <= WPIN_SPAN_MAX) {
        wait_for_counts(e, since_us);
    }
    uint32_t age_us = since_us > WPIN_SPAN_MAX ? 0 : since_us;
    age_us = age_us > e->over_us ? age_us : e->over_us;
    m->speed = e->speed;
    m->speed_us = (uint16_t)(age_us > UINT16_MAX ? UINT16_MAX : age_us);
    m->position = e->position;
    m->valid |= WPIN_HAS_SPEED | WPIN_HAS_POSITION;
}

void wpin_encoder_set_position(void *encoder, int32_t position) {
    wpin_encoder *e = encoder;
    if (e != NULL) {
        e->seen = 0;
        e->position = position;
    }
}
