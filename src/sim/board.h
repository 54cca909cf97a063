/* The board: parts and what they are wired to. Private to the simulator. */
#ifndef WPIN_SIM_BOARD_H
#define WPIN_SIM_BOARD_H

#include "logic.h"
#include "plant.h"
#include "wave.h"
#include "windpin/host/sim.h"

#define WPIN_SIM_PINS    256
#define WPIN_SIM_NO_WIRE (-1)
#define WPIN_SIM_GROUPS  64 /* of pins that one call writes */

typedef struct wpin_sim_pin {
    wpin_wave wave;
    wpin_cursor watched; /* where the pin watcher is */
    int64_t period;      /* of its timer, ps; 0 until started */
    uint32_t timer_steps;
    int64_t step;     /* of it, ps; 0: they are no whole numbers */
    int64_t dead;     /* ps, of the low side of a leg */
    int64_t apart;    /* ps, the same of both sides of one whose PWM is centred */
    double to_ground; /* conductance of everything it feeds, S */
    unsigned reach;   /* what it did as it was last checked against that; 0: never */
    int partner;      /* pin it is wired to, or WPIN_SIM_NO_WIRE */
    int first, last;  /* of the drivers that may look at it; none: the last is before the first */
    bool output, inverted, centred, burnt, no_timer;
    bool button, pressed, stuck;
    bool limit, opens; /* a limit switch */
    int motor;
    double from, to;    /* turns of the motor's output */
    double bounce;      /* s */
    int64_t pressed_at; /* when the button last changed */
} wpin_sim_pin;

typedef struct wpin_supply {
    wpin_part_supply part;
    char name[48];
    int loads;        /* how many it feeds */
    double pumped;    /* volts above its own that returned current has charged it to */
    double over_time; /* above its limit, s */
    int64_t back_at;  /* when it comes back after cutting out, ps */
    bool cut_out;
    bool dead; /* gives nothing */
    double sound_resistance;
    bool made; /* from another supply, by the regulator */
    wpin_part_regulator maker;
    double total;      /* current it gave in the last stretch, A */
    double taken;      /* regulator: current it took at its input, A */
    double droop;      /* volts given way at its limit */
    double used;       /* cells: charge taken so far, As */
    double full_volts; /* of full cells */
    double rise;       /* regulator: K above 25 degC */
    double borne;      /* V: as many as all of its drivers were seen to bear */
    double standing;   /* A: what drivers that sleep take of it... */
    double stood_at;   /* V: ...as long as it gives these */
    bool hot, weak;    /* shut down by its heat; too little at its input */
} wpin_supply;

/* By less of its volts no current changes to speak of. */
#define WPIN_SWAYS 1e-4

/* As many as the inputs of a driver have combinations of levels. */
#define WPIN_SIM_LEVELS (1U << WPIN_DRIVER_INPUTS)

/* A movement of relay contacts that is still to come. */
#define WPIN_LEG_EVENTS 8
typedef struct wpin_leg_event {
    int64_t at;
    wpin_legs legs;
} wpin_leg_event;

/* When a side of each leg last turned off, and which: it takes its time. */
typedef struct wpin_leg_watch {
    int64_t off_at[3];
    wpin_leg_state off_side[3];
} wpin_leg_watch;

/* What feeds the high side of a leg; moments in ps. */
typedef struct wpin_bootstrap {
    int64_t until;        /* it is charged until then, as far as is known */
    int64_t charges_from; /* it charges since; INT64_MAX: it does not */
    int64_t lacks_from;   /* its high side should be on since, and is not; INT64_MAX: it is */
    bool by_diode, fell;  /* by a current that goes on; it was on until it was empty */
    bool waits;           /* for the next edge that turns it on */
} wpin_bootstrap;

