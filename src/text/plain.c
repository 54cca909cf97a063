/* Figures in sentences: printed as people write them, 1160 and not 1.16e+03. */
#include "windpin/host/quantity.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* One %g without an exponent: what it would round to, in digits. */
static int print_figure(char *to, size_t size, const char *spec, double value) {
    char text[64];
    snprintf(text, sizeof text, spec, value);
    const char *e = strchr(text, 'e');
    if (e == NULL || !isfinite(value)) {
        return snprintf(to, size, "%s", text);
    }
    double rounded = strtod(text, NULL);
    const char *point = strchr(text, '.');
    int digits = point == NULL ? 0 : (int)(e - point) - 1;
    int decimals = digits - (int)floor(log10(fabs(rounded)));
    return snprintf(to, size, "%.*f", decimals > 0 ? decimals : 0, rounded);
}

/* The length of a conversion that begins with %, its last letter included; 0: none. */
static size_t conversion(const char *at) {
    size_t n = 1 + strspn(at + 1, "-+ #0123456789.z");
    return at[n] == '\0' ? 0 : n + 1;
}

/* One conversion, with its argument. */
static int print_one(char *to, size_t size, const char *spec, va_list *list) {
    size_t n = strlen(spec);
    bool is_size = strchr(spec, 'z') != NULL;
    switch (spec[n - 1]) {
    case 's': return snprintf(to, size, spec, va_arg(*list, const char *));
    case 'g': return print_figure(to, size, spec, va_arg(*list, double));
    case 'f': return snprintf(to, size, spec, va_arg(*list, double));
    case 'u':
        if (is_size) {
            size_t wide = va_arg(*list, size_t);
            return snprintf(to, size, spec, wide);
        }
        return snprintf(to, size, spec, va_arg(*list, unsigned));
    case 'd': return snprintf(to, size, spec, va_arg(*list, int));
    default: return snprintf(to, size, "%s", "%");
    }
}

int wpin_print_plain(char *to, size_t size, const char *format, va_list list) {
    va_list rest;
    size_t used = 0;
    va_copy(rest, list);
    for (const char *at = format; *at != '\0';) {
        char spec[16], piece[400];
        size_t n = *at == '%' ? conversion(at) : strcspn(at, "%");
        if (*at == '%' && n > 0 && n < sizeof spec) {
            snprintf(spec, sizeof spec, "%.*s", (int)n, at);
            print_one(piece, sizeof piece, spec, &rest);
        } else {
            n = n == 0 ? 1 : n;
            snprintf(piece, sizeof piece, "%.*s", (int)n, at);
        }
        at += n;
        if (used < size) {
            snprintf(to + used, size - used, "%s", piece);
        }
        used += strlen(piece);
    }
    va_end(rest);
    return (int)used;
}
