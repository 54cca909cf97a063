/* Anything at all as a rig: read; what is read is vetted, opened on its simulated board, and
 * written as a header. */
#include "input.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/bind.h>
#include <windpin/host/vet.h>

/* What the reader takes the core takes too, and a header can be made of it. */
static void open_it(wpin_rig *rig) {
    static FILE *nowhere;
    nowhere = nowhere != NULL ? nowhere : fopen("/dev/null", "w");
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    wpin_bench bench = wpin_bench_on_board(&board);
    wpin_session_options options = {.disarmed = true};
    wpin_status refused = WPIN_OK;
    char why[300] = "";
    rig->controller.boot = 0;
    wpin_session *s = wpin_session_open(rig, NULL, &bench, &options, &refused, why, sizeof why);
    if (s == NULL && strstr(why, "memory") == NULL) {
        fprintf(stderr, "read, but not opened: %s\n", why);
        abort();
    }
    wpin_report_free(s != NULL ? wpin_session_close(s, why, sizeof why) : NULL);
    wpin_board_bench_free(&board);
    if (nowhere != NULL) {
        wpin_header_write(nowhere, rig, "rig.yaml", NULL, NULL);
        rewind(nowhere);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    const char *path = fuzz_path(data, size);
    wpin_messages m = {0};
    wpin_rig *rig = path == NULL ? NULL : wpin_rig_read(path, &m);
    if (rig != NULL) {
        wpin_vetting_free(wpin_vet(rig, NULL, NULL));
        open_it(rig);
    } else if (path != NULL && m.count == 0 && !m.out_of_memory) {
        abort(); /* refused, and nobody is told why */
    }
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return 0;
}
