/* Draws a session on a terminal. */
#define _GNU_SOURCE
#include "view.h"
#include "draw.h"
#include "windpin/host/plain.h"
#include "windpin/host/trace.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* ---- the top ---- */

static void draw_top(const live_panel *p) {
    const wpin_live *live = p->hands->live;
    double at = wpin_session_time(p->hands->session);
    int commander = wpin_live_commander(live);
    char right[120], left[200];
    wpin_plain(left, sizeof left, " %s, %s   %02d:%04.1f", p->hands->rig->name,
               p->hands->real ? "REAL PINS" : "simulated", (int)(at / 60), fmod(at, 60));
    snprintf(right, sizeof right, "command: %s ",
             commander == p->source ? "here"
             : commander < 0        ? "nobody"
                                    : wpin_live_name(live, commander));
    live_put(0, 0, A_REVERSE, "%-*s", COLS, left);
    live_put(0, COLS - (int)strlen(right), A_REVERSE, "%s", right);
    bool stopped = wpin_session_is_stopped(p->hands->session);
    bool armed = false;
    for (size_t i = 0; i < p->hands->rig->load_count; i++) {
        armed = armed || wpin_session_look(p->hands->session, i).armed;
    }
    live_put(1, 1,
             stopped ? live_look(LIVE_WRONG) | A_REVERSE
             : armed ? live_look(LIVE_REMARK)
                     : live_look(LIVE_PLAIN),
             "%s",
             stopped ? " STOPPED "
             : armed ? "ARMED"
                     : "not armed");
    live_put(1, 14, live_look(LIVE_FAINT),
             "key to pins %.1f ms, at worst %.1f; periods late by %.2g ms", p->latency * 1e3,
             p->slowest * 1e3, wpin_pace_p99(&p->hands->pace) * 1e3);
}

/* Where the plan is, and how far. */
static void draw_progress(const live_panel *p, int y) {
    const wpin_plan *plan = wpin_live_plan(p->hands->live);
    wpin_progress at = wpin_session_progress(p->hands->session);
    const char *text = "";
    if (plan == NULL) {
        return;
    }
    for (size_t i = 0; i < plan->step_count; i++) {
        bool this = plan->sources[i].line == at.line && plan->sources[i].text[0] != '\0';
        text = this ? plan->sources[i].text : text;
    }
    if (at.running) {
        live_put(y, 1, live_look(LIVE_GOOD), "plan: %.1f of about %.3g s, line %u: %s", at.at,
                 plan->seconds, at.line, text);
    } else {
        live_put(y, 1, live_look(LIVE_FAINT), "p runs the plan, about %.3g s", plan->seconds);
    }
}

/* ---- loads ---- */

/* Columns from the left; those that do not fit are left out, the last first. */
enum {
    NAME = 1,
    STATE = 13,
    ASKED = 22,
    DUTY = 32,
    SPEED = 40,
    AMPS = 53,
    VOLTS = 63,
    TEMP = 71,
    BAR = 81
};

static void draw_heads(int y) {
    static const struct {
        int x;
        const char *words;
    } heads[] = {{NAME, "load"},     {STATE, "state"},        {ASKED, "asked"},
                 {DUTY, "   duty"},  {SPEED, "       speed"}, {AMPS, "  current"},
                 {VOLTS, " supply"}, {TEMP, "    temp"},      {BAR, "history"}};
    for (size_t i = 0; i < sizeof heads / sizeof *heads; i++) {
        if (heads[i].x + (int)strlen(heads[i].words) <= COLS) {
            live_put(y, heads[i].x, A_UNDERLINE, "%s", heads[i].words);
        }
    }
}

/* A value that only the simulated hardware knows stands in brackets. */
static void put_value(int y, int x, int width, bool measured, double value, const char *format,
                      const char *unit) {
    char number[32], text[48];
    snprintf(number, sizeof number, format, value);
    snprintf(text, sizeof text, measured ? "%s %s" : "(%s) %s", number, unit);
    if (x + width <= COLS) {
        live_put(y, x, measured ? live_look(LIVE_PLAIN) : live_look(LIVE_FAINT), "%*s", width,
                 text);
    }
}

