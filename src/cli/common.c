/* What the commands share: complaints, the files named, the load named. */
#define _GNU_SOURCE
#include "cli.h"
#include "windpin/host/quantity.h"
#include <errno.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <time.h>
#include <unistd.h>

void cli_complain(const char *format, ...) {
    va_list words;
    va_start(words, format);
    char *text = wpin_plain_text(format, words);
    va_end(words);
    fprintf(stderr, "windpin: %s\n", text != NULL ? text : "out of memory");
    free(text);
}

int cli_finish(int status) {
    if (fflush(stdout) != 0 || ferror(stdout)) {
        cli_complain("standard output can't be written: %s", strerror(errno));
        return EXIT_MET_FAULT;
    }
    return status;
}

#define MESSAGES_SHOWN 20 /* nobody reads more */

bool cli_colours(FILE *to) {
    const char *no = getenv("NO_COLOR");
    return isatty(fileno(to)) && (no == NULL || no[0] == '\0');
}

const char *cli_paint(wpin_verdict verdict) {
    static const char *const colours[] = {"\033[32m", "\033[33m", "\033[1;31m"};
    return cli_colours(stdout) ? colours[verdict] : "";
}

const char *cli_plain(void) {
    return cli_colours(stdout) ? "\033[0m" : "";
}

void cli_print_messages(wpin_messages *messages) {
    wpin_messages_sort(messages);
    size_t shown = messages->count > MESSAGES_SHOWN ? MESSAGES_SHOWN : messages->count;
    for (size_t i = 0; i < shown; i++) {
        const wpin_message *m = &messages->items[i];
        if (m->line != 0) {
            fprintf(stderr, "%s:%u:%u: %s\n", m->file, m->line, m->column, m->text);
        } else {
            fprintf(stderr, "%s: %s\n", m->file, m->text);
        }
    }
    if (shown < messages->count) {
        cli_complain("%zu more of these; mend the first ones, many of the others come from them",
                     messages->count - shown);
    }
    if (messages->out_of_memory) {
        cli_complain("out of memory");
    }
}

error_t cli_take_two(int key, char *arg, struct argp_state *state, const char **words,
                     const char *expected) {
    switch (key) {
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one too many; expected %s", arg, expected);
        }
        words[state->arg_num] = arg;
        return 0;
    case ARGP_KEY_END:
        if (state->arg_num < 2) {
            argp_error(state, "expected %s", expected);
        }
        return 0;
    default: return ARGP_ERR_UNKNOWN;
    }
}

unsigned cli_take_whole(const char *option, const char *arg, unsigned least, unsigned most,
                        struct argp_state *state) {
    char *rest;
    long value = strtol(arg, &rest, 10);
    if (*arg == '\0' || *rest != '\0' || value < (long)least || value > (long)most) {
        argp_error(state, "%s '%s': expected a whole number, %u to %u", option, arg, least, most);
    }
    return (unsigned)value;
}

double cli_take_spread(const char *arg, struct argp_state *state) {
    double spread = 0;
    char why[300];
    if (!wpin_quantity_read(arg, WPIN_SHARE, &spread, why, sizeof why) || spread < 0 ||
        spread > 0.5) {
        argp_error(state, "--spread %s: expected 0%% to 50%%", arg);
    }
    return spread;
}

wpin_rig *cli_read_rig(const char *path) {
    wpin_messages messages = {0};
    wpin_rig *rig = wpin_rig_read(path, &messages);
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    return rig;
}

int cli_find_load(const wpin_rig *rig, const char *path, const char *name) {
    int load = wpin_rig_find_load(rig, name);
    const char *near = load < 0 ? wpin_rig_nearest_load(rig, name) : NULL;
    if (near != NULL) {
        cli_complain("%s describes no load '%s'; did you mean '%s'?", path, name, near);
    } else if (load < 0) {
        cli_complain("%s describes no load '%s'; windpin rig %s lists them", path, name, path);
    }
    return load;
}

const wpin_stage_kind *cli_find_kind(const char *name) {
    enum { MOST = 64 };
    const char *names[MOST], *now = wpin_new_word(name);
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    for (size_t i = 0; i < count && i < MOST; i++) {
        names[i] = kinds[i].name;
        if (strcasecmp(name, kinds[i].name) == 0) {
            return &kinds[i];
        }
    }
    const char *near = wpin_nearest_word(name, names, count < MOST ? count : MOST);
    if (strcasecmp(name, "field-bus") == 0 || strcasecmp(name, "own-table") == 0) {
        cli_complain("'%s' is described in a rig: no table of it is known beforehand", name);
    } else if (now != NULL) {
        cli_complain("'%s' is called '%s' now", name, now);
    } else if (near != NULL) {
        cli_complain("unknown kind of stage '%s' (did you mean '%s'?); windpin stage lists them",
                     name, near);
    } else {
        cli_complain("unknown kind of stage '%s'; windpin stage lists them", name);
    }
    return NULL;
}

void cli_today(char *to, size_t size) {
    const char *fixed = getenv("SOURCE_DATE_EPOCH");
    time_t now = fixed != NULL ? (time_t)strtoll(fixed, NULL, 10) : time(NULL);
    struct tm day;
    strftime(to, size, "%Y-%m-%d", gmtime_r(&now, &day));
}
