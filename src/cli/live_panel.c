/* Keys to requests: every one goes the way of a line, so each rule holds for it too. */
#define _GNU_SOURCE
#include "live_panel.h"
#include "live_confirmed.h"
#include <ctype.h>
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static const wpin_rig *rig_of(const live_panel *p) {
    return p->hands->rig;
}

static wpin_live *live_of(const live_panel *p) {
    return p->hands->live;
}

/* ---- asking ---- */

static void show(live_panel *p, bool well, const char *words) {
    p->said_well = well;
    snprintf(p->said, sizeof p->said, "%s", words);
}

static bool ask(live_panel *p, const char *line) {
    wpin_live_answer answer;
    bool ok = wpin_live_ask(live_of(p), p->source, line, &answer);
    show(p, ok, answer.words);
    return ok;
}

__attribute__((format(printf, 2, 3))) static bool ask_f(live_panel *p, const char *format, ...) {
    char line[WPIN_LIVE_LINE];
    va_list list;
    va_start(list, format);
    vsnprintf(line, sizeof line, format, list);
    va_end(list);
    return ask(p, line);
}

/* Shows what a line comes to; a large one is asked about first, the other done. */
static void ask_first(live_panel *p, const char *line) {
    wpin_live_answer foreseen;
    bool action = wpin_live_foresee(live_of(p), line, &foreseen);
    if (action && foreseen.large) {
        snprintf(p->line, sizeof p->line, "%s", line);
        p->length = strlen(p->line);
        p->asking = true;
        snprintf(p->said, sizeof p->said, "%.240s. A large move: y does it, any other key does not",
                 foreseen.words);
        p->said_well = true;
        return;
    }
    if (ask(p, line) && action) {
        show(p, true, foreseen.words);
    }
}

/* ---- the chosen row ---- */

static live_row chosen(const live_panel *p) {
    return p->rows[p->chosen];
}

static const wpin_rig_load *chosen_load(const live_panel *p) {
    live_row row = chosen(p);
    return row.kind == LIVE_ROW_LOAD ? &rig_of(p)->loads[row.number] : NULL;
}

/* The line that asks a load for a value in its unit. */
static void line_of(const live_panel *p, size_t number, double value, char *to, size_t size) {
    const wpin_rig_load *load = &rig_of(p)->loads[number];
    wpin_live_asks u = wpin_live_unit(rig_of(p), number);
    const char *way = value < 0 ? "reverse " : "";
    if (u.unit[0] == '\0') {
        snprintf(to, size, "%s %s%s", load->name, value == 0 ? "off" : "on",
                 value < 0 ? " reverse" : "");
    } else if (wpin_rig_type(load)->steps) {
        snprintf(to, size, "%s turn %s%.6g%s", load->name, way, fabs(value), u.unit);
    } else if (value == 0) {
        snprintf(to, size, "%s stop", load->name);
    } else {
        snprintf(to, size, "%s ramp %s%.6g%s", load->name, way, fabs(value), u.unit);
    }
}

/* What a load is asked for now, in its unit. */
static double asked_now(const live_panel *p, size_t number) {
    wpin_glance g = wpin_session_look(p->hands->session, number);
    wpin_live_asks u = wpin_live_unit(rig_of(p), number);
    bool speed = strcmp(u.unit, "rpm") == 0;
    if (speed != (g.quantity == WPIN_QUANTITY_SPEED) || strcmp(u.unit, "deg") == 0) {
        return 0;
    }
    double value = speed ? g.setpoint : u.unit[0] == '\0' ? g.setpoint : g.setpoint * 100;
    return u.step * round(value / u.step);
}

static double held_within(double value, double most) {
    return fmax(-most, fmin(most, value));
}

static void stage_by(live_panel *p, double steps) {
    live_row row = chosen(p);
    wpin_live_asks u = wpin_live_unit(rig_of(p), row.number);
    double from = isnan(p->staged[row.number]) ? asked_now(p, row.number) : p->staged[row.number];
    p->staged[row.number] = held_within(from + steps * u.step, u.most);
    show(p, true, "staged: g does it, x drops it");
}

