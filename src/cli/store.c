/* Puts a line of a load's own into a rig file, and loses nothing else. */
#define _GNU_SOURCE
#include "cli.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static size_t indent_of(const char *line) {
    return strspn(line, " ");
}

static bool begins(const char *line, const char *key) {
    line += indent_of(line);
    size_t length = strlen(key);
    return strncmp(line, key, length) == 0 && line[length] == ':';
}

/* Whether the value of a key ends on its line: a word or a number, or a map or list all of it. */
static bool is_one_line(const char *line) {
    const char *value = strchr(line, ':') + 1;
    value += strspn(value, " ");
    char closed = (char)(*value == '{' ? '}' : *value == '[' ? ']' : *value);
    return strchr(value, closed) != NULL && strchr("#|>\n\r", *value) == NULL;
}

/* Copies the rig with the line put first among the load's own; one of that key is replaced. False
 * when the load already has one in another form than a single line. */
static bool copy_with_line(FILE *from, FILE *to, unsigned load_line, const char *key,
                           const char *text) {
    char *line = NULL;
    size_t room = 0, inside = 0;
    bool good = true, written = false;
    for (unsigned number = 1; getline(&line, &room, from) >= 0; number++) {
        bool blank = line[strspn(line, " \n\r")] == '\0' || line[indent_of(line)] == '#';
        if (number > load_line && !written && !blank) {
            inside = indent_of(line);
            written = fprintf(to, "%*s%s\n", (int)inside, "", text) > 0;
        } else if (inside != 0 && !blank && indent_of(line) < inside) {
            inside = 0; /* behind the load */
        }
        if (inside != 0 && indent_of(line) == inside && begins(line, key)) {
            good = good && is_one_line(line);
            continue;
        }
        good = good && fputs(line, to) >= 0;
    }
    free(line);
    return good && written;
}

bool cli_store_line(const char *path, unsigned load_line, const char *key, const char *text) {
    char fresh[4096];
    snprintf(fresh, sizeof fresh, "%s.new", path);
    FILE *from = fopen(path, "r"), *to = from == NULL ? NULL : fopen(fresh, "w");
    bool good = to != NULL && copy_with_line(from, to, load_line, key, text);
    int error = errno;
    if (from != NULL) {
        fclose(from);
    }
    good = to != NULL && fclose(to) == 0 && good;
    wpin_messages messages = {0};
    wpin_rig *check = good ? wpin_rig_read(fresh, &messages) : NULL; /* lose nothing */
    good = check != NULL && rename(fresh, path) == 0;
    if (!good) {
        remove(fresh);
        cli_complain("%s was left as it is (%s): put this under the load by hand: %s", path,
                     to == NULL ? strerror(error) : "its layout is not one this can change", text);
    }
    wpin_rig_free(check);
    wpin_messages_free(&messages);
    return good;
}
