/* What the subjects of same.c share: their notes, chance, clock and port. */
#ifndef SAME_SUBJECTS_H
#define SAME_SUBJECTS_H

#include "same.h"
#include <windpin/windpin.h>

void note(uint32_t value);
uint32_t any(void);
uint32_t pick(uint32_t range);
/* Of any size: small ones as often as large ones. */
uint32_t any_size(void);
wpin_duty any_duty(void);

extern uint32_t clock_us;
/* A port that notes what it is told. */
extern const wpin_port same_port;
extern wpin_encoder encoder;
void one_request(wpin_motor *motor);

#define GUARD                                                                                      \
    .cap = 15000, .up = WPIN_SLEW_US(700000), .down = WPIN_SLEW_US(90000), .pause_us = 40000,      \
    .current_limit = WPIN_CURRENT_MV(4500, 400), .limit_gain = 9,                                  \
    .current_trip = WPIN_CURRENT_MV(6500, 400), .trip_us = 3000,                                   \
    .supply_low = WPIN_SUPPLY_MV(9000, 250), .supply_high = WPIN_SUPPLY_MV(15000, 250)

/* A brushless motor, in six steps and by field orientation: same_brushless.c. */
void sixths(void);
void by_field(void);

#endif
