/* One load with its legs and supply: for a motor current and speed, solved exactly piece by
 * piece; lamps, solenoids and steppers in files of their own. */
#ifndef WPIN_SIM_PLANT_H
#define WPIN_SIM_PLANT_H

#include "leap.h"
#include "propagator.h"
#include "windpin/host/calc.h"
#include "windpin/host/sim.h"
#include <math.h>
#include <stddef.h>

#define WPIN_DIODES 6 /* of three legs, the most there are */

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
    int rail;                     /* current drawn from the supply per motor ampere: -1, 0, 1 */
    int way;                      /* a diode allows this sign only; 0: both */
    bool diode;                   /* it flows through one */
    double drop_ohms, drop_volts; /* the part of it that heats the driver: R i i + V |i| */
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

/* Legs (3 x 3) by the current's way (4), by shaft (3). */
#define WPIN_PIECES  (9 * 4 * 3)
#define WPIN_LIMITED 2 /* a way: forward, as much as a short base lets through */

/* Everything around the motor that its current meets. */
typedef struct wpin_feed {
    double volts, resistance; /* supply */
    double sag;               /* volts that other loads on the same supply take away */
    double share;             /* of the supply that a controller of its own passes on, 0 to 1 */
    double saturation_volts;
    bool wire_a, wire_b; /* the leg is a wire, no switch */
    double on_resistance, diode_volts, diode_resistance;
    double sense_filter;
    double most_amps; /* a bipolar switch to ground passes no more; 0: any */
} wpin_feed;

/* Volts between its rails. */
static inline double wpin_feed_volts(const wpin_feed *f) {
    return (f->volts - f->sag) * f->share;
}

/* What the driver drives. */
typedef enum wpin_plant_kind {
    WPIN_PLANT_MOTOR,
    WPIN_PLANT_LAMP,
    WPIN_PLANT_SOLENOID,
    WPIN_PLANT_STEPPER,
    WPIN_PLANT_BRUSHLESS
} wpin_plant_kind;

/* Where a terminal is tied. */
typedef struct wpin_tie {
    double volts, resistance;
    int rail; /* 1: the supply's plus, through its resistance */
    bool diode;
    double drop; /* volts lost in it besides its resistance */
} wpin_tie;

/* A number as it follows from a speed. */
typedef struct wpin_line {
    double by_speed, constant;
} wpin_line;

/* A period in which a current driven from nothing is led on by a diode until that runs dry. */
typedef struct wpin_gap {
    unsigned version; /* of the feed it was made for; 0: never */
    wpin_pattern pattern;
    bool known; /* it is one, and short enough */
    bool fewer; /* terms do */
    int way;    /* sign of its current */
    wpin_piece driven, led;
    wpin_line amps, speed, charge, turns; /* as it was driven, by the speed before */
    double seconds[2], fading;            /* of both; of the current while it is led, 1/s */
    double opens_above, opens_below;      /* back-emf that opens another diode, V */
} wpin_gap;

/* Of leads a and b; what goes in there comes out at c. */
typedef double wpin_two __attribute__((vector_size(16)));

/* Where two leads conduct, one current goes round: out of what it is in it changes by itself, by
 * the supply and by the emf of leads a and b. What it draws; what it adds to the third lead's volts
 * beyond its upper diode, and to the star point's; all for each ampere. */
typedef struct wpin_pair {
    double by_itself, force; /* A/s */
    wpin_two emf, way;       /* way: into leads a and b */
    double draws, above, middle;
    int signs; /* of its leads, as wpin_signs_of has them */
} wpin_pair;

/* Three leads in a star, as far as that does not depend on where the motor is: what each is tied to
 * and how the currents into leads a and b change by themselves. */
typedef struct wpin_star {
    wpin_two by_a, by_b,
        force;         /* A/s of the two: for each ampere of a and of b; by the supply... */
    wpin_two by_volts; /* ...for each of its volts; the rest is what diodes take */
    wpin_two emf_by_a, emf_by_b; /* of an emf that adds up to nothing over all leads, what acts */
    wpin_two per_lead; /* of each lead that conducts: its emf's constant by its inductance */
    wpin_two draws;    /* share of each in what the supply gives */
    wpin_two middle;   /* volts of the star point for each ampere of them... */
    double lift;       /* ...and by the supply */
    wpin_two above_by; /* of a lead that does not conduct, volts beyond its upper diode: for each
                          ampere of them... */
    double above;      /* ...and by the supply */
    double below;      /* beyond its lower one, without its emf and the star point's amperes */
    wpin_pair pair;
    double share[3]; /* of each lead in the star point's volts */
    double way[3];   /* a diode allows this sign only; 0: both */
    double constant; /* of the emf of one lead, Vs/rad */
    double fading;   /* how fast currents change by themselves, 1/s */
    wpin_tie tie[3];
    unsigned version; /* of the feed it was made for; 0: never */
    int count;        /* of the leads that conduct */
    int idle;         /* the one that does not, where two do */
    bool diodes;      /* one of them through a diode */
} wpin_star;

