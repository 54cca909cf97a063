/* windpin size SHEET key=quantity ...: the desk calculator. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/sheet.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { KEY_JSON = 256, WORDS_MAX = 24 };

typedef struct size_arguments {
    const char *words[WORDS_MAX];
    size_t count;
    bool json;
} size_arguments;

static const struct argp_option options[] = {{"json", KEY_JSON, NULL, 0, "Print as JSON", 0}, {0}};

static const char doc[] =
    "Works out one part: the formula with your numbers in it, the preferred value rounded the "
    "right way, the margin, the worst case over tolerances, a verdict, and what to check next. "
    "Without arguments lists the sheets; with the name of one its quantities. What must be given "
    "and is not is asked for on a terminal.\v"
    "Example:\n"
    "  windpin size base-resistor load=120mA gain=20\n"
    "\n"
    "Exit status: 0 it holds; 1 it does not; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    size_arguments *a = state->input;
    switch (key) {
    case KEY_JSON: a->json = true; break;
    case ARGP_KEY_ARG:
        if (a->count == WORDS_MAX) {
            argp_error(state, "'%s' is one word too many", arg);
        }
        a->words[a->count++] = arg;
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* ---- inputs ---- */

static bool take(const wpin_sheet_input *input, const char *text, double *value) {
    char why[320], low[40], high[40];
    if (!wpin_quantity_read(text, input->dimension, value, why, sizeof why)) {
        cli_complain("%s: %s", input->key, why);
        return false;
    }
    if (*value < input->least || *value > input->most) {
        cli_complain("%s: %s is out of range; expected %s to %s", input->key, text,
                     wpin_quantity_write(low, sizeof low, input->least, input->dimension),
                     wpin_quantity_write(high, sizeof high, input->most, input->dimension));
        return false;
    }
    if (input->whole && *value != floor(*value)) {
        cli_complain("%s: %s is not a whole number; it counts %s", input->key, text, input->words);
        return false;
    }
    return true;
}

/* key=quantity */
static bool take_word(const wpin_sheet *sheet, const char *word, double *values, bool *given) {
    char key[64];
    const char *equals = strchr(word, '=');
    snprintf(key, sizeof key, "%.*s", equals != NULL ? (int)(equals - word) : 60, word);
    int i = wpin_sheet_input_find(sheet, key);
    if (equals == NULL || i < 0) {
        const char *keys[WPIN_SHEET_INPUTS];
        size_t count = 0;
        for (; sheet->inputs[count].key != NULL; count++) {
            keys[count] = sheet->inputs[count].key;
        }
        const char *near = wpin_nearest_word(key, keys, count);
        cli_complain("'%s' is not a quantity of '%s'%s%s%s; expected e.g. %s", word, sheet->name,
                     near != NULL && i < 0 ? " (did you mean '" : "",
                     near != NULL && i < 0 ? near : "", near != NULL && i < 0 ? "='?)" : "",
                     sheet->example);
        return false;
    }
    if (given[i]) {
        cli_complain("'%s' is given twice", key);
        return false;
    }
    given[i] = true;
    return take(&sheet->inputs[i], equals + 1, &values[i]);
}

/* Asks on a terminal until the answer is a quantity; false at its end. */
static bool ask(const wpin_sheet_input *input, double *value) {
    char *line = NULL;
    size_t room = 0;
    bool got = false;
    while (!got) {
        fprintf(stderr, "%s (%s), e.g. %s: ", input->key, input->words,
                wpin_quantity_example(input->dimension));
        if (getline(&line, &room, stdin) < 0) {
            break;
        }
        line[strcspn(line, "\n")] = '\0';
        got = take(input, line, value);
    }
    free(line);
    return got;
}

/* What must be given and is not: asked for on a terminal, else an error that names it all. */
static bool complete(const wpin_sheet *sheet, double *values) {
    bool can_ask = isatty(STDIN_FILENO) && isatty(STDERR_FILENO), good = true;
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        if (!isnan(values[i])) {
            continue;
        }
        if (can_ask && !ask(&sheet->inputs[i], &values[i])) {
            return false;
        }
        if (!can_ask) {
            cli_complain("'%s' is missing: %s", sheet->inputs[i].key, sheet->inputs[i].words);
            good = false;
        }
    }
    if (!good) {
        cli_complain("expected e.g. windpin size %s %s", sheet->name, sheet->example);
    }
    return good;
}

/* ---- output ---- */

static void print_value(char *to, size_t size, double value, wpin_dimension dimension) {
    if (dimension == WPIN_SHARE) {
        wpin_plain(to, size, "%.3g %%", value * 100);
    } else {
        wpin_quantity_write(to, size, value, dimension);
    }
}

