/** @file calc.h
 * Formulas for sizing the parts around a motor. Plain functions of SI quantities, the unit in the
 * name of what they return; no state, nothing printed. Host only.
 *
 * Sources: Horowitz and Hill, "The Art of Electronics" (switches, diodes, regulators); Mohan,
 * Undeland, Robbins, "Power Electronics" (ripple, bootstrap); Fitzgerald, "Electric Machinery" (DC
 * machines); IEC 60063 (preferred values).
 */
#ifndef WINDPIN_CALC_H
#define WINDPIN_CALC_H

#include "../api.h"
#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Which way a preferred value is rounded. */
typedef enum wpin_rounding { WPIN_ROUND_DOWN, WPIN_ROUND_UP } wpin_rounding;

/** The next preferred value of a series, 6, 12 or 24 values a decade (IEC 60063), at most or at
 * least `value` (above 0). */
WPIN_API double wpin_calc_preferred(double value, int series, wpin_rounding rounding);

/** Volts of a pin that drives `amps` into its output resistance. */
WPIN_API double wpin_calc_pin_volts(double open_volts, double pin_ohms, double amps);

/** Base current that saturates a bipolar switch: I_B = I_C / forced gain. */
WPIN_API double wpin_calc_base_amps(double collector_amps, double forced_gain);

/** Resistor that lets `amps` flow between two voltages: R = (V - V_2) / I. For a base: pin under
 * load and V_BE; for a diode in an optocoupler: supply and forward voltage. */
WPIN_API double wpin_calc_series_ohms(double volts, double drop_volts, double amps);

/** On-resistance of a field-effect switch at a gate voltage below the one it is stated for. In the
 * triode region R goes with 1 / (V_GS - V_T). HUGE_VAL at or below the threshold. */
WPIN_API double wpin_calc_fet_ohms(double stated_ohms, double stated_gate_volts,
                                   double threshold_volts, double gate_volts);

/** Highest duty that leaves a bootstrap capacitor `recharge_seconds` of low side in each period. */
WPIN_API double wpin_calc_bootstrap_duty(double hz, double recharge_seconds);

/** Mean current of a free-wheel diode: it carries the motor's current in the off phase, I (1 - d).
 */
WPIN_API double wpin_calc_diode_amps(double motor_amps, double duty);

/** Losses of a free-wheel diode that takes a while to block: each time a switch takes its current
 * over, both are a short across the supply for that long: V I t f. */
WPIN_API double wpin_calc_recovery_watts(double volts, double amps, double recovery_seconds,
                                         double hz);

/** Losses of a capacitor across the motor's leads, charged and discharged through the stage in
 * every PWM period: C V V f. */
WPIN_API double wpin_calc_capacitor_watts(double farads, double volts, double hz);

/** For how long, s, a capacitor that is charged through a resistance takes more than a current:
 * V/R exp(-t/RC) above I, t = RC ln(V / (R I)); 0: never. `peak`: V/R, A. */
WPIN_API double wpin_calc_surge_seconds(double volts, double ohms, double farads, double amps,
                                        double *peak);

/** Bulk capacitor that holds the supply's ripple: it gives I (1 - d) for d / f seconds. */
WPIN_API double wpin_calc_bulk_farads(double motor_amps, double duty, double hz,
                                      double ripple_volts);
/** What a supply swings by at half duty, V. Its capacitor alone would give the square current:
 * I / (4 f C). What comes through the supply's own resistance and a metre of cable (1 uH) keeps it
 * below what a step of that current does there, I (R + sqrt(L / C)): the one goes over into the
 * other as in a capacitor behind a resistance, by the hyperbolic tangent. 0 ohm: not known; the
 * capacitor gives all of it. */
WPIN_API double wpin_calc_bulk_ripple(double amps, double hz, double farads, double supply_ohms);
/** The capacitor with which it swings by no more than so many volts, F. */
WPIN_API double wpin_calc_ripple_farads(double amps, double hz, double ripple_volts,
                                        double supply_ohms);

/** Volts lost in the two switches a motor's current flows through. */
WPIN_API double wpin_calc_stage_volts(double amps, double switch_ohms, double saturation_volts);

/** Junction temperature: air + P R_th. */
WPIN_API double wpin_calc_junction_degrees(double air_degrees, double watts,
                                           double kelvin_per_watt);

/** A winding under PWM, once every period is like the last. */
typedef struct wpin_pwm_loop {
    double on_volts;  /**< Across the loop while the switch is on, back-emf taken off, V. */
    double off_volts; /**< The same in the rest of the period: negative against the current, V. */
    double ohms;      /**< Of the loop. */
    double henries;   /**< Of the winding. */
    double hz;        /**< PWM frequency; 0: always on. */
    bool both_ways; /**< Switches lead it in both phases: it may turn round. Diodes cut it at zero.
                     */
    double turned_volts; /**< More in both phases once it has turned round: a bipolar switch loses
                              volts with the current, a diode against it, V. */
} wpin_pwm_loop;

