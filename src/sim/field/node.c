/* The drive as a node of CiA 301: network management, heartbeats, process data, objects asked for.
 */
#include "servo.h"
#include <string.h>

#define MS          1000000000LL /* ps */
#define ANSWER_PS   (MS / 10)
#define STORE_PS    (20 * MS)
#define BOOT_PS     (300 * MS)
#define OPERATIONAL 5
#define STOPPED     4
#define PREPARED    127

/* ---- sending ---- */

static void send(wpin_servo *s, unsigned id, const unsigned char *data, size_t length, int64_t at) {
    wpin_frame frame = {.id = (uint16_t)id, .length = (uint8_t)length};
    memcpy(frame.data, data, length);
    wpin_can_queue(s->can, s->station, &frame, at);
}

static void send_emergency(wpin_servo *s, int code, int64_t now) {
    unsigned char data[8] = {(unsigned char)(code & 0xFF), (unsigned char)(code >> 8),
                             (unsigned char)s->values[OD_ERROR_REGISTER]};
    if (s->nmt == OPERATIONAL || s->nmt == PREPARED) {
        send(s, 0x80U + s->number, data, sizeof data, now);
    }
}

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
    send(s, 0x700U + s->number, &state, 1, now);
    s->nmt = PREPARED;
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
    case 1: s->nmt = OPERATIONAL; break;
    case 2: s->nmt = STOPPED; break;
    case 128: s->nmt = PREPARED; break;
    case 129:
    case 130: wpin_servo_boot(s, at); break;
    default: break;
    }
}

/* ---- process data ---- */

static int64_t taken_from(const unsigned char *data, size_t bytes, bool sign) {
    uint64_t value = 0;
    for (size_t i = 0; i < bytes; i++) {
        value |= (uint64_t)data[i] << 8 * i;
    }
    if (sign && bytes > 0 && bytes < 8 && (value >> (8 * bytes - 1)) != 0) {
        value |= ~(uint64_t)0 << 8 * bytes;
    }
    return (int64_t)value;
}

static bool in_range(int object, int64_t value) {
    return value >= wpin_od[object].least && value <= wpin_od[object].most;
}

/* What follows from a value that was just written. */
static void follow(wpin_servo *s, int object) {
    if (object == OD_CONTROL) {
        wpin_servo_obey(s);
    } else if (object == OD_WATCHED) {
        s->watching = false; /* from its next heartbeat on */
    }
}

static int mapped(int64_t entry, size_t *bytes) {
    uint32_t e = (uint32_t)entry;
    *bytes = (e & 0xFF) / 8;
    return wpin_od_find((uint16_t)(e >> 16), (uint8_t)(e >> 8));
}

static const struct {
    wpin_od_key id, type, count, first;
} ins[] = {{OD_IN1_ID, OD_IN1_TYPE, OD_IN1_COUNT, OD_IN1_1},
           {OD_IN2_ID, OD_IN2_TYPE, OD_IN2_COUNT, OD_IN2_1},
           {OD_IN3_ID, OD_IN3_TYPE, OD_IN3_COUNT, OD_IN3_1}},
  outs[] = {{OD_OUT1_ID, OD_OUT1_TYPE, OD_OUT1_COUNT, OD_OUT1_1},
            {OD_OUT2_ID, OD_OUT2_TYPE, OD_OUT2_COUNT, OD_OUT2_1}};

/* All of a frame, or nothing of it; the control word last, as it may set off what the others say.
 */
static void take_data(wpin_servo *s, size_t n, const wpin_frame *frame, int64_t at) {
    size_t place = 0, bytes = 0, length = 0;
    for (int i = 0; i < s->values[ins[n].count]; i++) {
        mapped(s->values[(int)ins[n].first + i], &bytes);
        length += bytes;
    }
    if (frame->length < length) {
        send_emergency(s, 0x8210, at); /* not processed: too short */
        return;
    }
    bool control = false;
    for (int i = 0; i < s->values[ins[n].count]; i++, place += bytes) {
        int object = mapped(s->values[(int)ins[n].first + i], &bytes);
        int64_t value =
            taken_from(&frame->data[place], bytes, (wpin_od[object].access & OD_SIGNED) != 0);
        if (in_range(object, value)) {
            s->values[object] = value;
            control = control || object == OD_CONTROL;
        }
    }
    if (control) {
        follow(s, OD_CONTROL);
    }
}

static void send_data(wpin_servo *s, size_t n, int64_t at) {
    unsigned char data[8] = {0};
    size_t place = 0, bytes = 0;
    for (int i = 0; i < s->values[outs[n].count]; i++) {
        int object = mapped(s->values[(int)outs[n].first + i], &bytes);
        for (size_t b = 0; b < bytes && place < 8; b++) {
            data[place++] = (unsigned char)((uint64_t)s->values[object] >> 8 * b);
        }
    }
    send(s, (unsigned)s->values[outs[n].id] & 0x7FF, data, place, at);
}

static bool goes(int64_t id) {
    return ((uint64_t)id & 0x80000000U) == 0;
}

