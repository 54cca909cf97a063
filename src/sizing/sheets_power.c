/* Sheets for power: stage drop and heat, board limits, supplies, cells, regulators, capacitors,
 * energy. */
#include "answer.h"

#define VOLTS(x) wpin_text(a, x, WPIN_VOLTAGE)
#define AMPS(x)  wpin_text(a, x, WPIN_CURRENT)
#define OHMS(x)  wpin_text(a, x, WPIN_RESISTANCE)
#define WATTS(x) wpin_text(a, x, WPIN_POWER)
#define HERTZ(x) wpin_text(a, x, WPIN_FREQUENCY)

/* ---- drop and heat of a stage ---- */

enum { HEAT_SUPPLY, HEAT_LOAD, HEAT_OHMS, HEAT_SATURATION, HEAT_RTH, HEAT_AIR, HEAT_TOP };

static void heat(const double *v, wpin_answer *a) {
    double drop = wpin_calc_stage_volts(v[HEAT_LOAD], v[HEAT_OHMS], v[HEAT_SATURATION]);
    double watts = drop * v[HEAT_LOAD];
    double degrees = wpin_calc_junction_degrees(v[HEAT_AIR], watts, v[HEAT_RTH]);
    wpin_say(a, "lost in the stage", drop, WPIN_VOLTAGE, "2 (I R + V_sat) = 2 (%s x %s + %s)",
             AMPS(v[HEAT_LOAD]), OHMS(v[HEAT_OHMS]), VOLTS(v[HEAT_SATURATION]));
    wpin_say(a, "left for the motor", fmax(v[HEAT_SUPPLY] - drop, 0), WPIN_VOLTAGE, "%s - %s",
             VOLTS(v[HEAT_SUPPLY]), VOLTS(drop));
    wpin_say(a, "heat", watts, WPIN_POWER, "%s x %s", VOLTS(drop), AMPS(v[HEAT_LOAD]));
    wpin_say(a, "junction", degrees, WPIN_TEMPERATURE, "air + P R_th = %.3g + %s x %.3g K/W",
             v[HEAT_AIR], WATTS(watts), v[HEAT_RTH]);
    wpin_margin(a, (v[HEAT_TOP] - v[HEAT_AIR]) / (degrees - v[HEAT_AIR]));
    if (drop > 0.15 * v[HEAT_SUPPLY]) {
        wpin_judge(a, WPIN_CAUTION, "the stage keeps %s of the supply for itself",
                   wpin_text(a, drop / v[HEAT_SUPPLY], WPIN_SHARE));
    }
    wpin_next(a, "the same at stall current, for as long as a stall lasts before it trips");
}

/* ---- limits of a board ---- */

enum {
    BOARD_LOAD,
    BOARD_STALL,
    BOARD_OUTPUTS,
    BOARD_PARALLEL,
    BOARD_RATED,
    BOARD_ABSOLUTE,
    BOARD_TOTAL,
    BOARD_PATH
};

