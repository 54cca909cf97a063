/* From counts alone to speed and position: what runs in every tick stands in
 * windpin/impl/steady_counting.h. */
#include "rare.h"
#include "windpin/impl/steady_counting.h"

/* Steps too long for a loop that rings: the speed moves towards that of each step, and the place is
 * where the counts are. Of one that is only known to be long it tells nothing. */
WPIN_RARE void wpin_rare_track(wpin_counting *c, uint8_t smooth, int32_t counted, uint16_t dt_us) {
    int32_t went = wpin_steady_times(wpin_upper(c->speed), (uint16_t)(dt_us >> 2));
    int32_t lag = wpin_halved(c->lag, 2) + wpin_halved(counted, 2) - went;
    lag = wpin_within(lag, WPIN_LAG_MAX);
    c->lag = 0;
    if (dt_us != UINT16_MAX) {
        c->speed = wpin_steady_sum(c->speed, wpin_halved(lag, (uint8_t)(2U * smooth)) * 4);
    }
}

static bool holds(const WPIN_FAR wpin_counting_config *config) {
    uint32_t worth = config->per_count;
    return worth >= 62500U && worth <= (uint32_t)1 << 27 && config->most != 0 &&
           config->smooth <= 3 &&
           config->most <= (((uint32_t)1 << 29) + ((uint32_t)1 << 24)) / worth;
}

wpin_status wpin_counting_init(wpin_counting *counting, const WPIN_FAR wpin_counting_config *config,
                               const wpin_port *port) {
    if (counting == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *counting = (wpin_counting){0};
    if (!wpin_counting_may_open(config, port)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!holds(config)) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_count now;
    if (wpin_steady_count(config, port, &now) != WPIN_OK) {
        return WPIN_REFUSED_PORT;
    }
    wpin_counting_note(counting, config, port);
    counting->last = (uint16_t)(uint32_t)now.counts;
    counting->left = 1;
    return WPIN_OK;
}

void wpin_counting_measure(void *counting, wpin_measurement *m) {
    wpin_counting *c = counting;
    if (c != NULL) {
        wpin_steady_counting(c, wpin_counting_config_of(c), wpin_counting_port_of(c), m);
    }
}

void wpin_counting_set_position(void *counting, int32_t position) {
    wpin_counting *c = counting;
    if (c != NULL) {
        c->position = position;
    }
}
