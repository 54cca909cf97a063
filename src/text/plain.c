/* Figures in sentences: printed as people write them, 1160 and not 1.16e+03, 0.00 and not -0.00. */
#include "windpin/host/plain.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define SPEC 24 /* the longest conversion, with its width in digits */

/* A figure; %g without an exponent: what it would round to, in digits. */
static int print_figure(char *to, size_t size, const char *spec, double value) {
    char text[400], plain[SPEC + 4];
    snprintf(text, sizeof text, spec, value);
    if (strpbrk(text, "123456789") == NULL && isfinite(value)) {
        return snprintf(to, size, spec, 0.0);
    }
    const char *e = strchr(text, 'e');
    if (e == NULL || !isfinite(value)) {
        return snprintf(to, size, "%s", text);
    }
    const double rounded = strtod(text, NULL);
    const char *point = strchr(text, '.');
    const int digits = point == NULL ? 0 : (int)(e - point) - 1;
    const int decimals = digits - (int)floor(log10(fabs(rounded)));
    const int head = 1 + (int)strspn(spec + 1, "-+ #0123456789"); /* flags and width */
    snprintf(plain, sizeof plain, "%.*s.*f", head, spec);
    return snprintf(to, size, plain, decimals > 0 ? decimals : 0, rounded);
}

/* A conversion that begins with %, its last letter included, with widths that are arguments put
 * in; its length in the format, 0: none. */
static size_t conversion(const char *at, char spec[SPEC], va_list *list) {
    size_t n = 0, used = 0;
    do {
        if (at[n] == '*') {
            used += (size_t)snprintf(spec + used, SPEC - used, "%d", va_arg(*list, int));
        } else {
            spec[used++] = at[n];
        }
        n++;
    } while (at[n] != '\0' && strchr("-+ #0123456789.*hlz", at[n]) != NULL && used < SPEC - 12);
    spec[used++] = at[n];
    spec[used] = '\0';
    return at[n] == '\0' ? 0 : n + 1;
}

/* A whole number, as wide as the conversion says. */
static int print_whole(char *to, size_t size, const char *spec, va_list *list) {
    if (strchr(spec, 'z') != NULL) {
        return snprintf(to, size, spec, va_arg(*list, size_t));
    }
    if (strstr(spec, "ll") != NULL) {
        return snprintf(to, size, spec, va_arg(*list, unsigned long long));
    }
    if (strchr(spec, 'l') != NULL) {
        return snprintf(to, size, spec, va_arg(*list, unsigned long));
    }
    return snprintf(to, size, spec, va_arg(*list, unsigned));
}

/* One conversion, with its argument. */
static int print_one(char *to, size_t size, const char *spec, va_list *list) {
    switch (spec[strlen(spec) - 1]) {
    case 's': return snprintf(to, size, spec, va_arg(*list, const char *));
    case 'f':
    case 'g': return print_figure(to, size, spec, va_arg(*list, double));
    case 'c':
    case 'd':
    case 'u':
    case 'x':
    case 'X': return print_whole(to, size, spec, list);
    default: return snprintf(to, size, "%s", "%");
    }
}

int wpin_print_plain(char *to, size_t size, const char *format, va_list list) {
    va_list rest;
    size_t used = 0;
    va_copy(rest, list);
    for (const char *at = format; *at != '\0';) {
        char spec[SPEC];
        char *place = used < size ? to + used : NULL;
        const size_t room = used < size ? size - used : 0;
        size_t n = *at == '%' ? conversion(at, spec, &rest) : strcspn(at, "%");
        if (*at == '%' && n > 0) {
            used += (size_t)print_one(place, room, spec, &rest);
        } else {
            n = n == 0 ? 1 : n;
            used += (size_t)snprintf(place, room, "%.*s", (int)n, at);
        }
        at += n;
    }
    va_end(rest);
    return (int)used;
}

int wpin_plain(char *to, size_t size, const char *format, ...) {
    va_list list;
    va_start(list, format);
    const int length = wpin_print_plain(to, size, format, list);
    va_end(list);
    return length;
}

char *wpin_plain_text(const char *format, va_list list) {
    const size_t size = (size_t)wpin_print_plain(NULL, 0, format, list) + 1;
    char *text = malloc(size);
    if (text != NULL) {
        wpin_print_plain(text, size, format, list);
    }
    return text;
}

void wpin_plain_put(FILE *to, const char *format, ...) {
    va_list list;
    va_start(list, format);
    char *text = wpin_plain_text(format, list);
    va_end(list);
    fputs(text != NULL ? text : "(out of memory)", to);
    free(text);
}
