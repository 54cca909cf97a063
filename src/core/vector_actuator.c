/* Field orientation as an actuator: opened, asked for efforts and torques, looked at each tick. */
#include "beat.h"
#include "rare.h"
#include "six_step_core.h"
#include "vector_core.h"
#include "windpin/impl/steady_six_step.h"

#define ASTRAY 60U /* ticks in which too much flows along the magnet */
#define EASES  5   /* what a new request begins with eases off by a 32nd a tick */

wpin_vector_state wpin_vector_doing(const wpin_vector *v) {
    return wpin_vector_is_open(v) ? (wpin_vector_state)v->state : WPIN_VECTOR_OFF;
}

void wpin_vector_currents(const wpin_vector *v, int16_t *direct, int16_t *quadrature) {
    *direct = *quadrature = 0;
    if (wpin_vector_is_open(v)) {
        uint8_t locked = wpin_lock(wpin_stage_port_of(&v->rotor.stage));
        *direct = v->direct;
        *quadrature =
            (int16_t)(v->config->stage->reversed ? -(int32_t)v->quadrature : v->quadrature);
        wpin_unlock(wpin_stage_port_of(&v->rotor.stage), locked);
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
    return duties == WPIN_VECTOR_LEGS &&
           (table->leg_count == 0 || table->leg_count == WPIN_VECTOR_LEGS);
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
    wpin_stage_find_legs(config->stage, &v->legs);
    v->at_zero[0] = v->at_zero[1] = v->at_zero[2] = config->zero_mv;
    v->duties[0] = v->duties[1] = v->duties[2] = WPIN_VECTOR_HALF;
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
    const wpin_port *port = wpin_stage_port_of(&v->rotor.stage);
    uint8_t locked = wpin_lock(port);
    v->asked = asked;
    v->torque = torque;
    v->more = torque ? 0 : v->emf;
    v->sum_direct = v->sum_quadrature = 0;
    v->made_up[0] = v->made_up[1] = v->made_up[2] = 0;
    v->duties[0] = v->duties[1] = v->duties[2] = WPIN_VECTOR_HALF;
    v->faint = v->uneven = v->astray = 0;
    v->along = 0;
    wpin_vector_forget_peaks(v);
    v->aligning = 0;
    if (!v->aligned) {
        v->edge_at = port->now(port->context);
    }
    v->state = v->aligned ? WPIN_VECTOR_RUN : WPIN_VECTOR_ALIGN;
    wpin_unlock(port, locked);
    return wpin_stage_apply(&v->rotor.stage, WPIN_DRIVE_VECTOR, WPIN_VECTOR_HALF);
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
    if (!wpin_vector_drives(v)) {
        return start(v, asked, torque);
    }
    uint8_t locked = wpin_lock(wpin_stage_port_of(&v->rotor.stage));
    change_over(v, asked, torque);
    wpin_unlock(wpin_stage_port_of(&v->rotor.stage), locked);
    return WPIN_OK;
}

static wpin_status idle(void *self, wpin_drive how) {
    wpin_vector *v = self;
    v->state = WPIN_VECTOR_OFF;
    return wpin_stage_apply(&v->rotor.stage, how, 0);
}

static wpin_duty shown(const void *self) {
    const wpin_vector *v = self;
    if (!wpin_vector_is_open(v) || !wpin_vector_drives(v)) {
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
    if (v->blind >= WPIN_VECTOR_BLIND) {
        m->valid &= (uint8_t)~WPIN_HAS_CURRENT;
        return;
    }
    uint32_t d = (uint32_t)(v->direct * (int32_t)v->direct);
    uint32_t q = (uint32_t)(v->quadrature * (int32_t)v->quadrature);
    m->current = (int16_t)((wpin_root(d + q) * (uint32_t)WPIN_VECTOR_ROOT_3) >> 15);
    m->valid |= WPIN_HAS_CURRENT;
}

/* Of the voltage that the magnet makes nothing lies along it, but for what the other current
 * induces there: half of it would be an angle off by 30 degrees. Told only where it turns well. */
static bool makes_along(const wpin_vector *v) {
    int32_t emf = v->emf < 0 ? -(int32_t)v->emf : v->emf;
    int32_t volts = (int32_t)v->volts_direct + wpin_vector_coupled(v, v->quadrature);
    return emf > WPIN_DUTY_FULL / 16 && (volts > emf / 2 || volts < -emf / 2);
}

/* Where nothing flows, as of a dead supply, voltages are asked for and not made. */
static bool carries(const wpin_vector *v) {
    int32_t d = v->direct, q = v->quadrature;
    return (d < 0 ? -d : d) + (q < 0 ? -q : q) > v->config->limit_mv / 64;
}

/* Along the magnet nothing is asked for, and nothing made: a current there, or a voltage, says that
 * the rotor is not where it is said to be. */
static void look_along(wpin_vector *v) {
    bool flows = v->along > v->config->limit_mv / 4;
    if (v->state == WPIN_VECTOR_RUN && (flows || (carries(v) && makes_along(v)))) {
        v->astray = (uint8_t)(v->astray + (v->astray < ASTRAY ? 2U : 0));
    } else {
        v->astray = (uint8_t)(v->astray - (v->astray != 0));
    }
}

/* A lead that carries nothing either way while the others do shows within half a turn. */
static bool lacks_lead(const wpin_vector *v) {
    int16_t least = INT16_MAX, most = 0;
    for (uint8_t i = 0; i < 2U * WPIN_VECTOR_LEGS; i = (uint8_t)(i + 2)) {
        int16_t tip = v->peak[i] > v->peak[i + 1] ? v->peak[i] : v->peak[i + 1];
        least = tip < least ? tip : least;
        most = tip > most ? tip : most;
    }
    return v->sectors > 2 && most > v->config->limit_mv >> 4 && least < most >> 3;
}

/* A lead that carries nothing is the simpler cause: it leaves the others astray as well. */
static wpin_status judged(const wpin_vector *v) {
    bool astray = v->astray >= ASTRAY, phase = v->faint != 0 || lacks_lead(v);
    if (v->faint >= WPIN_VECTOR_FAINT || v->uneven >= WPIN_VECTOR_UNEVEN || (astray && phase)) {
        return WPIN_FAULT_PHASE;
    }
    return astray ? WPIN_FAULT_ANGLE : WPIN_OK;
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
    uint8_t locked = wpin_lock(wpin_stage_port_of(&v->rotor.stage));
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
    wpin_keep_first(&status,
                    wpin_beat_check(&v->beat, wpin_vector_drives(v), m->dt_us, WPIN_AWAY_ROW_US));
    bool slipped = status == WPIN_FAULT_ANGLE || status == WPIN_FAULT_FEEDBACK;
    if (slipped && v->config->hall == NULL) {
        v->aligned = false; /* where its encoder counts from is found anew */
    }
    wpin_unlock(wpin_stage_port_of(&v->rotor.stage), locked);
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
