/* One table of units; reading and writing both use it. */
#include "windpin/host/quantity.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

typedef struct unit {
    const char *text;
    wpin_dimension dimension;
    double factor;
    bool shown; /* used for writing; within a dimension from large to small */
} unit;

static const unit units[] = {
    {"kV", WPIN_VOLTAGE, 1e3, false},
    {"V", WPIN_VOLTAGE, 1, true},
    {"mV", WPIN_VOLTAGE, 1e-3, true},
    {"kA", WPIN_CURRENT, 1e3, false},
    {"A", WPIN_CURRENT, 1, true},
    {"mA", WPIN_CURRENT, 1e-3, true},
    {"uA", WPIN_CURRENT, 1e-6, true},
    {"nA", WPIN_CURRENT, 1e-9, true},
    {"Mohm", WPIN_RESISTANCE, 1e6, true},
    {"kohm", WPIN_RESISTANCE, 1e3, true},
    {"ohm", WPIN_RESISTANCE, 1, true},
    {"mohm", WPIN_RESISTANCE, 1e-3, true},
    {"M", WPIN_RESISTANCE, 1e6, false},
    {"k", WPIN_RESISTANCE, 1e3, false},
    {"R", WPIN_RESISTANCE, 1, false},
    {"H", WPIN_INDUCTANCE, 1, true},
    {"mH", WPIN_INDUCTANCE, 1e-3, true},
    {"uH", WPIN_INDUCTANCE, 1e-6, true},
    {"nH", WPIN_INDUCTANCE, 1e-9, true},
    {"F", WPIN_CAPACITANCE, 1, true},
    {"mF", WPIN_CAPACITANCE, 1e-3, true},
    {"uF", WPIN_CAPACITANCE, 1e-6, true},
    {"nF", WPIN_CAPACITANCE, 1e-9, true},
    {"pF", WPIN_CAPACITANCE, 1e-12, true},
    {"h", WPIN_TIME, 3600, false},
    {"min", WPIN_TIME, 60, false},
    {"s", WPIN_TIME, 1, true},
    {"ms", WPIN_TIME, 1e-3, true},
    {"us", WPIN_TIME, 1e-6, true},
    {"ns", WPIN_TIME, 1e-9, true},
    {"MHz", WPIN_FREQUENCY, 1e6, true},
    {"kHz", WPIN_FREQUENCY, 1e3, true},
    {"Hz", WPIN_FREQUENCY, 1, true},
    {"Mbit/s", WPIN_BIT_RATE, 1e6, true},
    {"kbit/s", WPIN_BIT_RATE, 1e3, true},
    {"bit/s", WPIN_BIT_RATE, 1, true},
    {"%", WPIN_SHARE, 1e-2, true},
    {"Nm", WPIN_TORQUE, 1, true},
    {"mNm", WPIN_TORQUE, 1e-3, true},
    {"uNm", WPIN_TORQUE, 1e-6, true},
    {"kgm2", WPIN_INERTIA, 1, true},
    {"kgcm2", WPIN_INERTIA, 1e-4, true},
    {"gcm2", WPIN_INERTIA, 1e-7, true},
    {"Nm/A", WPIN_MOTOR_CONSTANT, 1, false},
    {"mNm/A", WPIN_MOTOR_CONSTANT, 1e-3, true},
    {"Vs/rad", WPIN_MOTOR_CONSTANT, 1, false},
    {"mV/rpm", WPIN_MOTOR_CONSTANT, 1e-3 * 30 / PI, false},
    {"rpm/V", WPIN_SPEED_CONSTANT, 1, true},
    {"Nms/rad", WPIN_VISCOSITY, 1, true},
    {"mNms/rad", WPIN_VISCOSITY, 1e-3, true},
    {"uNms/rad", WPIN_VISCOSITY, 1e-6, true},
    {"mNm/krpm", WPIN_VISCOSITY, 1e-6 * 30 / PI, false},
    {"Nms2/rad2", WPIN_QUADRATIC, 1, true},
    {"mNms2/rad2", WPIN_QUADRATIC, 1e-3, true},
    {"uNms2/rad2", WPIN_QUADRATIC, 1e-6, true},
    {"V/A", WPIN_SENSE_SLOPE, 1, true},
    {"mV/A", WPIN_SENSE_SLOPE, 1e-3, true},
    {"rev", WPIN_ANGLE, 1, true},
    {"deg", WPIN_ANGLE, 1.0 / 360, true},
    {"steps/s", WPIN_STEP_RATE, 1, true},
    {"steps/s2", WPIN_STEP_GAIN, 1, true},
    {"Ah", WPIN_CHARGE, 3600, true},
    {"mAh", WPIN_CHARGE, 3.6, true},
    {"mC", WPIN_CHARGE, 1e-3, true},
    {"uC", WPIN_CHARGE, 1e-6, true},
    {"nC", WPIN_CHARGE, 1e-9, true},
    {"kW", WPIN_POWER, 1e3, false},
    {"W", WPIN_POWER, 1, true},
    {"mW", WPIN_POWER, 1e-3, true},
    {"Wh", WPIN_ENERGY, 3600, true},
    {"J", WPIN_ENERGY, 1, true},
    {"rev/s", WPIN_SPEED, 60, false},
    {"rpm", WPIN_SPEED, 1, true},
    {"deg/s", WPIN_SPEED, 1.0 / 6, false},
    {"degC", WPIN_TEMPERATURE, 1, true},
    {"K/W", WPIN_HEAT_RESISTANCE, 1, true},
};

