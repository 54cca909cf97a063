/* Real pins of this computer: taken, driven by a plan, given back. */
#define _GNU_SOURCE
#include "real.h"
#include "confirmed.h"
#include "windpin/host/plain.h"
#include "windpin/host/vet.h"
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* A plan's 'main on' where it is on already; or somebody who drives by hand says that it is. */
static bool switch_supply(void *context, size_t supply, bool on) {
    cli_real *real = context;
    bool can = real->by_hand || real->powered;
    if (can && !on && !real->by_hand) {
        fprintf(stderr, "Now switch '%s' off.\n", real->rig->supplies[supply].name);
    }
    real->on[supply] = can ? on : real->on[supply];
    return can;
}

/* The rest is the port's own bench. */
static int64_t time_of(void *context) {
    const wpin_bench *pins = &((const cli_real *)context)->pins;
    return pins->time(pins->context);
}

static void wait_until(void *context, int64_t until) {
    const wpin_bench *pins = &((const cli_real *)context)->pins;
    pins->wait(pins->context, until);
}

static bool is_broken(void *context) {
    const wpin_bench *pins = &((const cli_real *)context)->pins;
    return pins->broken(pins->context);
}

static bool supply_is_on(void *context, size_t supply) {
    return ((const cli_real *)context)->on[supply];
}

static bool fieldbus(void *context, size_t number, wpin_fieldbus *bus) {
    const cli_real *real = context;
    if (real->bearers[number] != NULL) {
        *bus = wpin_bearer_bus(real->bearers[number]);
    }
    return real->bearers[number] != NULL;
}

static bool open_buses(cli_real *real, char *why, size_t size) {
    for (size_t i = 0; i < real->rig->fieldbus_count; i++) {
        real->bearers[i] = wpin_bearer_open(real->rig->fieldbuses[i].interface, why, size);
        if (real->bearers[i] == NULL) {
            return false;
        }
    }
    return true;
}

static void close_buses(cli_real *real) {
    for (size_t i = 0; i < WPIN_RIG_FIELDBUSES; i++) {
        wpin_bearer_close(real->bearers[i]);
        real->bearers[i] = NULL;
    }
}

bool cli_real_open(cli_real *real, const wpin_rig *rig, bool powered) {
    char why[400];
    *real = (cli_real){.rig = rig, .powered = powered};
    for (size_t i = 0; i < COUNT(real->on); i++) {
        real->on[i] = powered;
    }
    if (rig->supply_count > COUNT(real->on)) {
        cli_complain("a rig for real pins has at most %zu supplies", COUNT(real->on));
        return false;
    }
    if (!wpin_bind_linux(&real->bound, rig, why, sizeof why)) {
        cli_complain("%s", why);
        return false;
    }
    bool opened = open_buses(real, why, sizeof why);
    real->port = opened ? wpin_linux_open(&real->bound.config, why, sizeof why) : NULL;
    if (real->port == NULL) {
        cli_complain("%s", why);
        close_buses(real);
        return false;
    }
    fputs(wpin_linux_notes(real->port), stderr);
    real->pins = wpin_linux_bench(real->port);
    real->bench = (wpin_bench){.context = real,
                               .port = real->pins.port,
                               .time = time_of,
                               .own_clock = true,
                               .wait = wait_until,
                               .broken = is_broken,
                               .fieldbus = fieldbus,
                               .switch_supply = switch_supply,
                               .supply_is_on = supply_is_on};
    return true;
}

void cli_real_close(cli_real *real) {
    close_buses(real);
    wpin_linux_close(real->port);
    real->port = NULL;
}

/* ---- the checklist ---- */

