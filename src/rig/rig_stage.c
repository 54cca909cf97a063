/* The stage of a load: its kind or own table, its pins, and what must agree among them. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

enum {
    STAGE_KIND,
    STAGE_PINS,
    STAGE_INVERTED,
    STAGE_TABLE,
    STAGE_REST,
    STAGE_PWM,
    STAGE_STATICS,
    STAGE_DEAD,
    STAGE_CHARGE
};
static const wpin_field stage_fields[] = {
    NODE("kind", true),
    NODE("pins", false),
    NODE("inverted", false),
    NODE("table", false),
    CHOICE("at-rest", wpin_rig_load, rest_brakes, "coast", "brake"),
    QUANTITY("pwm", wpin_rig_load, limits.pwm_hz, false, WPIN_FREQUENCY, 10, WPIN_RIG_PWM_MOST),
    NODE("statics", false),
    QUANTITY("dead-time", wpin_rig_load, limits.dead_time, false, WPIN_TIME, 0, 1e-3),
    QUANTITY("charge", wpin_rig_load, limits.charge, false, WPIN_TIME, 0, 1e-3),
    CHOICE("reversed", wpin_rig_load, reversed, "no", "yes"),
    CHOICE("pwm-by", wpin_rig_load, limits.soft_pwm, "timer", "software"),
    QUANTITY("pulse-neutral", wpin_rig_load, limits.pulse_zero, false, WPIN_TIME, 0.5e-3, 3e-3),
    QUANTITY("pulse-swing", wpin_rig_load, limits.pulse_swing, false, WPIN_TIME, 0.1e-3, 1.5e-3),
};

enum { TABLE_LINES, TABLE_ROWS, TABLE_DRIVER, TABLE_MODES, TABLE_LEGS };
static const wpin_field table_fields[] = {NODE("lines", true), NODE("rows", true),
                                          NODE("driver", true), NODE("modes", false),
                                          NODE("legs", false)};

static const char own_name[] = "own-table";

/* The timer divides its clock, and that by whole steps: at least 2, at most what its bits hold. */
static void check_frequency(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                            const wpin_rig_load *load) {
    char low[40], high[40];
    if (load->limits.soft_pwm) {
        double top = 1 / (rig->controller.soft_tick * WPIN_SOFT_STEPS_LEAST);
        if (load->limits.pwm_hz > top * (1 + 1e-9)) {
            wpin_say_at(reader, node,
                        "pwm: in software, with a fast-tick of %.4g us, it makes up to %.4g Hz (20 "
                        "duty steps) only",
                        rig->controller.soft_tick * 1e6, top);
        }
        return;
    }
    double least = rig->controller.timer_hz / 1024 / (exp2(rig->controller.timer_bits) - 1);
    double most = rig->controller.timer_hz / 2;
    if (load->limits.pwm_hz != 0 && (load->limits.pwm_hz < least || load->limits.pwm_hz > most)) {
        wpin_say_at(reader, node, "pwm: the controller's timer makes %s to %s only",
                    wpin_quantity_write(low, sizeof low, least, WPIN_FREQUENCY),
                    wpin_quantity_write(high, sizeof high, most, WPIN_FREQUENCY));
    }
}

/* ---- which kind ---- */

static const wpin_stage_kind *find_kind(wpin_reader *reader, yaml_node_t *node, bool own_too) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    const char *names[40];
    for (size_t i = 0; i < count; i++) {
        names[i] = kinds[i].name;
    }
    names[count] = own_name;
    names[count + 1] = wpin_stage_kind_told.name;
    const char *text = wpin_scalar(reader, node, "a kind of stage");
    int found = text == NULL ? -1
                             : wpin_find_word(reader, node, text, "kind of stage", names,
                                              count + (own_too ? 2 : 0));
    bool told = found >= 0 && (size_t)found == count + 1;
    return told ? &wpin_stage_kind_told
                : (found < 0 || (size_t)found == count ? NULL : &kinds[found]);
}

static bool is_own(const yaml_node_t *node) {
    return node->type == YAML_SCALAR_NODE &&
           strcasecmp((const char *)node->data.scalar.value, own_name) == 0;
}

/* ---- a table of the user's own ---- */

static bool read_line_names(wpin_reader *reader, yaml_node_t *list, wpin_own_stage *own) {
    size_t count = wpin_list_size(list);
    if (count == 0 || count > WPIN_STAGE_LINES) {
        wpin_say_at(reader, list, "lines must be a list of 1 to %d names", WPIN_STAGE_LINES);
        return false;
    }
    for (size_t i = 0; i < count; i++) {
        const char *text =
            wpin_scalar(reader, wpin_list_item(reader, list, i), "the name of a line");
        snprintf(own->line_names[i], sizeof own->line_names[i], "%s", text != NULL ? text : "");
        own->kind.lines[i] = own->line_names[i];
    }
    own->table.line_count = (uint8_t)count;
    return true;
}