enum { UNIT_COUNT = sizeof units / sizeof *units };

static const struct {
    const char *name, *example;
} dimensions[WPIN_DIMENSION_COUNT] = {
    [WPIN_VOLTAGE] = {"a voltage", "12V"},
    [WPIN_CURRENT] = {"a current", "350mA"},
    [WPIN_RESISTANCE] = {"a resistance", "1.2ohm"},
    [WPIN_INDUCTANCE] = {"an inductance", "1.5mH"},
    [WPIN_CAPACITANCE] = {"a capacitance", "1000uF"},
    [WPIN_TIME] = {"a time", "1.5s"},
    [WPIN_FREQUENCY] = {"a frequency", "20kHz"},
    [WPIN_SHARE] = {"a percentage", "40%"},
    [WPIN_TORQUE] = {"a torque", "25mNm"},
    [WPIN_INERTIA] = {"a moment of inertia", "120gcm2"},
    [WPIN_MOTOR_CONSTANT] = {"a motor constant", "20mNm/A"},
    [WPIN_SPEED_CONSTANT] = {"a speed constant", "900rpm/V"},
    [WPIN_VISCOSITY] = {"a viscous friction", "2uNms/rad"},
    [WPIN_QUADRATIC] = {"a quadratic load", "5uNms2/rad2"},
    [WPIN_SENSE_SLOPE] = {"a sense slope", "200mV/A"},
    [WPIN_ANGLE] = {"an angle", "90deg"},
    [WPIN_STEP_RATE] = {"a step rate", "400steps/s"},
    [WPIN_STEP_GAIN] = {"a ramp of steps", "1500steps/s2"},
    [WPIN_CHARGE] = {"a charge", "2000mAh"},
    [WPIN_POWER] = {"a power", "21W"},
    [WPIN_TEMPERATURE] = {"a temperature", "120degC"},
    [WPIN_HEAT_RESISTANCE] = {"a thermal resistance", "40K/W"},
    [WPIN_ENERGY] = {"an energy", "3Wh"},
    [WPIN_SPEED] = {"a speed", "3000rpm"},
    [WPIN_NUMBER] = {"a bare number", "9"},
};

static const unit *find_unit(const char *text) {
    for (size_t i = 0; i < UNIT_COUNT; i++) {
        if (strcmp(units[i].text, text) == 0) {
            return &units[i];
        }
    }
    return NULL;
}

static void list_units(char *to, size_t size, wpin_dimension dimension) {
    to[0] = '\0';
    for (size_t i = 0; i < UNIT_COUNT; i++) {
        if (units[i].dimension == dimension) {
            size_t used = strlen(to);
            snprintf(to + used, size - used, "%s%s", used == 0 ? "" : ", ", units[i].text);
        }
    }
}

