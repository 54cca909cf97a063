/* Who reaches a session from outside, and what becomes of it when nobody does any more. */
#define _GNU_SOURCE
#include "support_page.h"
#include <arpa/inet.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

/* ---- losing the commander ---- */

/* Waits until the pump's duty is nought, as another guest is told; how long that took, s. */
static double until_nought(int watcher, double begun) {
    char all[16384];
    bool heard = hear(watcher, "\"duty\":0.0,", 5, all, sizeof all);
    size_t length = strlen(all);
    ck_assert_msg(heard, "%s", all + (length < 2500 ? 0 : length - 2500));
    return now() - begun;
}

/* Takes command and drives; then closes the socket, cuts it in the middle of a frame, or just does
 * nothing more. Says on `ready` that it did. */
static _Noreturn void command_and_be_lost(const tool *t, int how, int ready) {
    char all[16384];
    int s = enter(t);
    bool drives = false;
    for (int beat = 0; beat < 2000 && !drives; beat++) {
        if (beat % 40 == 0) { /* a busy computer is lost in between */
            say(s, "command over");
            say(s, "arm");
            say(s, "pump ramp 30%");
        }
        say(s, "alive");
        say(s, "state");
        drives = hear(s, "\"duty\":30.0", 0.05, all, sizeof all);
    }
    if (how == 1) {
        close(s);
    } else if (how == 2) {
        put(s, "\x81\x85\x11", 3);
    }
    (void)!write(ready, drives ? "x" : "-", 1);
    pause();
    _exit(0);
}

/* One that is killed, that falls silent with its socket open, that closes it or is cut. How long
 * until the pump stands as another guest sees it, s. */
static double lose_commander(const tool *t, int how) {
    int ready[2], watcher = enter(t); /* anew each time: it answers no pings */
    ck_assert_int_eq(pipe(ready), 0);
    pid_t child = fork();
    if (child == 0) {
        command_and_be_lost(t, how, ready[1]);
    }
    char byte = '\0';
    close(ready[1]);
    ck_assert_int_eq(read(ready[0], &byte, 1), 1);
    ck_assert_int_eq(byte, 'x');
    double begun = now();
    if (how == 0) {
        kill(child, SIGKILL);
    }
    say(watcher, "report 50Hz");
    double took = until_nought(watcher, begun);
    kill(child, SIGKILL);
    waitpid(child, NULL, 0);
    close(ready[0]);
    close(watcher);
    return took;
}

/* Every time the pump is at rest within the link time-out (250 ms) and its ramp from 30 % (0.45 s);
 * again where this computer took the time. */
static void lose_commanders(int times) {
    tool t = start();
    for (int i = 0, tries = 0; i < times; i++) {
        (void)time_lost(0);
        double took = lose_commander(&t, i % 4), lost = time_lost(0);
        bool late = took >= 0.25 + 0.45 + 0.3;
        ck_assert_msg(!late || (lost > 0.05 && tries < 20), "time %d: %.3f s, %.3f s of it lost", i,
                      took, lost);
        tries = late ? tries + 1 : 0;
        i -= late;
    }
    (void)end(&t);
}

/* Real processes, some at a time, each with a tool of its own. */
START_TEST(a_lost_commander_stops_the_motor) {
    const char *asked = getenv("WPIN_KILLS");
    int times = asked == NULL ? 6 : atoi(asked), at_once = times < 100 ? 2 : 10;
    pid_t workers[10];
    for (int i = 0; i < at_once; i++) {
        workers[i] = fork();
        if (workers[i] == 0) {
            lose_commanders((times + at_once - 1) / at_once);
            _exit(0);
        }
    }
    for (int i = 0; i < at_once; i++) {
        int status;
        ck_assert_int_eq(waitpid(workers[i], &status, 0), workers[i]);
        ck_assert_msg(WIFEXITED(status) && WEXITSTATUS(status) == 0, "worker %d", i);
    }
}
END_TEST

/* ---- other addresses ---- */

/* A port that is free, or was just now. */
static int free_port(void) {
    int s = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    struct sockaddr_in here = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t size = sizeof here;
    ck_assert_int_eq(bind(s, (struct sockaddr *)&here, sizeof here), 0);
    ck_assert_int_eq(getsockname(s, (struct sockaddr *)&here, &size), 0);
    close(s);
    return ntohs(here.sin_port);
}

START_TEST(others_reach_it_only_on_purpose) {
    static const struct {
        const char *options, *words;
    } refused[] = {
        {"--page=0.0.0.0:8123", "other computers reach 0.0.0.0"},
        {"--page=203.0.113.7:8123", "is not an address of this computer"},
        {"--page=0.0.0.0:8123 --page-certificate nix.pem --page-key nix.pem", "nix.pem can't be"},
        {"--page --page-key nix.pem", "go together"},
        {"--page=:8123", "expected a port"},
        {"--page=127.0.0.1:", "expected a port"},
        {"--page=127.0.0.1:99999", "expected a port"},
        {"--page-unencrypted", "with --page only"},
    };
    char said[4000], address[40], host[80];
    for (size_t i = 0; i < COUNT(refused); i++) {
        int status = run_command(said, sizeof said, "%s live %s --confirmed %s < /dev/null",
                                 TEST_TOOL, PUMP, refused[i].options);
        ck_assert_msg(status == 2 && strstr(said, refused[i].words) != NULL, "%s: %d, %s",
                      refused[i].options, status, said);
    }
    snprintf(address, sizeof address, "--page=0.0.0.0:%d", free_port());
    const char *const open_to_all[] = {address, "--page-unencrypted", NULL};
    tool t = start_with(open_to_all);
    ck_assert_ptr_nonnull(fgets(said, sizeof said, t.said));
    ck_assert_msg(strstr(said, "Warning: not encrypted") != NULL, "%s", said);
    static const struct {
        const char *host;
        bool let_in;
    } names[] = {{"127.0.0.1", true},
                 {"localhost", true},
                 {"0.0.0.0", false},
                 {"example.com", false},
                 {"203.0.113.7", false}};
    for (size_t i = 0; i < COUNT(names); i++) {
        int s = dial(&t);
        snprintf(host, sizeof host, "%s:%d", names[i].host, t.port);
        ck_assert_msg(upgrade(s, host, NULL, "windpin-1") == names[i].let_in, "%s", host);
        close(s);
    }
    ck_assert_int_eq(end(&t), 0);
}
END_TEST

