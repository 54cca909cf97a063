/* Anything at all said to a session in lines. A byte of 1 to 8 between them lets time pass. */
#include "input.h"
#include <string.h>

static bool say(void *context, const char *line, size_t length) {
    unsigned *said = context;
    fuzz_check_line(line, length);
    return ++*said % 7 != 0; /* now and then there is no room */
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    fuzz_stand s;
    wpin_talk one, two;
    unsigned said = 0;
    if (size == 0) {
        return 0;
    }
    bool opened = fuzz_open(&s, data[0]);
    bool talks = opened && wpin_talk_open(&one, s.live, &s.pace, &s.states, "one", say, &said) &&
                 wpin_talk_open(&two, s.live, &s.pace, &s.states, "two", say, &said);
    for (size_t i = 1; talks && i < size; i++) {
        if (data[i] >= 1 && data[i] <= 8) {
            fuzz_pass(&s, 1e-3 * (double)(1U << data[i]));
            wpin_talk_tell(&one);
        } else {
            wpin_talk_hear(i % 97 == 0 ? &two : &one, (const char *)&data[i], 1);
        }
    }
    if (talks) {
        wpin_talk_close(&one);
        wpin_talk_close(&two);
    }
    fuzz_close(&s);
    return 0;
}
