/* A load of the honey house, as its rig file describes it, on the simulated board. */
#ifndef HONEY_HOUSE_H
#define HONEY_HOUSE_H

#include <windpin/host/rehearsal.h>

typedef struct honey_house {
    wpin_rig *rig;
    wpin_sim *hardware;
    wpin_port port;
    wpin_bound_load bound; /* the configuration the motor points to */
    wpin_motor motor;
    int load;
} honey_house;

/* Reads the rig, powers the board, opens and arms the load of that name. */
wpin_status honey_house_open(honey_house *house, const char *load);
/* The same of another rig of the demo. */
wpin_status honey_house_open_rig(honey_house *house, const char *rig, const char *load);
/* One control period: serves the motor, then lets a millisecond pass. */
void honey_house_tick(honey_house *house);
/* Prints time, duty and true speed in a line. */
void honey_house_show(honey_house *house, const char *what);
/* Disarms the load and puts all away. */
void honey_house_close(honey_house *house);

#endif
