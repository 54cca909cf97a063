/* At which rate a field bus goes, and how this computer's end of it fares: of a CAN interface as
 * the kernel's own tool for links tells it, in JSON. */
#define _GNU_SOURCE
#include "field.h"
#include "windpin/host/plain.h"
#include <jansson.h>
#include <stdio.h>
#include <string.h>

/* What goes into a command line: a name of an interface and nothing else. */
static bool is_interface(const char *name) {
    return name[0] != '-' && strlen(name) < 16 &&
           name[strspn(
               name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789._-")] == '\0';
}

static json_t *ask_link(const char *name) {
    char command[100];
    snprintf(command, sizeof command, "ip -json -details link show dev %s 2>/dev/null", name);
    FILE *from = popen(command, "r");
    json_t *all = from == NULL ? NULL : json_loadf(from, 0, NULL);
    if (from != NULL) {
        pclose(from);
    }
    return all;
}

static void say_interface(const char *name, char *to, size_t size) {
    json_t *all = is_interface(name) ? ask_link(name) : NULL;
    json_t *info = json_object_get(json_array_get(all, 0), "linkinfo");
    json_t *data = json_object_get(info, "info_data");
    const char *kind = json_string_value(json_object_get(info, "info_kind"));
    const char *state = json_string_value(json_object_get(data, "state"));
    json_int_t rate =
        json_integer_value(json_object_get(json_object_get(data, "bittiming"), "bitrate"));
    if (kind != NULL && strcmp(kind, "vcan") == 0) {
        snprintf(to, size, "a virtual interface, without a rate of its own");
    } else if (rate > 0) {
        wpin_plain(to, size, "%g kbit/s%s%s", (double)rate / 1e3,
                   state != NULL ? ", its end here is " : "", state != NULL ? state : "");
    } else {
        to[0] = '\0';
    }
    json_decref(all);
}

void field_say_rate(const char *place, char *to, size_t size) {
    const char *at = strrchr(place, '@');
    if (wpin_bearer_is_line(place)) {
        snprintf(to, size, "a serial line of %s bit/s", at != NULL ? at + 1 : "115200");
    } else if (strchr(place, '/') != NULL) {
        snprintf(to, size, "a socket of this computer, without a rate of its own");
    } else {
        say_interface(place, to, size);
    }
}
