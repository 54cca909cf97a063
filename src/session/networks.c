/* Field buses of a session: opened on what carries their frames, and the drives on them set up
 * before anything begins. */
#include "session.h"
#include "windpin/host/plain.h"
#include <stdio.h>

/* Every drive is set up within this, s. */
#define SET_UP_TIME 5.0

bool wpin_session_open_networks(wpin_session *run, char *why, size_t size) {
    const wpin_bench *b = &run->bench;
    for (size_t i = 0; i < run->rig->fieldbus_count; i++) {
        const wpin_rig_fieldbus *f = &run->rig->fieldbuses[i];
        wpin_fieldbus bus;
        if (b->fieldbus == NULL || !b->fieldbus(b->context, i, &bus) ||
            !wpin_bind_network(&run->networks[i], run->rig, i, &bus)) {
            snprintf(why, size, "field bus '%s' (line %u): nothing carries its frames here",
                     f->name, f->line);
            return false;
        }
    }
    return true;
}

void wpin_session_join_network(wpin_session *run, size_t load) {
    const wpin_rig_axis *axis = &run->rig->loads[load].axis;
    if (axis->there) {
        run->bound[load].axis.network = &run->networks[axis->bus].network;
    }
}

static bool is_set_up(const wpin_session *run, size_t load) {
    return !run->rig->loads[load].axis.there ||
           run->bound[load].axis_at_work.setup == WPIN_AXIS_SET_UP;
}

static bool all_set_up(const wpin_session *run, size_t *first) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        if (!is_set_up(run, i)) {
            *first = i;
            return false;
        }
    }
    return true;
}

/* Whether its trouble is about an object that it was only asked for. */
static bool is_asked(const wpin_session *run, size_t load) {
    const wpin_bound_load *bound = &run->bound[load];
    const wpin_axis_trouble *t = &bound->axis_at_work.trouble;
    for (uint8_t i = 0; i < bound->axis.setting_count; i++) {
        const wpin_setting *s = &bound->settings[i];
        if (s->index == t->index && s->sub == t->sub) {
            return s->asked != 0;
        }
    }
    return false;
}

static void say_asked(const wpin_rig_axis *axis, const wpin_axis_trouble *t, char *why,
                      size_t size) {
    char row[160];
    unsigned wrong = t->wanted ^ t->got;
    if (axis->switches_index != t->index || axis->switches_sub != t->sub) {
        snprintf(
            why, size,
            "has object %04Xh:%u at %lu (%lXh), and has to have it at %lu (%lXh); set it in the "
            "drive, or with windpin field object",
            t->index, t->sub, (unsigned long)t->got, (unsigned long)t->got,
            (unsigned long)t->wanted, (unsigned long)t->wanted);
        return;
    }
    unsigned first = 0;
    while (first < WPIN_RIG_SWITCHES - 1 && (wrong >> first & 1U) == 0) {
        first++;
    }
    wpin_rig_axis_switches(axis, row, sizeof row);
    snprintf(
        why, size,
        "has switch %u %s, and has to have them %s; switch its power off, set them, and switch "
        "it on again",
        first + 1, (t->got >> first & 1U) != 0 ? "down" : "up", row);
}

bool wpin_session_bus_blocked(const wpin_session *run, size_t load) {
    const wpin_network *network = &run->networks[run->rig->loads[load].axis.bus].network;
    return network->unsent != run->unsent[load];
}

/* What keeps a drive from being set up, and what to do. */
static void say_trouble(const wpin_session *run, size_t load, char *why, size_t size) {
    const wpin_rig_load *l = &run->rig->loads[load];
    const wpin_axis_trouble *t = &run->bound[load].axis_at_work.trouble;
    const wpin_rig_fieldbus *bus = &run->rig->fieldbuses[l->axis.bus];
    int n = wpin_plain(why, size, "load '%s' (line %u): node %g on field bus '%s' ", l->name,
                       l->line, l->axis.number, bus->name);
    size_t at = n < 0 || (size_t)n >= size ? size : (size_t)n;
    char object[32];
    snprintf(object, sizeof object, "object %04Xh:%u", t->index, t->sub);
    const char *reason = t->status == WPIN_REFUSED_OBJECT ? wpin_abort_text(t->abort) : NULL;
    size_t supply = l->axis.logic >= 0 ? (size_t)l->axis.logic : l->supply;
    if (t->status == WPIN_REFUSED_CAUSE && is_asked(run, load)) {
        say_asked(&l->axis, t, why + at, size - at);
        return;
    }
    switch (t->status) {
    case WPIN_REFUSED_OBJECT:
        snprintf(why + at, size - at, "refuses %s (abort %08lXh): %s", object,
                 (unsigned long)t->abort, reason != NULL ? reason : "a reason of its maker's own.");
        break;
    case WPIN_REFUSED_CONFIG:
        snprintf(why + at, size - at,
                 "is not a drive by CiA 402 as the rig has it: its %s is %lXh, expected %lXh",
                 object, (unsigned long)t->got, (unsigned long)t->wanted);
        break;
    case WPIN_REFUSED_CONFLICT:
        wpin_plain(
            why + at, size - at,
            "answers twice to one question: two nodes have the number %g; switch one of them "
            "off and give it another number",
            l->axis.number);
        break;
    case WPIN_REFUSED_CAUSE:
        snprintf(why + at, size - at,
                 "took %s and has another value: %lu (%lXh) was written, it reads %lu (%lXh)",
                 object, (unsigned long)t->wanted, (unsigned long)t->wanted, (unsigned long)t->got,
                 (unsigned long)t->got);
        break;
    default:
        if (wpin_session_bus_blocked(run, load)) {
            snprintf(why + at, size - at,
                     "does not answer, for the bus takes no frames: somebody fills it with frames "
                     "that go first, or its interface is down (windpin field listen shows)");
            break;
        }
        wpin_plain(
            why + at, size - at,
            "does not answer. In this order: is supply '%s' on, which feeds it (%s, and by the rig "
            "has %.3g V); is the rate %g kbit/s; is there a common ground; is the bus terminated "
            "at both ends; is it node %g",
            run->rig->supplies[supply].name,
            wpin_session_supply_on(run, supply) ? "it is" : "it is off",
            run->rig->supplies[supply].volts, bus->bit_rate / 1e3, l->axis.number);
    }
}

