/* Field orientation: currents into the rotor's frame, regulated there, and back to three duties. */
#include "vector_core.h"
#include "windpin/impl/steady_six_step.h"

#define PER_ROOT 18919 /* 1 / root of 3, x 32768 */
#define LEARN    6     /* zeros are learnt over so many powers of two of periods */
#define MV_BITS  14    /* of a reading, and of an error of one, beside the sign */

/* Inlined at link time, a compiler for 8 bits gets this wrong: tools/same-check tells. */
#if defined(__AVR__)
#define WPIN_VECTOR_APART __attribute__((noinline))
#else
#define WPIN_VECTOR_APART
#endif

/* Either way. */
static bool is_beyond(int16_t value, uint16_t most) {
    return (uint32_t)((int32_t)value + most) > (uint32_t)2 * most;
}

/* ---- currents ---- */

static void see_less(wpin_vector *v) {
    v->blind = (uint8_t)(v->blind + (v->blind < 2U * WPIN_VECTOR_BLIND ? 2U : 0));
}

/* Above its zero; false: the converter has none. */
static inline bool read_shunt(const wpin_vector *v, const wpin_port *port, uint8_t leg,
                              int16_t *mv) {
    const int16_t reading = port->millivolts(port->context, v->config->shunts[leg]);
    *mv = (int16_t)wpin_saturated((int32_t)reading - v->at_zero[leg], MV_BITS);
    return reading != WPIN_NO_READING;
}

/* All there are: only leg c may have none. */
static bool read_shunts(const wpin_vector *v, int16_t mv[WPIN_VECTOR_LEGS]) {
    const wpin_port *port = wpin_stage_port_of(&v->rotor.stage);
    mv[2] = 0;
    return read_shunt(v, port, 0, &mv[0]) && read_shunt(v, port, 1, &mv[1]) &&
           (v->config->shunts[2] == WPIN_NO_SHUNT || read_shunt(v, port, 2, &mv[2]));
}

/* While nothing is driven nothing flows: what they show then is their zero. */
static void learn_zeros(wpin_vector *v) {
    int16_t mv[WPIN_VECTOR_LEGS],
        most = wpin_clipped(v->config->zero_mv / 16 * (int32_t)64, INT16_MAX);
    if (!read_shunts(v, mv)) {
        see_less(v);
        return;
    }
    for (uint8_t i = 0; i < WPIN_VECTOR_LEGS; i++) {
        v->zero[i] = wpin_clipped((int32_t)v->zero[i] + mv[i], most);
        v->at_zero[i] =
            (int16_t)wpin_saturated((int32_t)v->config->zero_mv + (v->zero[i] >> LEARN), 15);
    }
    v->direct = v->quadrature = 0;
    v->blind = (uint8_t)(v->blind - (v->blind != 0));
}

static bool was_low(const wpin_vector *v, uint8_t leg) {
    return v->duties[leg] + v->config->least_low <= WPIN_DUTY_FULL;
}

/* What goes into a motor comes out of it: where it does not, a low side or a shunt carries what it
 * should not, or not what it should. */
static void compare_sum(wpin_vector *v, int32_t sum) {
    int32_t most = v->config->limit_mv >> 3;
    bool uneven = sum > most || sum < -most;
    if (uneven) {
        v->uneven = (uint8_t)(v->uneven + (v->uneven < WPIN_VECTOR_UNEVEN ? 4U : 0));
    } else {
        v->uneven = (uint8_t)(v->uneven - (v->uneven != 0));
    }
}

/* Of the leg that is not read the current is what the other two leave. False: these were not low
 * for long enough. */
static inline bool leave(wpin_vector *v, int16_t mv[WPIN_VECTOR_LEGS], uint8_t left, uint8_t one,
                         uint8_t other) {
    mv[left] = (int16_t)wpin_saturated(-(int32_t)mv[one] - mv[other], MV_BITS);
    return was_low(v, one) && was_low(v, other);
}

/* Of three the leg that is low for the shortest time goes by the other two. Where all were long
 * enough they have to leave nothing. False: too few were. */
static bool complete(wpin_vector *v, int16_t mv[WPIN_VECTOR_LEGS]) {
    if (v->config->shunts[2] == WPIN_NO_SHUNT) {
        return leave(v, mv, 2, 0, 1);
    }
    const uint16_t a = v->duties[0], b = v->duties[1], c = v->duties[2];
    const uint16_t longest = a > b ? (a > c ? a : c) : (b > c ? b : c);
    if (!v->second && longest + v->config->least_low <= WPIN_DUTY_FULL) {
        compare_sum(v, (int32_t)mv[0] + mv[1] + mv[2]);
    }
    return longest == c   ? leave(v, mv, 2, 0, 1)
           : longest == a ? leave(v, mv, 0, 1, 2)
                          : leave(v, mv, 1, 0, 2);
}