/* Each of three leads on nothing, a switch or a diode, to ground or to the supply. */
#define WPIN_STARS (5 * 5 * 5)

/* The back-emf's shape where the rotor is: kept from piece to piece. */
typedef struct wpin_shape {
    double at;             /* angle of the shaft it is for, rad */
    double f[3], slope[3]; /* of each lead, its peak being 1, and by the electrical angle */
    double sine, cosine;   /* of a sine */
    int turned_on;         /* pieces since it was worked out afresh */
    bool delta;            /* of flat tops: see phases.h */
    int sector;
    double begin;
} wpin_shape;

/* Legs that stay as they are for some time, ps. */
typedef struct wpin_step {
    wpin_leg_state legs[3];
    int64_t dt;
} wpin_step;

/* Sums since the last reading. */
typedef struct wpin_sums {
    double time, amps, rads, supply_amps;
    double least_amps, most_amps;
    double start_amps, effect; /* only some change these */
} wpin_sums;

/* A first-order lag behind something that goes evenly from one value to another: so much of what it
 * was, of what the other began with and of what it ended with. */
typedef struct wpin_lag {
    double keep, begin, end;
} wpin_lag;

/* All that a period does, as plain numbers. */
typedef union wpin_effect {
    struct {
        wpin_passage whole;
        wpin_row ends[WPIN_SEGMENTS];
    } of;
    double all[(sizeof(wpin_passage) + WPIN_SEGMENTS * sizeof(wpin_row)) / sizeof(double)];
} wpin_effect;

/* A period of a motor with a fan: what it does without the fan's torque, and how that changes it.
 */
typedef struct wpin_fan_kept {
    wpin_period now; /* with the torque there was last */
    wpin_effect without, by, by_square;
} wpin_fan_kept;

/* All that periods of a motor depend on but the volts there are, as plain numbers too. */
typedef union wpin_constants {
    struct {
        double resistance, inductance, constant, inertia, viscous, quadratic, torque_move;
        double supply_ohms, on_ohms, saturation_volts, diode_volts, diode_ohms, sense_filter;
        double heats, wire_a, wire_b;
    } of;
    double all[16];
} wpin_constants;

/* A segment that most periods have: a dead time. */
typedef struct wpin_kept_passage {
    unsigned made; /* number of the constants it is of; 0: never */
    int number;
    int64_t dt;
    bool one_way;
    wpin_passage does;
} wpin_kept_passage;

#define WPIN_FINE_STEPS   32
#define WPIN_COARSE_STEPS 64 /* as many fine ones each */
#define WPIN_STEPPED      4

/* A circuit for whole steps of a timer: any number of them is so many coarse and so many fine ones,
 * which are solved as they are met. */
typedef struct wpin_stepped {
    unsigned made; /* number of the constants it is of; 0: never */
    int number;
    int64_t step; /* ps */
    bool one_way;
    bool has_fine[WPIN_FINE_STEPS], has_coarse[WPIN_COARSE_STEPS];
    wpin_passage fine[WPIN_FINE_STEPS], coarse[WPIN_COARSE_STEPS];
} wpin_stepped;

#define WPIN_KEPT_PASSAGES 8
#define WPIN_FANS_BITS     3
#define WPIN_LEAPS_BITS    7  /* for one motor... */
#define WPIN_LEAPS_MOST    11 /* ...and for as many as there may be */
#define WPIN_CONSTANTS     8

/* The solution of one circuit over one stretch of time, as far as it does not depend on where the
 * motor is; and what forces do in it that were met last. */
typedef struct wpin_cached {
    int64_t dt; /* 0: none */
    wpin_matrix rates;
    double force_amps, force_speed;
    wpin_propagator p;
    double seconds;
    double end_amps, end_speed; /* psi g and xi g: what the forces do by themselves */
    double sum_amps, sum_speed;
    wpin_lag sense;
} wpin_cached;

/* Pieces and periods that were solved, for all motors that are alike: as long as they are, each has
 * those that any of them met. What constants they are of says a number; the newest are known. */
