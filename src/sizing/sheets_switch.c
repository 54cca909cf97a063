/* Sheets for pins and single switches: what a pin can drive, base and series resistors, gates,
 * relay inputs, free-wheel diodes. */
#include "answer.h"

#define VOLTS(x) wpin_text(a, x, WPIN_VOLTAGE)
#define AMPS(x)  wpin_text(a, x, WPIN_CURRENT)
#define OHMS(x)  wpin_text(a, x, WPIN_RESISTANCE)
#define WATTS(x) wpin_text(a, x, WPIN_POWER)

/* ---- pin ---- */

enum { PIN_LOAD, PIN_OTHERS, PIN_LIMIT, PIN_TOTAL, PIN_VOLTS, PIN_HIGH };

static void pin(const double *v, wpin_answer *a) {
    double each = v[PIN_LIMIT] / v[PIN_LOAD], sum = v[PIN_LOAD] + v[PIN_OTHERS];
    wpin_say(a, "this pin", each, WPIN_NUMBER, "limit / start current = %s / %s",
             AMPS(v[PIN_LIMIT]), AMPS(v[PIN_LOAD]));
    wpin_say(a, "all pins together", v[PIN_TOTAL] / sum, WPIN_NUMBER,
             "total limit / sum = %s / (%s + %s)", AMPS(v[PIN_TOTAL]), AMPS(v[PIN_LOAD]),
             AMPS(v[PIN_OTHERS]));
    wpin_margin(a, each);
    wpin_margin(a, v[PIN_TOTAL] / sum);
    if (v[PIN_VOLTS] > 1.05 * v[PIN_HIGH]) {
        wpin_judge(a, WPIN_REFUSE, "a switch is needed: the load is made for %s, a pin gives %s",
                   VOLTS(v[PIN_VOLTS]), VOLTS(v[PIN_HIGH]));
        wpin_next(a, "windpin size stage: which switch or driver fits");
    } else if (a->margin < 1) {
        wpin_judge(a, WPIN_REFUSE,
                   "a switch is needed: the pin reaches %.2f times what it must drive", a->margin);
        wpin_next(a, "windpin size stage: which switch or driver fits");
    } else {
        wpin_next(a, "an inductive load needs a switch and a diode all the same, however small");
    }
}

/* ---- base resistor ---- */

enum {
    BASE_LOAD,
    BASE_GAIN,
    BASE_VOLTS,
    BASE_PIN,
    BASE_OHMS,
    BASE_LIMIT,
    BASE_SATURATION,
    BASE_SERIES
};

