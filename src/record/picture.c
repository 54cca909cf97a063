/* Pictures of a trace, drawn by gnuplot: one column of panels a load, honest axes. */
#define _GNU_SOURCE
#include "gnuplot.h"
#include "windpin/host/trace.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define LOAD_COLUMNS 15
#define RPM_COLUMNS  10 /* from here on: asked and measured speed and current, may be empty */
#define AMPS_COLUMNS 12
#define TURNS        8
#define EFFECT       9

/* What the axes have to reach, from the trace itself. */
typedef struct span {
    char name[WPIN_NAME_MAX + 1];
    double volts, amps, rpm; /* largest size */
    double duty, degrees;    /* the same */
    double effect;           /* of a light or a plunger, largest, percent */
    double fault_at;         /* s; NAN: none */
    bool measured;           /* its speed, by an encoder */
    bool regulated;          /* its current was asked for */
    bool sensed;             /* and measured */
    bool true_known;         /* what truly happened: simulated hardware knows */
    bool negative;           /* anything below zero */
    bool turns_back;         /* its place, too */
    bool drives_back;        /* its duty, too */
    size_t column;           /* of the load in the trace, from 0 */
} span;

typedef struct trace_file {
    size_t loads, rows, shown;
    double end;
    char rig[40]; /* its fingerprint, as the trace says it */
    span spans[WPIN_PICTURE_LOADS];
} trace_file;

static void grow(double *largest, bool *negative, double value) {
    *largest = fmax(*largest, fabs(value));
    *negative = *negative || value < 0;
}

/* Whether a load of the trace is to be shown; the place it then has. */
static void take_load(trace_file *trace, const char *name, const wpin_picture_loads *loads) {
    size_t place = trace->shown;
    bool wanted = loads->count == 0 && place < WPIN_PICTURE_LOADS;
    for (size_t i = 0; i < loads->count; i++) {
        wanted = wanted || strcasecmp(loads->names[i], name) == 0;
    }
    if (wanted && place < WPIN_PICTURE_LOADS) {
        snprintf(trace->spans[place].name, WPIN_NAME_MAX + 1, "%s", name);
        trace->spans[place].fault_at = NAN;
        trace->spans[place].column = trace->loads;
        trace->shown++;
    }
    trace->loads++;
}

static bool read_header(trace_file *trace, char *header, const wpin_picture_loads *loads, char *why,
                        size_t size) {
    static const char ending[] = "_asked_percent";
    bool first = true;
    char *saved = NULL;
    for (char *word = strtok_r(header, ",\r\n", &saved); word != NULL;
         word = strtok_r(NULL, ",\r\n", &saved)) {
        if (first && strcmp(word, "time_s") != 0) {
            break;
        }
        first = false;
        char *found = strstr(word, ending);
        if (found != NULL && found[sizeof ending - 1] == '\0') {
            *found = '\0';
            take_load(trace, word, loads);
        }
    }
    if (trace->loads == 0) {
        snprintf(why, size,
                 "1:1: this is not a trace; expected a header with time_s and, for each "
                 "load, NAME_asked_percent (as 'windpin run --trace' writes it)");
    }
    if (trace->loads != 0 && trace->shown == 0) {
        snprintf(why, size, "1:1: none of the loads asked for is in this trace");
    }
    return trace->shown != 0;
}

/* What is gathered of the trace's nth load, NULL if it is not shown. */
static span *span_of(trace_file *trace, size_t column) {
    for (size_t i = 0; i < trace->shown; i++) {
        if (trace->spans[i].column == column) {
            return &trace->spans[i];
        }
    }
    return NULL;
}

