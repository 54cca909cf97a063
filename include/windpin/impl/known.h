/** @file known.h
 * Not for direct use: what a core for one motor (constants.h) knows of its stage when it is
 * compiled. Nothing of it is code: the compiler folds it, leaves out what no row of the table and
 * no line has, and checks then what is checked at run time otherwise. For tables of up to four rows
 * without legs, on up to four lines; of others it knows nothing, as a core for any motor.
 */
#ifndef WINDPIN_IMPL_KNOWN_H
#define WINDPIN_IMPL_KNOWN_H

#include "constants.h"

#ifdef __cplusplus
extern "C" {
#endif

#ifdef WPIN_ONE_MOTOR
#define WPIN_ROW_HAS(n, what) ((n) < table->row_count ? table->rows[n].what : 0)
#define WPIN_ROWS_HAVE(what)                                                                       \
    (uint8_t)(WPIN_ROW_HAS(0, what) | WPIN_ROW_HAS(1, what) | WPIN_ROW_HAS(2, what) |              \
              WPIN_ROW_HAS(3, what))
#define WPIN_ROW_IS(n, which) ((n) < table->row_count && table->rows[n].drive == (which))
#define WPIN_ROW_STANDS(n)    ((n) >= table->row_count || table->rows[n].drive == (n))
#define WPIN_LINE_IS(n, what) ((n) < config->table->line_count && config->lines[n].what)
#define WPIN_LINES_MEET(n, m)                                                                      \
    ((n) < config->table->line_count && config->lines[n].pin == config->lines[m].pin)
#endif

/* Whether all rows and lines are known. */
WPIN_STEADY bool wpin_table_is_known(const WPIN_FAR wpin_stage_table *table) {
#ifdef WPIN_ONE_MOTOR
    /* in this order: the other way round a compiler for 8 bits takes 190 bytes more */
    return table->row_count <= 4 && table->line_count <= 4 && table->leg_count == 0 &&
           wpin_is_on_stage();
#else
    (void)table;
    return false;
#endif
}

/* What the lines of a table may carry: what none of its rows has need not be looked at. */
WPIN_STEADY wpin_row wpin_rows_may(const WPIN_FAR wpin_stage_table *table) {
    wpin_row may = {WPIN_NO_ROW, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF};
#ifdef WPIN_ONE_MOTOR
    if (wpin_table_is_known(table)) {
        may.high = WPIN_ROWS_HAVE(high);
        may.timed = WPIN_ROWS_HAVE(timed);
        may.complement = WPIN_ROWS_HAVE(complement);
        may.pulse = WPIN_ROWS_HAVE(pulse);
        may.keep = WPIN_ROWS_HAVE(keep);
        may.floats = WPIN_ROWS_HAVE(floats);
    }
#else
    (void)table;
#endif
    return may;
}

/* Whether a timed line is always the same one, and plain: then the flags of the stage say it all.
 */
WPIN_STEADY bool wpin_rows_are_plain(const WPIN_FAR wpin_stage_table *table) {
    wpin_row may = wpin_rows_may(table);
    return wpin_table_is_known(table) && (may.timed & (may.timed - 1U)) == 0 && may.pulse == 0;
}

/* The timed line: `noted` by the stage, or known. */
WPIN_STEADY uint8_t wpin_plain_line(const WPIN_FAR wpin_stage_table *table, uint8_t noted) {
    uint8_t timed = wpin_rows_may(table).timed;
    return !wpin_rows_are_plain(table) ? noted : (uint8_t)((timed > 1) + (timed > 2) + (timed > 4));
}

/* The row of a drive: where all stand in the order of the drives it need not be looked for. */
WPIN_STEADY uint8_t wpin_row_of(const WPIN_FAR wpin_stage_table *table, wpin_drive drive) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_table_is_known(table) && WPIN_ROW_STANDS(0) && WPIN_ROW_STANDS(1) &&
        WPIN_ROW_STANDS(2) && WPIN_ROW_STANDS(3)) {
        return (uint8_t)drive < table->row_count ? (uint8_t)drive : WPIN_NO_ROW;
    }
#endif
    return wpin_table_row(table, drive);
}

/* Whether some line is shared with another stage, or inverted. */
WPIN_STEADY bool wpin_lines_may_share(const WPIN_FAR wpin_stage_config *config) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_table_is_known(config->table)) {
        return WPIN_LINE_IS(0, shared != NULL) || WPIN_LINE_IS(1, shared != NULL) ||
               WPIN_LINE_IS(2, shared != NULL) || WPIN_LINE_IS(3, shared != NULL);
    }
#endif
    (void)config;
    return true;
}

WPIN_STEADY bool wpin_lines_may_invert(const WPIN_FAR wpin_stage_config *config) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_table_is_known(config->table)) {
        return WPIN_LINE_IS(0, inverted) || WPIN_LINE_IS(1, inverted) ||
               WPIN_LINE_IS(2, inverted) || WPIN_LINE_IS(3, inverted);
    }
#endif
    (void)config;
    return true;
}

