/* What the two halves of field orientation share: where the rotor is, and what flows. */
#ifndef WPIN_CORE_VECTOR_CORE_H
#define WPIN_CORE_VECTOR_CORE_H

#include "stage_core.h"
#include "turning.h"
#include "windpin/vector.h"

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

#endif
