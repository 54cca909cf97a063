/* Objects of the drive that are asked for and written, in words of CiA 301. */
#include "node.h"
#include <string.h>

static void answer(wpin_servo *s, const unsigned char data[8], int64_t at) {
    int64_t apart = (s->station - 1) * WPIN_MS_PS / 200; /* no two are equally fast */
    wpin_servo_send(s, 0x580U + s->number, data, 8, at + WPIN_MS_PS / 10 + apart);
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
    if (!wpin_servo_in_range(object, value)) {
        return value > o->most ? 0x06090031 : 0x06090032;
    }
    if (wpin_servo_is_locked(s, object)) {
        return 0x08000022;
    }
    size_t mapped_bytes = 0;
    if (is_entry(object) && value != 0) {
        int to = wpin_servo_mapped(value, &mapped_bytes);
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
void wpin_servo_have_stored(wpin_servo *s) {
    memcpy(s->stored, s->values, sizeof s->stored);
    s->half_stored = false;
    s->stores_until = 0;
}

static void keep(wpin_servo *s, int object, int64_t value, int64_t at) {
    if (object == OD_STORE) {
        s->stores_until = at + (20 * WPIN_MS_PS);
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
    wpin_servo_follow(s, object);
}

static void put(wpin_servo *s, const unsigned char *asked, int object, int64_t at) {
    size_t bytes = (asked[0] & 1) != 0 ? 4U - (asked[0] >> 2 & 3U) : wpin_od[object].size;
    int64_t value = wpin_servo_taken(asked + 4, bytes, (wpin_od[object].access & OD_SIGNED) != 0);
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
        o->value = wpin_servo_taken(asked + 4, o->size, false);
    }
    answer(s, data, at);
    return true;
}

void wpin_servo_hear_question(wpin_servo *s, const wpin_frame *frame, int64_t at) {
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
