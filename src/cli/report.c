/* The report as a table for people. */
#include "cli.h"
#include "windpin/host/objects.h"
#include "windpin/host/quantity.h"
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

enum { SEEN_WORDS = 400 };

/* Rounds of a repeat shown even when all is as asked. */
#define ROUNDS_SHOWN 2

static bool hidden(const cli_run *run, const wpin_step_result *step) {
    return !run->all_rounds && step->round > ROUNDS_SHOWN && step->verdict == WPIN_VERDICT_OK;
}

static int action_width(const cli_run *run, const wpin_report *report) {
    size_t width = strlen("action");
    for (size_t i = 0; i < report->step_count; i++) {
        size_t length = strlen(report->steps[i].text);
        width = length > width && !hidden(run, &report->steps[i]) ? length : width;
    }
    return (int)width;
}

static void print_asked(const wpin_step_result *step) {
    char duty[20] = "", time[12] = "";
    if (step->asked_rpm != 0) {
        wpin_plain(duty, sizeof duty, "%+.4g rpm", step->asked_rpm);
    } else if (step->asked_amps != 0) {
        wpin_plain(duty, sizeof duty, "%+.4g A", step->asked_amps);
    } else if (step->asked_duty != 0) {
        wpin_plain(duty, sizeof duty, "%+.1f %%", step->asked_duty * 100);
    }
    if (step->asked_seconds > 0) {
        wpin_plain(time, sizeof time, "%.3f", step->asked_seconds);
    }
    printf("  %10s %8s", duty, time);
}

/* Whether something is known of a load: on real pins what is measured. */
static bool knows_amps(const cli_run *run, const wpin_rig_load *load) {
    return !run->real || load->limits.trip_input >= 0 || load->axis.there;
}

static bool knows_rpm(const cli_run *run, const wpin_rig_load *load) {
    return wpin_rig_type(load)->turns && (!run->real || load->encoder.there);
}

/* What a load did; of a stepper neither duty nor volts at an instant mean anything. */
static void print_end(const cli_run *run, const wpin_rig *rig, const wpin_step_result *step) {
    if (step->load < 0) {
        printf("  %7s %7s %8s %7s", "", "", "", "");
        return;
    }
    const wpin_rig_load *load = &rig->loads[step->load];
    const wpin_load_type *type = wpin_rig_type(load);
    char volts[16] = "", rpm[16] = "", amps[16] = "";
    if (!run->real) {
        wpin_plain(volts, sizeof volts, "%.2f", step->volts);
    }
    if (type->spins && knows_rpm(run, load)) {
        wpin_plain(rpm, sizeof rpm, "%.0f", step->rpm);
    }
    if (knows_amps(run, load)) {
        wpin_plain(amps, sizeof amps, "%.2f", step->amps_peak);
    }
    if (type->steps) {
        printf("  %7s %7s", "", "");
    } else if (load->axis.there) { /* it is told a speed, not a duty */
        printf("  %7s %7s", "", volts);
    } else {
        cli_say("  %7.1f %7s", step->duty * 100, volts);
    }
    printf(" %8s %7s", rpm, amps);
}

static void print_step(const cli_run *run, const wpin_rig *rig, const wpin_step_result *step,
                       int width) {
    printf("%5u  %-*s", step->line, width, step->text);
    print_asked(step);
    cli_say("  %9.3f %8.3f", step->at, step->took);
    print_end(run, rig, step);
    printf("  %s%s%s\n", cli_paint(step->verdict), step->words, cli_plain());
}

static void print_steps(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    int width = action_width(run, report);
    size_t left_out = 0;
    printf("\n%5s  %-*s  %19s  %18s  %24s %7s\n", "", width, "", "------ asked ------",
           "---- happened ----", "------ at the end ------", "highest");
    printf("%5s  %-*s  %10s %8s  %9s %8s  %7s %7s %8s %7s  %s\n", "line", width, "action",
           "how much", "time s", "at s", "took s", "duty %", "volts", "rpm", "amps", "verdict");
    for (size_t i = 0; i < report->step_count; i++) {
        if (hidden(run, &report->steps[i])) {
            left_out++;
        } else {
            print_step(run, rig, &report->steps[i], width);
        }
    }
    if (left_out != 0) {
        printf("       ... and %zu more in later rounds, all as asked (--all shows them)\n",
               left_out);
    }
}

