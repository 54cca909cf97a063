/* Findings with their places. */
#define _GNU_SOURCE
#include "windpin/host/messages.h"
#include "windpin/host/plain.h"
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
    mine->text = wpin_plain_text(format, words);
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
