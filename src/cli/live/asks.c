/* From keys to requests: every one goes the way of a line, so each rule holds for it too. */
#define _GNU_SOURCE
#include "panel.h"
#include "windpin/host/plain.h"
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

void live_panel_show(live_panel *p, bool well, const char *words) {
    p->said_well = well;
    snprintf(p->said, sizeof p->said, "%s", words);
}

bool live_panel_ask(live_panel *p, const char *line) {
    wpin_live_answer answer;
    bool ok = wpin_live_ask(p->hands->live, p->source, line, &answer);
    live_panel_show(p, ok, answer.words);
    return ok;
}

bool live_panel_ask_f(live_panel *p, const char *format, ...) {
    char line[WPIN_LIVE_LINE];
    va_list list;
    va_start(list, format);
    wpin_print_plain(line, sizeof line, format, list);
    va_end(list);
    return live_panel_ask(p, line);
}

/* Shows what a line comes to; a large one is asked about first, the other done. */
void live_panel_ask_first(live_panel *p, const char *line) {
    wpin_live_answer foreseen;
    bool action = wpin_live_foresee(p->hands->live, line, &foreseen);
    if (action && foreseen.large) {
        snprintf(p->line, sizeof p->line, "%s", line);
        p->length = strlen(p->line);
        p->asking = true;
        snprintf(p->said, sizeof p->said, "%.240s. A large move: y does it, any other key does not",
                 foreseen.words);
        p->said_well = true;
        return;
    }
    if (live_panel_ask(p, line) && action) {
        live_panel_show(p, true, foreseen.words);
    }
}
