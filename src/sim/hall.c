/* Hall sensors on the shafts of brushless motors, and the interrupts their edges raise. */
#include "board.h"
#include <math.h>

#define PI      3.14159265358979323846
#define PS      1e-12
#define SHIFTED 45.0            /* electrical degrees */
#define NEAR_PS 100000000LL     /* in so long it does not come far, where it may turn round */
#define LATE_PS 500000LL        /* an edge is looked for so long after it should have come */
#define FAR_PS  1000000000000LL /* 1 s: no need to look further */

/* Where a sensor changes to high, electrical degrees; to low 180 further on. */
static double rise_of(const wpin_part_hall *part, int sensor) {
    double apart = part->sixty ? 60 : 120;
    return 30 + sensor * apart + part->off[sensor];
}

/* As the sensors see it. */
static double electrical_degrees(const wpin_sim *sim, const wpin_hall_part *h) {
    const wpin_plant *plant = sim->plants[h->motor];
    return plant->angle * plant->motor.pole_pairs * 180 / PI - h->shifted;
}

static double around(double degrees) {
    return degrees - 360 * floor(degrees / 360);
}

/* The hysteresis keeps each as it is until so much past its place. */
static bool is_high(const wpin_part_hall *part, int sensor, double degrees, bool before) {
    double past = around(degrees - rise_of(part, sensor)), late = part->hysteresis;
    bool high = past < 180;
    double edge = high ? fmin(past, 180 - past) : fmin(past - 180, 360 - past);
    return edge < late ? before : high;
}

static uint8_t code_now(const wpin_sim *sim, const wpin_hall_part *h) {
    double degrees = electrical_degrees(sim, h);
    uint8_t code = 0;
    for (int sensor = 0; sensor < 3; sensor++) {
        bool before = (h->code >> sensor & 1U) != 0;
        code |= (uint8_t)(is_high(&h->part, sensor, degrees, before) ? 1U << sensor : 0U);
    }
    return code;
}

/* What the wires show: pulled up where nothing pulls them down. */
static uint8_t wires_of(const wpin_hall_part *h) {
    uint8_t code = h->code;
    if (h->swapped) {
        code = (uint8_t)((code & 4U) | (code & 1U) << 1 | (code >> 1 & 1U));
    }
    code = h->part.inverted ? code ^ 7U : code;
    return (uint8_t)(h->off ? 7U : (h->sensor_off ? code | 2U : code));
}

/* The driver that commutates its motor by these sensors; NULL: none does. */
static wpin_bridge *driver_of(wpin_sim *sim, const wpin_hall_part *h) {
    for (int i = 0; h->part.at_driver && i < sim->bridge_count; i++) {
        if (sim->bridges[i].motor == h->motor) {
            return &sim->bridges[i];
        }
    }
    return NULL;
}

static void connect_driver(wpin_sim *sim, const wpin_hall_part *h) {
    wpin_bridge *driver = driver_of(sim, h);
    if (driver != NULL) {
        driver->sixty = h->part.sixty;
        wpin_bridge_commutate(sim, driver, wires_of(h));
    }
}

int wpin_sim_add_hall(wpin_sim *sim, const wpin_part_hall *hall, int motor,
                      const wpin_pin pins[3]) {
    if (motor < 0 || motor >= sim->plant_count || sim->hall_count == WPIN_SIM_ENCODERS ||
        sim->plants[motor]->kind != WPIN_PLANT_BRUSHLESS || !(hall->hysteresis >= 0) ||
        hall->hysteresis >= 30 || fabs(hall->off[0]) >= 30 || fabs(hall->off[1]) >= 30 ||
        fabs(hall->off[2]) >= 30) {
        return -1;
    }
    wpin_hall_part *h = &sim->halls[sim->hall_count];
    *h = (wpin_hall_part){.part = *hall, .motor = motor};
    for (int i = 0; i < 3; i++) {
        h->pins[i] = pins[i];
    }
    h->part.hysteresis = 0; /* where it stands it is as it is */
    h->code = code_now(sim, h);
    h->part.hysteresis = hall->hysteresis;
    connect_driver(sim, h);
    return sim->hall_count++;
}

bool wpin_sim_on_hall(wpin_sim *sim, int hall, wpin_sim_interrupt *interrupt, void *context) {
    if (hall < 0 || hall >= sim->hall_count) {
        return false;
    }
    sim->halls[hall].interrupt = interrupt;
    sim->halls[hall].context = context;
    return true;
}

bool wpin_hall_level(const wpin_sim *sim, wpin_pin pin, bool *high) {
    for (int i = 0; i < sim->hall_count; i++) {
        const wpin_hall_part *h = &sim->halls[i];
        for (int sensor = 0; !h->part.at_driver && sensor < 3; sensor++) {
            if (h->pins[sensor] == pin) {
                *high = (wires_of(h) >> sensor & 1U) != 0;
                return true;
            }
        }
    }
    return false;
}

