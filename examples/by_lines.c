/* The pump driven by a program that talks with windpin live in lines: one request a line, one line
 * of JSON for each; "alive" says that the program is still there. */
#define _GNU_SOURCE
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

int main(void) {
    int asks[2], tells[2];
    if (pipe(asks) != 0 || pipe(tells) != 0) {
        return 1;
    }
    if (fork() == 0) {
        dup2(asks[0], STDIN_FILENO);
        dup2(tells[1], STDOUT_FILENO);
        close(asks[1]); /* else it would never see the end */
        execl(WINDPIN_TOOL, "windpin", "live", HONEY_HOUSE_DEMO "/honey-pump.yaml", "--lines",
              "--confirmed", (char *)NULL);
        _exit(1);
    }
    signal(SIGPIPE, SIG_IGN); /* after "bye" nobody listens any more */
    close(asks[0]);
    close(tells[1]);
    FILE *ask = fdopen(asks[1], "w"), *tell = fdopen(tells[0], "r");
    fputs("command\narm\nmain on\nreport 10Hz\npump run 40% for 2s\n", ask);
    fflush(ask);
    char line[4096];
    while (fgets(line, sizeof line, tell) != NULL) {
        if (strncmp(line, "{\"state\"", 8) == 0) {
            fputs("alive\n", ask); /* ten times a second: 250 ms of silence would stop it */
        } else if (strstr(line, "\"news\"") != NULL || strstr(line, "\"ok\":false") != NULL) {
            printf("%s", line);
        }
        if (strstr(line, "pump run 40% for 2s: ") != NULL) {
            fputs("bye\n", ask);
        }
        fflush(ask);
    }
    printf("Done.\n");
    return 0;
}