/* What the controller itself could tell of a step; false: nothing to be said. */
static bool seen_words(const cli_run *run, const wpin_rig *rig, const wpin_step_result *step,
                       char *words, size_t size) {
    if (step->seen.driven <= 0 || hidden(run, step)) {
        return false;
    }
    bool trouble = wpin_seen_judge(rig, step->load, &step->seen, words, size) == WPIN_SEEN_TROUBLE;
    return step->verdict == WPIN_VERDICT_BAD || trouble;
}

/* Steps that were not as asked, as a bench of real parts would show them; those of the same words
 * together. */
static void print_seen(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    bool begun = false;
    char words[SEEN_WORDS], before[SEEN_WORDS];
    for (size_t i = 0; i < report->step_count; i++) {
        const wpin_step_result *step = &report->steps[i];
        bool told = !seen_words(run, rig, step, words, sizeof words);
        for (size_t k = 0; !told && k < i; k++) {
            told = report->steps[k].load == step->load &&
                   seen_words(run, rig, &report->steps[k], before, sizeof before) &&
                   strcmp(words, before) == 0;
        }
        if (told) {
            continue;
        }
        char lines[SEEN_WORDS];
        int length = snprintf(lines, sizeof lines, "%u", step->line);
        bool more = false;
        for (size_t k = i + 1; k < report->step_count && length < SEEN_WORDS - 16; k++) {
            bool same = report->steps[k].load == step->load &&
                        seen_words(run, rig, &report->steps[k], before, sizeof before) &&
                        strcmp(words, before) == 0;
            if (same) {
                length += snprintf(lines + length, sizeof lines - (size_t)length, ", %u",
                                   report->steps[k].line);
                more = true;
            }
        }
        printf("%s  line%s %s, %s: %s\n", begun ? "" : "\nAs its controller measures it:\n",
               more ? "s" : "", lines, rig->loads[step->load].name, words);
        begun = true;
    }
}

/* How a load was driven: timer and steps, or on and off. */
static const char *driven_by(char *to, size_t size, const wpin_rig_load *load,
                             const wpin_report *report, size_t i) {
    const wpin_pwm_achieved *pwm = &report->pwm[i];
    if (wpin_rig_type(load)->steps) {
        snprintf(to, size, "%s steps", load->stepping.half_steps ? "half" : "full");
    } else if (load->axis.there) {
        wpin_plain(to, size, "node %g", load->axis.number);
    } else if (pwm->steps == 0) {
        snprintf(to, size, "on and off only, %u operation%s", report->operations[i],
                 report->operations[i] == 1 ? "" : "s");
    } else if (pwm->jitter_us != 0) {
        wpin_plain(to, size, "PWM %.6g Hz in software in %u steps, edges up to %u us off",
                   pwm->millihertz * 1e-3, pwm->steps, pwm->jitter_us);
    } else {
        wpin_plain(to, size, "PWM %.6g Hz in %u steps", pwm->millihertz * 1e-3, pwm->steps);
    }
    return to;
}

/* In the unit of the physicist and in that of the cell. */
static const char *energy_of(char *to, size_t size, double joules) {
    if (joules < 3600) {
        wpin_plain(to, size, "%.4g J (%.3g mWh)", joules, joules / 3.6);
    } else {
        wpin_plain(to, size, "%.4g Wh", joules / 3600);
    }
    return to;
}

