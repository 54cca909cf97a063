/* What the controller itself measures of a load, and where what is asked of it is. */
#include "session.h"
#include <math.h>

double wpin_session_rpm_of(const wpin_session *run, size_t load, int16_t speed) {
    double counts = (double)speed / WPIN_DUTY_FULL * run->bound[load].encoder.full_hz;
    return counts * 60 / wpin_rig_counts_at_output(&run->rig->loads[load]);
}

bool wpin_session_knows_speed(const wpin_session *run, size_t load) {
    const wpin_rig_encoder *e = &run->rig->loads[load].encoder;
    const wpin_sensorless *s = &run->bound[load].sensorless_at_work;
    return e->there && (run->motors[load].measurement.valid & WPIN_HAS_SPEED) != 0 &&
           (!e->by_crossings || wpin_sensorless_doing(s) == WPIN_SENSORLESS_RUN);
}

double wpin_session_measured_rpm(const wpin_session *run, size_t load) {
    return wpin_session_knows_speed(run, load)
               ? wpin_session_rpm_of(run, load, run->motors[load].measurement.speed)
               : NAN;
}

double wpin_session_asked_rpm(const wpin_session *run, size_t load) {
    const wpin_motor *m = &run->motors[load];
    bool speed = m->setpoint.quantity == WPIN_QUANTITY_SPEED && run->rig->loads[load].speed.there;
    return speed
               ? (double)wpin_motor_asked(m) / WPIN_DUTY_FULL * run->rig->loads[load].speed.maximum
               : NAN;
}

double wpin_session_counted(const wpin_session *run, size_t load, int32_t counts) {
    return counts * 360.0 / wpin_rig_counts_at_output(&run->rig->loads[load]);
}

double wpin_session_measured_amps(const wpin_session *run, size_t load) {
    const wpin_measurement *m = &run->motors[load].measurement;
    const double whole = run->bound[load].motor.sense.current_mv_per_a; /* as the core has it */
    const double slope = run->rig->loads[load].bridge.sense_volts_per_amp * 1e3;
    return (m->valid & WPIN_HAS_CURRENT) == 0 || whole == 0
               ? NAN
               : fabs((double)m->current) / (slope > 0 ? slope : whole);
}

double wpin_session_measured_volts(const wpin_session *run, size_t supply) {
    const wpin_rig_supply_sense *sense = &run->rig->supplies[supply].sense;
    for (size_t i = 0; sense->there && i < run->rig->load_count; i++) {
        const wpin_measurement *m = &run->motors[i].measurement;
        if (run->rig->loads[i].supply == supply && (m->valid & WPIN_HAS_SUPPLY) != 0) {
            return m->supply * 1e-3 / sense->divider;
        }
    }
    return NAN;
}

double wpin_session_signed_amps(const wpin_session *run, size_t load) {
    double amps = wpin_session_measured_amps(run, load);
    return wpin_motor_duty(&run->motors[load]) < 0 ? -amps : amps;
}

double wpin_session_asked_amps(const wpin_session *run, size_t load) {
    const wpin_motor *m = &run->motors[load];
    const wpin_rig_current *c = &run->rig->loads[load].current;
    bool asked = m->setpoint.quantity == WPIN_QUANTITY_TORQUE && c->there;
    return asked ? (double)wpin_motor_asked(m) / WPIN_DUTY_FULL * c->rated : NAN;
}

/* Meanwhile nothing is due. */
bool wpin_session_aligns(const wpin_session *run, size_t load) {
    const wpin_sensorless *s = &run->bound[load].sensorless_at_work;
    wpin_sensorless_state doing = wpin_sensorless_doing(s);
    if (wpin_vector_doing(&run->bound[load].vector_at_work) == WPIN_VECTOR_ALIGN) {
        return true;
    }
    return s->starts <= 1 && (doing == WPIN_SENSORLESS_ALIGN || doing == WPIN_SENSORLESS_RAMP);
}

double wpin_session_degrees(const wpin_session *run, size_t load) {
    int32_t turns, millidegrees;
    wpin_stepper_angle(&run->bound[load].stepper_at_work, &turns, &millidegrees);
    return turns * 360.0 + millidegrees * 1e-3;
}
