/* The inputs of the rig file: buttons, limit switches, knobs and sensors. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <math.h>
#include <stdio.h>

enum {
    INPUT_LIMIT,
    INPUT_CURVE,
    INPUT_PIN,
    INPUT_ANALOG,
    INPUT_FROM,
    INPUT_TO,
    INPUT_CENTRE,
    INPUT_PAIR,
    INPUT_TWO_POINT,
    INPUT_REGULATE
};
static const wpin_field input_fields[] = {
    NODE("limit-of", false),
    NODE("curve", false),
    NODE("pin", false),
    QUANTITY("analog", wpin_rig_input, analog, false, WPIN_NUMBER, 0, 31),
    QUANTITY("from", wpin_rig_input, from, false, WPIN_ANGLE, -1e4, 1e4),
    QUANTITY("to", wpin_rig_input, to, false, WPIN_ANGLE, -1e4, 1e4),
    CHOICE("centre", wpin_rig_input, centre, "no", "yes"),
    [INPUT_PAIR] = NODE("pair", false),
    NODE("two-point", false),
    NODE("regulate", false),
    QUANTITY("duty", wpin_rig_input, duty, false, WPIN_SHARE, 0.01, 1),
    QUANTITY("window", wpin_rig_input, window, false, WPIN_TIME, 0, 1),
    QUANTITY("debounce", wpin_rig_input, debounce, false, WPIN_TIME, 1e-6, 1),
    QUANTITY("bounce", wpin_rig_input, bounce, false, WPIN_TIME, 0, 0.1),
    QUANTITY("stuck-after", wpin_rig_input, stuck, false, WPIN_TIME, 0.1, 3600),
    CHOICE("at-limit", wpin_rig_input, opens, "closes", "opens"),
    CHOICE("contact", wpin_rig_input, opens, "closes", "opens"),
    CHOICE("stops", wpin_rig_input, stops, "nothing", "all"),
    QUANTITY("noise", wpin_rig_input, noise, false, WPIN_VOLTAGE, 0, 5),
    QUANTITY("start", wpin_rig_input, volts, false, WPIN_VOLTAGE, 0, 24),
    QUANTITY("dead-zone", wpin_rig_input, dead, false, WPIN_SHARE, 0, 0.4),
    QUANTITY("hysteresis", wpin_rig_input, hysteresis, false, WPIN_SHARE, 0, 0.2),
    QUANTITY("play", wpin_rig_input, play, false, WPIN_VOLTAGE, 0, 5),
};

static const wpin_field two_point_fields[] = {
    QUANTITY("on", wpin_rig_input, on, true, WPIN_VOLTAGE, 0, 30),
    QUANTITY("off", wpin_rig_input, off, true, WPIN_VOLTAGE, 0, 30),
    QUANTITY("pause", wpin_rig_input, pause, false, WPIN_TIME, 0, 86400),
    QUANTITY("most", wpin_rig_input, most, false, WPIN_TIME, 1, 86400),
};

static const wpin_field regulate_fields[] = {
    QUANTITY("to", wpin_rig_input, wanted, true, WPIN_VOLTAGE, 0, 30),
    QUANTITY("band", wpin_rig_input, band, true, WPIN_VOLTAGE, 0.05, 30),
    QUANTITY("time", wpin_rig_input, time, false, WPIN_TIME, 1, 3600),
    QUANTITY("least", wpin_rig_input, least, false, WPIN_SHARE, 0, 1),
    CHOICE("reading", wpin_rig_input, raises, "falls", "rises"),
};

static void read_two_point(wpin_reader *reader, yaml_node_t *node, wpin_rig_input *input) {
    wpin_read_map(reader, node, "two-point", two_point_fields, COUNT(two_point_fields), input,
                  NULL);
    if (fabs(input->on - input->off) < 1e-3) {
        wpin_say_at(reader, node,
                    "'on' and 'off' are the same, %.4g V: it would chatter; expected them apart by "
                    "more than the noise of the reading",
                    input->on);
    } else if (fabs(input->on - input->off) <= input->noise) {
        wpin_say_at(reader, node,
                    "'on' and 'off' are %.3g mV apart, and the reading has %.3g mV of noise: it "
                    "would chatter",
                    fabs(input->on - input->off) * 1e3, input->noise * 1e3);
    }
}

static void read_regulate(wpin_reader *reader, yaml_node_t *node, wpin_rig_input *input) {
    wpin_read_map(reader, node, "regulate", regulate_fields, COUNT(regulate_fields), input, NULL);
    if (input->least > input->duty) {
        wpin_say_at(reader, node, "least, %.4g %%, is above the most it asks for, %.4g %% (duty)",
                    input->least * 100, input->duty * 100);
    }
}

static bool item(wpin_reader *reader, const yaml_node_t *pair, size_t index,
                 wpin_dimension dimension, double *value) {
    char why[320];
    yaml_node_t *node = wpin_list_item(reader, pair, index);
    const char *text = wpin_scalar(reader, node, "a quantity");
    if (text != NULL && wpin_quantity_read(text, dimension, value, why, sizeof why)) {
        return true;
    }
    if (text != NULL) {
        wpin_say_at(reader, node, "curve: %s", why);
    }
    return false;
}

/* One place of a curve: [1.2V, 40%]. */
static void read_point(wpin_reader *reader, const yaml_node_t *pair, wpin_rig_input *input) {
    double volts, share;
    if (wpin_list_size(pair) != 2) {
        wpin_say_at(reader, pair, "a place of a curve is a pair, e.g. [1.2V, 40%%]");
        return;
    }
    if (!item(reader, pair, 0, WPIN_VOLTAGE, &volts) ||
        !item(reader, pair, 1, WPIN_SHARE, &share)) {
        return;
    }
    bool rises =
        input->point_count == 0 || volts * 1e3 > input->points[input->point_count - 1].millivolts;
    if (volts < 0 || volts > 30 || fabs(share) > 1 || !rises) {
        wpin_say_at(reader, pair,
                    "%.3g V, %.3g %%: expected rising volts from 0 to 30 V and a duty from -100 to "
                    "100 %%",
                    volts, share * 100);
        return;
    }
    input->points[input->point_count++] =
        (wpin_curve_point){(int16_t)lround(volts * 1e3), (wpin_duty)lround(share * WPIN_DUTY_FULL)};
}

