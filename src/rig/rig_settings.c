/* Objects that a drive is told at its start, or only asked for: in a rig, or in a file of their
 * own.
 */
#define _GNU_SOURCE
#include "rig_parts.h"
#include "windpin/host/eds.h"
#include <math.h>
#include <stdlib.h>

enum { SETTING_OBJECT, SETTING_VALUE, SETTING_IS };
static const wpin_field setting_fields[] = {
    NODE("object", true),
    NODE("value", false),
    NODE("is", false),
    QUANTITY("bytes", wpin_rig_setting, size, false, WPIN_NUMBER, 1, 4),
};

/* A whole number that fits, decimal or with 0x. */
static bool read_value(wpin_reader *reader, yaml_node_t *node, const char *key,
                       wpin_rig_setting *s) {
    const char *text = wpin_scalar(reader, node, "a whole number");
    double most = pow(256, s->size);
    char *end = NULL;
    s->value = text == NULL ? 0 : (double)strtoll(text, &end, 0);
    if (text != NULL && (end == text || *end != '\0')) {
        wpin_say_at(reader, node, "%s: '%s' is not a whole number; expected e.g. 1500 or 0x5DC",
                    key, text);
    } else if (text != NULL && (s->value >= most || s->value < -most / 2)) {
        wpin_say_at(reader, node, "%s: %s does not fit %g byte%s; expected %.0f to %.0f", key, text,
                    s->size, s->size == 1 ? "" : "s", -most / 2, most - 1);
    } else {
        return text != NULL;
    }
    return false;
}

static bool read_object(wpin_reader *reader, yaml_node_t *node, const wpin_eds *eds,
                        wpin_rig_setting *s) {
    const wpin_known_object *known = NULL;
    const char *text = wpin_scalar(reader, node, "an object's name or number");
    char why[300];
    if (text != NULL && !wpin_eds_find(eds, text, &s->index, &s->sub, &known, why, sizeof why)) {
        wpin_say_at(reader, node, "object: %s", why);
        return false;
    }
    if (text != NULL && known != NULL && s->size == 0) {
        s->size = known->bytes;
    }
    if (text != NULL && s->size != 1 && s->size != 2 && s->size != 4) {
        wpin_say_at(reader, node,
                    "object: how long %04Xh:%u is, is not known here; expected bytes: 1, 2 or 4",
                    s->index, s->sub);
        return false;
    }
    return text != NULL;
}

/* What its data sheet lets it be told. */
static bool is_allowed(wpin_reader *reader, yaml_node_t *node, const wpin_eds *eds,
                       const wpin_rig_setting *s) {
    const wpin_eds_object *o = wpin_eds_of(eds, s->index, s->sub);
    char why[200];
    bool good = o == NULL || s->asked || wpin_eds_allows(o, (int64_t)s->value, why, sizeof why);
    if (!good) {
        wpin_say_at(reader, node, "object %04Xh:%u %s", s->index, s->sub, why);
    }
    return good;
}

static bool read_setting(wpin_reader *reader, yaml_node_t *node, const wpin_eds *eds,
                         wpin_rig_setting *to) {
    wpin_rig_setting s = {0};
    yaml_node_t *nodes[COUNT(setting_fields)];
    wpin_read_map(reader, node, "a setting", setting_fields, COUNT(setting_fields), &s, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[SETTING_OBJECT] == NULL) {
        return false;
    }
    s.asked = nodes[SETTING_IS] != NULL;
    if (s.asked == (nodes[SETTING_VALUE] != NULL)) {
        wpin_say_at(reader, node,
                    "a setting has either a 'value', which the drive is set to, or 'is', which it "
                    "must have already");
        return false;
    }
    *to = s;
    return read_object(reader, nodes[SETTING_OBJECT], eds, to) &&
           read_value(reader, nodes[s.asked ? SETTING_IS : SETTING_VALUE], s.asked ? "is" : "value",
                      to) &&
           is_allowed(reader, node, eds, to);
}

size_t wpin_read_settings(wpin_reader *reader, yaml_node_t *list, const wpin_eds *eds,
                          wpin_rig_setting *to, size_t room) {
    size_t count = 0;
    if (list->type != YAML_SEQUENCE_NODE) {
        wpin_say_at(
            reader, list,
            "settings must be a list, e.g. [{object: following-error-window, value: 4000}]");
        return 0;
    }
    for (size_t i = 0; i < wpin_list_size(list); i++) {
        yaml_node_t *node = wpin_list_item(reader, list, i);
        if (count == room) {
            wpin_say_at(reader, node, "more than %zu settings", room);
            return count;
        }
        count += read_setting(reader, node, eds, &to[count]);
    }
    return count;
}

size_t wpin_settings_read(const char *path, const wpin_eds *eds, wpin_rig_setting *to, size_t room,
                          wpin_messages *messages) {
    wpin_reader reader;
    size_t count = 0;
    if (wpin_reader_open(&reader, path, messages)) {
        yaml_node_t *list = yaml_document_get_root_node(&reader.document);
        count = list == NULL ? 0 : wpin_read_settings(&reader, list, eds, to, room);
        wpin_reader_close(&reader);
    }
    return count;
}
