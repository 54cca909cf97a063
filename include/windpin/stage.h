/** @file stage.h
 * A power stage is a truth table. Rows are electrical states, columns are control lines, a cell
 * says what the line does in that state. One engine runs every table and is the only code that
 * moves a line. A change of row is two phases: first what must be off turns off; then, after the
 * dead time, the mode lines change in the order they stand in the table; then, after another one,
 * the rest turns on. Interrupts are kept out only while levels are written, never during a dead
 * time.
 *
 *     static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
 *     static const WPIN_FLASH wpin_stage_config config = {.table = &wpin_table_direction_pwm_brake,
 *         .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
 */
#ifndef WINDPIN_STAGE_H
#define WINDPIN_STAGE_H

#include "api.h"
#include "port.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most control lines one table may have. */
#define WPIN_STAGE_LINES 8
/** Most rows one table may have. */
#define WPIN_STAGE_ROWS 32
/** Longest dead time between rows, in us: waited inside the tick, with interrupts open. */
#define WPIN_DEAD_TIME_MAX_US 1000
/** Longest time in us in which bootstrap capacitors are charged: waited inside the tick as well. */
#define WPIN_CHARGE_MAX_US 1000

/** Electrical states. A table has a row for each state its hardware can reach. Numbers from
 * WPIN_DRIVE_SECTOR on are the sectors of a three-phase stage or the coil states of a stepper. */
typedef enum wpin_drive {
    WPIN_DRIVE_COAST = 0, /**< No current is driven; the motor coasts. */
    WPIN_DRIVE_BRAKE,     /**< The motor is shorted. */
    WPIN_DRIVE_FORWARD,   /**< Driven forward by the duty. */
    WPIN_DRIVE_REVERSE,   /**< Driven in reverse by the duty. */
    WPIN_DRIVE_SECTOR     /**< First of the numbered states. */
} wpin_drive;

/** The row of a three-phase table in which each leg has a duty of its own: wpin_stage_legs. */
#define WPIN_DRIVE_VECTOR ((wpin_drive)(WPIN_DRIVE_SECTOR + 6))

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

/** A row as bit masks: bit n is line n. A line in none of them is low. WPIN_ROW makes one of cells.
 */
typedef struct wpin_row {
    uint8_t drive;      /**< The wpin_drive it stands for. */
    uint8_t high;       /**< High. */
    uint8_t timed;      /**< Carries PWM, high for the duty if not said otherwise below. */
    uint8_t keep;       /**< As the row before left it; mode lines only. */
    uint8_t floats;     /**< Not driven. */
    uint8_t complement; /**< Of the timed ones: low for the duty. */
    uint8_t pulse;      /**< Of the timed ones: a servo-style pulse. */
} wpin_row;

/** @name A row from its cells, 1 to 8 of them: WPIN_ROW(WPIN_DRIVE_FORWARD, WPIN_CELL_HIGH, ...)
 * @{ */
#define WPIN_ROW(drive_of, ...) WPIN_ROW_OF_(drive_of, __VA_ARGS__, 0, 0, 0, 0, 0, 0, 0, 0)
#define WPIN_ROW_OF_(drive_of, a, b, c, d, e, f, g, h, ...)                                        \
    {                                                                                              \
        (uint8_t)(drive_of), WPIN_MASK_(WPIN_CELL_HIGH, a, b, c, d, e, f, g, h),                   \
            (uint8_t)(WPIN_MASK_(WPIN_CELL_DUTY, a, b, c, d, e, f, g, h) |                         \
                      WPIN_MASK_(WPIN_CELL_COMPLEMENT, a, b, c, d, e, f, g, h) |                   \
                      WPIN_MASK_(WPIN_CELL_PULSE, a, b, c, d, e, f, g, h)),                        \
            WPIN_MASK_(WPIN_CELL_KEEP, a, b, c, d, e, f, g, h),                                    \
            WPIN_MASK_(WPIN_CELL_FLOAT, a, b, c, d, e, f, g, h),                                   \
            WPIN_MASK_(WPIN_CELL_COMPLEMENT, a, b, c, d, e, f, g, h),                              \
            WPIN_MASK_(WPIN_CELL_PULSE, a, b, c, d, e, f, g, h)                                    \
    }
