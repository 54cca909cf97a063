/* From a drive on a field bus in the rig to what the core is told, and the drive by it. */
#include "bind_parts.h"
#include "core_units.h"
#include <math.h>
#include <string.h>

static wpin_setting *tell(wpin_bound_load *bound, uint16_t index, uint8_t sub, uint8_t size,
                          double value) {
    wpin_setting *s = &bound->settings[bound->axis.setting_count++];
    *s = (wpin_setting){
        .index = index, .sub = sub, .size = size, .value = (uint32_t)(int64_t)llround(value)};
    return s;
}

/* Of velocity mode, in rpm and whole seconds; its current is its own affair. */
static void tell_plain_limits(wpin_bound_load *bound, const wpin_rig_load *load, double full,
                              double down) {
    double up = full / fmax(load->limits.ramp_up, 1e-3);
    const double rates[] = {up, down, 4 * down};
    tell(bound, 0x6046, 2, 4, full);
    for (uint16_t i = 0; i < 3; i++) {
        double seconds = rates[i] < 100 ? 10 : 1; /* so that rounding is a trifle */
        tell(bound, (uint16_t)(0x6048 + i), 1, 4, fmax(1, rates[i] * seconds));
        tell(bound, (uint16_t)(0x6048 + i), 2, 2, seconds);
    }
}

/* Limits on both sides: the drive is told those of the rig too. */
static void tell_limits(wpin_bound_load *bound, const wpin_rig_load *load) {
    const wpin_rig_axis *a = &load->axis;
    double full = wpin_rig_axis_velocity(load, load->speed.maximum);
    double down = full / fmax(load->limits.ramp_down, 1e-3);
    tell(bound, 0x6007, 0, 2, 3); /* quick stop when our heartbeat is gone */
    tell(bound, 0x605A, 0, 2, 6); /* after one it holds still, until it is switched off */
    if (a->plain) {
        tell_plain_limits(bound, load, full, down);
        return;
    }
    tell(bound, 0x607F, 0, 4, full);
    tell(bound, 0x6083, 0, 4, fmax(1, full / fmax(load->limits.ramp_up, 1e-3)));
    tell(bound, 0x6084, 0, 4, fmax(1, down));
    tell(bound, 0x6085, 0, 4, fmax(1, 4 * down));
    tell(bound, 0x6073, 0, 2, 1000 * a->most_amps / a->rated_amps);
}

static void tell_homing(wpin_bound_load *bound, const wpin_rig_load *load) {
    const wpin_rig_homing *h = &load->axis.homing;
    if (!h->there) {
        return;
    }
    double at = h->at * wpin_rig_counts_at_output(load);
    tell(bound, 0x6098, 0, 1, h->method);
    tell(bound, 0x607C, 0, 4, load->reversed ? -at : at);
    if (h->speed > 0) {
        tell(bound, 0x6099, 1, 4, fmax(1, wpin_rig_axis_velocity(load, h->speed)));
        tell(bound, 0x6099, 2, 4, fmax(1, wpin_rig_axis_velocity(load, h->creep)));
    }
}

/* What the rig says itself comes instead of that. */
static void tell_settings(wpin_bound_load *bound, const wpin_rig_axis *axis) {
    for (size_t i = 0; i < axis->setting_count; i++) {
        const wpin_rig_setting *s = &axis->settings[i];
        size_t n = 0;
        while (n < bound->axis.setting_count &&
               (bound->settings[n].index != s->index || bound->settings[n].sub != s->sub)) {
            n++;
        }
        wpin_setting *told = n == bound->axis.setting_count ? tell(bound, s->index, s->sub, 1, 0)
                                                            : &bound->settings[n];
        told->size = (uint8_t)s->size;
        told->value = (uint32_t)(int64_t)llround(s->value);
        told->asked = s->asked ? UINT32_MAX : 0;
    }
    for (size_t n = 0; n < bound->axis.setting_count; n++) { /* no more than is compared */
        wpin_setting *s = &bound->settings[n];
        s->value &= wpin_object_bits(s->size);
    }
}

/* The switches on its case, where an object tells them. */
static void ask_switches(wpin_bound_load *bound, const wpin_rig_axis *axis) {
    if (axis->switches_index != 0) {
        tell(bound, axis->switches_index, axis->switches_sub, 1,
             wpin_rig_axis_switched(axis, WPIN_RIG_SWITCH_DOWN))
            ->asked = wpin_rig_axis_switched(axis, WPIN_RIG_SWITCH_DOWN) |
                      wpin_rig_axis_switched(axis, WPIN_RIG_SWITCH_UP);
    }
}