static void base_resistor(const double *v, wpin_answer *a) {
    double needed = wpin_calc_base_amps(v[BASE_LOAD], v[BASE_GAIN]);
    double loaded = wpin_calc_pin_volts(v[BASE_PIN], v[BASE_OHMS], needed);
    double ideal = wpin_calc_series_ohms(loaded, v[BASE_VOLTS], needed);
    wpin_say(a, "base current needed", needed, WPIN_CURRENT, "I_C / forced gain = %s / %.4g",
             AMPS(v[BASE_LOAD]), v[BASE_GAIN]);
    wpin_say(a, "pin under that load", loaded, WPIN_VOLTAGE, "V - R_pin I_B = %s - %s x %s",
             VOLTS(v[BASE_PIN]), OHMS(v[BASE_OHMS]), AMPS(needed));
    if (isnan(a->chosen) && ideal <= 0) {
        wpin_judge(a, WPIN_REFUSE,
                   "the pin sags to %s, no more than the base needs (%s): it can't "
                   "saturate this switch",
                   VOLTS(loaded), VOLTS(v[BASE_VOLTS]));
        wpin_next(a, "a field-effect switch needs no base current: windpin size gate-low");
        return;
    }
    if (isnan(a->chosen)) {
        a->chosen = wpin_calc_preferred(ideal, (int)v[BASE_SERIES], WPIN_ROUND_DOWN);
    }
    wpin_say(a, "base resistor, ideal", ideal, WPIN_RESISTANCE,
             "(V_pin - V_BE) / I_B = (%s - %s) / %s", VOLTS(loaded), VOLTS(v[BASE_VOLTS]),
             AMPS(needed));
    wpin_say(a, "base resistor", a->chosen, WPIN_RESISTANCE,
             "next E%.0f value down: rounding up would starve the base", v[BASE_SERIES]);
    double amps = (v[BASE_PIN] - v[BASE_VOLTS]) / (a->chosen + v[BASE_OHMS]);
    wpin_say(a, "base current with it", amps, WPIN_CURRENT,
             "(V - V_BE) / (R + R_pin) = (%s - %s) / (%s + %s)", VOLTS(v[BASE_PIN]),
             VOLTS(v[BASE_VOLTS]), OHMS(a->chosen), OHMS(v[BASE_OHMS]));
    wpin_say(a, "heat in the switch", v[BASE_SATURATION] * v[BASE_LOAD], WPIN_POWER,
             "V_CE I_C = %s x %s", VOLTS(v[BASE_SATURATION]), AMPS(v[BASE_LOAD]));
    wpin_margin(a, amps / needed);
    if (amps > v[BASE_LIMIT]) {
        wpin_judge(a, WPIN_REFUSE, "the pin would give %s, its limit is %s: more gain is needed",
                   AMPS(amps), AMPS(v[BASE_LIMIT]));
    }
    wpin_next(a, "is I_C the load's start current? A Darlington loses about 1 V (saturation=1V "
                 "base=1.4V gain=500)");
}

/* ---- LED or opto input ---- */

enum { LED_SUPPLY, LED_FORWARD, LED_AMPS, LED_LEAST, LED_SERIES };

/* What resistors are sold for, W. */
static const double sold_watts[] = {0.125, 0.25, 0.5, 1, 2, 3, 5, 10, 25, 50};

static void led_resistor(const double *v, wpin_answer *a) {
    double headroom = v[LED_SUPPLY] - v[LED_FORWARD];
    wpin_say(a, "headroom", headroom, WPIN_VOLTAGE, "V - V_F = %s - %s", VOLTS(v[LED_SUPPLY]),
             VOLTS(v[LED_FORWARD]));
    if (headroom <= 0) {
        wpin_judge(a, WPIN_REFUSE, "nothing is left for the resistor: the diode needs %s",
                   VOLTS(v[LED_FORWARD]));
        wpin_next(a, "a higher supply, or fewer diodes in a row");
        return;
    }
    double ideal = wpin_calc_series_ohms(v[LED_SUPPLY], v[LED_FORWARD], v[LED_AMPS]);
    if (isnan(a->chosen)) {
        a->chosen = wpin_calc_preferred(ideal, (int)v[LED_SERIES], WPIN_ROUND_UP);
    }
    double amps = headroom / a->chosen;
    wpin_say(a, "resistor, ideal", ideal, WPIN_RESISTANCE, "(V - V_F) / I = %s / %s",
             VOLTS(headroom), AMPS(v[LED_AMPS]));
    wpin_say(a, "resistor", a->chosen, WPIN_RESISTANCE,
             "next E%.0f value up: rounding down would overload the diode", v[LED_SERIES]);
    wpin_say(a, "current with it", amps, WPIN_CURRENT, "(V - V_F) / R = %s / %s", VOLTS(headroom),
             OHMS(a->chosen));
    double watts = amps * amps * a->chosen;
    wpin_say(a, "heat in it", watts, WPIN_POWER, "I I R: a resistor for %s or more",
             WATTS(wpin_next_sold(sold_watts, sizeof sold_watts / sizeof *sold_watts, 2 * watts)));
    wpin_margin(a, amps / v[LED_LEAST]);
    if (headroom < 0.25 * v[LED_SUPPLY]) {
        wpin_judge(a, WPIN_CAUTION,
                   "only %s of headroom: a little less supply or more forward voltage changes the "
                   "current much",
                   VOLTS(headroom));
    }
    wpin_next(
        a, "an opto input: is least its input current for a sure output, at the end of its life?");
}

