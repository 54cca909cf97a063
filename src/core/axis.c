/* A motor behind a drive on a field bus, by CiA 402: what is wanted of it becomes a control word, a
 * mode and a target; what it says becomes a measurement. It is set up in axis_setup.c. */
#include "axis_core.h"
#include "network_core.h"
#include "share.h"

/* Bits of the control word, 6040h... */
#define SHUT_DOWN ((uint16_t)0x06)
#define SWITCH_ON ((uint16_t)0x07)
#define ENABLE    ((uint16_t)0x0F)
#define RESET     ((uint16_t)0x80)
#define NEW_PLACE ((uint16_t)0x10)
#define AT_ONCE   ((uint16_t)0x20)
#define HALT      ((uint16_t)0x100)
/* Of velocity mode: its ramp works, and is led by the target. */
#define PLAIN_RAMP ((uint16_t)0x70)
/* ...and of the status word, 6041h. */
#define REMOTE   ((uint16_t)0x200) /* it does what the bus says */
#define REACHED  ((uint16_t)0x400)
#define TAKEN    ((uint16_t)0x1000) /* the new place; of homing: it has its home */
#define HOMELESS ((uint16_t)0x2000) /* and this: it has not found it */

/* wpin_axis.flags */
#define PLACES  ((uint8_t)1)   /* it goes to a place */
#define HALTS   ((uint8_t)2)   /* it is to come to rest by its own ramp */
#define OFFERS  ((uint8_t)4)   /* a new place, and it has not taken it yet */
#define DROPPED ((uint8_t)8)   /* it left operation by itself, or runs away */
#define ENABLED ((uint8_t)16)  /* it was enabled since it was last asked to be */
#define CHANGED ((uint8_t)32)  /* what it is to be told, since it was */
#define TOLD    ((uint8_t)64)  /* the place it goes to */
#define HOMED   ((uint8_t)128) /* it has found its home, and said where it is */

/* wpin_axis.gentle */
#define GENTLE_TO_BE 1
#define GENTLE       2

#define RUNS_AWAY 1024 /* so much faster, of 16384 */
#define STANDS    64
#define LOST_MS   100
#define STATE_US  1000000 /* it does what it is told within this */
#define WAY_ON_US 100000
#define OLD_US    200000 /* that it has its home, said for so long, is no old word */
#define RESET_US  500000 /* and forgets its fault within this */

/* As the status word's low bits tell the state: first those that leave bit 5 open. */
wpin_axis_state wpin_axis_state_of(uint16_t status_word) {
    switch (status_word & 0x4FU) {
    case 0x00: return WPIN_AXIS_NOT_READY;
    case 0x40: return WPIN_AXIS_DISABLED;
    case 0x0F: return WPIN_AXIS_REACTS;
    case 0x08: return WPIN_AXIS_FAULT;
    default: break;
    }
    switch (status_word & 0x6FU) {
    case 0x21: return WPIN_AXIS_READY;
    case 0x23: return WPIN_AXIS_ON;
    case 0x27: return WPIN_AXIS_ENABLED;
    case 0x07: return WPIN_AXIS_QUICK_STOP;
    default: return WPIN_AXIS_UNKNOWN;
    }
}

static bool has(const wpin_axis *axis, uint8_t flag) {
    return (axis->flags & flag) != 0;
}

static void set(wpin_axis *axis, uint8_t flag, bool on) {
    axis->flags = (uint8_t)(on ? axis->flags | flag : axis->flags & ~flag);
}

static bool drives(const wpin_axis *axis) {
    return axis->state == WPIN_AXIS_ENABLED && axis->wants == WPIN_AXIS_ENABLED &&
           axis->mode == axis->wants_mode && axis->cut == 0;
}

/* ---- units ---- */

/* Velocity of a speed: full_speed x share / 16384, in two parts that fit. */
static int32_t velocity_of(const wpin_axis *axis, int16_t share) {
    uint32_t full = axis->config->full_speed;
    uint16_t size = share < 0 ? (uint16_t)(0U - (uint16_t)share) : (uint16_t)share;
    uint32_t velocity = (full >> 14) * size + (((full & 0x3FFFU) * size) >> 14);
    return (int32_t)((share < 0) != axis->config->reversed ? 0U - velocity : velocity);
}

/* Speed of a velocity: velocity x 2^14 / full_speed by its share of 2^47; with the zeros before
 * full_speed, `shift`, that is velocity x scale >> (33 - shift), the first of it beforehand where
 * 16 bits would not hold it. */
