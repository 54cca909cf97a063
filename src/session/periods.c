/* What each load did over whole periods of its PWM. */
#include "session.h"
#include <math.h>

double wpin_session_window(const wpin_session *run, size_t load) {
    double hz = run->rig->loads[load].limits.pwm_hz, tick = run->rig->controller.tick;
    for (int ticks = 1; ticks < 1000; ticks++) {
        double periods = ticks * tick * hz, whole = round(periods);
        if (hz <= 0 || (whole >= 1 && fabs(periods - whole) <= 0.01 * whole)) {
            return ticks * tick;
        }
    }
    return 1 / hz;
}

/* Adds the newest reading; true once the window is as long as a period of the load's PWM. */
static bool is_whole(const wpin_session *run, size_t load, wpin_window *w) {
    const wpin_part_reading *last = &run->last[load];
    w->seconds += last->seconds;
    w->turns += last->rpm_mean / 60 * last->seconds;
    w->effect += last->effect * last->seconds;
    double sensed = wpin_session_measured_amps(run, load);
    w->sensed += isnan(sensed) ? 0 : sensed * last->seconds;
    w->amps = fmax(w->amps, fmax(fabs(last->amps_min), fabs(last->amps_max)));
    return w->seconds >= wpin_session_window(run, load) * (1 - 1e-9);
}

/* A load without sensors that stops and starts anew by itself. */
static void note_lost_step(wpin_session *run, size_t load) {
    const wpin_sensorless *s = &run->bound[load].sensorless_at_work;
    if (s->lost != run->lost[load]) {
        run->lost[load] = s->lost;
        wpin_session_note(
            run, run->rig->loads[load].name,
            "lost its step at %.0f rpm: no zero crossing where one was due; it starts "
            "anew",
            fabs(run->rpm[load]));
    }
}

void wpin_session_watch_periods(wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        note_lost_step(run, i);
        run->driven[i] = wpin_motor_duty(&run->motors[i]) != 0;
        wpin_window *w = &run->windows[i];
        if (!is_whole(run, i, w)) {
            continue;
        }
        run->rpm[i] = w->turns / w->seconds * 60;
        run->effect[i] = w->effect / w->seconds;
        size_t owner = run->owner[i];
        run->onlooker->period(run, i, owner == 0 ? NULL : &run->report->steps[owner - 1], w);
        *w = (wpin_window){0};
    }
}
