/* windpin size stage: which kind of stage fits, and the first unmet wish of each that does not. */
#include "cli_json.h"
#include "windpin/host/quantity.h"
#include <stdio.h>
#include <string.h>

#define WISHES                                                                                     \
    "both-ways, speed, brake, coast, feedback (it is regulated) or ac =yes or =no, voltage= or "   \
    "current="

typedef struct wishes {
    bool both_ways, speed, brake, coast, feedback, ac;
    double volts, amps;
} wishes;

static bool can_brake(const wpin_stage_kind *kind) {
    return wpin_stage_kind_has(kind, WPIN_DRIVE_BRAKE);
}

/* The first wish a kind can not meet, NULL if it meets all. */
static const char *unmet(const wpin_stage_kind *kind, const wishes *w) {
    if (kind->coils) {
        return "it is for steppers";
    }
    if (w->ac && !kind->contacts && !kind->solid) {
        return "it passes current one way only: alternating current takes a contact or a "
               "solid-state relay";
    }
    if (w->ac && wpin_stage_kind_has(kind, WPIN_DRIVE_REVERSE)) {
        return "it reverses direct current; an alternating one has no direction";
    }
    if (kind->direct && (w->amps == 0 || w->amps > 0.02)) {
        return "a pin gives some 20 mA: say current=... if it is no more";
    }
    if (kind->direct && w->volts > 5) {
        return "a pin gives its logic volts, 5 V or less";
    }
    if (kind->contacts && !w->ac && w->volts > 30) {
        return "most contacts are rated for no more than 30 V of direct current";
    }
    if (w->feedback && !wpin_stage_kind_takes_duty(kind)) {
        return "it takes no duty, by which a measured speed or current is regulated";
    }
    if (w->both_ways && !wpin_stage_kind_has(kind, WPIN_DRIVE_REVERSE)) {
        return "it can't reverse";
    }
    if (w->speed && !wpin_stage_kind_takes_duty(kind)) {
        return "it knows on and off only, no speed between";
    }
    if (w->brake && !can_brake(kind)) {
        return "it can't brake";
    }
    if (w->coast && !wpin_stage_kind_has(kind, WPIN_DRIVE_COAST)) {
        return "it can't coast: its stop is a brake";
    }
    return NULL;
}

static bool take_flag(const char *word, const char *key, bool *to, bool *wrong) {
    size_t length = strlen(key);
    if (strncmp(word, key, length) != 0 || word[length] != '=') {
        return false;
    }
    bool yes = strcmp(word + length + 1, "yes") == 0;
    *wrong = *wrong || (!yes && strcmp(word + length + 1, "no") != 0);
    if (*wrong) {
        cli_complain("%s: expected yes or no", word);
    }
    *to = yes;
    return true;
}

static bool take_quantity(const char *word, const char *key, wpin_dimension dimension, double *to,
                          bool *wrong) {
    size_t length = strlen(key);
    char why[320];
    if (strncmp(word, key, length) != 0 || word[length] != '=') {
        return false;
    }
    if (!wpin_quantity_read(word + length + 1, dimension, to, why, sizeof why)) {
        cli_complain("%s: %s", key, why);
        *wrong = true;
    }
    return true;
}

static bool take_wishes(const char *const *words, size_t count, wishes *w) {
    bool wrong = false;
    for (size_t i = 0; i < count; i++) {
        bool known = take_flag(words[i], "both-ways", &w->both_ways, &wrong) ||
                     take_flag(words[i], "speed", &w->speed, &wrong) ||
                     take_flag(words[i], "brake", &w->brake, &wrong) ||
                     take_flag(words[i], "coast", &w->coast, &wrong) ||
                     take_flag(words[i], "feedback", &w->feedback, &wrong) ||
                     take_flag(words[i], "ac", &w->ac, &wrong) ||
                     take_quantity(words[i], "voltage", WPIN_VOLTAGE, &w->volts, &wrong) ||
                     take_quantity(words[i], "current", WPIN_CURRENT, &w->amps, &wrong);
        if (!known) {
            cli_complain("'%s' is not a wish; expected " WISHES, words[i]);
            wrong = true;
        }
    }
    return !wrong;
}

/* What the numbers say about the switches in it. */
static const char *advice(const wishes *w) {
    if (w->ac && (w->volts == 0 || w->volts > 50)) {
        return "mains can kill: a ready-made relay or socket in its own case, switched from "
               "outside";
    }
    if (w->amps > 0 && w->amps < 0.02) {
        return "a few milliamperes: windpin size pin says whether a pin alone does";
    }
    if (w->volts > 0 && w->volts <= 9 && w->amps > 0.5) {
        return "at few volts a bipolar bridge keeps too much for itself: take field-effect "
               "switches";
    }
    if (w->amps > 10) {
        return "above 10 A: bare switches or a module with its own heat sink; windpin size heat";
    }
    return "then windpin size stall, heat and board with your numbers";
}

/* Those that do not fit, each reason once with all that it is about. */
static void print_unfit(const wpin_stage_kind *kinds, size_t count, const wishes *w) {
    for (size_t i = 0; i < count; i++) {
        const char *why = unmet(&kinds[i], w);
        bool told = why == NULL;
        for (size_t j = 0; j < i && !told; j++) {
            told = unmet(&kinds[j], w) == why;
        }
        if (told) {
            continue;
        }
        printf("  not, as %s:\n   ", why);
        for (size_t j = i, column = 3; j < count; j++) {
            if (unmet(&kinds[j], w) == why) {
                column += strlen(kinds[j].name) + 1;
                printf("%s%s", column > 100 ? "\n    " : " ", kinds[j].name);
                column = column > 100 ? 4 + strlen(kinds[j].name) : column;
            }
        }
        printf("\n");
    }
}

int cli_size_stage(const char *const *words, size_t word_count, bool json) {
    wishes w = {0};
    if (!take_wishes(words, word_count, &w)) {
        return EXIT_WRONG_INPUT;
    }
    size_t count, fits = 0;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    json_t *all = json_array();
    for (size_t i = 0; i < count; i++) {
        const char *why = unmet(&kinds[i], &w);
        fits += why == NULL;
        if (json) {
            json_array_append_new(all, json_pack("{s:s, s:b, s:s?}", "kind", kinds[i].name, "fits",
                                                 why == NULL, "unmet", why));
        } else if (why == NULL) {
            printf("  %-26s fits%s\n", kinds[i].name,
                   wpin_stage_kind_is_three_phase(&kinds[i]) ? " a brushless motor" : "");
        }
    }
    if (json) {
        cli_dump_json(json_pack("{s:o, s:s}", "kinds", all, "next", advice(&w)));
    } else {
        json_decref(all);
        print_unfit(kinds, count, &w);
        printf("\n  next     %s\n", advice(&w));
        if (word_count == 0) {
            printf("  wishes   " WISHES "\n");
        }
    }
    return fits > 0 ? EXIT_FINE : EXIT_MET_FAULT;
}
