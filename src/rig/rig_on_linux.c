/* Whether a rig can move the pins of a small computer, as far as its file tells: for vetting, and
 * for the binding, which refuses what is told here. */
#include "rig_parts.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#define GUARDED_TICKS 25 /* so many control periods may be late before the guardian acts */

typedef struct looker {
    const wpin_rig *rig;
    const wpin_rig_linux *at;
    wpin_rig_tell *tell;
    void *context;
    bool fits;
} looker;

__attribute__((format(printf, 4, 5))) static void
obstacle(looker *l, const char *part, const char *cure, const char *what, ...) {
    char words[300];
    va_list list;
    va_start(list, what);
    wpin_print_plain(words, sizeof words, what, list);
    va_end(list);
    l->fits = false;
    l->tell(l->context, part, words, cure);
}

static const wpin_rig_linux_pin *place_of(const looker *l, uint8_t pin) {
    for (size_t i = 0; i < l->at->pin_count; i++) {
        if (l->at->pins[i].pin == pin) {
            return &l->at->pins[i];
        }
    }
    return NULL;
}

static bool is_channel(const looker *l, uint8_t pin) {
    const wpin_rig_linux_pin *p = place_of(l, pin);
    return p != NULL && p->pwm[0] != '\0';
}

static const char *chip_of(const looker *l, uint8_t pin) {
    const wpin_rig_linux_pin *p = place_of(l, pin);
    return p != NULL && p->chip[0] != '\0' ? p->chip : l->at->chip;
}

static bool is_slow(const looker *l, uint8_t pin) {
    bool slow = false;
    for (size_t i = 0; i < l->at->slow_count && !is_channel(l, pin); i++) {
        slow = slow || strcmp(l->at->slow[i], chip_of(l, pin)) == 0;
    }
    return slow;
}

/* What of a load or input a pin is for. */
typedef struct use {
    const char *part;
    char of[80];
    bool input, fast; /* fast: many edges a second */
} use;

/* A listed pin on the line that this one, which is not listed, has by its number; NULL: none. */
static const wpin_rig_linux_pin *twin_by_number(const looker *l, uint8_t pin) {
    char number[8];
    snprintf(number, sizeof number, "%u", pin);
    for (size_t i = 0; i < l->at->pin_count && place_of(l, pin) == NULL; i++) {
        const wpin_rig_linux_pin *p = &l->at->pins[i];
        if (strcmp(p->line, number) == 0 && strcmp(chip_of(l, p->pin), l->at->chip) == 0) {
            return p;
        }
    }
    return NULL;
}

static void look_at_place(looker *l, uint8_t pin, const use *u) {
    char cure[200];
    const wpin_rig_linux_pin *twin = twin_by_number(l, pin);
    if (twin != NULL && l->at->chip[0] != '\0') {
        obstacle(l, u->part, "it in 'linux: pins' too, or another line for the other",
                 "pin %u (%s) is not listed, so line %u of %s, which pin %u has", pin, u->of, pin,
                 l->at->chip, twin->pin);
    } else if (place_of(l, pin) == NULL && l->at->chip[0] == '\0') {
        obstacle(l, u->part, "it there, or a 'chip' whose lines have the same numbers",
                 "pin %u (%s) is not in 'linux: pins'", pin, u->of);
    } else if (u->input && is_channel(l, pin)) {
        snprintf(cure, sizeof cure, "a line, e.g. %u: {line: 17}", pin);
        obstacle(l, u->part, cure, "pin %u (%s) is an input, and has a PWM channel", pin, u->of);
    } else if (u->fast && is_slow(l, pin)) {
        obstacle(l, u->part, "a line of the computer's own chip",
                 "pin %u (%s) has many edges a second, and %s is slow: each change goes over a bus",
                 pin, u->of, chip_of(l, pin));
    }
}

static bool is_timed(wpin_cell cell) {
    return cell == WPIN_CELL_DUTY || cell == WPIN_CELL_COMPLEMENT;
}

