/* The page's session side: who came, what they ask, what they are told. */
#define _GNU_SOURCE
#include "page.h"
#include "web.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/random.h>
#include <unistd.h>

typedef struct guest {
    wpin_page *page;
    int client;
    bool talks;
    wpin_talk talk;
} guest;

struct wpin_page {
    wpin_live *live;
    const wpin_pace *pace;
    wpin_states *states;
    wpin_box box;
    wpin_web *web;
    char token[WPIN_TOKEN_LENGTH + 1], link[256];
    guest guests[WPIN_PAGE_CLIENTS];
    unsigned came; /* how many so far: their names */
};

static bool say(void *context, const char *line, size_t length) {
    guest *g = context;
    return wpin_box_say(&g->page->box, g->client, line, length);
}

static void goes(guest *g) {
    if (g->talks) {
        wpin_talk_close(&g->talk);
        g->talks = false;
    }
}

static void comes(wpin_page *page, guest *g) {
    char name[32];
    goes(g);
    wpin_box_drop(&page->box, g->client); /* of whoever had that place before */
    snprintf(name, sizeof name, "page %u", ++page->came);
    g->talks = wpin_talk_open(&g->talk, page->live, page->pace, page->states, name, say, g);
}

static void carry_out(wpin_page *page, const wpin_box_event *event) {
    guest *g = &page->guests[event->client];
    switch (event->kind) {
    case WPIN_BOX_COMES: comes(page, g); break;
    case WPIN_BOX_GOES: goes(g); break;
    case WPIN_BOX_ASKS:
        if (g->talks) {
            wpin_talk_hear(&g->talk, event->line, strlen(event->line));
            wpin_talk_hear(&g->talk, "\n", 1);
        }
        break;
    }
}

void wpin_page_serve(wpin_page *page) {
    uint64_t woken;
    wpin_box_event event;
    (void)!read(page->box.wake, &woken, sizeof woken);
    for (int i = 0; i < 64 && wpin_box_take(&page->box, &event); i++) {
        carry_out(page, &event);
    }
    bool some = false;
    for (int i = 0; i < WPIN_PAGE_CLIENTS; i++) {
        if (page->guests[i].talks) {
            wpin_talk_tell(&page->guests[i].talk);
            some = some || wpin_box_has_lines(&page->box, i);
        }
    }
    if (some) {
        wpin_web_wake(page->web);
    }
}

static bool make_token(char *to) {
    unsigned char bytes[WPIN_TOKEN_LENGTH / 2];
    if (getrandom(bytes, sizeof bytes, 0) != sizeof bytes) {
        return false;
    }
    for (size_t i = 0; i < sizeof bytes; i++) {
        snprintf(to + 2 * i, 3, "%02x", bytes[i]);
    }
    return true;
}

wpin_page *wpin_page_open(wpin_live *live, const wpin_pace *pace, wpin_states *states,
                          const wpin_page_options *how, char *why, size_t size) {
    wpin_page *page = calloc(1, sizeof *page);
    if (page == NULL || !make_token(page->token) || !wpin_box_open(&page->box)) {
        snprintf(why, size, "out of memory, random numbers or files");
        free(page);
        return NULL;
    }
    page->live = live;
    page->pace = pace;
    page->states = states;
    for (int i = 0; i < WPIN_PAGE_CLIENTS; i++) {
        page->guests[i].page = page;
        page->guests[i].client = i;
    }
    page->web = wpin_web_open(&page->box, how, page->token, why, size);
    if (page->web == NULL) {
        wpin_box_close(&page->box);
        free(page);
        return NULL;
    }
    wpin_web_link(page->web, page->link, sizeof page->link);
    return page;
}

const char *wpin_page_link(const wpin_page *page) {
    return page->link;
}

bool wpin_page_is_here(const wpin_page *page) {
    return wpin_web_is_here(page->web);
}

int wpin_page_file(const wpin_page *page) {
    return page->box.wake;
}

void wpin_page_close(wpin_page *page) {
    if (page != NULL) {
        wpin_web_close(page->web);
        for (int i = 0; i < WPIN_PAGE_CLIENTS; i++) {
            goes(&page->guests[i]);
        }
        wpin_box_close(&page->box);
        free(page);
    }
}
