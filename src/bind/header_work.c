/* A rig at work in firmware: everything that a session does each control period, as a few calls
 * over the tables above them. */
#include "header_work.h"
#include "windpin/host/bind.h"
#include <ctype.h>
#include <string.h>

const char *wpin_header_identifier(char *to, size_t size, const char *name) {
    snprintf(to, size, "%s", name);
    for (char *c = to; *c != '\0'; c++) {
        *c = (char)(isalnum((unsigned char)*c) ? tolower((unsigned char)*c) : '_');
    }
    return to;
}

typedef char name[WPIN_NAME_MAX + 1];

static const char *id_of(name to, const char *part) {
    return wpin_header_identifier(to, sizeof(name), part);
}

static const char *upper(name to, const char *part) {
    id_of(to, part);
    for (char *c = to; *c != '\0'; c++) {
        *c = (char)toupper((unsigned char)*c);
    }
    return to;
}

static const wpin_rig_input *stop_input(const wpin_rig *rig) {
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].stops) {
            return &rig->inputs[i];
        }
    }
    return NULL;
}

static void print_numbers(FILE *to, const wpin_rig *rig) {
    fprintf(to, "/* Which motor is which. */\nenum {");
    for (size_t i = 0; i < rig->load_count; i++) {
        name id;
        fprintf(to, " RIG_MOTOR_%s = %zu,", upper(id, rig->loads[i].name), i);
    }
    fprintf(to, " RIG_MOTORS = %zu };\n", rig->load_count);
}

static void print_motors(FILE *to, const wpin_rig *rig) {
    print_numbers(to, rig);
    fprintf(to, "static wpin_motor rig_motors[RIG_MOTORS];\nstatic wpin_motor *const "
                "rig_motor_list[RIG_MOTORS] = {");
    for (size_t i = 0; i < rig->load_count; i++) {
        fprintf(to, "%s&rig_motors[%zu]", i == 0 ? "" : ", ", i);
    }
    fprintf(to, "};\n");
}

/* ---- inputs ---- */

static const char *kind_name(uint8_t kind) {
    static const char *const names[] = {"BUTTON", "LIMIT",     "PAIR",   "KNOB",
                                        "CURVE",  "TWO_POINT", "PROCESS"};
    return names[kind];
}

/* The member that a kind points to its constants by, which ends their name as well. */
static const char *constants(uint8_t kind) {
    static const char *const names[] = {"button", "button",    "button", "knob",
                                        "curve",  "two_point", "process"};
    return names[kind];
}

static void print_input(FILE *to, const wpin_rig *rig, const wpin_rig_input *input) {
    wpin_bound_input bound;
    name id;
    wpin_bind_input(&bound, rig, input);
    const wpin_input_config *c = &bound.config;
    fprintf(to, "    {.kind = WPIN_INPUT_%s, .at = %u", kind_name(c->kind), c->at);
    if (c->kind == WPIN_INPUT_PAIR) {
        fprintf(to, ", .other = %u, .window_us = %uU", c->other, c->window_us);
    }
    fprintf(to, ", .duty = %d, .%s = &%s_%s},\n", c->duty, constants(c->kind),
            id_of(id, input->name), constants(c->kind));
}

static void print_inputs(FILE *to, const wpin_rig *rig) {
    name id;
    if (rig->input_count == 0) {
        return;
    }
    fprintf(to, "/* Which input is which. */\nenum {");
    for (size_t i = 0; i < rig->input_count; i++) {
        fprintf(to, " RIG_INPUT_%s = %zu,", upper(id, rig->inputs[i].name), i);
    }
    fprintf(to, " RIG_INPUTS = %zu };\n", rig->input_count);
    unsigned kinds = 0;
    for (size_t i = 0; i < rig->input_count; i++) {
        wpin_bound_input bound;
        wpin_bind_input(&bound, rig, &rig->inputs[i]);
        kinds |= 1U << bound.config.kind;
    }
    fprintf(to,
            "/* Their kinds: a core compiled with -DWPIN_INPUT_KINDS=this has no others. */\n"
            "#define RIG_INPUT_KINDS 0x%XU\n"
            "static const wpin_input_config rig_input_table[] = {\n",
            kinds);
    for (size_t i = 0; i < rig->input_count; i++) {
        print_input(to, rig, &rig->inputs[i]);
    }
    fprintf(to, "};\nstatic wpin_input rig_input_state[RIG_INPUTS];\n"
                "static const wpin_inputs_config rig_inputs_config = {rig_input_table, "
                "rig_input_state, RIG_INPUTS};\nstatic wpin_inputs rig_inputs;\n");
}

