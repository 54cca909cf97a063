/* Sizing before soldering: may a pin drive the lid's relay coil itself, and if not, which base
 * resistor does its transistor need? The same sheets as windpin size, called from a program. */
#include <stdio.h>
#include <string.h>
#include <windpin/host/sheet.h>

/* Works a sheet out with one quantity given; what else it takes keeps its default. */
static wpin_answer work_out(const char *name, const char *key, const char *text) {
    const wpin_sheet *sheet = wpin_sheet_find(name);
    double values[WPIN_SHEET_INPUTS];
    char why[200] = "";
    wpin_sheet_defaults(sheet, values);
    int input = wpin_sheet_input_find(sheet, key);
    if (!wpin_quantity_read(text, sheet->inputs[input].dimension, &values[input], why,
                            sizeof why)) {
        printf("%s\n", why);
    }
    wpin_answer answer;
    wpin_sheet_work_out(sheet, values, &answer);
    return answer;
}

int main(void) {
    const char *coil = "70mA";
    wpin_answer pin = work_out("pin", "load", coil);
    printf("pin: %s, %s\n", wpin_severity_word(pin.severity), pin.verdict);
    wpin_answer base = work_out("base-resistor", "load", coil);
    char ohms[40];
    printf("base resistor: %s, %s\n",
           wpin_quantity_write(ohms, sizeof ohms, base.chosen, WPIN_RESISTANCE), base.verdict);
    printf("next: %s\nDone.\n", base.next);
    return base.severity == WPIN_REFUSE;
}
