/* Read from its rig file, as everything here. */
#include "bottling_line.h"

bool bottling_line_open(bottling_line *line) {
    wpin_messages messages = {0};
    *line = (bottling_line){.rig = wpin_rig_read(HONEY_HOUSE_DEMO "/honey-line.yaml", &messages)};
    wpin_messages_free(&messages);
    line->hardware = line->rig == NULL ? NULL : wpin_board_build(line->rig);
    if (line->hardware == NULL || !wpin_sim_fieldbus(line->hardware, 0, &line->bus)) {
        return false;
    }
    line->port = wpin_sim_port(line->hardware);
    wpin_sim_switch(line->hardware, 0, true);
    return true;
}

void bottling_line_pass(bottling_line *line) {
    wpin_sim_advance(line->hardware, 1000000000);
}

void bottling_line_close(bottling_line *line) {
    wpin_sim_free(line->hardware);
    wpin_rig_free(line->rig);
}
