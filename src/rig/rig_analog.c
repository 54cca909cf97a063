/* Analogue inputs of the controller: each reads one thing. */
#include "rig_parts.h"
#include "windpin/host/plain.h"
#include "windpin/vector.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>

enum { INPUTS = 256 };

/* What each input is known to read so far; "": nothing. */
typedef struct uses {
    wpin_reader *reader;
    char of[INPUTS][100];
} uses;

__attribute__((format(printf, 4, 5))) static void add(uses *all, unsigned line, double number,
                                                      const char *what, ...) {
    if (!(number >= 0 && number < INPUTS)) {
        return; /* the load has none */
    }
    char now[sizeof all->of[0]], *there = all->of[(int)number];
    va_list list;
    va_start(list, what);
    wpin_print_plain(now, sizeof now, what, list);
    va_end(list);
    if (there[0] == '\0') {
        snprintf(there, sizeof all->of[0], "%s", now);
    } else {
        wpin_messages_add(all->reader->messages, line, 1,
                          "analogue input %.0f for %s is taken: %s; expected another input", number,
                          now, there);
    }
}

static void add_load(uses *all, const wpin_rig *rig, const wpin_rig_load *load) {
    if (load->vector.there) { /* a trip of its currents goes by the shunts */
        for (int leg = 0; leg < 3; leg++) {
            double shunt =
                load->vector.shunts[leg] == WPIN_NO_SHUNT ? -1 : load->vector.shunts[leg];
            add(all, load->line, shunt, "shunt %c of '%s'", 'a' + leg, load->name);
        }
        if (!rig->supplies[load->supply].sense.there) { /* else that is read */
            add(all, load->line, load->vector.supply_input, "the supply of '%s'", load->name);
        }
    } else {
        add(all, load->line, load->limits.trip_input, "the current of '%s'", load->name);
    }
    if (load->thermistor.there) {
        add(all, load->line, load->thermistor.input, "the thermistor of '%s'", load->name);
    }
}

/* The controller's volts are known only once all is read. */
static void add_supply(uses *all, const wpin_rig *rig, const wpin_rig_supply *s) {
    const wpin_rig_supply_sense *sense = &s->sense;
    if (!sense->there) {
        return;
    }
    add(all, sense->line, sense->input, "the volts of '%s'", s->name);
    double logic = rig->controller.logic_volts, reach = logic / sense->divider;
    if (sense->most > 0.99 * reach) {
        char words[200];
        wpin_plain(
            words, sizeof words,
            "sense: with a divider of %.4g%% the %.4g V of the controller stand for %.4g V of "
            "'%s', and 'most' is %.4g V; expected a divider of up to %.3g%%",
            100 * sense->divider, logic, reach, s->name, sense->most,
            floor(0.99 * logic / sense->most * 1000) / 10);
        wpin_messages_add(all->reader->messages, sense->line, 1, "%s", words);
    }
}

void wpin_check_analog(wpin_reader *reader, const wpin_rig *rig) {
    uses all = {.reader = reader};
    for (size_t i = 0; i < rig->load_count; i++) {
        add_load(&all, rig, &rig->loads[i]);
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        add_supply(&all, rig, &rig->supplies[i]);
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *n = &rig->inputs[i];
        if (n->kind > WPIN_RIG_LIMIT && n->kind != WPIN_RIG_PAIR) {
            add(&all, n->line, n->analog, "input '%s'", n->name);
        }
    }
}
