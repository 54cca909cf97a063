/** @file trace.h
 * Records of a run: samples as CSV (RFC 4180), pin levels as VCD (IEEE 1364), pictures as PNG or
 * SVG drawn by gnuplot. Host only.
 */
#ifndef WINDPIN_TRACE_H
#define WINDPIN_TRACE_H

#include "../api.h"
#include "rig.h"

#ifdef __cplusplus
extern "C" {
#endif

/** One load over one sample interval. What is not known, on hardware that tells no more than its
 * controller measures, is NAN, and empty in a file. Duties as signed fractions, speed at the gear's
 * output. */
typedef struct wpin_sample {
    double asked;         /**< Duty asked for at the end of the interval; NAN: a speed is. */
    double duty;          /**< Duty on the pins at the end of the interval. */
    double volts;         /**< Mean across the motor, V. */
    double amps;          /**< Mean motor current, A. */
    double amps_min;      /**< Lowest motor current, A. */
    double amps_max;      /**< Highest motor current, A. */
    double rpm;           /**< Speed at the end of the interval; true, not measured. */
    double asked_rpm;     /**< Speed asked for, where its ramp is; NAN: none. */
    double measured_rpm;  /**< By its encoder; NAN: none. */
    double asked_amps;    /**< Current asked for, where its ramp is, signed; NAN: none. */
    double measured_amps; /**< By its sense, with the sign it is driven with; NAN: none. */
    double turns;         /**< Turns of the output since its zero. */
    double effect;        /**< A lamp's light, a solenoid's plunger, 0 to 1. */
    double supply_volts;  /**< Supply at the end of the interval, V. */
    wpin_state phase;     /**< What the motor is doing. */
} wpin_sample;

/** Word for a phase, e.g. "ramping". */
WPIN_API const char *wpin_state_word(wpin_state phase);

/** A CSV file being written. */
typedef struct wpin_csv wpin_csv;
/** Opens a file and writes the header for the rig's loads. NULL (errno set) if it can't be
 * written. */
WPIN_API wpin_csv *wpin_csv_open(const char *path, const wpin_rig *rig);
/** Writes a row: the time in s and one sample for each load. */
WPIN_API void wpin_csv_row(wpin_csv *csv, double seconds, const wpin_sample *samples);
/** 0, or the errno of the first write that failed. */
WPIN_API int wpin_csv_error(const wpin_csv *csv);
/** Closes the file. 0, or the errno of the first failure: the file is then incomplete. */
WPIN_API int wpin_csv_close(wpin_csv *csv);

/** A trace that was read back. */
typedef struct wpin_trace wpin_trace;
/** Reads what wpin_csv has written. NULL with the reason. */
WPIN_API wpin_trace *wpin_trace_read(const char *path, char *why, size_t why_size);
WPIN_API void wpin_trace_free(wpin_trace *trace);
/** The rig that it was recorded with: its fingerprint, and what was accepted in it. */
WPIN_API const char *wpin_trace_mark(const wpin_trace *trace);
/** Time of its last row, s. */
WPIN_API double wpin_trace_end(const wpin_trace *trace);
/** The column of a load, e.g. "duty_percent"; -1: there is none. */
WPIN_API int wpin_trace_column(const wpin_trace *trace, const char *load, const char *what);
/** Average of a column between two moments, s, each row holding until the next; NAN where it has no
 * numbers, or there is no such column. */
WPIN_API double wpin_trace_average(const wpin_trace *trace, int column, double from, double to);

/** A VCD file being written. */
typedef struct wpin_vcd wpin_vcd;
/** Opens a file and declares every control line of the rig under its load. NULL (errno set) if
 * it can't be written. Time unit 1 ns, counted from `start` ps. */
WPIN_API wpin_vcd *wpin_vcd_open(const char *path, const wpin_rig *rig, int64_t start);
/** Told of every change of an opened pin, in the order of time. */
typedef void wpin_pin_watcher(void *context, int64_t picoseconds, wpin_pin pin, wpin_level level);
/** A wpin_pin_watcher; its context is the wpin_vcd. */
WPIN_API void wpin_vcd_pin(void *context, int64_t picoseconds, wpin_pin pin, wpin_level level);
/** 0, or the errno of the first write that failed. */
WPIN_API int wpin_vcd_error(const wpin_vcd *vcd);
/** Closes the file. 0, or the errno of the first failure. */
WPIN_API int wpin_vcd_close(wpin_vcd *vcd);

/** Most loads one picture has room for. */
#define WPIN_PICTURE_LOADS 3

/** A moment to be marked in a picture: a step of a plan begins. */
typedef struct wpin_picture_mark {
    const char *load; /**< In whose column. */
    double at;        /**< s */
    unsigned line;    /**< Of the plan. */
} wpin_picture_mark;

/** Which loads a picture shows. */
typedef struct wpin_picture_loads {
    const char
        *names[WPIN_PICTURE_LOADS]; /**< Without regard to case; those behind count unused. */
    size_t count;                   /**< 0: the first ones of the trace. */
    const wpin_picture_mark *marks; /**< In any order. */
    size_t mark_count;              /**< 0: none. */
} wpin_picture_loads;

/** Draws a trace: duty, volts, current and speed over time, one column a load. The picture's ending
 * (.png or .svg) says the format. False with the reason in words; true with a remark in `why` when
 * the trace has more loads than are shown, else "". */
WPIN_API bool wpin_picture(const char *csv_path, const char *picture_path,
                           const wpin_picture_loads *loads, char *why, size_t why_size);

/** Two traces to be drawn over each other. */
typedef struct wpin_picture_pair {
    const char *csv[2];   /**< Their files. */
    const char *words[2]; /**< What each is, for the key. */
    const char *load;     /**< The load shown. */
} wpin_picture_pair;

/** Draws duty, current and speed of one load in two traces. False with the reason. */
WPIN_API bool wpin_picture_two(const wpin_picture_pair *pair, const char *picture_path, char *why,
                               size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