static int find_line(wpin_reader *reader, yaml_node_t *node, const wpin_own_stage *own) {
    const char *text = wpin_scalar(reader, node, "the name of a line");
    return text == NULL
               ? -1
               : wpin_find_word(reader, node, text, "line", own->kind.lines, own->table.line_count);
}

/* Puts a cell into a row of masks. */
static void set_cell(wpin_row *row, size_t line, wpin_cell cell) {
    uint8_t bit = (uint8_t)(1U << line);
    switch (cell) {
    case WPIN_CELL_HIGH: row->high |= bit; break;
    case WPIN_CELL_COMPLEMENT: row->complement |= bit; /* fall through */
    case WPIN_CELL_DUTY: row->timed |= bit; break;
    case WPIN_CELL_PULSE:
        row->timed |= bit;
        row->pulse |= bit;
        break;
    case WPIN_CELL_FLOAT: row->floats |= bit; break;
    case WPIN_CELL_KEEP: row->keep |= bit; break;
    case WPIN_CELL_LOW: break;
    }
}

/* Rows a table may have: of motors; of a brushless one its sectors; of a stepper its states, and
 * how it rests in them. */
typedef struct row_word {
    const char *word;
    uint8_t drive;
} row_word;
enum { SECTOR = WPIN_DRIVE_SECTOR, REST = SECTOR + 8, ROW_WORDS = 10 };
static const row_word motor_rows[ROW_WORDS] = {{"coast", WPIN_DRIVE_COAST},
                                               {"brake", WPIN_DRIVE_BRAKE},
                                               {"forward", WPIN_DRIVE_FORWARD},
                                               {"reverse", WPIN_DRIVE_REVERSE}};
static const row_word phase_rows[ROW_WORDS] = {
    {"coast", WPIN_DRIVE_COAST}, {"brake", WPIN_DRIVE_BRAKE}, {"sector-0", SECTOR},
    {"sector-1", SECTOR + 1},    {"sector-2", SECTOR + 2},    {"sector-3", SECTOR + 3},
    {"sector-4", SECTOR + 4},    {"sector-5", SECTOR + 5}};
static const row_word stepper_rows[ROW_WORDS] = {
    {"coast", WPIN_DRIVE_COAST}, {"step-0", SECTOR},
    {"step-1", SECTOR + 1},      {"step-2", SECTOR + 2},
    {"step-3", SECTOR + 3},      {"step-4", SECTOR + 4},
    {"step-5", SECTOR + 5},      {"step-6", SECTOR + 6},
    {"step-7", SECTOR + 7},      {"rest", REST}};

static const row_word *rows_of(const wpin_own_stage *own) {
    if (own->kind.coils) {
        return stepper_rows;
    }
    return wpin_logic_of(own->kind.logic)->phases ? phase_rows : motor_rows;
}

/* A stepper's row of rest stands for eight: each state with the cells that are not kept. */
static void spread_rest(wpin_own_stage *own) {
    wpin_row *rest = NULL;
    for (size_t i = 0; i < own->table.row_count; i++) {
        rest = own->rows[i].drive == REST ? &own->rows[i] : rest;
    }
    if (rest == NULL) {
        return;
    }
    wpin_row changed = *rest;
    uint8_t keep = changed.keep, states = own->table.row_count;
    *rest = own->rows[--states];
    own->table.row_count = states;
    for (size_t i = 0; i < states && own->table.row_count < COUNT(own->rows); i++) {
        const wpin_row *state = &own->rows[i];
        if (state->drive < WPIN_DRIVE_SECTOR) {
            continue;
        }
        own->rows[own->table.row_count++] =
            (wpin_row){.drive = (uint8_t)(state->drive + 8),
                       .high = (uint8_t)(changed.high | (state->high & keep)),
                       .timed = (uint8_t)(changed.timed | (state->timed & keep)),
                       .floats = (uint8_t)(changed.floats | (state->floats & keep)),
                       .keep = (uint8_t)(state->keep & keep),
                       .complement = (uint8_t)(changed.complement | (state->complement & keep)),
                       .pulse = (uint8_t)(changed.pulse | (state->pulse & keep))};
    }
}

