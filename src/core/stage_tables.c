/* The truth tables that ship with the library: data, no code. Rows by state, one column a line. */
#include "windpin/stepper.h"

enum {
    L = WPIN_CELL_LOW,
    H = WPIN_CELL_HIGH,
    D = WPIN_CELL_DUTY,
    C = WPIN_CELL_COMPLEMENT,
    P = WPIN_CELL_PULSE,
    K = WPIN_CELL_KEEP
};

#define COAST   WPIN_DRIVE_COAST
#define BRAKE   WPIN_DRIVE_BRAKE
#define FORWARD WPIN_DRIVE_FORWARD
#define REVERSE WPIN_DRIVE_REVERSE
#define STEP(n) (WPIN_DRIVE_SECTOR + (n))
#define ROW     WPIN_ROW

/* A table from its lines, mode lines, legs and rows. */
#define TABLE(name, lines, modes, leg_list, legs_given, ...)                                       \
    static const WPIN_FLASH wpin_row name##_rows[] = {__VA_ARGS__};                                \
    const WPIN_FLASH wpin_stage_table wpin_table_##name = {.line_count = (lines),                  \
                                                           .row_count = sizeof name##_rows /       \
                                                                        sizeof *name##_rows,       \
                                                           .mode_lines = (modes),                  \
                                                           .leg_count = (legs_given),              \
                                                           .rows = name##_rows,                    \
                                                           .legs = (leg_list)}

static const WPIN_FLASH wpin_leg bridge_legs[] = {{0, 1}, {2, 3}};
static const WPIN_FLASH wpin_leg paired_leg[] = {{0, 1}};
static const WPIN_FLASH wpin_leg enabled_legs[] = {{0, 1}, {3, 4}};
static const WPIN_FLASH wpin_leg phase_legs[] = {{0, 1}, {2, 3}, {4, 5}};

/* clang-format off */

/* gate; PWM */
TABLE(switch, 1, 0, NULL, 0,
      ROW(COAST, L),
      ROW(FORWARD, D));

/* coil; on or off */
TABLE(relay, 1, 0, NULL, 0,
      ROW(COAST, L),
      ROW(FORWARD, H));

/* Two changeover relays: each terminal lies on ground or on the supply. Lines: a, b. */
TABLE(two_relays, 2, 0, NULL, 0,
      ROW(BRAKE, L, L),
      ROW(FORWARD, H, L),
      ROW(REVERSE, L, H));

/* Lines: direction (mode), pwm. While PWM is low the chip lets the motor coast. */
TABLE(direction_pwm, 2, 0x1, NULL, 0,
      ROW(COAST, K, L),
      ROW(FORWARD, H, D),
      ROW(REVERSE, L, D));

/* The same lines; while PWM is low the chip shorts the motor. */
TABLE(direction_pwm_shorting, 2, 0x1, NULL, 0,
      ROW(BRAKE, K, L),
      ROW(FORWARD, H, D),
      ROW(REVERSE, L, D));

/* Lines: direction (mode), brake (mode), pwm. */
TABLE(direction_pwm_brake, 3, 0x3, NULL, 0,
      ROW(COAST, K, L, L),
      ROW(BRAKE, K, H, L),
      ROW(FORWARD, H, L, D),
      ROW(REVERSE, L, L, D));

/* Lines: in1 (mode), in2 (mode), enable. */
TABLE(two_inputs_enable, 3, 0x3, NULL, 0,
      ROW(COAST, L, L, L),
      ROW(BRAKE, H, H, H),
      ROW(FORWARD, H, L, D),
      ROW(REVERSE, L, H, D));

/* Lines: standby (mode), in1 (mode), in2 (mode), enable. Standby is low while free. */
TABLE(two_inputs_enable_standby, 4, 0x7, NULL, 0,
      ROW(COAST, L, L, L, L),
      ROW(BRAKE, H, H, H, H),
      ROW(FORWARD, H, H, L, D),
      ROW(REVERSE, H, L, H, D));

/* PWM against free: fast decay. Lines: in1, in2. */
TABLE(two_inputs, 2, 0, NULL, 0,
      ROW(COAST, L, L),
      ROW(BRAKE, H, H),
      ROW(FORWARD, D, L),
      ROW(REVERSE, L, D));

/* PWM against brake: slow decay. Lines: in1, in2. */
TABLE(two_inputs_slow, 2, 0, NULL, 0,
      ROW(COAST, L, L),
      ROW(BRAKE, H, H),
      ROW(FORWARD, H, C),
      ROW(REVERSE, C, H));

/* One input whose inverted partner is inside the chip. Lines: standby (mode), input (mode), pwm.
 * Only standby lets the motor coast; PWM low shorts it. */
TABLE(direction_pwm_standby, 3, 0x3, NULL, 0,
      ROW(COAST, L, K, L),
      ROW(BRAKE, H, K, L),
      ROW(FORWARD, H, H, D),
      ROW(REVERSE, H, L, D));

/* On or off only. Lines: in1, in2. */
TABLE(two_inputs_on_off, 2, 0, NULL, 0,
      ROW(COAST, L, L),
      ROW(BRAKE, H, H),
      ROW(FORWARD, H, L),
      ROW(REVERSE, L, H));

/* Two half-bridge channels with a common enable. Lines: enable (mode), a, b. */
TABLE(half_bridges, 3, 0x1, NULL, 0,
      ROW(COAST, L, L, L),
      ROW(BRAKE, H, L, L),
      ROW(FORWARD, H, D, L),
      ROW(REVERSE, H, L, D));

/* A bare bridge. Lines: a-high, a-low, b-high, b-low. The driven leg's low side follows its high
 * side as the complement with dead time. */
