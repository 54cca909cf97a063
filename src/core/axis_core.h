/* What the files of a drive on a field bus share. */
#ifndef WPIN_CORE_AXIS_CORE_H
#define WPIN_CORE_AXIS_CORE_H

#include "windpin/axis.h"

/* Modes of operation, 6060h. */
#define MODE_POSITION 1
#define MODE_PLAIN    2 /* "velocity mode": speeds of simple drives, 16 bits */
#define MODE_SPEED    3
#define MODE_TORQUE   4
#define MODE_HOMING   6
/* Control words, 6040h, that end all driving: without power, or by the drive's quick stop. */
#define NO_VOLTAGE   ((uint16_t)0x00)
#define STOP_QUICKLY ((uint16_t)0x02)
/* An object. */
#define PROFILE_SPEED 0x6081

/* The one of them that off() means. */
static inline uint16_t wpin_axis_off_word(const wpin_axis *axis) {
    return axis->safe == WPIN_AXIS_QUICK_STOP ? STOP_QUICKLY : NO_VOLTAGE;
}

/* One more step of setting it up; begins it anew, now or after some us. Tick. */
void wpin_axis_set_up(wpin_axis *axis, uint32_t dt_us);
void wpin_axis_set_up_anew(wpin_axis *axis, uint32_t after_us);

#endif