/* The tips of the three leads' currents, both ways, over an electrical turn: where one of them is
 * missing while the others are there, a lead or a switch is off. */
static void compare_leads(wpin_vector *v, const int16_t mv[WPIN_VECTOR_LEGS]) {
    int16_t least = INT16_MAX, most = 0;
    for (uint8_t i = 0; i < WPIN_VECTOR_LEGS; i++) {
        const int16_t in = mv[i], out = (int16_t)-mv[i];
        v->peak[2U * i] = in > v->peak[2U * i] ? in : v->peak[2U * i];
        v->peak[2U * i + 1U] = out > v->peak[2U * i + 1U] ? out : v->peak[2U * i + 1U];
    }
    if (v->sectors < 7U) {
        return;
    }
    for (uint8_t i = 0; i < 2U * WPIN_VECTOR_LEGS; i++) {
        least = v->peak[i] < least ? v->peak[i] : least;
        most = v->peak[i] > most ? v->peak[i] : most;
    }
    bool faint = most > v->config->limit_mv >> 4 && least < most >> 3;
    v->faint = (uint8_t)(faint ? v->faint + (v->faint < WPIN_VECTOR_FAINT) : 0);
    wpin_vector_forget_peaks(v);
}

/* Clarke: from three leads to a plane; of readings up to 16384 no longer than twice that. */
static wpin_plane plane_of(const int16_t mv[WPIN_VECTOR_LEGS]) {
    int32_t y = ((int32_t)mv[0] + 2 * (int32_t)mv[1]) * PER_ROOT;
    return (wpin_plane){mv[0], (int16_t)(y >> 15)};
}

/* ---- regulators, in the rotor's frame ---- */

static int32_t shared(const wpin_vector *v, int32_t error, int32_t sum) {
    return ((error * v->config->gain) >> 8) + (sum >> 12);
}

/* Kept within what the voltage could ever be, so that it is soon back from there. */
static int32_t summed(const wpin_vector *v, int32_t sum, int32_t error) {
    const int32_t most = (int32_t)WPIN_DUTY_FULL << 12;
    sum += error * v->config->integral;
    return sum > most ? most : sum < -most ? -most : sum;
}

static int16_t direct_volts(wpin_vector *v, int16_t asked, wpin_plane amps) {
    int32_t error = wpin_saturated((int32_t)asked - amps.x, MV_BITS);
    int32_t volts = shared(v, error, v->sum_direct) - wpin_vector_coupled(v, amps.y);
    int16_t shown = wpin_clipped(volts, v->config->most);
    if (shown == volts) {
        v->sum_direct = summed(v, v->sum_direct, error);
    }
    return shown;
}

/* Between which currents it may be: around a torque that is asked for just there. Against the way
 * it turns, no more than the supply can take back. */
static void find_window(const wpin_vector *v, int16_t *least, int16_t *most) {
    int32_t limit = v->config->limit_mv, brake = v->brake_mv < limit ? v->brake_mv : limit;
    int32_t low = v->turns > 0 ? -brake : -limit, high = v->turns < 0 ? brake : limit;
    if (v->torque) {
        int32_t asked = (((int32_t)v->asked * v->config->full_mv) >> 14) + v->more;
        low = high = asked > high ? high : asked < low ? low : asked;
    }
    *least = (int16_t)low;
    *most = (int16_t)high;
}

/* The voltage asked for, as long as the current is inside its window with it; otherwise the one
 * that keeps it at that end. The sum follows what is shown, so there is no step from one to the
 * other. */
static int16_t quadrature_volts(wpin_vector *v, int16_t amps, int32_t most) {
    int16_t low, high, ahead = (int16_t)(v->torque ? v->emf : 0);
    find_window(v, &low, &high);
    int32_t asked = wpin_clipped((int32_t)v->asked + v->more, most);
    int32_t error = wpin_saturated((int32_t)low - amps, MV_BITS);
    int32_t volts = ahead + shared(v, error, v->sum_quadrature);
    if (!v->torque && volts <= asked) {
        error = wpin_saturated((int32_t)high - amps, MV_BITS);
        volts = ahead + shared(v, error, v->sum_quadrature);
        if (volts >= asked) {
            v->sum_quadrature = asked * 4096;
            return (int16_t)asked;
        }
    }
    int16_t shown = wpin_clipped(volts, most);
    if (shown == volts || (volts > shown) != (error > 0)) {
        v->sum_quadrature = summed(v, v->sum_quadrature, error);
    }
    return shown;
}

