/* The judge: what the pins showed, in true time, and what the calls returned. */
#include "world.h"

bool is_on(int line) {
    bool low = w.complement[line];
    return w.level[line] == 1 ||
           (w.level[line] == -1 && (low ? w.duty[line] < 16384 : w.duty[line] > 0));
}

/* Whether the pins show a row, PWM with whatever duty; a row that keeps a line takes it as it is.
 */
static bool shows(const wpin_row *row) {
    for (unsigned l = 0; l < w.kind->table->line_count; l++) {
        unsigned bit = 1U << l;
        bool timed = (row->timed & bit) != 0, high = (row->high & bit) != 0;
        int level = w.level[l];
        if ((row->keep & bit) == 0 && !(timed ? level == -1 : level == (high ? 1 : 0))) {
            return false;
        }
    }
    return true;
}

/* A brushless motor's: by the sector its rotor is in. */
static int direction_by_sector(void) {
    const wpin_stage_table *t = w.kind->table;
    for (unsigned r = 0; r < t->row_count; r++) {
        if (t->rows[r].drive >= WPIN_DRIVE_SECTOR && shows(&t->rows[r])) {
            if (t->rows[r].drive == WPIN_DRIVE_VECTOR) { /* which way, its currents say */
                return 2;
            }
            unsigned ahead = (t->rows[r].drive - WPIN_DRIVE_SECTOR + 6U - w.sector) % 6;
            if (w.lied > 0 || w.now - w.failed_at < 2 * TICK_US) { /* it went by a sensor that lied,
                             or a write failed and the next tick is yet to see it: some way */
                return 2;
            }
            JUDGE(ahead % 3 == 0, "a row %u sectors from the rotor's", ahead);
            return ahead == 0 ? 1 : -1;
        }
    }
    return 0;
}

int direction_shown(void) {
    const wpin_stage_table *t = w.kind->table;
    if (t->rows[0].pulse != 0) { /* by its width; neutral is 1229 of 16384 */
        return w.level[0] != -1 ? 0 : (w.duty[0] > 1231) - (w.duty[0] < 1227);
    }
    if (wpin_stage_kind_is_three_phase(w.kind)) {
        return direction_by_sector();
    }
    for (unsigned r = 0; r < t->row_count; r++) {
        bool ways =
            t->rows[r].drive == WPIN_DRIVE_FORWARD || t->rows[r].drive == WPIN_DRIVE_REVERSE;
        if (ways && shows(&t->rows[r])) {
            return t->rows[r].drive == WPIN_DRIVE_FORWARD ? 1 : -1;
        }
    }
    return 0;
}

void judge_pins(unsigned line, bool was) {
    const wpin_stage_table *t = w.kind->table;
    bool on = is_on((int)line);
    if (was && !on) {
        w.off_at[line] = w.now;
    }
    for (unsigned i = 0; i < t->leg_count; i++) {
        unsigned a = t->legs[i].high_side, b = t->legs[i].low_side;
        bool pwm = w.level[a] == -1 && w.level[b] == -1;
        JUDGE(pwm || !(is_on((int)a) && is_on((int)b)), "both sides of leg %u are on", i);
        unsigned other = line == a ? b : line == b ? a : line;
        if (other != line && on && !was && !pwm) {
            JUDGE(w.now - w.off_at[other] >= DEAD_US, "no dead time on leg %u", i);
        }
    }
}

void judge_drive(void) {
    int direction = direction_shown();
    if (direction != 0) {
        /* a line that could not be written is written again by the next tick */
        JUDGE(w.may_drive || w.now - w.failed_at < 25 * TICK_US, "driven though not armed");
        if (direction == 2) {
            w.drives++;
            return;
        }
        if (w.direction != 0 && direction != w.direction) {
            JUDGE(w.now - w.driven_at >= PAUSE_US / 2, "turned over after %llu us",
                  (unsigned long long)(w.now - w.driven_at));
            w.reversals++;
        }
        w.direction = direction;
        w.driven_at = w.now;
        w.drives++;
    }
}

void judge_tick(void) {
    bool pulse = w.kind->table->rows[0].pulse != 0, on = direction_shown() != 0;
    bool takes = wpin_stage_kind_takes_duty(w.kind);
    uint32_t shown = on && takes && !pulse && !w.oriented ? w.shown : 0;
    uint32_t most = ++w.shown_for * (16384U * LATE_US / 40000 + 3);
    judge_drive();
    for (int l = 0; w.kind->coils && l < w.kind->table->line_count; l++) {
        w.drives += is_on(l);
    }
    JUDGE(shown <= w.shown_before + most, "effort jumped from %u to %u", w.shown_before, shown);
    if (w.honest && w.stop_at != 0 && w.now - w.stop_at > 10000) {
        JUDGE(shown <= w.shown_before, "still growing after a stop");
    }
    if (w.honest && w.end_at != 0 && w.now > w.end_at) {
        JUDGE(!on, "a motion did not end by itself");
    }
    if (!takes && !w.kind->coils && on != w.was_on) {
        JUDGE(!on || w.now - w.changed_at >= MINIMUM_US / 2, "on again after %llu us",
              (unsigned long long)(w.now - w.changed_at));
        w.changed_at = w.now;
    }
    w.was_on = on;
    if (shown != 0 || w.lied == 0) { /* after a code that was no sector it goes on where it was */
        w.shown_before = shown;
        w.shown_for = 0;
    }
}
