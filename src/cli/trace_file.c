/* The trace of a run on a file, and the picture drawn from it. */
#define _GNU_SOURCE
#include "cli.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

bool cli_trace_open(const cli_run *run, const wpin_rig *rig, cli_trace *trace) {
    if (run->trace_path == NULL && run->plot_path == NULL) {
        return true;
    }
    if (run->trace_path != NULL) {
        snprintf(trace->path, sizeof trace->path, "%s", run->trace_path);
    } else {
        const char *folder = getenv("TMPDIR");
        snprintf(trace->path, sizeof trace->path, "%s/windpin-XXXXXX",
                 folder != NULL ? folder : "/tmp");
        int file = mkstemp(trace->path);
        if (file < 0) {
            cli_complain("%s: can't be written: %s", trace->path, strerror(errno));
            return false;
        }
        close(file);
        trace->temporary = true;
    }
    trace->csv = wpin_csv_open(trace->path, rig);
    if (trace->csv == NULL) {
        cli_complain("%s: can't be written: %s", trace->path, strerror(errno));
    }
    return trace->csv != NULL;
}

bool cli_trace_close(cli_trace *trace) {
    if (trace->csv == NULL) {
        return true;
    }
    int error = wpin_csv_close(trace->csv);
    trace->csv = NULL;
    if (error != 0) {
        cli_complain("%s: writing failed: %s; the motors were stopped, the trace is not complete",
                     trace->path, strerror(error));
    }
    return error == 0;
}

/* When each step that moves a load begins. NULL when out of memory: then without. */
static wpin_picture_mark *marks_of(const wpin_rig *rig, const wpin_report *report, size_t *count) {
    wpin_picture_mark *marks = calloc(report->step_count + 1, sizeof *marks);
    *count = 0;
    for (size_t i = 0; marks != NULL && i < report->step_count; i++) {
        const wpin_step_result *s = &report->steps[i];
        if (s->load >= 0) {
            marks[(*count)++] = (wpin_picture_mark){rig->loads[s->load].name, s->at, s->line};
        }
    }
    return marks;
}

bool cli_trace_draw(const cli_run *run, const cli_trace *trace, const wpin_rig *rig,
                    const wpin_report *report) {
    char why[512];
    if (run->plot_path == NULL) {
        return true;
    }
    wpin_picture_loads first = {0};
    wpin_picture_mark *marks = marks_of(rig, report, &first.mark_count);
    first.marks = marks;
    bool drawn = wpin_picture(trace->path, run->plot_path, &first, why, sizeof why);
    free(marks);
    if (why[0] != '\0') {
        cli_complain("%s%s", why, drawn ? "; windpin plot --load draws others from a --trace" : "");
    }
    return drawn;
}

void cli_trace_forget(cli_trace *trace) {
    if (trace->temporary) {
        unlink(trace->path);
        trace->temporary = false;
    }
}

bool cli_good_picture_name(const char *path) {
    const char *dot = path == NULL ? ".png" : strrchr(path, '.');
    bool good = dot != NULL && (strcasecmp(dot, ".png") == 0 || strcasecmp(dot, ".svg") == 0);
    if (!good) {
        cli_complain("--plot %s: expected a name ending in .png or .svg", path);
    }
    return good;
}
