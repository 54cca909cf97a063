/* What can end a plan from outside: a request, a record that can not be kept, a reset, a lost link.
 */
#include "session.h"
#include <math.h>

static bool records_failed(const wpin_session *run) {
    return (run->options.csv != NULL && wpin_csv_error(run->options.csv) != 0) ||
           (run->vcd != NULL && wpin_vcd_error(run->vcd) != 0);
}

/* Whether nothing comes of what was asked for, such as of turning over a shaft that nothing brings
 * to rest: simulated it would go on for ever. On a bench somebody sees it. */
static bool is_stuck(const wpin_session *run) {
    return wpin_session_knows(run) &&
           wpin_session_time(run) - run->news > run->plan->seconds + WPIN_PATIENCE;
}

/* Ends the plan before its time when asked to, or when the record can not be kept. */
static void watch_outside(wpin_session *run) {
    bool asked = run->options.interrupted != NULL && *run->options.interrupted != 0;
    bool over = run->plan->rehearsed > 0 && wpin_session_time(run) >= run->plan->rehearsed;
    bool stuck = is_stuck(run);
    if (!run->sequence.running ||
        !(asked || over || stuck || records_failed(run) || run->out_of_memory)) {
        return;
    }
    run->report->gave_up = stuck && !asked;
    run->report->interrupted = asked;
    run->report->rehearsed = over && !asked;
    wpin_session_cut_steps(run);
    wpin_sequence_stop(&run->sequence);
}

/* A controller that lost its supply forgets the plan: its pins float, and nothing goes on. */
static void watch_reset(wpin_session *run) {
    if (run->sequence.running && wpin_session_resets(run) > 0) {
        wpin_session_cut_steps(run);
        wpin_sequence_stop(&run->sequence);
        run->sequence.result = WPIN_FAULT_RESET;
    }
}

static bool some_busy(const wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        if (wpin_motor_busy(&run->motors[i])) {
            return true;
        }
    }
    return false;
}

/* Nobody commands any more: each motion goes on until its time-out, then ramps to rest. */
static void tick_alone(wpin_session *run) {
    double now = wpin_session_time(run);
    if (!run->alone) {
        run->alone = true;
        run->alone_since = now;
        wpin_session_cut_steps(run);
    }
    wpin_motors_tick(run->motor_list, (uint16_t)run->rig->load_count);
    if (run->sequence.running && !some_busy(run)) {
        run->sequence.running = false;
        run->sequence.result = WPIN_FAULT_LINK;
        double took = now - run->alone_since;
        if (took > 0) {
            wpin_session_note(run, "link", "lost; every load at rest by itself %.3g s later", took);
        } else {
            wpin_session_note(run, "link", "lost; nothing was moving");
        }
    }
}

/* Without a plan: whatever is asked for from outside, until that ends it; then all comes to rest.
 */
static void tick_by_hand(wpin_session *run) {
    bool asked = run->options.interrupted != NULL && *run->options.interrupted != 0;
    (void)wpin_session_stopped(run);
    if (!run->ending && (asked || records_failed(run) || run->out_of_memory)) {
        run->ending = true;
        run->report->interrupted = asked;
        wpin_session_drop_actions(run, asked ? " by you" : NULL);
        for (size_t i = 0; i < run->rig->load_count; i++) {
            (void)wpin_motor_stop(&run->motors[i], 0); /* one in a fault is at rest */
        }
    }
    wpin_session_refresh_actions(run);
    wpin_motors_tick(run->motor_list, (uint16_t)run->rig->load_count);
    wpin_session_serve_actions(run);
    run->over = run->ending && !some_busy(run);
    if (wpin_session_resets(run) > 0) {
        run->sequence.result = WPIN_FAULT_RESET;
        run->over = true;
    }
}

/* Whatever is wrong with the hardware is wrong for all of them. */
static void watch_hardware(wpin_session *run) {
    bool broken = run->bench.broken != NULL && run->bench.broken(run->bench.context);
    for (size_t i = 0; broken && i < run->rig->load_count; i++) {
        wpin_motor_trip(&run->motors[i], WPIN_FAULT_PORT);
    }
}

void wpin_session_command(wpin_session *run) {
    watch_hardware(run);
    wpin_session_update_inputs(run);
    if (run->by_hand) {
        tick_by_hand(run);
        wpin_session_note_faults(run);
        return;
    }
    if (wpin_session_link_lost(run)) {
        tick_alone(run);
    } else {
        wpin_sequence_tick(&run->sequence);
    }
    wpin_session_note_faults(run);
    watch_outside(run);
    watch_reset(run);
}
