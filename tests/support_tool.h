/* The command-line tool, run from outside. */
#ifndef WPIN_TESTS_SUPPORT_TOOL_H
#define WPIN_TESTS_SUPPORT_TOOL_H

#include "support.h"
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define RIG   TEST_SOURCE "/demo/honey-pump.yaml"
#define PLAN  TEST_SOURCE "/demo/honey-pump.plan"
#define HOUSE TEST_SOURCE "/demo/honey-house.yaml"

/* What it printed last. */
extern char output[200000];
/* Runs it with arguments; must return `status`, and print every one of the words (up to NULL). */
void tool(int status, const char *const *words, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
#define SAYS(...)    ((const char *const[]){__VA_ARGS__, NULL})
#define NOTHING_MORE ((const char *const[]){NULL})

/* All of a file; of the caller. */
char *contents(const char *path);
/* The demo's rig with one thing in it changed. */
const char *changed_rig(const char *from, const char *to);
/* The same with rules accepted by name, so that what vetting refuses is run all the same. */
const char *accepted_rig(const char *rules, const char *from, const char *to);

#endif
