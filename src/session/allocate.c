/* Room for a session and its report, by the counts of its rig and its plan. */
#include "session.h"
#include <stdlib.h>

/* Room for so many, all zero; false where there is none. What was not come to stays NULL. */
#define ROOM(pointer, count) (((pointer) = calloc((count), sizeof *(pointer))) != NULL)

static bool allocate_report(wpin_report *report, size_t loads) {
    report->still_turning = -1;
    return ROOM(report->pwm, loads) && ROOM(report->amps_peak, loads) &&
           ROOM(report->rpm_peak, loads) && ROOM(report->operations, loads) &&
           ROOM(report->last_way, loads) && ROOM(report->degrees_c, loads) &&
           ROOM(report->joules, loads) && ROOM(report->torque_peak, loads) &&
           ROOM(report->watts_peak, loads);
}

static bool allocate_loads(wpin_session *run, size_t loads) {
    return ROOM(run->bound, loads) && ROOM(run->motors, loads) &&
           (run->motor_list = calloc(loads, sizeof(wpin_motor *))) != NULL &&
           ROOM(run->fault_at, loads) && ROOM(run->safe_at, loads) && ROOM(run->latched, loads) &&
           ROOM(run->before, loads) && ROOM(run->drive_error, loads) &&
           ROOM(run->drive_state, loads) && ROOM(run->silence, loads) && ROOM(run->unsent, loads) &&
           ROOM(run->last, loads) && ROOM(run->for_trace, loads) && ROOM(run->samples, loads) &&
           ROOM(run->volts, loads) && ROOM(run->driven, loads) && ROOM(run->owner, loads) &&
           ROOM(run->windows, loads) && ROOM(run->rpm, loads) && ROOM(run->effect, loads) &&
           ROOM(run->stopping, loads) && ROOM(run->stop_how, loads) && ROOM(run->lost, loads);
}

bool wpin_session_allocate(wpin_session *run) {
    size_t loads = run->rig->load_count, inputs = run->rig->input_count + 1; /* none has room too */
    size_t tracks = run->by_hand ? loads : run->plan->track_count;
    return ROOM(run->report, 1) && allocate_report(run->report, loads) &&
           allocate_loads(run, loads) && ROOM(run->input_state, inputs) &&
           ROOM(run->input_table, inputs) && ROOM(run->input_at, inputs) &&
           ROOM(run->input_told, inputs) && ROOM(run->tracks, tracks) &&
           ROOM(run->open_step, tracks) && ROOM(run->rounds, run->plan->step_count) &&
           ROOM(run->actions, run->by_hand ? loads : 1);
}

void wpin_session_release(wpin_session *run) {
    free(run->bound);
    free(run->motors);
    free(run->motor_list);
    free(run->fault_at);
    free(run->safe_at);
    free(run->latched);
    free(run->before);
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