static void board(const double *v, wpin_answer *a) {
    double each = v[BOARD_LOAD] / v[BOARD_PARALLEL], stall = v[BOARD_STALL] / v[BOARD_PARALLEL];
    double sum = v[BOARD_LOAD] * v[BOARD_OUTPUTS] / v[BOARD_PARALLEL];
    double derated = v[BOARD_PARALLEL] > 1 ? 0.85 : 1; /* outputs in parallel do not share evenly */
    wpin_say(a, "per output", v[BOARD_RATED] * derated / each, WPIN_NUMBER,
             "rated%s / load = %s / %s", derated < 1 ? " less 15 % for uneven sharing" : "",
             AMPS(v[BOARD_RATED] * derated), AMPS(each));
    wpin_say(a, "stall against the absolute limit", v[BOARD_ABSOLUTE] * derated / stall,
             WPIN_NUMBER, "%s / %s", AMPS(v[BOARD_ABSOLUTE] * derated), AMPS(stall));
    wpin_say(a, "all outputs together", v[BOARD_TOTAL] / sum, WPIN_NUMBER, "%s / (%s x %.4g)",
             AMPS(v[BOARD_TOTAL]), AMPS(v[BOARD_LOAD]), v[BOARD_OUTPUTS] / v[BOARD_PARALLEL]);
    wpin_say(a, "supply terminal", v[BOARD_PATH] / sum, WPIN_NUMBER, "%s / %s", AMPS(v[BOARD_PATH]),
             AMPS(sum));
    wpin_margin(a, v[BOARD_RATED] * derated / each);
    wpin_margin(a, v[BOARD_TOTAL] / sum);
    wpin_margin(a, v[BOARD_PATH] / sum);
    if (stall > v[BOARD_ABSOLUTE] * derated) {
        wpin_judge(a, WPIN_REFUSE,
                   "a stall (%s) is above the absolute limit (%s), which is no permission "
                   "but where it dies",
                   AMPS(stall), AMPS(v[BOARD_ABSOLUTE] * derated));
    }
    wpin_next(a, "a current trip below the absolute limit: current-trip in the rig");
}

/* ---- supply ---- */

enum { SUPPLY_VOLTS, SUPPLY_OHMS, SUPPLY_LIMIT, SUPPLY_LOAD, SUPPLY_START, SUPPLY_LEAST };

static void supply(const double *v, wpin_answer *a) {
    double start = v[SUPPLY_VOLTS] - v[SUPPLY_OHMS] * v[SUPPLY_START];
    double running = v[SUPPLY_VOLTS] - v[SUPPLY_OHMS] * v[SUPPLY_LOAD];
    wpin_say(a, "while running", running, WPIN_VOLTAGE, "V - R I = %s - %s x %s",
             VOLTS(v[SUPPLY_VOLTS]), OHMS(v[SUPPLY_OHMS]), AMPS(v[SUPPLY_LOAD]));
    wpin_say(a, "at the start", start, WPIN_VOLTAGE, "V - R I = %s - %s x %s",
             VOLTS(v[SUPPLY_VOLTS]), OHMS(v[SUPPLY_OHMS]), AMPS(v[SUPPLY_START]));
    wpin_say(a, "current it can give", v[SUPPLY_LIMIT] / v[SUPPLY_START], WPIN_NUMBER,
             "limit / start current = %s / %s: the load decides what flows, the rating what may",
             AMPS(v[SUPPLY_LIMIT]), AMPS(v[SUPPLY_START]));
    wpin_margin(a, v[SUPPLY_LIMIT] / v[SUPPLY_START]);
    wpin_margin(a, start / v[SUPPLY_LEAST]);
    if (start < v[SUPPLY_LEAST]) {
        wpin_judge(a, WPIN_REFUSE, "it sags to %s at the start; %s is the least that works",
                   VOLTS(start), VOLTS(v[SUPPLY_LEAST]));
    }
    wpin_next(
        a, "a ramp lowers the start current; a controller on the same supply resets first: windpin "
           "size regulator");
}

/* ---- cells ---- */

enum {
    CELLS_COUNT,
    CELLS_VOLTS,
    CELLS_OHMS,
    CELLS_CHARGE,
    CELLS_LOAD,
    CELLS_START,
    CELLS_LEAST,
    CELLS_WISH
};