typedef struct wpin_bridge {
    /* what every stretch of time touches stands together */
    int supply;
    int motor;        /* WPIN_SIM_NO_WIRE: none */
    int64_t upto;     /* when the last stretch ended, ps... */
    unsigned seen;    /* ...and what had changed by then: see below */
    unsigned inverts; /* bit n is set if input n is inverted on its way or inside the chip */
    unsigned levels;  /* of its inputs now, behind that: bit n is set while input n is high */
    bool burnt;
    bool alive; /* has power and is not burnt */
    bool swapped, no_ground, motor_off, motor_swapped, diode_reversed;
    uint8_t open, shorted; /* switches that never turn on, and never off: WPIN_PART_SWITCH bits */
    bool hot;              /* switched off by its own protection, until it has cooled */
    bool plain; /* in the present stretch its legs just follow its logic, if that burns nothing */
    bool joins; /* the same, and periods of its PWM may be joined */
    bool averages;     /* the same, and periods of its PWM may go by their means */
    bool stirred;      /* an input is another than it was */
    bool swayed;       /* its volts are others than in the stretch before: so is its current */
    bool steady;       /* nothing moves its legs but edges, events, and what counts as a change */
    bool asleep;       /* since `upto` nothing has happened, nor will before such a change... */
    bool repeats;      /* its pattern is the next one too, as long as the motor goes on its way */
    bool delicate;     /* can be harmed by the order of its inputs */
    bool never_off;    /* its transistor conducts whatever the pin says */
    int64_t wakes;     /* ...or this moment, ps */
    bool mixed;        /* leads of its stepper are not in order */
    int64_t off_until; /* switched off by its own protection */
    int event_count;   /* of relay contacts */
    int input_count;   /* up to the last one that is wired */
    int moving_count;  /* inputs with an edge ahead in this stretch... */
    int moving[WPIN_DRIVER_INPUTS];          /* ...which they are */
    wpin_pattern pattern;                    /* its PWM period */
    wpin_legs shown;                         /* its legs now; the motor may be swapped on them */
    wpin_cursor cursors[WPIN_DRIVER_INPUTS]; /* where its inputs are in their waves at `upto` */
    wpin_part_driver part;
    char name[48];
    int inputs[WPIN_DRIVER_INPUTS];  /* pins */
    wpin_legs legs[WPIN_SIM_LEVELS]; /* what its logic decides for each combination of levels */
    wpin_leg_event events[WPIN_LEG_EVENTS];
    wpin_legs target;                 /* where relay contacts are or are going */
    unsigned operations;              /* how often they moved */
    double seed;                      /* for the bounce */
    int64_t pulse_rise, last_pulse;   /* servo-style pulses: begin and end of the last */
    int neutral_pulses, other_pulses; /* neutral ones seen; others seen that do not drive */
    int same_pulses;                  /* of nearly one width, one after the other */
    double same_width;                /* s */
    double full_width;                /* it learns: full, s; 0: it does not */
    bool fresh;                       /* powered up and no pulse seen but full ones */
    uint8_t leads[4];                 /* leg each lead of a stepper is on; 4: none */
    bool cut[WPIN_DRIVER_INPUTS];     /* wires that are off */
    bool floats[WPIN_DRIVER_INPUTS]; /* inputs that drift to conducting while nothing drives them */
    bool told_obstacle;              /* why it does nothing */
    bool told;                       /* protection told since it last worked on */
    double rise;                     /* K above 25 degC */
    double edge_joules;              /* lost at edges since the heat was looked at: the motor's
                                        capacitor, slow diodes */
    double diode_amps[WPIN_DIODES];  /* mean current of each diode of late */
    wpin_bootstrap bootstraps[3];    /* of the high side of each leg */
    wpin_leg_watch watch;
    bool deaf[WPIN_DRIVER_INPUTS]; /* inputs whose high level is too low for it */
    bool commutates, sixty;        /* a brushless motor, by Hall sensors of its own... */
    uint8_t code;                  /* ...which show this */
} wpin_bridge;

typedef enum wpin_sensed {
    WPIN_SENSED_NOTHING,
    WPIN_SENSED_CURRENT,
    WPIN_SENSED_SUPPLY,
    WPIN_SENSED_KNOB,
    WPIN_SENSED_OTHER,
    WPIN_SENSED_SHUNT, /* part: of which shunts; ratio: of which leg */
    WPIN_SENSED_WARMTH /* part: bridge; ratio: 1 when its wire is off */
} wpin_sensed;

typedef struct wpin_analog {
    wpin_sensed what;
    int part;
    double ratio; /* supply: of the divider; knob: where it is turned to; sensor: volts */
    double noise;
    double seed;
    bool stuck;    /* it stays as it is... */
    double wanted; /* ...though it was put here */
    wpin_part_thermistor thermistor;
    bool in_winding; /* that is: else on the driver */
} wpin_analog;

