/** @file sim.h
 * Simulated hardware: a board of parts and wires behind a wpin_port. It knows controller pins,
 * bridge chips, supplies and motors, and nothing of the core's truth tables: the chip decides its
 * legs from the levels on its inputs by its own logic. Between two switching edges the circuit is
 * linear and is solved exactly.
 *
 *     wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){...});
 *     int supply = wpin_sim_add_supply(sim, &twelve_volts);
 *     int bridge = wpin_sim_add_bridge(sim, &chip, supply);
 *     int motor = wpin_sim_add_motor(sim, &pump, bridge);
 *     wpin_sim_wire_input(sim, bridge, WPIN_DRIVER_INPUT_PWM, 9);
 *     wpin_port port = wpin_sim_port(sim);
 *
 * Host only: uses floating point and the heap. All quantities SI (V, A, ohm, H, Nm, kg m2,
 * rad/s, s) unless the name says otherwise. Not for interrupts, one thread a board.
 */
#ifndef WINDPIN_SIM_H
#define WINDPIN_SIM_H

#include "../api.h"
#include "../fieldbus.h"
#include "../port.h"
#include "parts.h"
#include <stdio.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A simulated board. */
typedef struct wpin_sim wpin_sim;

/** What the controller's interrupt does when one of its sensors changes. */
typedef void wpin_sim_interrupt(void *context);

/** Called for every change of an opened pin, in the order of time; at first once for each pin
 * that is open already. */
typedef void wpin_sim_pin_watcher(void *context, int64_t picoseconds, wpin_pin pin,
                                  wpin_level level);

/** A new board with 256 floating pins. NULL when out of memory or the controller makes no sense
 * (voltages, resistances, clock must be above zero). */
WPIN_API wpin_sim *wpin_sim_new(const wpin_part_controller *controller);
/** Frees the board; NULL is fine. */
WPIN_API void wpin_sim_free(wpin_sim *sim);

/** Adds a supply; its number from 0, or -1 (out of memory, values out of range). */
WPIN_API int wpin_sim_add_supply(wpin_sim *sim, const wpin_part_supply *supply);
/** Adds a supply made from another one; its number from 0, or -1. */
WPIN_API int wpin_sim_add_regulator(wpin_sim *sim, const wpin_part_regulator *regulator);
/** Feeds the controller from a supply: it draws `amps`, and below `least_volts` it resets: every
 * pin floats. False if there is no such supply. */
WPIN_API bool wpin_sim_feed_controller(wpin_sim *sim, int supply, double amps, double least_volts);
/** How often the controller was reset by a low supply. It stays so: a port opened anew works
 * again. */
WPIN_API int wpin_sim_resets(const wpin_sim *sim);
/** Voltage at a supply's terminals now, V. */
WPIN_API double wpin_sim_supply_volts(const wpin_sim *sim, int supply);
/** Adds a bridge chip fed from a supply; its number from 0, or -1. */
WPIN_API int wpin_sim_add_bridge(wpin_sim *sim, const wpin_part_driver *bridge, int supply);
/** Adds a field bus with so many bit/s; its number from 0, or -1. */
WPIN_API int wpin_sim_add_fieldbus(wpin_sim *sim, double bit_rate);
/** Puts a drive on a bus, which regulates the motor of a bridge of WPIN_LOGIC_FIELD_BUS. False if
 * there is no such bus or motor, or a value is out of range. */
WPIN_API bool wpin_sim_add_drive(wpin_sim *sim, const wpin_part_axis *part, int fieldbus,
                                 int bridge);
/** Writes the data sheet of such a drive (CiA 306): see eds.h. */
WPIN_API void wpin_sim_write_eds(FILE *to);
/** The controller's end of a bus; false if there is none. It lives as long as the board. */
WPIN_API bool wpin_sim_fieldbus(wpin_sim *sim, int fieldbus, wpin_fieldbus *bus);
/** Called for every frame that ended on a bus, at that moment. */
typedef void wpin_sim_frame_watcher(void *context, const wpin_frame *frame, int64_t picoseconds);
/** Loses a frame of a bus: the n'th from now on; 0: none. */
WPIN_API bool wpin_sim_lose_frame(wpin_sim *sim, int fieldbus, unsigned long nth);
/** Watches all frames of a bus; NULL stops. False if there is no such bus. */
WPIN_API bool wpin_sim_watch_fieldbus(wpin_sim *sim, int fieldbus, wpin_sim_frame_watcher *watcher,
                                      void *context);
/** Somebody else on a bus, who hears the frames of all others; a number from 0, or -1. */
WPIN_API int wpin_sim_join_fieldbus(wpin_sim *sim, int fieldbus, wpin_sim_frame_watcher *hear,
                                    void *context);
/** That one sends a frame; false: its queue is full. */
WPIN_API bool wpin_sim_tell_fieldbus(wpin_sim *sim, int fieldbus, int who, const wpin_frame *frame);
/** What went over it so far. */
WPIN_API wpin_part_bus_use wpin_sim_fieldbus_use(const wpin_sim *sim, int fieldbus);
/** Adds the motor of a bridge (one each), red to leg A; its number from 0, or -1. A brushless one
 * needs a driver with three legs, and that a brushless one. */