/* With a certificate: who trusts it reads the page, and nothing is said without encryption. */
START_TEST(it_is_encrypted_with_a_certificate) {
    char said[60000], address[40], certificate[512], key[512];
    snprintf(certificate, sizeof certificate, "%s", scratch("house.pem"));
    snprintf(key, sizeof key, "%s", scratch("house.key"));
    int status = run_command(said, sizeof said,
                             "openssl req -x509 -newkey rsa:2048 -nodes -keyout %s -out %s -days 2 "
                             "-subj /CN=localhost -addext subjectAltName=DNS:localhost",
                             key, certificate);
    ck_assert_msg(status == 0, "%s", said);
    snprintf(address, sizeof address, "--page=0.0.0.0:%d", free_port());
    const char *const encrypted[] = {address, "--page-certificate", certificate, "--page-key", key,
                                     NULL};
    tool t = start_with(encrypted);
    status = run_command(said, sizeof said,
                         "curl --noproxy '*' -sS --cacert %s https://localhost:%d/page.html",
                         certificate, t.port);
    ck_assert_msg(status == 0 && strstr(said, "<title>Wind Pin</title>") != NULL, "%s", said);
    status = run_command(said, sizeof said, "curl --noproxy '*' -sS https://localhost:%d/", t.port);
    ck_assert_msg(status != 0 && strstr(said, "<title>") == NULL, "%s", said); /* not trusted */
    status = run_command(said, sizeof said, "curl --noproxy '*' -s http://localhost:%d/", t.port);
    ck_assert_msg(strstr(said, "<title>") == NULL, "%s", said);
    status = run_command(
        said, sizeof said,
        "curl --noproxy '*' -s --cacert %s -H 'Host: example.com:%d' https://localhost:%d/",
        certificate, t.port, t.port);
    ck_assert_msg(strstr(said, "403") != NULL, "%s", said);
    ck_assert_int_eq(end(&t), 0);
    status = run_command(said, sizeof said, /* the library loses some bytes by that */
                         "ASAN_OPTIONS=detect_leaks=0 %s live %s --confirmed %s "
                         "--page-certificate %s --page-key %s < /dev/null",
                         TEST_TOOL, PUMP, address, certificate, certificate);
    ck_assert_msg(status == 2 && strstr(said, "that belong together") != NULL, "%s", said);
}
END_TEST

/* Lines on a pipe: the end of it ends every motion, and the tool says so by its exit. */
START_TEST(lines_come_and_go_on_a_pipe) {
    static char all[65536];
    const char *picture = scratch("hand.png"), *plan = scratch("hand.plan");
    const char *heard = scratch("hand.heard");
    unlink(plan);
    unlink(heard);
    /* Asked until it has run up, which may take long on a busy computer. */
    int status = run_command(
        all, sizeof all,
        "(printf 'command\\nconfirm\\narm\\nmain on\\npump ramp 30%%%%\\n'; "
        "for i in $(seq 200); do ! grep -q '\"state\":\"running\"' %s || break; sleep 0.2; echo "
        "state; done; printf 'pump ramp 1') | "
        "%s live %s --lines --confirmed --link 5s --late 5s --plot %s --save %s > %s; "
        "status=$?; cat %s; exit $status",
        heard, TEST_TOOL, PUMP, picture, plan, heard, heard);
    ck_assert_int_eq(status, 0);
    ck_assert_msg(strstr(all, "\"state\":\"running\"") != NULL, "%.900s", all);
    ck_assert_msg(strstr(all, "it has gone") != NULL, "%.900s", all);
    ck_assert(access(picture, R_OK) == 0 && access(plan, R_OK) == 0);
    status =
        run_command(all, sizeof all, "printf 'command\\nconfirm\\narm\\n' | %s live %s --lines",
                    TEST_TOOL, PUMP); /* nobody has gone through the checklist */
    ck_assert_int_eq(status, 0);
    ck_assert_msg(strstr(all, "a program can't go through") != NULL &&
                      strstr(all, "checklist is not confirmed") != NULL,
                  "%.900s", all);
    status =
        run_command(all, sizeof all, "echo bye | %s live %s --lines --page=99999", TEST_TOOL, PUMP);
    ck_assert_int_eq(status, 2);
    status = run_command(all, sizeof all, "echo bye | %s live %s --link 1ms", TEST_TOOL, PUMP);
    ck_assert_int_eq(status, 2);
    status = run_command(all, sizeof all, "echo state | %s live %s --lines | head -c 10", TEST_TOOL,
                         PUMP);
    ck_assert_int_eq(status, 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("page_reach");
    TCase *tests = tcase_create("page_reach");
    tcase_set_timeout(tests, 2400);
    tcase_add_test(tests, a_lost_commander_stops_the_motor);
    tcase_add_test(tests, others_reach_it_only_on_purpose);
    tcase_add_test(tests, it_is_encrypted_with_a_certificate);
    tcase_add_test(tests, lines_come_and_go_on_a_pipe);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
