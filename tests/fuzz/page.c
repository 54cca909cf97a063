/* Pages that come, ask anything at all and go, in any order: what web.c puts into the box is the
 * input. */
#include "../../src/server/page.h"
#include "../../src/server/web.h"
#include "input.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* ---- in place of web.c ---- */

static wpin_box *box;

wpin_web *wpin_web_open(wpin_box *of, const wpin_page_options *how, const char *token, char *why,
                        size_t size) {
    static char here;
    (void)how, (void)token, (void)why, (void)size;
    box = of;
    return (wpin_web *)(void *)&here;
}

void wpin_web_link(const wpin_web *web, char *to, size_t size) {
    (void)web;
    snprintf(to, size, "link");
}

bool wpin_web_is_here(const wpin_web *web) {
    (void)web;
    return true;
}

void wpin_web_wake(wpin_web *web) {
    wpin_box_line line;
    (void)web;
    for (int client = 0; client < WPIN_PAGE_CLIENTS; client += 2) { /* each other one never reads */
        while (wpin_box_next(box, client, &line)) {
            fuzz_check_line(line.text, line.length);
            free(line.text);
        }
    }
}

void wpin_web_close(wpin_web *web) {
    (void)web;
}

/* ---- what comes ---- */

static void ask(fuzz_numbers *n, int client) {
    char line[WPIN_LIVE_LINE + 2];
    size_t length = fuzz_number(n, 1) % (sizeof line - 1), i = 0;
    for (; i < length && n->left > 0; i++) {
        line[i] = (char)fuzz_number(n, 1);
    }
    line[i] = '\0';
    (void)wpin_box_put(box, WPIN_BOX_ASKS, client, line);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    fuzz_numbers n = {data, size};
    fuzz_stand s;
    char why[200];
    const wpin_page_options how = {.address = NULL};
    bool opened = fuzz_open(&s, fuzz_number(&n, 1));
    wpin_page *page =
        opened ? wpin_page_open(s.live, &s.pace, &s.states, &how, why, sizeof why) : NULL;
    while (page != NULL && n.left > 0) {
        uint32_t what = fuzz_number(&n, 1), client = fuzz_number(&n, 1) % WPIN_PAGE_CLIENTS;
        switch (what & 3) {
        case 0: (void)wpin_box_put(box, WPIN_BOX_COMES, (int)client, ""); break;
        case 1: (void)wpin_box_put(box, WPIN_BOX_GOES, (int)client, ""); break;
        default: ask(&n, (int)client); break;
        }
        if ((what & 4) != 0) {
            wpin_page_serve(page);
            fuzz_pass(&s, 1e-3 * (double)(1U << (what >> 5)));
        }
    }
    wpin_page_close(page);
    fuzz_close(&s);
    return 0;
}
