/* Signals that end what the tool does, in order. */
#define _GNU_SOURCE
#include "cli.h"
#include <signal.h>

static volatile int interrupted;

/* The first signal ends the run in order. Some senders signal twice; a third one insists. */
static void on_signal(int number) {
    if (++interrupted > 2) {
        signal(number, SIG_DFL);
        raise(number);
    }
}

volatile int *cli_catch_signals(void) {
    struct sigaction action = {.sa_handler = on_signal};
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGQUIT, &action, NULL);
    sigaction(SIGHUP, &action, NULL); /* its terminal was closed */
    return &interrupted;
}