static void print_stop(FILE *to, const wpin_rig *rig) {
    const wpin_rig_input *input = stop_input(rig);
    name id;
    if (input != NULL) {
        id_of(id, input->name);
        fprintf(to,
                "static const wpin_stop_config rig_stop_config = {.motors = rig_motor_list, .how = "
                "%s_how, .count = RIG_MOTORS, .pin = %s_pin, .opens = %s};\n"
                "static wpin_stop rig_stop;\n",
                id, id, input->opens ? "true" : "false");
    }
}

/* ---- pins that are read ---- */

/* Adds a pin that is not among them yet. */
static void add(wpin_pin *pins, size_t *count, double pin) {
    bool there = false;
    for (size_t i = 0; i < *count; i++) {
        there = there || pins[i] == (wpin_pin)pin;
    }
    if (!there && *count < 256) {
        pins[(*count)++] = (wpin_pin)pin;
    }
}

static size_t pins_read(const wpin_rig *rig, wpin_pin pins[256]) {
    size_t count = 0;
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].kind <= WPIN_RIG_LIMIT) {
            add(pins, &count, rig->inputs[i].pin);
        }
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        for (unsigned n = 0; load->hall.there && n < 3; n++) {
            add(pins, &count, load->hall.pins[n]);
        }
        bool wires = wpin_rig_counts_here(load);
        for (unsigned n = 0; wires && n < (load->encoder.one_channel ? 1 : 2); n++) {
            add(pins, &count, load->encoder.pins[n]);
        }
    }
    return count;
}

static void print_reads(FILE *to, const wpin_rig *rig) {
    wpin_pin pins[256];
    size_t count = pins_read(rig, pins);
    for (size_t i = 0; i < count; i++) {
        fprintf(to, "%s%u%s",
                i == 0 ? "/* Pins that are read: inputs, with a pull-up. */\n"
                         "static const wpin_pin rig_reads[] = {"
                       : ", ",
                pins[i], i + 1 < count ? "" : "};\n");
    }
    fprintf(to, "#define RIG_READS %zu\n", count);
}

static void print_counters(FILE *to, const wpin_rig *rig) {
    unsigned count = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_encoder *e = &rig->loads[i].encoder;
        if (wpin_rig_counts_here(&rig->loads[i])) {
            fprintf(to, "%s{%u, %u}",
                    count++ == 0
                        ? "/* The wires of each counter; of one with one channel twice the "
                          "same. */\nstatic const struct {\n    wpin_pin a, b;\n} "
                          "rig_counters[] = {"
                        : ", ",
                    e->pins[0], e->pins[e->one_channel ? 0 : 1]);
        }
    }
    fprintf(to, "%s#define RIG_COUNTERS %u\n", count > 0 ? "};\n" : "", count);
}

/* ---- plan ---- */

static void print_switches(FILE *to) {
    fprintf(to, "/* Switches what the plan switches, if something can; by hand where it is NULL: "
                "everything is on before the plan begins. */\n"
                "static wpin_status (*rig_switch)(uint16_t number, bool on);\n"
                "static wpin_status rig_set_switch(void *context, uint16_t number, bool on) {\n"
                "    (void)context;\n"
                "    return rig_switch != NULL ? rig_switch(number, on) : WPIN_OK;\n}\n");
}

