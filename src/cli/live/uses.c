/* What each key does: the chosen row, staged values, and requests. */
#define _GNU_SOURCE
#include "panel.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* ---- the chosen row ---- */

static live_row chosen(const live_panel *p) {
    return p->rows[p->chosen];
}

static const wpin_rig_load *chosen_load(const live_panel *p) {
    live_row row = chosen(p);
    return row.kind == LIVE_ROW_LOAD ? &p->hands->rig->loads[row.number] : NULL;
}

/* The line that asks a load for a value in its unit. */
static void line_of(const live_panel *p, size_t number, double value, char *to, size_t size) {
    const wpin_rig_load *load = &p->hands->rig->loads[number];
    wpin_live_asks u = wpin_live_unit(p->hands->rig, number);
    const char *way = value < 0 ? "reverse " : "";
    if (u.unit[0] == '\0') {
        snprintf(to, size, "%s %s%s", load->name, value == 0 ? "off" : "on",
                 value < 0 ? " reverse" : "");
    } else if (wpin_rig_type(load)->steps) {
        wpin_plain(to, size, "%s turn %s%.6g%s", load->name, way, fabs(value), u.unit);
    } else if (value == 0) {
        snprintf(to, size, "%s stop", load->name);
    } else {
        wpin_plain(to, size, "%s ramp %s%.6g%s", load->name, way, fabs(value), u.unit);
    }
}

/* What a load is asked for now, in its unit. */
static double asked_now(const live_panel *p, size_t number) {
    wpin_glance g = wpin_session_look(p->hands->session, number);
    wpin_live_asks u = wpin_live_unit(p->hands->rig, number);
    bool speed = strcmp(u.unit, "rpm") == 0;
    if (speed != (g.quantity == WPIN_QUANTITY_SPEED) || strcmp(u.unit, "deg") == 0) {
        return 0;
    }
    double value = speed ? g.setpoint : u.unit[0] == '\0' ? g.setpoint : g.setpoint * 100;
    return u.step * round(value / u.step);
}

/* So many steps on, over what can't be asked. */
static double moved(double from, double steps, wpin_live_asks u) {
    double to = from + steps * u.step;
    if (fabs(to) < u.least) {
        to = fabs(to) > fabs(from) ? copysign(u.least, to) : 0;
    }
    return fmax(u.both ? -u.most : 0, fmin(u.most, to));
}

static void stage_by(live_panel *p, double steps) {
    live_row row = chosen(p);
    wpin_live_asks u = wpin_live_unit(p->hands->rig, row.number);
    double from = isnan(p->staged[row.number]) ? asked_now(p, row.number) : p->staged[row.number];
    p->staged[row.number] = moved(from, steps, u);
    live_panel_show(p, true, "staged: g does it, x drops it");
}

/* A knob, a sensor or a button by the hand of the keys. */
static void move_input(live_panel *p, double steps) {
    size_t number = chosen(p).number;
    const wpin_rig_input *input = &p->hands->rig->inputs[number];
    double volts = p->hands->rig->controller.logic_volts;
    if (input->kind == WPIN_RIG_KNOB) {
        p->turned[number] = fmax(0, fmin(1, p->turned[number] + steps * 0.05));
        live_panel_ask_f(p, "%s turn %.0f%%", input->name, p->turned[number] * 100);
    } else if (wpin_rig_is_sensor(input)) {
        p->turned[number] = fmax(0, fmin(volts, p->turned[number] + steps * 0.1));
        live_panel_ask_f(p, "%s set %.2fV", input->name, p->turned[number]);
    } else if (input->kind == WPIN_RIG_BUTTON) {
        if (live_panel_ask_f(p, "%s %s", input->name, steps > 0 ? "press" : "release")) {
            p->pressed[number] = steps > 0;
        }
    } else {
        live_panel_show(p, false, "its load moves that one");
    }
}