/* What the direct voltage leaves of the longest vector. */
static int16_t left_of(uint16_t whole, int16_t direct) {
    uint32_t part = (uint32_t)(direct * (int32_t)direct);
    return (int16_t)wpin_root((uint32_t)whole * whole - part);
}

/* The direct voltage first. Only where the vector would be too long, the root is worked out. */
static void regulate(wpin_vector *v, wpin_plane amps) {
    uint16_t whole = v->config->most;
    if (v->state == WPIN_VECTOR_ALIGN) {
        v->volts_direct = direct_volts(v, v->config->align_mv, amps);
        v->volts = 0;
        return;
    }
    uint16_t near = (uint16_t)(whole - whole / 8U);
    int16_t direct = direct_volts(v, 0, amps);
    bool long_one = is_beyond(v->volts, (uint16_t)(near - 1U)) || is_beyond(direct, near / 2U);
    v->volts_direct = direct;
    v->volts = quadrature_volts(v, amps.y, long_one ? left_of(whole, direct) : (int16_t)near);
}

/* ---- duties ---- */

/* Of 14 bits, so that it can be turned. */
static wpin_plane shown_by(int16_t direct, int16_t quadrature) {
    return (wpin_plane){(int16_t)wpin_saturated(direct, 14),
                        (int16_t)wpin_saturated(quadrature, 14)};
}

/* From a plane to three leads, which are less by the root of 3. */
static void leads_of(wpin_plane p, int32_t leads[WPIN_VECTOR_LEGS]) {
    const int32_t a = ((int32_t)p.x * PER_ROOT) >> 15, half = a >> 1, rise = p.y >> 1;
    leads[0] = a;
    leads[1] = rise - half;
    leads[2] = -rise - half;
}

/* While both sides of a leg are off its current chooses the rail: against it, for a dead time at
 * each edge. */
static int16_t lost_to(int32_t amps, uint16_t slope, int16_t dead) {
    return wpin_clipped((wpin_saturated(amps, MV_BITS) * slope) >> 8, dead);
}

/* Of a current too small to tell, the voltage that is to drive it says which way. */
WPIN_VECTOR_APART static void make_up_dead_time(wpin_vector *v, const int16_t mv[WPIN_VECTOR_LEGS],
                                                wpin_plane by) {
    bool aligns = v->state == WPIN_VECTOR_ALIGN;
    int16_t flows = aligns ? v->direct : v->quadrature,
            little = (int16_t)(v->config->limit_mv >> 4);
    int16_t dead = v->config->dead;
    uint16_t slope = v->config->dead_slope;
    int32_t amps[WPIN_VECTOR_LEGS] = {mv[0], mv[1], mv[2]};
    if (flows < little && flows > -little) {
        int16_t drives = (int16_t)wpin_saturated((int32_t)v->volts - v->emf, 14);
        wpin_plane volts = aligns ? shown_by(v->volts_direct, 0) : (wpin_plane){0, drives};
        leads_of(wpin_turned_on(volts, by), amps);
        slope = 887; /* 2, times the root of 3 */
    }
    v->made_up[0] = lost_to(amps[0], slope, dead);
    v->made_up[1] = lost_to(amps[1], slope, dead);
    v->made_up[2] = lost_to(amps[2], slope, dead);
}

static uint16_t duty_of(int32_t volts) {
    return (uint16_t)(volts < 0 ? 0 : volts > WPIN_DUTY_FULL ? WPIN_DUTY_FULL : volts);
}

/* Around the middle of the largest and the smallest, so that all of the supply serves: of 16384 the
 * supply over the root of 3. */
static void make_duties(wpin_vector *v, wpin_plane volts) {
    int32_t legs[WPIN_VECTOR_LEGS];
    leads_of(volts, legs);
    const int32_t a = legs[0], b = legs[1], c = legs[2];
    const int32_t upper = b > c ? b : c, lower = b > c ? c : b;
    const int32_t most = a > upper ? a : upper, least = a < lower ? a : lower;
    const int32_t up = WPIN_VECTOR_HALF - ((least + most) >> 1);
    v->duties[0] = duty_of(a + up + v->made_up[0]);
    v->duties[1] = duty_of(b + up + v->made_up[1]);
    v->duties[2] = duty_of(c + up + v->made_up[2]);
}

/* Turned to where the rotor will be by the middle of the period. */
static wpin_status show(wpin_vector *v) {
    wpin_angle lead =
        v->state == WPIN_VECTOR_ALIGN ? 0 : wpin_vector_turns_in(v, v->config->lead_us);
    wpin_plane by = wpin_direction_of((wpin_angle)(v->angle + lead));
    make_duties(v, wpin_turned_on(shown_by(v->volts_direct, v->volts), by));
    return wpin_stage_show_legs(&v->rotor.stage, &v->legs, v->duties);
}

