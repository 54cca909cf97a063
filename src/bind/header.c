/* A rig, and a plan, as constant C tables for firmware. */
#define _GNU_SOURCE
#include "header_feedback.h"
#include "header_plan.h"
#include "header_work.h"
#include <ctype.h>
#include <math.h>
#include <string.h>

static const char *yes(bool value) {
    return value ? "true" : "false";
}

static const char *cell_name(wpin_cell cell) {
    static const char *const names[] = {"LOW",   "HIGH",  "DUTY", "COMPLEMENT",
                                        "FLOAT", "PULSE", "KEEP"};
    return names[cell];
}

static void print_row(FILE *to, const wpin_stage_table *t, unsigned row) {
    static const char *const drives[] = {"COAST", "BRAKE", "FORWARD", "REVERSE"};
    unsigned drive = t->rows[row].drive;
    if (drive < WPIN_DRIVE_SECTOR) {
        fprintf(to, "    WPIN_ROW(WPIN_DRIVE_%s", drives[drive]);
    } else {
        fprintf(to, "    WPIN_ROW(WPIN_DRIVE_SECTOR + %u", drive - WPIN_DRIVE_SECTOR);
    }
    for (unsigned line = 0; line < t->line_count; line++) {
        fprintf(to, ", WPIN_CELL_%s", cell_name(wpin_table_cell(t, (uint8_t)row, (uint8_t)line)));
    }
    fprintf(to, ")%s\n", row + 1 < t->row_count ? "," : "");
}

static void print_own_table(FILE *to, const wpin_stage_table *t, const char *id) {
    fprintf(to, "static const WPIN_FLASH wpin_row %s_rows[] = {\n", id);
    for (unsigned row = 0; row < t->row_count; row++) {
        print_row(to, t, row);
    }
    fprintf(to, "};\n");
    for (unsigned i = 0; i < t->leg_count; i++) {
        if (i == 0) {
            fprintf(to, "static const WPIN_FLASH wpin_leg %s_legs[] = {", id);
        }
        fprintf(to, "%s{%u, %u}", i == 0 ? "" : ", ", t->legs[i].high_side, t->legs[i].low_side);
    }
    if (t->leg_count > 0) {
        fprintf(to, "};\n");
    }
    fprintf(
        to,
        "static const WPIN_FLASH wpin_stage_table %s_table = {.row_count = %u, .line_count = %u, "
        ".rows = %s_rows, .mode_lines = %u, .leg_count = %u",
        id, t->row_count, t->line_count, id, t->mode_lines, t->leg_count);
    if (t->leg_count > 0) {
        fprintf(to, ", .legs = %s_legs", id);
    }
    fprintf(to, "};\n");
}

/* What the loads that share a pin agree by: the only thing here that is not constant. */
static void print_shared(FILE *to, const wpin_rig *rig, size_t number, const char *id) {
    for (unsigned i = 0; i < rig->loads[number].kind->table->line_count; i++) {
        wpin_rig_sharing with = wpin_rig_shares(rig, number, i);
        if (with.count > 1 && with.user == 0) {
            fprintf(to, "static wpin_shared_line %s_shared_%u;\n", id, i);
        }
    }
}

