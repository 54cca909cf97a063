/* The tool with its page, as a process; and a guest of the page, on a socket. */
#ifndef WPIN_TESTS_SUPPORT_PAGE_H
#define WPIN_TESTS_SUPPORT_PAGE_H

#include "support.h"
#include <sys/types.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define PUMP         TEST_SOURCE "/demo/honey-pump.yaml"

typedef struct tool {
    pid_t child;
    int port;
    char token[64];
    FILE *said; /* its standard error */
} tool;

/* With options of the page, up to a NULL; with the page alone. Its exit status in the end. */
tool start_with(const char *const *options);
tool start(void);
int end(tool *t);
double now(void);

int dial(const tool *t);
void put(int s, const void *bytes, size_t count);
/* Reads until some words have come, it is closed, or time is over. Whether they came. */
bool hear(int s, const char *words, double seconds, char *all, size_t size);
/* A frame; masked as a client's has to be, or not. */
void frame(int s, unsigned char first, bool masked, const char *bytes, size_t count);
void say(int s, const char *line);
/* Asks for a WebSocket; NULL leaves a header out. Whether that was granted. */
bool upgrade(int s, const char *host, const char *origin, const char *protocol);
/* A guest that is let in. */
int enter(const tool *t);

#endif
