/* A second process that brings outputs to their safe level when the first one ends in any way, or
 * is not heard for a while. PWM of sysfs goes on when its owner dies, and so do lines on most
 * chips.
 */
#ifndef WPIN_PORTS_GUARDIAN_H
#define WPIN_PORTS_GUARDIAN_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <sys/types.h>

/* What both see. */
typedef struct wpin_guardian_page wpin_guardian_page;

typedef struct wpin_guardian {
    pid_t process; /* 0: none */
    int handle;    /* pidfd */
    int socket;    /* outputs are told over it */
    wpin_guardian_page *page;
} wpin_guardian;

/* How an output is made safe. */
typedef enum wpin_guarded {
    WPIN_GUARDED_LOW,
    WPIN_GUARDED_HIGH,
    WPIN_GUARDED_FLOATS,  /* a line that becomes an input */
    WPIN_GUARDED_CHANNEL, /* the file of a duty_cycle: "0" */
    WPIN_GUARDED_KEPT     /* a file that is only held open: a lock */
} wpin_guarded;

/* Starts it. `protection` tells what it could not have (""). False: errno. */
bool wpin_guardian_start(wpin_guardian *g, double silence, char *protection, size_t size);
/* Hands it the file of an output; it has it when this returns. False: it is gone. */
bool wpin_guardian_add(wpin_guardian *g, wpin_guarded how, int file);
/* This process is alive. */
void wpin_guardian_beat(wpin_guardian *g);
/* From now on silence is minded, or not. */
void wpin_guardian_mind(wpin_guardian *g, bool minds);
/* Whether it acted, or is gone: nothing may move any more. */
bool wpin_guardian_acted(const wpin_guardian *g);
bool wpin_guardian_gone(const wpin_guardian *g);
/* It makes everything safe now, and ends. */
void wpin_guardian_end(wpin_guardian *g);

#endif
