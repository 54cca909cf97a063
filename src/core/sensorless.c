/* Six-step commutation by the back-emf of the free lead: align, open-loop ramp, zero crossings. */
#include "windpin/sensorless.h"
#include "beat.h"
#include "rare.h"
#include "sector_rows.h"
#include "windpin/impl/steady_six_step.h"

#define TRIES_USUAL 3U

static bool is_open(const wpin_sensorless *s) {
    return s != NULL && s->config != NULL && wpin_stage_is_open(&s->stage);
}

static uint32_t elapsed(wpin_moment from, wpin_moment to) {
    uint32_t us = to - from;
    return us > WPIN_SPAN_MAX ? 0 : us; /* a clock that ran back */
}

static void enter(wpin_sensorless *s, wpin_sensorless_state state, wpin_moment now) {
    s->state = (uint8_t)state;
    s->since = now;
    s->step = 0;
    s->crossed = false;
}

/* ---- in the interrupt ---- */

/* The next sector, from now on. */
static void turn_on(wpin_sensorless *s, wpin_moment now) {
    s->sector = s->direction > 0 ? wpin_next_sector(s->sector) : wpin_previous_sector(s->sector);
    s->since = now;
    s->crossed = false;
}

/* Nothing turns on any more, and once the lock is let go all goes off; the tick takes it from here.
 */
WPIN_RARE static void lose(wpin_sensorless *s, wpin_moment now) {
    s->lost = (uint16_t)(s->lost + (s->lost < UINT16_MAX));
    s->stage.cut = 1;
    s->stage.duty = 0;
    enter(s, WPIN_SENSORLESS_REST, now);
}

/* Two rows one after the other: from one place alone the first has no hold on the rotor. */
static bool align(wpin_sensorless *s, wpin_moment now) {
    if (elapsed(s->since, now) < s->config->align_ms * (uint32_t)1000) {
        return false;
    }
    uint8_t step = s->step;
    turn_on(s, now);
    if (step == 0) {
        s->step = 1;
    } else {
        enter(s, WPIN_SENSORLESS_RAMP, now);
    }
    return true;
}

/* The step of the ramp, of align the first. */
static const WPIN_FAR wpin_sensorless_step *step_now(const wpin_sensorless *s) {
    uint8_t step = s->state == WPIN_SENSORLESS_RAMP ? s->step : 0;
    return &s->config->ramp[step < s->config->ramp_count ? step : 0];
}

static bool ramp(wpin_sensorless *s, wpin_moment now) {
    uint32_t us = (uint32_t)step_now(s)->time << 4;
    if (elapsed(s->since, now) < us) {
        return false;
    }
    turn_on(s, now);
    s->step++;
    if (s->step >= s->config->ramp_count) {
        enter(s, WPIN_SENSORLESS_RUN, now);
        s->sector_us = (uint16_t)us;
        s->good = 0;
    }
    return true;
}

/* Of the rotor's sector, whichever way it turns: the lead that is free, and whether it is above the
 * neutral point once its emf has passed it. */
static bool has_crossed(const wpin_sensorless *s) {
    static const WPIN_FLASH uint8_t free_lead[WPIN_SECTORS] = {2, 1, 0, 2, 1, 0};
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    bool above = port->read(port->context, s->config->above[free_lead[s->sector]]);
    return above == ((s->sector & 1U) != 0);
}

static void count(wpin_sensorless *s, wpin_moment now) {
    uint32_t counts = (uint32_t)s->counts.counts;
    s->counts.counts = (int32_t)(s->direction > 0 ? counts + 1U : counts - 1U);
    s->counts.at = now;
    if (s->good < WPIN_SENSORLESS_SURE) {
        s->good++;
    } else {
        s->starts = 0; /* this one came to run */
    }
}

