/* Measured limits: current against its trip level, supply against its window. */
#include "guard.h"

wpin_status wpin_guard_check(const wpin_guard_config *config, const wpin_port *port) {
    bool current = config->current_input != WPIN_NO_INPUT;
    bool supply = config->supply_input != WPIN_NO_INPUT;
    if ((current || supply) && port->millivolts == NULL) {
        return WPIN_REFUSED_PORT;
    }
    if (current && (config->current_mv_per_a == 0 || config->current_trip_ma == 0)) {
        return WPIN_REFUSED_RANGE;
    }
    if (supply && (config->supply_ratio_milli == 0 || config->supply_ratio_milli > 1000 ||
                   config->supply_min_mv > config->supply_max_mv)) {
        return WPIN_REFUSED_RANGE;
    }
    return WPIN_OK;
}

static wpin_status watch_current(wpin_guard *guard, const wpin_guard_config *config,
                                 const wpin_port *port, uint32_t dt_us) {
    int32_t mv = port->millivolts(port->context, config->current_input) - config->current_zero_mv;
    guard->current_ma = mv * 1000 / config->current_mv_per_a;
    uint32_t size = (uint32_t)(guard->current_ma < 0 ? -guard->current_ma : guard->current_ma);
    if (size <= config->current_trip_ma) {
        guard->over = false;
        return WPIN_OK;
    }
    uint32_t over_us = guard->over ? guard->over_us + dt_us : 0;
    guard->over_us = over_us < guard->over_us ? UINT32_MAX : over_us;
    guard->over = true;
    return guard->over_us >= config->current_trip_us ? WPIN_FAULT_OVERCURRENT : WPIN_OK;
}

static wpin_status watch_supply(wpin_guard *guard, const wpin_guard_config *config,
                                const wpin_port *port) {
    int32_t mv = port->millivolts(port->context, config->supply_input);
    guard->supply_mv = mv * 1000 / config->supply_ratio_milli;
    if (guard->supply_mv < (int32_t)config->supply_min_mv) {
        return WPIN_FAULT_SUPPLY_LOW;
    }
    return guard->supply_mv > (int32_t)config->supply_max_mv ? WPIN_FAULT_SUPPLY_HIGH : WPIN_OK;
}

wpin_status wpin_guard_tick(wpin_guard *guard, const wpin_guard_config *config,
                            const wpin_port *port, uint32_t dt_us) {
    wpin_status status = WPIN_OK;
    if (config->current_input != WPIN_NO_INPUT) {
        status = watch_current(guard, config, port, dt_us);
    }
    if (status == WPIN_OK && config->supply_input != WPIN_NO_INPUT) {
        status = watch_supply(guard, config, port);
    }
    return status;
}
