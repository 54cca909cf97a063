/* A session without a plan: somebody asks. With a wpin_bench of your own it runs there instead. */
#include <stdio.h>
#include <windpin/host/rehearsal.h>

typedef struct asked {
    double at; /* s */
    wpin_duty duty;
    const char *words;
} asked;

static void show(wpin_session *session, const char *words, const char *answer) {
    const wpin_motor *drum = wpin_session_motor(session, 0);
    printf("%6.2f s  %-16s duty %+6.1f %%  %5.2f A  %s\n", wpin_session_time(session), words,
           wpin_motor_duty(drum) * 100.0 / WPIN_DUTY_FULL, wpin_motor_milliamps(drum) * 1e-3,
           answer);
}

/* Slow, faster, and the other way at once: the guard lets it come to rest first. */
static void drive(wpin_session *session) {
    const asked asks[] = {{0, WPIN_PERCENT(30), "30 % forward"},
                          {3, WPIN_PERCENT(50), "50 % forward"},
                          {6, WPIN_PERCENT(-30), "30 % in reverse"},
                          {13, WPIN_PERCENT(101), "101 %"}};
    for (size_t i = 0; i < sizeof asks / sizeof *asks; i++) {
        wpin_session_until(session, asks[i].at);
        wpin_motor *drum = wpin_session_motor(session, 0);
        wpin_status status = wpin_motor_run(drum, asks[i].duty, 0, 20000);
        show(session, asks[i].words, status == WPIN_OK ? "" : wpin_status_text(status));
    }
}

int main(void) {
    char why[200] = "";
    wpin_messages messages = {0};
    wpin_rig *rig = wpin_rig_read(HONEY_HOUSE_DEMO "/honey-drum.yaml", &messages);
    wpin_board_bench board = {.rig = rig, .sim = rig == NULL ? NULL : wpin_board_build(rig)};
    volatile int over = 0;
    wpin_session *session = NULL;
    if (board.sim != NULL) {
        wpin_bench bench = wpin_bench_on_board(&board);
        wpin_session_options options = {.supplies_on = true, .interrupted = &over};
        wpin_status refused;
        session = wpin_session_open(rig, NULL, &bench, &options, &refused, why, sizeof why);
    }
    if (session != NULL) {
        drive(session);
        over = 1; /* everything comes to rest, and then it ends */
        while (wpin_session_step(session)) {
        }
        show(session, "at rest", "");
    }
    wpin_report *report = wpin_session_close(session, why, sizeof why);
    printf("%s\n", report == NULL ? why : "Every stage is in its safe state. Done.");
    wpin_report_free(report);
    wpin_sim_free(board.sim);
    wpin_rig_free(rig);
    wpin_messages_free(&messages);
    return 0;
}
