/* Interrupts that an actuator lives on. Where one stays away, what it showed last would stand for
 * good: a winding on one row, a coil that never lets go. The tick sees to it that it comes. */
#ifndef WPIN_CORE_BEAT_H
#define WPIN_CORE_BEAT_H

#include "windpin/actuator.h"

/* For so long one may stay away; what it leads a rotor by no longer than this: against a row or a
 * vector that stands while the rotor turns on at full speed, a driver's most current flows within
 * some milliseconds. PWM of 1 kHz has one in it. */
#define WPIN_AWAY_MOST_US 20000U
#define WPIN_AWAY_ROW_US  1500U

/* Each tick: what it is to stay away for longer than so much, while the actuator drives. */
static inline wpin_status wpin_beat_check(wpin_beat *beat, bool drives, uint16_t dt_us,
                                          uint16_t most_us) {
    bool came = beat->came != 0;
    beat->came = 0;
    if (came || !drives) {
        beat->away_us = 0;
        return WPIN_OK;
    }
    uint16_t left = (uint16_t)(UINT16_MAX - beat->away_us);
    beat->away_us = (uint16_t)(beat->away_us + (dt_us < left ? dt_us : left));
    return beat->away_us > most_us ? WPIN_FAULT_LATE : WPIN_OK;
}

#endif
