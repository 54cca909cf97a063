/* What every machine has to agree on; see same.c. */
#ifndef SAME_H
#define SAME_H

#include <stdint.h>

enum { SAME_SUBJECTS = 17, SAME_ROUNDS = 40 };

/* The subjects told: all, or the one for whose motor alone the core was compiled. */
#ifdef SAME_ALONE
enum { SAME_FIRST = SAME_ALONE, SAME_LAST = SAME_ALONE };
#else
enum { SAME_FIRST = 0, SAME_LAST = SAME_SUBJECTS - 1 };
#endif

/* Checksum of all that a subject did in so many rounds. */
uint32_t same_sum(uint8_t subject, uint16_t rounds);

#endif