/* Whether both sides of a leg carry PWM in any row. */
static bool is_complementary(const wpin_stage_table *t) {
    for (uint8_t row = 0; row < t->row_count; row++) {
        for (uint8_t n = 0; n < t->leg_count; n++) {
            if (is_timed(wpin_table_cell(t, row, t->legs[n].high_side)) &&
                is_timed(wpin_table_cell(t, row, t->legs[n].low_side))) {
                return true;
            }
        }
    }
    return false;
}

/* What has to be answered within microseconds, or needs hardware that sysfs has no word for. */
static void look_at_kind(looker *l, const wpin_rig_load *load) {
    if (load->hall.there || load->crossing.there || load->vector.there) {
        obstacle(l, load->name,
                 "a controller (windpin export), or a driver that commutates by itself",
                 "'%s' is commutated by its sensors, which Linux can't do in time", load->name);
    } else if (is_complementary(load->kind->table)) {
        obstacle(l, load->name, "a controller (windpin export), or a stage of another kind",
                 "'%s' needs complementary PWM with a dead time, which Linux can't make",
                 load->name);
    }
}

static void look_at_stage(looker *l, const wpin_rig_load *load) {
    bool steps = wpin_rig_type(load)->steps;
    for (unsigned n = 0; n < load->kind->table->line_count; n++) {
        bool timed = wpin_stage_kind_times_line(load->kind, n), soft = load->limits.soft_pwm;
        use u = {.part = load->name, .fast = steps || (timed && soft)};
        snprintf(u.of, sizeof u.of, "'%.24s' of '%.24s'", load->kind->lines[n], load->name);
        if (timed && !soft && !is_channel(l, load->pins[n])) {
            char cure[120];
            snprintf(cure, sizeof cure,
                     "a channel, %u: {pwm: pwmchip0/0}, or 'pwm-by: software' in its stage",
                     load->pins[n]);
            obstacle(l, load->name, cure, "pin %u (%s) makes PWM", load->pins[n], u.of);
        } else {
            look_at_place(l, load->pins[n], &u);
        }
    }
}

static const char *counter_of(const looker *l, const wpin_rig_load *load) {
    for (size_t i = 0; i < l->at->counter_count; i++) {
        if (&l->rig->loads[l->at->counters[i].load] == load) {
            return l->at->counters[i].count;
        }
    }
    return NULL;
}

static void look_at_encoder(looker *l, const wpin_rig_load *load) {
    const wpin_rig_encoder *e = &load->encoder;
    const char *count = counter_of(l, load);
    if (!wpin_rig_counts_here(load)) {
        return;
    }
    if (count != NULL) {
        if (!e->no_moments) {
            obstacle(l, load->name, "'moments: no' in it",
                     "%s does not report when it counted, which the encoder of '%s' goes by", count,
                     load->name);
        }
        return;
    }
    for (int c = 0; c < (e->one_channel ? 1 : 2); c++) {
        use u = {.part = load->name, .input = true, .fast = true};
        snprintf(u.of, sizeof u.of, "channel %c of the encoder of '%.24s'", 'a' + c, load->name);
        look_at_place(l, e->pins[c], &u);
    }
    if (!e->one_channel && strcmp(chip_of(l, e->pins[0]), chip_of(l, e->pins[1])) != 0) {
        obstacle(l, load->name, "both on one chip",
                 "the channels of the encoder of '%s' are on two chips, %s and %s: the order of "
                 "their edges is not known",
                 load->name, chip_of(l, e->pins[0]), chip_of(l, e->pins[1]));
    }
}

static bool is_measured(const looker *l, double input) {
    for (size_t i = 0; i < l->at->analog_count; i++) {
        if (l->at->analogs[i].input == (unsigned)input) {
            return true;
        }
    }
    return false;
}

static void look_at_analog(looker *l, const char *part, double input) {
    if (input >= 0 && !is_measured(l, input)) {
        char cure[120];
        snprintf(cure, sizeof cure, "a channel, e.g. analog: {%.0f: iio:device0/voltage0}", input);
        obstacle(l, part, cure, "its analogue input %.0f is not in 'linux: analog'", input);
    }
}

