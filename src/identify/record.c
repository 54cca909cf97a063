/* Records: kept, written, read. */
#include "windpin/host/identify.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const char header[] = "time_s,duty_percent,sensed_a,counts,counted_at_s";
static const char with_samples[] = "time_s,duty_percent,sensed_a,counts,counted_at_s,phase_percent";

/* An array with room for one more, perhaps elsewhere; NULL (and it as it was) when out of memory.
 */
static void *with_room(void *array, size_t count, size_t *room, size_t size) {
    if (count < *room) {
        return array;
    }
    size_t more = *room == 0 ? 1024 : 2 * *room;
    void *grown = realloc(array, more * size);
    *room = grown != NULL ? more : *room;
    return grown;
}

bool wpin_record_add(wpin_record *record, const wpin_record_row *row) {
    wpin_record_row *all = with_room(record->rows, record->count, &record->room, sizeof *row);
    if (all != NULL) {
        record->rows = all;
        all[record->count++] = *row;
    }
    return all != NULL;
}

bool wpin_record_add_sample(wpin_record *record, const wpin_record_sample *sample) {
    wpin_record_sample *all =
        with_room(record->samples, record->sample_count, &record->sample_room, sizeof *sample);
    if (all != NULL) {
        record->samples = all;
        all[record->sample_count++] = *sample;
    }
    return all != NULL;
}

void wpin_record_free(wpin_record *record) {
    free(record->rows);
    free(record->samples);
    *record = (wpin_record){0};
}

/* Those samples that were taken before a moment, from the k-th on. */
static bool write_samples(const wpin_record *record, FILE *file, size_t *k, double before) {
    bool good = true;
    for (; good && *k < record->sample_count && record->samples[*k].at < before; ++*k) {
        const wpin_record_sample *s = &record->samples[*k];
        good = fprintf(file, "%.9f,%.4f,%.4f,,,%.4f\r\n", s->at, s->duty * 100, s->amps,
                       s->phase * 100) > 0;
    }
    return good;
}

bool wpin_record_write(const wpin_record *record, const char *path, char *why, size_t why_size) {
    FILE *file = fopen(path, "w");
    bool sampled = record->sample_count > 0;
    bool good = file != NULL && fprintf(file, "%s\r\n", sampled ? with_samples : header) > 0;
    size_t sample = 0;
    for (size_t i = 0; good && i < record->count; i++) {
        const wpin_record_row *r = &record->rows[i];
        good = write_samples(record, file, &sample, r->at) &&
               fprintf(file, "%.6f,%.4f,%.4f,%ld,%.6f%s\r\n", r->at, r->duty * 100, r->amps,
                       (long)r->counts, r->counted_at, sampled ? "," : "") > 0;
    }
    good = good && write_samples(record, file, &sample, HUGE_VAL);
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

/* A sample: its row has a phase, and nothing of the encoder. */
static bool read_sample(wpin_record *record, const char *line) {
    wpin_record_sample s;
    char rest;
    int found = sscanf(line, "%lf,%lf,%lf,,,%lf%c", &s.at, &s.duty, &s.amps, &s.phase, &rest);
    s.duty /= 100;
    s.phase /= 100;
    bool later = record->sample_count == 0 || s.at >= record->samples[record->sample_count - 1].at;
    return found == 4 && later && fabs(s.duty) <= 1 && s.amps >= 0 && s.phase >= 0 &&
           s.phase <= 1 && wpin_record_add_sample(record, &s);
}

/* One row; false when it is none, or runs back in time. */
static bool read_row(wpin_record *record, char *line, bool sampled) {
    wpin_record_row row;
    double percent;
    long counts;
    char rest, *last = strrchr(line, ',');
    if (sampled && last != NULL && last[1] != '\0') {
        return read_sample(record, line);
    }
    if (sampled && last != NULL) {
        *last = '\0';
    }
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
    bool good = true, sampled = false;
    while (good && fgets(line, sizeof line, file) != NULL) {
        line[strcspn(line, "\r\n")] = '\0';
        if (++number == 1) {
            sampled = strcmp(line, with_samples) == 0;
            good = sampled || strcmp(line, header) == 0;
        } else {
            good = read_row(record, line, sampled);
        }
    }
    fclose(file);
    if (good && record->sample_count > 0 && record->count == 0) {
        snprintf(why, why_size,
                 "%s: it holds samples within PWM periods only; expected rows of each control "
                 "period as well",
                 path);
        wpin_record_free(record);
        return false;
    }
    if (!good || record->count == 0) {
        snprintf(why, why_size, "%s:%u: %s", path, number > 0 ? number : 1,
                 number > 1
                     ? "no row of a record; expected five numbers, later than the row before, or "
                       "of a sample within a PWM period time, duty, current and phase"
                     : "no record; its first line names the columns: time_s,duty_percent,"
                       "sensed_a,counts,counted_at_s, and phase_percent where it has samples "
                       "within PWM periods");
        wpin_record_free(record);
        return false;
    }
    return true;
}
