/* Field orientation: currents into the rotor's frame, regulated there, and back to three duties. */
#include "rare.h"
#include "six_step_core.h"
#include "vector_core.h"
#include "windpin/impl/steady_six_step.h"

#define LEGS     3U
#define HALF     8192
#define ROOT_3   28378 /* of 3, halved: x 32768 */
#define PER_ROOT 18919 /* 1 / root of 3, x 32768 */
#define LEARN    6     /* zeros are learnt over so many powers of two of periods */
#define BLIND    100U  /* so many periods in a row without a sound reading, and there is none */
#define UNEVEN   200U /* and so many quarters of periods in a row with currents that don't sum up */
#define FAINT    3U   /* so many turns in a row with a lead that carries nothing */
#define ASTRAY   60U  /* ticks in which too much flows along the magnet */
#define ERROR    16383 /* no more of one counts, mV */
#define EASES    5     /* what a new request begins with eases off by a 32nd a tick */

/* Inlined at link time, a compiler for 8 bits gets this wrong: tools/same-check tells. */
#if defined(__AVR__)
#define WPIN_VECTOR_APART __attribute__((noinline))
#else
#define WPIN_VECTOR_APART
#endif

/* ---- currents ---- */

static void see_less(wpin_vector *v) {
    v->blind = (uint8_t)(v->blind + (v->blind < 2U * BLIND ? 2U : 0));
}

