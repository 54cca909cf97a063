/* Anything at all as a rig (FUZZ_RIG) or as a plan for the honey house (FUZZ_PLAN): read, and
 * vetted if it can be read. Built with a fuzzer by tools/fuzz, which also takes files to try again.
 */
#define _GNU_SOURCE
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <unistd.h>
#include <windpin/host/plan.h>
#include <windpin/host/rig.h>
#include <windpin/host/vet.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void vet(const wpin_rig *rig, const wpin_plan *plan) {
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    wpin_vetting_free(v);
}

#ifdef FUZZ_RIG
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
