/* A motor behind a drive on a field bus, by CiA 402: an actuator. What is wanted of it and what it
 * says go over the bus in axis_data.c, it is set up in axis_setup.c. */
#include "axis_core.h"
#include "network_core.h"
#include "share.h"

#define RUNS_AWAY 1024   /* so much faster, of 16384 */
#define RESET_US  500000 /* it forgets its fault within this */

static bool config_holds(const WPIN_FAR wpin_axis_config *c) {
    return c->full_speed >= 1 && c->full_speed <= WPIN_AXIS_SPEED_MAX &&
           c->profile_speed <= WPIN_AXIS_SPEED_MAX && c->full_current <= 8191 &&
           c->position_every <= 240 && c->setting_count <= 200;
}

static bool settings_hold(const WPIN_FAR wpin_axis_config *c) {
    for (uint8_t i = 0; i < c->setting_count; i++) {
        uint8_t size = c->settings == NULL ? 0 : c->settings[i].size;
        if (size != 1 && size != 2 && size != 4) {
            return false;
        }
    }
    return true;
}

/* An axis that is opened again keeps its node in the network's list. */
static wpin_status join(wpin_axis *axis, const WPIN_FAR wpin_axis_config *config) {
    wpin_node *node = &axis->node;
    bool joined = node->network == config->network && node->number == config->number;
    if (joined) {
        for (const wpin_node *n = config->network->nodes; n != NULL; n = n->next) {
            if (n == node) {
                return WPIN_OK;
            }
        }
    }
    return wpin_network_add(config->network, node, config->number);
}

static wpin_status open_as(void *self, const WPIN_FAR void *config_of, const wpin_port *port,
                           bool plain) {
    wpin_axis *axis = self;
    const WPIN_FAR wpin_axis_config *config = config_of;
    axis->config = NULL;
    if (config == NULL || port == NULL || config->network == NULL ||
        config->network->config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!config_holds(config) || (plain && config->full_speed > INT16_MAX)) {
        return WPIN_REFUSED_RANGE;
    }
    uint16_t own = config->network->config->number;
    bool beats = config->network->config->heartbeat_us != 0;
    if (!settings_hold(config) || config->network->config->sync_us == 0 ||
        (config->heartbeat_ms != 0 && (own == 0 || !beats || config->guard_ms != 0))) {
        return WPIN_REFUSED_CONFIG;
    }
    wpin_status status = join(axis, config);
    if (status != WPIN_OK) {
        return status;
    }
    axis->node.masters = 0;
    wpin_node node = axis->node;
    *axis = (wpin_axis){.node = node,
                        .plain = plain,
                        .wants_mode = plain ? MODE_PLAIN : MODE_SPEED,
                        .wants = WPIN_AXIS_READY,
                        .safe = WPIN_AXIS_READY,
                        .cut = 1,
                        .lost_us = UINT32_MAX};
    uint32_t full = config->full_speed;
    for (; (full >> 31) == 0; full <<= 1) {
        axis->shift++;
    }
    axis->scale = wpin_share_of(full);
    axis->last = port->now(port->context);
    uint32_t guard_us = (uint32_t)config->guard_ms * 1000U;
    axis->node.heartbeat_us =
        guard_us != 0 ? 3U * guard_us : (uint32_t)config->heartbeat_ms * 1000U;
    axis->node.guard_us = guard_us;
    axis->node.context = axis;
    axis->node.take = wpin_axis_take;
    axis->config = config;
    wpin_axis_set_up_anew(axis, 0);
    return WPIN_OK;
}

static wpin_status open_axis(void *self, const WPIN_FAR void *config, const wpin_port *port) {
    return open_as(self, config, port, false);
}

static wpin_status open_plain(void *self, const WPIN_FAR void *config, const wpin_port *port) {
    return open_as(self, config, port, true);
}

static uint8_t traits(const void *self) {
    (void)self;
    return WPIN_CAN_COAST | WPIN_CAN_BRAKE | WPIN_CAN_FORWARD | WPIN_CAN_REVERSE;
}

/* A mode is changed at rest: what runs in another comes to rest first. */
static bool may_change(const wpin_axis *axis, int8_t mode) {
    return mode == axis->wants_mode || wpin_axis_stands(axis);
}

static void go_to(wpin_axis *axis, int32_t place) {
    if (!wpin_axis_has(axis, AXIS_PLACES) || wpin_axis_has(axis, AXIS_HALTS) ||
        axis->goal != place) {
        wpin_axis_set(axis, AXIS_TOLD | AXIS_HALTS | AXIS_HOMED, false);
        wpin_axis_set(axis, AXIS_PLACES | AXIS_CHANGED, true);
        axis->goal = place;
    }
}

