/* Texts for the named results. Each is an array of its own, so that on AVR all of them stay in
 * flash; 4 KB of text would not fit its RAM. */
#include "windpin/status.h"
#include <stdbool.h>

#define TEXTS(ROW)                                                                                 \
    ROW(WPIN_OK, "Done.", "")                                                                      \
    ROW(WPIN_REFUSED_ARGUMENT, "A pointer is missing or an index does not exist.",                 \
        "Pass the object that was opened, and indices below the counts given.")                    \
    ROW(WPIN_REFUSED_RANGE, "A value is outside its range.",                                       \
        "See the range in the header beside the function.")                                        \
    ROW(WPIN_REFUSED_CONFIG, "The configuration contradicts itself.",                              \
        "Check rows, lines and pins: each state once, each pin once, a free or brake row.")        \
    ROW(WPIN_REFUSED_PORT, "The port lacks a function this needs.",                                \
        "Give the port the missing function, or choose a configuration without it.")               \
    ROW(WPIN_REFUSED_FREQUENCY, "The pin or timer can not make this PWM frequency.",               \
        "Use a pin with a timer, or a frequency the timer can divide to.")                         \
    ROW(WPIN_REFUSED_STATE, "This power stage can not do that.",                                   \
        "Use a state the stage's table has a row for.")                                            \
    ROW(WPIN_REFUSED_SHOOT, "The table would turn on both sides of a leg.",                        \
        "Correct the row, or give the stage a dead time.")                                         \
    ROW(WPIN_REFUSED_NOT_ARMED, "The motor is not armed.",                                         \
        "Arm it first; arming needs zero asked for and no fault.")                                 \
    ROW(WPIN_REFUSED_NOT_ZERO, "Something is still asked for.", "Ask for zero first.")             \
    ROW(WPIN_REFUSED_FAULTED, "A fault is latched.", "Remove its cause and clear it.")             \
    ROW(WPIN_REFUSED_CAUSE, "The cause of the fault is still there, or has yet to cool.",          \
        "Remove the cause, then clear again.")                                                     \
    ROW(WPIN_REFUSED_NO_FAULT, "There is no fault to clear.", "Go on.")                            \
    ROW(WPIN_REFUSED_ON_OFF, "This stage knows on and off only, no duty between.",                 \
        "Ask for full duty or none, or use a stage with PWM.")                                     \
    ROW(WPIN_REFUSED_BELOW_START, "The duty is below what gets the motor moving.",                 \
        "Ask for the start duty or more, or let the start lift or kick it.")                       \
    ROW(WPIN_REFUSED_LIMIT, "It stands at the limit switch of that way.",                          \
        "Drive it the other way; look at the switch and its wire if it is not there.")             \
    ROW(WPIN_REFUSED_FULL, "More parallel tracks or nested blocks than there is room for.",        \
        "Give the sequence more tracks, or nest less.")                                            \
    ROW(WPIN_REFUSED_CLOSED, "It is not open: never opened, or its init was refused.",             \
        "Look at what init returned, correct that, and init again.")                               \
    ROW(WPIN_REFUSED_QUANTITY, "This motor has no regulator or actuator for that quantity.",       \
        "Ask for effort, or give the motor a regulator and its sensor.")                           \
    ROW(WPIN_REFUSED_PAUSE, "The time-out is over before the motor may turn that way.",            \
        "Allow more time than the reversal pause that is left, or ask again after it.")            \
    ROW(WPIN_REFUSED_DEAD_TIME, "The port can not make this dead time at this frequency.",         \
        "Use a lower PWM frequency, a dead time the timer has, or a driver with its own.")         \
    ROW(WPIN_REFUSED_NOT_HOMED, "Where it stands is not known yet.",                               \
        "Home it first: run it to a switch or a stop, then set its position there.")               \
    ROW(WPIN_REFUSED_CONFLICT, "Two tracks command the same motor, or two nodes have one number.", \
        "Let one track command it, or join the tracks before; give each node its own number.")     \
    ROW(WPIN_REFUSED_BUSY, "An object of this node is being read or written already.",             \
        "Wait until that is done.")                                                                \
    ROW(WPIN_REFUSED_OBJECT, "The node refused the object.",                                       \
        "Its reason is in the transfer's abort code.")                                             \
    ROW(WPIN_REFUSED_SILENT, "The node does not answer.",                                          \
        "Check the bus rate, the common ground, the termination and the node's number.")           \
    ROW(WPIN_FAULT_OVERCURRENT, "The current was above the trip level for too long.",              \
        "Look for a stalled shaft, a short, or a ramp too steep for the load.")                    \
    ROW(WPIN_FAULT_SUPPLY_LOW, "The motor supply is below its window.",                            \
        "Switch the supply on; check cells, fuse and wiring.")                                     \
    ROW(WPIN_FAULT_SUPPLY_HIGH, "The motor supply is above its window.",                           \
        "Check the supply's voltage; brake more gently if it rises while braking.")                \
    ROW(WPIN_FAULT_PORT, "The port failed while the motor was in use.",                            \
        "Check the pins and the port, then open the motor again.")                                 \
    ROW(WPIN_FAULT_EXTERNAL, "The motor was tripped from outside.",                                \
        "Find what tripped it, then clear the fault.")                                             \
    ROW(WPIN_FAULT_TIMEOUT, "What the plan waited for did not come in time.",                      \
        "Look for what keeps it away, or allow more time; after a fault move 2 s at most first.")  \
    ROW(WPIN_FAULT_ON_TIME, "It was on for longer than it may be.",                                \
        "Switch it off in time, hold it with less, or use a part made for longer.")                \
    ROW(WPIN_FAULT_RESET, "The controller was reset while it worked.",                             \
        "Look at its supply: sag at a start, a shared rail, a regulator without headroom.")        \
    ROW(WPIN_FAULT_LINK, "The link to the commander was lost.",                                    \
        "Look for the cable, the radio or the program the commands came from.")                    \
    ROW(WPIN_FAULT_LATE,                                                                           \
        "The tick, or an interrupt that leads the motor, came too late or not at all.",            \
        "Look for what kept it away, or whether it is connected; or allow a longer step.")         \
    ROW(WPIN_FAULT_CLOCK, "The clock stands.", "Look at the timer behind the port's clock.")       \
    ROW(WPIN_FAULT_SENSOR, "A sensor the guard needs gives no reading.",                           \
        "Look at the sensor, its wire and the converter.")                                         \
    ROW(WPIN_FAULT_STOPPED, "The stop input was pressed.",                                         \
        "Release it, re-arm it, and arm each motor again.")                                        \
    ROW(WPIN_FAULT_NO_MOTION, "It is driven, and no motion is measured.",                          \
        "Look for a held shaft, a supply that is off, a loose lead, or a silent sensor.")          \
    ROW(WPIN_FAULT_STALLED, "It is driven and stands, with the current of a standing motor.",      \
        "Free the shaft, or set the leads of a brushless motor in their order; let the winding "   \
        "cool before the next try.")                                                               \
    ROW(WPIN_FAULT_NO_CURRENT, "It is driven, slows down or stands, and draws no current.",        \
        "Look at its supply, fuse, leads and the driver's enable.")                                \
    ROW(WPIN_FAULT_FEEDBACK, "It draws the current of a turning motor, and nothing counts.",       \
        "Look at the sensor, its supply and its wires.")                                           \
    ROW(WPIN_FAULT_WRONG_WAY, "Its speed is measured against the way it is driven.",               \
        "Swap the sensor's channels or the motor's leads, or set the sensor reversed.")            \
    ROW(WPIN_FAULT_OVERSPEED, "It is faster than it may be.",                                      \
        "Look for a load that drives it, a torque that nothing takes up, or a sensor with more "   \
        "counts than configured.")                                                                 \
    ROW(WPIN_FAULT_FOLLOWING, "It was too far from the speed asked for, for too long.",            \
        "Ask for less speed or a longer ramp; look for a heavy load or a weak supply.")            \
    ROW(WPIN_FAULT_HUNTING,                                                                        \
        "It goes back and forth over its place and does not come to rest there.",                  \
        "Let it be reached within more counts; look for play in the gear and for what sticks.")    \
    ROW(WPIN_FAULT_OVERLOAD, "It had more current for longer than its winding carries.",           \
        "Let it cool: before that the fault stays. Then look for a heavy load, or give it more "   \
        "rest.")                                                                                   \
    ROW(WPIN_FAULT_PHASE, "One of its leads, or a switch of its driver, carries no current.",      \
        "Look at the three leads of the motor and at the driver's six lines.")                     \
    ROW(WPIN_FAULT_HALL, "The Hall sensors show no sector, or leave sectors out.",                 \
        "Look at their supply, pull-ups and wires; sensors 60 degrees apart have other codes.")    \
    ROW(WPIN_FAULT_SILENT, "The drive on the field bus is silent, or not set up yet.",             \
        "Check its supply, then the bus: rate, common ground, termination, node number.")          \
    ROW(WPIN_FAULT_DRIVE, "The drive has a fault of its own, or does not do as commanded.",        \
        "Look at its error code; remove the cause, then clear the fault here.")                    \
    ROW(WPIN_FAULT_MASTER, "Something else commands this drive: another on the bus, or its keys.", \
        "Let one command it; set the drive to take its commands from the bus.")                    \
    ROW(WPIN_FAULT_ANGLE, "Its currents or its back-emf are not where its rotor is said to be.",   \
        "Set its leads and sensors in their order (windpin order); look for an encoder that "      \
        "slips.")                                                                                  \
    ROW(WPIN_FAULT_OVERTEMPERATURE, "Its temperature sensor says that it is too warm.",            \
        "Let it cool: before that the fault stays. Then look for a heavy load, a held shaft or "   \
        "a heat sink that came loose.")