static int16_t speed_of(const wpin_axis *axis, int32_t velocity) {
    uint32_t size = velocity < 0 ? 0U - (uint32_t)velocity : (uint32_t)velocity;
    uint8_t shift = axis->shift & 31U, after = 16;
    if (shift < 17) {
        size >>= 17U - shift;
    } else {
        after = (uint8_t)(33U - shift);
    }
    size = size > UINT16_MAX ? UINT16_MAX : size;
    size = (size * axis->scale) >> after;
    int16_t speed = (int16_t)(size > INT16_MAX ? INT16_MAX : size);
    return (velocity < 0) != axis->config->reversed ? (int16_t)-speed : speed;
}

static bool stands(const wpin_axis *axis) {
    int16_t speed = speed_of(axis, axis->velocity);
    return speed < STANDS && speed > -STANDS;
}

/* Current x full_current / 1000: 8389 / 2^23 of it. */
static int16_t current_of(const wpin_axis *axis, int16_t per_mille) {
    uint32_t size = (uint16_t)(per_mille < 0 ? 0U - (uint16_t)per_mille : (uint16_t)per_mille);
    size = ((size * axis->config->full_current >> 10) * 8389U) >> 13;
    int16_t current = (int16_t)(size > INT16_MAX ? INT16_MAX : size);
    return per_mille < 0 ? (int16_t)-current : current;
}

/* Torque in 1/1000 of the rated one: share x 125 / 2048. */
static int16_t torque_of(const wpin_axis *axis, int16_t share) {
    uint16_t size = share < 0 ? (uint16_t)(0U - (uint16_t)share) : (uint16_t)share;
    int16_t torque = (int16_t)(((uint32_t)size * 125U) >> 11);
    return (share < 0) != axis->config->reversed ? (int16_t)-torque : torque;
}

/* A place of the machine and one of the drive; both wrap. */
static int32_t place_shown(const wpin_axis *axis, int32_t position) {
    uint32_t p = axis->config->reversed ? 0U - (uint32_t)position : (uint32_t)position;
    return (int32_t)(p + (uint32_t)axis->offset);
}

static int32_t place_told(const wpin_axis *axis, int32_t place) {
    uint32_t p = (uint32_t)place - (uint32_t)axis->offset;
    return (int32_t)(axis->config->reversed ? 0U - p : p);
}

/* ---- what it says ---- */

static bool homes(const wpin_axis *axis) {
    return axis->wants_mode == MODE_HOMING;
}

static void note_state(wpin_axis *axis) {
    axis->state = (uint8_t)wpin_axis_state_of(axis->status);
    bool enabled = axis->state == WPIN_AXIS_ENABLED;
    if (axis->wants == WPIN_AXIS_ENABLED && !enabled && has(axis, ENABLED)) {
        set(axis, DROPPED, true);
    }
    set(axis, ENABLED, axis->wants == WPIN_AXIS_ENABLED && (enabled || has(axis, ENABLED)));
    bool taken = (axis->status & TAKEN) != 0;
    if (homes(axis)) { /* its last home is forgotten when it begins */
        bool old = taken && axis->waits_us > STATE_US - OLD_US;
        set(axis, OFFERS, has(axis, OFFERS) && old);
    } else if (taken && has(axis, OFFERS)) {
        set(axis, OFFERS, false);
        set(axis, CHANGED, true);
    }
}

/* It told where it is since it has its home. */
static void note_home(wpin_axis *axis) {
    bool there = (axis->status & (TAKEN | REACHED)) == (TAKEN | REACHED);
    set(axis, HOMED, homes(axis) && drives(axis) && has(axis, TOLD) && !has(axis, OFFERS) && there);
}

static void take(void *context, uint8_t number, const wpin_frame *frame) {
    wpin_axis *axis = context;
    if (axis == NULL || axis->config == NULL || frame->remote) {
        return;
    }
    uint8_t wide = axis->plain ? 2 : 4; /* bytes of a velocity, and of a place: none */
    if (number == 1 && frame->length == 4 + wide) {
        axis->status = (uint16_t)wpin_number_from(frame->data, 2);
        uint32_t velocity = wpin_number_from(&frame->data[2], wide);
        axis->velocity = axis->plain ? (int16_t)velocity : (int32_t)velocity;
        axis->current = (int16_t)wpin_number_from(&frame->data[2 + wide], 2);
        axis->lost_us = 0;
        note_state(axis);
    } else if (number == 2 && frame->length == (axis->plain ? 3 : 7)) {
        axis->error = (uint16_t)wpin_number_from(frame->data, 2);
        axis->mode = (int8_t)frame->data[2];
        axis->position = axis->plain ? 0 : (int32_t)wpin_number_from(&frame->data[3], 4);
        note_home(axis);
    } else if (axis->config->network != NULL) {
        wpin_count_up(&axis->config->network->bad);
    }
}