static wpin_status put(void *self, uint8_t quantity, int32_t value) {
    wpin_axis *axis = self;
    if (axis->config == NULL) {
        return WPIN_REFUSED_CLOSED;
    }
    if (axis->cut != 0) {
        return WPIN_REFUSED_FAULTED;
    }
    bool place = quantity == WPIN_QUANTITY_POSITION;
    int8_t speeds = axis->plain ? MODE_PLAIN : MODE_SPEED;
    int8_t mode = place && value == WPIN_POSITION_HOME ? MODE_HOMING
                  : place                              ? MODE_POSITION
                  : quantity == WPIN_QUANTITY_TORQUE   ? MODE_TORQUE
                  : quantity == WPIN_QUANTITY_SPEED    ? speeds
                                                       : axis->wants_mode;
    if (axis->wants != WPIN_AXIS_ENABLED) {
        axis->wants = WPIN_AXIS_ENABLED;
        axis->waits_us = STATE_US;
        axis->asked_us = 0;
        axis->flags = AXIS_CHANGED;
    }
    if (!may_change(axis, mode)) {
        axis->share = 0;
        wpin_axis_set(axis, AXIS_HALTS, true);
        wpin_axis_tell(axis);
        return WPIN_OK;
    }
    if (mode != axis->wants_mode) {
        axis->wants_mode = mode;
        axis->flags = (uint8_t)((axis->flags & AXIS_ENABLED) | AXIS_CHANGED);
        axis->share = 0;
        axis->waits_us = STATE_US;
    }
    if (place) {
        go_to(axis, value);
    } else {
        wpin_axis_set(axis, AXIS_HALTS, false);
        axis->share = (int16_t)value;
    }
    wpin_axis_tell(axis);
    return WPIN_OK;
}

static wpin_status idle(void *self, wpin_drive how) {
    wpin_axis *axis = self;
    if (axis->config == NULL) {
        return WPIN_REFUSED_CLOSED;
    }
    uint8_t wants = how == WPIN_DRIVE_BRAKE ? WPIN_AXIS_QUICK_STOP : WPIN_AXIS_READY;
    axis->safe = wants;
    axis->cut = 0;
    axis->share = 0;
    axis->wants = wants;
    axis->flags = 0;
    wpin_axis_tell(axis);
    return WPIN_OK;
}

static wpin_duty shown(const void *self) {
    const wpin_axis *axis = self;
    return axis->config != NULL && wpin_axis_drives(axis) && !wpin_axis_has(axis, AXIS_PLACES)
               ? axis->share
               : 0;
}

/* Also from an interrupt in the middle of a tick, which then says it again. */
static void off(void *self) {
    wpin_axis *axis = self;
    axis->cut = 1;
    wpin_axis_send_off(axis);
}

static wpin_status close_axis(void *self) {
    wpin_axis *axis = self;
    if (axis->config != NULL) {
        off(axis);
        axis->node.take = NULL;
        axis->config = NULL;
    }
    return WPIN_OK;
}

static bool stop(void *self) {
    wpin_axis *axis = self;
    if (axis->config == NULL || !wpin_axis_drives(axis)) {
        return true;
    }
    axis->share = 0;
    wpin_axis_set(axis, AXIS_HALTS, true);
    wpin_axis_set(axis, AXIS_OFFERS | AXIS_TOLD, false);
    wpin_axis_tell(axis);
    return wpin_axis_stands(axis);
}

/* It stands where it was sent: the last units, to and fro, are none of ours. */
static bool has_arrived(const wpin_axis *axis) {
    bool reached = (axis->status & AXIS_REACHED) != 0 && wpin_axis_has(axis, AXIS_TOLD) &&
                   !wpin_axis_has(axis, AXIS_OFFERS);
    uint32_t off = (uint32_t)wpin_axis_place_shown(axis, axis->position) - (uint32_t)axis->goal;
    uint32_t size = off > INT32_MAX ? 0U - off : off;
    return wpin_axis_has(axis, AXIS_PLACES) && wpin_axis_drives(axis) && reached &&
           size <= axis->config->hold_still;
}