/* A crossing: how long a sector is now. The first after the hand-over goes by its own sector. */
static void take_crossing(wpin_sensorless *s, uint32_t in_sector, wpin_moment now) {
    uint32_t us = s->good == 0 ? 2 * in_sector : elapsed(s->crossed_at, now);
    uint32_t of_late = (3U * (uint32_t)s->sector_us + us) >> 2;
    s->sector_us = (uint16_t)(of_late > UINT16_MAX ? UINT16_MAX : of_late);
    s->crossed = true;
    s->crossed_at = now;
    count(s, now);
}

/* What is left of half a sector once the advance is taken off. */
static uint16_t to_next_row(const wpin_sensorless *s) {
    uint32_t sooner = ((uint32_t)s->sector_us * s->config->advance) >> 8;
    return (uint16_t)((s->sector_us >> 1) - sooner);
}

/* By the crossings. For the first quarter of a sector what flowed in the free lead still runs down
 * through a diode, and tells nothing. */
static bool run(wpin_sensorless *s, wpin_moment now) {
    uint32_t in_sector = elapsed(s->since, now);
    if (s->crossed) {
        bool due = elapsed(s->crossed_at, now) >= to_next_row(s);
        if (due) {
            turn_on(s, now);
        }
        return due;
    }
    if (in_sector >= s->sector_us >> 2 && has_crossed(s)) {
        take_crossing(s, in_sector, now);
        if (s->sector_us < s->config->least_us) {
            lose(s, now);
        }
    } else if (in_sector > 2U * (uint32_t)s->sector_us) {
        lose(s, now);
    }
    return false;
}

static bool moves_on(wpin_sensorless *s, wpin_moment now) {
    switch (s->state) {
    case WPIN_SENSORLESS_ALIGN: return align(s, now);
    case WPIN_SENSORLESS_RAMP: return ramp(s, now);
    case WPIN_SENSORLESS_RUN: return run(s, now);
    default: return false;
    }
}

static uint16_t lower(uint16_t a, uint16_t b) {
    return a < b ? a : b;
}

/* The duty of its state: of its step, or once it runs what is asked for. */
static uint16_t duty_due(const wpin_sensorless *s) {
    const uint16_t full = (uint16_t)WPIN_DUTY_FULL;
    if (s->state != WPIN_SENSORLESS_RUN) {
        return lower(step_now(s)->duty, full);
    }
    uint16_t least = s->config->least_duty;
    return lower(s->wanted > least ? s->wanted : least, full);
}

static wpin_status show_row(wpin_sensorless *s) {
    uint16_t duty = duty_due(s);
    wpin_status status = duty == s->stage.duty
                             ? WPIN_OK
                             : wpin_steady_duty(&s->stage, wpin_stage_port_of(&s->stage), duty);
    wpin_keep_first(&status,
                    wpin_stage_commutate(&s->stage, wpin_sector_row(s->sector, s->direction)));
    if (status != WPIN_OK) {
        s->failed = (uint8_t)status;
    }
    return status;
}

