/* After a plan: what burnt, what happened, what faulted. */
#include "session.h"
#include <math.h>
#include <stdlib.h>

#define PS 1e-12

static int by_time(const void *a, const void *b) {
    double left = ((const wpin_part_event *)a)->at, right = ((const wpin_part_event *)b)->at;
    return (left > right) - (left < right);
}

/* What the board noted and what the run itself noted, in the order of time. */
static void collect_events(wpin_session *run, double began) {
    wpin_report *report = run->report;
    const wpin_bench *b = &run->bench;
    size_t events = 0;
    const wpin_part_event *all = b->events == NULL ? NULL : b->events(b->context, &events);
    report->events = calloc(events + run->note_count + 1, sizeof *report->events);
    if (report->events == NULL) {
        run->out_of_memory = true;
        return;
    }
    for (size_t i = 0; i < events; i++) {
        report->events[report->event_count++] = all[i];
    }
    for (size_t i = 0; i < run->note_count; i++) {
        report->events[report->event_count++] = run->notes[i];
    }
    for (size_t i = 0; i < report->event_count; i++) {
        report->events[i].at -= began;
    }
    qsort(report->events, report->event_count, sizeof *report->events, by_time);
}

void wpin_session_collect(wpin_session *run) {
    wpin_report *report = run->report;
    size_t count;
    const wpin_part_burn *burns = wpin_session_burns(run, &count);
    report->burns = calloc(count + 1, sizeof *report->burns);
    double began = (double)run->start * PS;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->onlooker->leaves(run, i);
    }
    run->out_of_memory =
        run->out_of_memory || report->burns == NULL ||
        (run->bench.out_of_memory != NULL && run->bench.out_of_memory(run->bench.context));
    for (size_t i = 0; report->burns != NULL && i < count; i++) {
        report->burns[i] = burns[i];
        report->burns[i].at -= began;
        report->burn_count = i + 1;
    }
    collect_events(run, began);
    bool faulted = false;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_fault_result fault = wpin_session_fault(run, i);
        if (fault.cause != WPIN_OK) {
            wpin_session_add_fault(run, &fault);
            faulted = true;
        }
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        report->operations[i] = wpin_motor_operations(&run->motors[i]);
        report->last_way[i] = wpin_motor_last_direction(&run->motors[i]);
    }
    report->seconds = run->ended ? report->seconds : wpin_session_time(run);
    report->result = run->sequence.result;
    report->bad = report->bad || count != 0 || run->driven_at_boot || faulted ||
                  report->result != WPIN_OK || report->still_turning >= 0;
    for (size_t i = 0; i < report->step_count; i++) {
        report->bad = report->bad || report->steps[i].verdict == WPIN_VERDICT_BAD;
    }
}
