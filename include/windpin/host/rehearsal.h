/** @file rehearsal.h
 * A plan run on simulated hardware built from the rig: what was asked, what was achieved, what
 * burnt. The plan runs through the same core, sequence and stage code as on real pins. Host only.
 */
#ifndef WINDPIN_REHEARSAL_H
#define WINDPIN_REHEARSAL_H

#include "../api.h"
#include "identify.h"
#include "sim.h"
#include "verdict.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Runs a plan. NULL with a status and a place in words when the rig can not be set up (the core
 * refused it); else a report, also when the plan went wrong. */
WPIN_API wpin_report *wpin_rehearse(const wpin_rig *rig, const wpin_plan *plan,
                                    const wpin_session_options *options, wpin_status *refused,
                                    char *why, size_t why_size);

/** Runs it on `count` benches that are not what the rig says: by `spread` of the options, and the
 * seeds from theirs on. The reports belong to the caller. On all processors. False with the reason,
 * and no report. */
WPIN_API bool wpin_rehearse_many(const wpin_rig *rig, const wpin_plan *plan,
                                 const wpin_session_options *options, wpin_report **reports,
                                 size_t count,
                                 void (*progress)(void *context, double done, double of),
                                 void *context, char *why, size_t why_size);

/** What a first motion one way came to. */
typedef struct wpin_first_way {
    bool tried;      /**< Its stage can go that way. */
    double duty;     /**< Asked for, a fraction; 1 for what is on or off. */
    double rpm;      /**< Of a drive on a field bus: asked for instead of a duty; 0: not. */
    double seconds;  /**< For how long; of a stepper 0. */
    double turns;    /**< Of the output, clockwise as seen from the end of its shaft. */
    double rpm_peak; /**< Largest size. */
    double amps_peak;
    int other; /**< Another load that turned instead or besides, -1: none. */
    wpin_verdict verdict;
    char words[160];
} wpin_first_way;

/** Moves a load for the first time on the simulated bench, alone, each way its stage can: at most
 * 30 % of the duty and 1 s (a start without sensors 4 s), 0.3 s where it is on or off, an eighth of
 * a turn of a stepper; kicks and start duties left out. False with the reason for what has no shaft
 * or can't be set up. */
WPIN_API bool wpin_first_motion(const wpin_rig *rig, int load, const wpin_injection *faults,
                                size_t fault_count, wpin_first_way ways[2], char *why,
                                size_t why_size);

/** What the leads of a stepper are found to be. */
typedef enum wpin_coils {
    WPIN_COILS_UNMEASURED, /**< The rig has no current sense for it. */
    WPIN_COILS_RIGHT,      /**< A winding on each channel. */
    WPIN_COILS_CROSSED,    /**< Each winding lies across both channels. */
    WPIN_COILS_A_OFF,      /**< Nothing is on channel a. */
    WPIN_COILS_B_OFF,
    WPIN_COILS_NO_CURRENT,
    WPIN_COILS_UNCLEAR
} wpin_coils;

/** A stepper held in each of its eight states. */
typedef struct wpin_coil_test {
    bool measured;
    double amps[8]; /**< By its sense, A. */
    wpin_coils coils;
    const char *words, *cure; /**< Static. */
} wpin_coil_test;

/** Holds a stepper (load number `load`) in each of its eight states on the simulated bench and sees
 * by its current sense which of its leads make a winding. False with a reason. */
WPIN_API bool wpin_first_coils(const wpin_rig *rig, int load, const wpin_injection *faults,
                               size_t fault_count, wpin_coil_test *test, char *why,
                               size_t why_size);

/** What a sweep finds. Duties as fractions. */
typedef struct wpin_found {
    double start_duty; /**< Gets the load moving from rest. */
    double drop_out;   /**< Below this it stops again. */
} wpin_found;

/** Sweeps a load's duty slowly up and down on the simulated board, each way it can turn, and
 * finds where it starts and where it stops. False with the reason in words. */
WPIN_API bool wpin_find_start(const wpin_rig *rig, int load, wpin_found *found, char *why,
                              size_t why_size);

/** One place of a sweep: means over a tenth of a second after the load has settled. */
typedef struct wpin_sweep_point {
    double asked; /**< Duty, signed fraction. */
    double duty;  /**< Duty on the pins. */
    double volts, amps, rpm;
    bool dead; /**< Asked to move, and stands. */
} wpin_sweep_point;

/** Sweeps a load from all reverse (from zero if it can't reverse) to all forward in `count` even
 * places, 2 and up, each reached on the rig's ramp and through the rest at zero. Without kick and
 * start duty, so that the dead zone shows. How many places were measured; fewer than count with the
 * reason in words. */
WPIN_API size_t wpin_sweep(const wpin_rig *rig, int load, wpin_sweep_point *points, size_t count,
                           char *why, size_t why_size);

/** Runs a motor for its constants to be identified by: each way it breaks loose slowly, twice, is
 * brought to two speeds, and runs down by itself. `bench`: the rig that the simulated board is
 * built of, NULL: the same. The record is added to. Of a motor without encoder `known` is told what
 * a tachometer at its shaft shows in the faster speed forward. False with the reason;
 * wpin_experiment_fits says it before anything moves: a motor that may not turn for long, no
 * current sense, something attached that was not confirmed. */