/* ---- low-side field-effect switch ---- */

enum {
    LOW_LOAD,
    LOW_GATE,
    LOW_STATED,
    LOW_STATED_AT,
    LOW_THRESHOLD,
    LOW_CHARGE,
    LOW_HEAT,
    LOW_AIR,
    LOW_TOP,
    LOW_PIN
};

static void gate_low(const double *v, wpin_answer *a) {
    double ohms =
        wpin_calc_fet_ohms(v[LOW_STATED], v[LOW_STATED_AT], v[LOW_THRESHOLD], v[LOW_GATE]);
    if (isinf(ohms)) {
        wpin_judge(a, WPIN_REFUSE, "never on: the pin gives %s, the threshold alone is %s",
                   VOLTS(v[LOW_GATE]), VOLTS(v[LOW_THRESHOLD]));
        wpin_next(a, "a switch whose on-resistance is stated at the pin's level");
        wpin_margin(a, v[LOW_GATE] / v[LOW_STATED_AT]);
        return;
    }
    double watts = v[LOW_LOAD] * v[LOW_LOAD] * ohms;
    double degrees = wpin_calc_junction_degrees(v[LOW_AIR], watts, v[LOW_HEAT]);
    double gate_ohms = wpin_calc_preferred(v[LOW_GATE] / v[LOW_PIN], 12, WPIN_ROUND_UP);
    if (v[LOW_GATE] >= v[LOW_STATED_AT]) {
        wpin_say(a, "on-resistance at this level", ohms, WPIN_RESISTANCE,
                 "as stated at %s, or less", VOLTS(v[LOW_STATED_AT]));
    } else {
        wpin_say(a, "on-resistance at this level", ohms, WPIN_RESISTANCE,
                 "R (V_stated - V_T) / (V_GS - V_T) = %s x (%.3g - %.3g) / (%.3g - %.3g)",
                 OHMS(v[LOW_STATED]), v[LOW_STATED_AT], v[LOW_THRESHOLD], v[LOW_GATE],
                 v[LOW_THRESHOLD]);
    }
    wpin_say(a, "heat", watts, WPIN_POWER, "I I R = %s x %s x %s", AMPS(v[LOW_LOAD]),
             AMPS(v[LOW_LOAD]), OHMS(ohms));
    wpin_say(a, "junction", degrees, WPIN_TEMPERATURE, "air + P R_th = %.3g + %s x %.3g K/W",
             v[LOW_AIR], WATTS(watts), v[LOW_HEAT]);
    wpin_say(a, "gate resistor", gate_ohms, WPIN_RESISTANCE,
             "V / pin limit = %s / %s, next E12 value up", VOLTS(v[LOW_GATE]), AMPS(v[LOW_PIN]));
    wpin_say(a, "switching time", v[LOW_CHARGE] / (v[LOW_GATE] / gate_ohms / 2), WPIN_TIME,
             "gate charge / mean gate current = %.3g nC / %s", v[LOW_CHARGE] * 1e9,
             AMPS(v[LOW_GATE] / gate_ohms / 2));
    wpin_say(
        a, "pull-down", 100 * gate_ohms > 100e3 ? 100e3 : 100 * gate_ohms, WPIN_RESISTANCE,
        "about a hundred gate resistors, at most 100 kohm: the gate floats while the controller "
        "boots");
    wpin_margin(a, v[LOW_GATE] / v[LOW_STATED_AT]);
    if (degrees > v[LOW_TOP]) {
        wpin_judge(a, WPIN_REFUSE, "too hot: %.0f degC, it survives %.0f degC", degrees,
                   v[LOW_TOP]);
    } else if (v[LOW_GATE] < v[LOW_STATED_AT]) {
        wpin_judge(a, WPIN_CAUTION,
                   "half on: the pin gives %s, its resistance is stated at %s; the threshold only "
                   "says where it begins",
                   VOLTS(v[LOW_GATE]), VOLTS(v[LOW_STATED_AT]));
    }
    wpin_next(a, "the free-wheel diode: windpin size diode");
}

