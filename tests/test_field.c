/* The tool on a field bus: simulated drives as a process of their own, on a socket. */
#define _GNU_SOURCE
#include "support_field.h"

static const struct {
    int status;
    const char *action, *rest, *words;
} questions[] = {
    {0, "look", "", "   5  \"Simulated drive\", profile 402 (a drive)"},
    {0, "look", "", "1 of the numbers 1 to 127 is taken"},
    {0, "look", "", "a socket of this computer, without a rate"},
    {0, "look", "", "0 asked again, 0 damaged"},
    {0, "object", "5 device-name", "device-name: \"Simulated drive\""},
    {0, "object", "5 status-word", "0250h: switch on disabled"},
    {0, "object", "5 1018:4", "serial-number: 1005"},
    {0, "object", "5 0x6083 40000", "acceleration: 40000 velocity units a second"},
    {0, "object", "5 6083", "acceleration: 40000"},
    {0, "object", "-- 5 607D:1 -500", "least-position: -500 position units"},
    {1, "object", "5 9999", "(abort 06020000h): It has no such object."},
    {1, "object", "5 status-word 7", "(abort 06010002h): This object can only be read."},
    {1, "object", "5 2000 7 --bytes=1", "(abort 06090031h): The value is too large."},
    {1, "object", "9 1000", "node 9 does not answer"},
    {2, "object", "5 target-velocity 9", "moves the drive"},
    {2, "object", "5 control-word 15", "moves the drive"},
    {2, "object", "5 speed-target 100", "moves the drive"},
    {2, "object", "5 velocity", "did you mean 'velocity-actual'"},
    {2, "object", "5 5000 1", "--bytes=1, 2 or 4"},
    {2, "object", "5 6083 fast", "not a value for 4 bytes"},
    {2, "object", "0 1000", "0 means all of them"},
    {2, "object", "128 1000", "expected 1 to 127"},
    {0, "watch", "5 --for=0.3 --every=0.1", "switch on disabled"},
    {2, "watch", "5 --every=0", "expected 0.02 to 60 seconds"},
};

START_TEST(questions_are_answered_in_words) {
    open_bench();
    for (size_t i = 0; i < sizeof questions / sizeof *questions; i++) {
        field(questions[i].status, questions[i].words, questions[i].action, questions[i].rest);
    }
    field(0, "\"two_have_it\": false", "look", "--json");
    json_t *all = json_loads(said, 0, NULL);
    ck_assert_int_eq(json_integer_value(
                         json_object_get(json_array_get(json_object_get(all, "nodes"), 0), "node")),
                     5);
    json_decref(all);
    close_bench();
    int status = run_command(said, sizeof said, "%s field look %s", TEST_TOOL, place);
    ck_assert_msg(status == 2 && strstr(said, "windpin field drives") != NULL, "%s", said);
}
END_TEST

START_TEST(what_differs_is_listed_before_anything_moves) {
    open_bench();
    char at[240];
    snprintf(at, sizeof at, "--at=%s", place);
    static const struct {
        int status;
        const char *rest, *words;
    } rows[] = {{1, "", "the drive has 10000 velocity units a second"},
                {1, "", "7 of 10 differ"},
                {1, "--json", "\"rig\": 266667"},
                {0, "belt --write --store", "0 of 10 differ; stored in the drive"},
                {0, "", "0 of 10 differ"},
                {2, "filler", "'filler' is not a drive on a field bus"},
                {2, "belts", "describes no load"}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        int status = run_command(said, sizeof said, "%s field settings %s %s %s", TEST_TOOL, LINE,
                                 rows[i].rest, at);
        ck_assert_msg(status == rows[i].status && strstr(said, rows[i].words) != NULL, "%s: %d: %s",
                      rows[i].rest, status, said);
    }
    int status = run_command(said, sizeof said, "%s field settings %s", TEST_TOOL, LINE);
    ck_assert_msg(status == 2 && strstr(said, "--at=can0") != NULL, "%s", said);
    close_bench();
}
END_TEST

