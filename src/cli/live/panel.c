/* The panel: opened, keys led to where they mean something, samples taken. */
#define _GNU_SOURCE
#include "panel.h"
#include "../confirmed.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* ---- what keys mean where ---- */

static void type_key(live_panel *p, int key) {
    wpin_live_answer foreseen;
    if (key == '\r' || key == '\n') {
        p->typing = false;
        char line[WPIN_LIVE_LINE];
        snprintf(line, sizeof line, "%s", p->line);
        live_panel_ask_first(p, line);
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
    if (wpin_live_foresee(p->hands->live, p->line, &foreseen)) {
        live_panel_show(p, true, foreseen.words);
    } else {
        live_panel_show(p, true, "");
    }
}

static void answer_key(live_panel *p, int key) {
    p->asking = false;
    if (key == 'y' || key == 'Y') {
        live_panel_ask(p, p->line);
    } else {
        live_panel_show(p, true, "not done");
    }
}

static void check_key(live_panel *p, int key) {
    if (key == 'y' || key == 'Y') {
        live_panel_ask(p, "confirm");
        cli_confirm(p->hands->rig);
        p->page = LIVE_DRIVE;
        live_panel_show(p, true, "a arms the loads; supplies are rows below them");
    } else if (key == 'q' || key == 3) {
        p->quit = true;
    } else if (key != LIVE_KEY_NONE) {
        p->page = LIVE_DRIVE;
        live_panel_show(p, false, "not confirmed: nothing can be armed (type: confirm)");
    }
}

static void drive_key(live_panel *p, int key) {
    key = key == '\n' || key == ':' ? '\r' : key == '=' ? '+' : key == '_' ? '-' : key;
    size_t count;
    const live_key_use *uses = live_key_uses(&count);
    for (size_t i = 0; i < count; i++) {
        if (uses[i].key == key) {
            uses[i].press(p);
            return;
        }
    }
    live_panel_show(p, false, "that key does nothing; ? lists them");
}

void live_panel_key(live_panel *p, int key, double now) {
    double tick = p->hands->rig->controller.tick;
    p->key_at = now;
    p->pins_at = (floor(wpin_session_time(p->hands->session) / tick) + 1) * tick;
    if (key == LIVE_KEY_ESCAPE || (key == ' ' && !p->typing)) {
        p->typing = p->asking = false;
        live_panel_stop(p);
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
    const wpin_rig_load *load = &p->hands->rig->loads[i];
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
    for (size_t i = 0; i < p->hands->rig->load_count; i++) {
        p->history[i][p->history_at] = sample_of(p, i);
    }
}

/* ---- open and close ---- */

static void list_rows(live_panel *p) {
    const wpin_rig *rig = p->hands->rig;
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
    live_panel_drop(p);
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *input = &rig->inputs[i];
        bool knob = input->kind == WPIN_RIG_KNOB;
        p->turned[i] = knob ? input->volts / rig->controller.logic_volts : input->volts;
    }
    live_panel_ask(p, "command");
    p->known = cli_was_confirmed(rig);
    p->page = wpin_live_is_confirmed(hands->live) ? LIVE_DRIVE : LIVE_CHECKLIST;
    char link[200] = "a arms the loads; ? lists the keys";
    if (hands->page != NULL) {
        snprintf(link, sizeof link, "the page: %s (? shows it again)", wpin_page_link(hands->page));
    }
    live_panel_show(p, true, link);
    return true;
}

void live_panel_close(live_panel *p) {
    if (p->source >= 0) {
        wpin_live_leave(p->hands->live, p->source);
    }
    wpin_lines_free(p->checklist);
    free(p->rows);
    free(p->staged);
    free(p->history);
    free(p->highest);
    free(p->turned);
    free(p->pressed);
}
