/* The desk calculator against worked examples done by hand, and what must hold for any input. */
#include "support.h"
#include <math.h>
#include <string.h>
#include <windpin/host/calc.h>
#include <windpin/host/plain.h>
#include <windpin/host/sheet.h>

static void fill(const wpin_sheet *sheet, const char *words, double *values) {
    char text[400], why[300], *saved = NULL;
    snprintf(text, sizeof text, "%s", words);
    wpin_sheet_defaults(sheet, values);
    for (char *w = strtok_r(text, " ", &saved); w != NULL; w = strtok_r(NULL, " ", &saved)) {
        char *equals = strchr(w, '=');
        ck_assert_msg(equals != NULL, "%s", w);
        *equals = '\0';
        int i = wpin_sheet_input_find(sheet, w);
        ck_assert_msg(i >= 0, "%s has no %s", sheet->name, w);
        ck_assert_msg(
            wpin_quantity_read(equals + 1, sheet->inputs[i].dimension, &values[i], why, sizeof why),
            "%s", why);
    }
}

static double line_of(const wpin_answer *a, const char *label) {
    for (unsigned i = 0; i < a->line_count; i++) {
        if (strcmp(a->lines[i].label, label) == 0) {
            return a->lines[i].value;
        }
    }
    ck_abort_msg("no line '%s'", label);
    return 0;
}