static void hear_sync(wpin_servo *s, int64_t at) {
    for (size_t n = 0; n < 2; n++) {
        int64_t every = s->values[outs[n].type];
        if (goes(s->values[outs[n].id]) && every >= 1 && every <= 240 &&
            ++s->syncs[n] >= (unsigned)every) {
            s->syncs[n] = 0;
            send_data(s, n, at);
        }
    }
}

/* ---- objects ---- */

static void answer(wpin_servo *s, const unsigned char data[8], int64_t at) {
    int64_t apart = (s->station - 1) * MS / 200; /* no two are equally fast */
    send(s, 0x580U + s->number, data, 8, at + ANSWER_PS + apart);
}

static void refuse(wpin_servo *s, const unsigned char *asked, uint32_t why, int64_t at) {
    unsigned char data[8] = {0x80, asked[1], asked[2], asked[3]};
    for (int i = 0; i < 4; i++) {
        data[4 + i] = (unsigned char)(why >> 8 * i);
    }
    s->transfer = (wpin_servo_transfer){0};
    answer(s, data, at);
}

static void give(wpin_servo *s, const unsigned char *asked, int object, int64_t at) {
    const wpin_od_object *o = &wpin_od[object];
    unsigned char data[8] = {0, asked[1], asked[2], asked[3]};
    if ((o->access & OD_TEXT) != 0) {
        size_t length = strlen(o->name);
        data[0] = 0x41;
        data[4] = (unsigned char)length;
        s->transfer = (wpin_servo_transfer){.out = true, .object = object, .text = o->name};
    } else {
        static const unsigned char heads[] = {0, 0x4F, 0x4B, 0, 0x43};
        data[0] = heads[o->size];
        for (size_t i = 0; i < o->size; i++) {
            data[4 + i] = (unsigned char)((uint64_t)s->values[object] >> 8 * i);
        }
    }
    answer(s, data, at);
}

static void give_more(wpin_servo *s, unsigned command, int64_t at) {
    wpin_servo_transfer *t = &s->transfer;
    unsigned char data[8] = {0}, none[8] = {0};
    if (!t->out || (command >> 4 & 1U) != t->toggle) {
        refuse(s, none, t->out ? 0x05030000 : 0x05040001, at);
        return;
    }
    size_t left = strlen(t->text) - t->sent, now = left < 7 ? left : 7;
    memcpy(data + 1, t->text + t->sent, now);
    data[0] = (unsigned char)(t->toggle << 4 | (7 - now) << 1 | (now == left));
    t->sent += now;
    t->toggle ^= 1;
    t->out = now < left;
    answer(s, data, at);
}

/* Process data are described only while they are switched off. */
static bool is_locked(const wpin_servo *s, int object) {
    for (size_t n = 0; n < 3; n++) {
        if ((object == (int)ins[n].count ||
             (object >= (int)ins[n].first && object < (int)ins[n].first + 4)) &&
            goes(s->values[ins[n].id])) {
            return true;
        }
    }
    for (size_t n = 0; n < 2; n++) {
        if ((object == (int)outs[n].count ||
             (object >= (int)outs[n].first && object < (int)outs[n].first + 4)) &&
            goes(s->values[outs[n].id])) {
            return true;
        }
    }
    return false;
}

static bool is_entry(int object) {
    uint16_t index = wpin_od[object].index;
    bool map = (index >= 0x1600 && index < 0x1800) || (index >= 0x1A00 && index < 0x1C00);
    return map && wpin_od[object].sub > 0;
}

/* Why a value can't be written; 0: it can. */
static uint32_t why_not(const wpin_servo *s, int object, size_t bytes, int64_t value) {
    const wpin_od_object *o = &wpin_od[object];
    if ((o->access & OD_WRITE) == 0) {
        return 0x06010002;
    }
    if (bytes != o->size) {
        return bytes > o->size ? 0x06070012 : 0x06070013;
    }
    if (!in_range(object, value)) {
        return value > o->most ? 0x06090031 : 0x06090032;
    }
    if (is_locked(s, object)) {
        return 0x08000022;
    }
    size_t mapped_bytes = 0;
    if (is_entry(object) && value != 0) {
        int to = mapped(value, &mapped_bytes);
        if (to < 0 || (wpin_od[to].access & OD_MAP) == 0 || mapped_bytes != wpin_od[to].size) {
            return to < 0 ? 0x06020000 : 0x06040041;
        }
    }
    static const int64_t save = 0x65766173, load = 0x64616F6C; /* these words, lowest byte first */
    if ((object == OD_STORE && value != save) || (object == OD_RESTORE && value != load)) {
        return 0x08000020;
    }
    return 0;
}

/* It has written all of it. */
static void have_stored(wpin_servo *s) {
    memcpy(s->stored, s->values, sizeof s->stored);
    s->half_stored = false;
    s->stores_until = 0;
}

