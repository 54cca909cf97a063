/** @file parts.h
 * What the parts on a bench are, as their data sheets say: motor, driver, supply, lamp, solenoid,
 * stepper, sensors; what they do; what can be wrong with them. Rigs are made of them, and sheets,
 * vetting, verdicts and simulated hardware count with them. All quantities SI (V, A, ohm, H, Nm,
 * kg m2, rad/s, s) unless the name says otherwise. Host only.
 */
#ifndef WINDPIN_PARTS_H
#define WINDPIN_PARTS_H

#include "part_driver.h"
#include "part_load.h"
#include "part_motor.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What a motor did since it was last asked. */
typedef struct wpin_part_reading {
    double seconds;      /**< How long that was. */
    double volts;        /**< Mean across the terminals, forward positive. */
    double amps;         /**< Mean current. */
    double amps_min;     /**< Lowest current. */
    double amps_max;     /**< Highest current. */
    double supply_amps;  /**< Mean current out of the supply for this motor. */
    double supply_volts; /**< Supply voltage now. */
    double rpm;          /**< Output speed now. */
    double rpm_mean;     /**< Mean output speed. */
    double turns;        /**< Output turns since the start. */
    double amps_now;     /**< Current now; of a stepper the larger of its two, without sign. */
    double effect;       /**< A lamp's light as a share of the rated; a solenoid's plunger, 1 in. */
    double degrees;      /**< Temperature of winding or coil, degC. */
    double driver_degrees; /**< Temperature of the driver, degC. */
} wpin_part_reading;

/** Which part of a board: number of a pin, of a driver (wpin_sim_add_bridge), of what is connected
 * to one.
 */
typedef struct wpin_part_id {
    enum { WPIN_ID_PIN, WPIN_ID_DRIVER, WPIN_ID_LOAD } kind;
    int number;
} wpin_part_id;

/** Something that burnt. */
typedef struct wpin_part_burn {
    double at;        /**< When, s since the start. */
    wpin_part_id of;  /**< Which part... */
    char part[64];    /**< ...in words. */
    char reason[160]; /**< Why, in words. */
} wpin_part_burn;

/** Something worth knowing that burnt nothing. */
typedef struct wpin_part_event {
    double at;      /**< When, s since the start. */
    char part[64];  /**< Which part. */
    char what[160]; /**< What happened, in words. */
    unsigned more;  /**< How often the same happened again later. */
} wpin_part_event;

/** Faults put into the board on purpose. */
typedef enum wpin_part_fault {
    WPIN_PART_FAULT_SUPPLY_DEAD,    /**< A supply gives nothing, whatever its switch says. */
    WPIN_PART_FAULT_SUPPLY_WEAK,    /**< Ten times its resistance and an ohm more. */
    WPIN_PART_FAULT_STALLED,        /**< A motor's shaft is held. */
    WPIN_PART_FAULT_WIRE_OFF,       /**< Input `detail` of a bridge hangs in the air. */
    WPIN_PART_FAULT_WIRES_SWAPPED,  /**< The first two wired inputs of a bridge change places. */
    WPIN_PART_FAULT_MOTOR_WIRE_OFF, /**< A motor's lead is off. */
    WPIN_PART_FAULT_MOTOR_SWAPPED,  /**< A motor's leads change places. */
    WPIN_PART_FAULT_NO_GROUND,      /**< A bridge has no ground. */
    WPIN_PART_FAULT_DIODE_REVERSED, /**< A free-wheel diode lies across the supply. */
    WPIN_PART_FAULT_STUCK,          /**< The button on pin `number` stays pressed. */
    WPIN_PART_FAULT_READING_STUCK,  /**< The knob or sensor on analogue input `number` stays as it
                                        is, whatever a hand does to it. */
    WPIN_PART_FAULT_PIN_FLOATING,   /**< Input `detail` of a bridge has no pull resistor: while its
                                        pin is not driven it drifts to where the switch conducts. */
    WPIN_PART_FAULT_LINK_LOST,      /**< No command reaches the controller any more. `number` 0. */
    WPIN_PART_FAULT_SENSOR_OFF,     /**< A motor's encoder has no supply, or its wires are off; or
                                       its comparators. */
    WPIN_PART_FAULT_CHANNEL_OFF,    /**< The second channel is off. */
    WPIN_PART_FAULT_CHANNELS_SWAPPED, /**< The channels change places. */
    WPIN_PART_FAULT_HALL_OFF,         /**< Its Hall sensors have no supply. */
    WPIN_PART_FAULT_HALL_SENSOR_OFF,  /**< Hall sensor b is off. */
    WPIN_PART_FAULT_HALL_SWAPPED,     /**< Hall sensors a and b change places. */
    WPIN_PART_FAULT_LEADS_MIXED,      /**< A stepper's leads are on the outputs that `detail` says:
                                          WPIN_PART_LEADS. */
    WPIN_PART_FAULT_CABLE_OFF,        /**< The bus cable of the drive of a bridge is off. */
    WPIN_PART_FAULT_BUS_OFF,  /**< That drive's end of the bus met too many errors and shut itself
                                   off, until its power is switched off and on. */
    WPIN_PART_FAULT_BUS_FULL, /**< Somebody fills that drive's bus with frames that go first. */
    WPIN_PART_FAULT_BUS_RATE, /**< That drive is set to another bit rate than its bus. */
    WPIN_PART_FAULT_DUPLICATE_NODE, /**< Another drive on its bus has its number. */
    WPIN_PART_FAULT_DEAF,           /**< That drive says yes to all it is told, and does nothing. */
    WPIN_PART_FAULT_LOCAL, /**< Somebody turned that drive to its own keys: it hears no commands. */
    WPIN_PART_FAULT_THERMISTOR_OFF, /**< The wire of its thermistor is off: as cold as can be. */
    WPIN_PART_FAULT_SWITCH_OPEN,    /**< A switch of a bridge never turns on: WPIN_PART_SWITCH in
                                         `detail`. Its diode is still there. */
    WPIN_PART_FAULT_SWITCH_SHORTED, /**< It never turns off: burnt through, or welded. */
    WPIN_PART_FAULT_ENCODER_SLIPS,  /**< A motor's encoder stands still for a moment while its shaft
                                         goes on: by a quarter of an electrical turn of a brushless
                                         one, else an eighth of a turn. What it slipped by stays. */
    WPIN_PART_FAULT_HALL_SHIFTED, /**< Its Hall sensors are 45 electrical degrees off their places,
                                       to where it turns forward. */
    WPIN_PART_FAULT_POLE_PAIRS,   /**< A brushless motor has `detail` pole pairs. */
    WPIN_PART_FAULT_INTERRUPTS_OFF, /**< The controller's interrupts no longer come: those of PWM
                                       periods, of Hall sensors and of a fast timer. `number` 0. */
    WPIN_PART_FAULT_COUNT
} wpin_part_fault;

/** A switch of a bridge, for `detail`: leg 0 to 2, its low side or its high one. */
#define WPIN_PART_SWITCH(leg, low) (2 * (leg) + ((low) ? 1 : 0))

/** On which output of the driver (0 to 3: a1, a2, b1, b2; 4: none) each lead of a stepper is: both
 * of its winding a, both of b. */
#define WPIN_PART_LEADS(a1, a2, b1, b2) ((a1) | (a2) << 3 | (b1) << 6 | (b2) << 9)

#ifdef __cplusplus
}
#endif
#endif
