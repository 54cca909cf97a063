/* The terminal's picture of a session. Its only job is to draw; ncursesw does it. */
#ifndef WPIN_CLI_LIVE_VIEW_H
#define WPIN_CLI_LIVE_VIEW_H

#include "panel.h"

/* Takes the terminal; false where it can't be drawn on. Gives it back as it was. */
bool live_view_open(void);
void live_view_close(void);
/* Draws all of it; what did not change costs nothing on the line. */
void live_view_draw(const live_panel *panel);
/* The terminal has another size now. */
void live_view_resize(void);

#endif