wpin_status wpin_sensorless_sample(wpin_sensorless *s) {
    if (!is_open(s)) {
        return s == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    wpin_moment now = port->now(port->context); /* a tick that comes between began later */
    s->beat.came = 1;
    uint8_t locked = wpin_lock(port);
    bool works = s->stage.cut == 0, moved = works && moves_on(s, now);
    bool lost = works && s->stage.cut != 0;
    wpin_unlock(port, locked);
    if (lost) {
        wpin_stage_rest_lines(&s->stage);
    }
    return moved ? show_row(s) : WPIN_OK;
}

wpin_sensorless_state wpin_sensorless_doing(const wpin_sensorless *s) {
    return is_open(s) ? (wpin_sensorless_state)s->state : WPIN_SENSORLESS_OFF;
}

/* ---- opening ---- */

static bool ramp_holds(const WPIN_FAR wpin_sensorless_config *config) {
    for (uint8_t i = 0; i < config->ramp_count; i++) {
        wpin_sensorless_step step = config->ramp[i];
        if (step.time == 0 || step.duty == 0 || step.duty > (uint16_t)WPIN_DUTY_FULL) {
            return false;
        }
    }
    return config->ramp_count != 0 && config->ramp[config->ramp_count - 1U].time <= 4095U;
}

static bool in_range(const WPIN_FAR wpin_sensorless_config *config) {
    return config->align_ms != 0 && config->align_ms <= 60000U && config->rest_ms != 0 &&
           config->rest_ms <= 60000U && config->least_duty <= (uint16_t)WPIN_DUTY_FULL &&
           config->least_us != 0 && config->advance <= 120;
}

static wpin_status check(const WPIN_FAR wpin_sensorless_config *config, const wpin_port *port) {
    wpin_status status = wpin_stage_check(config->stage);
    if (status != WPIN_OK) {
        return status;
    }
    if (config->ramp == NULL || !ramp_holds(config) || !in_range(config) ||
        !wpin_inputs_hold(config->stage, config->above) ||
        !wpin_sector_rows_hold(config->stage->table)) {
        return WPIN_REFUSED_CONFIG;
    }
    return port->read == NULL ? WPIN_REFUSED_PORT : WPIN_OK;
}

static wpin_status open_sensorless(void *self, const WPIN_FAR void *part_config,
                                   const wpin_port *port) {
    wpin_sensorless *s = self;
    const WPIN_FAR wpin_sensorless_config *config =
        (const WPIN_FAR wpin_sensorless_config *)part_config;
    if (s == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_stage_close(&s->stage);
    *s = (wpin_sensorless){0};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_status status = check(config, port);
    if (status == WPIN_OK) {
        status = wpin_stage_open(&s->stage, config->stage, port);
    }
    if (status == WPIN_OK) {
        s->config = config; /* open from here on */
    }
    return status;
}

static wpin_status close_sensorless(void *self) {
    wpin_sensorless *s = self;
    s->state = WPIN_SENSORLESS_OFF;
    return wpin_stage_close(&s->stage);
}

/* ---- as an actuator ---- */

static uint8_t traits(const void *self) {
    return wpin_sector_traits(&((const wpin_sensorless *)self)->stage);
}

/* From rest: the first row that aligns. */
static wpin_status start(wpin_sensorless *s) {
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    uint8_t locked = wpin_lock(port);
    enter(s, WPIN_SENSORLESS_ALIGN, port->now(port->context));
    s->starts = (uint8_t)(s->starts + (s->starts < UINT8_MAX));
    wpin_unlock(port, locked);
    wpin_drive drive =
        (wpin_drive)(WPIN_DRIVE_SECTOR + (unsigned)wpin_sector_row(s->sector, s->direction));
    return wpin_stage_apply(&s->stage, drive, duty_due(s));
}

static bool has_rested(const wpin_sensorless *s, wpin_moment now) {
    return elapsed(s->since, now) >= s->config->rest_ms * (uint32_t)1000;
}

/* A rotor that may still turn would be braked hard by the first row: it runs down before. */
static wpin_status start_rested(wpin_sensorless *s) {
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    if (s->ran && !has_rested(s, port->now(port->context))) {
        s->state = WPIN_SENSORLESS_REST; /* since it was let go */
        return WPIN_OK;
    }
    return start(s);
}

static wpin_status put(void *self, uint8_t quantity, int32_t value) {
    wpin_sensorless *s = self;
    (void)quantity; /* it takes nothing but effort */
    if (!is_open(s)) {
        return WPIN_REFUSED_CLOSED;
    }
    uint32_t size = value < 0 ? 0U - (uint32_t)value : (uint32_t)value;
    if (size > (uint32_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_RANGE;
    }
    int8_t direction = (value < 0) == s->config->stage->reversed ? 1 : -1;
    uint8_t locked = wpin_lock(wpin_stage_port_of(&s->stage));
    s->wanted = (uint16_t)size;
    bool off = s->state == WPIN_SENSORLESS_OFF, turns = off || s->direction != direction;
    uint16_t duty = duty_due(s);
    bool other = s->state == WPIN_SENSORLESS_RUN && duty != s->stage.duty;
    wpin_unlock(wpin_stage_port_of(&s->stage), locked);
    if (turns) {
        s->direction = direction;
        return off ? start_rested(s) : start(s);
    }
    return other ? wpin_steady_duty(&s->stage, wpin_stage_port_of(&s->stage), duty) : WPIN_OK;
}

static wpin_status idle(void *self, wpin_drive how) {
    wpin_sensorless *s = self;
    if (is_open(s) && s->state != WPIN_SENSORLESS_OFF) {
        const wpin_port *port = wpin_stage_port_of(&s->stage);
        uint8_t locked = wpin_lock(port);
        enter(s, WPIN_SENSORLESS_OFF, port->now(port->context));
        s->ran = true;
        wpin_unlock(port, locked);
    }
    return wpin_stage_apply(&s->stage, how, 0);
}

static wpin_duty shown(const void *self) {
    const wpin_sensorless *s = self;
    return is_open(s) ? wpin_sector_shown(&s->stage, s->direction) : 0;
}

static void off(void *self) {
    wpin_stage_off(&((wpin_sensorless *)self)->stage);
}

/* After a lost step: coasts, and starts anew, a few times. */
static wpin_status start_anew(wpin_sensorless *s, wpin_moment now) {
    if (s->stage.drive >= WPIN_DRIVE_SECTOR) {
        return wpin_stage_apply(&s->stage, wpin_sector_rest(&s->stage), 0);
    }
    if (!has_rested(s, now)) {
        return WPIN_OK;
    }
    uint8_t tries = s->config->tries;
    if (s->starts < (tries != 0 ? tries : TRIES_USUAL)) {
        return start(s);
    }
    s->starts = 0;
    return WPIN_FAULT_NO_MOTION;
}

/* Nothing but the interrupt goes on from these. */
static bool is_led(const wpin_sensorless *s) {
    return s->stage.cut == 0 && s->state != WPIN_SENSORLESS_OFF && s->state != WPIN_SENSORLESS_REST;
}

static wpin_status poll(void *self, wpin_measurement *measurement) {
    wpin_sensorless *s = self;
    if (!is_open(s)) {
        return WPIN_OK;
    }
    uint8_t locked = wpin_lock(wpin_stage_port_of(&s->stage)), failed = s->failed, state = s->state;
    s->failed = WPIN_OK;
    wpin_status status = wpin_beat_check(&s->beat, is_led(s), measurement->dt_us, WPIN_AWAY_ROW_US);
    if (s->ran && state == WPIN_SENSORLESS_OFF && has_rested(s, measurement->at)) {
        s->ran = false;
        s->starts = 0;
    }
    wpin_unlock(wpin_stage_port_of(&s->stage), locked);
    bool runs = state == WPIN_SENSORLESS_RUN && s->good == WPIN_SENSORLESS_SURE;
    bool starts = state != WPIN_SENSORLESS_OFF && !runs;
    uint8_t inputs = measurement->inputs & (uint8_t)~WPIN_STARTING;
    measurement->inputs = (uint8_t)(inputs | (starts ? WPIN_STARTING : 0));
    wpin_keep_first(&status, (wpin_status)failed);
    if (status != WPIN_OK) {
        return status;
    }
    return state == WPIN_SENSORLESS_REST ? start_anew(s, measurement->at) : WPIN_OK;
}

const WPIN_FLASH wpin_actuator wpin_sensorless_actuator = {.takes =
                                                               WPIN_TAKES(WPIN_QUANTITY_EFFORT),
                                                           .open = open_sensorless,
                                                           .close = close_sensorless,
                                                           .traits = traits,
                                                           .put = put,
                                                           .idle = idle,
                                                           .shown = shown,
                                                           .off = off,
                                                           .poll = poll};