#define WPIN_MASK_(cell, a, b, c, d, e, f, g, h)                                                   \
    (uint8_t)(((int)(a) == (int)(cell)) | ((int)(b) == (int)(cell)) << 1 |                         \
              ((int)(c) == (int)(cell)) << 2 | ((int)(d) == (int)(cell)) << 3 |                    \
              ((int)(e) == (int)(cell)) << 4 | ((int)(f) == (int)(cell)) << 5 |                    \
              ((int)(g) == (int)(cell)) << 6 | ((int)(h) == (int)(cell)) << 7)
/** @} */

/** A truth table: constant data, shared by every stage of its kind. */
typedef struct wpin_stage_table {
    uint8_t line_count;            /**< 1 to WPIN_STAGE_LINES. */
    uint8_t row_count;             /**< 1 to WPIN_STAGE_ROWS. */
    uint8_t mode_lines;            /**< Bit n: line n selects a mode (direction, brake, standby). It
                                        changes only while every other line is at rest. */
    uint8_t rest_high_lines;       /**< Bit n: line n is at rest when high instead of low. */
    uint8_t leg_count;             /**< Entries of legs. */
    const WPIN_FAR wpin_row *rows; /**< row_count entries, each drive once. */
    const WPIN_FAR wpin_leg *legs; /**< Interlocked pairs, or NULL. */
} wpin_stage_table;

/** The cell of a line in a row of a table; WPIN_CELL_LOW outside it. Any context. */
WPIN_API wpin_cell wpin_table_cell(const WPIN_FAR wpin_stage_table *table, uint8_t row,
                                   uint8_t line);
/** Row of a drive, WPIN_NO_ROW if the table has none. Any context. */
WPIN_API uint8_t wpin_table_row(const WPIN_FAR wpin_stage_table *table, wpin_drive drive);
/** What wpin_table_row answers when there is no such row. */
#define WPIN_NO_ROW 255

/** @name The tables that ship with the library
 * Each with its lines in order; (mode) marks mode lines. What a table has no row for, its hardware
 * can not do: wpin_stage_has tells, and requests for it are refused by name.
 * @{ */
WPIN_API extern const WPIN_FLASH wpin_stage_table
    wpin_table_switch; /**< gate: one transistor, low or high side. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_relay; /**< coil: on or off. */
/** a, b: two changeover relays, on or off; no coast. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_two_relays;
/** direction (mode), pwm: PWM low lets the motor coast; no brake. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_direction_pwm;
/** direction (mode), pwm: PWM low shorts the motor; no coast. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_direction_pwm_shorting;
/** direction (mode), brake (mode), pwm. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_direction_pwm_brake;
/** in1 (mode), in2 (mode), enable with PWM. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_two_inputs_enable;
/** standby (mode), in1 (mode), in2 (mode), enable with PWM. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_two_inputs_enable_standby;
/** in1, in2: PWM on one against free (fast decay). */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_two_inputs;
/** in1, in2: PWM on one against brake (slow decay). */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_two_inputs_slow;
/** standby (mode), input (mode), pwm: the chip inverts the input for its other leg. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_direction_pwm_standby;
/** in1, in2: on or off. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_two_inputs_on_off;
/** enable (mode), a, b: two half-bridge channels. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_half_bridges;
/** a-high, a-low, b-high, b-low: a bare bridge; needs a dead time. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_full_bridge;
/** pulse: a controller that takes servo-style pulses; no brake. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_servo_pulse;
/** a, b: one of two outputs on, or none; on or off. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_interlocked_outputs;
/** a-high, a-low, b-high, b-low, c-high, c-low: six switches of a three-phase stage, sectors 0 to 5
 * (A to B, A to C, B to C, B to A, C to A, C to B). PWM on the high side, its low side as the
 * complement; needs a dead time. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_three_phase_bridge;
/** The same; PWM on the high side alone, and the current free-wheels through a diode. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_three_phase_bridge_high;
/** The same; PWM on the low side alone, each high side stays on through its two sectors. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_three_phase_bridge_low;
/** The same; PWM on both sides: while it is low the current goes back into the supply. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_three_phase_bridge_fast;
/** a, a-enable, b, b-enable, c, c-enable: three half-bridge channels that keep their own dead time.
 */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_three_half_bridges;
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

