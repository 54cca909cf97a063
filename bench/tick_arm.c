/* For qemu with -icount: instructions of a tick on a Cortex-M0 by its SysTick timer, told by
 * semihosting. One instruction is 1 ns of virtual time there. */
#include "tick.h"
#include <stdint.h>
#include <stdio.h>

#define SYST_CSR (*(volatile uint32_t *)0xE000E010)
#define SYST_RVR (*(volatile uint32_t *)0xE000E014)
#define SYST_CVR (*(volatile uint32_t *)0xE000E018)

extern uint32_t stack_top;
void start(void);
__attribute__((section(".vectors"), used)) static void *const vectors[] = {&stack_top,
                                                                           (void *)start};

static void semihost(uint32_t operation, const void *argument) {
    register uint32_t r0 __asm__("r0") = operation;
    register const void *r1 __asm__("r1") = argument;
    __asm__ volatile("bkpt 0xAB" : "+r"(r0) : "r"(r1) : "memory");
}

static void say(const char *text) {
    semihost(4, text);
}

static void say_number(uint32_t number) {
    char digits[12], *at = digits + sizeof digits;
    *--at = '\0';
    do {
        *--at = (char)('0' + number % 10);
        number /= 10;
    } while (number != 0);
    say(at);
}

static uint32_t count_of(uint32_t ticks) {
    uint32_t before = SYST_CVR;
    for (uint32_t i = 0; i < ticks; i++) {
        bench_tick();
    }
    return (before - SYST_CVR) & 0xFFFFFF;
}

/* SysTick counts of a loop of known length: two instructions a round. */
static uint32_t counts_of_loop(uint32_t rounds) {
    uint32_t before = SYST_CVR;
    __asm__ volatile("1: sub %0, #1\n bne 1b\n" : "+l"(rounds)::"cc");
    return (before - SYST_CVR) & 0xFFFFFF;
}

void start(void) {
    SYST_RVR = 0xFFFFFF;
    SYST_CVR = 0;
    SYST_CSR = 5;
    counts_of_loop(1000);                          /* the first reload */
    uint32_t per_million = counts_of_loop(500000); /* 1,000,000 instructions */
    say("motor ");
    say_number(sizeof(wpin_motor));
    say(", its configuration ");
    say_number(sizeof(wpin_motor_config) + sizeof(wpin_stage_config) + 3 * sizeof(wpin_line));
    say(", sequence ");
    say_number(sizeof(wpin_sequence));
    say(" and ");
    say_number(sizeof(wpin_track));
    say(" a track, step ");
    say_number(sizeof(wpin_step));
    say("\n");
    for (int what = 0; what < BENCH_CASES; what++) {
        bench_prepare((bench_case)what);
        uint32_t counts = count_of(2000);
        say(bench_name((bench_case)what));
        say(": ");
        say_number((uint32_t)((uint64_t)counts * 1000000 / per_million / 2000));
        say(" instructions in the mean\n");
    }
    semihost(0x18, (const void *)0x20026); /* the program ends, all well */
    for (;;) {
    }
}
