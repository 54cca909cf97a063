/** @file sheet.h
 * Sizing sheets: quantities in, the formula with the numbers in it, a preferred value, the margin,
 * the worst case over tolerances, a verdict and the next thing to check. Host only.
 *
 *     const wpin_sheet *sheet = wpin_sheet_find("base-resistor");
 *     double values[WPIN_SHEET_INPUTS];
 *     wpin_sheet_defaults(sheet, values);              // NAN where something must be given
 *     wpin_answer answer;
 *     wpin_sheet_work_out(sheet, values, &answer);
 */
#ifndef WINDPIN_SHEET_H
#define WINDPIN_SHEET_H

#include "../api.h"
#include "quantity.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most inputs of a sheet, and most lines of an answer. */
#define WPIN_SHEET_INPUTS 12
#define WPIN_ANSWER_LINES 16

/** A quantity a sheet asks for. */
typedef struct wpin_sheet_input {
    const char *key;   /**< As given: key=quantity. NULL ends the list. */
    const char *words; /**< What it is, for people. */
    wpin_dimension dimension;
    double otherwise;   /**< Its value when nothing is given; NAN: it must be given. */
    double least, most; /**< Allowed range, SI. */
    double tolerance;   /**< It may be off by this share either way; 0: exact. */
    bool whole;         /**< It counts something: no fractions. */
} wpin_sheet_input;

/** How it stands. */
typedef enum wpin_severity { WPIN_FINE, WPIN_NOTE, WPIN_CAUTION, WPIN_REFUSE } wpin_severity;

/** "fine", "note", "caution" or "refuse". */
WPIN_API const char *wpin_severity_word(wpin_severity severity);

/** One result, with the formula that led to it. */
typedef struct wpin_answer_line {
    char label[48];
    char formula[200];
    double value;
    wpin_dimension dimension;
} wpin_answer_line;

/** What a sheet answers. */
typedef struct wpin_answer {
    wpin_answer_line lines[WPIN_ANSWER_LINES];
    unsigned line_count;
    double chosen; /**< Preferred value of the part; NAN before it is chosen, or if none is. */
    double margin; /**< 1 is just enough. */
    double worst;  /**< The same with every tolerance against it, the part as chosen. */
    char worst_words[160];  /**< Which way round the tolerances were. */
    wpin_severity severity; /**< Fine: enough at worst; caution: enough as given only. */
    char verdict[240];
    char next[400];      /**< What to check next. */
    char scratch[8][40]; /**< For the texts of quantities. */
    unsigned scratch_used;
} wpin_answer;

/** A sheet. */
typedef struct wpin_sheet {
    const char *name;
    const char *words;
    wpin_sheet_input inputs[WPIN_SHEET_INPUTS + 1];
    const char *example; /**< Inputs of a working example, as typed. */
    const char *margin;  /**< What the margin counts: "times the base current it needs". */
    void (*work_out)(const double *values, wpin_answer *answer);
} wpin_sheet;

/** All sheets. */
WPIN_API const wpin_sheet *wpin_sheets(unsigned *count);
/** The sheet of a name, NULL if there is none. */
WPIN_API const wpin_sheet *wpin_sheet_find(const char *name);
/** Number of an input by its key, -1 if the sheet has none such. */
WPIN_API int wpin_sheet_input_find(const wpin_sheet *sheet, const char *key);
/** Fills in what need not be given. */
WPIN_API void wpin_sheet_defaults(const wpin_sheet *sheet, double *values);
/** Works it out, as given and at every corner of the tolerances. All values set and in range. */
WPIN_API void wpin_sheet_work_out(const wpin_sheet *sheet, const double *values,
                                  wpin_answer *answer);

#ifdef __cplusplus
}
#endif
#endif