static void measure(const wpin_axis *axis, wpin_measurement *m) {
    if (wpin_axis_is_heard(axis)) {
        bool arrived = has_arrived(axis);
        m->speed = arrived ? 0 : wpin_axis_speed_of(axis, axis->velocity);
        m->speed_us = (uint16_t)(axis->lost_us > UINT16_MAX ? UINT16_MAX : axis->lost_us);
        m->position = arrived ? axis->goal : wpin_axis_place_shown(axis, axis->position);
        m->current = wpin_axis_current_of(axis, axis->current);
        uint8_t place = axis->plain ? 0 : WPIN_HAS_POSITION;
        m->valid = (uint8_t)(m->valid | WPIN_HAS_SPEED | WPIN_HAS_CURRENT | place);
    }
    bool starts = axis->wants == WPIN_AXIS_ENABLED && !wpin_axis_drives(axis);
    m->inputs = (uint8_t)((m->inputs & ~WPIN_STARTING) | (starts ? WPIN_STARTING : 0));
}

/* Whether it does as it is told: enabled, in the mode asked for, and on its way or there. */
static bool does_it(const wpin_axis *axis) {
    bool waits = wpin_axis_has(axis, AXIS_PLACES) && !wpin_axis_has(axis, AXIS_HALTS) &&
                 wpin_axis_stands(axis) && !has_arrived(axis);
    if (wpin_axis_homes(axis)) { /* how long it may look for it, others say */
        waits = !wpin_axis_has(axis, AXIS_HALTS) &&
                (!wpin_axis_has(axis, AXIS_TOLD) || wpin_axis_has(axis, AXIS_OFFERS));
    }
    return axis->wants != WPIN_AXIS_ENABLED ? axis->state != WPIN_AXIS_ENABLED
                                            : wpin_axis_drives(axis) && !waits;
}

/* Told to stop quickly it gets faster: its leads or its encoder are wrong, or its load drives it.
 */
static bool runs_away(wpin_axis *axis) {
    int16_t speed = wpin_axis_speed_of(axis, axis->velocity);
    uint16_t size = (uint16_t)(speed < 0 ? -speed : speed);
    if (axis->state != WPIN_AXIS_QUICK_STOP || size < axis->least) {
        axis->least = axis->state == WPIN_AXIS_QUICK_STOP ? size : INT16_MAX;
    }
    return size > axis->least && size - axis->least > RUNS_AWAY;
}

static bool finds_none(const wpin_axis *axis) {
    return wpin_axis_homes(axis) && wpin_axis_drives(axis) && wpin_axis_has(axis, AXIS_TOLD) &&
           !wpin_axis_has(axis, AXIS_OFFERS) && (axis->status & AXIS_HOMELESS) != 0;
}

static bool in_fault(const wpin_axis *axis) {
    return axis->state == WPIN_AXIS_FAULT || axis->state == WPIN_AXIS_REACTS;
}

/* What its profile's speed is to be, 6081h: half of it for the first place after a fault. */
static void tell_profile(wpin_axis *axis) {
    if (!wpin_object_done(&axis->node)) {
        return;
    }
    uint32_t full = axis->config->profile_speed;
    full = full != 0 ? full : axis->config->full_speed;
    const wpin_transfer *t = &axis->node.transfer;
    bool told = t->index == PROFILE_SPEED && t->result == WPIN_OK &&
                wpin_number_from(t->small, 4) == full / 2U;
    if (axis->gentle == GENTLE_TO_BE && told) {
        axis->gentle = GENTLE;
    } else if (axis->gentle == GENTLE_TO_BE) {
        wpin_object_write_number(&axis->node, PROFILE_SPEED, 0, full / 2U, 4);
    } else if (axis->gentle == GENTLE && has_arrived(axis)) {
        axis->gentle = 0;
        wpin_object_write_number(&axis->node, PROFILE_SPEED, 0, full, 4);
    }
}

static uint32_t later(uint32_t since_us, uint32_t dt_us) {
    return since_us > UINT32_MAX - dt_us ? UINT32_MAX : since_us + dt_us;
}

