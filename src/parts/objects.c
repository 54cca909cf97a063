/* The objects of CiA 301 and 402 by number and by name, and what a drive's error codes mean. */
#include "windpin/host/objects.h"
#include "windpin/host/messages.h"
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const wpin_known_object objects[] = {
    {0x1000, 0, 4, false, "device-type", "", "low half: the profile, 402 for drives"},
    {0x1001, 0, 1, false, "error-register", "",
     "bits: 0 any, 1 current, 2 voltage, 3 temperature, 4 communication, 5 of the profile"},
    {0x1003, 0, 1, false, "error-count", "", "errors kept; 0 forgets them"},
    {0x1003, 1, 4, false, "newest-error", "error code", NULL},
    {0x1005, 0, 4, false, "sync-identifier", "", NULL},
    {0x1008, 0, 0, false, "device-name", "", NULL},
    {0x1009, 0, 0, false, "hardware-version", "", NULL},
    {0x100A, 0, 0, false, "software-version", "", NULL},
    {0x100C, 0, 2, false, "guard-time", "ms", NULL},
    {0x100D, 0, 1, false, "life-time-factor", "guard times", NULL},
    {0x1010, 1, 4, false, "store", "", "65766173h (\"save\") stores all parameters in the drive"},
    {0x1011, 1, 4, false, "restore", "", "64616F6Ch (\"load\") restores those it was made with"},
    {0x1014, 0, 4, false, "emergency-identifier", "", NULL},
    {0x1016, 1, 4, false, "heartbeat-expected", "", "node x 65536 + ms"},
    {0x1017, 0, 2, false, "heartbeat", "ms", NULL},
    {0x1018, 1, 4, false, "vendor", "", NULL},
    {0x1018, 2, 4, false, "product", "", NULL},
    {0x1018, 3, 4, false, "revision", "", NULL},
    {0x1018, 4, 4, false, "serial-number", "", NULL},
    {0x6007, 0, 2, true, "lost-link-action", "", "0 none, 1 fault, 2 voltage off, 3 quick stop"},
    {0x603F, 0, 2, false, "error-code", "error code", NULL},
    {0x6040, 0, 2, false, "control-word", "", NULL},
    {0x6041, 0, 2, false, "status-word", "state", NULL},
    {0x6042, 0, 2, true, "speed-target", "rpm", NULL},
    {0x6043, 0, 2, true, "speed-demand", "rpm", NULL},
    {0x6044, 0, 2, true, "speed-actual", "rpm", NULL},
    {0x6046, 1, 4, false, "speed-least", "rpm", NULL},
    {0x6046, 2, 4, false, "speed-most", "rpm", NULL},
    {0x6048, 1, 4, false, "speed-acceleration", "rpm...", NULL},
    {0x6048, 2, 2, false, "speed-acceleration-time", "s: ...in so many", NULL},
    {0x6049, 1, 4, false, "speed-deceleration", "rpm...", NULL},
    {0x6049, 2, 2, false, "speed-deceleration-time", "s: ...in so many", NULL},
    {0x604A, 1, 4, false, "speed-quick-stop", "rpm...", NULL},
    {0x604A, 2, 2, false, "speed-quick-stop-time", "s: ...in so many", NULL},
    {0x605A, 0, 2, true, "quick-stop-action", "", "2 stops, then off; 6 stops and holds"},
    {0x605B, 0, 2, true, "shut-down-action", "", "0 off at once, 1 slows down first"},
    {0x605D, 0, 2, true, "halt-action", "", "1 on its ramp, 2 on the quick stop's"},
    {0x605E, 0, 2, true, "fault-action", "", "0 off at once, 1 slows down, 2 quick stop"},
    {0x6060, 0, 1, true, "mode", "",
     "1 position, 2 velocity (simple), 3 velocity, 4 torque, 6 homing"},
    {0x6061, 0, 1, true, "mode-now", "", "as mode"},
    {0x6064, 0, 4, true, "position-actual", "position units", NULL},
    {0x6065, 0, 4, false, "following-error-window", "position units", NULL},
    {0x6066, 0, 2, false, "following-error-time", "ms", NULL},
    {0x6067, 0, 4, false, "position-window", "position units", NULL},
    {0x6068, 0, 2, false, "position-window-time", "ms", NULL},
    {0x606C, 0, 4, true, "velocity-actual", "velocity units", NULL},
    {0x6071, 0, 2, true, "target-torque", "thousandths of rated torque", NULL},
    {0x6072, 0, 2, false, "most-torque", "thousandths of rated torque", NULL},
    {0x6073, 0, 2, false, "most-current", "thousandths of rated current", NULL},
    {0x6075, 0, 4, false, "rated-current", "mA", NULL},
    {0x6076, 0, 4, false, "rated-torque", "mNm", NULL},
    {0x6077, 0, 2, true, "torque-actual", "thousandths of rated torque", NULL},
    {0x6078, 0, 2, true, "current-actual", "thousandths of rated current", NULL},
    {0x6079, 0, 4, false, "link-voltage", "mV", NULL},
    {0x607A, 0, 4, true, "target-position", "position units", NULL},
    {0x607C, 0, 4, true, "home-offset", "position units", NULL},
    {0x607D, 1, 4, true, "least-position", "position units", NULL},
    {0x607D, 2, 4, true, "most-position", "position units", NULL},
    {0x607F, 0, 4, false, "most-velocity", "velocity units", NULL},
    {0x6080, 0, 4, false, "most-motor-speed", "rpm", NULL},
    {0x6081, 0, 4, false, "profile-velocity", "velocity units", NULL},
    {0x6083, 0, 4, false, "acceleration", "velocity units a second", NULL},
    {0x6084, 0, 4, false, "deceleration", "velocity units a second", NULL},
    {0x6085, 0, 4, false, "quick-stop-deceleration", "velocity units a second", NULL},
    {0x608F, 1, 4, false, "encoder-counts", "", "counts in so many..."},
    {0x608F, 2, 4, false, "encoder-turns", "", "...turns of the motor"},
    {0x6091, 1, 4, false, "gear-motor-turns", "", "turns of the motor in so many..."},
    {0x6091, 2, 4, false, "gear-output-turns", "", "...turns of the output"},
    {0x6092, 1, 4, false, "feed", "", "position units in so many..."},
    {0x6092, 2, 4, false, "feed-turns", "", "...turns of the output"},
    {0x6098, 0, 1, true, "homing-method", "", "17, 18 to a limit switch; 35, 37 here"},
    {0x6099, 1, 4, false, "homing-speed", "velocity units, to the switch", NULL},
    {0x6099, 2, 4, false, "homing-creep", "velocity units, off the switch", NULL},
    {0x609A, 0, 4, false, "homing-acceleration", "velocity units a second", NULL},
    {0x60FD, 0, 4, false, "inputs", "", "bits: 0 negative limit, 1 positive limit, 2 home switch"},
    {0x60FF, 0, 4, true, "target-velocity", "velocity units", NULL},
    {0x6502, 0, 4, false, "modes-supported", "", "bit n - 1: mode n"},
};