/* Where a shaft was, when, in edges of its encoder. */
typedef struct wpin_shaft_place {
    int64_t at;
    double x, speed;
} wpin_shaft_place;

#define WPIN_SIM_ENCODERS 32
typedef struct wpin_encoder_part {
    wpin_part_encoder part;
    int motor;
    wpin_shaft_place last; /* when the counter was last read */
    double edge;           /* the last one below it */
    int64_t counts, counted_at;
    bool off, channel_off, swapped;
    bool slips;     /* it stands while its shaft goes on... */
    double slipped; /* ...by so many edges so far */
} wpin_encoder_part;

/* Hall sensors of a motor, and who listens to them. */
typedef struct wpin_hall_part {
    wpin_part_hall part;
    int motor;
    wpin_pin pins[3];
    uint8_t code; /* what they show: bit n is sensor n */
    bool off, sensor_off, swapped;
    double shifted; /* electrical degrees off their places */
    wpin_sim_interrupt *interrupt;
    void *context;
    int64_t none_before; /* no edge comes sooner, ps... */
    int64_t look_at;     /* ...and this is when to look for it */
} wpin_hall_part;

/* Comparators on a motor's leads. */
typedef struct wpin_comparator_part {
    wpin_part_comparators part;
    int motor;
    wpin_pin pins[3];
    bool off;
} wpin_comparator_part;

/* Who listens in the middle of a motor's PWM periods. */
typedef struct wpin_pwm_middle {
    int motor;
    int64_t next; /* ps */
    wpin_sim_interrupt *interrupt;
    void *context;
} wpin_pwm_middle;

/* Shunts of a three-phase driver, and who listens at the begin of its PWM periods. */
typedef struct wpin_shunt_part {
    wpin_part_shunts part;
    int bridge;
    int64_t next; /* begin, ps */
    wpin_sim_interrupt *interrupt;
    void *context;
} wpin_shunt_part;

struct wpin_sim {
    wpin_part_controller controller;
    unsigned converter_bits; /* of the analogue inputs; 0: fine */
    int64_t now;             /* ps */
    int64_t ahead;           /* so much later it is for the controller, ps: see wpin_sim_pass */
    unsigned changes;        /* of wires, parts and supplies: after one, drivers look at all anew */
    int64_t rails_since;     /* ps since supplies were looked at... */
    int64_t rails_due;       /* ...which is due after so many, as a stretch ends: 0, but where no
                                load sees another one... */
    unsigned rails_seen;     /* ...or where there are more changes than these */
    int64_t clock_read;      /* what the controller's clock said last, us */
    int *awake;              /* drivers that do not sleep, by their numbers... */
    int awake_count;
    int64_t wakes;   /* ...when the first of the others wakes by itself, ps... */
    unsigned roused; /* ...and what had changed when all were woken */
    wpin_pin groups[WPIN_SIM_GROUPS][8];
    int group_count;
    wpin_sim_pin pins[WPIN_SIM_PINS];
    wpin_supply *supplies;
    wpin_bridge *bridges;
    wpin_plant **plants;
    int supply_count, bridge_count, plant_count;
    wpin_analog analog[WPIN_SIM_PINS];
    wpin_encoder_part encoders[WPIN_SIM_ENCODERS];
    int encoder_count;
    wpin_hall_part halls[WPIN_SIM_ENCODERS];
    int hall_count;
    wpin_comparator_part comparators[WPIN_SIM_ENCODERS];
    int comparator_count;
    wpin_pwm_middle middles[WPIN_SIM_ENCODERS];
    int middle_count;
    wpin_shunt_part shunts[WPIN_SIM_ENCODERS];
    int shunt_count;
    wpin_part_burn *burns;
    size_t burn_count;
    wpin_part_event *events;
    const char **event_kinds; /* which sentence each of them is */
    size_t event_count;
    wpin_sim_pin_watcher *watcher;
    void *watcher_context;
    int feeds_controller; /* supply, or WPIN_SIM_NO_WIRE */
    double controller_amps, controller_volts;
    int resets;
    bool low;      /* its supply is too low now */
    bool heats;    /* some driver or winding does */
    bool averages; /* where it can */
    bool link_lost, interrupts_off;
    bool out_of_memory;       /* something that happened could not be kept */
    struct wpin_field *field; /* buses and drives; NULL: none */
};

