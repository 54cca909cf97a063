/* For qemu with -icount: instructions of a tick on a Cortex-M0 or M4 by its SysTick timer, told by
 * semihosting. One instruction is 1 ns of virtual time there. */
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

/* SysTick counts of a loop of known length: two instructions a round. */
static uint32_t counts_of_loop(uint32_t rounds) {
    uint32_t before = SYST_CVR;
    __asm__ volatile(".syntax unified\n1: subs %0, #1\n bne 1b\n" : "+l"(rounds)::"cc");
    return (before - SYST_CVR) & 0xFFFFFF;
}

static uint32_t per_million;

static uint32_t counter(void) {
    return SYST_CVR;
}

static uint32_t since(uint32_t before) {
    return (before - SYST_CVR) & 0xFFFFFF;
}

static uint32_t instructions(uint32_t counts) {
    return (uint32_t)((uint64_t)counts * 1000000 / per_million);
}

#include "report.h"

void start(void) {
    SYST_RVR = 0xFFFFFF;
    SYST_CVR = 0;
    SYST_CSR = 5;
    counts_of_loop(1000);                 /* the first reload */
    per_million = counts_of_loop(500000); /* 1,000,000 instructions */
    report();
    semihost(0x18, (const void *)0x20026); /* the program ends, all well */
    for (;;) {
    }
}
