/* A trace read back: numbers by their columns. */
#define _GNU_SOURCE
#include "windpin/host/trace.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct wpin_trace {
    char *header; /* names, each ended by a zero */
    const char **names;
    size_t columns, rows, room;
    double *values; /* row by row; NAN where there is no number */
    char mark[WPIN_RIG_MARK_MAX];
};

void wpin_trace_free(wpin_trace *t) {
    if (t != NULL) {
        free(t->header);
        free(t->names);
        free(t->values);
        free(t);
    }
}

/* The fields of a line, cut in place; how many. */
static size_t cut(char *line, const char **fields, size_t most) {
    size_t count = 0;
    line[strcspn(line, "\r\n")] = '\0';
    for (char *at = line; at != NULL && count < most;) {
        char *comma = strchr(at, ',');
        fields[count++] = at;
        if (comma != NULL) {
            *comma++ = '\0';
        }
        at = comma;
    }
    return count;
}

static bool take_header(wpin_trace *t, const char *line) {
    size_t most = 1;
    for (const char *c = line; *c != '\0'; c++) {
        most += *c == ',';
    }
    t->header = strdup(line);
    t->names = calloc(most, sizeof *t->names);
    if (t->header == NULL || t->names == NULL) {
        return false;
    }
    t->columns = cut(t->header, t->names, most);
    return t->columns >= 2 && strcmp(t->names[0], "time_s") == 0 &&
           strcmp(t->names[t->columns - 1], "rig") == 0;
}

static bool make_room(wpin_trace *t) {
    if (t->rows < t->room) {
        return true;
    }
    size_t room = t->room == 0 ? 1024 : 2 * t->room;
    double *values = realloc(t->values, room * t->columns * sizeof *values);
    if (values != NULL) {
        t->values = values;
        t->room = room;
    }
    return values != NULL;
}

static bool take_row(wpin_trace *t, char *line, const char **fields) {
    if (!make_room(t) || cut(line, fields, t->columns + 1) != t->columns) {
        return false;
    }
    double *row = t->values + t->rows * t->columns;
    for (size_t c = 0; c < t->columns; c++) {
        char *rest;
        row[c] = strtod(fields[c], &rest);
        row[c] = rest == fields[c] || *rest != '\0' ? NAN : row[c];
    }
    snprintf(t->mark, sizeof t->mark, "%s", fields[t->columns - 1]);
    t->rows++;
    return isfinite(row[0]) && (t->rows == 1 || row[0] >= row[0 - (ptrdiff_t)t->columns]);
}

static bool read_all(wpin_trace *t, FILE *file, unsigned *number) {
    char *line = NULL;
    size_t size = 0;
    const char **fields = NULL;
    bool good = true;
    while (good && getline(&line, &size, file) > 0) {
        if (++*number == 1) {
            good = take_header(t, line);
            fields = good ? calloc(t->columns + 1, sizeof *fields) : NULL;
            good = fields != NULL;
        } else {
            good = take_row(t, line, fields);
        }
    }
    free(line);
    free(fields);
    return good && t->rows > 0;
}

wpin_trace *wpin_trace_read(const char *path, char *why, size_t why_size) {
    unsigned number = 0;
    FILE *file = fopen(path, "r");
    wpin_trace *t = file == NULL ? NULL : calloc(1, sizeof *t);
    if (t == NULL) {
        snprintf(why, why_size, "%s: can't be read: %s", path, strerror(errno));
    } else if (!read_all(t, file, &number)) {
        snprintf(why, why_size, "%s:%u: %s", path, number > 0 ? number : 1,
                 number > 1 ? "not a row of a trace; expected as many fields as in its first line, "
                              "no earlier than the row before"
                            : "not a trace; its first line begins with time_s and ends with rig, "
                              "as windpin run --trace writes it");
        wpin_trace_free(t);
        t = NULL;
    }
    if (file != NULL) {
        fclose(file);
    }
    return t;
}

const char *wpin_trace_mark(const wpin_trace *t) {
    return t->mark;
}

double wpin_trace_end(const wpin_trace *t) {
    return t->values[(t->rows - 1) * t->columns];
}

int wpin_trace_column(const wpin_trace *t, const char *load, const char *what) {
    char name[2 * WPIN_NAME_MAX + 2];
    snprintf(name, sizeof name, "%s_%s", load, what);
    for (size_t c = 0; c < t->columns; c++) {
        if (strcmp(t->names[c], name) == 0) {
            return (int)c;
        }
    }
    return -1;
}

double wpin_trace_average(const wpin_trace *t, int column, double from, double to) {
    double sum = 0, seconds = 0;
    size_t low = 0, high = t->rows; /* the last row that is not after `from` */
    while (high - low > 1) {
        size_t middle = (low + high) / 2;
        *(t->values[middle * t->columns] <= from ? &low : &high) = middle;
    }
    for (size_t r = low; column >= 0 && r < t->rows; r++) {
        double begins = fmax(from, t->values[r * t->columns]);
        double ends = r + 1 < t->rows ? fmin(to, t->values[(r + 1) * t->columns]) : to;
        double value = t->values[r * t->columns + (size_t)column];
        if (begins >= to) {
            break;
        }
        if (ends > begins && isfinite(value)) {
            sum += value * (ends - begins);
            seconds += ends - begins;
        }
    }
    return seconds > 0 ? sum / seconds : NAN;
}
