/* Lists of lines of text. */
#define _GNU_SOURCE
#include "lists.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

void wpin_lines_add(wpin_lines *to, const char *words, ...) {
    va_list list;
    char *text = NULL;
    va_start(list, words);
    int length = vasprintf(&text, words, list);
    va_end(list);
    char **all = length < 0 ? NULL : realloc(to->lines, (to->count + 1) * sizeof(char *));
    if (all == NULL) {
        free(length < 0 ? NULL : text);
        to->cut = true;
        return;
    }
    to->lines = all;
    all[to->count++] = text;
}

wpin_lines *wpin_lines_whole(wpin_lines *to) {
    if (to != NULL && to->cut) {
        wpin_lines_free(to);
        return NULL;
    }
    return to;
}

void wpin_lines_free(wpin_lines *lines) {
    if (lines != NULL) {
        for (size_t i = 0; i < lines->count; i++) {
            free(lines->lines[i]);
        }
        free(lines->lines);
        free(lines);
    }
}