/* ---- high-side p-channel switch over a range of supply ---- */

enum { HIGH_FROM, HIGH_TO, HIGH_PIN, HIGH_STATED_AT, HIGH_THRESHOLD, HIGH_LIMIT };

static void one_end(const double *v, wpin_answer *a, double supply) {
    double off = supply - v[HIGH_PIN]; /* gate below source while the pin is high */
    const char *off_word = off <= v[HIGH_THRESHOLD] * 0.5 ? "off"
                           : off < v[HIGH_THRESHOLD]      ? "hardly off"
                                                          : "never off";
    const char *on_word = supply > v[HIGH_LIMIT]        ? "gate punctured"
                          : supply >= v[HIGH_STATED_AT] ? "on"
                          : supply > v[HIGH_THRESHOLD]  ? "half on"
                                                        : "never on";
    wpin_say(a, "pin high", off, WPIN_VOLTAGE, "V_GS = supply - pin = %s - %s: %s", VOLTS(supply),
             VOLTS(v[HIGH_PIN]), off_word);
    wpin_say(a, "pin low", supply, WPIN_VOLTAGE, "V_GS = supply = %s: %s", VOLTS(supply), on_word);
    if (supply > v[HIGH_LIMIT]) {
        wpin_judge(a, WPIN_REFUSE,
                   "the gate is punctured at %s: it survives %s; clamp it and drive it "
                   "by a level shifter",
                   VOLTS(supply), VOLTS(v[HIGH_LIMIT]));
    } else if (off >= v[HIGH_THRESHOLD]) {
        wpin_judge(a, WPIN_REFUSE,
                   "never turns off at %s: the pin reaches %s only; a level shifter "
                   "(a small transistor that pulls the gate down) is needed",
                   VOLTS(supply), VOLTS(v[HIGH_PIN]));
    } else if (supply < v[HIGH_STATED_AT]) {
        wpin_judge(a, WPIN_CAUTION, "half on at %s: its resistance is stated at %s", VOLTS(supply),
                   VOLTS(v[HIGH_STATED_AT]));
    }
}

static void gate_high(const double *v, wpin_answer *a) {
    one_end(v, a, v[HIGH_FROM]);
    one_end(v, a, v[HIGH_TO]);
    wpin_margin(a, v[HIGH_LIMIT] / v[HIGH_TO]);
    wpin_next(
        a,
        "the sense is inverted: pin low is on. At boot a pull-up to the supply must hold it off");
}

/* ---- high-side n-channel switch with a bootstrap ---- */

enum { BOOT_HZ, BOOT_RECHARGE, BOOT_DUTY, BOOT_CHARGE, BOOT_DROOP };

static void bootstrap(const double *v, wpin_answer *a) {
    double most = wpin_calc_bootstrap_duty(v[BOOT_HZ], v[BOOT_RECHARGE]);
    double farads = 10 * v[BOOT_CHARGE] / v[BOOT_DROOP];
    double sold = wpin_calc_preferred(farads, 6, WPIN_ROUND_UP);
    wpin_say(a, "highest duty", most, WPIN_SHARE, "1 - f t = 1 - %s x %s",
             wpin_text(a, v[BOOT_HZ], WPIN_FREQUENCY), wpin_text(a, v[BOOT_RECHARGE], WPIN_TIME));
    wpin_say(a, "bootstrap capacitor", sold, WPIN_CAPACITANCE,
             "next E6 value up, for at least twice the gate's volts");
    wpin_say(a, "capacitance, ideal", farads, WPIN_CAPACITANCE,
             "10 x gate charge / droop = 10 x %.3g nC / %s", v[BOOT_CHARGE] * 1e9,
             VOLTS(v[BOOT_DROOP]));
    wpin_margin(a, most / v[BOOT_DUTY]);
    if (v[BOOT_DUTY] >= 1) {
        wpin_judge(a, WPIN_REFUSE,
                   "100 %% leaves no time to recharge: cap the duty at %s or use a charge "
                   "pump",
                   wpin_text(a, most, WPIN_SHARE));
    }
    wpin_next(a, "set duty-limit in the rig to the highest duty");
}

