/* The kinds of power stage the rig file knows: data. A new kind is a new entry. */
#include "windpin/host/rig.h"
#include <math.h>

#define TABLE(of) .table = &wpin_table_##of, .table_name = "wpin_table_" #of

/* No line of ours leads to a drive on a field bus. */
static const wpin_row told_rows[] = {{.drive = WPIN_DRIVE_COAST},
                                     {.drive = WPIN_DRIVE_BRAKE},
                                     {.drive = WPIN_DRIVE_FORWARD},
                                     {.drive = WPIN_DRIVE_REVERSE}};
static const wpin_stage_table told_table = {.rows = told_rows,
                                            .row_count = sizeof told_rows / sizeof *told_rows};

const wpin_stage_kind wpin_stage_kind_told = {
    .name = "field-bus",
    .words = "a drive that regulates by itself, commanded over a field bus (CiA 402)",
    .table = &told_table,
    .logic = WPIN_LOGIC_FIELD_BUS,
    .off_phase = WPIN_OFF_SHORT,
    .zero = "at rest it is switched off and the motor coasts, or it stands still under power"};

static const wpin_stage_kind kinds[] = {
    {.name = "low-side-switch",
     .words = "one transistor to ground",
     TABLE(switch),
     .lines = {"gate"},
     .logic = WPIN_LOGIC_LOW_SIDE,
     .zero = "zero duty and stop let the load coast; it can not brake or reverse"},
    {.name = "high-side-switch",
     .words = "one transistor to the supply, on while its gate is low",
     TABLE(switch),
     .lines = {"gate"},
     .logic = WPIN_LOGIC_HIGH_SIDE,
     .inverted = {true},
     .zero = "zero duty and stop let the load coast; it can not brake or reverse"},
    {.name = "low-side-on-off",
     .words = "one transistor to ground, on or off only: no PWM, no ramp",
     TABLE(relay),
     .lines = {"gate"},
     .logic = WPIN_LOGIC_LOW_SIDE,
     .zero = "off lets the load coast; it can not brake, reverse or take a duty"},
    {.name = "high-side-on-off",
     .words = "one transistor to the supply, on or off only, on while its gate is low",
     TABLE(relay),
     .lines = {"gate"},
     .logic = WPIN_LOGIC_HIGH_SIDE,
     .inverted = {true},
     .zero = "off lets the load coast; it can not brake, reverse or take a duty"},
    {.name = "direct-pin",
     .words = "a pin of the controller itself, with nothing between",
     TABLE(switch),
     .lines = {"output"},
     .logic = WPIN_LOGIC_LOW_SIDE,
     .direct = true,
     .zero = "zero duty and stop pull the load's pin to ground; it can not reverse"},
    {.name = "relay",
     .words = "one relay contact to the supply, on or off",
     TABLE(relay),
     .lines = {"coil"},
     .logic = WPIN_LOGIC_RELAY,
     .contacts = true,
     .zero = "off lets the load coast; it can not brake, reverse or take a duty"},
    {.name = "solid-state-relay",
     .words = "a solid-state relay to the supply, on or off",
     TABLE(relay),
     .lines = {"input"},
     .logic = WPIN_LOGIC_RELAY,
     .solid = true,
     .zero = "off lets the load coast; it can not brake, reverse or take a duty"},
    {.name = "two-relays",
     .words = "two changeover relays, one for each end of the motor",
     TABLE(two_relays),
     .lines = {"a", "b"},
     .logic = WPIN_LOGIC_TWO_RELAYS,
     .inputs = {0, 1},
     .contacts = true,
     .zero = "off is a brake: both contacts lie on ground and short the motor; it can not coast"},
    {.name = "direction-pwm",
     .words = "direction and PWM; PWM low lets the motor coast",
     TABLE(direction_pwm),
     .lines = {"direction", "pwm"},
     .logic = WPIN_LOGIC_DIRECTION_PWM,
     .inputs = {0, 1},
     .zero = "zero duty and stop let the motor coast; it can not brake"},
    {.name = "direction-pwm-shorting",
     .words = "direction and PWM; PWM low shorts the motor",
     TABLE(direction_pwm_shorting),
     .lines = {"direction", "pwm"},
     .logic = WPIN_LOGIC_DIRECTION_PWM,
     .inputs = {0, 1},
     .off_phase = WPIN_OFF_SHORT,
     .zero = "zero duty and stop are a brake: PWM low shorts the motor; it can not coast"},
    {.name = "direction-pwm-brake",
     .words = "direction, PWM and brake lines into a bridge chip",
     TABLE(direction_pwm_brake),
     .lines = {"direction", "brake", "pwm"},
     .logic = WPIN_LOGIC_DIRECTION_PWM_BRAKE,
     .inputs = {WPIN_DRIVER_INPUT_DIRECTION, WPIN_DRIVER_INPUT_BRAKE, WPIN_DRIVER_INPUT_PWM},
     .zero = "zero duty coasts; the brake line shorts the motor"},
    {.name = "two-inputs-enable",
     .words = "two direction inputs and an enable that takes the PWM",
     TABLE(two_inputs_enable),
     .lines = {"in1", "in2", "enable"},
     .logic = WPIN_LOGIC_TWO_INPUTS_ENABLE,
     .inputs = {0, 1, 2},
     .zero = "zero duty coasts; both inputs high shorts the motor"},
    {.name = "two-inputs-enable-standby",
     .words = "two direction inputs, an enable that takes the PWM, and standby",
     TABLE(two_inputs_enable_standby),
     .lines = {"standby", "in1", "in2", "enable"},
     .logic = WPIN_LOGIC_TWO_INPUTS_ENABLE_STANDBY,
     .inputs = {3, 0, 1, 2},
     .zero = "at rest standby is low and the chip is off; both inputs high shorts the motor"},
    {.name = "two-inputs",
     .words = "two inputs, PWM on one against free (fast decay)",
     TABLE(two_inputs),
     .lines = {"in1", "in2"},
     .logic = WPIN_LOGIC_TWO_INPUTS,
     .inputs = {0, 1},
     .off_phase = WPIN_OFF_FAST,
     .zero = "zero duty coasts; both inputs high shorts the motor"},
    {.name = "two-inputs-slow",
     .words = "two inputs, PWM on one against brake (slow decay)",
     TABLE(two_inputs_slow),
     .lines = {"in1", "in2"},
     .logic = WPIN_LOGIC_TWO_INPUTS,
     .off_phase = WPIN_OFF_SHORT,
     .inputs = {0, 1},
     .zero =
         "a duty near zero already shorts the motor; at rest both inputs are low and it coasts"},
    {.name = "direction-pwm-standby",
     .words = "one input whose inverted partner is inside the chip, PWM, and standby",
     TABLE(direction_pwm_standby),
     .lines = {"standby", "direction", "pwm"},
     .logic = WPIN_LOGIC_DIRECTION_PWM_STANDBY,
     .off_phase = WPIN_OFF_SHORT,
     .inputs = {2, 0, 1},
     .zero = "PWM low is a brake; only standby lets the motor coast"},
    {.name = "two-inputs-on-off",
     .words = "two inputs, on or off only",
     TABLE(two_inputs_on_off),
     .lines = {"in1", "in2"},
     .logic = WPIN_LOGIC_TWO_INPUTS,
     .inputs = {0, 1},
     .zero = "off coasts; both inputs high shorts the motor; it can not take a duty"},
    {.name = "half-bridges",
     .words = "two half-bridge channels with a common enable",
     TABLE(half_bridges),
     .lines = {"enable", "a", "b"},
     .logic = WPIN_LOGIC_HALF_BRIDGES,
     .off_phase = WPIN_OFF_SHORT,
     .inputs = {2, 0, 1},
     .zero = "at rest enable is low and the motor coasts; both channels low shorts it"},
    {.name = "full-bridge",
     .words = "a bare bridge of four switches",
     TABLE(full_bridge),
     .lines = {"a-high", "a-low", "b-high", "b-low"},
     .logic = WPIN_LOGIC_FULL_BRIDGE,
     .off_phase = WPIN_OFF_SHORT,
     .inputs = {0, 1, 2, 3},
     .bare = true,
     .zero = "at rest all switches are off and the motor coasts; both low sides short it"},
    {.name = "servo-pulse",
     .words = "a controller of its own that takes servo-style pulses",
     TABLE(servo_pulse),
     .lines = {"pulse"},
     .logic = WPIN_LOGIC_SERVO_PULSE,
     .off_phase = WPIN_OFF_SHORT,
     .zero = "zero duty is the neutral pulse; what the controller does then is its own affair"},
    {.name = "interlocked-outputs",
     .words = "two outputs of which one at the most is on, on or off only",
     TABLE(interlocked_outputs),
     .lines = {"a", "b"},
     .logic = WPIN_LOGIC_TWO_INPUTS,
     .inputs = {0, 1},
     .zero = "off leaves both outputs off; it can not brake or take a duty"},
    {.name = "dual-bridge",
     .words = "two bridge channels with a winding of a stepper each",
     TABLE(stepper),
     .lines = {"a1", "a2", "b1", "b2"},
     .logic = WPIN_LOGIC_DUAL_BRIDGE,
     .inputs = {0, 1, 2, 3},
     .coils = true,
     .zero = "at the end of a move the windings hold, or are let go if the rig says so"},
    {.name = "dual-bridge-enable",
     .words = "two bridge channels with a winding of a stepper each, PWM on their enables",
     TABLE(stepper_enable),
     .lines = {"a1", "a2", "a-enable", "b1", "b2", "b-enable"},
     .logic = WPIN_LOGIC_DUAL_BRIDGE_ENABLE,
     .inputs = {0, 1, 2, 3, 4, 5},
     .coils = true,
     .zero = "at the end of a move the windings hold, with less current or not at all if the rig "
             "says so"},
    {.name = "three-phase-bridge",
     .words =
         "three bare legs for a brushless motor, each low side the complement of its high side",
     TABLE(three_phase_bridge),
     .lines = {"a-high", "a-low", "b-high", "b-low", "c-high", "c-low"},
     .logic = WPIN_LOGIC_THREE_PHASE_BRIDGE,
     .off_phase = WPIN_OFF_SHORT,
     .inputs = {0, 1, 2, 3, 4, 5},
     .bare = true,
     .zero = "at rest all switches are off and the motor coasts; all low sides short it"},
    {.name = "three-phase-bridge-high",
     .words = "three bare legs for a brushless motor, PWM on the high sides only",
     TABLE(three_phase_bridge_high),
     .lines = {"a-high", "a-low", "b-high", "b-low", "c-high", "c-low"},
     .logic = WPIN_LOGIC_THREE_PHASE_BRIDGE,
     .off_phase = WPIN_OFF_SLOW,
     .inputs = {0, 1, 2, 3, 4, 5},
     .bare = true,
     .zero = "at rest all switches are off and the motor coasts; all low sides short it"},
    {.name = "three-phase-bridge-low",
     .words = "three bare legs for a brushless motor, PWM on the low sides only",
     TABLE(three_phase_bridge_low),
     .lines = {"a-high", "a-low", "b-high", "b-low", "c-high", "c-low"},
     .logic = WPIN_LOGIC_THREE_PHASE_BRIDGE,
     .off_phase = WPIN_OFF_SLOW,
     .inputs = {0, 1, 2, 3, 4, 5},
     .bare = true,
     .zero = "at rest all switches are off and the motor coasts; all low sides short it"},
    {.name = "three-phase-bridge-fast",
     .words = "three bare legs for a brushless motor, PWM on both sides (fast decay)",
     TABLE(three_phase_bridge_fast),
     .lines = {"a-high", "a-low", "b-high", "b-low", "c-high", "c-low"},
     .logic = WPIN_LOGIC_THREE_PHASE_BRIDGE,
     .off_phase = WPIN_OFF_FAST,
     .inputs = {0, 1, 2, 3, 4, 5},
     .bare = true,
     .zero = "at rest all switches are off and the motor coasts; all low sides short it"},
    {.name = "three-half-bridges",
     .words = "three half-bridge channels for a brushless motor, each with an enable",
     TABLE(three_half_bridges),
     .lines = {"a", "a-enable", "b", "b-enable", "c", "c-enable"},
     .logic = WPIN_LOGIC_THREE_HALF_BRIDGES,
     .off_phase = WPIN_OFF_SHORT,
     .inputs = {0, 1, 2, 3, 4, 5},
     .zero = "at rest all enables are low and the motor coasts; all channels low short it"},
};