typedef struct wpin_solved {
    int users;
    unsigned numbers; /* given so far */
    wpin_constants constants[WPIN_CONSTANTS];
    unsigned number_of[WPIN_CONSTANTS];
    wpin_kept_passage passages[WPIN_KEPT_PASSAGES];
    wpin_stepped stepped[WPIN_STEPPED];
    wpin_fan_kept fans[1 << WPIN_FANS_BITS];
    int bits; /* of the number of the periods: as many as there are users to need them */
    wpin_period *leaps;
    wpin_cached *pieces; /* twice as many */
} wpin_solved;

static inline int wpin_pieces_bits(const wpin_solved *solved) {
    return solved->bits + 1;
}

#define WPIN_LINE 64 /* bytes of a line of a cache */

typedef struct wpin_plant {
    /* what every stretch of time changes, in two lines of a cache; then what it asks */
    _Alignas(WPIN_LINE) wpin_plant_kind kind;
    wpin_leg_state leg_a, leg_b;
    wpin_leg_state leg_c, leg_d; /* of a stepper's second winding; c: a third phase */
    bool has_stops, burnt;
    bool heats;   /* its winding or its driver */
    bool stalled; /* the shaft is held */
    double amps, speed, angle, sense_amps;
    double charge;    /* out of the supply since it was last balanced, As */
    double over_time; /* above the bridge's limit, s */
    double over_peak; /* highest current while above it, A */
    wpin_sums sums;
    double over_limit;       /* that limit, A */
    double drawn;            /* mean current of the stretch before, A */
    double inertia, viscous; /* all on the motor shaft */
    double torque_hold, torque_move, quadratic;
    double lead_constant; /* brushless: emf of one lead, Vs/rad... */
    double lead_rate;     /* ...by its inductance */
    double swings;        /* currents against the rotor, 1/s */
    double rate;          /* brushless: what its speed gained of late, rad/s2; NAN: not known */
    unsigned version;     /* of what it is made of and of the feed; counts their changes... */
    unsigned built;       /* ...and those of what it is made of */
    int64_t piece_max;    /* longest piece, ps */
    int64_t timer_step;   /* its duties are whole numbers of these, ps; 0: not known */
    wpin_feed feed;
    wpin_part_motor motor; /* of the others: what the circuit needs of it */
    double said_poles;     /* pole pairs that were said of it, where it has others; 0: it has not */
    wpin_part_lamp lamp;
    wpin_part_solenoid solenoid;
    wpin_part_stepper stepper;
    char name[48];
    double amps_b;        /* a stepper's second winding */
    double phase_amps[3]; /* brushless: into the motor */
    double round_amps;    /* brushless: round in a delta */
    double rail_amps;     /* brushless: out of the supply now */
    double changed[3][2]; /* brushless: when in its dead times a lead changed sides, 0 to 1 */
    bool lead_off;        /* brushless: that of phase a */
    double volt_seconds;  /* stepper: across the first winding */
    wpin_filament wire;   /* lamp: its filament... */
    double filament;      /* ...and temperature, K */
    double effect;        /* light or plunger now, 0 to 1 */
    double pulling;       /* solenoid: above its pull-in current, s */
    double falling;       /* and below its drop-out current, s */
    double low_angle, high_angle;    /* end stops, rad of the motor shaft */
    double hit;                      /* speed at which it ran into a stop, rad/s; 0: none */
    wpin_part_heat heat;             /* of the winding */
    double rise;                     /* of the winding, K above 25 degC */
    double cold_ohms, cold_constant; /* of the winding at 25 degC */
    double drifted;                  /* its rise when resistance and constant were last set */
    double squares, sizes;           /* sums of i i dt and |i| dt since the heat was looked at */
    double diodes[WPIN_DIODES];      /* |i| dt of each free-wheel diode: of three legs two each, to
                                        ground and to the supply; else all of it in the first */
    double lost;                     /* in switches and diodes, J */
    wpin_piece pieces[WPIN_PIECES];
    wpin_solved *solved;      /* its own or shared; NULL: its kind has no use for it */
    wpin_constants constants; /* that it is now... */
    unsigned constants_number;
    wpin_gap gap;
    wpin_star *stars;         /* brushless: WPIN_STARS of them... */
    struct wpin_pass *passes; /* ...and WPIN_PASSES, of what they do: pass.h */
    unsigned passes_made;
    wpin_shape shape;
} wpin_plant;

_Static_assert(offsetof(wpin_plant, sums.start_amps) == 2 * (size_t)WPIN_LINE,
               "what every stretch changes fills two lines");