START_TEST(all_that_is_said_is_heard_and_kept) {
    char csv[200], pcapng[200];
    open_bench();
    snprintf(csv, sizeof csv, "%s", scratch("bus.csv"));
    snprintf(pcapng, sizeof pcapng, "%s", scratch("bus.pcapng"));
    int status = run_command(
        said, sizeof said,
        "(sleep 0.4; %s field object %s 5 device-name; %s field object %s 5 9999) > /dev/null 2>&1 "
        "& "
        "%s field listen %s --for=1.2 --csv=%s --pcapng=%s; status=$?; wait; exit $status",
        TEST_TOOL, place, TEST_TOOL, place, TEST_TOOL, place, csv, pcapng);
    static const char *const words[] = {
        "  605  40 08 10 00 00 00 00 00  node 5 is asked for 1008h:0 device-name",
        "  585  41 08 10 00 0F 00 00 00  node 5 says 1008h:0 device-name: in pieces",
        "  605  70 00 00 00 00 00 00 00  node 5: another piece",
        "node 5 refuses 9999h:0 (abort 06020000h): It has no such object.", "10 frames in 1.2 s"};
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        ck_assert_msg(status == 0 && strstr(said, words[i]) != NULL, "%s: %s", words[i], said);
    }
    run_command(said, sizeof said, "cat %s", csv);
    ck_assert_msg(strstr(said, ",585,0,8,80 99 99 00 00 00 02 06,\"node 5 refuses") != NULL, "%s",
                  said);
    /* The second opinion of a network analyser, where one is installed. */
    status =
        run_command(said, sizeof said,
                    "tshark -r %s -d can.subdissector,canopen 2> /dev/null || exit 77", pcapng);
    ck_assert_msg(status == 77 || (strstr(said, "Initiate upload request") != NULL &&
                                   strstr(said, "Abort") != NULL),
                  "%s", said);
    status = run_command(said, sizeof said, "wc -c < %s", pcapng);
    ck_assert_int_eq(atoi(said), 28 + 20 + 10 * 48);
    close_bench();
}
END_TEST

/* As field() where it is answered, more than once where this computer is too busy to answer in
 * time: a drive or a line that broke would not answer later either. */
static void field_in_time(const char *words, const char *action, const char *rest) {
    int status = 1;
    for (int i = 0; i < 4 && (status != 0 || strstr(said, words) == NULL); i++) {
        status =
            run_command(said, sizeof said, "%s field %s %s %s", TEST_TOOL, action, place, rest);
    }
    ck_assert_msg(status == 0 && strstr(said, words) != NULL, "%s %s: %d: %s", action, rest, status,
                  said);
}

/* What is said by a run that this computer was too busy for: it came too late itself, for a motor
 * or for a drive, or the drives did, which are another process. */
static bool was_late(void) {
    return strstr(said, "WPIN_FAULT_LATE") != NULL || strstr(said, "does not answer") != NULL ||
           strstr(said, "it heard no heartbeat") != NULL;
}

/* Whether a run that ended so often too late may stay so: only under the sanitizers, which are to
 * find wrong reads and writes in it, and which alone make it ten times as slow. */
static bool too_slow_to_tell(void) {
    return TEST_SANITIZED && was_late() && strstr(said, "Sanitizer") == NULL &&
           strstr(said, "runtime error") == NULL;
}

/* Runs the plan in real time, again where this computer was too busy for that. The drives are the
 * same ones, so what broke them is seen in the last run too. */
static void run_real(const char *const *words) {
    int status = 1;
    for (int i = 0; status != 0 && i < (TEST_SANITIZED ? 4 : 12); i++) {
        wait_ms(i == 0 ? 0 : 1000);
        status = run_command(said, sizeof said, "%s run --real --confirmed --powered %s %s",
                             TEST_TOOL, rig, plan);
        if (status != 0 && !was_late()) {
            break;
        }
    }
    for (; !too_slow_to_tell() && *words != NULL; words++) {
        ck_assert_msg(status == 0 && strstr(said, *words) != NULL, "%d: %s: %s", status, *words,
                      said);
    }
}

START_TEST(a_plan_runs_over_the_socket) {
    open_bench();
    write_rig(LINE);
    FILE *file = fopen(plan, "w");
    fputs("require no fault\nbelt home at most 2s\nbelt turn 180deg\nbelt ramp 100rpm in 500ms\n"
          "require belt speed within 2% by 1s\nbelt hold 500ms\nbelt stop\n",
          file);
    fclose(file);
    run_real((const char *const[]){"ok, at 180.0", "its drive found home; it stands at 0.00 deg",
                                   "2 of 2 requirements met", NULL});
    close_bench();
}
END_TEST

