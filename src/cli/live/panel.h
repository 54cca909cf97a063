/* What is chosen, staged and typed in a terminal, and what each key does. Draws nothing. */
#ifndef WPIN_CLI_LIVE_PANEL_H
#define WPIN_CLI_LIVE_PANEL_H

#include "keys.h"
#include "live.h"
#include "windpin/host/vet.h"

#define LIVE_HISTORY 64

typedef enum live_page { LIVE_CHECKLIST, LIVE_DRIVE, LIVE_HELP } live_page;

/* What a row is about. */
typedef enum live_row_kind { LIVE_ROW_LOAD, LIVE_ROW_SUPPLY, LIVE_ROW_INPUT } live_row_kind;
typedef struct live_row {
    live_row_kind kind;
    size_t number; /* of the load, supply or input */
} live_row;

/* A load at a moment, as shares of full, signed: duty, or speed where that is regulated. */
typedef struct live_sample {
    float asked, actual;
    float height; /* 0 to 1: its speed, as a share of the highest yet; else its duty */
    float at;     /* s */
} live_sample;

typedef struct live_panel {
    cli_hands *hands;
    int source;
    live_page page;
    live_row *rows;
    size_t row_count, chosen;
    double *staged;                       /* of each load, in its unit; NAN: nothing is */
    double *turned;                       /* of each knob, 0 to 1; of each sensor, V */
    bool *pressed;                        /* each button */
    live_sample (*history)[LIVE_HISTORY]; /* of each load; the newest at history_at */
    float *highest;                       /* rpm seen so far */
    size_t history_at, history_count;
    bool typing, asking; /* a line; whether a large move is meant */
    char line[WPIN_LIVE_LINE];
    size_t length;
    char said[WPIN_LIVE_WORDS]; /* the last answer, or what is asked */
    bool said_well;
    bool plot, quit;
    wpin_lines *checklist;
    bool known;              /* the static part of it was confirmed on this computer before */
    double key_at;           /* when a key that acts came; 0: none is on its way to the pins */
    double pins_at;          /* session's s: the control period that brings it there */
    double latency, slowest; /* from key to pins, s */
} live_panel;

/* One key and what it does. */
typedef struct live_key_use {
    int key;
    const char *name, *words;
    void (*press)(live_panel *panel);
} live_key_use;

/* All keys of the driving page; how many. */
const live_key_use *live_key_uses(size_t *count);

/* Nothing is staged any more; everything is stopped. */
void live_panel_drop(live_panel *panel);
void live_panel_stop(live_panel *panel);
/* Words below the rows; a request, and what came of it there; one whose large move is asked about
 * first. */
void live_panel_show(live_panel *panel, bool well, const char *words);
bool live_panel_ask(live_panel *panel, const char *line);
bool live_panel_ask_f(live_panel *panel, const char *format, ...)
    __attribute__((format(printf, 2, 3)));
void live_panel_ask_first(live_panel *panel, const char *line);

bool live_panel_open(live_panel *panel, cli_hands *hands);
void live_panel_close(live_panel *panel);
/* A key came at `now`. */
void live_panel_key(live_panel *panel, int key, double now);
/* The session went on to `now`; what was asked before is on the pins. */
void live_panel_went_on(live_panel *panel, double now);
/* Takes a sample of each load into its history. */
void live_panel_sample(live_panel *panel);

#endif
