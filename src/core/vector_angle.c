/* Where the rotor of a field-oriented motor is: between the edges of its Hall sensors by its speed,
 * or by the counts of an encoder. */
#include "vector_core.h"
#include "windpin/impl/steady_six_step.h"

#define SECTOR 10923U /* 60 degrees */

/* The direct axis where sector n begins, 150 degrees behind n times 60: at its middle the
 * quadrature axis points the way its row drives. */
static wpin_angle begin_of(uint8_t sector) {
    static const WPIN_FLASH wpin_angle begins[WPIN_SECTORS] = {38229, 49152, 60075,
                                                               5461,  16384, 27307};
    return begins[sector < WPIN_SECTORS ? sector : 0];
}

static uint16_t since(wpin_moment from, wpin_moment to) {
    uint32_t us = to - from;
    return (uint16_t)(us > WPIN_SPAN_MAX ? 0 : us > UINT16_MAX ? UINT16_MAX : us);
}

static uint16_t turned_by(const wpin_vector *v, uint16_t us) {
    uint32_t by = ((uint32_t)v->rate * us) >> 8;
    return (uint16_t)(by > UINT16_MAX ? UINT16_MAX : by);
}

wpin_angle wpin_vector_turns_in(const wpin_vector *v, uint16_t us) {
    uint16_t by = turned_by(v, us);
    return (wpin_angle)(v->turns < 0 ? 0U - by : by);
}

/* An edge between two sectors is one place, whichever way it is passed. Without an edge for long it
 * stands somewhere in its sector: then its middle is off by half of it at most. */
static void follow_hall(wpin_vector *v, wpin_moment now) {
    const wpin_port *port = wpin_stage_port_of(&v->rotor.stage);
    uint8_t locked = wpin_lock(port);
    int32_t counts = v->rotor.counts.counts;
    wpin_moment at = v->rotor.counts.at;
    uint8_t sector = v->rotor.sector;
    wpin_unlock(port, locked);
    wpin_angle begin = begin_of(sector);
    if (counts != v->counts) {
        uint32_t by = (uint32_t)counts - (uint32_t)v->counts;
        bool on = by <= INT32_MAX;
        v->turns = on ? 1 : -1;
        v->edge_angle = on ? begin : (wpin_angle)(begin + SECTOR);
        v->edge_at = at;
        v->counts = counts;
        v->sectors = (uint8_t)(v->sectors + (v->sectors < UINT8_MAX));
    }
    uint16_t us = since(v->edge_at, now);
    if (v->turns == 0 || us == UINT16_MAX) {
        v->turns = 0;
        v->angle = (wpin_angle)(begin + SECTOR / 2U);
        return;
    }
    uint16_t by = turned_by(v, us);
    by = by > SECTOR ? SECTOR : by;
    v->angle = (wpin_angle)(v->turns > 0 ? v->edge_angle + by : v->edge_angle - by);
}

static wpin_status read_counts(const wpin_vector *v, const wpin_port *port, int32_t *counts) {
    const WPIN_FAR wpin_vector_config *config = v->config;
    wpin_count now = {0};
    wpin_status status = WPIN_OK;
    if (config->quadrature != NULL) {
        wpin_quadrature_read(config->quadrature, port, &now);
    } else {
        status = port->count(port->context, config->counter, &now);
    }
    *counts = now.counts;
    return status;
}

/* Where in its turn, so that nothing is lost however long it turns. */
static wpin_status follow_encoder(wpin_vector *v) {
    int32_t counts;
    wpin_status status = read_counts(v, wpin_stage_port_of(&v->rotor.stage), &counts);
    if (status != WPIN_OK) {
        return status;
    }
    uint32_t by = (uint32_t)counts - (uint32_t)v->counts, turn = v->config->counts_per_turn;
    v->counts = counts;
    if (v->config->counts_back) {
        by = 0U - by;
    }
    uint32_t size = by > INT32_MAX ? 0U - by : by;
    if (size >= turn) { /* more than a turn in a PWM period is no rotor's doing */
        return WPIN_FAULT_FEEDBACK;
    }
    uint32_t place = by > INT32_MAX ? v->place + turn - size : v->place + size;
    v->place = place >= turn ? place - turn : place;
    wpin_angle before = v->angle;
    v->angle = (wpin_angle)((v->place * v->per_count) >> 16);
    bool sixth = ((uint32_t)before * 6U) >> 16 != ((uint32_t)v->angle * 6U) >> 16;
    v->sectors = (uint8_t)(v->sectors + (sixth && v->sectors < UINT8_MAX));
    if (size != 0) {
        v->turns = by > INT32_MAX ? -1 : 1;
    }
    return WPIN_OK;
}

wpin_status wpin_vector_follow(wpin_vector *v, wpin_moment now) {
    if (v->config->hall == NULL) {
        return follow_encoder(v);
    }
    follow_hall(v, now);
    return WPIN_OK;
}

void wpin_vector_is_aligned(wpin_vector *v) {
    uint32_t turn = v->config->counts_per_turn, place = v->place;
    bool behind = place > turn / 2U;
    v->place = behind ? turn - (turn - place) / 2U : place / 2U;
    v->place = v->place == turn ? 0 : v->place;
    v->angle = (wpin_angle)((v->place * v->per_count) >> 16);
    v->sectors = 0;
    v->aligned = true;
}

wpin_status wpin_vector_look(wpin_vector *v, const wpin_port *port) {
    const WPIN_FAR wpin_vector_config *config = v->config;
    if (config->hall != NULL) {
        v->aligned = true;
        v->counts = v->rotor.counts.counts;
        return WPIN_OK;
    }
    /* 2^32 x pole pairs / counts per turn */
    uint32_t turn = config->counts_per_turn, us = config->align_ms * (uint32_t)1000;
    if (turn == 0 || us == 0) {
        return WPIN_REFUSED_RANGE;
    }
    v->leads = ((uint32_t)16384 << 16) / us;
    uint32_t whole = UINT32_MAX / turn, rest = UINT32_MAX % turn;
    v->per_count = whole * config->pole_pairs + (rest + 1U) * config->pole_pairs / turn;
    return read_counts(v, port, &v->counts);
}
