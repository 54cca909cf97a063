/* What repeats: so many times, until something comes, or for ever; and how long a rehearsal of a
 * plan that has no end lasts. */
#include "parts.h"
#include <math.h>

#define REHEARSED_MAX 86400 /* s: a day */

/* How many times; 0: for ever. False with a message. */
static bool take_rounds(wpin_plan_reader *r, double *rounds) {
    unsigned column = wpin_words_column(&r->line);
    *rounds = 0;
    if (wpin_words_take(&r->line, "forever")) {
        return true;
    }
    if (!wpin_words_take_quantity(&r->line, WPIN_NUMBER,
                                  "how many times, e.g. repeat 3, or repeat forever", rounds)) {
        return false;
    }
    bool good = *rounds >= 1 && *rounds <= 32767 && *rounds == floor(*rounds);
    if (!good) {
        wpin_words_say(&r->line, column,
                       "%g rounds are out of range; expected a whole number, 1 to 32767, or "
                       "forever",
                       *rounds);
    }
    wpin_words_take(&r->line, "times");
    return good;
}

void wpin_plan_read_repeat(wpin_plan_reader *r) {
    double rounds;
    bool good = take_rounds(r, &rounds);
    if (good) {
        bool until = wpin_words_take(&r->line, "until");
        unsigned column = wpin_words_column(&r->line);
        good = (!until || wpin_plan_take_event(r)) && wpin_words_no_more(&r->line);
        if (r->until.until == 1 + WPIN_EVENT_FAULTED) {
            wpin_words_say(&r->line, column,
                           "a fault ends the plan before the round is over; expected 'wait until "
                           "... faulted' inside, or another event here");
            good = false;
        }
    }
    wpin_step end = good ? r->until : (wpin_step){0};
    r->until = (wpin_step){0};
    bool endless = good && rounds == 0;
    if (endless && r->endless == 0) {
        r->endless = r->line.number;
    }
    if (wpin_plan_open_block(r, WPIN_BLOCK_REPEAT)) {
        wpin_block *block = wpin_flow_top(&r->flow);
        block->count = good && !endless ? (int)rounds : 1;
        block->forever = endless;
        block->endless = endless && end.until == 0;
        end.op = WPIN_OP_REPEAT;
        end.value = (int16_t)(good ? rounds : 1);
        wpin_plan_add_step(r, end, false);
    }
}

/* rehearse TIME */
void wpin_plan_read_rehearse(wpin_plan_reader *r) {
    double seconds;
    unsigned before = r->rehearse_line;
    r->rehearse_line = r->line.number;
    if (before != 0) {
        wpin_words_say(&r->line, 1, "'rehearse' stands there already; once is enough");
    } else if (wpin_words_take_time(&r->line, REHEARSED_MAX, &seconds) &&
               wpin_words_no_more(&r->line)) {
        r->plan->rehearsed = seconds;
    }
}

void wpin_plan_check_endless(wpin_plan_reader *r) {
    if (r->endless != 0 && r->rehearse_line == 0) {
        wpin_words_say(&r->line, 1,
                       "line %u repeats forever, and nothing says how long a rehearsal of that "
                       "lasts; expected a line such as 'rehearse 60s'",
                       r->endless);
    } else if (r->endless == 0 && r->plan->rehearsed > 0) {
        wpin_words_say(&r->line, 1,
                       "'rehearse' (line %u) is for a plan with 'repeat forever'; this one ends by "
                       "itself",
                       r->rehearse_line);
    }
}

bool wpin_plan_is_reached(wpin_plan_reader *r) {
    wpin_block *top = wpin_flow_top(&r->flow);
    bool reached = top->after_endless == 0 || top->kind == WPIN_BLOCK_PARALLEL; /* other tracks */
    if (!reached) {
        wpin_words_say(&r->line, 1,
                       "this is never reached: the repeat of line %u has no end; expected 'until' "
                       "and an event behind its 'forever'",
                       top->after_endless);
        top->after_endless = 0; /* once is enough */
    }
    return reached;
}
