/* windpin stage [KIND | RIG LOAD]: prints a truth table in plain words. */
#include "cli_json.h"
#include <argp.h>
#include <stdio.h>
#include <string.h>

typedef struct stage_arguments {
    const char *first, *second;
    bool json;
} stage_arguments;

enum { KEY_JSON = 256 };
static const struct argp_option options[] = {
    {"json", KEY_JSON, NULL, 0, "Print a kind's table as JSON", 0}, {0}};

static const char doc[] =
    "Without arguments lists the kinds of power stage. With the name of a kind, or a rig and one "
    "of its loads, prints the truth table that runs: each state, the level of each line, and what "
    "off, coast, brake and zero duty really do.\v"
    "Example:\n"
    "  windpin stage direction-pwm-standby\n"
    "  windpin stage demo/honey-pump.yaml pump\n"
    "The second has the pins and the polarity of a rig.\n"
    "\n"
    "Exit status: 0 fine; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    stage_arguments *a = state->input;
    if (key == KEY_JSON) {
        a->json = true;
        return 0;
    }
    if (key == ARGP_KEY_ARG) {
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one word too many; expected a kind, or a rig and a load",
                       arg);
        }
        *(state->arg_num == 0 ? &a->first : &a->second) = arg;
        return 0;
    }
    return key == ARGP_KEY_END || key == ARGP_KEY_INIT || key == ARGP_KEY_FINI ||
                   key == ARGP_KEY_SUCCESS || key == ARGP_KEY_NO_ARGS
               ? 0
               : ARGP_ERR_UNKNOWN;
}

static const char *cell_word(wpin_cell cell, bool inverted) {
    static const char *const plain[] = {"low",   "high",  "PWM",      "PWM inverse",
                                        "float", "pulse", "as it was"};
    static const char *const other[] = {"high",  "low",   "PWM inverse", "PWM",
                                        "float", "pulse", "as it was"};
    return inverted ? other[cell] : plain[cell];
}

static const char *const states[] = {"coast", "brake", "forward", "reverse"};

static const char *state_name(char *to, size_t size, const wpin_stage_kind *kind, uint8_t state) {
    if (state < WPIN_DRIVE_SECTOR) {
        snprintf(to, size, "%s", states[state]);
    } else if (state == WPIN_DRIVE_VECTOR && wpin_stage_kind_is_three_phase(kind)) {
        snprintf(to, size, "vector");
    } else {
        int number = state - (int)WPIN_DRIVE_SECTOR;
        bool rests = kind->coils && number >= 8;
        snprintf(to, size, "%s %d", rests ? "rest" : (kind->coils ? "step" : "sector"),
                 rests ? number - 8 : number);
    }
    return to;
}

/* What a row does: of a three-phase stage which phases carry the current while it drives forward;
 * of a stepper's table which windings are on, where the even ones of the eight hold with one. */
static const char *state_meaning(const wpin_stage_kind *kind, uint8_t state) {
    static const char *const words[] = {"the load coasts", "the motor is shorted",
                                        "driven by the duty", "driven by the duty"};
    static const char *const phases[] = {"A to B", "A to C", "B to C",
                                         "B to A", "C to A", "C to B"};
    if (wpin_stage_kind_is_three_phase(kind) && state == WPIN_DRIVE_VECTOR) {
        return "each leg by a duty of its own: field orientation";
    }
    if (wpin_stage_kind_is_three_phase(kind) && state >= WPIN_DRIVE_SECTOR) {
        return phases[(state - WPIN_DRIVE_SECTOR) % 6];
    }
    if (state >= WPIN_DRIVE_SECTOR + 8) {
        return "how it rests there";
    }
    if (state >= WPIN_DRIVE_SECTOR) {
        return (state - WPIN_DRIVE_SECTOR) % 2 == 0 ? "one winding on (half steps only)"
                                                    : "both windings on";
    }
    if (kind->coils) {
        return "both windings off";
    }
    bool driven = state >= WPIN_DRIVE_FORWARD;
    return driven && !wpin_stage_kind_takes_duty(kind) ? "fully on" : words[state];
}

