/* What the fuzz targets share. */
#define _GNU_SOURCE
#include "input.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>
#include <windpin/host/verdict.h>

#define LINK 0.25 /* s without a word from whoever commands */

const char *fuzz_path(const uint8_t *data, size_t size) {
    static int file = -1;
    static char path[64];
    if (file < 0) {
        file = memfd_create("input", 0);
        snprintf(path, sizeof path, "/proc/self/fd/%d", file);
    }
    bool good =
        file >= 0 && ftruncate(file, 0) == 0 && pwrite(file, data, size, 0) == (ssize_t)size;
    return good ? path : NULL;
}

uint32_t fuzz_number(fuzz_numbers *n, unsigned bytes) {
    uint32_t value = 0;
    for (; bytes > 0 && n->left > 0; bytes--, n->left--) {
        value = value << 8 | *n->data++;
    }
    return value;
}

/* Mostly one load, so that there are many runs. */
static const wpin_rig *rig_of(unsigned which) {
    static const char *const paths[] = {"demo/honey-pump.yaml", "demo/honey-gate.yaml",
                                        "demo/honey-line.yaml", "demo/honey-house.yaml"};
    static wpin_rig *rigs[sizeof paths / sizeof *paths];
    unsigned number = which % 64 < 61 ? 0 : which % 64 - 60;
    if (rigs[number] == NULL) {
        wpin_messages m = {0};
        rigs[number] = wpin_rig_read(paths[number], &m);
        if (rigs[number] != NULL) {
            rigs[number]->controller.boot = 0; /* nothing is asked meanwhile */
        }
        wpin_messages_free(&m);
    }
    return rigs[number];
}

bool fuzz_open(fuzz_stand *s, unsigned which) {
    char why[300];
    wpin_status refused;
    const wpin_rig *rig = rig_of(which);
    memset(s, 0, sizeof *s);
    if (rig == NULL) {
        fprintf(stderr, "run it where demo/ is\n");
        abort();
    }
    s->board = (wpin_board_bench){.rig = rig, .sim = wpin_board_build(rig)};
    wpin_bench bench = wpin_bench_on_board(&s->board);
    wpin_session_options how = {
        .disarmed = true, .onlooker = &wpin_verdicts, .interrupted = &s->over};
    s->session = wpin_session_open(rig, NULL, &bench, &how, &refused, why, sizeof why);
    s->live = s->session == NULL ? NULL : wpin_live_open(rig, s->session, LINK);
    wpin_pace_begin(&s->pace, 1);
    return s->live != NULL;
}

void fuzz_pass(fuzz_stand *s, double seconds) {
    (void)wpin_live_until(s->live, wpin_session_time(s->session) + seconds);
}

void fuzz_close(fuzz_stand *s) {
    char why[300];
    if (s->live != NULL) {
        bool commanded = wpin_live_commander(s->live) >= 0;
        fuzz_pass(s, commanded ? LINK + 2 * s->board.rig->controller.tick : 0);
        if (wpin_live_commander(s->live) >= 0) {
            abort(); /* nobody is there, and still has the command */
        }
        s->over = 1;
        while (wpin_session_step(s->session)) {
        }
        for (size_t i = 0; i < s->board.rig->load_count; i++) {
            if (fabs(wpin_session_look(s->session, i).duty) > 0) {
                fprintf(stderr, "'%s' is still driven\n", s->board.rig->loads[i].name);
                abort();
            }
        }
    }
    wpin_report_free(s->session == NULL ? NULL : wpin_session_close(s->session, why, sizeof why));
    wpin_live_free(s->live);
    wpin_states_free(&s->states);
    wpin_board_bench_free(&s->board);
}

void fuzz_check_line(const char *line, size_t length) {
    json_t *value =
        length == 0 || line[length - 1] != '\n' || memchr(line, '\n', length - 1) != NULL
            ? NULL
            : json_loadb(line, length, 0, NULL);
    if (value == NULL) {
        fprintf(stderr, "not a line of JSON: %.*s\n", (int)length, line);
        abort();
    }
    json_decref(value);
}
