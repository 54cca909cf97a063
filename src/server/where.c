/* Where the page listens, and what browsers may call that place. */
#define _GNU_SOURCE
#include "where.h"
#include <arpa/inet.h>
#include <ifaddrs.h>
#include <netdb.h>
#include <netinet/in.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>
#include <sys/socket.h>
#include <unistd.h>

static void add(wpin_where *w, const char *name) {
    bool known = name[0] == '\0' || w->count == WPIN_WHERE_NAMES;
    for (size_t i = 0; i < w->count; i++) {
        known = known || strcasecmp(w->names[i], name) == 0;
    }
    if (!known) {
        snprintf(w->names[w->count++], sizeof *w->names, "%s", name);
    }
}

/* A number as it stands in a link. */
static void write_number(const struct sockaddr *a, char *to, size_t size) {
    char number[INET6_ADDRSTRLEN] = "";
    if (a->sa_family == AF_INET) {
        inet_ntop(AF_INET, &((const struct sockaddr_in *)(const void *)a)->sin_addr, number,
                  sizeof number);
        snprintf(to, size, "%s", number);
    } else {
        inet_ntop(AF_INET6, &((const struct sockaddr_in6 *)(const void *)a)->sin6_addr, number,
                  sizeof number);
        snprintf(to, size, "[%s]", number);
    }
}

static bool is_loopback(const struct sockaddr *a) {
    if (a->sa_family == AF_INET) {
        const struct sockaddr_in *in = (const void *)a;
        return ntohl(in->sin_addr.s_addr) >> 24 == 127;
    }
    const struct sockaddr_in6 *in = (const void *)a;
    return IN6_IS_ADDR_LOOPBACK(&in->sin6_addr);
}

static bool is_any(const struct sockaddr *a) {
    if (a->sa_family == AF_INET) {
        const struct sockaddr_in *in = (const void *)a;
        return in->sin_addr.s_addr == htonl(INADDR_ANY);
    }
    const struct sockaddr_in6 *in = (const void *)a;
    return IN6_IS_ADDR_UNSPECIFIED(&in->sin6_addr);
}

static void add_loopback(wpin_where *w) {
    add(w, "127.0.0.1");
    add(w, "localhost");
    add(w, "[::1]");
}

/* All this computer is called: its name, and the number of each of its interfaces. */
static void add_all(wpin_where *w) {
    char name[64] = "";
    struct ifaddrs *all = NULL;
    (void)gethostname(name, sizeof name - 1);
    add(w, name);
    if (getifaddrs(&all) == 0) {
        for (const struct ifaddrs *i = all; i != NULL; i = i->ifa_next) {
            int family = i->ifa_addr == NULL ? AF_UNSPEC : i->ifa_addr->sa_family;
            if (family == AF_INET || family == AF_INET6) {
                char number[64];
                write_number(i->ifa_addr, number, sizeof number);
                add(w, number);
            }
        }
        freeifaddrs(all);
    }
    add_loopback(w);
}

/* Whether it is an address of this computer: a socket can be bound to it. */
static bool is_ours(const struct addrinfo *a) {
    int s = socket(a->ai_family, SOCK_STREAM | SOCK_CLOEXEC, 0);
    bool ours = s >= 0 && bind(s, a->ai_addr, a->ai_addrlen) == 0;
    if (s >= 0) {
        close(s);
    }
    return ours;
}

static void take(wpin_where *w, const struct addrinfo *a, const char *said) {
    char number[64];
    write_number(a->ai_addr, number, sizeof number);
    size_t length = strlen(number);
    bool six = number[0] == '[';
    snprintf(w->address, sizeof w->address, "%.*s", (int)(length - (six ? 2 : 0)),
             number + (six ? 1 : 0));
    w->here = is_loopback(a->ai_addr);
    bool is_number = strcasecmp(said, w->address) == 0;
    if (is_any(a->ai_addr)) {
        add_all(w);
        snprintf(w->shown, sizeof w->shown, "%s", w->names[0]);
        return;
    }
    snprintf(w->shown, sizeof w->shown, "%s", is_number ? number : said);
    add(w, w->shown);
    add(w, number);
    if (w->here) {
        add_loopback(w);
    }
}

bool wpin_where_find(wpin_where *w, const char *address, char *why, size_t size) {
    const char *said = address == NULL ? "127.0.0.1" : address;
    struct addrinfo how = {.ai_family = AF_UNSPEC, .ai_socktype = SOCK_STREAM}, *all = NULL;
    *w = (wpin_where){0};
    int error = strlen(said) < sizeof w->shown ? getaddrinfo(said, NULL, &how, &all) : EAI_NONAME;
    if (error != 0) {
        snprintf(why, size, "'%s' is not an address or a name that is known: %s", said,
                 gai_strerror(error));
        return false;
    }
    const struct addrinfo *a = all;
    while (a != NULL && !is_ours(a)) {
        a = a->ai_next;
    }
    if (a != NULL) {
        take(w, a, said);
    } else {
        snprintf(why, size,
                 "'%s' is not an address of this computer; 'ip address' lists those it has", said);
    }
    freeaddrinfo(all);
    return a != NULL;
}

bool wpin_where_is(const wpin_where *w, const char *host, int port, int usual_port) {
    for (size_t i = 0; i < w->count; i++) {
        char full[128];
        snprintf(full, sizeof full, "%s:%d", w->names[i], port);
        if (strcasecmp(host, full) == 0 ||
            (port == usual_port && strcasecmp(host, w->names[i]) == 0)) {
            return true;
        }
    }
    return false;
}
