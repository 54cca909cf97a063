/* Which code of the Hall sensors belongs to which sector. Pulled by two neighbouring rows in turn
 * the rotor stands in the middle of a sector: rows n and n + 1 drive a rotor forward that is in
 * sectors n and n + 1, a quarter turn behind them, so it comes to rest in sector n + 2. */
#include "windpin/order.h"
#include "stage_core.h"
#include "windpin/impl/steady_six_step.h"
#include "windpin/vector.h"

#define PLACES   WPIN_SECTORS /* one in each */
#define PAIRS    3U /* steps before the first place: one row each, of the three pairs of leads */
#define STEPS    (PAIRS + 2U * PLACES - 1U) /* six places there, five back */
#define TICK_MAX ((uint32_t)20000)

static uint8_t read_code(const wpin_order *o) {
    uint8_t code = 0;
    for (uint8_t i = 0; i < 3; i++) {
        code |= (uint8_t)(o->port->read(o->port->context, o->config->hall[i]) ? 1U << i : 0U);
    }
    return code;
}

/* All off, and closed once the port has taken that: what fails is tried again by the next tick. */
static void rest(wpin_order *o) {
    uint8_t row = wpin_row_safe(o->config->stage->table);
    wpin_drive safe = (wpin_drive)o->config->stage->table->rows[row].drive;
    if (wpin_stage_apply(&o->stage, safe, 0) == WPIN_OK) {
        wpin_stage_close(&o->stage);
        o->config = NULL;
    }
}

static wpin_order_state end(wpin_order *o, wpin_order_state state) {
    o->state = (uint8_t)state;
    rest(o);
    return state;
}

/* The place of a step after the first: 0 to 5 and back. */
static uint8_t place_of(uint8_t step) {
    uint8_t place = (uint8_t)(step - PAIRS);
    return (uint8_t)(place < PLACES ? place : 2U * PLACES - 2U - place);
}

static uint8_t sector_of(uint8_t place) {
    return (uint8_t)(place < PLACES - 2U ? place + 2U : place + 2U - PLACES);
}

/* The row of one of the first steps: B to A, B to C, A to C. They tell a lead that is off by the
 * current, and the rotor is on its way afterwards: where it stands just opposite a row, nothing
 * pulls it. */
static uint8_t pair_row(uint8_t step) {
    return (uint8_t)(PAIRS - step);
}

/* The lead, as a bit, without which a pair draws twice what both pairs with it do. */
static uint8_t find_dead_lead(const wpin_order *o) {
    static const WPIN_FLASH uint8_t without[3] = {1, 2, 0}; /* a: B to C, b: A to C, c: B to A */
    for (uint8_t lead = 0; lead < 3; lead++) {
        int16_t other = o->drawn[without[lead]], with = 0;
        for (uint8_t pair = 0; pair < PAIRS; pair++) {
            with = pair != without[lead] && o->drawn[pair] > with ? o->drawn[pair] : with;
        }
        if (with < other / 2) {
            return wpin_bit(lead);
        }
    }
    return 0;
}

/* All of them once: what it comes to. */
static wpin_order_state judge(wpin_order *o) {
    uint8_t seen = 0, high = 0, low = 0;
    for (uint8_t i = 0; i < PLACES; i++) {
        uint8_t code = o->codes[i] & 7U;
        seen = (uint8_t)(seen | 1U << code);
        high |= code;
        low |= (uint8_t)(code ^ 7U);
    }
    o->same = (uint8_t)((high ^ low) & 7U);
    if (o->same == 7) {
        return WPIN_ORDER_STANDS;
    }
    if (o->same != 0) {
        return WPIN_ORDER_SENSOR;
    }
    o->same = 0;
    uint8_t count = 0;
    for (; seen != 0; seen &= (uint8_t)(seen - 1U)) {
        count++;
    }
    return count == PLACES ? WPIN_ORDER_FOUND : WPIN_ORDER_DIFFERS;
}

/* Six readings there, five back. */
static wpin_order_state read_place(wpin_order *o) {
    uint8_t sector = sector_of(place_of(o->step)), code = read_code(o);
    if (sector >= PLACES) {
        return WPIN_ORDER_PORT; /* never */
    }
    if (o->step < PAIRS + PLACES) {
        o->codes[sector] = code;
    } else if (o->codes[sector] != code) {
        wpin_order_state why = judge(o); /* which a dead sensor explains as well */
        return why == WPIN_ORDER_FOUND ? WPIN_ORDER_DIFFERS : why;
    }
    return WPIN_ORDER_MOVING;
}

static wpin_order_state read_pair(wpin_order *o) {
    o->drawn[o->step] = o->mv;
    if (o->step == PAIRS - 1U) {
        o->same = find_dead_lead(o);
    }
    return o->step == PAIRS - 1U && o->same != 0 ? WPIN_ORDER_LEAD : WPIN_ORDER_MOVING;
}

/* The time at a place is over. */
static wpin_order_state next(wpin_order *o) {
    wpin_order_state state = o->step < PAIRS ? read_pair(o) : read_place(o);
    if (state != WPIN_ORDER_MOVING) {
        return end(o, state);
    }
    if (++o->step == STEPS) {
        return end(o, judge(o));
    }
    o->left_us = (uint32_t)o->config->hold_ms * 1000U;
    return WPIN_ORDER_MOVING;
}

