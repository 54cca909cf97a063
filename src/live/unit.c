/* In which unit a load is asked by hand, and in which steps. */
#include "live.h"
#include <math.h>

/* Round figures: about a fiftieth of the most, as 1, 2 or 5. */
static double round_step(double most) {
    double grain = pow(10, floor(log10(most / 50)));
    double steps = most / 50 / grain;
    return grain * (steps < 1.5 ? 1 : steps < 3.5 ? 2 : steps < 7.5 ? 5 : 10);
}

wpin_live_asks wpin_live_unit(const wpin_rig *rig, size_t number) {
    const wpin_rig_load *load = &rig->loads[number];
    if (wpin_rig_type(load)->steps) {
        return (wpin_live_asks){"deg", 3600, 15, true, 0};
    }
    bool both = wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE);
    if (load->speed.there) {
        double rated = load->speed.rated;
        return (wpin_live_asks){"rpm", rated, round_step(rated), both,
                                wpin_rig_least_rpm(rig, load)};
    }
    if (!wpin_stage_kind_takes_duty(load->kind)) {
        return (wpin_live_asks){"", 1, 1, both, 0};
    }
    return (wpin_live_asks){"%", load->limits.duty_max * 100, 5, both, 0};
}
