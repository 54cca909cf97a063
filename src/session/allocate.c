/* Room for a session and its report, by the counts of its rig and its plan. */
#include "session.h"
#include <stdlib.h>

bool wpin_session_allocate(wpin_session *run) {
    size_t loads = run->rig->load_count, tracks = run->by_hand ? loads : run->plan->track_count;
    wpin_report *report = calloc(1, sizeof *report);
    run->report = report;
    run->bound = calloc(loads, sizeof *run->bound);
    run->motors = calloc(loads, sizeof *run->motors);
    size_t inputs = run->rig->input_count + 1; /* none has room too */
    run->input_state = calloc(inputs, sizeof *run->input_state);
    run->input_table = calloc(inputs, sizeof *run->input_table);
    run->input_at = calloc(inputs, sizeof *run->input_at);
    run->input_told = calloc(inputs, sizeof *run->input_told);
    run->fault_at = calloc(loads, sizeof *run->fault_at);
    run->safe_at = calloc(loads, sizeof *run->safe_at);
    run->latched = calloc(loads, sizeof *run->latched);
    run->drive_error = calloc(loads, sizeof *run->drive_error);
    run->drive_state = calloc(loads, sizeof *run->drive_state);
    run->silence = calloc(loads, sizeof *run->silence);
    run->unsent = calloc(loads, sizeof *run->unsent);
    run->motor_list = calloc(loads, sizeof(wpin_motor *));
    run->tracks = calloc(tracks, sizeof *run->tracks);
    run->last = calloc(loads, sizeof *run->last);
    run->for_trace = calloc(loads, sizeof *run->for_trace);
    run->samples = calloc(loads, sizeof *run->samples);
    run->volts = calloc(loads, sizeof *run->volts);
    run->driven = calloc(loads, sizeof *run->driven);
    run->open_step = calloc(tracks, sizeof *run->open_step);
    run->owner = calloc(loads, sizeof *run->owner);
    run->windows = calloc(loads, sizeof *run->windows);
    run->rpm = calloc(loads, sizeof *run->rpm);
    run->effect = calloc(loads, sizeof *run->effect);
    run->stopping = calloc(loads, sizeof *run->stopping);
    run->stop_how = calloc(loads, sizeof *run->stop_how);
    run->lost = calloc(loads, sizeof *run->lost);
    run->rounds = calloc(run->plan->step_count, sizeof *run->rounds);
    run->actions = calloc(run->by_hand ? loads : 1, sizeof *run->actions);
    if (report != NULL) {
        report->still_turning = -1;
        report->pwm = calloc(loads, sizeof *report->pwm);
        report->amps_peak = calloc(loads, sizeof *report->amps_peak);
        report->rpm_peak = calloc(loads, sizeof *report->rpm_peak);
        report->operations = calloc(loads, sizeof *report->operations);
        report->last_way = calloc(loads, sizeof *report->last_way);
        report->degrees_c = calloc(loads, sizeof *report->degrees_c);
        report->joules = calloc(loads, sizeof *report->joules);
        report->torque_peak = calloc(loads, sizeof *report->torque_peak);
        report->watts_peak = calloc(loads, sizeof *report->watts_peak);
    }
    return report != NULL && run->bound != NULL && run->motors != NULL && run->motor_list != NULL &&
           run->input_state != NULL && run->input_table != NULL && run->input_at != NULL &&
           run->input_told != NULL && run->fault_at != NULL && run->safe_at != NULL &&
           run->latched != NULL && run->drive_error != NULL && run->drive_state != NULL &&
           run->silence != NULL && run->unsent != NULL && report->last_way != NULL &&
           report->degrees_c != NULL && report->joules != NULL && run->tracks != NULL &&
           run->last != NULL && run->for_trace != NULL && run->samples != NULL &&
           run->open_step != NULL && run->driven != NULL && run->owner != NULL &&
           run->windows != NULL && run->rpm != NULL && run->effect != NULL && run->lost != NULL &&
           run->stop_how != NULL && run->stopping != NULL && run->volts != NULL &&
           run->actions != NULL && run->rounds != NULL && report->pwm != NULL &&
           report->amps_peak != NULL && report->rpm_peak != NULL && report->operations != NULL &&
           report->torque_peak != NULL && report->watts_peak != NULL;
}

void wpin_session_release(wpin_session *run) {
    free(run->bound);
    free(run->motors);
    free(run->motor_list);
    free(run->fault_at);
    free(run->safe_at);
    free(run->latched);
    free(run->drive_error);
    free(run->drive_state);
    free(run->silence);
    free(run->unsent);
    free(run->input_state);
    free(run->input_table);
    free(run->input_at);
    free(run->input_told);
    free(run->notes);
    free(run->tracks);
    free(run->last);
    free(run->for_trace);
    free(run->samples);
    free(run->open_step);
    free(run->driven);
    free(run->owner);
    free(run->windows);
    free(run->rpm);
    free(run->effect);
    free(run->stop_how);
    free(run->stopping);
    free(run->volts);
    free(run->lost);
    free(run->rounds);
    free(run->actions);
    free(run->whole.tracks);
    free(run);
}

void wpin_report_free(wpin_report *report) {
    if (report != NULL) {
        free(report->steps);
        free(report->requirements);
        free(report->faults);
        free(report->burns);
        free(report->events);
        free(report->pwm);
        free(report->amps_peak);
        free(report->rpm_peak);
        free(report->operations);
        free(report->last_way);
        free(report->degrees_c);
        free(report->joules);
        free(report->torque_peak);
        free(report->watts_peak);
        free(report);
    }
}
