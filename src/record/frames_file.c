/* Frames of a field bus on file: pcapng with the link type of CAN sockets (227), which network
 * analysers read. */
#include "windpin/host/frames_file.h"
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#define LINK_CAN 227

struct wpin_frames_file {
    FILE *file;
    bool failed;
};

static void put32(uint8_t *to, uint32_t value) {
    for (int i = 0; i < 4; i++) {
        to[i] = (uint8_t)(value >> 8 * i);
    }
}

/* A block: its kind, its length before and behind it, its body in whole words. */
static void put_block(wpin_frames_file *f, uint32_t kind, const uint8_t *body, uint32_t size) {
    uint8_t head[8], tail[4];
    put32(head, kind);
    put32(head + 4, size + 12);
    put32(tail, size + 12);
    bool whole = fwrite(head, 1, sizeof head, f->file) == sizeof head &&
                 fwrite(body, 1, size, f->file) == size &&
                 fwrite(tail, 1, sizeof tail, f->file) == sizeof tail;
    f->failed = f->failed || !whole;
}

wpin_frames_file *wpin_frames_open(const char *path) {
    wpin_frames_file *f = calloc(1, sizeof *f);
    if (f == NULL || (f->file = fopen(path, "wb")) == NULL) {
        free(f);
        return NULL;
    }
    uint8_t section[16], interface[8] = {LINK_CAN};
    put32(section, 0x1A2B3C4D); /* how its bytes are ordered */
    put32(section + 4, 1);      /* version 1.0 */
    memset(section + 8, 0xFF, 8);
    put_block(f, 0x0A0D0D0A, section, sizeof section);
    put_block(f, 1, interface, sizeof interface);
    return f;
}

void wpin_frames_put(wpin_frames_file *f, double seconds, const wpin_frame *frame) {
    uint8_t body[20 + 16] = {0};
    uint64_t us = (uint64_t)(seconds * 1e6 + 0.5);
    put32(body + 4, (uint32_t)(us >> 32));
    put32(body + 8, (uint32_t)us);
    put32(body + 12, 16);
    put32(body + 16, 16);
    uint8_t *packet = body + 20; /* the identifier with its flags, highest byte first */
    packet[0] = frame->remote ? 0x40 : 0;
    packet[2] = (uint8_t)(frame->id >> 8);
    packet[3] = (uint8_t)frame->id;
    packet[4] = frame->length;
    memcpy(packet + 8, frame->data, frame->remote ? 0 : frame->length);
    put_block(f, 6, body, sizeof body);
}

bool wpin_frames_close(wpin_frames_file *f) {
    bool good = !f->failed && fclose(f->file) == 0;
    free(f);
    return good;
}
