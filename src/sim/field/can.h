/* A simulated bus of ISO 11898-1: stations with frames to send, of which the one with the smallest
 * identifier goes first, bit by bit at the bus's rate. Private to the simulator. */
#ifndef WPIN_SIM_CAN_H
#define WPIN_SIM_CAN_H

#include "windpin/fieldbus.h"

#define WPIN_CAN_STATIONS 40
#define WPIN_CAN_QUEUE    64
/* From so many errors on it no longer disturbs others; from so many it is off the bus. */
#define WPIN_CAN_PASSIVE 128
#define WPIN_CAN_BUS_OFF 256

/* What a station does with a frame of another that ended at a moment, ps. */
typedef void wpin_can_hear(void *context, const wpin_frame *frame, int64_t at);

typedef struct wpin_can_station {
    wpin_can_hear *hear;
    void *context;
    wpin_frame queue[WPIN_CAN_QUEUE];
    int64_t ready[WPIN_CAN_QUEUE]; /* no sooner than that, ps */
    int first, count;
    bool off;   /* its cable is off, or it has no power */
    int errors; /* of its transmissions, as ISO 11898-1 counts them */
} wpin_can_station;

typedef struct wpin_can {
    double bit_rate; /* bit/s */
    wpin_can_station stations[WPIN_CAN_STATIONS];
    int station_count;
    int64_t free_at; /* ps */
    uint64_t bits;   /* sent so far */
    uint64_t frames;
    uint64_t lose; /* the n'th frame from now on is lost; 0: none */
    int destroys;  /* so many more frames are destroyed by a station of another rate */
    wpin_can_hear *watcher;
    void *watcher_context;
} wpin_can;

/* One more station; its number, or -1 when there is no room. */
int wpin_can_join(wpin_can *can, wpin_can_hear *hear, void *context);
/* A frame to be sent, no sooner than `at`; false: its queue is full. */
bool wpin_can_queue(wpin_can *can, int station, const wpin_frame *frame, int64_t at);
/* What a station has not begun to send yet is taken back. */
void wpin_can_drop(wpin_can *can, int station);
/* A station begins anew: what is still to be sent is forgotten, and its errors. */
void wpin_can_forget(wpin_can *can, int station);
/* Lets frames end up to a moment. */
void wpin_can_run(wpin_can *can, int64_t until);
/* Bits of a frame on the wire with the stuff bits it really needs, the pause behind it included. */
unsigned wpin_can_bits(const wpin_frame *frame);

#endif
