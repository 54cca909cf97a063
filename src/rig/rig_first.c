/* first-motion: which way a load was seen to turn when it moved for the first time. */
#include "rig_parts.h"
#include <stdio.h>

enum { FIRST_ON, FIRST_FORWARD, FIRST_SEEN_FROM };
static const wpin_field fields[] = {NODE("on", true), NODE("forward", true),
                                    NODE("seen-from", false)};

/* Whether the second of two words stands there. */
static bool second_word(wpin_reader *reader, yaml_node_t *node, const char *what,
                        const char *const words[2], const char *expected) {
    const char *text = node == NULL ? NULL : wpin_scalar(reader, node, expected);
    return text != NULL && wpin_find_word(reader, node, text, what, words, 2) == 1;
}

void wpin_read_first_motion(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    static const char *const ways[] = {"clockwise", "counter-clockwise"};
    static const char *const places[] = {"shaft", "back"};
    yaml_node_t *nodes[COUNT(fields)];
    wpin_rig_first *f = &load->first_motion;
    wpin_read_map(reader, node, "first-motion", fields, COUNT(fields), f, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[FIRST_ON] == NULL) {
        return;
    }
    if (!wpin_rig_type(load)->turns) {
        wpin_say_at(reader, node, "first-motion is for motors and steppers; '%s' is neither",
                    load->name);
        return;
    }
    const char *on = wpin_scalar(reader, nodes[FIRST_ON], "a day, e.g. 2026-11-25");
    snprintf(f->on, sizeof f->on, "%.11s", on == NULL ? "" : on);
    f->counter = second_word(reader, nodes[FIRST_FORWARD], "value for forward", ways,
                             "clockwise or counter-clockwise");
    f->from_back =
        second_word(reader, nodes[FIRST_SEEN_FROM], "value for seen-from", places, "shaft or back");
    f->there = true;
}
