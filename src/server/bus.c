/* A session on a message bus. libmosquitto has a thread of its own; what it hears goes through a
 * box. */
#define _GNU_SOURCE
#include "bus.h"
#include "box.h"
#include <ctype.h>
#include <mosquitto.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define KEEP_ALIVE 5   /* s: how often the broker is asked for */
#define SEEN       256 /* states that are remembered */
#define NAME_MOST  24

/* A state that was published. */
typedef struct seen {
    unsigned long number;
    double at;
} seen;

struct wpin_bus {
    wpin_live *live;
    const wpin_pace *pace;
    wpin_states *states;
    wpin_box box;
    struct mosquitto *client;
    char topic[160];
    struct {
        char name[NAME_MOST + 1];
        int source;
        unsigned long heard; /* the number of the request it made last */
    } names[WPIN_BUS_NAMES]; /* source -1: free */
    unsigned long requests;
    seen published[SEEN];
    size_t published_count, news;
    double period, next;
};

/* ---- the library's thread ---- */

/* A line's end is left out. */
static void publish(const wpin_bus *bus, const char *what, const char *text, bool retain) {
    char topic[200];
    snprintf(topic, sizeof topic, "%s/%s", bus->topic, what);
    (void)mosquitto_publish(bus->client, NULL, topic, (int)strcspn(text, "\n"), text, 0, retain);
}

static void on_connect(struct mosquitto *client, void *context, int result) {
    wpin_bus *bus = context;
    char topic[200];
    if (result == 0) {
        snprintf(topic, sizeof topic, "%s/ask", bus->topic);
        (void)mosquitto_subscribe(client, NULL, topic, 0);
        publish(bus, "presence", "here", true);
        (void)wpin_box_put(&bus->box, WPIN_BOX_COMES, 0, "");
    }
}

static void on_disconnect(struct mosquitto *client, void *context, int result) {
    wpin_bus *bus = context;
    (void)client, (void)result;
    (void)wpin_box_put(&bus->box, WPIN_BOX_GOES, 0, "");
}

/* A retained one was asked at some other time; one that is no text, or more than a line, is none.
 */
static void on_message(struct mosquitto *client, void *context,
                       const struct mosquitto_message *message) {
    wpin_bus *bus = context;
    char line[WPIN_LIVE_LINE + 1];
    size_t length = (size_t)message->payloadlen;
    (void)client;
    if (message->retain) {
        publish(bus, "answer", "{\"ok\":false,\"words\":\"a retained request is not carried out\"}",
                false);
        return;
    }
    if (length == 0 || length >= sizeof line || !wpin_is_text(message->payload, length) ||
        memchr(message->payload, '\n', length) != NULL) {
        publish(bus, "answer",
                "{\"ok\":false,\"words\":\"expected one line: NUMBER NAME REQUEST\"}", false);
        return;
    }
    memcpy(line, message->payload, length);
    line[length] = '\0';
    if (!wpin_box_put(&bus->box, WPIN_BOX_ASKS, 0, line)) {
        publish(bus, "answer", "{\"ok\":false,\"words\":\"too many requests at once\"}", false);
    }
}

/* ---- who asks ---- */

static void publish_json(const wpin_bus *bus, const char *what, json_t *value, bool retain) {
    size_t length;
    char *line = wpin_json_line(value, &length);
    if (line != NULL) {
        publish(bus, what, line, retain);
    }
    free(line);
}

static void answer(const wpin_bus *bus, const char *name, const char *asked, bool ok,
                   const char *words) {
    publish_json(
        bus, "answer",
        json_pack("{s:s, s:s, s:b, s:s}", "to", name, "asked", asked, "ok", ok, "words", words),
        false);
}

/* The place of a name. One that is new takes a free place, or that of the one which was silent for
 * longest and has no command: it loses nothing by that. */
static int place_of(const wpin_bus *bus, const char *name) {
    int at = -1;
    for (int i = 0; i < WPIN_BUS_NAMES; i++) {
        if (bus->names[i].source >= 0 && strcmp(bus->names[i].name, name) == 0) {
            return i;
        }
        bool may =
            bus->names[i].source < 0 || bus->names[i].source != wpin_live_commander(bus->live);
        at = may && (at < 0 || bus->names[i].heard < bus->names[at].heard) ? i : at;
    }
    return at;
}