/* Each done with pencil and paper; the comment is the working. */
static const struct {
    const char *sheet, *words, *label;
    double value;
    wpin_severity severity;
    const char *verdict;
} examples[] = {
    /* 20 mA of 80 mA */
    {"pin", "load=80mA others=40mA", "this pin", 0.25, WPIN_REFUSE, "a switch is needed"},
    /* each pin fits, together 150 / 170 */
    {"pin", "load=10mA others=160mA", "all pins together", 150.0 / 170, WPIN_REFUSE, "0.88"},
    /* 500 mA / 10 = 50 mA; 5 - 1.25 = 3.75; (3.75 - 0.8) / 50 mA = 59 -> 56 */
    {"base-resistor", "load=500mA", "base resistor", 56, WPIN_REFUSE, "its limit is 20 mA"},
    /* a Darlington: 500 mA / 250 = 2 mA; 4.95 V; (4.95 - 1.4) / 2 mA = 1775 -> 1.5 k */
    {"base-resistor", "load=500mA gain=250 base=1.4V saturation=1V", "base resistor", 1500,
     WPIN_CAUTION, "not at worst (0.97); with 1.2 kohm it is"},
    /* ... in E24 1.6 k */
    {"base-resistor", "load=500mA gain=250 base=1.4V series=24", "base resistor", 1600,
     WPIN_CAUTION, "not at worst"},
    /* 3.3 V through 50 ohm at 60 mA is 0.3 V: nothing left for a base */
    {"base-resistor", "load=600mA pin=3.3V pin-resistance=50ohm", "pin under that load", 0.3,
     WPIN_REFUSE, "can't saturate"},
    /* (12 - 2.1) / 15 mA = 660 -> 680; 9.9 / 680 = 14.56 mA */
    {"led-resistor", "supply=12V forward=2.1V current=15mA", "current with it", 9.9 / 680,
     WPIN_FINE, ""},
    /* 9.9 V x 9.9 V / 680 ohm */
    {"led-resistor", "supply=12V forward=2.1V current=15mA", "heat in it", 9.9 * 9.9 / 680,
     WPIN_FINE, ""},
    /* at 5 V - 4.8 V x 1.1 nothing is left */
    {"led-resistor", "supply=5V forward=4.8V", "headroom", 0.2, WPIN_CAUTION, "only 200 mV"},
    {"regulator", "input=5.3V output=5V current=500mA efficiency=85%", NULL, 0, WPIN_REFUSE,
     "300 mV above its output, it needs 500 mV"},
    {"regulator", "input=5V output=12V current=100mA efficiency=85%", "heat", 1.2 * (1 / 0.85 - 1),
     WPIN_FINE, ""},
    {"capacitors", "supply=12V load=2A pwm=20kHz", "rated for", 25, WPIN_FINE, ""},
    /* 10 x 40 nC / 0.5 V = 800 nF */
    {"bootstrap", "pwm=20kHz duty=95%", "bootstrap capacitor", 1e-6, WPIN_FINE, ""},
    {"led-resistor", "supply=3.3V forward=3.4V", "headroom", -0.1, WPIN_REFUSE, "nothing is left"},
    /* 30 mohm at 10 V, threshold 4 V; at 5 V: 30 x 6 / 1 = 180 mohm; 9 A^2: 1.62 W; 40 + 97 */
    {"gate-low", "load=3A gate=5V on-resistance=30mohm stated-at=10V threshold=4V", "junction",
     137.2, WPIN_REFUSE, "0.50"},
    {"gate-low", "load=3A gate=3.3V on-resistance=30mohm stated-at=10V threshold=4V", NULL, 0,
     WPIN_REFUSE, "never on"},
    /* 12 V supply, 5 V pin: 7 V still on the gate */
    {"gate-high", "from=9V to=12V", "pin high", 4, WPIN_REFUSE, "never turns off"},
    {"gate-high", "from=4.8V to=24V", "pin high", -0.2, WPIN_REFUSE, "punctured"},
    {"gate-high", "from=3V to=5V", "pin low", 3, WPIN_CAUTION, "half on"},
    /* 70 / 10; the label's 14 are magnets */
    {"poles", "turns=10 highs=70 pole-pairs=14", "pole pairs", 7, WPIN_CAUTION,
     "half of the 14 expected: that is the number of its magnets"},
    {"poles", "turns=5 highs=481 gear=12 pole-pairs=4", "pole pairs", 481.0 / 60, WPIN_CAUTION,
     "twice the 4 expected"},
    /* 60 x 100 / 1500 = 4 */
    {"poles", "speed=1500rpm frequency=100Hz pole-pairs=4", "pole pairs", 4, WPIN_FINE,
     "as expected, 4 pole pairs"},
    {"poles", "turns=10 highs=240 pole-pairs=4", "pole pairs", 24, WPIN_CAUTION, "six times"},
    {"poles", "turns=10 highs=25", "pole pairs", 2.5, WPIN_CAUTION, "no whole number"},
    {"poles", "turns=10", NULL, 0, WPIN_REFUSE, "nothing was measured"},
    /* 1 - 50 kHz x 2 us = 90 % */
    {"bootstrap", "pwm=50kHz duty=95%", "highest duty", 0.9, WPIN_REFUSE, "0.95"},
    {"bootstrap", "pwm=20kHz duty=100%", "highest duty", 0.96, WPIN_REFUSE, "no time to recharge"},
    /* an opto input: (3.3 - 1.2) / (25 + 1000) = 2.049 mA; 1.2 + 2.049 = 3.249 V */
    {"relay-input", "pin=3.3V resistance=1kohm forward=1.2V closes-at=4V",
     "volts at the input, with sag", 1.2 + 2.1 / 1.025, WPIN_REFUSE, "0.81"},
    {"diode", "load=2A supply=12V rated=1A reverse=40V", "mean current", 1, WPIN_REFUSE, "0.50"},
    {"diode", "load=1A supply=12V rated=1A reverse=100V recovery=2us", "peak current", 1,
     WPIN_REFUSE, "too slow"},
    /* bipolar bridge: 2 (0.9 + 0.5 x 1.5) = 3.3 V of 9 */
    {"heat", "supply=9V load=1.5A on-resistance=500mohm saturation=0.9V heat=10K/W",
     "left for the motor", 5.7, WPIN_CAUTION, "keeps 36.67 % of the supply"},
    {"board", "load=1.2A stall=4A rated=1.5A absolute=3A", "per output", 1.25, WPIN_REFUSE,
     "no permission"},
    /* two in parallel: 2 x 1.5 x 0.85 = 2.55 for 2.4 */
    {"board", "load=2.4A stall=4.5A parallel=2 outputs=2 rated=1.5A absolute=3A", "per output",
     1.5 * 0.85 / 1.2, WPIN_FINE, ""},
    {"board", "load=2A stall=3A outputs=4 rated=3A absolute=5A terminal=5A", "supply terminal",
     0.625, WPIN_REFUSE, "0.62"},
    /* 12 - 0.5 x 6 = 9 V */
    {"supply", "voltage=12V resistance=500mohm limit=10A load=1A start=6A least=10V",
     "at the start", 9, WPIN_REFUSE, "sags to 9 V"},
    /* 6 x 1.25 - 6 x 0.03 x 4 = 6.78; 2 Ah x 0.8 / 0.8 A = 2 h */
    {"cells",
     "count=6 voltage=1.25V resistance=30mohm capacity=2000mAh load=800mA start=4A least=6V "
     "wish=1h",
     "run time", 7200, WPIN_CAUTION, "not at worst"},
    /* (12 - 5) x 0.5 = 3.5 W: 40 + 175 */
    {"regulator", "input=12V output=5V current=500mA", "junction", 215, WPIN_REFUSE, "0.49"},
    {"regulator", "input=6V output=5V current=50mA", "headroom left", 1, WPIN_REFUSE,
     "no headroom"},
    /* boost 5 -> 12 V, 0.5 A, 80 %: 12 x 0.5 / (0.8 x 5) = 1.5 A out of a 0.5 A port */
    {"regulator", "input=5V output=12V current=500mA efficiency=80% budget=500mA", "input current",
     1.5, WPIN_REFUSE, "0.33"},
    /* 2 / (4 x 20 kHz x 0.2) = 125 uF -> 150; 1 uF x 144 x 20 kHz = 2.88 W */
    {"capacitors", "supply=12V load=2A pwm=20kHz noise=1uF", "lost in the motor's capacitor", 2.88,
     WPIN_REFUSE, "at most 173.6 nF"},
    {"capacitors", "supply=12V load=2A pwm=20kHz", "bulk capacitor", 150e-6, WPIN_FINE, ""},
    /* 12 x 1.5 x 1200 s = 21600 J */
    {"energy", "voltage=12V current=1.5A on=20min capacity=7Ah", "running, each day", 21600,
     WPIN_FINE, ""},
    /* 12 / 1.9 = 6.316; K w = 0.022 x 471.24 = 10.367; 22.367 / 1.9 */
    {"stall", "supply=12V resistance=1.4ohm stage=500mohm speed=4500rpm constant=22mNm/A limit=8A",
     "reversed at speed", 11.772, WPIN_CAUTION, "not a reversal at speed"},
    /* 12 / (4 x 1 mH x 1 kHz) = 3 A on 1 A */
    {"pwm", "supply=12V pwm=1kHz inductance=1mH load=1A", "ripple, peak to peak", 3, WPIN_REFUSE,
     ""},
    {"pwm", "supply=12V pwm=20kHz inductance=1.6mH load=1A bits=8", "timer steps", 200, WPIN_FINE,
     ""},
    /* R = 1.5; K = 11.4 / 481.71 = 23.666 mNm/A; J = 9.466 mNm x 0.9 / 481.71 = 1.7687e-5 */
    {"motor", "voltage=12V no-load=400mA speed=4600rpm stall=8A run-down=900ms", "inertia",
     1.7687e-5, WPIN_FINE, ""},
    {"motor", "voltage=12V no-load=8A speed=4600rpm stall=400mA", NULL, 0, WPIN_REFUSE, "mixed up"},
    /* i = 18 / 22 = 0.818 A; (7.2 - 1.9 x 0.818) / 0.022 = 256.6 rad/s = 2450 rpm; / 18 */
    {"duty",
     "supply=12V duty=60% resistance=1.4ohm stage=500mohm constant=22mNm/A torque=18mNm gear=18 "
     "want=100rpm",
     "output speed", 136.13, WPIN_FINE, ""},
    /* 2640 / 10 = 264 = 4 x 11 x 6 */
    {"encoder", "turns=10 counts=2640 gear=6 lines=11", "counts a turn", 264, WPIN_FINE,
     "as expected"},
    {"encoder", "turns=10 counts=-2640 gear=6 lines=11", "lines, if both channels count", 11,
     WPIN_NOTE, "counts down"},
    {"encoder", "turns=10 counts=1318 gear=6 lines=11", NULL, 0, WPIN_CAUTION, "one channel"},
    {"encoder", "turns=10 counts=2641 gear=6 lines=44", NULL, 0, WPIN_CAUTION,
     "its data names counts"},
    {"encoder", "turns=10 counts=5275 gear=6 lines=11", NULL, 0, WPIN_CAUTION, "twice that"},
    {"encoder", "turns=20 counts=880 gear=6 lines=11", NULL, 0, WPIN_CAUTION, "behind the gear"},
    {"encoder", "turns=10 counts=3333 gear=6 lines=11", NULL, 0, WPIN_CAUTION, "another gear"},
    {"encoder", "turns=2 counts=960", "one count is", 1.0 / 480, WPIN_FINE, "120 lines"},
    {"duty", "supply=12V duty=5% resistance=2ohm constant=22mNm/A torque=18mNm", "motor speed", 0,
     WPIN_REFUSE, ""},
};

