/* The page as strangers meet it: a real process, real sockets. */
#define _GNU_SOURCE
#include "support_page.h"
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* What a stranger tries: who it says it talks to, where from, what it says first. %p is the port,
 * %t the token, %u the token in capitals. */
static const struct {
    const char *host, *origin, *protocol, *first;
} strangers[] = {
    /* no token, or not this one */
    {"127.0.0.1:%p", NULL, "windpin-1", NULL},
    {"127.0.0.1:%p", NULL, "windpin-1", ""},
    {"127.0.0.1:%p", NULL, "windpin-1", "stop"},
    {"127.0.0.1:%p", NULL, "windpin-1", "hello"},
    {"127.0.0.1:%p", NULL, "windpin-1", "00000000000000000000000000000000"},
    {"127.0.0.1:%p", NULL, "windpin-1", "%t0"},
    {"127.0.0.1:%p", NULL, "windpin-1", " %t"},
    {"127.0.0.1:%p", NULL, "windpin-1", "%t\n"},
    {"127.0.0.1:%p", NULL, "windpin-1", "#%t"},
    {"127.0.0.1:%p", NULL, "windpin-1", "%u"},
    {"127.0.0.1:%p", NULL, "windpin-1",
     "0fb34dd1c9513e5426935493d87c03f1"}, /* of another session */
    {"127.0.0.1:%p", NULL, "windpin-1", "{\"token\":\"%t\"}"},
    {"127.0.0.1:%p", NULL, "windpin-1", "command\n%t"},
    /* another site's page in a browser of this computer */
    {"127.0.0.1:%p", "http://example.com", "windpin-1", "%t"},
    {"127.0.0.1:%p", "https://127.0.0.1:%p", "windpin-1", "%t"},
    {"127.0.0.1:%p", "http://127.0.0.1", "windpin-1", "%t"},
    {"127.0.0.1:%p", "http://127.0.0.1:80", "windpin-1", "%t"},
    {"127.0.0.1:%p", "http://127.0.0.1:%p.example.com", "windpin-1", "%t"},
    {"127.0.0.1:%p", "http://localhost.example.com:%p", "windpin-1", "%t"},
    {"127.0.0.1:%p", "null", "windpin-1", "%t"},
    {"127.0.0.1:%p", "file://", "windpin-1", "%t"},
    {"127.0.0.1:%p", "http://127.0.0.1:%p http://example.com", "windpin-1", "%t"},
    {"127.0.0.1:%p", "http://[::1]:1", "windpin-1", "%t"},
    {"127.0.0.1:%p",
     "http://"
     "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"
     "aaaa",
     "windpin-1", "%t"},
    /* a name of somebody else's that leads here */
    {"example.com:%p", NULL, "windpin-1", "%t"},
    {"example.com", NULL, "windpin-1", "%t"},
    {"127.0.0.1", NULL, "windpin-1", "%t"},
    {"127.0.0.1:1", NULL, "windpin-1", "%t"},
    {"127.0.0.1:%p.", NULL, "windpin-1", "%t"},
    {"127.0.0.1:%p@example.com", NULL, "windpin-1", "%t"},
    {"localhost.example.com:%p", NULL, "windpin-1", "%t"},
    {"0.0.0.0:%p", NULL, "windpin-1", "%t"},
    {"", NULL, "windpin-1", "%t"},
    {NULL, NULL, "windpin-1", "%t"},
    {"example.com:%p", "http://example.com:%p", "windpin-1", "%t"},
    /* another protocol */
    {"127.0.0.1:%p", NULL, "windpin-2", "%t"},
    {"127.0.0.1:%p", NULL, "chat", "%t"},
};

static const char *filled(const tool *t, const char *text, char *to, size_t size) {
    size_t used = 0;
    if (text == NULL) {
        return NULL;
    }
    to[0] = '\0';
    for (; *text != '\0' && used + 40 < size; text++) {
        if (strncmp(text, "%p", 2) == 0) {
            used += (size_t)snprintf(to + used, size - used, "%d", t->port);
            text++;
        } else if (strncmp(text, "%t", 2) == 0 || strncmp(text, "%u", 2) == 0) {
            for (const char *c = t->token; *c != '\0'; c++) {
                to[used++] = text[1] == 'u' && *c >= 'a' ? (char)(*c - 32) : *c;
            }
            to[used] = '\0';
            text++;
        } else {
            to[used++] = *text;
            to[used] = '\0';
        }
    }
    return to;
}