/* Whether each line has a pin of its own. */
WPIN_STEADY bool wpin_lines_are_apart(const WPIN_FAR wpin_stage_config *config) {
#ifdef WPIN_ONE_MOTOR
    return !WPIN_LINES_MEET(1, 0) && !WPIN_LINES_MEET(2, 0) && !WPIN_LINES_MEET(2, 1) &&
           !WPIN_LINES_MEET(3, 0) && !WPIN_LINES_MEET(3, 1) && !WPIN_LINES_MEET(3, 2);
#else
    (void)config;
    return false;
#endif
}

/* Whether its table ships with the library, whose tests check it. */
WPIN_STEADY bool wpin_table_is_ours(const WPIN_FAR wpin_stage_table *table) {
    return table == &wpin_table_switch || table == &wpin_table_relay ||
           table == &wpin_table_two_relays || table == &wpin_table_direction_pwm ||
           table == &wpin_table_direction_pwm_shorting ||
           table == &wpin_table_direction_pwm_brake || table == &wpin_table_two_inputs_enable ||
           table == &wpin_table_two_inputs_enable_standby || table == &wpin_table_two_inputs ||
           table == &wpin_table_two_inputs_slow || table == &wpin_table_direction_pwm_standby ||
           table == &wpin_table_two_inputs_on_off || table == &wpin_table_half_bridges;
}

/* Whether it is known to pass wpin_stage_check, which is then left out. */
WPIN_STEADY bool wpin_stage_is_sound(const WPIN_FAR wpin_stage_config *config) {
#ifdef WPIN_ONE_MOTOR
    return wpin_table_is_known(config->table) && wpin_table_is_ours(config->table) &&
           wpin_lines_are_apart(config) && !wpin_lines_may_share(config) &&
           config->dead_time_us <= WPIN_DEAD_TIME_MAX_US && config->charge == NULL &&
           config->pwm_hz <= 1000000U &&
           (config->pwm_hz != 0 || wpin_rows_may(config->table).timed == 0);
#else
    (void)config;
    return false;
#endif
}

/* What a motor can do: bits of its actuator's traits. */
WPIN_STEADY uint8_t wpin_known_traits(const WPIN_FAR wpin_stage_config *config) {
    const WPIN_FAR wpin_stage_table *table = config->table;
    uint8_t traits = 0;
#ifdef WPIN_ONE_MOTOR
#define WPIN_TABLE_HAS(drive)                                                                      \
    (WPIN_ROW_IS(0, drive) || WPIN_ROW_IS(1, drive) || WPIN_ROW_IS(2, drive) ||                    \
     WPIN_ROW_IS(3, drive))
#define WPIN_FORWARD_HAS(n, what) (WPIN_ROW_IS(n, WPIN_DRIVE_FORWARD) ? WPIN_ROW_HAS(n, what) : 0)
#define WPIN_FORWARD_ROW_HAS(what)                                                                 \
    (WPIN_FORWARD_HAS(0, what) | WPIN_FORWARD_HAS(1, what) | WPIN_FORWARD_HAS(2, what) |           \
     WPIN_FORWARD_HAS(3, what))
    bool forward = WPIN_TABLE_HAS(WPIN_DRIVE_FORWARD), reverse = WPIN_TABLE_HAS(WPIN_DRIVE_REVERSE);
    traits = (uint8_t)((WPIN_TABLE_HAS(WPIN_DRIVE_COAST) ? WPIN_CAN_COAST : 0) |
                       (WPIN_TABLE_HAS(WPIN_DRIVE_BRAKE) ? WPIN_CAN_BRAKE : 0) |
                       ((config->reversed ? reverse : forward) ? WPIN_CAN_FORWARD : 0) |
                       ((config->reversed ? forward : reverse) ? WPIN_CAN_REVERSE : 0) |
                       (WPIN_FORWARD_ROW_HAS(timed) == 0 ? WPIN_IS_ON_OFF : 0) |
                       (WPIN_FORWARD_ROW_HAS(pulse) != 0 ? WPIN_IS_PULSE : 0));
#undef WPIN_FORWARD_ROW_HAS
#undef WPIN_FORWARD_HAS
#undef WPIN_TABLE_HAS
#else
    (void)table;
#endif
    return traits;
}

WPIN_STEADY uint8_t wpin_traits_of(const wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    const WPIN_FAR wpin_stage_config *stage =
        (const WPIN_FAR wpin_stage_config *)WPIN_ONE_MOTOR.part_config;
    if (wpin_is_on_stage() && wpin_table_is_known(stage->table)) {
        return wpin_known_traits(stage);
    }
#endif
    return motor->traits;
}

#ifdef WPIN_ONE_MOTOR
#undef WPIN_LINES_MEET
#undef WPIN_LINE_IS
#undef WPIN_ROW_STANDS
#undef WPIN_ROW_IS
#undef WPIN_ROWS_HAVE
#undef WPIN_ROW_HAS
#endif

#ifdef __cplusplus
}
#endif
#endif