/* The duty rises while the first row is on, for the first half of its time. */
static uint16_t duty_now(const wpin_order *o) {
    uint32_t hold_us = (uint32_t)o->config->hold_ms * 1000U, left_us = o->left_us;
    if (o->step != 0 || left_us <= hold_us) {
        return o->config->duty;
    }
    uint32_t passed = 2U * hold_us > left_us ? (2U * hold_us - left_us) >> 10 : 0;
    return (uint16_t)((o->rise * passed) >> 12);
}

/* The row to be pulled by now: at a place one of two in turn. */
static uint8_t row_now(wpin_order *o, uint32_t us) {
    if (o->step < PAIRS) {
        return pair_row(o->step);
    }
    if (o->swap_us <= us) {
        o->second = !o->second;
        o->swap_us = (uint32_t)o->config->swap_ms * 1000U;
    } else {
        o->swap_us -= us;
    }
    uint8_t place = place_of(o->step);
    return o->second ? wpin_next_sector(place) : place;
}

static wpin_status pull(wpin_order *o, uint32_t us) {
    wpin_drive row = (wpin_drive)(WPIN_DRIVE_SECTOR + (unsigned)row_now(o, us));
    return wpin_stage_apply(&o->stage, row, duty_now(o));
}

/* One of two leads in turn is low all the time: the shunt that tells most tells all. */
static int16_t read_shunts(const wpin_order *o) {
    const WPIN_FAR wpin_order_config *c = o->config;
    int16_t most = 0;
    for (uint8_t i = 0; i < 3; i++) {
        if (c->shunts[i] == WPIN_NO_SHUNT) {
            continue;
        }
        int16_t mv = o->port->millivolts(o->port->context, c->shunts[i]);
        if (mv == WPIN_NO_READING) {
            return mv;
        }
        int32_t off = (int32_t)mv - c->zero_mv, size = off < 0 ? -off : off;
        most = (int16_t)(size > most ? (size > INT16_MAX ? INT16_MAX : size) : most);
    }
    return most;
}

static bool too_much(wpin_order *o) {
    const WPIN_FAR wpin_order_config *c = o->config;
    if (c->most_mv == 0) {
        return false;
    }
    o->mv =
        c->zero_mv != 0 ? read_shunts(o) : o->port->millivolts(o->port->context, c->current_input);
    return o->mv > c->most_mv || o->mv == WPIN_NO_READING;
}

wpin_order_state wpin_order_tick(wpin_order *o) {
    if (o == NULL) {
        return WPIN_ORDER_CLOSED;
    }
    if (o->config == NULL || o->port == NULL) {
        return (wpin_order_state)o->state;
    }
    if (o->state != WPIN_ORDER_MOVING) {
        rest(o);
        return (wpin_order_state)o->state;
    }
    if (o->stops != 0) {
        return end(o, WPIN_ORDER_STOPPED);
    }
    wpin_moment now = o->port->now(o->port->context);
    uint32_t us = now - o->last;
    o->last = now;
    us = us > TICK_MAX ? TICK_MAX : us; /* a clock that leaps or runs back shortens little */
    if (too_much(o)) {
        return end(o, WPIN_ORDER_CURRENT);
    }
    o->left_us = o->left_us > us ? o->left_us - us : 0;
    if (o->left_us == 0) {
        wpin_order_state state = next(o);
        if (state != WPIN_ORDER_MOVING || o->config == NULL) {
            return state;
        }
    }
    return pull(o, us) == WPIN_OK ? WPIN_ORDER_MOVING : end(o, WPIN_ORDER_PORT);
}

void wpin_order_stop(wpin_order *o) {
    if (o != NULL) {
        o->stops = 1;
        wpin_stage_off(&o->stage);
    }
}

static wpin_status check(const WPIN_FAR wpin_order_config *c, const wpin_port *port) {
    wpin_status status = wpin_stage_check(c->stage);
    if (status != WPIN_OK) {
        return status;
    }
    for (uint8_t i = 0; i < WPIN_SECTORS; i++) {
        wpin_drive drive = (wpin_drive)(WPIN_DRIVE_SECTOR + (unsigned)i);
        if (wpin_table_row(c->stage->table, drive) == WPIN_NO_ROW) {
            return WPIN_REFUSED_CONFIG;
        }
    }
    if (c->duty == 0 || c->duty > (uint16_t)WPIN_DUTY_FULL || c->hold_ms < 20 ||
        c->hold_ms > 5000 || c->most_mv < 0 || c->zero_mv < 0 || c->swap_ms == 0 ||
        c->swap_ms > 50) {
        return WPIN_REFUSED_RANGE;
    }
    bool serves =
        port->now != NULL && port->read != NULL && (c->most_mv == 0 || port->millivolts != NULL);
    return serves ? WPIN_OK : WPIN_REFUSED_PORT;
}

wpin_status wpin_order_begin(wpin_order *o, const WPIN_FAR wpin_order_config *config,
                             const wpin_port *port) {
    if (o == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_stage_close(&o->stage);
    *o = (wpin_order){.state = WPIN_ORDER_CLOSED};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_status status = check(config, port);
    if (status == WPIN_OK) {
        status = wpin_stage_open(&o->stage, config->stage, port);
    }
    if (status == WPIN_OK) {
        o->port = port;
        o->left_us = 2U * (uint32_t)config->hold_ms * 1000U;
        o->rise = ((uint32_t)config->duty << 12) / (config->hold_ms != 0 ? config->hold_ms : 1U);
        o->last = port->now(port->context);
        o->state = WPIN_ORDER_MOVING;
        o->config = config; /* open from here on */
    }
    return status;
}
