/* A serial line that frames go over. */
#ifndef WPIN_PORTS_FIELDBUS_LINE_H
#define WPIN_PORTS_FIELDBUS_LINE_H

#include <stddef.h>

/* Opens it, by a name that wpin_bearer_is_line knows; its descriptor, or -1 with the reason. */
int wpin_line_open(const char *name, char *why, size_t size);

#endif
