/* A session on a message bus: a real broker, the tool, and a client that asks, goes away, and comes
 * back. */
#define _GNU_SOURCE
#include "support.h"
#include <arpa/inet.h>
#include <fcntl.h>
#include <mosquitto.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define PUMP         TEST_SOURCE "/demo/honey-pump.yaml"
#define TOPIC        "hall/honey-pump"

static double now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

/* ---- processes ---- */

static int free_port(void) {
    struct sockaddr_in here = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t size = sizeof here;
    int s = socket(AF_INET, SOCK_STREAM, 0);
    ck_assert_int_eq(bind(s, (struct sockaddr *)&here, sizeof here), 0);
    ck_assert_int_eq(getsockname(s, (struct sockaddr *)&here, &size), 0);
    close(s);
    return ntohs(here.sin_port);
}

static pid_t run(const char *const *words) {
    pid_t child = fork();
    if (child == 0) {
        int null = open("/dev/null", O_RDWR);
        dup2(null, 0);
        dup2(null, 1);
        dup2(null, 2);
        execvp(words[0], (char *const *)words);
        execv("/usr/sbin/mosquitto", (char *const *)words);
        _exit(99);
    }
    return child;
}

static int end(pid_t child, int signal) {
    int status;
    kill(child, signal);
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

static pid_t start_broker(int port) {
    char text[200];
    snprintf(text, sizeof text, "listener %d 127.0.0.1\nallow_anonymous true\n", port);
    const char *words[] = {"mosquitto", "-c", write_file("broker.conf", text), NULL};
    return run(words);
}

static pid_t start_tool(int port) {
    char broker[40];
    snprintf(broker, sizeof broker, "--bus=127.0.0.1:%d", port);
    const char *words[] = {TEST_TOOL, "live",      PUMP, broker,        "--prefix",
                           "hall",    "--rate",    "20", "--confirmed", "--late",
                           "5s",      "--powered", NULL};
    return run(words);
}

/* ---- a client ---- */

typedef struct client {
    struct mosquitto *mosquitto;
    char state[4096], answer[2048], presence[32];
    unsigned states;
} client;

static void on_message(struct mosquitto *m, void *context,
                       const struct mosquitto_message *message) {
    client *c = context;
    (void)m;
    const char *what = strrchr(message->topic, '/') + 1;
    char *to = strcmp(what, "state") == 0      ? c->state
               : strcmp(what, "answer") == 0   ? c->answer
               : strcmp(what, "presence") == 0 ? c->presence
                                               : NULL;
    size_t room = to == c->state      ? sizeof c->state
                  : to == c->answer   ? sizeof c->answer
                  : to == c->presence ? sizeof c->presence
                                      : 0;
    if (to != NULL) {
        snprintf(to, room, "%.*s", message->payloadlen, (const char *)message->payload);
        c->states += to == c->state;
    }
}

static void come(client *c, int port) {
    memset(c, 0, sizeof *c);
    c->mosquitto = mosquitto_new(NULL, true, c);
    mosquitto_message_callback_set(c->mosquitto, on_message);
    int result = MOSQ_ERR_UNKNOWN;
    for (int i = 0; i < 200 && result != MOSQ_ERR_SUCCESS; i++) { /* until the broker is up */
        result = mosquitto_connect(c->mosquitto, "127.0.0.1", port, 60);
        usleep(result == MOSQ_ERR_SUCCESS ? 0 : 20000);
    }
    ck_assert_int_eq(result, MOSQ_ERR_SUCCESS);
    mosquitto_subscribe(c->mosquitto, NULL, TOPIC "/#", 0);
}

static void go(client *c) {
    mosquitto_destroy(c->mosquitto);
}

static void pass(client *c, double seconds) {
    for (double until = now() + seconds; now() < until;) {
        mosquitto_loop(c->mosquitto, 5, 1);
    }
}

/* Waits until some words stand in a text of the client's. */
static void await(client *c, const char *text, const char *words) {
    for (double until = now() + 8; now() < until && strstr(text, words) == NULL;) {
        pass(c, 0.02);
    }
    ck_assert_msg(strstr(text, words) != NULL, "expected '%s': %.900s", words, text);
}

static void publish(client *c, const char *text, bool retain) {
    mosquitto_publish(c->mosquitto, NULL, TOPIC "/ask", (int)strlen(text), text, 0, retain);
    pass(c, 0.01);
}

static unsigned long newest(const client *c) {
    const char *at = strstr(c->state, "\"state\":");
    return at == NULL ? 0 : strtoul(at + 8, NULL, 10);
}

/* Asks by the newest state; what the answer begins with. */
static void ask(client *c, const char *what, const char *words) {
    char text[200], expected[200];
    snprintf(text, sizeof text, "%lu desk %s", newest(c), what);
    snprintf(expected, sizeof expected, "\"asked\":\"%s\",%s", what, words);
    c->answer[0] = '\0';
    publish(c, text, false);
    await(c, c->answer, expected);
}

static void drive(client *c) {
    ask(c, "command", "\"ok\":true");
    ask(c, "arm", "\"ok\":true");
    for (double until = now() + 20; now() < until && strstr(c->state, "\"duty\":30.0") == NULL;) {
        ask(c, "pump ramp 30%", "\"ok\":true"); /* again and again: it is heard by that */
        pass(c, 0.03);
    }
    await(c, c->state, "\"duty\":30.0");
}

/* Noise from everywhere changes nothing. */
static void send_noise(client *c) {
    const char *asked = getenv("WPIN_PAYLOADS");
    long payloads = asked == NULL ? 1000 : atol(asked);
    pick_seed(7);
    for (long i = 0; i < payloads; i++) {
        char noise[80];
        int length = snprintf(noise, sizeof noise, "%lu %s ", newest(c) - pick(3),
                              pick(2) == 0 ? "desk" : "other");
        for (; length < (int)sizeof noise && pick(30) != 0; length++) {
            noise[length] = (char)(pick(2) == 0 ? 'a' + pick(26) : pick(256));
        }
        mosquitto_publish(c->mosquitto, NULL, TOPIC "/ask", length - (int)pick(6), noise, 0, false);
        if (i % 20 == 0) {
            ask(c, "alive", "\"ok\":true");
            ck_assert_msg(strstr(c->state, "\"duty\":30.0") != NULL, "%ld: %.900s", i, c->state);
        }
    }
}

START_TEST(requests_lapse_with_the_state_they_have_seen) {
    int port = free_port();
    pid_t broker = start_broker(port);
    client c;
    come(&c, port);
    publish(&c, "1 desk stop", true); /* retained, from some other time */
    pid_t tool = start_tool(port);
    await(&c, c.answer, "a retained request is not carried out");
    await(&c, c.state, "\"commander\":null");
    await(&c, c.presence, "here");
    ck_assert_ptr_nonnull(strstr(c.state, "\"stopped\":false"));
    drive(&c);
    static const struct {
        const char *payload, *words;
    } refused[] = {
        {"0 desk pump ramp 60%", "it has lapsed"},
        {"1 desk pump ramp 60%", "it has lapsed"},
        {"999999 desk pump ramp 60%", "it has lapsed"},
        {"0 desk stopper ramp 60%", "it has lapsed"},
        {"", "expected one line"},
        {"pump ramp 60%", "expected NUMBER NAME REQUEST"},
        {"-1 desk pump ramp 60%", "expected NUMBER NAME REQUEST"},
        {"%lu DESK pump ramp 60%%", "expected NUMBER NAME REQUEST"},
        {"%lu abcdefghijklmnopqrstuvwxyz pump ramp 60%%", "expected NUMBER NAME REQUEST"},
        {"%lu other pump ramp 60%%", "only watching: desk on the bus has the command"},
        {"%lu desk pump ramp 160%%", "out of range"},
        {"%lu desk pump ramp\xE9 60%%", "expected one line"},
        {"%lu desk pump ramp 60%%\nstop", "expected one line"}};
    for (size_t i = 0; i < COUNT(refused); i++) {
        char text[200];
        snprintf(text, sizeof text, refused[i].payload, newest(&c));
        c.answer[0] = '\0';
        publish(&c, text, false);
        await(&c, c.answer, refused[i].words);
        ask(&c, "alive", "\"ok\":true");
        ck_assert_msg(strstr(c.state, "\"duty\":30.0") != NULL, "row %zu: %.900s", i, c.state);
    }
    for (int i = 0; i < 100; i++) { /* as many names as you like, in turn */
        char text[80];
        snprintf(text, sizeof text, "%lu guest-%d alive", newest(&c), i);
        c.answer[0] = '\0';
        publish(&c, text, false);
        await(&c, c.answer, "\"ok\":true");
        ask(&c, "alive", "\"ok\":true");
    }
    send_noise(&c);
    char longest[2000];
    memset(longest, '7', sizeof longest - 1);
    longest[sizeof longest - 1] = '\0';
    publish(&c, longest, false);
    double silent = now();
    await(&c, c.state, "\"duty\":0.0,");                    /* 250 ms, and the ramp of 0.45 s */
    ck_assert_double_lt(now() - silent, 0.25 + 0.45 + 1.5); /* the rest is this computer's */
    drive(&c);
    publish(&c, "0 anyone stop", false); /* that is never too late */
    await(&c, c.state, "\"stopped\":true");
    ck_assert_int_eq(end(tool, SIGTERM), 0);
    await(&c, c.presence, "gone");
    go(&c);
    end(broker, SIGTERM);
}
END_TEST

START_TEST(a_lost_broker_is_a_lost_commander) {
    int port = free_port();
    pid_t broker = start_broker(port);
    client c;
    come(&c, port);
    pid_t tool = start_tool(port);
    await(&c, c.presence, "here");
    await(&c, c.state, "\"state\"");
    drive(&c);
    go(&c);
    end(broker, SIGKILL);
    usleep(1200000);
    broker = start_broker(port);
    come(&c, port);
    await(&c, c.state, "\"state\""); /* it came back by itself */
    await(&c, c.state, "\"duty\":0.0,");
    ck_assert_ptr_nonnull(strstr(c.state, "\"commander\":null"));
    ask(&c, "pump ramp 30%", "\"ok\":false"); /* and nobody has the command by that */
    drive(&c);
    (void)end(tool, SIGKILL); /* its last will says so */
    await(&c, c.presence, "lost");
    go(&c);
    end(broker, SIGTERM);
    char all[4000];
    int status = run_command(all, sizeof all, "%s live %s --bus=127.0.0.1:%d < /dev/null",
                             TEST_TOOL, PUMP, port);
    ck_assert_int_eq(status, 2); /* nothing was driven */
    ck_assert_msg(strstr(all, "can't be reached") != NULL, "%s", all);
    status = run_command(all, sizeof all, "%s live %s --bus=:7 < /dev/null", TEST_TOOL, PUMP);
    ck_assert_int_eq(status, 2);
    status = run_command(all, sizeof all, "%s live %s --prefix 'a/#' < /dev/null", TEST_TOOL, PUMP);
    ck_assert_int_eq(status, 2);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("bus");
    TCase *tests = tcase_create("bus");
    tcase_set_timeout(tests, 2400);
    tcase_add_test(tests, requests_lapse_with_the_state_they_have_seen);
    tcase_add_test(tests, a_lost_broker_is_a_lost_commander);
    suite_add_tcase(suite, tests);
    mosquitto_lib_init();
    int status = run_suite(suite);
    mosquitto_lib_cleanup();
    return status;
}