/* The source of a name, which joins with its first request; -1: there are too many. */
static int source_of(wpin_bus *bus, const char *name) {
    int at = place_of(bus, name);
    if (bus->names[at].source < 0 || strcmp(bus->names[at].name, name) != 0) {
        char shown[NAME_MOST + 16];
        wpin_live_leave(bus->live, bus->names[at].source);
        snprintf(shown, sizeof shown, "%s on the bus", name);
        snprintf(bus->names[at].name, sizeof bus->names[at].name, "%s", name);
        bus->names[at].source = wpin_live_join(bus->live, shown);
        wpin_live_is_program(bus->live, bus->names[at].source);
    }
    bus->names[at].heard = ++bus->requests;
    return bus->names[at].source;
}

static void all_go(wpin_bus *bus) {
    for (int i = 0; i < WPIN_BUS_NAMES; i++) {
        if (bus->names[i].source >= 0) {
            wpin_live_leave(bus->live, bus->names[i].source);
            bus->names[i].source = -1;
            bus->names[i].heard = 0;
        }
    }
}

/* Whether a state of that number was published, and not too long ago. */
static bool is_fresh(const wpin_bus *bus, unsigned long number) {
    double link = wpin_live_link_timeout(bus->live),
           most = link > WPIN_BUS_OLD ? link : WPIN_BUS_OLD;
    double now = wpin_session_time(wpin_live_session(bus->live));
    for (size_t i = 0; i < SEEN && i < bus->published_count; i++) {
        if (bus->published[i].number == number && now - bus->published[i].at <= most) {
            return true;
        }
    }
    return false;
}

/* NUMBER NAME REQUEST: where the request begins; NULL: it is none. */
static const char *read_asked(const char *line, unsigned long *number, char *name) {
    const char *at = line + strspn(line, "0123456789");
    const char *from = at + strspn(at, " \t");
    size_t length = strspn(from, "abcdefghijklmnopqrstuvwxyz0123456789-");
    const char *asked = from + length + strspn(from + length, " \t");
    if (at == line || from == at || length == 0 || length > NAME_MOST || asked == from + length) {
        return NULL;
    }
    *number = strtoul(line, NULL, 10); /* one that is too large was never a state's */
    memcpy(name, from, length);
    name[length] = '\0';
    return asked;
}

static void carry_out(wpin_bus *bus, const char *line) {
    char name[NAME_MOST + 1];
    unsigned long number;
    wpin_live_answer a;
    const char *asked = read_asked(line, &number, name);
    if (asked == NULL) {
        answer(bus, "", line, false,
               "expected NUMBER NAME REQUEST: the number of the state that was seen last, who asks "
               "(up to 24 of a-z, 0-9, -), and what");
        return;
    }
    int source = source_of(bus, name);
    bool stops = wpin_live_stops(bus->live, source, asked); /* that is never too late */
    if (!stops && !is_fresh(bus, number)) {
        answer(bus, name, asked, false,
               "it has lapsed: the state it has seen is old, or is none; ask again from a new one");
    } else if (source < 0 && !stops) {
        answer(bus, name, asked, false, "too many ask here already");
    } else if (source < 0) {
        wpin_session_stop(wpin_live_session(bus->live));
        answer(bus, name, asked, true, "stopped");
    } else {
        (void)wpin_live_ask(bus->live, source, asked, &a);
        answer(bus, name, asked, a.ok, a.words);
    }
}

/* ---- what is told ---- */

static void publish_state(wpin_bus *bus, double now) {
    const char *line = wpin_states_line(bus->states, bus->live, bus->pace);
    if (line != NULL) {
        bus->published[bus->published_count++ % SEEN] = (seen){bus->states->count, now};
        publish(bus, "state", line, true);
    }
}

