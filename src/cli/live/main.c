/* windpin live RIG: a rig driven by hand, in real time: on simulated hardware or on real pins. A
 * program of its own, which windpin becomes. */
#define _GNU_SOURCE
#include "../real.h"
#include "../vet_words.h"
#include "options.h"
#include "windpin/host/verdict.h"
#include <errno.h>
#include <fcntl.h>
#include <sched.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <termios.h>
#include <unistd.h>

/* ---- the session ---- */

/* What burns by itself when it is powered is not opened. */
static bool is_vetted(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_vet_options how = {.powered = run->supplies_on};
    wpin_vetting *vetting = wpin_vet(rig, plan, &how);
    bool good = vetting != NULL && vetting->refusals == 0;
    if (vetting == NULL) {
        cli_complain("out of memory");
    } else if (!good) {
        cli_print_findings(stderr, vetting, run->files, WPIN_REFUSE);
        cli_complain("nothing was opened: %zu refused; windpin vet lists everything",
                     vetting->refusals);
        cli_print_acceptance(stderr, vetting);
    }
    wpin_vetting_free(vetting);
    return good;
}

/* Goes on the bus and says where; false with a complaint. */
static bool open_bus(const cli_live_arguments *a, cli_hands *hands) {
    char why[300];
    wpin_bus_options how = a->bus;
    if (how.host == NULL) {
        return true;
    }
    how.password = getenv("WINDPIN_BUS_PASSWORD");
    how.port = how.port != 0 ? how.port : how.ca_file != NULL ? 8883 : 1883;
    hands->bus = wpin_bus_open(hands->live, &hands->pace, &hands->states, &how, why, sizeof why);
    if (hands->bus == NULL) {
        cli_complain("--bus: %s", why);
        return false;
    }
    fprintf(stderr, "On the bus at %s:%d: topics below %s\n", how.host, how.port,
            wpin_bus_topic(hands->bus));
    return true;
}

/* Before others, and never waiting for memory from the disk. */
static bool take_priority(const cli_live_arguments *a) {
    struct sched_param how = {.sched_priority = a->priority};
    bool taken = a->priority == 0 || (mlockall(MCL_CURRENT | MCL_FUTURE) == 0 &&
                                      sched_setscheduler(0, SCHED_FIFO, &how) == 0);
    if (!taken) {
        cli_complain("--priority %d: not allowed here: %s; windpin missing says how to mend it",
                     a->priority, strerror(errno));
    }
    return taken;
}

/* Both ends of the lines: a device is raw, 8 bits, its speed as it is set. False with a complaint.
 */
static bool open_device(const cli_live_arguments *a, cli_hands *hands) {
    struct termios how;
    hands->device = a->device == NULL ? -1 : open(a->device, O_RDWR | O_NOCTTY | O_CLOEXEC);
    if (a->device == NULL) {
        return true;
    }
    if (hands->device < 0) {
        cli_complain("%s: can't be opened: %s", a->device, strerror(errno));
        return false;
    }
    if (tcgetattr(hands->device, &how) == 0) {
        cfmakeraw(&how);
        tcsetattr(hands->device, TCSANOW, &how);
    }
    return true;
}

/* Whether there is a terminal to draw on, and nobody asked for lines. */
static bool has_screen(const cli_live_arguments *a) {
    return !a->lines && a->device == NULL && isatty(STDIN_FILENO) && isatty(STDOUT_FILENO);
}

static bool drive(const cli_live_arguments *a, cli_hands *hands) {
    int device = hands->device;
    bool alone = (hands->page != NULL || hands->bus != NULL) && !a->lines && device < 0;
    if (hands->real) {
        wpin_pace_begin_real(&hands->pace, hands->live);
    } else {
        wpin_pace_begin(&hands->pace, a->late);
    }
    return has_screen(a) ? cli_live_screen(hands)
           : alone       ? cli_live_alone(hands)
           : device >= 0 ? cli_live_lines(hands, device, device)
                         : cli_live_lines(hands, STDIN_FILENO, STDOUT_FILENO);
}

/* Opens the page and says where; false with a complaint. */
static bool open_page(const cli_live_arguments *a, cli_hands *hands) {
    char why[300];
    if (!a->on_page) {
        return true;
    }
    hands->page =
        wpin_page_open(hands->live, &hands->pace, &hands->states, &a->page, why, sizeof why);
    if (hands->page == NULL) {
        cli_complain("--page: %s", why);
        return false;
    }
    bool here = wpin_page_is_here(hands->page), open = !here && a->page.certificate == NULL;
    fprintf(stderr, "The page, for browsers%s: %s\n", here ? " on this computer" : "",
            wpin_page_link(hands->page));
    if (open) {
        fprintf(stderr, "Warning: not encrypted. Whoever can listen on that network reads the "
                        "token, and can drive.\n");
    }
    return true;
}

/* Everything that people and programs come by; false with a complaint. The threads of bus and page
 * go without the priority. */
static bool open_faces(const cli_live_arguments *a, cli_hands *hands) {
    signal(SIGPIPE, SIG_IGN);
    return open_device(a, hands) && open_bus(a, hands) && open_page(a, hands) && take_priority(a);
}

static void close_faces(cli_hands *hands) {
    wpin_page_close(hands->page);
    wpin_bus_close(hands->bus);
    wpin_states_free(&hands->states);
    if (hands->device >= 0) {
        close(hands->device);
    }
}

/* What moves comes to rest; then the report. */
static wpin_report *finish(cli_hands *hands, char *why, size_t size) {
    *hands->interrupted = 1;
    while (wpin_session_step(hands->session)) {
    }
    return wpin_session_close(hands->session, why, size);
}

