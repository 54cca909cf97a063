/* Sheets for what is measured: an encoder's counts, found by turning it by hand; the pole pairs of
 * a brushless motor. */
#include "answer.h"

enum { E_TURNS, E_COUNTS, E_GEAR, E_LINES, E_ANGLE };

/* What an expected figure may have been multiplied with without anybody noticing. */
static const struct slip {
    double ratio;
    const char *words;
} slips[] = {
    {0.25, "a quarter of that: its data names counts, not lines, or one edge of one channel is "
           "counted"},
    {0.5, "half of that: one channel is counted, not both; look for its lead, or leave 'b' out of "
          "its pins"},
    {2, "twice that: the gear is twice as high, or its data names half of its lines"},
    {4, "four times that: its data names something else than lines, or the gear is another one"},
};

static void encoder(const double *v, wpin_answer *a) {
    double counts = fabs(v[E_COUNTS]), off = v[E_ANGLE] / v[E_TURNS]; /* share, by eye */
    double a_turn = counts / v[E_TURNS], of_motor = a_turn / v[E_GEAR];
    wpin_say(a, "counts a turn", a_turn, WPIN_NUMBER,
             "counts / turns = %.0f / %.4g, good to %.2g %%", counts, v[E_TURNS], off * 100);
    wpin_say(a, "counts a motor turn", of_motor, WPIN_NUMBER, "counts a turn / gear %.4g",
             v[E_GEAR]);
    wpin_say(a, "lines, if both channels count", of_motor / 4, WPIN_NUMBER,
             "four edges a line: %.4g / 4", of_motor);
    wpin_say(a, "one count is", 1 / a_turn, WPIN_ANGLE, "of the output: a turn / %.4g", a_turn);
    bool back = v[E_COUNTS] < 0;
    const char *reversed = back ? "; it counts down while it turns forward" : "";
    wpin_margin(a, 0.01 / fmax(off, 1e-9));
    wpin_next(a,
              "the same turns the other way must take as many counts back; then into the rig: "
              "encoder: {lines: %.0f, pins: {a: N, b: N}%s}",
              v[E_LINES] > 0 ? v[E_LINES] : round(of_motor / 4), back ? ", reversed: yes" : "");
    double expected = 4 * v[E_LINES] * v[E_GEAR];
    if (v[E_LINES] <= 0) {
        wpin_judge(a, back ? WPIN_NOTE : WPIN_FINE, "%.0f lines on the motor's shaft%s",
                   round(of_motor / 4), reversed);
        return;
    }
    double ratio = a_turn / expected, near = off + 0.02;
    for (size_t i = 0; i < sizeof slips / sizeof *slips; i++) {
        if (fabs(ratio / slips[i].ratio - 1) < near) {
            wpin_judge(a, WPIN_CAUTION, "expected %.0f counts a turn, and it is %s", expected,
                       slips[i].words);
            return;
        }
    }
    if (fabs(ratio * v[E_GEAR] - 1) < near && v[E_GEAR] > 1.1) {
        wpin_judge(a, WPIN_CAUTION, "it sits behind the gear: encoder: {..., at: output}");
    } else if (fabs(ratio - 1) < near) {
        wpin_judge(a, back ? WPIN_NOTE : WPIN_FINE, "as expected, %.0f counts a turn%s", expected,
                   reversed);
    } else {
        wpin_judge(a, WPIN_CAUTION,
                   "expected %.0f counts a turn, found %.0f: another gear, missed counts, or "
                   "another number of turns than you think",
                   expected, a_turn);
    }
}

/* ---- pole pairs ---- */

enum { P_TURNS, P_HIGHS, P_SPEED, P_FREQUENCY, P_GEAR, P_EXPECTED, P_OFF };

static bool is_whole(double found, double off) {
    return round(found) >= 1 && fabs(found - round(found)) <= fmax(0.2, off * found);
}

static void judge_poles(double found, double off, double expected, wpin_answer *a) {
    double whole = round(found);
    if (expected > 0 && fabs(found - 6 * expected) <= fmax(0.2, off * found)) {
        wpin_judge(
            a, WPIN_CAUTION,
            "six times the %.0f expected: all changes of three sensors were counted, six for "
            "each pole pair",
            expected);
    } else if (!is_whole(found, off)) {
        wpin_judge(a, WPIN_CAUTION,
                   "%.3g is no whole number: another number of turns than you think, another gear, "
                   "or changes of all three sensors counted (six for each pole pair)",
                   found);
    } else if (expected <= 0) {
        wpin_judge(a, WPIN_FINE, "%.0f pole pairs, %.0f magnets", whole, 2 * whole);
    } else if (whole == expected) {
        wpin_judge(a, WPIN_FINE, "as expected, %.0f pole pairs", whole);
    } else if (2 * whole == expected) {
        wpin_judge(a, WPIN_CAUTION,
                   "half of the %.0f expected: that is the number of its magnets, and a pair of "
                   "them counts once",
                   expected);
    } else if (whole == 2 * expected) {
        wpin_judge(a, WPIN_CAUTION,
                   "twice the %.0f expected: its label was halved twice, or its gear is twice as "
                   "high",
                   expected);
    } else {
        wpin_judge(a, WPIN_CAUTION, "%.0f were expected: another motor, or another gear", expected);
    }
}