/** Its current: exponentials of L/R between the edges, cut at zero. */
typedef struct wpin_pwm_wave {
    double least, most; /**< A. */
    double mean, rms;   /**< A. */
    double off_share;   /**< Of the period in which current flows with the switch off. */
} wpin_pwm_wave;

/** The wave at a duty from 0 to 1. Any. */
WPIN_API wpin_pwm_wave wpin_calc_pwm_wave(const wpin_pwm_loop *loop, double duty);
/** Longest stretch, s, for which it is above a current; infinity: always. Any. */
WPIN_API double wpin_calc_pwm_above_seconds(const wpin_pwm_loop *loop, double duty, double amps);

/** Ohms of copper, and a motor's constant, that are so many kelvin warmer than where they were
 * measured: 0.393 %/K more; 0.1 %/K less (ferrite magnets lose 0.2 and warm half as much). Any. */
WPIN_API double wpin_calc_warm_ohms(double cold_ohms, double rise);
WPIN_API double wpin_calc_warm_constant(double cold_constant, double rise);

/** What a winding draws at 25 degC, and what else is in its loop. */
typedef struct wpin_winding_load {
    double ohms;       /**< Of the winding at 25 degC. */
    double other_ohms; /**< Switches, supply, wires. */
    double amps;       /**< Current at 25 degC, A. */
    bool by_volts; /**< The volts are given (a coil, a held motor): the current falls as it warms.
                        Otherwise the torque is given, and the current rises as magnets weaken. */
    bool drifts;   /**< Copper and magnets follow the temperature at all. */
} wpin_winding_load;

/** Watts of a winding that is so many kelvin warmer than 25 degC. Any. */
WPIN_API double wpin_calc_winding_watts(const wpin_winding_load *load, double rise);
/** Kelvin a winding settles above the air, with a thermal resistance in K/W: P Rth with copper's
 * 0.393 %/K and, for a given torque, a motor constant that falls by 0.1 %/K. 1e4 when it runs away.
 * Any. */
WPIN_API double wpin_calc_winding_rise(const wpin_winding_load *load, double kelvin_per_watt);

/** The resistance of tungsten goes with this power of its absolute temperature. */
#define WPIN_FILAMENT_POWER 1.2
/** A lamp's filament at its rated volts and cold. */
typedef struct wpin_filament {
    double volts, watts; /**< Rated. */
    double cold_share;   /**< Resistance at 300 K over that at its rated volts. */
    double warm_up;      /**< About how long it takes to glow, s. */
    double hot; /**< wpin_calc_filament_hot of it, K; 0: it is worked out whenever it is needed. */
} wpin_filament;

/** Its temperature at rated volts, K: tungsten's resistance goes with T^1.2. Any. */
WPIN_API double wpin_calc_filament_hot(const wpin_filament *f);
/** Its resistance at a temperature, ohm. Any. */
WPIN_API double wpin_calc_filament_ohms(const wpin_filament *f, double kelvin);
/** Its temperature after so many watts for a short time: it radiates with T^4. Any. */
WPIN_API double wpin_calc_filament_warm(const wpin_filament *f, double kelvin, double watts,
                                        double seconds);
/** Its light, 1 at rated volts: goes with about the 3.4th power of steady volts. Any. */
WPIN_API double wpin_calc_filament_light(const wpin_filament *f, double kelvin);
/** Longest stretch, s, above a current when its duty climbs from nothing (0 s: at once) to `duty`
 * in so many seconds, from cold. `hz` 0: no PWM. Any. */
WPIN_API double wpin_calc_inrush_seconds(const wpin_filament *f, double volts, double series_ohms,
                                         double hz, double ramp_seconds, double duty, double amps);

/** Time, s, in which it warms from one rise above the air to another, with its thermal time
 * constant in s; infinity when it never gets there. Any. */
WPIN_API double wpin_calc_winding_seconds(const wpin_winding_load *load, double kelvin_per_watt,
                                          double time_constant, double from, double to);

/** Current with the shaft held: V / (R of winding, stage and supply). */
WPIN_API double wpin_calc_stall_amps(double volts, double winding_ohms, double other_ohms);

/** Current when a turning motor is driven the other way, or shorted with volts 0: (V + K w) / R. */
WPIN_API double wpin_calc_reversal_amps(double volts, double back_emf_volts, double ohms);

/** Peak-to-peak ripple current of an inductance under PWM with slow decay: V d (1 - d) / (L f). */
WPIN_API double wpin_calc_ripple_amps(double volts, double duty, double hz, double henries);

/** The same with fast decay, where the supply stands against the current: 2 V d (1 - d) / (L f). */
WPIN_API double wpin_calc_ripple_fast_amps(double volts, double duty, double hz, double henries);

/** Hours that cells of a charge give a current, a share of it left in them. */
WPIN_API double wpin_calc_run_hours(double coulombs, double mean_amps, double share_left);

