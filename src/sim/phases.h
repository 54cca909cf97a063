/* A stretch of a brushless motor in which legs, diodes and flat tops stay as they are: its circuit,
 * and what happens in it as power series in time. */
#ifndef WPIN_SIM_PHASES_H
#define WPIN_SIM_PHASES_H

#include "plant.h"

#define WPIN_PHASES 3
#define WPIN_ORDER  7
#define WPIN_SECTOR 1.04719755119659774615 /* rad */

/* Emf of the leads in a sector, the flat tops being 1, and their share of the one between. */
typedef struct wpin_sides {
    double flat[WPIN_PHASES], ramps[WPIN_PHASES];
} wpin_sides;

typedef struct wpin_circuit {
    int way[WPIN_PHASES];    /* 0: it does not conduct; of a diode the sign of its current */
    bool diode[WPIN_PHASES]; /* its leg is off: it conducts through a diode, or not at all */
    wpin_tie tie[WPIN_PHASES];
    int count;    /* of those that conduct */
    int turns;    /* sign of the speed; 0: it is held */
    int sector;   /* of 60 degrees, in which one winding's emf is on its flat top, one on its... */
    double begin; /* ...bottom, and one between; where that is, electrical rad */
    const wpin_sides *leads;      /* in it */
    double goes_round;            /* Nm by what goes round in a delta */
    double ohms, henry, constant; /* of one phase */
    double rail_ohms;
} wpin_circuit;

/* Where the motor is at one instant. */
typedef struct wpin_instant {
    double amps[WPIN_PHASES]; /* into the motor */
    double speed;             /* rad/s of the shaft */
    double turned;            /* electrical rad */
} wpin_instant;

typedef struct wpin_course {
    int order;     /* of the last terms */
    double torque; /* as it begins, Nm */
    double amps[WPIN_PHASES][WPIN_ORDER + 1], speed[WPIN_ORDER + 1], turned[WPIN_ORDER + 1];
} wpin_course;

/* What flows in a piece: currents as it begins and ends, the charge between. */
typedef struct wpin_flow {
    const wpin_tie *tie; /* of each lead */
    double begin[WPIN_PHASES], end[WPIN_PHASES], charge[WPIN_PHASES];
} wpin_flow;
/* The current that heats two leads as much, times the root of 6. */
double wpin_flow_squares(const wpin_flow *flow);
/* Adds what the driver loses. */
void wpin_flow_losses(wpin_plant *plant, const wpin_flow *flow, double seconds);

/* The circuit of leads on legs, each a digit to the base of 5: off, low, high; through a diode
 * into the motor, out of it. */
wpin_star wpin_star_make(const wpin_plant *plant, int number);
/* What a lead is on. */
static inline int wpin_lead_digit(wpin_leg_state leg, double amps) {
    return leg != WPIN_LEG_OFF ? (int)leg : (amps == 0 ? 0 : (amps > 0 ? 3 : 4));
}
/* The circuit kept of these digits. */
static inline const wpin_star *wpin_star_of(wpin_plant *plant, const int digit[WPIN_PHASES]) {
    int number = (digit[0] * 5 + digit[1]) * 5 + digit[2];
    wpin_star *star = &plant->stars[number];
    if (star->version != plant->version) {
        *star = wpin_star_make(plant, number);
    }
    return star;
}
/* Whether two leads of it may be those of a motor with brushes. */
static inline bool wpin_has_flats(const wpin_plant *plant) {
    return plant->kind == WPIN_PLANT_BRUSHLESS && !plant->motor.sinusoidal && !plant->motor.delta;
}
/* The sector of an angle, which may be known already; the shape there. Of a sector the leads; and
 * the emf between flat tops, and how it goes by the angle. */
void wpin_phases_sector(double turned, wpin_shape *shape);
void wpin_phases_flats(double turned, wpin_shape *shape);
const wpin_sides *wpin_phases_sides(bool in_delta, int sector);
double wpin_phases_ramp_slope(int sector);
double wpin_phases_ramp(int sector, double begin, double turned);

/* The emf of each phase at an instant; the torque, Nm; the voltage of the star point. */
void wpin_phases_emf(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *i,
                     double *emf);
double wpin_phases_torque(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *i);
double wpin_phases_star(const wpin_circuit *c, const wpin_instant *i, const double *emf);
/* What the magnet's pull on the teeth adds to that torque. */
double wpin_phases_cogging(const wpin_plant *plant, double turned);
/* How fast the fastest of its angles turns, rad/s. */
double wpin_phases_rate(const wpin_plant *plant, double speed);
/* Current out of the supply. */
double wpin_phases_drawn(const wpin_circuit *c, const double *amps);
/* What happens in so many seconds from here on, and where that leads to in t of them; what flows
 * until then, As. */
void wpin_course_make(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *from,
                      double seconds, wpin_course *p);
wpin_instant wpin_course_at(const wpin_circuit *c, const wpin_course *p, double t);
double wpin_course_charge(const wpin_course *p, int phase, double t);
double wpin_course_turns(const wpin_course *p, double t);

#endif
