/** @file quantity.h
 * Quantities with units, as people write them: 350mA, 20kHz, 1.5s, 40%. Host only.
 */
#ifndef WINDPIN_QUANTITY_H
#define WINDPIN_QUANTITY_H

#include "../api.h"
#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What is measured. */
typedef enum wpin_dimension {
    WPIN_VOLTAGE,
    WPIN_CURRENT,
    WPIN_RESISTANCE,
    WPIN_INDUCTANCE,
    WPIN_CAPACITANCE,
    WPIN_TIME,
    WPIN_FREQUENCY,
    WPIN_SHARE, /**< Percent, kept as a fraction. */
    WPIN_TORQUE,
    WPIN_INERTIA,
    WPIN_MOTOR_CONSTANT,
    WPIN_SPEED_CONSTANT, /**< rpm for a volt. */
    WPIN_VISCOSITY,
    WPIN_QUADRATIC,
    WPIN_SENSE_SLOPE,
    WPIN_ANGLE, /**< In turns. */
    WPIN_STEP_RATE,
    WPIN_STEP_GAIN, /**< Of a step rate. */
    WPIN_CHARGE,
    WPIN_POWER,
    WPIN_TEMPERATURE, /**< degC. */
    WPIN_HEAT_RESISTANCE,
    WPIN_ENERGY,
    WPIN_SPEED,    /**< rpm. */
    WPIN_BIT_RATE, /**< bit/s. */
    WPIN_NUMBER,   /**< A bare number: a ratio, a count, a pin. */
    WPIN_DIMENSION_COUNT
} wpin_dimension;

/** Reads a text as a quantity of a dimension into SI units. On failure `why` says what is wrong
 * and what was expected, with an example. */
WPIN_API bool wpin_quantity_read(const char *text, wpin_dimension dimension, double *value,
                                 char *why, size_t why_size);

/** How a quantity of a dimension is written, e.g. "350mA". */
WPIN_API const char *wpin_quantity_example(wpin_dimension dimension);

/** Writes an SI value in the dimension's handiest unit, e.g. "1.5 ms". */
WPIN_API const char *wpin_quantity_write(char *to, size_t size, double value,
                                         wpin_dimension dimension);

#ifdef __cplusplus
}
#endif
#endif
