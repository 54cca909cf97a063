/* Before a plan runs: the boot of the controller, the port, every load opened. */
#include "session.h"
#include <math.h>
#include <stdio.h>

/* Pins whose PWM is made in software go through a port of their own. */
void wpin_session_choose_port(wpin_session *run) {
    wpin_pin pins[WPIN_SOFT_PINS];
    uint8_t count = wpin_bind_soft_pins(run->rig, pins);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->fast_used = run->fast_used || wpin_rig_needs_fast_tick(&run->rig->loads[i]);
    }
    uint16_t tick = (uint16_t)lround(run->rig->controller.soft_tick * 1e6);
    run->soft_used =
        count > 0 && wpin_soft_pwm_init(&run->soft, &run->port, tick, pins, count) == WPIN_OK;
    run->motor_port = run->soft_used ? &run->soft.port : &run->port;
}

static wpin_status open_load(wpin_session *run, size_t i) {
    run->motor_list[i] = &run->motors[i];
    wpin_status status = wpin_bound_open(&run->bound[i], &run->motors[i], run->motor_port);
    run->report->pwm[i] = run->bound[i].achieved;
    if (run->bench.listen != NULL) {
        run->bench.listen(run->bench.context, &run->bound[i], i);
    }
    bool later = run->rig->loads[i].axis.there; /* once its drive is set up */
    bool arms = status == WPIN_OK && !later && !(run->by_hand && run->options.disarmed);
    return arms ? wpin_motor_arm(&run->motors[i]) : status;
}

/* Opens every load, and arms every motor. */
wpin_status wpin_session_open_loads(wpin_session *run, char *why, size_t size) {
    if (!wpin_session_open_networks(run, why, size)) {
        return WPIN_REFUSED_PORT;
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_bind_load(&run->bound[i], run->rig, &run->rig->loads[i]);
        wpin_session_join_network(run, i);
    }
    wpin_bind_shared(run->bound, run->rig);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        const wpin_rig_load *load = &run->rig->loads[i];
        wpin_status status = open_load(run, i);
        if (status != WPIN_OK) {
            snprintf(why, size, "load '%s' (line %u): %s %s", load->name, load->line,
                     wpin_status_text(status), wpin_status_remedy(status));
            return status;
        }
    }
    return WPIN_OK;
}

/* While the controller boots its pins float; what moves then moves by itself. */
void wpin_session_boot(wpin_session *run) {
    run->read_at = wpin_session_clock(run);
    run->bench.wait(run->bench.context, run->read_at + llround(run->rig->controller.boot * 1e12));
    for (size_t i = 0; wpin_session_knows(run) && i < run->rig->load_count; i++) {
        wpin_part_reading r = wpin_session_read(run, i, 0);
        double amps = fmax(fabs(r.amps_min), fabs(r.amps_max));
        if (amps > 10e-3) {
            wpin_session_note(
                run, run->rig->loads[i].name,
                "is driven (%.2f A) while the controller boots: a control line floats; it "
                "needs a pull resistor",
                amps);
            run->driven_at_boot = true;
        }
    }
}