/* A knob, a sensor or a button by the hand of the keys. */
static void move_input(live_panel *p, double steps) {
    size_t number = chosen(p).number;
    const wpin_rig_input *input = &rig_of(p)->inputs[number];
    double volts = rig_of(p)->controller.logic_volts;
    if (input->kind == WPIN_RIG_KNOB) {
        p->turned[number] = fmax(0, fmin(1, p->turned[number] + steps * 0.05));
        ask_f(p, "%s turn %.0f%%", input->name, p->turned[number] * 100);
    } else if (wpin_rig_is_sensor(input)) {
        p->turned[number] = fmax(0, fmin(volts, p->turned[number] + steps * 0.1));
        ask_f(p, "%s set %.2fV", input->name, p->turned[number]);
    } else if (input->kind == WPIN_RIG_BUTTON) {
        if (ask_f(p, "%s %s", input->name, steps > 0 ? "press" : "release")) {
            p->pressed[number] = steps > 0;
        }
    } else {
        show(p, false, "its load moves that one");
    }
}

static void change_by(live_panel *p, double steps) {
    live_row row = chosen(p);
    switch (row.kind) {
    case LIVE_ROW_LOAD: stage_by(p, steps); break;
    case LIVE_ROW_SUPPLY:
        ask_f(p, "%s %s", rig_of(p)->supplies[row.number].name, steps > 0 ? "on" : "off");
        break;
    case LIVE_ROW_INPUT: move_input(p, steps); break;
    }
}

/* At once, from what it is asked for now. */
static void nudge(live_panel *p, double steps) {
    live_row row = chosen(p);
    char line[WPIN_LIVE_LINE];
    if (row.kind != LIVE_ROW_LOAD) {
        change_by(p, steps);
        return;
    }
    wpin_live_asks u = wpin_live_unit(rig_of(p), row.number);
    double to = held_within(asked_now(p, row.number) + steps * u.step, u.most);
    p->staged[row.number] = NAN;
    line_of(p, row.number, to, line, sizeof line);
    ask(p, line);
}

/* ---- keys ---- */

static void up(live_panel *p) {
    p->chosen = (p->chosen + p->row_count - 1) % p->row_count;
}

static void down(live_panel *p) {
    p->chosen = (p->chosen + 1) % p->row_count;
}

static void left(live_panel *p) {
    change_by(p, -1);
}

static void right(live_panel *p) {
    change_by(p, 1);
}

static void more(live_panel *p) {
    nudge(p, 1);
}

static void less(live_panel *p) {
    nudge(p, -1);
}

static void go(live_panel *p) {
    live_row row = chosen(p);
    char line[WPIN_LIVE_LINE];
    if (row.kind != LIVE_ROW_LOAD || isnan(p->staged[row.number])) {
        show(p, false, "nothing is staged here: left and right do that");
        return;
    }
    line_of(p, row.number, p->staged[row.number], line, sizeof line);
    p->staged[row.number] = NAN;
    ask_first(p, line);
}

static void drop(live_panel *p) {
    for (size_t i = 0; i < rig_of(p)->load_count; i++) {
        p->staged[i] = NAN;
    }
    show(p, true, "nothing is staged");
}

static void reverse(live_panel *p) {
    live_row row = chosen(p);
    if (row.kind != LIVE_ROW_LOAD) {
        show(p, false, "only a load has another way");
        return;
    }
    bool staged = !isnan(p->staged[row.number]);
    double value = staged ? p->staged[row.number] : asked_now(p, row.number);
    if (value == 0) {
        show(p, false, "it is asked for nothing that could be reversed");
        return;
    }
    p->staged[row.number] = -value;
    show(p, true, "staged the other way: g does it, x drops it");
}

static void on_chosen(live_panel *p, const char *verb) {
    const wpin_rig_load *load = chosen_load(p);
    if (load == NULL) {
        show(p, false, "choose a load first: up and down do that");
    } else {
        p->staged[chosen(p).number] = NAN;
        ask_f(p, "%s %s", load->name, verb);
    }
}

static void ramp_down(live_panel *p) {
    on_chosen(p, "stop");
}

static void brake(live_panel *p) {
    on_chosen(p, "brake");
}

static void coast(live_panel *p) {
    bool steps = chosen_load(p) != NULL && wpin_rig_type(chosen_load(p))->steps;
    on_chosen(p, steps ? "release" : "coast");
}

static void arm(live_panel *p) {
    ask(p, "arm");
}

static void disarm(live_panel *p) {
    ask(p, "disarm");
}

static void clear(live_panel *p) {
    ask(p, "clear");
}

static void rearm(live_panel *p) {
    ask(p, "rearm");
}

static void type(live_panel *p) {
    p->typing = true;
    p->length = 0;
    p->line[0] = '\0';
    show(p, true, "a request, e.g. an action of the plan language; Enter does it");
}

