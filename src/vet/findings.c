/* What rules find, kept and put into words. */
#define _GNU_SOURCE
#include "rules.h"
#include "windpin/host/plain.h"
#include "windpin/host/quantity.h"
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

void wpin_cause(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        wpin_print_plain(f->cause, sizeof f->cause, words, list);
    }
    va_end(list);
}

void wpin_consequence(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        wpin_print_plain(f->consequence, sizeof f->consequence, words, list);
    }
    va_end(list);
}

static wpin_vet_cure *add_cure(wpin_finding *f) {
    return f != NULL && f->cure_count < WPIN_VET_CURES ? &f->cures[f->cure_count++] : NULL;
}

void wpin_cure(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    wpin_vet_cure *c = add_cure(f);
    if (c != NULL) {
        wpin_print_plain(c->words, sizeof c->words, words, list);
    }
    va_end(list);
}

void wpin_cure_value(wpin_finding *f, const wpin_key *key, double value, const char *words) {
    wpin_vet_cure *c = add_cure(f);
    if (c == NULL) {
        return;
    }
    const char *last = strrchr(key->path, '.'), *part = key->part != NULL ? key->part : f->part;
    char figure[40], shown[60];
    wpin_plain(figure, sizeof figure,
               key->digits > 3   ? "%.4g"
               : key->digits > 2 ? "%.3g"
               : key->digits > 0 ? "%.2g"
                                 : "%.0f",
               value);
    c->value = strtod(figure, NULL);
    snprintf(c->unit, sizeof c->unit, "%s", key->unit);
    snprintf(c->change, sizeof c->change, "%s.%s=%s%s", part, key->path, figure, key->unit);
    if (words == NULL) {
        snprintf(c->words, sizeof c->words, "%s: %s%s", last != NULL ? last + 1 : key->path, figure,
                 key->unit);
    } else {
        bool apart = key->unit[0] != '\0' && key->unit[0] != '%';
        snprintf(shown, sizeof shown, "%s%s%s", figure, apart ? " " : "", key->unit);
        wpin_plain(c->words, sizeof c->words, words, shown, part);
    }
}

const char *wpin_finding_cure(const wpin_finding *f, char *to, size_t size) {
    size_t used = 0;
    to[0] = '\0';
    for (size_t i = 0; i < f->cure_count && used < size; i++) {
        used += (size_t)snprintf(to + used, size - used, "%s%s", i > 0 ? "; or " : "",
                                 f->cures[i].words);
    }
    return to;
}
