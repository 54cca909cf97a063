/* The honey house's bottling line, simulated: a field bus with one drive on it, and time that
 * passes. On real hardware the bus would be a CAN unit's. */
#ifndef BOTTLING_LINE_H
#define BOTTLING_LINE_H

#include <windpin/host/rehearsal.h>

typedef struct bottling_line {
    wpin_rig *rig;
    wpin_sim *hardware;
    wpin_fieldbus bus;
    wpin_port port; /* only its clock is used: all else goes over the bus */
} bottling_line;

/* Switches it on; false: something is missing. */
bool bottling_line_open(bottling_line *line);
/* Lets a millisecond pass. */
void bottling_line_pass(bottling_line *line);
void bottling_line_close(bottling_line *line);

#endif