static void read_row(wpin_reader *reader, const yaml_node_pair_t *pair, wpin_own_stage *own) {
    static const char *const cells[] = {"low",   "high",  "duty", "complement",
                                        "float", "pulse", "keep"};
    const yaml_node_t *key = wpin_yaml_node(reader, pair->key);
    yaml_node_t *list = wpin_yaml_node(reader, pair->value);
    const row_word *words = rows_of(own);
    const char *names[ROW_WORDS];
    size_t count = 0;
    for (; count < ROW_WORDS && words[count].word != NULL; count++) {
        names[count] = words[count].word;
    }
    int found = wpin_find_word(reader, key, wpin_key_text(reader, pair), "row", names, count);
    if (found < 0 || own->table.row_count == count) {
        return;
    }
    if (wpin_list_size(list) != own->table.line_count) {
        wpin_say_at(reader, list, "row '%s' must be a list of %u cells, one for each line",
                    names[found], own->table.line_count);
        return;
    }
    wpin_row *row = &own->rows[own->table.row_count++];
    row->drive = words[found].drive;
    for (size_t i = 0; i < own->table.line_count; i++) {
        yaml_node_t *node = wpin_list_item(reader, list, i);
        const char *text = wpin_scalar(reader, node, "a cell");
        int cell = text == NULL ? -1 : wpin_find_word(reader, node, text, "cell", cells, 7);
        set_cell(row, i, cell < 0 ? WPIN_CELL_LOW : (wpin_cell)cell);
    }
}

static void read_legs(wpin_reader *reader, yaml_node_t *list, wpin_own_stage *own) {
    for (size_t i = 0; i < wpin_list_size(list) && i < 4; i++) {
        yaml_node_t *pair = wpin_list_item(reader, list, i);
        if (wpin_list_size(pair) != 2) {
            wpin_say_at(reader, pair, "a leg is a pair of lines that are never on together");
            continue;
        }
        int high = find_line(reader, wpin_list_item(reader, pair, 0), own);
        int low = find_line(reader, wpin_list_item(reader, pair, 1), own);
        if (high >= 0 && low >= 0) {
            own->legs[own->table.leg_count++] = (wpin_leg){(uint8_t)high, (uint8_t)low};
        }
    }
}

/* The driver behind an own table: a shipped one, its inputs in the order of its own lines. */
static void read_own_driver(wpin_reader *reader, yaml_node_t *node, wpin_own_stage *own) {
    const wpin_stage_kind *like = find_kind(reader, node, false);
    if (like == NULL) {
        return;
    }
    if (like->table->line_count != own->table.line_count) {
        wpin_say_at(reader, node, "a driver such as '%s' has %u inputs, this table has %u lines",
                    like->name, like->table->line_count, own->table.line_count);
    }
    own->kind.logic = like->logic;
    own->kind.off_phase = like->off_phase;
    own->kind.contacts = like->contacts;
    own->kind.coils = like->coils;
    own->kind.bare = like->bare;
    memcpy(own->kind.inputs, like->inputs, sizeof own->kind.inputs);
}

static wpin_own_stage *read_own(wpin_reader *reader, yaml_node_t *node) {
    yaml_node_t *nodes[COUNT(table_fields)];
    wpin_own_stage *own = calloc(1, sizeof *own);
    if (own == NULL) {
        reader->messages->out_of_memory = true;
        return NULL;
    }
    wpin_read_map(reader, node, "table", table_fields, COUNT(table_fields), own, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[TABLE_LINES] == NULL ||
        nodes[TABLE_ROWS] == NULL || nodes[TABLE_DRIVER] == NULL ||
        !read_line_names(reader, nodes[TABLE_LINES], own)) {
        free(own);
        return NULL;
    }
    own->kind = (wpin_stage_kind){.name = own_name,
                                  .words = "a table of the rig's own",
                                  .table = &own->table,
                                  .zero = "see the rows of its table"};
    for (size_t i = 0; i < own->table.line_count; i++) {
        own->kind.lines[i] = own->line_names[i];
    }
    own->table.rows = own->rows;
    own->table.legs = own->legs;
    read_own_driver(reader, nodes[TABLE_DRIVER], own);
    for (size_t i = 0; nodes[TABLE_MODES] != NULL && i < wpin_list_size(nodes[TABLE_MODES]); i++) {
        int line = find_line(reader, wpin_list_item(reader, nodes[TABLE_MODES], i), own);
        own->table.mode_lines |= (uint8_t)(line < 0 ? 0 : 1 << line);
    }
    if (nodes[TABLE_LEGS] != NULL) {
        read_legs(reader, nodes[TABLE_LEGS], own);
    }
    const yaml_node_t *rows = nodes[TABLE_ROWS];
    for (const yaml_node_pair_t *pair = rows->data.mapping.pairs.start;
         rows->type == YAML_MAPPING_NODE && pair < rows->data.mapping.pairs.top; pair++) {
        read_row(reader, pair, own);
    }
    if (own->kind.coils) {
        spread_rest(own);
    }
    return own;
}