static void read_curve(wpin_reader *reader, const yaml_node_t *list, wpin_rig_input *input) {
    size_t count = wpin_list_size(list);
    if (count < 2 || count > WPIN_RIG_POINTS) {
        wpin_say_at(reader, list,
                    "curve must be a list of 2 to %d places, e.g. [[1V, 0%%], [3V, "
                    "60%%]]",
                    WPIN_RIG_POINTS);
        return;
    }
    for (size_t i = 0; i < count; i++) {
        read_point(reader, wpin_list_item(reader, list, i), input);
    }
}

static void read_limit(wpin_reader *reader, yaml_node_t *const *nodes, wpin_rig_input *input) {
    const char *text = wpin_scalar(reader, nodes[INPUT_LIMIT], "the name of a load");
    snprintf(input->limit_of, sizeof input->limit_of, "%.31s", text != NULL ? text : "");
    if (nodes[INPUT_FROM] == NULL && nodes[INPUT_TO] == NULL) {
        wpin_say_at(reader, nodes[INPUT_LIMIT],
                    "a limit switch needs its place: 'from' an angle on, 'to' an angle, or both");
    } else if (input->from >= input->to) {
        wpin_say_at(reader, nodes[INPUT_FROM], "from (%.4g rev) is not below to (%.4g rev)",
                    input->from, input->to);
    }
}

/* pair: [FORWARD, REVERSE], two buttons of this rig. */
static void read_pair(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *list,
                      wpin_rig_input *input) {
    bool two = wpin_list_size(list) == 2;
    for (size_t i = 0; two && i < 2; i++) {
        yaml_node_t *node = wpin_list_item(reader, list, i);
        const char *text = wpin_scalar(reader, node, "the name of a button");
        input->pair[i] = text == NULL ? -1 : wpin_rig_find_input(rig, text);
        if (text != NULL &&
            (input->pair[i] < 0 || rig->inputs[input->pair[i]].kind != WPIN_RIG_BUTTON)) {
            wpin_say_at(reader, node, "'%s' is not a button among the inputs above", text);
            input->pair[i] = -1;
        }
    }
    if (!two) {
        wpin_say_at(reader, list,
                    "a pair is a list of two buttons, forward and reverse, e.g. [left, right]");
    }
}

/* What only an analogue input has, and only one of it. */
static void check_analog(wpin_reader *reader, yaml_node_t *const *nodes, bool pin) {
    static const struct {
        int node;
        const char *words;
    } all[] = {{INPUT_CURVE, "a curve"},
               {INPUT_TWO_POINT, "two-point control"},
               {INPUT_REGULATE, "regulation of a reading"}};
    const yaml_node_t *first = NULL;
    for (size_t i = 0; i < COUNT(all); i++) {
        const yaml_node_t *node = nodes[all[i].node];
        if (node != NULL && pin) {
            wpin_say_at(reader, node, "%s belongs to an 'analog' input", all[i].words);
        } else if (node != NULL && first != NULL) {
            wpin_say_at(reader, node,
                        "an input has a 'curve', 'two-point' or 'regulate', not two "
                        "of them");
        }
        first = node != NULL ? node : first;
    }
}

