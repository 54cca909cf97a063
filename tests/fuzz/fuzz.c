/* Anything at all as a rig (FUZZ_RIG) or as a plan for the honey house (FUZZ_PLAN): read, and
 * vetted if it can be read; or as a data sheet of a drive (FUZZ_EDS), each object asked for. Built
 * with a fuzzer by tools/fuzz, which also takes files to try again.
 */
#define _GNU_SOURCE
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>
#include <windpin/host/eds.h>
#include <windpin/host/plan.h>
#include <windpin/host/rig.h>
#include <windpin/host/vet.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#ifndef FUZZ_EDS
static void vet(const wpin_rig *rig, const wpin_plan *plan) {
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    wpin_vetting_free(v);
}
#endif

#ifdef FUZZ_EDS
static void take(const char *path) {
    char why[300] = "";
    wpin_eds *eds = wpin_eds_read(path, why, sizeof why);
    size_t count = 0;
    const wpin_eds_object *all = eds == NULL ? NULL : wpin_eds_objects(eds, &count);
    for (size_t i = 0; i < count; i++) {
        const wpin_known_object *known;
        uint16_t index;
        uint8_t sub;
        if (wpin_eds_of(eds, all[i].known.index, all[i].known.sub) != &all[i]) {
            abort(); /* two of one number */
        }
        (void)wpin_eds_find(eds, all[i].known.name, &index, &sub, &known, why, sizeof why);
        (void)wpin_eds_allows(&all[i], all[i].least, why, sizeof why);
    }
    if (eds == NULL && strlen(why) == 0) {
        abort();
    }
    wpin_eds_free(eds);
}
#elif defined FUZZ_RIG
static void take(const char *path) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(path, &m);
    if (rig != NULL) {
        vet(rig, NULL);
    } else if (m.count == 0 && !m.out_of_memory) {
        abort(); /* refused, and nobody is told why */
    }
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
#else
static void take(const char *path) {
    static wpin_rig *rig;
    wpin_messages m = {0};
    rig = rig != NULL ? rig : wpin_rig_read("demo/honey-house.yaml", &m);
    wpin_plan *plan = rig == NULL ? NULL : wpin_plan_read(path, rig, &m);
    if (plan != NULL) {
        vet(rig, plan);
    } else if (m.count == 0 && !m.out_of_memory) {
        abort();
    }
    wpin_plan_free(plan);
    wpin_messages_free(&m);
}
#endif

/* The readers take a path: a file in memory has one. */
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static int file = -1;
    static char path[64];
    if (file < 0) {
        file = memfd_create("input", 0);
        snprintf(path, sizeof path, "/proc/self/fd/%d", file);
    }
    if (file < 0 || ftruncate(file, 0) != 0 || pwrite(file, data, size, 0) != (ssize_t)size) {
        return 0;
    }
    take(path);
    return 0;
}
