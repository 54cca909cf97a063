/* linux: where the pins of the rig are on a small computer. */
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { LINUX_CHIP, LINUX_PINS, LINUX_COUNTERS, LINUX_ANALOG, LINUX_WATCHDOG, LINUX_SLOW };
static const wpin_field fields[] = {
    NODE("chip", false),
    NODE("pins", false),
    NODE("counters", false),
    NODE("analog", false),
    NODE("watchdog", false),
    NODE("slow", false),
    QUANTITY("guard", wpin_rig_linux, guard, false, WPIN_TIME, 0.02, 10)};

enum { PIN_CHIP, PIN_LINE, PIN_PWM };
static const wpin_field pin_fields[] = {NODE("chip", false), NODE("line", false),
                                        NODE("pwm", false)};

/* A name that fits; "" where there is none. */
static void read_name(wpin_reader *reader, yaml_node_t *node, const char *expected, char *to,
                      size_t size) {
    const char *text = node == NULL ? NULL : wpin_scalar(reader, node, expected);
    if (text != NULL && (text[0] == '\0' || strlen(text) >= size)) {
        wpin_say_at(reader, node, "expected %s, of up to %zu characters", expected, size - 1);
    } else if (text != NULL) {
        snprintf(to, size, "%s", text);
    }
}

/* CHIP/CHANNEL */
static void read_two(wpin_reader *reader, yaml_node_t *node, const char *expected, char *to,
                     size_t size) {
    read_name(reader, node, expected, to, size);
    const char *slash = strchr(to, '/');
    if (to[0] != '\0' &&
        (slash == NULL || slash == to || slash[1] == '\0' || strchr(slash + 1, '/') != NULL)) {
        wpin_say_at(reader, node, "'%s' is not %s", to, expected);
    }
}

/* 17, NAME, {line: 17, chip: expander}, {pwm: pwmchip0/1} */
static void read_place(wpin_reader *reader, yaml_node_t *node, wpin_rig_linux_pin *pin) {
    yaml_node_t *nodes[COUNT(pin_fields)];
    if (node->type != YAML_MAPPING_NODE) {
        read_name(reader, node, "a line's number or name", pin->line, sizeof pin->line);
        return;
    }
    wpin_read_map(reader, node, "a pin of linux", pin_fields, COUNT(pin_fields), pin, nodes);
    if ((nodes[PIN_LINE] == NULL) == (nodes[PIN_PWM] == NULL) ||
        (nodes[PIN_CHIP] != NULL && nodes[PIN_LINE] == NULL)) {
        wpin_say_at(reader, node,
                    "expected a line, {line: 17} or {line: 3, chip: expander}, or a channel, {pwm: "
                    "pwmchip0/1}");
        return;
    }
    read_name(reader, nodes[PIN_CHIP], "a chip's name or label", pin->chip, sizeof pin->chip);
    read_name(reader, nodes[PIN_LINE], "a line's number or name", pin->line, sizeof pin->line);
    if (nodes[PIN_PWM] != NULL) {
        read_two(reader, nodes[PIN_PWM], "a channel, e.g. pwmchip0/1", pin->pwm, sizeof pin->pwm);
    }
}

static void read_pins(wpin_reader *reader, yaml_node_t *map, wpin_rig_linux *section) {
    const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
    if (map->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, map, "pins must be a mapping of pins and lines, e.g. {4: 17}");
        return;
    }
    for (; pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *key = wpin_yaml_node(reader, pair->key);
        wpin_rig_linux_pin pin = {0};
        if (!wpin_pin_of(reader, key, wpin_key_text(reader, pair), &pin.pin)) {
            continue;
        }
        for (size_t i = 0; i < section->pin_count; i++) {
            if (section->pins[i].pin == pin.pin) {
                wpin_say_at(reader, key, "pin %u stands there twice", pin.pin);
            }
        }
        read_place(reader, wpin_yaml_node(reader, pair->value), &pin);
        if (section->pin_count == COUNT(section->pins)) {
            wpin_say_at(reader, key, "expected at most %zu pins", COUNT(section->pins));
            return;
        }
        section->pins[section->pin_count++] = pin;
    }
}

