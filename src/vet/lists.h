/* Lists of lines of text, as they grow. */
#ifndef WPIN_VET_LISTS_H
#define WPIN_VET_LISTS_H

#include "rules.h"

/* One more line, as printf makes it. */
void wpin_lines_add(wpin_lines *to, const char *words, ...) __attribute__((format(printf, 2, 3)));
/* A list is whole or none: NULL where a line found no room. */
wpin_lines *wpin_lines_whole(wpin_lines *to);

#endif
