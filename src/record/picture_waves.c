/* The picture of two electrical turns: currents, back-emf, sensors, torque. */
#include "gnuplot.h"
#include "windpin/host/waves.h"
#include <math.h>

/* The angle goes on over the second turn, whichever way it turns. */
static void put_rows(FILE *to, const wpin_waves *w) {
    double turned = 0, before = w->rows[0].phases.degrees;
    fprintf(to, "$rows << END\n");
    for (size_t i = 0; i < w->count; i++) {
        const wpin_part_phases *p = &w->rows[i].phases;
        double step = p->degrees - before;
        turned += step - 360 * round(step / 360);
        before = p->degrees;
        fprintf(to, "%.3f %.5g %.5g %.5g %.5g %.5g %.5g %.5g %u %u %u %.5g %.5g\n",
                w->rows[0].phases.degrees + turned, p->amps[0], p->amps[1], p->amps[2], p->emf[0],
                p->emf[1], p->emf[2], p->torque, w->rows[i].code & 1U, w->rows[i].code >> 1 & 1U,
                w->rows[i].code >> 2 & 1U, w->rows[i].along, w->rows[i].across);
    }
    fprintf(to, "END\n");
}

static void put_panel(FILE *to, double top, double bottom, const char *label) {
    fprintf(to, "set tmargin at screen %g\nset bmargin at screen %g\nset ylabel '%s'\n", top,
            bottom, label);
}

typedef struct range {
    double low, high;
} range;

static range with(range r, double value) {
    return (range){fmin(r.low, value), fmax(r.high, value)};
}

static void put_rotor_axis(FILE *to, const wpin_waves *w) {
    range r = {0, 0};
    for (size_t i = 0; i < w->count; i++) {
        r = with(with(r, w->rows[i].along), w->rows[i].across);
    }
    wpin_put_marks(to, r.low, r.high);
}

static void put_emf_axis(FILE *to, const wpin_waves *w) {
    range r = {0, 0};
    for (size_t i = 0; i < w->count; i++) {
        const double *emf = w->rows[i].phases.emf;
        r = with(with(with(r, emf[0]), emf[1]), emf[2]);
    }
    wpin_put_marks(to, r.low, r.high);
}

static void put_torque_axis(FILE *to, const wpin_waves *w) {
    range r = {0, 0};
    for (size_t i = 0; i < w->count; i++) {
        r = with(r, w->rows[i].phases.torque);
    }
    wpin_put_marks(to, r.low, r.high);
}

static bool has_codes(const wpin_waves *w) {
    unsigned all = 0;
    for (size_t i = 0; i < w->count; i++) {
        all |= w->rows[i].code;
    }
    return all != 0;
}

static void put_script(FILE *to, const wpin_waves *w, const char *title) {
    static const char phases[] = "with lines lc rgb '%s' lw %s title '%s'%s";
    static const char *const colours[] = {"#b5541c", "#1d3557", "#2f7d5b"};
    static const char *const names[] = {"a", "b", "c"};
    bool codes = has_codes(w);
    double from = w->rows[0].phases.degrees, way = w->rpm < 0 ? -720 : 720;
    put_rows(to, w);
    fprintf(to,
            "set xrange [%g:%g]\nset xtics 60\nset format x ''\nset multiplot\n"
            "set lmargin at screen 0.065\nset rmargin at screen 0.985\n"
            "set key at graph 1,1.12 right horizontal samplen 2\nset label 1 ",
            fmin(from, from + way), fmax(from, from + way));
    wpin_put_quoted(to, title);
    fprintf(to, " at graph 0,1.09 left font ',13'\n");
    put_panel(to, 0.94, 0.71, "current (A)");
    for (int x = 0; x < 3; x++) {
        fprintf(to, x == 0 ? "plot $rows using 1:%d " : "'' using 1:%d ", 2 + x);
        fprintf(to, phases, colours[x], "1.5", names[x], x == 2 ? "\n" : ", ");
    }
    fprintf(to, "unset label 1\n");
    put_panel(to, 0.665, 0.53, "in the rotor (A)");
    put_rotor_axis(to, w);
    fprintf(to,
            "plot $rows using 1:13 with lines lc rgb '#5b3f8c' lw 1.5 title 'across the magnet', "
            "'' using 1:12 with lines lc rgb '#8a6d1d' lw 1.5 title 'along it'\nset key off\n");
    put_panel(to, 0.49, 0.37, "back-emf (V)");
    put_emf_axis(to, w);
    for (int x = 0; x < 3; x++) {
        fprintf(to, x == 0 ? "plot $rows using 1:%d " : "'' using 1:%d ", 5 + x);
        fprintf(to, phases, colours[x], "1.5", names[x], x == 2 ? "\n" : ", ");
    }
    if (codes) {
        put_panel(to, 0.335, 0.25, "sensors");
        fprintf(to, "set yrange [-0.3:5.6]\nset ytics ('c' 0.5, 'b' 2.5, 'a' 4.5)\n");
        for (int x = 0; x < 3; x++) {
            fprintf(to, x == 0 ? "plot $rows using 1:($%d+4) " : "'' using 1:($%d+%d) ", 9 + x,
                    4 - 2 * x);
            fprintf(to, phases, colours[x], "1.5", names[x], x == 2 ? "\n" : ", ");
        }
    }
    put_panel(to, codes ? 0.215 : 0.335, 0.08, "torque (Nm)");
    put_torque_axis(to, w);
    fprintf(to, "set format x '%%g'\nset xlabel 'electrical angle (degrees)'\n"
                "plot $rows using 1:8 with lines lc rgb '#5b3f8c' lw 1\nunset multiplot\n");
}

bool wpin_waves_picture(const wpin_waves *waves, const char *path, const char *title, char *why,
                        size_t why_size) {
    wpin_gnuplot plot;
    if (!wpin_gnuplot_start(&plot, path, why, why_size)) {
        return false;
    }
    put_script(plot.to, waves, title);
    return wpin_gnuplot_end(&plot, why, why_size);
}
