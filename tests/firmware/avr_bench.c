/* An emulated ATmega328P at 16 MHz with its program, and what its pins show: a line for each
 * change, with the cycle. What is connected to it changes by a script, a line each: CYCLE WHAT
 * NUMBER VALUE. usage: avr_bench PROGRAM.elf SECONDS < SCRIPT */
#include <avr_adc.h>
#include <avr_ioport.h>
#include <avr_uart.h>
#include <sim_avr.h>
#include <sim_elf.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Its registers, as addresses of data memory. */
enum {
    PORTS = 3, /* B, C, D, three addresses each: readings, directions, levels */
    PINB = 0x23,
    TCCR1A = 0x80,
    TCNT1 = 0x84,
    ICR1 = 0x86,
    OCR1A = 0x88,
    OCR1B = 0x8A
};

typedef struct line {
    unsigned long long cycle;
    char what[8];
    unsigned number, value;
    int there;
} line;

static avr_t *avr;
static unsigned shown[20]; /* of each pin */
static uint16_t replaced;  /* the instruction in whose place it hangs */
static avr_flashaddr_t hangs_at;
static int hangs;
static avr_io_read_t plain_read; /* of the pins of port B */

static unsigned first_pin(int port) {
    static const unsigned first[PORTS] = {8, 14, 0};
    return first[port];
}

static unsigned word_at(unsigned address) {
    return avr->data[address] | (unsigned)avr->data[address + 1] << 8;
}

/* Whether a channel is low first in its period, and high then. */
static int turned_over(unsigned channel) {
    return (avr->data[TCCR1A] & channel >> 1) != 0;
}

/* What a pin shows: 0 low, 1 high, 2 floating, or PWM as 65536 * steps of the period + high ones.
 */
static unsigned shows(unsigned pin, unsigned bit, int port) {
    unsigned at = PINB + 3U * (unsigned)port, channel = pin == 9 ? 0x80 : pin == 10 ? 0x20 : 0;
    if ((avr->data[at + 1] & bit) == 0) {
        return 2;
    }
    if ((avr->data[TCCR1A] & channel) != 0) {
        unsigned steps = word_at(ICR1) + 1, on = word_at(pin == 9 ? OCR1A : OCR1B) + 1;
        return 65536U * steps + (turned_over(channel) ? steps - on : on);
    }
    return (avr->data[at + 2] & bit) != 0;
}

/* Whether a register that decides what pins show is another than at the last look: after each
 * instruction, so in one go. */
static int has_changed(void) {
    static uint64_t pins_before, timer_before;
    static uint8_t mode_before;
    uint64_t pins, timer;
    memcpy(&pins, avr->data + PINB + 1, sizeof pins); /* DDRB to PORTD */
    memcpy(&timer, avr->data + TCNT1, sizeof timer);  /* and up to OCR1B */
    timer &= ~0xFFFFULL;                              /* but for where the timer is */
    int changed = pins != pins_before || timer != timer_before || avr->data[TCCR1A] != mode_before;
    pins_before = pins;
    timer_before = timer;
    mode_before = avr->data[TCCR1A];
    return changed;
}

static void look(void) {
    if (!has_changed()) {
        return;
    }
    for (int port = 0; port < PORTS; port++) {
        for (unsigned n = 0; n < (port == 1 ? 6U : port == 0 ? 6U : 8U); n++) {
            unsigned pin = first_pin(port) + n, now = shows(pin, 1U << n, port);
            if (now != shown[pin]) {
                shown[pin] = now;
                if (now < 3) {
                    printf("%llu level %u %u\n", (unsigned long long)avr->cycle, pin, now);
                } else {
                    printf("%llu pwm %u %u %u\n", (unsigned long long)avr->cycle, pin, now & 0xFFFF,
                           now >> 16);
                }
            }
        }
    }
}

/* What a reading of a pin says: the emulator knows levels only, here its PWM shows as well. */
static uint8_t read_b(avr_t *a, avr_io_addr_t address, void *context) {
    uint8_t levels = plain_read(a, address, context);
    (void)a->io[TCNT1 - 32].r.c(a, TCNT1, a->io[TCNT1 - 32].r.param);
    for (unsigned n = 1; n <= 2; n++) {
        unsigned compare = word_at(n == 1 ? OCR1A : OCR1B), channel = n == 1 ? 0x80 : 0x20;
        if ((a->data[TCCR1A] & channel) != 0 && (a->data[address + 1] >> n & 1) != 0) {
            int high = (word_at(TCNT1) <= compare) != turned_over(channel);
            levels = (uint8_t)(levels & ~(1U << n));
            levels = (uint8_t)(levels | (high ? 1U << n : 0));
        }
    }
    return levels;
}

