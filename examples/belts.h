/* The two belts of the honey house, as their rig file describes them, on the simulated board. */
#ifndef BELTS_H
#define BELTS_H

#include <windpin/host/rehearsal.h>

enum { BELTS = 2 };

typedef struct belts {
    wpin_rig *rig;
    wpin_sim *hardware;
    wpin_port port;
    wpin_bound_load bound[BELTS];
    wpin_motor motors[BELTS];
} belts;

/* Reads the rig, powers the board, opens and arms both. */
wpin_status belts_open(belts *b);
/* What one has counted. */
int32_t belts_place(const belts *b, int which);
/* Serves both at a speed each, and lets a millisecond pass. */
void belts_tick(belts *b, const int16_t *speeds);
/* The fault of either. */
wpin_status belts_fault(const belts *b);
void belts_close(belts *b);

#endif
