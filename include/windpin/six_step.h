/** @file six_step.h
 * Six-step commutation: a brushless motor on a three-phase stage, its six sectors given by three
 * Hall sensors. An actuator like any stage, so a motor on it has the same requests, guard, faults
 * and stop as a brushed one.
 *
 *     static wpin_six_step drum_phases;
 *     static const WPIN_FLASH wpin_six_step_config phases_config = {
 *         .stage = &stage_config,                   its table: wpin_table_three_phase_bridge, ...
 *         .hall = {14, 15, 16},                     pins of sensors a, b, c
 *         .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
 *     // in the motor's configuration:
 *     WPIN_ON_SIX_STEP(&drum_phases, &phases_config),
 *     // the interrupt of any change on the three pins:
 *     void on_hall_change(void) {
 *         wpin_six_step_edge(&drum_phases);
 *     }
 *
 * Row WPIN_DRIVE_SECTOR + n of the stage's table drives forward while the rotor is in sector n, and
 * the row three further on drives in reverse. Each edge moves the stage to the row of the sector it
 * leads to. The counts of the edges, six in an electrical turn, are those of an encoder with three
 * kinds of edges: wpin_encoder_config.quadrature = &drum_phases.counts, .kinds = 3.
 *
 * With .advance each row comes so much before the edge that asks for it: at high speed a winding's
 * inductance holds its current up, and it is then where it makes most torque. That moment lies
 * between two edges, so somebody has to look:
 *
 *     // the interrupt of each PWM period:
 *     void on_pwm_period(void) {
 *         wpin_six_step_look(&drum_phases);
 *     }
 *
 * Without the interrupt of the sensors the tick follows them by itself, which serves as long
 * as a sector takes three ticks: faster it is WPIN_FAULT_LATE.
 */
#ifndef WINDPIN_SIX_STEP_H
#define WINDPIN_SIX_STEP_H

#include "actuator.h"
#include "api.h"
#include "quadrature.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What the sensors say where there is no sector. */
#define WPIN_NO_SECTOR ((uint8_t)255)

/** @name wpin_six_step_config.sector_of, from the codes of sectors 0 to 5
 * A code is sensor a in bit 0, b in bit 1, c in bit 2. Sensors 120 electrical degrees apart never
 * show 0 and 7, sensors 60 degrees apart never two others.
 * @{ */
#define WPIN_HALL_SECTORS(s0, s1, s2, s3, s4, s5)                                                  \
    {                                                                                              \
        WPIN_HALL_SECTOR_(0, s0, s1, s2, s3, s4, s5),                                              \
            WPIN_HALL_SECTOR_(1, s0, s1, s2, s3, s4, s5),                                          \
            WPIN_HALL_SECTOR_(2, s0, s1, s2, s3, s4, s5),                                          \
            WPIN_HALL_SECTOR_(3, s0, s1, s2, s3, s4, s5),                                          \
            WPIN_HALL_SECTOR_(4, s0, s1, s2, s3, s4, s5),                                          \
            WPIN_HALL_SECTOR_(5, s0, s1, s2, s3, s4, s5),                                          \
            WPIN_HALL_SECTOR_(6, s0, s1, s2, s3, s4, s5),                                          \
            WPIN_HALL_SECTOR_(7, s0, s1, s2, s3, s4, s5),                                          \
    }
#define WPIN_HALL_SECTOR_(code, s0, s1, s2, s3, s4, s5)                                            \
    (uint8_t)((s0) == (code)   ? 0                                                                 \
              : (s1) == (code) ? 1                                                                 \
              : (s2) == (code) ? 2                                                                 \
              : (s3) == (code) ? 3                                                                 \
              : (s4) == (code) ? 4                                                                 \
              : (s5) == (code) ? 5                                                                 \
                               : WPIN_NO_SECTOR)
/** @} */

/** Everything constant about it. The caller keeps it alive. */
typedef struct wpin_six_step_config {
    const WPIN_FAR wpin_stage_config *stage; /**< Its table has the rows WPIN_DRIVE_SECTOR to + 5
                                                  one after the other, none with a mode line. */
    wpin_pin hall[3];     /**< Pins of sensors a, b and c: inputs with pull-ups. */
    uint8_t sector_of[8]; /**< Sector (0 to 5) of each code of the sensors, each once; the other two
                               WPIN_NO_SECTOR. */
    uint8_t advance;      /**< Commutates so much sooner, 1/256 of a sector, up to 120: by
                               wpin_six_step_look, while a sector takes at most 16 ms. */
} wpin_six_step_config;

