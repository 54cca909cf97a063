/* What rules find, kept and put into words. */
#define _GNU_SOURCE
#include "rules.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

static bool is_accepted(const wpin_vetter *v, const wpin_finding *f) {
    for (size_t i = 0; i < v->rig->accept_count; i++) {
        const wpin_rig_accept *a = &v->rig->accepts[i];
        if (strcasecmp(a->name, f->part) == 0 && strcasecmp(a->rule, f->rule->name) == 0) {
            return true;
        }
    }
    return false;
}

wpin_finding *wpin_find(wpin_vetter *v, wpin_severity severity, const char *part) {
    wpin_vetting *r = v->result;
    wpin_finding *all = realloc(r->findings, (r->count + 1) * sizeof *all);
    if (all == NULL) {
        v->out_of_memory = true;
        return NULL;
    }
    r->findings = all;
    wpin_finding *f = &all[r->count++];
    const wpin_rig_place *place = wpin_rig_place_of(v->rig, part, v->rule->needs);
    *f = (wpin_finding){.rule = v->rule, .severity = severity, .line = 1, .column = 1};
    if (place != NULL) {
        f->line = place->line;
        f->column = place->column;
    }
    snprintf(f->part, sizeof f->part, "%s", part);
    f->accepted = is_accepted(v, f);
    return f;
}

wpin_finding *wpin_find_load(wpin_vetter *v, wpin_severity severity, const wpin_facts *f) {
    return wpin_find(v, severity, f->load->name);
}

wpin_finding *wpin_find_supply(wpin_vetter *v, wpin_severity severity, size_t supply) {
    return wpin_find(v, severity, v->rig->supplies[supply].name);
}

/* Figures above 999 as 1160, not as 1.16e+03. */
static void write_plain(char *to, size_t size, const char *words, va_list list) {
    vsnprintf(to, size, words, list);
    char *e, rest[240];
    while ((e = strstr(to, "e+")) != NULL) {
        while (e > to && strchr("0123456789.", e[-1]) != NULL) {
            e--;
        }
        char *end;
        double value = strtod(e, &end);
        snprintf(rest, sizeof rest, "%s", end);
        snprintf(e, size - (size_t)(e - to), "%.0f%s", value, rest);
    }
}

void wpin_cause(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        write_plain(f->cause, sizeof f->cause, words, list);
    }
    va_end(list);
}

void wpin_consequence(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        write_plain(f->consequence, sizeof f->consequence, words, list);
    }
    va_end(list);
}

void wpin_cure(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        size_t used = strlen(f->cure);
        if (used > 0) {
            used += (size_t)snprintf(f->cure + used, sizeof f->cure - used, "; or ");
        }
        write_plain(f->cure + used, sizeof f->cure - used, words, list);
    }
    va_end(list);
}
