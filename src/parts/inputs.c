/* What a high pin drives through the inputs of a driver. */
#include "windpin/host/parts.h"
#include <math.h>

static double through(const wpin_part_controller *c, double drop, double ohms) {
    return fmax(0, c->logic_volts - drop) / (ohms + c->pin_resistance);
}

double wpin_part_base_amps(const wpin_part_controller *controller, const wpin_part_gate *gate) {
    return through(controller, gate->base_volts, gate->base_ohms);
}

double wpin_part_opto_amps(const wpin_part_controller *controller, const wpin_part_opto *opto) {
    return through(controller, opto->forward_volts, opto->series_ohms);
}
