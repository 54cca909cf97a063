/* The command-line tool: what its commands share. */
#ifndef WPIN_CLI_H
#define WPIN_CLI_H

#include "windpin/host/identify.h"
#include "windpin/host/plain.h"
#include "windpin/host/verdict.h"
#include "windpin/host/vet.h"
#include <argp.h>
#include <stdbool.h>

enum { EXIT_FINE = 0, EXIT_MET_FAULT = 1, EXIT_WRONG_INPUT = 2 };

/* Each command gets its own arguments, argv[0] being "windpin COMMAND". */
int cmd_run(int argc, char **argv);
int cmd_live(int argc, char **argv);
int cmd_missing(int argc, char **argv);
int cmd_plot(int argc, char **argv);
int cmd_demo(int argc, char **argv);
int cmd_rig(int argc, char **argv);
int cmd_stage(int argc, char **argv);
int cmd_first(int argc, char **argv);
int cmd_find(int argc, char **argv);
int cmd_order(int argc, char **argv);
int cmd_identify(int argc, char **argv);
int cmd_compare(int argc, char **argv);
int cmd_response(int argc, char **argv);
int cmd_preview(int argc, char **argv);
int cmd_sweep(int argc, char **argv);
int cmd_twins(int argc, char **argv);
int cmd_waves(int argc, char **argv);
int cmd_size(int argc, char **argv);
int cmd_vet(int argc, char **argv);
int cmd_export(int argc, char **argv);
int cmd_new(int argc, char **argv);

/* This day, e.g. 2026-11-25, or the one of SOURCE_DATE_EPOCH, for results that can be repeated. */
void cli_today(char *to, size_t size);

/* The kind of stage of a name; NULL, and what it may have meant on standard error. */
const wpin_stage_kind *cli_find_kind(const char *name);
int cmd_faults(int argc, char **argv);
int cmd_field(int argc, char **argv);
/* The sheet that compares kinds of stage. */
int cli_size_stage(const char *const *words, size_t count, bool json);

typedef struct cli_run {
    const char *files[2]; /* rig, plan */
    const char *trace_path, *plot_path, *vcd_path;
    const char *faults[16];
    size_t fault_count;
    double sample_seconds;
    bool json, supplies_on, all_rounds;
    bool real, confirmed; /* on this computer's pins; the checklist was gone through */
    bool averaged;        /* simulated hardware goes by means where it can */
    double spread;        /* ...and is so far off what the rig says */
    unsigned seed, benches;
    const wpin_vetting *vetting; /* of rig and plan, before the run */
} cli_run;

/* The faults of a run, read by the rig; false with a complaint. */
bool cli_read_faults(const cli_run *run, const wpin_rig *rig, wpin_injection *faults);
/* Where the trace goes: the file asked for, or a temporary one for the picture. */
typedef struct cli_trace {
    char path[4096];
    bool temporary;
    wpin_csv *csv; /* NULL: none is asked for */
} cli_trace;

/* Opens it, closes it, draws the picture that is asked for, removes what was only for that. False
 * with a complaint. */
bool cli_trace_open(const cli_run *run, const wpin_rig *rig, cli_trace *trace);
bool cli_trace_close(cli_trace *trace);
bool cli_trace_draw(const cli_run *run, const cli_trace *trace, const wpin_rig *rig,
                    const wpin_report *report);
void cli_trace_forget(cli_trace *trace);
/* A picture's name is looked at before the run, not after it. */
bool cli_good_picture_name(const char *path);

/* Checks, runs, reports; returns the exit status. */
int cli_run_plan(const cli_run *run);
/* A simulated board of a rig as a bench; NULL when out of memory. */
typedef struct cli_board cli_board;
cli_board *cli_board_open(const wpin_rig *rig, wpin_bench *bench);
void cli_board_close(cli_board *board);
/* The part of it on simulated hardware: the report, or NULL with the reason. */
wpin_report *cli_run_simulated(const wpin_rig *rig, const wpin_plan *plan,
                               const wpin_session_options *options, char *why, size_t size);

/* The plan on many such benches, and what they came to; the exit status. */
int cli_run_benches(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan,
                    const wpin_session_options *options);

/* Takes the two words a command needs from its arguments; `expected` says which, for messages. */
error_t cli_take_two(int key, char *arg, struct argp_state *state, const char **words,
                     const char *expected);
/* Reads the whole number behind an option; wrong usage outside of least to most. */
unsigned cli_take_whole(const char *option, const char *arg, unsigned least, unsigned most,
                        struct argp_state *state);
/* Reads how far a bench may be off, 0 to 50 %; wrong usage otherwise. */
double cli_take_spread(const char *arg, struct argp_state *state);
/* Reads a rig and prints what is wrong with it; NULL then. */
wpin_rig *cli_read_rig(const char *path);
/* Number of a load, or -1 with a complaint. */
int cli_find_load(const wpin_rig *rig, const char *path, const char *name);

/* Prints findings as file:line:column: text on standard error, in the order of each file. */
void cli_print_messages(wpin_messages *messages);
/* Whether a result may be written to this path: nothing is there, or an earlier result. Complains.
 */
bool cli_may_write(const char *path);
/* Whether colours may go there: a terminal, and NO_COLOR is not set (no-color.org). */
bool cli_colours(FILE *to);
/* On standard output, its figures as people write them (plain.h). */
#define cli_say(...) wpin_plain_put(stdout, __VA_ARGS__)
/* Prints "windpin: ..." on standard error. */
void cli_complain(const char *format, ...) __attribute__((format(printf, 1, 2)));

/* What a verdict is painted with, and the end of that; "" without colours. */
const char *cli_paint(wpin_verdict verdict);
const char *cli_plain(void);

/* Puts `text`, which begins with `key`, into a rig file among the own lines of the load at a line
 * of it; one of that key is replaced. False with a complaint, and the file as it was. */
bool cli_store_line(const char *path, unsigned load_line, const char *key, const char *text);

/* What the plan required and what came of it. */
void cli_print_required(const wpin_report *report);
/* One of them: "met: after 2 s". */
void cli_say_required(char *to, size_t size, const wpin_requirement_result *r);
/* Prints what a rig says of a load. */
void cli_print_load(const wpin_rig *rig, const wpin_rig_load *load);
/* The report as a table on standard output. */
void cli_print_report(const cli_run *run, const wpin_rig *rig, const wpin_report *report);
/* The report as JSON on standard output. */
void cli_print_json(const cli_run *run, const wpin_rig *rig, const wpin_report *report);

/* Starts and ends the progress bar (only on a terminal); context: what is counted, NULL: seconds.
 */
void cli_progress(void *context, double seconds, double total);
void cli_progress_end(void);

/* Lets signals that end a program only set this: what runs then stops in order. */
volatile int *cli_catch_signals(void);

/* Flushes standard output; EXIT_MET_FAULT with a complaint if that fails, else `status`. */
int cli_finish(int status);

#endif
