/* Sheets for motors: stall and reversal, PWM and ripple, constants from measurements, what a duty
 * gives. */
#include "answer.h"

#define VOLTS(x) wpin_text(a, x, WPIN_VOLTAGE)
#define AMPS(x)  wpin_text(a, x, WPIN_CURRENT)
#define OHMS(x)  wpin_text(a, x, WPIN_RESISTANCE)
#define PER_RPM  (3.14159265358979323846 / 30)

/* ---- stall and reversal ---- */

enum { STALL_SUPPLY, STALL_OHMS, STALL_OTHER, STALL_RPM, STALL_CONSTANT, STALL_LIMIT };

static void stall(const double *v, wpin_answer *a) {
    double ohms = v[STALL_OHMS] + v[STALL_OTHER];
    double emf = v[STALL_CONSTANT] * v[STALL_RPM] * PER_RPM;
    double held = wpin_calc_stall_amps(v[STALL_SUPPLY], v[STALL_OHMS], v[STALL_OTHER]);
    double braked = wpin_calc_reversal_amps(0, emf, ohms);
    double turned = wpin_calc_reversal_amps(v[STALL_SUPPLY], emf, ohms);
    wpin_say(a, "stall current", held, WPIN_CURRENT, "V / (R_motor + R_stage) = %s / (%s + %s)",
             VOLTS(v[STALL_SUPPLY]), OHMS(v[STALL_OHMS]), OHMS(v[STALL_OTHER]));
    wpin_say(a, "back-emf at speed", emf, WPIN_VOLTAGE, "K w = %.4g mNm/A x %.0f rpm",
             v[STALL_CONSTANT] * 1e3, v[STALL_RPM]);
    wpin_say(a, "braked from speed", braked, WPIN_CURRENT, "K w / R = %s / %s", VOLTS(emf),
             OHMS(ohms));
    wpin_say(a, "reversed at speed", turned, WPIN_CURRENT, "(V + K w) / R = (%s + %s) / %s",
             VOLTS(v[STALL_SUPPLY]), VOLTS(emf), OHMS(ohms));
    wpin_margin(a, v[STALL_LIMIT] / held);
    if (turned > v[STALL_LIMIT] && held <= v[STALL_LIMIT]) {
        wpin_judge(a, WPIN_CAUTION,
                   "it survives a stall, not a reversal at speed (%s): let it rest "
                   "before it turns over",
                   AMPS(turned));
    }
    wpin_next(a, "a trip between running and stall current: current-trip in the rig");
}

/* ---- PWM ---- */

enum { PWM_SUPPLY, PWM_HZ, PWM_HENRIES, PWM_LOAD, PWM_CLOCK, PWM_BITS, PWM_STAGE, PWM_FAST };

