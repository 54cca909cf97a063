/* The tool with its page, as a process; and a guest of the page, on a socket. */
#define _GNU_SOURCE
#include "support_page.h"
#include <arpa/inet.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

tool start_with(const char *const *options) {
    int pipe_ends[2];
    char line[256];
    tool t = {0};
    const char *all[20] = {TEST_TOOL, "live", PUMP, "--powered", "--confirmed", "--late", "5s"};
    for (size_t i = 0, n = 7; options[i] != NULL; i++, n++) {
        all[n] = options[i];
    }
    ck_assert_int_eq(pipe(pipe_ends), 0);
    t.child = fork();
    if (t.child == 0) {
        int null = open("/dev/null", O_RDWR);
        dup2(null, 0);
        dup2(null, 1);
        dup2(pipe_ends[1], 2);
        execv(TEST_TOOL, (char *const *)(uintptr_t)all);
        _exit(99);
    }
    close(pipe_ends[1]);
    t.said = fdopen(pipe_ends[0], "r");
    ck_assert_ptr_nonnull(fgets(line, sizeof line, t.said));
    const char *link = strstr(line, "://");
    ck_assert_msg(link != NULL, "%s", line);
    ck_assert_int_eq(sscanf(link, "://%*[^:]:%d/#%32s", &t.port, t.token), 2);
    return t;
}

tool start(void) {
    static const char *const page[] = {"--page", NULL};
    return start_with(page);
}

int end(tool *t) {
    int status;
    kill(t->child, SIGTERM);
    ck_assert_int_eq(waitpid(t->child, &status, 0), t->child);
    fclose(t->said);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

double now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

/* ---- sockets ---- */

int dial(const tool *t) {
    int s = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    struct sockaddr_in to = {.sin_family = AF_INET,
                             .sin_port = htons((uint16_t)t->port),
                             .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    ck_assert_int_eq(connect(s, (struct sockaddr *)&to, sizeof to), 0);
    return s;
}

void put(int s, const void *bytes, size_t count) {
    (void)!send(s, bytes, count, MSG_NOSIGNAL); /* it may have hung up already */
}

bool hear(int s, const char *words, double seconds, char *all, size_t size) {
    size_t length = 0;
    all[0] = '\0';
    for (double until = now() + seconds; now() < until;) {
        struct pollfd in = {.fd = s, .events = POLLIN};
        if (poll(&in, 1, 20) != 1) {
            continue;
        }
        if (length + 1 >= size) { /* keep the end of it */
            memmove(all, all + length / 2, length - length / 2);
            length -= length / 2;
        }
        ssize_t count = recv(s, all + length, size - 1 - length, 0);
        if (count <= 0) {
            return false;
        }
        for (ssize_t i = 0; i < count; i++) { /* frames have NULs in them */
            all[length + (size_t)i] =
                all[length + (size_t)i] == '\0' ? ' ' : all[length + (size_t)i];
        }
        length += (size_t)count;
        all[length] = '\0';
        if (words != NULL && strstr(all, words) != NULL) {
            return true;
        }
    }
    return false;
}

void frame(int s, unsigned char first, bool masked, const char *bytes, size_t count) {
    unsigned char head[8] = {first}, all[2048];
    static const unsigned char mask[4] = {0x11, 0x22, 0x33, 0x44};
    size_t used = 2;
    head[1] = (unsigned char)(count < 126 ? count : 126);
    if (count >= 126) {
        head[2] = (unsigned char)(count >> 8);
        head[3] = (unsigned char)count;
        used = 4;
    }
    head[1] |= masked ? 0x80 : 0;
    memcpy(all, head, used);
    if (masked) {
        memcpy(all + used, mask, 4);
        used += 4;
    }
    for (size_t i = 0; i < count && used < sizeof all; i++) {
        all[used++] = (unsigned char)(bytes[i] ^ (masked ? mask[i % 4] : 0));
    }
    put(s, all, used);
}

void say(int s, const char *line) {
    frame(s, 0x81, true, line, strlen(line));
}

bool upgrade(int s, const char *host, const char *origin, const char *protocol) {
    char text[1024], all[4096];
    int used = snprintf(text, sizeof text, "GET / HTTP/1.1\r\n");
    used +=
        host == NULL ? 0 : snprintf(text + used, sizeof text - (size_t)used, "Host: %s\r\n", host);
    used += origin == NULL
                ? 0
                : snprintf(text + used, sizeof text - (size_t)used, "Origin: %s\r\n", origin);
    used += protocol == NULL ? 0
                             : snprintf(text + used, sizeof text - (size_t)used,
                                        "Sec-WebSocket-Protocol: %s\r\n", protocol);
    used += snprintf(text + used, sizeof text - (size_t)used,
                     "Upgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Version: 13\r\n"
                     "Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n");
    put(s, text, (size_t)used);
    return hear(s, "\r\n\r\n", 2, all, sizeof all) && strncmp(all, "HTTP/1.1 101", 12) == 0;
}

int enter(const tool *t) {
    char host[64], all[8192];
    int s = dial(t);
    snprintf(host, sizeof host, "127.0.0.1:%d", t->port);
    ck_assert(upgrade(s, host, NULL, "windpin-1"));
    say(s, t->token);
    ck_assert_msg(hear(s, "\"windpin\"", 3, all, sizeof all), "%.900s", all);
    return s;
}
