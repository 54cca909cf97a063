/* Which of a stepper's four leads make a winding, by the current in each of its eight states: a
 * channel drives what is between its own two outputs. */
#include "changed_rig.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define HOLDS_MS 80 /* each state: several times L/R of any winding */

/* States in which current flows (bit n: state n), what that comes to, and what to do about it. In
 * states 0, 1 and 7 channel a drives forward, in 3 to 5 in reverse; b in 1 to 3, and 5 to 7. A
 * winding across both channels carries current while its two outputs are on different sides. */
static const struct {
    uint8_t flows;
    wpin_coils coils;
    const char *words, *cure;
} patterns[] = {
    {0xFF, WPIN_COILS_RIGHT, "current in each of its eight states: a winding on each channel", ""},
    {0x88, WPIN_COILS_CROSSED,
     "current only while the channels drive against each other: the windings are between a1 and "
     "b1, "
     "and a2 and b2",
     "swap the leads on a2 and b1"},
    {0x22, WPIN_COILS_CROSSED,
     "current only while both channels drive the same way: the windings are between a1 and b2, and "
     "a2 and b1",
     "swap the leads on a2 and b2"},
    {0xEE, WPIN_COILS_A_OFF, "no current while channel a drives alone: its winding is off",
     "look after the leads on a1 and a2"},
    {0xBB, WPIN_COILS_B_OFF, "no current while channel b drives alone: its winding is off",
     "look after the leads on b1 and b2"},
    {0, WPIN_COILS_NO_CURRENT, "no current at all",
     "look after the supply, the driver's standby, and the leads"},
};

static void sort_out(wpin_coil_test *test, double expected) {
    uint8_t flows = 0;
    for (unsigned state = 0; state < 8; state++) {
        flows |= (uint8_t)(test->amps[state] > 0.3 * expected ? 1U << state : 0);
    }
    test->coils = WPIN_COILS_UNCLEAR;
    test->words = "current in some of its states, in no order that a wrong lead explains";
    test->cure = "measure: two leads with a few ohms between them are one winding";
    for (size_t i = 0; i < sizeof patterns / sizeof *patterns; i++) {
        if (patterns[i].flows == flows) {
            test->coils = patterns[i].coils;
            test->words = patterns[i].words;
            test->cure = patterns[i].cure;
        }
    }
}

/* Eight half steps forward, each held: the states 1 to 7, and 0 again. Thousandths of a degree are
 * rounded up, or a turn could fall short of its step. */
static wpin_plan *eight_states(const wpin_rig *rig, const wpin_rig_load *load) {
    char text[1200] = "";
    wpin_messages messages = {0};
    for (int i = 0; i < 8; i++) {
        size_t used = strlen(text);
        wpin_plain(text + used, sizeof text - used, "%s turn %.6gdeg\n%s hold %dms\n", load->name,
                   ceil(180e3 / load->stepper.steps_per_rev) / 1e3, load->name, HOLDS_MS);
    }
    size_t used = strlen(text);
    snprintf(text + used, sizeof text - used, "%s release\n", load->name);
    wpin_plan *plan = wpin_plan_read_text("coils", text, rig, &messages);
    wpin_messages_free(&messages);
    return plan;
}

static void take(const wpin_rig *rig, const wpin_report *report, int load, wpin_coil_test *test) {
    const wpin_rig_load *l = &rig->loads[load];
    double ohms = wpin_rig_loop_ohms(rig, l);
    double volts = rig->supplies[l->supply].volts;
    unsigned state = 1;
    test->measured = true;
    for (size_t i = 0; i < report->step_count; i++) {
        const wpin_step_result *s = &report->steps[i];
        if (s->load == load && s->op == WPIN_OP_HOLD) {
            test->measured = test->measured && !isnan(s->measured_amps);
            test->amps[state++ % 8] = s->measured_amps;
        }
    }
    if (test->measured) {
        sort_out(test, wpin_rig_step_wave(l, volts, ohms, false).mean);
    }
}

bool wpin_first_coils(const wpin_rig *rig, int load, const wpin_injection *faults,
                      size_t fault_count, wpin_coil_test *test, char *why, size_t why_size) {
    wpin_session_options options = {
        .supplies_on = true, .faults = faults, .fault_count = fault_count};
    wpin_rig copy;
    wpin_status refused;
    *test =
        (wpin_coil_test){.coils = WPIN_COILS_UNMEASURED,
                         .words = "not measured: the rig has no current sense for it",
                         .cure = "measure: two leads with a few ohms between them are one winding"};
    snprintf(why, why_size, "out of memory");
    if (!wpin_rig_copy_loads(&copy, rig)) {
        return false;
    }
    wpin_rig_load *l = &copy.loads[load];
    l->reversed = false;
    l->stepping.half_steps = true;
    l->stepping.at_end = WPIN_STEP_HOLD;
    l->stepping.release_after = 0;
    wpin_plan *plan = eight_states(&copy, l);
    wpin_report *report =
        plan == NULL ? NULL : wpin_rehearse(&copy, plan, &options, &refused, why, why_size);
    if (report != NULL) {
        take(&copy, report, load, test);
    }
    bool good = report != NULL;
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free_loads(&copy);
    return good;
}