static void pwm(const double *v, wpin_answer *a) {
    bool fast = v[PWM_FAST] > 0;
    double ripple = fast ? wpin_calc_ripple_fast_amps(v[PWM_SUPPLY], 0.5, v[PWM_HZ], v[PWM_HENRIES])
                         : wpin_calc_ripple_amps(v[PWM_SUPPLY], 0.5, v[PWM_HZ], v[PWM_HENRIES]);
    double divided = v[PWM_CLOCK], top = exp2(v[PWM_BITS]);
    while (divided / v[PWM_HZ] > top) {
        divided /= 2;
    }
    double steps = round(divided / v[PWM_HZ]);
    wpin_say(a, "ripple, peak to peak", ripple, WPIN_CURRENT,
             "%sV d (1 - d) / (L f) = %s%s / (4 x %s x %s)", fast ? "2 " : "", fast ? "2 x " : "",
             VOLTS(v[PWM_SUPPLY]), wpin_text(a, v[PWM_HENRIES], WPIN_INDUCTANCE),
             wpin_text(a, v[PWM_HZ], WPIN_FREQUENCY));
    wpin_say(a, "ripple against the load", ripple / v[PWM_LOAD], WPIN_SHARE, "%s / %s",
             AMPS(ripple), AMPS(v[PWM_LOAD]));
    wpin_say(a, "timer steps", steps, WPIN_NUMBER, "clock / f = %s / %s, the timer counts to %.0f",
             wpin_text(a, divided, WPIN_FREQUENCY), wpin_text(a, v[PWM_HZ], WPIN_FREQUENCY), top);
    wpin_say(a, "frequency it then has", divided / steps, WPIN_FREQUENCY,
             "clock / steps = %s / %.0f", wpin_text(a, divided, WPIN_FREQUENCY), steps);
    wpin_margin(a, 0.5 * v[PWM_LOAD] / ripple);
    wpin_margin(a, v[PWM_STAGE] / v[PWM_HZ]);
    if (v[PWM_HZ] > v[PWM_STAGE]) {
        wpin_judge(a, WPIN_REFUSE, "the stage follows up to %s only",
                   wpin_text(a, v[PWM_STAGE], WPIN_FREQUENCY));
    } else if (ripple > 0.5 * v[PWM_LOAD]) {
        wpin_judge(a, WPIN_CAUTION,
                   "the current swings by %s of the load: it heats without turning; a "
                   "higher frequency",
                   wpin_text(a, ripple / v[PWM_LOAD], WPIN_SHARE));
    } else if (steps < 100) {
        wpin_judge(a, WPIN_CAUTION, "%.0f duty steps only: a lower frequency or a faster clock",
                   steps);
    } else if (v[PWM_HZ] < 18e3) {
        wpin_judge(a, WPIN_NOTE, "it can be heard: below 18 kHz the motor sings");
    }
    wpin_next(a, "a default frequency is often a few hundred Hz: set it explicitly");
}

/* ---- constants from measurements ---- */

enum { M_VOLTS, M_AMPS, M_RPM, M_STALL, M_START, M_RUN_DOWN };

static void motor(const double *v, wpin_answer *a) {
    wpin_motor_measured measured = {v[M_VOLTS], v[M_AMPS],  v[M_RPM],
                                    v[M_STALL], v[M_START], v[M_RUN_DOWN]};
    if (v[M_AMPS] >= v[M_STALL]) {
        wpin_judge(a, WPIN_REFUSE, "no-load (%s) is not below stall (%s): were they mixed up?",
                   AMPS(v[M_AMPS]), AMPS(v[M_STALL]));
        wpin_next(a, "hold the shaft for a second at a quarter of the volts, and multiply by four");
        return;
    }
    wpin_motor_constants c = wpin_calc_motor(&measured);
    wpin_say(a, "resistance", c.ohms, WPIN_RESISTANCE, "V / I_stall = %s / %s", VOLTS(v[M_VOLTS]),
             AMPS(v[M_STALL]));
    wpin_say(a, "constant", c.constant, WPIN_MOTOR_CONSTANT,
             "(V - I_0 R) / w_0 = (%s - %s) / %.0f rpm", VOLTS(v[M_VOLTS]),
             VOLTS(v[M_AMPS] * c.ohms), v[M_RPM]);
    wpin_say(a, "dry-friction", c.dry_friction, WPIN_TORQUE,
             "K I_0 = %.4g mNm/A x %s (all of it counted as dry)", c.constant * 1e3,
             AMPS(v[M_AMPS]));
    if (v[M_START] > 0) {
        wpin_say(a, "static-friction", c.static_friction, WPIN_TORQUE,
                 "K d V / R at a start duty of %.3g %%", v[M_START] * 100);
    } else {
        wpin_say(a, "static-friction", c.static_friction, WPIN_TORQUE,
                 "as dry-friction: no start duty given");
    }
    if (v[M_RUN_DOWN] > 0) {
        wpin_say(a, "inertia", c.inertia, WPIN_INERTIA,
                 "T t / w_0 = %s x %s / %.0f rpm, leads open",
                 wpin_text(a, c.dry_friction, WPIN_TORQUE), wpin_text(a, v[M_RUN_DOWN], WPIN_TIME),
                 v[M_RPM]);
    }
    wpin_say(a, "stall torque", c.constant * v[M_STALL], WPIN_TORQUE, "K I_stall");
    double share = v[M_AMPS] / v[M_STALL];
    if (share > 0.3) {
        wpin_judge(a, WPIN_CAUTION,
                   "no-load is %.0f %% of stall: friction rules, the constant may be 10 %% off",
                   share * 100);
    } else {
        wpin_judge(
            a, WPIN_FINE,
            "no-load is %.0f %% of stall: the constant is good to about 5 %%, the resistance to "
            "10 %% (warm windings have a fifth more)",
            share * 100);
    }
    wpin_next(
        a,
        "into the rig, with an inductance from the data sheet (1 mH is usual for small motors) "
        "and %s: motor: {resistance: %s, inductance: 1mH, constant: %.4gmNm/A, inertia: %s, "
        "static-friction: %s, dry-friction: %s}",
        v[M_RUN_DOWN] > 0 ? "the load's own figures" : "an inertia from a run-down",
        wpin_text(a, c.ohms, WPIN_RESISTANCE), c.constant * 1e3,
        v[M_RUN_DOWN] > 0 ? wpin_text(a, c.inertia, WPIN_INERTIA) : "?",
        wpin_text(a, c.static_friction, WPIN_TORQUE), wpin_text(a, c.dry_friction, WPIN_TORQUE));
}

