/* The work of windpin run and windpin demo: files in, run, files and report out. */
#define _GNU_SOURCE
#include "cli.h"
#include "real.h"
#include "vet_words.h"
#include "windpin/host/verdict.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static void print_result(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    if (!run->json) {
        cli_print_report(run, rig, report);
    } else {
        cli_print_json(run, rig, report);
    }
}

bool cli_read_faults(const cli_run *run, const wpin_rig *rig, wpin_injection *faults) {
    char why[400];
    for (size_t i = 0; i < run->fault_count; i++) {
        if (!wpin_injection_read(rig, run->faults[i], &faults[i], why, sizeof why)) {
            cli_complain("--fault '%s': %s", run->faults[i], why);
            return false;
        }
    }
    return true;
}

/* On what was asked for. */
static wpin_report *run_on(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan,
                           const wpin_session_options *options, char *why, size_t size) {
    if (run->real) {
        return cli_run_real(run, rig, plan, options, why, size);
    }
#ifdef WPIN_NO_SIMULATOR
    snprintf(why, size, "built without simulated hardware: --real runs it on this computer's pins");
    return NULL;
#else
    return cli_run_simulated(rig, plan, options, why, size);
#endif
}

static int carry_out(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan) {
    char why[400];
    cli_trace target = {0};
    wpin_injection faults[sizeof run->faults / sizeof *run->faults];
    if (!cli_read_faults(run, rig, faults) || !cli_trace_open(run, rig, &target)) {
        return EXIT_WRONG_INPUT;
    }
    wpin_session_options options = {.supplies_on = run->supplies_on,
                                    .averaged = run->averaged,
                                    .spread = run->spread,
                                    .seed = run->seed,
                                    .faults = faults,
                                    .fault_count = run->fault_count,
                                    .sample_seconds = run->sample_seconds,
                                    .csv = target.csv,
                                    .vcd_path = run->vcd_path,
                                    .onlooker = &wpin_verdicts,
                                    .interrupted = cli_catch_signals(),
                                    .progress = cli_progress};
#ifndef WPIN_NO_SIMULATOR
    if (run->benches > 1) {
        return cli_run_benches(run, rig, plan, &options);
    }
#endif
    wpin_report *report = run_on(run, rig, plan, &options, why, sizeof why);
    cli_progress_end();
    bool kept = cli_trace_close(&target);
    if (report == NULL) {
        cli_complain("%s", why);
    } else {
        if (report->trace_error != 0) {
            cli_complain("%s: writing failed: %s", run->vcd_path, strerror(report->trace_error));
            kept = false;
        }
        kept = kept && cli_trace_draw(run, &target, rig, report);
        print_result(run, rig, report);
        if (report->interrupted) {
            cli_complain("interrupted: every motor was ramped to rest and disarmed; %s",
                         target.csv == NULL && run->trace_path != NULL && kept
                             ? "the trace is complete up to there"
                             : "the result is complete up to there");
        }
    }
    int status = report == NULL                                ? EXIT_WRONG_INPUT
                 : report->bad || report->interrupted || !kept ? EXIT_MET_FAULT
                                                               : EXIT_FINE;
    cli_trace_forget(&target);
    wpin_report_free(report);
    return status;
}

/* Vets first: what is refused and not accepted is not run. */
static int vet_and_run(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_vet_options options = {.powered = run->supplies_on};
    wpin_vetting *vetting = wpin_vet(rig, plan, &options);
    int status = EXIT_WRONG_INPUT;
    if (vetting == NULL) {
        cli_complain("out of memory");
    } else if (vetting->refusals > 0) {
        cli_print_findings(stderr, vetting, run->files, WPIN_REFUSE);
        cli_complain(
            "nothing was run: %zu refused; windpin vet lists everything, with the checklist; "
            "to run it all the same the rig needs the line",
            vetting->refusals);
        cli_print_acceptance(stderr, vetting);
    } else {
        cli_run vetted = *run;
        vetted.vetting = vetting;
        status = carry_out(&vetted, rig, plan);
    }
    wpin_vetting_free(vetting);
    return status;
}

/* Every result to a file of its own, and none over what is no result; nothing of real pins that
 * only simulated ones have. */
static bool may_write_results(const cli_run *run) {
    const char *trace = run->trace_path, *vcd = run->vcd_path;
    if (run->real && vcd != NULL) {
        cli_complain(
            "--vcd records the edges of simulated pins; real ones are for a logic analyser");
        return false;
    }
    if (run->real && run->averaged) {
        cli_complain(
            "--averaged is for simulated hardware; with --real currents are what they are");
        return false;
    }
    if (run->real && run->spread > 0) {
        cli_complain("--spread is for simulated hardware; with --real parts are what they are");
        return false;
    }
    if (run->benches > 1 && (trace != NULL || vcd != NULL || run->plot_path != NULL)) {
        cli_complain("many benches leave no one trace or picture; first look which one, then run "
                     "that by its --seed");
        return false;
    }
    if (trace != NULL && vcd != NULL && strcmp(trace, vcd) == 0) {
        cli_complain("--trace and --vcd both name %s; each needs a file of its own", trace);
        return false;
    }
    return cli_may_write(trace) && cli_may_write(run->plot_path) && cli_may_write(vcd);
}

int cli_run_plan(const cli_run *run) {
    wpin_messages messages = {0};
    int status = EXIT_WRONG_INPUT;
    if (!cli_good_picture_name(run->plot_path) || !may_write_results(run)) {
        return status;
    }
    wpin_rig *rig = wpin_rig_read(run->files[0], &messages);
    wpin_plan *plan = rig == NULL ? NULL : wpin_plan_read(run->files[1], rig, &messages);
    cli_print_messages(&messages);
    if (plan != NULL) {
        status = vet_and_run(run, rig, plan);
    } else {
        cli_complain("nothing was run: %zu mistake%s in the files", messages.count,
                     messages.count == 1 ? "" : "s");
    }
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&messages);
    return status;
}