static void print_loads(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        char driven[100];
        printf("%s: %s, %s", load->name, load->kind->name,
               driven_by(driven, sizeof driven, load, report, i));
        if (knows_amps(run, load)) {
            cli_say("; highest current %.2f A", report->amps_peak[i]);
        }
        if (knows_rpm(run, load)) {
            cli_say(", highest speed %.0f rpm", report->rpm_peak[i]);
        }
        if (report->torque_peak[i] > 0) {
            cli_say(", %.3g Nm", report->torque_peak[i]);
            if (report->watts_peak[i] > 0) {
                cli_say(" and %.3g W at the shaft", report->watts_peak[i]);
            }
            printf(" (computed: measured current x constant x gear)");
        }
        if (report->joules[i] >= 0.05) {
            char energy[40];
            printf(", took %s", energy_of(energy, sizeof energy, report->joules[i]));
        }
        if (report->degrees_c[i] > 25.5) {
            cli_say(", warmest %.0f degC", report->degrees_c[i]);
        }
        if (load->kind->table == &wpin_table_interlocked_outputs) {
            static const char *const last[] = {"b", "unknown, as it was never driven", "a"};
            printf("; last on: %s", last[report->last_way[i] + 1]);
        }
        printf("\n");
    }
}

static void print_energy(const wpin_rig *rig, const wpin_report *report) {
    double joules = 0;
    char energy[40];
    for (size_t i = 0; i < rig->load_count; i++) {
        joules += report->joules[i];
    }
    if (rig->load_count > 1 && joules >= 0.05) {
        cli_say("All loads took %s; at most %.2f A at the same time.\n",
                energy_of(energy, sizeof energy, joules), report->total_amps_peak);
    }
}

/* What it is; what its load did then; what to look at. */
static void print_fault_words(const wpin_rig *rig, const wpin_fault_result *f) {
    char scene[400], advice[1000];
    wpin_fault_scene_words(rig, f, scene, sizeof scene);
    wpin_fault_advice(rig, f, advice, sizeof advice);
    printf("    %s\n    %s\n    %s\n", wpin_status_text(f->cause), scene, advice);
}

static void print_faults(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    if (report->fault_count == 0 && report->result == WPIN_OK) {
        printf("Faults: none.\n");
    }
    size_t cleared = 0;
    while (cleared < report->fault_count && report->faults[cleared].cleared_at != HUGE_VAL) {
        cleared++; /* these come first */
    }
    if (cleared == report->fault_count && report->result != WPIN_OK) {
        printf("%sThe plan ended early: %s%s\n    %s %s\n", cli_paint(WPIN_VERDICT_BAD),
               wpin_status_name(report->result), cli_plain(), wpin_status_text(report->result),
               wpin_status_remedy(report->result));
    }
    for (size_t i = 0; i < report->fault_count; i++) {
        const wpin_fault_result *f = &report->faults[i];
        bool gone = f->cleared_at != HUGE_VAL;
        cli_say("%sFault at %.3f s: %s, %s%s",
                cli_paint(gone ? WPIN_VERDICT_NOTE : WPIN_VERDICT_BAD), f->at,
                rig->loads[f->load].name, wpin_status_name(f->cause), cli_plain());
        if (gone) {
            cli_say("; cleared at %.3f s\n", f->cleared_at);
        } else {
            printf("\n");
            print_fault_words(rig, f);
        }
        char words[300];
        if (wpin_drive_fault_words(f, words, sizeof words)) {
            printf("    %s\n", words);
        }
    }
    for (size_t i = 0; i < report->event_count; i++) {
        const wpin_part_event *e = &report->events[i];
        printf("%s", cli_paint(WPIN_VERDICT_NOTE));
        if (e->at < 0) {
            printf("Before the plan began%s: ", cli_plain());
        } else {
            cli_say("At %.3f s%s: ", e->at, cli_plain());
        }
        printf("%s %s", e->part, e->what);
        if (e->more > 0) {
            printf(" (and %u time%s more)", e->more, e->more == 1 ? "" : "s");
        }
        printf("\n");
    }
    if (report->burn_count == 0 && !run->real) {
        printf("Burnt: nothing.\n");
    }
    for (size_t i = 0; i < report->burn_count; i++) {
        const wpin_part_burn *b = &report->burns[i];
        if (b->at < 0) {
            printf("%sBurnt before the plan began%s: %s, %s\n", cli_paint(WPIN_VERDICT_BAD),
                   cli_plain(), b->part, b->reason);
        } else {
            cli_say("%sBurnt at %.4f s%s: %s, %s\n", cli_paint(WPIN_VERDICT_BAD), b->at,
                    cli_plain(), b->part, b->reason);
        }
    }
}