static bool read_row(trace_file *trace, const char *row, char *why, size_t size) {
    char *rest;
    trace->end = strtod(row, &rest);
    for (size_t i = 0; i < trace->loads; i++) {
        double v[LOAD_COLUMNS - 1];
        for (int c = 0; c < LOAD_COLUMNS - 1; c++) {
            char *begin = rest + (*rest == ',');
            bool empty = c != 1 && *begin == ','; /* not asked, not measured, or not known */
            v[c] = empty ? NAN : strtod(begin, &rest);
            rest = empty ? begin : rest;
            if (rest == begin && !empty) {
                snprintf(why, size, "%zu:%zu: found '%.*s'; expected a number", trace->rows + 2,
                         (size_t)(begin - row) + 1, (int)strcspn(begin, ",\r\n"), begin);
                return false;
            }
        }
        bool fault = strncmp(rest + 1, "fault", 5) == 0;
        rest += strcspn(rest + 1, ",\r\n") + 1; /* the phase is a word */
        span *s = span_of(trace, i);
        if (s != NULL) {
            s->fault_at = fault && isnan(s->fault_at) ? trace->end : s->fault_at;
            s->duty = fmax(s->duty, fabs(v[1]));
            s->drives_back = s->drives_back || v[0] < 0 || v[1] < 0;
            s->effect = fmax(s->effect, v[EFFECT]);
            grow(&s->degrees, &s->turns_back, v[TURNS] * 360);
            grow(&s->volts, &s->negative, v[2]);
            grow(&s->volts, &s->negative, v[7]);
            grow(&s->amps, &s->negative, v[4]);
            grow(&s->amps, &s->negative, v[5]);
            grow(&s->rpm, &s->negative, v[6]);
            s->regulated = s->regulated || !isnan(v[AMPS_COLUMNS]);
            s->sensed = s->sensed || !isnan(v[AMPS_COLUMNS + 1]);
            s->measured = s->measured || !isnan(v[RPM_COLUMNS + 1]);
            s->true_known = s->true_known || !isnan(v[2]);
            if (!s->true_known) {
                grow(&s->amps, &s->negative, v[AMPS_COLUMNS + 1]);
                grow(&s->rpm, &s->negative, v[RPM_COLUMNS + 1]);
            }
        }
    }
    if (trace->rows++ == 0 && *rest == ',') {
        snprintf(trace->rig, sizeof trace->rig, "%.*s", (int)strcspn(rest + 1, " ,\r\n"), rest + 1);
    }
    return true;
}

static bool read_trace(trace_file *trace, const char *path, const wpin_picture_loads *loads,
                       char *why, size_t size) {
    FILE *file = fopen(path, "r");
    char *line = NULL;
    size_t room = 0;
    if (file == NULL) {
        snprintf(why, size, "can't be opened: %s", strerror(errno));
        return false;
    }
    bool good = getline(&line, &room, file) >= 0;
    if (!good) {
        snprintf(why, size, "is empty; expected a trace");
    }
    good = good && read_header(trace, line, loads, why, size);
    while (good && getline(&line, &room, file) >= 0) {
        good = read_row(trace, line, why, size);
    }
    if (good && trace->rows < 2) {
        snprintf(why, size, "has %zu rows; expected at least 2 to draw a line", trace->rows);
        good = false;
    }
    free(line);
    fclose(file);
    return good;
}

/* Axis from zero (or from minus the same) to a little over the largest value. */
static void put_range(FILE *to, double largest, bool negative) {
    double reach = largest > 0 ? largest * 1.08 : 1;
    fprintf(to, "set yrange [%g:%g]\n", negative ? -reach : 0, reach);
}

/* A stepper has no duty; what neither turns nor has one is a light or a plunger. */
static bool is_stepper(const span *s) {
    return s->duty == 0 && s->degrees > 0;
}

static bool is_light(const span *s) {
    return s->rpm == 0 && s->degrees == 0 && s->effect > 0;
}

/* What is asked of it: duty, or of a stepper the place it stands at. */
static void put_asked(FILE *to, const span *s, int c) {
    if (is_stepper(s)) {
        fprintf(to, "set ylabel 'place (deg)'\n");
        put_range(to, s->degrees, s->turns_back);
        fprintf(to,
                "plot file using 1:(column(%d) * 360) with lines lc rgb '#1d3557' lw 1.5 title "
                "'true place'\nunset label\n",
                c + TURNS);
        return;
    }
    fprintf(to, "set ylabel 'duty (%%)'\n");
    put_range(to, 100, s->drives_back);
    fprintf(to,
            "plot file using 1:(given(%d)) with lines lc rgb '#8fa8c8' lw 4 title 'asked', "
            "'' using 1:%d with lines lc rgb '#1d3557' lw 1.5 title 'on the pins'\n"
            "unset label\n",
            c, c + 1);
}

/* A panel of what nobody knows. */
static void put_nothing(FILE *to) {
    fprintf(to, "plot NaN with lines lc rgb '#b8b8b8' title 'not measured'\n");
}