/* Time that passes: without a word of it, without it doing as it is told, until a reset is over. */
static void pass(wpin_axis *axis, uint32_t dt_us) {
    axis->lost_us = later(axis->lost_us, dt_us);
    axis->asked_us = later(axis->asked_us, dt_us);
    if (axis->setup != WPIN_AXIS_SET_UP) {
        wpin_axis_set_up(axis, dt_us);
        return;
    }
    bool idle = axis->resets == 0 && does_it(axis);
    axis->waits_us = idle ? STATE_US : axis->waits_us < dt_us ? 0 : axis->waits_us - dt_us;
    if (axis->resets != 0 && (axis->waits_us == 0 || !in_fault(axis))) {
        axis->resets = 0;
        axis->waits_us = STATE_US;
    }
    wpin_axis_set(axis, AXIS_DROPPED,
                  wpin_axis_has(axis, AXIS_DROPPED) || runs_away(axis) || finds_none(axis));
    tell_profile(axis);
    if (axis->node.boots != axis->boots) { /* it has forgotten all of it, or is not the one */
        wpin_axis_send_off(axis);
        wpin_axis_set_up_anew(axis, 0);
    }
}

static wpin_status poll(void *self, wpin_measurement *m) {
    wpin_axis *axis = self;
    if (axis->config == NULL) {
        return WPIN_REFUSED_CLOSED;
    }
    uint32_t dt_us = m->at - axis->last;
    axis->last = m->at;
    wpin_network_poll(axis->config->network);
    pass(axis, dt_us > WPIN_SPAN_MAX ? 0 : dt_us);
    if (axis->wants != WPIN_AXIS_ENABLED || axis->cut != 0) {
        wpin_axis_tell(axis); /* put() tells it the rest of the time */
    }
    measure(axis, m);
    return WPIN_OK;
}

/* Its own fault is reset; until that has come or not, it does not count as one. */
static wpin_status clear(void *self) {
    wpin_axis *axis = self;
    if (axis->config == NULL) {
        return WPIN_REFUSED_CLOSED;
    }
    axis->node.masters = 0;
    axis->gentle = axis->plain ? 0 : GENTLE_TO_BE; /* that is about places */
    axis->flags &= (uint8_t)~AXIS_DROPPED;
    if (axis->setup == WPIN_AXIS_REFUSED) {
        wpin_axis_set_up_anew(axis, 0);
    }
    if (axis->state == WPIN_AXIS_FAULT && axis->resets == 0) {
        axis->resets = 1;
        axis->waits_us = RESET_US;
    }
    return WPIN_OK;
}

/* What both actuators do alike. */
#define COMMON                                                                                     \
    .close = close_axis, .traits = traits, .put = put, .idle = idle, .shown = shown, .off = off,   \
    .stop = stop, .poll = poll, .clear = clear

/* Where it says it is counts from then on. */
static bool homed(void *self) {
    wpin_axis *axis = self;
    if (axis->config == NULL || !wpin_axis_has(axis, AXIS_HOMED) || !wpin_axis_stands(axis)) {
        return false;
    }
    axis->offset = 0;
    return true;
}

const WPIN_FLASH wpin_actuator wpin_axis_actuator = {.takes = WPIN_TAKES(WPIN_QUANTITY_SPEED) |
                                                              WPIN_TAKES(WPIN_QUANTITY_TORQUE) |
                                                              WPIN_TAKES(WPIN_QUANTITY_POSITION),
                                                     .open = open_axis,
                                                     .homed = homed,
                                                     COMMON};

const WPIN_FLASH wpin_actuator wpin_plain_axis_actuator = {
    .takes = WPIN_TAKES(WPIN_QUANTITY_SPEED), .open = open_plain, COMMON};

void wpin_axis_set_position(void *self, int32_t position) {
    wpin_axis *axis = self;
    if (axis != NULL && axis->config != NULL) {
        axis->offset = 0;
        axis->offset =
            (int32_t)((uint32_t)position - (uint32_t)wpin_axis_place_shown(axis, axis->position));
    }
}

/* ---- what it trips on ---- */

wpin_status wpin_axis_check(void *self, const WPIN_FAR void *config, const wpin_watched *w) {
    (void)config, (void)w;
    const wpin_axis *axis = self;
    if (axis->config == NULL || !wpin_axis_is_heard(axis) || axis->node.boots != axis->boots) {
        return WPIN_FAULT_SILENT;
    }
    bool elsewhere = !axis->config->any_source && (axis->status & AXIS_REMOTE) == 0;
    if (axis->node.masters != 0 || elsewhere) {
        return WPIN_FAULT_MASTER;
    }
    bool fault = in_fault(axis) && axis->resets == 0;
    bool late = axis->waits_us == 0 && axis->resets == 0 && !does_it(axis);
    return fault || wpin_axis_has(axis, AXIS_DROPPED) || late ? WPIN_FAULT_DRIVE : WPIN_OK;
}

void wpin_axis_begin(void *self) {
    wpin_axis *axis = self;
    axis->waits_us = STATE_US;
}