static void print_answer(const wpin_sheet *sheet, const wpin_answer *a) {
    char value[40];
    printf("%s: %s\n\n", sheet->name, sheet->words);
    for (unsigned i = 0; i < a->line_count; i++) {
        print_value(value, sizeof value, a->lines[i].value, a->lines[i].dimension);
        printf("  %-32s %12s   %s\n", a->lines[i].label, value, a->lines[i].formula);
    }
    printf("\n");
    if (!isnan(a->margin)) {
        cli_say("  margin   %.2f %s\n", a->margin, sheet->margin);
    }
    if (a->worst_words[0] != '\0') {
        cli_say("  worst    %.2f, with %s\n", a->worst, a->worst_words);
    }
    printf("  verdict  %s: %s\n  next     %s\n", wpin_severity_word(a->severity), a->verdict,
           a->next);
}

static json_t *number(double value) {
    return isfinite(value) ? json_real(value) : json_null();
}

static void print_json(const wpin_sheet *sheet, const wpin_answer *a) {
    json_t *lines = json_array();
    for (unsigned i = 0; i < a->line_count; i++) {
        char text[40];
        print_value(text, sizeof text, a->lines[i].value, a->lines[i].dimension);
        json_array_append_new(lines, json_pack("{s:s, s:o, s:s, s:s}", "label", a->lines[i].label,
                                               "si", number(a->lines[i].value), "text", text,
                                               "formula", a->lines[i].formula));
    }
    cli_dump_json(json_pack("{s:s, s:o, s:o, s:o, s:o, s:s, s:s, s:s, s:s}", "sheet", sheet->name,
                            "lines", lines, "chosen_si", number(a->chosen), "margin",
                            number(a->margin), "worst_margin", number(a->worst), "worst_case",
                            a->worst_words, "severity", wpin_severity_word(a->severity), "verdict",
                            a->verdict, "next", a->next));
}

static void list_sheets(void) {
    unsigned count;
    const wpin_sheet *sheets = wpin_sheets(&count);
    for (unsigned i = 0; i < count; i++) {
        printf("%-14s %s\n", sheets[i].name, sheets[i].words);
    }
    printf("%-14s which kind of stage fits what you wish\n", "stage");
    printf("\nwindpin size SHEET shows what it takes.\n");
}

static void show_inputs(const wpin_sheet *sheet) {
    printf("%s: %s\n\n", sheet->name, sheet->words);
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        const wpin_sheet_input *n = &sheet->inputs[i];
        char otherwise[40] = "must be given";
        if (!isnan(n->otherwise)) {
            print_value(otherwise, sizeof otherwise, n->otherwise, n->dimension);
        }
        printf("  %-14s %-15s %s", n->key, otherwise, n->words);
        if (n->tolerance > 0) {
            cli_say(" (taken as %g %% either way)", n->tolerance * 100);
        }
        printf("\n");
    }
    printf("\nExample: windpin size %s %s\n", sheet->name, sheet->example);
}

static const wpin_sheet *find_sheet(const char *name) {
    const wpin_sheet *sheet = wpin_sheet_find(name);
    if (sheet != NULL) {
        return sheet;
    }
    unsigned count;
    const wpin_sheet *sheets = wpin_sheets(&count);
    const char *names[40] = {"stage"};
    for (unsigned i = 0; i < count; i++) {
        names[i + 1] = sheets[i].name;
    }
    const char *near = wpin_nearest_word(name, names, count + 1);
    cli_complain("unknown sheet '%s'%s%s%s; windpin size lists them", name,
                 near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
                 near != NULL ? "'?)" : "");
    return NULL;
}

static int work_out(const size_arguments *a, const wpin_sheet *sheet) {
    double values[WPIN_SHEET_INPUTS];
    bool given[WPIN_SHEET_INPUTS] = {false}, good = true;
    wpin_sheet_defaults(sheet, values);
    for (size_t i = 1; i < a->count; i++) {
        good = take_word(sheet, a->words[i], values, given) && good;
    }
    if (!good || !complete(sheet, values)) {
        return EXIT_WRONG_INPUT;
    }
    wpin_answer answer;
    wpin_sheet_work_out(sheet, values, &answer);
    if (a->json) {
        print_json(sheet, &answer);
    } else {
        print_answer(sheet, &answer);
    }
    return answer.severity == WPIN_REFUSE ? EXIT_MET_FAULT : EXIT_FINE;
}

int cmd_size(int argc, char **argv) {
    static const struct argp argp = {options, parse, "[SHEET [KEY=QUANTITY ...]]", doc, NULL,
                                     NULL,    NULL};
    size_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (a.count == 0) {
        list_sheets();
        return EXIT_FINE;
    }
    if (strcmp(a.words[0], "stage") == 0) {
        return cli_size_stage(a.words + 1, a.count - 1, a.json);
    }
    const wpin_sheet *sheet = find_sheet(a.words[0]);
    if (sheet == NULL) {
        return EXIT_WRONG_INPUT;
    }
    if (a.count == 1 && !isatty(STDIN_FILENO)) {
        show_inputs(sheet);
        return EXIT_FINE;
    }
    return work_out(&a, sheet);
}
