/* Duties from and to the scales of other interfaces. */
#include "windpin/units.h"

wpin_duty wpin_duty_from(int32_t value, uint16_t full) {
    uint32_t whole = full == 0 ? 1 : full;
    uint32_t size = value < 0 ? 0U - (uint32_t)value : (uint32_t)value;
    size = size > whole ? whole : size;
    /* 65535 x 16384 and the half of 65535 fit 32 bits */
    uint32_t duty = (size * (uint32_t)WPIN_DUTY_FULL + whole / 2) / whole;
    return (wpin_duty)(value < 0 ? -(int32_t)duty : (int32_t)duty);
}

int32_t wpin_duty_to(wpin_duty duty, uint16_t full) {
    uint32_t size = (uint32_t)(duty < 0 ? -(int32_t)duty : (int32_t)duty);
    size = size > (uint32_t)WPIN_DUTY_FULL ? (uint32_t)WPIN_DUTY_FULL : size;
    uint32_t value = (size * full + WPIN_DUTY_FULL / 2) / WPIN_DUTY_FULL;
    return duty < 0 ? -(int32_t)value : (int32_t)value;
}
