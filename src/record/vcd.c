/* Pin levels as a value change dump, IEEE 1364 clause 18: one wire a control line. */
#include "windpin/host/trace.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>

struct wpin_vcd {
    FILE *file;
    int64_t start, last;
    unsigned numbers[256]; /* identifier of each pin, from 1; 0 if none */
    int error;
};

static void note(wpin_vcd *vcd, int written) {
    if (written < 0 && vcd->error == 0) {
        vcd->error = errno != 0 ? errno : EIO;
    }
}

/* Identifiers are numbers in the 94 printable characters from '!' on, the lowest digit first. */
static const char *identifier(unsigned number, char text[4]) {
    char *end = text;
    for (number++; number > 0 && end < text + 3; number = (number - 1) / 94) {
        *end++ = (char)('!' + (number - 1) % 94);
    }
    *end = '\0';
    return text;
}

static void declare(wpin_vcd *vcd, const wpin_rig *rig) {
    unsigned next = 0;
    char text[4];
    note(vcd, fprintf(vcd->file, "$timescale 1 ns $end\n"));
    char mark[WPIN_RIG_MARK_MAX];
    note(vcd, fprintf(vcd->file, "$comment rig %s $end\n", wpin_rig_mark(rig, mark, sizeof mark)));
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        note(vcd, fprintf(vcd->file, "$scope module %s $end\n", load->name));
        for (unsigned l = 0; l < load->kind->table->line_count; l++) {
            unsigned *number = &vcd->numbers[load->pins[l]]; /* a shared pin has one for all */
            *number = *number != 0 ? *number : ++next;
            note(vcd, fprintf(vcd->file, "$var wire 1 %s %s $end\n", identifier(*number - 1, text),
                              load->kind->lines[l]));
        }
        note(vcd, fprintf(vcd->file, "$upscope $end\n"));
    }
    note(vcd, fprintf(vcd->file, "$enddefinitions $end\n$dumpvars\n"));
    for (unsigned number = 0; number < next; number++) {
        note(vcd, fprintf(vcd->file, "x%s\n", identifier(number, text)));
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

/* "#time": most of what is written, so without printf. */
static void note_time(wpin_vcd *vcd, int64_t ns) {
    char digits[24], *at = digits + sizeof digits;
    *--at = '\0';
    *--at = '\n';
    uint64_t left = ns < 0 ? 0 : (uint64_t)ns;
    do {
        *--at = (char)('0' + left % 10);
        left /= 10;
    } while (left != 0);
    *--at = '#';
    note(vcd, fputs(at, vcd->file));
}

void wpin_vcd_pin(void *context, int64_t picoseconds, wpin_pin pin, wpin_level level) {
    wpin_vcd *vcd = context;
    char text[4];
    if (vcd->numbers[pin] == 0) {
        return;
    }
    int64_t ns = (picoseconds - vcd->start) / 1000;
    if (ns != vcd->last) {
        note_time(vcd, ns);
        vcd->last = ns;
    }
    note(vcd, fputc("01z"[level], vcd -> file));
    note(vcd, fputs(identifier(vcd->numbers[pin] - 1, text), vcd->file));
    note(vcd, fputc('\n', vcd->file));
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