static int work(const cli_live_arguments *a, const wpin_rig *rig, const wpin_bench *bench,
                cli_trace *trace, const wpin_injection *faults, const wpin_plan *plan) {
    char why[400] = "";
    wpin_status refused;
    cli_hands hands = {
        .rig = rig, .real = a->run.real, .device = -1, .interrupted = cli_catch_signals()};
    wpin_session_options how = {.supplies_on = a->run.supplies_on,
                                .disarmed = true,
                                .faults = faults,
                                .fault_count = a->run.fault_count,
                                .sample_seconds =
                                    a->run.sample_seconds > 0 ? a->run.sample_seconds : 0.01,
                                .csv = trace->csv,
                                .onlooker = &wpin_verdicts,
                                .interrupted = hands.interrupted};
    hands.session = wpin_session_open(rig, NULL, bench, &how, &refused, why, sizeof why);
    if (hands.session == NULL) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    hands.live = wpin_live_open(rig, hands.session, a->link);
    bool opened = hands.live != NULL && open_faces(a, &hands), kept = opened;
    if (opened) {
        wpin_live_offer(hands.live, plan);
        if (a->confirmed) {
            wpin_live_confirm(hands.live, "the option --confirmed");
        }
        kept = drive(a, &hands);
    }
    close_faces(&hands);
    wpin_report *report = finish(&hands, why, sizeof why);
    if (report != NULL && opened && a->save != NULL &&
        !wpin_live_write_plan(hands.live, report, a->save)) {
        cli_complain("%s: can't be written: %s", a->save, strerror(errno));
        kept = false;
    }
    kept = cli_trace_close(trace) && kept;
    kept = report != NULL && kept && cli_trace_draw(&a->run, trace, rig, report);
    bool bad = report == NULL || report->bad || !kept;
    if (report == NULL) {
        cli_complain("%s", why);
    } else if (opened && has_screen(a)) {
        cli_run shown = a->run;
        shown.files[1] = "by hand";
        shown.all_rounds = true;
        cli_print_report(&shown, rig, report);
    }
    wpin_report_free(report);
    wpin_live_free(hands.live);
    return !opened ? EXIT_WRONG_INPUT : bad ? EXIT_MET_FAULT : EXIT_FINE;
}

static int drive_simulated(const cli_live_arguments *a, const wpin_rig *rig, cli_trace *trace,
                           const wpin_injection *faults, const wpin_plan *plan) {
#ifdef WPIN_NO_SIMULATOR
    (void)a, (void)rig, (void)trace, (void)faults, (void)plan;
    cli_complain("built without simulated hardware: --real drives this computer's pins");
    return EXIT_WRONG_INPUT;
#else
    wpin_bench bench;
    cli_board *board = cli_board_open(rig, &bench);
    int status = EXIT_WRONG_INPUT;
    if (board == NULL) {
        cli_complain("out of memory");
    } else {
        status = work(a, rig, &bench, trace, faults, plan);
    }
    cli_board_close(board);
    return status;
#endif
}

static int drive_real(const cli_live_arguments *a, const wpin_rig *rig, cli_trace *trace,
                      const wpin_injection *faults, const wpin_plan *plan) {
    cli_real *real = calloc(1, sizeof *real);
    int status = EXIT_WRONG_INPUT;
    if (real != NULL && cli_real_open(real, rig, a->run.supplies_on)) {
        real->by_hand = true;
        status = work(a, rig, &real->bench, trace, faults, plan);
        if (wpin_linux_why(real->port)[0] != '\0') {
            cli_complain("the pins could not be relied on any more: %s",
                         wpin_linux_why(real->port));
        }
        cli_real_close(real);
    }
    free(real);
    return status;
}

static int drive_on(const cli_live_arguments *a, const wpin_rig *rig, cli_trace *trace,
                    const wpin_injection *faults, const wpin_plan *plan) {
    return a->run.real ? drive_real(a, rig, trace, faults, plan)
                       : drive_simulated(a, rig, trace, faults, plan);
}

static int open_all(const cli_live_arguments *a, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_injection faults[sizeof a->run.faults / sizeof *a->run.faults];
    if (!is_vetted(&a->run, rig, plan) || !cli_read_faults(&a->run, rig, faults) ||
        !cli_good_picture_name(a->run.plot_path) || !cli_may_write(a->run.trace_path) ||
        !cli_may_write(a->run.plot_path) || !cli_may_write(a->save)) {
        return EXIT_WRONG_INPUT;
    }
    cli_trace trace = {0};
    int status = cli_trace_open(&a->run, rig, &trace) ? drive_on(a, rig, &trace, faults, plan)
                                                      : EXIT_WRONG_INPUT;
    cli_trace_forget(&trace);
    return status;
}

int main(int argc, char **argv) {
    cli_live_arguments a;
    wpin_messages messages = {0};
    cli_live_parse(argc, argv, &a);
    json_object_seed(
        0); /* it may wait for random numbers after a boot: before anything is driven */
    wpin_rig *rig = cli_read_rig(a.run.files[0]);
    wpin_plan *plan = rig == NULL || a.run.files[1] == NULL
                          ? NULL
                          : wpin_plan_read(a.run.files[1], rig, &messages);
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    bool read = rig != NULL && (plan != NULL || a.run.files[1] == NULL);
    int status = !read || !cli_live_fill_in(&a, rig) ? EXIT_WRONG_INPUT : open_all(&a, rig, plan);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return cli_finish(status);
}
