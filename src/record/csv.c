/* Samples as CSV, RFC 4180: a header, rows ended by CR LF, a dot as decimal mark. */
#include "windpin/host/trace.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

struct wpin_csv {
    FILE *file;
    size_t loads;
    char mark[WPIN_RIG_MARK_MAX]; /* what rig, and what it accepts: no comma, no quote */
    int error;
};

const char *wpin_state_word(wpin_state phase) {
    static const char *const words[] = {
        [WPIN_STATE_OFF] = "off",           [WPIN_STATE_READY] = "ready",
        [WPIN_STATE_RAMPING] = "ramping",   [WPIN_STATE_RUNNING] = "running",
        [WPIN_STATE_RESTING] = "resting",   [WPIN_STATE_BRAKING] = "braking",
        [WPIN_STATE_COASTING] = "coasting", [WPIN_STATE_FAULT] = "fault"};
    return words[phase];
}

static void note(wpin_csv *csv, int written) {
    if (written < 0 && csv->error == 0) {
        csv->error = errno != 0 ? errno : EIO;
    }
}

wpin_csv *wpin_csv_open(const char *path, const wpin_rig *rig) {
    static const char *const columns[] = {
        "asked_percent", "duty_percent", "volts",        "amps",          "amps_min",
        "amps_max",      "rpm",          "supply_volts", "turns",         "effect_percent",
        "asked_rpm",     "measured_rpm", "asked_amps",   "measured_amps", "phase"};
    wpin_csv *csv = calloc(1, sizeof *csv);
    if (csv == NULL) {
        return NULL;
    }
    csv->loads = rig->load_count;
    wpin_rig_mark(rig, csv->mark, sizeof csv->mark);
    csv->file = fopen(path, "w");
    if (csv->file == NULL) {
        free(csv);
        return NULL;
    }
    note(csv, fprintf(csv->file, "time_s"));
    for (size_t i = 0; i < csv->loads; i++) {
        for (size_t c = 0; c < sizeof columns / sizeof *columns; c++) {
            note(csv, fprintf(csv->file, ",%s_%s", rig->loads[i].name, columns[c]));
        }
    }
    note(csv, fprintf(csv->file, ",rig\r\n"));
    return csv;
}

/* Empty where there is none. */
static void put(wpin_csv *csv, double value) {
    note(csv, isnan(value) ? fprintf(csv->file, ",") : fprintf(csv->file, ",%.3f", value));
}

void wpin_csv_row(wpin_csv *csv, double seconds, const wpin_sample *samples) {
    note(csv, fprintf(csv->file, "%.6f", seconds));
    for (size_t i = 0; i < csv->loads; i++) {
        const wpin_sample *s = &samples[i];
        put(csv, s->asked * 100);
        note(csv, fprintf(csv->file, ",%.3f,%.4f,%.5f,%.5f,%.5f,%.3f,%.4f,%.5f,%.2f", s->duty * 100,
                          s->volts, s->amps, s->amps_min, s->amps_max, s->rpm, s->supply_volts,
                          s->turns, s->effect * 100));
        put(csv, s->asked_rpm);
        put(csv, s->measured_rpm);
        put(csv, s->asked_amps);
        put(csv, s->measured_amps);
        note(csv, fprintf(csv->file, ",%s", wpin_state_word(s->phase)));
    }
    note(csv, fprintf(csv->file, ",%s\r\n", csv->mark));
}

int wpin_csv_error(const wpin_csv *csv) {
    return csv->error;
}

int wpin_csv_close(wpin_csv *csv) {
    note(csv, fclose(csv->file) == 0 ? 0 : -1);
    int error = csv->error;
    free(csv);
    return error;
}
