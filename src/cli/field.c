/* A field bus by hand: questions to nodes, one after the other, and what values mean. */
#define _GNU_SOURCE
#include "field.h"
#include "windpin/host/plain.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#define ANSWER_US 100000
#define STORE_US  5000000 /* a drive that writes all its parameters is not quick */

/* Counts who says what, on the way to the network. */
static bool receive(void *context, wpin_frame *frame) {
    field *f = context;
    if (!f->bearer_bus.receive(f->bearer_bus.context, frame)) {
        return false;
    }
    unsigned node = frame->id & WPIN_NODE_MAX, kind = frame->id & 0x780U;
    f->frames++;
    f->heard[node] += kind == WPIN_ID_ANSWER;
    f->beats[node] += kind == WPIN_ID_HEARTBEAT && !frame->remote;
    return true;
}

static bool send(void *context, const wpin_frame *frame) {
    field *f = context;
    return f->bearer_bus.send(f->bearer_bus.context, frame);
}

static wpin_moment now(void *context) {
    field *f = context;
    return f->bearer_bus.now(f->bearer_bus.context);
}

bool field_open(field *f, const char *place) {
    char why[400];
    *f = (field){.place = place};
    f->bearer = wpin_bearer_open(place, why, sizeof why);
    if (f->bearer == NULL) {
        cli_complain("%s", why);
        return false;
    }
    f->bearer_bus = wpin_bearer_bus(f->bearer);
    f->bus = (wpin_fieldbus){f, send, receive, now, NULL};
    f->config = (wpin_network_config){.answer_us = ANSWER_US};
    return wpin_network_open(&f->network, &f->config, &f->bus) == WPIN_OK;
}

void field_close(field *f) {
    wpin_bearer_close(f->bearer);
    f->bearer = NULL;
}

static double seconds_now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

void field_pass(field *f, double seconds) {
    double until = seconds_now() + seconds, left;
    while ((left = until - seconds_now()) > 0 && !wpin_bearer_is_gone(f->bearer)) {
        wpin_bearer_wait(f->bearer, left < 2e-3 ? left : 2e-3);
        wpin_network_poll(&f->network);
    }
}

static bool await(field *f, wpin_node *node, wpin_status begun) {
    double since = seconds_now();
    while (begun == WPIN_OK && !wpin_object_done(node) && !wpin_bearer_is_gone(f->bearer)) {
        wpin_bearer_wait(f->bearer, 2e-3);
        wpin_network_poll(&f->network);
    }
    bool done = begun == WPIN_OK && wpin_object_done(node);
    if (done && node->transfer.result != WPIN_REFUSED_SILENT) {
        double took = seconds_now() - since;
        f->answers++;
        f->answered_in += took;
        f->latest_in = took > f->latest_in ? took : f->latest_in;
    }
    return done && node->transfer.result == WPIN_OK;
}

void field_say_quality(const field *f, char *to, size_t size) {
    unsigned long again = 0, damaged = wpin_bearer_counted(f->bearer).errors;
    for (const wpin_node *n = f->network.nodes; n != NULL; n = n->next) {
        again += n->transfer.result != WPIN_REFUSED_SILENT ? n->retries : 0;
    }
    to[0] = '\0';
    if (f->answers > 0) {
        wpin_plain(
            to, size,
            "Answers within %.3g ms on average, %.3g ms at most; %lu asked again, %lu damaged "
            "or not heard",
            f->answered_in / f->answers * 1e3, f->latest_in * 1e3, again, damaged);
    }
}

bool field_read(field *f, wpin_node *node, uint16_t index, uint8_t sub, void *to, uint16_t room) {
    return await(f, node, wpin_object_read(node, index, sub, to, room));
}

bool field_write(field *f, wpin_node *node, uint16_t index, uint8_t sub, const void *from,
                 uint16_t size) {
    f->config.answer_us = index == 0x1010 || index == 0x1011 ? STORE_US : ANSWER_US;
    bool written = await(f, node, wpin_object_write(node, index, sub, from, size));
    f->config.answer_us = ANSWER_US;
    return written;
}

bool field_store(field *f, wpin_node *node) {
    static const uint8_t save[4] = {'s', 'a', 'v', 'e'};
    return field_write(f, node, 0x1010, 1, save, sizeof save);
}

bool field_read_sheet(const char *path, wpin_eds **eds) {
    char why[400];
    *eds = path == NULL ? NULL : wpin_eds_read(path, why, sizeof why);
    if (path != NULL && *eds == NULL) {
        cli_complain("%s", why);
    }
    return path == NULL || *eds != NULL;
}

