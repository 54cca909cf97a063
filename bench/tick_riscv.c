/* For qemu: instructions of a tick on a 32-bit RISC-V by its own counter, told by semihosting. */
#include <stddef.h>
#include <stdint.h>

/* All that the compiler may ask for where there is no C library. */
__attribute__((used)) void *memcpy(void *to, const void *from, size_t size) {
    char *at = to;
    for (const char *byte = from; size > 0; size--) {
        *at++ = *byte++;
    }
    return to;
}

__attribute__((used)) void *memset(void *to, int value, size_t size) {
    for (char *at = to; size > 0; size--) {
        *at++ = (char)value;
    }
    return to;
}

__attribute__((naked, section(".start"))) void _start(void) {
    __asm__ volatile("la sp, stack_top\n la t0, bss_start\n la t1, bss_end\n"
                     "1: bgeu t0, t1, 2f\n sw zero, 0(t0)\n addi t0, t0, 4\n j 1b\n"
                     "2: j start\n");
}

static void semihost(int operation, const void *argument) {
    register int a0 __asm__("a0") = operation;
    register const void *a1 __asm__("a1") = argument;
    __asm__ volatile(".option push\n .option norvc\n .balign 16\n slli x0, x0, 0x1f\n ebreak\n"
                     "srai x0, x0, 7\n .option pop"
                     : "+r"(a0)
                     : "r"(a1)
                     : "memory");
}

static uint32_t counter(void) {
    uint32_t value;
    __asm__ volatile("csrr %0, minstret" : "=r"(value)::"memory");
    return value;
}

static uint32_t since(uint32_t before) {
    return counter() - before;
}

static uint32_t instructions(uint32_t counts) {
    return counts;
}

#include "report.h"

__attribute__((used)) void start(void) {
    report();
    struct {
        uint32_t reason, code;
    } end = {0x20026, 0}; /* the program ends, all well */
    semihost(0x20, &end);
    for (;;) {
    }
}
