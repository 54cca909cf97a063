/* The shelf: a pump on this kernel's pins, the tool on it, and what the chips saw. */
#ifndef WPIN_TESTS_LINUX_SHELF_H
#define WPIN_TESTS_LINUX_SHELF_H

#include "../support.h"
#include "kernel.h"
#include <sys/types.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define RIG          "/mnt/rig.yaml"

extern kernel_entry entries[32768];

/* A pump with direction, PWM and brake on lines 4 and 7 and channel 0, a stop input on the other
 * chip, which opens; and more lines of the rig. */
void write_rig(const char *more);
void write_plan(void);
/* The stop input is taken out: nobody closes its contact. */
void without_stop(void);
/* Starts the tool on the rig and plan; its words go to a file. */
pid_t start(const char *say);
/* The rig and plan, up to where the pump runs evenly. */
pid_t start_and_cruise(void);
int end_of(pid_t child);
const char *text_of(const char *path);
pid_t find_guardian(void);
/* Whether PWM was off at the end; since when. */
bool ended_quiet(size_t count, double *since);
double highest_duty(size_t count);

#endif
