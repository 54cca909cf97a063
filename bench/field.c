/* A field bus full of drives: its computed worst load beside what its frames really took; and how
 * long a question about an object takes over a socket, beside a bare echo on the same. */
#define _GNU_SOURCE
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>
#include <windpin/host/bearer.h>
#include <windpin/host/rehearsal.h>

enum { DRIVES = 8, ASKED = 5000 };

/* ---- load ---- */

static const char head[] =
    "rig: eight\ncontroller: {tick: 1ms}\nsupplies: {drives: {voltage: 36V, resistance: 10mohm, "
    "limit: 100A, capacitor: 100mF, switch: on}}\nfield-buses: {line: {bit-rate: 1Mbit/s, period: "
    "4ms}}\nloads:\n";
static const char each[] =
    "  axis-%d:\n    supply: drives\n    stage: {kind: field-bus}\n    axis: {bus: line, node: %d, "
    "counts: 4000, rated-current: 3A, place-period: 960ms, heartbeat: 10s}\n    motor: "
    "{resistance: "
    "800mohm, inductance: 1.2mH, constant: 70mNm/A, inertia: 1200gcm2, static-friction: 30mNm, "
    "dry-friction: 20mNm}\n    speed: {rated: 2000rpm}\n    ramp: {up: 500ms, down: 500ms}\n    "
    "rest: 100ms\n";

static double most_bits(int bytes) {
    return 47 + 8 * bytes + (34 + 8 * bytes - 1) / 4;
}

/* Set-points out; state, velocity and current back; SYNC: 250 times a second. */
static int measure_load(void) {
    char path[] = "/tmp/windpin-eight-XXXXXX", why[300];
    wpin_messages m = {0};
    FILE *file = fdopen(mkstemp(path), "w");
    fputs(head, file);
    for (int i = 1; i <= DRIVES; i++) {
        fprintf(file, each, i, i);
    }
    fclose(file);
    wpin_rig *rig = wpin_rig_read(path, &m);
    unlink(path);
    wpin_board_bench board = {rig, rig == NULL ? NULL : wpin_board_build(rig)};
    wpin_status refused;
    if (board.sim == NULL) {
        return 1;
    }
    wpin_bench bench = wpin_bench_on_board(&board);
    wpin_session *s = wpin_session_open(rig, NULL, &bench, NULL, &refused, why, sizeof why);
    if (s == NULL) {
        printf("%s\n", why);
        return 1;
    }
    for (size_t i = 0; i < DRIVES; i++) {
        wpin_motor_request(wpin_session_motor(s, i),
                           (wpin_setpoint){WPIN_QUANTITY_SPEED, 2000 + 1000 * (int)i}, 0, 60000);
    }
    wpin_session_until(s, 1);
    wpin_part_bus_use before = wpin_sim_fieldbus_use(board.sim, 0);
    wpin_session_until(s, 11);
    wpin_part_bus_use after = wpin_sim_fieldbus_use(board.sim, 0);
    double worst = 250 * (most_bits(0) + DRIVES * (most_bits(6) + most_bits(8)));
    printf(
        "  %d drives, 250 times a second at 1 Mbit/s: at most %.1f %% by its frames, %.1f %% with "
        "the stuff bits of what was said (%.0f frames a second)\n",
        DRIVES, worst / 1e4, (after.bits - before.bits) / 1e5, (after.frames - before.frames) / 10);
    wpin_report_free(wpin_session_close(s, why, sizeof why));
    wpin_board_bench_free(&board);
    wpin_rig_free(rig);
    return 0;
}

/* ---- questions ---- */

static volatile bool ends;

/* Answers every question at once, with a node's answer. */
static void answer(void *context, int client, const wpin_frame *frame) {
    (void)client;
    if (frame != NULL) {
        wpin_frame back = *frame;
        back.id = (uint16_t)(frame->id - 0x80);
        back.data[0] = 0x43;
        wpin_hub_tell(context, &back, -1);
    }
}

static void *serve(void *hub) {
    while (!ends) {
        wpin_hub_serve(hub, 0.05, answer, hub);
    }
    return NULL;
}

static double now_us(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec * 1e6 + (double)t.tv_nsec * 1e-3;
}

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

static void print_times(const char *what, double *us) {
    qsort(us, ASKED, sizeof *us, by_size);
    printf("  %s: %.0f us in the middle, 99 of 100 within %.0f us\n", what, us[ASKED / 2],
           us[ASKED * 99 / 100]);
}

static void await_frame(wpin_bearer *bearer) {
    wpin_bearer_wait(bearer, 1);
}

static int measure_questions(void) {
    static double us[ASKED];
    char why[300], path[] = "/tmp/windpin-hub-XXXXXX";
    pthread_t other;
    close(mkstemp(path));
    unlink(path);
    wpin_hub *hub = wpin_hub_open(path, why, sizeof why);
    wpin_bearer *bearer = hub == NULL ? NULL : wpin_bearer_open(path, why, sizeof why);
    if (bearer == NULL || pthread_create(&other, NULL, serve, hub) != 0) {
        printf("%s\n", why);
        return 1;
    }
    wpin_fieldbus bus = wpin_bearer_bus(bearer);
    static wpin_network network;
    static wpin_node node;
    static const wpin_network_config config = {.answer_us = 1000000};
    wpin_network_open(&network, &config, &bus);
    wpin_network_add(&network, &node, 5);
    for (int i = 0; i < ASKED; i++) {
        uint8_t four[4];
        double begun = now_us();
        wpin_object_read(&node, 0x6041, 0, four, 4);
        while (!wpin_object_done(&node)) {
            await_frame(bearer);
            wpin_network_poll(&network);
        }
        us[i] = now_us() - begun;
    }
    print_times("an object read over a socket", us);
    for (int i = 0; i < ASKED; i++) {
        wpin_frame frame = {.id = 0x605, .length = 8};
        double begun = now_us();
        bus.send(bus.context, &frame);
        while (!bus.receive(bus.context, &frame)) {
            await_frame(bearer);
        }
        us[i] = now_us() - begun;
    }
    print_times("a frame and its echo on the same", us);
    ends = true;
    pthread_join(other, NULL);
    wpin_bearer_close(bearer);
    wpin_hub_close(hub);
    return 0;
}

int main(void) {
    int failed = measure_load();
    return measure_questions() + failed;
}
