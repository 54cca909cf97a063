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

/* Bits that a frame takes on a simulated bus. */
static double bits_of(wpin_sim *sim, const wpin_frame *frame) {
    wpin_part_bus_use before = wpin_sim_fieldbus_use(sim, 0);
    wpin_sim_tell_fieldbus(sim, 0, 0, frame);
    wpin_sim_advance(sim, 1000000000);
    return wpin_sim_fieldbus_use(sim, 0).bits - before.bits;
}

/* The longest that a frame of so many bytes was found to be, from bits that
 * change by fours on, as each four need a stuff bit, by changing one after the other.
 */
static double longest(wpin_sim *sim, uint16_t id, uint8_t bytes) {
    double most = 0;
    for (int start = 0; start < 8; start++) {
        wpin_frame frame = {.id = id, .length = bytes};
        for (int bit = 0; bit < 8 * bytes; bit++) { /* by fours, here or there */
            frame.data[bit / 8] |= (uint8_t)(((bit + start) / 4 % 2) << (7 - bit % 8));
        }
        double here = bits_of(sim, &frame);
        for (int bit = 0, since = 0; since < 8 * bytes; bit = (bit + 1) % (8 * bytes), since++) {
            frame.data[bit / 8] ^= (uint8_t)(1U << bit % 8);
            double then = bits_of(sim, &frame);
            if (then > here) {
                here = then;
                since = -1;
            } else {
                frame.data[bit / 8] ^= (uint8_t)(1U << bit % 8);
            }
        }
        most = here > most ? here : most;
    }
    return most;
}

/* The same frames with what makes them longest, as far as that is found. */
static double longest_load(void) {
    static const wpin_part_controller controller = {.logic_volts = 3.3,
                                                    .pin_resistance = 25,
                                                    .pin_burns_above = 0.04,
                                                    .timer_hz = 16e6,
                                                    .timer_steps_max = 65536};
    wpin_sim *sim = wpin_sim_new(&controller);
    wpin_sim_add_fieldbus(sim, 1e6);
    double bits = bits_of(sim, &(wpin_frame){.id = WPIN_ID_SYNC});
    for (uint16_t node = 1; node <= DRIVES; node++) {
        bits += longest(sim, (uint16_t)(WPIN_ID_IN_1 + node), 6);
        bits += longest(sim, (uint16_t)(WPIN_ID_OUT_1 + node), 8);
    }
    wpin_sim_free(sim);
    return 250 * bits;
}

/* ---- set-points ---- */

enum { SETPOINTS = 1000 };

/* The frame that a set-point is waited for in. */
static struct awaited {
    uint16_t id;
    uint8_t data[8], last[DRIVES + 1][8];
    int64_t since, took;
    bool came;
} awaited;

static void watch(void *context, const wpin_frame *frame, int64_t at) {
    (void)context;
    unsigned node = frame->id & 127U;
    if ((frame->id & 0x780U) != WPIN_ID_IN_1 || node > DRIVES) {
        return;
    }
    if (frame->id == awaited.id && !awaited.came &&
        memcmp(frame->data, awaited.last[node], 6) != 0) {
        awaited.came = true;
        awaited.took = at - awaited.since;
    }
    memcpy(awaited.last[node], frame->data, 8);
}

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

/* From a request, whenever it comes, to the end of its frame. */
static void measure_setpoints(wpin_session *s, wpin_sim *sim) {
    static double ms[SETPOINTS];
    uint32_t seed = 1;
    wpin_sim_watch_fieldbus(sim, 0, watch, NULL);
    double time = 12;
    for (int i = 0; i < SETPOINTS; i++) {
        seed = seed * 1664525U + 1013904223U;
        size_t drive = seed >> 29;
        time += 0.02 + (seed >> 8 & 0xFFF) * 1e-6;
        wpin_session_until(s, time);
        awaited.id = (uint16_t)(WPIN_ID_IN_1 + drive + 1);
        awaited.came = false;
        awaited.since = wpin_sim_time(sim);
        int share = 4000 + (int)(seed >> 16 & 0xFFF);
        wpin_motor_request(wpin_session_motor(s, drive),
                           (wpin_setpoint){WPIN_QUANTITY_SPEED, share}, 0, 60000);
        for (int step = 0; step < 100 && !awaited.came; step++) {
            time += 1e-3;
            wpin_session_until(s, time);
        }
        ms[i] = awaited.came ? (double)awaited.took * 1e-9 : 100;
    }
    qsort(ms, SETPOINTS, sizeof *ms, by_size);
    printf("  from a set-point to the end of its frame, tick 1 ms, period 4 ms: %.2f ms in the "
           "middle, 99 of 100 within %.2f ms\n",
           ms[SETPOINTS / 2], ms[SETPOINTS * 99 / 100]);
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
        "  %d drives, 250 times a second at 1 Mbit/s: at most %.1f %% computed, %.1f %% measured "
        "with the longest frames that were found, %.1f %% with what was said (%.0f frames a "
        "second)\n",
        DRIVES, worst / 1e4, longest_load() / 1e4, (after.bits - before.bits) / 1e5,
        (after.frames - before.frames) / 10);
    measure_setpoints(s, board.sim);
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
