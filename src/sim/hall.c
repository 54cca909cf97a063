/* Hall sensors on the shafts of brushless motors, and the interrupts their edges raise. */
#include "board.h"
#include <math.h>

#define PI      3.14159265358979323846
#define PS      1e-12
#define NEAR_PS 100000000LL  /* in so long its speed hardly changes */
#define SEEN_PS 2000000LL    /* an edge is seen this soon */
#define FAR_PS  1000000000LL /* 1 ms: no need to look further */

/* Where a sensor changes to high, electrical degrees; to low 180 further on. */
static double rise_of(const wpin_part_hall *part, int sensor) {
    double apart = part->sixty ? 60 : 120;
    return 30 + sensor * apart + part->off[sensor];
}

static double electrical_degrees(const wpin_plant *plant) {
    return plant->angle * plant->motor.pole_pairs * 180 / PI;
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
    double degrees = electrical_degrees(sim->plants[h->motor]);
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
        if (h->motor == motor) {
            bool *flaw = fault == WPIN_PART_FAULT_HALL_OFF          ? &h->off
                         : fault == WPIN_PART_FAULT_HALL_SENSOR_OFF ? &h->sensor_off
                                                                    : &h->swapped;
            *flaw = on;
            h->safe_until = 0; /* it shows something else at once */
            found = true;
        }
    }
    return found;
}

/* Seconds to the next edge at the present speed, either way round. */
static double to_next_edge(const wpin_sim *sim, const wpin_hall_part *h) {
    const wpin_plant *plant = sim->plants[h->motor];
    double degrees = electrical_degrees(plant), nearest = 360;
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

/* Most of the way to the nearest edge at once, and then smaller and smaller parts of it: of a long
 * one less, as the speed may change. */
static int64_t safe_for(const wpin_sim *sim, const wpin_hall_part *h) {
    double seconds = to_next_edge(sim, h);
    seconds *= seconds < (double)NEAR_PS * PS ? 0.95 : 0.8;
    int64_t ps = seconds < (double)FAR_PS * PS ? (int64_t)(seconds / PS) : FAR_PS;
    return ps < SEEN_PS ? SEEN_PS : ps;
}

/* What was told of a far edge holds for as long as its speed does. */
static bool is_far(const wpin_sim *sim, const wpin_hall_part *h) {
    const double speed = sim->plants[h->motor]->speed, was = h->asked_speed;
    return h->safe_until - sim->now >= NEAR_PS && fabs(speed - was) <= 0.1 * fabs(was);
}

int64_t wpin_hall_window(wpin_sim *sim) {
    int64_t window = INT64_MAX;
    for (int i = 0; i < sim->hall_count; i++) {
        wpin_hall_part *h = &sim->halls[i];
        if (!is_far(sim, h)) {
            h->asked_speed = sim->plants[h->motor]->speed;
            h->safe_until = sim->now + safe_for(sim, h);
        }
        const int64_t left = h->safe_until - sim->now;
        window = left < window ? left : window;
    }
    return window;
}

void wpin_hall_settle(wpin_sim *sim) {
    for (int i = 0; i < sim->hall_count; i++) {
        wpin_hall_part *h = &sim->halls[i];
        if (is_far(sim, h)) {
            continue;
        }
        uint8_t code = code_now(sim, h), before = wires_of(h);
        h->code = code;
        wpin_bridge *driver = driver_of(sim, h);
        if (driver != NULL && driver->code != wires_of(h)) {
            wpin_bridge_commutate(sim, driver, wires_of(h));
        }
        if (wires_of(h) != before && h->interrupt != NULL) {
            h->interrupt(h->context);
        }
    }
}
