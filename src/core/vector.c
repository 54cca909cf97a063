/* Field orientation: currents into the rotor's frame, regulated there, and back to three duties. */
#include "vector_core.h"
#include "windpin/impl/steady_six_step.h"

#define PER_ROOT 18919 /* 1 / root of 3, x 32768 */
#define LEARN    6     /* zeros are learnt over so many powers of two of periods */
#define ERROR    16383 /* no more of one counts, mV */

/* Inlined at link time, a compiler for 8 bits gets this wrong: tools/same-check tells. */
#if defined(__AVR__)
#define WPIN_VECTOR_APART __attribute__((noinline))
#else
#define WPIN_VECTOR_APART
#endif

/* ---- currents ---- */

static void see_less(wpin_vector *v) {
    v->blind = (uint8_t)(v->blind + (v->blind < 2U * WPIN_VECTOR_BLIND ? 2U : 0));
}

/* All three, above their zeros; false: the converter has none. */
static bool read_shunts(wpin_vector *v, int16_t mv[WPIN_VECTOR_LEGS]) {
    const WPIN_FAR wpin_vector_config *config = v->config;
    const wpin_port *port = wpin_stage_port_of(&v->rotor.stage);
    for (uint8_t i = 0; i < WPIN_VECTOR_LEGS; i++) {
        if (config->shunts[i] == WPIN_NO_SHUNT) {
            mv[i] = 0;
            continue;
        }
        int16_t reading = port->millivolts(port->context, config->shunts[i]);
        if (reading == WPIN_NO_READING) {
            return false;
        }
        int32_t zero = config->zero_mv + (int32_t)(v->zero[i] >> LEARN);
        mv[i] = wpin_clipped((int32_t)reading - zero, 16383);
    }
    return true;
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
    int32_t most = v->config->limit_mv / 8;
    bool uneven = sum > most || sum < -most;
    if (uneven) {
        v->uneven = (uint8_t)(v->uneven + (v->uneven < WPIN_VECTOR_UNEVEN ? 4U : 0));
    } else {
        v->uneven = (uint8_t)(v->uneven - (v->uneven != 0));
    }
}

/* Of three the leg that is low for the shortest time goes by the other two. Where all were long
 * enough they have to leave nothing. False: too few were. */
static bool complete(wpin_vector *v, int16_t mv[WPIN_VECTOR_LEGS]) {
    uint8_t left = 2;
    if (v->config->shunts[2] != WPIN_NO_SHUNT) {
        for (uint8_t i = 0; i < 2; i++) {
            left = v->duties[i] > v->duties[left] ? i : left;
        }
        if (!v->second && was_low(v, left)) {
            compare_sum(v, (int32_t)mv[0] + mv[1] + mv[2]);
        }
    }
    uint8_t one = left == 0 ? 1 : 0, other = left == 2 ? 1 : 2;
    mv[left] = (int16_t)-wpin_clipped((int32_t)mv[one] + mv[other], 16383);
    return was_low(v, one) && was_low(v, other);
}

/* The tips of the three leads' currents, both ways, over an electrical turn: where one of them is
 * missing while the others are there, a lead or a switch is off. */
static void compare_leads(wpin_vector *v, const int16_t mv[WPIN_VECTOR_LEGS]) {
    uint16_t least = UINT16_MAX, most = 0;
    for (uint8_t i = 0; i < WPIN_VECTOR_LEGS; i++) {
        uint8_t way = (uint8_t)(2U * i + (mv[i] < 0));
        uint16_t size = (uint16_t)(mv[i] < 0 ? -mv[i] : mv[i]);
        v->peak[way] = size > v->peak[way] ? size : v->peak[way];
    }
    if (v->sectors < 7U) {
        return;
    }
    for (uint8_t i = 0; i < 2U * WPIN_VECTOR_LEGS; i++) {
        least = v->peak[i] < least ? v->peak[i] : least;
        most = v->peak[i] > most ? v->peak[i] : most;
    }
    bool faint = most > (uint16_t)v->config->limit_mv / 16U && least < most / 8U;
    v->faint = (uint8_t)(faint ? v->faint + (v->faint < WPIN_VECTOR_FAINT) : 0);
    wpin_vector_forget_peaks(v);
}

