/* A 32-bit RISC-V, from its reset on: the machine timer ticks (10 MHz), and an emulator or debugger
 * takes what it says (semihosting). */
#include "../reported.h"

#define MTIMECMP ((volatile uint32_t *)0x02004000)
#define MTIME    ((volatile uint32_t *)0x0200BFF8)

enum { MHZ = 10, TIMER = 1 << 7, ENABLED = 8 };
static volatile uint32_t ticked_at; /* chip_ticked_us in counts of the timer, its lower half */

int main(void);

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

__attribute__((naked, section(".start"), used)) void _start(void) {
    __asm__ volatile("la sp, stack_top\n la t0, bss_begin\n la t1, bss_end\n"
                     "1: bgeu t0, t1, 2f\n sw zero, 0(t0)\n addi t0, t0, 4\n j 1b\n"
                     "2: j start\n");
}

__attribute__((used)) void start(void) {
    (void)main();
}

/* The upper half first becomes so late that no moment in between is one. */
static void next_tick(uint32_t at, bool wrapped) {
    uint32_t upper = MTIMECMP[1] + (wrapped ? 1U : 0U);
    MTIMECMP[1] = 0xFFFFFFFFU;
    MTIMECMP[0] = at;
    MTIMECMP[1] = upper;
}

__attribute__((interrupt, aligned(4))) static void tick(void) {
    uint32_t at = ticked_at + chip_period_us * MHZ, next = at + chip_period_us * MHZ;
    ticked_at = at;
    next_tick(next, next < at);
    chip_period_over();
}

bool chip_open(uint16_t fast_us) {
    chip_period_us = fast_us > 0 ? fast_us : chip_period_us;
    MTIME[0] = 0; /* no wrap between the two writes: it stands near 0 after a reset */
    MTIME[1] = 0;
    MTIMECMP[1] = 0;
    MTIMECMP[0] = chip_period_us * MHZ;
    __asm__ volatile("csrw mtvec, %0\n csrs mie, %1\n csrsi mstatus, 8\n" ::"r"(tick), "r"(TIMER));
    return true;
}

void chip_doze(void) {
    __asm__ volatile("wfi\n" ::: "memory");
}

/* A tick that is due but not counted yet counts too: the timer itself says how late it is. */
wpin_moment chip_now(void *context) {
    uint8_t state = chip_lock(context);
    uint32_t us = chip_ticked_us + (MTIME[0] - ticked_at) / MHZ;
    chip_unlock(context, state);
    return us;
}

uint8_t chip_lock(void *context) {
    uint32_t state;
    (void)context;
    __asm__ volatile("csrrci %0, mstatus, 8\n" : "=r"(state)::"memory");
    return (uint8_t)(state & ENABLED);
}

void chip_unlock(void *context, uint8_t state) {
    (void)context;
    __asm__ volatile("csrs mstatus, %0\n" ::"r"((uint32_t)state) : "memory");
}

/* The three instructions are to lie in one page: a function of their own is aligned for that. */
__attribute__((naked, noinline, aligned(16))) static void
semihost(int operation __attribute__((unused)), const void *argument __attribute__((unused))) {
    __asm__ volatile(".option push\n .option norvc\n slli x0, x0, 0x1f\n ebreak\n"
                     "srai x0, x0, 7\n .option pop\n ret\n");
}

void chip_tell(const char *text) {
    semihost(0x04, text);
}

void chip_off(void) {
    static const uint32_t end[] = {0x20026, 0}; /* the program ends, all well */
    semihost(0x20, end);
    for (;;) {
    }
}
