/* The port itself: encoders, counters and converters, the rules of port.h. */
#define _GNU_SOURCE
#include "pins.h"
#include "shelf.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/bind_linux.h>
#include <windpin/porttest.h>

/* Edges of an encoder, counted in software by the kernel's time stamps, both ways. */
START_TEST(edges_are_counted) {
    char why[300];
    const wpin_linux_encoder encoder = {.counter = 0, .channels = {{"hands", "2"}, {"hands", "3"}}};
    const wpin_linux_config config = {.encoders = &encoder, .encoder_count = 1};
    wpin_count counts;
    kernel_pull(2, false);
    kernel_pull(3, false);
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    wpin_bench bench = wpin_linux_bench(l);
    ck_assert_int_eq(bench.port.count(l, 0, &counts), WPIN_OK);
    int32_t begin = counts.counts;
    for (int turn = 0; turn < 100; turn++) { /* forward, then half of it back */
        bool back = turn >= 66;
        for (int step = 0; step < 4; step++) {
            kernel_pull(back ? (step % 2 == 0 ? 3U : 2U) : (step % 2 == 0 ? 2U : 3U), step < 2);
            kernel_sleep(0.02); /* its interrupts come with the ticks of the kernel */
        }
    }
    ck_assert_int_eq(bench.port.count(l, 0, &counts), WPIN_OK);
    ck_assert_int_eq(abs(counts.counts - begin), (66 - 34) * 4);
    ck_assert_int_eq(bench.port.count(l, 1, &counts), WPIN_FAULT_PORT);
    wpin_linux_close(l);
}
END_TEST

/* Counts by the kernel, and its converters: the dummy one says 34 where nothing scales it. */
START_TEST(counters_and_converters_are_read) {
    char why[300];
    const wpin_linux_encoder encoder = {.counter = 0, .count = "counter0/count0"};
    const wpin_linux_analog analogs[] = {{.input = 0, .channel = "iio:device0/accel_x"},
                                         {.input = 1, .channel = "iio:device0/voltage0"}};
    wpin_linux_config config = {.encoders = &encoder,
                                .encoder_count = 1,
                                .analogs = analogs,
                                .analog_count = COUNT(analogs)};
    static const struct {
        const char *says;
        int32_t counts;
    } rows[] = {{"0", 0}, {"12345", 12345}, {"4294967290", -6}, {"18446744073709551000", -616}};
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    wpin_bench bench = wpin_linux_bench(l);
    for (size_t i = 0; i < COUNT(rows); i++) {
        char command[120];
        wpin_count counts;
        snprintf(command, sizeof command, "echo %s > /sys/kernel/debug/windpin_bench/count",
                 rows[i].says);
        ck_assert_int_eq(system(command), 0);
        ck_assert_int_eq(bench.port.count(l, 0, &counts), WPIN_OK);
        ck_assert_int_eq(counts.counts, rows[i].counts);
    }
    ck_assert_int_eq(bench.port.millivolts(l, 0), 34);
    ck_assert_int_eq(bench.port.millivolts(l, 1), 0);
    ck_assert_int_eq(bench.port.millivolts(l, 2), WPIN_NO_READING);
    wpin_linux_close(l);
    config.analogs = &(const wpin_linux_analog){.input = 0, .channel = "iio:device9/voltage0"};
    config.analog_count = 1;
    ck_assert(wpin_linux_open(&config, why, sizeof why) == NULL);
    ck_assert_msg(strstr(why, "iio:device9") != NULL, "%s", why);
}
END_TEST

/* What a pin shows, as the chip saw it last. */
static bool shows(void *context, wpin_pin pin) {
    size_t count = kernel_log(entries, COUNT(entries));
    bool level = false;
    (void)context;
    for (size_t i = 0; i < count; i++) {
        const kernel_entry *e = &entries[i];
        if (pin == 9 && e->kind == KERNEL_PWM) {
            double phase = fmod(kernel_now() - e->seconds, e->period > 0 ? e->period : 1);
            level = e->duty > 0 && phase < e->duty * e->period;
        } else if (pin != 9 && e->kind == KERNEL_OUT && e->number == pin) {
            level = e->level;
        }
    }
    return level;
}

static void tell(void *context, const char *rule, wpin_porttest_result result) {
    unsigned *left_out = context;
    *left_out += result == WPIN_PORTTEST_LEFT_OUT;
    ck_assert_msg(result != WPIN_PORTTEST_BROKEN, "%s", rule);
}

START_TEST(the_port_keeps_its_rules) {
    char why[300];
    unsigned left_out = 0;
    const wpin_linux_pin pins[] = {{.pin = 2, .line = {"windpin-bench", "2"}},
                                   {.pin = 3, .line = {"windpin-bench", "3"}},
                                   {.pin = 9, .pwm = "pwmchip0/1"}};
    const wpin_linux_config config = {.pins = pins, .pin_count = COUNT(pins)};
    wpin_linux *l = wpin_linux_open(&config, why, sizeof why);
    ck_assert_msg(l != NULL, "%s", why);
    kernel_forget();
    wpin_bench bench = wpin_linux_bench(l);
    const wpin_porttest test = {.port = &bench.port,
                                .pins = {2, 3},
                                .pwm_pin = 9,
                                .has_pwm = false,
                                .shows = shows,
                                .report = tell,
                                .context = &left_out};
    ck_assert_uint_eq(wpin_porttest_run(&test), 0);
    wpin_linux_close(l);
}
END_TEST

void add_port_tests(TCase *tests) {
    tcase_add_test(tests, edges_are_counted);
    tcase_add_test(tests, counters_and_converters_are_read);
    tcase_add_test(tests, the_port_keeps_its_rules);
}
