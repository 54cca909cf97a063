/* The motor's two equations,
 *     L di/dt = E - R i - K w          J dw/dt = K i - B w - T
 * with the loop (E, R) given by legs and diodes and the torque T by friction and load. Both are
 * linear until a diode stops, the shaft stops, or the shaft breaks loose: the piece is then cut
 * there. See any text on DC machines, e.g. Fitzgerald, "Electric Machinery", ch. 7. */
#include "plant.h"
#include "sense_lag.h"
#include <math.h>

#define PS 1e-12
#define PI 3.14159265358979323846

typedef struct state {
    double amps, speed;
} state;

void wpin_plant_prepare(wpin_plant *plant) {
    const wpin_part_motor *m = &plant->motor;
    double n = m->gear_ratio;
    wpin_at_shaft shaft = wpin_part_at_shaft(m);
    plant->inertia = shaft.inertia;
    plant->viscous = shaft.viscous;
    plant->quadratic = shaft.quadratic;
    plant->torque_hold = shaft.holds - m->cogging; /* that is where it stands */
    plant->torque_move = shaft.drags;
    if (plant->stalled) {
        plant->torque_hold = HUGE_VAL;
        plant->speed = 0;
    }
    double cap = m->inductance / (m->resistance * 4);
    plant->piece_max = (int64_t)fmax(fmin(cap, 100e-6) / PS, 1);
    plant->has_stops = m->stop_high > m->stop_low;
    plant->low_angle = m->stop_low * 2 * PI * n;
    plant->high_angle = m->stop_high * 2 * PI * n;
    plant->lead_constant = m->constant / (m->sinusoidal ? sqrt(3) : 2);
    plant->lead_rate = plant->lead_constant * 2 / m->inductance;
    plant->swings = sqrt(1.5 * plant->lead_constant * plant->lead_rate / plant->inertia);
    plant->shape = (wpin_shape){.at = NAN, .begin = NAN, .delta = m->delta};
    plant->version++; /* what was worked out before holds no more */
    plant->built++;
    plant->rate = NAN;
    wpin_plant_number_constants(plant);
}

void wpin_plant_fed(wpin_plant *plant) {
    plant->version++;
}

static double lags(const wpin_lag *lag, double is, double begin, double end) {
    return lag->keep * is + lag->begin * begin + lag->end * end;
}

static state after(const wpin_plant *plant, const wpin_cached *c) {
    const wpin_matrix *phi = &c->p.phi;
    double i = plant->amps, w = plant->speed;
    return (state){phi->m00 * i + phi->m01 * w + c->end_amps,
                   phi->m10 * i + phi->m11 * w + c->end_speed};
}

static state integral(const wpin_plant *plant, const wpin_cached *c) {
    const wpin_matrix *psi = &c->p.psi;
    double i = plant->amps, w = plant->speed;
    return (state){psi->m00 * i + psi->m01 * w + c->sum_amps,
                   psi->m10 * i + psi->m11 * w + c->sum_speed};
}

static state slope(const wpin_piece *p, state x) {
    return (state){p->rates.m00 * x.amps + p->rates.m01 * x.speed + p->force_amps,
                   p->rates.m10 * x.amps + p->rates.m11 * x.speed + p->force_speed};
}

/* Where, from 0 to 1, the cubic through two values and slopes (slopes per piece) leaves the side
 * of zero it begins on (1 or -1), perhaps from zero itself. Newton's steps, kept between a place on
 * this side and one on the other: the caller has seen that at 1. */
static double leaves(int side, double y0, double s0, double y1, double s1) {
    double low = 0, high = 1, c2 = 3 * (y1 - y0) - 2 * s0 - s1, c3 = 2 * (y0 - y1) + s0 + s1;
    double t = y0 * side > 0 ? y0 / (y0 - y1) : 0.5;
    for (int i = 0; i < 60; i++) {
        double y = y0 + t * (s0 + t * (c2 + t * c3));
        if (y * side > 0) {
            low = t;
        } else {
            high = t;
        }
        double next = t - y / (s0 + t * (2 * c2 + t * 3 * c3));
        if (fabs(next - t) < 1e-15) {
            break;
        }
        t = next > low && next < high ? next : (low + high) / 2;
    }
    return t;
}

typedef enum cut { CUT_NONE, CUT_DIODE, CUT_SHAFT, CUT_LOOSE, CUT_LIMIT } cut;

typedef struct first_cut {
    cut what;
    double share; /* of the piece before it */
} first_cut;

