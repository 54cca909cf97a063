/* The first motion of a load: alone, gently, each way, and which way its shaft turned. */
#include "changed_rig.h"
#include "windpin/host/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define MOST_DUTY 0.3

/* How long it is driven each way, s. */
static double time_for(const wpin_rig_load *load) {
    return load->crossing.there ? 4 : (wpin_stage_kind_takes_duty(load->kind) ? 1 : 0.3);
}

static bool goes_back(const wpin_rig_load *load) {
    return wpin_rig_type(load)->steps || wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE);
}

/* The motion one way, as a line of a plan. */
static void write_way(char *text, size_t size, const wpin_rig_load *load, bool back) {
    const char *way = back ? "reverse " : "";
    if (wpin_rig_type(load)->steps) {
        snprintf(text, size, "%s turn %s45deg\n%s hold 200ms\n", load->name, way, load->name);
    } else if (wpin_stage_kind_takes_duty(load->kind)) {
        snprintf(text, size, "%s run %s%.4g%% for %gs\n%s rest 500ms\n", load->name, way,
                 fmin(MOST_DUTY, load->limits.duty_max) * 100, time_for(load), load->name);
    } else {
        snprintf(text, size, "%s on %sfor %gs\n%s rest 500ms\n", load->name, way, time_for(load),
                 load->name);
    }
}

static wpin_plan *plan_of(const wpin_rig *rig, const wpin_rig_load *load, char *why, size_t size) {
    char text[400], forth[160], back[160] = "";
    wpin_messages messages = {0};
    write_way(forth, sizeof forth, load, false);
    if (goes_back(load)) {
        write_way(back, sizeof back, load, true);
    }
    const char *name = load->name, *end = wpin_rig_type(load)->steps ? "release" : "off";
    snprintf(text, sizeof text, "%s%s%s %s\n", forth, back, name, end);
    wpin_plan *plan = wpin_plan_read_text("first motion", text, rig, &messages);
    if (plan == NULL) {
        snprintf(why, size, "%s: %s", name,
                 messages.count > 0 ? messages.items[0].text : "out of memory");
    }
    wpin_messages_free(&messages);
    return plan;
}

/* A load that turned without being asked: control wires are mixed up. */
static int other_that_turned(const wpin_rig *rig, const wpin_report *report, int load) {
    for (size_t i = 0; i < rig->load_count; i++) {
        if ((int)i != load && report->rpm_peak[i] > 1) {
            return (int)i;
        }
    }
    return -1;
}

static void take_step(const wpin_rig *rig, const wpin_report *report, const wpin_step_result *step,
                      wpin_first_way *way) {
    const wpin_rig_load *load = &rig->loads[step->load];
    bool steps = wpin_rig_type(load)->steps;
    *way = (wpin_first_way){.tried = true,
                            .duty = steps ? 1 : fabs(step->asked_duty),
                            .seconds = steps ? 0 : time_for(load),
                            .turns = (step->degrees - step->degrees_from) / 360 *
                                     (load->reversed ? -1 : 1),
                            .rpm_peak = step->rpm_peak,
                            .amps_peak = step->amps_peak,
                            .other = other_that_turned(rig, report, step->load),
                            .verdict = step->verdict};
    bool other_way = steps && fabs(way->turns) > 0.1; /* most of its eighth of a turn */
    if (step->spells[WPIN_TROUBLE_BACKWARDS].lasted > 0 || other_way) {
        way->verdict = WPIN_VERDICT_OK; /* which way it turns is what this is to find out */
    } else {
        memcpy(way->words, step->words, sizeof way->words);
    }
}

/* The rig as it is for a first motion: no more duty than that, and nothing that lifts it. */
static void make_gentle(wpin_rig_load *load) {
    wpin_rig_limits *l = &load->limits;
    l->below = WPIN_BELOW_ALLOW;
    l->start_duty = l->drop_out = l->kick_level = l->kick_time = 0;
    if (wpin_stage_kind_takes_duty(load->kind) && !load->crossing.there) {
        l->duty_max = fmin(l->duty_max, MOST_DUTY);
    }
}

static bool move(const wpin_rig *rig, int load, const wpin_session_options *options,
                 wpin_first_way ways[2], char *why, size_t size) {
    wpin_status refused;
    wpin_plan *plan = plan_of(rig, &rig->loads[load], why, size);
    wpin_report *report =
        plan == NULL ? NULL : wpin_rehearse(rig, plan, options, &refused, why, size);
    size_t way = 0;
    for (size_t i = 0; report != NULL && i < report->step_count && way < 2; i++) {
        const wpin_step_result *step = &report->steps[i];
        bool moves = step->op == WPIN_OP_RUN_FOR || step->op == WPIN_OP_TURN;
        if (moves) {
            take_step(rig, report, step, &ways[way++]);
        }
    }
    bool good = report != NULL;
    wpin_report_free(report);
    wpin_plan_free(plan);
    return good;
}

bool wpin_first_motion(const wpin_rig *rig, int load, const wpin_injection *faults,
                       size_t fault_count, wpin_first_way ways[2], char *why, size_t why_size) {
    const wpin_rig_load *l = &rig->loads[load];
    wpin_session_options options = {
        .supplies_on = true, .faults = faults, .fault_count = fault_count};
    wpin_rig copy;
    memset(ways, 0, 2 * sizeof *ways);
    if (!wpin_rig_type(l)->turns) {
        snprintf(why, why_size, "'%s' has no shaft", l->name);
        return false;
    }
    if (!wpin_rig_copy_loads(&copy, rig)) {
        snprintf(why, why_size, "out of memory");
        return false;
    }
    make_gentle(&copy.loads[load]);
    bool good = move(&copy, load, &options, ways, why, why_size);
    wpin_rig_free_loads(&copy);
    return good;
}
