/* Objects of a node, read and written one at a time by CiA 301's service data objects: up to four
 * bytes in one frame, more of them in pieces of seven. A transfer that gets no answer begins anew,
 * so that a lost frame does no more harm than a late one. */
#include "network_core.h"

/* First byte of a frame: what it is, in the top three bits. */
#define COMMAND(byte) ((uint8_t)((byte) >> 5))
/* Of a client, and of the server that answers. */
#define ASKS_TO_WRITE ((uint8_t)0x20)
#define ASKS_TO_READ  ((uint8_t)0x40)
#define ASKS_FOR_MORE ((uint8_t)0x60)
#define ABORTS        ((uint8_t)0x80)
enum { SENT_MORE = 0, TAKEN_MORE = 1, SENT = 2, TAKEN = 3, ABORTED = 4 };
#define AT_ONCE ((uint8_t)2) /* the data is in this frame */
#define SIZED   ((uint8_t)1)
#define LAST    ((uint8_t)1)
#define PIECE   7

/* Reasons of our own to give a transfer up. */
#define ABORT_TIME      0x05040000U
#define ABORT_NO_MEMORY 0x05040005U

static void send(wpin_node *node, const uint8_t data[WPIN_FRAME_BYTES]) {
    wpin_frame frame = {.id = (uint16_t)(WPIN_ID_QUESTION + node->number),
                        .length = WPIN_FRAME_BYTES};
    for (uint8_t i = 0; i < WPIN_FRAME_BYTES; i++) {
        frame.data[i] = data[i];
    }
    wpin_network *network = node->network;
    if (wpin_network_is_open(network)) {
        wpin_network_send(network, &frame);
        node->transfer.asked_at = network->bus->now(network->bus->context);
    }
}

static void name_object(const wpin_transfer *t, uint8_t data[WPIN_FRAME_BYTES]) {
    wpin_number_to(&data[1], t->index, 2);
    data[3] = t->sub;
}

static void end(wpin_node *node, wpin_status result) {
    node->transfer.state = WPIN_TRANSFER_IDLE;
    node->transfer.result = (uint8_t)result;
}

/* Tells the node, too, that nothing comes of it. */
static void give_up(wpin_node *node, uint32_t why, wpin_status result) {
    uint8_t data[WPIN_FRAME_BYTES] = {ABORTS};
    name_object(&node->transfer, data);
    wpin_number_to(&data[4], why, 4);
    send(node, data);
    end(node, result);
}

static void begin_read(wpin_node *node) {
    uint8_t data[WPIN_FRAME_BYTES] = {ASKS_TO_READ};
    name_object(&node->transfer, data);
    node->transfer.state = WPIN_TRANSFER_READS;
    send(node, data);
}

static void begin_write(wpin_node *node) {
    wpin_transfer *t = &node->transfer;
    uint8_t data[WPIN_FRAME_BYTES] = {(uint8_t)(ASKS_TO_WRITE | SIZED)};
    name_object(t, data);
    if (t->room <= 4) {
        data[0] = (uint8_t)(data[0] | AT_ONCE | ((4U - t->room) << 2));
        for (uint16_t i = 0; i < t->room; i++) {
            data[4U + i] = t->small[i];
        }
    } else {
        wpin_number_to(&data[4], t->room, 4);
    }
    t->state = WPIN_TRANSFER_WRITES;
    send(node, data);
}

static void begin(wpin_node *node) {
    wpin_transfer *t = &node->transfer;
    t->size = 0;
    t->toggle = 0;
    if (t->to != NULL) {
        begin_read(node);
    } else {
        begin_write(node);
    }
}

static wpin_status start(wpin_node *node, const wpin_transfer *transfer) {
    if (node == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!wpin_network_is_open(node->network)) {
        return WPIN_REFUSED_CLOSED;
    }
    if (node->transfer.state != WPIN_TRANSFER_IDLE) {
        return WPIN_REFUSED_BUSY;
    }
    node->transfer = *transfer;
    node->transfer.tries = WPIN_TRANSFER_TRIES - 1;
    begin(node);
    return WPIN_OK;
}

