/* What every machine has to agree on; see same.c. */
#ifndef SAME_H
#define SAME_H

#include <stdint.h>

enum { SAME_SUBJECTS = 8, SAME_ROUNDS = 40 };

/* Checksum of all that a subject did in so many rounds. */
uint32_t same_sum(uint8_t subject, uint16_t rounds);

#endif
