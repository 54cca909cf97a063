/* The page's network side, by libwebsockets. */
#define _GNU_SOURCE
#include "web.h"
#include "embedded.h"
#include "where.h"
#include <errno.h>
#include <libwebsockets.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define PROTOCOL     "windpin-1"
#define TOKEN_WITHIN 5    /* s to say the token */
#define RATE         200  /* requests a second of one client... */
#define BURST        400  /* ...and at once */
#define CHUNK        4096 /* bytes of a file at a time */

/* One WebSocket. */
typedef struct client {
    int place; /* in the box; -1: not let in yet */
    size_t length;
    char line[WPIN_LIVE_LINE + 2];
    double allowance, counted; /* requests it may make, and when that was worked out */
} client;

/* One file on its way. */
typedef struct sending {
    const wpin_embedded *file;
    size_t at;
} sending;

struct wpin_web {
    wpin_box *box;
    const char *token;
    struct lws_context *context;
    struct lws *places[WPIN_PAGE_CLIENTS];
    pthread_t thread;
    atomic_bool ends;
    int port;
    wpin_where where;
    bool encrypted;
};

static wpin_web *web_of(struct lws *wsi) {
    return lws_context_user(lws_get_context(wsi));
}

/* ---- who may ---- */

static bool same_token(const char *said, const char *token) {
    size_t length = strlen(token);
    unsigned char differ = 0;
    if (strlen(said) != length) {
        return false; /* how long it is is no secret */
    }
    for (size_t i = 0; i < length; i++) { /* as long whatever differs */
        differ |= (unsigned char)(said[i] ^ token[i]);
    }
    return differ == 0;
}

static bool header(struct lws *wsi, enum lws_token_indexes which, char *to, int size) {
    return lws_hdr_total_length(wsi, which) > 0 && lws_hdr_copy(wsi, to, size, which) > 0;
}

/* Somebody may have pointed a name of his own at this computer. */
static bool names_this_place(struct lws *wsi) {
    const wpin_web *web = web_of(wsi);
    char host[128];
    return header(wsi, WSI_TOKEN_HOST, host, sizeof host) &&
           wpin_where_is(&web->where, host, web->port, web->encrypted ? 443 : 80);
}

/* Another site's page in the same browser. A program that is no browser names none: it has the
 * token. */
static bool comes_from_here(struct lws *wsi) {
    const wpin_web *web = web_of(wsi);
    const char *scheme = web->encrypted ? "https://" : "http://";
    char origin[160];
    if (lws_hdr_total_length(wsi, WSI_TOKEN_ORIGIN) == 0) {
        return true;
    }
    return header(wsi, WSI_TOKEN_ORIGIN, origin, sizeof origin) &&
           strncasecmp(origin, scheme, strlen(scheme)) == 0 &&
           wpin_where_is(&web->where, origin + strlen(scheme), web->port,
                         web->encrypted ? 443 : 80);
}

static double seconds(void) {
    return (double)lws_now_usecs() * 1e-6;
}

static bool too_fast(client *c) {
    double now = seconds();
    c->allowance += (now - c->counted) * RATE;
    c->allowance = c->allowance > BURST ? BURST : c->allowance;
    c->counted = now;
    c->allowance -= 1;
    return c->allowance < 0;
}

/* ---- files ---- */

static const wpin_embedded *find_file(const char *path) {
    const char *name = strcmp(path, "/") == 0 ? "page.html" : path + 1;
    for (unsigned i = 0; i < wpin_embedded_count && path[0] == '/'; i++) {
        if (strcmp(wpin_embedded_files[i].name, name) == 0) {
            return &wpin_embedded_files[i];
        }
    }
    return NULL;
}

static const char *type_of(const char *name) {
    const char *dot = strrchr(name, '.');
    return strcmp(dot, ".html") == 0  ? "text/html; charset=utf-8"
           : strcmp(dot, ".css") == 0 ? "text/css; charset=utf-8"
                                      : "text/javascript; charset=utf-8";
}