static void print_stage(FILE *to, const wpin_rig *rig, size_t number, const wpin_stage_config *s,
                        const char *id) {
    const wpin_rig_load *load = &rig->loads[number];
    print_shared(to, rig, number, id);
    if (load->own != NULL) {
        print_own_table(to, load->kind->table, id);
    }
    fprintf(to, "static const WPIN_FLASH wpin_line %s_lines[] = {", id);
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        fprintf(to, "%s{.pin = %u, .inverted = %s", i == 0 ? "" : ", ", s->lines[i].pin,
                yes(s->lines[i].inverted));
        wpin_rig_sharing with = wpin_rig_shares(rig, number, i);
        if (with.count > 1) {
            char first[WPIN_NAME_MAX + 1];
            wpin_header_identifier(first, sizeof first, rig->loads[with.load].name);
            fprintf(to, ", .shared = &%s_shared_%u, .user = %u", first, with.line, with.user);
        }
        fprintf(to, "} /* %s */", load->kind->lines[i]);
    }
    fprintf(to, "};\nstatic const WPIN_FLASH wpin_stage_config %s_stage = {.table = ", id);
    if (load->own != NULL) {
        fprintf(to, "&%s_table", id);
    } else {
        fprintf(to, "&%s", load->kind->table_name);
    }
    fprintf(to,
            ", .lines = %s_lines, .pwm_hz = %uU, .pulse_neutral = %u, .pulse_swing = %u, "
            ".dead_time_us = "
            "%u, .reversed = %s%s",
            id, s->pwm_hz, s->pulse_neutral, s->pulse_swing, s->dead_time_us, yes(s->reversed),
            s->centred ? ", .centred = true" : "");
    if (s->charge != NULL) {
        fprintf(to, ", .charge = wpin_stage_charge, .charge_us = %u", s->charge_us);
    }
    fprintf(to, "};\n");
}

static void print_limit(FILE *to, const char *name, const wpin_limit *l) {
    if (l->used) {
        fprintf(to, ",\n              .%s = {.used = true, .pin = %u, .high = %s}", name, l->pin,
                yes(l->high));
    }
}

/* Limits as the core takes them: rates and millivolts at the pin, so that its tick need not divide.
 */
static void print_guard(FILE *to, const wpin_rig_load *load, const wpin_guard_config *g) {
    fprintf(
        to,
        "    .guard = {.cap = %u, .up = %uU, .down = %uU, .pause_us = %uU, .tick_max_us = %u,\n"
        "              .current_limit = %d, .limit_gain = %u, .current_trip = %d, .trip_us = %uU,\n"
        "              .minimum_us = %uU, .on_time_max_us = %uU",
        g->cap, g->up, g->down, g->pause_us, g->tick_max_us, g->current_limit, g->limit_gain,
        g->current_trip, g->trip_us, g->minimum_us, g->on_time_max_us);
    wpin_header_reversal(to, load, g);
    if (g->cool_s != 0) {
        fprintf(to, ", .cool_s = %u", g->cool_s);
    }
    fprintf(to, "},\n");
}

static void print_sense(FILE *to, const wpin_bound_load *bound, const wpin_sense_config *s,
                        const char *id) {
    fprintf(to, "    .sense = {.reads = %u, .current_input = %u, .current_mv_per_a = %u", s->reads,
            s->current_input, s->current_mv_per_a);
    if (s->current_zero_mv != 0) {
        fprintf(to, ", .current_zero_mv = %d", s->current_zero_mv);
    }
    if ((s->reads & WPIN_HAS_SUPPLY) != 0) {
        fprintf(to, ", .supply_input = %u", s->supply_input);
    }
    print_limit(to, "limit_forward", &s->limit_forward);
    print_limit(to, "limit_reverse", &s->limit_reverse);
    wpin_header_more(to, bound, id);
    fprintf(to, "},\n");
}

static void print_start(FILE *to, const wpin_start_config *s) {
    static const char *const below[] = {"WPIN_BELOW_ALLOW", "WPIN_BELOW_REFUSE", "WPIN_BELOW_LIFT",
                                        "WPIN_BELOW_KICK"};
    fprintf(to,
            "    .start = {.start_duty = %u, .drop_out_duty = %u, .below = %s, .kick_duty = %u,\n"
            "              .kick_us = %uU, .smooth = %s},\n",
            s->start_duty, s->drop_out_duty, below[s->below], s->kick_duty, s->kick_us,
            yes(s->smooth));
}

/* Of a rig with one motor the core may know it by name. */
static void print_alone(FILE *to, const char *id) {
    fprintf(to,
            "/* The only motor of this rig. With -DWPIN_ONE_MOTOR=%s_motor and -DWPIN_ONE_PORT=its "
            "port the core is\n * compiled for it alone, and is smaller and faster. */\n"
            "#ifdef WPIN_ONE_MOTOR\n#define RIG_ALONE\n#else\n#define RIG_ALONE static\n#endif\n",
            id);
}

