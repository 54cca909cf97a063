/* A rig of one load on a kind of stage, and plans run on it. */
#ifndef WPIN_TESTS_SUPPORT_KINDS_H
#define WPIN_TESTS_SUPPORT_KINDS_H

#include "support.h"
#include <string.h>
#include <windpin/host/rehearsal.h>

static inline const wpin_stage_kind *kind_called(const char *name) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    for (size_t i = 0; i < count; i++) {
        if (strcmp(kinds[i].name, name) == 0) {
            return &kinds[i];
        }
    }
    ck_abort_msg("no kind '%s'", name);
}

/* A rig with one load of a kind; `more` goes into the driver. */
static inline wpin_rig *rig_of(const wpin_stage_kind *kind, const char *more) {
    char text[3000], pins[300] = "";
    bool takes = wpin_stage_kind_takes_duty(kind);
    bool phases = wpin_stage_kind_is_three_phase(kind);
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        size_t used = strlen(pins);
        snprintf(pins + used, sizeof pins - used, "%s%s: %u", l == 0 ? "" : ", ", kind->lines[l],
                 l + 2);
    }
    snprintf(text, sizeof text,
             "rig: bench\nsupplies: {main: {voltage: 12V, resistance: 0.1ohm, switch: on}}\n"
             "loads:\n  load:\n    supply: main\n"
             "    stage: {kind: %s, pins: {%s}%s}\n"
             "    driver: {on-resistance: 0.2ohm, current-limit: 30A, voltage-limit: 30V%s}\n"
             "    motor: {resistance: 1.4ohm, inductance: 1.6mH, constant: 22mNm/A, inertia: "
             "160gcm2, static-friction: 9mNm, dry-friction: 9mNm%s}\n%s    rest: 1s\n",
             kind->name, pins, !takes || wpin_logic_of(kind->logic)->pulses ? "" : ", pwm: 20kHz",
             more, phases ? ", pole-pairs: 1}\n    hall: {pins: {a: 20, b: 21, c: 22}" : "",
             takes ? "    ramp: {up: 0.5s, down: 0.5s}\n" : "");
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("kind.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s: %u: %s", kind->name, m.count ? m.items[0].line : 0,
                  m.count ? m.items[0].text : "");
    return rig;
}

static inline wpin_report *run_text(const wpin_rig *rig, const char *text, wpin_plan **plan) {
    wpin_messages m = {0};
    *plan = wpin_plan_read(write_file("kind.plan", text), rig, &m);
    ck_assert_msg(*plan != NULL, "%s: %s", rig->loads[0].kind->name,
                  m.count ? m.items[0].text : "");
    wpin_status refused;
    char why[300];
    wpin_session_options options = {0};
    wpin_report *report = wpin_rehearse(rig, *plan, &options, &refused, why, sizeof why);
    ck_assert_msg(report != NULL, "%s: %s", rig->loads[0].kind->name, why);
    return report;
}

#endif
