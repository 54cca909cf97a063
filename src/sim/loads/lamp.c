/* Lamps and light-emitting diodes: no winding, so the current follows the volts at once. */
#include "../plant.h"
#include "windpin/host/calc.h"
#include <math.h>

#define PS       1e-12
#define ROOM_K   300.0
#define PIECE_PS 50000000 /* 50 us: short against any warm-up */

static wpin_filament filament_of(const wpin_part_lamp *lamp) {
    return (wpin_filament){lamp->volts, lamp->watts, lamp->cold_share, lamp->warm_up};
}

static bool glows(const wpin_part_lamp *lamp) {
    return lamp->forward_volts <= 0 && lamp->cold_share < 1;
}

/* Rated point: a filament takes P = V V / R hot; diodes P = V (V - forward) / R. */
static double rated_resistance(const wpin_part_lamp *lamp) {
    return lamp->volts * (lamp->volts - lamp->forward_volts) / lamp->watts;
}

void wpin_lamp_cool(wpin_plant *plant) {
    const wpin_part_lamp *lamp = &plant->lamp;
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

static void warm(wpin_plant *plant, double watts, double seconds) {
    wpin_filament f = filament_of(&plant->lamp);
    plant->filament = wpin_calc_filament_warm(&f, plant->filament, watts, seconds);
    plant->motor.resistance = wpin_calc_filament_ohms(&f, plant->filament);
    plant->effect = wpin_calc_filament_light(&f, plant->filament);
}

/* Diodes shine by their current; what their resistors lose is heat. */
static double shines(const wpin_part_lamp *lamp, double amps, double watts) {
    return lamp->forward_volts > 0 ? amps * lamp->volts / lamp->watts : watts / lamp->watts;
}

void wpin_lamp_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        int64_t piece = dt < PIECE_PS || !glows(&plant->lamp) ? dt : PIECE_PS;
        double seconds = (double)piece * PS, volts, lost;
        int rail;
        double amps = current(plant, &rail, &volts, &lost), watts = amps * volts;
        plant->amps = amps;
        plant->volt_seconds += volts * seconds;
        plant->lost += lost * seconds;
        if (glows(&plant->lamp)) {
            warm(plant, watts, seconds);
        } else {
            plant->effect = shines(&plant->lamp, amps, watts);
        }
        wpin_plant_tally(plant, seconds, amps, amps, rail * amps * seconds * plant->feed.share);
        dt -= piece;
    }
}
