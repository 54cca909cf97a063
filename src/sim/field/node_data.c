/* Process data of the drive: what is mapped into frames, both ways. */
#include "node.h"
#include <string.h>

/* ---- sending ---- */

void wpin_servo_send(wpin_servo *s, unsigned id, const unsigned char *data, size_t length,
                     int64_t at) {
    wpin_frame frame = {.id = (uint16_t)id, .length = (uint8_t)length};
    memcpy(frame.data, data, length);
    wpin_can_queue(s->can, s->station, &frame, at);
}

void wpin_servo_send_emergency(wpin_servo *s, int code, int64_t now) {
    unsigned char data[8] = {(unsigned char)(code & 0xFF), (unsigned char)(code >> 8),
                             (unsigned char)s->values[OD_ERROR_REGISTER]};
    if (s->nmt == WPIN_OPERATIONAL || s->nmt == WPIN_PREPARED) {
        wpin_servo_send(s, 0x80U + s->number, data, sizeof data, now);
    }
}

/* ---- process data ---- */

int64_t wpin_servo_taken(const unsigned char *data, size_t bytes, bool sign) {
    uint64_t value = 0;
    for (size_t i = 0; i < bytes; i++) {
        value |= (uint64_t)data[i] << 8 * i;
    }
    if (sign && bytes > 0 && bytes < 8 && (value >> (8 * bytes - 1)) != 0) {
        value |= ~(uint64_t)0 << 8 * bytes;
    }
    return (int64_t)value;
}

bool wpin_servo_in_range(int object, int64_t value) {
    return value >= wpin_od[object].least && value <= wpin_od[object].most;
}

/* What follows from a value that was just written. */
void wpin_servo_follow(wpin_servo *s, int object) {
    if (object == OD_CONTROL) {
        wpin_servo_obey(s);
    } else if (object == OD_WATCHED) {
        s->watching = false; /* from its next heartbeat on */
    }
}

int wpin_servo_mapped(int64_t entry, size_t *bytes) {
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
        wpin_servo_mapped(s->values[(int)ins[n].first + i], &bytes);
        length += bytes;
    }
    if (frame->length < length) {
        wpin_servo_send_emergency(s, 0x8210, at); /* not processed: too short */
        return;
    }
    bool control = false;
    for (int i = 0; i < s->values[ins[n].count]; i++, place += bytes) {
        int object = wpin_servo_mapped(s->values[(int)ins[n].first + i], &bytes);
        int64_t value =
            wpin_servo_taken(&frame->data[place], bytes, (wpin_od[object].access & OD_SIGNED) != 0);
        if (wpin_servo_in_range(object, value)) {
            s->values[object] = value;
            control = control || object == OD_CONTROL;
        }
    }
    if (control) {
        wpin_servo_follow(s, OD_CONTROL);
    }
}

static void send_data(wpin_servo *s, size_t n, int64_t at) {
    unsigned char data[8] = {0};
    size_t place = 0, bytes = 0;
    for (int i = 0; i < s->values[outs[n].count]; i++) {
        int object = wpin_servo_mapped(s->values[(int)outs[n].first + i], &bytes);
        for (size_t b = 0; b < bytes && place < 8; b++) {
            data[place++] = (unsigned char)((uint64_t)s->values[object] >> 8 * b);
        }
    }
    wpin_servo_send(s, (unsigned)s->values[outs[n].id] & 0x7FF, data, place, at);
}

static bool goes(int64_t id) {
    return ((uint64_t)id & 0x80000000U) == 0;
}

void wpin_servo_hear_sync(wpin_servo *s, int64_t at) {
    for (size_t n = 0; n < 2; n++) {
        int64_t every = s->values[outs[n].type];
        if (goes(s->values[outs[n].id]) && every >= 1 && every <= 240 &&
            ++s->syncs[n] >= (unsigned)every) {
            s->syncs[n] = 0;
            send_data(s, n, at);
        }
    }
}

/* Process data are described only while they are switched off. */
bool wpin_servo_is_locked(const wpin_servo *s, int object) {
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

void wpin_servo_hear_data(wpin_servo *s, const wpin_frame *frame, int64_t at) {
    for (size_t n = 0; n < 3; n++) {
        if (goes(s->values[ins[n].id]) && frame->id == (s->values[ins[n].id] & 0x7FF)) {
            take_data(s, n, frame, at);
        }
    }
}