static void told(struct avr_irq_t *irq, uint32_t value, void *context) {
    (void)irq, (void)context;
    printf("%llu byte %u 0\n", (unsigned long long)avr->cycle, value);
}

static void no_sleep(avr_t *a, avr_cycle_count_t cycles) {
    (void)a, (void)cycles;
}

static void next_line(line *to) {
    to->there = scanf("%llu %7s %u %u", &to->cycle, to->what, &to->number, &to->value) == 4;
}

/* The program counter stays where it is: what else is on the chip goes on, interrupts too. */
static void hang(void) {
    hangs = 1;
    hangs_at = avr->pc;
    memcpy(&replaced, avr->flash + hangs_at, 2);
    memcpy(avr->flash + hangs_at, "\xFF\xCF", 2);
}

/* What is connected to a pin is stronger than its pull-up. */
static void drive(unsigned pin, unsigned level) {
    static avr_ioport_external_t external[PORTS] = {{.name = 'B'}, {.name = 'C'}, {.name = 'D'}};
    int port = pin < 8 ? 2 : pin < 14 ? 0 : 1;
    unsigned n = pin - first_pin(port);
    avr_ioport_external_t *e = &external[port];
    e->mask |= 1U << n;
    e->value = (e->value & ~(1U << n)) | level << n;
    avr_ioctl(avr, AVR_IOCTL_IOPORT_SET_EXTERNAL(e->name), e);
    avr_raise_irq(avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ(e->name), (int)n), level);
}

static void do_line(const line *l) {
    if (strcmp(l->what, "mv") == 0) {
        avr_raise_irq(avr_io_getirq(avr, AVR_IOCTL_ADC_GETIRQ, (int)l->number), l->value);
    } else if (strcmp(l->what, "pin") == 0) {
        drive(l->number, l->value);
    } else if (strcmp(l->what, "hang") == 0) {
        hang();
    }
}

/* After a reset the program is whole again. */
static void look_for_reset(void) {
    if (hangs && avr->pc == 0) {
        memcpy(avr->flash + hangs_at, &replaced, 2);
        hangs = 0;
        printf("%llu reset 0 0\n", (unsigned long long)avr->cycle);
    }
}

static int load(const char *path) {
    static elf_firmware_t firmware;
    avr = avr_make_mcu_by_name("atmega328p");
    if (avr == NULL || elf_read_firmware(path, &firmware) != 0) {
        return 0;
    }
    avr_init(avr);
    firmware.frequency = 16000000;
    avr_load_firmware(avr, &firmware);
    avr->frequency = 16000000;
    avr->vcc = avr->avcc = avr->aref = 5000;
    avr->sleep = no_sleep;
    avr->run_cycle_limit = 1;
    avr->log = 0;
    plain_read = avr->io[PINB - 32].r.c;
    avr->io[PINB - 32].r.c = read_b;
    uint32_t flags = 0; /* its serial port prints nothing by itself */
    avr_ioctl(avr, AVR_IOCTL_UART_SET_FLAGS('0'), &flags);
    avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_OUTPUT), told,
                            NULL);
    return 1;
}

int main(int argc, char **argv) {
    if (argc != 3 || !load(argv[1])) {
        fprintf(stderr, "usage: avr_bench PROGRAM.elf SECONDS < SCRIPT\n");
        return 2;
    }
    unsigned long long end = (unsigned long long)(atof(argv[2]) * 16e6);
    line next;
    for (int i = 0; i < 20; i++) {
        shown[i] = 2;
    }
    next_line(&next);
    int state = cpu_Running;
    while (state != cpu_Done && state != cpu_Crashed && avr->cycle < end) {
        while (next.there && avr->cycle >= next.cycle) {
            do_line(&next);
            next_line(&next);
        }
        avr->run_cycle_limit = state == cpu_Sleeping ? 200 : 1; /* asleep it changes nothing */
        state = avr_run(avr);
        look_for_reset();
        look();
    }
    printf("%llu end %d 0\n", (unsigned long long)avr->cycle, state == cpu_Done);
    return state == cpu_Crashed ? 1 : 0;
}