/* By hand, or while it turns: how often a sensor goes high, or the voltage of a lead goes round,
 * for each turn of its shaft. */
static void poles(const double *v, wpin_answer *a) {
    bool turned = v[P_TURNS] > 0 && v[P_HIGHS] > 0, runs = v[P_SPEED] > 0 && v[P_FREQUENCY] > 0;
    if (!turned && !runs) {
        wpin_judge(a, WPIN_REFUSE,
                   "nothing was measured: turns and highs by hand, or speed and frequency while it "
                   "turns");
        wpin_next(a, "turn the shaft by hand, ten times, and count how often one Hall sensor goes "
                     "high");
        return;
    }
    double a_turn = turned ? v[P_HIGHS] / v[P_TURNS] : 60 * v[P_FREQUENCY] / v[P_SPEED];
    double found = a_turn / v[P_GEAR];
    double off = turned ? v[P_OFF] / v[P_TURNS] : 0.03; /* by eye; a tachometer's and a counter's */
    wpin_say(a, "times a turn", a_turn, WPIN_NUMBER,
             turned ? "highs / turns = %.4g / %.4g"
                    : "60 x frequency / speed = 60 x %.4g Hz / %.4g rpm",
             turned ? v[P_HIGHS] : v[P_FREQUENCY], turned ? v[P_TURNS] : v[P_SPEED]);
    wpin_say(a, "pole pairs", found, WPIN_NUMBER, "times a turn / gear %.4g", v[P_GEAR]);
    wpin_say(a, "magnets", 2 * found, WPIN_NUMBER, "two for each pair");
    judge_poles(found, off, v[P_EXPECTED], a);
    if (is_whole(found, off)) {
        wpin_next(a,
                  "into the rig: motor: {pole-pairs: %.0f, ...}; windpin order then finds which "
                  "code of the sensors belongs to which sector",
                  round(found));
    } else {
        wpin_next(a, "once more, with more turns");
    }
}

const wpin_sheet wpin_sheets_feedback[] = {
    {"poles",
     "the pole pairs of a brushless motor, by hand or while it turns",
     {TAKE("turns", "of the output made by hand; ten are good", WPIN_NUMBER, 0, 0, 1000, 0),
      COUNTED("highs", "how often one of its Hall sensors went high meanwhile", 0, 0, 1e6),
      TAKE("speed", "or measured of the output while it turns", WPIN_SPEED, 0, 0, 1e5, 0),
      TAKE("frequency", "of one of its sensors, or of the volts of a lead, at that speed",
           WPIN_FREQUENCY, 0, 0, 1e5, 0),
      TAKE("gear", "motor turns for one output turn", WPIN_NUMBER, 1, 0.01, 1e5, 0),
      COUNTED("pole-pairs", "as the rig has them; 0: not known", 0, 0, 60),
      TAKE("by-eye", "how well the end of the last turn was hit", WPIN_ANGLE, 5.0 / 360, 0, 0.5,
           0)},
     "turns=10 highs=70 pole-pairs=14",
     NULL,
     poles},
    {"encoder",
     "an encoder's lines and way, from turns made by hand",
     {ASK("turns", "of the output made by hand, forward; ten are good", WPIN_NUMBER, 0.1, 1000, 0),
      COUNTED("counts", "that came, below 0 if it counted down", NAN, -1e8, 1e8),
      TAKE("gear", "motor turns for one output turn", WPIN_NUMBER, 1, 0.01, 1e5, 0),
      COUNTED("lines", "as its data says; 0: not known", 0, 0, 1e5),
      TAKE("by-eye", "how well the end of the last turn was hit", WPIN_ANGLE, 5.0 / 360, 0, 0.5,
           0)},
     "turns=10 counts=-2640 gear=6 lines=11",
     "times as good as 1 %",
     encoder},
};
const unsigned wpin_sheets_feedback_count =
    sizeof wpin_sheets_feedback / sizeof *wpin_sheets_feedback;
