/* For callgrind: usage tick_host CASE TICKS. Two runs with different TICKS give the cost of one. */
#include "tick.h"
#include <stdlib.h>

int main(int argc, char **argv) {
    if (argc != 3) {
        return 2;
    }
    bench_prepare((bench_case)atoi(argv[1]));
    for (int i = atoi(argv[2]); i > 0; i--) {
        bench_tick();
    }
    return 0;
}
