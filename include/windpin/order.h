/** @file order.h
 * Finds the order of a brushless motor's wires: which code of its Hall sensors belongs to which
 * sector of the stage, however its three leads and its three sensors are connected. It pulls the
 * rotor to six places in an electrical turn, one after the other, and back again, and reads the
 * sensors at each. Before that it pulls by each pair of leads once, which tells one that is off.
 * Turning is no proof of the right order: some wrong ones turn as well, at many times the current;
 * where the rotor is pulled to is.
 *
 *     static wpin_order order;
 *     static const WPIN_FLASH wpin_order_config order_config = {
 *         .stage = &stage_config, .hall = {14, 15, 16}, .duty = 800, .hold_ms = 300,
 *         .swap_ms = 4};
 *     wpin_order_begin(&order, &order_config, &port);
 *     while (wpin_order_tick(&order) == WPIN_ORDER_MOVING) { ... a millisecond passes ... }
 *
 * Nowhere on its way is it more than an electrical turn from where it began. The stage may be no
 * motor's meanwhile: close that first.
 */
#ifndef WINDPIN_ORDER_H
#define WINDPIN_ORDER_H

#include "api.h"
#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What it has come to. */
typedef enum wpin_order_state {
    WPIN_ORDER_CLOSED = 0, /**< Never begun, or refused. */
    WPIN_ORDER_MOVING,
    WPIN_ORDER_FOUND,   /**< codes hold what the sensors show in each sector. */
    WPIN_ORDER_STANDS,  /**< No sensor changed: it did not move, or none of them works. */
    WPIN_ORDER_SENSOR,  /**< The sensors in `same` never changed, others did. */
    WPIN_ORDER_LEAD,    /**< The lead in `same` carries no current: with a current sense only. */
    WPIN_ORDER_DIFFERS, /**< There and back it was not at the same places: too little duty, a load,
                             a lead that is off. */
    WPIN_ORDER_CURRENT, /**< More current than it may draw. */
    WPIN_ORDER_PORT,    /**< The port failed. */
    WPIN_ORDER_STOPPED  /**< By wpin_order_stop. */
} wpin_order_state;

/** How it is done. The caller keeps it alive. */
typedef struct wpin_order_config {
    const WPIN_FAR wpin_stage_config *stage; /**< As of a wpin_six_step_config. */
    wpin_pin hall[3];                        /**< Pins of sensors a, b and c. */
    uint16_t duty;    /**< To pull with, 1 to WPIN_DUTY_FULL: it holds the rotor against its
                           friction, and drives no more current than the winding carries. */
    uint16_t hold_ms; /**< At each place, 20 to 5000 ms; twice that at the first, while the duty
                           rises. */
    uint8_t swap_ms;  /**< Pulled by one row and then by its neighbour for so long each, 1 to 50
                           ms: long for the current to change over, short for the rotor. */
    uint8_t current_input; /**< Analogue input of the current sense... */
    int16_t most_mv;       /**< ...that ends it above this, mV at the pin; 0: not watched. */
    uint8_t shunts[3];     /**< With shunts in the legs: their inputs instead, as in
                                wpin_vector_config, ... */
    int16_t zero_mv;       /**< ...which show this at no current; 0: there is one sense for all. */
} wpin_order_config;

/** At work. Zero before its first use; placed by the caller, the fields are its own. */
typedef struct wpin_order {
    const WPIN_FAR wpin_order_config *config; /**< NULL: closed. */
    const wpin_port *port;
    wpin_stage stage;
    volatile uint8_t state; /**< wpin_order_state. */
    volatile uint8_t stops;
    wpin_moment last;
    uint32_t rise;    /**< Of the duty at first, 1/4096 a ms. */
    uint32_t left_us; /**< At this place. */
    uint8_t step;     /**< Rows and places done, 0 to 14. */
    uint32_t swap_us; /**< Until the other row. */
    bool second;      /**< Pulled by the second of the two rows now. */
    uint8_t codes[6]; /**< What the sensors showed, by sector. */
    uint8_t same;     /**< Bit n: sensor n never changed; or lead n is off. */
    int16_t mv;       /**< Current now, mV at the pin... */
    int16_t drawn[3]; /**< ...and at the end of each of the first three rows. */
} wpin_order;

/** Opens the stage and begins. Refused, and nothing moves: _ARGUMENT, _RANGE, _CONFIG (not the six
 * rows), _PORT, what the stage refuses. Init. */
WPIN_API wpin_status wpin_order_begin(wpin_order *order, const WPIN_FAR wpin_order_config *config,
                                      const wpin_port *port);
/** One control period, every millisecond or so. At its end, whatever it is, all is off and the
 * stage closed. Tick. */
WPIN_API wpin_order_state wpin_order_tick(wpin_order *order);
/** Ends it: lines at rest at once, closed at the next tick. Any. */
WPIN_API void wpin_order_stop(wpin_order *order);

#ifdef __cplusplus
}
#endif
#endif
