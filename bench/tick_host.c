/* For callgrind: usage tick_host CASE TICKS [without]. Two runs with different TICKS give the cost
 * of one, and of what surrounds it; without, of that alone. */
#include "tick.h"
#include <stdlib.h>

int main(int argc, char **argv) {
    if (argc != 3 && argc != 4) {
        return 2;
    }
    int what = atoi(argv[1]);
    bench_fast = what >= BENCH_CASES;
    bench_prepare((bench_case)(what % BENCH_CASES));
    for (int i = atoi(argv[2]); i > 0; i--) {
        bench_pass();
        bench_ask();
        if (argc == 3) {
            bench_tick();
        }
    }
    return 0;
}
