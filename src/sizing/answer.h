/* Writing an answer, for the sheets. */
#ifndef WPIN_CALC_ANSWER_H
#define WPIN_CALC_ANSWER_H

#include "windpin/host/calc.h"
#include "windpin/host/sheet.h"
#include <math.h>

/* A quantity as text, valid for the next seven. */
const char *wpin_text(wpin_answer *answer, double value, wpin_dimension dimension);
/* Adds a result with its formula. */
void wpin_say(wpin_answer *answer, const char *label, double value, wpin_dimension dimension,
              const char *formula, ...) __attribute__((format(printf, 5, 6)));
/* Sets what to check next. */
void wpin_next(wpin_answer *answer, const char *words, ...) __attribute__((format(printf, 2, 3)));
/* Sets the margin, the least of several when called again. */
/* The smallest of the sizes that are sold, in order, which is enough; else the largest. */
double wpin_next_sold(const double *sizes, size_t count, double least);
void wpin_margin(wpin_answer *answer, double margin);
/* A verdict besides the margin's: the gravest stays. */
void wpin_judge(wpin_answer *answer, wpin_severity severity, const char *words, ...)
    __attribute__((format(printf, 3, 4)));

extern const wpin_sheet wpin_sheets_switch[], wpin_sheets_power[], wpin_sheets_motor[],
    wpin_sheets_feedback[];
extern const unsigned wpin_sheets_switch_count, wpin_sheets_power_count, wpin_sheets_motor_count,
    wpin_sheets_feedback_count;

#define V(text) text, WPIN_VOLTAGE
#define A(text) text, WPIN_CURRENT
#define ASK(key, words, dimension, low, high, tolerance)                                           \
    { key, words, dimension, NAN, low, high, tolerance, false }
#define TAKE(key, words, dimension, otherwise, low, high, tolerance)                               \
    { key, words, dimension, otherwise, low, high, tolerance, false }
/* What is counted. */
#define COUNTED(key, words, otherwise, low, high)                                                  \
    { key, words, WPIN_NUMBER, otherwise, low, high, 0, true }

#endif
