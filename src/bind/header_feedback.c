/* Encoder and speed of a load, for firmware. */
#include "header_feedback.h"
#include "bind_parts.h"
#include <string.h>

static bool goes_to_places(const wpin_bound_load *bound) {
    for (uint8_t i = 0; i < bound->motor.regulator_count; i++) {
        if (bound->regulators[i].takes == WPIN_QUANTITY_POSITION) {
            return true;
        }
    }
    return false;
}

static bool counts_alone(const wpin_bound_load *bound) {
    return bound->motor.sense.more == wpin_counting_measure ||
           bound->zero.more == wpin_counting_measure;
}

static void export_counting(FILE *to, const wpin_counting_config *c, const char *id) {
    fprintf(to,
            "/* Counter %u of the port, or .quadrature = &yours. wpin_counting_init(&%s_encoder, "
            "&%s_encoder_config, &port) goes before the motor's init. */\n"
            "static wpin_counting %s_encoder;\n"
            "#ifdef WPIN_ONE_COUNTING\n#define RIG_SENSOR\n#else\n#define RIG_SENSOR static\n"
            "#endif\nRIG_SENSOR const WPIN_FLASH wpin_counting_config %s_encoder_config = "
            "{.counter = %u, "
            ".reversed = %s, .one_channel = %s, .smooth = %u,\n    .per_count = %luU, .most = "
            "%u};\n#undef RIG_SENSOR\n",
            c->counter, id, id, id, id, c->counter, c->reversed ? "true" : "false",
            c->one_channel ? "true" : "false", c->smooth, (unsigned long)c->per_count, c->most);
}

static void export_encoder(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                           const char *id) {
    const wpin_encoder_config *e = &bound->encoder;
    if (wpin_rig_counts_sectors(load)) {
        fprintf(
            to,
            "/* The %s as an encoder: wpin_encoder_init(&%s_encoder, "
            "&%s_encoder_config, &port) goes before the motor's init. */\n"
            "static wpin_encoder %s_encoder;\n"
            "static const WPIN_FLASH wpin_encoder_config %s_encoder_config = {.quadrature = "
            "&%s_at_work%s.counts, .kinds = 3, .reversed = %s,\n    .full_hz = %uU, .window_us = "
            "%u};\n",
            load->encoder.by_hall ? "edges of its Hall sensors" : "zero crossings of its leads", id,
            id, id, id, id, load->vector.there ? ".rotor" : "", e->reversed ? "true" : "false",
            e->full_hz, e->window_us);
        return;
    }
    fprintf(to, "enum { %s_encoder_a = %u", id, load->encoder.pins[0]);
    if (!load->encoder.one_channel) {
        fprintf(to, ", %s_encoder_b = %u", id, load->encoder.pins[1]);
    }
    if (counts_alone(bound)) {
        fprintf(to, " };\n");
        export_counting(to, &bound->counting, id);
        return;
    }
    fprintf(
        to,
        " };\n/* Counter %u of the port, or .quadrature = &yours. wpin_encoder_init(&%s_encoder, "
        "&%s_encoder_config, &port) goes before the motor's init. */\n"
        "static wpin_encoder %s_encoder;\n"
        "static const WPIN_FLASH wpin_encoder_config %s_encoder_config = {.counter = %u, "
        ".reversed = %s, .one_channel = %s, .no_moments = %s,\n    .full_hz = %uU, .window_us = "
        "%u};\n",
        e->counter, id, id, id, id, e->counter, e->reversed ? "true" : "false",
        e->one_channel ? "true" : "false", e->no_moments ? "true" : "false", e->full_hz,
        e->window_us);
}

static void export_speed(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                         const char *id) {
    const wpin_speed_config *s = &bound->speed;
    const wpin_position_config *p = &bound->position;
    fprintf(to,
            "/* A speed of 16384 is %.6g rpm at the output; rated are %.6g rpm. */\n"
            "#define %s_RPM(rpm) ((int32_t)((rpm) * 16384.0 / %.9g))\n"
            "static const WPIN_FLASH wpin_speed_config %s_speed_config = {.feed = %u, .friction = "
            "%u, .breakaway = %u, .climb = %u, .inertia = %u,\n    .gain = %u, .integral = %u, "
            ".fresh_us = %u, .coasts = %u, .timer_step = %u};\n"
            "static wpin_speed %s_speed;\n",
            load->speed.maximum, load->speed.rated, id, load->speed.maximum, id, s->feed,
            s->friction, s->breakaway, s->climb, s->inertia, s->gain, s->integral, s->fresh_us,
            s->coasts, s->timer_step, id);
    if (!goes_to_places(bound)) {
        return;
    }
    fprintf(to,
            "static const WPIN_FLASH wpin_position_config %s_position_config = {.most = %u, .brake "
            "= %u, .gain = %u, .blend = %u, .up = %u, .bend = %u, .rise = %u,\n    .fall = %u, "
            ".near = %u, .lead = %u, .square = %lu};\n"
            "static wpin_position %s_position;\n",
            id, p->most, p->brake, p->gain, p->blend, p->up, p->bend, p->rise, p->fall, p->near,
            p->lead, (unsigned long)p->square, id);
}