static void take_over(live_panel *p) {
    ask(p, wpin_live_commander(live_of(p)) == p->source ? "watch" : "command over");
}

static void change_view(live_panel *p) {
    p->plot = !p->plot;
}

static void help(live_panel *p) {
    p->page = LIVE_HELP;
}

static void quit(live_panel *p) {
    p->quit = true;
}

static void stop(live_panel *p) {
    ask(p, "stop");
    drop(p);
    show(p, false, "STOPPED. When all is safe: R re-arms, a arms the loads");
}

static const live_key_use uses[] = {
    {' ', "Space Esc", "STOP everything", stop},
    {LIVE_KEY_UP, "Up", "choose", up},
    {LIVE_KEY_DOWN, "Down", "choose", down},
    {LIVE_KEY_LEFT, "Left", "stage less", left},
    {LIVE_KEY_RIGHT, "Right", "stage more", right},
    {'g', "g", "go: do what is staged", go},
    {'x', "x", "drop what is staged", drop},
    {'+', "+", "more at once", more},
    {'-', "-", "less at once", less},
    {'r', "r", "stage the other direction", reverse},
    {'s', "s", "ramp this load to rest", ramp_down},
    {'b', "b", "brake it", brake},
    {'c', "c", "let it coast", coast},
    {'a', "a", "arm every load", arm},
    {'d', "d", "disarm every load", disarm},
    {'C', "C", "clear faults", clear},
    {'R', "R", "re-arm after a stop", rearm},
    {'\r', "Enter", "type a request", type},
    {'\t', "Tab", "messages or plot", change_view},
    {'t', "t", "take or leave the command", take_over},
    {'?', "?", "help", help},
    {'q', "q", "quit, everything at rest", quit},
};

const live_key_use *live_key_uses(size_t *count) {
    *count = COUNT(uses);
    return uses;
}

/* ---- what keys mean where ---- */

static void type_key(live_panel *p, int key) {
    wpin_live_answer foreseen;
    if (key == '\r' || key == '\n') {
        p->typing = false;
        char line[WPIN_LIVE_LINE];
        snprintf(line, sizeof line, "%s", p->line);
        ask_first(p, line);
        return;
    }
    if ((key == 127 || key == 8) && p->length > 0) {
        p->line[--p->length] = '\0';
    } else if (key == 21) { /* Ctrl-U */
        p->line[p->length = 0] = '\0';
    } else if (key >= ' ' && key < 127 && p->length + 1 < sizeof p->line) {
        p->line[p->length++] = (char)key;
        p->line[p->length] = '\0';
    }
    if (wpin_live_foresee(live_of(p), p->line, &foreseen)) {
        show(p, true, foreseen.words);
    } else {
        show(p, true, "");
    }
}

static void answer_key(live_panel *p, int key) {
    p->asking = false;
    if (key == 'y' || key == 'Y') {
        ask(p, p->line);
    } else {
        show(p, true, "not done");
    }
}

static void check_key(live_panel *p, int key) {
    if (key == 'y' || key == 'Y') {
        ask(p, "confirm");
        live_confirm_rig(rig_of(p));
        p->page = LIVE_DRIVE;
        show(p, true, "a arms the loads; supplies are rows below them");
    } else if (key == 'q' || key == 3) {
        p->quit = true;
    } else if (key != LIVE_KEY_NONE) {
        p->page = LIVE_DRIVE;
        show(p, false, "not confirmed: nothing can be armed (type: confirm)");
    }
}

static void drive_key(live_panel *p, int key) {
    key = key == '\n' || key == ':' ? '\r' : key == '=' ? '+' : key == '_' ? '-' : key;
    for (size_t i = 0; i < COUNT(uses); i++) {
        if (uses[i].key == key) {
            uses[i].press(p);
            return;
        }
    }
    show(p, false, "that key does nothing; ? lists them");
}

void live_panel_key(live_panel *p, int key, double now) {
    double tick = rig_of(p)->controller.tick;
    p->key_at = now;
    p->pins_at = (floor(wpin_session_time(p->hands->session) / tick) + 1) * tick;
    if (key == LIVE_KEY_ESCAPE || (key == ' ' && !p->typing)) {
        p->typing = p->asking = false;
        stop(p);
    } else if (key == 3 || key == 4) { /* Ctrl-C, Ctrl-D */
        p->quit = true;
    } else if (p->typing) {
        type_key(p, key);
    } else if (p->asking) {
        answer_key(p, key);
    } else if (p->page == LIVE_CHECKLIST) {
        check_key(p, key);
    } else if (p->page == LIVE_HELP) {
        p->page = LIVE_DRIVE;
    } else {
        drive_key(p, key);
    }
}