/* Again, with more time to begin in, where this computer was too busy to see them end in motion. */
START_TEST(drives_that_end_in_motion_are_a_fault) {
    open_bench();
    write_rig(LINE);
    FILE *file = fopen(plan, "w");
    fputs("belt ramp 100rpm in 500ms\nbelt hold 30s\nbelt stop\n", file);
    fclose(file);
    bool seen = false;
    for (int seconds = 3; !seen && seconds <= 12; seconds += 3) {
        int ended, status = run_command(said, sizeof said,
                                        "(sleep %d; kill -KILL %ld) & %s run --real --confirmed "
                                        "--powered %s %s; status=$?; wait; exit $status",
                                        seconds, (long)drives, TEST_TOOL, rig, plan);
        seen = status == 1 && strstr(said, "WPIN_FAULT_SILENT") != NULL;
        ck_assert_msg(seen || was_late(), "%d: %s", status, said);
        ck_assert_int_eq(waitpid(drives, &ended, 0), drives);
        start(LINE); /* in place of the socket that is left over */
        field_in_time("1 of the numbers", "look", "");
    }
    ck_assert_msg(seen || TEST_SANITIZED, "%s", said);
    int status =
        run_command(said, sizeof said, "%s field drives %s --at=%s", TEST_TOOL, LINE, place);
    ck_assert_msg(status == 2 && strstr(said, "is served already") != NULL, "%s", said);
    close_bench();
}
END_TEST

/* The rig of the line with some words changed, and what is said of it. */
static const struct {
    const char *change; /* of sed */
    int status;
    const char *words;
} rigs[] = {
    {"s/node: 5/node: 5.5/", 2, "5.5 is not a whole number"},
    {"s/node: 5/node: 128/", 2, "expected 1 to 127"},
    {"s/node: 5/node: 127/", 2, "node 127 is the number that commands field bus 'line'"},
    {"s/bus: line/bus: lime/", 2, "did you mean 'line'"},
    {"s/counts: 4000/counts: none/", 2, "counts"},
    {"s/method: 37/method: 17/", 2, "expected its speed"},
    {"s/method: 37/method: 1.5, speed: 9rpm/", 2, "1.5 is not a whole number"},
    {"s/rated-current: 3A, //", 2, "rated-current"},
    {"s/  axis: {/  pole-pairs: 4\\n    axis: {/", 2, "pole-pairs"},
    {"s/value: 4000/value: 1e3/", 2, "'1e3' is not a whole number"},
    {"s/following-error-window/followin-error-window/", 2, "did you mean 'following-error-window'"},
    {"s/following-error-window/2005h/", 2, "expected bytes: 1, 2 or 4"},
    {"s/, value: 4000/, value: 4000, is: 3/", 2, "either a 'value'"},
    {"s/, value: 4000/, bytes: 1, value: 256/", 2, "expected -128 to 255"},
    {"s/counts: 4000/counts: 4000, switches: [down, left]/", 2, "expected up, down or any"},
    {"s/counts: 4000/counts: 4000, switches: []/", 2, "1 to 8 words"},
    {"s/counts: 4000/counts: 4000, switches-at: 2001h/", 2, "lacks 'switches'"},
    {"s/counts: 4000/counts: 4000, switches: [down, any]/", 0, "1 down, 2 either way"},
    {"s/at-rest: brake/pins: {pwm: 9}/", 2, "pins"},
    {"s/bit-rate: 1Mbit/bit-rate: 2Mbit/", 2, "bit-rate"},
};

START_TEST(a_wrong_rig_is_named) {
    const char *file = scratch("wrong.yaml");
    int status = run_command(said, sizeof said, "sed '%s' %s > %s; ! cmp -s %s %s && %s rig %s",
                             rigs[_i].change, LINE, file, LINE, file, TEST_TOOL, file);
    ck_assert_msg(status == rigs[_i].status && strstr(said, rigs[_i].words) != NULL, "%s: %d: %s",
                  rigs[_i].change, status, said);
}
END_TEST

/* What a drive is told by the rig's mode and the plan's words, and what comes of it. */
static const struct {
    const char *change, *plan; /* of sed; lines */
    int status;
    const char *words;
} motions[] = {
    {"s/node: 5/node: 5/", "belt run 0.6A for 500ms", 0, "ok, 0.6 A is 0.357 Nm"},
    {"s/node: 5/node: 5/", "belt run reverse 1Nm for 300ms", 0, "ok, 1.68 A is 1 Nm"},
    {"s/node: 5/node: 5, guarding: 50ms/", "belt ramp 100rpm in 500ms\nbelt hold 500ms\nbelt stop",
     0, "ok, held within"},
    {"s/node: 5/node: 5, mode: velocity/; s/homing: {method: 37},//; /position:/d",
     "belt ramp 100rpm in 500ms\nbelt hold 500ms\nbelt ramp reverse 100rpm in 500ms\nbelt stop", 0,
     "6 steps: 5 as asked, 1 with a remark"}, /* of the turning over */
    {"s/node: 5/node: 5, mode: velocity/; s/homing: {method: 37},//; /position:/d",
     "belt turn 90deg", 2, "takes speeds only"},
    {"$ a faults: [belt duplicate-node]", "belt run 100rpm for 1s", 2,
     "two nodes have the number 5"},
    {"$ a faults: [belt bus-full]", "belt run 100rpm for 1s", 2, "the bus takes no frames"},
};

