/* A frame as the kernel has it. */
#ifndef WPIN_PORTS_FIELDBUS_PACKET_H
#define WPIN_PORTS_FIELDBUS_PACKET_H

#include "windpin/fieldbus.h"
#include <linux/can.h>
#include <string.h>

static inline struct can_frame wpin_packet_of(const wpin_frame *frame) {
    struct can_frame packet = {.can_id = frame->id | (frame->remote ? CAN_RTR_FLAG : 0U),
                               .can_dlc = frame->length};
    memcpy(packet.data, frame->data, frame->length);
    return packet;
}

/* False: it is none of ours, an extended identifier or an error report. */
static inline bool wpin_frame_of(const struct can_frame *packet, wpin_frame *frame) {
    if ((packet->can_id & (CAN_EFF_FLAG | CAN_ERR_FLAG)) != 0 ||
        packet->can_dlc > WPIN_FRAME_BYTES) {
        return false;
    }
    *frame = (wpin_frame){.id = (uint16_t)(packet->can_id & CAN_SFF_MASK),
                          .length = packet->can_dlc,
                          .remote = (packet->can_id & CAN_RTR_FLAG) != 0};
    memcpy(frame->data, packet->data, packet->can_dlc);
    return true;
}

#endif