void live_panel_went_on(live_panel *p, double now) {
    if (p->key_at > 0 && wpin_session_time(p->hands->session) > p->pins_at) {
        p->latency = now - p->key_at;
        p->slowest = fmax(p->slowest, p->latency);
        p->key_at = 0;
    }
}

static live_sample sample_of(live_panel *p, size_t i) {
    wpin_glance g = wpin_session_look(p->hands->session, i);
    const wpin_rig_load *load = &rig_of(p)->loads[i];
    bool measured = !isnan(g.measured_rpm), speed = load->speed.there && measured;
    double rpm = measured ? g.measured_rpm : g.rpm;
    bool turns = wpin_rig_type(load)->turns && (g.knows || measured);
    p->highest[i] = fmaxf(p->highest[i], (float)fabs(rpm));
    double asked = g.quantity == WPIN_QUANTITY_POSITION ? 0 : g.setpoint;
    asked = g.quantity == WPIN_QUANTITY_TORQUE ? asked / load->current.rated : asked;
    bool in_rpm = g.quantity == WPIN_QUANTITY_SPEED;
    return (live_sample){.asked = (float)(in_rpm ? asked / load->speed.rated : asked),
                         .actual = (float)(in_rpm && speed ? rpm / load->speed.rated : g.duty),
                         .height = !turns              ? (float)fabs(g.duty)
                                   : p->highest[i] > 0 ? (float)fabs(rpm) / p->highest[i]
                                                       : 0,
                         .at = (float)wpin_session_time(p->hands->session)};
}

void live_panel_sample(live_panel *p) {
    p->history_at = (p->history_at + 1) % LIVE_HISTORY;
    p->history_count += p->history_count < LIVE_HISTORY;
    for (size_t i = 0; i < rig_of(p)->load_count; i++) {
        p->history[i][p->history_at] = sample_of(p, i);
    }
}

/* ---- open and close ---- */

static void list_rows(live_panel *p) {
    const wpin_rig *rig = rig_of(p);
    for (size_t i = 0; i < rig->load_count; i++) {
        p->rows[p->row_count++] = (live_row){LIVE_ROW_LOAD, i};
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        if (rig->supplies[i].from < 0) {
            p->rows[p->row_count++] = (live_row){LIVE_ROW_SUPPLY, i};
        }
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].kind != WPIN_RIG_PAIR) {
            p->rows[p->row_count++] = (live_row){LIVE_ROW_INPUT, i};
        }
    }
}

bool live_panel_open(live_panel *p, cli_hands *hands) {
    const wpin_rig *rig = hands->rig;
    *p = (live_panel){.hands = hands, .source = wpin_live_join(hands->live, "the terminal")};
    p->rows = calloc(rig->load_count + rig->supply_count + rig->input_count, sizeof *p->rows);
    p->staged = calloc(rig->load_count, sizeof *p->staged);
    p->history = calloc(rig->load_count, sizeof *p->history);
    p->highest = calloc(rig->load_count, sizeof *p->highest);
    p->turned = calloc(rig->input_count + 1, sizeof *p->turned);
    p->pressed = calloc(rig->input_count + 1, sizeof *p->pressed);
    p->checklist = wpin_checklist(rig);
    bool room = p->source >= 0 && p->rows != NULL && p->staged != NULL && p->history != NULL &&
                p->highest != NULL && p->turned != NULL && p->pressed != NULL &&
                p->checklist != NULL;
    if (!room) {
        live_panel_close(p);
        return false;
    }
    list_rows(p);
    drop(p);
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *input = &rig->inputs[i];
        bool knob = input->kind == WPIN_RIG_KNOB;
        p->turned[i] = knob ? input->volts / rig->controller.logic_volts : input->volts;
    }
    ask(p, "command");
    p->known = live_rig_was_confirmed(rig);
    p->page = wpin_live_is_confirmed(hands->live) ? LIVE_DRIVE : LIVE_CHECKLIST;
    show(p, true, "a arms the loads; ? lists the keys");
    return true;
}

void live_panel_close(live_panel *p) {
    if (p->source >= 0) {
        wpin_live_leave(live_of(p), p->source);
    }
    wpin_lines_free(p->checklist);
    free(p->rows);
    free(p->staged);
    free(p->history);
    free(p->highest);
    free(p->turned);
    free(p->pressed);
}