/* ---- what a duty gives ---- */

enum { D_SUPPLY, D_DUTY, D_OHMS, D_OTHER, D_CONSTANT, D_TORQUE, D_VISCOUS, D_GEAR, D_WANT };

static void duty(const double *v, wpin_answer *a) {
    double volts = v[D_SUPPLY] * v[D_DUTY], ohms = v[D_OHMS] + v[D_OTHER];
    double speed = wpin_calc_settled_speed(volts, ohms, v[D_CONSTANT], v[D_TORQUE], v[D_VISCOUS]);
    double amps = speed > 0 ? (v[D_TORQUE] + v[D_VISCOUS] * speed) / v[D_CONSTANT] : volts / ohms;
    wpin_say(a, "mean volts", volts, WPIN_VOLTAGE, "d V = %.4g x %s (slow decay)", v[D_DUTY],
             VOLTS(v[D_SUPPLY]));
    if (speed > 0) {
        wpin_say(a, "current", amps, WPIN_CURRENT, "(T + B w) / K, an estimate");
    } else {
        wpin_say(a, "current", amps, WPIN_CURRENT, "d V / R: it stands");
    }
    wpin_say(a, "motor speed", speed / PER_RPM, WPIN_SPEED,
             "(d V - R I) / K = (%s - %s) / %.4g mNm/A", VOLTS(volts), VOLTS(ohms * amps),
             v[D_CONSTANT] * 1e3);
    wpin_say(a, "output speed", speed / PER_RPM / v[D_GEAR], WPIN_SPEED, "motor speed / gear %.4g",
             v[D_GEAR]);
    wpin_say(a, "breaks loose above", v[D_TORQUE] / v[D_CONSTANT] * ohms / v[D_SUPPLY], WPIN_SHARE,
             "T R / (K V): below it the motor hums and stands");
    wpin_margin(a, fmax(speed / PER_RPM / v[D_GEAR] / v[D_WANT], 0));
    wpin_next(
        a,
        "duty is not speed: under load it falls. windpin sweep RIG LOAD shows it over all duties");
}

