/** @file rig_model.h
 * What a rig file holds: controller, supplies, loads, inputs and what goes with them. Host only.
 */
#ifndef WINDPIN_RIG_MODEL_H
#define WINDPIN_RIG_MODEL_H

#include "rig_linux.h"
#include "rig_load.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most pins a rig can name as taken. */
#define WPIN_RIG_TAKEN 32
/** Most field buses of a rig. */
#define WPIN_RIG_FIELDBUSES 4

/** Another name of a controller's line: a place on a header, what is printed beside it. */
typedef struct wpin_rig_pin_name {
    char scheme[16], name[16];
    uint8_t pin;
} wpin_rig_pin_name;

/** Most such names that are kept. */
#define WPIN_RIG_PIN_NAMES 128

/** The controller of a rig. SI units. */
typedef struct wpin_rig_controller {
    double logic_volts, pin_resistance, pin_limit, timer_hz, timer_bits, tick;
    double clock, bits;    /**< Of its processor: Hz, and the length of its words; 0: not said. */
    double converter_bits; /**< Of its analogue inputs; 0: fine. */
    double soft_tick;      /**< Of software PWM and steppers. */
    double boot;           /**< Pins float for this long after power comes. */
    int supply;            /**< What feeds it, or -1: something of its own that never fails. */
    double draws, least_volts;
    double pin_rated, pins_total; /**< What a pin may give for long, and all together, A. */
    bool timers_given;            /**< The rig says which pins have timers: */
    bool timer[256];
    struct {
        uint8_t pin;
        char by[WPIN_NAME_MAX + 1];
    } taken[WPIN_RIG_TAKEN]; /**< Pins that something else uses. */
    size_t taken_count;
    char ground[WPIN_NAME_MAX + 1]; /**< Which ground it lies on; "" is the common one. */
    char numbering[64];             /**< Whose pin numbers the rig uses: a scheme of names, "lines",
                                         or in words; "": not said. */
    wpin_rig_pin_name names[WPIN_RIG_PIN_NAMES];
    size_t name_count;
} wpin_rig_controller;

/** A divider from a supply to an analogue input, and the window that its loads are driven in. */
typedef struct wpin_rig_supply_sense {
    bool there;
    unsigned line;
    double input, divider;    /**< Number; V at the input for a V of the supply. */
    double least, most;       /**< V: a load that is driven below, or is above, trips... */
    double time;              /**< ...after so long below, s. */
    double give_way, give_up; /**< V: braking of regulated loads gives way from here to there; 0:
                                 it does not. */
} wpin_rig_supply_sense;

/** A supply of a rig. */
typedef struct wpin_rig_supply {
    char name[WPIN_NAME_MAX + 1];
    unsigned line; /**< Where the file describes it. */
    double volts, resistance, limit_amps, capacitance;
    double highest;         /**< The most it ever has, V: a full battery, a light load. */
    bool capacitor_assumed; /**< Made from another, and the rig says nothing of its capacitor. */
    double capacity, empty_volts; /**< Of cells, As and V; 0: does not run down. */
    bool droops;                  /**< At its limit; otherwise it cuts out. */
    bool on;
    bool alternating; /**< volts are its root mean square. */
    int from;         /**< Supply it is made from, or -1. */
    double headroom, least_input, efficiency;
    bool switching;
    wpin_part_heat heat;
    char ground[WPIN_NAME_MAX + 1]; /**< Which ground it lies on; "" is the common one. */
    int joined;                     /**< Supply whose plus is tied to its own, or -1. */
    bool reversed;                  /**< Connected the wrong way round. */
    wpin_rig_supply_sense sense;    /**< How the controller measures it. */
} wpin_rig_supply;

/** A driver board with limits of its own. */
typedef struct wpin_rig_board {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    double total, terminal; /**< All outputs together; its supply terminal, A; 0: not given. */
} wpin_rig_board;

/** A finding accepted on purpose. */
typedef struct wpin_rig_accept {
    char name[WPIN_NAME_MAX + 1], rule[WPIN_NAME_MAX + 1];
    unsigned line, column;
} wpin_rig_accept;

/** A field bus. */
typedef struct wpin_rig_fieldbus {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    double bit_rate;     /**< bit/s. */
    double period;       /**< Of set-points out and what is measured back, s. */
    double number;       /**< Node that the controller is. */
    double answer;       /**< A question is answered within this, s. */
    char interface[108]; /**< Of this computer: "can0", the path of a socket; "": not said. */
} wpin_rig_fieldbus;