static void look_at_inputs(looker *l) {
    for (size_t i = 0; i < l->rig->input_count; i++) {
        const wpin_rig_input *in = &l->rig->inputs[i];
        use u = {.part = in->name, .input = true};
        snprintf(u.of, sizeof u.of, "input '%.24s'", in->name);
        if (in->kind <= WPIN_RIG_LIMIT) {
            look_at_place(l, (uint8_t)in->pin, &u);
        } else if (in->kind != WPIN_RIG_PAIR) {
            look_at_analog(l, in->name, in->analog);
        }
    }
}

static bool same_place(const looker *l, const wpin_rig_linux_pin *a, const wpin_rig_linux_pin *b) {
    return strcmp(a->pwm, b->pwm) == 0 && strcmp(a->line, b->line) == 0 &&
           strcmp(chip_of(l, a->pin), chip_of(l, b->pin)) == 0;
}

static void look_for_twins(looker *l) {
    for (size_t i = 0; i < l->at->pin_count; i++) {
        for (size_t k = 0; k < i; k++) {
            const wpin_rig_linux_pin *a = &l->at->pins[k], *b = &l->at->pins[i];
            if (same_place(l, a, b)) {
                obstacle(l, "controller", "another one", "pins %u and %u are both %s", a->pin,
                         b->pin, a->pwm[0] != '\0' ? a->pwm : a->line);
            }
        }
    }
}

/* Whether any pin, counter or analogue input of this computer is needed: drives on a field bus need
 * none. */
static bool needs_pins(const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        if (l->kind->table->line_count > 0 || wpin_rig_counts_here(l) ||
            l->limits.trip_input >= 0) {
            return true;
        }
    }
    return rig->input_count > 0;
}

const wpin_rig_linux *wpin_rig_linux_of(const wpin_rig *rig) {
    static const wpin_rig_linux nothing;
    return rig->on_linux != NULL ? rig->on_linux : needs_pins(rig) ? NULL : &nothing;
}

static void look_at_fieldbuses(looker *l) {
    for (size_t i = 0; i < l->rig->fieldbus_count; i++) {
        const wpin_rig_fieldbus *b = &l->rig->fieldbuses[i];
        if (b->interface[0] == '\0') {
            l->fits = false;
            l->tell(l->context, b->name,
                    "the rig does not say which interface of this computer it is on",
                    "'interface: can0'");
        }
    }
}

bool wpin_rig_fits_linux(const wpin_rig *rig, wpin_rig_tell *tell, void *context) {
    looker l = {rig, wpin_rig_linux_of(rig), tell, context, true};
    double least = GUARDED_TICKS * rig->controller.tick;
    if (l.at == NULL) {
        obstacle(&l, "controller",
                 "'linux: {chip: gpiochip0, pins: {4: 17, 9: {pwm: pwmchip0/0}}}'",
                 "the rig does not say where its pins are on this computer");
        return false;
    }
    if (l.at->guard > 0 && l.at->guard < least) {
        char cure[40];
        wpin_plain(cure, sizeof cure, "%.3g ms at least", least * 1e3);
        obstacle(&l, "controller", cure, "guard %.3g ms is too short for a tick of %.3g ms",
                 l.at->guard * 1e3, rig->controller.tick * 1e3);
    }
    look_for_twins(&l);
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        look_at_kind(&l, load);
        look_at_stage(&l, load);
        look_at_encoder(&l, load);
        look_at_analog(&l, load->name, load->limits.trip_input);
        look_at_analog(&l, load->name, load->thermistor.there ? load->thermistor.input : -1);
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        look_at_analog(&l, s->name, s->sense.there ? s->sense.input : -1);
    }
    look_at_inputs(&l);
    look_at_fieldbuses(&l);
    return l.fits;
}

double wpin_rig_guard_linux(const wpin_rig *rig) {
    double usual = fmax(0.1, GUARDED_TICKS * rig->controller.tick);
    return rig->on_linux != NULL && rig->on_linux->guard > 0 ? rig->on_linux->guard : usual;
}
