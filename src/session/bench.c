/* What the bench of a session says, and what is taken for granted where it says nothing. */
#include "session.h"
#include <math.h>

int64_t wpin_session_clock(const wpin_session *run) {
    return run->bench.time(run->bench.context);
}

int64_t wpin_session_tick_ps(const wpin_session *run) {
    return llround(run->rig->controller.tick * 1e12);
}

double wpin_session_time(const wpin_session *run) {
    return (double)(wpin_session_clock(run) - run->start) * 1e-12;
}

bool wpin_session_supply_on(const wpin_session *run, size_t supply) {
    const wpin_bench *b = &run->bench;
    return b->supply_is_on == NULL || b->supply_is_on(b->context, supply);
}

bool wpin_session_link_lost(const wpin_session *run) {
    const wpin_bench *b = &run->bench;
    return b->link_lost != NULL && b->link_lost(b->context);
}

bool wpin_session_interrupts_off(const wpin_session *run) {
    const wpin_bench *b = &run->bench;
    return b->interrupts_off != NULL && b->interrupts_off(b->context);
}

int wpin_session_resets(const wpin_session *run) {
    const wpin_bench *b = &run->bench;
    return b->resets == NULL ? 0 : b->resets(b->context);
}

const wpin_part_burn *wpin_session_burns(const wpin_session *run, size_t *count) {
    const wpin_bench *b = &run->bench;
    *count = 0;
    return b->burns == NULL ? NULL : b->burns(b->context, count);
}

/* A load as its controller measures it; what is not measured is nothing. */
static wpin_part_reading measured(const wpin_session *run, size_t load, double seconds) {
    const wpin_rig_load *l = &run->rig->loads[load];
    double amps = wpin_session_signed_amps(run, load), rpm = wpin_session_measured_rpm(run, load);
    double volts = run->rig->supplies[l->supply].volts;
    double duty = (double)wpin_motor_duty(&run->motors[load]) / WPIN_DUTY_FULL;
    double degrees =
        wpin_session_is_stepper(run, load)
            ? wpin_session_degrees(run, load)
            : (wpin_rig_knows_place(l)
                   ? wpin_session_counted(run, load, run->motors[load].measurement.position)
                   : 0);
    amps = isnan(amps) ? 0 : amps;
    rpm = isnan(rpm) ? 0 : rpm;
    return (wpin_part_reading){.seconds = seconds,
                               .volts = duty * volts,
                               .amps = amps,
                               .amps_min = amps,
                               .amps_max = amps,
                               .amps_now = amps,
                               .supply_volts = volts,
                               .rpm = rpm,
                               .rpm_mean = rpm,
                               .turns = degrees / 360};
}

wpin_part_reading wpin_session_read(wpin_session *run, size_t load, double seconds) {
    return wpin_session_knows(run) ? run->bench.read(run->bench.context, load)
                                   : measured(run, load, seconds);
}