static void cells(const double *v, wpin_answer *a) {
    double volts = v[CELLS_COUNT] * v[CELLS_VOLTS], ohms = v[CELLS_COUNT] * v[CELLS_OHMS];
    double start = volts - ohms * v[CELLS_START];
    double hours = wpin_calc_run_hours(v[CELLS_CHARGE], v[CELLS_LOAD], 0.2);
    wpin_say(a, "open voltage", volts, WPIN_VOLTAGE, "n V = %.0f x %s", v[CELLS_COUNT],
             VOLTS(v[CELLS_VOLTS]));
    wpin_say(a, "at the start", start, WPIN_VOLTAGE, "V - n R I = %s - %.0f x %s x %s",
             VOLTS(volts), v[CELLS_COUNT], OHMS(v[CELLS_OHMS]), AMPS(v[CELLS_START]));
    wpin_say(a, "run time", hours * 3600, WPIN_TIME, "Q x 80 %% / I = %s x 0.8 / %s (%.2f h)",
             wpin_text(a, v[CELLS_CHARGE], WPIN_CHARGE), AMPS(v[CELLS_LOAD]), hours);
    wpin_margin(a, start / v[CELLS_LEAST]);
    wpin_margin(a, hours * 3600 / v[CELLS_WISH]);
    wpin_next(a, "half-empty cells have about twice the resistance: try resistance x 2");
}

/* ---- regulator or converter ---- */

enum { REG_IN, REG_OUT, REG_AMPS, REG_HEADROOM, REG_RTH, REG_AIR, REG_SWITCHING, REG_BUDGET };

#define USUAL_HEADROOM 1.5 /* V */

/* A step-down converter gets by with less than a linear regulator, if nothing else is said. */
static double headroom_of(const double *v) {
    bool usual = v[REG_HEADROOM] == USUAL_HEADROOM;
    return v[REG_SWITCHING] > 0 && usual ? 0.5 : v[REG_HEADROOM];
}

static void regulator(const double *v, wpin_answer *a) {
    bool switching = v[REG_SWITCHING] > 0;
    double watts = wpin_calc_linear_watts(v[REG_IN], v[REG_OUT], v[REG_AMPS]), input = v[REG_AMPS];
    if (switching) {
        input = wpin_calc_converter_amps(v[REG_OUT], v[REG_AMPS], v[REG_SWITCHING], v[REG_IN]);
        watts = v[REG_OUT] * v[REG_AMPS] * (1 / v[REG_SWITCHING] - 1);
        wpin_say(a, "input current", input, WPIN_CURRENT,
                 "V_out I / (eff V_in) = %s x %s / (%.3g x %s)", VOLTS(v[REG_OUT]),
                 AMPS(v[REG_AMPS]), v[REG_SWITCHING], VOLTS(v[REG_IN]));
    } else {
        wpin_say(a, "headroom left", v[REG_IN] - v[REG_OUT], WPIN_VOLTAGE,
                 "V_in - V_out = %s - %s; it needs %s", VOLTS(v[REG_IN]), VOLTS(v[REG_OUT]),
                 VOLTS(v[REG_HEADROOM]));
    }
    double degrees = wpin_calc_junction_degrees(v[REG_AIR], watts, v[REG_RTH]);
    if (switching) {
        wpin_say(a, "heat", watts, WPIN_POWER, "P_out (1 / eff - 1) = %s x %s x (1 / %.3g - 1)",
                 VOLTS(v[REG_OUT]), AMPS(v[REG_AMPS]), v[REG_SWITCHING]);
    } else {
        wpin_say(a, "heat", watts, WPIN_POWER, "(V_in - V_out) I = (%s - %s) x %s",
                 VOLTS(v[REG_IN]), VOLTS(v[REG_OUT]), AMPS(v[REG_AMPS]));
    }
    wpin_say(a, "junction", degrees, WPIN_TEMPERATURE, "air + P R_th = %.3g + %s x %.3g K/W",
             v[REG_AIR], WATTS(watts), v[REG_RTH]);
    wpin_margin(a, (125 - v[REG_AIR]) / fmax(degrees - v[REG_AIR], 1e-3));
    wpin_margin(a, v[REG_BUDGET] / input);
    double over = v[REG_IN] - v[REG_OUT], needs = headroom_of(v);
    bool boosts = switching && over < 0; /* a converter that makes more than it gets */
    if (!boosts && needs > 0) {
        wpin_margin(a, over / needs);
        if (over < needs) {
            wpin_judge(a, WPIN_REFUSE, "no headroom: %s above its output, it needs %s", VOLTS(over),
                       VOLTS(needs));
        }
    }
    wpin_next(
        a,
        "the same at the input's lowest voltage: the sag of a motor start (windpin size supply)");
}

