/* Sheets for what is measured: an encoder's counts, found by turning it by hand. */
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

const wpin_sheet wpin_sheets_feedback[] = {
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