/* Works out what follows from motor, gear and load; call after changing any of them. */
void wpin_plant_prepare(wpin_plant *plant);
/* Whether two are alike in all that counts for a period; gives one a share of what the other has
 * solved, or (NULL) room of its own: false when out of memory. And lets go of it. */
bool wpin_plant_is_like(const wpin_plant *plant, const wpin_plant *other);
bool wpin_plant_share(wpin_plant *plant, const wpin_plant *other);
void wpin_plant_free(wpin_plant *plant);
/* Where the period of a pattern is kept: in one of two places; whether it is there already. */
static inline wpin_period *wpin_plant_solved(const wpin_plant *plant, const wpin_pattern *pattern,
                                             bool *known) {
    const wpin_solved *solved = plant->solved;
    const unsigned number = plant->constants_number;
    unsigned place = wpin_pattern_slot(pattern, number, solved->bits);
    wpin_period *first = &solved->leaps[place], *second = &solved->leaps[place ^ 1U];
    *known = first->made == number && wpin_pattern_is(&first->pattern, pattern);
    if (*known || first->made != number) {
        return first;
    }
    *known = second->made == number && wpin_pattern_is(&second->pattern, pattern);
    return second;
}
/* A piece over so many ps: solved, or kept from when it was; it stands until the next is asked for.
 */
wpin_cached wpin_plant_solve(const wpin_plant *plant, const wpin_piece *piece, int64_t dt);
const wpin_cached *wpin_plant_cached(const wpin_plant *plant, const wpin_piece *piece, int64_t dt);
/* Works out the number of its constants. */
void wpin_plant_number_constants(wpin_plant *plant);
/* Call after changing the volts, sag or share of the feed. */
void wpin_plant_fed(wpin_plant *plant);
/* It stands without a current, and nothing drives one. */
bool wpin_plant_rests(const wpin_plant *plant);
/* For how long its current stays what it is, ps, if its legs and its volts do: 0 where that is not
 * known. And what it draws out of the supply then, A. */
#define WPIN_PLANT_FOR_EVER INT64_MAX
int64_t wpin_plant_steady(wpin_plant *plant);
double wpin_plant_draws(const wpin_plant *plant);
/* Lets dt ps pass with the legs as they are. */
void wpin_plant_advance(wpin_plant *plant, int64_t dt);
/* So many at the most: their numbers are counted one by one. */
#define WPIN_PERIODS_MOST 1000
/* Where the motor is, and how it goes on: what the first period changes, and by how much more or
 * less the second one changes it. */
typedef struct wpin_onward {
    double i, w, v;
    double step_i, step_w, change_i, change_w;
} wpin_onward;
/* What periods begin with, summed. */
typedef struct wpin_begun {
    double i, w, v, count;
} wpin_begun;
/* Several like periods ahead: what they are of, how far the shaft turns, where the current stays.
 */
typedef struct wpin_leap {
    wpin_period *period;
    wpin_onward onward;
    wpin_begun begun;
    double rads, least, most;
} wpin_leap;
/* Lets up to so many like periods pass at once, the legs as listed; how many it took: none when
 * something could happen in the first already. The same in two steps: a look, and then. */
int wpin_plant_leap(wpin_plant *plant, const wpin_pattern *pattern, int64_t most_periods);
int wpin_plant_look_over(wpin_plant *plant, const wpin_pattern *pattern, int64_t most_periods,
                         wpin_leap *leap);
void wpin_plant_leap_over(wpin_plant *plant, const wpin_leap *leap);
/* A period of a pattern, with something that speeds up its shaft besides, rad/s2. */
void wpin_period_make(const wpin_plant *plant, const wpin_pattern *pattern, double push,
                      wpin_period *period);
/* The same of one with a fan; with its torque at a speed; for how many periods that may be taken
 * for constant, and whether their mean speed is near enough to the present one for it. */
wpin_fan_kept *wpin_fan_find(wpin_plant *plant, const wpin_pattern *pattern);
void wpin_fan_turn(const wpin_plant *plant, wpin_fan_kept *fan, double speed);
int wpin_fan_most(const wpin_fan_kept *fan, int most_periods);
bool wpin_fan_is_even(const wpin_plant *plant, double mean_speed);
/* The same of periods that begin without a current, and end without one. */
int wpin_plant_gaps(wpin_plant *plant, const wpin_pattern *pattern, int64_t most_periods);
bool wpin_plant_within_stops(const wpin_plant *plant, double angle);
/* The sign of the current that legs drive from nothing; 0: none. Or of the one there is. */
int wpin_plant_driven_way(const wpin_plant *plant, wpin_leg_state a, wpin_leg_state b);
static inline int wpin_plant_way(const wpin_plant *plant, wpin_leg_state a, wpin_leg_state b) {
    return plant->amps > 0 ? 1 : plant->amps < 0 ? -1 : wpin_plant_driven_way(plant, a, b);
}
/* The number of the piece that legs make with a current of this sign and the shaft as it is now; -1
 * when no leap is made from here. And the piece of a number. */
