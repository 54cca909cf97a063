/* Records: kept, written, read. */
#include "windpin/host/identify.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const char header[] = "time_s,duty_percent,sensed_a,counts,counted_at_s";

bool wpin_record_add(wpin_record *record, const wpin_record_row *row) {
    if (record->count == record->room) {
        size_t room = record->room == 0 ? 1024 : 2 * record->room;
        wpin_record_row *rows = realloc(record->rows, room * sizeof *rows);
        if (rows == NULL) {
            return false;
        }
        record->rows = rows;
        record->room = room;
    }
    record->rows[record->count++] = *row;
    return true;
}

void wpin_record_free(wpin_record *record) {
    free(record->rows);
    *record = (wpin_record){0};
}

bool wpin_record_write(const wpin_record *record, const char *path, char *why, size_t why_size) {
    FILE *file = fopen(path, "w");
    bool good = file != NULL && fprintf(file, "%s\r\n", header) > 0;
    for (size_t i = 0; good && i < record->count; i++) {
        const wpin_record_row *r = &record->rows[i];
        good = fprintf(file, "%.6f,%.4f,%.4f,%ld,%.6f\r\n", r->at, r->duty * 100, r->amps,
                       (long)r->counts, r->counted_at) > 0;
    }
    int error = errno;
    if (file != NULL && fclose(file) != 0) {
        error = errno;
        good = false;
    }
    if (!good) {
        snprintf(why, why_size, "%s: can't be written: %s", path, strerror(error));
    }
    return good;
}

/* One row; false when it is none, or runs back in time. */
static bool read_row(wpin_record *record, const char *line) {
    wpin_record_row row;
    double percent;
    long counts;
    char rest;
    int found = sscanf(line, "%lf,%lf,%lf,%ld,%lf%c", &row.at, &percent, &row.amps, &counts,
                       &row.counted_at, &rest);
    bool later = record->count == 0 || row.at > record->rows[record->count - 1].at;
    row.duty = percent / 100;
    row.counts = (int32_t)counts;
    return found == 5 && later && row.duty <= 1 && row.duty >= -1 && row.amps >= 0 &&
           row.counted_at <= row.at && wpin_record_add(record, &row);
}

bool wpin_record_read(wpin_record *record, const char *path, char *why, size_t why_size) {
    FILE *file = fopen(path, "r");
    char line[200];
    if (file == NULL) {
        snprintf(why, why_size, "%s: can't be read: %s", path, strerror(errno));
        return false;
    }
    unsigned number = 0;
    bool good = true;
    while (good && fgets(line, sizeof line, file) != NULL) {
        line[strcspn(line, "\r\n")] = '\0';
        good = ++number == 1 ? strcmp(line, header) == 0 : read_row(record, line);
    }
    fclose(file);
    if (!good || record->count == 0) {
        snprintf(why, why_size, "%s:%u: %s", path, number > 0 ? number : 1,
                 number > 1 ? "no row of a record; expected five numbers, later than the row before"
                            : "no record; its first line names the columns: time_s,duty_percent,"
                              "sensed_a,counts,counted_at_s");
        wpin_record_free(record);
        return false;
    }
    return true;
}