/* The steps of a plan have it in them. */
static void print_trim(FILE *to, const wpin_rig_load *load, const char *id) {
    if (load->limits.trim < 1) {
        fprintf(to,
                "/* What a duty comes to: at %.4g %% of it this motor turns as its twin does. The "
                "steps of a plan have it in them. */\n"
                "#define %s_TRIMMED(duty) ((wpin_duty)((int32_t)(duty) * %ld / WPIN_DUTY_FULL))\n",
                load->limits.trim * 100, id, lround(load->limits.trim * WPIN_DUTY_FULL));
    }
}

static void print_motor(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                        const char *id, bool alone) {
    const wpin_motor_config *m = &bound->motor;
    static const char *const drives[] = {"WPIN_DRIVE_COAST", "WPIN_DRIVE_BRAKE"};
    bool stepper = wpin_rig_type(load)->steps, vector = load->vector.there;
    bool phases = load->hall.there && !vector, sensorless = load->crossing.there;
    const char *part = stepper      ? "stepper"
                       : vector     ? "vector"
                       : phases     ? "six_step"
                       : sensorless ? "sensorless"
                                    : "stage";
    const char *on = stepper      ? "STEPPER"
                     : vector     ? "VECTOR"
                     : phases     ? "SIX_STEP"
                     : sensorless ? "SENSORLESS"
                                  : "STAGE";
    if (!phases && !sensorless && !vector) { /* which stand there already: others point to them */
        fprintf(to, "static wpin_%s %s_at_work;\n", part, id);
    }
    wpin_header_zero(to, bound, id);
    if (m->loop != NULL) {
        fprintf(to, "static wpin_loop_state %s_loop;\n", id);
    }
    if (alone) {
        print_alone(to, id);
    }
    fprintf(to,
            "%s const WPIN_FLASH wpin_motor_config %s_motor = {\n"
            "    WPIN_ON_%s(&%s_at_work, &%s_%s),\n",
            alone ? "RIG_ALONE" : "static", id, on, id, id, part);
    print_guard(to, load, &m->guard);
    print_sense(to, bound, &m->sense, id);
    print_start(to, &m->start);
    wpin_header_loop(to, load, m, id);
    fprintf(to, "    .rest_drive = %s, .safe_drive = %s};\n", drives[m->rest_drive],
            drives[m->safe_drive]);
}

static void print_stepper(FILE *to, const wpin_stepper_config *s, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_stepper_config %s_stepper = {.stage = &%s_stage, "
            ".steps_per_rev = %u, .half_steps = %s, .release = %s, .start_rate = %u, "
            ".top_rate = %u, .acceleration = %uU, .release_after_us = %uU, .reduce = %s, "
            ".reduce_after_us = %uU, .duty = %u, .rest_duty = %u};\n",
            id, id, s->steps_per_rev, yes(s->half_steps), yes(s->release), s->start_rate,
            s->top_rate, s->acceleration, s->release_after_us, yes(s->reduce), s->reduce_after_us,
            s->duty, s->rest_duty);
}

static void print_hall(FILE *to, const wpin_six_step_config *s, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_six_step_config %s_six_step = {.stage = &%s_stage, .hall "
            "= {%u, %u, %u}, .sector_of = {",
            id, id, s->hall[0], s->hall[1], s->hall[2]);
    for (unsigned code = 0; code < 8; code++) {
        fprintf(to, "%s%u", code == 0 ? "" : ", ", s->sector_of[code]);
    }
    fprintf(to, "}");
    if (s->advance != 0) {
        fprintf(to, ", .advance = %u", s->advance);
    }
    fprintf(to, "};\n");
}

static void print_six_step(FILE *to, const wpin_six_step_config *s, const char *id) {
    fprintf(to,
            "/* The interrupt of any change on these three pins calls "
            "wpin_six_step_edge(&%s_at_work), or what WPIN_FAST_EDGE makes of it. */\n"
            "static wpin_six_step %s_at_work;\n",
            id, id);
    if (s->advance != 0) {
        fprintf(to,
                "/* It commutates ahead of them: the interrupt of each PWM period calls\n"
                "   wpin_six_step_look(&%s_at_work), or rig_period. */\n",
                id);
    }
    print_hall(to, s, id);
}

