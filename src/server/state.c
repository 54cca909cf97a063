/* What a session shows, as JSON. */
#include "server.h"
#include "windpin/host/trace.h"
#include "windpin/host/vet.h"
#include "windpin/version.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* So many digits and no more; null for what is not measured. */
static json_t *number(double value, double grain) {
    return isnan(value) ? json_null() : json_real(round(value / grain) * grain);
}

static json_t *loads_json(const wpin_rig *rig) {
    json_t *list = json_array();
    for (size_t i = 0; i < rig->load_count; i++) {
        wpin_live_asks u = wpin_live_unit(rig, i);
        const wpin_rig_load *l = &rig->loads[i];
        json_array_append_new(
            list,
            json_pack("{s:s, s:s, s:f, s:f, s:f, s:b, s:b, s:b}", "name", l->name, "unit", u.unit,
                      "least", u.least, "most", u.most, "step", u.step, "both", u.both, "brakes",
                      !wpin_rig_type(l)->steps && wpin_stage_kind_has(l->kind, WPIN_DRIVE_BRAKE),
                      "turns", wpin_rig_type(l)->turns));
    }
    return list;
}

/* Those that have a switch of their own. */
static json_t *supplies_json(const wpin_rig *rig) {
    json_t *list = json_array();
    for (size_t i = 0; i < rig->supply_count; i++) {
        if (rig->supplies[i].from < 0) {
            json_array_append_new(list, json_string(rig->supplies[i].name));
        }
    }
    return list;
}

static json_t *inputs_json(const wpin_rig *rig) {
    json_t *list = json_array();
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *in = &rig->inputs[i];
        double full = rig->controller.logic_volts;
        bool knob = in->kind == WPIN_RIG_KNOB, sensor = wpin_rig_is_sensor(in);
        const char *kind = knob                          ? "knob"
                           : sensor                      ? "sensor"
                           : in->kind == WPIN_RIG_BUTTON ? "button"
                           : in->kind == WPIN_RIG_LIMIT  ? "limit"
                                                         : "pair";
        json_t *one = json_pack("{s:s, s:s}", "name", in->name, "kind", kind);
        if (one != NULL && (knob || sensor)) { /* a knob in percent, a sensor in volts */
            json_object_set_new(one, "most", json_real(knob ? 100 : full));
            json_object_set_new(one, "value",
                                number(knob ? in->volts / full * 100 : in->volts, 0.01));
        }
        json_array_append_new(list, one);
    }
    return list;
}

json_t *wpin_hello_json(const wpin_live *live, int source) {
    const wpin_rig *rig = wpin_live_rig(live);
    return json_pack("{s:s, s:i, s:s, s:s, s:f, s:o, s:o, s:o}", "windpin", wpin_version(),
                     "protocol", WPIN_PROTOCOL, "rig", rig->name, "you",
                     wpin_live_name(live, source), "link", wpin_live_link_timeout(live), "loads",
                     loads_json(rig), "supplies", supplies_json(rig), "inputs", inputs_json(rig));
}

static json_t *setpoint(const wpin_glance *g) {
    static const char *const words[] = {[WPIN_QUANTITY_EFFORT] = "duty",
                                        [WPIN_QUANTITY_TORQUE] = "current",
                                        [WPIN_QUANTITY_SPEED] = "speed",
                                        [WPIN_QUANTITY_POSITION] = "place"};
    static const char *const units[] = {[WPIN_QUANTITY_EFFORT] = "%",
                                        [WPIN_QUANTITY_TORQUE] = "A",
                                        [WPIN_QUANTITY_SPEED] = "rpm",
                                        [WPIN_QUANTITY_POSITION] = "deg"};
    bool known = g->quantity < sizeof words / sizeof *words;
    double value = g->quantity == WPIN_QUANTITY_EFFORT ? g->setpoint * 100 : g->setpoint;
    return json_pack("{s:s, s:o, s:s}", "of", known ? words[g->quantity] : "?", "value",
                     number(value, 1e-2), "unit", known ? units[g->quantity] : "");
}

static json_t *load_json(const wpin_live *live, size_t load) {
    wpin_glance g = wpin_session_look(wpin_live_session(live), load);
    const wpin_rig_load *l = &wpin_live_rig(live)->loads[load];
    double duty = l->axis.there ? NAN : g.duty * 100;
    double counts = wpin_rig_knows_place(l) ? g.degrees / 360 * wpin_rig_counts_at_output(l) : NAN;
    json_t *all = json_pack("{s:s, s:b, s:s?, s:o, s:o, s:o, s:o, s:o, s:o, s:o}", "state",
                            wpin_state_word(g.state), "armed", g.armed, "fault",
                            g.fault == WPIN_OK ? NULL : wpin_status_name(g.fault), "setpoint",
                            setpoint(&g), "duty", number(duty, 1e-2), "measured_rpm",
                            number(g.measured_rpm, 1e-2), "measured_amps",
                            number(g.measured_amps, 1e-3), "degrees", number(g.degrees, 1e-2),
                            "counts", number(counts, 1), "supply", number(g.supply_volts, 1e-3));
    if (all != NULL && g.knows) {
        json_object_set_new(all, "true",
                            json_pack("{s:o, s:o, s:o, s:o}", "rpm", number(g.rpm, 1e-2), "amps",
                                      number(g.amps, 1e-3), "volts", number(g.volts, 1e-3),
                                      "celsius", number(g.temperature, 0.1)));
    }
    char trouble[WPIN_LIVE_WORDS];
    if (all != NULL && wpin_live_trouble(live, load, trouble, sizeof trouble)) {
        json_object_set_new(all, "trouble", json_string(trouble));
    }
    if (all != NULL && g.doing != NULL) {
        json_object_set_new(all, "doing", json_string(g.doing->text));
        json_object_set_new(all, "verdict", json_string(g.doing->words));
    }
    return all;
}