/* The unit of its torques, whoever regulates them. */
static void export_amps(FILE *to, const wpin_rig_load *load, const char *id) {
    fprintf(to,
            "/* A torque of 16384 is %.6g A, %.4g Nm at the output (friction not taken off). */\n"
            "#define %s_AMPS(amps) ((int32_t)((amps) * 16384.0 / %.9g))\n",
            load->current.rated, wpin_rig_torque(load, load->current.rated), id,
            load->current.rated);
}

static void export_torque(FILE *to, const wpin_torque_config *t, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_torque_config %s_torque_config = {.full_mv = %u, "
            ".within_mv = %u, .feed = %u, .emf = %u,\n    .gain = %u, .integral = %u};\n"
            "static wpin_torque %s_torque;\n",
            id, t->full_mv, t->within_mv, t->feed, t->emf, t->gain, t->integral, id);
}

/* Field orientation does that by itself. */
static bool regulates_torque(const wpin_rig_load *load) {
    return load->current.there && !load->vector.there;
}

/* One that gives an effort, in the list; where the supply is measured behind what makes it worth
 * the same volts. */
static void list_regulator(FILE *to, const wpin_bound_load *bound, const char *id, const char *kind,
                           const char *name) {
    if (bound->by_supply[0].of == NULL) {
        fprintf(to, "WPIN_%s_REGULATOR(&%s_%s, &%s_%s_config)", kind, id, name, id, name);
    } else {
        fprintf(to,
                "WPIN_BY_SUPPLY_REGULATOR(WPIN_QUANTITY_%s, &%s_%s_by_supply, "
                "&%s_%s_by_supply_config,\n                             %s)",
                kind, id, name, id, name,
                strcmp(kind, "TORQUE") == 0 ? "wpin_by_supply_near" : "NULL");
    }
}

/* What stands behind such an entry. */
static void export_nominal(FILE *to, const wpin_bound_load *bound, const char *id, const char *kind,
                           const char *name) {
    const wpin_by_supply_config *by = &bound->by_supply[0];
    fprintf(to,
            "static const WPIN_FLASH wpin_regulator %s_%s_nominal = WPIN_%s_REGULATOR(&%s_%s, "
            "&%s_%s_config);\n"
            "static const WPIN_FLASH wpin_by_supply_config %s_%s_by_supply_config = {.of = "
            "&%s_%s_nominal, .per_mv = %u",
            id, name, kind, id, name, id, name, id, name, id, name, by->per_mv);
    if (by->per_over != 0) {
        fprintf(to, ",\n    .way_mv = %d, .per_over = %u, .emf = %u", by->way_mv, by->per_over,
                by->emf);
    }
    fprintf(to, "};\nstatic wpin_by_supply %s_%s_by_supply;\n", id, name);
}

/* The list of what a motor has. */
static void export_regulators(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                              const char *id) {
    bool torque = regulates_torque(load);
    if (!load->speed.there && !torque) {
        return;
    }
    bool by_supply = bound->by_supply[0].of != NULL;
    if (by_supply && load->speed.there) {
        export_nominal(to, bound, id, "SPEED", "speed");
    }
    if (by_supply && torque) {
        export_nominal(to, bound, id, "TORQUE", "torque");
    }
    fprintf(to, "static const WPIN_FLASH wpin_regulator %s_regulators[] = {", id);
    if (load->speed.there) {
        list_regulator(to, bound, id, "SPEED", "speed");
    }
    if (load->speed.there && goes_to_places(bound)) {
        fprintf(to, ",\n    WPIN_POSITION_REGULATOR(&%s_position, &%s_position_config)", id, id);
    }
    if (torque) {
        fprintf(to, "%s", load->speed.there ? ",\n    " : "");
        list_regulator(to, bound, id, "TORQUE", "torque");
    }
    fprintf(to, "};\n");
}

