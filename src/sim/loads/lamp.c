/* Lamps and light-emitting diodes: no winding, so the current follows the volts at once. */
#include "../plant.h"
#include <math.h>

#define PS       1e-12
#define ROOM_K   300.0
#define PROBE    1e-6 /* s: short against any warm-up, whatever the current */
#define PIECE_K  2.0  /* as many kelvin a piece at most... */
#define PIECE    1e-3 /* ...and seconds: short against its return to rest */
#define NEAR_K   0.02 /* so near to where it stays its current is what it will be */
#define FAR_K    2.0  /* in the time of its warm-up: it is not near */
#define STEADY_K 0.5  /* so many change its current by less than it matters to others */

static bool glows(const wpin_part_lamp *lamp) {
    return lamp->forward_volts <= 0 && lamp->cold_share < 1;
}

/* Rated point: a filament takes P = V V / R hot; diodes P = V (V - forward) / R. */
static double rated_resistance(const wpin_part_lamp *lamp) {
    return lamp->volts * (lamp->volts - lamp->forward_volts) / lamp->watts;
}

void wpin_lamp_cool(wpin_plant *plant) {
    const wpin_part_lamp *lamp = &plant->lamp;
    plant->wire = (wpin_filament){lamp->volts, lamp->watts, lamp->cold_share, lamp->warm_up, 0};
    plant->wire.hot = wpin_calc_filament_hot(&plant->wire);
    plant->filament = ROOM_K;
    plant->motor.resistance = rated_resistance(lamp) * (glows(lamp) ? lamp->cold_share : 1);
}

/* Current that the legs drive through it now, and what the driver loses, W; diodes in the
 * legs allow one sign only. */
static double current(const wpin_plant *plant, int *rail, double *volts, double *lost) {
    for (int way = 1; way >= -1; way -= 2) {
        wpin_loop loop = wpin_plant_loop(plant, plant->leg_a, plant->leg_b, way);
        double drive = loop.emf * way - plant->lamp.forward_volts;
        bool conducts = way > 0 || plant->lamp.forward_volts <= 0;
        if (drive > 0 && conducts) {
            double amps = way * drive / loop.resistance;
            double most = plant->feed.most_amps;
            if (most > 0 && plant->leg_b == WPIN_LEG_LOW && amps > most) { /* a short base */
                double spare = (amps - most) * loop.resistance;
                amps = most;
                *lost = wpin_loop_watts(&loop, amps) + spare * amps;
                *rail = loop.rail;
                *volts = amps * plant->motor.resistance + plant->lamp.forward_volts;
                return amps;
            }
            *rail = loop.rail;
            *volts = amps * plant->motor.resistance + way * plant->lamp.forward_volts;
            *lost = wpin_loop_watts(&loop, amps);
            return amps;
        }
    }
    *rail = 0;
    *volts = *lost = 0;
    return 0;
}

bool wpin_lamp_is_cold(const wpin_plant *plant) {
    return !glows(&plant->lamp) || plant->filament <= ROOM_K;
}

/* How fast it warms, K/s, were its filament so warm. Leaves it with the resistance of that. */
static double warms(wpin_plant *plant, double kelvin) {
    int rail;
    double volts, lost;
    plant->motor.resistance = wpin_calc_filament_ohms(&plant->wire, kelvin);
    double watts = current(plant, &rail, &volts, &lost) * volts;
    return (wpin_calc_filament_warm(&plant->wire, kelvin, watts, PROBE) - kelvin) / PROBE;
}

/* Where it goes from here: that fast, K/s; and, where that is near, so fast it comes nearer, 1/s;
 * 0: it is not near. */
typedef struct trend {
    double speed, nearing;
} trend;

static trend trend_of(wpin_plant *plant) {
    trend t = {.speed = warms(plant, plant->filament)};
    double size = fabs(t.speed), ohms = plant->motor.resistance;
    if (size * plant->wire.warm_up < FAR_K) {
        double nearing = t.speed - warms(plant, plant->filament + 1);
        t.nearing = size <= NEAR_K * nearing ? nearing : 0;
        plant->motor.resistance = ohms;
    }
    return t;
}

/* How long it may take in one piece. Sets its resistance to what it is in the middle of that. */
static int64_t next_piece(wpin_plant *plant, const trend *t, int64_t dt) {
    if (t->nearing > 0) {
        return dt;
    }
    double pieces = (double)dt * PS * fmax(fabs(t->speed) / PIECE_K, 1 / PIECE);
    int64_t piece = pieces <= 1 ? dt : (int64_t)fmax((double)dt / pieces, 1);
    plant->motor.resistance *=
        1 + WPIN_FILAMENT_POWER * t->speed * (double)piece * PS / 2 / plant->filament;
    return piece;
}

/* How warm so many watts have made it in a piece. What is left of a glow in the end is none. */
static double warmed(const wpin_plant *plant, const trend *t, double watts, double seconds) {
    if (t->nearing <= 0) { /* as it does in the middle */
        double middle = wpin_calc_filament_warm(&plant->wire, plant->filament, watts, seconds / 2);
        return plant->filament - middle +
               wpin_calc_filament_warm(&plant->wire, middle, watts, seconds);
    }
    return watts == 0 ? ROOM_K
                      : plant->filament - t->speed / t->nearing * expm1(-t->nearing * seconds);
}

int64_t wpin_lamp_steady(wpin_plant *plant) {
    int rail;
    double volts, lost, resistance = plant->motor.resistance;
    if (!glows(&plant->lamp) || current(plant, &rail, &volts, &lost) == 0) {
        return WPIN_PLANT_FOR_EVER;
    }
    trend t = trend_of(plant);
    plant->motor.resistance = resistance;
    double seconds = STEADY_K / fmax(fabs(t.speed), 1e-6);
    return t.nearing > 0 ? WPIN_PLANT_FOR_EVER : (int64_t)(seconds / PS);
}

/* Diodes shine by their current; what their resistors lose is heat. */
static double shines(const wpin_part_lamp *lamp, double amps, double watts) {
    return lamp->forward_volts > 0 ? amps * lamp->volts / lamp->watts : watts / lamp->watts;
}

/* One piece: how long it took, ps. */
static int64_t advance_piece(wpin_plant *plant, int64_t dt) {
    bool glowing = glows(&plant->lamp);
    trend t = glowing ? trend_of(plant) : (trend){0};
    int64_t piece = glowing ? next_piece(plant, &t, dt) : dt;
    double seconds = (double)piece * PS, volts, lost, shone = plant->effect;
    int rail;
    double amps = current(plant, &rail, &volts, &lost), watts = amps * volts;
    plant->amps = amps;
    plant->volt_seconds += volts * seconds;
    plant->lost += lost * seconds;
    if (glowing) {
        plant->filament = warmed(plant, &t, watts, seconds);
        plant->effect = wpin_calc_filament_light(&plant->wire, plant->filament);
        plant->sums.effect += (shone - plant->effect) / 2 * seconds; /* it came to that evenly */
    } else {
        plant->effect = shines(&plant->lamp, amps, watts);
    }
    wpin_plant_tally(plant, seconds, amps, amps, rail * amps * seconds * plant->feed.share);
    return piece;
}

void wpin_lamp_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        dt -= advance_piece(plant, dt);
    }
}
