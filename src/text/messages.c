/* Findings with their places, and the nearest valid word. */
#define _GNU_SOURCE
#include "windpin/host/messages.h"
#include <ctype.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void *wpin_messages_room(wpin_messages *list, void *array, size_t count, size_t size) {
    void *all = realloc(array, (count + 1) * size);
    list->out_of_memory = list->out_of_memory || all == NULL;
    return all;
}

/* What a file holds may be anything; a terminal gets no control characters of it. */
static void make_plain(char *text) {
    for (; *text != '\0'; text++) {
        bool control = (unsigned char)*text < ' ' || *text == 127;
        *text = control ? '?' : *text;
    }
}

void wpin_messages_add(wpin_messages *list, unsigned line, unsigned column, const char *format,
                       ...) {
    wpin_message *items = wpin_messages_room(list, list->items, list->count, sizeof *items);
    if (items == NULL) {
        return;
    }
    list->items = items;
    wpin_message *mine = &items[list->count++];
    *mine = (wpin_message){.line = line, .column = column};
    mine->file = strdup(list->file != NULL ? list->file : "");
    va_list words;
    va_start(words, format);
    if (vasprintf(&mine->text, format, words) < 0) {
        mine->text = NULL;
    }
    va_end(words);
    if (mine->text == NULL || mine->file == NULL) {
        free(mine->text);
        free(mine->file);
        list->count--;
        list->out_of_memory = true;
        return;
    }
    make_plain(mine->text);
}

static int by_place(const void *a, const void *b) {
    const wpin_message *m = a, *n = b;
    int by_line = (m->line > n->line) - (m->line < n->line);
    return by_line != 0 ? by_line : (m->column > n->column) - (m->column < n->column);
}

void wpin_messages_sort(wpin_messages *list) {
    if (list->count > 1) {
        qsort(list->items, list->count, sizeof *list->items, by_place);
    }
}

void wpin_messages_free(wpin_messages *list) {
    for (size_t i = 0; i < list->count; i++) {
        free(list->items[i].file);
        free(list->items[i].text);
    }
    free(list->items);
    *list = (wpin_messages){0};
}

#define WORD_MAX 40

static int lower(char c) {
    return tolower((unsigned char)c);
}

static size_t least(size_t a, size_t b) {
    return a < b ? a : b;
}

static size_t distance(const char *a, const char *b) {
    size_t rows[WORD_MAX + 1][WORD_MAX + 1];
    size_t la = strlen(a), lb = strlen(b);
    if (la > WORD_MAX || lb > WORD_MAX) {
        return WORD_MAX;
    }
    for (size_t i = 0; i <= la; i++) {
        for (size_t j = 0; j <= lb; j++) {
            if (i == 0 || j == 0) {
                rows[i][j] = i + j;
                continue;
            }
            size_t change = rows[i - 1][j - 1] + (lower(a[i - 1]) != lower(b[j - 1]));
            rows[i][j] = least(change, least(rows[i - 1][j], rows[i][j - 1]) + 1);
            if (i > 1 && j > 1 && lower(a[i - 1]) == lower(b[j - 2]) &&
                lower(a[i - 2]) == lower(b[j - 1])) {
                rows[i][j] = least(rows[i][j], rows[i - 2][j - 2] + 1);
            }
        }
    }
    return rows[la][lb];
}

const char *wpin_nearest_word(const char *word, const char *const *candidates, size_t count) {
    const char *nearest = NULL;
    size_t share = strlen(word) * 2 / 5, allowed = share < 1 ? 1 : share;
    for (size_t i = 0; i < count; i++) {
        size_t d = distance(word, candidates[i]);
        if (d <= allowed) {
            allowed = d;
            if (nearest == NULL || d < distance(word, nearest)) {
                nearest = candidates[i];
            }
        }
    }
    return nearest;
}
