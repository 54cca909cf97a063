/* What the fuzz targets share: the input as a file, as numbers, as a session by hand. Built with a
 * fuzzer by tools/fuzz, which also takes files to try again. */
#ifndef FUZZ_INPUT_H
#define FUZZ_INPUT_H

#include "../../src/server/server.h"
#include <stdint.h>
#include <windpin/host/rehearsal.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* The readers take a path: the input in memory has one; NULL: no memory. */
const char *fuzz_path(const uint8_t *data, size_t size);

/* The input as numbers, one after the other; 0 once it is used up. */
typedef struct fuzz_numbers {
    const uint8_t *data;
    size_t left;
} fuzz_numbers;
uint32_t fuzz_number(fuzz_numbers *n, unsigned bytes);

/* A session by hand on simulated hardware, as `windpin live` opens it. */
typedef struct fuzz_stand {
    wpin_board_bench board;
    wpin_session *session;
    wpin_live *live;
    wpin_pace pace;
    wpin_states states;
    volatile int over;
} fuzz_stand;

/* Of a rig of the honey house; false: no memory. */
bool fuzz_open(fuzz_stand *stand, unsigned which);
/* Lets so many seconds pass. */
void fuzz_pass(fuzz_stand *stand, double seconds);
/* Whoever asked is gone: then nothing is driven once the link's time and a stop's are over. */
void fuzz_close(fuzz_stand *stand);
/* A line that is told is one value of JSON with its end. */
void fuzz_check_line(const char *line, size_t length);

#endif
