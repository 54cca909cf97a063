/* Where two loads had the same duty in a trace, and what they made of it. */
#include "windpin/host/twins.h"
#include <math.h>
#include <stdio.h>

#define WINDOW 0.02  /* s that are averaged */
enum { LEAST = 50 }; /* windows of a stretch: a second */

typedef struct columns {
    int duty, rpm, amps, least, most;
} columns;

/* As measured, where it was; else the true one of simulated hardware. */
static int column_of(const wpin_trace *t, const char *load, const char *measured,
                     const char *other) {
    int column = wpin_trace_column(t, load, measured);
    bool numbers = column >= 0 && isfinite(wpin_trace_average(t, column, 0, wpin_trace_end(t)));
    return numbers ? column : wpin_trace_column(t, load, other);
}

static columns columns_of(const wpin_trace *t, const char *load) {
    return (columns){.duty = wpin_trace_column(t, load, "duty_percent"),
                     .rpm = column_of(t, load, "measured_rpm", "rpm"),
                     .amps = column_of(t, load, "measured_amps", "amps"),
                     .least = wpin_trace_column(t, load, "amps_min"),
                     .most = wpin_trace_column(t, load, "amps_max")};
}

static double window(const wpin_trace *t, int column, int number) {
    return wpin_trace_average(t, column, number * WINDOW, (number + 1) * WINDOW);
}

static wpin_twin look(const wpin_trace *t, const columns *c, int from, int to) {
    double begin = from * WINDOW, end = to * WINDOW, off = 0;
    wpin_twin one = {.rpm = wpin_trace_average(t, c->rpm, begin, end),
                     .amps = wpin_trace_average(t, c->amps, begin, end),
                     .ripple = wpin_trace_average(t, c->most, begin, end) -
                               wpin_trace_average(t, c->least, begin, end)};
    for (int i = from; i < to; i++) {
        off += pow(window(t, c->rpm, i) - one.rpm, 2);
    }
    one.rough = sqrt(off / (to - from)) / fabs(one.rpm);
    return one;
}

/* One of the two, and what its duties were multiplied by. */
typedef struct recorded {
    columns c;
    double trim;
} recorded;

static double asked(const wpin_trace *t, const recorded *r, int number) {
    return window(t, r->c.duty, number) / r->trim;
}

/* The windows from one on in which both are asked for the same duty, and it stays. */
static int same_from(const wpin_trace *t, const recorded both[2], int from, int all) {
    double duty = asked(t, &both[0], from);
    int to = from;
    while (to < all && fabs(duty) > 1 && fabs(asked(t, &both[0], to) - duty) < 0.1 &&
           fabs(asked(t, &both[1], to) - duty) < 0.1) {
        to++;
    }
    return to;
}

static void take_places(const wpin_trace *t, const recorded both[2], wpin_twins *twins) {
    int all = (int)(wpin_trace_end(t) / WINDOW);
    for (int from = 0; from < all && twins->count < WPIN_TWIN_PLACES;) {
        int to = same_from(t, both, from, all), half = from + (to - from) / 2;
        if (to - from >= LEAST) {
            twins->places[twins->count++] = (wpin_twin_place){
                .duty = asked(t, &both[0], from) / 100,
                .of = {look(t, &both[0].c, half, to), look(t, &both[1].c, half, to)}};
        }
        from = to > from ? to : from + 1;
    }
}

/* False with the reason where a load or its speed is not in the trace. */
static bool find(const wpin_trace *t, const wpin_rig_load *load, columns *c, char *why,
                 size_t why_size) {
    *c = columns_of(t, load->name);
    bool speed = isfinite(wpin_trace_average(t, c->rpm, 0, wpin_trace_end(t)));
    if (c->duty < 0 || !speed) {
        snprintf(why, why_size,
                 c->duty < 0 ? "'%s' is not in the record"
                             : "the record has no speed of '%s'; it takes an encoder",
                 load->name);
    }
    return c->duty >= 0 && speed;
}

bool wpin_twins_recorded(const wpin_trace *t, const wpin_rig *rig, const int loads[2],
                         wpin_twins *twins, char *why, size_t why_size) {
    const wpin_rig_load *a = &rig->loads[loads[0]], *b = &rig->loads[loads[1]];
    recorded both[2] = {{.trim = 1}, {.trim = 1}};
    *twins = (wpin_twins){0};
    if (!find(t, a, &both[0].c, why, why_size) || !find(t, b, &both[1].c, why, why_size)) {
        return false;
    }
    take_places(t, both, twins);
    if (twins->count == 0 && (a->limits.trim < 1 || b->limits.trim < 1)) {
        both[0].trim = a->limits.trim;
        both[1].trim = b->limits.trim;
        twins->trimmed = true;
        take_places(t, both, twins);
    }
    if (twins->count == 0) {
        snprintf(why, why_size,
                 "in no second of the record had both the same duty; expected a plan such as '%s, "
                 "%s ramp 40%%', 'wait 3s', '%s, %s ramp 70%%', 'wait 3s'",
                 a->name, b->name, a->name, b->name);
        return false;
    }
    return wpin_twins_judge(twins, why, why_size);
}
