/* Finds where the encoder of a field-oriented motor counts from, on the simulated board, as the
 * core does it at the first start. */
#include "one_load.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

bool wpin_plan_angle(const wpin_rig *rig, int load, wpin_found_angle *found, char *why,
                     size_t why_size) {
    const wpin_rig_load *l = &rig->loads[load];
    *found = (wpin_found_angle){0};
    if (!l->vector.there || l->hall.there) {
        snprintf(why, why_size,
                 "'%s' finds no angle: it needs 'field-oriented' and an encoder of its own",
                 l->name);
        return false;
    }
    double pairs = l->motor.pole_pairs;
    wpin_vector_design d = wpin_rig_vector_design(rig, l);
    found->amps = d.align_amps;
    found->seconds = 4 * d.align;
    found->turns = 1 / pairs / l->motor.gear_ratio;
    found->quarter_due = wpin_rig_counts(l) / pairs / 4;
    return true;
}

/* Of two electrical angles how far one is from the other, degrees. */
static double apart(double one, double other) {
    double off = fmod(one - other + 540, 360) - 180;
    return off < -180 ? off + 360 : off;
}

/* Led to its two places, as a start of any effort does first; what it counted of the quarter
 * between the two is read as it stands at the second. */
static void lead(wpin_one_load *one, wpin_found_angle *found) {
    const wpin_vector *v = &one->bound.vector_at_work;
    int32_t turn = (int32_t)one->bound.vector.counts_per_turn;
    double begin = wpin_sim_read(one->sim, one->load).turns;
    unsigned before = 0;
    long most = lround(2 * found->seconds / one->rig->controller.tick);
    for (long n = 0; n < most; n++) {
        wpin_part_reading r = wpin_one_load_tick(one);
        found->moved = fmax(found->moved, fabs(r.turns - begin));
        found->amps_peak = fmax(found->amps_peak, fmax(fabs(r.amps_min), fabs(r.amps_max)));
        if (before == 2 && v->aligning == 3) {
            int32_t place = (int32_t)v->place;
            found->quarter = place > turn / 2 ? place - turn : place;
        }
        before = v->aligning;
        found->fault = wpin_motor_fault(&one->motor);
        if (found->fault != WPIN_OK || v->aligned) {
            break;
        }
    }
    wpin_part_phases p;
    if (found->fault == WPIN_OK && v->aligned && wpin_sim_read_phases(one->sim, one->load, &p)) {
        /* a current into lead a alone pulls the rotor to where its own angle is 180 degrees */
        found->off = apart(v->angle * 360.0 / 65536 + 180, p.degrees);
        found->found = true;
    }
}

bool wpin_find_angle(const wpin_rig *rig, int load, const wpin_injection *faults,
                     size_t fault_count, wpin_found_angle *found, char *why, size_t why_size) {
    if (!wpin_plan_angle(rig, load, found, why, why_size)) {
        return false;
    }
    wpin_one_load *one = malloc(sizeof *one);
    if (one == NULL) {
        snprintf(why, why_size, "out of memory");
        return false;
    }
    bool open = wpin_one_load_open_on(one, rig, rig, load, true, why, why_size);
    for (size_t i = 0; open && i < fault_count; i++) {
        wpin_sim_inject(one->sim, faults[i].fault, faults[i].number, faults[i].detail, true);
    }
    wpin_status status = WPIN_OK;
    if (open) {
        for (int ms = 0; ms < 200; ms++) { /* its shunts learn their zero */
            wpin_one_load_tick(one);
        }
        status = wpin_motor_run(&one->motor, WPIN_DUTY_FULL / 100, 0, WPIN_TIMEOUT_HELD);
    }
    if (open && status == WPIN_OK) {
        lead(one, found);
    } else if (open) {
        snprintf(why, why_size, "load '%s': %s", rig->loads[load].name, wpin_status_text(status));
    }
    wpin_one_load_close(one);
    free(one);
    return open && status == WPIN_OK;
}
