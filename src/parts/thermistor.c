/* A thermistor in a divider. */
#include "windpin/host/parts.h"
#include <math.h>

#define KELVIN 273.15
#define COLD   298.15 /* 25 degC, at which its ohms are told */

double wpin_part_thermistor_volts(const wpin_part_thermistor *part, double degrees,
                                  double logic_volts) {
    double kelvin = fmax(degrees + KELVIN, 1);
    double ohms = part->ohms * exp(part->beta * (1 / kelvin - 1 / COLD));
    return logic_volts * ohms / (ohms + part->pull_up);
}