static bool sets_inputs(const wpin_plan *plan) {
    for (size_t i = 0; i < plan->step_count; i++) {
        if (plan->steps[i].op == WPIN_OP_SET) {
            return true;
        }
    }
    return false;
}

static void print_plan(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *id) {
    print_switches(to);
    if (sets_inputs(plan)) {
        fprintf(to, "/* What a rehearsal's hand turns, a hand turns here. */\n"
                    "static wpin_status rig_set_input(void *context, uint16_t number, int16_t "
                    "millivolts) {\n    (void)context, (void)number, (void)millivolts;\n    return "
                    "WPIN_OK;\n}\n");
    }
    if (stop_input(rig) != NULL) {
        fprintf(to,
                "static bool rig_stopped(void *context) {\n    (void)context;\n"
                "    wpin_stop_tick(&rig_stop);\n    return wpin_stop_latched(&rig_stop);\n}\n");
    }
    fprintf(to,
            "static wpin_track rig_tracks[%s_TRACKS];\nstatic wpin_sequence rig_sequence;\n"
            "static wpin_sequence_config rig_plan = {.steps = %s_steps, .step_count = %s_STEPS, "
            ".motors = rig_motor_list,\n    .motor_count = RIG_MOTORS, .switch_count = "
            "%s_SWITCHES, .track_count = %s_TRACKS, .tracks = rig_tracks,\n    .set_switch = "
            "rig_set_switch",
            id, id, id, id, id);
    if (rig->input_count > 0) {
        fprintf(to,
                ", .input_count = %zu, .context = &rig_inputs, .read_input = wpin_inputs_held,\n"
                "    .read_duty = wpin_inputs_duty, .rearm_input = wpin_inputs_rearm%s",
                rig->input_count, sets_inputs(plan) ? ", .set_input = rig_set_input" : "");
    }
    fprintf(to, "%s};\n", stop_input(rig) != NULL ? ", .stopped = rig_stopped" : "");
}

/* ---- calls ---- */

static void print_try(FILE *to, const char *what) {
    fprintf(to, "    if (status == WPIN_OK) {\n        status = %s;\n    }\n", what);
}

static void print_open(FILE *to, const wpin_rig *rig, const wpin_plan *plan, uint8_t soft) {
    char call[4 * sizeof(name) + 80];
    name id;
    fprintf(to, "/* Opens everything; nothing moves. What was refused, or WPIN_OK. The port stays "
                "where it is. Init. */\nstatic inline wpin_status rig_open(const wpin_port *port) "
                "{\n    wpin_status status = WPIN_OK;\n");
    if (soft > 0) {
        print_try(to, "wpin_soft_pwm_init(&rig_soft_pwm, port, WPIN_RIG_FAST_TICK_US, "
                      "rig_soft_pins, sizeof rig_soft_pins)");
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        id_of(id, load->name);
        if (load->encoder.there) {
            const char *sensor = wpin_rig_counting_smooth(rig, load) >= 0 ? "counting" : "encoder";
            snprintf(call, sizeof call, "wpin_%s_init(&%s_encoder, &%s_encoder_config, port)",
                     sensor, id, id);
            print_try(to, call);
        }
        if (load->thermistor.there) {
            snprintf(call, sizeof call,
                     "wpin_temperature_init(&%s_temperature, &%s_temperature_config, port)", id,
                     id);
            print_try(to, call);
        }
        snprintf(call, sizeof call, "wpin_motor_init(&rig_motors[%zu], &%s_motor, %s)", i, id,
                 soft > 0 ? "&rig_soft_pwm.port" : "port");
        print_try(to, call);
    }
    if (rig->input_count > 0) {
        print_try(to, "wpin_inputs_init(&rig_inputs, &rig_inputs_config, port)");
    }
    if (stop_input(rig) != NULL) {
        print_try(to, "wpin_stop_init(&rig_stop, &rig_stop_config, port)");
    }
    fprintf(to, "%s    return status;\n}\n", plan != NULL ? "    rig_plan.port = port;\n" : "");
}

