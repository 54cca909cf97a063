/* How a session ends: every stage safe, the record whole. */
#include "session.h"

/* Leaves every stage in its safe state. */
void wpin_session_close_motors(wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_motor_close(&run->motors[i]);
    }
}

int wpin_session_close_vcd(wpin_session *run) {
    if (run->vcd == NULL) {
        return 0;
    }
    run->bench.watch_pins(run->bench.context, NULL, NULL);
    return wpin_vcd_close(run->vcd);
}
