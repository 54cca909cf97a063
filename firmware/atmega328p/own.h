/* What the files of this chip share. */
#ifndef OWN_H
#define OWN_H

#include "../chip.h"

enum { CHIP_TICK_US = 1000, CHIP_US_A_COUNT = 4 }; /* of timer 0 */
extern volatile uint32_t chip_ticked_us;           /* at its last tick */
extern wpin_quadrature chip_counts[CHIP_COUNTERS];

#endif
