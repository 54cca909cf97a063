/* Two traces of one load, one drawn over the other. */
#include "gnuplot.h"
#include "windpin/host/trace.h"

/* What truly was, and where that is not known what was measured. */
typedef struct panel {
    const char *label, *column, *measured;
} panel;

static const panel panels[] = {{"duty (%)", "duty_percent", "duty_percent"},
                               {"current (A)", "amps", "measured_amps"},
                               {"output (rpm)", "rpm", "measured_rpm"}};

static void put_file(FILE *to, char which, const char *path) {
    fprintf(to, "file_%c = ", which);
    wpin_put_quoted(to, path);
    fprintf(to, "\n");
}

static void put_curve(FILE *to, char which, const wpin_picture_pair *pair, const panel *p,
                      const char *colour) {
    fprintf(
        to, "file_%c using 'time_s':(known('%s_%s','%s_%s')) with lines lc rgb '%s' lw %s title ",
        which, pair->load, p->column, pair->load, p->measured, colour, which == 'a' ? "3" : "1.5");
    wpin_put_quoted(to, pair->words[which - 'a']);
}

static void put_script(FILE *to, const wpin_picture_pair *pair) {
    put_file(to, 'a', pair->csv[0]);
    put_file(to, 'b', pair->csv[1]);
    fprintf(to, "set datafile separator ','\nset datafile columnheaders\nset format x ''\n"
                "given(c) = strlen(strcol(c)) > 0 ? column(c) : NaN\n"
                "known(c, m) = strlen(strcol(c)) > 0 ? column(c) : given(m)\n"
                "set multiplot layout 3,1 margins 0.065,0.985,0.07,0.94 spacing 0.07,0.05\n"
                "set key at graph 1,1.16 right horizontal samplen 2 noenhanced\n"
                "set label 1 ");
    wpin_put_quoted(to, pair->load);
    fprintf(to, " at graph 0,1.1 left font ',13'\n");
    for (size_t i = 0; i < sizeof panels / sizeof *panels; i++) {
        if (i == 2) {
            fprintf(to, "set format x '%%g'\nset xlabel 'time (s)'\n");
        }
        fprintf(to, "set ylabel '%s'\nplot ", panels[i].label);
        put_curve(to, 'a', pair, &panels[i], "#8fa8c8");
        fprintf(to, ", ");
        put_curve(to, 'b', pair, &panels[i], "#b5541c");
        fprintf(to, "\nunset label 1\nset key off\n");
    }
    fprintf(to, "unset multiplot\n");
}

bool wpin_picture_two(const wpin_picture_pair *pair, const char *picture_path, char *why,
                      size_t why_size) {
    wpin_gnuplot plot;
    if (!wpin_gnuplot_start(&plot, picture_path, why, why_size)) {
        return false;
    }
    put_script(plot.to, pair);
    return wpin_gnuplot_end(&plot, why, why_size);
}