/* Bytes that are no honest request, and what must not come of them. */
static const char *const raw[] = {
    "GET / HTTP/1.1\r\nHost: example.com\r\n\r\n",
    "GET / HTTP/1.1\r\n\r\n",
    "GET http://example.com/ HTTP/1.1\r\nHost: example.com\r\n\r\n",
    "GET /../page.c HTTP/1.1\r\nHost: 127.0.0.1:%p\r\n\r\n",
    "GET /%2e%2e/%2e%2e/etc/passwd HTTP/1.1\r\nHost: 127.0.0.1:%p\r\n\r\n",
    "GET /%00page.html HTTP/1.1\r\nHost: 127.0.0.1:%p\r\n\r\n",
    "POST / HTTP/1.1\r\nHost: 127.0.0.1:%p\r\nContent-Length: 4\r\n\r\nstop",
    "PUT /page.html HTTP/1.1\r\nHost: 127.0.0.1:%p\r\nContent-Length: 1\r\n\r\nx",
    "DELETE /page.html HTTP/1.1\r\nHost: 127.0.0.1:%p\r\n\r\n",
    "CONNECT 127.0.0.1:22 HTTP/1.1\r\nHost: 127.0.0.1:%p\r\n\r\n",
    ("POST / HTTP/1.1\r\nHost: example.com\r\nContent-Length: 6\r\nTransfer-Encoding: "
     "chunked\r\n\r\n0\r\n\r\nGET / HTTP/1.1\r\nHost: 127.0.0.1:%p\r\n\r\n"),
    "\x16\x03\x01\x02",
    "%t\r\n\r\n",
};

START_TEST(strangers_are_not_let_in) {
    char all[16384], a[512], b[512], c[512];
    tool t = start();
    for (size_t i = 0; i < COUNT(strangers); i++) {
        int s = dial(&t);
        bool granted = upgrade(s, filled(&t, strangers[i].host, a, sizeof a),
                               filled(&t, strangers[i].origin, b, sizeof b), strangers[i].protocol);
        if (strangers[i].first != NULL) {
            say(s, filled(&t, strangers[i].first, c, sizeof c));
            say(s, "command over");
            say(s, "hello");
        }
        bool let_in = hear(s, "\"windpin\"", granted ? 0.15 : 0.03, all, sizeof all);
        ck_assert_msg(!let_in, "stranger %zu is let in: %.900s", i, all);
        close(s);
    }
    for (size_t i = 0; i < COUNT(raw); i++) {
        int s = dial(&t);
        filled(&t, raw[i], a, sizeof a);
        put(s, a, strlen(a));
        hear(s, NULL, 0.1, all, sizeof all);
        ck_assert_msg(strstr(all, "200 OK") == NULL && strstr(all, "windpin") == NULL,
                      "raw %zu: %.900s", i, all);
        close(s);
    }
    int s = enter(&t); /* nobody took the command, and who has the token still comes in */
    say(s, "state");
    ck_assert_msg(hear(s, "\"commander\":null", 2, all, sizeof all), "%.900s", all);
    close(s);
    ck_assert_int_eq(end(&t), 0);
}
END_TEST

