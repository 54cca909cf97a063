/** @file messages.h
 * What is wrong with a file: every finding with its place, in the order found. Host only.
 */
#ifndef WINDPIN_MESSAGES_H
#define WINDPIN_MESSAGES_H

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
    const char *file; /**< File that wpin_messages_add speaks of; not copied. */
} wpin_messages;

/** Adds a finding about list->file. A list out of memory drops it but counts stay right. */
void wpin_messages_add(wpin_messages *list, unsigned line, unsigned column, const char *format, ...)
    __attribute__((format(printf, 4, 5)));
/** Puts the findings into the order of the file. */
void wpin_messages_sort(wpin_messages *list);
/** Frees what the list holds and empties it. */
void wpin_messages_free(wpin_messages *list);

/** The candidate nearest to a word, if near enough to be what was meant, else NULL. Distance in
 * letters changed, added, left out or exchanged with the neighbour (restricted
 * Damerau-Levenshtein), without regard to case; at most two fifths of the word, at least one. */
const char *wpin_nearest_word(const char *word, const char *const *candidates, size_t count);

#ifdef __cplusplus
}
#endif
#endif
