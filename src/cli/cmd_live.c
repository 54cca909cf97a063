/* windpin live: a program of its own, for page and bus need libraries that no other command does.
 * This one becomes it. */
#define _GNU_SOURCE
#include "cli.h"
#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* Beside this program or where it is installed; false where it is at neither. */
static bool find(char *to, size_t size) {
    static const char *const places[] = {"windpin-live", "../libexec/windpin/windpin-live"};
    char here[4000];
    ssize_t length = readlink("/proc/self/exe", here, sizeof here - 1);
    here[length < 0 ? 0 : length] = '\0';
    char *slash = strrchr(here, '/');
    for (size_t i = 0; slash != NULL && i < sizeof places / sizeof *places; i++) {
        snprintf(to, size, "%.*s/%s", (int)(slash - here), here, places[i]);
        if (access(to, X_OK) == 0) {
            return true;
        }
    }
    snprintf(to, size, "%s", WPIN_INSTALLED_LIVE);
    return access(to, X_OK) == 0;
}

int cmd_live(int argc, char **argv) {
    char path[4200];
    (void)argc;
    if (!find(path, sizeof path)) {
        cli_complain("its program windpin-live is neither beside this one nor at %s: install "
                     "windpin anew",
                     WPIN_INSTALLED_LIVE);
        return EXIT_WRONG_INPUT;
    }
    execv(path, argv);
    cli_complain("%s can't be started: %s", path, strerror(errno));
    return EXIT_MET_FAULT;
}
