/* The actions on a load: what each verb takes, what the stage can do, and the step it becomes. */
#define _GNU_SOURCE
#include "parts.h"
#include "windpin/host/plain.h"
#include <stdio.h>
#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static bool can_brake(const wpin_stage_kind *kind) {
    return wpin_stage_kind_has(kind, WPIN_DRIVE_BRAKE);
}

static bool can_coast(const wpin_stage_kind *kind) {
    return wpin_stage_kind_has(kind, WPIN_DRIVE_COAST);
}

#define FIRST_MOVE 2.0 /* s: what the guard allows after a fault */

/* Counts a motion against the time that the first move after a fault may last, a rest before it
 * turns over included; says so if it takes longer. */
static void count_first(wpin_plan_reader *r, size_t load, double seconds) {
    const wpin_rig_load *l = &r->rig->loads[load];
    double *left = &r->flow.first[load];
    if (*left <= 0) {
        return;
    }
    if (seconds <= *left) {
        *left = fmax(*left - seconds, 1e-3);
        return;
    }
    char gentle[24] = "20%";
    if (l->speed.there) {
        wpin_plain(gentle, sizeof gentle, "%.2grpm", l->speed.rated / 5);
    }
    wpin_words_say(
        &r->line, r->line.words[1].column,
        "the first move after a fault ends by itself after %g s, and this one takes %.3g "
        "s, what comes before it included; expected a short one first, e.g. '%s run %s for 1s'",
        FIRST_MOVE, seconds + FIRST_MOVE - *left, l->name, gentle);
    *left = 0;
}

static void read_ramp(wpin_plan_reader *r, size_t load) {
    wpin_asked to;
    double seconds = 0;
    if (!wpin_plan_take_asked(r, load, &to) ||
        (wpin_words_take(&r->line, "in") &&
         !wpin_words_take_time(&r->line, WPIN_PLAN_RAMP_MAX, &seconds)) ||
        !wpin_words_no_more(&r->line)) {
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, to.share, seconds, r->line.number);
    count_first(r, load, takes);
    wpin_plan_add_action(r,
                         (wpin_step){.op = WPIN_OP_RUN,
                                     .quantity = to.quantity,
                                     .target = WPIN_MOTOR(load),
                                     .value = wpin_to_duty(to.share),
                                     .ramp_us = wpin_to_us(seconds)},
                         takes);
}

static void run_for(wpin_plan_reader *r, size_t load, wpin_asked to, double seconds) {
    double before = wpin_flow_before(&r->flow, load, to.share);
    double takes = wpin_flow_run(&r->flow, load, to.share, seconds, r->line.number);
    wpin_flow_rests(&r->flow, load, takes);
    count_first(r, load, before + seconds);
    r->flow.first[load] = 0;
    wpin_plan_add_action(r,
                         (wpin_step){.op = WPIN_OP_RUN_FOR,
                                     .quantity = to.quantity,
                                     .target = WPIN_MOTOR(load),
                                     .value = wpin_to_duty(to.share),
                                     .time_ms = wpin_to_ms(seconds)},
                         takes);
}

/* [for] TIME behind a verb, or until EVENT at most TIME. */
static bool take_for(wpin_plan_reader *r, bool required, double *seconds) {
    *seconds = 0;
    if (wpin_words_take(&r->line, "until")) {
        return wpin_plan_take_until(r, seconds);
    }
    bool said = wpin_words_take(&r->line, "for");
    if (!required && !said && wpin_words_peek(&r->line) == NULL) {
        return true;
    }
    return wpin_words_take_time(&r->line, WPIN_HOLD_MAX, seconds) && wpin_words_no_more(&r->line);
}

static void read_run(wpin_plan_reader *r, size_t load) {
    wpin_asked to;
    double seconds;
    if (!wpin_plan_take_asked(r, load, &to)) {
        return;
    }
    const wpin_word *next = wpin_words_peek(&r->line);
    if (next == NULL ||
        (strcasecmp(next->text, "for") != 0 && strcasecmp(next->text, "until") != 0)) {
        wpin_words_say(
            &r->line, wpin_words_column(&r->line),
            "'run' needs how long: expected 'for' and a time, e.g. 'for 3s', or 'until' an "
            "event");
        return;
    }
    if (!take_for(r, true, &seconds)) {
        return;
    }
    run_for(r, load, to, seconds);
}