/* All three, above their zeros; false: the converter has none. */
static bool read_shunts(wpin_vector *v, int16_t mv[LEGS]) {
    const WPIN_FAR wpin_vector_config *config = v->config;
    const wpin_port *port = v->rotor.stage.port;
    for (uint8_t i = 0; i < LEGS; i++) {
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
    int16_t mv[LEGS], most = wpin_clipped(v->config->zero_mv / 16 * (int32_t)64, INT16_MAX);
    if (!read_shunts(v, mv)) {
        see_less(v);
        return;
    }
    for (uint8_t i = 0; i < LEGS; i++) {
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
        v->uneven = (uint8_t)(v->uneven + (v->uneven < UNEVEN ? 4U : 0));
    } else {
        v->uneven = (uint8_t)(v->uneven - (v->uneven != 0));
    }
}

/* Of three the leg that is low for the shortest time goes by the other two. Where all were long
 * enough they have to leave nothing. False: too few were. */
static bool complete(wpin_vector *v, int16_t mv[LEGS]) {
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

static void forget_peaks(wpin_vector *v) {
    for (uint8_t i = 0; i < 2U * LEGS; i++) {
        v->peak[i] = 0;
    }
    v->sectors = 0;
}

/* The tips of the three leads' currents, both ways, over an electrical turn: where one of them is
 * missing while the others are there, a lead or a switch is off. */
static void compare_leads(wpin_vector *v, const int16_t mv[LEGS]) {
    uint16_t least = UINT16_MAX, most = 0;
    for (uint8_t i = 0; i < LEGS; i++) {
        uint8_t way = (uint8_t)(2U * i + (mv[i] < 0));
        uint16_t size = (uint16_t)(mv[i] < 0 ? -mv[i] : mv[i]);
        v->peak[way] = size > v->peak[way] ? size : v->peak[way];
    }
    if (v->sectors < 7U) {
        return;
    }
    for (uint8_t i = 0; i < 2U * LEGS; i++) {
        least = v->peak[i] < least ? v->peak[i] : least;
        most = v->peak[i] > most ? v->peak[i] : most;
    }
    bool faint = most > (uint16_t)v->config->limit_mv / 16U && least < most / 8U;
    v->faint = (uint8_t)(faint ? v->faint + (v->faint < FAINT) : 0);
    forget_peaks(v);
}

/* Clarke: from three leads to a plane; of readings up to 16383 no longer than twice that. */
static wpin_plane plane_of(const int16_t mv[LEGS]) {
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

/* What the other current induces at this speed. */
static int16_t coupled(const wpin_vector *v, int16_t mv) {
    int32_t volts = (((int32_t)(v->rate >> 2) * mv) >> 14) * v->config->coupling;
    volts >>= 4;
    return wpin_clipped(v->turns < 0 ? -volts : volts, WPIN_DUTY_FULL);
}

static int16_t direct_volts(wpin_vector *v, int16_t asked, wpin_plane amps) {
    int32_t most = v->config->most;
    int32_t error = wpin_clipped((int32_t)asked - amps.x, ERROR);
    int32_t volts = shared(v, error, v->sum_direct) - coupled(v, amps.y);
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
static void leads_of(wpin_plane p, int32_t leads[LEGS]) {
    int32_t half = p.x / 2, rise = ((int32_t)p.y * ROOT_3) >> 15;
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
WPIN_VECTOR_APART static void make_up_dead_time(wpin_vector *v, const int16_t mv[LEGS],
                                                wpin_plane by) {
    bool aligns = v->state == WPIN_VECTOR_ALIGN;
    int16_t flows = aligns ? v->direct : v->quadrature, little = v->config->limit_mv / 16;
    int16_t dead = v->config->dead;
    uint16_t slope = v->config->dead_slope;
    int32_t amps[LEGS] = {mv[0], mv[1], mv[2]};
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
    int32_t legs[LEGS];
    leads_of(volts, legs);
    int32_t least = legs[0], most = legs[0];
    for (uint8_t i = 1; i < LEGS; i++) {
        least = legs[i] < least ? legs[i] : least;
        most = legs[i] > most ? legs[i] : most;
    }
    int32_t middle = (least + most) / 2;
    for (uint8_t i = 0; i < LEGS; i++) {
        int32_t duty = HALF + (((legs[i] - middle) * PER_ROOT) >> 15) + v->made_up[i];
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

static bool drives(const wpin_vector *v) {
    return v->rotor.stage.drive == WPIN_DRIVE_VECTOR && v->rotor.stage.cut == 0 &&
           v->state != WPIN_VECTOR_OFF;
}

static int16_t smoothed(int16_t before, int16_t now) {
    return (int16_t)((3 * (int32_t)before + now) / 4);
}

/* What no regulator lets come about: a wrong angle, a short. It does not wait for the tick. */
static bool is_too_much(const int16_t mv[LEGS], int32_t most) {
    return mv[0] > most || mv[0] < -most || mv[1] > most || mv[1] < -most || mv[2] > most ||
           mv[2] < -most;
}

static void take(wpin_vector *v, const int16_t mv[LEGS]) {
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
    const wpin_port *port = v->rotor.stage.port;
    wpin_moment now = port->now(port->context);
    wpin_status status = wpin_vector_follow(v, now);
    if (!drives(v)) {
        if (v->rotor.stage.drive == WPIN_DRIVE_COAST) {
            learn_zeros(v);
        }
        return failed(v, status);
    }
    if (v->state == WPIN_VECTOR_ALIGN) {
        align(v, now);
    }
    v->second = !v->second; /* each of the comparisons below is often enough in half of them */
    int16_t mv[LEGS];
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

wpin_vector_state wpin_vector_doing(const wpin_vector *v) {
    return wpin_vector_is_open(v) ? (wpin_vector_state)v->state : WPIN_VECTOR_OFF;
}

void wpin_vector_currents(const wpin_vector *v, int16_t *direct, int16_t *quadrature) {
    *direct = *quadrature = 0;
    if (wpin_vector_is_open(v)) {
        uint8_t locked = wpin_lock(v->rotor.stage.port);
        *direct = v->direct;
        *quadrature =
            (int16_t)(v->config->stage->reversed ? -(int32_t)v->quadrature : v->quadrature);
        wpin_unlock(v->rotor.stage.port, locked);
    }
}

/* ---- opening ---- */

/* Of a copy in RAM: so many comparisons with flash are too much for a compiler for 8 bits. */
static bool in_range(const wpin_vector_config *c) {
    uint16_t all = (uint16_t)(c->gain | c->integral | c->coupling | c->emf);
    bool encoder = c->counts_per_turn >= 4U && c->counts_per_turn <= 32768U &&
                   c->pole_pairs >= 1U && c->pole_pairs <= 64U &&
                   c->pole_pairs < c->counts_per_turn && c->align_ms >= 1U &&
                   c->align_ms <= 10000U && c->align_mv >= 1 && c->align_mv <= 16383;
    bool gains = c->dead >= 0 && c->dead <= WPIN_DUTY_FULL / 8 && all <= INT16_MAX;
    return (c->hall != NULL || encoder) && gains && c->full_mv >= 1 && c->full_mv <= 16383 &&
           c->limit_mv >= 1 && c->limit_mv <= 16383 && c->trip_mv >= c->limit_mv &&
           c->trip_mv <= 16383 && c->zero_mv >= 0 && c->zero_mv <= 16383 && c->most >= 1U &&
           c->most <= WPIN_DUTY_FULL && c->least_low <= WPIN_DUTY_FULL / 2 &&
           c->rate <= WPIN_VECTOR_RATE(1900);
}

static bool shunts_hold(const wpin_vector_config *c) {
    const uint8_t *s = c->shunts;
    return s[0] != WPIN_NO_SHUNT && s[1] != WPIN_NO_SHUNT && s[0] != s[1] && s[0] != s[2] &&
           s[1] != s[2];
}

/* Three lines with a duty, each of a leg of its own where the table has legs: the row of a stepper
 * with that number is none. */
static bool has_three_legs(const WPIN_FAR wpin_stage_table *table, uint8_t row) {
    uint8_t timed = table->rows[row].timed, others = table->rows[row].complement, duties = 0;
    for (uint8_t line = 0; line < table->line_count; line++) {
        duties = (uint8_t)(duties + ((timed & (uint8_t)~others & wpin_bit(line)) != 0 ? 1U : 0));
    }
    return duties == LEGS && (table->leg_count == 0 || table->leg_count == LEGS);
}

/* Each leg has a duty of its own around the middle of a period; the sensors are on the same stage.
 */
static bool stage_holds(const WPIN_FAR wpin_vector_config *config) {
    const WPIN_FAR wpin_stage_config *stage = config->stage;
    uint8_t row = wpin_table_row(stage->table, WPIN_DRIVE_VECTOR);
    if (!stage->centred || row == WPIN_NO_ROW || !has_three_legs(stage->table, row)) {
        return false;
    }
    return config->hall == NULL || config->hall->stage == stage;
}

static wpin_status check(const WPIN_FAR wpin_vector_config *config, const wpin_port *port) {
    wpin_vector_config copy = *config;
    if (!in_range(&copy)) {
        return WPIN_REFUSED_RANGE;
    }
    if (!stage_holds(config) || !shunts_hold(&copy)) {
        return WPIN_REFUSED_CONFIG;
    }
    bool counts = config->hall != NULL || config->quadrature != NULL || port->count != NULL;
    return counts && port->millivolts != NULL ? WPIN_OK : WPIN_REFUSED_PORT;
}

/* With Hall sensors the stage is opened as one of six steps, which then only counts. */
static wpin_status open_rotor(wpin_vector *v, const WPIN_FAR wpin_vector_config *config,
                              const wpin_port *port) {
    if (config->hall != NULL) {
        return wpin_six_step_open(&v->rotor, config->hall, port);
    }
    v->rotor.sector = WPIN_NO_SECTOR;
    return wpin_stage_open(&v->rotor.stage, config->stage, port);
}

static wpin_status begin(wpin_vector *v, const WPIN_FAR wpin_vector_config *config,
                         const wpin_port *port) {
    v->config = config; /* open from here on */
    v->brake_mv = config->limit_mv;
    v->duties[0] = v->duties[1] = v->duties[2] = HALF;
    wpin_status status = wpin_vector_look(v, port);
    if (status != WPIN_OK) {
        wpin_stage_close(&v->rotor.stage);
        v->config = NULL;
    }
    return status;
}

static wpin_status open_vector(void *self, const WPIN_FAR void *part_config,
                               const wpin_port *port) {
    wpin_vector *v = self;
    const WPIN_FAR wpin_vector_config *config = (const WPIN_FAR wpin_vector_config *)part_config;
    if (v == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_stage_close(&v->rotor.stage);
    *v = (wpin_vector){0};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_status status = wpin_stage_check(config->stage);
    if (status == WPIN_OK) {
        status = check(config, port);
    }
    if (status == WPIN_OK) {
        status = open_rotor(v, config, port);
    }
    return status == WPIN_OK ? begin(v, config, port) : status;
}

static wpin_status close_vector(void *self) {
    wpin_vector *v = self;
    v->state = WPIN_VECTOR_OFF;
    return wpin_stage_close(&v->rotor.stage);
}

/* ---- as an actuator ---- */

static uint8_t traits(const void *self) {
    return wpin_sector_traits(&((const wpin_vector *)self)->rotor.stage);
}

/* A shaft that still turns is taken at the voltage it makes. */
static wpin_status start(wpin_vector *v, int16_t asked, bool torque) {
    if (v->config->hall != NULL && wpin_six_step_sector(&v->rotor) == WPIN_NO_SECTOR) {
        return WPIN_OK; /* it does not know where: poll says so */
    }
    const wpin_port *port = v->rotor.stage.port;
    uint8_t locked = wpin_lock(port);
    v->asked = asked;
    v->torque = torque;
    v->more = torque ? 0 : v->emf;
    v->sum_direct = v->sum_quadrature = 0;
    v->made_up[0] = v->made_up[1] = v->made_up[2] = 0;
    v->duties[0] = v->duties[1] = v->duties[2] = HALF;
    v->faint = v->uneven = v->astray = 0;
    v->along = 0;
    forget_peaks(v);
    v->aligning = 0;
    if (!v->aligned) {
        v->edge_at = port->now(port->context);
    }
    v->state = v->aligned ? WPIN_VECTOR_RUN : WPIN_VECTOR_ALIGN;
    wpin_unlock(port, locked);
    return wpin_stage_apply(&v->rotor.stage, WPIN_DRIVE_VECTOR, HALF);
}

/* From an effort to a torque and back: what flows, or what is shown, goes on from where it is. */
static void change_over(wpin_vector *v, int16_t asked, bool torque) {
    if (torque != v->torque) {
        int32_t now = torque ? v->quadrature - (((int32_t)asked * v->config->full_mv) >> 14)
                             : v->volts - (int32_t)asked;
        v->sum_quadrature = torque ? ((int32_t)v->volts - v->emf) * 4096 : (int32_t)v->volts * 4096;
        v->more = wpin_clipped(now, WPIN_DUTY_FULL);
    }
    v->asked = asked;
    v->torque = torque;
}

static wpin_status put(void *self, uint8_t quantity, int32_t value) {
    wpin_vector *v = self;
    if (!wpin_vector_is_open(v)) {
        return WPIN_REFUSED_CLOSED;
    }
    if (value > WPIN_DUTY_FULL || value < -WPIN_DUTY_FULL) {
        return WPIN_REFUSED_RANGE;
    }
    int16_t asked = (int16_t)(v->config->stage->reversed ? -value : value);
    bool torque = quantity == WPIN_QUANTITY_TORQUE;
    if (!drives(v)) {
        return start(v, asked, torque);
    }
    uint8_t locked = wpin_lock(v->rotor.stage.port);
    change_over(v, asked, torque);
    wpin_unlock(v->rotor.stage.port, locked);
    return WPIN_OK;
}

static wpin_status idle(void *self, wpin_drive how) {
    wpin_vector *v = self;
    v->state = WPIN_VECTOR_OFF;
    return wpin_stage_apply(&v->rotor.stage, how, 0);
}

static wpin_duty shown(const void *self) {
    const wpin_vector *v = self;
    if (!wpin_vector_is_open(v) || !drives(v)) {
        return 0;
    }
    int16_t asked = v->asked, volts = v->volts;
    int32_t now = volts != 0 ? volts : asked; /* it never shows rest while it drives */
    return (wpin_duty)(v->config->stage->reversed ? -now : now);
}

static void off(void *self) {
    wpin_stage_off(&((wpin_vector *)self)->rotor.stage);
}

/* The rate and the emf of the speed that the tick measured. */
static void take_speed(wpin_vector *v, const wpin_measurement *m) {
    bool known = (m->valid & WPIN_HAS_SPEED) != 0;
    int16_t speed = known ? m->speed : 0;
    uint32_t size = speed < 0 ? (uint32_t) - (int32_t)speed : (uint32_t)speed;
    uint32_t rate = (size * v->config->rate) >> 16;
    int16_t emf = wpin_clipped(((int32_t)speed * v->config->emf) >> 14, WPIN_DUTY_FULL);
    v->rate = (uint16_t)(rate > UINT16_MAX ? UINT16_MAX : rate);
    v->emf = (int16_t)(v->config->stage->reversed ? -emf : emf);
}

/* Less and less against the way it turns, as the supply rises. */
static void mind_supply(wpin_vector *v, const wpin_measurement *m) {
    const WPIN_FAR wpin_vector_config *c = v->config;
    v->brake_mv = c->limit_mv;
    if (c->supply_to <= c->supply_from || (m->valid & WPIN_HAS_SUPPLY) == 0) {
        return;
    }
    int32_t room = (int32_t)c->supply_to - m->supply, all = (int32_t)c->supply_to - c->supply_from;
    int16_t brake = c->limit_mv;
    for (uint8_t i = 0; i < 8 && room < all;
         i++) { /* halved as often as the room is: no division */
        all /= 2;
        brake /= 2;
    }
    v->brake_mv = (int16_t)(room <= 0 ? 0 : brake);
}

static void take_current(const wpin_vector *v, wpin_measurement *m) {
    if (v->blind >= BLIND) {
        m->valid &= (uint8_t)~WPIN_HAS_CURRENT;
        return;
    }
    uint32_t d = (uint32_t)(v->direct * (int32_t)v->direct);
    uint32_t q = (uint32_t)(v->quadrature * (int32_t)v->quadrature);
    m->current = (int16_t)((wpin_root(d + q) * (uint32_t)ROOT_3) >> 15);
    m->valid |= WPIN_HAS_CURRENT;
}

/* Of the voltage that the magnet makes nothing lies along it, but for what the other current
 * induces there: half of it would be an angle off by 30 degrees. Told only where it turns well. */
static bool makes_along(const wpin_vector *v) {
    int32_t emf = v->emf < 0 ? -(int32_t)v->emf : v->emf;
    int32_t volts = (int32_t)v->volts_direct + coupled(v, v->quadrature);
    return emf > WPIN_DUTY_FULL / 16 && (volts > emf / 2 || volts < -emf / 2);
}

/* Along the magnet nothing is asked for, and nothing made: a current there, or a voltage, says that
 * the rotor is not where it is said to be. */
static void look_along(wpin_vector *v) {
    bool flows = v->along > v->config->limit_mv / 4;
    if (v->state == WPIN_VECTOR_RUN && (flows || makes_along(v))) {
        v->astray = (uint8_t)(v->astray + (v->astray < ASTRAY ? 2U : 0));
    } else {
        v->astray = (uint8_t)(v->astray - (v->astray != 0));
    }
}

/* A lead that carries nothing is the simpler cause. */
static wpin_status judged(const wpin_vector *v) {
    if (v->faint >= FAINT || v->uneven >= UNEVEN) {
        return WPIN_FAULT_PHASE;
    }
    return v->astray >= ASTRAY ? WPIN_FAULT_ANGLE : WPIN_OK;
}

static wpin_status poll(void *self, wpin_measurement *m) {
    wpin_vector *v = self;
    if (!wpin_vector_is_open(v)) {
        return WPIN_OK;
    }
    wpin_status status = WPIN_OK;
    if (v->config->hall != NULL) {
        status = wpin_six_step_poll(&v->rotor, m);
    }
    uint8_t locked = wpin_lock(v->rotor.stage.port);
    if (v->config->hall == NULL) {
        status = (wpin_status)v->rotor.failed;
        v->rotor.failed = WPIN_OK;
    }
    take_speed(v, m);
    mind_supply(v, m);
    take_current(v, m);
    v->more = (int16_t)(v->more - v->more / (1 << EASES) - (v->more > 0) + (v->more < 0));
    look_along(v);
    wpin_keep_first(&status, judged(v));
    bool slipped = status == WPIN_FAULT_ANGLE || status == WPIN_FAULT_FEEDBACK;
    if (slipped && v->config->hall == NULL) {
        v->aligned = false; /* where its encoder counts from is found anew */
    }
    wpin_unlock(v->rotor.stage.port, locked);
    uint8_t inputs = m->inputs & (uint8_t)~WPIN_STARTING;
    m->inputs = (uint8_t)(inputs | (v->state == WPIN_VECTOR_ALIGN ? WPIN_STARTING : 0));
    return status;
}

const WPIN_FLASH wpin_actuator wpin_vector_actuator = {.takes = WPIN_TAKES(WPIN_QUANTITY_EFFORT) |
                                                                WPIN_TAKES(WPIN_QUANTITY_TORQUE),
                                                       .open = open_vector,
                                                       .close = close_vector,
                                                       .traits = traits,
                                                       .put = put,
                                                       .idle = idle,
                                                       .shown = shown,
                                                       .off = off,
                                                       .poll = poll};
