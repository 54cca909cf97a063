/* Words of earlier versions, and what they are called now: docs/upgrading.md lists the same. */
#define _GNU_SOURCE
#include "windpin/host/messages.h"
#include <strings.h>

static const struct {
    const char *old, *now;
} words[] = {{"tell", "preview"}, {"teach", "calibrate"}, {"teach-powered", "calibrate-powered"}};

const char *wpin_new_word(const char *old) {
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        if (strcasecmp(words[i].old, old) == 0) {
            return words[i].now;
        }
    }
    return NULL;
}