/* A stage as it is to be shown: of a load as it is wired, or as its kind is by nature. */
typedef struct shown {
    const wpin_stage_kind *kind;
    const bool *inverted;
    const uint8_t *pins;       /* NULL: of no load */
    const wpin_rig_hall *hall; /* the same */
    bool reversed;
} shown;

/* The row whose levels are on the pins in a state: of a reversed load the other way's. */
static uint8_t row_on_pins(const shown *s, uint8_t row) {
    uint8_t state = s->kind->table->rows[row].drive;
    bool driven = state == WPIN_DRIVE_FORWARD || state == WPIN_DRIVE_REVERSE;
    if (!s->reversed || !driven) {
        return row;
    }
    uint8_t other = wpin_table_row(
        s->kind->table, state == WPIN_DRIVE_FORWARD ? WPIN_DRIVE_REVERSE : WPIN_DRIVE_FORWARD);
    return other == WPIN_NO_ROW ? row : other;
}

static void print_row(const shown *s, unsigned row) {
    char name[20];
    const wpin_stage_kind *kind = s->kind;
    const wpin_rig_hall *hall = s->hall;
    uint8_t state = kind->table->rows[row].drive, on_pins = row_on_pins(s, (uint8_t)row);
    printf("  %-9s", state_name(name, sizeof name, kind, state));
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        printf(" %-13s",
               cell_word(wpin_table_cell(kind->table, on_pins, (uint8_t)l), s->inverted[l]));
    }
    printf(" %s", state_meaning(kind, state));
    if (hall != NULL && hall->there && state >= WPIN_DRIVE_SECTOR && state != WPIN_DRIVE_VECTOR) {
        uint8_t code = hall->codes[(state - WPIN_DRIVE_SECTOR) % 6];
        printf(", sensors c b a: %u %u %u", code >> 2 & 1U, code >> 1 & 1U, code & 1U);
    }
    printf("\n");
}

static void print_missing(const wpin_stage_kind *kind) {
    static const struct {
        wpin_drive state;
        const char *words;
    } wanted[] = {
        {WPIN_DRIVE_COAST, "coast"}, {WPIN_DRIVE_BRAKE, "brake"}, {WPIN_DRIVE_REVERSE, "reverse"}};
    if (kind->coils) {
        return;
    }
    for (size_t i = 0; i < sizeof wanted / sizeof *wanted; i++) {
        if (!wpin_stage_kind_has(kind, wanted[i].state)) {
            printf("  This stage can not %s.\n", wanted[i].words);
        }
    }
    if (!wpin_stage_kind_takes_duty(kind)) {
        printf("  This stage knows on and off only.\n");
    }
}

static void print_order(const wpin_stage_table *table, const wpin_stage_kind *kind) {
    printf("  Between rows: what is on turns off; dead time; ");
    bool any = false;
    for (unsigned l = 0; l < table->line_count; l++) {
        if ((table->mode_lines >> l & 1) != 0) {
            printf("%s%s", any ? ", then " : "", kind->lines[l]);
            any = true;
        }
    }
    printf("%sthe rest turns on.\n", any ? "; dead time; " : "");
    for (unsigned l = 0; l < table->leg_count; l++) {
        printf("  Never on together: %s and %s.\n", kind->lines[table->legs[l].high_side],
               kind->lines[table->legs[l].low_side]);
    }
}

static void print_kind(const shown *s) {
    const wpin_stage_kind *kind = s->kind;
    const uint8_t *pins = s->pins;
    printf("%s: %s\n\n  %-9s", kind->name, kind->words, "");
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        char head[64];
        if (pins != NULL) {
            snprintf(head, sizeof head, "%s (%u)", kind->lines[l], pins[l]);
        } else {
            snprintf(head, sizeof head, "%s", kind->lines[l]);
        }
        printf(" %-13s", head);
    }
    printf("\n");
    for (unsigned row = 0; row < kind->table->row_count; row++) {
        print_row(s, row);
    }
    printf("\n");
    print_missing(kind);
    printf("  Stop: %s.\n", kind->zero);
    if (wpin_stage_kind_is_three_phase(kind)) {
        printf("  %s in each sector by its row, %s by the row three sectors on.\n",
               s->reversed ? "Reverse" : "Forward", s->reversed ? "forward" : "in reverse");
    }
    print_order(kind->table, kind);
}

