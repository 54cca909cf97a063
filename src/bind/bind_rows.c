/* Motors that are commutated row by row: by Hall sensors, or without sensors. */
#include "bind_parts.h"
#include "core_units.h"
#include <math.h>
#include <string.h>

/* A fiftieth of what it draws when it stands is enough to tell which rows carry it. */
void wpin_bind_phase_watch(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    double mv = wpin_rig_mean_amps(rig, load, 1, 0) * load->bridge.sense_volts_per_amp * 1e3 / 50;
    bound->phase_watch =
        (wpin_phase_watch_config){.stage = load->hall.there ? &bound->six_step_at_work.stage
                                                            : &bound->sensorless_at_work.stage,
                                  .least_mv = (uint16_t)fmin(fmax(round(mv), 8), 8191)};
    wpin_bind_watch(
        bound, (wpin_protection)WPIN_PHASE_WATCH(&bound->phase_watch_at_work, &bound->phase_watch));
}

/* Electrical turns in 1/256 of a sector. */
static uint8_t to_advance(double turns) {
    return (uint8_t)lround(turns * 6 * 256);
}

void wpin_bind_six_step(wpin_bound_load *bound, const wpin_rig_load *load) {
    const wpin_rig_hall *h = &load->hall;
    bound->six_step.stage = &bound->stage;
    memset(bound->six_step.sector_of, WPIN_NO_SECTOR, sizeof bound->six_step.sector_of);
    for (uint8_t sector = 0; sector < 6; sector++) {
        bound->six_step.sector_of[h->codes[sector] & 7U] = sector;
    }
    memcpy(bound->six_step.hall, h->pins, sizeof bound->six_step.hall);
    bound->six_step.advance = to_advance(h->advance);
    bound->motor.actuator = &wpin_six_step_actuator;
    bound->motor.part = &bound->six_step_at_work;
    bound->motor.part_config = &bound->six_step;
}

void wpin_bind_sensorless(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_crossing *c = &load->crossing;
    wpin_sensorless_design d = wpin_rig_sensorless_design(rig, load);
    for (size_t i = 0; i < d.count; i++) {
        double most = i + 1 < d.count ? UINT16_MAX : 4095;
        bound->sensorless_ramp[i] = (wpin_sensorless_step){
            .time = (uint16_t)fmin(fmax(round(d.seconds[i] * 62500), 1), most),
            .duty = (uint16_t)fmax(to_duty(d.duty[i]), 1)};
    }
    bound->sensorless = (wpin_sensorless_config){
        .stage = &bound->stage,
        .ramp = bound->sensorless_ramp,
        .ramp_count = (uint8_t)d.count,
        .advance = to_advance(c->advance),
        .align_ms = (uint16_t)lround(c->align * 1e3),
        .rest_ms = (uint16_t)lround(c->rest * 1e3),
        .least_duty = to_duty(d.least_duty),
        .least_us = (uint16_t)fmin(fmax(to_us(d.least_sector), 1), UINT16_MAX)};
    memcpy(bound->sensorless.above, c->pins, sizeof bound->sensorless.above);
    bound->motor.actuator = &wpin_sensorless_actuator;
    bound->motor.part = &bound->sensorless_at_work;
    bound->motor.part_config = &bound->sensorless;
}
