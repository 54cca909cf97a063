/* Both ways: the reversal is asked for at full speed, and the core does it right: ramp down, rest,
 * flip, ramp up. No caller can skip the rest. */
#include "honey_pump.h"
#include <stdio.h>

static void run(honey_bench *bench, wpin_duty duty, int ms) {
    wpin_motor_run(&bench->pump, duty, 0, (uint32_t)ms);
    for (int t = 0; t < ms; t++) {
        honey_bench_tick(bench);
        if (t % 500 == 499) {
            honey_bench_show(bench, duty > 0 ? "forward" : "reverse");
        }
    }
}

int main(void) {
    honey_bench bench;
    wpin_status status = honey_bench_open(&bench);
    if (status == WPIN_OK) {
        run(&bench, WPIN_PERCENT(50), 3000);
        run(&bench, WPIN_PERCENT(-50), 4000); /* at once, while it turns forward */
        while (wpin_motor_busy(&bench.pump)) {
            honey_bench_tick(&bench); /* its life is over: it ramps to rest by itself */
        }
        honey_bench_show(&bench, "at rest");
    }
    honey_bench_close(&bench);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