static void print_sensorless(FILE *to, const wpin_sensorless_config *s, const char *id) {
    fprintf(to,
            "/* The open-loop ramp, sector by sector: time in 16 us, duty. */\n"
            "static const WPIN_FLASH wpin_sensorless_step %s_ramp[] = {",
            id);
    for (unsigned i = 0; i < s->ramp_count; i++) {
        fprintf(to, "%s{%u, %u}", i == 0 ? "" : (i % 8 == 0 ? ",\n    " : ", "), s->ramp[i].time,
                s->ramp[i].duty);
    }
    fprintf(to,
            "};\n/* The interrupt in the middle of the on part of each PWM period calls\n"
            "   wpin_sensorless_sample(&%s_at_work), or rig_middle. */\n"
            "static wpin_sensorless %s_at_work;\n"
            "static const WPIN_FLASH wpin_sensorless_config %s_sensorless = {.stage = &%s_stage, "
            ".above = {%u, %u, %u},\n    .ramp = %s_ramp, .ramp_count = %u, .advance = %u, "
            ".align_ms = %u, .rest_ms = %u,\n    .least_duty = %u, .least_us = %u};\n",
            id, id, id, id, s->above[0], s->above[1], s->above[2], id, s->ramp_count, s->advance,
            s->align_ms, s->rest_ms, s->least_duty, s->least_us);
}

static void print_rotor(FILE *to, const wpin_vector_config *v, const char *id) {
    if (v->hall != NULL) {
        fprintf(to,
                "/* The interrupt of any change on the pins of its Hall sensors calls\n"
                "   wpin_six_step_edge(&%s_at_work.rotor). */\n"
                "static wpin_vector %s_at_work;\n",
                id, id);
        print_hall(to, v->hall, id);
    } else {
        fprintf(to, "static wpin_vector %s_at_work;\n", id);
    }
}

static void print_vector(FILE *to, const wpin_vector_config *v, const char *id) {
    print_rotor(to, v, id);
    fprintf(to,
            "/* The begin of each PWM period, once its shunts are converted, calls\n"
            "   wpin_vector_period(&%s_at_work), or rig_period. */\n"
            "static const WPIN_FLASH wpin_vector_config %s_vector = {.stage = &%s_stage,\n    ",
            id, id, id);
    if (v->hall != NULL) {
        fprintf(to, ".hall = &%s_six_step,\n    ", id);
    } else {
        fprintf(to,
                ".counter = %u, .counts_back = %s, .counts_per_turn = %u, .pole_pairs = %u,\n    "
                ".align_ms = %u, .align_mv = %d,\n    ",
                v->counter, yes(v->counts_back), v->counts_per_turn, v->pole_pairs, v->align_ms,
                v->align_mv);
    }
    fprintf(
        to,
        ".shunts = {%u, %u, %u}, .zero_mv = %d, .least_low = %u, .full_mv = %d, .limit_mv = "
        "%d,\n    .trip_mv = %d, .gain = %u, .integral = %u, .coupling = %u, .emf = %u, .most = "
        "%u, .dead = %d,\n    .dead_slope = %u, .lead_us = %u, .rate = %uU, .supply_from = %d, "
        ".supply_to = %d};\n",
        v->shunts[0], v->shunts[1], v->shunts[2], v->zero_mv, v->least_low, v->full_mv, v->limit_mv,
        v->trip_mv, v->gain, v->integral, v->coupling, v->emf, v->most, v->dead, v->dead_slope,
        v->lead_us, v->rate, v->supply_from, v->supply_to);
}