/* ---- what must agree ---- */

static void check_rest(wpin_reader *reader, const yaml_node_t *node, wpin_rig_load *load,
                       bool given) {
    bool coasts = wpin_stage_kind_has(load->kind, WPIN_DRIVE_COAST);
    bool brakes = wpin_stage_kind_has(load->kind, WPIN_DRIVE_BRAKE);
    if (!given) {
        load->rest_brakes = !coasts;
    } else if (load->rest_brakes ? !brakes : !coasts) {
        wpin_say_at(reader, node, "at-rest: '%s' can't %s; expected %s (%s)", load->kind->name,
                    load->rest_brakes ? "brake" : "coast", load->rest_brakes ? "coast" : "brake",
                    load->kind->zero);
    }
}

/* The core itself has the last word on a table. */
static void check_table(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load) {
    const row_word *words = rows_of(load->own);
    for (unsigned i = 0; i < ROW_WORDS && words[i].word != NULL; i++) {
        bool needed = words[i].drive >= SECTOR && words[i].drive != REST;
        if (needed && !wpin_stage_kind_has(load->kind, (wpin_drive)words[i].drive)) {
            wpin_say_at(reader, node, "rows lack '%s'; expected %s", words[i].word,
                        load->kind->coils ? "all of step-0 to step-7"
                                          : "all of sector-0 to sector-5");
            return;
        }
    }
    wpin_status status = wpin_stage_kind_check(load->kind, load->limits.dead_time, 50, -1);
    if (status == WPIN_REFUSED_SHOOT) {
        wpin_say_at(reader, node, "a row turns on both lines of a leg%s",
                    load->limits.dead_time > 0 ? ""
                                               : "; with a dead time, duty and complement may "
                                                 "share one");
    } else if (status != WPIN_OK) {
        wpin_say_at(reader, node,
                    "the table does not hold: each row once, a coast or a brake row, one kind of "
                    "timed cell a line and none on a mode line, keep on mode lines only");
    }
}

/* A controller lets whole microseconds pass. */
static void round_up(wpin_rig_limits *l) {
    l->dead_time_asked = l->dead_time;
    l->dead_time = ceil(l->dead_time * 1e6 - 1e-6) * 1e-6;
    l->charge = ceil(l->charge * 1e6 - 1e-6) * 1e-6;
}

/* The low sides that charge the high sides' capacitors are those of a brake. */
static void check_charge(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load) {
    if (load->limits.charge > 0 && !wpin_stage_kind_has(load->kind, WPIN_DRIVE_BRAKE)) {
        wpin_say_at(reader, node,
                    "charge: its low sides are on in the row 'brake', and a stage '%s' has none",
                    load->kind->name);
    }
}

/* Where duty and its complement share a leg, both sides are off for the dead time, twice in each
 * period. */
static void check_dead_time(wpin_reader *reader, const yaml_node_t *node,
                            const wpin_rig_load *load) {
    double dead = load->limits.dead_time, hz = load->limits.pwm_hz;
    wpin_status status = node == NULL ? WPIN_OK : wpin_stage_kind_check(load->kind, dead, hz, -1);
    if (status == WPIN_REFUSED_SHOOT && load->own == NULL) { /* of an own table its rows say so */
        wpin_say_at(reader, node,
                    "dead-time: 0 us; '%s' switches one side of a leg as the other goes off; "
                    "expected a time, e.g. 1us",
                    load->kind->name);
    } else if (status == WPIN_REFUSED_DEAD_TIME) {
        wpin_say_at(reader, node,
                    "dead-time: %.4g us twice in each PWM period of %.4g us leaves nothing; "
                    "expected below %.4g us at this pwm",
                    dead * 1e6, 1e6 / hz, 5e5 / hz);
    }
}

static void check_pwm(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *pwm,
                      const wpin_rig *rig, const wpin_rig_load *load) {
    bool takes = wpin_stage_kind_has_pwm(load->kind);
    bool pulse = wpin_logic_of(load->kind->logic)->pulses;
    if (takes && pwm == NULL && !pulse) {
        wpin_say_at(reader, node, "stage lacks 'pwm'; '%s' needs its frequency, e.g. pwm: 20kHz",
                    load->kind->name);
    } else if (!takes && pwm != NULL) {
        wpin_say_at(reader, pwm, "'%s' knows on and off only and takes no pwm", load->kind->name);
    } else if (pulse && load->limits.pwm_hz > 400) {
        wpin_say_at(reader, pwm, "servo-style pulses come at 40 Hz to 400 Hz; expected e.g. 50Hz");
    } else if (pwm != NULL) {
        check_frequency(reader, pwm, rig, load);
    }
}

