/* The nearest valid word to one that is none. */
#include "windpin/host/messages.h"
#include <ctype.h>
#include <string.h>

#define WORD_MAX 40

static int lower(char c) {
    return tolower((unsigned char)c);
}

static size_t least(size_t a, size_t b) {
    return a < b ? a : b;
}

/* Letters to add, take away, change or swap to make one word of another. */
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

/* Words that differ in length by more letters than are allowed are not compared: most are none. */
const char *wpin_nearest_word(const char *word, const char *const *candidates, size_t count) {
    const char *nearest = NULL;
    size_t length = strlen(word), share = length * 2 / 5, allowed = share < 1 ? 1 : share;
    for (size_t i = 0; i < count; i++) {
        size_t other = strlen(candidates[i]);
        if ((other > length ? other - length : length - other) > allowed) {
            continue;
        }
        size_t d = distance(word, candidates[i]);
        if (d < allowed || (d == allowed && nearest == NULL)) {
            allowed = d;
            nearest = candidates[i];
        }
    }
    return nearest;
}

const char *wpin_nearer_word(const char *word, const char *nearest, const char *candidate) {
    const char *two[] = {nearest, candidate};
    return nearest == NULL ? wpin_nearest_word(word, &candidate, 1)
                           : wpin_nearest_word(word, two, 2);
}
