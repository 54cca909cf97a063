/* The process data of a drive on a field bus: what its status word says, and which control word,
 * mode and target it is told. */
#include "axis_core.h"
#include "network_core.h"

/* Bits of the control word, 6040h... */
#define SHUT_DOWN ((uint16_t)0x06)
#define SWITCH_ON ((uint16_t)0x07)
#define ENABLE    ((uint16_t)0x0F)
#define RESET     ((uint16_t)0x80)
#define NEW_PLACE ((uint16_t)0x10)
#define AT_ONCE   ((uint16_t)0x20)
#define HALT      ((uint16_t)0x100)
/* ...of velocity mode: its ramp works, and is led by the target. */
#define PLAIN_RAMP ((uint16_t)0x70)
/* And of the status word: it has the new place; of homing, its home. */
#define TAKEN ((uint16_t)0x1000)

#define LOST_MS   100
#define WAY_ON_US 100000
#define OLD_US    200000 /* that it has its home, said for so long, is no old word */

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

static uint32_t lost_after_us(const wpin_axis *axis) {
    uint16_t ms = axis->config->lost_ms;
    return (uint32_t)(ms != 0 ? ms : LOST_MS) * 1000U;
}

/* It was enabled, by what it said after it could know that it is to be: what comes sooner may have
 * been on its way since before, and be followed by the stop that was asked for then. */
static bool was_enabled(const wpin_axis *axis, bool is_enabled) {
    bool knows = axis->asked_us > lost_after_us(axis);
    return axis->wants == WPIN_AXIS_ENABLED &&
           ((is_enabled && knows) || wpin_axis_has(axis, AXIS_ENABLED));
}

static void note_state(wpin_axis *axis) {
    axis->state = (uint8_t)wpin_axis_state_of(axis->status);
    bool enabled = axis->state == WPIN_AXIS_ENABLED;
    if (was_enabled(axis, enabled) && !enabled) {
        wpin_axis_set(axis, AXIS_DROPPED, true);
    }
    wpin_axis_set(axis, AXIS_ENABLED, was_enabled(axis, enabled));
    bool taken = (axis->status & TAKEN) != 0;
    if (wpin_axis_homes(axis)) { /* its last home is forgotten when it begins */
        bool old = taken && axis->waits_us > STATE_US - OLD_US;
        wpin_axis_set(axis, AXIS_OFFERS, wpin_axis_has(axis, AXIS_OFFERS) && old);
    } else if (taken && wpin_axis_has(axis, AXIS_OFFERS)) {
        wpin_axis_set(axis, AXIS_OFFERS, false);
        wpin_axis_set(axis, AXIS_CHANGED, true);
    }
}

/* It told where it is since it has its home. */
static void note_home(wpin_axis *axis) {
    bool there = (axis->status & (TAKEN | AXIS_REACHED)) == (TAKEN | AXIS_REACHED);
    wpin_axis_set(axis, AXIS_HOMED,
                  wpin_axis_homes(axis) && wpin_axis_drives(axis) &&
                      wpin_axis_has(axis, AXIS_TOLD) && !wpin_axis_has(axis, AXIS_OFFERS) && there);
}