/* [expander] */
static void read_slow(wpin_reader *reader, yaml_node_t *list, wpin_rig_linux *section) {
    if (list->type != YAML_SEQUENCE_NODE) {
        wpin_say_at(reader, list, "slow must be a list of chips, e.g. [expander]");
        return;
    }
    for (const yaml_node_item_t *item = list->data.sequence.items.start;
         item < list->data.sequence.items.top; item++) {
        if (section->slow_count == COUNT(section->slow)) {
            wpin_say_at(reader, list, "expected at most %zu chips", COUNT(section->slow));
            return;
        }
        read_name(reader, wpin_yaml_node(reader, *item), "a chip's name or label",
                  section->slow[section->slow_count], sizeof section->slow[0]);
        section->slow_count++;
    }
}

/* drum: counter0/count0 */
static void read_counters(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *map,
                          wpin_rig_linux *section) {
    if (map->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, map, "counters must be a mapping of loads and counters");
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top && section->counter_count < COUNT(section->counters);
         pair++) {
        const char *name = wpin_key_text(reader, pair);
        wpin_rig_linux_counter counter = {.load = wpin_rig_find_load(rig, name)};
        if (counter.load < 0 || !rig->loads[counter.load].encoder.there) {
            wpin_say_at(reader, wpin_yaml_node(reader, pair->key),
                        "'%s' is not a load with an encoder", name);
        }
        read_two(reader, wpin_yaml_node(reader, pair->value), "a counter, e.g. counter0/count0",
                 counter.count, sizeof counter.count);
        section->counters[section->counter_count++] = counter;
    }
}

/* 0: iio:device0/voltage0 */
static void read_analogs(wpin_reader *reader, yaml_node_t *map, wpin_rig_linux *section) {
    if (map->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, map, "analog must be a mapping of analogue inputs and channels");
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top && section->analog_count < COUNT(section->analogs);
         pair++) {
        char *rest;
        const char *text = wpin_key_text(reader, pair);
        unsigned long number = strtoul(text, &rest, 10);
        wpin_rig_linux_analog analog = {.input = (uint8_t)number};
        if (rest == text || *rest != '\0' || number > 31) {
            wpin_say_at(reader, wpin_yaml_node(reader, pair->key),
                        "'%s' is not an analogue input; expected a number, 0 to 31", text);
        }
        read_two(reader, wpin_yaml_node(reader, pair->value),
                 "an analogue input of the kernel, e.g. iio:device0/voltage0", analog.channel,
                 sizeof analog.channel);
        section->analogs[section->analog_count++] = analog;
    }
}

void wpin_read_linux(wpin_reader *reader, wpin_rig *rig, yaml_node_t *node) {
    yaml_node_t *nodes[COUNT(fields)];
    wpin_rig_linux *section = calloc(1, sizeof *section);
    rig->on_linux = section;
    if (section == NULL) {
        reader->messages->out_of_memory = true;
        return;
    }
    section->line = (unsigned)node->start_mark.line + 1;
    wpin_read_map(reader, node, "linux", fields, COUNT(fields), section, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    read_name(reader, nodes[LINUX_CHIP], "a chip's name or label, e.g. gpiochip0", section->chip,
              sizeof section->chip);
    read_name(reader, nodes[LINUX_WATCHDOG], "a device, e.g. /dev/watchdog", section->watchdog,
              sizeof section->watchdog);
    if (nodes[LINUX_PINS] != NULL) {
        read_pins(reader, nodes[LINUX_PINS], section);
    }
    if (nodes[LINUX_SLOW] != NULL) {
        read_slow(reader, nodes[LINUX_SLOW], section);
    }
    if (nodes[LINUX_COUNTERS] != NULL) {
        read_counters(reader, rig, nodes[LINUX_COUNTERS], section);
    }
    if (nodes[LINUX_ANALOG] != NULL) {
        read_analogs(reader, nodes[LINUX_ANALOG], section);
    }
}