static void earlier(first_cut *first, cut what, double share) {
    if (first->what == CUT_NONE || share < first->share) {
        *first = (first_cut){what, share};
    }
}

/* What ends the piece before its time: the diode runs dry, the shaft stops, or breaks loose. */
static first_cut find_cut(const wpin_plant *plant, const wpin_piece *p, state end, double dt) {
    static const int turns_of[] = {0, 1, -1};
    int turns = turns_of[p->shaft];
    double torque = plant->motor.constant * end.amps;
    bool diode = p->loop.way * end.amps < 0;
    bool stops = turns * end.speed < 0;
    bool loose =
        turns == 0 && fabs(torque) > plant->torque_hold && !wpin_plant_against_stop(plant, torque);
    double most = plant->feed.most_amps;
    bool limit = most > 0 && plant->leg_b == WPIN_LEG_LOW && plant->amps < most && end.amps > most;
    first_cut first = {CUT_NONE, 1};
    if (!diode && !stops && !loose && !limit) {
        return first;
    }
    state begin = {plant->amps, plant->speed};
    state s0 = slope(p, begin), s1 = slope(p, end);
    if (diode) {
        earlier(&first, CUT_DIODE,
                leaves(p->loop.way, begin.amps, s0.amps * dt, end.amps, s1.amps * dt));
    }
    if (stops) {
        earlier(&first, CUT_SHAFT,
                leaves(turns, begin.speed, s0.speed * dt, end.speed, s1.speed * dt));
    }
    if (limit) {
        earlier(&first, CUT_LIMIT,
                leaves(-1, begin.amps - most, s0.amps * dt, end.amps - most, s1.amps * dt));
    }
    if (loose) {
        double hold = copysign(plant->torque_hold / plant->motor.constant, torque);
        earlier(&first, CUT_LOOSE,
                leaves(torque > 0 ? -1 : 1, begin.amps - hold, s0.amps * dt, end.amps - hold,
                       s1.amps * dt));
    }
    return first;
}

static void note_current(wpin_plant *plant, double amps, double dt) {
    wpin_sums *s = &plant->sums;
    s->least_amps = amps < s->least_amps ? amps : s->least_amps;
    s->most_amps = amps > s->most_amps ? amps : s->most_amps;
    double size = fabs(amps);
    if (size <= plant->over_limit) {
        plant->over_time = 0;
        plant->over_peak = 0;
        return;
    }
    plant->over_time += dt;
    plant->over_peak = size > plant->over_peak ? size : plant->over_peak;
}

/* An end stop takes all the speed at once. */
void wpin_plant_meet_stop(wpin_plant *plant) {
    bool high = plant->speed > 0 && plant->angle > plant->high_angle;
    bool low = plant->speed < 0 && plant->angle < plant->low_angle;
    if (high || low) {
        plant->hit = fmax(plant->hit, fabs(plant->speed));
        plant->angle = high ? plant->high_angle : plant->low_angle;
        plant->speed = 0;
    }
}

void wpin_plant_add(wpin_plant *plant, const wpin_flowed *flowed) {
    wpin_sums *s = &plant->sums;
    s->time += flowed->seconds;
    s->amps += flowed->amps;
    s->supply_amps += flowed->drawn;
    s->effect += plant->effect * flowed->seconds;
    plant->charge += flowed->drawn;
    plant->squares += flowed->squares;
    plant->sizes += flowed->sizes;
}

void wpin_plant_tally(wpin_plant *plant, double seconds, double amps, double end, double drawn) {
    const wpin_flowed flowed = {.seconds = seconds,
                                .amps = amps * seconds,
                                .sizes = fabs(amps) * seconds,
                                .squares = amps * amps * seconds,
                                .drawn = drawn};
    wpin_plant_add(plant, &flowed);
    wpin_plant_sense(plant, 2 * amps - end, end, seconds);
    note_current(plant, end, seconds);
}

