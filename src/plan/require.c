/* Lines of a plan that say what its run must keep to: require LOAD speed within 3% by 2s. */
#define _GNU_SOURCE
#include "parts.h"
#include <stdlib.h>
#include <string.h>

typedef struct quality {
    const char *word;
    wpin_required what;
    wpin_dimension dimension;
    const char *example;
} quality;

static const quality qualities[] = {
    {"speed", WPIN_REQUIRED_SPEED, WPIN_SPEED, "a speed, e.g. 90rpm"},
    {"current", WPIN_REQUIRED_CURRENT, WPIN_CURRENT, "a current, e.g. 2A"},
    {"light", WPIN_REQUIRED_LIGHT, WPIN_SHARE, "a share of its rated light, e.g. 80%"},
    {"place", WPIN_REQUIRED_PLACE, WPIN_ANGLE, "an angle, e.g. 0.5deg"},
    {"rest", WPIN_REQUIRED_REST, WPIN_TIME, ""}};

enum { QUALITIES = sizeof qualities / sizeof *qualities };

/* The text behind the word `require`. */
static char *text_of(const wpin_words *line) {
    char *text = calloc(WPIN_WORDS_MAX, sizeof line->words[0].text + 1);
    for (size_t i = 1; text != NULL && i < line->count; i++) {
        strcat(strcat(text, i == 1 ? "" : " "), line->words[i].text);
    }
    return text;
}

static void add(wpin_plan_reader *r, wpin_requirement requirement) {
    wpin_plan *plan = r->plan;
    wpin_requirement *all = wpin_messages_room(r->line.messages, plan->requirements,
                                               plan->requirement_count, sizeof *all);
    requirement.line = r->line.number;
    requirement.text = text_of(&r->line);
    if (all == NULL || requirement.text == NULL) {
        free(requirement.text);
        r->line.messages->out_of_memory = true;
        return;
    }
    plan->requirements = all;
    plan->requirements[plan->requirement_count++] = requirement;
}

/* The last action above that moves a load; -1: none. */
static int action_above(const wpin_plan *plan, size_t load) {
    for (size_t i = plan->step_count; i-- > 0;) {
        const wpin_step *s = &plan->steps[i];
        bool asks = wpin_op_moves_motor((wpin_op)s->op) && s->op != WPIN_OP_HOLD;
        if (asks && s->target.number == load && plan->sources[i].text[0] != '\0') {
            return (int)i;
        }
    }
    return -1;
}

/* [by TIME], to the end of the line. */
static bool take_by(wpin_plan_reader *r, bool required, double *seconds) {
    if (wpin_words_take(&r->line, "by")) {
        return wpin_words_take_time(&r->line, WPIN_HOLD_MAX, seconds) &&
               wpin_words_no_more(&r->line);
    }
    if (required) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "by when? expected 'by' and a time, e.g. 'by 2s'");
        return false;
    }
    return wpin_words_no_more(&r->line);
}

/* within|below|above, and how much. */
static bool take_limit(wpin_plan_reader *r, const quality *q, wpin_requirement *to) {
    static const char *const relations[] = {"within", "below", "above"};
    bool place = q->what == WPIN_REQUIRED_PLACE, speed = q->what == WPIN_REQUIRED_SPEED;
    size_t first = speed || place ? 0 : 1, count = place ? 1 : 3 - first;
    for (size_t i = first; i < first + count; i++) {
        if (!wpin_words_take(&r->line, relations[i])) {
            continue;
        }
        to->relation = (wpin_relation)i;
        const wpin_word *w = wpin_words_peek(&r->line);
        to->share = speed && i == WPIN_WITHIN && w != NULL && strchr(w->text, '%') != NULL;
        unsigned column = wpin_words_column(&r->line);
        if (!wpin_words_take_quantity(&r->line, to->share ? WPIN_SHARE : q->dimension, q->example,
                                      &to->limit)) {
            return false;
        }
        if (!(to->limit > 0)) {
            wpin_words_say(&r->line, column, "expected more than nothing");
            return false;
        }
        return true;
    }
    const wpin_word *w = wpin_words_peek(&r->line);
    wpin_plan_say_unknown(r, wpin_words_column(&r->line), "word", w != NULL ? w->text : "",
                          relations + first, count);
    return false;
}