wpin_status wpin_object_read(wpin_node *node, uint16_t index, uint8_t sub, void *to,
                             uint16_t room) {
    wpin_transfer t = {.index = index, .sub = sub, .room = room, .to = to};
    return to == NULL || room == 0 ? WPIN_REFUSED_ARGUMENT : start(node, &t);
}

wpin_status wpin_object_write(wpin_node *node, uint16_t index, uint8_t sub, const void *from,
                              uint16_t size) {
    wpin_transfer t = {.index = index, .sub = sub, .room = size, .from = from};
    if (from == NULL || size == 0) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (size <= sizeof t.small) { /* a copy: what it comes from may be gone by then */
        for (uint16_t i = 0; i < size; i++) {
            t.small[i] = t.from[i];
        }
        t.from = NULL;
    }
    return start(node, &t);
}

wpin_status wpin_object_write_number(wpin_node *node, uint16_t index, uint8_t sub, uint32_t value,
                                     uint8_t size) {
    uint8_t bytes[4];
    if (size != 1 && size != 2 && size != 4) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_number_to(bytes, value, size);
    return wpin_object_write(node, index, sub, bytes, size);
}

bool wpin_object_done(const wpin_node *node) {
    return node == NULL || node->transfer.state == WPIN_TRANSFER_IDLE;
}

void wpin_object_abort(wpin_node *node) {
    if (!wpin_object_done(node)) {
        wpin_count_few(&node->spare);
        give_up(node, ABORT_TIME, WPIN_REFUSED_SILENT);
    }
}

/* ---- answers ---- */

/* Keeps what came; false, and given up, where there is no room for it. */
static bool keep(wpin_node *node, const uint8_t *bytes, uint8_t count) {
    wpin_transfer *t = &node->transfer;
    uint16_t at = t->size;
    if (t->to == NULL || at > t->room || count > t->room - at) {
        give_up(node, ABORT_NO_MEMORY, WPIN_REFUSED_RANGE);
        return false;
    }
    for (uint8_t i = 0; i < count && at < t->room; i++) {
        t->to[at++] = bytes[i];
    }
    t->size = at;
    return true;
}

static void ask_for_more(wpin_node *node) {
    uint8_t data[WPIN_FRAME_BYTES] = {(uint8_t)(ASKS_FOR_MORE | node->transfer.toggle)};
    node->transfer.state = WPIN_TRANSFER_READS_ON;
    send(node, data);
}

static void hear_first(wpin_node *node, const wpin_frame *frame) {
    uint8_t command = frame->data[0];
    bool at_once = (command & AT_ONCE) != 0, sized = (command & SIZED) != 0;
    if (at_once) {
        uint8_t count = sized ? (uint8_t)(4U - ((command >> 2) & 3U)) : 4;
        if (!sized && node->transfer.room < 4) { /* as much as is wanted: it does not say */
            count = (uint8_t)node->transfer.room;
        }
        if (keep(node, &frame->data[4], count)) {
            end(node, WPIN_OK);
        }
    } else if (sized && wpin_number_from(&frame->data[4], 4) > node->transfer.room) {
        give_up(node, ABORT_NO_MEMORY, WPIN_REFUSED_RANGE);
    } else {
        ask_for_more(node);
    }
}

static void hear_more(wpin_node *node, const wpin_frame *frame) {
    wpin_transfer *t = &node->transfer;
    uint8_t command = frame->data[0];
    if ((command & 16U) != t->toggle) {
        return; /* the one before, again */
    }
    if (keep(node, &frame->data[1], (uint8_t)(PIECE - ((command >> 1) & 7U)))) {
        t->toggle ^= 16U;
        if ((command & LAST) != 0) {
            end(node, WPIN_OK);
        } else {
            ask_for_more(node);
        }
    }
}

