/* Pictures by gnuplot. */
#define _GNU_SOURCE
#include "gnuplot.h"
#include <errno.h>
#include <math.h>
#include <signal.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

/* A quote is doubled. */
void wpin_put_quoted(FILE *to, const char *text) {
    fputc('\'', to);
    for (; *text != '\0'; text++) {
        if (*text == '\'') {
            fputc('\'', to);
        }
        fputc(*text, to);
    }
    fputc('\'', to);
}

static bool ends_with(const char *text, const char *ending) {
    size_t n = strlen(text), m = strlen(ending);
    return n > m && strcasecmp(text + n - m, ending) == 0;
}

bool wpin_picture_named(const char *picture, char *why, size_t why_size) {
    bool named = ends_with(picture, ".png") || ends_with(picture, ".svg");
    if (!named) {
        snprintf(why, why_size, "'%s': expected a name ending in .png or .svg", picture);
    }
    return named;
}

/* Paper, letters, grid and axes. */
static void put_ground(FILE *to, const char *picture) {
    fprintf(to, "%s\n",
            ends_with(picture, ".svg")
                ? "set terminal svg size 1280,800 font 'DejaVu Sans,11' background '#ffffff'"
                : "set terminal pngcairo size 1280,800 font 'DejaVu Sans,10' background '#ffffff'");
    fprintf(to, "set output ");
    wpin_put_quoted(to, picture);
    fprintf(to, "\nset grid lt 1 lw 0.5 lc rgb '#dddddd'\nset border 3\nset tics nomirror\n"
                "set key at graph 1,1.2 right horizontal samplen 2\n"
                "set xzeroaxis lt 1 lw 0.5 lc rgb '#888888'\n");
}

bool wpin_gnuplot_start(wpin_gnuplot *plot, const char *picture, char *why, size_t why_size) {
    if (!wpin_picture_named(picture, why, why_size)) {
        return false;
    }
    FILE *probe = fopen(picture, "w"); /* so that the reason is known, not gnuplot's words */
    if (probe == NULL || fclose(probe) != 0) {
        snprintf(why, why_size, "%s: can't be written: %s", picture, strerror(errno));
        return false;
    }
    *plot = (wpin_gnuplot){.to = popen("gnuplot 2>/dev/null", "w"), .picture = picture};
    if (plot->to == NULL) {
        snprintf(why, why_size, "gnuplot can't be started: %s", strerror(errno));
        return false;
    }
    plot->before = signal(SIGPIPE, SIG_IGN);
    put_ground(plot->to, picture);
    return true;
}

bool wpin_gnuplot_end(wpin_gnuplot *plot, char *why, size_t why_size) {
    fprintf(plot->to, "unset output\n");
    int ended = pclose(plot->to);
    signal(SIGPIPE, plot->before);
    if (ended != 0) {
        unlink(plot->picture);
        snprintf(why, why_size,
                 "gnuplot could not draw %s; is it installed (Debian: gnuplot-nox) and is there "
                 "room on the disk?",
                 plot->picture);
    }
    return ended == 0;
}

void wpin_put_marks(FILE *to, double low, double high) {
    double rough = fmax(high - low, 1e-6) / 3, ten = pow(10, floor(log10(rough)));
    double step = rough > 5 * ten ? 10 * ten : rough > 2 * ten ? 5 * ten : 2 * ten;
    fprintf(to, "set yrange [%g:%g]\nset ytics %g\n", step * floor(low / step),
            step * ceil(high / step), step);
}
