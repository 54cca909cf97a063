/* One line of a plan: its words, and taking them one by one. */
#ifndef WPIN_RIG_PLAN_WORDS_H
#define WPIN_RIG_PLAN_WORDS_H

#include "windpin/host/messages.h"
#include "windpin/host/quantity.h"

#define WPIN_WORDS_MAX 12

typedef struct wpin_word {
    char text[64];
    unsigned column;
} wpin_word;

/* The words of a line, and how far it is read. Start with messages set and all else zero. */
typedef struct wpin_words {
    wpin_messages *messages;
    unsigned number;  /* of the line */
    size_t count, at; /* words; the one to be taken next */
    wpin_word words[WPIN_WORDS_MAX];
    unsigned end; /* column behind the last word */
} wpin_words;

/* Splits a line into words; # begins a comment. The number stays. */
void wpin_words_split(wpin_words *to, const char *text);
/* The word to be taken next, NULL at the end. */
const wpin_word *wpin_words_peek(const wpin_words *line);
/* Column of that word, or behind the last. */
unsigned wpin_words_column(const wpin_words *line);
/* Takes the next word if it is this one, without regard to case. */
bool wpin_words_take(wpin_words *line, const char *text);
/* Whether the line ends here; says so if not. */
bool wpin_words_no_more(wpin_words *line);
/* Whether the line is one action; says so if a comma or semicolon joins another to it. */
bool wpin_words_one_action(wpin_words *line);
/* Takes a quantity, written in one word (3s) or in two (3 s); says what is wrong with it. */
bool wpin_words_take_quantity(wpin_words *line, wpin_dimension dimension, const char *what,
                              double *value);
/* Takes a time of 1 ms to `most` seconds. */
bool wpin_words_take_time(wpin_words *line, double most, double *seconds);
/* Adds a finding at a column of this line. */
void wpin_words_say(wpin_words *line, unsigned column, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

#endif