/* As it was measured, and asked where it was: columns from c on. */
static void put_measured(FILE *to, int c, bool asked) {
    fprintf(to, "plot ");
    if (asked) {
        fprintf(to, "file using 1:(given(%d)) with lines lc rgb '#8fa8c8' lw 4 title 'asked', ", c);
    }
    fprintf(to, "file using 1:(given(%d)) with lines lc rgb '#c23b3b' lw 1.5 title 'measured'\n",
            c + 1);
}

static void put_volts(FILE *to, const span *s, int c) {
    fprintf(to, "set ylabel '%s volts (V)'\n", is_light(s) ? "its" : "motor");
    put_range(to, s->volts, s->negative);
    if (!s->true_known) {
        put_nothing(to);
        return;
    }
    fprintf(to,
            "plot file using 1:%d with lines lc rgb '#b8b8b8' lw 1.5 title 'supply', "
            "'' using 1:%d with lines lc rgb '#2a7f62' lw 1.5 title 'mean'\n",
            c + 7, c + 2);
}

static void put_current(FILE *to, const span *s, int c) {
    fprintf(to, "set ylabel 'current (A)'\n");
    put_range(to, s->amps, s->negative);
    if (!s->true_known && !s->sensed) {
        put_nothing(to);
        return;
    }
    if (!s->true_known) {
        put_measured(to, c + AMPS_COLUMNS, s->regulated);
        return;
    }
    fprintf(to,
            "plot file using 1:%d:%d with filledcurves lc rgb '#f3c9a5' title 'range', '' using "
            "1:%d with lines lc rgb '#b5541c' lw 1.5 title 'mean'",
            c + 4, c + 5, c + 3);
    if (s->regulated) {
        fprintf(to,
                ", '' using 1:(given(%d)) with lines lc rgb '#8fa8c8' lw 4 title 'asked', "
                "'' using 1:(given(%d)) with lines lc rgb '#c23b3b' lw 1.5 title 'measured'",
                c + AMPS_COLUMNS, c + AMPS_COLUMNS + 1);
    }
    fprintf(to, "\n");
}

/* What comes of it: speed, or light. */
static void put_effect(FILE *to, const span *s, int c) {
    fprintf(to, "set format x '%%g'\nset xlabel 'time (s)'\n");
    if (is_light(s)) {
        fprintf(to, "set ylabel 'effect (%%)'\n");
        put_range(to, fmax(100, s->effect), false);
        fprintf(to,
                "plot file using 1:%d with lines lc rgb '#c79a1e' lw 2 title 'light, or plunger'\n",
                c + EFFECT);
        return;
    }
    fprintf(to, "set ylabel 'output (rpm)'\n");
    put_range(to, s->rpm, s->negative);
    if (!s->true_known) {
        if (s->measured) {
            put_measured(to, c + RPM_COLUMNS, true);
        } else {
            put_nothing(to);
        }
        return;
    }
    if (s->measured) {
        fprintf(to,
                "plot file using 1:(given(%d)) with lines lc rgb '#8fa8c8' lw 4 title 'asked', "
                "'' using 1:(given(%d)) with lines lc rgb '#c23b3b' lw 2 title 'measured', "
                "'' using 1:%d with lines lc rgb '#5b3f8c' lw 1 title 'true'\n",
                c + RPM_COLUMNS, c + RPM_COLUMNS + 1, c + 6);
        return;
    }
    fprintf(to, "plot file using 1:%d with lines lc rgb '#5b3f8c' lw 1.5 title 'true speed'\n",
            c + 6);
}

/* Where the plan's steps for a load begin, with their lines; too many would hide what they mark. */
static void put_marks(FILE *to, const trace_file *trace, const span *s,
                      const wpin_picture_loads *loads) {
    const size_t most = 40;
    size_t count = 0;
    double last = -1, close = trace->end / 60;
    for (size_t i = 0; i < loads->mark_count; i++) {
        count += strcasecmp(loads->marks[i].load, s->name) == 0;
    }
    for (size_t i = 0; i < loads->mark_count && count <= most; i++) {
        const wpin_picture_mark *m = &loads->marks[i];
        if (strcasecmp(m->load, s->name) != 0) {
            continue;
        }
        fprintf(to,
                "set arrow from %g, graph 0 to %g, graph 1 nohead lc rgb '#c9c9c9' lw 0.7 back\n",
                m->at, m->at);
        if (last < 0 || m->at - last > close) {
            fprintf(to, "set label '%u' at %g, graph 1.035 center font ',7' tc rgb '#808080'\n",
                    m->line, m->at);
            last = m->at;
        }
    }
}