/* Frames that no honest client sends: the connection is closed, and nothing else happens. */
START_TEST(bad_frames_close_their_connection_only) {
    static const struct {
        unsigned char first;
        bool masked;
        size_t count;
    } rows[] = {
        {0x82, true, 4},   {0x83, true, 4}, {0xC1, true, 4}, {0x81, true, 1000},
        {0x89, true, 200}, {0x80, true, 4}, {0x8F, true, 0},
    };
    char all[16384], noise[1024];
    tool t = start();
    int good = enter(&t);
    memset(noise, 'x', sizeof noise);
    for (size_t i = 0; i < COUNT(rows); i++) {
        int s = enter(&t);
        frame(s, rows[i].first, rows[i].masked, noise, rows[i].count);
        say(s, "stop");
        hear(s, "stopped:", 0.3, all, sizeof all);
        ck_assert_msg(strstr(all, "stopped:") == NULL, "row %zu: %.900s", i, all);
        close(s);
    }
    pick_seed(77);
    for (int i = 0; i < 200; i++) { /* noise, before and after the token */
        int s = i % 2 == 0 ? enter(&t) : dial(&t);
        for (size_t n = 0; n < sizeof noise; n++) {
            noise[n] = (char)pick(256);
        }
        put(s, noise, pick(sizeof noise));
        close(s);
    }
    int s = enter(&t);
    for (int i = 0; i < 3000; i++) { /* too many at once: closed */
        say(s, "alive");
    }
    while (hear(s, NULL, 0.1, all, sizeof all)) {
    }
    close(s);
    say(good, "state");
    ck_assert_msg(hear(good, "\"stopped\":false", 2, all, sizeof all), "%.900s", all);
    close(good);
    ck_assert_int_eq(end(&t), 0);
}
END_TEST

static size_t frame_of(char *to, const char *text) {
    size_t length = strlen(text);
    to[0] = (char)0x81;
    to[1] = (char)(0x80 | length);
    memset(to + 2, 0, 4); /* a mask that changes nothing */
    memcpy(to + 6, text, length);
    return 6 + length;
}

/* A frame of noise: halves of requests (none that stops or commands), bytes, opcodes there are not.
 * How long it is. */
static size_t make_noise(char *to) {
    static const char *const pieces[] = {"pump ramp 60%", "arm",   "report 50Hz", "state", "hello",
                                         "foresee pump",  "watch", "pump",        "alive", "{}",
                                         "first pump",    "lines", "clear",       "",      "fault"};
    char text[48];
    size_t length;
    if (pick(3) == 0) {
        bool no_text = pick(100) == 0; /* what is no text ends it, too */
        length = pick(sizeof text);
        for (size_t i = 0; i < length; i++) {
            text[i] = (char)(no_text ? pick(256) : ' ' + pick(95));
        }
    } else {
        length = (size_t)snprintf(text, sizeof text, "%s", pieces[pick(COUNT(pieces))]);
    }
    to[0] = (char)(pick(400) == 0 ? pick(256) : 0x81); /* seldom another opcode: it ends it */
    to[1] = (char)(0x80 | length);
    for (size_t i = 0; i < 4; i++) {
        to[2 + i] = (char)pick(256);
    }
    for (size_t i = 0; i < length; i++) {
        to[6 + i] = (char)(text[i] ^ to[2 + i % 4]);
    }
    return 6 + length;
}

/* Frames of noise from guests that were let in: nothing moves by them, and nothing stops. */
START_TEST(noise_moves_nothing) {
    const char *asked = getenv("WPIN_FRAMES");
    long frames = asked == NULL ? 3000 : atol(asked), guests = 0, answered = 0;
    static char all[65536], noise[41 * 60];
    tool t = start();
    pick_seed(99);
    for (long sent = 0; sent < frames; guests++) {
        int s = enter(&t);
        bool there = true, heard = false;
        for (int batch = 0; batch < 9 && there; batch++) { /* 400 at once are the most */
            size_t length = 0;
            for (int i = 0; i < 40; i++, sent++) {
                length += make_noise(noise + length);
            }
            length += frame_of(noise + length, "foresee plan"); /* answered last */
            put(s, noise, length);
            there = hear(s, "'plan run' runs", 0.2, all, sizeof all);
            heard = heard || there;
        }
        close(s);
        answered += heard;
    }
    ck_assert_msg(answered > guests / 2, "%ld of %ld", answered, guests);
    int s = enter(&t);
    say(s, "state");
    ck_assert_msg(hear(s, "\"stopped\":false", 2, all, sizeof all), "%.900s", all);
    ck_assert_msg(strstr(all, "\"commander\":null") != NULL && strstr(all, "\"duty\":0.0") != NULL,
                  "%.900s", all);
    close(s);
    ck_assert_int_eq(end(&t), 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("page");
    TCase *tests = tcase_create("page");
    tcase_set_timeout(tests, 2400);
    tcase_add_test(tests, strangers_are_not_let_in);
    tcase_add_test(tests, bad_frames_close_their_connection_only);
    tcase_add_test(tests, noise_moves_nothing);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
