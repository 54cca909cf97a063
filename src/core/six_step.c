/* Six-step commutation from Hall sensors: which row of the stage the rotor's sector asks for. */
#include "windpin/six_step.h"
#include "rare.h"
#include "six_step_core.h"
#include "windpin/impl/steady_six_step.h"

#define ADVANCE_MAX 120U

static bool is_open(const wpin_six_step *s) {
    return s != NULL && s->config != NULL && wpin_stage_is_open(&s->stage);
}

/* ---- the sensors ---- */

/* Looked up before the lock, which need not wait for the flash. */
typedef struct hall_pins {
    wpin_pin a, b, c;
} hall_pins;

static hall_pins pins_of(const WPIN_FAR wpin_six_step_config *config) {
    return (hall_pins){config->hall[0], config->hall[1], config->hall[2]};
}

static uint8_t read_code(const hall_pins *pins, const wpin_port *port) {
    uint8_t a = port->read(port->context, pins->a) ? 1 : 0;
    uint8_t b = port->read(port->context, pins->b) ? 2 : 0;
    uint8_t c = port->read(port->context, pins->c) ? 4 : 0;
    return (uint8_t)(a | b | c);
}

/* Takes what the sensors show. They are read while interrupts may come, and again if one of those
 * took them meanwhile: it saw something newer. Returns under the lock, with the moment. */
static uint8_t take_code(wpin_six_step *s, wpin_moment *now) {
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    const hall_pins pins = pins_of(s->config);
    for (;;) {
        uint8_t reads = s->reads; /* a byte: no lock */
        *now = port->now(port->context);
        uint8_t code = read_code(&pins, port), locked = wpin_lock(port);
        if (reads == s->reads) {
            wpin_steady_code(s, s->config, code, *now);
            return locked;
        }
        wpin_unlock(port, locked);
    }
}

/* Only noted, as an edge has no time; the tick counts them. */
static void note_surprise(wpin_six_step *s) {
    s->surprises = (uint8_t)(s->surprises + (s->surprises < UINT8_MAX));
}

static void disturb(wpin_six_step *s, uint8_t times) {
    for (; times != 0 && s->disorder <= 2U * WPIN_DISORDER_MAX - WPIN_DISORDER; times--) {
        s->disorder = (uint8_t)(s->disorder + WPIN_DISORDER);
    }
}

/* The sectors so far say nothing of the next, and the time to its edge nothing of it: what turned
 * no way can't go on. Under the lock. */
static void forget_times(wpin_six_step *s) {
    s->leads = 0;
    s->due_us = 0;
    s->turning = 0;
}

/* A code that is no sector, or not one of its neighbours'. Two sectors are the shorter way round;
 * three could be either. */
WPIN_RARE void wpin_rare_sector(wpin_six_step *s, uint8_t sector, wpin_moment now) {
    uint8_t before = s->sector;
    forget_times(s);
    if (sector >= WPIN_SECTORS) {
        note_surprise(s);
        return;
    }
    s->sector = sector;
    if (before >= WPIN_SECTORS || sector == before) { /* the first one, or back from a glitch */
        return;
    }
    note_surprise(s);
    uint8_t lap = sector > before ? 0 : WPIN_SECTORS;
    uint8_t between = (uint8_t)(sector + lap - before);
    if (between != 3) {
        uint32_t counts = (uint32_t)s->counts.counts;
        s->counts.counts = (int32_t)(between == 2 ? counts + 2U : counts - 2U);
        s->counts.at = now;
    }
}

/* ---- the stage ---- */

/* Brings the stage to the row that the rotor's sector asks for, if it is driven. */
WPIN_RARE wpin_status wpin_rare_commutate(wpin_six_step *s) {
    wpin_stage *stage = &s->stage;
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage));
    uint8_t sector = wpin_steady_wanted(s), shown = (uint8_t)(stage->drive - WPIN_DRIVE_SECTOR);
    bool changing = (stage->flags & WPIN_STAGE_CHANGING) != 0;
    bool stays = !changing && (shown >= WPIN_SECTORS || shown == sector);
    bool goes = sector != WPIN_NO_SECTOR && stage->cut == 0 && !stays;
    wpin_status status = WPIN_OK;
    if (goes) {
        status = wpin_stage_commutate_locked(stage, sector, locked);
    } else {
        wpin_unlock(wpin_stage_port_of(stage), locked);
    }
    if (status != WPIN_OK) {
        s->failed = (uint8_t)status;
    }
    return status;
}