static uint32_t lost_after_us(const wpin_axis *axis) {
    uint16_t ms = axis->config->lost_ms;
    return (uint32_t)(ms != 0 ? ms : LOST_MS) * 1000U;
}

static bool is_heard(const wpin_axis *axis) {
    return axis->setup == WPIN_AXIS_SET_UP && axis->lost_us <= lost_after_us(axis);
}

/* ---- what it is told ---- */

static uint16_t control_to_enable(const wpin_axis *axis) {
    switch (axis->state) {
    case WPIN_AXIS_DISABLED: return SHUT_DOWN;
    case WPIN_AXIS_READY: return SWITCH_ON;
    case WPIN_AXIS_ON: return ENABLE;
    case WPIN_AXIS_QUICK_STOP: /* where it does not go on from there, by the long way */
        return axis->waits_us > STATE_US - WAY_ON_US ? ENABLE : NO_VOLTAGE;
    case WPIN_AXIS_ENABLED: {
        uint16_t control = (uint16_t)(ENABLE | (has(axis, HALTS) ? HALT : 0));
        if (axis->plain) {
            return (uint16_t)(control | PLAIN_RAMP);
        }
        if (homes(axis)) { /* while it is set it goes on */
            return (uint16_t)(control | (has(axis, TOLD) ? NEW_PLACE : 0));
        }
        return (uint16_t)(control | (has(axis, PLACES) ? AT_ONCE : 0) |
                          (has(axis, OFFERS) ? NEW_PLACE : 0));
    }
    default: return NO_VOLTAGE;
    }
}

static uint16_t control_of(const wpin_axis *axis) {
    if (axis->state == WPIN_AXIS_FAULT) { /* its rising edge resets it */
        bool edge = axis->resets != 0 && (axis->control & RESET) == 0;
        return edge ? RESET : NO_VOLTAGE;
    }
    uint8_t wants = axis->cut != 0 ? axis->safe : axis->wants;
    if (wants == WPIN_AXIS_ENABLED && !has(axis, DROPPED)) {
        return control_to_enable(axis);
    }
    bool stops = wants == WPIN_AXIS_QUICK_STOP &&
                 (axis->state == WPIN_AXIS_ENABLED || axis->state == WPIN_AXIS_QUICK_STOP);
    return stops ? STOP_QUICKLY : SHUT_DOWN;
}

static bool send(wpin_axis *axis, uint16_t id, const uint8_t *data, uint8_t length) {
    wpin_frame frame = {.id = (uint16_t)(id + axis->config->number), .length = length};
    for (uint8_t i = 0; i < length; i++) {
        frame.data[i] = data[i];
    }
    return wpin_network_send(axis->config->network, &frame);
}

/* Control word and target go together: a lost frame is a late one, never half of it. */
static bool send_control(wpin_axis *axis, uint16_t control) {
    bool places = axis->wants_mode == MODE_POSITION;
    bool speed = axis->wants_mode == MODE_SPEED || axis->wants_mode == MODE_PLAIN;
    bool turns = drives(axis) && speed && !has(axis, HALTS);
    int32_t velocity = turns ? velocity_of(axis, axis->share) : 0;
    int32_t target = places ? place_told(axis, axis->goal) : velocity;
    uint8_t data[6];
    wpin_number_to(data, control, 2);
    wpin_number_to(&data[2], (uint32_t)target, 4);
    axis->control = control;
    return send(axis, (uint16_t)(WPIN_ID_IN_1 + (places ? 0x100U : 0U)), data, axis->plain ? 4 : 6);
}

static bool send_mode(wpin_axis *axis) {
    uint8_t data[3] = {(uint8_t)axis->wants_mode};
    bool torque = drives(axis) && axis->wants_mode == MODE_TORQUE;
    int16_t target = torque ? torque_of(axis, axis->share) : 0;
    wpin_number_to(&data[1], (uint16_t)target, 2);
    return send(axis, WPIN_ID_IN_1 + 0x200, data, axis->plain ? 1 : 3);
}

