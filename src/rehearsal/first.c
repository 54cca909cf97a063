/* The first motion of a load: alone, gently, each way, and which way its shaft turned. */
#include "changed_rig.h"
#include "windpin/host/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

static wpin_plan *plan_of(const wpin_rig *rig, int load, char *why, size_t size) {
    wpin_messages messages = {0};
    wpin_plan *plan = wpin_plan_first_motion(rig, (size_t)load, &messages);
    if (plan == NULL) {
        snprintf(why, size, "%s", messages.count > 0 ? messages.items[0].text : "out of memory");
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
                            .duty = steps              ? 1
                                    : load->axis.there ? 0
                                                       : fabs(step->asked_duty),
                            .rpm = load->axis.there ? fabs(step->asked_rpm) : 0,
                            .seconds = wpin_plan_first_seconds(load),
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

static bool move(const wpin_rig *rig, int load, const wpin_session_options *options,
                 wpin_first_way ways[2], char *why, size_t size) {
    wpin_status refused;
    wpin_plan *plan = plan_of(rig, load, why, size);
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
    wpin_session_options options = {
        .supplies_on = true, .faults = faults, .fault_count = fault_count};
    wpin_rig copy;
    memset(ways, 0, 2 * sizeof *ways);
    if (!wpin_rig_copy_loads(&copy, rig)) {
        snprintf(why, why_size, "out of memory");
        return false;
    }
    wpin_plan_make_gentle(&copy.loads[load]);
    bool good = move(&copy, load, &options, ways, why, why_size);
    wpin_rig_free_loads(&copy);
    return good;
}