enum { OBJECTS = sizeof objects / sizeof *objects };

const wpin_known_object *wpin_known_objects(size_t *count) {
    *count = OBJECTS;
    return objects;
}

const wpin_known_object *wpin_known_object_of(uint16_t index, uint8_t sub) {
    for (size_t i = 0; i < OBJECTS; i++) {
        if (objects[i].index == index && objects[i].sub == sub) {
            return &objects[i];
        }
    }
    return NULL;
}

bool wpin_object_is_parameter(uint16_t index) {
    static const uint16_t others[] = {
        0x603F, 0x6040, 0x6041, 0x6042, 0x6043, 0x6044, 0x6060, 0x6061, 0x6062, 0x6063,
        0x6064, 0x6069, 0x606B, 0x606C, 0x6071, 0x6074, 0x6077, 0x6078, 0x6079, 0x607A,
        0x60B0, 0x60B1, 0x60B2, 0x60F4, 0x60FA, 0x60FC, 0x60FD, 0x60FF, 0x6502};
    for (size_t i = 0; i < sizeof others / sizeof *others; i++) {
        if (others[i] == index) {
            return false;
        }
    }
    return index >= 0x2000;
}

/* "606C", "0x606Ch", "1018:2": hexadecimal, and a sub-index in decimal. */
static bool read_number(const char *text, uint16_t *index, uint8_t *sub) {
    char *end;
    if (!isxdigit((unsigned char)text[0])) {
        return false;
    }
    unsigned long number = strtoul(text, &end, 16), part = 0;
    end += *end == 'h' || *end == 'H';
    if (*end == ':') {
        const char *from = end + 1;
        part = strtoul(from, &end, 10);
        end = isdigit((unsigned char)from[0]) ? end : (char *)text;
    }
    if (*end != '\0' || number < 0x1000 || number > 0xFFFF || part > 255) {
        return false;
    }
    *index = (uint16_t)number;
    *sub = (uint8_t)part;
    return true;
}

