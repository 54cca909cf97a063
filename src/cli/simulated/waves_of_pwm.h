/* windpin waves of a brushed motor; three phases are in cmd_waves.c. */
#ifndef WPIN_CLI_WAVES_OF_PWM_H
#define WPIN_CLI_WAVES_OF_PWM_H

#include "windpin/host/rig.h"

/* Prints it, draws it (picture NULL: not); the command's exit status. */
int cli_waves_of_pwm(const wpin_rig *rig, int load, double duty, const char *picture, bool json);

#endif
