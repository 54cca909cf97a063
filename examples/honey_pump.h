/* The bench the examples share: one motor on one port. */
#ifndef HONEY_PUMP_H
#define HONEY_PUMP_H

#include <windpin/windpin.h>

typedef struct honey_bench {
    wpin_port port;
    wpin_motor pump;
    void *hardware; /* the simulated board */
} honey_bench;

/* Opens and arms the pump. */
wpin_status honey_bench_open(honey_bench *bench);
/* One control period: serves the motor, then lets a millisecond pass. */
void honey_bench_tick(honey_bench *bench);
/* Prints time, duty and true speed in a line. */
void honey_bench_show(honey_bench *bench, const char *what);
/* Disarms the pump and puts the bench away. */
void honey_bench_close(honey_bench *bench);

#endif
