/* Field buses and drives of a board. Private to the simulator. */
#ifndef WPIN_SIM_FIELD_H
#define WPIN_SIM_FIELD_H

#include "../board.h"
#include "servo.h"

#define WPIN_FIELD_BUSES  4
#define WPIN_FIELD_DRIVES 32
#define WPIN_FIELD_HEARD  256
#define WPIN_FIELD_MAILS  32 /* frames that the controller can have waiting */

/* A bus, and what the board's controller has heard on it and not yet taken. */
typedef struct wpin_field_bus {
    wpin_can can;
    wpin_sim *sim;
    int station; /* the controller's */
    wpin_frame heard[WPIN_FIELD_HEARD];
    int first, count;
    unsigned missed;
    int foreign; /* a station that fills the bus; 0: there is none yet */
    bool full;   /* it does so now */
} wpin_field_bus;

typedef struct wpin_field_drive {
    wpin_servo servo;
    wpin_servo *twin; /* another one of its number; or NULL */
    wpin_field_bus *bus;
    int bridge;
    int logic_supply; /* -1: that of its stage */
} wpin_field_drive;

struct wpin_field {
    wpin_field_bus *buses[WPIN_FIELD_BUSES];
    wpin_field_drive *drives[WPIN_FIELD_DRIVES];
    int bus_count, drive_count;
    int64_t next; /* control period of the drives, ps */
};

/* Frees them. */
void wpin_field_free(struct wpin_field *field);
/* Longest stretch, ps, until a drive has something to do; and does it. */
int64_t wpin_field_window(const wpin_sim *sim);
void wpin_field_settle(wpin_sim *sim);
/* Where somebody fills a bus: so that it has no gap until its next turn. */
void wpin_field_fill(wpin_field_bus *bus);
/* Puts a fault into the drive of a bridge, or mends it; false where there is none. */
bool wpin_field_inject(wpin_sim *sim, wpin_part_fault fault, int bridge, bool on);

#endif