START_TEST(a_drive_is_told_what_its_mode_lets_it_do) {
    const char *file = scratch("motion.yaml"), *way = scratch("motion.plan");
    FILE *to = fopen(way, "w");
    fprintf(to, "drives on\nwait 100ms\n%s\n", motions[_i].plan);
    fclose(to);
    int status = run_command(said, sizeof said, "sed '%s' %s > %s; %s run %s %s",
                             motions[_i].change, LINE, file, TEST_TOOL, file, way);
    ck_assert_msg(status == motions[_i].status && strstr(said, motions[_i].words) != NULL,
                  "%s: %d: %s", motions[_i].plan, status, said);
}
END_TEST

/* By hand, too, it is said what is wrong with a drive and its bus. */
START_TEST(by_hand_the_cause_is_told) {
    const char *script = scratch("twin.sh");
    FILE *to = fopen(script, "w");
    fputs("wait() { i=0; while [ $i -lt $1 ]; do sleep 0.1; echo alive; i=$((i + 1)); done; }\n"
          "printf '%s\\n' command arm 'drives on' 'belt ramp 120rpm'; wait 8\n"
          "echo 'fault belt duplicate-node'; wait 16; echo clear; wait 2; echo 'mend belt "
          "duplicate-node'; wait 3\n"
          "echo clear; wait 12; echo clear; echo arm; echo bye\n",
          to);
    fclose(to);
    /* whether this computer keeps up is not the question */
    int status = run_command(said, sizeof said,
                             "sh %s | %s live %s --lines --confirmed --late=10s --link=10s", script,
                             TEST_TOOL, LINE);
    static const char *const words[] = {"another node of its number was switched on.\"",
                                        "two nodes have the number 5",
                                        "\"ok\":true,\"words\":\"every load has no fault\"",
                                        "\"ok\":true,\"words\":\"every load is armed\""};
    const char *at = said;
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) { /* in this order */
        at = strstr(at, words[i]);
        ck_assert_msg(status == 0 && at != NULL, "%d: %s: %s", status, words[i], said);
    }
}
END_TEST

/* Two serial lines whose other ends are joined, a few bytes of it damaged where that is asked for.
 */
static pid_t join_lines(char names[2][64], unsigned damage) {
    int ends[2];
    for (int i = 0; i < 2; i++) {
        ends[i] = posix_openpt(O_RDWR | O_NOCTTY);
        ck_assert(ends[i] >= 0 && grantpt(ends[i]) == 0 && unlockpt(ends[i]) == 0);
        snprintf(names[i], 64, "%s", ptsname(ends[i]));
        int keep = open(names[i], O_RDWR | O_NOCTTY); /* so that it does not hang up */
        ck_assert_int_ge(keep, 0);
        struct termios t;
        tcgetattr(keep, &t);
        cfmakeraw(&t);
        tcsetattr(keep, TCSANOW, &t);
    }
    pid_t child = fork();
    if (child == 0) {
        prctl(PR_SET_PDEATHSIG, SIGKILL);
        struct pollfd p[2] = {{.fd = ends[0], .events = POLLIN}, {.fd = ends[1], .events = POLLIN}};
        for (unsigned long passed = 0;;) {
            uint8_t bytes[256];
            poll(p, 2, -1);
            for (int i = 0; i < 2; i++) {
                ssize_t got = (p[i].revents & POLLIN) != 0 ? read(ends[i], bytes, sizeof bytes) : 0;
                for (ssize_t b = 0; b < got; b++) {
                    bytes[b] ^= damage != 0 && ++passed % damage == 0 ? 0x10 : 0;
                }
                if (got > 0) {
                    (void)!write(ends[1 - i], bytes, (size_t)got);
                }
            }
        }
    }
    return child;
}

