/* Anything at all told to the simulated drives of the bottling line. */
#include "input.h"
#include <stdlib.h>
#include <windpin/fieldbus.h>

static void hear(void *context, const wpin_frame *frame, int64_t picoseconds) {
    (void)context, (void)picoseconds;
    if (frame->id > WPIN_FRAME_ID_MAX || frame->length > WPIN_FRAME_BYTES) {
        abort();
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static const uint16_t kinds[] = {0x000, 0x080, 0x200, 0x300, 0x400, 0x600, 0x700, 0x600};
    fuzz_numbers n = {data, size};
    static wpin_rig *rig;
    wpin_messages m = {0};
    rig = rig != NULL ? rig : wpin_rig_read("demo/honey-line.yaml", &m);
    wpin_drives *drives = rig == NULL ? NULL : wpin_drives_open(rig, 0, hear, NULL);
    while (drives != NULL && n.left > 0) {
        uint32_t kind = fuzz_number(&n, 1);
        uint16_t id = kinds[kind & 7];
        wpin_frame frame = {.id = (uint16_t)((kind & 8) != 0 ? fuzz_number(&n, 2) & 0x7FF
                                             : id == 0       ? 0
                                                             : id + 5),
                            .length = (kind & 7) == 0 ? 2 : 8,
                            .remote = (kind & 7) == 6};
        for (int i = 0; i < frame.length; i++) {
            frame.data[i] = (uint8_t)fuzz_number(&n, 1);
        }
        (void)wpin_drives_tell(drives, &frame);
        wpin_drives_advance(drives, (int64_t)1 << (20 + (kind >> 4)));
    }
    wpin_drives_free(drives);
    wpin_messages_free(&m);
    return 0;
}