/* The table as it stands on the pins. */
static json_t *kind_json(const shown *s) {
    const wpin_stage_kind *kind = s->kind;
    const uint8_t *pins = s->pins;
    json_t *rows = json_array(), *lines = json_array();
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        json_array_append_new(lines, json_pack("{s:s, s:o}", "line", kind->lines[l], "pin",
                                               pins != NULL ? json_integer(pins[l]) : json_null()));
    }
    for (unsigned row = 0; row < kind->table->row_count; row++) {
        char name[20];
        json_t *cells = json_array();
        for (unsigned l = 0; l < kind->table->line_count; l++) {
            wpin_cell cell = wpin_table_cell(kind->table, row_on_pins(s, (uint8_t)row), (uint8_t)l);
            json_array_append_new(cells, json_string(cell_word(cell, s->inverted[l])));
        }
        uint8_t state = kind->table->rows[row].drive;
        json_array_append_new(rows, json_pack("{s:s, s:o, s:s}", "state",
                                              state_name(name, sizeof name, kind, state), "levels",
                                              cells, "means", state_meaning(kind, state)));
    }
    return json_pack("{s:s, s:s, s:b, s:s, s:o, s:o}", "kind", kind->name, "words", kind->words,
                     "takes_duty", (int)wpin_stage_kind_takes_duty(kind), "stop", kind->zero,
                     "lines", lines, "rows", rows);
}

static void show(const stage_arguments *a, const shown *s) {
    if (a->json) {
        cli_dump_json(kind_json(s));
    } else {
        print_kind(s);
    }
}

static void list_kinds(void) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    for (size_t i = 0; i < count; i++) {
        printf("%-26s %s\n", kinds[i].name, kinds[i].words);
    }
    printf("%-26s a truth table of the rig's own (docs/rig.md)\n", "own-table");
    printf("%-26s a drive on a field bus, which has no table (docs/fieldbus.md)\n", "field-bus");
}

static int show_kind(const stage_arguments *a, const char *name) {
    const wpin_stage_kind *kind = cli_find_kind(name);
    if (kind == NULL) {
        return EXIT_WRONG_INPUT;
    }
    show(a, &(shown){.kind = kind, .inverted = kind->inverted});
    return EXIT_FINE;
}

static int show_load(const stage_arguments *a, const char *path, const char *name) {
    wpin_rig *rig = cli_read_rig(path);
    if (rig == NULL) {
        return EXIT_WRONG_INPUT;
    }
    int load = cli_find_load(rig, path, name);
    if (load >= 0 && rig->loads[load].axis.there) {
        cli_complain("'%s' is a drive on a field bus: no line leads to it, and so it has no truth "
                     "table; windpin field settings lists what it is set to",
                     name);
        wpin_rig_free(rig);
        return EXIT_WRONG_INPUT;
    }
    if (load >= 0) {
        if (!a->json) {
            printf("load %s: levels as on the pins%s\n", rig->loads[load].name,
                   rig->loads[load].reversed ? ", reversed" : "");
        }
        const wpin_rig_load *l = &rig->loads[load];
        show(a, &(shown){l->kind, l->inverted, l->pins, &l->hall, l->reversed});
    }
    wpin_rig_free(rig);
    return load >= 0 ? EXIT_FINE : EXIT_WRONG_INPUT;
}

int cmd_stage(int argc, char **argv) {
    static const struct argp argp = {options, parse, "[KIND | RIG LOAD]", doc, NULL, NULL, NULL};
    stage_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (a.first == NULL) {
        list_kinds();
        return EXIT_FINE;
    }
    return a.second == NULL ? show_kind(&a, a.first) : show_load(&a, a.first, a.second);
}