const wpin_sheet wpin_sheets_motor[] = {
    {"stall",
     "stall, braking and reversal current of a motor",
     {ASK("supply", "what feeds it", WPIN_VOLTAGE, 0.5, 200, 0.05),
      ASK("resistance", "of the winding, cold", WPIN_RESISTANCE, 1e-3, 1e4, 0.1),
      TAKE("stage", "resistance of stage, supply and wires", WPIN_RESISTANCE, 0, 0, 100, 0),
      TAKE("speed", "motor speed before a brake or reversal", WPIN_SPEED, 0, 0, 1e5, 0),
      TAKE("constant", "motor constant", WPIN_MOTOR_CONSTANT, 20e-3, 1e-5, 100, 0),
      ASK("limit", "current the stage survives", WPIN_CURRENT, 1e-3, 1e3, 0)},
     "supply=12V resistance=1.4ohm stage=500mohm speed=4500rpm constant=22mNm/A limit=8A",
     "times the stall current",
     stall},
    {"pwm",
     "PWM frequency: ripple, sound, timer steps",
     {ASK("supply", "what feeds it", WPIN_VOLTAGE, 0.5, 200, 0.05),
      ASK("pwm", "frequency", WPIN_FREQUENCY, 10, 1e6, 0),
      ASK("inductance", "of the motor", WPIN_INDUCTANCE, 1e-6, 10, 0.2),
      ASK("load", "its current", WPIN_CURRENT, 1e-3, 500, 0),
      TAKE("clock", "of the timer", WPIN_FREQUENCY, 16e6, 1e3, 1e9, 0),
      COUNTED("bits", "the timer counts to 2^bits", 16, 8, 32),
      TAKE("stage", "highest frequency of the stage", WPIN_FREQUENCY, 50e3, 10, 1e7, 0),
      COUNTED("fast-decay", "1 when PWM low is free, 0 when it shorts", 0, 0, 1)},
     "supply=12V pwm=20kHz inductance=1.6mH load=1A",
     "times the ripple or frequency",
     pwm},
    {"motor",
     "motor constants from a few measured numbers",
     {ASK("voltage", "at which it was measured", WPIN_VOLTAGE, 0.1, 200, 0),
      ASK("no-load", "current without load", WPIN_CURRENT, 1e-3, 100, 0),
      ASK("speed", "without load, of the motor's own shaft", WPIN_SPEED, 1, 1e5, 0),
      ASK("stall", "current with the shaft held", WPIN_CURRENT, 1e-3, 1e3, 0),
      TAKE("start-duty", "breaks it loose; 0 % if not known", WPIN_SHARE, 0, 0, 1, 0),
      TAKE("run-down", "time to rest with the leads open; 0 s if not known", WPIN_TIME, 0, 0, 600,
           0)},
     "voltage=12V no-load=400mA speed=4600rpm stall=8A run-down=900ms",
     "",
     motor},
    {"duty",
     "what a duty gives: volts, speed and current, an estimate",
     {ASK("supply", "what feeds it", WPIN_VOLTAGE, 0.5, 200, 0.05),
      ASK("duty", "", WPIN_SHARE, 0, 1, 0),
      ASK("resistance", "of the winding", WPIN_RESISTANCE, 1e-3, 1e4, 0.15),
      TAKE("stage", "resistance of stage, supply and wires", WPIN_RESISTANCE, 0, 0, 100, 0),
      ASK("constant", "motor constant", WPIN_MOTOR_CONSTANT, 1e-5, 100, 0),
      ASK("torque", "friction and load, at the motor's shaft", WPIN_TORQUE, 0, 1e3, 0.2),
      TAKE("viscous", "viscous friction", WPIN_VISCOSITY, 0, 0, 10, 0),
      TAKE("gear", "motor turns for one output turn", WPIN_NUMBER, 1, 0.01, 1e5, 0),
      TAKE("want", "output speed you want", WPIN_SPEED, 1, 1e-3, 1e5, 0)},
     "supply=12V duty=60% resistance=1.4ohm stage=500mohm constant=22mNm/A torque=18mNm gear=18 "
     "want=100rpm",
     "times the speed you want",
     duty},
};
const unsigned wpin_sheets_motor_count = sizeof wpin_sheets_motor / sizeof *wpin_sheets_motor;
