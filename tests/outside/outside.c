/* Uses the core and the rig reader of an installed Wind Pin. */
#include <stdio.h>
#include <windpin/host/rig.h>
#include <windpin/windpin.h>

int main(int argc, char **argv) {
    wpin_messages messages = {0};
    wpin_rig *rig = argc > 1 ? wpin_rig_read(argv[1], &messages) : NULL;
    if (rig == NULL) {
        return 1;
    }
    printf("%s, %zu load, %s\n", rig->name, rig->load_count, wpin_status_name(WPIN_OK));
    wpin_rig_free(rig);
    return 0;
}