/* What somebody may have meant: one is a part of the other, or nearly the same. */
static const char *near_name(const char *text) {
    const char *names[OBJECTS];
    for (size_t i = 0; i < OBJECTS; i++) {
        names[i] = objects[i].name;
        if (strstr(names[i], text) != NULL || strstr(text, names[i]) != NULL) {
            return names[i];
        }
    }
    return wpin_nearest_word(text, names, OBJECTS);
}

bool wpin_object_find(const char *text, uint16_t *index, uint8_t *sub,
                      const wpin_known_object **known, char *why, size_t size) {
    for (size_t i = 0; i < OBJECTS; i++) {
        if (strcmp(objects[i].name, text) == 0) {
            *index = objects[i].index;
            *sub = objects[i].sub;
            *known = &objects[i];
            return true;
        }
    }
    if (read_number(text, index, sub)) {
        *known = wpin_known_object_of(*index, *sub);
        return true;
    }
    const char *near = text[0] == '\0' ? NULL : near_name(text);
    snprintf(why, size,
             "'%s' is neither the name of an object%s%s%s nor a number from 1000h to FFFFh, e.g. "
             "6041 or 1018:2",
             text, near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
             near != NULL ? "'?)" : "");
    return false;
}

/* Codes, the most exact first: those of which `mask` leaves the same. */
static const struct {
    uint16_t code, mask;
    const char *words;
} errors[] = {
    {0x0000, 0xFFFF, "no error"},
    {0x2310, 0xFFFF, "too much current for long"},
    {0x2320, 0xFFFF, "a short circuit, or a lead to ground"},
    {0x2350, 0xFFFF, "too much load for too long (I2t)"},
    {0x2000, 0xF000, "current"},
    {0x3110, 0xFFFF, "mains voltage too high"},
    {0x3120, 0xFFFF, "mains voltage too low"},
    {0x3210, 0xFFFF, "its DC link has too many volts: braking, without a resistor"},
    {0x3220, 0xFFFF, "its DC link has too few volts: is its motor supply on"},
    {0x3000, 0xF000, "voltage"},
    {0x4310, 0xFFFF, "the drive is too hot"},
    {0x4000, 0xF000, "temperature"},
    {0x5441, 0xFFFF, "its enable input is open"},
    {0x5000, 0xF000, "its own hardware"},
    {0x6320, 0xFFFF, "a parameter is wrong"},
    {0x6000, 0xF000, "its own software"},
    {0x7121, 0xFFFF, "the motor is blocked"},
    {0x7305, 0xFFFF, "its encoder"},
    {0x7000, 0xF000, "a part connected to it"},
    {0x8110, 0xFFFF, "frames were lost: it could not keep up with the bus"},
    {0x8120, 0xFFFF, "many errors on the bus"},
    {0x8130, 0xFFFF, "it heard no heartbeat of the one that commands it"},
    {0x8140, 0xFFFF, "it was bus-off, and is back"},
    {0x8210, 0xFFFF, "process data were too short"},
    {0x8400, 0xFFF0, "its speed is not what it should be"},
    {0x8500, 0xFFF0, "its position is not what it should be"},
    {0x8611, 0xFFFF, "following error: its place is too far from where its profile is"},
    {0x8000, 0xF000, "its watch over bus and motion"},
    {0xF000, 0xF000, "something its maker describes"},
    {0xFF00, 0xFF00, "something its maker describes"},
};

const char *wpin_drive_error_text(uint16_t code) {
    for (size_t i = 0; i < sizeof errors / sizeof *errors; i++) {
        if ((code & errors[i].mask) == errors[i].code) {
            return errors[i].words;
        }
    }
    return "an error that CiA 402 does not list";
}