static void send_piece(wpin_node *node) {
    wpin_transfer *t = &node->transfer;
    uint16_t left = (uint16_t)(t->room - t->size), at = t->size;
    uint8_t count = (uint8_t)(left < PIECE ? left : PIECE);
    uint8_t data[WPIN_FRAME_BYTES] = {
        (uint8_t)(t->toggle | ((PIECE - count) << 1) | (count == left ? LAST : 0))};
    for (uint8_t i = 0; i < count && t->from != NULL && at < t->room; i++) {
        data[1U + i] = t->from[at++];
    }
    t->state = WPIN_TRANSFER_WRITES_ON;
    send(node, data);
}

static void hear_taken(wpin_node *node) {
    wpin_transfer *t = &node->transfer;
    if (t->room <= 4) {
        t->size = t->room;
        end(node, WPIN_OK);
    } else {
        send_piece(node);
    }
}

static void hear_piece_taken(wpin_node *node, uint8_t command) {
    wpin_transfer *t = &node->transfer;
    if ((command & 16U) != t->toggle) {
        return;
    }
    uint16_t left = (uint16_t)(t->room - t->size);
    t->size = left < PIECE ? t->room : (uint16_t)(t->size + PIECE);
    t->toggle ^= 16U;
    if (t->size == t->room) {
        end(node, WPIN_OK);
    } else {
        send_piece(node);
    }
}

/* Whether an answer names the object asked for: an old one may still come. */
static bool is_about(const wpin_transfer *t, const wpin_frame *frame) {
    return wpin_number_from(&frame->data[1], 2) == t->index && frame->data[3] == t->sub;
}

/* One that is too late or another master's, or that of a second node of this number. */
static void hear_unasked(wpin_node *node) {
    if (node->spare > 0) {
        node->spare--;
    } else {
        wpin_count_few(&node->doubles);
    }
}

bool wpin_transfer_hear(wpin_node *node, const wpin_frame *frame) {
    wpin_transfer *t = &node->transfer;
    uint8_t state = t->state, command = COMMAND(frame->data[0]);
    if (frame->length != WPIN_FRAME_BYTES || frame->remote) {
        return false;
    }
    if (state != WPIN_TRANSFER_IDLE && command == ABORTED && is_about(t, frame)) {
        t->abort = wpin_number_from(&frame->data[4], 4);
        end(node, WPIN_REFUSED_OBJECT);
    } else if (state == WPIN_TRANSFER_READS && command == SENT && is_about(t, frame)) {
        hear_first(node, frame);
    } else if (state == WPIN_TRANSFER_READS_ON && command == SENT_MORE) {
        hear_more(node, frame);
    } else if (state == WPIN_TRANSFER_WRITES && command == TAKEN && is_about(t, frame)) {
        hear_taken(node);
    } else if (state == WPIN_TRANSFER_WRITES_ON && command == TAKEN_MORE) {
        hear_piece_taken(node, frame->data[0]);
    } else {
        hear_unasked(node);
    }
    return true;
}

void wpin_transfer_pass(wpin_node *node, uint32_t answer_us, wpin_moment now) {
    wpin_transfer *t = &node->transfer;
    uint32_t waited = now - t->asked_at;
    if (waited > WPIN_SPAN_MAX) { /* the clock ran back: it is waited for anew */
        t->asked_at = now;
        return;
    }
    if (t->state == WPIN_TRANSFER_IDLE || waited < answer_us) {
        return;
    }
    wpin_count_few(&node->spare); /* its answer may only be late */
    if (t->tries == 0) {
        give_up(node, ABORT_TIME, WPIN_REFUSED_SILENT);
        return;
    }
    t->tries--;
    wpin_count_up(&node->retries);
    if (t->state == WPIN_TRANSFER_READS_ON || t->state == WPIN_TRANSFER_WRITES_ON) {
        uint8_t tries = t->tries; /* the node may be in the middle of it */
        give_up(node, ABORT_TIME, WPIN_REFUSED_SILENT);
        t->tries = tries;
    }
    begin(node);
}
