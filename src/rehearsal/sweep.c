/* A slow sweep of duty from one end to the other, through zero where the stage can reverse: at each
 * place the load settles, then volts, current and speed are read. */
#include "one_load.h"
#include <math.h>
#include <stdio.h>

/* So much is left of a way that goes on by steps which shrink by the same share each time. */
static double left_of_way(double step, double before) {
    double share = before != 0 ? step / before : 0;
    return share < 1 ? fabs(step) * share / (1 - share) : HUGE_VAL;
}

static double mean_of_tenth(wpin_one_load *one) {
    double turned = 0, seconds = 0;
    for (int64_t passed = 0; passed < 100000000000LL; passed += one->tick) {
        wpin_part_reading r = wpin_one_load_tick(one);
        turned += r.rpm_mean * r.seconds;
        seconds += r.seconds;
    }
    return turned / seconds;
}

/* Until no more than 0.2 % of its speed is left to come, as the last tenths of a second have it; of
 * a slow one of a fiftieth of the fastest. Where it goes to and fro it has settled once it does so
 * by less than 0.2 % of the fastest. */
static void settle(wpin_one_load *one, double fastest) {
    double before = 0, step_before = 0;
    for (int tenths = 0; tenths < 300; tenths++) {
        double now = mean_of_tenth(one), step = now - before;
        bool steady =
            wpin_motor_state(&one->motor) == WPIN_STATE_RUNNING || !wpin_motor_busy(&one->motor);
        double fast = fmax(fastest, fabs(now)), near = 0.002 * fmax(fabs(now), fast / 50);
        bool settled = step * step_before > 0 ? left_of_way(step, step_before) <= near
                                              : fabs(step) <= 0.002 * fast;
        if (steady && tenths > 2 && settled) {
            return;
        }
        before = now;
        step_before = step;
    }
}

/* Means over the last tenth of a second. */
static wpin_sweep_point measure(wpin_one_load *one, double asked) {
    wpin_sweep_point p = {.asked = asked};
    double seconds = 0;
    for (int64_t passed = 0; passed < 100000000000LL; passed += one->tick) {
        wpin_part_reading r = wpin_one_load_tick(one);
        p.volts += r.volts * r.seconds;
        p.amps += r.amps * r.seconds;
        p.rpm += r.rpm_mean * r.seconds;
        seconds += r.seconds;
    }
    p.volts /= seconds;
    p.amps /= seconds;
    p.rpm /= seconds;
    p.duty = (double)wpin_motor_duty(&one->motor) / WPIN_DUTY_FULL;
    p.dead = asked != 0 && fabs(p.rpm) < 1e-6;
    return p;
}

static bool go_to(wpin_one_load *one, double duty) {
    wpin_duty wanted = (wpin_duty)lround(duty * WPIN_DUTY_FULL);
    return wpin_motor_run(&one->motor, wanted, 0, WPIN_TIMEOUT_HELD) == WPIN_OK;
}

size_t wpin_sweep(const wpin_rig *rig, int load, wpin_sweep_point *points, size_t count, char *why,
                  size_t why_size) {
    wpin_one_load one;
    const wpin_stage_kind *kind = rig->loads[load].kind;
    if (!wpin_one_load_takes_duty(&rig->loads[load], "nothing to sweep", why, why_size)) {
        return 0;
    }
    if (count < 2) {
        snprintf(why, why_size, "a sweep has 2 places at least, not %zu", count);
        return 0;
    }
    if (!wpin_one_load_open(&one, rig, load, why, why_size)) {
        wpin_one_load_close(&one);
        return 0;
    }
    double to = rig->loads[load].limits.duty_max, fastest = 0;
    double from = wpin_stage_kind_has(kind, WPIN_DRIVE_REVERSE) ? -to : 0;
    size_t done = 0;
    while (done < count) { /* the first place too is reached on the ramp, never at once */
        double duty = from + (to - from) * (double)done / (double)(count - 1);
        duty = fabs(duty) < 1e-9 ? 0 : duty;
        if (!go_to(&one, duty)) {
            break;
        }
        settle(&one, fastest);
        points[done] = measure(&one, duty);
        fastest = fmax(fastest, fabs(points[done].rpm));
        done++;
    }
    if (one.motor.fault != WPIN_OK || done < count) {
        snprintf(why, why_size, "'%s' stopped after %zu of %zu places: %s", rig->loads[load].name,
                 done, count, wpin_status_text((wpin_status)one.motor.fault));
    }
    wpin_one_load_close(&one);
    return done;
}
