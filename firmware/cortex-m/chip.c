/* A Cortex-M, from its reset on: the core's own timer ticks (SysTick, at CHIP_MHZ), and an emulator
 * or debugger takes what it says (semihosting). */
#include "../reported.h"

#define SYST_CSR (*(volatile uint32_t *)0xE000E010) /* control */
#define SYST_RVR (*(volatile uint32_t *)0xE000E014) /* where it begins to count down */
#define SYST_CVR (*(volatile uint32_t *)0xE000E018) /* where it is */
#define ICSR     (*(volatile uint32_t *)0xE000ED04)

enum { PENDING = 1 << 26 };

extern uint32_t stack_top, data_from, data_begin, data_end, bss_begin, bss_end;
int main(void);

static void reset(void) {
    for (uint32_t *to = &data_begin, *from = &data_from; to < &data_end;) {
        *to++ = *from++;
    }
    for (uint32_t *to = &bss_begin; to < &bss_end;) {
        *to++ = 0;
    }
    (void)main();
}

extern const void *const vectors[16];
__attribute__((section(".vectors"), used)) const void *const vectors[16] = {
    [0] = &stack_top, [1] = (const void *)reset, [15] = (const void *)chip_period_over};

static uintptr_t semihost(uint32_t operation, const void *argument) {
    register uintptr_t r0 __asm__("r0") = operation;
    register const void *r1 __asm__("r1") = argument;
    __asm__ volatile("bkpt 0xAB" : "+r"(r0) : "r"(r1) : "memory");
    return r0;
}

bool chip_open(uint16_t fast_us) {
    chip_period_us = fast_us > 0 ? fast_us : chip_period_us;
    SYST_RVR = chip_period_us * CHIP_MHZ - 1;
    SYST_CVR = 0;
    SYST_CSR = 7;
    return true;
}

void chip_doze(void) {
    __asm__ volatile("wfi\n" ::: "memory");
}

/* A tick that is due but not counted yet counts too. It is due from 0 on, before the timer begins
 * anew. */
wpin_moment chip_now(void *context) {
    uint8_t state = chip_lock(context);
    uint32_t left = SYST_CVR, us = chip_ticked_us;
    if ((ICSR & PENDING) != 0) {
        left = SYST_CVR;
        us += chip_period_us;
    }
    chip_unlock(context, state);
    return us + (left == 0 ? 0 : chip_period_us * CHIP_MHZ - left) / CHIP_MHZ;
}

uint8_t chip_lock(void *context) {
    uint32_t state;
    (void)context;
    __asm__ volatile("mrs %0, primask\n cpsid i\n" : "=r"(state)::"memory");
    return (uint8_t)state;
}

void chip_unlock(void *context, uint8_t state) {
    (void)context;
    __asm__ volatile("msr primask, %0\n" ::"r"((uint32_t)state) : "memory");
}

void chip_tell(const char *text) {
    (void)semihost(0x04, text);
}

void chip_off(void) {
    (void)semihost(0x18, (const void *)0x20026); /* the program ends, all well */
    for (;;) {
    }
}