START_TEST(worked_examples) {
    const wpin_sheet *sheet = wpin_sheet_find(examples[_i].sheet);
    double values[WPIN_SHEET_INPUTS];
    wpin_answer a;
    fill(sheet, examples[_i].words, values);
    wpin_sheet_work_out(sheet, values, &a);
    const char *words = examples[_i].words;
    if (examples[_i].label != NULL) {
        double got = line_of(&a, examples[_i].label), want = examples[_i].value;
        ck_assert_msg(fabs(got - want) <= fabs(want) * 1e-4 + 1e-12, "%s %s: %g, by hand %g",
                      examples[_i].sheet, words, got, want);
    }
    ck_assert_msg(a.severity == examples[_i].severity, "%s %s: %s: %s", examples[_i].sheet, words,
                  wpin_severity_word(a.severity), a.verdict);
    ck_assert_msg(strcmp(examples[_i].verdict, "fine") == 0 ||
                      strstr(a.verdict, examples[_i].verdict) != NULL,
                  "%s %s: %s", examples[_i].sheet, words, a.verdict);
    ck_assert_int_ne(a.next[0], '\0');
}
END_TEST

START_TEST(preferred_values_bracket) {
    for (int i = 0; i < 3000; i++) {
        double value = pow(10, (double)pick(9000) / 1000 - 3);
        for (int series = 12; series <= 24; series += 12) {
            double up = wpin_calc_preferred(value, series, WPIN_ROUND_UP);
            double down = wpin_calc_preferred(value, series, WPIN_ROUND_DOWN);
            ck_assert_double_ge(up, value * (1 - 1e-9));
            ck_assert_double_le(down, value * (1 + 1e-9));
            ck_assert_double_lt(up / down,
                                series == 12 ? 1.27 : 1.17); /* widest steps of the series */
            ck_assert_double_eq_tol(wpin_calc_preferred(up, series, WPIN_ROUND_DOWN), up,
                                    up * 1e-9);
        }
    }
}
END_TEST

