/* What is drawn with on a terminal. */
#ifndef WPIN_CLI_LIVE_DRAW_H
#define WPIN_CLI_LIVE_DRAW_H

#include <curses.h>
#include <stdbool.h>

enum { LIVE_PLAIN, LIVE_GOOD, LIVE_REMARK, LIVE_WRONG, LIVE_STAGED, LIVE_FAINT };

extern bool live_blocks; /* the terminal has the bars of Unicode */

attr_t live_look(int what);
/* Text at a place, cut at the right edge. */
void live_put(int y, int x, attr_t how, const char *format, ...)
    __attribute__((format(printf, 4, 5)));
/* Text in several lines, broken between words; how many it took, at most `most`. */
int live_put_wrapped(int y, int x, int most, attr_t how, const char *text);

#endif
