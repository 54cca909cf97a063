/* What the files of the network share. */
#ifndef WPIN_CORE_NETWORK_CORE_H
#define WPIN_CORE_NETWORK_CORE_H

#include "windpin/network.h"

/* One more, and no more than it can count. */
void wpin_count_up(uint16_t *counter);
static inline void wpin_count_few(uint8_t *counter) {
    *counter = (uint8_t)(*counter + (*counter < UINT8_MAX));
}
static inline bool wpin_network_is_open(const wpin_network *network) {
    return network != NULL && network->config != NULL && network->bus != NULL;
}

/* An answer about an object; and time that passes without one. Tick. */
/* False: nobody may say that. */
bool wpin_transfer_hear(wpin_node *node, const wpin_frame *frame);
void wpin_transfer_pass(wpin_node *node, uint32_t answer_us, wpin_moment now);

#endif
