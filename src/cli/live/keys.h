/* Bytes of a terminal to keys. Nothing here waits: an escape that is not the begin of a known key
 * within 25 ms is the Escape key, and so is a half one. */
#ifndef WPIN_CLI_LIVE_KEYS_H
#define WPIN_CLI_LIVE_KEYS_H

#include <stddef.h>

#define LIVE_ESCAPE_WAIT 0.025 /* s */

/* Beyond the characters. */
enum {
    LIVE_KEY_NONE = 0,
    LIVE_KEY_ESCAPE = 27,
    LIVE_KEY_UP = 256,
    LIVE_KEY_DOWN,
    LIVE_KEY_LEFT,
    LIVE_KEY_RIGHT,
    LIVE_KEY_OTHER /* a key that means nothing here */
};

typedef struct live_keys {
    char bytes[8]; /* of an escape sequence that has begun */
    size_t count;
    double begun; /* s: when */
} live_keys;

/* A byte came at `now`, s: the key it ends, or LIVE_KEY_NONE. What follows a broken sequence in the
 * same breath is dropped: it never acts. */
int live_keys_take(live_keys *keys, unsigned char byte, double now);
/* Time has passed: the Escape key, if one was begun and nothing followed. */
int live_keys_wait(live_keys *keys, double now);

#endif
