/* Whether the port of this chip keeps the rules of port.h. Connect nothing to the pins below; the
 * watchdog is kicked by the port under test only where that is asked of it. */
#include "chip.h"
#include <windpin/porttest.h>

#ifndef PWM_PIN /* a pin with a timer, where what it shows can be read back */
#define PWM_PIN 0
#endif

void chip_changed(void) {}

void chip_fast(void) {}

static void report(void *context, const char *rule, wpin_porttest_result result) {
    static const char *const words[] = {"kept      ", "BROKEN    ", "left out  "};
    (void)context;
    chip_tell(words[result]);
    chip_tell(rule);
    chip_tell("\n");
}

static const WPIN_FLASH wpin_line lines[] = {{.pin = 2}, {.pin = 3}};
static const WPIN_FLASH wpin_stage_config two = {.table = &wpin_porttest_table, .lines = lines};

int main(void) {
    static const wpin_porttest test = {.port = &chip_port,
                                       .pins = {2, 3},
                                       .stage = &two,
                                       .has_pwm = PWM_PIN != 0,
                                       .pwm_pin = PWM_PIN,
                                       .pwm_hz = 1000,
                                       .report = report};
    (void)chip_open(0);
    chip_end(wpin_porttest_run(&test) == 0 ? "done" : "PORT");
}
