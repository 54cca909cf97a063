/* Notes what happens in a session. */
#include "session.h"
#include "windpin/host/plain.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

#define PS 1e-12

void wpin_session_note(wpin_session *run, const char *part, const char *what, ...) {
    wpin_part_event *all = realloc(run->notes, (run->note_count + 1) * sizeof *all);
    if (all == NULL) {
        run->out_of_memory = true;
        return;
    }
    run->notes = all;
    wpin_part_event *mine = &all[run->note_count++];
    *mine = (wpin_part_event){.at = (double)wpin_session_clock(run) * PS};
    snprintf(mine->part, sizeof mine->part, "%s", part);
    va_list words;
    va_start(words, what);
    wpin_print_plain(mine->what, sizeof mine->what, what, words);
    va_end(words);
}