static const struct {
    const char *name, *value;
} always[] = {{"content-security-policy:",
               "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; "
               "img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"},
              {"x-content-type-options:", "nosniff"},
              {"referrer-policy:", "no-referrer"},
              {"cache-control:", "no-store"}};

static int begin_file(struct lws *wsi, sending *s, const char *path, size_t length) {
    unsigned char buffer[LWS_PRE + 2048], *p = buffer + LWS_PRE, *start = p,
                                          *end = buffer + sizeof buffer - 1;
    s->file = strlen(path) == length ? find_file(path) : NULL;
    s->at = 0;
    if (!names_this_place(wsi)) {
        lws_return_http_status(wsi, HTTP_STATUS_FORBIDDEN, NULL);
        return -1;
    }
    if (lws_hdr_total_length(wsi, WSI_TOKEN_GET_URI) == 0) {
        lws_return_http_status(wsi, HTTP_STATUS_METHOD_NOT_ALLOWED, NULL);
        return -1;
    }
    if (s->file == NULL) {
        lws_return_http_status(wsi, HTTP_STATUS_NOT_FOUND, NULL);
        return -1;
    }
    int failed = lws_add_http_common_headers(wsi, HTTP_STATUS_OK, type_of(s->file->name),
                                             s->file->size, &p, end);
    for (size_t i = 0; i < sizeof always / sizeof *always && failed == 0; i++) {
        failed = lws_add_http_header_by_name(wsi, (const unsigned char *)always[i].name,
                                             (const unsigned char *)always[i].value,
                                             (int)strlen(always[i].value), &p, end);
    }
    if (failed != 0 || lws_finalize_write_http_header(wsi, start, &p, end) != 0) {
        return -1;
    }
    lws_callback_on_writable(wsi);
    return 0;
}

static int go_on_with_file(struct lws *wsi, sending *s) {
    unsigned char buffer[LWS_PRE + CHUNK];
    if (s->file == NULL) {
        return -1;
    }
    size_t left = s->file->size - s->at, count = left < CHUNK ? left : CHUNK;
    bool last = count == left;
    memcpy(buffer + LWS_PRE, s->file->bytes + s->at, count);
    if (lws_write(wsi, buffer + LWS_PRE, count, last ? LWS_WRITE_HTTP_FINAL : LWS_WRITE_HTTP) < 0) {
        return -1;
    }
    s->at += count;
    if (last) {
        return lws_http_transaction_completed(wsi) != 0 ? -1 : 0;
    }
    lws_callback_on_writable(wsi);
    return 0;
}

static int on_http(struct lws *wsi, enum lws_callback_reasons reason, void *user, void *in,
                   size_t length) {
    switch (reason) {
    case LWS_CALLBACK_HTTP: return begin_file(wsi, user, in, length);
    case LWS_CALLBACK_HTTP_WRITEABLE: return go_on_with_file(wsi, user);
    case LWS_CALLBACK_EVENT_WAIT_CANCELLED:
        for (int i = 0; i < WPIN_PAGE_CLIENTS; i++) {
            if (web_of(wsi)->places[i] != NULL) {
                lws_callback_on_writable(web_of(wsi)->places[i]);
            }
        }
        return 0;
    default: return lws_callback_http_dummy(wsi, reason, user, in, length);
    }
}

/* ---- WebSocket ---- */

static int refuse(struct lws *wsi, enum lws_close_status status, const char *why) {
    lws_close_reason(wsi, status, (unsigned char *)why, strlen(why));
    return -1;
}

/* The first message has to be the token. */
static int let_in(struct lws *wsi, client *c) {
    wpin_web *web = web_of(wsi);
    if (!same_token(c->line, web->token)) {
        return refuse(wsi, LWS_CLOSE_STATUS_POLICY_VIOLATION, "token");
    }
    lws_set_timeout(wsi, NO_PENDING_TIMEOUT, 0);
    for (int i = 0; i < WPIN_PAGE_CLIENTS; i++) {
        if (web->places[i] == NULL) {
            wpin_box_drop(web->box, i); /* what was said to whoever had that place */
            if (!wpin_box_put(web->box, WPIN_BOX_COMES, i, "")) {
                break;
            }
            web->places[i] = wsi;
            c->place = i;
            return 0;
        }
    }
    return refuse(wsi, LWS_CLOSE_STATUS_POLICY_VIOLATION, "full");
}