/* By its own regulator it turns as it is told, or something is wrong. */
static void watch(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_speed *s = &load->speed;
    bound->motion =
        (wpin_motion_config){.still = wpin_bind_still_speed(rig, load),
                             .least_effort = (uint16_t)to_duty(0.02),
                             .still_ms = (uint16_t)lround(s->stall_time * 1e3),
                             .wrong_ms = 200,
                             .over_speed = (uint16_t)fmin(1.1 * WPIN_DUTY_FULL, INT16_MAX),
                             .off_by = WPIN_DUTY_FULL / 10,
                             .off_ms = (uint16_t)lround(s->follow_time * 1e3)};
    wpin_bind_loop(bound); /* it takes speeds and places itself */
    wpin_bind_watch(bound, (wpin_protection)WPIN_AXIS_PROTECTION(&bound->axis_at_work));
    wpin_bind_watch(
        bound, (wpin_protection)WPIN_MOTION_PROTECTION(&bound->motion_at_work, &bound->motion));
}

void wpin_bind_axis(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_axis *a = &load->axis;
    const wpin_rig_position *p = &load->position;
    double places = p->speed > 0 ? p->speed : load->speed.rated;
    double mv_per_a = a->rated_amps <= 8 ? 1000 : 100;
    bound->axis = (wpin_axis_config){
        .number = (uint8_t)a->number,
        .reversed = load->reversed,
        .any_source = a->any_source,
        .position_every = (uint8_t)wpin_rig_axis_place_every(rig, load),
        .full_speed = (uint32_t)fmax(1, round(wpin_rig_axis_velocity(load, load->speed.maximum))),
        .full_current = (uint16_t)lround(a->rated_amps * mv_per_a),
        .profile_speed = (uint32_t)lround(wpin_rig_axis_velocity(load, places)),
        .lost_ms = (uint16_t)lround(a->lost * 1e3),
        .heartbeat_ms = (uint16_t)lround(a->heartbeat * 1e3),
        .guard_ms = (uint16_t)lround(a->guarding * 1e3),
        .vendor = (uint32_t)a->vendor,
        .product = (uint32_t)a->product,
        .settings = bound->settings};
    tell_limits(bound, load);
    tell_homing(bound, load);
    tell_settings(bound, a);
    ask_switches(bound, a);
    bound->encoder = (wpin_encoder_config){.full_hz = wpin_bind_full_hz(rig, load)};
    wpin_motor_config *m = &bound->motor;
    m->actuator = a->plain ? &wpin_plain_axis_actuator : &wpin_axis_actuator;
    m->part = &bound->axis_at_work;
    m->part_config = &bound->axis;
    m->sense.place = wpin_axis_set_position;
    m->sense.context = &bound->axis_at_work;
    m->sense.current_mv_per_a = (uint16_t)mv_per_a;
    m->guard.reversal = WPIN_REVERSAL_STANDSTILL;
    m->guard.standstill = wpin_bind_still_speed(rig, load);
    m->at_speed = wpin_bind_speed(load, load->speed.within * load->speed.maximum);
    watch(bound, rig, load);
    if (!a->plain) {
        wpin_bind_places(bound, load);
    }
    bound->motion.passes = 0; /* it goes there by itself */
    bound->axis.hold_still = (uint8_t)fmin(bound->motor.at_count, UINT8_MAX);
}

bool wpin_bind_network(wpin_bound_network *bound, const wpin_rig *rig, size_t number,
                       const wpin_fieldbus *bus) {
    const wpin_rig_fieldbus *b = &rig->fieldbuses[number];
    double heartbeat = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_axis *a = &rig->loads[i].axis;
        bool beats = a->there && a->bus == (int)number && a->heartbeat > 0;
        heartbeat =
            beats && (heartbeat == 0 || a->heartbeat < heartbeat) ? a->heartbeat : heartbeat;
    }
    bound->bus = *bus;
    bound->config = (wpin_network_config){.sync_us = (uint32_t)to_us(b->period),
                                          .heartbeat_us = (uint32_t)to_us(heartbeat / 3),
                                          .number = (uint8_t)b->number,
                                          .answer_us = (uint32_t)to_us(b->answer)};
    return wpin_network_open(&bound->network, &bound->config, &bound->bus) == WPIN_OK;
}
