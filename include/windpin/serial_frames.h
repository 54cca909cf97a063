/** @file serial_frames.h
 * Frames of a field bus over a serial line: for a controller without a CAN unit, or a computer
 * beside one. A frame is a byte that begins it, its length, its identifier, its data, and a check
 * value over all but the first byte. What arrives damaged is dropped and counted; the next whole
 * frame is found behind it.
 *
 *     A5h | length (bits 0 to 3), remote (bit 7) | identifier, low byte, high byte | data |
 *     check value, low byte, high byte (CRC-16: x16 + x12 + x5 + 1, begun with FFFFh, highest bit
 * first)
 */
#ifndef WINDPIN_SERIAL_FRAMES_H
#define WINDPIN_SERIAL_FRAMES_H

#include "api.h"
#include "fieldbus.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most bytes of a frame on the line. */
#define WPIN_SERIAL_BYTES 14

/** What has arrived of a frame. Placed by the caller; zero before its first use. */
typedef struct wpin_serial_reader {
    uint8_t bytes[WPIN_SERIAL_BYTES];
    uint8_t count;
    uint16_t bad;     /**< Frames whose length or check value was wrong, saturated. */
    uint16_t skipped; /**< Bytes between frames, saturated: noise, or another rate. */
} wpin_serial_reader;

/** Writes a frame as bytes for the line, and says how many; 0: it is none (its length, its
 * identifier). Any context. */
WPIN_API uint8_t wpin_serial_write(const wpin_frame *frame, uint8_t bytes[WPIN_SERIAL_BYTES]);
/** Takes a byte of the line; true: it ends a frame. Tick. */
WPIN_API bool wpin_serial_read(wpin_serial_reader *reader, uint8_t byte, wpin_frame *frame);

#ifdef __cplusplus
}
#endif
#endif
