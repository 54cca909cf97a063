/* What a run or a ramp is asked for, a duty, a regulated speed or current; and saying what a stage
 * can not.
 */
#define _GNU_SOURCE
#include "parts.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

void wpin_plan_say_unable(wpin_plan_reader *r, size_t load, unsigned column, const char *what,
                          bool (*able)(const wpin_stage_kind *kind)) {
    char names[200] = "";
    for (size_t i = 0; i < r->rig->load_count; i++) {
        if (able(r->rig->loads[i].kind)) {
            size_t used = strlen(names);
            snprintf(names + used, sizeof names - used, "%s%s", used == 0 ? "" : ", ",
                     r->rig->loads[i].name);
        }
    }
    wpin_words_say(&r->line, column, "'%s' can't %s: its stage is a %s%s%s",
                   r->rig->loads[load].name, what, r->rig->loads[load].kind->name,
                   names[0] != '\0' ? "; those that can: " : "; no load of this rig can", names);
}

static bool can_reverse(const wpin_stage_kind *kind) {
    return wpin_stage_kind_has(kind, WPIN_DRIVE_REVERSE);
}

double wpin_plan_take_way(wpin_plan_reader *r, size_t load) {
    unsigned column = wpin_words_column(&r->line);
    if (!wpin_words_take(&r->line, "reverse")) {
        wpin_words_take(&r->line, "forward");
        return 1;
    }
    if (!can_reverse(r->rig->loads[load].kind)) {
        wpin_plan_say_unable(r, load, column, "reverse", can_reverse);
        return 0;
    }
    return -1;
}

/* Whether the rig lets a duty below the start duty pass; says so if not. */
static bool start_allows(wpin_plan_reader *r, const wpin_rig_load *l, double duty,
                         unsigned column) {
    bool kick = l->limits.below == WPIN_BELOW_KICK;
    if (l->limits.below == WPIN_BELOW_REFUSE || (kick && duty < l->limits.drop_out)) {
        wpin_words_say(&r->line, column,
                       "%g %% does not get '%s' moving; expected %g %% or more (start in the rig)",
                       duty * 100 / l->limits.trim, l->name,
                       (kick ? l->limits.drop_out : l->limits.start_duty) * 100 / l->limits.trim);
        return false;
    }
    return true;
}

bool wpin_plan_takes_duty(wpin_plan_reader *r, size_t load, unsigned column) {
    const wpin_rig_load *l = &r->rig->loads[load];
    if (l->axis.there) {
        wpin_words_say(&r->line, column,
                       "the drive of '%s' regulates by itself and takes no duty; expected a "
                       "speed, e.g. '%s run %.3grpm for 2s'",
                       l->name, l->name, l->speed.rated / 2);
    }
    return !l->axis.there;
}

/* Whether a quantity stands next: its unit tells, behind the number or in a word of its own. */
static bool is_next(const wpin_plan_reader *r, wpin_dimension dimension) {
    const wpin_words *line = &r->line;
    size_t at = line->at;
    if (at < line->count && (strcasecmp(line->words[at].text, "reverse") == 0 ||
                             strcasecmp(line->words[at].text, "forward") == 0)) {
        at++;
    }
    double value;
    char why[320], text[2 * sizeof line->words[0].text] = "";
    for (size_t i = at; i < line->count && i < at + 2; i++) {
        strcat(text, line->words[i].text);
        if (wpin_quantity_read(text, dimension, &value, why, sizeof why)) {
            return true;
        }
    }
    return false;
}

/* A number of which nobody knows what it is of, where it might be a speed as well. */
static bool is_bare(wpin_plan_reader *r, const wpin_rig_load *l) {
    if (!l->speed.there || !is_next(r, WPIN_NUMBER) || is_next(r, WPIN_SHARE)) {
        return false;
    }
    const char *text = r->line.words[r->line.at].text;
    wpin_words_say(&r->line, wpin_words_column(&r->line),
                   "'%s' has no unit; expected a speed, e.g. %.3grpm, or a duty, e.g. 40%%", text,
                   l->speed.rated / 2);
    return true;
}

