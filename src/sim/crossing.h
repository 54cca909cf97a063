/* When something that goes by time passes nothing. */
#ifndef WPIN_SIM_CROSSING_H
#define WPIN_SIM_CROSSING_H

/* What is left of it after t seconds. */
typedef double wpin_left(const void *what, double t);

/* When less than nothing is, as there is after `end` seconds: no later than a picosecond after it
 * begins to be. */
double wpin_crosses(wpin_left *left, const void *what, double end);

#endif
