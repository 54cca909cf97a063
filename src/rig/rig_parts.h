/* What the files that read a rig share. */
#ifndef WPIN_RIG_PARTS_H
#define WPIN_RIG_PARTS_H

#include "fields.h"
#include "windpin/host/rig.h"

#define QUANTITY(key, type, member, need, dim, low, high)                                          \
    {                                                                                              \
        key, WPIN_FIELD_QUANTITY, need, dim, offsetof(type, member), low, high, {                  \
            NULL, NULL                                                                             \
        }                                                                                          \
    }
#define CHOICE(key, type, member, first, second)                                                   \
    {                                                                                              \
        key, WPIN_FIELD_CHOICE, false, WPIN_NUMBER, offsetof(type, member), 0, 0, {                \
            first, second                                                                          \
        }                                                                                          \
    }
#define NODE(key, need)                                                                            \
    {                                                                                              \
        key, WPIN_FIELD_NODE, need, WPIN_NUMBER, 0, 0, 0, {                                        \
            NULL, NULL                                                                             \
        }                                                                                          \
    }
#define COUNT(array) (sizeof(array) / sizeof *(array))

/* Names are words of letters, digits, - and _ that the plan can use, each once in the rig. */
bool wpin_take_name(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *key,
                    const char *name, char *to);
/* Reads pin numbers by line name; returns a bit for each line given, and another for each named at
 * all. */
#define WPIN_PIN_NAMED(line) (1U << (16 + (line)))
unsigned wpin_read_pins(wpin_reader *reader, yaml_node_t *map, const wpin_stage_kind *kind,
                        const char *what, uint8_t *pins);
/* Reads a list of line names; what is not listed stays as it is. */
void wpin_read_lines(wpin_reader *reader, yaml_node_t *list, const wpin_stage_kind *kind,
                     const char *what, bool *listed);
/* Reads the pins of a load's stage, its kind known; checks them against the rest of the rig. */
void wpin_read_stage_pins(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          wpin_rig_load *load);
/* Reads the stage of a load; what the driver's defaults follow from it. False if it has none. */
bool wpin_read_stage(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                     wpin_rig_load *load);
/* Reads a whole number used as a pin. */
/* Other names of pins; and the pin of a text, by the controller's numbers or those names: false
 * with a message. */
void wpin_read_pin_names(wpin_reader *reader, yaml_node_t *node, wpin_rig_controller *c);
bool wpin_pin_of(wpin_reader *reader, const yaml_node_t *node, const char *text, uint8_t *pin);
bool wpin_read_pin(wpin_reader *reader, yaml_node_t *node, uint8_t *pin);
/* What is said about wiring beyond the stages. */
void wpin_read_timer_pins(wpin_reader *reader, const yaml_node_t *list, wpin_rig_controller *c);
void wpin_read_taken(wpin_reader *reader, const yaml_node_t *map, wpin_rig_controller *c);
void wpin_read_ground(wpin_reader *reader, yaml_node_t *node, char *to);
void wpin_read_statics(wpin_reader *reader, const yaml_node_t *map, wpin_rig_load *load);
void wpin_read_gate(wpin_reader *reader, yaml_node_t *node, const wpin_stage_kind *kind,
                    wpin_part_gate *gate);
/* Remembers where a part and its keys stand. */
void wpin_note_part(wpin_reader *reader, wpin_rig *rig, const char *part, const yaml_node_t *at,
                    const yaml_node_t *map);
void wpin_read_coil(wpin_reader *reader, yaml_node_t *node, wpin_part_driver *bridge);
void wpin_read_opto(wpin_reader *reader, yaml_node_t *node, wpin_part_driver *bridge);
void wpin_read_board(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                     yaml_node_t *node);
int wpin_find_board_at(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node);
void wpin_read_accepts(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *list);
uint32_t wpin_rig_fingerprint(const char *path);
/* Whether something is connected to the stage, and what: motor, lamp, leds, solenoid or stepper.
 * Nodes in this order. */