/* What a load can be asked to keep to. */
static bool has_quality(wpin_plan_reader *r, size_t load, wpin_required what, unsigned column) {
    const wpin_rig_load *l = &r->rig->loads[load];
    bool turns = wpin_rig_type(l)->turns;
    if (what == WPIN_REQUIRED_LIGHT ? !wpin_rig_type(l)->shines
                                    : what != WPIN_REQUIRED_CURRENT && !turns) {
        wpin_words_say(&r->line, column, "'%s' has no %s; it has a current%s", l->name,
                       r->line.words[r->line.at - 1].text,
                       wpin_rig_type(l)->shines ? " and light" : "");
        return false;
    }
    if (what == WPIN_REQUIRED_PLACE && wpin_rig_type(l)->spins &&
        (!l->speed.there || !wpin_rig_knows_place(l))) {
        wpin_words_say(&r->line, column, "nothing measures where '%s' is", l->name);
        return false;
    }
    return true;
}

/* What "within" is about: the speed that is said, or the one that the action above asks for. */
static bool has_target(wpin_plan_reader *r, wpin_requirement *to, unsigned column) {
    const wpin_step *s = to->step < 0 ? NULL : &r->plan->steps[to->step];
    if (to->what == WPIN_REQUIRED_PLACE) {
        if (s == NULL || (s->op != WPIN_OP_TURN && s->op != WPIN_OP_TURN_TO)) {
            wpin_words_say(&r->line, column, "of which place? expected a 'turn' of '%s' above it",
                           r->rig->loads[to->number].name);
            return false;
        }
        return true;
    }
    if (to->what != WPIN_REQUIRED_SPEED || to->relation != WPIN_WITHIN) {
        return true;
    }
    if (wpin_words_take(&r->line, "of")) {
        return wpin_words_take_quantity(&r->line, WPIN_SPEED, "a speed, e.g. 90rpm", &to->target);
    }
    if (s == NULL || s->quantity != WPIN_QUANTITY_SPEED || s->op == WPIN_OP_FOLLOW) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "of which speed? expected 'of' and a speed, e.g. 'of 90rpm', or an action "
                       "above it that asks for one");
        return false;
    }
    return true;
}

static void read_load(wpin_plan_reader *r, size_t load) {
    const char *known[QUALITIES];
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *w = wpin_words_peek(&r->line);
    for (size_t i = 0; i < QUALITIES; i++) {
        const quality *q = &qualities[i];
        known[i] = q->word;
        if (!wpin_words_take(&r->line, q->word)) {
            continue;
        }
        wpin_requirement to = {
            .what = q->what, .number = load, .step = action_above(r->plan, load), .target = NAN};
        bool rest = q->what == WPIN_REQUIRED_REST;
        bool good = has_quality(r, load, q->what, column) && (rest || take_limit(r, q, &to)) &&
                    has_target(r, &to, column) && take_by(r, rest, &to.by);
        if (good && to.step < 0 && to.by > 0) {
            wpin_words_say(&r->line, column,
                           "a time counts from the action above; expected one of '%s' there",
                           r->rig->loads[load].name);
            good = false;
        }
        if (good) {
            add(r, to);
        }
        return;
    }
    wpin_plan_say_unknown(r, column, "requirement", w != NULL ? w->text : "", known, QUALITIES);
}

static void read_supply(wpin_plan_reader *r, size_t supply) {
    static const quality volts = {"", WPIN_REQUIRED_VOLTS, WPIN_VOLTAGE, "volts, e.g. 11V"};
    wpin_requirement to = {
        .what = WPIN_REQUIRED_VOLTS, .number = supply, .step = -1, .target = NAN};
    if (take_limit(r, &volts, &to) && wpin_words_no_more(&r->line)) {
        add(r, to);
    }
}

void wpin_plan_read_require(wpin_plan_reader *r) {
    wpin_requirement to = {.step = -1, .target = NAN};
    const wpin_word *w = wpin_words_peek(&r->line);
    int load = w == NULL ? -1 : wpin_rig_find_load(r->rig, w->text);
    int supply = w == NULL ? -1 : wpin_rig_find_supply(r->rig, w->text);
    if (load >= 0) {
        r->line.at++;
        read_load(r, (size_t)load);
    } else if (supply >= 0) {
        r->line.at++;
        read_supply(r, (size_t)supply);
    } else if (wpin_words_take(&r->line, "no") && wpin_words_take(&r->line, "fault")) {
        to.what = WPIN_REQUIRED_NO_FAULT;
        if (wpin_words_no_more(&r->line)) {
            add(r, to);
        }
    } else if (wpin_words_take(&r->line, "end")) {
        to.what = WPIN_REQUIRED_END;
        if (take_by(r, true, &to.by)) {
            add(r, to);
        }
    } else {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "require what? expected a load or a supply of the rig, 'no fault', or 'end "
                       "by' and a time");
    }
}
