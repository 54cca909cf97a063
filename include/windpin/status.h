/** @file status.h
 * Named results. Every function that can be refused returns a wpin_status; every latched fault
 * is one too. Nothing else in the library carries meaning in a number.
 */
#ifndef WINDPIN_STATUS_H
#define WINDPIN_STATUS_H

#include "api.h"
#include "flash.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Results. WPIN_OK is zero; refusals come before WPIN_FAULT_FIRST, faults from there on. */
typedef enum wpin_status {
    WPIN_OK = 0,              /**< Done. */
    WPIN_REFUSED_ARGUMENT,    /**< A pointer is missing or an index does not exist. */
    WPIN_REFUSED_RANGE,       /**< A value is outside its documented range. */
    WPIN_REFUSED_CONFIG,      /**< The configuration contradicts itself. */
    WPIN_REFUSED_PORT,        /**< The port lacks a function this configuration needs. */
    WPIN_REFUSED_FREQUENCY,   /**< The port can not make this PWM frequency on this pin. */
    WPIN_REFUSED_STATE,       /**< This power stage has no row for the state asked for. */
    WPIN_REFUSED_SHOOT,       /**< The table would turn on both sides of a leg. */
    WPIN_REFUSED_NOT_ARMED,   /**< The motor is not armed. */
    WPIN_REFUSED_NOT_ZERO,    /**< Something is still asked for; ask for zero first. */
    WPIN_REFUSED_FAULTED,     /**< A fault is latched; clear it first. */
    WPIN_REFUSED_CAUSE,       /**< The cause of the fault is still there, or has yet
                                   to cool. */
    WPIN_REFUSED_NO_FAULT,    /**< There is no fault to clear. */
    WPIN_REFUSED_ON_OFF,      /**< This stage knows on and off only, no duty between. */
    WPIN_REFUSED_BELOW_START, /**< Less than the duty that gets the motor moving. */
    WPIN_REFUSED_LIMIT,       /**< It stands at the limit switch of that way. */
    WPIN_REFUSED_FULL,        /**< More parallel tracks or nested blocks than there is room for. */
    WPIN_REFUSED_CLOSED,      /**< It was never opened, or its init was refused. */
    WPIN_REFUSED_QUANTITY,    /**< No regulator or actuator takes this quantity. */
    WPIN_REFUSED_PAUSE,       /**< The time-out is over before the motor may turn that way. */
    WPIN_REFUSED_DEAD_TIME,   /**< The port can not make this dead time, or the period is too short.
                               */
    WPIN_REFUSED_NOT_HOMED,   /**< Where it stands is not known yet. */
    WPIN_REFUSED_CONFLICT,    /**< Two parallel tracks command the same motor, or two nodes have the
                                 same number. */
    WPIN_REFUSED_BUSY,        /**< An object of this node is being read or written. */
    WPIN_REFUSED_OBJECT,      /**< The node refused the object. */
    WPIN_REFUSED_SILENT,      /**< The node does not answer. */
    WPIN_FAULT_FIRST,         /**< Not a status: the first fault is the next number. */
    WPIN_FAULT_OVERCURRENT = WPIN_FAULT_FIRST, /**< Current above the trip level for too long. */
    WPIN_FAULT_SUPPLY_LOW,                     /**< Motor supply below its window. */
    WPIN_FAULT_SUPPLY_HIGH,                    /**< Motor supply above its window. */
    WPIN_FAULT_PORT,                           /**< The port failed while the motor was in use. */
    WPIN_FAULT_EXTERNAL,                       /**< Tripped from outside (wpin_motor_trip). */
    WPIN_FAULT_TIMEOUT,                        /**< What a plan waited for did not come in time. */
    WPIN_FAULT_ON_TIME,                        /**< On for longer than it may be. */
    WPIN_FAULT_RESET,                          /**< The controller was reset while it worked. */
    WPIN_FAULT_LINK,                           /**< The link to the commander was lost. */
    WPIN_FAULT_LATE,                           /**< The tick came later than configured, or an
                                                    interrupt that an actuator lives on not at all. */
    WPIN_FAULT_CLOCK,                          /**< The clock stands. */
    WPIN_FAULT_SENSOR,                         /**< A sensor the guard needs gives no reading. */
    WPIN_FAULT_STOPPED,                        /**< The stop input was pressed. */
    WPIN_FAULT_NO_MOTION,                      /**< Driven, and no motion is measured. */
    WPIN_FAULT_STALLED,    /**< Driven, it stands and draws the current of a standing motor. */
    WPIN_FAULT_NO_CURRENT, /**< Driven, it stands or slows down, and draws no current. */
    WPIN_FAULT_FEEDBACK,   /**< Driven, its current is that of a turning one, and nothing counts. */
    WPIN_FAULT_WRONG_WAY,  /**< Its speed is measured against the way it is driven. */
    WPIN_FAULT_OVERSPEED,  /**< Faster than it may be. */
    WPIN_FAULT_FOLLOWING,  /**< For too long too far from the speed asked for. */
    WPIN_FAULT_HUNTING,    /**< Goes back and forth over the place asked for. */
    WPIN_FAULT_OVERLOAD,   /**< More current for longer than its winding carries. */
    WPIN_FAULT_PHASE,      /**< Of a brushless motor: a lead or a switch carries no current. */
    WPIN_FAULT_HALL,       /**< The Hall sensors show no sector, or leave sectors out. */
    WPIN_FAULT_SILENT,     /**< A drive on a field bus is silent, or not set up yet. */
    WPIN_FAULT_DRIVE,      /**< A drive on a field bus has a fault, or does not do as it is told. */
    WPIN_FAULT_MASTER, /**< Something else commands this drive: another on the bus, or its keys. */
    WPIN_FAULT_ANGLE,  /**< Of field orientation: its currents or its back-emf are not where its
                            rotor is said to be. */
    WPIN_FAULT_OVERTEMPERATURE, /**< Its temperature sensor says too warm, or not yet cool. */
    WPIN_STATUS_COUNT           /**< How many there are. */
} wpin_status;

/** Name of a status as written in this header, e.g. "WPIN_REFUSED_RANGE".
 * Never NULL; "WPIN_UNKNOWN" outside the enum. Any context. */
WPIN_API const WPIN_FAR char *wpin_status_name(wpin_status status);

/** One sentence saying what happened, for a person. Never NULL.
 * The texts live in a file of their own: firmware that never asks for them never links them. On AVR
 * they lie in flash, all three: print them with %S, or byte by byte. Any context. */
WPIN_API const WPIN_FAR char *wpin_status_text(wpin_status status);

/** One sentence saying what to do about it. Never NULL; empty for WPIN_OK.
 * Any context. */
WPIN_API const WPIN_FAR char *wpin_status_remedy(wpin_status status);

#ifdef __cplusplus
}
#endif
#endif