/** What an input is. */
typedef enum wpin_rig_input_kind {
    WPIN_RIG_BUTTON,    /**< From a pin to ground. */
    WPIN_RIG_LIMIT,     /**< A limit switch from a pin to ground. */
    WPIN_RIG_KNOB,      /**< On an analogue input. */
    WPIN_RIG_SENSOR,    /**< On an analogue input, with a curve to a duty. */
    WPIN_RIG_TWO_POINT, /**< On an analogue input, asks for its duty by two-point control. */
    WPIN_RIG_PROCESS,   /**< On an analogue input, regulated by the duty it asks for. */
    WPIN_RIG_PAIR       /**< Two buttons of the rig, one for each way, both together as stop. */
} wpin_rig_input_kind;

/** Most places of a sensor's curve. */
#define WPIN_RIG_POINTS 16

/** An input of a rig. */
typedef struct wpin_rig_input {
    char name[WPIN_NAME_MAX + 1];
    unsigned line;
    wpin_rig_input_kind kind;
    double pin, debounce, bounce; /**< Pin number; s; s (simulated contact). */
    double stuck;                 /**< Button: held longer than this it is stuck, s; 0: never. */
    char limit_of[WPIN_NAME_MAX + 1]; /**< Limit switch: of which load... */
    int load;                         /**< ...its number. */
    double from, to;                  /**< Between which places of its output, turns. */
    bool opens;                  /**< It opens there, or when it is pressed, instead of closing. */
    bool stops;                  /**< Button: pressed, it stops every load. */
    double duty;                 /**< Button or pair: asked for while it is held. */
    int pair[2];                 /**< Pair: numbers of its buttons, forward and reverse. */
    double window;               /**< Pair: one press waits this long for the other, s. */
    double analog, noise, volts; /**< Number; tip to tip, V; at the start, V. */
    bool centre;                 /**< Knob: off in the middle. */
    double dead, hysteresis;     /**< Knob: shares of its way. */
    double play;                 /**< Sensor: V either side. */
    double on, off, pause, most; /**< Two-point: V, V, s, s (0: any). */
    double wanted, band, time;   /**< Regulated: V, V, s (0: no integral share). */
    double least;                /**< Regulated: less than this share is off. */
    bool raises;                 /**< Regulated: driven harder, the reading rises. */
    wpin_curve_point points[WPIN_RIG_POINTS];
    uint8_t point_count;
} wpin_rig_input;

/** Whether it is a sensor on an analogue input, whatever is made of its reading. */
static inline bool wpin_rig_is_sensor(const wpin_rig_input *input) {
    return input->kind >= WPIN_RIG_SENSOR && input->kind <= WPIN_RIG_PROCESS;
}

/** A fault to be put into the simulated board. */
typedef struct wpin_injection {
    wpin_part_fault fault;
    int number, detail; /**< As wpin_sim_inject takes them. */
} wpin_injection;

/** Where the file says something about a part. */
typedef struct wpin_rig_place {
    char part[WPIN_NAME_MAX + 1];  /**< A load, supply, input or board, or "controller". */
    char key[WPIN_NAME_MAX + 1];   /**< "" for the part itself. */
    char under[WPIN_NAME_MAX + 1]; /**< The key of the part it is below; "" for none. */
    unsigned line, column;
} wpin_rig_place;

/** How a rig is driven by hand (windpin live). 0 or "": not said. */
typedef struct wpin_rig_live {
    double link_timeout; /**< Silence that ends every motion, s. */
    double port;         /**< Of the page. */
    char address[64];    /**< It listens on; "": no other computer reaches it. */
    double rate;         /**< States a second on a message bus. */
    char broker[128];    /**< HOST or HOST:PORT. */
    char prefix[64];     /**< Of topics. */
} wpin_rig_live;

/** A rig. */
typedef struct wpin_rig {
    char name[64];
    wpin_rig_controller controller;
    wpin_rig_supply *supplies;
    size_t supply_count;
    wpin_rig_load *loads;
    size_t load_count;
    wpin_rig_input *inputs;
    size_t input_count;
    wpin_rig_board *boards;
    size_t board_count;
    wpin_rig_fieldbus fieldbuses[WPIN_RIG_FIELDBUSES];
    size_t fieldbus_count;
    wpin_rig_accept *accepts;
    size_t accept_count;
    wpin_rig_live live;
    wpin_rig_linux *on_linux; /**< NULL: it does not say. */
    uint32_t fingerprint;     /**< Of the file's bytes. */
    wpin_injection *faults;   /**< Put in from the start. */
    size_t fault_count;
    wpin_rig_place *places;
    size_t place_count;
} wpin_rig;

#ifdef __cplusplus
}
#endif
#endif
