/* One line of a plan: its words, and taking them one by one. */
#define _GNU_SOURCE
#include "words.h"
#include "windpin/host/plain.h"
#include <ctype.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

void wpin_words_say(wpin_words *line, unsigned column, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    char *text = wpin_plain_text(format, arguments);
    va_end(arguments);
    if (text == NULL) {
        line->messages->out_of_memory = true;
    } else {
        wpin_messages_add(line->messages, line->number, column, "%s", text);
        free(text);
    }
}

void wpin_words_split(wpin_words *to, const char *text) {
    size_t i = 0;
    to->count = to->at = 0;
    to->end = 1;
    for (;;) {
        while (isspace((unsigned char)text[i])) {
            i++;
        }
        if (text[i] == '\0' || text[i] == '#' || to->count == WPIN_WORDS_MAX) {
            return;
        }
        wpin_word *w = &to->words[to->count++];
        size_t length = 0;
        w->column = (unsigned)i + 1;
        while (text[i] != '\0' && text[i] != '#' && !isspace((unsigned char)text[i])) {
            if (length + 1 < sizeof w->text) {
                w->text[length++] = text[i];
            }
            i++;
        }
        w->text[length] = '\0';
        to->end = (unsigned)i + 1;
    }
}

const wpin_word *wpin_words_peek(const wpin_words *line) {
    return line->at < line->count ? &line->words[line->at] : NULL;
}

unsigned wpin_words_column(const wpin_words *line) {
    const wpin_word *w = wpin_words_peek(line);
    return w != NULL ? w->column : line->end;
}

/* Takes the next word if it is this one. */
bool wpin_words_take(wpin_words *line, const char *text) {
    const wpin_word *w = wpin_words_peek(line);
    if (w == NULL || strcasecmp(w->text, text) != 0) {
        return false;
    }
    line->at++;
    return true;
}

bool wpin_words_no_more(wpin_words *line) {
    const wpin_word *w = wpin_words_peek(line);
    if (w != NULL) {
        wpin_words_say(line, w->column, "'%s' is too much here; expected the end of the line",
                       w->text);
    }
    return w == NULL;
}

/* Commas stand between the names before an action, nowhere else. */
bool wpin_words_one_action(wpin_words *line) {
    bool names = true;
    for (size_t i = 0; i + 1 < line->count; i++) {
        const wpin_word *w = &line->words[i];
        size_t last = strlen(w->text) - 1;
        bool comma = w->text[last] == ',', ends = w->text[last] == ';';
        if (ends || (comma && !names)) {
            wpin_words_say(line, w->column + (unsigned)last,
                           "one line, one action: what follows '%c' goes on a line of its own (in "
                           "a 'parallel' block if at the same time)",
                           w->text[last]);
            return false;
        }
        names = names && (comma || (i == 0 && strcasecmp(w->text, "together") == 0));
    }
    return true;
}

/* Takes a quantity, which may be written in one word (3s) or in two (3 s). */
bool wpin_words_take_quantity(wpin_words *line, wpin_dimension dimension, const char *what,
                              double *value) {
    const wpin_word *w = wpin_words_peek(line);
    char why[320], text[140];
    if (w == NULL) {
        wpin_words_say(line, line->end, "the line ends too early; expected %s", what);
        return false;
    }
    line->at++;
    snprintf(text, sizeof text, "%s", w->text);
    const wpin_word *unit = wpin_words_peek(line);
    bool bare = strspn(w->text, "+-.0123456789") == strlen(w->text);
    if (dimension != WPIN_NUMBER && bare && unit != NULL &&
        wpin_quantity_read(strcat(strcpy(text, w->text), unit->text), dimension, value, why,
                           sizeof why)) {
        line->at++;
        return true;
    }
    if (wpin_quantity_read(w->text, dimension, value, why, sizeof why)) {
        return true;
    }
    wpin_words_say(line, w->column, "%s", why);
    return false;
}

bool wpin_words_take_time(wpin_words *line, double most, double *seconds) {
    unsigned column = wpin_words_column(line);
    if (!wpin_words_take_quantity(line, WPIN_TIME, "a time, e.g. 2s", seconds)) {
        return false;
    }
    if (*seconds < 1e-3 || *seconds > most) {
        wpin_words_say(line, column, "%.4g s is out of range; expected 1 ms to %.6g s", *seconds,
                       most);
        return false;
    }
    return true;
}
