/* Frames of a field bus over a serial line. */
#include "windpin/serial_frames.h"
#include "network_core.h"

#define BEGIN  ((uint8_t)0xA5)
#define REMOTE ((uint8_t)0x80)
#define AROUND 6 /* bytes besides the data */

/* CRC-16 by x16 + x12 + x5 + 1. */
static uint16_t checked(uint16_t value, uint8_t byte) {
    value ^= (uint16_t)((uint16_t)byte << 8);
    for (uint8_t i = 0; i < 8; i++) {
        bool out = (value & 0x8000U) != 0;
        value = (uint16_t)(value << 1);
        value ^= (uint16_t)(out ? 0x1021U : 0U);
    }
    return value;
}

uint8_t wpin_serial_write(const wpin_frame *frame, uint8_t bytes[WPIN_SERIAL_BYTES]) {
    uint8_t length = frame->remote ? 0 : frame->length;
    uint16_t check = 0xFFFF;
    if (frame->length > WPIN_FRAME_BYTES || frame->id > WPIN_FRAME_ID_MAX) {
        return 0;
    }
    uint8_t line[WPIN_SERIAL_BYTES] = {BEGIN,
                                       (uint8_t)(frame->length | (frame->remote ? REMOTE : 0))};
    wpin_number_to(&line[2], frame->id, 2);
    for (uint8_t i = 0; i < length; i++) {
        line[4U + i] = frame->data[i];
    }
    for (uint8_t i = 1; i < 4U + length; i++) {
        check = checked(check, line[i]);
    }
    wpin_number_to(&line[4U + length], check, 2);
    for (uint8_t i = 0; i < WPIN_SERIAL_BYTES; i++) {
        bytes[i] = line[i];
    }
    return (uint8_t)(length + AROUND);
}

/* Bytes of the frame that begins here, as far as is known. */
static uint8_t needed(const wpin_serial_reader *reader) {
    uint8_t head = reader->count > 1 ? reader->bytes[1] : 0;
    return (uint8_t)(((head & REMOTE) != 0 ? 0 : head & 15U) + AROUND);
}

static bool head_holds(const wpin_serial_reader *reader) {
    return reader->count < 2 ||
           ((reader->bytes[1] & 0x70U) == 0 && (reader->bytes[1] & 15U) <= WPIN_FRAME_BYTES);
}

/* Drops the first byte, and all up to the next that may begin a frame. */
static void look_further(wpin_serial_reader *reader) {
    uint8_t to = 0, count = reader->count;
    bool found = false;
    for (uint8_t i = 1; i < count && i < WPIN_SERIAL_BYTES; i++) {
        uint8_t byte = reader->bytes[i];
        found = found || byte == BEGIN;
        if (found && to < WPIN_SERIAL_BYTES) {
            reader->bytes[to++] = byte;
        }
    }
    reader->count = to;
}

static bool take(const wpin_serial_reader *reader, wpin_frame *frame) {
    uint8_t around = (uint8_t)(reader->count - 2U);
    uint16_t check = 0xFFFF;
    for (uint8_t i = 1; i < around && i < WPIN_SERIAL_BYTES; i++) {
        check = checked(check, reader->bytes[i]);
    }
    uint16_t id = (uint16_t)wpin_number_from(&reader->bytes[2], 2);
    if (around > WPIN_SERIAL_BYTES - 2 || check != wpin_number_from(&reader->bytes[around], 2) ||
        id > WPIN_FRAME_ID_MAX) {
        return false;
    }
    *frame = (wpin_frame){
        .id = id, .length = reader->bytes[1] & 15U, .remote = (reader->bytes[1] & REMOTE) != 0};
    for (uint8_t i = 0; i + 4U < around && i < WPIN_FRAME_BYTES; i++) {
        frame->data[i] = reader->bytes[4U + i];
    }
    return true;
}

bool wpin_serial_read(wpin_serial_reader *reader, uint8_t byte, wpin_frame *frame) {
    if (reader->count == 0 && byte != BEGIN) {
        wpin_count_up(&reader->skipped);
        return false;
    }
    if (reader->count < WPIN_SERIAL_BYTES) {
        reader->bytes[reader->count++] = byte;
    }
    while (reader->count > 0) {
        if (!head_holds(reader)) {
            wpin_count_up(&reader->bad);
            look_further(reader);
            continue;
        }
        if (reader->count < needed(reader)) {
            return false;
        }
        if (take(reader, frame)) {
            reader->count = 0;
            return true;
        }
        wpin_count_up(&reader->bad);
        look_further(reader);
    }
    return false;
}
