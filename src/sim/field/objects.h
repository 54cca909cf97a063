/* The object dictionary of the simulated drive: one table of what there is, and the values of one
 * drive. Private to the simulator. */
#ifndef WPIN_SIM_OBJECTS_H
#define WPIN_SIM_OBJECTS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* What may be done with an object. */
#define OD_READ   1U
#define OD_WRITE  2U
#define OD_RW     (OD_READ | OD_WRITE)
#define OD_MAP    4U /* it may be part of process data */
#define OD_SIGNED 8U
#define OD_STORED 16U /* kept by "save" */
#define OD_TEXT   32U /* of the table's name column, read only */

#define U8  0, UINT8_MAX
#define U16 0, UINT16_MAX
#define U32 0, UINT32_MAX
#define I8  INT8_MIN, INT8_MAX
#define I16 INT16_MIN, INT16_MAX
#define I32 INT32_MIN, INT32_MAX

/* What the first two process data each way are made of; four entries each. */
#define OD_PDO_IN(n, OBJECT)                                                                       \
    OBJECT(IN##n##_ID, 0x1400 + (n)-1, 1, 4, OD_RW | OD_STORED, U32, 0x80000000U,                  \
           "Process data in: identifier")                                                          \
    OBJECT(IN##n##_TYPE, 0x1400 + (n)-1, 2, 1, OD_RW | OD_STORED, U8, 255, "Transmission type")    \
    OBJECT(IN##n##_COUNT, 0x1600 + (n)-1, 0, 1, OD_RW | OD_STORED, 0, 4, 0,                        \
           "Process data in: entries")                                                             \
    OBJECT(IN##n##_1, 0x1600 + (n)-1, 1, 4, OD_RW | OD_STORED, U32, 0, "Entry 1")                  \
    OBJECT(IN##n##_2, 0x1600 + (n)-1, 2, 4, OD_RW | OD_STORED, U32, 0, "Entry 2")                  \
    OBJECT(IN##n##_3, 0x1600 + (n)-1, 3, 4, OD_RW | OD_STORED, U32, 0, "Entry 3")                  \
    OBJECT(IN##n##_4, 0x1600 + (n)-1, 4, 4, OD_RW | OD_STORED, U32, 0, "Entry 4")
#define OD_PDO_OUT(n, OBJECT)                                                                      \
    OBJECT(OUT##n##_ID, 0x1800 + (n)-1, 1, 4, OD_RW | OD_STORED, U32, 0x80000000U,                 \
           "Process data out: identifier")                                                         \
    OBJECT(OUT##n##_TYPE, 0x1800 + (n)-1, 2, 1, OD_RW | OD_STORED, U8, 255, "Transmission type")   \
    OBJECT(OUT##n##_COUNT, 0x1A00 + (n)-1, 0, 1, OD_RW | OD_STORED, 0, 4, 0,                       \
           "Process data out: entries")                                                            \
    OBJECT(OUT##n##_1, 0x1A00 + (n)-1, 1, 4, OD_RW | OD_STORED, U32, 0, "Entry 1")                 \
    OBJECT(OUT##n##_2, 0x1A00 + (n)-1, 2, 4, OD_RW | OD_STORED, U32, 0, "Entry 2")                 \
    OBJECT(OUT##n##_3, 0x1A00 + (n)-1, 3, 4, OD_RW | OD_STORED, U32, 0, "Entry 3")                 \
    OBJECT(OUT##n##_4, 0x1A00 + (n)-1, 4, 4, OD_RW | OD_STORED, U32, 0, "Entry 4")

/* key, index, sub-index, bytes, access, least, most, at first, name */
#define OD_ALL(OBJECT)                                                                             \
    OBJECT(DEVICE, 0x1000, 0, 4, OD_READ, U32, 0x00020192, "Device type")                          \
    OBJECT(ERROR_REGISTER, 0x1001, 0, 1, OD_READ | OD_MAP, U8, 0, "Error register")                \
    OBJECT(ERRORS, 0x1003, 0, 1, OD_RW, 0, 0, 0, "Number of errors")                               \
    OBJECT(ERROR_1, 0x1003, 1, 4, OD_READ, U32, 0, "Newest error")                                 \
    OBJECT(SYNC_ID, 0x1005, 0, 4, OD_RW, U32, 0x80, "SYNC identifier")                             \
    OBJECT(NAME, 0x1008, 0, 0, OD_READ | OD_TEXT, U8, 0, "Simulated drive")                        \
    OBJECT(SOFTWARE, 0x100A, 0, 0, OD_READ | OD_TEXT, U8, 0, "1.0")                                \
    OBJECT(GUARD_MS, 0x100C, 0, 2, OD_RW | OD_STORED, U16, 0, "Guard time, ms")                    \
    OBJECT(LIFE, 0x100D, 0, 1, OD_RW | OD_STORED, U8, 0, "Life time factor")                       \
    OBJECT(STORE, 0x1010, 1, 4, OD_RW, U32, 1, "Store all parameters")                             \
    OBJECT(RESTORE, 0x1011, 1, 4, OD_RW, U32, 1, "Restore all parameters")                         \
    OBJECT(EMERGENCY_ID, 0x1014, 0, 4, OD_READ, U32, 0, "Emergency identifier")                    \
    OBJECT(WATCHED, 0x1016, 1, 4, OD_RW | OD_STORED, U32, 0, "Heartbeat expected: node, ms")       \
    OBJECT(HEARTBEAT, 0x1017, 0, 2, OD_RW | OD_STORED, U16, 0, "Heartbeat, ms")                    \
    OBJECT(IDENTITY, 0x1018, 0, 1, OD_READ, U8, 4, "Identity: entries")                            \
    OBJECT(VENDOR, 0x1018, 1, 4, OD_READ, U32, 0, "Vendor")                                        \
    OBJECT(PRODUCT, 0x1018, 2, 4, OD_READ, U32, 1, "Product code")                                 \
    OBJECT(REVISION, 0x1018, 3, 4, OD_READ, U32, 1, "Revision")                                    \
    OBJECT(SERIAL, 0x1018, 4, 4, OD_READ, U32, 0, "Serial number")                                 \
    OD_PDO_IN(1, OBJECT)                                                                           \
    OD_PDO_IN(2, OBJECT)                                                                           \
    OD_PDO_IN(3, OBJECT)                                                                           \
    OD_PDO_OUT(1, OBJECT)                                                                          \
    OD_PDO_OUT(2, OBJECT)                                                                          \
    OBJECT(SOURCE, 0x2000, 0, 1, OD_RW | OD_STORED, 0, 2, 0,                                       \
           "Source of commands: 0 bus, 1 analogue, 2 pulses")                                      \
    OBJECT(SWITCHES, 0x2001, 0, 1, OD_READ, U8, 0, "Switches on its case, bit n: n+1 is down")     \
    OBJECT(LINK_LOST, 0x6007, 0, 2, OD_RW | OD_STORED | OD_SIGNED, -1, 3, 1,                       \
           "What a lost link does: 1 fault, 2 voltage off, 3 quick stop")                          \
    OBJECT(ERROR_CODE, 0x603F, 0, 2, OD_READ | OD_MAP, U16, 0, "Error code")                       \
    OBJECT(CONTROL, 0x6040, 0, 2, OD_RW | OD_MAP, U16, 0, "Control word")                          \
    OBJECT(STATUS, 0x6041, 0, 2, OD_READ | OD_MAP, U16, 0, "Status word")                          \
    OBJECT(PLAIN_TARGET, 0x6042, 0, 2, OD_RW | OD_MAP | OD_SIGNED, I16, 0, "Speed target, rpm")    \
    OBJECT(PLAIN_DEMAND, 0x6043, 0, 2, OD_READ | OD_MAP | OD_SIGNED, I16, 0, "Speed demand, rpm")  \
    OBJECT(PLAIN_NOW, 0x6044, 0, 2, OD_READ | OD_MAP | OD_SIGNED, I16, 0, "Speed actual, rpm")     \
    OBJECT(PLAIN_LEAST, 0x6046, 1, 4, OD_RW | OD_STORED, U32, 0, "Speed least, rpm")               \
    OBJECT(PLAIN_MOST, 0x6046, 2, 4, OD_RW | OD_STORED, U32, 32767, "Speed most, rpm")             \
    OBJECT(PLAIN_UP, 0x6048, 1, 4, OD_RW | OD_STORED, 1, UINT32_MAX, 1000,                         \
           "Speed acceleration, rpm...")                                                           \
    OBJECT(PLAIN_UP_S, 0x6048, 2, 2, OD_RW | OD_STORED, 1, UINT16_MAX, 1,                          \
           "Speed acceleration time, s")                                                           \
    OBJECT(PLAIN_DOWN, 0x6049, 1, 4, OD_RW | OD_STORED, 1, UINT32_MAX, 1000,                       \
           "Speed deceleration, rpm...")                                                           \
    OBJECT(PLAIN_DOWN_S, 0x6049, 2, 2, OD_RW | OD_STORED, 1, UINT16_MAX, 1,                        \
           "Speed deceleration time, s")                                                           \
    OBJECT(PLAIN_QUICK, 0x604A, 1, 4, OD_RW | OD_STORED, 1, UINT32_MAX, 4000,                      \
           "Speed quick stop, rpm...")                                                             \
    OBJECT(PLAIN_QUICK_S, 0x604A, 2, 2, OD_RW | OD_STORED, 1, UINT16_MAX, 1,                       \
           "Speed quick stop time, s")                                                             \
    OBJECT(QUICK_STOP_DOES, 0x605A, 0, 2, OD_RW | OD_STORED | OD_SIGNED, 0, 6, 2,                  \
           "Quick stop: 2 stops, then off; 6 stops and holds")                                     \
    OBJECT(FAULT_DOES, 0x605E, 0, 2, OD_RW | OD_STORED | OD_SIGNED, 0, 2, 2,                       \
           "Fault reaction: 0 off at once, 2 quick stop first")                                    \
    OBJECT(MODE, 0x6060, 0, 1, OD_RW | OD_MAP | OD_SIGNED, I8, 0, "Mode of operation")             \
    OBJECT(MODE_NOW, 0x6061, 0, 1, OD_READ | OD_MAP | OD_SIGNED, I8, 0, "Mode of operation now")   \
    OBJECT(POSITION, 0x6064, 0, 4, OD_READ | OD_MAP | OD_SIGNED, I32, 0,                           \
           "Position actual, counts")                                                              \
    OBJECT(FOLLOWING, 0x6065, 0, 4, OD_RW | OD_STORED, U32, 2000,                                  \
           "Following error window, counts")                                                       \
    OBJECT(FOLLOWING_MS, 0x6066, 0, 2, OD_RW | OD_STORED, U16, 50, "Following error time-out, ms") \
    OBJECT(WINDOW, 0x6067, 0, 4, OD_RW | OD_STORED, U32, 4, "Position window, counts")             \
    OBJECT(WINDOW_MS, 0x6068, 0, 2, OD_RW | OD_STORED, U16, 20, "Position window time, ms")        \
    OBJECT(VELOCITY, 0x606C, 0, 4, OD_READ | OD_MAP | OD_SIGNED, I32, 0,                           \
           "Velocity actual, counts/s")                                                            \
    OBJECT(TORQUE, 0x6071, 0, 2, OD_RW | OD_MAP | OD_SIGNED, -3000, 3000, 0,                       \
           "Target torque, 1/1000")                                                                \
    OBJECT(MOST_CURRENT, 0x6073, 0, 2, OD_RW | OD_STORED, 0, 3000, 2000, "Most current, 1/1000")   \
    OBJECT(RATED_CURRENT, 0x6075, 0, 4, OD_RW | OD_STORED, 1, 100000, 1000, "Rated current, mA")   \
    OBJECT(TORQUE_NOW, 0x6077, 0, 2, OD_READ | OD_MAP | OD_SIGNED, I16, 0,                         \
           "Torque actual, 1/1000")                                                                \
    OBJECT(CURRENT_NOW, 0x6078, 0, 2, OD_READ | OD_MAP | OD_SIGNED, I16, 0,                        \
           "Current actual, 1/1000")                                                               \
    OBJECT(VOLTS, 0x6079, 0, 4, OD_READ | OD_MAP, U32, 0, "DC link voltage, mV")                   \
    OBJECT(PLACE, 0x607A, 0, 4, OD_RW | OD_MAP | OD_SIGNED, I32, 0, "Target position, counts")     \
    OBJECT(HOME_OFFSET, 0x607C, 0, 4, OD_RW | OD_STORED | OD_SIGNED, I32, 0,                       \
           "Home offset, counts")                                                                  \
    OBJECT(LEAST_PLACE, 0x607D, 1, 4, OD_RW | OD_STORED | OD_SIGNED, I32, INT32_MIN,               \
           "Least position, counts")                                                               \
    OBJECT(MOST_PLACE, 0x607D, 2, 4, OD_RW | OD_STORED | OD_SIGNED, I32, INT32_MAX,                \
           "Most position, counts")                                                                \
    OBJECT(MOST_VELOCITY, 0x607F, 0, 4, OD_RW | OD_STORED, U32, UINT32_MAX,                        \
           "Most profile velocity, counts/s")                                                      \
    OBJECT(PROFILE_VELOCITY, 0x6081, 0, 4, OD_RW | OD_MAP | OD_STORED, U32, 1000,                  \
           "Profile velocity, counts/s")                                                           \
    OBJECT(UP, 0x6083, 0, 4, OD_RW | OD_STORED, 1, UINT32_MAX, 10000,                              \
           "Profile acceleration, counts/s2")                                                      \
    OBJECT(DOWN, 0x6084, 0, 4, OD_RW | OD_STORED, 1, UINT32_MAX, 10000,                            \
           "Profile deceleration, counts/s2")                                                      \
    OBJECT(QUICK, 0x6085, 0, 4, OD_RW | OD_STORED, 1, UINT32_MAX, 50000,                           \
           "Quick stop deceleration, counts/s2")                                                   \
    OBJECT(COUNTS, 0x608F, 1, 4, OD_READ, U32, 4000, "Encoder counts in so many turns...")         \
    OBJECT(TURNS, 0x608F, 2, 4, OD_READ, U32, 1, "...of the motor")                                \
    OBJECT(HOMING, 0x6098, 0, 1, OD_RW | OD_STORED | OD_SIGNED, I8, 37, "Homing method")           \
    OBJECT(HOME_FAST, 0x6099, 1, 4, OD_RW | OD_STORED, U32, 1000,                                  \
           "Homing: to the switch, counts/s")                                                      \
    OBJECT(HOME_SLOW, 0x6099, 2, 4, OD_RW | OD_STORED, U32, 100,                                   \
           "Homing: off the switch, counts/s")                                                     \
    OBJECT(INPUTS, 0x60FD, 0, 4, OD_READ | OD_MAP, U32, 0,                                         \
           "Digital inputs: 1 negative limit, 2 positive")                                         \
    OBJECT(TARGET_VELOCITY, 0x60FF, 0, 4, OD_RW | OD_MAP | OD_SIGNED, I32, 0,                      \
           "Target velocity, counts/s")                                                            \
    OBJECT(MODES, 0x6502, 0, 4, OD_READ, U32, 0x2F, "Supported modes")

#define OD_KEY(key, ...) OD_##key,
typedef enum wpin_od_key { OD_ALL(OD_KEY) OD_COUNT } wpin_od_key;

typedef struct wpin_od_object {
    uint16_t index;
    uint8_t sub, size;
    unsigned access;
    int64_t least, most, initial;
    const char *name; /* what it is; of a text: the text */
} wpin_od_object;

extern const wpin_od_object wpin_od[OD_COUNT];

/* The object of a number; -1: there is none; -2: there is the index, not the sub-index. */
int wpin_od_find(uint16_t index, uint8_t sub);

#endif