/* Any input in range gives an answer with words, a worst case no better than the margin, and no
 * NaN. */
START_TEST(any_input_has_an_answer) {
    unsigned count;
    const wpin_sheet *sheets = wpin_sheets(&count);
    pick_seed(7);
    for (unsigned s = 0; s < count; s++) {
        for (int n = 0; n < 400; n++) {
            double values[WPIN_SHEET_INPUTS];
            wpin_answer a;
            for (int i = 0; sheets[s].inputs[i].key != NULL; i++) {
                const wpin_sheet_input *in = &sheets[s].inputs[i];
                double share = pick(3) == 0 ? (double)pick(2) : (double)pick(1001) / 1000;
                values[i] = in->least + (in->most - in->least) * pow(share, 4);
            }
            wpin_sheet_work_out(&sheets[s], values, &a);
            ck_assert_msg(a.verdict[0] != '\0' && a.next[0] != '\0', "%s", sheets[s].name);
            ck_assert_msg(isnan(a.margin) || a.worst <= a.margin + 1e-9, "%s: %g %g",
                          sheets[s].name, a.worst, a.margin);
            for (unsigned i = 0; i < a.line_count; i++) {
                ck_assert_msg(!isnan(a.lines[i].value), "%s: %s", sheets[s].name, a.lines[i].label);
            }
        }
    }
}
END_TEST

