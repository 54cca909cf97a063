/* What every file of the port tells of: why it is broken, what is worth knowing, what is on. */
#define _GNU_SOURCE
#include "linux.h"
#include <stdarg.h>
#include <stdio.h>
#include <string.h>
#include <time.h>

wpin_status wpin_linux_break(wpin_linux *l, const char *format, ...) {
    va_list list;
    if (l->why[0] == '\0') {
        va_start(list, format);
        vsnprintf(l->why, sizeof l->why, format, list);
        va_end(list);
    }
    return WPIN_FAULT_PORT;
}

void wpin_linux_note(wpin_linux *l, const char *format, ...) {
    size_t used = strlen(l->notes);
    va_list list;
    va_start(list, format);
    used += (size_t)vsnprintf(l->notes + used, sizeof l->notes - used, format, list);
    va_end(list);
    if (used + 1 < sizeof l->notes) {
        memcpy(l->notes + used, "\n", 2);
    }
}

void wpin_linux_mark(wpin_linux *l, wpin_linux_slot *slot, bool active) {
    if (slot->active != active) {
        slot->active = active;
        l->active += active ? 1U : -1U;
        wpin_guardian_beat(&l->guardian);
        wpin_guardian_mind(&l->guardian, l->active != 0);
    }
}

int64_t wpin_linux_now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}