bool wpin_session_drive_trouble(const wpin_session *run, size_t load, char *words, size_t size) {
    if (load >= run->rig->load_count || !run->rig->loads[load].axis.there) {
        return false;
    }
    const wpin_axis *axis = &run->bound[load].axis_at_work;
    bool trouble = axis->setup != WPIN_AXIS_SET_UP && axis->trouble.status != WPIN_OK;
    if (axis->resets != 0) {
        snprintf(words, size, "load '%s': its drive resets its fault; clear again in half a second",
                 run->rig->loads[load].name);
    } else if (trouble) {
        say_trouble(run, load, words, size);
    }
    return axis->resets != 0 || trouble;
}

static bool is_refused(const wpin_session *run, size_t load) {
    return run->bound[load].axis_at_work.setup == WPIN_AXIS_REFUSED;
}

static void pass_tick(wpin_session *run) {
    wpin_motors_tick(run->motor_list, (uint16_t)run->rig->load_count);
    wpin_session_update_inputs(run);
    run->bench.wait(run->bench.context, wpin_session_clock(run) + wpin_session_tick_ps(run));
}

typedef struct asked_drive {
    wpin_session *run;
    size_t load;
} asked_drive;

static bool ask(void *context, uint16_t index, uint8_t sub, uint32_t *value) {
    const asked_drive *d = context;
    wpin_node *node = &d->run->bound[d->load].axis_at_work.node;
    uint8_t four[4];
    if (wpin_object_read(node, index, sub, four, sizeof four) != WPIN_OK) {
        return false;
    }
    while (!wpin_object_done(node)) { /* it is given up by itself */
        pass_tick(d->run);
    }
    *value = wpin_number_from(four, sizeof four);
    return node->transfer.result == WPIN_OK && node->transfer.size == sizeof four;
}

/* Speeds and places are told in the drive's units: where both say how many make a turn, they agree.
 */
static bool counts_agree(wpin_session *run, size_t load, char *why, size_t size) {
    const wpin_rig_load *l = &run->rig->loads[load];
    const wpin_rig_axis *a = &l->axis;
    asked_drive drive = {run, load};
    double counts;
    if (wpin_rig_axis_counts_alike(a, ask, &drive, &counts)) {
        return true;
    }
    wpin_plain(
        why, size,
        "load '%s' (line %u): node %g on field bus '%s' counts %.6g in a turn of its motor by "
        "its own factors, the rig %.6g: speeds and places would be off. Expected counts: %.6g, "
        "or other factors in the drive (or check-factors: no, where it reports what is not so)",
        l->name, l->line, a->number, run->rig->fieldbuses[a->bus].name, counts, a->counts, counts);
    return false;
}

wpin_status wpin_session_set_up_drives(wpin_session *run, char *why, size_t size) {
    int64_t until = wpin_session_clock(run) + (int64_t)(SET_UP_TIME * 1e12);
    size_t load;
    while (!all_set_up(run, &load)) {
        if (is_refused(run, load) || wpin_session_clock(run) > until) {
            say_trouble(run, load, why, size);
            return WPIN_FAULT_SILENT;
        }
        pass_tick(run);
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        if (!counts_agree(run, i, why, size)) {
            return WPIN_REFUSED_CONFIG;
        }
    }
    bool arms = !(run->by_hand && run->options.disarmed);
    for (size_t i = 0; arms && i < run->rig->load_count; i++) {
        wpin_status status =
            run->rig->loads[i].axis.there ? wpin_motor_arm(&run->motors[i]) : WPIN_OK;
        if (status != WPIN_OK) {
            snprintf(why, size, "load '%s' (line %u): %s %s", run->rig->loads[i].name,
                     run->rig->loads[i].line, wpin_status_text(status), wpin_status_remedy(status));
            return status;
        }
    }
    return WPIN_OK;
}
