/* Frames as they are made and sent, and the numbers in them. */
#include "network_core.h"

void wpin_count_up(uint16_t *counter) {
    *counter = (uint16_t)(*counter + (*counter < UINT16_MAX));
}

uint32_t wpin_number_from(const uint8_t *bytes, uint8_t size) {
    uint32_t value = 0;
    for (uint8_t i = size; i > 0; i--) {
        value = (value << 8) | bytes[i - 1U];
    }
    return value;
}

void wpin_number_to(uint8_t *bytes, uint32_t value, uint8_t size) {
    for (uint8_t i = 0; i < size; i++) {
        bytes[i] = (uint8_t)value;
        value >>= 8;
    }
}

bool wpin_network_send(wpin_network *network, const wpin_frame *frame) {
    bool sent = wpin_network_is_open(network) && network->bus->send(network->bus->context, frame);
    if (!sent && network != NULL) {
        wpin_count_up(&network->unsent);
    }
    return sent;
}

bool wpin_network_command(wpin_network *network, uint8_t command, uint8_t number) {
    wpin_frame frame = {.id = WPIN_ID_NMT, .length = 2, .data = {command, number}};
    return wpin_network_send(network, &frame);
}
