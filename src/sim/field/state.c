/* The state machine of CiA 402: what the control word leads to, and the status word that tells it.
 */
#include "servo.h"
#include <math.h>

static void enter(wpin_servo *s, wpin_servo_state state) {
    if (state == SERVO_ENABLED && s->state != SERVO_ENABLED && s->state != SERVO_QUICK_STOP) {
        wpin_servo_rest(s);
    }
    s->state = state;
}

void wpin_servo_fail(wpin_servo *s, int code) {
    if (s->state == SERVO_FAULT) {
        return;
    }
    if (s->state == SERVO_REACTS) { /* it does not even stop */
        enter(s, SERVO_FAULT);
        return;
    }
    bool stops = s->state == SERVO_ENABLED && s->values[OD_FAULT_DOES] == 2 && code != 0x3220 &&
                 code != 0x3210;
    s->error = code;
    s->values[OD_ERROR_CODE] = code;
    s->values[OD_ERROR_REGISTER] = code >> 12 == 2 ? 3 : code >> 12 == 8 ? 0x11 : 1;
    s->values[OD_ERRORS] = 1;
    s->values[OD_ERROR_1] = code;
    s->tells_error = true;
    enter(s, stops ? SERVO_REACTS : SERVO_FAULT);
}

static void reset(wpin_servo *s) {
    s->error = 0;
    s->values[OD_ERROR_CODE] = s->values[OD_ERROR_REGISTER] = 0;
    s->heat = s->off_for = s->blocked_for = s->slow_for = 0;
    enter(s, SERVO_DISABLED);
    s->tells_error = true;
}

/* Commands by their bits (CiA 402-2, table of the control word). */
typedef enum command {
    COMMAND_NONE,
    COMMAND_SHUT_DOWN,
    COMMAND_SWITCH_ON,
    COMMAND_ENABLE,
    COMMAND_NO_VOLTAGE,
    COMMAND_QUICK_STOP
} command;

static command command_of(unsigned control) {
    if ((control & 2) == 0) {
        return COMMAND_NO_VOLTAGE;
    }
    if ((control & 4) == 0) {
        return COMMAND_QUICK_STOP;
    }
    switch (control & 0x0F) {
    case 0x06: return COMMAND_SHUT_DOWN;
    case 0x07: return COMMAND_SWITCH_ON;
    case 0x0F: return COMMAND_ENABLE;
    default: return (control & 1) == 0 ? COMMAND_SHUT_DOWN : COMMAND_NONE;
    }
}

static void obey_switch(wpin_servo *s, command c) {
    switch (s->state) {
    case SERVO_DISABLED:
        if (c == COMMAND_SHUT_DOWN) {
            enter(s, SERVO_READY);
        }
        break;
    case SERVO_READY:
        if (c == COMMAND_SWITCH_ON || c == COMMAND_ENABLE) {
            enter(s, SERVO_ON);
        } else if (c == COMMAND_NO_VOLTAGE || c == COMMAND_QUICK_STOP) {
            enter(s, SERVO_DISABLED);
        }
        break;
    case SERVO_ON:
        if (c == COMMAND_ENABLE) {
            enter(s, SERVO_ENABLED);
        } else if (c == COMMAND_SHUT_DOWN) {
            enter(s, SERVO_READY);
        } else if (c == COMMAND_NO_VOLTAGE || c == COMMAND_QUICK_STOP) {
            enter(s, SERVO_DISABLED);
        }
        break;
    case SERVO_ENABLED:
        if (c == COMMAND_QUICK_STOP) {
            enter(s, SERVO_QUICK_STOP);
        } else if (c == COMMAND_SWITCH_ON) {
            enter(s, SERVO_ON);
        } else if (c == COMMAND_SHUT_DOWN) {
            enter(s, SERVO_READY);
        } else if (c == COMMAND_NO_VOLTAGE) {
            enter(s, SERVO_DISABLED);
        }
        break;
    case SERVO_QUICK_STOP:
        if (c == COMMAND_NO_VOLTAGE || c == COMMAND_SHUT_DOWN) {
            enter(s, SERVO_DISABLED);
        } else if (c == COMMAND_ENABLE && s->values[OD_QUICK_STOP_DOES] >= 5) {
            enter(s, SERVO_ENABLED);
        }
        break;
    default: break;
    }
}

