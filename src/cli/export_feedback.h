/* The part of an exported header that is about what a motor's speed is measured and regulated by.
 */
#ifndef WPIN_CLI_EXPORT_FEEDBACK_H
#define WPIN_CLI_EXPORT_FEEDBACK_H

#include "windpin/host/bind.h"
#include <stdio.h>

/* Encoder, regulator and protection of a load, as objects; then what its guard, sense and motor
 * configuration name of them. Nothing for a load without. */
void cli_export_feedback(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                         const char *id);
void cli_export_reversal(FILE *to, const wpin_rig_load *load, const wpin_guard_config *guard);
void cli_export_more(FILE *to, const wpin_rig_load *load, const char *id);
void cli_export_loop(FILE *to, const wpin_rig_load *load, const wpin_motor_config *motor,
                     const char *id);

#endif
