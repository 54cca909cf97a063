/* Sine, cosine, rotation and root without floating point or division. */
#include "turning.h"
#include "windpin/flash.h"

/* sin(i / 64 x 90 degrees) x 32767 */
static const WPIN_FLASH int16_t sines[65] = {
    0, 804, 1608, 2410, 3212, 4011, 4808, 5602, 6393, 7179,
    7962, 8739, 9512, 10278, 11039, 11793, 12539, 13279, 14010, 14732,
    15446, 16151, 16846, 17530, 18204, 18868, 19519, 20159, 20787, 21403,
    22005, 22594, 23170, 23731, 24279, 24811, 25329, 25832, 26319, 26790,
    27245, 27683, 28105, 28510, 28898, 29268, 29621, 29956, 30273, 30571,
    30852, 31113, 31356, 31580, 31785, 31971, 32137, 32285, 32412, 32521,
    32609, 32678, 32728, 32757, 32767};

/* Of the first quarter of a turn, 0 to 16384, straight between the places of the table. */
static int16_t quarter(uint16_t angle) {
    uint16_t place = angle >> 8;
    if (place >= 64U) {
        return sines[64];
    }
    int16_t from = sines[place], step = (int16_t)(sines[place + 1U] - from);
    return (int16_t)(from + ((step * (int32_t)(angle & 255U) + 128) >> 8));
}

static int16_t sine(wpin_angle angle) {
    uint16_t in_half = angle & 0x7fffU;
    int16_t size = quarter(in_half > 16384U ? (uint16_t)(32768U - in_half) : in_half);
    return angle > 32768U ? (int16_t)-size : size;
}

wpin_plane wpin_direction_of(wpin_angle angle) {
    return (wpin_plane){sine((wpin_angle)(angle + 16384U)), sine(angle)};
}

/* Two products of 16 bits each fit 32 bits, but for -32768 twice, which no direction has. */
static int16_t summed(int32_t sum) {
    return wpin_within(sum >> 15, INT16_MAX);
}

wpin_plane wpin_turned_back(wpin_plane v, wpin_plane by) {
    return (wpin_plane){summed(v.x * (int32_t)by.x + v.y * (int32_t)by.y),
                        summed(v.y * (int32_t)by.x - v.x * (int32_t)by.y)};
}

wpin_plane wpin_turned_on(wpin_plane v, wpin_plane by) {
    return (wpin_plane){summed(v.x * (int32_t)by.x - v.y * (int32_t)by.y),
                        summed(v.x * (int32_t)by.y + v.y * (int32_t)by.x)};
}

uint16_t wpin_root(uint32_t square) {
    uint32_t root = 0, bit = (uint32_t)1 << 30, left = square;
    for (uint8_t i = 0; i < 16; i++, bit >>= 2) {
        bool fits = left >= root + bit;
        left -= fits ? root + bit : 0;
        root = (root >> 1) + (fits ? bit : 0);
    }
    return (uint16_t)root;
}
