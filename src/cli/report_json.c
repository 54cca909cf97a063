/* The report as JSON for programs. Units in the names; duties in percent. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "vet_words.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void cli_dump_json(json_t *all) {
    if (all == NULL) {
        cli_complain("out of memory for the JSON");
        exit(EXIT_MET_FAULT); /* nobody takes silence for an answer */
    }
    json_dumpf(all, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(9));
    printf("\n");
    json_decref(all);
}

json_t *cli_json_number(double value) {
    return isfinite(value) ? json_real(value) : json_null();
}

json_t *cli_json_text(const char *text) {
    json_t *value = json_string(text);
    char *readable = value == NULL ? strdup(text) : NULL;
    for (char *c = readable; c != NULL && *c != '\0'; c++) {
        *c = (unsigned char)*c < 0x80 ? *c : '?';
    }
    value = readable != NULL ? json_string(readable) : value;
    free(readable);
    return value;
}

json_t *cli_of_rig(const wpin_rig *rig, json_t *all) {
    char print[16];
    snprintf(print, sizeof print, "%08x", rig->fingerprint);
    json_t *top = json_pack("{s:s, s:s}", "rig", rig->name, "fingerprint", print);
    if (all == NULL || top == NULL || json_object_update(top, all) != 0) {
        json_decref(top);
        top = NULL;
    }
    json_decref(all);
    return top;
}

static const char *verdict_word(wpin_verdict verdict) {
    static const char *const words[] = {"ok", "note", "bad"};
    return words[verdict];
}

static json_t *load_name(const wpin_rig *rig, int load) {
    return load < 0 ? json_null() : json_string(rig->loads[load].name);
}

/* What its controller measured of it; null where it drove nothing. */
static json_t *seen_json(const wpin_rig *rig, const wpin_step_result *s) {
    static const char *const verdicts[] = {"fine", "trouble", "not measured"};
    char words[400];
    if (s->load < 0 || s->seen.driven <= 0) {
        return json_null();
    }
    wpin_seen_verdict verdict = wpin_seen_judge(rig, s->load, &s->seen, words, sizeof words);
    return json_pack("{s:s, s:s}", "verdict", verdicts[verdict], "words", words);
}

static json_t *step_json(const wpin_rig *rig, const wpin_step_result *s) {
    return json_pack("{s:i, s:s, s:o, s:i, s:f, s:f, s:f, s:f, s:b, s:f, s:f, s:f, s:f, s:s, s:s, "
                     "s:o, s:o, s:o, "
                     "s:o, s:o}",
                     "line", (int)s->line, "action", s->text, "load", load_name(rig, s->load),
                     "round", (int)s->round, "asked_duty_percent", s->asked_duty * 100, "asked_s",
                     s->asked_seconds, "at_s", s->at, "took_s", s->took, "done", (int)s->done,
                     "duty_percent", s->duty * 100, "volts", s->volts, "rpm", s->rpm, "peak_a",
                     s->amps_peak, "verdict", verdict_word(s->verdict), "words", s->words,
                     "asked_rpm", cli_json_number(s->asked_rpm != 0 ? s->asked_rpm : NAN),
                     "measured_rpm", cli_json_number(s->load < 0 ? NAN : s->measured_rpm),
                     "asked_a", cli_json_number(s->asked_amps != 0 ? s->asked_amps : NAN),
                     "measured_a", cli_json_number(s->load < 0 ? NAN : s->measured_amps),
                     "as_measured", seen_json(rig, s));
}

/* What its load did when it came, and what was measured. */
static json_t *scene_json(const wpin_fault_scene *s) {
    static const char *const units[] = {[WPIN_QUANTITY_EFFORT] = "asked_percent",
                                        [WPIN_QUANTITY_TORQUE] = "asked_a",
                                        [WPIN_QUANTITY_SPEED] = "asked_rpm",
                                        [WPIN_QUANTITY_POSITION] = "asked_degrees"};
    return json_pack("{s:f, s:f, s:o, s:o, s:o, s:o}", units[s->quantity],
                     s->quantity == WPIN_QUANTITY_EFFORT ? s->setpoint * 100 : s->setpoint,
                     "duty_percent", s->duty * 100, "measured_rpm", cli_json_number(s->rpm),
                     "measured_a", cli_json_number(s->amps), "measured_degrees",
                     cli_json_number(s->degrees), "measured_supply_v",
                     cli_json_number(s->supply_volts));
}

static json_t *causes_json(const wpin_rig *rig, const wpin_fault_result *f) {
    wpin_cause causes[WPIN_CAUSES_MOST];
    size_t count = wpin_fault_causes(rig, f, causes);
    json_t *all = json_array();
    for (size_t i = 0; i < count; i++) {
        char words[300];
        wpin_cause_words(rig, f, causes[i], words, sizeof words);
        json_array_append_new(all, json_string(words));
    }
    return all;
}

