/* Ramp up in 1.5 s, change the duty while it runs, ramp to rest. */
#include "honey_pump.h"
#include <stdio.h>

static void until(honey_bench *bench, wpin_state phase, const char *what) {
    while (wpin_motor_state(&bench->pump) != phase &&
           wpin_motor_state(&bench->pump) != WPIN_STATE_FAULT) {
        honey_bench_tick(bench);
    }
    honey_bench_show(bench, what);
}

static void hold(honey_bench *bench, int ms) {
    for (; ms > 0; ms--) {
        honey_bench_tick(bench);
    }
    honey_bench_show(bench, "held");
}

int main(void) {
    honey_bench bench;
    wpin_status status = honey_bench_open(&bench);
    if (status == WPIN_OK) {
        until(&bench, WPIN_STATE_READY, "ready");
        status = wpin_motor_run(&bench.pump, WPIN_PERCENT(60), 1500000, 20000);
        until(&bench, WPIN_STATE_RUNNING, "ramped up");
        hold(&bench, 1000);
        wpin_motor_run(&bench.pump, WPIN_PERCENT(35), 0, 20000); /* at the slew limit */
        until(&bench, WPIN_STATE_RUNNING, "slower");
        hold(&bench, 1000);
        wpin_motor_stop(&bench.pump, 0);
        until(&bench, WPIN_STATE_READY, "at rest");
    }
    honey_bench_close(&bench);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