/* ---- relay or solid-state relay input from a pin ---- */

enum { RELAY_PIN, RELAY_PIN_OHMS, RELAY_COIL, RELAY_DROP, RELAY_LEAST, RELAY_LIMIT };

static void relay_input(const double *v, wpin_answer *a) {
    double amps = (v[RELAY_PIN] - v[RELAY_DROP]) / (v[RELAY_PIN_OHMS] + v[RELAY_COIL]);
    double volts = v[RELAY_DROP] + amps * v[RELAY_COIL];
    wpin_say(a, "current", amps, WPIN_CURRENT, "(V - V_F) / (R_pin + R_in) = (%s - %s) / (%s + %s)",
             VOLTS(v[RELAY_PIN]), VOLTS(v[RELAY_DROP]), OHMS(v[RELAY_PIN_OHMS]),
             OHMS(v[RELAY_COIL]));
    wpin_say(a, "volts at the input, with sag", volts, WPIN_VOLTAGE, "V_F + I R_in = %s + %s x %s",
             VOLTS(v[RELAY_DROP]), AMPS(amps), OHMS(v[RELAY_COIL]));
    wpin_margin(a, volts / v[RELAY_LEAST]);
    if (amps > v[RELAY_LIMIT]) {
        wpin_judge(a, WPIN_REFUSE,
                   "the pin would give %s, its limit is %s: a transistor must drive the "
                   "coil",
                   AMPS(amps), AMPS(v[RELAY_LIMIT]));
    }
    if (amps > v[RELAY_LIMIT]) {
        wpin_next(a, "windpin size base-resistor with the coil's current as load");
    } else {
        wpin_next(a, "a coil needs a diode across it: windpin size diode");
    }
}

/* ---- free-wheel diode ---- */

enum { DIODE_LOAD, DIODE_SUPPLY, DIODE_DUTY, DIODE_HZ, DIODE_AMPS, DIODE_VOLTS, DIODE_RECOVERY };

static void diode(const double *v, wpin_answer *a) {
    double mean = wpin_calc_diode_amps(v[DIODE_LOAD], v[DIODE_DUTY]);
    double worst = wpin_calc_diode_amps(v[DIODE_LOAD], 0);
    bool fast = v[DIODE_HZ] > 1e3;
    wpin_say(a, "peak current", v[DIODE_LOAD], WPIN_CURRENT, "the load's own: %s",
             AMPS(v[DIODE_LOAD]));
    wpin_say(a, "mean current", mean, WPIN_CURRENT,
             "I (1 - d) = %s x (1 - %.3g); up to %s at a low duty", AMPS(v[DIODE_LOAD]),
             v[DIODE_DUTY], AMPS(worst));
    wpin_say(a, "reverse voltage", v[DIODE_SUPPLY], WPIN_VOLTAGE, "the supply's: %s",
             VOLTS(v[DIODE_SUPPLY]));
    wpin_margin(a, v[DIODE_AMPS] / worst);
    wpin_margin(a, v[DIODE_VOLTS] / (1.5 * v[DIODE_SUPPLY]));
    if (fast && v[DIODE_RECOVERY] * v[DIODE_HZ] > 0.01) {
        wpin_judge(a, WPIN_REFUSE,
                   "too slow: it recovers in %s, %s of each PWM period; a fast or "
                   "Schottky diode is needed",
                   wpin_text(a, v[DIODE_RECOVERY], WPIN_TIME),
                   wpin_text(a, v[DIODE_RECOVERY] * v[DIODE_HZ], WPIN_SHARE));
    }
    wpin_next(a, "its ring (cathode) points to the supply: the other way round it is a short");
}