/* Run-down: the closed form against small steps. */
START_TEST(run_down_times) {
    double inertia = 2e-5, speed = 500, torque = 9e-3, viscous = 3e-6, w = speed, t = 0;
    while (w > 0) {
        w -= (torque + viscous * w) / inertia * 1e-6;
        t += 1e-6;
    }
    ck_assert_double_eq_tol(wpin_calc_run_down_seconds(inertia, speed, torque, viscous), t,
                            t * 1e-4);
    ck_assert_double_eq_tol(wpin_calc_run_down_seconds(inertia, speed, torque, 0),
                            inertia * speed / torque, 1e-9);
    ck_assert(isinf(wpin_calc_run_down_seconds(inertia, speed, 0, viscous)));
}
END_TEST

START_TEST(units_as_people_write_them) {
    static const struct {
        const char *text;
        wpin_dimension dimension;
        double value;
    } rows[] = {
        {"20nC", WPIN_CHARGE, 20e-9},
        {"470nH", WPIN_INDUCTANCE, 470e-9},
        {"50nA", WPIN_CURRENT, 50e-9},
        {"1.2kA", WPIN_CURRENT, 1200},
        {"10\xC2\xB5\x46", WPIN_CAPACITANCE, 10e-6},
        {"10\xCE\xBC\x46", WPIN_CAPACITANCE, 10e-6},
        {"22\xCE\xA9", WPIN_RESISTANCE, 22},
        {"4.7k\xE2\x84\xA6", WPIN_RESISTANCE, 4700},
        {"1k", WPIN_RESISTANCE, 1000},
        {"220R", WPIN_RESISTANCE, 220},
        {"100pF", WPIN_CAPACITANCE, 100e-12},
        {"35 ns", WPIN_TIME, 35e-9},
    };
    char why[320];
    double value;
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        ck_assert_msg(wpin_quantity_read(rows[i].text, rows[i].dimension, &value, why, sizeof why),
                      "%s", why);
        ck_assert_msg(fabs(value - rows[i].value) < 1e-9 * rows[i].value, "%s: %g", rows[i].text,
                      value);
    }
    ck_assert(!wpin_quantity_read("10\xC2\xB5", WPIN_CAPACITANCE, &value, why, sizeof why));
    ck_assert(!wpin_quantity_read("10\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2"
                                  "\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2"
                                  "\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2\xB5\xC2"
                                  "\xB5"
                                  "F",
                                  WPIN_CAPACITANCE, &value, why, sizeof why));
}
END_TEST

