/** @file objects.h
 * The objects that CiA 301 and 402 give every drive: numbers, lengths, names and what they mean.
 * Host only.
 */
#ifndef WINDPIN_OBJECTS_H
#define WINDPIN_OBJECTS_H

#include "../api.h"
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** One of them. */
typedef struct wpin_known_object {
    uint16_t index;
    uint8_t sub;
    uint8_t bytes;      /**< 1, 2 or 4; 0: a text. */
    bool is_signed;     /**< A whole number with a sign. */
    const char *name;   /**< In lower case, words joined by '-'. */
    const char *unit;   /**< What it is in: for people. "" where it is a bare number. */
    const char *values; /**< What its values mean; NULL: it is just a number. */
} wpin_known_object;

/** All of them, and how many. */
WPIN_API const wpin_known_object *wpin_known_objects(size_t *count);
/** The one of a number; NULL: none of these. */
WPIN_API const wpin_known_object *wpin_known_object_of(uint16_t index, uint8_t sub);
/** Whether it is set once, and kept: neither communication, nor measured, nor what moves it. */
WPIN_API bool wpin_object_is_parameter(uint16_t index);
/** Reads "velocity-actual", "606C", "606Ch", "0x606C", "1018:2": the number, and the object if it
 * is known (else NULL). False with the reason in words, and the nearest name. */
WPIN_API bool wpin_object_find(const char *text, uint16_t *index, uint8_t *sub,
                               const wpin_known_object **known, char *why, size_t size);
/** All bits of a value of 1, 2 or 4 bytes. */
static inline uint32_t wpin_object_bits(unsigned bytes) {
    return bytes >= 4 ? UINT32_MAX : ((uint32_t)1 << 8 * bytes) - 1;
}
/** Asks a drive for an object of four bytes; false: it has none, or does not answer. */
typedef bool wpin_object_asker(void *context, uint16_t index, uint8_t sub, uint32_t *value);
/** Its position units in a turn of its motor, by its own factors: the feed of 6092h through the
 * gear of 6091h, or else the counts of its encoder, 608Fh (CiA 402, factor group); 0: it does not
 * say. */
WPIN_API double wpin_drive_counts(wpin_object_asker *ask, void *context);
/** What an error code of a drive (603Fh, emergencies) means, as far as CiA 301 and 402 say. Never
 * NULL. */
WPIN_API const char *wpin_drive_error_text(uint16_t code);

#ifdef __cplusplus
}
#endif
#endif
