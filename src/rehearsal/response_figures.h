/* A course of a speed, to be put in figures. */
#ifndef WPIN_REHEARSAL_RESPONSE_FIGURES_H
#define WPIN_REHEARSAL_RESPONSE_FIGURES_H

#include "windpin/host/response.h"

typedef struct wpin_course {
    const double *speeds; /* at the end of each tick since another speed was asked for */
    size_t count, load_at;
    double from, to; /* in their unit */
    double tick;     /* s */
} wpin_course;

wpin_response_figures wpin_course_figures(const wpin_course *course);

#endif