static int take_message(struct lws *wsi, client *c, const char *bytes, size_t count) {
    if (lws_frame_is_binary(wsi)) {
        return refuse(wsi, LWS_CLOSE_STATUS_UNACCEPTABLE_OPCODE, "text only");
    }
    if (c->length + count >= sizeof c->line || memchr(bytes, '\0', count) != NULL ||
        memchr(bytes, '\n', count) != NULL) {
        return refuse(wsi, LWS_CLOSE_STATUS_MESSAGE_TOO_LARGE, "one request of one line");
    }
    memcpy(c->line + c->length, bytes, count);
    c->length += count;
    c->line[c->length] = '\0';
    if (!lws_is_final_fragment(wsi) || lws_remaining_packet_payload(wsi) > 0) {
        return 0;
    }
    const bool text = wpin_is_text(c->line, c->length);
    c->length = 0;
    if (!text) {
        return refuse(wsi, LWS_CLOSE_STATUS_INVALID_PAYLOAD, "text only");
    }
    if (c->place < 0) {
        return let_in(wsi, c);
    }
    if (too_fast(c) || !wpin_box_put(web_of(wsi)->box, WPIN_BOX_ASKS, c->place, c->line)) {
        return refuse(wsi, LWS_CLOSE_STATUS_POLICY_VIOLATION, "too fast");
    }
    return 0;
}

/* One line at a time, and not before the one before has left. */
static int send_line(struct lws *wsi, const client *c) {
    wpin_box_line line;
    wpin_box *box = web_of(wsi)->box;
    if (c->place < 0 || lws_send_pipe_choked(wsi) || !wpin_box_next(box, c->place, &line)) {
        return 0;
    }
    unsigned char *buffer = malloc(LWS_PRE + line.length);
    int sent = -1;
    if (buffer != NULL) {
        memcpy(buffer + LWS_PRE, line.text, line.length);
        sent = lws_write(wsi, buffer + LWS_PRE, line.length, LWS_WRITE_TEXT);
    }
    free(buffer);
    free(line.text);
    if (wpin_box_has_lines(box, c->place)) {
        lws_callback_on_writable(wsi);
    }
    return sent < 0 ? -1 : 0;
}

static int on_socket(struct lws *wsi, enum lws_callback_reasons reason, void *user, void *in,
                     size_t length) {
    client *c = user;
    switch (reason) {
    case LWS_CALLBACK_FILTER_PROTOCOL_CONNECTION:
        return names_this_place(wsi) && comes_from_here(wsi) ? 0 : -1;
    case LWS_CALLBACK_ESTABLISHED:
        *c = (client){.place = -1, .allowance = BURST, .counted = seconds()};
        lws_set_timeout(wsi, PENDING_TIMEOUT_USER_REASON_BASE, TOKEN_WITHIN);
        return 0;
    case LWS_CALLBACK_RECEIVE: return take_message(wsi, c, in, length);
    case LWS_CALLBACK_SERVER_WRITEABLE: return send_line(wsi, c);
    case LWS_CALLBACK_CLOSED:
        if (c->place >= 0) {
            web_of(wsi)->places[c->place] = NULL;
            (void)wpin_box_put(web_of(wsi)->box, WPIN_BOX_GOES, c->place, "");
            c->place = -1;
        }
        return 0;
    default: return 0;
    }
}

/* ---- the thread ---- */

static const struct lws_protocols protocols[] = {
    {"http", on_http, sizeof(sending), 0, 0, NULL, 0},
    {PROTOCOL, on_socket, sizeof(client), 512, 0, NULL, 0},
    {NULL, NULL, 0, 0, 0, NULL, 0}};

/* Whoever answers no ping is gone. */
static const lws_retry_bo_t silent_ones = {.secs_since_valid_ping = 10,
                                           .secs_since_valid_hangup = 20};

