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

/* A table from its states, its cells row by row, and its mode lines. */
#define TABLE(name, lines, modes, leg_list, legs_given, states_given, ...)                         \
    static const uint8_t name##_cells[] = {__VA_ARGS__};                                           \
    const wpin_stage_table wpin_table_##name = {.line_count = (lines),                             \
                                                .row_count = sizeof name##_cells / (lines),        \
                                                .states = (states_given),                          \
                                                .cells = name##_cells,                             \
                                                .mode_lines = (modes),                             \
                                                .legs = (leg_list),                                \
                                                .leg_count = (legs_given)}

/* Which states the rows of a table stand for. */
static const uint8_t one_way[] = {WPIN_STATE_FREE, WPIN_STATE_FORWARD};
static const uint8_t both_ways[] = {WPIN_STATE_FREE, WPIN_STATE_BRAKE, WPIN_STATE_FORWARD,
                                    WPIN_STATE_REVERSE};
static const uint8_t no_brake[] = {WPIN_STATE_FREE, WPIN_STATE_FORWARD, WPIN_STATE_REVERSE};
static const uint8_t no_coast[] = {WPIN_STATE_BRAKE, WPIN_STATE_FORWARD, WPIN_STATE_REVERSE};

static const wpin_leg bridge_legs[] = {{0, 1}, {2, 3}};
static const wpin_leg paired_leg[] = {{0, 1}};

/* clang-format off */

/* gate; PWM */
TABLE(switch, 1, 0, NULL, 0, one_way,
      /* free    */ L,
      /* forward */ D);

/* coil; on or off */
TABLE(relay, 1, 0, NULL, 0, one_way,
      /* free    */ L,
      /* forward */ H);

/* Two changeover relays: each terminal lies on ground or on the supply. Lines: a, b. */
TABLE(two_relays, 2, 0, NULL, 0, no_coast,
      /* brake   */ L, L,
      /* forward */ H, L,
      /* reverse */ L, H);

/* Lines: direction (mode), pwm. While PWM is low the chip lets the motor coast. */
TABLE(direction_pwm, 2, 0x1, NULL, 0, no_brake,
      /* free    */ K, L,
      /* forward */ H, D,
      /* reverse */ L, D);

/* The same lines; while PWM is low the chip shorts the motor. */
TABLE(direction_pwm_shorting, 2, 0x1, NULL, 0, no_coast,
      /* brake   */ K, L,
      /* forward */ H, D,
      /* reverse */ L, D);

/* Lines: direction (mode), brake (mode), pwm. */
TABLE(direction_pwm_brake, 3, 0x3, NULL, 0, both_ways,
      /* free    */ K, L, L,
      /* brake   */ K, H, L,
      /* forward */ H, L, D,
      /* reverse */ L, L, D);

/* Lines: in1 (mode), in2 (mode), enable. */
TABLE(two_inputs_enable, 3, 0x3, NULL, 0, both_ways,
      /* free    */ L, L, L,
      /* brake   */ H, H, H,
      /* forward */ H, L, D,
      /* reverse */ L, H, D);

/* Lines: standby (mode), in1 (mode), in2 (mode), enable. Standby is low while free. */
TABLE(two_inputs_enable_standby, 4, 0x7, NULL, 0, both_ways,
      /* free    */ L, L, L, L,
      /* brake   */ H, H, H, H,
      /* forward */ H, H, L, D,
      /* reverse */ H, L, H, D);

/* PWM against free: fast decay. Lines: in1, in2. */
TABLE(two_inputs, 2, 0, NULL, 0, both_ways,
      /* free    */ L, L,
      /* brake   */ H, H,
      /* forward */ D, L,
      /* reverse */ L, D);

/* PWM against brake: slow decay. Lines: in1, in2. */
TABLE(two_inputs_slow, 2, 0, NULL, 0, both_ways,
      /* free    */ L, L,
      /* brake   */ H, H,
      /* forward */ H, C,
      /* reverse */ C, H);

/* One input whose inverted partner is inside the chip. Lines: standby (mode), input (mode), pwm.
 * Only standby lets the motor coast; PWM low shorts it. */
TABLE(hidden_partner, 3, 0x3, NULL, 0, both_ways,
      /* free    */ L, K, L,
      /* brake   */ H, K, L,
      /* forward */ H, H, D,
      /* reverse */ H, L, D);

/* On or off only. Lines: in1, in2. */
TABLE(two_switched_inputs, 2, 0, NULL, 0, both_ways,
      /* free    */ L, L,
      /* brake   */ H, H,
      /* forward */ H, L,
      /* reverse */ L, H);

/* Two half-bridge channels with a common enable. Lines: enable (mode), a, b. */
TABLE(half_bridges, 3, 0x1, NULL, 0, both_ways,
      /* free    */ L, L, L,
      /* brake   */ H, L, L,
      /* forward */ H, D, L,
      /* reverse */ H, L, D);

/* A bare bridge. Lines: a-high, a-low, b-high, b-low. The driven leg's low side follows its high
 * side as the complement with dead time. */
TABLE(four_switches, 4, 0, bridge_legs, 2, both_ways,
      /* free    */ L, L, L, L,
      /* brake   */ L, H, L, H,
      /* forward */ D, C, L, H,
      /* reverse */ L, H, D, C);

/* A servo-style pulse: neutral when free, wider forward, narrower in reverse. */
TABLE(servo_pulse, 1, 0, NULL, 0, no_brake,
      /* free    */ P,
      /* forward */ P,
      /* reverse */ P);

/* Two outputs of which one at the most is on, with a free state. Lines: a, b. */
TABLE(paired_outputs, 2, 0, paired_leg, 1, no_brake,
      /* free    */ L, L,
      /* forward */ H, L,
      /* reverse */ L, H);

/* Two bridge channels with a coil each, eight half steps. Lines: a1, a2, b1, b2. */
#define S(n) (WPIN_STATE_SECTOR + (n))
static const uint8_t half_steps[] = {WPIN_STATE_FREE, S(0), S(1), S(2), S(3),
                                     S(4), S(5), S(6), S(7)};
TABLE(stepper, 4, 0, bridge_legs, 2, half_steps,
      /* free */ L, L, L, L,
      /* 0    */ H, L, L, L,
      /* 1    */ H, L, H, L,
      /* 2    */ L, L, H, L,
      /* 3    */ L, H, H, L,
      /* 4    */ L, H, L, L,
      /* 5    */ L, H, L, H,
      /* 6    */ L, L, L, H,
      /* 7    */ H, L, L, H);

/* clang-format on */