/* The input of a driver that carries its PWM: of an upper side, or what is told to its chip; where
 * only low sides are chopped, of one of them. WPIN_SIM_NO_WIRE: there is none now. */
int wpin_chopped_input(const wpin_sim *sim, const wpin_bridge *bridge);

/* Lets the hardware follow up to where the controller is. */
void wpin_sim_catch_up(wpin_sim *sim);
/* Room for one more element; NULL (and the array as it was) when out of memory. */
void *wpin_grown(void *array, size_t count, size_t size);
/* Copies a name, or another when there is none. */
void wpin_keep_name(char *to, size_t size, const char *name, const char *otherwise);
/* Records that a part burnt. */
void wpin_board_burn(wpin_sim *sim, int64_t at, wpin_part_id of, const char *part,
                     const char *reason, ...) __attribute__((format(printf, 5, 6)));
/* A driver of the board. */
static inline wpin_part_id wpin_bridge_part(const wpin_sim *sim, const wpin_bridge *bridge) {
    return (wpin_part_id){WPIN_ID_DRIVER, (int)(bridge - sim->bridges)};
}
/* The number of the driver of a motor: every one has one. */
static inline int wpin_driver_of(const wpin_sim *sim, int motor) {
    int bridge = 0;
    while (sim->bridges[bridge].motor != motor) {
        bridge++;
    }
    return bridge;
}
/* Works out the chip's logic for every combination of input levels (bit n: input n is high). */
void wpin_bridge_decide(wpin_bridge *bridge);
/* Its own Hall sensors show another code. */
void wpin_bridge_commutate(wpin_sim *sim, wpin_bridge *bridge, uint8_t code);
/* The level a button puts on its pin now. */
bool wpin_button_level(const wpin_sim *sim, wpin_pin pin);
/* What a knob or a sensor puts on its input now. */
double wpin_knob_volts(const wpin_sim *sim, wpin_analog *a);
/* It stays as it is, or goes where it was put meanwhile. */
void wpin_analog_stick(wpin_analog *a, bool on);
/* Records something that burnt nothing. */
void wpin_board_note(wpin_sim *sim, int64_t at, const char *part, const char *what, ...)
    __attribute__((format(printf, 4, 5)));
/* Whether a supply gives power now. */
static inline bool wpin_supply_live(const wpin_sim *sim, const wpin_supply *s) {
    while (s->part.on && !s->cut_out && !s->dead && !s->hot && !s->weak && s->part.volts > 0) {
        if (!s->made) {
            return true;
        }
        s = &sim->supplies[s->maker.from];
    }
    return false;
}
/* Whether its volts depend on more than the load that sees them; and what currents of so many
 * amperes in all, and the supply itself, take from them. */
static inline bool wpin_supply_is_shared(const wpin_supply *s) {
    return s->loads > 1 || s->part.limit_amps > 0 || s->part.capacitance > 0 ||
           s->part.capacity > 0 || s->made;
}
static inline double wpin_supply_sag(const wpin_supply *s, double amps) {
    return amps * s->part.resistance - s->pumped + s->droop;
}
/* Longest stretch, ps, for which the loads on one supply may be run without a look at each other
 * from here on; and sets after how long that look is due as a stretch ends anyway. */