static void say_unit(const char *text, const char *found, wpin_dimension dimension, char *why,
                     size_t size) {
    char known[120];
    list_units(known, sizeof known, dimension);
    const unit *other = find_unit(found);
    const char *want = dimensions[dimension].name, *example = dimensions[dimension].example;
    if (dimension == WPIN_NUMBER) {
        snprintf(why, size, "'%s' carries a unit; expected %s, e.g. %s", text, want, example);
    } else if (*found == '\0') {
        snprintf(why, size, "'%s' has no unit; expected %s (%s), e.g. %s", text, want, known,
                 example);
    } else if (other != NULL) {
        snprintf(why, size, "'%s' is %s; expected %s (%s), e.g. %s", text,
                 dimensions[other->dimension].name, want, known, example);
    } else {
        snprintf(why, size, "'%s' is not a unit known here; expected %s (%s), e.g. %s", found, want,
                 known, example);
    }
}

/* The unit as the table has it: with u for the Greek letter and ohm for the sign. Both signs have
 * two codes each. */
static const char *usual(const char *from, char *to, size_t size) {
    static const struct {
        const char *sign, *word;
    } signs[] = {
        {"\xC2\xB5", "u"}, {"\xCE\xBC", "u"}, {"\xCE\xA9", "ohm"}, {"\xE2\x84\xA6", "ohm"}};
    size_t used = 0;
    while (*from != '\0' && used + 4 < size) {
        size_t i = 0;
        while (i < sizeof signs / sizeof *signs &&
               strncmp(from, signs[i].sign, strlen(signs[i].sign)) != 0) {
            i++;
        }
        if (i < sizeof signs / sizeof *signs) {
            used += (size_t)snprintf(to + used, size - used, "%s", signs[i].word);
            from += strlen(signs[i].sign);
        } else {
            to[used++] = *from++;
        }
    }
    to[used] = '\0';
    return *from == '\0' ? to : "";
}

bool wpin_quantity_read(const char *text, wpin_dimension dimension, double *value, char *why,
                        size_t why_size) {
    char *rest = NULL;
    bool plain = strspn(text, "+-.0123456789") > 0; /* no hex, inf or nan */
    double number = plain && strpbrk(text, "xX") == NULL ? strtod(text, &rest) : NAN;
    if (rest == NULL || rest == text || !isfinite(number)) {
        snprintf(why, why_size, "'%s' is not a number; expected %s, e.g. %s", text,
                 dimensions[dimension].name, dimensions[dimension].example);
        return false;
    }
    if (*rest == ',') {
        snprintf(why, why_size, "'%s': the decimal mark is a dot; expected %s, e.g. %s", text,
                 dimensions[dimension].name, dimensions[dimension].example);
        return false;
    }
    rest += strspn(rest, " ");
    if (dimension == WPIN_SHARE && *rest == '/') { /* a value of another scale: 128/255 */
        char *end;
        double whole = strtod(rest + 1, &end);
        if (end == rest + 1 || *end != '\0' || !(whole >= 1 && whole <= 65535)) {
            snprintf(why, why_size, "'%s': expected a value and its full scale, e.g. 128/255",
                     text);
            return false;
        }
        *value = number / whole;
        return true;
    }
    char plainly[24];
    const unit *u = find_unit(usual(rest, plainly, sizeof plainly));
    bool fits = dimension == WPIN_NUMBER ? *rest == '\0' : u != NULL && u->dimension == dimension;
    if (!fits) {
        say_unit(text, rest, dimension, why, why_size);
        return false;
    }
    *value = dimension == WPIN_NUMBER ? number : number * u->factor;
    return true;
}

const char *wpin_quantity_example(wpin_dimension dimension) {
    return dimensions[dimension].example;
}

const char *wpin_quantity_write(char *to, size_t size, double value, wpin_dimension dimension) {
    const unit *best = NULL;
    if (dimension == WPIN_TEMPERATURE && value > 1000) {
        snprintf(to, size, "over 1000 degC"); /* a formula's answer, not a part's */
        return to;
    }
    for (size_t i = 0; i < UNIT_COUNT; i++) {
        const unit *u = &units[i];
        if (u->dimension == dimension && u->shown) {
            best = u;
            if (value == 0 ? u->factor == 1 : fabs(value) >= u->factor * (1 - 1e-9)) {
                break;
            }
        }
    }
    double shown = best == NULL ? value : value / best->factor;
    int used = snprintf(to, size, fabs(shown) >= 1e4 ? "%.0f" : "%.4g", shown);
    if (best != NULL && used > 0 && (size_t)used < size) {
        snprintf(to + used, size - (size_t)used, " %s", best->text);
    }
    return to;
}