#define ARRAYS(code, text, remedy)                                                                 \
    static const WPIN_FLASH char code##_name[] = #code;                                            \
    static const WPIN_FLASH char code##_text[] = text;                                             \
    static const WPIN_FLASH char code##_remedy[] = remedy;
TEXTS(ARRAYS)

typedef struct entry {
    const WPIN_FAR char *name, *text, *remedy;
} entry;

#define ENTRY(code, text, remedy) [code] = {code##_name, code##_text, code##_remedy},
static const WPIN_FLASH entry entries[WPIN_STATUS_COUNT] = {TEXTS(ENTRY)};

static const WPIN_FLASH char unknown_name[] = "WPIN_UNKNOWN";
static const WPIN_FLASH char unknown_text[] = "An unknown status.";
static const WPIN_FLASH char unknown_remedy[] = "Report it.";

const WPIN_FAR char *wpin_status_name(wpin_status status) {
    unsigned number = (unsigned)status;
    return number < WPIN_STATUS_COUNT ? entries[number].name : unknown_name;
}

const WPIN_FAR char *wpin_status_text(wpin_status status) {
    unsigned number = (unsigned)status;
    return number < WPIN_STATUS_COUNT ? entries[number].text : unknown_text;
}

const WPIN_FAR char *wpin_status_remedy(wpin_status status) {
    unsigned number = (unsigned)status;
    return number < WPIN_STATUS_COUNT ? entries[number].remedy : unknown_remedy;
}
