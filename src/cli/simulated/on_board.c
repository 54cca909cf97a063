/* Simulated hardware for the commands that also know real pins. */
#include "../cli.h"
#include "windpin/host/rehearsal.h"
#include <stdlib.h>

struct cli_board {
    wpin_board_bench bench;
};

cli_board *cli_board_open(const wpin_rig *rig, wpin_bench *bench) {
    cli_board *board = calloc(1, sizeof *board);
    if (board != NULL) {
        board->bench = (wpin_board_bench){.rig = rig, .sim = wpin_board_build(rig)};
        if (board->bench.sim != NULL) {
            *bench = wpin_bench_on_board(&board->bench);
            return board;
        }
    }
    free(board);
    return NULL;
}

void cli_board_close(cli_board *board) {
    if (board != NULL) {
        wpin_board_bench_free(&board->bench);
        free(board);
    }
}

wpin_report *cli_run_simulated(const wpin_rig *rig, const wpin_plan *plan,
                               const wpin_session_options *options, char *why, size_t size) {
    wpin_status refused;
    return wpin_rehearse(rig, plan, options, &refused, why, size);
}
