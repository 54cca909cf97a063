/** @file rig.h
 * The rig file: what is on the bench, described once. Reading checks it completely and reports
 * every mistake with its place. Host only. See docs/rig.md for the file itself.
 */
#ifndef WINDPIN_RIG_H
#define WINDPIN_RIG_H

#include "messages.h"
#include "sim.h"
#include "windpin.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Longest name of a load or supply, bytes without the end. */
#define WPIN_NAME_MAX 31

/** The controller of a rig. SI units. */
typedef struct wpin_rig_controller {
    double logic_volts, pin_resistance, pin_limit, timer_hz, timer_bits, tick;
} wpin_rig_controller;

/** A supply of a rig. */
typedef struct wpin_rig_supply {
    char name[WPIN_NAME_MAX + 1];
    unsigned line; /**< Where the file describes it. */
    double volts, resistance;
    bool on;
} wpin_rig_supply;

/** A kind of power stage the rig file can name. */
typedef struct wpin_stage_kind {
    const char *name;                    /**< As the file writes it. */
    const char *words;                   /**< What it is, in a few words. */
    const wpin_stage_table *table;       /**< What the core believes. */
    wpin_sim_logic logic;                /**< The chip that the simulator puts behind it. */
    const char *lines[WPIN_STAGE_LINES]; /**< Names of the table's lines, in order. */
    int inputs[WPIN_STAGE_LINES];        /**< Chip input of each line. */
} wpin_stage_kind;

/** Limits and habits of a load. SI units; duty as a fraction. */
typedef struct wpin_rig_limits {
    double pwm_hz, dead_time, ramp_up, ramp_down, rest, duty_max;
    double trip_amps, trip_time, trip_input; /**< trip_input below 0: no current sense used. */
} wpin_rig_limits;

/** A load of a rig: what the core is told, and what is really there. */
typedef struct wpin_rig_load {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    size_t supply;
    const wpin_stage_kind *kind;
    uint8_t pins[WPIN_STAGE_LINES];  /**< Pin of each line. */
    uint8_t wires[WPIN_STAGE_LINES]; /**< Pin each chip input is really on. */
    bool inverted[WPIN_STAGE_LINES];
    bool reversed;
    bool rest_brakes; /**< At zero duty the stage brakes instead of coasting. */
    wpin_rig_limits limits;
    wpin_sim_bridge bridge; /**< Its name is NULL: use the load's. */
    wpin_sim_motor motor;   /**< The same. */
} wpin_rig_load;

/** A rig. */
typedef struct wpin_rig {
    char name[64];
    wpin_rig_controller controller;
    wpin_rig_supply *supplies;
    size_t supply_count;
    wpin_rig_load *loads;
    size_t load_count;
} wpin_rig;

/** Reads and checks a rig file. NULL with at least one message when anything is wrong.
 * `path` must outlive the messages' use of it only during the call. */
wpin_rig *wpin_rig_read(const char *path, wpin_messages *messages);
/** Frees a rig; NULL is fine. */
void wpin_rig_free(wpin_rig *rig);

/** The kinds of stage the rig file knows. */
const wpin_stage_kind *wpin_stage_kinds(size_t *count);
/** Number of the load or supply of this name without regard to case, or -1. */
int wpin_rig_find_load(const wpin_rig *rig, const char *name);
int wpin_rig_find_supply(const wpin_rig *rig, const char *name);

#ifdef __cplusplus
}
#endif
#endif