WPIN_API int wpin_sim_add_motor(wpin_sim *sim, const wpin_part_motor *motor, int bridge);
/** The same for other loads; all are numbered together with the motors. */
WPIN_API int wpin_sim_add_lamp(wpin_sim *sim, const wpin_part_lamp *lamp, int bridge);
WPIN_API int wpin_sim_add_solenoid(wpin_sim *sim, const wpin_part_solenoid *solenoid, int bridge);
/** A stepper needs a driver of two channels, and that one a stepper. */
WPIN_API int wpin_sim_add_stepper(wpin_sim *sim, const wpin_part_stepper *stepper, int bridge);

/** Wires a controller pin to a chip input. Several inputs may share a pin. False if no such. */
WPIN_API bool wpin_sim_wire_input(wpin_sim *sim, int bridge, int input, wpin_pin pin);
/** Says that an input is inverted, on its way or inside the chip. False if no such. */
WPIN_API bool wpin_sim_invert_input(wpin_sim *sim, int bridge, int input);
/** Wires a pin to ground through a resistance (0 for a dead short). */
WPIN_API bool wpin_sim_wire_ground(wpin_sim *sim, wpin_pin pin, double ohms);
/** Says which pins have no timer: PWM is refused on them. */
WPIN_API bool wpin_sim_no_timer(wpin_sim *sim, wpin_pin pin);
/** Wires two pins together. False if one is wired to a pin already. */
WPIN_API bool wpin_sim_wire_pins(wpin_sim *sim, wpin_pin one, wpin_pin other);
/** How fine the converter of the analogue inputs is: whole steps of logic_volts / 2^bits. 0, as at
 * first: as fine as what is told, 1 mV. False above 24. */
WPIN_API bool wpin_sim_set_converter(wpin_sim *sim, unsigned bits);
/** From now on periods of PWM in which all three leads of a brushless motor conduct go by their
 * means, wherever nothing happens in them but the switching: at the end of each, currents are
 * within 0.1 % (rms) of what they are edge by edge, in half of the time, or two thirds of it
 * without dead times. There is no ripple within. Or no longer. */
WPIN_API void wpin_sim_average(wpin_sim *sim, bool averages);
/** Wires a bridge's current sense to an analogue input. */
WPIN_API bool wpin_sim_wire_sense(wpin_sim *sim, int bridge, uint8_t input);
/** Wires a thermistor on a bridge, or in the winding behind it, to an analogue input; there its
 * part must have `heat`, or it stays at 25 degC. */
WPIN_API bool wpin_sim_wire_thermistor(wpin_sim *sim, const wpin_part_thermistor *part, int bridge,
                                       bool in_winding, uint8_t input);
/** Wires a supply through a divider (output/input, 0 to 1) to an analogue input. */
WPIN_API bool wpin_sim_wire_supply(wpin_sim *sim, int supply, uint8_t input, double ratio);

/** Puts an encoder on the shaft of a motor (not of other loads): the number of its counter for
 * wpin_port.count, from 0; -1 when it can not be. */
WPIN_API int wpin_sim_add_encoder(wpin_sim *sim, const wpin_part_encoder *encoder, int motor);

/** Puts Hall sensors on the shaft of a brushless motor, a, b and c wired to these pins, or to its
 * driver: their number from 0; -1 when it can not be. */
WPIN_API int wpin_sim_add_hall(wpin_sim *sim, const wpin_part_hall *hall, int motor,
                               const wpin_pin pins[3]);
/** Calls `interrupt` within 2 us of each change of these sensors, as a pin-change interrupt would;
 * it may call everything of the port, and let time pass there. NULL: no more. False if there are
 * none. */
WPIN_API bool wpin_sim_on_hall(wpin_sim *sim, int hall, wpin_sim_interrupt *interrupt,
                               void *context);

/** What the phases of a brushless motor do now. False: it is none. */
WPIN_API bool wpin_sim_read_phases(const wpin_sim *sim, int motor, wpin_part_phases *phases);

/** Puts comparators on the leads of a brushless motor, a, b and c wired to these pins: their number
 * from 0; -1 when it can not be. */
WPIN_API int wpin_sim_add_comparators(wpin_sim *sim, const wpin_part_comparators *comparators,
                                      int motor, const wpin_pin pins[3]);
/** Calls `interrupt` in the middle of the on part of each PWM period of a brushless motor, as a
 * timer's compare interrupt would (without PWM every 50 us); it may call everything of the port.
 * NULL: no more. False if it is none. */
WPIN_API bool wpin_sim_on_pwm_middle(wpin_sim *sim, int motor, wpin_sim_interrupt *interrupt,
                                     void *context);