static void print_curve(FILE *to, const wpin_curve_config *c, const char *id) {
    fprintf(to, "static const wpin_curve_point %s_points[] = {", id);
    for (unsigned p = 0; p < c->count; p++) {
        fprintf(to, "%s{%d, %d}", p == 0 ? "" : ", ", c->points[p].millivolts, c->points[p].duty);
    }
    fprintf(to,
            "};\nstatic const wpin_curve_config %s_curve = {.points = %s_points, .count = %u, "
            ".hysteresis_mv = %u};\n",
            id, id, c->count, c->hysteresis_mv);
}

static void print_two_point(FILE *to, const wpin_two_point_config *c, const char *id) {
    fprintf(to,
            "static const wpin_two_point_config %s_two_point = {.on_mv = %d, .off_mv = %d, "
            ".pause_ms = %uU, .most_ms = %uU};\n",
            id, c->on_mv, c->off_mv, c->pause_ms, c->most_ms);
}

static void print_process(FILE *to, const wpin_process_config *c, const char *id) {
    fprintf(to,
            "static const wpin_process_config %s_process = {.wanted_mv = %d, .band_mv = %u, "
            ".integral_ms = %uU, .least = %d, .most = %d, .raises = %s};\n",
            id, c->wanted_mv, c->band_mv, c->integral_ms, c->least, c->most, yes(c->raises));
}

/* What firmware needs of an input: where it is, and how it is read. */
static void print_input(FILE *to, const wpin_rig *rig, const wpin_rig_input *input) {
    wpin_bound_input bound;
    char id[WPIN_NAME_MAX + 1];
    wpin_bind_input(&bound, rig, input);
    wpin_header_identifier(id, sizeof id, input->name);
    const wpin_button_config *b = &bound.button;
    const wpin_knob_config *k = &bound.knob;
    fprintf(to, "\n/* input %s */\n", input->name);
    if (input->kind != WPIN_RIG_PAIR) {
        bool digital = input->kind <= WPIN_RIG_LIMIT;
        fprintf(to, "enum { %s_%s = %.0f };\n", id, digital ? "pin" : "input",
                digital ? input->pin : input->analog);
    }
    switch (input->kind) {
    case WPIN_RIG_KNOB:
        fprintf(to,
                "static const wpin_knob_config %s_knob = {.low_mv = %d, .high_mv = %d, .dead = %u, "
                ".hysteresis = %u, .filter = %u, .centre = %s};\n",
                id, k->low_mv, k->high_mv, k->dead, k->hysteresis, k->filter, yes(k->centre));
        break;
    case WPIN_RIG_SENSOR: print_curve(to, &bound.curve, id); break;
    case WPIN_RIG_TWO_POINT: print_two_point(to, &bound.two_point, id); break;
    case WPIN_RIG_PROCESS: print_process(to, &bound.process, id); break;
    default:
        fprintf(to,
                "static const wpin_button_config %s_button = {.debounce_us = %uU, .stuck_us = %uU, "
                ".active_low = %s};\n",
                id, b->debounce_us, b->stuck_us, yes(b->active_low));
    }
}

/* How each motor stops, in the order of the loads, for a wpin_stop_config. */
static void print_stop(FILE *to, const wpin_rig *rig, const wpin_rig_input *input) {
    static const char *const how[] = {"WPIN_STOP_RAMP", "WPIN_STOP_COAST", "WPIN_STOP_BRAKE"};
    char id[WPIN_NAME_MAX + 1];
    wpin_header_identifier(id, sizeof id, input->name);
    fprintf(to,
            "/* ...it stops every motor: a wpin_stop_config takes %s_pin, .opens = %s, and the "
            "motors in this order */\nstatic const uint8_t %s_how[] = {",
            id, yes(input->opens), id);
    for (size_t i = 0; i < rig->load_count; i++) {
        fprintf(to, "%s%s /* %s */", i == 0 ? "" : ", ", how[rig->loads[i].on_stop],
                rig->loads[i].name);
    }
    fprintf(to, "};\n");
}

