/* Carries a session on: what is due now is done, then time passes until something is due again. */
#include "session.h"
#include <math.h>
#include <stdio.h>

#define PS 1e-12

/* What a fast timer does on a controller: steps, and PWM in software. */
static void tick_fast(wpin_session *run) {
    const bool comes = !wpin_session_interrupts_off(run);
    if (comes && run->soft_used) {
        wpin_soft_pwm_tick(&run->soft);
    }
    for (size_t i = 0; comes && i < run->rig->load_count; i++) {
        if (wpin_session_is_stepper(run, i)) {
            wpin_stepper_tick(&run->bound[i].stepper_at_work);
        }
    }
    run->next_fast += llround(run->rig->controller.soft_tick / PS);
}

static void note_driven(const wpin_session *run) {
    for (size_t i = 0; run->options.driven_until != NULL && i < run->rig->load_count; i++) {
        if (wpin_motor_duty(&run->motors[i]) != 0) {
            run->options.driven_until[i] = wpin_session_time(run);
        }
    }
}

/* What the load is doing that does the most. */
static wpin_state busiest(const wpin_session *run) {
    static const uint8_t ranks[] = {
        [WPIN_STATE_OFF] = 0,      [WPIN_STATE_FAULT] = 0,   [WPIN_STATE_READY] = 1,
        [WPIN_STATE_COASTING] = 2, [WPIN_STATE_BRAKING] = 3, [WPIN_STATE_RESTING] = 4,
        [WPIN_STATE_RUNNING] = 5,  [WPIN_STATE_RAMPING] = 6};
    wpin_state most = WPIN_STATE_OFF;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_state state = wpin_motor_state(&run->motors[i]);
        most = ranks[state] > ranks[most] ? state : most;
    }
    return most;
}

/* The next control period; those that were missed altogether are not made up for: the core takes a
 * late tick for what it is. */
static void plan_next_tick(wpin_session *run) {
    int64_t period = wpin_session_tick_ps(run), now = wpin_session_clock(run);
    run->next_tick += period;
    if (now - run->next_tick > period) {
        run->next_tick += (now - run->next_tick) / period * period;
    }
}

static void tick(wpin_session *run) {
    const wpin_session_options *o = &run->options;
    wpin_session_command(run);
    note_driven(run);
    run->was_running = run->by_hand ? !run->over : run->sequence.running;
    if (!run->was_running) {
        wpin_session_cut_steps(run); /* a fault or a refused step: no waiting for the stop */
    }
    plan_next_tick(run);
    if (o->progress != NULL && ++run->ticks % 256 == 0) {
        o->progress(o->context, wpin_session_time(run), run->plan->seconds);
    }
}

static bool goes_on(wpin_session *run) {
    bool over = !run->was_running && (run->by_hand || !wpin_sequence_busy(&run->sequence));
    return wpin_session_stopping(run, over) || !over;
}

static int64_t first_of(int64_t a, int64_t b) {
    return a < b ? a : b;
}

/* Time passes until something is due; then each load is looked at. Fast ticks on the way are no
 * reason to look: they touch nothing but pins. */
static void let_pass(wpin_session *run, int64_t until) {
    const wpin_bench *b = &run->bench;
    while (run->next_fast < until) {
        (b->pass != NULL ? b->pass : b->wait)(b->context, run->next_fast);
        tick_fast(run);
    }
    b->wait(b->context, until);
    wpin_session_read_loads(run);
    wpin_session_tally_steps(run);
    wpin_session_watch_periods(run);
    run->onlooker->looks(run);
}

static bool step_until(wpin_session *run, int64_t end) {
    int64_t now = wpin_session_clock(run);
    if (!goes_on(run)) {
        return false;
    }
    if (now >= run->next_fast) {
        tick_fast(run);
    }
    if (now >= run->next_late) {
        run->report->late_state = busiest(run);
        wpin_session_inject(run, run->options.late, true);
        run->next_late = INT64_MAX;
    }
    if (now >= run->next_tick) {
        tick(run);
    }
    if (now >= run->next_row) {
        double seconds = run->options.sample_seconds;
        wpin_session_write_row(run);
        run->next_row += llround((seconds > 0 ? seconds : 1e-3) / PS);
    }
    let_pass(run, first_of(end, first_of(run->next_late, first_of(run->next_tick, run->next_row))));
    return true;
}

bool wpin_session_step(wpin_session *run) {
    return step_until(run, INT64_MAX);
}

bool wpin_session_until(wpin_session *run, double seconds) {
    int64_t end = run->start + llround(seconds / PS);
    bool more = !run->bench.own_clock || step_until(run, end);
    while (more && wpin_session_clock(run) < end) {
        more = step_until(run, end);
    }
    return more;
}

wpin_motor *wpin_session_motor(wpin_session *run, size_t load) {
    return load < run->rig->load_count ? &run->motors[load] : NULL;
}

/* ---- close ---- */

wpin_report *wpin_session_close(wpin_session *run, char *why, size_t why_size) {
    if (run == NULL) {
        return NULL;
    }
    if (run->options.csv != NULL) {
        wpin_session_write_row(run);
    }
    wpin_session_cut_steps(run);
    wpin_session_close_motors(run);
    wpin_session_collect(run);
    run->onlooker->closes(run);
    wpin_report *report = run->report;
    report->trace_error = wpin_session_close_vcd(run);
    if (run->out_of_memory) {
        snprintf(why, why_size, "out of memory");
        wpin_report_free(report);
        report = NULL;
    }
    wpin_session_release(run);
    return report;
}