static void put_load(FILE *to, const trace_file *trace, size_t load,
                     const wpin_picture_loads *loads) {
    const span *s = &trace->spans[load];
    int c = (int)(s->column * LOAD_COLUMNS) + 2;
    fprintf(to, "set xrange [0:%g]\nset format x ''\nunset xlabel\nunset arrow\n", trace->end);
    if (!isnan(s->fault_at)) { /* a mark through all of its panels */
        fprintf(to,
                "set arrow 1 from %g, graph 0 to %g, graph 1 nohead lc rgb '#c23b3b' lw 1.5 dt 2\n"
                "set label 2 'fault' at %g, graph 0.93 %s tc rgb '#c23b3b'\n",
                s->fault_at, s->fault_at, s->fault_at,
                s->fault_at > 0.85 * trace->end ? "right offset -0.6,0" : "left offset 0.6,0");
    }
    fprintf(to, "set label 1 '%s' at graph 0,1.13 left font ',13'\n", s->name);
    put_marks(to, trace, s, loads);
    put_asked(to, s, c);
    put_volts(to, s, c);
    put_current(to, s, c);
    put_effect(to, s, c);
}

/* Loads side by side that reach about as far get the same scale, so that they can be compared. */
static void share_scales(trace_file *trace) {
    double volts = 0, amps = 0, rpm = 0;
    for (size_t i = 0; i < trace->shown; i++) {
        volts = fmax(volts, trace->spans[i].volts);
        amps = fmax(amps, trace->spans[i].amps);
        rpm = fmax(rpm, trace->spans[i].rpm);
    }
    const double near = 2.5;
    for (size_t i = 0; i < trace->shown; i++) {
        span *s = &trace->spans[i];
        s->volts = s->volts * near >= volts ? volts : s->volts;
        s->amps = s->amps * near >= amps ? amps : s->amps;
        s->rpm = s->rpm * near >= rpm ? rpm : s->rpm;
    }
}

static void put_script(FILE *to, const trace_file *trace, const wpin_picture_loads *loads,
                       const char *csv) {
    size_t shown = trace->shown;
    fprintf(to, "file = ");
    wpin_put_quoted(to, csv);
    fprintf(to,
            "\nset datafile separator ','\nset key autotitle columnhead\n"
            "given(c) = strlen(strcol(c)) > 0 ? column(c) : NaN\n"
            "set label 9 '%s, rig %s' at screen 0.008,0.018 left font ',9' tc rgb '#707070'\n"
            "set multiplot layout 4,%zu columnsfirst margins 0.065,0.985,0.07,0.95 spacing "
            "0.07,0.065\n",
            trace->spans[0].true_known ? "simulated" : "measured", trace->rig, shown);
    for (size_t i = 0; i < shown; i++) {
        put_load(to, trace, i, loads);
    }
    fprintf(to, "unset multiplot\n");
}

bool wpin_picture(const char *csv_path, const char *picture_path, const wpin_picture_loads *loads,
                  char *why, size_t why_size) {
    if (!wpin_picture_named(picture_path, why, why_size)) {
        return false;
    }
    trace_file trace = {0};
    char reason[300];
    if (!read_trace(&trace, csv_path, loads, reason, sizeof reason)) {
        snprintf(why, why_size, "%s:%s%s", csv_path,
                 reason[0] >= '0' && reason[0] <= '9' ? "" : " ", reason);
        return false;
    }
    wpin_gnuplot plot;
    if (!wpin_gnuplot_start(&plot, picture_path, why, why_size)) {
        return false;
    }
    share_scales(&trace);
    put_script(plot.to, &trace, loads, csv_path);
    if (!wpin_gnuplot_end(&plot, why, why_size)) {
        return false;
    }
    why[0] = '\0';
    if (loads->count == 0 && trace.loads > trace.shown) {
        snprintf(why, why_size, "%s shows the first %zu of %zu loads", picture_path, trace.shown,
                 trace.loads);
    }
    return true;
}
