/* The picture of a response: speed, duty and current. */
#include "gnuplot.h"
#include "windpin/host/response.h"
#include <math.h>

static void put_rows(FILE *to, const wpin_response *r) {
    fprintf(to, "$rows << END\n");
    for (size_t i = 0; i < r->count; i++) {
        const wpin_response_row *w = &r->rows[i];
        fprintf(to, "%.6f %.6g %.6g %.6g %.6g %.6g %.6g\n", w->at, w->asked, w->predicted,
                w->measured, w->rpm, w->duty * 100, w->amps);
    }
    fprintf(to, "END\n");
}

/* Axis from a little below the lowest to a little above the highest speed. */
static void put_speeds(FILE *to, const wpin_response *r) {
    double low = fmin(r->test.from, r->test.to), high = fmax(r->test.from, r->test.to);
    for (size_t i = 0; i < r->count; i++) {
        const wpin_response_row *w = &r->rows[i];
        low = fmin(low, fmin(fmin(w->predicted, w->rpm), w->measured));
        high = fmax(high, fmax(fmax(w->predicted, w->rpm), w->measured));
    }
    double room = 0.06 * (high - low);
    fprintf(to, "set yrange [%g:%g]\n", low - room, high + room);
}

static void put_duties(FILE *to, const wpin_response *r) {
    double low = HUGE_VAL, high = -HUGE_VAL;
    for (size_t i = 0; i < r->count; i++) {
        low = fmin(low, r->rows[i].duty * 100);
        high = fmax(high, r->rows[i].duty * 100);
    }
    wpin_put_marks(to, low, high);
}

static void put_amps(FILE *to, const wpin_response *r) {
    double low = 0, high = 0;
    for (size_t i = 0; i < r->count; i++) {
        low = fmin(low, r->rows[i].amps);
        high = fmax(high, r->rows[i].amps);
    }
    wpin_put_marks(to, low, high);
}

static void put_script(FILE *to, const wpin_response *r, const char *title) {
    put_rows(to, r);
    fprintf(to,
            "set xrange [0:%g]\nset format x ''\n"
            "set arrow 1 from %g, graph 0 to %g, graph 1 nohead lc rgb '#888888' dt 2\n"
            "set multiplot\nset lmargin at screen 0.065\nset rmargin at screen 0.985\n"
            "set tmargin at screen 0.94\nset bmargin at screen 0.42\nset label 1 ",
            r->rows[r->count - 1].at, r->load_at, r->load_at);
    wpin_put_quoted(to, title);
    fprintf(to,
            " at graph 0,1.06 left font ',13'\n"
            "set label 2 ' the load comes' at %g, graph 0.04 left textcolor rgb '#666666'\n"
            "set key at graph 1,1.09 right horizontal samplen 2\nset ylabel 'output (rpm)'\n",
            r->load_at);
    put_speeds(to, r);
    fprintf(to, "plot $rows using 1:2 with lines lc rgb '#8fa8c8' lw 4 title 'asked', "
                "'' using 1:4 with lines lc rgb '#c23b3b' lw 2 title 'measured', "
                "'' using 1:5 with lines lc rgb '#5b3f8c' lw 1 title 'true', "
                "'' using 1:3 with lines lc rgb '#222222' lw 1.5 dt 2 title 'predicted'\n"
                "unset label 1\nunset label 2\nset key off\n"
                "set tmargin at screen 0.39\nset bmargin at screen 0.25\nset ylabel 'duty (%%)'\n");
    put_duties(to, r);
    fprintf(to, "plot $rows using 1:6 with lines lc rgb '#1d3557' lw 1.5\n"
                "set tmargin at screen 0.22\nset bmargin at screen 0.08\n"
                "set ylabel 'current (A)'\nset format x '%%g'\nset xlabel 'time (s)'\n");
    put_amps(to, r);
    fprintf(to, "plot $rows using 1:7 with lines lc rgb '#b5541c' lw 1.5\nunset multiplot\n");
}

bool wpin_response_picture(const wpin_response *response, const char *path, const char *title,
                           char *why, size_t why_size) {
    wpin_gnuplot plot;
    if (!wpin_gnuplot_start(&plot, path, why, why_size)) {
        return false;
    }
    put_script(plot.to, response, title);
    return wpin_gnuplot_end(&plot, why, why_size);
}
