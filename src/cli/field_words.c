/* A frame on a field bus in words, as CiA 301 gives identifiers their meaning. */
#define _GNU_SOURCE
#include "field.h"
#include <stdio.h>
#include <string.h>

static const char *command_of(uint8_t command) {
    switch (command) {
    case WPIN_NMT_START: return "start";
    case WPIN_NMT_STOP: return "stop";
    case WPIN_NMT_PREPARE: return "be pre-operational";
    case WPIN_NMT_RESET: return "reset";
    case WPIN_NMT_RESET_TALKS: return "reset communication";
    default: return "an unknown command";
    }
}

static void say_object(const wpin_frame *f, char *to, size_t size) {
    uint16_t index = (uint16_t)wpin_number_from(&f->data[1], 2);
    const wpin_known_object *known = wpin_known_object_of(index, f->data[3]);
    snprintf(to, size, "%04Xh:%u%s%s", index, f->data[3], known != NULL ? " " : "",
             known != NULL ? known->name : "");
}

/* A value in the frame itself. */
static void say_short(const wpin_frame *f, char *to, size_t size) {
    uint16_t index = (uint16_t)wpin_number_from(&f->data[1], 2);
    uint16_t bytes = (f->data[0] & 1U) != 0 ? (uint16_t)(4U - (f->data[0] >> 2 & 3U)) : 4;
    field_say_value(wpin_known_object_of(index, f->data[3]), &f->data[4], bytes, to, size);
}

static void say_question(const wpin_frame *f, unsigned node, char *to, size_t size) {
    char object[80], value[200];
    say_object(f, object, sizeof object);
    switch (f->data[0] >> 5) {
    case 1:
        say_short(f, value, sizeof value);
        snprintf(to, size, "node %u is sent %s: %s", node, object,
                 (f->data[0] & 2U) != 0 ? value : "in pieces");
        break;
    case 2: snprintf(to, size, "node %u is asked for %s", node, object); break;
    case 4:
        snprintf(to, size, "%s of node %u is given up (abort %08lXh)", object, node,
                 (unsigned long)wpin_number_from(&f->data[4], 4));
        break;
    default: snprintf(to, size, "node %u: another piece", node);
    }
}

static void say_answer(const wpin_frame *f, unsigned node, char *to, size_t size) {
    char object[80], value[200];
    say_object(f, object, sizeof object);
    switch (f->data[0] >> 5) {
    case 2:
        say_short(f, value, sizeof value);
        snprintf(to, size, "node %u says %s: %s", node, object,
                 (f->data[0] & 2U) != 0 ? value : "in pieces");
        break;
    case 3: snprintf(to, size, "node %u has taken %s", node, object); break;
    case 4: {
        const char *why = wpin_abort_text(wpin_number_from(&f->data[4], 4));
        snprintf(to, size, "node %u refuses %s (abort %08lXh): %s", node, object,
                 (unsigned long)wpin_number_from(&f->data[4], 4),
                 why != NULL ? why : "a reason of its maker's own.");
        break;
    }
    default: snprintf(to, size, "node %u: a piece", node);
    }
}

void field_say_frame(const wpin_frame *f, char *to, size_t size) {
    unsigned node = f->id & WPIN_NODE_MAX, kind = f->id & 0x780U;
    uint16_t code = (uint16_t)wpin_number_from(f->data, 2);
    if (f->id == WPIN_ID_NMT) {
        snprintf(to, size, f->data[1] == 0 ? "%s: all nodes" : "%s: node %u",
                 command_of(f->data[0]), f->data[1]);
    } else if (f->id == WPIN_ID_SYNC) {
        snprintf(to, size, "SYNC");
    } else if (kind == WPIN_ID_SYNC) {
        snprintf(to, size, "node %u, emergency %04Xh: %s", node, code, wpin_drive_error_text(code));
    } else if (kind == WPIN_ID_HEARTBEAT) {
        snprintf(to, size, f->remote ? "node %u is asked for its state%.0s" : "node %u is %s", node,
                 f->data[0] == 0 ? "there: it has just begun"
                                 : field_node_state(f->data[0] & 127U));
    } else if (kind == WPIN_ID_QUESTION && f->length == 8) {
        say_question(f, node, to, size);
    } else if (kind == WPIN_ID_ANSWER && f->length == 8) {
        say_answer(f, node, to, size);
    } else if (kind >= WPIN_ID_OUT_1 && kind < WPIN_ID_ANSWER && node != 0) {
        bool out = (kind & 0x80U) != 0;
        snprintf(to, size, "process data %u %s node %u",
                 (kind - (out ? WPIN_ID_OUT_1 : WPIN_ID_IN_1)) / 0x100U + 1, out ? "from" : "to",
                 node);
    } else {
        snprintf(to, size, "nothing that CiA 301 knows");
    }
}