/* A wave under PWM against small steps of its own equation. */
START_TEST(figures_as_people_write_them) {
    char text[40];
#define SAYS(said, ...)                                                                            \
    ck_assert_int_eq(wpin_plain(text, sizeof text, __VA_ARGS__), (int)strlen(said));               \
    ck_assert_str_eq(text, said)
    SAYS("1160 rpm", "%.3g rpm", 1159.6);
    SAYS("1.16 rpm, 0.00000116", "%.3g rpm, %.3g", 1.1596, 1.1596e-6);
    SAYS("  12000|+12000|12000  |", "%7.2g|%+.2g|%-7.2g|", 12345.0, 12345.0, 12345.0);
    SAYS("0 +0.00 -0.01    0.0", "%.3g %+.2f %.2f %6.1f", -0.0, -0.004, -0.006, -0.04);
    SAYS("inf nan", "%g %g", HUGE_VAL, fabs((double)NAN));
    SAYS("  7|00ff|a|-5|   8|9|10|11%", "%*d|%04x|%c|%d|%*u|%zu|%lu|%llu%%", 3, 7, 255U, 'a', -5, 4,
         8U, (size_t)9, 10UL, 11ULL);
    SAYS("drum|dr|    drum", "%s|%.*s|%8s", "drum", 2, "drum", "drum");
#undef SAYS
    ck_assert_int_eq(wpin_plain(text, 6, "%.3g %s", 1e6, "rest"), 12);
    ck_assert_str_eq(text, "10000");
}
END_TEST

START_TEST(a_wave_under_pwm) {
    static const wpin_pwm_loop loops[] = {
        {9, -1, 2, 1e-3, 500, false, 0},     {9, -12, 2, 1e-3, 500, false, 0},
        {2, -6, 2, 4e-3, 300, true, 0},      {11, -0.7, 0.5, 5e-3, 20e3, false, 0},
        {4, -7.4, 4, 3e-3, 300, true, 2.8},  {4, -7.4, 4, 3e-3, 20e3, true, 2.8},
        {-1.4, -7, 2, 1e-3, 900, true, 2.8}, {9, -1, 2, 1e-3, 500, true, 1.8}};
    for (size_t l = 0; l < sizeof loops / sizeof *loops; l++) {
        const wpin_pwm_loop *p = &loops[l];
        for (double duty = 0.1; duty < 0.95; duty += 0.2) {
            double i = 0, sum = 0, squares = 0, least = 1e9, most = -1e9;
            const int steps = 20000, periods = (int)ceil(8 * p->henries / p->ohms * p->hz) + 4;
            double dt = 1 / p->hz / steps;
            for (int n = 0; n < periods; n++) {
                sum = squares = 0, least = 1e9, most = -1e9;
                for (int s = 0; s < steps; s++) {
                    bool on = s < duty * steps;
                    double forward = on ? p->on_volts : p->off_volts;
                    double turned = forward + p->turned_volts, before = i;
                    double volts = i > 0   ? forward
                                   : i < 0 ? turned
                                           : fmax(forward, 0) + fmin(turned, 0);
                    i += (volts - p->ohms * i) / p->henries * dt;
                    bool stops = before * i < 0 && p->turned_volts > 0;
                    i = stops || (!p->both_ways && i < 0) ? 0 : i;
                    sum += i * dt, squares += i * i * dt;
                    least = fmin(least, i), most = fmax(most, i);
                }
            }
            wpin_pwm_wave w = wpin_calc_pwm_wave(p, duty);
            double size = fmax(fabs(most), fabs(least));
            ck_assert_msg(fabs(w.mean - sum * p->hz) < 3e-3 * size &&
                              fabs(w.rms - sqrt(squares * p->hz)) < 3e-3 * size &&
                              fabs(w.least - least) < 3e-3 * size &&
                              fabs(w.most - most) < 3e-3 * size,
                          "%zu at %g: %g %g, %g %g, %g %g, %g %g", l, duty, w.mean, sum * p->hz,
                          w.rms, sqrt(squares * p->hz), w.least, least, w.most, most);
        }
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("calc");
    TCase *tests = tcase_create("all");
    tcase_add_loop_test(tests, worked_examples, 0, (int)(sizeof examples / sizeof *examples));
    tcase_add_test(tests, preferred_values_bracket);
    tcase_add_test(tests, any_input_has_an_answer);
    tcase_add_test(tests, run_down_times);
    tcase_add_test(tests, units_as_people_write_them);
    tcase_add_test(tests, figures_as_people_write_them);
    tcase_add_test(tests, a_wave_under_pwm);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
