/* One text of the state for all who want it at the same moment. */
#include "server.h"
#include <stdlib.h>

#define SAME_MOMENT 5e-3 /* s */

static bool write_anew(wpin_states *s, const wpin_live *live, const wpin_pace *pace) {
    size_t length;
    char *line = wpin_json_line(wpin_state_json(live, pace, s->count + 1), &length);
    if (line == NULL) {
        return false;
    }
    free(s->text);
    s->text = line;
    s->length = length;
    s->count++;
    s->at = wpin_session_time(wpin_live_session(live));
    return true;
}

const char *wpin_states_line(wpin_states *s, const wpin_live *live, const wpin_pace *pace) {
    double age = wpin_session_time(wpin_live_session(live)) - s->at;
    bool old = s->text == NULL || age >= SAME_MOMENT;
    if (old && !write_anew(s, live, pace)) {
        return NULL;
    }
    return s->text;
}

void wpin_states_free(wpin_states *s) {
    free(s->text);
    *s = (wpin_states){0};
}
