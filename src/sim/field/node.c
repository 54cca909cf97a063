/* The drive as a node of CiA 301: network management, heartbeats, who hears which frame. */
#include "node.h"
#include <string.h>

#define BOOT_PS (300 * WPIN_MS_PS)

/* ---- power, and what the network's manager says ---- */

static void forget(wpin_servo *s) {
    for (int i = 0; i < OD_COUNT; i++) {
        bool stored = (wpin_od[i].access & OD_STORED) != 0 && !s->half_stored;
        s->values[i] = stored ? s->stored[i] : wpin_od[i].initial;
    }
    s->values[OD_EMERGENCY_ID] = 0x80 + s->number;
    s->values[OD_SERIAL] = 1000 + s->number;
    s->values[OD_COUNTS] = (int64_t)s->motor.counts;
    s->values[OD_SWITCHES] = s->switches;
    s->transfer = (wpin_servo_transfer){0};
    s->syncs[0] = s->syncs[1] = 0;
    s->watching = s->guarded = false;
    s->toggle = 0;
}

void wpin_servo_init(wpin_servo *s, wpin_can *can, uint8_t number, const wpin_servo_motor *motor) {
    *s = (wpin_servo){.can = can, .number = number, .motor = *motor, .nmt = -1};
    for (int i = 0; i < OD_COUNT; i++) {
        s->stored[i] = wpin_od[i].initial;
    }
    s->stored[OD_RATED_CURRENT] = (int64_t)(motor->rated_amps * 1e3 + 0.5);
    s->station = wpin_can_join(can, wpin_servo_hear, s);
    can->stations[s->station].off = true;
}

void wpin_servo_add(wpin_servo *s, const wpin_part_object *objects, size_t count) {
    for (size_t i = 0; i < count && s->other_count < WPIN_PART_OBJECTS; i++) {
        bool of_make = objects[i].index >= 0x2000 && objects[i].index < 0x6000;
        if (of_make || wpin_od_find(objects[i].index, objects[i].sub) < 0) {
            s->others[s->other_count++] = objects[i];
        }
    }
}

void wpin_servo_boot(wpin_servo *s, int64_t now) {
    wpin_can_forget(s->can, s->station);
    forget(s);
    s->nmt = 0;
    s->state = SERVO_STARTS;
    s->alive_at = now + BOOT_PS;
}

static void come_up(wpin_servo *s, int64_t now) {
    unsigned char state = 0;
    wpin_servo_send(s, 0x700U + s->number, &state, 1, now);
    s->nmt = WPIN_PREPARED;
    s->heartbeat_at = now;
    s->state = SERVO_DISABLED;
    if (s->half_stored) {
        wpin_servo_fail(s, 0x5530);
    }
}

static void manage(wpin_servo *s, const wpin_frame *frame, int64_t at) {
    if (frame->length != 2 || (frame->data[1] != 0 && frame->data[1] != s->number)) {
        return;
    }
    switch (frame->data[0]) {
    case 1: s->nmt = WPIN_OPERATIONAL; break;
    case 2: s->nmt = WPIN_STOPPED; break;
    case 128: s->nmt = WPIN_PREPARED; break;
    case 129:
    case 130: wpin_servo_boot(s, at); break;
    default: break;
    }
}

/* ---- all frames ---- */

/* Its life is watched from the first question on. */
static void answer_guard(wpin_servo *s, int64_t at) {
    unsigned char state = (unsigned char)((unsigned)s->nmt | s->toggle);
    wpin_servo_send(s, 0x700U + s->number, &state, 1, at);
    s->toggle ^= 128;
    s->guarded = s->values[OD_GUARD_MS] != 0 && s->values[OD_LIFE] != 0;
    s->guarded_at = at;
}

void wpin_servo_hear(void *servo, const wpin_frame *frame, int64_t at) {
    wpin_servo *s = servo;
    if (s->nmt <= 0) {
        return; /* off, or it still boots */
    }
    unsigned watched = (unsigned)(s->values[OD_WATCHED] >> 16 & 0x7F);
    if (frame->id == 0) {
        manage(s, frame, at);
    } else if (frame->id == 0x700U + watched && watched != 0) {
        s->watching = true;
        s->watched_at = at;
    } else if (frame->id == 0x700U + s->number && frame->remote) {
        answer_guard(s, at);
    } else if (frame->id == 0x600U + s->number && s->nmt != WPIN_STOPPED && !frame->remote) {
        wpin_servo_hear_question(s, frame, at);
    } else if (s->nmt == WPIN_OPERATIONAL && !frame->remote) {
        if (frame->id == (s->values[OD_SYNC_ID] & 0x7FF)) {
            wpin_servo_hear_sync(s, at);
        }
        wpin_servo_hear_data(s, frame, at);
    }
}

/* Nobody beats any more: it does what it was told to do then. */
static void lose_link(wpin_servo *s, int64_t now) {
    s->watching = s->guarded = false;
    bool works = s->state == SERVO_ENABLED || s->state == SERVO_ON || s->state == SERVO_READY;
    switch (works ? s->values[OD_LINK_LOST] : 0) {
    case 1: wpin_servo_fail(s, 0x8130); break;
    case 2: s->state = SERVO_DISABLED; break;
    case 3: s->state = s->state == SERVO_ENABLED ? SERVO_QUICK_STOP : SERVO_DISABLED; break;
    default: break;
    }
    if (s->values[OD_LINK_LOST] != 1) {
        wpin_servo_send_emergency(s, 0x8130, now);
    }
}

void wpin_servo_talk(wpin_servo *s, int64_t now) {
    if (s->nmt == 0 && now >= s->alive_at) {
        come_up(s, now);
    }
    if (s->stores_until != 0 && now >= s->stores_until) {
        wpin_servo_have_stored(s);
    }
    int64_t every = s->values[OD_HEARTBEAT] * WPIN_MS_PS;
    if (s->nmt > 0 && every > 0 && now - s->heartbeat_at >= every) {
        unsigned char state = (unsigned char)s->nmt;
        wpin_servo_send(s, 0x700U + s->number, &state, 1, now);
        s->heartbeat_at = now;
    }
    if (s->tells_error) {
        s->tells_error = false;
        wpin_servo_send_emergency(s, s->error, now);
    }
    if (s->watching && now - s->watched_at > (s->values[OD_WATCHED] & 0xFFFF) * WPIN_MS_PS) {
        lose_link(s, now);
    }
    if (s->guarded &&
        now - s->guarded_at > s->values[OD_GUARD_MS] * s->values[OD_LIFE] * WPIN_MS_PS) {
        lose_link(s, now);
    }
}