static void read_hold(wpin_plan_reader *r, size_t load) {
    double seconds;
    const char *name = r->rig->loads[load].name;
    if (r->flow.duty[load] == 0 && !r->flow.unsure[load]) {
        wpin_words_say(
            &r->line, r->line.words[1].column,
            "'%s' is at rest here and has nothing to hold; expected a ramp before it, or "
            "'%s rest %s'",
            name, name, r->line.count > 2 ? r->line.words[r->line.count - 1].text : "2s");
        return;
    }
    if (take_for(r, true, &seconds)) {
        count_first(r, load, seconds);
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_HOLD,
                                         .target = WPIN_MOTOR(load),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

static void read_stop(wpin_plan_reader *r, size_t load) {
    double seconds = 0;
    if ((wpin_words_take(&r->line, "in") &&
         !wpin_words_take_time(&r->line, WPIN_PLAN_RAMP_MAX, &seconds)) ||
        !wpin_words_no_more(&r->line)) {
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, 0, seconds, r->line.number);
    r->flow.first[load] = 0;
    wpin_plan_add_action(
        r,
        (wpin_step){.op = WPIN_OP_STOP, .target = WPIN_MOTOR(load), .ramp_us = wpin_to_us(seconds)},
        takes);
}

/* Of an action that only its time ends. */
static bool refuse_until(wpin_plan_reader *r, const char *verb) {
    bool until = r->until.until != 0;
    r->until = (wpin_step){0};
    if (until) {
        wpin_words_say(&r->line, r->line.words[1].column,
                       "'%s' takes a time; for an event write 'stop', then 'wait until ...'", verb);
    }
    return until;
}

static void read_rest(wpin_plan_reader *r, size_t load) {
    double seconds;
    if (!take_for(r, true, &seconds) || refuse_until(r, "rest")) {
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    wpin_plan_add_action(
        r,
        (wpin_step){.op = WPIN_OP_STOP, .target = WPIN_MOTOR(load), .time_ms = wpin_to_ms(seconds)},
        takes + seconds);
}

static void read_at_once(wpin_plan_reader *r, size_t load, wpin_op op) {
    double seconds;
    if (!take_for(r, false, &seconds)) {
        return;
    }
    wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
    wpin_plan_add_action(
        r,
        (wpin_step){.op = (uint8_t)op, .target = WPIN_MOTOR(load), .time_ms = wpin_to_ms(seconds)},
        seconds);
}

static void read_brake(wpin_plan_reader *r, size_t load) {
    if (can_brake(r->rig->loads[load].kind)) {
        read_at_once(r, load, WPIN_OP_BRAKE);
    } else {
        wpin_plan_say_unable(r, load, r->line.words[1].column, "brake", can_brake);
    }
}

static void read_coast(wpin_plan_reader *r, size_t load) {
    if (can_coast(r->rig->loads[load].kind)) {
        read_at_once(r, load, WPIN_OP_COAST);
    } else {
        wpin_plan_say_unable(r, load, r->line.words[1].column, "coast", can_coast);
    }
}

/* What "on" means for a load: all the duty it may have, or what the rig says. */
static double on_duty(const wpin_plan_reader *r, size_t load) {
    const wpin_rig_limits *l = &r->rig->loads[load].limits;
    return l->trim * (l->on_duty > 0 ? fmin(l->on_duty, l->duty_max) : l->duty_max);
}

/* [forward|reverse], into that duty with its sign; 0 with a message where it can't be asked for. */
static double take_on(wpin_plan_reader *r, size_t load) {
    double way = wpin_plan_take_way(r, load);
    bool takes = way != 0 && wpin_plan_takes_duty(r, load, r->line.words[1].column);
    return takes ? way * on_duty(r, load) : 0;
}

/* on [forward|reverse] [for TIME] */
static void read_on(wpin_plan_reader *r, size_t load) {
    double seconds, duty = take_on(r, load);
    if (duty == 0 || !take_for(r, false, &seconds)) {
        return;
    }
    if (seconds > 0) {
        run_for(r, load, (wpin_asked){.share = duty}, seconds);
        return;
    }
    double takes = wpin_flow_ramp(&r->flow, load, duty, 0, r->line.number);
    wpin_plan_add_action(
        r, (wpin_step){.op = WPIN_OP_RUN, .target = WPIN_MOTOR(load), .value = wpin_to_duty(duty)},
        takes);
}

static void read_pulse(wpin_plan_reader *r, size_t load) {
    double seconds, duty = take_on(r, load);
    if (duty != 0 && take_for(r, true, &seconds)) {
        run_for(r, load, (wpin_asked){.share = duty}, seconds);
    }
}

static void read_toggle(wpin_plan_reader *r, size_t load) {
    double duty = take_on(r, load);
    if (duty == 0 || !wpin_words_no_more(&r->line)) {
        return;
    }
    for (int i = 1; i <= r->flow.depth; i++) { /* in a repeat it ends one way or the other */
        r->flow.unsure[load] |= r->flow.blocks[i].kind == WPIN_BLOCK_REPEAT;
    }
    double to = r->flow.duty[load] == 0 ? duty : 0;
    double takes = wpin_flow_ramp(&r->flow, load, to, 0, r->line.number);
    wpin_plan_add_action(
        r,
        (wpin_step){.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(load), .value = wpin_to_duty(duty)},
        takes);
}

/* [up to DUTY|SPEED|CURRENT|TORQUE]: what the input's full effort stands for; without it a duty. */
static bool take_full(wpin_plan_reader *r, size_t load, const char *input, wpin_asked *full) {
    const wpin_rig_load *l = &r->rig->loads[load];
    unsigned column = wpin_words_column(&r->line);
    *full = (wpin_asked){0};
    if (wpin_words_take(&r->line, "up")) {
        if (!wpin_words_take(&r->line, "to")) {
            wpin_words_say(&r->line, wpin_words_column(&r->line),
                           "'up' needs 'to' and the most it may be, e.g. 'up to 60%%'");
            return false;
        }
        return wpin_plan_take_asked(r, load, full);
    }
    if (l->axis.there) {
        wpin_words_say(&r->line, column,
                       "the drive of '%s' regulates by itself and takes no duty; expected e.g. "
                       "'%s follow %s up to %.3grpm for 20s'",
                       l->name, l->name, input, l->speed.rated / 2);
        return false;
    }
    full->share = l->limits.trim < 1 ? l->limits.trim : 0;
    return wpin_plan_takes_duty(r, load, column);
}

/* follow INPUT [up to ...] for TIME */
static void read_follow(wpin_plan_reader *r, size_t load) {
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *w = wpin_words_peek(&r->line);
    int input = w == NULL ? -1 : wpin_rig_find_input(r->rig, w->text);
    if (input < 0 || r->rig->inputs[input].kind == WPIN_RIG_LIMIT) {
        wpin_words_say(
            &r->line, column,
            "follow what? expected a knob, a sensor, a button or a pair of buttons of the rig");
        return;
    }
    r->line.at++;
    wpin_asked full;
    double seconds;
    if (!take_full(r, load, r->rig->inputs[input].name, &full)) {
        return;
    }
    if (wpin_words_peek(&r->line) == NULL) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "'follow' needs how long: expected 'for' and a time, e.g. 'for 20s'");
    } else if (take_for(r, true, &seconds)) {
        double stops = r->rig->loads[load].limits.ramp_down;
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_FOLLOW,
                                         .quantity = full.quantity,
                                         .target = WPIN_MOTOR(load),
                                         .value = (int16_t)input,
                                         .full = wpin_to_duty(full.share),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds + stops);
    }
}