/** Puts shunts into the legs of the driver of a brushless motor, those of a, b and c on these
 * analogue inputs (WPIN_PART_NO_SHUNT: that leg has none): their number from 0; -1 when it can not
 * be. */
WPIN_API int wpin_sim_add_shunts(wpin_sim *sim, const wpin_part_shunts *shunts, int motor,
                                 const uint8_t inputs[3]);
/** Calls `interrupt` at the begin of each PWM period of their driver (centred PWM: in the middle of
 * its low sides), as a converter's end of conversion would; without PWM every 50 us. It may call
 * everything of the port. NULL: no more. False if there are none. */
WPIN_API bool wpin_sim_on_pwm_begin(wpin_sim *sim, int shunts, wpin_sim_interrupt *interrupt,
                                    void *context);

/** Wires a button to ground, with a pull-up, to a pin: released reads high. It bounces for
 * `bounce` s at each change. */
WPIN_API bool wpin_sim_wire_button(wpin_sim *sim, wpin_pin pin, double bounce);
/** Says that a button's contact opens when it is pressed: a stop switch. False if there is none. */
WPIN_API bool wpin_sim_button_opens(wpin_sim *sim, wpin_pin pin);
/** Presses or releases the button on a pin. False if there is none. */
WPIN_API bool wpin_sim_press(wpin_sim *sim, wpin_pin pin, bool pressed);
/** Wires a knob between ground and the logic supply to an analogue input, with noise of `noise` V
 * from tip to tip, the same in every run. */
WPIN_API bool wpin_sim_wire_knob(wpin_sim *sim, uint8_t input, double noise);
/** Turns the knob on an input to a share of its way, 0 to 1. False if there is none. */
WPIN_API bool wpin_sim_turn(wpin_sim *sim, uint8_t input, double share);

/** Wires a limit switch to ground, with a pull-up, to a pin: it is closed (reads low) while the
 * output of a motor stands between two places, turns; `opens` makes it a switch that opens there,
 * so that a broken wire reads like the limit. */
WPIN_API bool wpin_sim_wire_limit(wpin_sim *sim, wpin_pin pin, int motor, double from, double to,
                                  bool opens);
/** Puts a voltage on an analogue input, as a sensor with noise would, V. */
WPIN_API bool wpin_sim_wire_sensor(wpin_sim *sim, uint8_t input, double volts, double noise);
/** Changes a sensor's voltage. False if there is none. */
WPIN_API bool wpin_sim_set_sensor(wpin_sim *sim, uint8_t input, double volts);

/** The board as a port. Valid as long as the board. */
WPIN_API wpin_port wpin_sim_port(wpin_sim *sim);

/** Lets time pass, ps (1e-12 s). */
WPIN_API void wpin_sim_advance(wpin_sim *sim, int64_t picoseconds);
/** The same towards a moment at which nothing but the port is used: what a timer of the controller
 * does on the way. The hardware may follow later, in longer stretches; the port sees none of that.
 * Before anything else is asked or done let wpin_sim_advance have the time that is left, or none.
 */
WPIN_API void wpin_sim_pass(wpin_sim *sim, int64_t picoseconds);
/** Time since the start, ps. */
WPIN_API int64_t wpin_sim_time(const wpin_sim *sim);

/** Moves a supply's switch. False if there is no such supply. */
WPIN_API bool wpin_sim_switch(wpin_sim *sim, int supply, bool on);
/** Whether a supply's switch is on. */
WPIN_API bool wpin_sim_supply_on(const wpin_sim *sim, int supply);
/** Changes the constant load torque at the output, Nm. */
WPIN_API bool wpin_sim_set_load(wpin_sim *sim, int motor, double torque);

/** Puts a fault in (on) or mends it. `number` is the supply, bridge, motor or pin it is about.
 * False if there is no such. What burnt stays burnt. */
WPIN_API bool wpin_sim_inject(wpin_sim *sim, wpin_part_fault fault, int number, int detail,
                              bool on);

/** Whether a burn or a note could not be kept: the lists are not whole. */
WPIN_API bool wpin_sim_out_of_memory(const wpin_sim *sim);

/** Whether the link to the controller is lost; who commands looks at it. */
WPIN_API bool wpin_sim_link_lost(const wpin_sim *sim);

/** Whether interrupts no longer come; who runs a fast timer looks at it. */
WPIN_API bool wpin_sim_interrupts_off(const wpin_sim *sim);

/** What a motor did since the last call; starts the next means. */
WPIN_API wpin_part_reading wpin_sim_read(wpin_sim *sim, int motor);
/** What burnt so far, oldest first. */
WPIN_API const wpin_part_burn *wpin_sim_burns(const wpin_sim *sim, size_t *count);
/** What else happened so far, oldest first. */
WPIN_API const wpin_part_event *wpin_sim_events(const wpin_sim *sim, size_t *count);
/** Tells every pin change from now on; NULL stops. */
WPIN_API void wpin_sim_watch_pins(wpin_sim *sim, wpin_sim_pin_watcher *watcher, void *context);

#ifdef __cplusplus
}
#endif
#endif