static void print_summary(const cli_run *run, const wpin_report *report) {
    size_t counts[3] = {0};
    for (size_t i = 0; i < report->step_count; i++) {
        counts[report->steps[i].verdict]++;
    }
    printf("%zu step%s: %zu as asked", report->step_count, report->step_count == 1 ? "" : "s",
           counts[WPIN_VERDICT_OK]);
    if (counts[WPIN_VERDICT_NOTE] != 0) {
        printf(", %zu with a remark", counts[WPIN_VERDICT_NOTE]);
    }
    if (counts[WPIN_VERDICT_BAD] != 0) {
        printf(", %s%zu not%s", cli_paint(WPIN_VERDICT_BAD), counts[WPIN_VERDICT_BAD], cli_plain());
    }
    size_t met = 0;
    for (size_t i = 0; i < report->requirement_count; i++) {
        met += report->requirements[i].outcome == WPIN_OUTCOME_MET;
    }
    if (report->requirement_count > 0) {
        bool all = met == report->requirement_count;
        printf("; %s%zu of %zu requirement%s met%s",
               cli_paint(all ? WPIN_VERDICT_OK : WPIN_VERDICT_BAD), met, report->requirement_count,
               report->requirement_count == 1 ? "" : "s", cli_plain());
    }
    cli_say(". %.3f s of %stime.\n", report->seconds, run->real ? "" : "simulated ");
}

static void print_rehearsed(const wpin_report *report) {
    if (report->rehearsed) {
        cli_say("The plan has no end; its rehearsal ended after %.3g s, with every load ramped to "
                "rest.\n",
                report->seconds);
    }
}

static void print_files(const cli_run *run) {
    const struct {
        const char *what, *path;
    } files[] = {{"Trace", run->trace_path}, {"Picture", run->plot_path}, {"Edges", run->vcd_path}};
    for (size_t i = 0; i < sizeof files / sizeof *files; i++) {
        if (files[i].path != NULL && access(files[i].path, R_OK) == 0) {
            printf("%s: %s\n", files[i].what, files[i].path);
        }
    }
}

/* What was vetted before, and what was accepted on purpose. */
static void print_vetting(const wpin_vetting *v) {
    if (v == NULL) {
        return;
    }
    size_t accepted = 0;
    for (size_t i = 0; i < v->count; i++) {
        if (v->findings[i].accepted) {
            accepted++;
            printf("%sAccepted in the rig%s: %s %s, %s\n", cli_paint(WPIN_VERDICT_NOTE),
                   cli_plain(), v->findings[i].part, v->findings[i].rule->name,
                   v->findings[i].consequence);
        }
    }
    if (v->cautions > 0) {
        printf("Vetted: %zu caution%s (windpin vet lists them).\n", v->cautions,
               v->cautions == 1 ? "" : "s");
    } else if (accepted > 0) {
        printf("Vetted: nothing else to mind.\n");
    } else {
        printf("Vetted: nothing to mind.\n");
    }
}

/* What of it went by means, so that nobody looks for a ripple in it. */
static void print_averaged(const wpin_rig *rig) {
    size_t count = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        if (rig->loads[i].vector.there) {
            printf("%s%s", count++ == 0 ? "Averaged: " : ", ", rig->loads[i].name);
        }
    }
    printf("%s\n", count == 0 ? "Averaged: nothing; no motor of this rig is field-oriented"
                              : ", each PWM period by its mean: currents within 0.1 %, without "
                                "their ripple");
}

void cli_print_report(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    printf("%s (rig %08x): %s on %s\n", rig->name, rig->fingerprint, run->files[1],
           run->real ? "this computer's pins" : "simulated hardware");
    if (run->spread > 0) {
        cli_say("  Its motors and loads are others than the rig says, each constant up to %.3g %% "
                "(seed %u).\n",
                run->spread * 100, run->seed);
    }
    if (run->averaged) {
        print_averaged(rig);
    }
    print_steps(run, rig, report);
    print_seen(run, rig, report);
    cli_print_required(report);
    printf("\n");
    print_loads(run, rig, report);
    print_energy(rig, report);
    print_faults(run, rig, report);
    print_rehearsed(report);
    print_vetting(run->vetting);
    print_summary(run, report);
    print_files(run);
}