/** At work. Zero before its first use; placed by the caller, the fields are its own. */
typedef struct wpin_six_step {
    wpin_stage stage;
    const WPIN_FAR wpin_six_step_config *config;
    wpin_quadrature counts;     /**< Of the edges; illegal: codes that are no sector, and sectors
                                     left out. */
    volatile uint8_t code;      /**< What the sensors showed last. */
    volatile uint8_t sector;    /**< The last that was one. */
    volatile uint8_t failed;    /**< What the port refused at an edge: a wpin_status. */
    volatile int8_t direction;  /**< It is driven that way; 0: not. */
    volatile uint8_t reads;     /**< Counts how often the sensors were taken. */
    volatile uint8_t surprises; /**< Illegal codes and leaps since the last tick; stops at 255. */
    uint8_t disorder;           /**< Of the sensors of late. */
    uint8_t first_row;          /**< Of the sectors in the table. */
    bool quick;                 /**< From a sector to its neighbour no leg turns. */
    uint8_t lines[6];           /**< Of each sector the line that carries its PWM. */
    volatile int8_t leads;      /**< It shows the next row already, driven that way; 0: not. */
    uint16_t edge_us;           /**< How long the sector before the last edge took; 0: too long. */
    int8_t edge_way;            /**< Which way that edge was. */
    uint8_t edges, taken;       /**< How many there were, and how many of them were looked at. */
    int8_t turning;             /**< The way of the last ones. */
    uint8_t regular;            /**< So many sectors in a row that way, up to 3. */
    uint16_t took[3];           /**< The last of them, us. */
    uint16_t share;             /**< Of three sectors after which the next row is due, x 65536. */
    uint16_t due_us, late_us;   /**< After an edge the next row leads from then on, and until then:
                                     a rotor that has not come is slower. 0: it does not. */
    uint16_t looked;            /**< The lower half of the clock at the last look. */
    uint8_t ticked;             /**< How often the sensors had been taken by the last tick. */
    uint8_t
        alone; /**< Of late, edges that a tick found right after the last one, and no interrupt. */
} wpin_six_step;

/** For wpin_motor_config.actuator: see WPIN_ON_SIX_STEP. Opening it is refused like a stage, and
 * _CONFIG (the table has not the six rows, two sensors on one pin, codes that are not six), _PORT
 * (it can't read pins). A tick that finds the sensors showing no sector turns everything off, and
 * the next that finds one drives on; while they show none, or leave sectors out again and again,
 * its poll says WPIN_FAULT_HALL. Without the interrupt the tick follows them; it says
 * WPIN_FAULT_LATE once sectors take less than three ticks. */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_six_step_actuator;

/** The three fields of a motor's configuration that name it. */
#define WPIN_ON_SIX_STEP(six_step, six_step_config)                                                \
    .actuator = &wpin_six_step_actuator, .part = (six_step), .part_config = (six_step_config)

/** The sensors changed: looks at them, counts, and moves the stage to the new sector's row while it
 * is driven. They are read again if another edge came in between, so it may be entered anew at any
 * moment: it ends on the newest sector. Returns what the port refused, which the next tick makes a
 * fault, or WPIN_OK. Fast; the port's read is called from there. */
WPIN_API wpin_status wpin_six_step_edge(wpin_six_step *six_step);

/** Where there is an advance: moves the stage to the next sector's row once that is due, and back
 * where the rotor has not come by then. How often it is called is how finely the moment is met:
 * each PWM period. Returns what the port refused, which the next tick makes a fault, or WPIN_OK.
 * Fast; the port's clock is read. */
WPIN_API wpin_status wpin_six_step_look(wpin_six_step *six_step);

/** The rotor's sector, 0 to 5, or WPIN_NO_SECTOR: what the sensors show now is none. Any. */
WPIN_API uint8_t wpin_six_step_sector(const wpin_six_step *six_step);

#ifdef __cplusplus
}
#endif
#endif
