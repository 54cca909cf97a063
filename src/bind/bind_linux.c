/* From the rig to the lines, channels and counters of a small computer. */
#include "windpin/host/bind_linux.h"
#include <stdio.h>
#include <string.h>

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
static wpin_linux_line line_of(const binder *b, uint8_t pin, char *number, size_t size) {
    const wpin_rig_linux_pin *p = find(b->from, pin);
    const char *usual = b->from->chip[0] != '\0' ? b->from->chip : NULL;
    snprintf(number, size, "%u", pin);
    return p == NULL ? (wpin_linux_line){usual, number}
                     : (wpin_linux_line){p->chip[0] != '\0' ? p->chip : usual,
                                         p->line[0] != '\0' ? p->line : NULL};
}

/* Buttons and limit switches have a pull-up. */
static bool add_pin(const binder *b, uint8_t pin, bool input, bool fast) {
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
    wpin_linux_line line = line_of(b, pin, to->numbers[n], sizeof to->numbers[n]);
    to->pins[n] = (wpin_linux_pin){.pin = pin,
                                   .input = input,
                                   .pull_up = input,
                                   .fast = fast,
                                   .line = channel ? (wpin_linux_line){NULL, NULL} : line,
                                   .pwm = channel ? p->pwm : NULL};
    to->config.pin_count++;
    return true;
}

static bool add_stage(const binder *b, const wpin_rig_load *load) {
    bool steps = wpin_rig_type(load)->steps, added = true;
    for (unsigned l = 0; l < load->kind->table->line_count && added; l++) {
        bool soft = load->limits.soft_pwm && wpin_stage_kind_times_line(load->kind, l);
        added = add_pin(b, load->pins[l], false, steps || soft);
    }
    return added;
}

static bool add_encoder(const binder *b, const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_bound_linux *to = b->to;
    size_t n = to->config.encoder_count;
    wpin_linux_encoder *e = &to->encoders[n];
    if (!wpin_rig_counts_here(load)) {
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
    to->config.encoder_count++;
    for (int c = 0; e->count == NULL && c < (load->encoder.one_channel ? 1 : 2); c++) {
        e->channels[c] =
            line_of(b, load->encoder.pins[c], to->channels[n][c], sizeof to->channels[n][c]);
    }
    return true;
}

/* The first thing that can't be. */
static void tell_first(void *context, const char *part, const char *what, const char *cure) {
    const binder *b = context;
    (void)part;
    if (b->why[0] == '\0') {
        snprintf(b->why, b->size, "%s: expected %s", what, cure);
    }
}

bool wpin_bind_linux(wpin_bound_linux *to, const wpin_rig *rig, char *why, size_t size) {
    binder b = {.to = to, .from = wpin_rig_linux_of(rig), .why = why, .size = size};
    memset(to, 0, sizeof *to);
    why[0] = '\0';
    if (!wpin_rig_fits_linux(rig, tell_first, &b)) {
        return false;
    }
    to->config =
        (wpin_linux_config){.pins = to->pins,
                            .encoders = to->encoders,
                            .analogs = to->analogs,
                            .guard = wpin_rig_guard_linux(rig),
                            .watchdog = b.from->watchdog[0] == '\0' ? NULL : b.from->watchdog};
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        if (!add_stage(&b, load) || !add_encoder(&b, rig, load)) {
            return false;
        }
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *in = &rig->inputs[i];
        if (in->kind <= WPIN_RIG_LIMIT && !add_pin(&b, (uint8_t)in->pin, true, false)) {
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
