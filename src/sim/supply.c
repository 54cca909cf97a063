/* What a supply gives now, and what is left of it for one of its loads. */
#include "board.h"
#include <math.h>

double wpin_sim_supply_volts(const wpin_sim *sim, int supply) {
    if (supply < 0 || supply >= sim->supply_count ||
        !wpin_supply_live(sim, &sim->supplies[supply])) {
        return 0;
    }
    const wpin_supply *s = &sim->supplies[supply];
    return s->part.volts - s->droop + s->pumped - s->total * s->part.resistance;
}

double wpin_supply_sag_beside(const wpin_sim *sim, int supply, const wpin_plant *plant) {
    const wpin_supply *s = &sim->supplies[supply];
    double sag = wpin_supply_is_shared(s) ? wpin_supply_sag(s, s->total - plant->drawn) : 0;
    return fmin(sag, s->part.volts); /* others' current leaves nothing, but no less */
}
