/* Motor, gear and load as one, on the motor's own shaft. */
#include "windpin/host/parts.h"
#include <math.h>

#define PI 3.14159265358979323846

wpin_at_shaft wpin_part_at_shaft(const wpin_part_motor *m) {
    double n = m->gear_ratio, loss = m->gear_efficiency, load = m->load_torque / (n * loss);
    return (wpin_at_shaft){.holds = m->static_friction + m->cogging + load,
                           .drags = m->dry_friction + load,
                           .viscous = m->viscous_friction + m->load_viscous / (n * n * loss),
                           .quadratic = m->load_quadratic / (n * n * n * loss),
                           .inertia = m->inertia + m->load_inertia / (n * n)};
}

double wpin_part_drag(const wpin_at_shaft *shaft, double w) {
    return shaft->drags + (shaft->viscous + shaft->quadratic * w) * w;
}

double wpin_part_shaft_speed(const wpin_part_motor *motor, double rpm) {
    return rpm * motor->gear_ratio * PI / 30;
}

double wpin_part_output_rpm(const wpin_part_motor *motor, double speed) {
    return speed * 30 / PI / motor->gear_ratio;
}

void wpin_part_in_frame(const wpin_part_phases *p, double *along, double *across) {
    double q = (p->degrees - 90) * PI / 180; /* where its back-emf points */
    double x = p->amps[0], y = (p->amps[1] - p->amps[2]) / sqrt(3);
    *along = x * sin(q) - y * cos(q);
    *across = x * cos(q) + y * sin(q);
}
