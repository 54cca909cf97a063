/* How many milliseconds a time has. */
#include "countdown.h"
#include "rare.h"

/* A thousandth, rounded down: of its upper byte, at most two less than of the whole. */
WPIN_RARE uint8_t wpin_rare_whole_ms(uint16_t us) {
    uint8_t ms = (uint8_t)((unsigned)(us >> 8) * 65U >> 8);
    for (us = (uint16_t)(us - ms * 1000U); us >= 1000; us = (uint16_t)(us - 1000U)) {
        ms++;
    }
    return ms;
}
