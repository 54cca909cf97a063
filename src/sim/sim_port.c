/* The board seen from the controller: pins, timers, analogue inputs, clock. */
#include "board.h"
#include <math.h>
#include <string.h>

#define PS_PER_US 1000000

/* The clock moves on by a microsecond with each reading, as real ones do. */
static wpin_moment port_now(void *context) {
    wpin_sim *sim = context;
    int64_t us = wpin_sim_time(sim) / PS_PER_US;
    sim->clock_read = us > sim->clock_read ? us : sim->clock_read + 1;
    return sim->controller.clock_start + (wpin_moment)sim->clock_read;
}

/* A burnt pin takes the call like any other: a controller does not notice. */
static wpin_status port_write(void *context, wpin_pin pin, wpin_level level) {
    wpin_sim *sim = context;
    wpin_sim_pin *p = &sim->pins[pin];
    bool same = !p->wave.pwm && p->wave.level == level;
    if (!p->burnt && p->output && !same) {
        wpin_sim_catch_up(sim);
        p->wave = (wpin_wave){.level = level};
        wpin_pin_changed(sim, pin);
    }
    return WPIN_OK;
}

static wpin_status port_open(void *context, wpin_pin pin, wpin_level safe) {
    wpin_sim *sim = context;
    sim->pins[pin].output = true;
    return port_write(context, pin, safe);
}

static wpin_status port_group_open(void *context, const wpin_pin *pins, uint8_t count,
                                   uint8_t *group) {
    wpin_sim *sim = context;
    if (sim->group_count == WPIN_SIM_GROUPS || count > 8) {
        return WPIN_REFUSED_PORT; /* then they are written one by one */
    }
    memcpy(sim->groups[sim->group_count], pins, count);
    *group = (uint8_t)sim->group_count++;
    return WPIN_OK;
}

static wpin_status port_group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    wpin_sim *sim = context;
    for (unsigned i = 0; mask >> i != 0; i++) {
        if ((mask >> i & 1U) != 0) {
            port_write(context, sim->groups[group][i],
                       (high >> i & 1U) != 0 ? WPIN_HIGH : WPIN_LOW);
        }
    }
    return WPIN_OK;
}

/* Gives a pin its timer. */
static wpin_status start_timer(wpin_sim *sim, wpin_pin pin, const wpin_pwm_request *request,
                               wpin_pwm_achieved *achieved) {
    wpin_sim_pin *p = &sim->pins[pin];
    double hz = 0;
    uint32_t steps = wpin_part_timer_steps(&sim->controller, request->hz, &hz);
    if (steps == 0 || p->no_timer) {
        return WPIN_REFUSED_FREQUENCY;
    }
    p->timer_steps = steps;
    p->period = llround(1e12 / hz);
    p->step = p->period % steps == 0 ? p->period / steps : 0;
    p->inverted = request->inverted;
    p->centred = request->centred;
    p->dead = p->apart = 0;
    *achieved = (wpin_pwm_achieved){.millihertz = (uint32_t)llround(hz * 1e3),
                                    .steps = (uint16_t)(steps > 65535 ? 65535 : steps)};
    return WPIN_OK;
}

static wpin_status port_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                  wpin_pwm_achieved *achieved) {
    return start_timer(context, pin, request, achieved);
}

/* The high side follows the timer, the low side its complement with the dead time at both edges. */
static wpin_status port_leg_start(void *context, wpin_pin high, wpin_pin low,
                                  const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    wpin_sim *sim = context;
    wpin_pwm_request of_low = {
        .hz = request->hz, .inverted = !request->low_inverted, .centred = request->centred};
    wpin_status status = start_timer(sim, high, request, achieved);
    status = status == WPIN_OK ? start_timer(sim, low, &of_low, achieved) : status;
    int64_t dead = (int64_t)request->dead_time_ns * 1000;
    if (status == WPIN_OK && 2 * dead >= sim->pins[low].period) {
        return WPIN_REFUSED_DEAD_TIME;
    }
    sim->pins[low].dead = dead;
    sim->pins[low].apart = sim->pins[high].apart = request->centred ? dead : 0;
    achieved->dead_time_ns = request->dead_time_ns;
    return status;
}

