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

/* Of the status word, 6041h. */
#define AXIS_REMOTE   ((uint16_t)0x200) /* it does what the bus says */
#define AXIS_REACHED  ((uint16_t)0x400)
#define AXIS_HOMELESS ((uint16_t)0x2000) /* it has not found its home */

/* wpin_axis.flags */
#define AXIS_PLACES  ((uint8_t)1)   /* it goes to a place */
#define AXIS_HALTS   ((uint8_t)2)   /* it is to come to rest by its own ramp */
#define AXIS_OFFERS  ((uint8_t)4)   /* a new place, and it has not taken it yet */
#define AXIS_DROPPED ((uint8_t)8)   /* it left operation by itself, or runs away */
#define AXIS_ENABLED ((uint8_t)16)  /* it was enabled since it was last asked to be */
#define AXIS_CHANGED ((uint8_t)32)  /* what it is to be told, since it was */
#define AXIS_TOLD    ((uint8_t)64)  /* the place it goes to */
#define AXIS_HOMED   ((uint8_t)128) /* it has found its home, and said where it is */

/* wpin_axis.gentle */
#define GENTLE_TO_BE 1
#define GENTLE       2

#define STATE_US 1000000 /* it does what it is told within this */

static inline bool wpin_axis_has(const wpin_axis *axis, uint8_t flag) {
    return (axis->flags & flag) != 0;
}

static inline void wpin_axis_set(wpin_axis *axis, uint8_t flag, bool on) {
    axis->flags = (uint8_t)(on ? axis->flags | flag : axis->flags & ~flag);
}

static inline bool wpin_axis_drives(const wpin_axis *axis) {
    return axis->state == WPIN_AXIS_ENABLED && axis->wants == WPIN_AXIS_ENABLED &&
           axis->mode == axis->wants_mode && axis->cut == 0;
}

static inline bool wpin_axis_homes(const wpin_axis *axis) {
    return axis->wants_mode == MODE_HOMING;
}

/* The one of the control words that off() means. */
static inline uint16_t wpin_axis_off_word(const wpin_axis *axis) {
    return axis->safe == WPIN_AXIS_QUICK_STOP ? STOP_QUICKLY : NO_VOLTAGE;
}

/* Its units and ours: velocities, speeds of 16384, currents, torques in 1/1000, places (which
 * wrap). */
int32_t wpin_axis_velocity_of(const wpin_axis *axis, int16_t share);
int16_t wpin_axis_speed_of(const wpin_axis *axis, int32_t velocity);
bool wpin_axis_stands(const wpin_axis *axis);
int16_t wpin_axis_current_of(const wpin_axis *axis, int16_t per_mille);
int16_t wpin_axis_torque_of(const wpin_axis *axis, int16_t share);
int32_t wpin_axis_place_shown(const wpin_axis *axis, int32_t position);
int32_t wpin_axis_place_told(const wpin_axis *axis, int32_t place);

/* Process data that came from it; whether it was heard of lately. */
void wpin_axis_take(void *context, uint8_t number, const wpin_frame *frame);
bool wpin_axis_is_heard(const wpin_axis *axis);
/* What it is to do, once after each SYNC and at once where that changes; and that it is to stop. */
void wpin_axis_tell(wpin_axis *axis);
void wpin_axis_send_off(const wpin_axis *axis);

/* One more step of setting it up; begins it anew, now or after some us. Tick. */
void wpin_axis_set_up(wpin_axis *axis, uint32_t dt_us);
void wpin_axis_set_up_anew(wpin_axis *axis, uint32_t after_us);

#endif