TABLE(full_bridge, 4, 0, bridge_legs, 2,
      ROW(COAST, L, L, L, L),
      ROW(BRAKE, L, H, L, H),
      ROW(FORWARD, D, C, L, H),
      ROW(REVERSE, L, H, D, C));

/* A servo-style pulse: neutral when free, wider forward, narrower in reverse. */
TABLE(servo_pulse, 1, 0, NULL, 0,
      ROW(COAST, P),
      ROW(FORWARD, P),
      ROW(REVERSE, P));

/* Two outputs of which one at the most is on, with a free state. Lines: a, b. */
TABLE(interlocked_outputs, 2, 0, paired_leg, 1,
      ROW(COAST, L, L),
      ROW(FORWARD, H, L),
      ROW(REVERSE, L, H));

/* Two bridge channels with a coil each, eight half steps. Lines: a1, a2, b1, b2. */
TABLE(stepper, 4, 0, bridge_legs, 2,
      ROW(COAST, L, L, L, L),
      ROW(STEP(0), H, L, L, L),
      ROW(STEP(1), H, L, H, L),
      ROW(STEP(2), L, L, H, L),
      ROW(STEP(3), L, H, H, L),
      ROW(STEP(4), L, H, L, L),
      ROW(STEP(5), L, H, L, H),
      ROW(STEP(6), L, L, L, H),
      ROW(STEP(7), H, L, L, H));

/* The same with an enable on PWM for each coil. Lines: a1, a2, a-enable, b1, b2, b-enable. */
TABLE(stepper_enable, 6, 0, enabled_legs, 2,
      ROW(COAST, L, L, L, L, L, L),
      ROW(STEP(0), H, L, D, L, L, L),
      ROW(STEP(1), H, L, D, H, L, D),
      ROW(STEP(2), L, L, L, H, L, D),
      ROW(STEP(3), L, H, D, H, L, D),
      ROW(STEP(4), L, H, D, L, L, L),
      ROW(STEP(5), L, H, D, L, H, D),
      ROW(STEP(6), L, L, L, L, H, D),
      ROW(STEP(7), H, L, D, L, H, D));

/* Three legs of two switches. Lines: a-high, a-low, b-high, b-low, c-high, c-low. From sector to
 * sector the current goes A to B, A to C, B to C, B to A, C to A, C to B. */
TABLE(three_phase_bridge, 6, 0, phase_legs, 3,
      ROW(COAST, L, L, L, L, L, L),
      ROW(BRAKE, L, H, L, H, L, H),
      ROW(STEP(0), D, C, L, H, L, L),
      ROW(STEP(1), D, C, L, L, L, H),
      ROW(STEP(2), L, L, D, C, L, H),
      ROW(STEP(3), L, H, D, C, L, L),
      ROW(STEP(4), L, H, L, L, D, C),
      ROW(STEP(5), L, L, L, H, D, C),
      ROW(STEP(6), D, C, D, C, D, C));

/* The same lines; the low sides switch plainly. */
TABLE(three_phase_bridge_high, 6, 0, phase_legs, 3,
      ROW(COAST, L, L, L, L, L, L),
      ROW(BRAKE, L, H, L, H, L, H),
      ROW(STEP(0), D, L, L, H, L, L),
      ROW(STEP(1), D, L, L, L, L, H),
      ROW(STEP(2), L, L, D, L, L, H),
      ROW(STEP(3), L, H, D, L, L, L),
      ROW(STEP(4), L, H, L, L, D, L),
      ROW(STEP(5), L, L, L, H, D, L));

/* The same lines; PWM on the low sides, the high sides stay on through their sectors. */
TABLE(three_phase_bridge_low, 6, 0, phase_legs, 3,
      ROW(COAST, L, L, L, L, L, L),
      ROW(BRAKE, L, H, L, H, L, H),
      ROW(STEP(0), H, L, L, D, L, L),
      ROW(STEP(1), H, L, L, L, L, D),
      ROW(STEP(2), L, L, H, L, L, D),
      ROW(STEP(3), L, D, H, L, L, L),
      ROW(STEP(4), L, D, L, L, H, L),
      ROW(STEP(5), L, L, L, D, H, L));

/* The same lines; PWM on both sides: fast decay. */
TABLE(three_phase_bridge_fast, 6, 0, phase_legs, 3,
      ROW(COAST, L, L, L, L, L, L),
      ROW(BRAKE, L, H, L, H, L, H),
      ROW(STEP(0), D, L, L, D, L, L),
      ROW(STEP(1), D, L, L, L, L, D),
      ROW(STEP(2), L, L, D, L, L, D),
      ROW(STEP(3), L, D, D, L, L, L),
      ROW(STEP(4), L, D, L, L, D, L),
      ROW(STEP(5), L, L, L, D, D, L));

/* Three half-bridge channels, each with an enable: off, it lets its phase float. Lines: a,
 * a-enable, b, b-enable, c, c-enable. */
TABLE(three_half_bridges, 6, 0, NULL, 0,
      ROW(COAST, L, L, L, L, L, L),
      ROW(BRAKE, L, H, L, H, L, H),
      ROW(STEP(0), D, H, L, H, L, L),
      ROW(STEP(1), D, H, L, L, L, H),
      ROW(STEP(2), L, L, D, H, L, H),
      ROW(STEP(3), L, H, D, H, L, L),
      ROW(STEP(4), L, H, L, L, D, H),
      ROW(STEP(5), L, L, L, H, D, H),
      ROW(STEP(6), D, H, D, H, D, H));

/* clang-format on */
