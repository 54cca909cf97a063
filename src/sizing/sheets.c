/* The list of all sheets. */
#include "answer.h"
#include <assert.h>
#include <string.h>

static const struct {
    const wpin_sheet *sheets;
    const unsigned *count;
} groups[] = {{wpin_sheets_switch, &wpin_sheets_switch_count},
              {wpin_sheets_power, &wpin_sheets_power_count},
              {wpin_sheets_motor, &wpin_sheets_motor_count},
              {wpin_sheets_feedback, &wpin_sheets_feedback_count}};

const wpin_sheet *wpin_sheets(unsigned *count) {
    enum { ROOM = 64 };
    static wpin_sheet all[ROOM];
    unsigned used = 0;
    for (size_t g = 0; g < sizeof groups / sizeof *groups; g++) {
        for (unsigned i = 0; i < *groups[g].count; i++) {
            assert(used < ROOM);
            all[used++] = groups[g].sheets[i];
        }
    }
    *count = used;
    return all;
}

const wpin_sheet *wpin_sheet_find(const char *name) {
    for (size_t g = 0; g < sizeof groups / sizeof *groups; g++) {
        for (unsigned i = 0; i < *groups[g].count; i++) {
            if (strcmp(groups[g].sheets[i].name, name) == 0) {
                return &groups[g].sheets[i];
            }
        }
    }
    return NULL;
}