int64_t wpin_rails_window(wpin_sim *sim);
/* Balances the supplies after a stretch of time: sag, limit, returned current. */
void wpin_rails_settle(wpin_sim *sim, double seconds);
/* Volts of a supply that other loads than this one take away. */
double wpin_supply_sag_beside(const wpin_sim *sim, int supply, const wpin_plant *plant);
/* Sets what supplies made from others give, from the volts of those. */
void wpin_rails_begin(wpin_sim *sim);
/* Lets parts heat and cool over a stretch, which is no longer than 10 ms. */
#define WPIN_HEAT_WINDOW 10000000000LL
void wpin_heat_settle(wpin_sim *sim, double seconds);
/* Whether a driver or its diodes can get too hot. */
bool wpin_bridge_heats(const wpin_bridge *bridge);
/* Whether a limit switch is at its place. */
bool wpin_limit_reached(const wpin_sim *sim, wpin_pin pin);
/* What the counter of an encoder says now. */
wpin_status wpin_encoder_count(wpin_sim *sim, int number, wpin_count *to);
/* Puts a fault into the encoder of a motor, or mends it; false where there is none. */
bool wpin_encoder_inject(wpin_sim *sim, wpin_part_fault fault, int motor, bool on);
/* Puts a fault into the Hall sensors of a motor, or mends it; false where there are none. */
bool wpin_hall_inject(wpin_sim *sim, wpin_part_fault fault, int motor, bool on);
/* Longest stretch, ps, in which no Hall sensor changes twice; and lets those that changed be seen:
 * which calls the interrupts. */
int64_t wpin_hall_window(wpin_sim *sim);
void wpin_hall_settle(wpin_sim *sim);
/* Whether a Hall sensor is wired to a pin, and its level. */
bool wpin_hall_level(const wpin_sim *sim, wpin_pin pin, bool *high);
/* The same of the middles of PWM periods. */
int64_t wpin_middle_window(const wpin_sim *sim);
void wpin_middle_settle(wpin_sim *sim);
/* The same of comparators on the leads of motors. */
bool wpin_comparator_level(const wpin_sim *sim, wpin_pin pin, bool *high);
bool wpin_comparator_inject(wpin_sim *sim, int motor, bool off);
/* The same of the shunts in the legs of drivers; what one of them shows now, without noise, V. */
int64_t wpin_shunt_window(const wpin_sim *sim);
void wpin_shunt_settle(wpin_sim *sim);
/* Volts of a thermistor, and taking its wire off: false if that bridge has none. */
double wpin_warmth_volts(const wpin_sim *sim, const wpin_analog *a);
bool wpin_warmth_inject(wpin_sim *sim, int bridge, bool off);
double wpin_shunt_volts(const wpin_sim *sim, const wpin_analog *a);
/* Every pin floats: what a reset does. */
void wpin_pins_release(wpin_sim *sim);
/* Runs one bridge with its motor from sim->now to `until`; whether it may sleep then. */
bool wpin_bridge_run(wpin_sim *sim, wpin_bridge *bridge, int64_t until);
/* Keeps a movement of its legs for later; lets relay contacts go where their coils want them. */
void wpin_bridge_add_event(wpin_bridge *bridge, int64_t at, wpin_legs legs);
void wpin_bridge_move_contacts(wpin_bridge *bridge, wpin_legs next, int64_t at);
/* The next moment at which its legs may move by themselves: an edge, or an event; at most `until`.
 */
int64_t wpin_bridge_next(const wpin_bridge *bridge, int64_t until);
/* Puts a driver among those that are awake. */
void wpin_bridge_join(wpin_sim *sim, int number);
/* Lets drivers sleep to which nothing will happen by itself for long enough. */
void wpin_sim_doze(wpin_sim *sim);
/* Wakes a driver, if it sleeps; those to which something happens before a moment, or all, if parts
 * are others than they were; those of a supply, if its volts concern them, or all. */
void wpin_bridge_wake(wpin_sim *sim, wpin_bridge *bridge);
void wpin_sim_rouse(wpin_sim *sim, int64_t until);
void wpin_supply_rouse(wpin_sim *sim, int supply, bool all);
/* Lets the time that a driver has slept through pass for its load. */
void wpin_bridge_lead(const wpin_sim *sim, wpin_bridge *bridge);
/* Whether its motor may ever leap over whole periods; and leaps from the begin of one, the cursors
 * of its inputs with it. Returns where it got to: where it was if something could happen in the
 * first period already. */
bool wpin_bridge_can_leap(const wpin_bridge *bridge, const wpin_plant *plant);
int64_t wpin_bridge_leap(wpin_bridge *bridge, wpin_plant *plant, int64_t at, int64_t until);
/* The same of a brushless motor, along the edges of its legs. */
bool wpin_bridge_can_walk(const wpin_bridge *bridge);
int64_t wpin_bridge_walk(wpin_bridge *bridge, wpin_plant *plant, int64_t at, int64_t until);
/* The same where that is within a period of its PWM, by means; false, and nothing done: it takes
 * a closer look. And whether it may ever go so. */
