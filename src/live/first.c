/* What a first motion came to, in words: which way the shaft turned, and whether another one did.
 */
#include "live.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

/* A load that turns though nothing asks for it: control wires are mixed up. -1: none. */
int wpin_live_other_that_turns(const wpin_live *live, int load) {
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
        wpin_plain(to, size, "%s turned it %.3g %s %s, up to %.0f rpm and %.3g A", asked, size_of,
                   unit, (turns >= 0) != load->reversed ? "clockwise" : "counter-clockwise",
                   s->rpm_peak, s->amps_peak);
    } else if (wpin_rig_knows_place(load)) {
        bool against = (turns < 0) != back;
        wpin_plain(to, size, "%s: its encoder counted %.3g %s%s", asked, size_of, unit,
                   against ? " the other way: swap its two wires, or the motor's" : "");
    } else {
        snprintf(to, size, "%s was driven; look which way it turned", asked);
    }
}

wpin_verdict wpin_live_say_first(const wpin_live *live, const wpin_step_result *s, char *words,
                                 size_t size) {
    double turned = fabs(s->degrees - s->degrees_from);
    bool knows = wpin_session_look(live->session, (size_t)s->load).knows;
    bool stood = (knows || wpin_rig_knows_place(&live->rig->loads[s->load])) && turned < 1;
    if (stood || !s->done) {
        snprintf(words, size, "%s", s->words);
        return WPIN_VERDICT_BAD;
    }
    say_way(live, s, words, size);
    return WPIN_VERDICT_OK;
}
