/* One text of the state for all who want it at the same moment. */
#include "server.h"
#include <stdlib.h>
#include <string.h>

#define SAME_MOMENT 5e-3 /* s */

static bool write_anew(wpin_states *s, const wpin_live *live, const wpin_pace *pace) {
    json_t *value = wpin_state_json(live, pace, s->count + 1);
    char *text = value == NULL ? NULL : json_dumps(value, JSON_COMPACT | JSON_REAL_PRECISION(9));
    json_decref(value);
    size_t length = text == NULL ? 0 : strlen(text);
    char *line = text == NULL ? NULL : realloc(text, length + 2);
    if (line == NULL) {
        free(text);
        return false;
    }
    strcpy(line + length, "\n");
    free(s->text);
    s->text = line;
    s->length = length + 1;
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