bool wpin_hall_inject(wpin_sim *sim, wpin_part_fault fault, int motor, bool on) {
    bool found = false;
    for (int i = 0; i < sim->hall_count; i++) {
        wpin_hall_part *h = &sim->halls[i];
        if (h->motor == motor && fault == WPIN_PART_FAULT_HALL_SHIFTED) {
            h->shifted = on ? SHIFTED : 0;
            h->none_before = 0;
            found = true;
        } else if (h->motor == motor) {
            bool *flaw = fault == WPIN_PART_FAULT_HALL_OFF          ? &h->off
                         : fault == WPIN_PART_FAULT_HALL_SENSOR_OFF ? &h->sensor_off
                                                                    : &h->swapped;
            *flaw = on;
            h->none_before = 0; /* it shows something else at once */
            found = true;
        }
    }
    return found;
}

/* Seconds to the next edge at the present speed, either way round. */
static double to_next_edge(const wpin_sim *sim, const wpin_hall_part *h) {
    const wpin_plant *plant = sim->plants[h->motor];
    double degrees = electrical_degrees(sim, h), nearest = 360;
    double rate = fabs(plant->speed) * plant->motor.pole_pairs * 180 / PI;
    for (int sensor = 0; sensor < 3; sensor++) {
        double past = around(degrees - rise_of(&h->part, sensor));
        past -= past >= 180 ? 180 : 0;
        double late = h->part.hysteresis;
        double ahead = plant->speed >= 0 ? 180 - past + late : past + late;
        ahead = ahead >= 180 ? ahead - 180 : ahead;
        nearest = fmin(nearest, ahead);
    }
    return rate > 0 ? nearest / rate : HUGE_VAL;
}

/* The most that the speed may change, rad/s2: by the largest current that the supply and the emf
 * can drive. */
static double may_gain(const wpin_plant *plant) {
    const wpin_part_motor *m = &plant->motor;
    const double w = fabs(plant->speed), volts = fabs(plant->feed.volts) + m->constant * w;
    const double drag = plant->torque_move + (plant->viscous + plant->quadratic * w) * w;
    return (m->constant * volts / m->resistance + drag + m->cogging) / plant->inertia;
}

static int64_t to_ps(double seconds) {
    return seconds < (double)FAR_PS * PS ? (int64_t)(seconds / PS) : FAR_PS;
}

/* An edge that is known well enough is looked for right after it should have come; up to one that
 * is not, it goes as far as none comes: neither the next, however it speeds up, nor the one behind
 * it, should it turn round. */
static void look_out(const wpin_sim *sim, wpin_hall_part *h) {
    const wpin_plant *plant = sim->plants[h->motor];
    const double w = fabs(plant->speed), gains = may_gain(plant);
    const double seconds = to_next_edge(sim, h);
    const double soonest = 2 * w * seconds / (w + sqrt(w * w + 2 * gains * w * seconds));
    const double turns_round = fmax(2 * w / gains, (double)NEAR_PS * PS);
    const int64_t none = w > 0 ? to_ps(fmin(soonest, turns_round)) : NEAR_PS;
    const int64_t late = to_ps(seconds - soonest);
    const bool comes = w > 0 && soonest < turns_round && late < LATE_PS / 2;
    h->none_before = sim->now + none;
    h->look_at = sim->now + (comes ? none + late + LATE_PS : none > LATE_PS ? none : LATE_PS);
}

int64_t wpin_hall_window(wpin_sim *sim) {
    int64_t window = INT64_MAX;
    for (int i = 0; i < sim->hall_count; i++) {
        wpin_hall_part *h = &sim->halls[i];
        if (sim->now + NEAR_PS >= h->none_before) { /* what is near is known better now */
            look_out(sim, h);
        }
        window = h->look_at - sim->now < window ? h->look_at - sim->now : window;
    }
    return window;
}

void wpin_hall_settle(wpin_sim *sim) {
    for (int i = 0; i < sim->hall_count; i++) {
        wpin_hall_part *h = &sim->halls[i];
        if (sim->now < h->none_before) {
            continue;
        }
        uint8_t code = code_now(sim, h), before = wires_of(h);
        h->code = code;
        wpin_bridge *driver = driver_of(sim, h);
        if (driver != NULL && driver->code != wires_of(h)) {
            wpin_bridge_commutate(sim, driver, wires_of(h));
        }
        if (wires_of(h) != before && h->interrupt != NULL && !sim->interrupts_off) {
            h->interrupt(h->context);
        }
    }
}
