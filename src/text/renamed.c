/* Words of earlier versions, and what they are called now: docs/upgrading.md lists the same. */
#define _GNU_SOURCE
#include "windpin/host/messages.h"
#include <strings.h>

static const struct {
    const char *old, *now;
} words[] = {{"tell", "preview"},
             {"teach", "calibrate"},
             {"teach-powered", "calibrate-powered"},
             {"hidden-partner", "direction-pwm-standby"},
             {"two-switched-inputs", "two-inputs-on-off"},
             {"four-switches", "full-bridge"},
             {"paired-outputs", "interlocked-outputs"},
             {"two-channels", "dual-bridge"},
             {"two-channels-enable", "dual-bridge-enable"},
             {"six-switches", "three-phase-bridge"},
             {"six-switches-high", "three-phase-bridge-high"},
             {"inverts", "inverting-inputs"},
             {"tells-counts", "check-factors"},
             {"tells-source", "check-remote"}};

const char *wpin_new_word(const char *old) {
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        if (strcasecmp(words[i].old, old) == 0) {
            return words[i].now;
        }
    }
    return NULL;
}
