/** @file messages.h
 * What is wrong with a file: every finding with its place, in the order found. Host only.
 */
#ifndef WINDPIN_MESSAGES_H
#define WINDPIN_MESSAGES_H

#include "../api.h"
#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/** One finding. Lines and columns count from 1; 0 when the whole file is meant. */
typedef struct wpin_message {
    char *file;
    char *text;
    unsigned line, column;
} wpin_message;

/** A growing list. Start with all zero. */
typedef struct wpin_messages {
    wpin_message *items;
    size_t count;
    const char *file;   /**< File that wpin_messages_add speaks of; not copied. */
    bool out_of_memory; /**< Something could not be kept: what was read is not whole. */
} wpin_messages;

/** Adds a finding about list->file; or sets list->out_of_memory. */
WPIN_API void wpin_messages_add(wpin_messages *list, unsigned line, unsigned column,
                                const char *format, ...) __attribute__((format(printf, 4, 5)));
/** Room for one more element of an array; NULL, the array as it was and list->out_of_memory set
 * when there is none. */
WPIN_API void *wpin_messages_room(wpin_messages *list, void *array, size_t count, size_t size);
/** Puts the findings into the order of the file. */
WPIN_API void wpin_messages_sort(wpin_messages *list);
/** Frees what the list holds and empties it. */
WPIN_API void wpin_messages_free(wpin_messages *list);

/** What a word of an earlier version is called now (docs/upgrading.md); NULL if it never was one.
 */
WPIN_API const char *wpin_new_word(const char *old);

/** The candidate nearest to a word, if near enough to be what was meant, else NULL. Distance in
 * letters changed, added, left out or exchanged with the neighbour (restricted
 * Damerau-Levenshtein), without regard to case; at most two fifths of the word, at least one. */
WPIN_API const char *wpin_nearest_word(const char *word, const char *const *candidates,
                                       size_t count);
/** The nearer of one found so far (NULL: none) and another candidate, by the same measure. */
WPIN_API const char *wpin_nearer_word(const char *word, const char *nearest, const char *candidate);

#ifdef __cplusplus
}
#endif
#endif