/* To the row it wants, which is made out before the lock. */
static wpin_status show_wanted(wpin_six_step *s, const wpin_port *port) {
    uint8_t sector = wpin_steady_wanted(s);
    wpin_row_step ahead =
        wpin_steady_row_step(s, s->config->stage, sector < WPIN_SECTORS ? sector : 0);
    ahead.sector = sector;
    uint8_t locked = wpin_lock(port);
    return wpin_steady_commutate(s, s->config, port, &ahead, (uint16_t)port->now(port->context),
                                 locked);
}

wpin_status wpin_six_step_edge(wpin_six_step *s) {
    if (!is_open(s)) {
        return s == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    wpin_moment now;
    uint8_t locked = take_code(s, &now);
    wpin_unlock(port, locked); /* an edge that comes here goes to its row itself */
    return show_wanted(s, port);
}

/* From the mean of the last three sectors, in which sensors off their places cancel out, to when
 * the next row is due. */
static void foresee(wpin_six_step *s) {
    uint16_t sum = (uint16_t)(s->took[0] + s->took[1] + s->took[2]);
    s->due_us = (uint16_t)(((uint32_t)sum * s->share) >> 16);
    s->late_us = sum >> 1;
}

/* The edge since the last look, if one came; more of them are too fast for an advance. */
static void take_edge(wpin_six_step *s) {
    uint8_t fresh = (uint8_t)(s->edges - s->taken);
    if (fresh == 0) {
        return;
    }
    bool goes_on = fresh == 1 && s->edge_us != 0 && s->edge_way == s->turning;
    s->taken = s->edges;
    s->turning = s->edge_way;
    s->regular = (uint8_t)(!goes_on ? 0 : s->regular + (s->regular < 3));
    s->took[2] = s->took[1];
    s->took[1] = s->took[0];
    s->took[0] = s->edge_us;
    if (s->regular == 3) {
        foresee(s);
    }
}

/* Whether the next row leads now; whether that is news. early_us: it leads already so much before
 * it is due. A motor that is turned against its drive has its rows as they come. Under the lock. */
static bool take_lead(wpin_six_step *s, wpin_moment now, uint16_t early_us) {
    uint32_t us = now - s->counts.at;
    take_edge(s);
    bool due = s->due_us != 0 && us < s->late_us && us + early_us >= s->due_us;
    int8_t leads = due && s->turning == s->direction ? s->turning : 0;
    bool news = leads != s->leads;
    s->leads = leads;
    return news;
}

wpin_status wpin_six_step_look(wpin_six_step *s) {
    if (!is_open(s)) {
        return s == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    uint8_t locked = wpin_lock(port);
    wpin_moment now = port->now(port->context);
    uint16_t since = (uint16_t)((uint16_t)now - s->looked);
    s->looked = (uint16_t)now;
    /* nearer to this look than to the next one */
    bool news = take_lead(s, now, since < s->due_us >> 1 ? since >> 1 : 0);
    wpin_unlock(port, locked);
    return news ? show_wanted(s, port) : WPIN_OK;
}

uint8_t wpin_six_step_sector(const wpin_six_step *s) {
    return is_open(s) && s->config->sector_of[s->code & 7U] < WPIN_SECTORS ? s->sector
                                                                           : WPIN_NO_SECTOR;
}

/* ---- opening ---- */

/* Six codes, a sector each. */
static bool codes_hold(const WPIN_FAR wpin_six_step_config *config) {
    uint8_t seen = 0, count = 0;
    for (uint8_t code = 0; code < 8; code++) {
        uint8_t sector = config->sector_of[code];
        if (sector < WPIN_SECTORS) {
            seen = (uint8_t)(seen | 1U << sector);
            count++;
        } else if (sector != WPIN_NO_SECTOR) {
            return false;
        }
    }
    return seen == (1U << WPIN_SECTORS) - 1U && count == WPIN_SECTORS;
}

/* Whether a side of a leg goes off as the other comes on. */
static bool leg_turns(const WPIN_FAR wpin_stage_table *table, const WPIN_FAR wpin_row *was,
                      const WPIN_FAR wpin_row *will) {
    uint8_t off = (uint8_t)(was->high | was->timed), on = (uint8_t)(will->high | will->timed);
    for (uint8_t i = 0; i < table->leg_count; i++) {
        wpin_leg leg = table->legs[i];
        uint8_t high = wpin_bit(leg.high_side), low = wpin_bit(leg.low_side);
        bool stays = (off & on & (high | low)) != 0;
        if (!stays &&
            (((off & high) != 0 && (on & low) != 0) || ((off & low) != 0 && (on & high) != 0))) {
            return true;
        }
    }
    return false;
}

/* Looks at what each edge will do, so that the edge itself need not. */
static void prepare(wpin_six_step *s) {
    const WPIN_FAR wpin_stage_table *table = s->stage.config->table;
    s->first_row = wpin_table_row(table, (wpin_drive)WPIN_DRIVE_SECTOR);
    s->quick = (s->stage.flags & (WPIN_STAGE_GROUPED | WPIN_STAGE_SHARES)) == WPIN_STAGE_GROUPED;
    for (uint8_t i = 0; i < WPIN_SECTORS; i++) {
        const WPIN_FAR wpin_row *row = &table->rows[s->first_row + i];
        const WPIN_FAR wpin_row *next =
            &table->rows[s->first_row + (i == WPIN_SECTORS - 1 ? 0U : i + 1U)];
        uint8_t line = 0, timed = (uint8_t)(row->timed & ~row->complement);
        while (line < WPIN_STAGE_LINES - 1 && (timed & wpin_bit(line)) == 0) {
            line++;
        }
        s->lines[i] = line;
        s->quick = s->quick && row->floats == 0 && !leg_turns(table, row, next) &&
                   !leg_turns(table, next, row);
    }
}

static wpin_status check(const WPIN_FAR wpin_six_step_config *config, const wpin_port *port) {
    wpin_status status = wpin_stage_check(config->stage);
    if (status != WPIN_OK) {
        return status;
    }
    if (!codes_hold(config) || config->advance > ADVANCE_MAX ||
        !wpin_inputs_hold(config->stage, config->hall) ||
        !wpin_sector_rows_hold(config->stage->table)) {
        return WPIN_REFUSED_CONFIG;
    }
    return port->read == NULL ? WPIN_REFUSED_PORT : WPIN_OK;
}

wpin_status wpin_six_step_open(void *self, const WPIN_FAR void *part_config,
                               const wpin_port *port) {
    wpin_six_step *s = self;
    const WPIN_FAR wpin_six_step_config *config =
        (const WPIN_FAR wpin_six_step_config *)part_config;
    if (s == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_stage_close(&s->stage);
    *s = (wpin_six_step){.sector = WPIN_NO_SECTOR};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_status status = check(config, port);
    if (status == WPIN_OK) {
        status = wpin_stage_open(&s->stage, config->stage, port);
    }
    if (status == WPIN_OK) {
        prepare(s);
        const hall_pins pins = pins_of(config);
        uint8_t code = read_code(&pins, port);
        s->code = code;
        s->sector = config->sector_of[code & 7U];
        s->share = (uint16_t)(((256U - config->advance) * 21845UL) >> 8); /* of a third */
        /* open from here on */
        s->config = config;
    }
    return status;
}

static wpin_status close_six_step(void *self) {
    wpin_six_step *s = self;
    s->direction = 0;
    return wpin_stage_close(&s->stage);
}

/* ---- as an actuator ---- */

static uint8_t traits(const void *self) {
    return wpin_sector_traits(&((const wpin_six_step *)self)->stage);
}

/* From rest, or the other way round. An edge between the look at the sector and the change of row
 * is made up for at the end. */
static wpin_status start(wpin_six_step *s, int8_t direction, uint16_t duty) {
    if (wpin_six_step_sector(s) == WPIN_NO_SECTOR) { /* it does not know where: poll says so */
        return WPIN_OK;
    }
    s->direction = direction;
    uint8_t sector = wpin_steady_wanted(s);
    wpin_status status =
        wpin_stage_apply(&s->stage, (wpin_drive)(WPIN_DRIVE_SECTOR + (unsigned)sector), duty);
    wpin_keep_first(&status, wpin_rare_commutate(s));
    return status;
}

static wpin_status put(void *self, uint8_t quantity, int32_t value) {
    wpin_six_step *s = self;
    (void)quantity; /* it takes nothing but effort */
    if (!is_open(s)) {
        return WPIN_REFUSED_CLOSED;
    }
    uint32_t size = value < 0 ? 0U - (uint32_t)value : (uint32_t)value;
    if (size > (uint32_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_RANGE;
    }
    int8_t direction = (value < 0) == s->config->stage->reversed ? 1 : -1;
    if (s->direction != direction || s->stage.drive < WPIN_DRIVE_SECTOR || s->stage.cut != 0) {
        return start(s, direction, (uint16_t)size);
    }
    return size == s->stage.duty
               ? WPIN_OK
               : wpin_steady_duty(&s->stage, wpin_stage_port_of(&s->stage), (uint16_t)size);
}

static wpin_status idle(void *self, wpin_drive how) {
    wpin_six_step *s = self;
    s->direction = 0;
    return wpin_stage_apply(&s->stage, how, 0);
}

/* A row held while the rotor turns on soon carries several times its current, so no sector is no
 * row; the next tick that sees one drives on. */
static wpin_status let_go(wpin_six_step *s) {
    if (s->stage.drive < WPIN_DRIVE_SECTOR || s->stage.cut != 0) {
        return WPIN_OK;
    }
    return idle(s, wpin_sector_rest(&s->stage));
}

static wpin_duty shown(const void *self) {
    const wpin_six_step *s = self;
    return is_open(s) ? wpin_sector_shown(&s->stage, s->direction) : 0;
}

static void off(void *self) {
    wpin_stage_off(&((wpin_six_step *)self)->stage);
}

/* Of late more than so many sectors were too short for a tick: that is no chance, but an interrupt
 * that does not come. */
#define ALONE 6U

/* Whether the rotor turns too fast for the tick to follow it alone. */
static bool outruns_tick(const wpin_six_step *s) {
    return s->alone >= ALONE && s->stage.drive >= WPIN_DRIVE_SECTOR && s->stage.cut == 0;
}

/* The sensors as the tick finds them: notes the edges that no interrupt has taken since the last
 * one, in sectors of less than three ticks. */
static void follow(wpin_six_step *s, const wpin_port *port, uint16_t dt_us) {
    wpin_moment now, edge_at = s->counts.at;
    int32_t counts = s->counts.counts;
    uint8_t locked = take_code(s, &now);
    bool alone = (uint8_t)(s->reads - s->ticked) == 1U, edge = s->counts.counts != counts;
    s->ticked = s->reads;
    if (!alone) {
        s->alone = 0;
    } else if (edge && now - edge_at < (uint32_t)dt_us * 3U) {
        s->alone = (uint8_t)(s->alone + (s->alone < ALONE ? 2U : 0));
    } else if (edge && s->alone != 0) {
        s->alone--;
    }
    wpin_unlock(port, locked);
}

/* Follows the sensors where no interrupt does, and sees whether they make sense. */
wpin_status wpin_six_step_poll(void *self, wpin_measurement *measurement) {
    wpin_six_step *s = self;
    if (!is_open(s)) {
        return WPIN_OK;
    }
    const wpin_port *port = wpin_stage_port_of(&s->stage);
    follow(s, port, measurement->dt_us);
    uint8_t locked = wpin_lock(port);
    take_lead(s, measurement->at, 0); /* nobody may look any more */
    uint8_t failed = s->failed, surprises = s->surprises;
    s->failed = WPIN_OK;
    s->surprises = 0;
    wpin_unlock(port, locked);
    uint16_t left = (uint16_t)(UINT16_MAX - s->counts.illegal);
    s->counts.illegal = (uint16_t)(s->counts.illegal + (surprises < left ? surprises : left));
    disturb(s, surprises);
    if (s->config->sector_of[s->code & 7U] >= WPIN_SECTORS) {
        disturb(s, 1);
    } else if (s->disorder != 0) {
        s->disorder--;
    }
    wpin_status status = failed != WPIN_OK ? (wpin_status)failed : wpin_rare_commutate(s);
    if (status == WPIN_OK && wpin_six_step_sector(s) == WPIN_NO_SECTOR) {
        status = let_go(s);
    }
    if (status == WPIN_OK && s->disorder >= WPIN_DISORDER_MAX) {
        return WPIN_FAULT_HALL;
    }
    return status == WPIN_OK && outruns_tick(s) ? WPIN_FAULT_LATE : status;
}

const WPIN_FLASH wpin_actuator wpin_six_step_actuator = {.takes = WPIN_TAKES(WPIN_QUANTITY_EFFORT),
                                                         .open = wpin_six_step_open,
                                                         .close = close_six_step,
                                                         .traits = traits,
                                                         .put = put,
                                                         .idle = idle,
                                                         .shown = shown,
                                                         .off = off,
                                                         .poll = wpin_six_step_poll};
