/* One control period of the drive: what it sees, what it does, what it tells. */
#include "servo.h"
#include <math.h>

#define DT WPIN_SERVO_STEP

static double limited(double value, double most) {
    return fmin(fmax(value, -most), most);
}

static void show(wpin_servo *s) {
    double per_mille = s->amps_now / s->motor.rated_amps * 1000;
    s->values[OD_POSITION] = (int32_t)llround(s->position + s->offset);
    s->values[OD_VELOCITY] = (int32_t)lround(s->velocity / s->motor.unit);
    double to_rpm = 60 / s->motor.counts;
    s->values[OD_PLAIN_NOW] = lround(limited(s->velocity * to_rpm, INT16_MAX));
    s->values[OD_PLAIN_DEMAND] = lround(limited(s->velocity_ref * to_rpm, INT16_MAX));
    s->values[OD_CURRENT_NOW] = s->values[OD_TORQUE_NOW] = lround(limited(per_mille, 32000));
    s->values[OD_VOLTS] = lround(s->volts_now * 1e3);
}

/* Without enough volts for its own controller it is off. */
static void see_power(wpin_servo *s, int64_t now) {
    bool powered = s->logic_volts > 5;
    if (powered && !s->powered) {
        s->offset = 0;
        wpin_servo_boot(s, now);
        s->can->stations[s->station].errors = s->bus_off ? WPIN_CAN_BUS_OFF : 0;
    } else if (!powered && s->powered) {
        s->half_stored = s->half_stored || s->stores_until != 0;
        s->stores_until = 0;
        s->nmt = -1;
        s->state = SERVO_STARTS;
        s->control = 0;
    }
    s->powered = powered;
    s->can->stations[s->station].off = !powered || s->cable_off || s->other_rate;
}

void wpin_servo_step(wpin_servo *s, int64_t now, const wpin_servo_sight *sight) {
    double counts = floor(sight->turns * s->motor.counts);
    double velocity = (counts - s->position) / DT;
    s->position = counts;
    s->velocity += 0.1 * (velocity - s->velocity); /* a count more or less is no speed */
    s->amps_now = sight->amps;
    s->volts_now = sight->volts;
    s->logic_volts = sight->logic_volts;
    see_power(s, now);
    if (!s->powered) {
        s->drives = false;
        return;
    }
    s->values[OD_INPUTS] = sight->limits;
    wpin_servo_talk(s, now);
    wpin_servo_go_on(s);
    wpin_servo_move(s);
    wpin_servo_regulate(s);
    show(s);
}