/* The timer has whole steps only: the nearest one. */
static wpin_window window_for(const wpin_sim_pin *p, uint16_t duty) {
    int64_t steps = ((int64_t)duty * p->timer_steps + WPIN_DUTY_FULL / 2) / (int64_t)WPIN_DUTY_FULL;
    int64_t high = p->period * steps / p->timer_steps;
    if (p->centred) { /* of a low side, inverted or not, with the dead time on both sides */
        int64_t begin = (p->period - high) / 2, end = begin + high;
        bool low_side = p->dead > 0 && high > 0;
        begin -= low_side ? p->dead : 0;
        end += low_side ? p->dead : 0;
        return (wpin_window){begin < 0 ? 0 : begin, end > p->period ? p->period : end};
    }
    if (!p->inverted &&
        p->dead > 0) { /* a low side on an inverted wire: off, and dead time around it */
        return (wpin_window){0, high + 2 * p->dead < p->period ? high + 2 * p->dead : p->period};
    }
    if (!p->inverted) {
        return (wpin_window){0, high};
    }
    /* at no duty too it ends early: the plain channel may begin with the next period */
    return (wpin_window){high > 0 ? high + p->dead : 0, p->period - p->dead};
}

/* What a leg's timer does at the begin of a period with another duty, where the period before ends
 * on the other side: that side turns off, and after the dead time this one on. */
static wpin_window held_apart(const wpin_sim_pin *p, wpin_window next) {
    wpin_window now = p->wave.current;
    bool low = p->dead > 0, empty = next.rise >= next.fall;
    if (low && now.fall == p->period && next.rise > 0) {
        return (wpin_window){0, empty || next.fall < p->apart ? p->apart : next.fall};
    }
    bool other_was_on = now.rise >= now.fall || now.fall < p->period - p->apart;
    if (!low && other_was_on && !empty && next.rise < p->apart) {
        next.rise = p->apart < next.fall ? p->apart : next.fall;
    }
    return next;
}

/* How much earlier its wave begins than its timer's period. */
static int64_t early(const wpin_sim_pin *p) {
    return p->inverted || p->centred ? 0 : p->dead;
}

static bool is_input(const wpin_bridge *bridge, int pin) {
    for (int i = 0; i < WPIN_DRIVER_INPUTS; i++) {
        if (bridge->inputs[i] == pin) {
            return true;
        }
    }
    return false;
}

/* When the period of a pin's timer began: those of one driver share it, so that one which starts
 * beside another goes in step with that; else it starts now. */
static int64_t period_begin(const wpin_sim *sim, int pin) {
    const int64_t period = sim->pins[pin].period;
    for (int b = 0; b < sim->bridge_count; b++) {
        const wpin_bridge *bridge = &sim->bridges[b];
        for (int i = 0; i < WPIN_DRIVER_INPUTS && is_input(bridge, pin); i++) {
            const int other = bridge->inputs[i];
            const wpin_sim_pin *q = other == WPIN_SIM_NO_WIRE ? NULL : &sim->pins[other];
            if (q != NULL && other != pin && q->wave.pwm && q->period == period) {
                const int64_t since = sim->now - (q->wave.start + early(q));
                return sim->now - (since % period + period) % period;
            }
        }
    }
    return sim->now;
}

static wpin_status port_pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    wpin_sim *sim = context;
    wpin_sim_pin *p = &sim->pins[pin];
    if (p->burnt || !p->output || p->period == 0) {
        return WPIN_OK;
    }
    wpin_sim_catch_up(sim);
    wpin_window window = window_for(p, duty);
    if (p->wave.pwm) {
        wpin_wave_settle(&p->wave, sim->now);
        p->wave.next = p->apart > 0 ? held_apart(p, window) : window;
    } else {
        p->wave = (wpin_wave){.pwm = true,
                              .low_inside = p->centred && p->inverted,
                              .start = period_begin(sim, pin) - early(p),
                              .period = p->period,
                              .current = window,
                              .next = window};
    }
    wpin_pin_changed(sim, pin);
    return WPIN_OK;
}

static wpin_status port_leg_duty(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    wpin_status status = port_pwm_duty(context, low, duty); /* off before the other may be on */
    return status == WPIN_OK ? port_pwm_duty(context, high, duty) : status;
}