/* What it is follows from its keys. */
static void read_kind(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                      yaml_node_t *const *nodes, wpin_rig_input *input) {
    if (nodes[INPUT_PAIR] != NULL) {
        input->kind = WPIN_RIG_PAIR;
        read_pair(reader, rig, nodes[INPUT_PAIR], input);
        return;
    }
    bool pin = nodes[INPUT_PIN] != NULL, analog = nodes[INPUT_ANALOG] != NULL;
    uint8_t number = 0;
    input->pin = pin && wpin_read_pin(reader, nodes[INPUT_PIN], &number) ? number : 0;
    if (pin == analog) {
        wpin_say_at(reader, node,
                    "input '%s' needs 'pin' (a button or limit switch), "
                    "'analog' (a knob or sensor) or 'pair' (two buttons)",
                    input->name);
        return;
    }
    if (pin && nodes[INPUT_LIMIT] != NULL) {
        input->kind = WPIN_RIG_LIMIT;
        read_limit(reader, nodes, input);
    } else if (analog && nodes[INPUT_CURVE] != NULL) {
        input->kind = WPIN_RIG_SENSOR;
        read_curve(reader, nodes[INPUT_CURVE], input);
    } else if (analog && nodes[INPUT_TWO_POINT] != NULL) {
        input->kind = WPIN_RIG_TWO_POINT;
        read_two_point(reader, nodes[INPUT_TWO_POINT], input);
    } else if (analog && nodes[INPUT_REGULATE] != NULL) {
        input->kind = WPIN_RIG_PROCESS;
        read_regulate(reader, nodes[INPUT_REGULATE], input);
    } else {
        input->kind = pin ? WPIN_RIG_BUTTON : WPIN_RIG_KNOB;
    }
    if (input->stops && input->kind != WPIN_RIG_BUTTON) {
        wpin_say_at(reader, node, "only a button or switch on a 'pin' can stop all; '%s' is none",
                    input->name);
    }
    check_analog(reader, nodes, pin);
    if (analog && nodes[INPUT_LIMIT] != NULL) {
        wpin_say_at(reader, nodes[INPUT_LIMIT], "a limit switch is on a 'pin'");
    }
}

static bool taken(const wpin_rig_input *a, const wpin_rig_input *b) {
    bool digital = a->kind <= WPIN_RIG_LIMIT;
    if (a->kind == WPIN_RIG_PAIR || b->kind == WPIN_RIG_PAIR) {
        return false;
    }
    return digital == (b->kind <= WPIN_RIG_LIMIT) &&
           (digital ? a->pin == b->pin : a->analog == b->analog);
}

void wpin_read_input(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                     yaml_node_t *node) {
    wpin_rig_input input = {.line = (unsigned)key->start_mark.line + 1,
                            .debounce = 20e-3,
                            .bounce = 5e-3,
                            .from = -1e6,
                            .to = 1e6,
                            .load = -1,
                            .dead = 0.03,
                            .hysteresis = 0.01,
                            .play = 0.02,
                            .duty = 1,
                            .pair = {-1, -1},
                            .window = 60e-3};
    if (!wpin_take_name(reader, rig, key, name, input.name)) {
        return;
    }
    char what[64];
    snprintf(what, sizeof what, "input '%s'", input.name);
    yaml_node_t *nodes[COUNT(input_fields)];
    wpin_read_map(reader, node, what, input_fields, COUNT(input_fields), &input, nodes);
    if (node->type == YAML_MAPPING_NODE) {
        read_kind(reader, rig, node, nodes, &input);
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        if (input.stops && rig->inputs[i].stops) {
            wpin_say_at(reader, node,
                        "'%s' (line %u) stops all already; wire several stop buttons in one loop, "
                        "each opening it",
                        rig->inputs[i].name, rig->inputs[i].line);
        }
        if (taken(&input, &rig->inputs[i])) {
            wpin_say_at(reader, node, "%s of input '%s' is taken: input '%s' (line %u)",
                        input.kind <= WPIN_RIG_LIMIT ? "the pin" : "the analogue input", input.name,
                        rig->inputs[i].name, rig->inputs[i].line);
        }
    }
    wpin_rig_input *all =
        wpin_messages_room(reader->messages, rig->inputs, rig->input_count, sizeof *all);
    if (all != NULL) {
        rig->inputs = all;
        all[rig->input_count++] = input;
    }
}

void wpin_join_limits(wpin_reader *reader, wpin_rig *rig, yaml_node_t *inputs) {
    for (size_t i = 0; i < rig->input_count; i++) {
        wpin_rig_input *input = &rig->inputs[i];
        if (input->kind != WPIN_RIG_LIMIT) {
            continue;
        }
        input->load = wpin_rig_find_load(rig, input->limit_of);
        bool turns = input->load >= 0 && wpin_rig_type(&rig->loads[input->load])->turns;
        if (!turns) {
            const char *near = wpin_rig_nearest_load(rig, input->limit_of);
            wpin_messages_add(reader->messages, input->line,
                              (unsigned)inputs->start_mark.column + 1,
                              "limit-of: '%s' is not a load that turns%s%s%s", input->limit_of,
                              near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
                              near != NULL ? "'?)" : "");
        }
    }
}
