/** @file starter.h
 * A first rig and a first plan from a few answers: what has how many wires, the supply, the
 * stage. Sound by their making; every figure that has to be measured says so. Host only.
 */
#ifndef WINDPIN_STARTER_H
#define WINDPIN_STARTER_H

#include "rig.h"
#include <stdio.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Something with so many wires. */
typedef struct wpin_wired {
    int wires;
    const char *what;  /**< In words. */
    const char *tell;  /**< How to tell it from others with as many. */
    const char *load;  /**< Key of the rig: motor, lamp, leds, solenoid, stepper; or sensorless, a
                           brushless motor without sensors; NULL: not yet. */
    const char *stage; /**< A stage that drives it, or, where there is none yet, what would. */
    bool encoder;      /**< Its thin wires are those of an encoder. */
} wpin_wired;

/** All of them, by number of wires; the last one has `what` NULL. */
WPIN_API const wpin_wired *wpin_wired_things(void);
/** The first with so many wires (0: any) that is such a load (NULL: any) and can be connected to
 * that stage (NULL: any, and not yet described things too); NULL: there is none. */
WPIN_API const wpin_wired *wpin_wired_find(int wires, const char *load,
                                           const wpin_stage_kind *kind);

/** The answers. */
typedef struct wpin_starter {
    const char *name; /**< Of the load: letters, digits, '-' and '_', no word of the language. */
    const wpin_wired *thing;
    const wpin_stage_kind *kind;
    double volts, watts; /**< Of the supply; of the load when it works as it is meant to. Within
                              the ranges below, and so are the amperes they make. */
} wpin_starter;

#define WPIN_STARTER_LEAST_VOLTS 3.0
#define WPIN_STARTER_MOST_VOLTS  60.0
#define WPIN_STARTER_LEAST_WATTS 0.1
#define WPIN_STARTER_MOST_WATTS  1000.0
#define WPIN_STARTER_LEAST_AMPS  0.02
#define WPIN_STARTER_MOST_AMPS   50.0

/** Whether it can be connected to that stage: a motor with Hall sensors has three phases, one with
 * two wires has none. */
WPIN_API bool wpin_starter_fits(const wpin_wired *thing, const wpin_stage_kind *kind);
/** Writes rig and plan. False when a file can not be written. */
WPIN_API bool wpin_starter_write(const wpin_starter *starter, FILE *rig, FILE *plan);

#ifdef __cplusplus
}
#endif
#endif