/** A pulse's width as a share of its period, from microseconds and Hz: for pulse_neutral and
 * pulse_swing. 1/65536 of the period. */
#define WPIN_PULSE_SHARE(us, hz) ((uint16_t)(((uint64_t)(us) * (hz)*65536 + 500000) / 1000000))

/** What three legs with duties of their own are on. */
typedef struct wpin_leg_pins {
    wpin_pin high[3]; /**< Of each leg the high side, or the line of its half-bridge channel. */
    wpin_pin low[3];
    bool whole; /**< Legs of two switches. */
} wpin_leg_pins;

/** One stage: a table on real pins. Constant; the caller keeps it alive. */
struct wpin_stage;

typedef struct wpin_stage_config {
    const WPIN_FAR wpin_stage_table *table;
    const WPIN_FAR wpin_line *lines; /**< table->line_count entries. */
    uint32_t pwm_hz;                 /**< PWM frequency, 1 Hz to 1 MHz; 0 if no cell needs one. */
    uint16_t dead_time_us; /**< Between turning off and turning on, 0 to 1000 us; with complementary
                                legs less than half a PWM period. */
    uint16_t pulse_neutral; /**< Pulse cells: width at zero, WPIN_PULSE_SHARE. */
    uint16_t pulse_swing;   /**< Pulse cells: change of width at full, less than pulse_neutral. */
    bool centred;           /**< Its PWM lies in the middle of the period: see wpin_pwm_request. */
    bool reversed;          /**< True: forward and reverse change places. The only place for it. */
    wpin_pwm_achieved *achieved; /**< Where open writes what PWM really does, or NULL. */
    /** wpin_stage_charge, called on the way from coast to a row that drives; or NULL. */
    wpin_status (*charge)(struct wpin_stage *stage);
    uint16_t charge_us; /**< For so long, 0 to 1000 us. */
} wpin_stage_config;

/** A stage at work. Zero before its first use; the caller places it, the fields are the engine's.
 */
typedef struct wpin_stage {
    const WPIN_FAR wpin_stage_config *config;
#ifndef WPIN_ONE_MOTOR /* which knows it without */
    const wpin_port *port;
#endif
    uint16_t duty;    /**< Duty shown now, 0 to WPIN_DUTY_FULL. */
    uint8_t drive;    /**< What is shown now (wpin_drive, before "reversed"). */
    uint8_t row;      /**< Row shown now. */
    uint8_t levels;   /**< Level each line was told last; bit n is line n. */
    uint8_t inverted; /**< Wires that carry the opposite level. */
    uint8_t group;    /**< The port's number of all lines together. */
    uint8_t flags;    /**< Open, grouped, shared lines; one plain PWM line, and which. */
    volatile uint8_t
        cut; /**< wpin_stage_off: nothing turns on until coast or brake is asked for. */
    volatile uint8_t sector; /**< Sector asked for by wpin_stage_commutate. */
    uint16_t commutated_at;  /**< Lower half of the moment when that last turned lines off. */
} wpin_stage;

/** Shows the row of the brake for charge_us: with the low sides on, the bootstrap capacitors of the
 * high sides charge. For wpin_stage_config.charge; linked only where that names it. Tick. */
WPIN_API wpin_status wpin_stage_charge(wpin_stage *stage);

