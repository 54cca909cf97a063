/* Lists of lines of text. */
#define _GNU_SOURCE
#include "lists.h"
#include "windpin/host/plain.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

void wpin_lines_add(wpin_lines *to, const char *words, ...) {
    va_list list;
    va_start(list, words);
    char *text = wpin_plain_text(words, list);
    va_end(list);
    char **all = text == NULL ? NULL : realloc(to->lines, (to->count + 1) * sizeof(char *));
    if (all == NULL) {
        free(text);
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
