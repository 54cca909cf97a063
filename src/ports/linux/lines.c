/* Outputs and inputs on lines. */
#define _GNU_SOURCE
#include "linux.h"
#include <errno.h>
#include <linux/gpio.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>

bool wpin_linux_take_inputs(wpin_linux *l, char *why, size_t size) {
    for (size_t i = 0; i < l->config.pin_count; i++) {
        wpin_linux_slot *s = &l->slots[i];
        if (s->is->input) {
            uint64_t bias = s->is->pull_up ? GPIO_V2_LINE_FLAG_BIAS_PULL_UP : 0;
            s->line = wpin_linux_request(s->chip, &s->offset, 1, GPIO_V2_LINE_FLAG_INPUT | bias,
                                         false, why, size);
            if (s->line < 0) {
                return false;
            }
        }
    }
    return true;
}

wpin_status wpin_linux_open_pin(void *context, wpin_pin pin, wpin_level safe) {
    wpin_linux *l = context;
    wpin_linux_slot *s = l->by_pin[pin];
    char why[200];
    if (s == NULL || s->is->input) {
        wpin_linux_break(l, "pin %u is not an output in the rig's 'linux'", pin);
        return WPIN_REFUSED_PORT;
    }
    if (s->duty >= 0) { /* its channel shows 0 % since it was taken */
        return safe == WPIN_LOW ? WPIN_OK : wpin_linux_channel_level(l, s, safe);
    }
    if (s->line >= 0) {
        return wpin_linux_write(context, pin, safe);
    }
    uint64_t flags = safe == WPIN_FLOAT ? GPIO_V2_LINE_FLAG_INPUT : GPIO_V2_LINE_FLAG_OUTPUT;
    s->line = wpin_linux_request(s->chip, &s->offset, 1, flags, safe == WPIN_HIGH, why, sizeof why);
    s->floats = safe == WPIN_FLOAT;
    s->safe = safe;
    if (s->line < 0) {
        wpin_linux_break(l, "pin %u: %s", pin, why);
        return WPIN_REFUSED_PORT;
    }
    wpin_guarded how = safe == WPIN_LOW    ? WPIN_GUARDED_LOW
                       : safe == WPIN_HIGH ? WPIN_GUARDED_HIGH
                                           : WPIN_GUARDED_FLOATS;
    if (!wpin_guardian_add(&l->guardian, how, s->line)) {
        wpin_linux_break(l, "the guardian is gone");
        return WPIN_REFUSED_PORT;
    }
    return WPIN_OK;
}

/* An output with a level, or an input. */
static bool set_role(wpin_linux_slot *s, wpin_level level) {
    struct gpio_v2_line_config to = {.flags = level == WPIN_FLOAT ? GPIO_V2_LINE_FLAG_INPUT
                                                                  : GPIO_V2_LINE_FLAG_OUTPUT};
    if (level != WPIN_FLOAT) {
        to.num_attrs = 1;
        to.attrs[0].mask = 1;
        to.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_OUTPUT_VALUES;
        to.attrs[0].attr.values = level == WPIN_HIGH;
    }
    s->floats = level == WPIN_FLOAT;
    return ioctl(s->line, GPIO_V2_LINE_SET_CONFIG_IOCTL, &to) == 0;
}

wpin_status wpin_linux_write(void *context, wpin_pin pin, wpin_level level) {
    wpin_linux *l = context;
    wpin_linux_slot *s = l->by_pin[pin];
    if (s == NULL || (s->line < 0 && s->duty < 0)) {
        return wpin_linux_break(l, "pin %u is not open", pin);
    }
    if (wpin_guardian_acted(&l->guardian)) { /* it is safe already; what it made so stays */
        return wpin_linux_break(l, "this process was not heard, and the guardian made all safe");
    }
    if (s->duty >= 0) {
        return wpin_linux_channel_level(l, s, level);
    }
    struct gpio_v2_line_values values = {.mask = 1, .bits = level == WPIN_HIGH};
    wpin_linux_mark(l, s, level != s->safe);
    bool shown = level == WPIN_FLOAT || s->floats
                     ? set_role(s, level)
                     : ioctl(s->line, GPIO_V2_LINE_SET_VALUES_IOCTL, &values) == 0;
    return shown ? WPIN_OK
                 : wpin_linux_break(l, "line %u of %s can't be written: %s", s->offset, s->chip,
                                    strerror(errno));
}

bool wpin_linux_read(void *context, wpin_pin pin) {
    wpin_linux *l = context;
    const wpin_linux_slot *s = l->by_pin[pin];
    struct gpio_v2_line_values values = {.mask = 1};
    if (s == NULL || s->line < 0 || ioctl(s->line, GPIO_V2_LINE_GET_VALUES_IOCTL, &values) != 0) {
        wpin_linux_break(l, "pin %u can't be read: %s", pin,
                         s == NULL || s->line < 0 ? "it is not in the rig's 'linux'"
                                                  : strerror(errno));
        return false;
    }
    return (values.bits & 1) != 0;
}
