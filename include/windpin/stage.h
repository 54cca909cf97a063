/** @file stage.h
 * A power stage is a truth table. Rows are electrical states, columns are control lines, a cell
 * says what the line does in that state. One engine runs every table and is the only code that
 * moves a line: it turns off what must be off first, waits the dead time, changes the mode lines
 * in the order they stand in the table, waits again, and only then turns on.
 *
 *     static const wpin_line lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
 *     static const wpin_stage_config config = {.table = &wpin_table_direction_pwm_brake,
 *         .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
 */
#ifndef WINDPIN_STAGE_H
#define WINDPIN_STAGE_H

#include "port.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most control lines one table may have. */
#define WPIN_STAGE_LINES 8
/** Longest dead time between rows, in us: the engine waits it inside the tick. */
#define WPIN_DEAD_TIME_MAX_US 1000

/** Electrical states. A table has a row for each state its hardware can reach. Numbers from
 * WPIN_STATE_SECTOR on are the sectors of a three-phase stage or the coil states of a stepper. */
typedef enum wpin_state {
    WPIN_STATE_FREE = 0, /**< No current is driven; the motor coasts. */
    WPIN_STATE_BRAKE,    /**< The motor is shorted. */
    WPIN_STATE_FORWARD,  /**< Driven forward by the duty. */
    WPIN_STATE_REVERSE,  /**< Driven in reverse by the duty. */
    WPIN_STATE_SECTOR    /**< First of the numbered states. */
} wpin_state;

/** What a line does in a row. */
typedef enum wpin_cell {
    WPIN_CELL_LOW = 0,    /**< Low. */
    WPIN_CELL_HIGH,       /**< High. */
    WPIN_CELL_DUTY,       /**< PWM, high for the duty. */
    WPIN_CELL_COMPLEMENT, /**< PWM, low for the duty, with the dead time kept at both edges. */
    WPIN_CELL_FLOAT,      /**< Not driven. */
    WPIN_CELL_PULSE,      /**< A pulse whose width carries the signed duty. */
    WPIN_CELL_KEEP        /**< As the row before left it. */
} wpin_cell;

/** Two lines that drive the two sides of one leg; never high together. */
typedef struct wpin_leg {
    uint8_t high_side; /**< Line index. */
    uint8_t low_side;  /**< Line index. */
} wpin_leg;

/** A truth table: constant data, shared by every stage of its kind. */
typedef struct wpin_stage_table {
    uint8_t line_count;      /**< 1 to WPIN_STAGE_LINES. */
    uint8_t row_count;       /**< 1 or more. */
    const uint8_t *states;   /**< row_count entries: the wpin_state of each row. */
    const uint8_t *cells;    /**< row_count x line_count wpin_cell values, row by row. */
    uint8_t mode_lines;      /**< Bit n: line n selects a mode (direction, brake, standby). It
                                  changes only while every other line is at rest. */
    uint8_t rest_high_lines; /**< Bit n: line n is at rest when high instead of low. */
    const wpin_leg *legs;    /**< Interlocked pairs, or NULL. */
    uint8_t leg_count;       /**< How many. */
} wpin_stage_table;

/** @name The tables that ship with the library
 * Each with its lines in order; (mode) marks mode lines. What a table has no row for, its hardware
 * can not do: wpin_stage_has tells, and requests for it are refused by name.
 * @{ */
extern const wpin_stage_table wpin_table_switch; /**< gate: one transistor, low or high side. */
extern const wpin_stage_table wpin_table_relay;  /**< coil: on or off. */
/** a, b: two changeover relays, on or off; no coast. */
extern const wpin_stage_table wpin_table_two_relays;
/** direction (mode), pwm: PWM low lets the motor coast; no brake. */
extern const wpin_stage_table wpin_table_direction_pwm;
/** direction (mode), pwm: PWM low shorts the motor; no coast. */
extern const wpin_stage_table wpin_table_direction_pwm_shorting;
/** direction (mode), brake (mode), pwm. */
extern const wpin_stage_table wpin_table_direction_pwm_brake;
/** in1 (mode), in2 (mode), enable with PWM. */
extern const wpin_stage_table wpin_table_two_inputs_enable;
/** standby (mode), in1 (mode), in2 (mode), enable with PWM. */
extern const wpin_stage_table wpin_table_two_inputs_enable_standby;
/** in1, in2: PWM on one against free (fast decay). */
extern const wpin_stage_table wpin_table_two_inputs;
/** in1, in2: PWM on one against brake (slow decay). */
extern const wpin_stage_table wpin_table_two_inputs_slow;
/** standby (mode), input (mode), pwm: the chip inverts the input for its other leg. */
extern const wpin_stage_table wpin_table_hidden_partner;
/** in1, in2: on or off. */
extern const wpin_stage_table wpin_table_two_switched_inputs;
/** enable (mode), a, b: two half-bridge channels. */
extern const wpin_stage_table wpin_table_half_bridges;
/** a-high, a-low, b-high, b-low: a bare bridge; needs a dead time. */
extern const wpin_stage_table wpin_table_four_switches;
/** pulse: a controller that takes servo-style pulses; no brake. */
extern const wpin_stage_table wpin_table_servo_pulse;
/** a, b: one of two outputs on, or none; on or off. */
extern const wpin_stage_table wpin_table_paired_outputs;
/** @} */