static void draw_bar(const live_panel *p, size_t load, int y) {
    static const char *const eighths[] = {" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
    static const char *const plain[] = {" ", ".", ".", ":", "-", "=", "+", "*", "#"};
    int most = COLS - BAR < 24 ? COLS - BAR : 24;
    int count = (int)p->history_count < most ? (int)p->history_count : most;
    for (int i = 0; i < count; i++) {
        size_t at = (p->history_at + LIVE_HISTORY - (size_t)(count - 1 - i)) % LIVE_HISTORY;
        int step = (int)lroundf(fminf(p->history[load][at].height, 1) * 8);
        live_put(y, BAR + i, live_look(LIVE_GOOD), "%s", (live_blocks ? eighths : plain)[step]);
    }
}

static const char *on_or_off(double asked) {
    return asked == 0 ? "off" : asked > 0 ? "on" : "on reverse";
}

static void draw_asked(const live_panel *p, size_t load, const wpin_glance *g, int y) {
    wpin_live_asks u = wpin_live_unit(p->hands->rig, load);
    double staged = p->staged[load];
    bool on_off = u.unit[0] == '\0', place = g->quantity == WPIN_QUANTITY_POSITION;
    bool is_staged = !isnan(staged);
    if (on_off) {
        live_put(y, ASKED, live_look(is_staged ? LIVE_STAGED : LIVE_PLAIN), "%s%s",
                 is_staged ? "> " : "", on_or_off(is_staged ? staged : g->setpoint));
        return;
    }
    if (is_staged) {
        live_put(y, ASKED, live_look(LIVE_STAGED), "> %.4g %s", staged, u.unit);
        return;
    }
    if (wpin_rig_type(&p->hands->rig->loads[load])->steps && !place) { /* sent nowhere yet */
        live_put(y, ASKED, live_look(LIVE_PLAIN), "-");
        return;
    }
    static const char *const units[] = {[WPIN_QUANTITY_EFFORT] = "%",
                                        [WPIN_QUANTITY_TORQUE] = "A",
                                        [WPIN_QUANTITY_SPEED] = "rpm",
                                        [WPIN_QUANTITY_POSITION] = "deg"};
    bool known = g->quantity < sizeof units / sizeof *units;
    double scale = g->quantity == WPIN_QUANTITY_EFFORT ? 100 : 1;
    live_put(y, ASKED, live_look(LIVE_PLAIN), "%.4g %s", round(g->setpoint * scale * 100) / 100,
             known ? units[g->quantity] : "");
}

static void draw_load(const live_panel *p, size_t number, int y, bool chosen) {
    const wpin_rig_load *load = &p->hands->rig->loads[number];
    wpin_glance g = wpin_session_look(p->hands->session, number);
    char trouble[WPIN_LIVE_WORDS];
    bool wrong =
        g.fault != WPIN_OK || wpin_live_trouble(p->hands->live, number, trouble, sizeof trouble);
    live_put(y, 0, chosen ? A_BOLD : live_look(LIVE_PLAIN), "%c", chosen ? '>' : ' ');
    live_put(y, NAME, chosen ? A_REVERSE : live_look(LIVE_PLAIN), "%-11.11s", load->name);
    live_put(y, STATE,
             wrong    ? live_look(LIVE_WRONG)
             : g.busy ? live_look(LIVE_GOOD)
                      : live_look(LIVE_PLAIN),
             "%s",
             g.fault != WPIN_OK ? "FAULT"
             : wrong            ? "TROUBLE"
                                : wpin_state_word(g.state));
    draw_asked(p, number, &g, y);
    if (!load->axis.there && !wpin_rig_type(load)->steps) { /* the drive's own affair, or no duty */
        live_put(y, DUTY, live_look(LIVE_PLAIN), "%5.1f %%", g.duty * 100);
    }
    if (wpin_rig_type(load)->turns && (g.knows || !isnan(g.measured_rpm))) {
        bool measured = !isnan(g.measured_rpm);
        put_value(y, SPEED, 12, measured, measured ? g.measured_rpm : g.rpm, "%.1f", "rpm");
    }
    if (g.knows || !isnan(g.measured_amps)) {
        bool measured = !isnan(g.measured_amps);
        put_value(y, AMPS, 9, measured, measured ? g.measured_amps : fabs(g.amps), "%.2f", "A");
    }
    if (VOLTS + 7 <= COLS) {
        live_put(y, VOLTS, live_look(LIVE_PLAIN), "%5.1f V", g.supply_volts);
    }
    if (g.knows) {
        put_value(y, TEMP, 8, false, g.temperature, "%.0f", "C");
    }
    draw_bar(p, number, y);
}

/* ---- supplies and inputs, one behind the other ---- */

static void say_row(const live_panel *p, live_row row, char *to, size_t size) {
    const wpin_rig *rig = p->hands->rig;
    if (row.kind == LIVE_ROW_SUPPLY) {
        double volts = wpin_session_supply(p->hands->session, row.number);
        snprintf(to, size, "%s %s", rig->supplies[row.number].name, volts > 0 ? "" : "off");
        if (volts > 0) {
            size_t used = strlen(to);
            wpin_plain(to + used, size - used, "%.1f V", volts);
        }
        return;
    }
    const wpin_rig_input *input = &rig->inputs[row.number];
    if (input->kind == WPIN_RIG_KNOB) {
        wpin_plain(to, size, "%s %.0f %%", input->name, p->turned[row.number] * 100);
    } else if (wpin_rig_is_sensor(input)) {
        wpin_plain(to, size, "%s %.2f V", input->name, p->turned[row.number]);
    } else if (input->kind == WPIN_RIG_BUTTON) {
        snprintf(to, size, "%s %s", input->name, p->pressed[row.number] ? "pressed" : "-");
    } else {
        snprintf(to, size, "%s", input->name);
    }
}

static int draw_others(const live_panel *p, int y) {
    int x = NAME, begun = y;
    for (size_t i = p->hands->rig->load_count; i < p->row_count; i++) {
        char text[64];
        say_row(p, p->rows[i], text, sizeof text);
        int length = (int)strlen(text);
        if (x + length > COLS && x > NAME) {
            x = NAME;
            y++;
        }
        live_put(y, x, i == p->chosen ? A_REVERSE : live_look(LIVE_PLAIN), "%s", text);
        x += length + 3;
    }
    return y + (p->row_count > p->hands->rig->load_count) - begun;
}

/* ---- messages, or the plot ---- */

static int look_of(wpin_verdict grade) {
    return grade == WPIN_VERDICT_OK     ? LIVE_PLAIN
           : grade == WPIN_VERDICT_NOTE ? LIVE_REMARK
                                        : LIVE_WRONG;
}

/* As many of the newest as there is room for, the newest last. */
static void draw_news(const live_panel *p, int y, int rows) {
    const wpin_live *live = p->hands->live;
    size_t count = wpin_live_news_count(live), from = count;
    int width = COLS - 10 > 20 ? COLS - 10 : 20;
    for (int used = 0; from > 0; from--) {
        const wpin_live_news *n = wpin_live_news_at(live, from - 1);
        used += n == NULL ? rows + 1 : 1 + ((int)strlen(n->words) - 1) / (width - 8);
        if (used > rows) {
            break;
        }
    }
    for (int end = y + rows; from < count && y < end; from++) {
        const wpin_live_news *n = wpin_live_news_at(live, from);
        live_put(y, 1, live_look(LIVE_FAINT), "%6.2f", n->at);
        y += live_put_wrapped(y, 9, end - y, live_look(look_of(n->grade)), n->words);
    }
}

static int column(float share, int width) {
    return (int)lroundf((fmaxf(-1, fminf(1, share)) + 1) / 2 * (float)(width - 1));
}

/* A row each fifth of a second: asked and actual of the load that is chosen. */
static void draw_plot(const live_panel *p, int y, int rows) {
    size_t load = p->chosen < p->hands->rig->load_count ? p->rows[p->chosen].number : 0;
    int width = COLS - 10;
    if (width < 20 || rows < 2) {
        return;
    }
    live_put(y, 1, live_look(LIVE_FAINT),
             "%s: | asked, o actual, from full reverse to full forward",
             p->hands->rig->loads[load].name);
    int count = (int)p->history_count < rows - 1 ? (int)p->history_count : rows - 1;
    for (int i = 0; i < count; i++) {
        size_t at = (p->history_at + LIVE_HISTORY - (size_t)(count - 1 - i)) % LIVE_HISTORY;
        const live_sample *s = &p->history[load][at];
        int row = y + 1 + i;
        live_put(row, 1, live_look(LIVE_FAINT), "%6.1f", s->at);
        live_put(row, 9 + column(0, width), live_look(LIVE_FAINT), ".");
        live_put(row, 9 + column(s->asked, width), live_look(LIVE_STAGED), "|");
        live_put(row, 9 + column(s->actual, width), live_look(LIVE_GOOD), "o");
    }
}

/* ---- the bottom ---- */

static void draw_bottom(const live_panel *p) {
    int y = LINES - 3;
    if (p->typing) {
        live_put(y, 1, A_BOLD, ": %s_", p->line);
    } else {
        live_put(y, 1, live_look(LIVE_FAINT), "Enter types a request");
    }
    live_put(y - 1, 1,
             p->said_well ? live_look(p->asking ? LIVE_REMARK : LIVE_PLAIN) : live_look(LIVE_WRONG),
             "%.*s", COLS - 2, p->said);
    live_put(LINES - 2, 0, A_REVERSE, "%-*s", COLS,
             " Space STOP  Up/Down choose  Left/Right stage  g go  +/- at once  r reverse");
    live_put(LINES - 1, 0, A_REVERSE, "%-*s", COLS,
             " a arm  d disarm  s rest  b brake  c coast  C clear  Tab plot  ? help  q quit");
}

static void draw_drive(const live_panel *p) {
    int loads = (int)p->hands->rig->load_count, room = LINES - 12, y = 3;
    int shown = loads < room ? loads : room > 1 ? room : 1;
    int first = (int)p->chosen < loads && (int)p->chosen >= shown ? (int)p->chosen - shown + 1 : 0;
    draw_heads(2);
    for (int i = first; i < first + shown && i < loads; i++) {
        draw_load(p, p->rows[i].number, y++, (size_t)i == p->chosen);
    }
    y += draw_others(p, y) + 1;
    draw_progress(p, y - 1);
    int rows = LINES - 4 - y;
    if (p->plot) {
        draw_plot(p, y, rows);
    } else {
        draw_news(p, y, rows);
    }
}

static void draw_checklist(const live_panel *p) {
    int y = 2;
    live_put(y++, 1, A_BOLD, "Before power%s",
             p->known ? ": the wiring of this rig was confirmed on this computer before" : "");
    for (size_t i = 0; !p->known && i < p->checklist->count && y < LINES - 8; i++) {
        live_put(y, 1, live_look(LIVE_PLAIN), "-");
        y += live_put_wrapped(y, 3, 3, live_look(LIVE_PLAIN), p->checklist->lines[i]);
    }
    static const char *const each_time[] = {"The supplies are at hand to be switched off.",
                                            "Each shaft is free, and nothing can be caught by it.",
                                            "Hands, hair and sleeves are off."};
    live_put(y++, 1, A_BOLD, "Each time");
    for (size_t i = 0; i < sizeof each_time / sizeof *each_time; i++) {
        live_put(y++, 1, live_look(LIVE_PLAIN), "- %s", each_time[i]);
    }
    y++;
    live_put(y++, 1, A_BOLD,
             "y: all of this is so.   Any other key: it is not, nothing will be armed.");
    live_put(y++, 1, live_look(LIVE_FAINT),
             p->hands->real
                 ? "These are real pins: what they drive moves."
                 : "Here the hardware is simulated: go through it as you would at the bench.");
    if (p->hands->page != NULL) {
        live_put(y, 1, live_look(LIVE_PLAIN), "The page: %s", wpin_page_link(p->hands->page));
    }
}

static void draw_help(const live_panel *p) {
    size_t count;
    const live_key_use *uses = live_key_uses(&count);
    int rows = (int)(count + 1) / 2;
    for (size_t i = 0; i < count; i++) {
        int y = 2 + (int)i % rows, x = 1 + (int)i / rows * (COLS / 2);
        live_put(y, x, A_BOLD, "%-10s", uses[i].name);
        live_put(y, x + 11, live_look(LIVE_PLAIN), "%.*s", COLS / 2 - 12, uses[i].words);
    }
    live_put(3 + rows, 1, live_look(LIVE_PLAIN),
             "(12.3) only the simulated hardware knows; 12.3 is measured.   > 40 %% is staged.");
    live_put(4 + rows, 1, live_look(LIVE_PLAIN),
             "Requests are actions of plans, and: arm, disarm, clear, rearm, command, watch.");
    if (p->hands->page != NULL) {
        live_put(5 + rows, 1, live_look(LIVE_PLAIN), "The page: %s",
                 wpin_page_link(p->hands->page));
    }
    live_put(6 + rows, 1, A_BOLD, "Any key goes back; Space and Escape stop.");
}

void live_view_draw(const live_panel *p) {
    erase();
    if (LINES < 14 || COLS < 40) {
        live_put(0, 0, live_look(LIVE_PLAIN), "%s: too small to draw; Space stops, q quits",
                 p->hands->rig->name);
        refresh();
        return;
    }
    draw_top(p);
    switch (p->page) {
    case LIVE_CHECKLIST: draw_checklist(p); break;
    case LIVE_HELP: draw_help(p); break;
    case LIVE_DRIVE:
        draw_drive(p);
        draw_bottom(p);
        break;
    }
    refresh();
}