WPIN_API bool wpin_experiment(const wpin_rig *rig, const wpin_rig *bench, int load,
                              wpin_record *record, wpin_known *known, char *why, size_t why_size);
WPIN_API bool wpin_experiment_fits(const wpin_rig *rig, int load, bool attached_is_fine, char *why,
                                   size_t why_size);

/** Builds the simulated board of a rig. NULL when out of memory. The numbers of supplies, bridges
 * and motors are those of the rig's supplies and loads. */
WPIN_API wpin_sim *wpin_board_build(const wpin_rig *rig);
/** The board of a rig as a bench for a session; `context` keeps what it needs, and both must
 * outlive it. */
typedef struct wpin_board_bench {
    const wpin_rig *rig;
    wpin_sim *sim;
} wpin_board_bench;
/** That bench. */
WPIN_API wpin_bench wpin_bench_on_board(wpin_board_bench *board);
/** Frees its simulated hardware. */
WPIN_API void wpin_board_bench_free(wpin_board_bench *board);
/** What a load of such a board did since it was last asked about, as its machine sees it: a motor
 * that is mounted mirrored turns the other way. */
WPIN_API wpin_part_reading wpin_board_read(const wpin_board_bench *board, size_t load);
/** Serves the interrupts of load number `load`'s Hall sensors or comparators, if it has some, on
 * the board that wpin_board_build made of the rig. Once it is open. */
WPIN_API void wpin_bound_listen(wpin_bound_load *bound, wpin_sim *sim, const wpin_rig *rig,
                                size_t load);

/** What pulls a brushless motor to its places to find the order of its wires, and what came of it.
 */
typedef struct wpin_found_order {
    double amps, duty; /**< A; a fraction. */
    double hold, swap; /**< At each place; by each of its two rows, s. */
    double turns;      /**< Of the output: how far it may turn at the most... */
    double moved;      /**< ...and did, one way or the other... */
    double span;       /**< ...from one end to the other. */
    wpin_order_state state;
    uint8_t codes[6]; /**< By sector, where it was found. */
    uint8_t same;     /**< Bit n: sensor n never changed, or lead n is off. */
    double amps_peak;
} wpin_found_order;

/** Works out how load number `load` would be pulled: amps, duty, hold and turns. False with the
 * reason for one that is no brushless motor on three legs, or whose stage can't hold it. */
WPIN_API bool wpin_plan_order(const wpin_rig *rig, int load, wpin_found_order *found, char *why,
                              size_t why_size);
/** Does it on a bench whose wires are in the order `mixed` of wpin_rig_wires_mixed, with faults if
 * any. */
WPIN_API bool wpin_find_order(const wpin_rig *rig, int load, uint8_t mixed,
                              const wpin_injection *faults, size_t fault_count,
                              wpin_found_order *found, char *why, size_t why_size);
/** Where the encoder of a field-oriented motor counts from, as its first start finds it: how it is
 * led there, and what came of it. */
typedef struct wpin_found_angle {
    double amps;        /**< At a lead's tip. */
    double seconds;     /**< That it takes. */
    double turns;       /**< Of the output: how far it may turn... */
    double moved;       /**< ...and did. */
    double quarter_due; /**< Counts of a quarter of an electrical turn by the rig... */
    double quarter;     /**< ...and those that came, signed; 0: none. */
    double amps_peak;   /**< Largest size of a lead's current. */
    wpin_status fault;  /**< What ended it, or WPIN_OK. */
    bool found;         /**< It knows its rotor from here on... */
    double
        off; /**< ...so far off the truth, which the simulated bench knows; electrical degrees. */
} wpin_found_angle;

/** Works out how load number `load` would be led: amps, seconds, turns, quarter_due. False with the
 * reason for one that is not field-oriented by an encoder alone. */
WPIN_API bool wpin_plan_angle(const wpin_rig *rig, int load, wpin_found_angle *found, char *why,
                              size_t why_size);
/** Does it, with faults if any. False with the reason: it could not begin. */
WPIN_API bool wpin_find_angle(const wpin_rig *rig, int load, const wpin_injection *faults,
                              size_t fault_count, wpin_found_angle *found, char *why,
                              size_t why_size);

/** The simulated drives of a field bus of a rig by themselves: all supplies on, and nobody commands
 * them but who is told here. */
typedef struct wpin_drives wpin_drives;
/** Starts them; `hear` is called for each frame of theirs. NULL when out of memory. */
WPIN_API wpin_drives *wpin_drives_open(const wpin_rig *rig, size_t bus,
                                       wpin_sim_frame_watcher *hear, void *context);
/** Writes the data sheet of a simulated drive (CiA 306). */
WPIN_API void wpin_drives_write_eds(FILE *to);
/** NULL is fine. */
WPIN_API void wpin_drives_free(wpin_drives *drives);
/** Puts a frame on their bus; false: it has no room for it. */
WPIN_API bool wpin_drives_tell(wpin_drives *drives, const wpin_frame *frame);
/** Their time, and lets some of it pass, ps. */
WPIN_API int64_t wpin_drives_time(const wpin_drives *drives);
WPIN_API void wpin_drives_advance(wpin_drives *drives, int64_t picoseconds);

#ifdef __cplusplus
}
#endif
#endif