START_TEST(a_serial_line_carries_the_same_frames) {
    char names[2][64], option[80];
    pid_t joint = join_lines(names, _i == 0 ? 0 : 997);
    snprintf(option, sizeof option, "--at=%s", names[1]);
    snprintf(place, sizeof place, "%s", names[0]);
    snprintf(rig, sizeof rig, "%s", scratch("line.yaml"));
    snprintf(plan, sizeof plan, "%s", scratch("line.plan"));
    drives = fork();
    if (drives == 0) {
        (void)!freopen("/dev/null", "w", stdout);
        execl(TEST_TOOL, TEST_TOOL, "field", "drives", LINE, option, "--until-parent-ends", NULL);
        _exit(127);
    }
    wait_ms(900);
    field_in_time("5  \"Simulated drive\"", "look", "");
    field_in_time("device-name: \"Simulated drive\"", "object", "5 device-name");
    write_rig(LINE);
    FILE *file = fopen(plan, "w");
    fputs("require no fault\nbelt turn 180deg\nbelt ramp 100rpm in 500ms\nbelt stop\n", file);
    fclose(file);
    run_real((const char *const[]){"1 of 1 requirement met", NULL});
    ck_assert_int_eq(stop(SIGINT), 0);
    kill(joint, SIGKILL);
    waitpid(joint, NULL, 0);
    snprintf(option, sizeof option, "%s@1234", names[0]);
    int status = run_command(said, sizeof said, "%s field look %s", TEST_TOOL, option);
    ck_assert_msg(status == 2 && strstr(said, "not a usual rate") != NULL, "%s", said);
}
END_TEST

START_TEST(two_with_one_number_are_told) {
    open_bench();
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    ck_assert_uint_lt(strlen(place), sizeof address.sun_path);
    memcpy(address.sun_path, place, strlen(place));
    pid_t twin = fork();
    if (twin == 0) { /* answers every question to node 5 too */
        int fd = socket(AF_UNIX, SOCK_SEQPACKET, 0);
        uint8_t packet[16];
        if (connect(fd, (struct sockaddr *)&address, sizeof address) != 0) {
            _exit(1);
        }
        while (recv(fd, packet, sizeof packet, 0) == (ssize_t)sizeof packet) {
            if (packet[0] == 0x05 && packet[1] == 0x06) {
                packet[1] = 0x05;
                packet[0] = 0x85;
                packet[8] = 0x43;
                (void)!send(fd, packet, sizeof packet, 0);
            }
        }
        _exit(0);
    }
    wait_ms(200);
    field(0, "two nodes have this number", "look", "");
    kill(twin, SIGKILL);
    waitpid(twin, NULL, 0);
    close_bench();
}
END_TEST

START_TEST(what_stands_at_the_path_stays) {
    const char *file = write_file("kept", "mine\n");
    int status =
        run_command(said, sizeof said, "%s field drives %s --at=%s", TEST_TOOL, LINE, file);
    ck_assert_msg(status == 2 && strstr(said, "no socket") != NULL, "%s", said);
    ck_assert_int_eq(access(file, F_OK), 0);
    status = run_command(said, sizeof said, "%s field drives %s/demo/honey-pump.yaml --at=%s",
                         TEST_TOOL, TEST_SOURCE, file);
    ck_assert_msg(status == 2 && strstr(said, "no field bus") != NULL, "%s", said);
    status = run_command(said, sizeof said, "%s field", TEST_TOOL);
    ck_assert_msg(status == 2 && strstr(said, "look") != NULL, "%s", said);
    status = run_command(said, sizeof said, "%s field lok can0", TEST_TOOL);
    ck_assert_msg(status == 2 && strstr(said, "unknown action 'lok'") != NULL, "%s", said);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("field");
    TCase *tests = tcase_create("socket");
    tcase_set_timeout(tests, 120);
    tcase_add_test(tests, questions_are_answered_in_words);
    tcase_add_test(tests, what_differs_is_listed_before_anything_moves);
    tcase_add_test(tests, all_that_is_said_is_heard_and_kept);
    tcase_add_test(tests, a_plan_runs_over_the_socket);
    tcase_add_test(tests, drives_that_end_in_motion_are_a_fault);
    tcase_add_loop_test(tests, a_drive_is_told_what_its_mode_lets_it_do, 0,
                        sizeof motions / sizeof *motions);
    tcase_add_test(tests, by_hand_the_cause_is_told);
    tcase_add_loop_test(tests, a_wrong_rig_is_named, 0, sizeof rigs / sizeof *rigs);
    tcase_add_loop_test(tests, a_serial_line_carries_the_same_frames, 0, 2);
    tcase_add_test(tests, two_with_one_number_are_told);
    tcase_add_test(tests, what_stands_at_the_path_stays);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
