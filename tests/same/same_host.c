/* Prints the checksums of the machine it is compiled on. */
#include "same.h"
#include <inttypes.h>
#include <stdio.h>

int main(void) {
    for (uint8_t subject = SAME_FIRST; subject <= SAME_LAST; subject++) {
        printf("sum %u %08" PRIX32 "\n", subject, same_sum(subject, SAME_ROUNDS));
    }
    return 0;
}