json_t *wpin_state_json(const wpin_live *live, const wpin_pace *pace, unsigned long count) {
    const wpin_rig *rig = wpin_live_rig(live);
    const wpin_session *session = wpin_live_session(live);
    int commander = wpin_live_commander(live);
    wpin_progress plan = wpin_session_progress(session);
    const wpin_plan *offered = wpin_live_plan(live);
    json_t *loads = json_object(), *supplies = json_object();
    for (size_t i = 0; i < rig->load_count; i++) {
        json_object_set_new(loads, rig->loads[i].name, load_json(live, i));
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        json_object_set_new(supplies, rig->supplies[i].name,
                            number(wpin_session_supply(session, i), 1e-3));
    }
    json_t *all = json_pack(
        "{s:I, s:o, s:s?, s:{s:f, s:o}, s:b, s:b, s:{s:o, s:o, s:i}, s:o, s:o}", "state",
        (json_int_t)count, "at", number(wpin_session_time(session), 1e-4), "commander",
        commander < 0 ? NULL : wpin_live_name(live, commander), "link", "timeout",
        wpin_live_link_timeout(live), "left", number(wpin_live_link_left(live), 1e-3), "stopped",
        wpin_session_is_stopped(session), "confirmed", wpin_live_is_confirmed(live), "late", "p99",
        number(wpin_pace_p99(pace), 1e-6), "worst", number(pace->worst, 1e-6), "gaps",
        (int)pace->gaps, "supplies", supplies, "loads", loads);
    if (all != NULL && offered != NULL) {
        json_object_set_new(all, "plan",
                            json_pack("{s:b, s:i, s:o, s:o}", "running", plan.running, "line",
                                      (int)plan.line, "at", number(plan.at, 1e-2), "of",
                                      number(offered->seconds, 1e-2)));
    }
    return all;
}

json_t *wpin_news_json(const wpin_live *live, size_t count) {
    static const char *const grades[] = {"ok", "note", "bad"};
    const wpin_live_news *n = wpin_live_news_at(live, count);
    return n == NULL ? json_pack("{s:I, s:s}", "news", (json_int_t)count, "words", "not kept")
                     : json_pack("{s:I, s:o, s:s, s:s}", "news", (json_int_t)count, "at",
                                 number(n->at, 1e-3), "grade", grades[n->grade], "words", n->words);
}

json_t *wpin_answer_json(unsigned long request, const wpin_live_answer *answer) {
    json_t *all = json_pack("{s:I, s:b, s:s}", "answer", (json_int_t)request, "ok", answer->ok,
                            "words", answer->words);
    if (all != NULL && answer->column > 0) {
        json_object_set_new(all, "column", json_integer(answer->column));
    }
    return all;
}

json_t *wpin_checklist_json(const wpin_live *live) {
    wpin_lines *lines = wpin_checklist(wpin_live_rig(live));
    json_t *list = json_array();
    for (size_t i = 0; lines != NULL && i < lines->count; i++) {
        json_array_append_new(list, json_string(lines->lines[i]));
    }
    wpin_lines_free(lines);
    return json_pack("{s:o}", "checklist", list);
}

json_t *wpin_plan_json(const wpin_live *live) {
    const wpin_plan *plan = wpin_live_plan(live);
    json_t *list = json_array();
    for (size_t i = 0; plan != NULL && i < plan->step_count; i++) {
        const wpin_plan_source *source = &plan->sources[i];
        if (source->text[0] != '\0') {
            json_array_append_new(list,
                                  json_pack("{s:i, s:o, s:s}", "line", (int)source->line, "at",
                                            number(source->at, 1e-2), "text", source->text));
        }
    }
    return json_pack("{s:o}", "plan", list);
}

bool wpin_is_text(const char *bytes, size_t length) {
    json_t *text = memchr(bytes, '\0', length) == NULL ? json_stringn(bytes, length) : NULL;
    const bool is = text != NULL;
    json_decref(text);
    return is;
}

char *wpin_json_line(json_t *value, size_t *length) {
    char *text = value == NULL ? NULL : json_dumps(value, JSON_COMPACT | JSON_REAL_PRECISION(9));
    json_decref(value);
    *length = text == NULL ? 0 : strlen(text) + 1;
    char *line = text == NULL ? NULL : realloc(text, *length + 1);
    if (line == NULL) {
        free(text);
        return NULL;
    }
    line[*length - 1] = '\n';
    line[*length] = '\0';
    return line;
}
