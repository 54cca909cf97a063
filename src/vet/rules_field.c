/* Whether a field bus carries what its drives say and are told, in time. */
#include "rules.h"

#define BUSY 0.7 /* more leaves no room for a frame that is sent again */

/* Bits of a frame with so many bytes and as many stuff bits as there can be (ISO 11898-1). */
static double most_bits(double bytes) {
    return 47 + 8 * bytes + floor((34 + 8 * bytes - 1) / 4);
}

static bool is_on(const wpin_rig_load *load, size_t bus) {
    return load->axis.there && load->axis.bus == (int)bus;
}

/* How long process data are, bytes. */
typedef struct data_bytes {
    double in, out, other;
} data_bytes;

/* Of a second: SYNC; control word and set-point to each drive, state, velocity, current, then
 * error, mode and place back; heartbeats, or a question without data and its answer. */
static double bits_a_second(const wpin_rig *rig, size_t bus) {
    double period = rig->fieldbuses[bus].period, bits = most_bits(0) / period, beat = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        if (is_on(&rig->loads[i], bus)) {
            const wpin_rig_axis *a = &rig->loads[i].axis;
            double places = wpin_rig_axis_place_every(rig, &rig->loads[i]);
            data_bytes d = a->plain ? (data_bytes){4, 6, 3} : (data_bytes){6, 8, 7};
            bits += (most_bits(d.in) + most_bits(d.out) + most_bits(d.other) / places) / period;
            bits += a->guarding > 0 ? (most_bits(0) + most_bits(1)) / a->guarding
                                    : most_bits(1) / a->heartbeat;
            beat = fmax(beat, a->guarding > 0 ? 0 : 3 / a->heartbeat);
        }
    }
    return bits + most_bits(1) * beat;
}

static size_t drives_on(const wpin_rig *rig, size_t bus) {
    size_t count = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        count += is_on(&rig->loads[i], bus);
    }
    return count;
}

static void bus_load(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->fieldbus_count; i++) {
        const wpin_rig_fieldbus *b = &v->rig->fieldbuses[i];
        double used = bits_a_second(v->rig, i) / b->bit_rate;
        size_t drives = drives_on(v->rig, i);
        if (drives == 0 || used <= BUSY / 1.4) {
            continue;
        }
        bool refuse = used > BUSY;
        wpin_finding *n = wpin_find(v, refuse ? WPIN_REFUSE : WPIN_NOTE, b->name);
        wpin_cause(n, "%zu drive%s every %.4g ms take up to %.0f %% of its %.4g kbit/s", drives,
                   drives == 1 ? "" : "s", b->period * 1e3, used * 100, b->bit_rate / 1e3);
        wpin_consequence(n,
                         refuse ? "frames come late, and a drive is taken for silent"
                                : "above %.0f %% it is refused",
                         BUSY * 100);
        wpin_cure_value(n, WPIN_KEY(.path = "period", .unit = "ms", .digits = 2),
                        1e3 * b->period * used / (BUSY / 1.5), NULL);
        if (b->bit_rate < 1e6) {
            wpin_cure(n, "a higher rate, where cable and drives allow it");
        }
    }
}

/* SYNC can only be sent in a control period. */
static void bus_period(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->fieldbus_count; i++) {
        const wpin_rig_fieldbus *b = &v->rig->fieldbuses[i];
        double tick = v->rig->controller.tick, ticks = b->period / tick;
        if (drives_on(v->rig, i) == 0 || ticks >= 0.999) {
            continue;
        }
        wpin_finding *n = wpin_find(v, WPIN_CAUTION, b->name);
        wpin_cause(n, "its period of %.4g ms is shorter than the controller's tick of %.4g ms",
                   b->period * 1e3, tick * 1e3);
        wpin_consequence(n, "set-points go out once a tick, no more often");
        wpin_cure_value(n, WPIN_KEY(.path = "period", .unit = "ms", .digits = 3), tick * 1e3, NULL);
    }
}

/* Some frames that are late must not stop a drive. */
static void link_time(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_axis *a = &f->load->axis;
        double period = a->there ? v->rig->fieldbuses[a->bus].period : 0;
        if (!a->there || a->lost >= 5 * period) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n, "it is silent after %.4g ms without process data, which come every %.4g ms",
                   a->lost * 1e3, period * 1e3);
        wpin_consequence(n, "a few frames lost or late trip it");
        wpin_cure_value(n, WPIN_KEY(.path = "axis.lost", .unit = "ms", .digits = 3), 1e4 * period,
                        NULL);
    }
}

/* What it is told to give at most must be enough for what is asked. */
static void axis_current(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (!l->axis.there || l->motor.constant <= 0) {
            continue;
        }
        double ramp = fmax(l->limits.ramp_up, 1e-3);
        double amps = (f->torque + f->inertia * f->speed / ramp) / l->motor.constant;
        if (amps <= 0.9 * l->axis.most_amps) {
            continue;
        }
        bool never = f->torque / l->motor.constant >= l->axis.most_amps;
        wpin_finding *n = wpin_find_load(v, never ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "its ramp takes %.3g A, and its drive may give at most %.3g A", amps,
                   l->axis.most_amps);
        wpin_consequence(n, never ? "it does not even turn its load"
                                  : "it falls behind its ramp, and a following fault may end it");
        if (!never) {
            double left = 0.8 * l->axis.most_amps * l->motor.constant - f->torque;
            if (left > 0) {
                wpin_cure_value(n, WPIN_KEY(.path = "ramp.up", .unit = "s", .digits = 2),
                                ceil(10 * f->inertia * f->speed / left) / 10, NULL);
            }
        }
        wpin_cure(n, "a most-current of %.3g A, where drive and motor allow it", 1.25 * amps);
    }
}

const wpin_rule_entry wpin_rules_field[] = {
    {{"bus-load", "field-buses NAME period, bit-rate",
      "a field bus with more frames than it carries", WPIN_EFFECT_ADVICE},
     bus_load},
    {{"bus-period", "field-buses NAME period", "set-points more often than the controller works",
      WPIN_EFFECT_ADVICE},
     bus_period},
    {{"link-time", "axis.lost", "a drive taken for silent after a few frames", WPIN_EFFECT_ADVICE},
     link_time},
    {{"axis-current", "axis.most-current; ramp.up", "less current than its ramp takes",
      WPIN_EFFECT_ADVICE},
     axis_current},
};
const size_t wpin_rules_field_count = sizeof wpin_rules_field / sizeof *wpin_rules_field;
