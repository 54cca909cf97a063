/* What the parts of field orientation share: its interrupt, where the rotor is, the actuator. */
#ifndef WPIN_CORE_VECTOR_CORE_H
#define WPIN_CORE_VECTOR_CORE_H

#include "stage_core.h"
#include "turning.h"
#include "windpin/vector.h"

#define WPIN_VECTOR_LEGS   3U
#define WPIN_VECTOR_HALF   8192
#define WPIN_VECTOR_ROOT_3 28378 /* of 3, halved: x 32768 */
#define WPIN_VECTOR_BLIND                                                                          \
    100U /* so many periods in a row without a sound reading, and there is none */
#define WPIN_VECTOR_UNEVEN                                                                         \
    200U /* and so many quarters of periods in a row with currents that don't sum up */
#define WPIN_VECTOR_FAINT 3U /* so many turns in a row with a lead that carries nothing */

static inline bool wpin_vector_is_open(const wpin_vector *v) {
    return v != NULL && v->config != NULL && wpin_stage_is_open(&v->rotor.stage);
}

/* An encoder's figures, worked out as it is opened; what the port refused. */
wpin_status wpin_vector_look(wpin_vector *v, const wpin_port *port);
/* Brings where the rotor is up to now; what the port refused. Fast. */
wpin_status wpin_vector_follow(wpin_vector *v, wpin_moment now);
/* The angle it turns by in so many us, at the speed it has. */
wpin_angle wpin_vector_turns_in(const wpin_vector *v, uint16_t us);
/* It stands where it was pulled to the second time; its direct axis lies between that and the
 * first, from which it has counted. */
void wpin_vector_is_aligned(wpin_vector *v);

static inline bool wpin_vector_drives(const wpin_vector *v) {
    return v->rotor.stage.drive == WPIN_DRIVE_VECTOR && v->rotor.stage.cut == 0 &&
           v->state != WPIN_VECTOR_OFF;
}

static inline void wpin_vector_forget_peaks(wpin_vector *v) {
    for (uint8_t i = 0; i < 2U * WPIN_VECTOR_LEGS; i++) {
        v->peak[i] = 0;
    }
    v->sectors = 0;
}

/* What the other current induces at this speed. In two parts: of a winding with much inductance
 * what the first alone leaves out is as much as its back-emf. */
static inline int16_t wpin_vector_coupled(const wpin_vector *v, int16_t mv) {
    const int32_t turns = (int32_t)(v->rate >> 2) * mv, each = v->config->coupling;
    const int32_t volts = ((turns >> 14) * each + ((((turns >> 6) & 255) * each) >> 8)) >> 4;
    return (int16_t)wpin_saturated(v->turns < 0 ? -volts : volts, 14);
}

#endif