static bool plan_goes_to_places(const wpin_plan *plan, size_t load) {
    for (size_t i = 0; i < plan->step_count; i++) {
        const wpin_step *s = &plan->steps[i];
        bool turns = s->op == WPIN_OP_TURN || s->op == WPIN_OP_TURN_TO;
        if (s->target.kind == WPIN_TARGET_MOTOR && s->target.number == load &&
            (turns || s->quantity == WPIN_QUANTITY_POSITION)) {
            return true;
        }
    }
    return false;
}

/* No place is asked for: what regulates one would be flash for nothing. */
static void leave_places_out(wpin_bound_load *bound) {
    uint8_t kept = 0;
    for (uint8_t i = 0; i < bound->motor.regulator_count; i++) {
        if (bound->regulators[i].takes != WPIN_QUANTITY_POSITION) {
            bound->regulators[kept++] = bound->regulators[i];
        }
    }
    bound->motor.regulator_count = kept;
}

/* What the names of a plan begin with: its file, without folder and ending; a letter comes first.
 */
static void name_plan(char *to, size_t size, const char *path) {
    const char *base = strrchr(path, '/');
    char name[60], id[60];
    snprintf(name, sizeof name, "%.50s", base != NULL ? base + 1 : path);
    name[strcspn(name, ".")] = '\0';
    wpin_header_identifier(id, sizeof id, name);
    snprintf(to, size, "%s%s_plan", isalpha((unsigned char)id[0]) ? "" : "the_", id);
}

void wpin_header_write(FILE *to, const wpin_rig *rig, const char *path, const wpin_plan *plan,
                       const char *plan_path) {
    fprintf(
        to,
        "/* The rig '%s', written by windpin export from %s; change that file, not this one. */\n",
        rig->name, path);
    char accepted[WPIN_RIG_MARK_MAX];
    if (wpin_rig_accepted(rig, accepted, sizeof accepted)[0] != '\0') {
        fprintf(to, "/* Accepted in the rig, though vetting refuses it: %s */\n", accepted);
    }
    fprintf(to,
            "#ifndef WPIN_RIG_%08X\n#define WPIN_RIG_%08X\n\n#ifndef WINDPIN_H /* the one "
            "header of all is there already */\n#include <windpin/windpin.h>\n#endif\n\n",
            rig->fingerprint, rig->fingerprint);
    fprintf(to,
            "/* Fingerprint of the rig file, as in traces and reports. */\n#define "
            "WPIN_RIG_FINGERPRINT "
            "0x%08XUL\n/* Control period, us; of steppers and software PWM. */\n#define "
            "WPIN_RIG_TICK_US %.0f\n#define WPIN_RIG_FAST_TICK_US %.0f\n",
            rig->fingerprint, rig->controller.tick * 1e6, rig->controller.soft_tick * 1e6);
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        wpin_bound_load bound;
        char id[WPIN_NAME_MAX + 1];
        wpin_bind_load(&bound, rig, load);
        fprintf(to, "\n/* %s: %s */\n", load->name, load->kind->words);
        print_stage(to, rig, i, &bound.stage, wpin_header_identifier(id, sizeof id, load->name));
        print_trim(to, load, id);
        if (wpin_rig_type(load)->steps) {
            print_stepper(to, &bound.stepper, id);
        }
        if (load->vector.there) {
            print_vector(to, &bound.vector, id);
        } else if (load->hall.there) {
            print_six_step(to, &bound.six_step, id);
        }
        if (load->crossing.there) {
            print_sensorless(to, &bound.sensorless, id);
        }
        if (plan != NULL && !plan_goes_to_places(plan, i)) {
            leave_places_out(&bound);
        }
        wpin_header_feedback(to, load, &bound, id);
        print_motor(to, load, &bound, id, rig->load_count == 1);
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        print_input(to, rig, &rig->inputs[i]);
        if (rig->inputs[i].stops) {
            print_stop(to, rig, &rig->inputs[i]);
        }
    }
    char plan_id[80] = "";
    if (plan != NULL) {
        name_plan(plan_id, sizeof plan_id, plan_path);
        wpin_header_plan(to, rig, plan, plan_id);
    }
    wpin_header_work(to, rig, plan, plan_id);
    fprintf(to, "\n#endif\n");
}