static void export_motion(FILE *to, const wpin_motion_config *m, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_motion_config %s_motion_config = {.still = %u, "
            ".least_effort = %u, .still_ms = %u, .lost_ms = %u,\n    .stall_mv = %u, .stall_from = "
            "%u, .wrong_ms "
            "= %u, .over_speed = "
            "%u, .off_by = %u, .off_ms = %u, .passed_by = %u, .passes = %u,\n    "
            ".gives_way_mv = %d};\n"
            "static wpin_motion %s_motion;\n",
            id, m->still, m->least_effort, m->still_ms, m->lost_ms, m->stall_mv, m->stall_from,
            m->wrong_ms, m->over_speed, m->off_by, m->off_ms, m->passed_by, m->passes,
            m->gives_way_mv, id);
}

static void export_overload(FILE *to, const wpin_rig_limits *limits, const wpin_overload_config *o,
                            const char *id) {
    fprintf(
        to,
        "/* It carries %.4g A for ever; time constant %.4g s. */\n"
        "static const WPIN_FLASH wpin_overload_config %s_overload_config = {.share = %u, .decay "
        "= %u, .at_first = %u};\n"
        "static wpin_overload %s_overload;\n",
        limits->overload_amps, limits->overload_time, id, o->share, o->decay, o->at_first, id);
}

static bool watches_phases(const wpin_rig_load *load) {
    return wpin_stage_kind_is_three_phase(load->kind) && load->limits.trip_input >= 0 &&
           !load->vector.there;
}

static void export_phase_watch(FILE *to, const wpin_phase_watch_config *c, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_phase_watch_config %s_phase_watch_config = {.stage = "
            "&%s_at_work.stage, .least_mv = %u};\n"
            "static wpin_phase_watch %s_phase_watch;\n",
            id, id, c->least_mv, id);
}

static void export_temperature(FILE *to, const wpin_rig_thermistor *t,
                               const wpin_temperature_config *c, const char *id) {
    fprintf(to,
            "/* Trips above %.4g degC, clear again at %.4g degC. */\n"
            "static const WPIN_FLASH wpin_temperature_config %s_temperature_config = {.input = %u, "
            ".trip_mv = %d, .clear_mv = %d,\n    .least_mv = %d, .most_mv = %d, .for_ms = %u};\n"
            "static wpin_temperature %s_temperature;\n",
            t->trip, t->clear, id, c->input, c->trip_mv, c->clear_mv, c->least_mv, c->most_mv,
            c->for_ms, id);
}

static void export_supply(FILE *to, const wpin_supply_config *c, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_supply_config %s_supply_config = {.low_mv = %d, .high_mv "
            "= %d, .low_ms = %u, .high_ms = %u};\n"
            "static wpin_supply %s_supply;\n",
            id, c->low_mv, c->high_mv, c->low_ms, c->high_ms, id);
}

/* The list of what a motor has, in the order in which it is bound. */
static void export_protections(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                               const char *id) {
    const struct {
        bool there;
        const char *call, *object;
        bool knows; /* its constants already */
    } all[] = {{wpin_bind_watches_motion(load), "WPIN_MOTION_PROTECTION", "motion", false},
               {load->limits.overload_amps > 0, "WPIN_OVERLOAD_PROTECTION", "overload", false},
               {load->thermistor.there, "WPIN_TEMPERATURE_PROTECTION", "temperature", true},
               {bound->supply.high_mv != 0, "WPIN_SUPPLY_PROTECTION", "supply", false},
               {watches_phases(load), "WPIN_PHASE_WATCH", "phase_watch", false}};
    const char *between = "";
    for (size_t i = 0; i < sizeof all / sizeof *all; i++) {
        if (all[i].there && between[0] == '\0') {
            fprintf(to, "static const WPIN_FLASH wpin_protection %s_protections[] = {", id);
        }
        if (all[i].there) {
            fprintf(to, "%s\n    %s(&%s_%s", between, all[i].call, id, all[i].object);
            if (!all[i].knows) {
                fprintf(to, ", &%s_%s_config", id, all[i].object);
            }
            fprintf(to, ")");
            between = ",";
        }
    }
    fprintf(to, "%s", between[0] != '\0' ? "};\n" : "");
}

static void export_travel(FILE *to, const wpin_travel *t, const char *id) {
    fprintf(to,
            "static const WPIN_FLASH wpin_travel %s_travel = {.least = %ld, .most = %ld, "
            ".homed_first = %s};\n",
            id, (long)t->least, (long)t->most, t->homed_first ? "true" : "false");
}

