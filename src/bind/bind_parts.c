/* What the files that bind a load share. */
#include "bind_parts.h"
#include "core_units.h"
#include <math.h>

uint16_t wpin_bind_speed(const wpin_rig_load *load, double rpm) {
    return (uint16_t)lround(rpm / load->speed.maximum * WPIN_DUTY_FULL);
}

uint32_t wpin_bind_full_hz(const wpin_rig *rig, const wpin_rig_load *load) {
    double rpm = wpin_rig_full_rpm(rig, load);
    return (uint32_t)lround(fmax(1, rpm / 60 * wpin_rig_counts_at_output(load)));
}

uint16_t wpin_bind_still_speed(const wpin_rig *rig, const wpin_rig_load *load) {
    double ten = 10.0 * WPIN_DUTY_FULL / wpin_bind_full_hz(rig, load);
    return (uint16_t)fmin(fmax(ten, 8), WPIN_DUTY_FULL / 100.0);
}

void wpin_bind_loop(wpin_bound_load *bound) {
    bound->motor.loop = &wpin_closed_loop;
    bound->motor.loop_state = &bound->loop_state;
}

void wpin_bind_watch(wpin_bound_load *bound, wpin_protection protection) {
    bound->protections[bound->motor.protection_count++] = protection;
    bound->motor.protections = bound->protections;
    if (bound->motor.loop == NULL) { /* until something else needs more */
        bound->motor.loop = &wpin_protecting_loop;
        bound->motor.loop_state = &bound->loop_state;
    }
}

/* Braking that drives a supply up gives way by itself with field orientation; else here. */
static void bind_give_way(wpin_by_supply_config *c, const wpin_rig *rig,
                          const wpin_rig_load *load) {
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    if (s->sense.give_up <= 0 || load->vector.there) {
        return;
    }
    double full = wpin_part_shaft_speed(&load->motor, wpin_rig_full_rpm(rig, load));
    double way = s->sense.give_way * s->sense.divider * 1e3;
    double up = s->sense.give_up * s->sense.divider * 1e3;
    double emf = load->motor.constant * full / s->volts * WPIN_DUTY_FULL;
    c->way_mv = (int16_t)lround(way);
    c->per_over = (uint16_t)fmax(1, round(WPIN_DUTY_FULL / fmax(1, up - way)));
    c->emf = (uint16_t)fmin(round(emf), UINT16_MAX);
}

#define HIGH_MS 2 /* what braking feeds a supply rises fast */

/* A supply that is measured: its window, and efforts that are worth the same whatever it has. */
void wpin_bind_supply(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    const wpin_rig_supply_sense *sense = &s->sense;
    double mv = sense->divider * 1e3;
    uint32_t nominal_mv = (uint32_t)lround(s->volts * mv);
    wpin_motor_config *m = &bound->motor;
    m->sense.reads |= WPIN_HAS_SUPPLY;
    m->sense.supply_input = (uint8_t)sense->input;
    bound->supply = (wpin_supply_config){.low_mv = (int16_t)lround(sense->least * mv),
                                         .high_mv = (int16_t)lround(sense->most * mv),
                                         .low_ms = (uint16_t)lround(sense->time * 1e3),
                                         .high_ms = HIGH_MS};
    wpin_bind_watch(
        bound, (wpin_protection)WPIN_SUPPLY_PROTECTION(&bound->supply_at_work, &bound->supply));
    for (size_t i = 0, n = 0; i < m->regulator_count; i++) {
        wpin_regulator *r = &bound->regulators[i];
        if (r->gives == WPIN_QUANTITY_EFFORT) {
            bound->nominal[n] = *r;
            bound->by_supply[n] = (wpin_by_supply_config){.of = &bound->nominal[n],
                                                          .per_mv = WPIN_SUPPLY_SHARE(nominal_mv)};
            bind_give_way(&bound->by_supply[n], rig, load);
            *r = (wpin_regulator)WPIN_BY_SUPPLY_REGULATOR(
                r->takes, &bound->by_supply_at_work[n], &bound->by_supply[n],
                r->near != NULL ? wpin_by_supply_near : NULL);
            n++;
        }
    }
}

#define DIES_MS 20 /* a winding's current has died away, and what filters the sense shows that */

/* A current sense that shows both ways is off its zero by up to a twentieth of it. Field
 * orientation learns its own. */
void wpin_bind_zero(wpin_bound_load *bound, const wpin_rig_load *load) {
    const wpin_part_driver *b = &load->bridge;
    if (b->sense_zero <= 0 || load->limits.trip_input < 0 || load->vector.there ||
        wpin_rig_type(load)->steps) {
        return;
    }
    wpin_sense_config *sense = &bound->motor.sense;
    bool brakes = bound->motor.safe_drive == WPIN_DRIVE_BRAKE;
    double settle = DIES_MS + (brakes ? load->limits.rest * 1e3 : 0);
    double most = b->sense_zero / 20;
    bound->zero = (wpin_zero_config){.stage = &bound->stage_at_work,
                                     .settle_ms = (uint16_t)fmin(settle, 10000),
                                     .at_brake = brakes,
                                     .most_mv = (int16_t)fmin(ceil(most * 1e3), INT16_MAX),
                                     .more = sense->more,
                                     .place = sense->place,
                                     .context = sense->context};
    bound->zero_at_work.config = &bound->zero;
    sense->more = wpin_zero_measure;
    sense->place = sense->place != NULL ? wpin_zero_set_position : NULL;
    sense->context = &bound->zero_at_work;
}

/* A reading within a hundredth of either rail is a wire that is off, or a short. */
void wpin_bind_thermistor(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_thermistor *t = &load->thermistor;
    double logic = rig->controller.logic_volts;
    double trip = wpin_part_thermistor_volts(&t->part, t->trip, logic);
    double clear = wpin_part_thermistor_volts(&t->part, t->clear, logic);
    bound->temperature = (wpin_temperature_config){.input = (uint8_t)t->input,
                                                   .trip_mv = (int16_t)lround(trip * 1e3),
                                                   .clear_mv = (int16_t)lround(clear * 1e3),
                                                   .least_mv = (int16_t)lround(logic * 10),
                                                   .most_mv = (int16_t)lround(logic * 990),
                                                   .for_ms = (uint16_t)lround(t->time * 1e3)};
    wpin_bind_watch(bound,
                    (wpin_protection)WPIN_TEMPERATURE_PROTECTION(&bound->temperature_at_work));
}

void wpin_bind_places(wpin_bound_load *bound, const wpin_rig_load *load) {
    double counts = wpin_rig_counts_at_output(load);
    bound->motor.at_count =
        (uint16_t)fmin(fmax(1, round(load->position.within * counts)), UINT16_MAX);
    bound->motion.passed_by =
        (uint16_t)(bound->motor.at_count + (bound->motor.at_count < UINT16_MAX));
    bound->motion.passes = 6;
    bound->motor.settle_ms = (uint16_t)lround(load->position.settle * 1e3);
    bound->motor.counts_per_turn = (uint32_t)lround(counts);
    const wpin_rig_position *p = &load->position;
    if (p->home_first || p->least != 0 || p->most != 0) {
        bound->travel = (wpin_travel){.least = (int32_t)lround(p->least * counts),
                                      .most = (int32_t)lround(p->most * counts),
                                      .homed_first = p->home_first};
        bound->motor.travel = &bound->travel;
    }
}
