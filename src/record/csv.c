/* Samples as CSV, RFC 4180: a header, rows ended by CR LF, a dot as decimal mark. */
#include "windpin/host/trace.h"
#include <errno.h>
#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

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

/* ---- rows: most of the time of a run with a trace would go into printing them ---- */

typedef struct row {
    char text[700]; /* one load: fifteen numbers of at most 40 letters, and a word */
    size_t used;
} row;

static void add(row *to, const char *text) {
    size_t n = strlen(text), left = sizeof to->text - to->used;
    n = n < left ? n : left;
    memcpy(to->text + to->used, text, n);
    to->used += n;
}

/* To a whole number as printf rounds: by the exact product, and halves to the even one. */
static double rounded(double value, double scale) {
    double product = value * scale, lost = fma(value, scale, -product);
    double whole = floor(product), rest = product - whole;
    bool half = rest == 0.5;
    bool up = rest > 0.5 || (half && lost > 0) || (half && lost == 0 && fmod(whole, 2) != 0);
    return up ? whole + 1 : whole;
}

/* As %.Nf, N at most 6, but nothing is -0. */
static void add_number(row *to, double value, unsigned decimals) {
    static const double scales[] = {1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6};
    double scaled = rounded(fabs(value), scales[decimals]);
    char digits[40], *at = digits + sizeof digits;
    *--at = '\0';
    if (!(scaled < 1e15)) {
        snprintf(digits, sizeof digits, "%.*g", 15, value);
        add(to, digits);
        return;
    }
    uint64_t left = (uint64_t)scaled;
    bool negative = value < 0 && left != 0;
    for (unsigned n = 0; n <= decimals || left != 0; n++) {
        if (n == decimals && n != 0) {
            *--at = '.';
        }
        *--at = (char)('0' + left % 10);
        left /= 10;
    }
    if (negative) {
        *--at = '-';
    }
    add(to, at);
}

/* The next column; empty where there is no value. */
static void put(row *to, double value, unsigned decimals) {
    add(to, ",");
    if (!isnan(value)) {
        add_number(to, value, decimals);
    }
}

static void write_row(wpin_csv *csv, row *from) {
    bool whole = fwrite(from->text, 1, from->used, csv->file) == from->used;
    note(csv, whole ? 0 : -1);
    from->used = 0;
}

static void put_load(row *to, const wpin_sample *s) {
    put(to, s->asked * 100, 3);
    put(to, s->duty * 100, 3);
    put(to, s->volts, 4);
    put(to, s->amps, 5);
    put(to, s->amps_min, 5);
    put(to, s->amps_max, 5);
    put(to, s->rpm, 3);
    put(to, s->supply_volts, 4);
    put(to, s->turns, 5);
    put(to, s->effect * 100, 2);
    put(to, s->asked_rpm, 3);
    put(to, s->measured_rpm, 3);
    put(to, s->asked_amps, 3);
    put(to, s->measured_amps, 3);
    add(to, ",");
    add(to, wpin_state_word(s->phase));
}

void wpin_csv_row(wpin_csv *csv, double seconds, const wpin_sample *samples) {
    row line;
    line.used = 0;
    add_number(&line, seconds, 6);
    for (size_t i = 0; i < csv->loads; i++) {
        put_load(&line, &samples[i]);
        write_row(csv, &line);
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
