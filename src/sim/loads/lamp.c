/* Lamps and light-emitting diodes: no winding, so the current follows the volts at once. */
#include "../plant.h"
#include <math.h>

#define PS       1e-12
#define ROOM_K   300.0
#define PROBE_PS 1e6 /* 1 us: short against any warm-up, whatever the current */
#define PIECE_K  2.0 /* as many kelvin a piece at most... */
#define PIECE_PS 1e9 /* ...and 1 ms, short against its return to rest */

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

/* How warm so many watts have made it in a time. What is left of a glow in the end is none. */
static double warmed(const wpin_plant *plant, double watts, double seconds) {
    const double faint = 1e-3; /* K */
    double kelvin = wpin_calc_filament_warm(&plant->wire, plant->filament, watts, seconds);
    return watts == 0 && kelvin < ROOM_K + faint ? ROOM_K : kelvin;
}

/* How long a filament may take in one piece. Sets its resistance to what it is in the middle of
 * that. */
static int64_t next_piece(wpin_plant *plant, int64_t dt) {
    int rail;
    double volts, lost, watts = current(plant, &rail, &volts, &lost) * volts;
    double change = warmed(plant, watts, PROBE_PS * PS) - plant->filament;
    double pieces = (double)dt * fmax(fabs(change) / (PIECE_K * PROBE_PS), 1 / PIECE_PS);
    int64_t piece = pieces <= 1 ? dt : (int64_t)fmax((double)dt / pieces, 1);
    double middle = plant->filament + change * (double)piece / (2 * PROBE_PS);
    plant->motor.resistance = wpin_calc_filament_ohms(&plant->wire, fmax(middle, ROOM_K));
    return piece;
}

/* Diodes shine by their current; what their resistors lose is heat. */
static double shines(const wpin_part_lamp *lamp, double amps, double watts) {
    return lamp->forward_volts > 0 ? amps * lamp->volts / lamp->watts : watts / lamp->watts;
}

void wpin_lamp_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        int64_t piece = glows(&plant->lamp) ? next_piece(plant, dt) : dt;
        double seconds = (double)piece * PS, volts, lost;
        int rail;
        double amps = current(plant, &rail, &volts, &lost), watts = amps * volts;
        plant->amps = amps;
        plant->volt_seconds += volts * seconds;
        plant->lost += lost * seconds;
        if (glows(&plant->lamp)) {
            plant->filament = warmed(plant, watts, seconds);
            plant->effect = wpin_calc_filament_light(&plant->wire, plant->filament);
        } else {
            plant->effect = shines(&plant->lamp, amps, watts);
        }
        wpin_plant_tally(plant, seconds, amps, amps, rail * amps * seconds * plant->feed.share);
        dt -= piece;
    }
}