static void print_arm(FILE *to) {
    fprintf(to,
            "/* Arms every motor: what was refused first, or WPIN_OK. Tick. */\n"
            "static inline wpin_status rig_arm(void) {\n    wpin_status status = WPIN_OK;\n"
            "    for (uint8_t i = 0; i < RIG_MOTORS && status == WPIN_OK; i++) {\n"
            "        status = wpin_motor_arm(&rig_motors[i]);\n    }\n    return status;\n}\n"
            "/* Whether every motor is armed and has rested: what was just opened may be turning. "
            "Any context. */\nstatic inline bool rig_ready(void) {\n    bool ready = true;\n"
            "    for (uint8_t i = 0; i < RIG_MOTORS; i++) {\n"
            "        ready = ready && wpin_motor_state(&rig_motors[i]) == WPIN_STATE_READY;\n"
            "    }\n    return ready;\n}\n");
}

/* Of a plan too: what ended it early. */
static void print_fault(FILE *to, const wpin_plan *plan) {
    fprintf(to,
            "/* The fault of the first motor that is in one%s; WPIN_OK: none. Any context. */\n"
            "static inline wpin_status rig_fault(void) {\n"
            "    for (uint8_t i = 0; i < RIG_MOTORS; i++) {\n"
            "        if (rig_motors[i].fault != WPIN_OK) {\n"
            "            return (wpin_status)rig_motors[i].fault;\n        }\n    }\n"
            "    return %s;\n}\n",
            plan != NULL ? ", or what ended the plan early" : "",
            plan != NULL ? "rig_sequence.config != NULL ? rig_sequence.result : WPIN_OK"
                         : "WPIN_OK");
}

static void print_close(FILE *to, const wpin_rig *rig) {
    fprintf(to, "/* Every stage in its safe state, and closed. Tick. */\n"
                "static inline void rig_close(void) {\n    for (uint8_t i = 0; i < RIG_MOTORS; "
                "i++) {\n        wpin_motor_close(&rig_motors[i]);\n    }\n}\n"
                "/* From the interrupt of any change of the pins that are read. Fast. */\n"
                "static inline void rig_changed(void) {\n");
    for (size_t i = 0; i < rig->load_count; i++) {
        name id;
        if (rig->loads[i].hall.there) {
            fprintf(to, "    wpin_six_step_edge(&%s_at_work%s);\n", id_of(id, rig->loads[i].name),
                    rig->loads[i].vector.there ? ".rotor" : "");
        }
    }
    fprintf(to, "}\n");
}

/* Only of loads by field orientation, and of those that commutate ahead of their sensors. */
static void print_period(FILE *to, const wpin_rig *rig) {
    bool any = false;
    for (size_t i = 0; i < rig->load_count; i++) {
        name id;
        const wpin_rig_load *load = &rig->loads[i];
        if (!load->vector.there && load->hall.advance <= 0) {
            continue;
        }
        if (!any) {
            fprintf(to,
                    "/* From the interrupt at the begin of each PWM period, once the shunts, if "
                    "any, are converted. Fast. */\nstatic inline void rig_period(void) {\n");
        }
        any = true;
        fprintf(to, "    %s(&%s_at_work);\n",
                load->vector.there ? "wpin_vector_period" : "wpin_six_step_look",
                id_of(id, load->name));
    }
    fprintf(to, any ? "}\n" : "");
}

/* The same of loads without sensors; and whether one of either kind lives on such an interrupt. */
static void print_middle(FILE *to, const wpin_rig *rig) {
    bool any = false, lives = false;
    for (size_t i = 0; i < rig->load_count; i++) {
        name id;
        const wpin_rig_load *load = &rig->loads[i];
        lives = lives || load->vector.there || load->crossing.there;
        if (!load->crossing.there) {
            continue;
        }
        if (!any) {
            fprintf(to, "/* From the interrupt in the middle of the on part of each PWM period. "
                        "Fast. */\nstatic inline void rig_middle(void) {\n");
        }
        any = true;
        fprintf(to, "    wpin_sensorless_sample(&%s_at_work);\n", id_of(id, load->name));
    }
    fprintf(to, any ? "}\n" : "");
    fprintf(to,
            "/* 1: a motor here is not driven without an interrupt in each PWM period. */\n"
            "#define RIG_PERIODS %d\n",
            lives);
}