const wpin_sheet wpin_sheets_switch[] = {
    {"pin",
     "can a pin drive it directly, or is a switch needed",
     {ASK("load", "the load's start current", WPIN_CURRENT, 1e-6, 100, 0),
      TAKE("others", "what all other pins give at the same time", WPIN_CURRENT, 0, 0, 10, 0),
      TAKE("limit", "what one pin may give", WPIN_CURRENT, 20e-3, 1e-4, 1, 0),
      TAKE("total", "what all pins together may give", WPIN_CURRENT, 150e-3, 1e-3, 10, 0),
      TAKE("volts", "what the load is made for", WPIN_VOLTAGE, 5, 0.5, 250, 0),
      TAKE("pin", "high level of the pin", WPIN_VOLTAGE, 5, 1, 24, 0)},
     "load=80mA others=40mA",
     "times what it must drive",
     pin},
    {"base-resistor",
     "base resistor of a bipolar or Darlington switch",
     {ASK("load", "collector current: the load's start current", WPIN_CURRENT, 1e-4, 100, 0),
      TAKE("gain", "forced gain: a tenth of the stated one, or its worst", WPIN_NUMBER, 10, 1, 5000,
           0.1),
      TAKE("base", "V_BE when saturated", WPIN_VOLTAGE, 0.8, 0.3, 3, 0.05),
      TAKE("pin", "high level of the pin without load", WPIN_VOLTAGE, 5, 1, 24, 0.05),
      TAKE("pin-resistance", "output resistance of the pin", WPIN_RESISTANCE, 25, 0, 1e3, 0),
      TAKE("limit", "what the pin may give", WPIN_CURRENT, 20e-3, 1e-4, 1, 0),
      TAKE("saturation", "V_CE when saturated", WPIN_VOLTAGE, 0.3, 0.01, 3, 0),
      TAKE("series", "preferred values: 12 or 24", WPIN_NUMBER, 12, 12, 24, 0)},
     "load=120mA gain=20",
     "times the base current it needs",
     base_resistor},
    {"led-resistor",
     "series resistor of a light-emitting diode or an opto input",
     {ASK("supply", "what feeds it", WPIN_VOLTAGE, 0.5, 60, 0.05),
      TAKE("forward", "forward voltage", WPIN_VOLTAGE, 1.2, 0.3, 50, 0.1),
      TAKE("current", "current it should have", WPIN_CURRENT, 10e-3, 1e-4, 5, 0),
      TAKE("least", "current it must have", WPIN_CURRENT, 5e-3, 1e-5, 5, 0),
      TAKE("series", "preferred values: 12 or 24", WPIN_NUMBER, 12, 12, 24, 0)},
     "supply=5V forward=1.2V current=10mA",
     "times the current it must have",
     led_resistor},
    {"gate-low",
     "field-effect switch to ground driven by a pin",
     {ASK("load", "the load's current", WPIN_CURRENT, 1e-3, 500, 0),
      ASK("gate", "high level of the pin", WPIN_VOLTAGE, 1, 24, 0.05),
      ASK("on-resistance", "stated on-resistance", WPIN_RESISTANCE, 1e-4, 100, 0),
      ASK("stated-at", "gate voltage it is stated for", WPIN_VOLTAGE, 1, 20, 0),
      TAKE("threshold", "highest threshold", WPIN_VOLTAGE, 2, 0.2, 6, 0),
      TAKE("charge", "gate charge", WPIN_CHARGE, 20e-9, 1e-10, 1e-5, 0),
      TAKE("heat", "thermal resistance to the air", WPIN_HEAT_RESISTANCE, 60, 0.1, 1e3, 0),
      TAKE("air", "temperature of the air", WPIN_TEMPERATURE, 40, -40, 120, 0),
      TAKE("survives", "highest junction temperature", WPIN_TEMPERATURE, 150, 60, 250, 0),
      TAKE("pin-limit", "what the pin may give for an instant", WPIN_CURRENT, 40e-3, 1e-3, 1, 0)},
     "load=4A gate=5V on-resistance=22mohm stated-at=4.5V",
     "times the gate voltage it is stated for",
     gate_low},
    {"gate-high",
     "p-channel switch to the supply, over a range of supply",
     {ASK("from", "lowest supply", WPIN_VOLTAGE, 0.5, 100, 0),
      ASK("to", "highest supply", WPIN_VOLTAGE, 0.5, 100, 0),
      TAKE("pin", "high level of the pin", WPIN_VOLTAGE, 5, 1, 24, 0),
      TAKE("stated-at", "gate voltage its resistance is stated for", WPIN_VOLTAGE, 4.5, 1, 20, 0),
      TAKE("threshold", "lowest threshold", WPIN_VOLTAGE, 1, 0.2, 6, 0),
      TAKE("gate-limit", "gate voltage it survives", WPIN_VOLTAGE, 20, 4, 40, 0)},
     "from=4.8V to=5.5V",
     "times the gate voltage at the highest supply",
     gate_high},
    {"bootstrap",
     "n-channel switch to the supply with a bootstrap capacitor",
     {ASK("pwm", "PWM frequency", WPIN_FREQUENCY, 10, 1e6, 0),
      TAKE("recharge", "low time it needs in each period", WPIN_TIME, 2e-6, 1e-8, 1e-3, 0),
      TAKE("duty", "duty you want", WPIN_SHARE, 0.95, 0.01, 1, 0),
      TAKE("charge", "gate charge", WPIN_CHARGE, 40e-9, 1e-10, 1e-5, 0),
      TAKE("droop", "how far the gate voltage may fall", WPIN_VOLTAGE, 0.5, 0.05, 5, 0)},
     "pwm=20kHz duty=95%",
     "times the duty you want",
     bootstrap},
    {"relay-input",
     "will a relay or solid-state relay close from a pin",
     {TAKE("pin", "high level of the pin without load", WPIN_VOLTAGE, 5, 1, 24, 0.05),
      TAKE("pin-resistance", "output resistance of the pin", WPIN_RESISTANCE, 25, 0, 1e3, 0),
      ASK("resistance", "of the coil, or the input's series resistor", WPIN_RESISTANCE, 1, 1e6,
          0.1),
      TAKE("forward", "forward voltage of an opto input; 0 V for a coil", WPIN_VOLTAGE, 0, 0, 5, 0),
      ASK("closes-at", "volts at its input that close it for sure", WPIN_VOLTAGE, 0.5, 60, 0),
      TAKE("limit", "what the pin may give", WPIN_CURRENT, 20e-3, 1e-4, 1, 0)},
     "resistance=125ohm closes-at=3.75V",
     "times the volts that close it",
     relay_input},
    {"diode",
     "free-wheel diode across an inductive load on one switch",
     {ASK("load", "the load's highest current", WPIN_CURRENT, 1e-3, 500, 0),
      ASK("supply", "what feeds it", WPIN_VOLTAGE, 0.5, 200, 0.05),
      TAKE("duty", "usual duty", WPIN_SHARE, 0.5, 0.01, 1, 0),
      TAKE("pwm", "PWM frequency; 0 Hz for on and off", WPIN_FREQUENCY, 20e3, 0, 1e6, 0),
      ASK("rated", "the diode's mean current", WPIN_CURRENT, 1e-3, 500, 0),
      ASK("reverse", "the diode's reverse voltage", WPIN_VOLTAGE, 5, 2e3, 0),
      TAKE("recovery", "its recovery time", WPIN_TIME, 30e-9, 0, 1e-3, 0)},
     "load=2A supply=12V rated=3A reverse=40V",
     "times what it must carry or block",
     diode},
};
const unsigned wpin_sheets_switch_count = sizeof wpin_sheets_switch / sizeof *wpin_sheets_switch;
