#define _GNU_SOURCE
#include "support.h"
#include <windpin/host/rehearsal.h>

wpin_rig *read_changed_pump(const char *change, wpin_messages *m) {
    char said[300];
    ck_assert_int_eq(run_command(said, sizeof said, "sed '%s' %s/demo/honey-pump.yaml > %s", change,
                                 TEST_SOURCE, scratch("pump.yaml")),
                     0);
    return wpin_rig_read(scratch("pump.yaml"), m);
}

size_t run_changed_pump(const char *change, const char *lines, wpin_status *fault) {
    wpin_messages m = {0};
    char why[300];
    wpin_rig *rig = read_changed_pump(change, &m);
    ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_plan *plan = wpin_plan_read(write_file("pump.plan", lines), rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {.supplies_on = true};
    wpin_status refused;
    wpin_report *report = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(report != NULL, "%s", why);
    size_t burnt = report->burn_count;
    *fault = report->fault_count > 0 ? report->faults[0].cause : WPIN_OK;
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return burnt;
}
