/* Switch the honey pump on for three seconds: one action, which ends by itself. */
#include "honey_pump.h"
#include <stdio.h>

int main(void) {
    honey_bench bench;
    wpin_status status = honey_bench_open(&bench);
    if (status == WPIN_OK) {
        status = wpin_motor_run(&bench.pump, WPIN_PERCENT(60), 0, 3000);
    }
    for (int ms = 0; status == WPIN_OK && wpin_motor_busy(&bench.pump); ms++) {
        honey_bench_tick(&bench);
        if (ms % 500 == 0) {
            honey_bench_show(&bench, "");
        }
    }
    honey_bench_show(&bench, "at rest");
    honey_bench_close(&bench);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
