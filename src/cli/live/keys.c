/* Bytes of a terminal to keys. */
#include "keys.h"
#include <string.h>

static int known(const char *sequence) {
    static const struct {
        const char *sequence;
        int key;
    } all[] = {{"\033[A", LIVE_KEY_UP},    {"\033[B", LIVE_KEY_DOWN}, {"\033[C", LIVE_KEY_RIGHT},
               {"\033[D", LIVE_KEY_LEFT},  {"\033OA", LIVE_KEY_UP},   {"\033OB", LIVE_KEY_DOWN},
               {"\033OC", LIVE_KEY_RIGHT}, {"\033OD", LIVE_KEY_LEFT}};
    for (size_t i = 0; i < sizeof all / sizeof *all; i++) {
        if (strcmp(sequence, all[i].sequence) == 0) {
            return all[i].key;
        }
    }
    return LIVE_KEY_NONE;
}

/* Whether a byte ends a sequence that was begun: letters and ~ do, digits and ; go on. */
static int is_last(char byte) {
    return (byte >= 'A' && byte <= 'Z') || (byte >= 'a' && byte <= 'z') || byte == '~';
}

static int end(live_keys *keys, int key) {
    keys->count = 0;
    return key;
}

/* A byte of a sequence that has begun. */
static int go_on(live_keys *keys, char byte) {
    keys->bytes[keys->count++] = byte;
    keys->bytes[keys->count] = '\0';
    if (keys->count == 2) {
        return byte == '[' || byte == 'O' ? LIVE_KEY_NONE : end(keys, LIVE_KEY_ESCAPE);
    }
    if (known(keys->bytes) != LIVE_KEY_NONE) {
        return end(keys, known(keys->bytes));
    }
    if (is_last(byte)) {
        return end(keys, LIVE_KEY_OTHER);
    }
    /* digits and what parts them, while there is room */
    return keys->count + 1 < sizeof keys->bytes ? LIVE_KEY_NONE : end(keys, LIVE_KEY_ESCAPE);
}

int live_keys_take(live_keys *keys, unsigned char byte, double now) {
    if (keys->count > 0) {
        return go_on(keys, (char)byte);
    }
    if (byte != LIVE_KEY_ESCAPE) {
        return byte;
    }
    keys->bytes[0] = (char)byte;
    keys->count = 1;
    keys->begun = now;
    return LIVE_KEY_NONE;
}

int live_keys_wait(live_keys *keys, double now) {
    return keys->count > 0 && now - keys->begun >= LIVE_ESCAPE_WAIT ? end(keys, LIVE_KEY_ESCAPE)
                                                                    : LIVE_KEY_NONE;
}