/* [forward|reverse] PERCENT, into a signed fraction. */
static bool take_duty(wpin_plan_reader *r, size_t load, double *duty) {
    const wpin_rig_load *l = &r->rig->loads[load];
    double way = wpin_plan_take_way(r, load), most = l->limits.duty_max;
    unsigned column = wpin_words_column(&r->line);
    if (way == 0 || !wpin_plan_takes_duty(r, load, column) || is_bare(r, l) ||
        !wpin_words_take_quantity(&r->line, WPIN_SHARE, "a duty, e.g. 60%", duty)) {
        return false;
    }
    if (*duty < 0) {
        wpin_words_say(&r->line, column,
                       "a duty is above 0 %%; for the other way write 'reverse %g%%'",
                       *duty * -100);
        return false;
    }
    if (wpin_to_duty(*duty) == 0) {
        wpin_words_say(
            &r->line, column,
            "a duty of 0 %% (or nearly so) is not a motion; to come to rest write '%s stop'",
            l->name);
        return false;
    }
    if (*duty > most) {
        wpin_words_say(&r->line, column, "%g %% is out of range; expected up to %g %%%s",
                       *duty * 100, most * 100, most < 1 ? " (duty-limit in the rig)" : "");
        return false;
    }
    *duty *= l->limits.trim; /* from here on as it reaches the motor */
    if (*duty < l->limits.start_duty && !start_allows(r, l, *duty, column)) {
        return false;
    }
    if (*duty < 1 && !wpin_stage_kind_takes_duty(l->kind)) { /* which takes no trim */
        wpin_words_say(&r->line, column,
                       "'%s' is on a %s, which knows on and off only; expected '%s on' or '%s off'",
                       l->name, l->kind->name, l->name, l->name);
        return false;
    }
    *duty *= way;
    return true;
}

bool wpin_plan_take_speed(wpin_plan_reader *r, size_t load, double *share) {
    const wpin_rig_load *l = &r->rig->loads[load];
    double rpm, way = wpin_plan_take_way(r, load);
    unsigned column = wpin_words_column(&r->line);
    if (way == 0 || !wpin_words_take_quantity(&r->line, WPIN_SPEED, "a speed, e.g. 90rpm", &rpm)) {
        return false;
    }
    if (!l->speed.there) {
        wpin_words_say(&r->line, column,
                       "the speed of '%s' is not regulated; expected a duty, e.g. 60%%, or 'speed' "
                       "and 'encoder' in the rig",
                       l->name);
        return false;
    }
    if (!(rpm > 0) || rpm > l->speed.rated) {
        wpin_words_say(&r->line, column,
                       "%g rpm is out of range; expected above 0 and up to %g rpm (rated speed in "
                       "the rig)",
                       rpm, l->speed.rated);
        return false;
    }
    double least = wpin_rig_least_rpm(r->rig, l);
    if (rpm < least) {
        wpin_words_say(&r->line, column,
                       "%g rpm is out of range; expected %.4g rpm and more: slower the back-emf of "
                       "'%s' is too faint for its zero crossings to lead (zero-crossing: hand-over "
                       "in the rig)",
                       rpm, least, l->name);
        return false;
    }
    *share = way * rpm / l->speed.maximum;
    if (wpin_to_duty(*share) == 0) {
        wpin_words_say(&r->line, column,
                       "%g rpm is too slow to be distinguished from standing still", rpm);
        return false;
    }
    return true;
}

/* A current, or the torque at the output that it makes, into a share of the rated current. */
static bool take_current(wpin_plan_reader *r, size_t load, bool torque, double *share) {
    const wpin_rig_load *l = &r->rig->loads[load];
    double asked, way = wpin_plan_take_way(r, load);
    unsigned column = wpin_words_column(&r->line);
    if (way == 0 ||
        !wpin_words_take_quantity(&r->line, torque ? WPIN_TORQUE : WPIN_CURRENT,
                                  torque ? "a torque, e.g. 0.2Nm" : "a current, e.g. 2A", &asked)) {
        return false;
    }
    if (!l->current.there) {
        wpin_words_say(&r->line, column,
                       l->axis.there
                           ? "the drive of '%s' takes speeds only (mode: velocity in "
                             "the rig); a torque takes mode: profile"
                           : "the current of '%s' is not regulated; expected a duty, e.g. "
                             "60%%, or 'current' in the rig",
                       l->name);
        return false;
    }
    double one = torque ? wpin_rig_torque(l, 1) : 1, least = 0.01, rated = l->current.rated;
    *share = way * asked / one / rated;
    if (!(fabs(*share) >= least) || fabs(*share) > 1 + 1e-9 || asked < 0) {
        wpin_words_say(&r->line, column,
                       "%g %s is out of range; expected %.3g to %.4g %s (rated current in the rig)",
                       asked, torque ? "Nm" : "A", least * rated * one, rated * one,
                       torque ? "Nm" : "A");
        return false;
    }
    return true;
}

bool wpin_plan_take_asked(wpin_plan_reader *r, size_t load, wpin_asked *to) {
    bool torque = is_next(r, WPIN_TORQUE);
    if (torque || is_next(r, WPIN_CURRENT)) {
        to->quantity = WPIN_QUANTITY_TORQUE;
        return take_current(r, load, torque, &to->share);
    }
    bool speed = is_next(r, WPIN_SPEED);
    to->quantity = speed ? WPIN_QUANTITY_SPEED : WPIN_QUANTITY_EFFORT;
    return speed ? wpin_plan_take_speed(r, load, &to->share) : take_duty(r, load, &to->share);
}