int wpin_plant_number(const wpin_plant *plant, wpin_leg_state a, wpin_leg_state b, int way);
wpin_piece wpin_plant_piece(const wpin_plant *plant, int number);
/* The piece that holds for the next dt ps; and how often its current comes from the supply: 1, 0 or
 * -1 times. */
const wpin_piece *wpin_plant_find_piece(wpin_plant *plant, int64_t dt);
int wpin_plant_rail(const wpin_plant *plant);
/* The loop of a winding for a current of this sign between two legs. */
wpin_loop wpin_plant_loop(const wpin_plant *plant, wpin_leg_state one, wpin_leg_state other,
                          int way);
/* Where a leg ties its terminal for a current of this sign out of it. */
wpin_tie wpin_plant_tie(const wpin_feed *feed, wpin_leg_state leg, bool wire, int out);
/* Whether the shaft lies at an end stop and is pushed into it; and takes its speed if it ran into
 * one. */
bool wpin_plant_against_stop(const wpin_plant *plant, double torque);
void wpin_plant_meet_stop(wpin_plant *plant);
/* Adds what flowed in a stretch to the sums: each times its seconds... */
typedef struct wpin_flowed {
    double seconds, amps, sizes, squares; /* 1; i, |i|, i i */
    double drawn;                         /* out of the supply, As */
} wpin_flowed;
void wpin_plant_add(wpin_plant *plant, const wpin_flowed *flowed);
/* ...and to what is seen of it, by its mean and its last current. */
void wpin_plant_tally(wpin_plant *plant, double seconds, double amps, double end, double drawn);
/* What the driver loses while a current flows in a loop, W. */
static inline double wpin_loop_watts(const wpin_loop *loop, double amps) {
    return loop->drop_ohms * amps * amps + loop->drop_volts * fabs(amps);
}
/* A brushless motor along so many steps, so many times, for as long as nothing happens: for how
 * long, ps. It stops where a leap over the next times may do. */
int64_t wpin_brushless_walk(wpin_plant *plant, const wpin_step *steps, int count, int times);
/* A lead through a period of PWM: low; high from one moment to another; low. Off between for so
 * long. All in ps. */
typedef struct wpin_lead_period {
    int64_t rises, falls, off_before, off_after;
} wpin_lead_period;
/* Over such a stretch by its means; false, and nothing done: it takes a closer look. */
bool wpin_brushless_mean(wpin_plant *plant, const wpin_lead_period leads[3], int64_t lasts);
/* Over like periods of such steps, up to so many: how many. */
int wpin_brushless_leap(wpin_plant *plant, const wpin_step *steps, int count, int64_t most);
/* Each kind's own way through a stretch of time, in ps: a motor; the same or a solenoid piece by
 * piece; a lamp, a stepper, a brushless motor. */
void wpin_motor_advance(wpin_plant *plant, int64_t dt);
void wpin_winding_advance(wpin_plant *plant, int64_t dt);
void wpin_lamp_advance(wpin_plant *plant, int64_t dt);
void wpin_stepper_advance(wpin_plant *plant, int64_t dt);
void wpin_brushless_advance(wpin_plant *plant, int64_t dt);
/* Takes the lead of phase a off, or puts it on again. */
void wpin_brushless_lead(wpin_plant *plant, bool off);
/* What its phases do now. */
void wpin_brushless_phases(const wpin_plant *plant, wpin_part_phases *to);
/* Volts of its leads now, at the driver. */
void wpin_brushless_leads(const wpin_plant *plant, double volts[3]);
/* A solenoid's plunger after its current flowed for some seconds. */
void wpin_solenoid_follow(wpin_plant *plant, double seconds);
/* A solenoid or a lamp: see wpin_plant_steady. */
int64_t wpin_solenoid_steady(const wpin_plant *plant);
int64_t wpin_lamp_steady(wpin_plant *plant);
/* A lamp's filament as cold as the room, as one just made; whether it is. */
void wpin_lamp_cool(wpin_plant *plant);
bool wpin_lamp_is_cold(const wpin_plant *plant);
/* Reads and restarts the sums. */
wpin_part_reading wpin_plant_read(wpin_plant *plant);

#endif
