/* The simulated board of a rig as a bench for a session. */
#include "windpin/host/rehearsal.h"
#include <math.h>

void wpin_bound_listen(wpin_bound_load *bound, wpin_sim *sim, const wpin_rig *rig, size_t load) {
    int halls = 0, shunts = 0;
    for (size_t i = 0; i < load; i++) {
        halls += rig->loads[i].hall.there ? 1 : 0;
        shunts += rig->loads[i].vector.there ? 1 : 0;
    }
    if (rig->loads[load].hall.there) {
        wpin_sim_on_hall(sim, halls, wpin_bound_edge, bound);
        if (rig->loads[load].hall.advance > 0) {
            wpin_sim_on_pwm_middle(sim, (int)load, wpin_bound_look, bound);
        }
    }
    if (rig->loads[load].crossing.there) {
        wpin_sim_on_pwm_middle(sim, (int)load, wpin_bound_sample, bound);
    }
    if (rig->loads[load].vector.there) {
        wpin_sim_on_pwm_begin(sim, shunts, wpin_bound_period, bound);
    }
}

wpin_part_reading wpin_board_read(const wpin_board_bench *board, size_t load) {
    wpin_part_reading r = wpin_sim_read(board->sim, (int)load);
    if (board->rig->loads[load].reversed) {
        double least = r.amps_min;
        r.amps_min = -r.amps_max;
        r.amps_max = -least;
        r.volts = -r.volts;
        r.amps = -r.amps;
        r.amps_now = -r.amps_now;
        r.rpm = -r.rpm;
        r.rpm_mean = -r.rpm_mean;
        r.turns = -r.turns;
    }
    return r;
}

/* ---- what a session asks of it ---- */

static const wpin_board_bench *of(const void *context) {
    return context;
}

static int64_t time_of(void *context) {
    return wpin_sim_time(of(context)->sim);
}

static void wait(void *context, int64_t until) {
    wpin_sim *sim = of(context)->sim;
    wpin_sim_advance(sim, until - wpin_sim_time(sim));
}

static void pass(void *context, int64_t until) {
    wpin_sim *sim = of(context)->sim;
    wpin_sim_pass(sim, until - wpin_sim_time(sim));
}

static bool switch_supply(void *context, size_t supply, bool on) {
    return wpin_sim_switch(of(context)->sim, (int)supply, on);
}

static bool press(void *context, size_t input, bool pressed) {
    return wpin_sim_press(of(context)->sim, (wpin_pin)of(context)->rig->inputs[input].pin, pressed);
}

static bool set_input(void *context, size_t number, double volts) {
    const wpin_rig *rig = of(context)->rig;
    const wpin_rig_input *input = &rig->inputs[number];
    wpin_sim *sim = of(context)->sim;
    return input->kind == WPIN_RIG_KNOB
               ? wpin_sim_turn(sim, (uint8_t)input->analog,
                               fmin(volts / rig->controller.logic_volts, 1))
               : wpin_sim_set_sensor(sim, (uint8_t)input->analog, volts);
}

static bool inject(void *context, const wpin_injection *fault, bool on) {
    return wpin_sim_inject(of(context)->sim, fault->fault, fault->number, fault->detail, on);
}

static void listen(void *context, wpin_bound_load *bound, size_t load) {
    wpin_bound_listen(bound, of(context)->sim, of(context)->rig, load);
}

static bool fieldbus(void *context, size_t number, wpin_fieldbus *bus) {
    return wpin_sim_fieldbus(of(context)->sim, (int)number, bus);
}

static wpin_part_reading read_load(void *context, size_t load) {
    return wpin_board_read(context, load);
}

static bool supply_is_on(void *context, size_t supply) {
    return wpin_sim_supply_on(of(context)->sim, (int)supply);
}

static double supply_volts(void *context, size_t supply) {
    return wpin_sim_supply_volts(of(context)->sim, (int)supply);
}

static int resets(void *context) {
    return wpin_sim_resets(of(context)->sim);
}

static bool link_lost(void *context) {
    return wpin_sim_link_lost(of(context)->sim);
}

static bool interrupts_off(void *context) {
    return wpin_sim_interrupts_off(of(context)->sim);
}

static const wpin_part_burn *burns(void *context, size_t *count) {
    return wpin_sim_burns(of(context)->sim, count);
}

static const wpin_part_event *events(void *context, size_t *count) {
    return wpin_sim_events(of(context)->sim, count);
}

static bool out_of_memory(void *context) {
    return wpin_sim_out_of_memory(of(context)->sim);
}

static void watch_pins(void *context, wpin_pin_watcher *watcher, void *to) {
    wpin_sim_watch_pins(of(context)->sim, watcher, to);
}

wpin_bench wpin_bench_on_board(wpin_board_bench *board) {
    return (wpin_bench){.context = board,
                        .port = wpin_sim_port(board->sim),
                        .time = time_of,
                        .wait = wait,
                        .pass = pass,
                        .switch_supply = switch_supply,
                        .press = press,
                        .set_input = set_input,
                        .inject = inject,
                        .listen = listen,
                        .fieldbus = fieldbus,
                        .read = read_load,
                        .supply_is_on = supply_is_on,
                        .supply_volts = supply_volts,
                        .resets = resets,
                        .link_lost = link_lost,
                        .interrupts_off = interrupts_off,
                        .burns = burns,
                        .events = events,
                        .out_of_memory = out_of_memory,
                        .watch_pins = watch_pins};
}

void wpin_board_bench_free(wpin_board_bench *board) {
    wpin_sim_free(board->sim);
    board->sim = NULL;
}