/* ---- capacitors ---- */

enum { CAP_SUPPLY, CAP_LOAD, CAP_HZ, CAP_RIPPLE, CAP_NOISE, CAP_ALLOWED };

/* What capacitors are sold for, V. */
static const double sold_volts[] = {6.3, 10, 16, 25, 35, 50, 63, 80, 100, 160, 200, 250, 400};

static void capacitors(const double *v, wpin_answer *a) {
    double bulk = wpin_calc_bulk_farads(v[CAP_LOAD], 0.5, v[CAP_HZ], v[CAP_RIPPLE]);
    if (isnan(a->chosen)) {
        a->chosen = wpin_calc_preferred(bulk, 12, WPIN_ROUND_UP);
    }
    double watts = wpin_calc_capacitor_watts(v[CAP_NOISE], v[CAP_SUPPLY], v[CAP_HZ]);
    wpin_say(a, "bulk capacitor, ideal", bulk, WPIN_CAPACITANCE,
             "I / (4 f dV) = %s / (4 x %s x %s), at half duty", AMPS(v[CAP_LOAD]), HERTZ(v[CAP_HZ]),
             VOLTS(v[CAP_RIPPLE]));
    wpin_say(a, "bulk capacitor", a->chosen, WPIN_CAPACITANCE,
             "next E12 value up, at the stage's supply pins");
    wpin_say(
        a, "rated for",
        wpin_next_sold(sold_volts, sizeof sold_volts / sizeof *sold_volts, 1.5 * v[CAP_SUPPLY]),
        WPIN_VOLTAGE, "the next that is sold above 1.5 times the supply: braking drives it up");
    wpin_say(a, "lost in the motor's capacitor", watts, WPIN_POWER, "C V V f = %s x %s x %s x %s",
             wpin_text(a, v[CAP_NOISE], WPIN_CAPACITANCE), VOLTS(v[CAP_SUPPLY]),
             VOLTS(v[CAP_SUPPLY]), HERTZ(v[CAP_HZ]));
    wpin_margin(a, v[CAP_ALLOWED] / watts);
    if (watts > v[CAP_ALLOWED]) {
        wpin_judge(a, WPIN_REFUSE,
                   "%s at the motor makes %s in the stage with every PWM edge: at most %s "
                   "at this frequency",
                   wpin_text(a, v[CAP_NOISE], WPIN_CAPACITANCE), WATTS(watts),
                   wpin_text(a, v[CAP_ALLOWED] / (v[CAP_SUPPLY] * v[CAP_SUPPLY] * v[CAP_HZ]),
                             WPIN_CAPACITANCE));
    }
    wpin_next(a, "the bulk capacitor needs a ripple current rating of half the motor's current");
}

/* ---- energy ---- */

enum { ENERGY_VOLTS, ENERGY_AMPS, ENERGY_STANDBY, ENERGY_ON, ENERGY_DAYS, ENERGY_STORE };