static void say_lines_lack(wpin_reader *reader, const yaml_node_t *node,
                           const wpin_stage_kind *kind) {
    char lines[160] = "";
    for (unsigned i = 0; i < kind->table->line_count; i++) {
        size_t used = strlen(lines);
        snprintf(lines + used, sizeof lines - used, "%s%s: %u", i > 0 ? ", " : "", kind->lines[i],
                 4 + i);
    }
    wpin_say_at(reader, node,
                "stage lacks 'pins': which pin each line of a '%s' is on; expected "
                "e.g. pins: {%s}",
                kind->name, lines);
}

/* What is told over a field bus has no lines here, everything else has. */
static bool check_lines(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                        const wpin_stage_kind *kind) {
    static const int of_lines[] = {STAGE_PINS, STAGE_INVERTED, STAGE_PWM, STAGE_DEAD};
    bool told = wpin_logic_of(kind->logic)->frames;
    if (!told && nodes[STAGE_PINS] == NULL) {
        say_lines_lack(reader, node, kind);
        return false;
    }
    for (size_t i = 0; told && i < COUNT(of_lines); i++) {
        if (nodes[of_lines[i]] != NULL) {
            wpin_say_at(reader, nodes[of_lines[i]],
                        "'%s' has no lines on this controller and takes no %s: its drive is "
                        "commanded over a field bus; expected kind and at-rest alone",
                        kind->name, stage_fields[of_lines[i]].key);
            return false;
        }
    }
    return true;
}

bool wpin_read_stage(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                     wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(stage_fields)];
    wpin_read_map(reader, node, "stage", stage_fields, COUNT(stage_fields), load, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[STAGE_KIND] == NULL) {
        return false;
    }
    if (is_own(nodes[STAGE_KIND])) {
        if (nodes[STAGE_TABLE] == NULL) {
            wpin_say_at(reader, nodes[STAGE_KIND], "'own-table' needs 'table' beside it");
            return false;
        }
        load->own = read_own(reader, nodes[STAGE_TABLE]);
        load->kind = load->own != NULL ? &load->own->kind : NULL;
    } else {
        load->kind = find_kind(reader, nodes[STAGE_KIND], true);
    }
    if (load->kind == NULL) {
        return false;
    }
    if (load->own != NULL) {
        check_table(reader, nodes[STAGE_TABLE], load);
    }
    if (wpin_logic_of(load->kind->logic)->pulses && nodes[STAGE_PWM] == NULL) {
        load->limits.pwm_hz = 50;
    }
    memcpy(load->inverted, load->kind->inverted, sizeof load->inverted);
    load->bridge.off_phase = load->kind->off_phase;
    load->bridge.interlock = !load->kind->bare;
    load->bridge.contact_delay = load->kind->contacts ? 8e-3 : (load->kind->solid ? 1e-3 : 0);
    load->bridge.contact_bounce = load->kind->contacts ? 1.5e-3 : 0;
    if (nodes[STAGE_INVERTED] != NULL) {
        wpin_read_lines(reader, nodes[STAGE_INVERTED], load->kind, "inverted", load->inverts);
        for (unsigned i = 0; i < WPIN_STAGE_LINES; i++) {
            load->inverted[i] = load->kind->inverted[i] != load->inverts[i];
        }
    }
    if (!check_lines(reader, node, nodes, load->kind)) {
        return false;
    }
    if (nodes[STAGE_PINS] != NULL) {
        wpin_read_stage_pins(reader, rig, nodes[STAGE_PINS], load);
    }
    if (nodes[STAGE_STATICS] != NULL) {
        wpin_read_statics(reader, nodes[STAGE_STATICS], load);
    }
    memcpy(load->wires, load->pins, sizeof load->wires);
    check_rest(reader, nodes[STAGE_REST] != NULL ? nodes[STAGE_REST] : node, load,
               nodes[STAGE_REST] != NULL);
    check_pwm(reader, node, nodes[STAGE_PWM], rig, load);
    round_up(&load->limits);
    if (nodes[STAGE_CHARGE] != NULL) {
        check_charge(reader, nodes[STAGE_CHARGE], load);
    }
    check_dead_time(reader, nodes[nodes[STAGE_DEAD] != NULL ? STAGE_DEAD : STAGE_PWM], load);
    return true;
}
