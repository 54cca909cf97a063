/* windpin field listen PLACE: every frame on a field bus, in words and on file. It sends nothing.
 */
#define _GNU_SOURCE
#include "field.h"
#include "windpin/host/frames_file.h"
#include "windpin/host/plain.h"
#include <argp.h>
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { KEY_FOR = 256, KEY_CSV, KEY_PCAPNG, KEY_QUIET };

typedef struct listen_arguments {
    const char *place, *csv, *pcapng;
    double lasts;
    bool quiet;
} listen_arguments;

static const struct argp_option options[] = {
    {"for", KEY_FOR, "SECONDS", 0, "For so long; until Ctrl-C without it", 0},
    {"csv", KEY_CSV, "FILE", 0, "Put every frame into a file", 0},
    {"pcapng", KEY_PCAPNG, "FILE", 0, "The same, as network analysers read it", 0},
    {"quiet", KEY_QUIET, NULL, 0, "Print no frame, only what was heard in all", 0},
    {0}};

static const char doc[] =
    "Prints every frame on a field bus with its time, its identifier, its data and what it means "
    "by CiA 301. It sends nothing.\v"
    "Example:\n"
    "  windpin field listen /tmp/line --for=1 --pcapng=bus.pcapng\n"
    "\n"
    "Exit status: 0 fine; 1 the bus is gone, or the file could not be written; 2 the files or the "
    "usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    listen_arguments *a = state->input;
    char *end;
    switch (key) {
    case KEY_FOR:
        a->lasts = strtod(arg, &end);
        if (end == arg || *end != '\0' || !(a->lasts > 0 && a->lasts <= 1e6)) {
            argp_error(state, "--for=%s: expected seconds, above 0", arg);
        }
        break;
    case KEY_CSV: a->csv = arg; break;
    case KEY_PCAPNG: a->pcapng = arg; break;
    case KEY_QUIET: a->quiet = true; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 0) {
            argp_error(state, "'%s' is one too many; expected a place", arg);
        }
        a->place = arg;
        break;
    case ARGP_KEY_END:
        if (a->place == NULL) {
            argp_error(state, "expected a place, e.g. can0");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

static double seconds_of(clockid_t clock) {
    struct timespec t;
    clock_gettime(clock, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

static void say_data(const wpin_frame *frame, char *to, size_t size) {
    size_t at = 0;
    to[0] = '\0';
    for (int i = 0; !frame->remote && i < frame->length && at + 4 < size; i++) {
        at += (size_t)snprintf(to + at, size - at, "%s%02X", i > 0 ? " " : "", frame->data[i]);
    }
}

/* Where frames go, and what was heard. */
typedef struct listener {
    FILE *csv;
    wpin_frames_file *pcapng;
    unsigned long frames, bits;
} listener;

static void take(listener *l, const listen_arguments *a, double at, const wpin_frame *frame) {
    char data[40], words[400];
    say_data(frame, data, sizeof data);
    field_say_frame(frame, words, sizeof words);
    l->frames++;
    l->bits += 47 + (frame->remote ? 0 : 8U * frame->length);
    if (!a->quiet) {
        cli_say("%11.6f  %03X  %-23s  %s\n", at, frame->id, frame->remote ? "remote" : data, words);
    }
    if (l->csv != NULL) {
        wpin_plain_put(l->csv, "%.6f,%03X,%d,%u,%s,\"%s\"\r\n", at, frame->id, frame->remote,
                       frame->length, data, words);
    }
    if (l->pcapng != NULL) {
        wpin_frames_put(l->pcapng, seconds_of(CLOCK_REALTIME), frame);
    }
}

static int listen_to(field *f, const listen_arguments *a, listener *l) {
    volatile int *stopped = cli_catch_signals();
    double begun = seconds_of(CLOCK_MONOTONIC), now = begun;
    while (*stopped == 0 && !wpin_bearer_is_gone(f->bearer) &&
           (a->lasts <= 0 || now - begun < a->lasts)) {
        wpin_frame frame;
        wpin_bearer_wait(f->bearer, a->lasts > 0 ? a->lasts - (now - begun) : 0.2);
        while (f->bearer_bus.receive(f->bearer_bus.context, &frame)) {
            take(l, a, seconds_of(CLOCK_MONOTONIC) - begun, &frame);
        }
        now = seconds_of(CLOCK_MONOTONIC);
        fflush(stdout);
    }
    const char *trouble = wpin_bearer_trouble(f->bearer);
    cli_say("%lu frames in %.3g s, %.4g kbit/s without stuff bits%s%s\n", l->frames, now - begun,
            (double)l->bits / fmax(now - begun, 1e-3) / 1e3, trouble[0] != '\0' ? "; " : "",
            trouble);
    return wpin_bearer_is_gone(f->bearer) ? EXIT_MET_FAULT : EXIT_FINE;
}

static bool open_files(const listen_arguments *a, listener *l) {
    if ((a->csv != NULL && !cli_may_write(a->csv)) ||
        (a->pcapng != NULL && !cli_may_write(a->pcapng))) {
        return false;
    }
    l->csv = a->csv == NULL ? NULL : fopen(a->csv, "w");
    if (a->csv != NULL && l->csv == NULL) {
        cli_complain("%s: can't be written: %s", a->csv, strerror(errno));
        return false;
    }
    l->pcapng = a->pcapng == NULL ? NULL : wpin_frames_open(a->pcapng);
    if (a->pcapng != NULL && l->pcapng == NULL) {
        cli_complain("%s: can't be written: %s", a->pcapng, strerror(errno));
        return false;
    }
    if (l->csv != NULL) {
        fprintf(l->csv, "time_s,identifier,remote,length,data,words\r\n");
    }
    return true;
}

static bool close_files(listener *l) {
    bool good = l->csv == NULL || fclose(l->csv) == 0;
    return (l->pcapng == NULL || wpin_frames_close(l->pcapng)) && good;
}

int field_listen(int argc, char **argv) {
    static const struct argp argp = {options, parse, "PLACE", doc, NULL, NULL, NULL};
    listen_arguments a = {0};
    listener l = {0};
    static field f;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (!field_open(&f, a.place)) {
        return EXIT_WRONG_INPUT;
    }
    int status = open_files(&a, &l) ? listen_to(&f, &a, &l) : EXIT_WRONG_INPUT;
    if (!close_files(&l)) {
        cli_complain("not all frames could be written: %s", strerror(errno));
        status = EXIT_MET_FAULT;
    }
    field_close(&f);
    return status;
}
