/* In which units a drive counts, by its own factors. */
#include "windpin/host/objects.h"

/* Of an object with two halves, the first for so many of the second; 0: it has none. */
static double ratio(wpin_object_asker *ask, void *context, uint16_t index) {
    uint32_t first = 0, second = 0;
    bool read = ask(context, index, 1, &first) && ask(context, index, 2, &second);
    return read && second > 0 ? (double)first / second : 0;
}

double wpin_drive_counts(wpin_object_asker *ask, void *context) {
    double feed = ratio(ask, context, 0x6092);
    if (feed > 0) {
        double gear = ratio(ask, context, 0x6091); /* turns of the motor in one of its shaft */
        return feed / (gear > 0 ? gear : 1);
    }
    return ratio(ask, context, 0x608F);
}