bool wpin_bridge_mean(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t until);
bool wpin_bridge_has_means(const wpin_sim *sim, const wpin_bridge *bridge, const wpin_plant *plant);
/* What an input loads its pin with: the chip's resistance, a base resistor, a relay's coil. */
double wpin_bridge_input_ohms(const wpin_sim *sim, const wpin_bridge *bridge);
/* Whether the level a pin reaches is too low for what is connected to it. */
bool wpin_bridge_is_deaf(const wpin_sim *sim, const wpin_bridge *bridge, wpin_pin pin);
/* Sees what the transistor of a driver makes of the pin's level: resistance, never off, punctured.
 */
void wpin_bridge_gate(wpin_sim *sim, wpin_bridge *bridge);
/* Notes once why a driver that has power does nothing, if so. */
void wpin_bridge_tell_obstacle(wpin_sim *sim, wpin_bridge *bridge);
/* A driver that takes servo-style pulses sees its input, which was high before or not. */
void wpin_pulses_watch(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, bool was_high,
                       int64_t at);
/* A driver is dead from here on. */
void wpin_bridge_burn(wpin_bridge *bridge);
/* Whether a leg goes from one side to the other. */
static inline bool wpin_legs_swap(wpin_leg_state from, wpin_leg_state to) {
    return from != to && from != WPIN_LEG_OFF && to != WPIN_LEG_OFF;
}
/* Whether both sides of a leg conduct as it goes on so: at once, or while one still turns off. */
static inline bool wpin_leg_shorts(const wpin_bridge *bridge, wpin_leg_watch *watch, int leg,
                                   wpin_leg_state from, wpin_leg_state to, int64_t at) {
    if (from == to || to == WPIN_LEG_BOTH || to == WPIN_LEG_OFF) {
        bool off = from != to && to == WPIN_LEG_OFF;
        watch->off_at[leg] = off ? at : watch->off_at[leg];
        watch->off_side[leg] = off ? from : watch->off_side[leg];
        return to == WPIN_LEG_BOTH;
    }
    bool other = watch->off_at[leg] != 0 && watch->off_side[leg] != to;
    return from != WPIN_LEG_OFF ||
           (other && (double)(at - watch->off_at[leg]) < bridge->part.switch_time * 1e12);
}
/* Burn it, or let it protect itself, for what the legs do that come next... */
void wpin_bridge_check_legs(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant,
                            wpin_legs next, int64_t at);
void wpin_bridge_check_kick(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant,
                            wpin_legs next, int64_t at);
void wpin_bootstrap_begin(wpin_bridge *bridge);
/* Puts off what has no charge, of what its legs are to be next. */
void wpin_bootstrap_mind(wpin_sim *sim, wpin_bridge *bridge, wpin_legs *next, int64_t at);
void wpin_bridge_check_surge(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, wpin_legs next,
                             int64_t at);
/* ...for the current it has borne, and for its supply. */
void wpin_bridge_check_current(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t at);
void wpin_bridge_check_voltage(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant);
void wpin_bridge_check_polarity(wpin_sim *sim, wpin_bridge *bridge);
/* What the next legs cost as they are switched to, J; and what a capacitor at the motor then takes
 * through the driver: at most, A, and for how long more than that survives, s. */
typedef struct wpin_surge {
    double amps, lasts;
} wpin_surge;
double wpin_edge_joules(const wpin_bridge *bridge, const wpin_plant *plant, wpin_legs next);
wpin_surge wpin_edge_surge(const wpin_sim *sim, const wpin_bridge *bridge, const wpin_plant *plant,
                           wpin_legs next);
/* Feeds the drivers on a supply that are awake what it gives now. */
void wpin_bridges_feed(wpin_sim *sim, int supply);
/* Feeds the legs what the supply gives. */
void wpin_bridge_feed(wpin_sim *sim, wpin_bridge *bridge);
/* Burns a pin by what it drives, if it can not carry that. */
void wpin_pin_check(wpin_sim *sim, wpin_pin pin);
/* Follows a pin that just changed: drivers, watcher, and what it can not carry. */
void wpin_pin_changed(wpin_sim *sim, wpin_pin pin);

#endif
