/* From the rig to the lines, channels and counters of a small computer. */
#include "windpin/host/bind_linux.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define GUARD_USUAL   0.1 /* s */
#define GUARDED_TICKS 25  /* so many control periods may be late before the guardian acts */

static const wpin_rig_linux_pin *find(const wpin_rig_linux *section, uint8_t pin) {
    for (size_t i = 0; i < section->pin_count; i++) {
        if (section->pins[i].pin == pin) {
            return &section->pins[i];
        }
    }
    return NULL;
}

typedef struct binder {
    wpin_bound_linux *to;
    const wpin_rig_linux *from;
    char *why;
    size_t size;
} binder;

/* The line of a pin: as listed, or that of the same number. */
static bool line_of(const binder *b, uint8_t pin, const char *of, char *number, size_t size,
                    wpin_linux_line *line) {
    const wpin_rig_linux_pin *p = find(b->from, pin);
    const char *usual = b->from->chip[0] != '\0' ? b->from->chip : NULL;
    if (p == NULL && usual == NULL) {
        snprintf(b->why, b->size,
                 "pin %u (%s) is not in 'linux: pins', and there is no 'chip' whose lines have the "
                 "same numbers",
                 pin, of);
        return false;
    }
    snprintf(number, size, "%u", pin);
    *line = p == NULL ? (wpin_linux_line){usual, number}
                      : (wpin_linux_line){p->chip[0] != '\0' ? p->chip : usual,
                                          p->line[0] != '\0' ? p->line : NULL};
    return true;
}

static bool add_pin(const binder *b, uint8_t pin, bool input, bool pull_up, const char *of) {
    wpin_bound_linux *to = b->to;
    size_t n = to->config.pin_count;
    for (size_t i = 0; i < n; i++) { /* shared lines come twice */
        if (to->pins[i].pin == pin) {
            return true;
        }
    }
    if (n == sizeof to->pins / sizeof *to->pins) {
        snprintf(b->why, b->size, "too many pins");
        return false;
    }
    const wpin_rig_linux_pin *p = find(b->from, pin);
    bool channel = p != NULL && p->pwm[0] != '\0';
    wpin_linux_line line = {NULL, NULL};
    if (!line_of(b, pin, of, to->numbers[n], sizeof to->numbers[n], &line)) {
        return false;
    }
    if (input && channel) {
        snprintf(b->why, b->size, "pin %u (%s) is an input, and %s is a PWM channel", pin, of,
                 p->pwm);
        return false;
    }
    to->pins[n] = (wpin_linux_pin){.pin = pin,
                                   .input = input,
                                   .pull_up = pull_up,
                                   .line = channel ? (wpin_linux_line){NULL, NULL} : line,
                                   .pwm = channel ? p->pwm : NULL};
    to->config.pin_count++;
    return true;
}

/* A stage's lines; what makes PWM by a timer needs a channel. */
static bool add_stage(const binder *b, const wpin_rig_load *load) {
    for (unsigned l = 0; l < load->kind->table->line_count; l++) {
        char of[80];
        const wpin_rig_linux_pin *p = find(b->from, load->pins[l]);
        bool channel = p != NULL && p->pwm[0] != '\0';
        snprintf(of, sizeof of, "'%s' of '%s'", load->kind->lines[l], load->name);
        if (wpin_stage_kind_times_line(load->kind, l) && !load->limits.soft_pwm && !channel) {
            snprintf(b->why, b->size,
                     "pin %u (%s) makes PWM: expected a channel, %u: {pwm: pwmchip0/0}, or "
                     "'pwm-by: software' in its stage",
                     load->pins[l], of, load->pins[l]);
            return false;
        }
        if (!add_pin(b, load->pins[l], false, false, of)) {
            return false;
        }
    }
    return true;
}

static bool add_encoder(const binder *b, const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_bound_linux *to = b->to;
    size_t n = to->config.encoder_count;
    wpin_linux_encoder *e = &to->encoders[n];
    if (!load->encoder.there || load->encoder.by_hall) {
        return true;
    }
    if (n == sizeof to->encoders / sizeof *to->encoders) {
        snprintf(b->why, b->size, "too many encoders");
        return false;
    }
    *e = (wpin_linux_encoder){.counter = (uint8_t)n};
    for (size_t i = 0; i < b->from->counter_count; i++) {
        if (&rig->loads[b->from->counters[i].load] == load) {
            e->count = b->from->counters[i].count;
        }
    }
    if (e->count != NULL && !load->encoder.no_moments) {
        snprintf(b->why, b->size,
                 "%s does not tell when it counted: the encoder of '%s' needs 'moments: no'",
                 e->count, load->name);
        return false;
    }
    to->config.encoder_count++;
    for (int c = 0; e->count == NULL && c < (load->encoder.one_channel ? 1 : 2); c++) {
        char of[80];
        snprintf(of, sizeof of, "channel %c of the encoder of '%s'", 'a' + c, load->name);
        if (!line_of(b, load->encoder.pins[c], of, to->channels[n][c], sizeof to->channels[n][c],
                     &e->channels[c])) {
            return false;
        }
    }
    return true;
}

/* What has to be answered within microseconds is no work for an operating system. */
static bool can_be_driven(const binder *b, const wpin_rig_load *load) {
    bool fast = load->hall.there || load->crossing.there;
    if (fast) {
        snprintf(b->why, b->size,
                 "'%s' is commutated by its sensors, which Linux can't do in time: a controller "
                 "(windpin export) or a driver that does it itself",
                 load->name);
    }
    return !fast;
}

bool wpin_bind_linux(wpin_bound_linux *to, const wpin_rig *rig, char *why, size_t size) {
    const binder b = {.to = to, .from = rig->on_linux, .why = why, .size = size};
    memset(to, 0, sizeof *to);
    if (b.from == NULL) {
        snprintf(why, size,
                 "the rig does not say where its pins are on this computer: 'linux: {chip: "
                 "gpiochip0, pins: {4: 17, 9: {pwm: pwmchip0/0}}}'");
        return false;
    }
    if (b.from->guard > 0 && b.from->guard < GUARDED_TICKS * rig->controller.tick) {
        snprintf(why, size,
                 "guard %.3g ms is too short for a tick of %.3g ms; expected %.3g ms at least",
                 b.from->guard * 1e3, rig->controller.tick * 1e3,
                 GUARDED_TICKS * rig->controller.tick * 1e3);
        return false;
    }
    to->config = (wpin_linux_config){
        .pins = to->pins,
        .encoders = to->encoders,
        .analogs = to->analogs,
        .guard = b.from->guard > 0 ? b.from->guard
                                   : fmax(GUARD_USUAL, GUARDED_TICKS * rig->controller.tick),
        .watchdog = b.from->watchdog[0] == '\0' ? NULL : b.from->watchdog};
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        if (!can_be_driven(&b, load) || !add_stage(&b, load) || !add_encoder(&b, rig, load)) {
            return false;
        }
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *in = &rig->inputs[i];
        char of[80];
        snprintf(of, sizeof of, "input '%s'", in->name);
        if (in->kind <= WPIN_RIG_LIMIT && !add_pin(&b, (uint8_t)in->pin, true, true, of)) {
            return false;
        }
    }
    for (size_t i = 0; i < b.from->analog_count; i++) {
        to->analogs[i] = (wpin_linux_analog){.input = b.from->analogs[i].input,
                                             .channel = b.from->analogs[i].channel};
    }
    to->config.analog_count = b.from->analog_count;
    return true;
}
