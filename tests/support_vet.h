/* Rigs that are vetted and run. */
#ifndef WPIN_TESTS_SUPPORT_VET_H
#define WPIN_TESTS_SUPPORT_VET_H

#include "bad_rigs.h"
#include "random_rigs.h"
#include "support.h"
#include <jansson.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>

static char output[60000];

static inline int tool(const char *command, const char *rig, const char *plan) {
    return run_command(output, sizeof output, TEST_TOOL " %s %s %s", command, rig, plan);
}

/* What the bench said: the output of a run without the lines about what was accepted. */
static inline void bench_only(void) {
    char *line = output;
    while ((line = strstr(line, "Accepted in the rig")) != NULL) {
        char *end = strchr(line, '\n');
        memmove(line, end, strlen(end) + 1);
    }
}

/* The place a finding names: there stands the part's name or a key the rule looks at. */
static inline void points_at_it(const json_t *finding, const char *text) {
    json_int_t line = json_integer_value(json_object_get(finding, "line"));
    for (; line > 1; line--) {
        text = strchr(text, '\n') + 1;
    }
    text += json_integer_value(json_object_get(finding, "column")) - 1;
    char word[64];
    snprintf(word, sizeof word, "%.*s", (int)strspn(text, "abcdefghijklmnopqrstuvwxyz-"), text);
    const char *name = json_string_value(json_object_get(finding, "rule"));
    const wpin_vet_rule *rule = wpin_vet_rule_at(0);
    for (size_t i = 0; strcmp(rule->name, name) != 0; i++) {
        rule = wpin_vet_rule_at(i);
    }
    bool known = strcmp(word, json_string_value(json_object_get(finding, "part"))) == 0;
    ck_assert_msg(word[0] != '\0' && (known || strstr(rule->needs, word) != NULL),
                  "%s points at '%s'", name, word);
}

/* Whether vetting refuses this rule of this part. */
static inline bool refuses(const char *text, const char *rig, const char *plan, const char *rule,
                           const char *part) {
    tool("vet --json", rig, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    ck_assert_msg(all != NULL, "%s", output);
    bool found = false;
    size_t i;
    json_array_foreach(json_object_get(all, "findings"), i, one) {
        if (!json_is_true(json_object_get(one, "in_plan"))) {
            points_at_it(one, text);
        }
        found =
            found || (strcmp(json_string_value(json_object_get(one, "rule")), rule) == 0 &&
                      strcmp(json_string_value(json_object_get(one, "part")), part) == 0 &&
                      strcmp(json_string_value(json_object_get(one, "severity")), "refuse") == 0);
    }
    json_decref(all);
    return found;
}

/* The bad rig with all that is refused accepted by name. */
static inline const char *accepting(const char *text, const char *rig, const char *plan) {
    static char accepted[8000];
    tool("vet --json", rig, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    size_t i, used = (size_t)snprintf(accepted, sizeof accepted, "%saccept: [", text);
    json_array_foreach(json_object_get(all, "findings"), i, one) {
        if (strcmp(json_string_value(json_object_get(one, "severity")), "refuse") == 0) {
            used += (size_t)snprintf(accepted + used, sizeof accepted - used, "%s %s, ",
                                     json_string_value(json_object_get(one, "part")),
                                     json_string_value(json_object_get(one, "rule")));
        }
    }
    snprintf(accepted + used - 2, sizeof accepted - used, "]\n");
    json_decref(all);
    return write_file("accepted.yaml", accepted);
}

#endif