/** A pin that several stages share, e.g. the one standby of a chip with two bridges: it is high
 * while any of them needs it. In RAM, one for each such pin, all zero at first. */
typedef struct wpin_shared_line {
    uint8_t needed; /**< Bit n: the stage with that user number needs it now. */
} wpin_shared_line;

/** The wire behind a line of the table. */
typedef struct wpin_line {
    wpin_pin pin;  /**< Pin number of the port. */
    bool inverted; /**< True: the wire carries the opposite level. The only place for polarity. */
    uint8_t user;  /**< Of a shared line: 0 to 7, another one for each stage that shares it. */
    wpin_shared_line *shared; /**< NULL: the line is this stage's alone. Only a mode line can be
                                   shared that is low in the free row and high in all others, where
                                   the free row's other lines are in no other row: then the load
                                   coasts though another stage keeps the line high. */
} wpin_line;

/** One stage: a table on real pins. Constant; the caller keeps it alive. */
typedef struct wpin_stage_config {
    const wpin_stage_table *table;
    const wpin_line *lines;  /**< table->line_count entries. */
    uint32_t pwm_hz;         /**< PWM frequency, 1 Hz and up; 0 if no cell needs one. */
    uint16_t dead_time_us;   /**< Between turning off and turning on, 0 to 1000 us. */
    uint16_t pulse_zero_us;  /**< Pulse cells: width at zero duty, us. */
    uint16_t pulse_swing_us; /**< Pulse cells: change of width at full duty, us; less than
                                  pulse_zero_us. */
    bool reversed;           /**< True: forward and reverse change places. The only place for it. */
} wpin_stage_config;

/** A stage at work. The caller places it; its fields are the engine's own. */
typedef struct wpin_stage {
    const wpin_stage_config *config;
    const wpin_port *port;
    wpin_pwm_achieved pwm; /**< What the PWM lines really do; all zero without PWM. */
    uint16_t duty;         /**< Duty shown now, 0 to WPIN_DUTY_FULL. */
    uint8_t row;           /**< Row shown now. */
    bool open;             /**< Pins are outputs. */
} wpin_stage;

/** Checks a configuration without touching a pin: table present, every cell known, one row a
 * state, a row that can serve as safe (free or brake), no row with both sides of a leg on, a
 * dead time wherever the two sides of a leg share a PWM, pulse widths in order, no line shared that
 * can't be.
 * Returns WPIN_OK, WPIN_REFUSED_ARGUMENT, _CONFIG, _RANGE or _SHOOT. Any context. */
wpin_status wpin_stage_check(const wpin_stage_config *config);

/** Opens a stage: checks it, then brings each line to its level in the free row (the brake row
 * where there is none) before it becomes an output, then prepares PWM. Nothing moves.
 * Returns what wpin_stage_check does, or WPIN_REFUSED_PORT, _FREQUENCY. Not from an interrupt. */
wpin_status wpin_stage_open(wpin_stage *stage, const wpin_stage_config *config,
                            const wpin_port *port);

/** Whether the table has a row for this state. Any context. */
bool wpin_stage_has(const wpin_stage *stage, wpin_state state);

/** Whether its forward row has a servo-style pulse: another controller does the driving. An open
 * stage. Any context. */
bool wpin_stage_pulses(const wpin_stage *stage);

/** Whether the stage knows on and off only: its forward row has no duty or pulse cell. Any
 * context. */
bool wpin_stage_is_on_off(const wpin_stage *stage);

/** Goes to a state in the safe order. `duty` is 0 to WPIN_DUTY_FULL and matters in rows with a
 * duty, complement or pulse cell. With the row unchanged only the duty is written. Takes twice
 * the dead time at most (after turning off, and after the mode lines), under the port's lock.
 * Refused: WPIN_REFUSED_ARGUMENT before open, _STATE, _RANGE; the stage is then as it was. From the
 * tick only (or from one interrupt that nothing else interrupts with the same stage). */
wpin_status wpin_stage_apply(wpin_stage *stage, wpin_state state, uint16_t duty);

/** The state shown now. Any context. */
wpin_state wpin_stage_state(const wpin_stage *stage);

#ifdef __cplusplus
}
#endif
#endif