void field_read_text(field *f, wpin_node *node, uint16_t index, char *to, size_t size) {
    bool read = field_read(f, node, index, 0, to, (uint16_t)(size - 1));
    to[read ? node->transfer.size : 0] = '\0';
}

void field_say_why(const field *f, const wpin_node *node, char *to, size_t size) {
    const wpin_transfer *t = &node->transfer;
    const char *reason = wpin_abort_text(t->abort), *trouble = wpin_bearer_trouble(f->bearer);
    if (wpin_bearer_is_gone(f->bearer)) {
        snprintf(to, size, "%s", trouble);
    } else if (t->result == WPIN_REFUSED_OBJECT) {
        snprintf(to, size, "node %u refuses object %04Xh:%u (abort %08lXh): %s", node->number,
                 t->index, t->sub, (unsigned long)t->abort,
                 reason != NULL ? reason : "a reason of its maker's own.");
    } else if (t->result == WPIN_REFUSED_RANGE) {
        snprintf(to, size, "object %04Xh:%u of node %u is longer than a value can be", t->index,
                 t->sub, node->number);
    } else {
        snprintf(to, size,
                 "node %u does not answer%s%s. In this order: has it power; is the rate of the bus "
                 "that of the interface; is there a common ground; is the bus terminated at both "
                 "ends; is %u its number (windpin field look %s asks all of them)",
                 node->number, trouble[0] != '\0' ? "; " : "", trouble, node->number, f->place);
    }
}

uint8_t field_node(const char *text) {
    char *end;
    unsigned long number = strtoul(text, &end, 10);
    if (end == text || *end != '\0' || text[0] == '-' || number < 1 || number > WPIN_NODE_MAX) {
        cli_complain("'%s' is not the number of a node; expected 1 to %d%s", text, WPIN_NODE_MAX,
                     number == 0 && end != text ? " (0 means all of them, and nobody has it)" : "");
        return 0;
    }
    return (uint8_t)number;
}

long long field_number(const wpin_known_object *known, uint32_t bits, uint16_t size) {
    bool negative = known != NULL && known->is_signed && (bits >> (8 * size - 1) & 1U) != 0;
    return negative ? (long long)bits - (1LL << 8 * size) : (long long)bits;
}

static bool is_text(const uint8_t *bytes, uint16_t size) {
    for (uint16_t i = 0; i < size; i++) {
        if (bytes[i] < 32 || bytes[i] > 126) {
            return false;
        }
    }
    return size > 0;
}

void field_say_value(const wpin_known_object *known, const uint8_t *bytes, uint16_t size, char *to,
                     size_t room) {
    if (size == 0 || size > 4 || (known != NULL && known->bytes == 0)) {
        if (is_text(bytes, size)) {
            snprintf(to, room, "\"%.*s\"", (int)size, (const char *)bytes);
        } else {
            snprintf(to, room, "%u bytes", size);
        }
        return;
    }
    unsigned long raw = wpin_number_from(bytes, (uint8_t)size);
    if (known == NULL) {
        snprintf(to, room, "%lu (%0*lXh), %u byte%s", raw, 2 * size, raw, size,
                 size == 1 ? "" : "s");
        return;
    }
    const char *unit = known->unit;
    if (known->index == 0x6041) {
        wpin_axis_state state = wpin_axis_state_of((uint16_t)raw);
        snprintf(to, room, "%04lXh: %s%s%s", raw, wpin_axis_state_name(state),
                 (raw & 0x80) != 0 ? ", a warning" : "",
                 (raw & 0x400) != 0 ? ", target reached" : "");
    } else if (strcmp(unit, "error code") == 0) {
        snprintf(to, room, "%04lXh: %s", raw, wpin_drive_error_text((uint16_t)raw));
    } else {
        const char *words = known->values != NULL ? known->values : unit;
        const char *open = known->values != NULL ? " (" : unit[0] != '\0' ? " " : "";
        snprintf(to, room, "%lld%s%s%s", field_number(known, (uint32_t)raw, size), open, words,
                 known->values != NULL ? ")" : "");
    }
}

const char *field_node_state(uint8_t state) {
    switch (state) {
    case WPIN_NODE_STOPPED: return "stopped";
    case WPIN_NODE_OPERATIONAL: return "operational";
    case WPIN_NODE_PREPARED: return "pre-operational";
    case WPIN_NODE_BOOTS: return "booting";
    default: return "no heartbeat";
    }
}