static json_t *fault_json(const wpin_rig *rig, const wpin_fault_result *f) {
    json_t *fault = json_pack("{s:o, s:s, s:s, s:s, s:f}", "load", load_name(rig, f->load), "fault",
                              wpin_status_name(f->cause), "words", wpin_status_text(f->cause),
                              "remedy", wpin_status_remedy(f->cause), "at_s", f->at);
    json_object_set_new(fault, "then", scene_json(&f->scene));
    json_object_set_new(fault, "causes", causes_json(rig, f));
    if (f->cleared_at != HUGE_VAL) {
        json_object_set_new(fault, "cleared_at_s", json_real(f->cleared_at));
    }
    if (f->silence != WPIN_SILENCE_NONE) {
        static const char *const silences[] = {[WPIN_SILENCE_MUTE] = "nothing came",
                                               [WPIN_SILENCE_ANEW] = "it began anew",
                                               [WPIN_SILENCE_FULL] = "the bus took no frames"};
        json_object_set_new(fault, "silence", json_string(silences[f->silence]));
    }
    if (f->drive_state != 0) {
        json_object_set_new(fault, "drive_error", json_integer(f->drive_error));
        json_object_set_new(fault, "drive_state",
                            json_string(wpin_axis_state_name((wpin_axis_state)f->drive_state)));
    }
    return fault;
}

static json_t *load_json(const wpin_rig *rig, const wpin_report *report, size_t i) {
    bool regulated = rig->loads[i].current.there;
    double torque = regulated ? report->torque_peak[i] : NAN;
    double watts = regulated && rig->loads[i].encoder.there ? report->watts_peak[i] : NAN;
    return json_pack("{s:s, s:s, s:f, s:i, s:f, s:f, s:i, s:f, s:o, s:o}", "name",
                     rig->loads[i].name, "stage", rig->loads[i].kind->name, "pwm_hz",
                     report->pwm[i].millihertz * 1e-3, "pwm_steps", (int)report->pwm[i].steps,
                     "peak_a", report->amps_peak[i], "peak_rpm", report->rpm_peak[i], "operations",
                     (int)report->operations[i], "energy_j", report->joules[i], "computed_peak_nm",
                     cli_json_number(torque), "computed_peak_shaft_w", cli_json_number(watts));
}

void cli_print_json(const cli_run *run, const wpin_rig *rig, const wpin_report *report) {
    json_t *steps = json_array(), *faults = json_array(), *burns = json_array();
    json_t *loads = json_array(), *events = json_array();
    for (size_t i = 0; i < report->step_count; i++) {
        json_array_append_new(steps, step_json(rig, &report->steps[i]));
    }
    for (size_t i = 0; i < report->fault_count; i++) {
        json_array_append_new(faults, fault_json(rig, &report->faults[i]));
    }
    for (size_t i = 0; i < report->burn_count; i++) {
        const wpin_part_burn *b = &report->burns[i];
        json_array_append_new(burns, json_pack("{s:s, s:s, s:f}", "part", b->part, "reason",
                                               b->reason, "at_s", b->at));
    }
    for (size_t i = 0; i < report->event_count; i++) {
        const wpin_part_event *e = &report->events[i];
        json_array_append_new(events, json_pack("{s:s, s:s, s:f, s:i}", "part", e->part, "what",
                                                e->what, "at_s", e->at, "more", (int)e->more));
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        json_array_append_new(loads, load_json(rig, report, i));
    }
    json_t *all = json_pack(
        "{s:s, s:o, s:b, s:f, s:i, s:f, s:f, s:o, s:b, s:b, s:b, s:b, s:s, s:o, s:o, s:o, s:o, "
        "s:o, s:o, "
        "s:o}",
        "windpin", WPIN_VERSION, "plan", cli_json_text(run->files[1]), "averaged",
        (int)run->averaged, "spread_percent", run->spread * 100, "seed", (int)run->seed,
        "simulated_s", report->seconds, "at_rest_after_s", report->rest_seconds, "still_turning",
        report->still_turning < 0 ? json_null()
                                  : json_string(rig->loads[report->still_turning].name),
        "fine", !report->bad && !report->interrupted, "interrupted", (int)report->interrupted,
        "rehearsed", (int)report->rehearsed, "gave_up", (int)report->gave_up, "ended",
        wpin_status_name(report->result), "loads", loads, "steps", steps, "required",
        cli_required_json(report), "faults", faults, "events", events, "burnt", burns, "vetted",
        run->vetting != NULL ? cli_findings_json(run->vetting) : json_array());
    cli_dump_json(cli_of_rig(rig, all));
}
