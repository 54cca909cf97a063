/* Pin levels as a value change dump, IEEE 1364 clause 18: one wire a control line. */
#include "windpin/trace.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>

struct wpin_vcd {
    FILE *file;
    int64_t start, last;
    char names[256]; /* identifier of each pin, 0 if none */
    int error;
};

static void note(wpin_vcd *vcd, int written) {
    if (written < 0 && vcd->error == 0) {
        vcd->error = errno != 0 ? errno : EIO;
    }
}

/* Identifiers are single printable characters from '!' on; a rig has fewer lines than that. */
static void declare(wpin_vcd *vcd, const wpin_rig *rig) {
    char next = '!';
    note(vcd, fprintf(vcd->file, "$timescale 1 ns $end\n"));
    char mark[WPIN_RIG_MARK_MAX];
    note(vcd, fprintf(vcd->file, "$comment rig %s $end\n", wpin_rig_mark(rig, mark, sizeof mark)));
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        note(vcd, fprintf(vcd->file, "$scope module %s $end\n", load->name));
        for (unsigned l = 0; l < load->kind->table->line_count && next < '~'; l++) {
            char *name = &vcd->names[load->pins[l]]; /* a shared pin has one for all */
            *name = *name != 0 ? *name : next++;
            note(vcd, fprintf(vcd->file, "$var wire 1 %c %s $end\n", *name, load->kind->lines[l]));
        }
        note(vcd, fprintf(vcd->file, "$upscope $end\n"));
    }
    note(vcd, fprintf(vcd->file, "$enddefinitions $end\n$dumpvars\n"));
    for (char name = '!'; name < next; name++) {
        note(vcd, fprintf(vcd->file, "x%c\n", name));
    }
    note(vcd, fprintf(vcd->file, "$end\n"));
}

wpin_vcd *wpin_vcd_open(const char *path, const wpin_rig *rig, int64_t start) {
    wpin_vcd *vcd = calloc(1, sizeof *vcd);
    if (vcd == NULL) {
        return NULL;
    }
    vcd->start = start;
    vcd->last = -1;
    vcd->file = fopen(path, "w");
    if (vcd->file == NULL) {
        free(vcd);
        return NULL;
    }
    declare(vcd, rig);
    return vcd;
}

void wpin_vcd_pin(void *context, int64_t picoseconds, wpin_pin pin, wpin_level level) {
    wpin_vcd *vcd = context;
    if (vcd->names[pin] == 0) {
        return;
    }
    int64_t ns = (picoseconds - vcd->start) / 1000;
    if (ns != vcd->last) {
        note(vcd, fprintf(vcd->file, "#%lld\n", (long long)ns));
        vcd->last = ns;
    }
    char value = "01z"[level];
    note(vcd, fprintf(vcd->file, "%c%c\n", value, vcd->names[pin]));
}

int wpin_vcd_error(const wpin_vcd *vcd) {
    return vcd->error;
}

int wpin_vcd_close(wpin_vcd *vcd) {
    note(vcd, fclose(vcd->file) == 0 ? 0 : -1);
    int error = vcd->error;
    free(vcd);
    return error;
}
