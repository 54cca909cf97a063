/** @file plain.h
 * Figures as people write them: what is said to people is printed by these. Host only.
 *
 * They take formats as printf does, with %g without an exponent: 1160, not 1.16e+03. They know
 * c, d, f, g, s, u, x, X and %%, h, l, ll and z before whole numbers, flags, widths and precisions.
 */
#ifndef WINDPIN_PLAIN_H
#define WINDPIN_PLAIN_H

#include "../api.h"
#include <stdarg.h>
#include <stdio.h>

#ifdef __cplusplus
extern "C" {
#endif

/** As vsnprintf; and as snprintf. */
WPIN_API int wpin_print_plain(char *to, size_t size, const char *format, va_list list);
WPIN_API int wpin_plain(char *to, size_t size, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/** A text as long as it needs to be, to be freed; NULL when out of memory. */
WPIN_API char *wpin_plain_text(const char *format, va_list list);
/** As fprintf. */
WPIN_API void wpin_plain_put(FILE *to, const char *format, ...)
    __attribute__((format(printf, 2, 3)));

#ifdef __cplusplus
}
#endif
#endif
