/* Anything at all as a data sheet of a drive: read, and each object asked for. */
#include "input.h"
#include <stdlib.h>
#include <string.h>
#include <windpin/host/eds.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    const char *path = fuzz_path(data, size);
    if (path == NULL) {
        return 0;
    }
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
        if (i < 16) { /* one that is not found is compared with all */
            (void)wpin_eds_find(eds, all[i].known.name, &index, &sub, &known, why, sizeof why);
        }
        (void)wpin_eds_allows(&all[i], all[i].least, why, sizeof why);
    }
    if (eds == NULL && strlen(why) == 0) {
        abort();
    }
    wpin_eds_free(eds);
    return 0;
}