void wpin_bus_serve(wpin_bus *bus) {
    uint64_t woken;
    wpin_box_event event;
    double now = wpin_session_time(wpin_live_session(bus->live));
    (void)!read(bus->box.wake, &woken, sizeof woken);
    for (int i = 0; i < 64 && wpin_box_take(&bus->box, &event); i++) {
        switch (event.kind) {
        case WPIN_BOX_ASKS: carry_out(bus, event.line); break;
        case WPIN_BOX_GOES: all_go(bus); break;
        case WPIN_BOX_COMES: break; /* nobody has the command by that, and nothing is armed */
        }
    }
    for (; bus->news < wpin_live_news_count(bus->live); bus->news++) {
        publish_json(bus, "news", wpin_news_json(bus->live, bus->news), false);
    }
    if (now >= bus->next) {
        bus->next = now + bus->period;
        publish_state(bus, now);
    }
}

/* ---- open and close ---- */

/* PREFIX/RIG, of letters that mean nothing to a broker. */
static void name_topic(wpin_bus *bus, const char *prefix) {
    int used = snprintf(bus->topic, sizeof bus->topic, "%s/", prefix);
    size_t at = used > 0 && (size_t)used < sizeof bus->topic ? (size_t)used : 0;
    for (const char *c = wpin_live_rig(bus->live)->name; *c != '\0' && at + 1 < sizeof bus->topic;
         c++) {
        bus->topic[at++] = (char)(isalnum((unsigned char)*c) ? tolower((unsigned char)*c) : '-');
    }
    bus->topic[at] = '\0';
}

static int connect_to(const wpin_bus *bus, const wpin_bus_options *o) {
    char will[200];
    snprintf(will, sizeof will, "%s/presence", bus->topic);
    int result = mosquitto_will_set(bus->client, will, 4, "lost", 1, true);
    if (result == MOSQ_ERR_SUCCESS && o->user != NULL) {
        result = mosquitto_username_pw_set(bus->client, o->user, o->password);
    }
    if (result == MOSQ_ERR_SUCCESS && o->ca_file != NULL) {
        result = mosquitto_tls_set(bus->client, o->ca_file, NULL, NULL, NULL, NULL);
    }
    if (result == MOSQ_ERR_SUCCESS) {
        result = mosquitto_connect(bus->client, o->host, o->port, KEEP_ALIVE);
    }
    return result == MOSQ_ERR_SUCCESS ? mosquitto_loop_start(bus->client) : result;
}

static void give_back(wpin_bus *bus) {
    if (bus->client != NULL) {
        mosquitto_destroy(bus->client);
    }
    wpin_box_close(&bus->box);
    mosquitto_lib_cleanup();
    free(bus);
}

wpin_bus *wpin_bus_open(wpin_live *live, const wpin_pace *pace, wpin_states *states,
                        const wpin_bus_options *options, char *why, size_t size) {
    wpin_bus *bus = calloc(1, sizeof *bus);
    mosquitto_lib_init();
    if (bus == NULL || !wpin_box_open(&bus->box)) {
        snprintf(why, size, "out of memory or files");
        free(bus);
        return NULL;
    }
    bus->live = live;
    bus->pace = pace;
    bus->states = states;
    bus->period = 1 / options->rate;
    bus->news = wpin_live_news_count(live);
    for (int i = 0; i < WPIN_BUS_NAMES; i++) {
        bus->names[i].source = -1;
    }
    name_topic(bus, options->prefix);
    bus->client = mosquitto_new(NULL, true, bus); /* a clean session: nothing is kept for it */
    int result = MOSQ_ERR_NOMEM;
    if (bus->client != NULL) {
        mosquitto_connect_callback_set(bus->client, on_connect);
        mosquitto_disconnect_callback_set(bus->client, on_disconnect);
        mosquitto_message_callback_set(bus->client, on_message);
        result = connect_to(bus, options);
    }
    if (result != MOSQ_ERR_SUCCESS) {
        snprintf(why, size, "the broker %s:%d can't be reached: %s", options->host, options->port,
                 mosquitto_strerror(result));
        give_back(bus);
        return NULL;
    }
    return bus;
}

const char *wpin_bus_topic(const wpin_bus *bus) {
    return bus->topic;
}

int wpin_bus_file(const wpin_bus *bus) {
    return bus->box.wake;
}

void wpin_bus_close(wpin_bus *bus) {
    if (bus != NULL) {
        all_go(bus);
        publish(bus, "presence", "gone", true);
        mosquitto_disconnect(bus->client);
        mosquitto_loop_stop(bus->client, false);
        give_back(bus);
    }
}
