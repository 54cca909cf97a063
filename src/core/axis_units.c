/* Units of a drive on a field bus: its velocities, currents, torques and places, and ours. */
#include "axis_core.h"

#define STANDS 64 /* so much, of 16384, is standing */

/* Velocity of a speed: full_speed x share / 16384, in two parts that fit. */
int32_t wpin_axis_velocity_of(const wpin_axis *axis, int16_t share) {
    uint32_t full = axis->config->full_speed;
    uint16_t size = share < 0 ? (uint16_t)(0U - (uint16_t)share) : (uint16_t)share;
    uint32_t velocity = (full >> 14) * size + (((full & 0x3FFFU) * size) >> 14);
    return (int32_t)((share < 0) != axis->config->reversed ? 0U - velocity : velocity);
}

/* Speed of a velocity: velocity x 2^14 / full_speed by its share of 2^47; with the zeros before
 * full_speed, `shift`, that is velocity x scale >> (33 - shift), the first of it beforehand where
 * 16 bits would not hold it. */
int16_t wpin_axis_speed_of(const wpin_axis *axis, int32_t velocity) {
    uint32_t size = velocity < 0 ? 0U - (uint32_t)velocity : (uint32_t)velocity;
    uint8_t shift = axis->shift & 31U, after = 16;
    if (shift < 17) {
        size >>= 17U - shift;
    } else {
        after = (uint8_t)(33U - shift);
    }
    size = size > UINT16_MAX ? UINT16_MAX : size;
    size = (size * axis->scale) >> after;
    int16_t speed = (int16_t)(size > INT16_MAX ? INT16_MAX : size);
    return (velocity < 0) != axis->config->reversed ? (int16_t)-speed : speed;
}

bool wpin_axis_stands(const wpin_axis *axis) {
    int16_t speed = wpin_axis_speed_of(axis, axis->velocity);
    return speed < STANDS && speed > -STANDS;
}

/* Current x full_current / 1000: 8389 / 2^23 of it. */
int16_t wpin_axis_current_of(const wpin_axis *axis, int16_t per_mille) {
    uint32_t size = (uint16_t)(per_mille < 0 ? 0U - (uint16_t)per_mille : (uint16_t)per_mille);
    size = ((size * axis->config->full_current >> 10) * 8389U) >> 13;
    int16_t current = (int16_t)(size > INT16_MAX ? INT16_MAX : size);
    return per_mille < 0 ? (int16_t)-current : current;
}

/* Torque in 1/1000 of the rated one: share x 125 / 2048. */
int16_t wpin_axis_torque_of(const wpin_axis *axis, int16_t share) {
    uint16_t size = share < 0 ? (uint16_t)(0U - (uint16_t)share) : (uint16_t)share;
    int16_t torque = (int16_t)(((uint32_t)size * 125U) >> 11);
    return (share < 0) != axis->config->reversed ? (int16_t)-torque : torque;
}

/* A place of the machine and one of the drive; both wrap. */
int32_t wpin_axis_place_shown(const wpin_axis *axis, int32_t position) {
    uint32_t p = axis->config->reversed ? 0U - (uint32_t)position : (uint32_t)position;
    return (int32_t)(p + (uint32_t)axis->offset);
}

int32_t wpin_axis_place_told(const wpin_axis *axis, int32_t place) {
    uint32_t p = (uint32_t)place - (uint32_t)axis->offset;
    return (int32_t)(axis->config->reversed ? 0U - p : p);
}
