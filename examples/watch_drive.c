/* Watches a drive on a field bus without saying a word: its state, speed and current out of its
 * process data, its errors out of its emergencies. Somebody else drives it, here a session; after
 * two seconds its shaft is held. */
#include <stdio.h>
#include <windpin/host/objects.h>
#include <windpin/host/rehearsal.h>

enum { NODE = 5 };

static void hear(void *context, const wpin_frame *frame, int64_t at) {
    int64_t *next = context;
    if (frame->id == WPIN_ID_SYNC + NODE) { /* its code 0: the error is gone */
        uint16_t code = (uint16_t)wpin_number_from(frame->data, 2);
        printf("%5.2f s  error %04Xh: %s\n", (double)at * 1e-12, code,
               code != 0 ? wpin_drive_error_text(code) : "none any more");
    } else if (frame->id == WPIN_ID_OUT_1 + NODE && at >= *next) {
        uint16_t status = (uint16_t)wpin_number_from(frame->data, 2);
        printf("%5.2f s  %-22s %6ld counts/s  %4d/1000 of its rated current\n", (double)at * 1e-12,
               wpin_axis_state_name(wpin_axis_state_of(status)),
               (long)(int32_t)wpin_number_from(&frame->data[2], 4),
               (int16_t)wpin_number_from(&frame->data[6], 2));
        *next = at + 250000000000; /* a readable rate */
    }
}

int main(void) {
    wpin_messages messages = {0};
    char why[300];
    wpin_status refused;
    int64_t next = 0;
    wpin_rig *rig = wpin_rig_read(HONEY_HOUSE_DEMO "/honey-line.yaml", &messages);
    wpin_board_bench board = {rig, rig == NULL ? NULL : wpin_board_build(rig)};
    if (board.sim == NULL) {
        return 1;
    }
    wpin_bench bench = wpin_bench_on_board(&board);
    wpin_session *session = wpin_session_open(rig, NULL, &bench, NULL, &refused, why, sizeof why);
    if (session == NULL) {
        printf("%s\n", why);
        return 1;
    }
    wpin_sim_watch_fieldbus(board.sim, 0, hear, &next);
    wpin_sim_switch(board.sim, 0, true);
    wpin_motor_request(wpin_session_motor(session, 0),
                       (wpin_setpoint){WPIN_QUANTITY_SPEED, WPIN_PERCENT(50)}, 0, 10000);
    wpin_session_until(session, 2);
    wpin_sim_inject(board.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    wpin_session_until(session, 3.5);
    wpin_report_free(wpin_session_close(session, why, sizeof why));
    wpin_board_bench_free(&board);
    wpin_rig_free(rig);
    printf("Done.\n");
    return 0;
}
