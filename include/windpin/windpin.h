/** @file windpin.h
 * The whole core in one include: all a firmware needs.
 */
#ifndef WINDPIN_H
#define WINDPIN_H

#include "axis.h"
#include "code.h"
#include "counting.h"
#include "encoder.h"
#include "fieldbus.h"
#include "in_step.h"
#include "input.h"
#include "inputs.h"
#include "motor.h"
#include "network.h"
#include "order.h"
#include "overload.h"
#include "phase_watch.h"
#include "port.h"
#include "position.h"
#include "process.h"
#include "protection.h"
#include "quadrature.h"
#include "ramp.h"
#include "regulator.h"
#include "sensorless.h"
#include "sequence.h"
#include "serial_frames.h"
#include "six_step.h"
#include "soft_pwm.h"
#include "speed.h"
#include "stage.h"
#include "status.h"
#include "stepper.h"
#include "stop.h"
#include "temperature.h"
#include "torque.h"
#include "two_point.h"
#include "units.h"
#include "vector.h"
#include "version.h"

#endif
