/* The same on an emulated controller of 32 bits, told to its emulator. */
#include "../../firmware/reported.h"
#include "same.h"

void chip_fast(void) {}

void chip_changed(void) {}

static char *put(char *at, const char *text) {
    while (*text != '\0') {
        *at++ = *text++;
    }
    return at;
}

static void tell(uint8_t subject, uint32_t sum) {
    static const char digits[] = "0123456789ABCDEF";
    char line[24], *at = put(line, "sum ");
    if (subject >= 10) {
        *at++ = digits[subject / 10];
    }
    *at++ = digits[subject % 10];
    *at++ = ' ';
    for (uint8_t shift = 32; shift > 0; shift = (uint8_t)(shift - 4)) {
        *at++ = digits[(sum >> (shift - 4)) & 15U];
    }
    *put(at, "\n") = '\0';
    chip_tell(line);
}

int main(void) {
    for (uint8_t subject = SAME_FIRST; subject <= SAME_LAST; subject++) {
        tell(subject, same_sum(subject, SAME_ROUNDS));
    }
    chip_off();
}