void wpin_axis_take(void *context, uint8_t number, const wpin_frame *frame) {
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

bool wpin_axis_is_heard(const wpin_axis *axis) {
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
        uint16_t control = (uint16_t)(ENABLE | (wpin_axis_has(axis, AXIS_HALTS) ? HALT : 0));
        if (axis->plain) {
            return (uint16_t)(control | PLAIN_RAMP);
        }
        if (wpin_axis_homes(axis)) { /* while it is set it goes on */
            return (uint16_t)(control | (wpin_axis_has(axis, AXIS_TOLD) ? NEW_PLACE : 0));
        }
        return (uint16_t)(control | (wpin_axis_has(axis, AXIS_PLACES) ? AT_ONCE : 0) |
                          (wpin_axis_has(axis, AXIS_OFFERS) ? NEW_PLACE : 0));
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
    if (wants == WPIN_AXIS_ENABLED && !wpin_axis_has(axis, AXIS_DROPPED)) {
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
    bool turns = wpin_axis_drives(axis) && speed && !wpin_axis_has(axis, AXIS_HALTS);
    int32_t velocity = turns ? wpin_axis_velocity_of(axis, axis->share) : 0;
    int32_t target = places ? wpin_axis_place_told(axis, axis->goal) : velocity;
    uint8_t data[6];
    wpin_number_to(data, control, 2);
    wpin_number_to(&data[2], (uint32_t)target, 4);
    axis->control = control;
    return send(axis, (uint16_t)(WPIN_ID_IN_1 + (places ? 0x100U : 0U)), data, axis->plain ? 4 : 6);
}

static bool send_mode(wpin_axis *axis) {
    uint8_t data[3] = {(uint8_t)axis->wants_mode};
    bool torque = wpin_axis_drives(axis) && axis->wants_mode == MODE_TORQUE;
    int16_t target = torque ? wpin_axis_torque_of(axis, axis->share) : 0;
    wpin_number_to(&data[1], (uint16_t)target, 2);
    return send(axis, WPIN_ID_IN_1 + 0x200, data, axis->plain ? 1 : 3);
}

/* A new place is offered by an edge, once it has let go of the one before. */
static void offer(wpin_axis *axis) {
    bool idle = (axis->control & NEW_PLACE) == 0 &&
                (wpin_axis_homes(axis) || (axis->status & TAKEN) == 0) &&
                axis->gentle != GENTLE_TO_BE && wpin_object_done(&axis->node);
    if (wpin_axis_has(axis, AXIS_PLACES) && !wpin_axis_has(axis, AXIS_TOLD | AXIS_HALTS) &&
        wpin_axis_drives(axis) && idle) {
        wpin_axis_set(axis, AXIS_TOLD | AXIS_OFFERS, true);
        axis->waits_us = wpin_axis_homes(axis) ? STATE_US : axis->waits_us;
    }
}

/* Once after each SYNC, and at once where its control word changes: what it is to do. What the bus
 * did not take is told again in the next tick; where it never does, the drive stops by itself and
 * is silent here. */
void wpin_axis_tell(wpin_axis *axis) {
    bool due = axis->synced != axis->config->network->syncs;
    offer(axis);
    uint16_t control = control_of(axis);
    if (axis->setup != WPIN_AXIS_SET_UP ||
        (!due && control == axis->control && !wpin_axis_has(axis, AXIS_CHANGED))) {
        return;
    }
    axis->synced = axis->config->network->syncs;
    bool torque = axis->wants_mode == MODE_TORQUE && axis->wants == WPIN_AXIS_ENABLED;
    bool sent = true;
    if (axis->mode != axis->wants_mode || torque) {
        sent = send_mode(axis);
    }
    sent = send_control(axis, control) && sent;
    wpin_axis_set(axis, AXIS_CHANGED, !sent);
}

/* A frame of its own, at once, whatever else it was told; nothing of the axis changes. Where it is
 * silent the bus may be blocked, and what waits is taken back: it would be told before. */
void wpin_axis_send_off(const wpin_axis *axis) {
    if (axis->config != NULL && axis->described && wpin_network_is_open(axis->config->network)) {
        wpin_frame frame = {.id = (uint16_t)(WPIN_ID_IN_1 + axis->config->number),
                            .length = axis->plain ? 4 : 6,
                            .data = {(uint8_t)wpin_axis_off_word(axis)}};
        const wpin_fieldbus *bus = axis->config->network->bus;
        if (bus->drop != NULL && !wpin_axis_is_heard(axis)) {
            bus->drop(bus->context);
        }
        (void)bus->send(bus->context, &frame);
    }
}
