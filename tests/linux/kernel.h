/* The hardware of the kernel under test: its log, and hands on its inputs. */
#ifndef WPIN_TEST_KERNEL_H
#define WPIN_TEST_KERNEL_H

#include <stdbool.h>
#include <stddef.h>

/* A change of a line or channel, as the simulated chip saw it. */
typedef struct kernel_entry {
    double seconds;
    enum { KERNEL_OUT, KERNEL_IN, KERNEL_PWM } kind;
    unsigned number;
    bool level;          /* of a channel: it is on... */
    bool inverted;       /* ...and inverted */
    double duty, period; /* of a channel that is on; s */
} kernel_entry;

void kernel_forget(void);
size_t kernel_log(kernel_entry *entries, size_t most);
/* Pulls an input up or down from outside. */
void kernel_pull(unsigned line, bool up);
double kernel_now(void);
void kernel_sleep(double seconds);

#endif
