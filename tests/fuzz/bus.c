/* Messages of anything at all from a bus, with what a broker does: connections lost, messages that
 * were kept. */
#include "../../src/server/bus.h"
#include "input.h"
#include <mosquitto.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* ---- in place of the broker's library ---- */

typedef void connected(struct mosquitto *, void *, int);
typedef void message(struct mosquitto *, void *, const struct mosquitto_message *);
static struct broker {
    void *context;
    connected *comes, *goes;
    message *takes;
} broker;

static struct mosquitto *client(void) {
    return (struct mosquitto *)(void *)&broker;
}

int mosquitto_lib_init(void) {
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_lib_cleanup(void) {
    return MOSQ_ERR_SUCCESS;
}
struct mosquitto *mosquitto_new(const char *id, bool clean, void *context) {
    (void)id, (void)clean;
    broker = (struct broker){.context = context};
    return client();
}
void mosquitto_destroy(struct mosquitto *m) {
    (void)m;
}
void mosquitto_connect_callback_set(struct mosquitto *m, connected *call) {
    (void)m;
    broker.comes = call;
}
void mosquitto_disconnect_callback_set(struct mosquitto *m, connected *call) {
    (void)m;
    broker.goes = call;
}
void mosquitto_message_callback_set(struct mosquitto *m, message *call) {
    (void)m;
    broker.takes = call;
}
int mosquitto_will_set(struct mosquitto *m, const char *topic, int length, const void *payload,
                       int qos, bool retain) {
    (void)m, (void)topic, (void)length, (void)payload, (void)qos, (void)retain;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_username_pw_set(struct mosquitto *m, const char *user, const char *password) {
    (void)m, (void)user, (void)password;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_tls_set(struct mosquitto *m, const char *ca_file, const char *ca_path,
                      const char *certificate, const char *key,
                      int (*ask)(char *, int, int, void *)) {
    (void)m, (void)ca_file, (void)ca_path, (void)certificate, (void)key, (void)ask;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_connect(struct mosquitto *m, const char *host, int port, int keep_alive) {
    (void)m, (void)host, (void)port, (void)keep_alive;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_disconnect(struct mosquitto *m) {
    (void)m;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_loop_start(struct mosquitto *m) {
    (void)m;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_loop_stop(struct mosquitto *m, bool force) {
    (void)m, (void)force;
    return MOSQ_ERR_SUCCESS;
}
int mosquitto_subscribe(struct mosquitto *m, int *id, const char *topic, int qos) {
    (void)m, (void)id, (void)topic, (void)qos;
    return MOSQ_ERR_SUCCESS;
}
const char *mosquitto_strerror(int error) {
    (void)error;
    return "error";
}
int mosquitto_publish(struct mosquitto *m, int *id, const char *topic, int length,
                      const void *payload, int qos, bool retain) {
    (void)m, (void)id, (void)qos, (void)retain;
    char line[20000];
    if (strstr(topic, "/presence") == NULL) {
        snprintf(line, sizeof line, "%.*s\n", length, (const char *)payload);
        fuzz_check_line(line, strlen(line));
    }
    return MOSQ_ERR_SUCCESS;
}

/* ---- what comes ---- */

/* Of a message most say which state they have seen: 'S' stands for that, so that it is not guessed.
 */
static void say(fuzz_numbers *n, const fuzz_stand *s, bool kept) {
    char payload[600];
    size_t length = fuzz_number(n, 1) * 2U, used = 0;
    if ((length & 4) != 0) {
        used = (size_t)snprintf(payload, sizeof payload, "%lu ", s->states.count);
    }
    for (; used < length && n->left > 0; used++) {
        payload[used] = (char)fuzz_number(n, 1);
    }
    const struct mosquitto_message m = {
        .payload = payload, .payloadlen = (int)used, .retain = kept, .topic = (char[]){"ask"}};
    broker.takes(client(), broker.context, &m);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    fuzz_numbers n = {data, size};
    fuzz_stand s;
    char why[200];
    const wpin_bus_options how = {.host = "here", .port = 1, .prefix = "house", .rate = 20};
    bool opened = fuzz_open(&s, fuzz_number(&n, 1));
    wpin_bus *bus =
        opened ? wpin_bus_open(s.live, &s.pace, &s.states, &how, why, sizeof why) : NULL;
    while (bus != NULL && n.left > 0) {
        uint32_t what = fuzz_number(&n, 1);
        switch (what & 7) {
        case 0: broker.comes(client(), broker.context, (int)(what >> 7)); break;
        case 1: broker.goes(client(), broker.context, 0); break;
        default: say(&n, &s, (what & 7) == 2); break;
        }
        if ((what & 8) != 0) {
            wpin_bus_serve(bus);
            fuzz_pass(&s, 1e-3 * (double)(1U << (what >> 5)));
        }
    }
    wpin_bus_close(bus);
    fuzz_close(&s);
    return 0;
}
