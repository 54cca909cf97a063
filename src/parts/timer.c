/* What a controller's timer can make of a PWM frequency. */
#include "windpin/host/parts.h"
#include <math.h>

uint32_t wpin_part_timer_steps(const wpin_part_controller *controller, double hz,
                               double *achieved) {
    for (unsigned shift = 0; shift <= 10; shift++) {
        double clock = controller->timer_hz / (double)(1U << shift), steps = round(clock / hz);
        if (hz <= 0 || clock / hz < 2) {
            return 0;
        }
        if (steps <= controller->timer_steps_max) {
            *achieved = clock / steps;
            return (uint32_t)steps;
        }
    }
    return 0;
}
