/* The table of the simulated drive's objects. */
#include "objects.h"

#define OD_ENTRY(key, index, sub, size, access, ...)                                               \
    [OD_##key] = {(uint16_t)(index), sub, size, access, __VA_ARGS__},
const wpin_od_object wpin_od[OD_COUNT] = {OD_ALL(OD_ENTRY)};

int wpin_od_find(uint16_t index, uint8_t sub) {
    int near = -1;
    for (int i = 0; i < OD_COUNT; i++) {
        if (wpin_od[i].index == index && wpin_od[i].sub == sub) {
            return i;
        }
        near = wpin_od[i].index == index ? -2 : near;
    }
    return near;
}
