/* The faults of a session: when each latched, when its stage was safe, what a drive said then, and
 * that it was cleared. The core keeps only the cause. */
#include "session.h"
#include <math.h>
#include <stdlib.h>

wpin_fault_result wpin_session_fault(const wpin_session *run, size_t load) {
    if (load >= run->rig->load_count || wpin_motor_fault(&run->motors[load]) == WPIN_OK) {
        return (wpin_fault_result){0};
    }
    double at = run->fault_at[load] + run->rig->controller.tick;
    wpin_fault_scene scene = run->latched[load].scene;
    scene.others = wpin_session_others_fail(run, load); /* some a little later */
    return (wpin_fault_result){.load = (int)load,
                               .cause = wpin_motor_fault(&run->motors[load]),
                               .at = at,
                               .cleared_at = HUGE_VAL,
                               .safe_after = fmax(run->safe_at[load] - at, 0),
                               .drive_error = run->drive_error[load],
                               .drive_state = run->drive_state[load],
                               .silence = run->silence[load],
                               .scene = scene};
}

static bool is_safe(const wpin_session *run, size_t i) {
    const wpin_bound_load *bound = &run->bound[i];
    if (run->rig->loads[i]
            .axis.there) { /* as far as it says; silent, it is told to stop by itself */
        const wpin_axis *axis = &bound->axis_at_work;
        return axis->state != WPIN_AXIS_ENABLED || run->motors[i].fault == WPIN_FAULT_SILENT;
    }
    return wpin_motor_duty(&run->motors[i]) == 0 &&
           (wpin_session_is_stepper(run, i) ||
            wpin_stage_drive(&bound->stage_at_work) == (wpin_drive)bound->motor.safe_drive);
}

static wpin_silence silence_of(const wpin_session *run, size_t i) {
    const wpin_axis *axis = &run->bound[i].axis_at_work;
    if (run->motors[i].fault != WPIN_FAULT_SILENT) {
        return WPIN_SILENCE_NONE;
    }
    return axis->node.boots != axis->boots    ? WPIN_SILENCE_ANEW
           : wpin_session_bus_blocked(run, i) ? WPIN_SILENCE_FULL
                                              : WPIN_SILENCE_MUTE;
}

/* What a drive said when its fault was latched: it may be told to forget it. */
static void note_drive(wpin_session *run, size_t i) {
    const wpin_axis *axis = &run->bound[i].axis_at_work;
    if (run->rig->loads[i].axis.there && run->drive_state[i] == 0) {
        run->drive_error[i] = axis->error != 0 ? axis->error : axis->node.emergency;
        run->drive_state[i] = axis->state;
        run->silence[i] = silence_of(run, i);
    }
}

/* From here on it counts what its bus does not take. */
static void note_heard(wpin_session *run, size_t i) {
    const wpin_axis *axis = &run->bound[i].axis_at_work;
    if (run->rig->loads[i].axis.there && axis->lost_us <= 2e6 * run->rig->controller.tick) {
        run->unsent[i] = run->networks[run->rig->loads[i].axis.bus].network.unsent;
    }
}

void wpin_session_add_fault(wpin_session *run, const wpin_fault_result *fault) {
    wpin_report *report = run->report;
    size_t count = report->fault_count;
    wpin_fault_result *all = realloc(report->faults, (count + 1) * sizeof *all);
    run->out_of_memory = run->out_of_memory || all == NULL;
    if (all != NULL) {
        report->faults = all;
        report->faults[report->fault_count++] = *fault;
    }
}

#define CLEARED_KEPT 200 /* of a long session by hand */

/* One that was cleared is kept for the report. */
static void note_cleared(wpin_session *run, size_t i) {
    if (run->latched[i].cause != WPIN_OK && run->report->fault_count < CLEARED_KEPT) {
        run->latched[i].cleared_at = wpin_session_time(run);
        wpin_session_add_fault(run, &run->latched[i]);
    }
    run->latched[i].cause = WPIN_OK;
}

void wpin_session_note_faults(wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        note_heard(run, i);
        if (run->motors[i].fault == WPIN_OK) {
            note_cleared(run, i);
            run->fault_at[i] = wpin_session_time(run);
            run->safe_at[i] = HUGE_VAL;
            run->drive_state[i] = 0;
            wpin_session_keep_scene(run, i);
            continue;
        }
        if (run->latched[i].cause == WPIN_OK) {
            run->latched[i].scene = wpin_session_scene(run, i);
        }
        note_drive(run, i);
        if (run->safe_at[i] == HUGE_VAL && is_safe(run, i)) {
            run->safe_at[i] = wpin_session_time(run);
        }
        run->latched[i] = wpin_session_fault(run, i);
    }
}