static void energy(const double *v, wpin_answer *a) {
    double running = v[ENERGY_VOLTS] * v[ENERGY_AMPS] * v[ENERGY_ON];
    double standby = v[ENERGY_VOLTS] * v[ENERGY_STANDBY] * (86400 - v[ENERGY_ON]);
    double day = running + standby, days = v[ENERGY_STORE] * v[ENERGY_VOLTS] / day;
    double without =
        v[ENERGY_STORE] * v[ENERGY_VOLTS] / (v[ENERGY_VOLTS] * v[ENERGY_STANDBY] * 86400);
    wpin_say(a, "running, each day", running, WPIN_ENERGY, "V I t = %s x %s x %s",
             VOLTS(v[ENERGY_VOLTS]), AMPS(v[ENERGY_AMPS]), wpin_text(a, v[ENERGY_ON], WPIN_TIME));
    wpin_say(a, "standing by, each day", standby, WPIN_ENERGY,
             "V I t = %s x %s for the rest of the day", VOLTS(v[ENERGY_VOLTS]),
             AMPS(v[ENERGY_STANDBY]));
    wpin_say(a, "days the charge lasts", days, WPIN_NUMBER, "%s / (running + standing by)",
             wpin_text(a, v[ENERGY_STORE] * v[ENERGY_VOLTS], WPIN_ENERGY));
    wpin_say(a, "days if the load stays off", without, WPIN_NUMBER, "the same without running");
    wpin_margin(a, days / v[ENERGY_DAYS]);
    wpin_next(a, "standing by is often the larger part: what does the controller draw asleep?");
}