/** Losses of a linear regulator: (V_in - V_out) I. */
WPIN_API double wpin_calc_linear_watts(double input_volts, double output_volts, double amps);

/** Input current of a switching converter: V_out I / (efficiency V_in). */
WPIN_API double wpin_calc_converter_amps(double output_volts, double output_amps, double efficiency,
                                         double input_volts);

/** Constants of a brushed motor from what can be measured on a bench. */
typedef struct wpin_motor_measured {
    double volts; /**< At which all of it was measured. */
    double no_load_amps;
    double no_load_rpm; /**< Of the motor's own shaft. */
    double stall_amps;
    double start_duty;    /**< Breaks the shaft loose, 0 to 1; 0: not known. */
    double run_down_time; /**< From no-load speed to rest, leads open, s; 0: not known. */
} wpin_motor_measured;

/** The constants. */
typedef struct wpin_motor_constants {
    double ohms;            /**< R = V / I_stall. */
    double constant;        /**< K = (V - I_0 R) / w_0, V s/rad = Nm/A. */
    double dry_friction;    /**< K I_0: all of the no-load current counted as dry friction, Nm. */
    double static_friction; /**< K d V / R at the start duty, at least the dry friction, Nm. */
    double inertia; /**< From the run-down under dry friction: T t / w_0, kg m2; 0: not known. */
} wpin_motor_constants;

/** Works the constants out. Stall current above no-load current, all of them above zero. */
WPIN_API wpin_motor_constants wpin_calc_motor(const wpin_motor_measured *measured);

/** Speed (rad/s) at which a motor settles: K I = T + B w and V = R I + K w; 0 when the stall torque
 * is not above T. */
WPIN_API double wpin_calc_settled_speed(double volts, double ohms, double constant, double torque,
                                        double viscous);

/** Time to rest from a speed (rad/s) with the leads open under a dry torque and viscous friction:
 * J/B ln(1 + B w / T), J w / T without B. HUGE_VAL without any. */
WPIN_API double wpin_calc_run_down_seconds(double inertia, double speed, double torque,
                                           double viscous);

/** A motor with its load and stage, as a speed regulator sees it. All on the motor's shaft. Duties
 * and the current they drive as the stage really does: with gaps in the current they are no
 * straight line. */
typedef struct wpin_speed_plant {
    double amps_per_duty;  /**< How much current more duty drives, where that is the most; A. */
    double amps_per_speed; /**< How much its back-emf takes off, A s/rad. */
    double electrical;     /**< Time constant of the winding, L / R, s. */
    double constant;       /**< K, V s/rad. */
    double inertia;        /**< kg m2. */
    double viscous;        /**< Nm s/rad. */
    double feed;           /**< Duty for full speed, beside that against friction. */
    double friction;       /**< Duty against friction. */
    double breakaway;      /**< The same while it stands. */
    double speeding_up;    /**< Duty for a full speed more each second. */
    double full;           /**< What is called full speed, rad/s. */
    double tick;           /**< Control period, s. */
    double measuring;      /**< What the speed is measured over, s. */
    double response;       /**< Time constant wanted of the closed loop, s; 0: as delays allow. */
} wpin_speed_plant;

/** A speed regulator for it. Speeds in shares of the full one, efforts in shares of full duty. */
typedef struct wpin_speed_design {
    double full;          /**< As above, rad/s. */
    double feed;          /**< Effort for full speed without friction. */
    double friction;      /**< Effort against friction. */
    double breakaway;     /**< The same while the shaft stands. */
    double inertia;       /**< Effort for a full speed a second. */
    double gain;          /**< Effort for an error. */
    double integral_time; /**< s; the integral gain is gain / integral_time. */
    double lag;           /**< Mechanical time constant, s. */
    double delay;         /**< Everything that waits, s. */
    double response;      /**< Time constant of the closed loop, s. */
    double slew;          /**< In which the effort may go from none to full, s. */
    double phase_margin;  /**< Degrees... */
    double bandwidth;     /**< ...at this frequency, where the loop's gain is 1; Hz. */
} wpin_speed_design;

/** Works it out; sources in the source file. */
WPIN_API wpin_speed_design wpin_calc_speed_design(const wpin_speed_plant *plant);

/** A change of speed, and a load that comes later, for a prediction. Speeds in shares of the full
 * one. */
typedef struct wpin_speed_asked {
    double from, to;
    double rate;    /**< The set-point's, full speeds a second. */
    double slew;    /**< The effort's, full duties a second. */
    double window;  /**< What the speed is measured over at these speeds, s. */
    double torque;  /**< On the motor's shaft, Nm... */
    size_t load_at; /**< ...from this tick on. */
} wpin_speed_asked;

/** Predicts the speed at the end of each tick: the plant a straight line through its working point,
 * the regulator as designed. False when out of memory. */
WPIN_API bool wpin_calc_speed_course(const wpin_speed_plant *plant, const wpin_speed_design *design,
                                     const wpin_speed_asked *asked, double *speeds, size_t count);

#ifdef __cplusplus
}
#endif
#endif