enum { WHAT_MOTOR, WHAT_LAMP, WHAT_LEDS, WHAT_SOLENOID, WHAT_STEPPER, WHAT_COUNT };
void wpin_read_what(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                    wpin_rig_load *load);
/* Reads the encoder of a load, and how its speed is regulated. */
void wpin_read_encoder(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                       wpin_rig_load *load);
/* No analogue input reads two things. */
void wpin_check_analog(wpin_reader *reader, const wpin_rig *rig);
void wpin_read_hall(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                    wpin_rig_load *load);
void wpin_read_crossing(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                        wpin_rig_load *load);
void wpin_read_vector(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                      wpin_rig_load *load);
/* A mark of what something was found for, and reading one that a command wrote. */
uint32_t wpin_mark_of(const char *text);
bool wpin_read_mark(wpin_reader *reader, yaml_node_t *node, const char *command, uint32_t *mark);
/* Pins a, b and c of three sensors, free and each its own. */
void wpin_read_three_pins(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          const wpin_rig_load *load, const char *what, uint8_t pins[3]);
void wpin_read_speed(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
void wpin_read_current(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
void wpin_read_start(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
void wpin_read_trip(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                    wpin_rig_load *load);
void wpin_read_overload(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
void wpin_read_thermistor(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          wpin_rig_load *load);
/* The driver of a load, given or made of its pin. */
void wpin_read_driver(wpin_reader *reader, const yaml_node_t *load_node, yaml_node_t *node,
                      const wpin_rig *rig, wpin_rig_load *load);
/* What is a relay's alone, and whether a load fits a supply of alternating current. */
void wpin_read_contact(wpin_reader *reader, const yaml_node_t *driver, yaml_node_t *snubber,
                       wpin_rig_load *load);
void wpin_check_alternating(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                            const wpin_rig_load *load);
void wpin_read_cable(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                     wpin_rig_load *load);
void wpin_read_first_motion(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
void wpin_read_identified(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
void wpin_read_position(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
/* A place so far from 0 has to have a number in counts. */
void wpin_check_reach(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load,
                      double turns);
/* What senses a load's shaft on a pin, in words: its encoder, its Hall sensors or the
 * comparators of its leads; NULL: nothing. */
static inline const char *wpin_shaft_sensor_on(const wpin_rig_load *load, uint8_t pin) {
    const wpin_rig_encoder *e = &load->encoder;
    const uint8_t *hall = load->hall.pins;
    if (load->hall.there && (hall[0] == pin || hall[1] == pin || hall[2] == pin)) {
        return "the Hall sensors";
    }
    const uint8_t *above = load->crossing.pins;
    if (load->crossing.there && (above[0] == pin || above[1] == pin || above[2] == pin)) {
        return "the comparators";
    }
    return wpin_rig_counts_here(load) &&
                   (e->pins[0] == pin || (!e->one_channel && e->pins[1] == pin))
               ? "the encoder"
               : NULL;
}
/* A list of settings into `to`: how many. `eds` may be NULL. */
size_t wpin_read_settings(wpin_reader *reader, yaml_node_t *list, const struct wpin_eds *eds,
                          wpin_rig_setting *to, size_t room);
/* A field bus; the drive of a load on one. */
void wpin_read_fieldbus(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key,
                        const char *name, yaml_node_t *node);
void wpin_read_axis(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                    wpin_rig_load *load);
/* Who has a pin already, of what stands before this load in the file and of itself; NULL: nobody.
 */
const char *wpin_pin_user(const wpin_rig *rig, const wpin_rig_load *load, uint8_t pin);
/* Heat of a part; `limit` may be left out where the part has one of its own. */
void wpin_read_heat(wpin_reader *reader, yaml_node_t *node, wpin_part_heat *heat);
/* A winding's; nothing where there is none. */
void wpin_read_winding_heat(wpin_reader *reader, yaml_node_t *node, wpin_part_heat *heat,
                            double limit);
void wpin_read_motor(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
/* Reads one supply, one input, and adds it to the rig. */
void wpin_read_supply(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                      yaml_node_t *node);
void wpin_read_input(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                     yaml_node_t *node);
/* What the controller's keys say about its supply. */
void wpin_read_controller(wpin_reader *reader, wpin_rig *rig, yaml_node_t *node);
/* How it is driven by hand. */
void wpin_read_live(wpin_reader *reader, wpin_rig *rig, yaml_node_t *node);
void wpin_read_linux(wpin_reader *reader, wpin_rig *rig, yaml_node_t *node);
/* Finds the loads that limit switches belong to, once all loads are read. */
void wpin_join_limits(wpin_reader *reader, wpin_rig *rig, yaml_node_t *inputs);
/* Number of a supply by the text of a node, or -1 with a message. */
int wpin_find_supply_at(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node);
/* Reads one load and adds it to the rig. */
void wpin_read_load(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                    yaml_node_t *node);

#endif
