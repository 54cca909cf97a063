/* A virtual CAN interface of the kernel: simulated drives on it, reached as real ones would be. */
#define _GNU_SOURCE
#include "../support.h"
#include "pins.h"
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#define RIG_TEXT(at)                                                                               \
    "rig: line\ncontroller: {tick: 1ms}\n"                                                         \
    "supplies: {drives: {voltage: 36V, resistance: 50mohm, limit: 15A, capacitor: 10mF, switch: "  \
    "on}}\n"                                                                                       \
    "field-buses: {line: {bit-rate: 1Mbit/s, interface: " at "}}\n"                                \
    "loads:\n  belt:\n    supply: drives\n    stage: {kind: field-bus, at-rest: brake}\n"          \
    "    axis: {bus: line, node: 5, counts: 4000, rated-current: 3A}\n"                            \
    "    motor: {resistance: 800mohm, inductance: 1.2mH, constant: 70mNm/A, inertia: 1200gcm2, "   \
    "static-friction: 30mNm, dry-friction: 20mNm, gear: 10, gear-efficiency: 85%, load: "          \
    "{inertia: 80kgcm2}}\n"                                                                        \
    "    speed: {rated: 160rpm, maximum: 200rpm}\n    ramp: {up: 500ms, down: 500ms}\n"            \
    "    rest: 100ms\n"

static char said[16384];

static void write_to(const char *path, const char *text) {
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    fputs(text, file);
    ck_assert_int_eq(fclose(file), 0);
}

static pid_t start_drives(const char *at) {
    pid_t child = fork();
    ck_assert_int_ge(child, 0);
    if (child == 0) {
        char option[60];
        snprintf(option, sizeof option, "--at=%s", at);
        ck_assert_ptr_nonnull(freopen("/mnt/drives", "w", stdout));
        execl(TEST_TOOL, TEST_TOOL, "field", "drives", "/mnt/line.yaml", option, NULL);
        _exit(127);
    }
    usleep(700000); /* they boot */
    return child;
}

static void stop_drives(pid_t child) {
    int status = -1;
    kill(child, SIGINT);
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    ck_assert(WIFEXITED(status) && WEXITSTATUS(status) == 0);
}

START_TEST(drives_are_reached_over_can) {
    ck_assert_int_eq(run_command(said, sizeof said, "%s field look vcan0", TEST_TOOL), 2);
    ck_assert_msg(strstr(said, "no such network interface") != NULL, "%s", said);
    ck_assert_int_eq(run_command(said, sizeof said, "busybox ip link add vcan0 type vcan"), 0);
    ck_assert_int_eq(run_command(said, sizeof said, "%s field look vcan0", TEST_TOOL), 2);
    ck_assert_msg(strstr(said, "vcan0 is down") != NULL, "%s", said);
    ck_assert_int_eq(run_command(said, sizeof said, "busybox ip link set vcan0 up"), 0);
    ck_assert_int_eq(run_command(said, sizeof said, "%s field look vcan0", TEST_TOOL), 1);
    /* a virtual interface has no rate: what tells that of others is replaced */
    write_to("/mnt/ip",
             "#!/bin/busybox sh\necho '[{\"linkinfo\":{\"info_kind\":\"can\",\"info_data\":"
             "{\"state\":\"ERROR-PASSIVE\",\"bittiming\":{\"bitrate\":500000}}}}]'\n");
    ck_assert_int_eq(chmod("/mnt/ip", 0755), 0);
    ck_assert_int_eq(
        run_command(said, sizeof said, "PATH=/mnt:$PATH %s field look vcan0", TEST_TOOL), 1);
    ck_assert_msg(strstr(said, "vcan0: 500 kbit/s, its end here is ERROR-PASSIVE") != NULL, "%s",
                  said);
    ck_assert_msg(strstr(said, "Nobody answers") != NULL, "%s", said);
    write_to("/mnt/line.yaml", RIG_TEXT("vcan0"));
    write_to("/mnt/line.plan", "require no fault\nbelt turn 180deg\nwait 100ms\n"
                               "belt ramp 100rpm in 500ms\nwait 500ms\nbelt stop\n");
    pid_t drives = start_drives("vcan0");
    ck_assert_int_eq(run_command(said, sizeof said, "%s field look vcan0", TEST_TOOL), 0);
    ck_assert_msg(strstr(said, "   5  \"Simulated drive\", profile 402") != NULL, "%s", said);
    ck_assert_int_eq(
        run_command(said, sizeof said,
                    "%s run --real --confirmed --powered /mnt/line.yaml /mnt/line.plan", TEST_TOOL),
        0);
    ck_assert_msg(strstr(said, "1 of 1 requirement met") != NULL, "%s", said);
    stop_drives(drives);
}
END_TEST

START_TEST(an_interface_that_goes_down_is_a_fault) {
    pid_t drives = start_drives("vcan0");
    ck_assert_int_eq(run_command(said, sizeof said,
                                 "(sleep 1.2; busybox ip link set vcan0 down) & %s run --real "
                                 "--confirmed --powered /mnt/line.yaml /mnt/line.plan; status=$?; "
                                 "wait; exit $status",
                                 TEST_TOOL),
                     1);
    ck_assert_msg(strstr(said, "WPIN_FAULT_SILENT") != NULL, "%s", said);
    ck_assert_int_eq(run_command(said, sizeof said, "busybox ip link set vcan0 up"), 0);
    stop_drives(drives);
}
END_TEST

void add_can_tests(TCase *tests) {
    tcase_add_test(tests, drives_are_reached_over_can);
    tcase_add_test(tests, an_interface_that_goes_down_is_a_fault);
}
