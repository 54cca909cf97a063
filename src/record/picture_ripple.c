/* The picture of three PWM periods: volts across the motor, its current, the supply's. */
#include "gnuplot.h"
#include "windpin/host/ripple.h"
#include <math.h>

static void put_rows(FILE *to, const wpin_ripple *r, double unit) {
    fprintf(to, "$rows << END\n");
    for (size_t i = 0; i < r->count; i++) {
        const wpin_ripple_row *row = &r->rows[i];
        fprintf(to, "%.6g %.5g %.6g %.6g\n", row->at / unit, row->volts, row->amps,
                row->supply_amps);
    }
    fprintf(to, "END\n");
}

static void put_panel(FILE *to, double top, double bottom, const char *label) {
    fprintf(to, "set tmargin at screen %g\nset bmargin at screen %g\nset ylabel '%s'\n", top,
            bottom, label);
}

/* The on phases as bands behind what is drawn. */
static void put_bands(FILE *to, const wpin_ripple *r, double unit) {
    double period = 1 / r->hz / unit;
    for (int i = 0; i < 3; i++) {
        fprintf(to,
                "set object %d rectangle from first %g, graph 0 to first %g, graph 1 behind "
                "fillcolor rgb '#f3ead8' fillstyle solid noborder\n",
                i + 1, i * period, (i + fabs(r->duty)) * period);
    }
}

static void put_script(FILE *to, const wpin_ripple *r, const char *title) {
    double unit = r->hz > 2000 ? 1e-6 : 1e-3;
    put_rows(to, r, unit);
    put_bands(to, r, unit);
    fprintf(to,
            "set xrange [0:%g]\nset format x ''\nset multiplot\nset lmargin at screen 0.075\n"
            "set rmargin at screen 0.985\nset key at graph 1,1.13 right horizontal samplen 2\n"
            "set label 1 ",
            3 / r->hz / unit);
    wpin_put_quoted(to, title);
    fprintf(to, " at graph 0,1.09 left font ',13'\n");
    put_panel(to, 0.93, 0.68, "at the motor (V)");
    fprintf(to,
            "plot $rows using 1:2 with lines lc rgb '#1d3557' lw 1.5 title 'volts', %g with lines "
            "lc rgb '#1d3557' dt 2 title 'average', %g with lines lc rgb '#2f7d5b' dt 4 title "
            "'back-emf'\nunset label 1\n",
            r->volts, r->emf);
    put_panel(to, 0.62, 0.37, "motor (A)");
    fprintf(
        to,
        "plot $rows using 1:3 with lines lc rgb '#b5541c' lw 1.5 title 'current', %g with lines "
        "lc rgb '#b5541c' dt 2 title 'average'\n",
        r->amps);
    put_panel(to, 0.31, 0.08, "supply (A)");
    fprintf(
        to,
        "set format x '%%g'\nset xlabel 'time (%s), on phases shaded'\n"
        "plot $rows using 1:4 with lines lc rgb '#5b3f8c' lw 1.5 title 'current', %g with lines "
        "lc rgb '#5b3f8c' dt 2 title 'average'\nunset multiplot\n",
        unit < 1e-4 ? "us" : "ms", r->supply_amps);
}

bool wpin_ripple_picture(const wpin_ripple *ripple, const char *path, const char *title, char *why,
                         size_t why_size) {
    wpin_gnuplot plot;
    if (!wpin_gnuplot_start(&plot, path, why, why_size)) {
        return false;
    }
    put_script(plot.to, ripple, title);
    return wpin_gnuplot_end(&plot, why, why_size);
}
