/* What a drive on a field bus has to do with a fault, in words. */
#include "verdict.h"
#include "windpin/host/objects.h"
#include <stdio.h>

bool wpin_drive_fault_words(const wpin_fault_result *f, char *words, size_t size) {
    static const char *const silences[] = {
        [WPIN_SILENCE_MUTE] = "Nothing came from it any more: its power, its cable, or its end of "
                              "the bus shut itself off after errors.",
        [WPIN_SILENCE_ANEW] = "It said that it begins anew: its power failed, or another node of "
                              "its number was switched on.",
        [WPIN_SILENCE_FULL] = "Nothing came, and the bus took no frames: somebody fills it with "
                              "frames that go first, or its interface is down."};
    if (f->cause == WPIN_FAULT_DRIVE) {
        snprintf(words, size, "Its state was '%s', its error code %04Xh: %s.",
                 wpin_axis_state_name((wpin_axis_state)f->drive_state), f->drive_error,
                 wpin_drive_error_text(f->drive_error));
    } else if (f->silence != WPIN_SILENCE_NONE) {
        snprintf(words, size, "%s", silences[f->silence]);
    }
    return f->cause == WPIN_FAULT_DRIVE || f->silence != WPIN_SILENCE_NONE;
}
