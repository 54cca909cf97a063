/* The nodes of a field bus by CiA 301: SYNC, heartbeats, network management, emergencies, and who
 * gets which frame. Objects are read and written in transfer.c. */
#include "network_core.h"

#define SPAN_MAX_US 60000000

wpin_status wpin_network_open(wpin_network *network, const WPIN_FAR wpin_network_config *config,
                              const wpin_fieldbus *bus) {
    if (network == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *network = (wpin_network){0};
    if (config == NULL || bus == NULL || bus->send == NULL || bus->receive == NULL ||
        bus->now == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (config->sync_us > SPAN_MAX_US || config->heartbeat_us > SPAN_MAX_US ||
        config->answer_us > SPAN_MAX_US || config->number > WPIN_NODE_MAX ||
        (config->heartbeat_us != 0 && config->number == 0)) {
        return WPIN_REFUSED_RANGE;
    }
    network->bus = bus;
    network->last = bus->now(bus->context);
    network->config = config;
    return WPIN_OK;
}

wpin_status wpin_network_add(wpin_network *network, wpin_node *node, uint8_t number) {
    if (network == NULL || node == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!wpin_network_is_open(network)) {
        return WPIN_REFUSED_CLOSED;
    }
    if (number == 0 || number > WPIN_NODE_MAX) {
        return WPIN_REFUSED_RANGE;
    }
    bool taken = number == network->config->number;
    for (const wpin_node *n = network->nodes; n != NULL; n = n->next) {
        taken = taken || n == node || n->number == number;
    }
    if (taken) {
        return WPIN_REFUSED_CONFLICT;
    }
    *node = (wpin_node){
        .next = network->nodes, .network = network, .number = number, .state = WPIN_NODE_UNKNOWN};
    network->nodes = node;
    return WPIN_OK;
}

/* ---- what nodes say ---- */

/* Somebody else sends what only the one that commands may send. */
static void see_master(wpin_node *node) {
    wpin_count_few(&node->masters);
}

/* Where a node is guarded, the top bit toggles from answer to answer: one that says the same twice
 * has not heard the question. */
static bool is_answer(wpin_node *node, uint8_t said) {
    bool expected = ((said ^ node->guarded) & 128U) == 0;
    node->guarded = (uint8_t)((said & 128U) ^ 128U);
    return expected;
}

static bool hear_heartbeat(wpin_node *node, const wpin_frame *frame) {
    uint8_t state = frame->data[0] & 127U;
    if (frame->length != 1) {
        return false;
    }
    if (frame->remote) { /* another master guards it */
        see_master(node);
        return true;
    }
    if (state == WPIN_NODE_BOOTS) {
        wpin_count_few(&node->boots);
        node->guarded = 0;
    } else if (node->guard_us != 0 && !is_answer(node, frame->data[0])) {
        return true;
    }
    node->state = state == WPIN_NODE_BOOTS ? WPIN_NODE_PREPARED : state; /* CiA 301: it goes on */
    node->silent_us = 0;
    return true;
}

static bool hear_emergency(wpin_node *node, const wpin_frame *frame) {
    if (frame->length != WPIN_FRAME_BYTES) {
        return false;
    }
    uint16_t code = (uint16_t)wpin_number_from(frame->data, 2);
    node->emergency = code; /* 0: its error is gone */
    node->error_register = frame->data[2];
    if (code != 0) {
        wpin_count_up(&node->emergencies);
    }
    return true;
}

/* Process data from it, or to it. */
static void hear_process_data(wpin_node *node, uint16_t kind, const wpin_frame *frame) {
    bool to_it = (kind & 0x80U) == 0;
    if (to_it) {
        see_master(node);
    } else if (node->take != NULL) {
        node->take(node->context, (uint8_t)(((kind - WPIN_ID_OUT_1) >> 8) + 1U), frame);
    }
}

/* False: nobody may say that. */
static bool hear(wpin_node *node, uint16_t kind, const wpin_frame *frame) {
    switch (kind) {
    case WPIN_ID_SYNC: return hear_emergency(node, frame);
    case WPIN_ID_ANSWER: return wpin_transfer_hear(node, frame);
    case WPIN_ID_QUESTION:
        see_master(node);
        wpin_count_few(&node->spare);
        return true;
    case WPIN_ID_HEARTBEAT: return hear_heartbeat(node, frame);
    default:
        if (kind >= WPIN_ID_OUT_1 && kind < WPIN_ID_ANSWER) {
            hear_process_data(node, kind, frame);
        }
        return true;
    }
}

static void receive(wpin_network *network, const wpin_frame *frame) {
    uint8_t number = frame->id & 127U;
    uint16_t kind = frame->id & 0x780U;
    if (frame->id > WPIN_FRAME_ID_MAX || frame->length > WPIN_FRAME_BYTES) {
        wpin_count_up(&network->bad);
        return;
    }
    bool to_all =
        frame->id == WPIN_ID_NMT || (frame->id == WPIN_ID_SYNC && network->config->sync_us != 0);
    for (wpin_node *node = network->nodes; node != NULL; node = node->next) {
        if (to_all) {
            see_master(node);
        } else if (number != 0 && node->number == number) {
            if (!hear(node, kind, frame)) {
                wpin_count_up(&network->bad);
            }
        }
    }
}

/* ---- what goes on with time ---- */

/* Whether a period is over. One that was missed is not made up for. */
static bool is_due(uint32_t *left_us, uint32_t period_us, uint32_t dt_us) {
    if (period_us == 0) {
        return false;
    }
    if (*left_us > dt_us) {
        *left_us -= dt_us;
        return false;
    }
    uint32_t over = dt_us - *left_us;
    *left_us = over < period_us ? period_us - over : period_us;
    return true;
}

/* Its state is asked for by a frame that asks for another one. */
static void guard(wpin_node *node, uint32_t dt_us) {
    if (is_due(&node->to_guard_us, node->guard_us, dt_us)) {
        wpin_network_send(node->network,
                          &(wpin_frame){.id = (uint16_t)(WPIN_ID_HEARTBEAT + node->number),
                                        .length = 1,
                                        .remote = true});
    }
}

static void pass(wpin_node *node, uint32_t dt_us, uint32_t answer_us, wpin_moment now) {
    guard(node, dt_us);
    uint32_t silent = node->silent_us;
    node->silent_us = silent < UINT32_MAX - dt_us ? silent + dt_us : UINT32_MAX;
    if (node->heartbeat_us != 0 && node->silent_us > node->heartbeat_us) {
        node->state = WPIN_NODE_UNKNOWN;
    }
    wpin_transfer_pass(node, answer_us, now);
}

void wpin_network_poll(wpin_network *network) {
    if (!wpin_network_is_open(network)) {
        return;
    }
    const WPIN_FAR wpin_network_config *config = network->config;
    const wpin_fieldbus *bus = network->bus;
    wpin_frame frame;
    for (uint8_t i = 0; i < 255 && bus->receive(bus->context, &frame); i++) {
        receive(network, &frame);
    }
    wpin_moment now = bus->now(bus->context);
    uint32_t dt_us = now - network->last;
    network->last = now;
    dt_us = dt_us > WPIN_SPAN_MAX ? 0 : dt_us; /* the clock ran back */
    if (is_due(&network->to_sync_us, config->sync_us, dt_us)) {
        wpin_network_send(network, &(wpin_frame){.id = WPIN_ID_SYNC});
        network->syncs++;
    }
    if (is_due(&network->to_heartbeat_us, config->heartbeat_us, dt_us)) {
        wpin_network_send(network,
                          &(wpin_frame){.id = (uint16_t)(WPIN_ID_HEARTBEAT + config->number),
                                        .length = 1,
                                        .data = {WPIN_NODE_OPERATIONAL}});
    }
    uint32_t answer_us = config->answer_us != 0 ? config->answer_us : 50000U;
    for (wpin_node *node = network->nodes; node != NULL; node = node->next) {
        pass(node, dt_us, answer_us, now);
    }
}
