/* The plan of a first motion of a load: alone, gently, each way its stage can. */
#include "windpin/host/plain.h"
#include "windpin/host/plan.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MOST_DUTY 0.3

double wpin_plan_first_seconds(const wpin_rig_load *load) {
    return wpin_rig_type(load)->steps               ? 0
           : load->crossing.there                   ? 4
           : wpin_stage_kind_takes_duty(load->kind) ? 1
                                                    : 0.3;
}

void wpin_plan_make_gentle(wpin_rig_load *load) {
    wpin_rig_limits *l = &load->limits;
    l->below = WPIN_BELOW_ALLOW;
    l->start_duty = l->drop_out = l->kick_level = l->kick_time = 0;
    if (wpin_stage_kind_takes_duty(load->kind) && !load->crossing.there && !load->axis.there) {
        l->duty_max = fmin(l->duty_max, MOST_DUTY);
    }
}

static bool goes_back(const wpin_rig_load *load) {
    return wpin_rig_type(load)->steps || wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE);
}

/* The motion one way, as lines of a plan. */
static void write_way(char *text, size_t size, const wpin_rig_load *load, bool back) {
    const char *way = back ? "reverse " : "", *name = load->name;
    if (wpin_rig_type(load)->steps) {
        snprintf(text, size, "%s turn %s45deg\n%s hold 200ms\n", name, way, name);
    } else if (load->axis.there) {
        wpin_plain(text, size, "%s run %s%.4grpm for %gs\n%s rest 500ms\n", name, way,
                   load->speed.rated / 10, wpin_plan_first_seconds(load), name);
    } else if (wpin_stage_kind_takes_duty(load->kind)) {
        wpin_plain(text, size, "%s run %s%.4g%% for %gs\n%s rest 500ms\n", name, way,
                   fmin(MOST_DUTY, load->limits.duty_max) * 100, wpin_plan_first_seconds(load),
                   name);
    } else {
        wpin_plain(text, size, "%s on %sfor %gs\n%s rest 500ms\n", name, way,
                   wpin_plan_first_seconds(load), name);
    }
}

static wpin_plan *read_gentle(const wpin_rig *rig, size_t load, const char *text,
                              wpin_messages *messages) {
    wpin_rig copy = *rig;
    copy.loads = malloc(rig->load_count * sizeof *copy.loads);
    if (copy.loads == NULL) {
        messages->out_of_memory = true;
        return NULL;
    }
    memcpy(copy.loads, rig->loads, rig->load_count * sizeof *copy.loads);
    wpin_plan_make_gentle(&copy.loads[load]);
    wpin_plan *plan = wpin_plan_read_text("first motion", text, &copy, messages);
    free(copy.loads);
    return plan;
}

wpin_plan *wpin_plan_first_motion(const wpin_rig *rig, size_t load, wpin_messages *messages) {
    const wpin_rig_load *l = &rig->loads[load];
    char text[400], forth[160], back[160] = "";
    if (!wpin_rig_type(l)->turns) {
        wpin_messages_add(messages, 1, 1, "'%s' has no shaft", l->name);
        return NULL;
    }
    write_way(forth, sizeof forth, l, false);
    if (goes_back(l)) {
        write_way(back, sizeof back, l, true);
    }
    snprintf(text, sizeof text, "%s%s%s %s\n", forth, back, l->name,
             wpin_rig_type(l)->steps ? "release" : "off");
    wpin_plan *plan = read_gentle(rig, load, text, messages);
    if (plan != NULL) {
        plan->gentle = true;
    }
    return plan;
}