static bool can_calibrate(const wpin_stage_kind *kind) {
    return wpin_logic_of(kind->logic)->pulses;
}

/* calibrate for TIME: full pulses for a controller that is powered up meanwhile, then neutral. */
static void read_calibrate(wpin_plan_reader *r, size_t load) {
    double seconds;
    if (!can_calibrate(r->rig->loads[load].kind)) {
        wpin_plan_say_unable(r, load, r->line.words[1].column, "be calibrated", can_calibrate);
    } else if (take_for(r, true, &seconds) && !refuse_until(r, "calibrate")) {
        wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_CALIBRATE,
                                         .target = WPIN_MOTOR(load),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

static void read_hold_place(wpin_plan_reader *r, size_t load) {
    double seconds;
    if (take_for(r, true, &seconds)) {
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_HOLD,
                                         .target = WPIN_MOTOR(load),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

static void read_release(wpin_plan_reader *r, size_t load) {
    if (wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(r, (wpin_step){.op = WPIN_OP_COAST, .target = WPIN_MOTOR(load)}, 0);
    }
}

/* Whether what is read is done over and over, with nobody to look at it. */
static bool is_forever(const wpin_plan_reader *r) {
    for (int i = 1; i <= r->flow.depth; i++) {
        if (r->flow.blocks[i].kind == WPIN_BLOCK_REPEAT && r->flow.blocks[i].forever) {
            return true;
        }
    }
    return false;
}

/* clear at most TIME */
static void read_clear(wpin_plan_reader *r, size_t load) {
    double seconds;
    const char *name = r->rig->loads[load].name;
    unsigned column = r->line.words[1].column;
    if (r->alone) {
        wpin_words_say(&r->line, column, "by hand it is 'clear %s', then 'arm %s'", name, name);
    } else if (is_forever(r)) {
        wpin_words_say(&r->line, column,
                       "a fault can't be cleared over and over without anybody who looks; expected "
                       "a number of rounds for the repeat around it");
    } else if (wpin_plan_take_at_most(r, &seconds)) {
        wpin_flow_ramp(&r->flow, load, 0, 0, r->line.number);
        wpin_flow_rests(&r->flow, load, seconds); /* it may be as quick as nothing */
        r->flow.first[load] = FIRST_MOVE;
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_CLEAR,
                                         .target = WPIN_MOTOR(load),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

typedef struct verb {
    const char *word;
    void (*read)(wpin_plan_reader *r, size_t load);
} verb;

static const verb verbs[] = {{"ramp", read_ramp},
                             {"run", read_run},
                             {"hold", read_hold},
                             {"stop", read_stop},
                             {"rest", read_rest},
                             {"brake", read_brake},
                             {"coast", read_coast},
                             {"on", read_on},
                             {"off", read_stop},
                             {"pulse", read_pulse},
                             {"toggle", read_toggle},
                             {"follow", read_follow},
                             {"calibrate", read_calibrate},
                             {"clear", read_clear},
                             {"turn", wpin_plan_read_turn_motor},
                             {"zero", wpin_plan_read_zero},
                             {"home", wpin_plan_read_home}};

/* What a stepper takes. */
static const verb stepper_verbs[] = {{"turn", wpin_plan_read_turn},
                                     {"hold", read_hold_place},
                                     {"stop", read_stop},
                                     {"clear", read_clear},
                                     {"release", read_release}};

bool wpin_plan_knows_verb(const wpin_plan_reader *r, size_t load, const char *word) {
    bool stepper = wpin_rig_type(&r->rig->loads[load])->steps;
    const verb *own = stepper ? stepper_verbs : verbs;
    for (size_t i = 0; i < (stepper ? COUNT(stepper_verbs) : COUNT(verbs)); i++) {
        if (strcasecmp(word, own[i].word) == 0) {
            return true;
        }
    }
    return false;
}

void wpin_plan_read_verb(wpin_plan_reader *r, size_t load) {
    const char *known[COUNT(verbs)];
    bool stepper = wpin_rig_type(&r->rig->loads[load])->steps;
    const verb *own = stepper ? stepper_verbs : verbs;
    size_t count = stepper ? COUNT(stepper_verbs) : COUNT(verbs);
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *w = wpin_words_peek(&r->line);
    for (size_t i = 0; i < count; i++) {
        known[i] = own[i].word;
        if (wpin_words_take(&r->line, own[i].word)) {
            wpin_plan_claim(r, load);
            size_t mistakes = r->line.messages->count;
            own[i].read(r, load);
            r->flow.unsure[load] |= r->line.messages->count != mistakes;
            return;
        }
    }
    if (w == NULL) {
        wpin_words_say(&r->line, column, "'%s' what? expected an action, e.g. '%s %s'",
                       r->rig->loads[load].name, r->rig->loads[load].name,
                       stepper ? "turn 90deg" : "run 60% for 3s");
        return;
    }
    if (wpin_new_word(w->text) != NULL) {
        wpin_words_say(&r->line, column, "'%s' is called '%s' now", w->text,
                       wpin_new_word(w->text));
        return;
    }
    wpin_plan_say_unknown(r, column, stepper ? "action of a stepper" : "action", w->text, known,
                          count);
}
