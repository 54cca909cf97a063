/** @file bind_linux.h
 * From a rig to what linux.h takes: which lines, channels, counters and analogue inputs. Host only.
 */
#ifndef WINDPIN_BIND_LINUX_H
#define WINDPIN_BIND_LINUX_H

#include "../api.h"
#include "linux.h"
#include "rig.h"

#ifdef __cplusplus
extern "C" {
#endif

/** A configuration and what it points to; the rig has to outlive it, and it must not be moved. */
typedef struct wpin_bound_linux {
    wpin_linux_config config;
    wpin_linux_pin pins[128];
    wpin_linux_encoder encoders[16];
    wpin_linux_analog analogs[32];
    char numbers[128][8], channels[16][2][8];
} wpin_bound_linux;

/** Fills it in from the rig's 'linux' section. False with the reason in words: what
 * wpin_rig_fits_linux tells first. */
WPIN_API bool wpin_bind_linux(wpin_bound_linux *bound, const wpin_rig *rig, char *why, size_t size);

#ifdef __cplusplus
}
#endif
#endif
