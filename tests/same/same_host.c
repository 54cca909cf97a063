/* Prints the checksums of the machine it is compiled on. */
#include "same.h"
#include <inttypes.h>
#include <stdio.h>

int main(void) {
    for (uint8_t subject = 0; subject < SAME_SUBJECTS; subject++) {
        printf("sum %u %08" PRIX32 "\n", subject, same_sum(subject, SAME_ROUNDS));
    }
    return 0;
}
