/* What came of a requirement, in words. */
#include "windpin/host/plain.h"
#include "windpin/host/verdict.h"
#include <math.h>
#include <stdio.h>

/* A value in the unit it is told in. */
static void say_value(char *to, size_t size, const wpin_requirement *q, double value) {
    switch (q->what) {
    case WPIN_REQUIRED_SPEED:
        if (q->share) {
            wpin_plain(to, size, "%.3g %%", value * 100);
        } else {
            wpin_plain(to, size, "%.4g rpm", value);
        }
        break;
    case WPIN_REQUIRED_CURRENT: wpin_plain(to, size, "%.3g A", value); break;
    case WPIN_REQUIRED_LIGHT: wpin_plain(to, size, "%.3g %%", value * 100); break;
    case WPIN_REQUIRED_PLACE: wpin_plain(to, size, "%.3g deg", value * 360); break;
    case WPIN_REQUIRED_VOLTS: wpin_plain(to, size, "%.4g V", value); break;
    default: wpin_plain(to, size, "%.3f s", value);
    }
}

void wpin_requirement_words(const wpin_requirement_result *result, char *words, size_t size) {
    const wpin_requirement *q = result->requirement;
    char value[40] = "";
    say_value(value, sizeof value, q, result->worst);
    if (result->outcome == WPIN_OUTCOME_UNTESTED) {
        snprintf(words, size,
                 q->what == WPIN_REQUIRED_END ? "the plan did not come to its end"
                 : q->step >= 0               ? "its action did not come, or was over before"
                                              : "it was never so far");
    } else if (q->what == WPIN_REQUIRED_NO_FAULT) {
        words[0] = '\0';
    } else if (q->what == WPIN_REQUIRED_END) {
        snprintf(words, size, "after %s", value);
    } else if (q->what == WPIN_REQUIRED_REST) {
        snprintf(words, size, isnan(result->worst) ? "it still turned" : "after %s", value);
    } else {
        wpin_plain(words, size, "%s%s%s, at %.2f s%s",
                   q->relation == WPIN_WITHIN  ? ""
                   : q->relation == WPIN_BELOW ? "at most "
                                               : "at least ",
                   value, q->relation == WPIN_WITHIN ? " off at most" : "", result->at,
                   result->measured ? ", as measured" : "");
    }
}

const char *wpin_outcome_word(wpin_outcome outcome) {
    static const char *const words[] = {"not tested", "met", "missed"};
    return (size_t)outcome < sizeof words / sizeof *words ? words[outcome] : "?";
}
