/* Encoders on the shafts of motors: which edges passed since the counter was last read, and when
 * the last of them did. Between two readings the angle follows the cubic through both places and
 * speeds. */
#include "board.h"

#define PI 3.14159265358979323846

/* Edges are off their places, over the four of a line. */
static double place_of(const wpin_encoder_part *e, double edge) {
    static const double off[] = {0, 0.5, -0.25, 0.25};
    return edge + e->part.uneven * off[(unsigned)((int64_t)edge & 3)];
}

/* The last edge at or below a place. */
static double edge_below(const wpin_encoder_part *e, double x) {
    double edge = floor(x);
    if (place_of(e, edge + 1) <= x) {
        return edge + 1;
    }
    return place_of(e, edge) <= x ? edge : edge - 1;
}

/* Where the shaft is, in edges, and how fast, in edges a second. */
static wpin_shaft_place place_now(const wpin_sim *sim, const wpin_encoder_part *e) {
    const wpin_plant *plant = sim->plants[e->motor];
    double gear = e->part.at_output ? plant->motor.gear_ratio : 1;
    double of_rad = e->part.counts / (2 * PI * gear) * (e->part.reversed ? -1 : 1);
    return (wpin_shaft_place){
        .at = sim->now, .x = plant->angle * of_rad - e->slipped, .speed = plant->speed * of_rad};
}

/* How far it slips, in edges. */
static double slip_of(const wpin_sim *sim, const wpin_encoder_part *e) {
    const wpin_part_motor *m = &sim->plants[e->motor]->motor;
    double gear = e->part.at_output ? m->gear_ratio : 1;
    return e->part.counts / (m->pole_pairs > 0 ? 4 * m->pole_pairs * gear : 8);
}

/* It stays where it was until its shaft has gone on by so much, either way. */
static void slip(const wpin_sim *sim, wpin_encoder_part *e, wpin_shaft_place *now) {
    double by = now->x - e->last.x, most = slip_of(sim, e);
    e->slips = fabs(by) < most;
    by = e->slips ? by : copysign(most, by);
    if (!e->slips) {
        e->slipped += by;
    }
    now->x = e->slips ? e->last.x : now->x - by;
}

/* Share of the way in time from one place to another at which the cubic passes x. */
static double share_at(const wpin_shaft_place *a, const wpin_shaft_place *b, double x) {
    double h = (double)(b->at - a->at) * 1e-12, low = 0, high = 1;
    bool up = b->x > a->x;
    double t = b->x != a->x ? (x - a->x) / (b->x - a->x) : 1;
    for (int i = 0; i < 30 && high - low > 1e-7; i++) {
        double u = 1 - t;
        double now = u * u * ((1 + 2 * t) * a->x + t * h * a->speed) +
                     t * t * ((3 - 2 * t) * b->x - u * h * b->speed);
        double slope = 6 * t * u * (b->x - a->x) + u * (1 - 3 * t) * h * a->speed +
                       t * (3 * t - 2) * h * b->speed;
        if ((now < x) == up) {
            low = t;
        } else {
            high = t;
        }
        double next = slope != 0 ? t - (now - x) / slope : 2;
        if (fabs(next - t) < 1e-7) {
            return fmin(fmax(next, 0), 1);
        }
        t = next > low && next < high ? next : (low + high) / 2;
    }
    return t;
}

/* What the counter makes of edges that passed: with one channel dead only the other is seen, to and
 * fro. */
static int64_t counted(const wpin_encoder_part *e, int64_t before, int64_t now) {
    if (e->off || (e->channel_off && e->part.one_channel)) {
        return 0;
    }
    if (e->part.one_channel) {
        return now > before ? now - before : before - now;
    }
    if (e->channel_off) {
        return ((now >> 1) & 1) - ((before >> 1) & 1);
    }
    return e->swapped ? before - now : now - before;
}

static void follow(wpin_sim *sim, wpin_encoder_part *e) {
    wpin_shaft_place now = place_now(sim, e);
    if (e->slips) {
        slip(sim, e, &now);
    }
    double before = e->edge, edge = edge_below(e, now.x);
    int64_t more = counted(e, (int64_t)before, (int64_t)edge);
    if (more != 0) {
        double passed = place_of(e, edge > before ? edge : edge + 1);
        double share = share_at(&e->last, &now, passed);
        e->counts += more;
        e->counted_at =
            e->last.at + (int64_t)(share * (double)(now.at - e->last.at)); /* within this stretch */
    }
    e->edge = edge;
    e->last = now;
}

int wpin_sim_add_encoder(wpin_sim *sim, const wpin_part_encoder *encoder, int motor) {
    if (motor < 0 || motor >= sim->plant_count || sim->encoder_count == WPIN_SIM_ENCODERS ||
        (sim->plants[motor]->kind != WPIN_PLANT_MOTOR &&
         sim->plants[motor]->kind != WPIN_PLANT_BRUSHLESS) ||
        !(encoder->counts > 0) || !(encoder->uneven >= 0 && encoder->uneven <= 0.5)) {
        return -1;
    }
    wpin_encoder_part *e = &sim->encoders[sim->encoder_count];
    *e = (wpin_encoder_part){.part = *encoder, .motor = motor};
    e->last = place_now(sim, e);
    e->edge = edge_below(e, e->last.x);
    return sim->encoder_count++;
}

wpin_status wpin_encoder_count(wpin_sim *sim, int number, wpin_count *to) {
    if (number < 0 || number >= sim->encoder_count) {
        return WPIN_REFUSED_PORT;
    }
    wpin_encoder_part *e = &sim->encoders[number];
    follow(sim, e);
    int64_t at = e->part.no_moments ? sim->now : e->counted_at;
    to->counts = (int32_t)(uint32_t)(uint64_t)e->counts;
    to->at = sim->controller.clock_start + (wpin_moment)(at / 1000000);
    return WPIN_OK;
}

bool wpin_encoder_inject(wpin_sim *sim, wpin_part_fault fault, int motor, bool on) {
    bool found = false;
    for (int i = 0; i < sim->encoder_count; i++) {
        wpin_encoder_part *e = &sim->encoders[i];
        if (e->motor == motor) {
            follow(sim, e); /* what passed until now was seen as before */
            if (fault == WPIN_PART_FAULT_ENCODER_SLIPS) {
                e->slips = on; /* mended it stays where it slipped to */
                found = true;
                continue;
            }
            bool *flaw = fault == WPIN_PART_FAULT_SENSOR_OFF    ? &e->off
                         : fault == WPIN_PART_FAULT_CHANNEL_OFF ? &e->channel_off
                                                                : &e->swapped;
            *flaw = on;
            found = true;
        }
    }
    return found;
}
