/* One motor with its two legs, supply and load: current and speed, solved exactly piece by
 * piece. */
#ifndef WPIN_SIM_PLANT_H
#define WPIN_SIM_PLANT_H

#include "propagator.h"
#include "windpin/sim.h"

/* What a leg of the bridge connects its terminal to. */
typedef enum wpin_leg_state {
    WPIN_LEG_OFF,
    WPIN_LEG_LOW,
    WPIN_LEG_HIGH,
    WPIN_LEG_BOTH
} wpin_leg_state;

/* Whether the shaft turns, and which way. */
typedef enum wpin_shaft { WPIN_SHAFT_STUCK, WPIN_SHAFT_FORWARD, WPIN_SHAFT_REVERSE } wpin_shaft;

/* The loop the current flows in. */
typedef struct wpin_loop {
    double emf, resistance;
    int rail; /* current drawn from the supply per motor ampere: -1, 0, 1 */
    int way;  /* a diode allows this sign only; 0: both */
} wpin_loop;

/* The two equations as they stand while legs, diodes and shaft stay as they are. */
typedef struct wpin_piece {
    unsigned version; /* of the feed it was made for; 0: never */
    int number;
    wpin_shaft shaft;
    wpin_loop loop;
    wpin_matrix rates;
    double force_amps, force_speed;
} wpin_piece;

/* Legs (3 x 3) by sign of the current (2) or no current, by shaft (3). */
#define WPIN_PIECES (9 * 3 * 3)

/* Everything around the motor that its current meets. */
typedef struct wpin_feed {
    double volts, resistance; /* supply */
    double sag;               /* volts that other loads on the same supply take away */
    double share;             /* of the supply that a controller of its own passes on, 0 to 1 */
    double saturation_volts;
    bool wire_a, wire_b; /* the leg is a wire, no switch */
    double on_resistance, diode_volts, diode_resistance;
    double sense_filter;
} wpin_feed;

/* Sums since the last reading. */
typedef struct wpin_sums {
    double time, amps, rads, supply_amps, start_amps;
    double least_amps, most_amps;
} wpin_sums;

#define WPIN_CACHE_SIZE 1024

/* The solution of one piece over one stretch of time, as far as it does not depend on where the
 * motor is. */
typedef struct wpin_cached {
    int64_t dt;
    int piece;
    unsigned version; /* of the feed the forces were worked out for */
    wpin_propagator p;
    double seconds;
    double end_amps, end_speed; /* psi g and xi g: what the forces do by themselves */
    double sum_amps, sum_speed;
    double sense_share; /* of the way to the mean the sense filter goes in dt */
} wpin_cached;

typedef struct wpin_plant {
    wpin_sim_motor motor;
    wpin_feed feed;
    wpin_leg_state leg_a, leg_b;
    double inertia, viscous; /* all on the motor shaft */
    double torque_hold, torque_move, quadratic;
    double amps, speed, angle, sense_amps;
    int64_t piece_max; /* longest piece, ps */
    wpin_sums sums;
    double charge;     /* out of the supply since it was last balanced, As */
    double drawn;      /* mean current of the stretch before, A */
    bool stalled;      /* the shaft is held */
    double over_time;  /* above the bridge's limit, s */
    double over_limit; /* that limit, A */
    double over_peak;  /* highest current while above it, A */
    unsigned version;  /* of the feed; counts its changes */
    wpin_piece pieces[WPIN_PIECES];
    wpin_cached cache[WPIN_CACHE_SIZE];
} wpin_plant;

/* Works out what follows from motor, gear and load; call after changing any of them. */
void wpin_plant_prepare(wpin_plant *plant);
/* Call after changing the volts, sag or share of the feed. */
void wpin_plant_fed(wpin_plant *plant);
/* Lets dt ps pass with the legs as they are. */
void wpin_plant_advance(wpin_plant *plant, int64_t dt);
/* Reads and restarts the sums. */
wpin_sim_reading wpin_plant_read(wpin_plant *plant);

#endif