static void *serve(void *context) {
    wpin_web *web = context;
    while (!web->ends && lws_service(web->context, 0) >= 0) {
    }
    return NULL;
}

static bool begin_thread(wpin_web *web) {
    sigset_t all, before;
    sigfillset(&all); /* signals are the session's */
    pthread_sigmask(SIG_SETMASK, &all, &before);
    bool begun = pthread_create(&web->thread, NULL, serve, web) == 0;
    pthread_sigmask(SIG_SETMASK, &before, NULL);
    return begun;
}

/* A file of a certificate that is not there is told by name; the rest is the library's to see. */
static bool can_read(const char *what, const char *path, char *why, size_t size) {
    bool can = path == NULL || access(path, R_OK) == 0;
    if (!can) {
        snprintf(why, size, "%s %s can't be read: %s", what, path, strerror(errno));
    }
    return can;
}

/* What other computers reach is encrypted, unless somebody said otherwise by name. */
static bool may_be_reached(const wpin_web *web, const wpin_page_options *how, char *why,
                           size_t size) {
    bool may = web->where.here || web->encrypted || how->unencrypted;
    if (!may) {
        snprintf(why, size,
                 "other computers reach %s, and could read along and drive: give "
                 "--page-certificate and --page-key, or say --page-unencrypted",
                 web->where.address);
    }
    return may;
}

static bool listen_there(wpin_web *web, const wpin_page_options *how) {
    struct lws_context_creation_info info = {.port = how->port,
                                             .iface = web->where.address,
                                             .protocols = protocols,
                                             .user = web,
                                             .retry_and_idle_policy = &silent_ones,
                                             .options = LWS_SERVER_OPTION_FAIL_UPON_UNABLE_TO_BIND};
    if (web->encrypted) {
        info.options |= LWS_SERVER_OPTION_DO_SSL_GLOBAL_INIT;
        info.alpn = "http/1.1"; /* WebSocket, and Host, are as they are without TLS */
        info.ssl_cert_filepath = how->certificate;
        info.ssl_private_key_filepath = how->key;
    }
    info.gid = info.uid = -1;
    web->context = lws_create_context(&info);
    struct lws_vhost *host =
        web->context == NULL ? NULL : lws_get_vhost_by_name(web->context, "default");
    web->port = host == NULL ? -1 : lws_get_vhost_listen_port(host);
    return web->port > 0;
}

wpin_web *wpin_web_open(wpin_box *box, const wpin_page_options *how, const char *token, char *why,
                        size_t size) {
    wpin_web *web = calloc(1, sizeof *web);
    if (web == NULL) {
        snprintf(why, size, "out of memory");
        return NULL;
    }
    web->box = box;
    web->token = token;
    web->encrypted = how->certificate != NULL;
    lws_set_log_level(0, NULL); /* nothing of it is logged, the token least of all */
    if (wpin_where_find(&web->where, how->address, why, size) &&
        may_be_reached(web, how, why, size) &&
        can_read("the certificate", how->certificate, why, size) &&
        can_read("its key", how->key, why, size)) {
        if (listen_there(web, how) && begin_thread(web)) {
            return web;
        }
        snprintf(why, size, "port %d of %s can't be had: another program may listen there%s",
                 how->port, web->where.address,
                 web->encrypted ? ", or certificate and key are not PEM files that belong together"
                                : "");
        lws_context_destroy(web->context);
    }
    free(web);
    return NULL;
}

bool wpin_web_is_here(const wpin_web *web) {
    return web->where.here;
}

void wpin_web_link(const wpin_web *web, char *to, size_t size) {
    snprintf(to, size, "%s://%s:%d/#%s", web->encrypted ? "https" : "http", web->where.shown,
             web->port, web->token);
}

void wpin_web_wake(wpin_web *web) {
    lws_cancel_service(web->context);
}

void wpin_web_close(wpin_web *web) {
    web->ends = true;
    lws_cancel_service(web->context);
    pthread_join(web->thread, NULL);
    lws_context_destroy(web->context);
    free(web);
}