/* ---- the period ---- */

/* Pulled on by a quarter of a turn it has counted a quarter of a turn, both with its friction
 * behind it: not where it has other pole pairs, half as many or twice, or counts backwards. One
 * that hardly moved is held, or its encoder silent, which is told later and better. */
static void compare_quarter(wpin_vector *v) {
    uint32_t turn = v->config->counts_per_turn, pairs = v->config->pole_pairs;
    bool back = v->place > turn / 2U;
    uint32_t quarters = (back ? turn - v->place : v->place) * pairs * 4U; /* turn: just one */
    bool tells = turn >= 12U * pairs && 5U * quarters >= turn; /* enough counts, and it moved */
    bool other = 5U * quarters < 3U * turn || 3U * quarters > 5U * turn;
    if (tells && (back || other)) {
        v->rotor.failed = (uint8_t)(back ? WPIN_FAULT_WRONG_WAY : WPIN_FAULT_ANGLE);
    }
}

/* The rotor is led to its place from a quarter of a turn before it, and then from as far behind it,
 * slowly: friction holds it back by as much on either way, and between the two it lies. */
static void align(wpin_vector *v, wpin_moment now) {
    uint32_t us = now - v->edge_at, whole = v->config->align_ms * (uint32_t)1000;
    us = us > WPIN_SPAN_MAX ? 0 : us;
    if (us >= whole) {
        us = 0;
        v->edge_at = now;
        v->aligning++;
        if (v->aligning == 2U) {
            v->place = 0;
        }
        if (v->aligning == 3U) {
            compare_quarter(v);
        }
    }
    if (v->aligning < 4U) {
        wpin_angle led = (wpin_angle)((v->aligning & 1U) != 0 ? (us * v->leads) >> 16 : 0);
        v->angle = (wpin_angle)(v->aligning < 2U ? 49152U + led : 16384U - led);
        return;
    }
    wpin_vector_is_aligned(v);
    v->state = WPIN_VECTOR_RUN;
    v->sum_direct = v->sum_quadrature = 0;
}

static int16_t smoothed(int16_t before, int16_t now) {
    return (int16_t)(before + (((int32_t)now - before + 2) >> 2));
}

/* What no regulator lets come about: a wrong angle, a short. It does not wait for the tick. */
static bool is_too_much(const int16_t mv[WPIN_VECTOR_LEGS], int16_t most) {
    return is_beyond(mv[0], (uint16_t)most) || is_beyond(mv[1], (uint16_t)most) ||
           is_beyond(mv[2], (uint16_t)most);
}

static void take(wpin_vector *v, const int16_t mv[WPIN_VECTOR_LEGS]) {
    if (v->second && v->state == WPIN_VECTOR_RUN) {
        compare_leads(v, mv);
    }
    wpin_plane by = wpin_direction_of(v->angle), amps = wpin_turned_back(plane_of(mv), by);
    v->direct = smoothed(v->direct, amps.x);
    v->quadrature = smoothed(v->quadrature, amps.y);
    int32_t size = amps.x < 0 ? -(int32_t)amps.x : amps.x;
    v->along = (int16_t)(v->along + ((size - v->along) >> 4));
    v->blind = (uint8_t)(v->blind - (v->blind != 0));
    regulate(v, amps);
    make_up_dead_time(v, mv, by);
}

static wpin_status failed(wpin_vector *v, wpin_status status) {
    if (status != WPIN_OK) {
        v->rotor.failed = (uint8_t)status;
    }
    return status;
}

wpin_status wpin_vector_period(wpin_vector *v) {
    if (!wpin_vector_is_open(v)) {
        return v == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const wpin_port *port = wpin_stage_port_of(&v->rotor.stage);
    wpin_moment now = port->now(port->context);
    v->beat.came = 1;
    wpin_status status = wpin_vector_follow(v, now);
    if (!wpin_vector_drives(v)) {
        if (v->rotor.stage.drive == WPIN_DRIVE_COAST) {
            learn_zeros(v);
        }
        return failed(v, status);
    }
    if (v->state == WPIN_VECTOR_ALIGN) {
        align(v, now);
    }
    v->second = !v->second; /* each of the comparisons below is often enough in half of them */
    int16_t mv[WPIN_VECTOR_LEGS];
    if (read_shunts(v, mv) && complete(v, mv)) {
        if (is_too_much(mv, v->config->trip_mv)) {
            wpin_stage_off(&v->rotor.stage);
            return failed(v, WPIN_FAULT_OVERCURRENT);
        }
        take(v, mv);
    } else { /* by what was shown before */
        see_less(v);
    }
    wpin_keep_first(&status, show(v));
    return failed(v, status);
}
