/* Rigs whose wiring was gone through once: $XDG_STATE_HOME/windpin/confirmed, a line each of
 * fingerprint and date. */
#define _GNU_SOURCE
#include "confirmed.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>

/* The file, its folders made where that was asked; "" where no home is known. */
static void path_of(char *to, size_t size, bool make) {
    const char *state = getenv("XDG_STATE_HOME"), *home = getenv("HOME");
    to[0] = '\0';
    if (state != NULL && state[0] == '/') {
        snprintf(to, size, "%s/windpin/confirmed", state);
    } else if (home != NULL && home[0] == '/') {
        snprintf(to, size, "%s/.local/state/windpin/confirmed", home);
    }
    for (char *slash = make && to[0] != '\0' ? strchr(to + 1, '/') : NULL; slash != NULL;
         slash = strchr(slash + 1, '/')) {
        *slash = '\0';
        mkdir(to, 0700);
        *slash = '/';
    }
}

bool cli_was_confirmed(const wpin_rig *rig) {
    char path[4096], line[128];
    bool found = false;
    path_of(path, sizeof path, false);
    FILE *file = fopen(path, "r");
    while (file != NULL && !found && fgets(line, sizeof line, file) != NULL) {
        found = strtoul(line, NULL, 16) == rig->fingerprint && line[0] != '\n';
    }
    if (file != NULL) {
        fclose(file);
    }
    return found;
}

void cli_confirm(const wpin_rig *rig) {
    char path[4096], date[32] = "";
    time_t now = time(NULL);
    struct tm day;
    if (cli_was_confirmed(rig)) {
        return;
    }
    path_of(path, sizeof path, true);
    FILE *file = fopen(path, "a");
    if (file != NULL) {
        strftime(date, sizeof date, "%Y-%m-%d", localtime_r(&now, &day));
        fprintf(file, "%08x %s\n", rig->fingerprint, date);
        fclose(file);
    }
}