bool cli_real_confirm(const wpin_rig *rig, bool confirmed) {
    char answer[16] = "";
    wpin_lines *lines = confirmed ? NULL : wpin_checklist(rig);
    if (confirmed) {
        return true;
    }
    if (lines == NULL || !isatty(STDIN_FILENO) || !isatty(STDERR_FILENO)) {
        cli_complain("real pins move real parts: somebody has to go through the power-up checklist "
                     "(windpin vet prints it) and say so: --confirmed");
        wpin_lines_free(lines);
        return false;
    }
    fprintf(stderr, "Before real pins move real parts:\n");
    for (size_t i = 0; i < lines->count && !cli_was_confirmed(rig); i++) {
        fprintf(stderr, "  - %s\n", lines->lines[i]);
    }
    fprintf(stderr, "  - Each shaft is free, nothing can be caught by it, and hands are off.\n"
                    "Is all of this so? [no] ");
    wpin_lines_free(lines);
    bool so = fgets(answer, sizeof answer, stdin) != NULL && (answer[0] == 'y' || answer[0] == 'Y');
    if (so) {
        cli_confirm(rig);
    } else {
        cli_complain("nothing was moved");
    }
    return so;
}

/* ---- a plan ---- */

/* What a plan asks of hands: supplies are on already, all else nobody does here. */
static bool needs_no_hands(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan) {
    bool none = true;
    for (size_t i = 0; i < plan->step_count && none; i++) {
        const wpin_step *s = &plan->steps[i];
        bool hands = s->target.kind == WPIN_TARGET_SWITCH || s->op == WPIN_OP_SET;
        bool supply = s->target.kind == WPIN_TARGET_SWITCH && s->target.number < rig->supply_count;
        none = !hands || (supply && run->supplies_on);
        if (!none) {
            cli_complain("%s:%u: '%s': %s", run->files[1], plan->sources[i].line,
                         plan->sources[i].text,
                         supply ? "nobody can switch it here: switch it on, and say --powered"
                                : "nobody does that here: take it out for real pins");
        }
    }
    return none;
}

/* How late it was woken; whether that is more than a fast tick may be off. */
static void say_woken(const cli_real *real) {
    wpin_linux_waking w = wpin_linux_woken(real->port);
    double fast = real->rig->controller.soft_tick;
    bool uses_fast = false;
    for (size_t i = 0; i < real->rig->load_count; i++) {
        uses_fast = uses_fast || wpin_rig_needs_fast_tick(&real->rig->loads[i]);
    }
    wpin_plain_put(stderr, "Woken %lu times, %.3f ms late on average, %.3f ms at most.\n", w.times,
                   w.average * 1e3, w.most * 1e3);
    if (uses_fast && w.most > fast) {
        wpin_plain_put(
            stderr,
            "Steps, and PWM in software, were up to %.3f ms off, not %.3f ms as the rig says "
            "(fast-tick): a channel, or a controller, does not depend on what else runs here.\n",
            w.most * 1e3, fast * 1e3);
    }
}

wpin_report *cli_run_real(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan,
                          const wpin_session_options *options, char *why, size_t size) {
    wpin_status refused;
    cli_real *real = calloc(1, sizeof *real);
    wpin_report *report = NULL;
    snprintf(why, size, real == NULL ? "out of memory" : "nothing was run");
    if (real == NULL || !needs_no_hands(run, rig, plan) || !cli_real_confirm(rig, run->confirmed) ||
        !cli_real_open(real, rig, run->supplies_on)) {
        free(real);
        return NULL;
    }
    signal(SIGPIPE, SIG_IGN); /* who reads the result may go: that ends nothing early */
    wpin_session *session =
        wpin_session_open(rig, plan, &real->bench, options, &refused, why, size);
    if (session == NULL && wpin_linux_why(real->port)[0] != '\0') {
        snprintf(why, size, "%s", wpin_linux_why(real->port)); /* it knows best */
    }
    while (session != NULL && wpin_session_step(session)) {
    }
    if (session != NULL) {
        report = wpin_session_close(session, why, size);
        say_woken(real);
    }
    if (report != NULL && wpin_linux_why(real->port)[0] != '\0') {
        cli_complain("the pins could not be relied on any more: %s", wpin_linux_why(real->port));
    }
    cli_real_close(real);
    free(real);
    return report;
}