static void keep(wpin_servo *s, int object, int64_t value, int64_t at) {
    if (object == OD_STORE) {
        s->stores_until = at + STORE_PS;
        return;
    }
    if (object == OD_RESTORE) { /* counts from its next start */
        s->half_stored = false;
        for (int i = 0; i < OD_COUNT; i++) {
            s->stored[i] = wpin_od[i].initial;
        }
        s->stored[OD_RATED_CURRENT] = (int64_t)(s->motor.rated_amps * 1e3 + 0.5);
        return;
    }
    s->values[object] = value;
    follow(s, object);
}

static void put(wpin_servo *s, const unsigned char *asked, int object, int64_t at) {
    size_t bytes = (asked[0] & 1) != 0 ? 4U - (asked[0] >> 2 & 3U) : wpin_od[object].size;
    int64_t value = taken_from(asked + 4, bytes, (wpin_od[object].access & OD_SIGNED) != 0);
    uint32_t why = (asked[0] & 2) == 0 ? 0x06070012 : why_not(s, object, bytes, value);
    if (why != 0) {
        refuse(s, asked, why, at);
        return;
    }
    unsigned char data[8] = {0x60, asked[1], asked[2], asked[3]};
    keep(s, object, value, at);
    answer(s, data, object == OD_STORE ? s->stores_until : at);
}

/* An object of its make, a number that it keeps and that means nothing here. */
static bool hear_other(wpin_servo *s, const unsigned char *asked, int64_t at) {
    unsigned char data[8] = {0x60, asked[1], asked[2], asked[3]};
    unsigned command = asked[0] >> 5;
    size_t n = 0;
    while (n < s->other_count &&
           (s->others[n].index != (asked[1] | asked[2] << 8) || s->others[n].sub != asked[3])) {
        n++;
    }
    if (n == s->other_count || (command != 1 && command != 2)) {
        return false;
    }
    wpin_part_object *o = &s->others[n];
    if (command == 2) {
        static const unsigned char heads[] = {0, 0x4F, 0x4B, 0, 0x43};
        data[0] = heads[o->size];
        for (size_t i = 0; i < o->size; i++) {
            data[4 + i] = (unsigned char)((uint64_t)o->value >> 8 * i);
        }
    } else if ((asked[0] & 3) != 3 || 4U - (asked[0] >> 2 & 3U) != o->size) {
        refuse(s, asked, 0x06070010, at);
        return true;
    } else {
        o->value = taken_from(asked + 4, o->size, false);
    }
    answer(s, data, at);
    return true;
}

static void hear_question(wpin_servo *s, const wpin_frame *frame, int64_t at) {
    const unsigned char *asked = frame->data;
    unsigned command = asked[0] >> 5;
    if (frame->length != 8 || command == 4) {
        s->transfer = (wpin_servo_transfer){0};
        return;
    }
    if (command == 3) {
        give_more(s, asked[0], at);
        return;
    }
    if (hear_other(s, asked, at)) {
        return;
    }
    int object = wpin_od_find((uint16_t)(asked[1] | asked[2] << 8), asked[3]);
    if (command != 1 && command != 2) {
        refuse(s, asked, 0x05040001, at);
    } else if (object < 0) {
        refuse(s, asked, object == -2 ? 0x06090011 : 0x06020000, at);
    } else if (command == 2) {
        give(s, asked, object, at);
    } else {
        put(s, asked, object, at);
    }
}

/* ---- all frames ---- */

/* Its life is watched from the first question on. */
static void answer_guard(wpin_servo *s, int64_t at) {
    unsigned char state = (unsigned char)((unsigned)s->nmt | s->toggle);
    send(s, 0x700U + s->number, &state, 1, at);
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
    } else if (frame->id == 0x600U + s->number && s->nmt != STOPPED && !frame->remote) {
        hear_question(s, frame, at);
    } else if (s->nmt == OPERATIONAL && !frame->remote) {
        if (frame->id == (s->values[OD_SYNC_ID] & 0x7FF)) {
            hear_sync(s, at);
        }
        for (size_t n = 0; n < 3; n++) {
            if (goes(s->values[ins[n].id]) && frame->id == (s->values[ins[n].id] & 0x7FF)) {
                take_data(s, n, frame, at);
            }
        }
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
        send_emergency(s, 0x8130, now);
    }
}

void wpin_servo_talk(wpin_servo *s, int64_t now) {
    if (s->nmt == 0 && now >= s->alive_at) {
        come_up(s, now);
    }
    if (s->stores_until != 0 && now >= s->stores_until) {
        have_stored(s);
    }
    int64_t every = s->values[OD_HEARTBEAT] * MS;
    if (s->nmt > 0 && every > 0 && now - s->heartbeat_at >= every) {
        unsigned char state = (unsigned char)s->nmt;
        send(s, 0x700U + s->number, &state, 1, now);
        s->heartbeat_at = now;
    }
    if (s->tells_error) {
        s->tells_error = false;
        send_emergency(s, s->error, now);
    }
    if (s->watching && now - s->watched_at > (s->values[OD_WATCHED] & 0xFFFF) * MS) {
        lose_link(s, now);
    }
    if (s->guarded && now - s->guarded_at > s->values[OD_GUARD_MS] * s->values[OD_LIFE] * MS) {
        lose_link(s, now);
    }
}
