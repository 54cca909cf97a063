/* How a rig is driven by hand: link time-out, place of the page, message bus. */
#include "rig_parts.h"
#include <stdio.h>
#include <string.h>

enum { LIVE_ADDRESS, LIVE_BROKER, LIVE_PREFIX };
static const wpin_field live_fields[] = {
    NODE("address", false),
    NODE("broker", false),
    NODE("prefix", false),
    QUANTITY("link-timeout", wpin_rig_live, link_timeout, false, WPIN_TIME, 0.05, 600),
    QUANTITY("port", wpin_rig_live, port, false, WPIN_NUMBER, 1, 65535),
    QUANTITY("rate", wpin_rig_live, rate, false, WPIN_FREQUENCY, 0.1, 50),
};

/* A word that fits; what may not stand in it is named. */
static void read_word(wpin_reader *reader, yaml_node_t *node, const char *expected,
                      const char *never, char *to, size_t size) {
    const char *text = node == NULL ? NULL : wpin_scalar(reader, node, expected);
    if (text == NULL) {
        return;
    }
    if (text[0] == '\0' || strlen(text) >= size || strpbrk(text, never) != NULL) {
        wpin_say_at(reader, node, "expected %s: up to %zu characters, none of '%s'", expected,
                    size - 1, never);
        return;
    }
    snprintf(to, size, "%s", text);
}

void wpin_read_live(wpin_reader *reader, wpin_rig *rig, yaml_node_t *node) {
    yaml_node_t *nodes[COUNT(live_fields)];
    wpin_rig_live *live = &rig->live;
    wpin_read_map(reader, node, "live", live_fields, COUNT(live_fields), live, nodes);
    if (node->type == YAML_MAPPING_NODE) {
        read_word(reader, nodes[LIVE_ADDRESS], "an address or a name of the computer it runs on",
                  " /", live->address, sizeof live->address);
        read_word(reader, nodes[LIVE_BROKER], "a broker, HOST or HOST:PORT", " /", live->broker,
                  sizeof live->broker);
        read_word(reader, nodes[LIVE_PREFIX], "what topics begin with", " +#$", live->prefix,
                  sizeof live->prefix);
    }
}
