/* What the files that bind a load share. */
#ifndef WPIN_BIND_BIND_PARTS_H
#define WPIN_BIND_BIND_PARTS_H

#include "windpin/host/bind.h"

/* Counts a second at full speed: the regulated maximum, or what the supply could ever drive. */
uint32_t wpin_bind_full_hz(const wpin_rig *rig, const wpin_rig_load *load);
/* A speed of ten counts a second is none, but no more than a hundredth of the full one. */
uint16_t wpin_bind_still_speed(const wpin_rig *rig, const wpin_rig_load *load);
uint16_t wpin_bind_speed(const wpin_rig_load *load, double rpm);
/* Whether what its shaft does is watched: where it is regulated, or turned by where it is. */
static inline bool wpin_bind_watches_motion(const wpin_rig_load *load) {
    return load->speed.there || load->current.there || load->vector.there;
}
/* Lets it have regulators and protections. */
void wpin_bind_loop(wpin_bound_load *bound);
/* One more on its list of protections; where its supply is measured what goes by that; its
 * thermistor, and what tells a lead that is off. */
void wpin_bind_watch(wpin_bound_load *bound, wpin_protection protection);
void wpin_bind_zero(wpin_bound_load *bound, const wpin_rig_load *load);
void wpin_bind_supply(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load);
void wpin_bind_thermistor(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load);
void wpin_bind_phase_watch(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load);
/* When a place counts as reached, and how far it may go. */
void wpin_bind_places(wpin_bound_load *bound, const wpin_rig_load *load);
/* A drive on a field bus. */
void wpin_bind_axis(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load);
/* In six steps, by its Hall sensors or without. */
void wpin_bind_six_step(wpin_bound_load *bound, const wpin_rig_load *load);
void wpin_bind_sensorless(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load);
/* A field-oriented motor; its encoder is bound before. */
void wpin_bind_vector(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load);

#endif