/* An edge of bit 4 offers a place, or begins homing. */
static void obey_mode(wpin_servo *s, unsigned before) {
    bool edge = (s->control & 0x10) != 0 && (before & 0x10) == 0;
    bool on = s->state == SERVO_ENABLED;
    if (s->values[OD_MODE_NOW] == SERVO_MODE_POSITION) {
        if (edge && on) {
            double by = (s->control & 0x40) != 0 ? (s->at_work ? s->goal : s->position_ref) : 0;
            double goal = (double)s->values[OD_PLACE] + by;
            s->goal = fmin(fmax(goal, (double)s->values[OD_LEAST_PLACE]),
                           (double)s->values[OD_MOST_PLACE]);
            s->at_work = s->taken = true;
            s->reached = false;
            s->window_for = 0;
        } else if ((s->control & 0x10) == 0) {
            s->taken = false;
        }
    } else if (s->values[OD_MODE_NOW] == SERVO_MODE_HOMING && edge && on) {
        s->homing_step = 1;
        s->homed = s->home_failed = false;
    } else if (s->values[OD_MODE_NOW] == SERVO_MODE_HOMING && (s->control & 0x10) == 0) {
        s->homing_step = 0; /* that interrupts it */
    }
}

void wpin_servo_obey(wpin_servo *s) {
    unsigned before = s->control;
    s->control = (unsigned)s->values[OD_CONTROL];
    if (s->deaf) {
        return;
    }
    if (s->state == SERVO_FAULT && (s->control & 0x80) != 0 && (before & 0x80) == 0) {
        reset(s);
        return;
    }
    obey_switch(s, command_of(s->control));
    obey_mode(s, before);
}

static unsigned status_of(const wpin_servo *s) {
    static const unsigned bits[] = {
        [SERVO_STARTS] = 0x00, [SERVO_DISABLED] = 0x40, [SERVO_READY] = 0x21,
        [SERVO_ON] = 0x23,     [SERVO_ENABLED] = 0x27,  [SERVO_QUICK_STOP] = 0x07,
        [SERVO_REACTS] = 0x0F, [SERVO_FAULT] = 0x08};
    unsigned status = bits[s->state] | (wpin_servo_is_remote(s) ? 0x200U : 0U);
    status |= s->volts_now > 5 ? 0x10U : 0;
    status |= s->reached ? 0x400U : 0;
    bool homing = s->values[OD_MODE_NOW] == SERVO_MODE_HOMING;
    status |= (homing ? s->homed : s->taken) ? 0x1000U : 0;
    status |= homing && s->home_failed ? 0x2000U : 0;
    return status;
}

void wpin_servo_go_on(wpin_servo *s) {
    bool stands = fabs(s->velocity_ref) < 1;
    if (s->state == SERVO_QUICK_STOP && stands && s->values[OD_QUICK_STOP_DOES] < 5) {
        enter(s, SERVO_DISABLED);
    } else if (s->state == SERVO_REACTS && stands) {
        enter(s, SERVO_FAULT);
    }
    if (s->state == SERVO_ENABLED && s->volts_now < 0.5 * s->motor.volts) {
        wpin_servo_fail(s, 0x3220);
    }
    double watts = s->volts_out * s->volts_now * s->amps_now,
           rated = s->motor.volts * s->motor.rated_amps;
    if (s->drives && watts < -0.05 * rated && s->volts_now > 1.25 * s->motor.volts) { /* braking */
        wpin_servo_fail(s, 0x3210);
    }
    int64_t mode = s->values[OD_MODE];
    bool known = mode == SERVO_MODE_POSITION || mode == SERVO_MODE_PLAIN ||
                 mode == SERVO_MODE_VELOCITY || mode == SERVO_MODE_TORQUE ||
                 mode == SERVO_MODE_HOMING;
    if (known && mode != s->values[OD_MODE_NOW] && !s->deaf) {
        s->values[OD_MODE_NOW] = mode;
        s->at_work = s->taken = s->reached = false;
        s->homing_step = 0;
        s->position_ref = s->position + s->offset;
    }
    s->values[OD_STATUS] = status_of(s);
}