/* A new place is offered by an edge, once it has let go of the one before. */
static void offer(wpin_axis *axis) {
    bool idle = (axis->control & NEW_PLACE) == 0 && (homes(axis) || (axis->status & TAKEN) == 0) &&
                axis->gentle != GENTLE_TO_BE && wpin_object_done(&axis->node);
    if (has(axis, PLACES) && !has(axis, TOLD | HALTS) && drives(axis) && idle) {
        set(axis, TOLD | OFFERS, true);
        axis->waits_us = homes(axis) ? STATE_US : axis->waits_us;
    }
}

/* Once after each SYNC, and at once where its control word changes: what it is to do. What the bus
 * did not take is told again in the next tick; where it never does, the drive stops by itself and
 * is silent here. */
static void tell(wpin_axis *axis) {
    bool due = axis->synced != axis->config->network->syncs;
    offer(axis);
    uint16_t control = control_of(axis);
    if (axis->setup != WPIN_AXIS_SET_UP ||
        (!due && control == axis->control && !has(axis, CHANGED))) {
        return;
    }
    axis->synced = axis->config->network->syncs;
    bool torque = axis->wants_mode == MODE_TORQUE && axis->wants == WPIN_AXIS_ENABLED;
    bool sent = true;
    if (axis->mode != axis->wants_mode || torque) {
        sent = send_mode(axis);
    }
    sent = send_control(axis, control) && sent;
    set(axis, CHANGED, !sent);
}

/* A frame of its own, at once, whatever else it was told; nothing of the axis changes. Where it is
 * silent the bus may be blocked, and what waits is taken back: it would be told before. */
static void send_off(const wpin_axis *axis) {
    if (axis->config != NULL && axis->described && wpin_network_is_open(axis->config->network)) {
        wpin_frame frame = {.id = (uint16_t)(WPIN_ID_IN_1 + axis->config->number),
                            .length = axis->plain ? 4 : 6,
                            .data = {(uint8_t)wpin_axis_off_word(axis)}};
        const wpin_fieldbus *bus = axis->config->network->bus;
        if (bus->drop != NULL && !is_heard(axis)) {
            bus->drop(bus->context);
        }
        (void)bus->send(bus->context, &frame);
    }
}

/* ---- the actuator ---- */

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
    if (config == NULL || config->network == NULL || config->network->config == NULL) {
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
    axis->node.take = take;
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
    return mode == axis->wants_mode || stands(axis);
}

static void go_to(wpin_axis *axis, int32_t place) {
    if (!has(axis, PLACES) || has(axis, HALTS) || axis->goal != place) {
        set(axis, TOLD | HALTS | HOMED, false);
        set(axis, PLACES | CHANGED, true);
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
        axis->flags = CHANGED;
    }
    if (!may_change(axis, mode)) {
        axis->share = 0;
        set(axis, HALTS, true);
        tell(axis);
        return WPIN_OK;
    }
    if (mode != axis->wants_mode) {
        axis->wants_mode = mode;
        axis->flags = (uint8_t)((axis->flags & ENABLED) | CHANGED);
        axis->share = 0;
        axis->waits_us = STATE_US;
    }
    if (place) {
        go_to(axis, value);
    } else {
        set(axis, HALTS, false);
        axis->share = (int16_t)value;
    }
    tell(axis);
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
    tell(axis);
    return WPIN_OK;
}

static wpin_duty shown(const void *self) {
    const wpin_axis *axis = self;
    return axis->config != NULL && drives(axis) && !has(axis, PLACES) ? axis->share : 0;
}

/* Also from an interrupt in the middle of a tick, which then says it again. */
static void off(void *self) {
    wpin_axis *axis = self;
    axis->cut = 1;
    send_off(axis);
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
    if (axis->config == NULL || !drives(axis)) {
        return true;
    }
    axis->share = 0;
    set(axis, HALTS, true);
    set(axis, OFFERS | TOLD, false);
    tell(axis);
    return stands(axis);
}

