/* Files that are built into the tool: the page. */
#ifndef WPIN_EMBEDDED_H
#define WPIN_EMBEDDED_H

#include <stddef.h>

typedef struct wpin_embedded {
    const char *name;
    const unsigned char *bytes;
    size_t size;
} wpin_embedded;

extern const wpin_embedded wpin_embedded_files[];
extern const unsigned wpin_embedded_count;

#endif
