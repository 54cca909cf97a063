/* An exported rig, rig.h, on the simulated board of the same rig: its duty in each control period
 * is to be that of a session's trace. Prints how many there were; each that is not is told. usage:
 * on_board RIG.yaml TRACE.csv       -DMIDDLE: a motor without sensors; -DPERIOD: one by field
 * orientation */
#include "rig.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/trace.h>

#define TICK_PS (WPIN_RIG_TICK_US * 1000000LL)

static wpin_bench bench;
static size_t supplies;
static int64_t next;

static wpin_status switch_supply(uint16_t number, bool on) {
    bool done = number < supplies && bench.switch_supply(bench.context, number, on);
    return done ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

static void changed(void *context) {
    (void)context;
    rig_changed();
}

#ifdef MIDDLE
static void in_middle(void *context) {
    (void)context;
    rig_middle();
}
#endif

#ifdef PERIOD
static void in_period(void *context) {
    (void)context;
    rig_period();
}
#endif

static void listen(const wpin_rig *rig, wpin_sim *sim) {
    for (size_t i = 0; i < rig->load_count; i++) {
        if (rig->loads[i].hall.there) {
            wpin_sim_on_hall(sim, 0, changed, NULL);
        }
    }
#ifdef MIDDLE
    wpin_sim_on_pwm_middle(sim, 0, in_middle, NULL);
#endif
#ifdef PERIOD
    wpin_sim_on_pwm_begin(sim, 0, in_period, NULL);
#endif
}

static void let_pass(void) {
    next += TICK_PS;
    bench.wait(bench.context, next);
}

/* As a session begins: the boot, everything opened, rested, then the plan. */
static wpin_status begin(const wpin_rig *rig, const wpin_port *port, wpin_sim *sim) {
    bench.wait(bench.context, bench.time(bench.context) + llround(rig->controller.boot * 1e12));
    rig_switch = switch_supply;
    wpin_status status = rig_open(port);
    listen(rig, sim);
    status = status == WPIN_OK ? rig_arm() : status;
    while (status == WPIN_OK && !rig_ready()) {
        rig_tick();
        next = bench.time(bench.context);
        let_pass();
        status = rig_fault();
    }
    status = status == WPIN_OK ? rig_start() : status;
    next = bench.time(bench.context);
    let_pass();
    return status;
}

static unsigned compare(const wpin_rig *rig, const wpin_trace *trace, double seconds) {
    unsigned wrong = 0;
    for (size_t i = 0; i < RIG_MOTORS; i++) {
        int column = wpin_trace_column(trace, rig->loads[i].name, "duty_percent");
        double percent = wpin_trace_average(trace, column, seconds + 0.5e-3, seconds + 0.6e-3);
        long due = lround(percent * WPIN_DUTY_FULL / 100), is = wpin_motor_duty(&rig_motors[i]);
        if (is != due) {
            wrong++;
            printf("%s: at %.3f s duty %ld, in the session %ld\n", rig->loads[i].name, seconds, is,
                   due);
        }
    }
    return wrong;
}

int main(int argc, char **argv) {
    char why[300];
    wpin_messages m = {0};
    wpin_rig *rig = argc == 3 ? wpin_rig_read(argv[1], &m) : NULL;
    wpin_trace *trace = argc == 3 ? wpin_trace_read(argv[2], why, sizeof why) : NULL;
    if (rig == NULL || trace == NULL) {
        return 2;
    }
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    bench = wpin_bench_on_board(&board);
    supplies = rig->supply_count;
    wpin_port port = bench.port;
    wpin_status status = begin(rig, &port, board.sim);
    unsigned wrong = 0, ticks = 0;
    for (; status == WPIN_OK && rig_busy() && wrong < 20; ticks++) {
        rig_tick();
        wrong += compare(rig, trace, ticks * 1e-3);
        let_pass();
    }
    status = status == WPIN_OK ? rig_fault() : status;
    printf("%u control periods, %u otherwise, ended with %d\n", ticks, wrong, (int)status);
    wpin_trace_free(trace);
    wpin_board_bench_free(&board);
    wpin_rig_free(rig);
    return wrong == 0 && status == WPIN_OK && ticks > 1000 ? 0 : 1;
}