static bool port_read(void *context, wpin_pin pin) {
    wpin_sim *sim = context;
    wpin_sim_catch_up(sim);
    if (sim->pins[pin].button && !sim->pins[pin].output) {
        return wpin_button_level(sim, pin);
    }
    if (sim->pins[pin].limit && !sim->pins[pin].output) {
        return wpin_limit_reached(sim, pin) == sim->pins[pin].opens;
    }
    bool high;
    if (!sim->pins[pin].output &&
        (wpin_hall_level(sim, pin, &high) || wpin_comparator_level(sim, pin, &high))) {
        return high;
    }
    return wpin_cursor_at(&sim->pins[pin].wave, sim->now).level == WPIN_HIGH;
}

/* Noise from tip to tip, evenly spread and repeatable (Park and Miller's generator). */
static double noise_of(wpin_analog *a, double volts) {
    const uint32_t most = 2147483647;
    a->seed = (double)((uint64_t)(a->seed >= 1 ? a->seed : 1) * 16807 % most);
    return (a->seed / most - 0.5) * volts;
}

/* What a converter of so many bits makes of volts: whole steps. */
static double converted(const wpin_sim *sim, double volts) {
    if (sim->converter_bits == 0) {
        return volts;
    }
    double step = sim->controller.logic_volts / exp2(sim->converter_bits);
    return step * floor(volts / step);
}

static int16_t port_millivolts(void *context, uint8_t input) {
    wpin_sim *sim = context;
    wpin_analog *a = &sim->analog[input];
    double volts = 0;
    wpin_sim_catch_up(sim);
    if (a->what == WPIN_SENSED_CURRENT) {
        wpin_bridge *bridge = &sim->bridges[a->part];
        wpin_bridge_lead(sim, bridge);
        double amps =
            bridge->motor == WPIN_SIM_NO_WIRE ? 0 : sim->plants[bridge->motor]->sense_amps;
        const wpin_part_driver *p = &bridge->part;
        double shown = p->sense_zero > 0 ? amps : fabs(amps);
        volts = p->sense_zero + p->sense_off + shown * p->sense_volts_per_amp +
                (p->sense_noise > 0 ? noise_of(a, p->sense_noise) : 0);
        volts = volts > 0 ? volts : 0;
    } else if (a->what == WPIN_SENSED_SHUNT) {
        volts = wpin_shunt_volts(sim, a) + (a->noise > 0 ? noise_of(a, a->noise) : 0);
        volts = volts > 0 ? volts : 0;
    } else if (a->what == WPIN_SENSED_WARMTH) {
        volts = wpin_warmth_volts(sim, a);
    } else if (a->what == WPIN_SENSED_KNOB || a->what == WPIN_SENSED_OTHER) {
        volts = wpin_knob_volts(sim, a);
    } else if (a->what == WPIN_SENSED_SUPPLY && wpin_supply_live(sim, &sim->supplies[a->part])) {
        volts = wpin_sim_supply_volts(sim, a->part) * a->ratio;
    }
    volts = volts > sim->controller.logic_volts ? sim->controller.logic_volts : volts;
    const double mv = converted(sim, volts) * 1e3;
    return (int16_t)(mv >= INT16_MAX ? INT16_MAX : mv < 0 ? mv - 0.5 : mv + 0.5); /* the nearest */
}

static wpin_status port_count(void *context, uint8_t counter, wpin_count *to) {
    wpin_sim_catch_up(context);
    return wpin_encoder_count(context, counter, to);
}

static void port_pause(void *context, uint32_t us) {
    wpin_sim_advance(context, (int64_t)us * PS_PER_US);
}

wpin_port wpin_sim_port(wpin_sim *sim) {
    return (wpin_port){.context = sim,
                       .now = port_now,
                       .open = port_open,
                       .write = port_write,
                       .pwm_start = port_pwm_start,
                       .pwm_duty = port_pwm_duty,
                       .read = port_read,
                       .millivolts = port_millivolts,
                       .count = port_count,
                       .pause = port_pause,
                       .leg_start = port_leg_start,
                       .leg_duty = port_leg_duty,
                       .group_open = port_group_open,
                       .group_write = port_group_write};
}
