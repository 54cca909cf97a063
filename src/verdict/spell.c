/* The longest time without a break in which something was so. */
#include "verdict.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>

void wpin_spell_put(wpin_spell *s, bool is, double now, double seconds, double size) {
    if (!is) {
        s->going = s->peak = 0;
        return;
    }
    s->going += seconds;
    s->total += seconds;
    s->peak = fmax(s->peak, size);
    if (s->going >= s->lasted) {
        s->worst = s->peak;
        s->since = fmax(now - s->going, 0);
        s->lasted = s->going;
    }
}

/* "from 1.20 s on", or how long. */
const char *wpin_spell_when(const wpin_spell *s, char *text, size_t size) {
    if (s->going > 0) {
        wpin_plain(text, size, "from %.2f s on", s->since);
    } else {
        wpin_plain(text, size, "from %.2f s for %.2f s", s->since, s->lasted);
    }
    return text;
}