const wpin_sheet wpin_sheets_power[] = {
    {"heat",
     "what a stage keeps for itself: drop and heat",
     {ASK("supply", "what feeds it", WPIN_VOLTAGE, 0.5, 200, 0),
      ASK("load", "the motor's current", WPIN_CURRENT, 1e-3, 500, 0.1),
      ASK("on-resistance", "of each switch", WPIN_RESISTANCE, 0, 100, 0.3),
      TAKE("saturation", "drop of each bipolar switch; 0 V for field-effect ones", WPIN_VOLTAGE, 0,
           0, 5, 0),
      TAKE("heat", "thermal resistance to the air", WPIN_HEAT_RESISTANCE, 40, 0.1, 1e3, 0),
      TAKE("air", "temperature of the air", WPIN_TEMPERATURE, 40, -40, 120, 0),
      TAKE("survives", "highest junction temperature", WPIN_TEMPERATURE, 150, 60, 250, 0)},
     "supply=12V load=2A on-resistance=250mohm",
     "times the heat it would take",
     heat},
    {"board",
     "limits of a driver board: per output, in all, in parallel, per terminal",
     {ASK("load", "current of each motor while running", WPIN_CURRENT, 1e-3, 500, 0),
      ASK("stall", "stall current of each motor", WPIN_CURRENT, 1e-3, 1e3, 0),
      COUNTED("outputs", "outputs in use", 1, 1, 64),
      COUNTED("parallel", "outputs in parallel for each motor", 1, 1, 8),
      ASK("rated", "rated current of an output", WPIN_CURRENT, 1e-3, 500, 0),
      ASK("absolute", "absolute limit of an output", WPIN_CURRENT, 1e-3, 1e3, 0),
      TAKE("total", "limit of all outputs together", WPIN_CURRENT, 1e3, 1e-3, 1e3, 0),
      TAKE("terminal", "limit of the supply terminal used", WPIN_CURRENT, 1e3, 1e-3, 1e3, 0)},
     "load=1.2A stall=2.8A outputs=2 rated=1.5A absolute=3A total=4A",
     "times what flows",
     board},
    {"supply",
     "sag and current limit of a supply",
     {ASK("voltage", "without load", WPIN_VOLTAGE, 0.5, 200, 0.05),
      ASK("resistance", "inside it and its wires", WPIN_RESISTANCE, 0, 100, 0.2),
      ASK("limit", "current it can give", WPIN_CURRENT, 1e-3, 1e3, 0),
      ASK("load", "current of all loads while running", WPIN_CURRENT, 0, 500, 0),
      ASK("start", "highest current at a start", WPIN_CURRENT, 1e-3, 1e3, 0.1),
      TAKE("least", "lowest voltage that still works", WPIN_VOLTAGE, 0.5, 0.1, 200, 0)},
     "voltage=12V resistance=80mohm limit=5A load=1.2A start=3.5A least=10V",
     "times the current or voltage needed",
     supply},
    {"cells",
     "cells: sag at the start and run time",
     {COUNTED("count", "cells in series", NAN, 1, 100),
      ASK("voltage", "of one cell", WPIN_VOLTAGE, 0.8, 13, 0.08),
      ASK("resistance", "of one cell", WPIN_RESISTANCE, 1e-4, 10, 0.3),
      ASK("capacity", "of one cell", WPIN_CHARGE, 0.1, 1e7, 0.1),
      ASK("load", "mean current", WPIN_CURRENT, 1e-4, 500, 0),
      ASK("start", "highest current at a start", WPIN_CURRENT, 1e-4, 1e3, 0),
      ASK("least", "lowest voltage that still works", WPIN_VOLTAGE, 0.5, 200, 0),
      TAKE("wish", "run time you want", WPIN_TIME, 3600, 1, 1e8, 0)},
     "count=6 voltage=1.25V resistance=30mohm capacity=2000mAh load=800mA start=4A least=6V "
     "wish=1h",
     "times what is needed",
     cells},
    {"regulator",
     "regulator or converter: headroom, heat, input current",
     {ASK("input", "its input", WPIN_VOLTAGE, 0.5, 200, 0.05),
      ASK("output", "its output", WPIN_VOLTAGE, 0.5, 200, 0),
      ASK("current", "at its output", WPIN_CURRENT, 1e-4, 100, 0.1),
      TAKE("headroom", "it needs this much more at its input; a step-down converter 500 mV",
           WPIN_VOLTAGE, USUAL_HEADROOM, 0, 10, 0),
      TAKE("heat", "thermal resistance to the air", WPIN_HEAT_RESISTANCE, 50, 0.1, 1e3, 0),
      TAKE("air", "temperature of the air", WPIN_TEMPERATURE, 40, -40, 110, 0),
      TAKE("efficiency", "of a switching one; 0 % for a linear one", WPIN_SHARE, 0, 0, 0.99, 0),
      TAKE("budget", "current its source may give", WPIN_CURRENT, 1e3, 1e-3, 1e3, 0)},
     "input=12V output=5V current=150mA",
     "times what it would take",
     regulator},
    {"capacitors",
     "bulk capacitor at the stage, noise capacitor at the motor",
     {ASK("supply", "what feeds the stage", WPIN_VOLTAGE, 0.5, 200, 0),
      ASK("load", "the motor's current", WPIN_CURRENT, 1e-3, 500, 0),
      ASK("pwm", "PWM frequency", WPIN_FREQUENCY, 10, 1e6, 0),
      TAKE("ripple", "ripple of the supply you allow", WPIN_VOLTAGE, 0.2, 1e-3, 10, 0),
      TAKE("noise", "capacitor across the motor", WPIN_CAPACITANCE, 100e-9, 0, 1e-2, 0.2),
      TAKE("allowed", "heat in the stage you allow for it", WPIN_POWER, 0.5, 1e-3, 100, 0)},
     "supply=12V load=2A pwm=20kHz",
     "times the heat it makes",
     capacitors},
    {"energy",
     "energy a day, and how long a charge lasts",
     {ASK("voltage", "of the store", WPIN_VOLTAGE, 0.5, 200, 0),
      ASK("current", "while it runs", WPIN_CURRENT, 1e-6, 500, 0.1),
      TAKE("standby", "while it does not", WPIN_CURRENT, 5e-3, 0, 10, 0.1),
      ASK("on", "how long it runs each day", WPIN_TIME, 0, 86400, 0),
      TAKE("days", "days it should last", WPIN_NUMBER, 7, 0.01, 1e4, 0),
      ASK("capacity", "of the store", WPIN_CHARGE, 0.1, 1e8, 0.1)},
     "voltage=12V current=1.5A on=20min capacity=7Ah",
     "times the days you want",
     energy},
};
const unsigned wpin_sheets_power_count = sizeof wpin_sheets_power / sizeof *wpin_sheets_power;
