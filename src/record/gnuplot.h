/* Pictures by gnuplot: starting it, what all pictures have in common, and ending it. */
#ifndef WPIN_TRACE_GNUPLOT_H
#define WPIN_TRACE_GNUPLOT_H

#include <stdbool.h>
#include <stdio.h>

typedef struct wpin_gnuplot {
    FILE *to; /* its script */
    const char *picture;
    void (*before)(int); /* what SIGPIPE did */
} wpin_gnuplot;

/* Whether a picture's name says a format; false with the reason. */
bool wpin_picture_named(const char *picture, char *why, size_t why_size);
/* Starts it on a picture of 1280 x 800; false with the reason. */
bool wpin_gnuplot_start(wpin_gnuplot *plot, const char *picture, char *why, size_t why_size);
/* Waits until it has drawn; false with the reason, and no picture. */
bool wpin_gnuplot_end(wpin_gnuplot *plot, char *why, size_t why_size);
/* The axis of a low panel: some four marks, at whole steps. */
void wpin_put_marks(FILE *to, double low, double high);
/* Text inside single quotes. */
void wpin_put_quoted(FILE *to, const char *text);

#endif