/** Checks a configuration without touching a pin: table present, each drive once, a row that can
 * serve as safe (coast or brake), no row with both sides of a leg on, a dead time wherever the two
 * sides of a leg share a PWM and a period long enough for it, keep cells on mode lines only, pulse
 * widths in order, no line shared that can't be.
 * Returns WPIN_OK, WPIN_REFUSED_ARGUMENT, _CONFIG, _RANGE, _SHOOT or _DEAD_TIME. Any context. */
WPIN_API wpin_status wpin_stage_check(const WPIN_FAR wpin_stage_config *config);

/** Opens a stage: closes it if it was open, checks the configuration, then brings each line to its
 * level in the coast row (the brake row where there is none) before it becomes an output, then
 * prepares PWM. Nothing moves. Returns what wpin_stage_check does, or WPIN_REFUSED_PORT,
 * _FREQUENCY, _DEAD_TIME: then it is closed, and the lines that became outputs are at rest. Init.
 */
WPIN_API wpin_status wpin_stage_open(wpin_stage *stage, const WPIN_FAR wpin_stage_config *config,
                                     const wpin_port *port);

/** Shows the coast row (brake where there is none) and takes no more orders. Nothing if it is
 * closed. What the port refused, or WPIN_OK. Init and tick. */
WPIN_API wpin_status wpin_stage_close(wpin_stage *stage);

/** Whether the table of an open stage has a row for this drive. Any context. */
WPIN_API bool wpin_stage_has(const wpin_stage *stage, wpin_drive drive);

/** Whether its forward row has a servo-style pulse: another controller does the driving. Any. */
WPIN_API bool wpin_stage_pulses(const wpin_stage *stage);

/** Whether an open stage knows on and off only: its forward row has no duty or pulse cell. Any. */
WPIN_API bool wpin_stage_is_on_off(const wpin_stage *stage);

/** Goes to a drive in the safe order. `duty` is 0 to WPIN_DUTY_FULL and matters in rows with a
 * duty, complement or pulse cell. With the row unchanged only the duty is written. Waits at most
 * twice the dead time, with interrupts open. Refused: WPIN_REFUSED_ARGUMENT, _CLOSED, _STATE,
 * _RANGE: the stage is then as it was; _FAULTED after wpin_stage_off, until coast or brake is asked
 * for. What the port refuses is returned too. Tick. */
WPIN_API wpin_status wpin_stage_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty);

/** Everything at rest at once, e.g. from a comparator's interrupt: every line but mode lines goes
 * to its level at rest, servo-style pulses to neutral. Nothing turns on again until the tick asks
 * for coast or brake. Any context. */
WPIN_API void wpin_stage_off(wpin_stage *stage);

/** Goes to another numbered row (WPIN_DRIVE_SECTOR + sector) with the duty shown now, from an
 * interrupt, e.g. at an edge of a Hall sensor. Only while the tick has a numbered row on; otherwise
 * nothing happens. Returns _STATE, and leaves all as it was, for a sector that the table has no row
 * for or whose mode lines differ: a mode line takes two dead times, which the tick's way keeps.
 * May be entered anew before it returns: it ends on the newest sector. Fast. */
WPIN_API wpin_status wpin_stage_commutate(wpin_stage *stage, uint8_t sector);

/** Shows a duty on each of the three legs, 0 to WPIN_DUTY_FULL, while the row of
 * WPIN_DRIVE_VECTOR is shown; otherwise nothing happens. They take effect together where the port's
 * PWM does. Returns what the port refused: then it is cut off; or _CLOSED, _RANGE, _ARGUMENT.
 * Fast. */
WPIN_API wpin_status wpin_stage_legs(wpin_stage *stage, const uint16_t duties[3]);

/** The drive shown now. Any context. */
WPIN_API wpin_drive wpin_stage_drive(const wpin_stage *stage);

#ifdef __cplusplus
}
#endif
#endif