/* It stands where it was sent: the last units, to and fro, are none of ours. */
static bool has_arrived(const wpin_axis *axis) {
    bool reached = (axis->status & REACHED) != 0 && has(axis, TOLD) && !has(axis, OFFERS);
    uint32_t off = (uint32_t)place_shown(axis, axis->position) - (uint32_t)axis->goal;
    uint32_t size = off > INT32_MAX ? 0U - off : off;
    return has(axis, PLACES) && drives(axis) && reached && size <= axis->config->hold_still;
}

static void measure(const wpin_axis *axis, wpin_measurement *m) {
    if (is_heard(axis)) {
        bool arrived = has_arrived(axis);
        m->speed = arrived ? 0 : speed_of(axis, axis->velocity);
        m->speed_us = (uint16_t)(axis->lost_us > UINT16_MAX ? UINT16_MAX : axis->lost_us);
        m->position = arrived ? axis->goal : place_shown(axis, axis->position);
        m->current = current_of(axis, axis->current);
        uint8_t place = axis->plain ? 0 : WPIN_HAS_POSITION;
        m->valid = (uint8_t)(m->valid | WPIN_HAS_SPEED | WPIN_HAS_CURRENT | place);
    }
    bool starts = axis->wants == WPIN_AXIS_ENABLED && !drives(axis);
    m->inputs = (uint8_t)((m->inputs & ~WPIN_STARTING) | (starts ? WPIN_STARTING : 0));
}

/* Whether it does as it is told: enabled, in the mode asked for, and on its way or there. */
static bool does_it(const wpin_axis *axis) {
    bool waits = has(axis, PLACES) && !has(axis, HALTS) && stands(axis) && !has_arrived(axis);
    if (homes(axis)) { /* how long it may look for it, others say */
        waits = !has(axis, HALTS) && (!has(axis, TOLD) || has(axis, OFFERS));
    }
    return axis->wants != WPIN_AXIS_ENABLED ? axis->state != WPIN_AXIS_ENABLED
                                            : drives(axis) && !waits;
}

/* Told to stop quickly it gets faster: its leads or its encoder are wrong, or its load drives it.
 */
static bool runs_away(wpin_axis *axis) {
    int16_t speed = speed_of(axis, axis->velocity);
    uint16_t size = (uint16_t)(speed < 0 ? -speed : speed);
    if (axis->state != WPIN_AXIS_QUICK_STOP || size < axis->least) {
        axis->least = axis->state == WPIN_AXIS_QUICK_STOP ? size : INT16_MAX;
    }
    return size > axis->least && size - axis->least > RUNS_AWAY;
}

static bool finds_none(const wpin_axis *axis) {
    return homes(axis) && drives(axis) && has(axis, TOLD) && !has(axis, OFFERS) &&
           (axis->status & HOMELESS) != 0;
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

/* Time that passes: without a word of it, without it doing as it is told, until a reset is over. */
static void pass(wpin_axis *axis, uint32_t dt_us) {
    axis->lost_us = axis->lost_us > UINT32_MAX - dt_us ? UINT32_MAX : axis->lost_us + dt_us;
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
    set(axis, DROPPED, has(axis, DROPPED) || runs_away(axis) || finds_none(axis));
    tell_profile(axis);
    if (axis->node.boots != axis->boots) { /* it has forgotten all of it, or is not the one */
        send_off(axis);
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
        tell(axis); /* put() tells it the rest of the time */
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
    axis->flags &= (uint8_t)~DROPPED;
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
    if (axis->config == NULL || !has(axis, HOMED) || !stands(axis)) {
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
        axis->offset = (int32_t)((uint32_t)position - (uint32_t)place_shown(axis, axis->position));
    }
}

/* ---- what it trips on ---- */

wpin_status wpin_axis_check(void *self, const wpin_watched *w) {
    (void)w;
    const wpin_axis *axis = self;
    if (axis->config == NULL || !is_heard(axis) || axis->node.boots != axis->boots) {
        return WPIN_FAULT_SILENT;
    }
    bool elsewhere = !axis->config->any_source && (axis->status & REMOTE) == 0;
    if (axis->node.masters != 0 || elsewhere) {
        return WPIN_FAULT_MASTER;
    }
    bool fault = in_fault(axis) && axis->resets == 0;
    bool late = axis->waits_us == 0 && axis->resets == 0 && !does_it(axis);
    return fault || has(axis, DROPPED) || late ? WPIN_FAULT_DRIVE : WPIN_OK;
}

void wpin_axis_begin(void *self) {
    wpin_axis *axis = self;
    axis->waits_us = STATE_US;
}
