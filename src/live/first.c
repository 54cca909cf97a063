/* What a first motion came to, in words: which way the shaft turned, and whether another one did.
 */
#include "live.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

/* A load that turns though nothing asks for it: control wires are mixed up. -1: none. */
static int other_that_turns(const wpin_live *live, int load) {
    for (size_t i = 0; i < live->rig->load_count; i++) {
        wpin_glance g = wpin_session_look(live->session, i);
        double rpm = g.knows ? g.rpm : isnan(g.measured_rpm) ? 0 : g.measured_rpm;
        if ((int)i != load && !g.busy && fabs(rpm) > 1) {
            return (int)i;
        }
    }
    return -1;
}

/* Which way it was asked, and how far it turned, as it is seen or counted. */
static void say_way(const wpin_live *live, const wpin_step_result *s, char *to, size_t size) {
    const wpin_rig_load *load = &live->rig->loads[s->load];
    bool knows = wpin_session_look(live->session, (size_t)s->load).knows;
    bool back = s->asks->value < 0 || s->asks->millidegrees < 0;
    double turns = (s->degrees - s->degrees_from) / 360;
    const char *asked = back ? "reverse" : "forward";
    const char *unit = fabs(turns) >= 2 ? "turns" : "deg";
    double size_of = fabs(turns) * (fabs(turns) >= 2 ? 1 : 360);
    if (knows) {
        snprintf(to, size, "%s turned it %.3g %s %s, up to %.0f rpm and %.3g A", asked, size_of,
                 unit, (turns >= 0) != load->reversed ? "clockwise" : "counter-clockwise",
                 s->rpm_peak, s->amps_peak);
    } else if (load->encoder.there) {
        bool against = (turns < 0) != back;
        snprintf(to, size, "%s: its encoder counted %.3g %s%s", asked, size_of, unit,
                 against ? " the other way: swap its two wires, or the motor's" : "");
    } else {
        snprintf(to, size, "%s was driven; look which way it turned", asked);
    }
}

void wpin_live_tell_first(wpin_live *live, const wpin_step_result *s) {
    char words[WPIN_LIVE_WORDS];
    bool moves = s->op == WPIN_OP_RUN_FOR || s->op == WPIN_OP_TURN;
    if (!moves) {
        return;
    }
    const char *name = live->rig->loads[s->load].name;
    double turned = fabs(s->degrees - s->degrees_from);
    int other = other_that_turns(live, s->load);
    bool knows = wpin_session_look(live->session, (size_t)s->load).knows;
    bool stood = (knows || live->rig->loads[s->load].encoder.there) && turned < 1;
    if (stood || !s->done) {
        wpin_live_tell(live, WPIN_VERDICT_BAD, "%s, first motion: %s", name, s->words);
    } else {
        say_way(live, s, words, sizeof words);
        wpin_live_tell(live, WPIN_VERDICT_OK, "%s, first motion: %s", name, words);
    }
    if (other >= 0) {
        wpin_live_tell(live, WPIN_VERDICT_BAD,
                       "the shaft of '%s' turned: control wires of the two are mixed up",
                       live->rig->loads[other].name);
    }
}