void wpin_header_feedback(FILE *to, const wpin_rig_load *load, const wpin_bound_load *bound,
                          const char *id) {
    if (load->encoder.there) {
        export_encoder(to, load, bound, id);
    }
    if (load->speed.there) {
        export_speed(to, load, bound, id);
    }
    if (wpin_bind_watches_motion(load)) {
        export_motion(to, &bound->motion, id);
    }
    if (load->current.there) {
        export_amps(to, load, id);
    }
    if (regulates_torque(load)) {
        export_torque(to, &bound->torque, id);
    }
    export_regulators(to, load, bound, id);
    if (load->limits.overload_amps > 0) {
        export_overload(to, &load->limits, &bound->overload, id);
    }
    if (load->thermistor.there) {
        export_temperature(to, &load->thermistor, &bound->temperature, id);
    }
    if (watches_phases(load)) {
        export_phase_watch(to, &bound->phase_watch, id);
    }
    if (bound->supply.high_mv != 0) {
        export_supply(to, &bound->supply, id);
    }
    export_protections(to, load, bound, id);
    if (bound->motor.travel != NULL) {
        export_travel(to, &bound->travel, id);
    }
}

void wpin_header_reversal(FILE *to, const wpin_rig_load *load, const wpin_guard_config *guard) {
    if (wpin_rig_sees_rest(load)) {
        fprintf(to, ",\n              .reversal = WPIN_REVERSAL_STANDSTILL, .standstill = %u",
                guard->standstill);
    }
    if (guard->regulated != 0) {
        fprintf(to, ", .regulated = %uU", guard->regulated);
    }
}

static bool learns_zero(const wpin_bound_load *bound) {
    return bound->zero.stage != NULL;
}

static void print_sensor(FILE *to, const wpin_bound_load *bound, const char *id) {
    const char *sensor = counts_alone(bound) ? "counting" : "encoder";
    fprintf(to, ".more = wpin_%s_measure, .place = wpin_%s_set_position, .context = &%s_encoder",
            sensor, sensor, id);
}

void wpin_header_zero(FILE *to, const wpin_bound_load *bound, const char *id) {
    if (!learns_zero(bound)) {
        return;
    }
    const wpin_zero_config *z = &bound->zero;
    fprintf(to,
            "static const WPIN_FLASH wpin_zero_config %s_zero_config = {.stage = &%s_at_work,\n"
            "    .settle_ms = %u, .at_brake = %s, .most_mv = %d",
            id, id, z->settle_ms, z->at_brake ? "true" : "false", z->most_mv);
    if (z->more != NULL) {
        fprintf(to, ",\n    ");
        print_sensor(to, bound, id);
    }
    fprintf(to, "};\nstatic wpin_zero %s_zero = {.config = &%s_zero_config};\n", id, id);
}

void wpin_header_more(FILE *to, const wpin_bound_load *bound, const char *id) {
    if (learns_zero(bound)) {
        fprintf(to, ", .more = wpin_zero_measure, %s.context = &%s_zero",
                bound->zero.place != NULL ? ".place = wpin_zero_set_position, " : "", id);
    } else if (bound->motor.sense.more != NULL) {
        fprintf(to, ", ");
        print_sensor(to, bound, id);
    }
}

void wpin_header_loop(FILE *to, const wpin_rig_load *load, const wpin_motor_config *motor,
                      const char *id) {
    if (motor->loop != NULL) {
        fprintf(to, "    %s(&%s_loop),\n",
                motor->loop == &wpin_protecting_loop ? "WPIN_PROTECTED" : "WPIN_CLOSED_LOOP", id);
    }
    if (motor->protection_count > 0) {
        fprintf(to, "    .protections = %s_protections, .protection_count = %u,\n", id,
                motor->protection_count);
    }
    if (motor->regulator_count > 0) {
        fprintf(to, "    .regulators = %s_regulators, .regulator_count = %u,\n", id,
                motor->regulator_count);
    }
    if (load->speed.there) {
        fprintf(to,
                "    .at_speed = %u, .at_count = %u, .settle_ms = %u, .counts_per_turn = %uU,\n",
                motor->at_speed, motor->at_count, motor->settle_ms, motor->counts_per_turn);
    }
    if (motor->travel != NULL) {
        fprintf(to, "    .travel = &%s_travel,\n", id);
    }
}