static void print_start(FILE *to) {
    fprintf(to,
            "/* Begins the plan, once all is ready; rig_tick carries it out. Tick. */\n"
            "static inline wpin_status rig_start(void) {\n"
            "    return rig_ready() ? wpin_sequence_start(&rig_sequence, &rig_plan) : "
            "WPIN_REFUSED_NOT_ZERO;\n}\n"
            "/* Whether it goes on, or a motor has not come to rest. Any context. */\n"
            "static inline bool rig_busy(void) {\n    return wpin_sequence_busy(&rig_sequence);\n"
            "}\n");
}

static void print_tick(FILE *to, const wpin_rig *rig, const wpin_plan *plan) {
    fprintf(to, "/* One control period: every WPIN_RIG_TICK_US, from one place. Tick. */\n"
                "static inline void rig_tick(void) {\n");
    if (rig->input_count > 0) {
        fprintf(to, "    wpin_inputs_update(&rig_inputs);\n");
    }
    if (plan != NULL) {
        fprintf(to, "    if (rig_sequence.config != NULL) { /* it was started */\n"
                    "        wpin_sequence_tick(&rig_sequence);\n        return;\n    }\n");
    }
    if (stop_input(rig) != NULL) {
        fprintf(to, "    wpin_stop_tick(&rig_stop);\n");
    }
    fprintf(to, "    wpin_motors_tick(rig_motor_list, RIG_MOTORS);\n}\n");
}

static void print_fast_tick(FILE *to, const wpin_rig *rig, uint8_t soft) {
    bool fast = false;
    for (size_t i = 0; i < rig->load_count; i++) {
        fast = fast || wpin_rig_needs_fast_tick(&rig->loads[i]);
    }
    fprintf(to,
            "/* Steps, and PWM made in software: every WPIN_RIG_FAST_TICK_US, from an interrupt, "
            "if RIG_FAST is 1. Fast. */\n#define RIG_FAST %d\n"
            "static inline void rig_fast_tick(void) {\n",
            fast);
    if (soft > 0) {
        fprintf(to, "    wpin_soft_pwm_tick(&rig_soft_pwm);\n");
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        name id;
        if (wpin_rig_type(&rig->loads[i])->steps) {
            fprintf(to, "    wpin_stepper_tick(&%s_at_work);\n", id_of(id, rig->loads[i].name));
        }
    }
    fprintf(to, "}\n");
}

void wpin_header_work(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *plan_id) {
    wpin_pin pins[WPIN_SOFT_PINS];
    uint8_t soft = wpin_bind_soft_pins(rig, pins);
    fprintf(to,
            "\n/* ---- All of it at work: rig_open, rig_arm, then rig_tick every "
            "WPIN_RIG_TICK_US%s ---- */\n",
            plan != NULL ? ", and rig_start once rig_ready" : "");
    print_motors(to, rig);
    for (uint8_t i = 0; i < soft; i++) {
        fprintf(to, "%s%u%s", i == 0 ? "static const wpin_pin rig_soft_pins[] = {" : ", ", pins[i],
                i + 1 < soft ? "" : "};\nstatic wpin_soft_pwm rig_soft_pwm;\n");
    }
    print_reads(to, rig);
    print_counters(to, rig);
    print_inputs(to, rig);
    print_stop(to, rig);
    if (plan != NULL) {
        print_plan(to, rig, plan, plan_id);
    }
    fprintf(to, "\n");
    print_open(to, rig, plan, soft);
    print_arm(to);
    print_fault(to, plan);
    if (plan != NULL) {
        print_start(to);
    }
    print_tick(to, rig, plan);
    print_fast_tick(to, rig, soft);
    print_close(to, rig);
    print_period(to, rig);
    print_middle(to, rig);
}
