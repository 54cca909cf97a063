/* A temperature that is read: too warm, or not read at all. */
#include "windpin/temperature.h"
#include <stddef.h>

static bool holds(const WPIN_FAR wpin_temperature_config *c) {
    int16_t low = c->trip_mv < c->clear_mv ? c->trip_mv : c->clear_mv;
    int16_t high = c->trip_mv < c->clear_mv ? c->clear_mv : c->trip_mv;
    return low != high && c->least_mv >= 0 && c->least_mv < low && high < c->most_mv &&
           c->for_ms <= 60000U;
}

wpin_status wpin_temperature_init(wpin_temperature *t,
                                  const WPIN_FAR wpin_temperature_config *config,
                                  const wpin_port *port) {
    if (t == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *t = (wpin_temperature){0};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!holds(config)) {
        return WPIN_REFUSED_RANGE;
    }
    if (port->millivolts == NULL) {
        return WPIN_REFUSED_PORT;
    }
    t->config = config;
    t->port = port;
    return WPIN_OK;
}

/* What a reading stands for; once too warm, it is until it has cooled. */
static wpin_status meaning(const wpin_temperature *t, int16_t mv) {
    const WPIN_FAR wpin_temperature_config *c = t->config;
    if (mv == WPIN_NO_READING || mv < c->least_mv || mv > c->most_mv) {
        return WPIN_FAULT_SENSOR;
    }
    bool falls = c->trip_mv < c->clear_mv, was = t->told == (uint8_t)WPIN_FAULT_OVERTEMPERATURE;
    int16_t limit = was ? c->clear_mv : c->trip_mv;
    bool warm = falls ? mv <= limit : mv >= limit;
    return warm ? WPIN_FAULT_OVERTEMPERATURE : WPIN_OK;
}

wpin_status wpin_temperature_check(void *temperature, const WPIN_FAR void *config,
                                   const wpin_watched *w) {
    wpin_temperature *t = temperature;
    (void)config; /* its own is the one it was initialised with */
    if (t->config == NULL || t->port == NULL) {
        return WPIN_OK;
    }
    t->mv = t->port->millivolts(t->port->context, t->config->input);
    uint8_t seen = (uint8_t)meaning(t, t->mv);
    uint32_t lasts_us = t->config->for_ms * (uint32_t)1000;
    if (seen != t->seen) {
        t->seen = seen;
        t->us = 0;
    } else if (t->us < lasts_us) {
        t->us += w->measurement->dt_us;
    }
    if (t->us >= lasts_us) {
        t->told = seen;
    }
    return (wpin_status)t->told;
}

void wpin_temperature_reset(void *temperature) {
    (void)temperature; /* arming cools nothing */
}