static void change_by(live_panel *p, double steps) {
    live_row row = chosen(p);
    switch (row.kind) {
    case LIVE_ROW_LOAD: stage_by(p, steps); break;
    case LIVE_ROW_SUPPLY:
        live_panel_ask_f(p, "%s %s", p->hands->rig->supplies[row.number].name,
                         steps > 0 ? "on" : "off");
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
    wpin_live_asks u = wpin_live_unit(p->hands->rig, row.number);
    double to = moved(asked_now(p, row.number), steps, u);
    p->staged[row.number] = NAN;
    line_of(p, row.number, to, line, sizeof line);
    live_panel_ask(p, line);
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
        live_panel_show(p, false, "nothing is staged here: left and right do that");
        return;
    }
    line_of(p, row.number, p->staged[row.number], line, sizeof line);
    p->staged[row.number] = NAN;
    live_panel_ask_first(p, line);
}

void live_panel_drop(live_panel *p) {
    for (size_t i = 0; i < p->hands->rig->load_count; i++) {
        p->staged[i] = NAN;
    }
    live_panel_show(p, true, "nothing is staged");
}

static void reverse(live_panel *p) {
    live_row row = chosen(p);
    if (row.kind != LIVE_ROW_LOAD) {
        live_panel_show(p, false, "only a load has another way");
        return;
    }
    bool staged = !isnan(p->staged[row.number]);
    double value = staged ? p->staged[row.number] : asked_now(p, row.number);
    if (value == 0) {
        live_panel_show(p, false, "it is asked for nothing that could be reversed");
        return;
    }
    p->staged[row.number] = -value;
    live_panel_show(p, true, "staged the other way: g does it, x drops it");
}

static void on_chosen(live_panel *p, const char *verb) {
    const wpin_rig_load *load = chosen_load(p);
    if (load == NULL) {
        live_panel_show(p, false, "choose a load first: up and down do that");
    } else {
        p->staged[chosen(p).number] = NAN;
        live_panel_ask_f(p, "%s %s", load->name, verb);
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
    live_panel_ask(p, "arm");
}

static void disarm(live_panel *p) {
    live_panel_ask(p, "disarm");
}

static void clear(live_panel *p) {
    live_panel_ask(p, "clear");
}

static void rearm(live_panel *p) {
    live_panel_ask(p, "rearm");
}

static void type(live_panel *p) {
    p->typing = true;
    p->length = 0;
    p->line[0] = '\0';
    live_panel_show(p, true, "a request, e.g. an action of the plan language; Enter does it");
}

static void take_over(live_panel *p) {
    live_panel_ask(p, wpin_live_commander(p->hands->live) == p->source ? "watch" : "command over");
}

static void plan(live_panel *p) {
    if (wpin_session_progress(p->hands->session).running) {
        live_panel_ask(p, "plan stop");
        return;
    }
    const wpin_plan *offered = wpin_live_plan(p->hands->live);
    if (offered == NULL) {
        live_panel_ask(p, "plan");
        return;
    }
    snprintf(p->line, sizeof p->line, "plan run");
    p->asking = true;
    wpin_plain(p->said, sizeof p->said,
               "The whole plan, about %.3g s: y runs it, any other key does not", offered->seconds);
    p->said_well = true;
}

static void first(live_panel *p) {
    const wpin_rig_load *load = chosen_load(p);
    if (load == NULL) {
        live_panel_show(p, false, "choose a load first: up and down do that");
        return;
    }
    p->staged[chosen(p).number] = NAN;
    snprintf(p->line, sizeof p->line, "first %s", load->name);
    p->asking = true;
    snprintf(p->said, sizeof p->said,
             "First motion of '%s', gently, each way it can: is its shaft free, are hands off? y "
             "does it, any other key does not",
             load->name);
    p->said_well = true;
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

void live_panel_stop(live_panel *p) {
    live_panel_ask(p, "stop");
    live_panel_drop(p);
    live_panel_show(p, false, "STOPPED. When all is safe: R re-arms, a arms the loads");
}

static const live_key_use uses[] = {
    {' ', "Space Esc", "STOP everything", live_panel_stop},
    {LIVE_KEY_UP, "Up", "choose", up},
    {LIVE_KEY_DOWN, "Down", "choose", down},
    {LIVE_KEY_LEFT, "Left", "stage less", left},
    {LIVE_KEY_RIGHT, "Right", "stage more", right},
    {'g', "g", "go: do what is staged", go},
    {'x', "x", "drop what is staged", live_panel_drop},
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
    {'f', "f", "first motion of this load", first},
    {'p', "p", "run the plan, or end it", plan},
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
