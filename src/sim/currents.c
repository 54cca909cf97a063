/* Where a diode of a brushless motor's leg runs dry. */
#include "currents.h"

#define PS 1e-12

/* When the current into a lead is nothing: Newton's steps, kept between here and an end at which it
 * would flow the other way. */
static double runs_dry(const wpin_currents *s, int x, double end, double last) {
    const double i = wpin_into(s->u, x), i1 = wpin_into(s->u1, x), i2 = wpin_into(s->u2, x);
    const double i3 = wpin_into(s->u3, x), i4 = wpin_into(s->u4, x);
    double low = 0, high = end, t = i != 0 ? end * i / (i - last) : end / 2;
    for (int n = 0; n < 40; n++) {
        const double y = i + t * (i1 + t * (1.0 / 2) * (i2 + t * (1.0 / 3) * (i3 + t / 4 * i4)));
        const double slope = i1 + t * (i2 + t * (1.0 / 2) * (i3 + t * (1.0 / 3) * i4));
        const bool before = last < 0 ? y > 0 : y < 0;
        low = before ? t : low;
        high = before ? high : t;
        const double next = t - y / slope;
        if (fabs(next - t) < PS / 4) {
            break;
        }
        t = next > low && next < high ? next : (low + high) / 2;
    }
    return t;
}

int64_t wpin_up_to_dip(const wpin_star *star, const wpin_currents *s, int64_t dt) {
    for (int x = 0; x < WPIN_PHASES; x++) {
        const double way = star->way[x], amps = way * wpin_into(s->u, x);
        const double falls = -way * wpin_into(s->u1, x), bends = way * wpin_into(s->u2, x);
        if (falls > 0 && bends * ((double)dt * PS) > falls && 2 * bends * amps < falls * falls) {
            dt = (int64_t)(falls / bends / PS) + 1;
        }
    }
    return dt;
}

int wpin_first_dry(const wpin_star *star, const wpin_currents *s, int64_t *dt) {
    int dry = -1;
    for (int x = 0; x < WPIN_PHASES; x++) {
        if (star->way[x] == 0) {
            continue;
        }
        const double end = (double)*dt * PS, last = wpin_into(wpin_currents_at(s, end), x);
        if (star->way[x] * last < 0) {
            int64_t part = (int64_t)(runs_dry(s, x, end, last) / PS);
            *dt = part < 1 ? 1 : part;
            dry = x;
        }
    }
    return dry;
}

/* What goes in at one of the others comes out at the other: where there are two. */
wpin_two wpin_emptied(wpin_two u, int x, int count) {
    if (count < WPIN_PHASES) {
        return (wpin_two){0};
    }
    const double third = -u[0] - u[1];
    switch (x) {
    case 0: return (wpin_two){0, (u[1] - third) / 2};
    case 1: return (wpin_two){(u[0] - third) / 2, 0};
    default: return (wpin_two){(u[0] - u[1]) / 2, -(u[0] - u[1]) / 2};
    }
}