/* Takes over the end of a piece. */
static void move(wpin_plant *plant, const wpin_piece *p, const wpin_cached *c, state end) {
    state sum = integral(plant, c);
    wpin_sums *s = &plant->sums;
    s->time += c->seconds;
    s->amps += sum.amps;
    s->rads += sum.speed;
    double drawn = p->loop.rail * sum.amps * plant->feed.share;
    s->supply_amps += drawn;
    plant->charge += drawn;
    plant->angle += sum.speed;
    plant->sense_amps = lags(&c->sense, plant->sense_amps, plant->amps, end.amps);
    if (plant->heats) { /* the current is all but straight between the ends of a piece */
        double before = plant->amps, size = fabs(before + end.amps) * (c->seconds / 2);
        double squares =
            (before * before + before * end.amps + end.amps * end.amps) * (c->seconds / 3);
        plant->squares += squares;
        plant->sizes += size;
        plant->lost += squares * p->loop.drop_ohms + size * p->loop.drop_volts;
        plant->diodes[0] += p->loop.diode ? size : 0;
    }
    plant->amps = end.amps;
    plant->speed = end.speed;
    note_current(plant, end.amps, c->seconds);
    if (plant->has_stops) {
        wpin_plant_meet_stop(plant);
    }
    if (plant->kind == WPIN_PLANT_SOLENOID) {
        wpin_solenoid_follow(plant, c->seconds);
        s->effect += plant->effect * c->seconds;
    }
}

/* Puts the quantity that ended a piece exactly where it ended. */
static void settle_cut(wpin_plant *plant, cut what) {
    if (what == CUT_DIODE) {
        plant->amps = 0;
    } else if (what == CUT_LIMIT) {
        plant->amps = plant->feed.most_amps;
    } else if (what == CUT_SHAFT) {
        plant->speed = 0;
    } else if (plant->torque_hold > 0) { /* a hair past the limit, so that the next piece turns */
        double hold = plant->torque_hold / plant->motor.constant;
        plant->amps = copysign(hold * (1 + 1e-12), plant->amps);
    }
}

/* One piece, cut short at the first event. Returns the time it took, ps. */
static int64_t advance_piece(wpin_plant *plant, int64_t dt) {
    const wpin_piece *p = wpin_plant_find_piece(plant, dt);
    const wpin_cached *c = wpin_plant_cached(plant, p, dt);
    state end = after(plant, c);
    first_cut first = find_cut(plant, p, end, c->seconds);
    if (first.what == CUT_NONE) {
        move(plant, p, c, end);
        return dt;
    }
    int64_t part = (int64_t)(first.share * (double)dt);
    part = part < 1 ? 1 : part;
    wpin_cached partial = wpin_plant_solve(plant, p, part);
    move(plant, p, &partial, after(plant, &partial));
    settle_cut(plant, first.what);
    return part;
}

void wpin_winding_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        int64_t piece_dt = dt < plant->piece_max ? dt : plant->piece_max;
        dt -= advance_piece(plant, piece_dt);
    }
}

wpin_part_reading wpin_plant_read(wpin_plant *plant) {
    const double to_rpm = wpin_part_output_rpm(&plant->motor, 1);
    const wpin_sums *s = &plant->sums;
    const wpin_part_motor *m = &plant->motor;
    double time = s->time > 0 ? s->time : 1;
    bool brushless = plant->kind == WPIN_PLANT_BRUSHLESS;
    double drawn = brushless          ? plant->rail_amps
                   : plant->amps == 0 ? 0
                                      : wpin_plant_rail(plant) * plant->amps;
    /* across the two leads that drive: of a sine or a delta its mean over the sector around the
     * peak */
    double emf = m->constant * (m->sinusoidal ? 3 / PI : (m->delta ? 7.0 / 8 : 1));
    wpin_part_reading r = {
        .seconds = s->time,
        .amps = s->amps / time,
        .amps_min = s->least_amps,
        .amps_max = s->most_amps,
        .amps_now = plant->amps,
        .supply_amps = s->supply_amps / time,
        .supply_volts = plant->feed.volts - plant->feed.sag -
                        drawn * plant->feed.share * plant->feed.resistance,
        .rpm = plant->speed * to_rpm,
        .rpm_mean = s->rads / time * to_rpm,
        .turns = plant->angle / (2 * PI) / m->gear_ratio,
        /* mean of L di/dt + R i + K w: what the terminals saw */
        .volts = (m->inductance * (plant->amps - s->start_amps) + m->resistance * s->amps +
                  emf * s->rads) /
                 time,
        .effect = s->effect / time,
        .degrees = 25 + plant->rise,
    };
    if (plant->kind == WPIN_PLANT_STEPPER) {
        r.amps_now = fmax(fabs(plant->amps), fabs(plant->amps_b));
    }
    if (plant->kind == WPIN_PLANT_STEPPER || plant->kind == WPIN_PLANT_LAMP) {
        r.volts = plant->volt_seconds / time;
        plant->volt_seconds = 0;
    }
    plant->sums =
        (wpin_sums){.start_amps = plant->amps, .least_amps = r.amps_now, .most_amps = r.amps_now};
    return r;
}