const wpin_stage_kind *wpin_stage_kinds(size_t *count) {
    *count = sizeof kinds / sizeof *kinds;
    return kinds;
}

bool wpin_stage_kind_has(const wpin_stage_kind *kind, wpin_drive state) {
    bool driven = state == WPIN_DRIVE_FORWARD || state == WPIN_DRIVE_REVERSE;
    bool by_sectors = driven && wpin_stage_kind_is_three_phase(kind);
    return wpin_table_row(kind->table, by_sectors ? WPIN_DRIVE_SECTOR : state) != WPIN_NO_ROW;
}

wpin_status wpin_stage_kind_check(const wpin_stage_kind *kind, double dead_time, double pwm_hz,
                                  int shared) {
    wpin_line lines[WPIN_STAGE_LINES];
    wpin_shared_line held = {0};
    for (int i = 0; i < WPIN_STAGE_LINES; i++) {
        lines[i] = (wpin_line){.pin = (wpin_pin)i, .shared = i == shared ? &held : NULL};
    }
    wpin_stage_config config = {.table = kind->table,
                                .lines = lines,
                                .pwm_hz = wpin_stage_kind_has_pwm(kind) ? (uint32_t)pwm_hz : 0,
                                .dead_time_us = (uint16_t)ceil(dead_time * 1e6 - 1e-6),
                                .pulse_neutral = WPIN_PULSE_SHARE(1500, 50),
                                .pulse_swing = WPIN_PULSE_SHARE(500, 50)};
    return wpin_stage_check(&config);
}

bool wpin_stage_kind_shares(const wpin_stage_kind *kind, unsigned line) {
    return wpin_stage_kind_check(kind, 2e-6, 50, (int)line) == WPIN_OK;
}

bool wpin_stage_kind_times_line(const wpin_stage_kind *kind, unsigned line) {
    for (unsigned row = 0; row < kind->table->row_count; row++) {
        wpin_cell cell = wpin_table_cell(kind->table, (uint8_t)row, (uint8_t)line);
        if (cell == WPIN_CELL_DUTY || cell == WPIN_CELL_COMPLEMENT || cell == WPIN_CELL_PULSE) {
            return true;
        }
    }
    return false;
}

bool wpin_stage_kind_takes_duty(const wpin_stage_kind *kind) {
    bool told = wpin_logic_of(kind->logic)->frames; /* a speed, by a ramp of ours */
    return told || (wpin_stage_kind_has_pwm(kind) && !kind->coils);
}

bool wpin_stage_kind_has_pwm(const wpin_stage_kind *kind) {
    for (unsigned line = 0; line < kind->table->line_count; line++) {
        if (wpin_stage_kind_times_line(kind, line)) {
            return true;
        }
    }
    return false;
}
