/* What is drawn with on a terminal: its colours, and text at a place. */
#define _GNU_SOURCE
#include "draw.h"
#include "view.h"
#include "windpin/host/plain.h"
#include <langinfo.h>
#include <locale.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

bool live_blocks;
static bool coloured;

attr_t live_look(int what) {
    static const attr_t plain[] = {
        [LIVE_PLAIN] = A_NORMAL, [LIVE_GOOD] = A_NORMAL,      [LIVE_REMARK] = A_NORMAL,
        [LIVE_WRONG] = A_BOLD,   [LIVE_STAGED] = A_UNDERLINE, [LIVE_FAINT] = A_DIM};
    return coloured && what != LIVE_PLAIN && what != LIVE_FAINT
               ? (attr_t)COLOR_PAIR(what) |
                     (what == LIVE_WRONG || what == LIVE_STAGED ? A_BOLD : A_NORMAL)
               : plain[what];
}

bool live_view_open(void) {
    setlocale(LC_CTYPE, "");
    live_blocks = strcmp(nl_langinfo(CODESET), "UTF-8") == 0;
    if (newterm(NULL, stdout, stdin) == NULL) {
        return false;
    }
    raw(); /* each key is ours, Ctrl-S and Ctrl-C too */
    noecho();
    curs_set(0);
    coloured = has_colors() && getenv("NO_COLOR") == NULL && start_color() == OK &&
               use_default_colors() == OK;
    if (coloured) {
        init_pair(LIVE_GOOD, COLOR_GREEN, -1);
        init_pair(LIVE_REMARK, COLOR_YELLOW, -1);
        init_pair(LIVE_WRONG, COLOR_RED, -1);
        init_pair(LIVE_STAGED, COLOR_CYAN, -1);
    }
    return true;
}

void live_view_close(void) {
    endwin();
}

void live_view_resize(void) {
    struct winsize size;
    if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row > 0 && size.ws_col > 0) {
        resizeterm(size.ws_row, size.ws_col);
        clearok(stdscr, TRUE);
    }
}

void live_put(int y, int x, attr_t how, const char *format, ...) {
    char text[512];
    va_list list;
    va_start(list, format);
    wpin_print_plain(text, sizeof text, format, list);
    va_end(list);
    if (y >= 0 && y < LINES && x < COLS) {
        attron(how);
        mvaddnstr(y, x, text, COLS - x);
        attroff(how);
    }
}

int live_put_wrapped(int y, int x, int most, attr_t how, const char *text) {
    int width = COLS - x, lines = 0;
    while (*text != '\0' && lines < most && width > 10) {
        int length = (int)strlen(text), cut = length < width ? length : width;
        while (cut < length && cut > 1 && text[cut] != ' ') {
            cut--;
        }
        cut = cut <= 1 ? (length < width ? length : width) : cut;
        live_put(y + lines++, x, how, "%.*s", cut, text);
        text += cut;
        text += strspn(text, " ");
    }
    return lines;
}
