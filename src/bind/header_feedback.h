/* The part of an exported header that is about what a motor's speed is measured and regulated by.
 */
#ifndef WPIN_BIND_HEADER_FEEDBACK_H
#define WPIN_BIND_HEADER_FEEDBACK_H

#include "windpin/host/bind.h"
#include <stdio.h>

/* Encoder, regulator and protection of a load, as objects; then what its guard, sense and motor
 * configuration name of them. Nothing for a load without. */
void wpin_header_feedback(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                          const char *id);
void wpin_header_reversal(FILE *to, const wpin_rig_load *load, const wpin_guard_config *guard);
/* What learns the zero of its current sense; it points to the stage. */
void wpin_header_zero(FILE *to, const wpin_bound_load *bound, const char *id);
void wpin_header_more(FILE *to, const wpin_bound_load *bound, const char *id);
void wpin_header_loop(FILE *to, const wpin_rig_load *load, const wpin_motor_config *motor,
                      const char *id);

#endif