/* Clarke: from three leads to a plane; of readings up to 16383 no longer than twice that. */
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
    int32_t most = v->config->most;
    int32_t error = wpin_clipped((int32_t)asked - amps.x, ERROR);
    int32_t volts = shared(v, error, v->sum_direct) - wpin_vector_coupled(v, amps.y);
    if (volts <= most && volts >= -most) {
        v->sum_direct = summed(v, v->sum_direct, error);
    }
    return wpin_clipped(volts, most);
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
    int32_t below = wpin_clipped((int32_t)low - amps, ERROR);
    int32_t above = wpin_clipped((int32_t)high - amps, ERROR);
    int32_t at_low = ahead + shared(v, below, v->sum_quadrature);
    int32_t at_high = ahead + shared(v, above, v->sum_quadrature);
    int32_t asked = wpin_clipped((int32_t)v->asked + v->more, most), volts = at_low, error = below;
    if (!v->torque && at_low <= asked) {
        if (at_high >= asked) {
            v->sum_quadrature = asked * 4096;
            return (int16_t)asked;
        }
        volts = at_high;
        error = above;
    }
    bool ends = (volts > most && error > 0) || (volts < -most && error < 0);
    if (!ends) {
        v->sum_quadrature = summed(v, v->sum_quadrature, error);
    }
    return wpin_clipped(volts, most);
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
    int16_t direct = direct_volts(v, 0, amps), near = (int16_t)(whole - whole / 8U);
    bool long_one =
        v->volts >= near || v->volts <= -near || direct > near / 2 || direct < -near / 2;
    v->volts_direct = direct;
    v->volts = quadrature_volts(v, amps.y, long_one ? left_of(whole, direct) : near);
}

/* ---- duties ---- */

/* From a plane to three leads. */
static void leads_of(wpin_plane p, int32_t leads[WPIN_VECTOR_LEGS]) {
    int32_t half = p.x / 2, rise = ((int32_t)p.y * WPIN_VECTOR_ROOT_3) >> 15;
    leads[0] = p.x;
    leads[1] = rise - half;
    leads[2] = -rise - half;
}

/* While both sides of a leg are off its current chooses the rail: against it, for a dead time at
 * each edge. */
static int16_t lost_to(int32_t amps, uint16_t slope, int16_t dead) {
    int32_t size = wpin_clipped(amps, 16383);
    return wpin_clipped((size * slope) >> 8, dead);
}

/* Of a current too small to tell, the voltage that is to drive it says which way. */
WPIN_VECTOR_APART static void make_up_dead_time(wpin_vector *v, const int16_t mv[WPIN_VECTOR_LEGS],
                                                wpin_plane by) {
    bool aligns = v->state == WPIN_VECTOR_ALIGN;
    int16_t flows = aligns ? v->direct : v->quadrature, little = v->config->limit_mv / 16;
    int16_t dead = v->config->dead;
    uint16_t slope = v->config->dead_slope;
    int32_t amps[WPIN_VECTOR_LEGS] = {mv[0], mv[1], mv[2]};
    if (flows < little && flows > -little) {
        int16_t drives = wpin_clipped((int32_t)v->volts - v->emf, WPIN_DUTY_FULL);
        wpin_plane volts = {aligns ? v->volts_direct : 0, aligns ? 0 : drives};
        leads_of(wpin_turned_on(volts, by), amps);
        slope = 512;
    }
    v->made_up[0] = lost_to(amps[0], slope, dead);
    v->made_up[1] = lost_to(amps[1], slope, dead);
    v->made_up[2] = lost_to(amps[2], slope, dead);
}

/* Around the middle of the largest and the smallest, so that all of the supply serves: of 16384 the
 * supply over the root of 3. */
static void make_duties(wpin_vector *v, wpin_plane volts) {
    int32_t legs[WPIN_VECTOR_LEGS];
    leads_of(volts, legs);
    int32_t least = legs[0], most = legs[0];
    for (uint8_t i = 1; i < WPIN_VECTOR_LEGS; i++) {
        least = legs[i] < least ? legs[i] : least;
        most = legs[i] > most ? legs[i] : most;
    }
    int32_t middle = (least + most) / 2;
    for (uint8_t i = 0; i < WPIN_VECTOR_LEGS; i++) {
        int32_t duty = WPIN_VECTOR_HALF + (((legs[i] - middle) * PER_ROOT) >> 15) + v->made_up[i];
        v->duties[i] = (uint16_t)(duty < 0 ? 0 : duty > WPIN_DUTY_FULL ? WPIN_DUTY_FULL : duty);
    }
}

/* Turned to where the rotor will be by the middle of the period. */
static wpin_status show(wpin_vector *v) {
    wpin_angle lead =
        v->state == WPIN_VECTOR_ALIGN ? 0 : wpin_vector_turns_in(v, v->config->lead_us);
    wpin_plane by = wpin_direction_of((wpin_angle)(v->angle + lead));
    make_duties(v, wpin_turned_on((wpin_plane){v->volts_direct, v->volts}, by));
    return wpin_stage_show_legs(&v->rotor.stage, v->duties);
}

/* ---- the period ---- */

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
    return (int16_t)((3 * (int32_t)before + now) / 4);
}

/* What no regulator lets come about: a wrong angle, a short. It does not wait for the tick. */
static bool is_too_much(const int16_t mv[WPIN_VECTOR_LEGS], int32_t most) {
    return mv[0] > most || mv[0] < -most || mv[1] > most || mv[1] < -most || mv[2] > most ||
           mv[2] < -most;
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
