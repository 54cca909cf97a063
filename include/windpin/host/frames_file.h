/** @file frames_file.h
 * Frames of a field bus on file, as network analysers read them (pcapng, link type 227). Host only.
 */
#ifndef WINDPIN_FRAMES_FILE_H
#define WINDPIN_FRAMES_FILE_H

#include "../api.h"
#include "../fieldbus.h"
#include <stdio.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct wpin_frames_file wpin_frames_file;

/** Begins a file; NULL with errno when it can't be written. */
WPIN_API wpin_frames_file *wpin_frames_open(const char *path);
/** Adds a frame, at so many seconds. */
WPIN_API void wpin_frames_put(wpin_frames_file *file, double seconds, const wpin_frame *frame);
/** Ends it; false: not all of it could be written. */
WPIN_API bool wpin_frames_close(wpin_frames_file *file);

#ifdef __cplusplus
}
#endif
#endif
